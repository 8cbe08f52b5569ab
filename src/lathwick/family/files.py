"""Saving and reading by file name: the suffix decides the format."""

from __future__ import annotations

import hashlib
import importlib.metadata
import inspect
import io
import os
import stat
import sys
import zipfile
from collections.abc import Callable, Iterable, Mapping, Sequence
from datetime import UTC, datetime
from os import PathLike
from pathlib import Path
from typing import Any

from ..errors import ExchangeError
from ..exchange.drawing.dxf import write_dxf
from ..exchange.drawing.outline import Outline
from ..exchange.drawing.svg import write_svg
from ..exchange.obj import read_obj, write_obj
from ..exchange.step.writer import Solid, write_step
from ..exchange.stl import read_stl, write_stl
from ..exchange.threemf import read_3mf, write_3mf
from ..gate import is_number, shown_value
from ..geometry.placement import Plane
from ..geometry.units import MILLIMETRES, conversion
from ..mesh.mesh import Mesh
from ..mesh.tessellate import DEFAULT_ANGLE, default_chord, tessellate, tessellate_apart
from ..modelling.flat_faces import region_of_face
from ..sketch.pieces import pieces_along, pieces_of
from ..sketch.region import Region
from ..sketch.sketch import Sketch
from ..topology.body import Body, BodyFace
from .atomic import write_atomically
from .messages import NOTE, Message
from .part import Part
from .step_cache import give_key

Encoder = Callable[..., bytes | memoryview]
STEP_SUFFIXES = (".step", ".stp")
MESH_SUFFIXES = (".stl", ".obj", ".3mf")


def save(obj: Any, path: str | PathLike[str], **options: Any) -> None:
    """Write a part, body, mesh or sketch to a file; written whole or not at all.

    .step .stp : parts and bodies; a part of several bodies as an assembly.
        Options: `schema` "ap242" or "ap214".
    .stl : parts, bodies and meshes. Options: `chord` (length unit), `angle` (degrees), `ascii`,
        `unit` to convert to.
    .obj .3mf : parts, bodies and meshes, an object for each body with its name, in 3MF with its color.
        Options: `chord`, `angle`, `unit`.
    .svg .dxf : sketches, regions and planar faces, flat and at true size.
    .pdf .svg : parts and bodies, a sheet with three views, sizes and a title block; as PNG with
        `view="three"`.
    .html : parts and bodies: a view to turn, cut open and measure in, in one file that needs nothing else.
    .zip : parts and bodies: files of several `formats` ("step", "stl"), of every body its own with `each`.
        Options: `chord`, `angle`, `unit`.
    .png : parts, bodies, meshes, sketches, and selections on their body. Options: `size` (width, height) in
        pixels; `view` iso front back right left top bottom, degrees around and up "30,20", or a direction;
        `section` a Plane or "y=12"; `transparent` an opacity or names of bodies; `highlight` or `step` a
        step; `explode` a share; `notes` False for none; `background` a color.

    Raises ExchangeError for a suffix, an object or an option that does not fit.
    """
    target = Path(path)
    encoder = _ENCODERS.get(target.suffix.lower())
    if encoder is None:
        raise ExchangeError(
            f'{target.name}: cannot save as "{target.suffix}"; there are {", ".join(_ENCODERS)}'
        )
    name = obj.name if isinstance(obj, Part) and obj.name else target.stem
    known = inspect.signature(encoder).parameters
    for option in options:
        if option not in known:
            listed = ", ".join(k for k, p in known.items() if p.kind is p.KEYWORD_ONLY)
            raise ExchangeError(
                f'{target.name}: there is no option "{option}" for this format; there are {listed or "none"}'
            )
    data = encoder(obj, name, **options)
    write_atomically(target, data)


def save_each(part: Part, path: str | PathLike[str], **options: Any) -> tuple[Path, ...]:
    """Write every body of a part to a file of its own: foot.step gives foot-frame.step, foot-pin.step.

    Returns the paths. Options as for `save`; raises ExchangeError, also where two names make one file.
    """
    target = Path(path)
    if not part.bodies:
        raise ExchangeError(f"{target.name}: the part is one body; save it as it is")
    found = {name: target.with_name(_file_name(target, name)) for name in part.leaves()}
    if len({p.name.lower() for p in found.values()}) < len(found):
        raise ExchangeError(f"{target.name}: two bodies of the part would get one file name")
    for name, leaf in part.leaves().items():
        save(leaf, found[name], **options)
    return tuple(found.values())


def _file_name(target: Path, name: str) -> str:
    plain = "".join(c if c.isalnum() or c in "-_." else "_" for c in name)
    return f"{target.stem}-{plain}{target.suffix}"


def read_mesh(path: str | PathLike[str]) -> Mesh:
    """The mesh in an .stl, .obj or .3mf file; its unit is "" if the file does not tell. A file that is not
    there is looked for beside the calling script.

    Raises ExchangeError, with the place, for what cannot be read.
    """
    source = _path(path, sys._getframe(1).f_globals)
    decode = _MESH_READERS.get(source.suffix.lower())
    if decode is None:
        raise ExchangeError(f"{source.name}: meshes are read from {', '.join(_MESH_READERS)} files")
    try:
        return decode(_bytes_of(source))
    except ExchangeError as error:
        raise ExchangeError(f"{source.name}: {error.message}") from None


def read_step(path: str | PathLike[str], unit: str | None = None) -> Part:
    """The solids of a STEP file as a part: one body, or several by name, where the file's assemblies place
    them, with their colors. Its `messages` say what was mended, or is stated otherwise in the file. A file
    that is not there is looked for beside the calling script.

    unit : to convert to; by default the file's own, or "mm" where that is none of ours. Faces that the file
    cuts up are whole; those without a name of the form "step/role" are called "NAME/face:NUMBER".

    Raises ExchangeError, with the entity, for what cannot be read: each body is valid, or it is not given.
    """
    from ..exchange.step.reading.reader import read_bodies

    source = _path(path, sys._getframe(1).f_globals)
    if source.suffix.lower() not in STEP_SUFFIXES:
        raise ExchangeError(f"{source.name}: STEP files end in {' or '.join(STEP_SUFFIXES)}")
    try:
        data = _bytes_of(source)
        file = read_bodies(data, unit)
    except ExchangeError as error:
        raise ExchangeError(f"{source.name}: {error.message}") from None
    content = hashlib.sha256(data).hexdigest()
    for k, piece in enumerate(file.bodies):
        give_key(piece.body, f"{content} {file.unit} {k}")
    told = tuple(Message(NOTE, text) for text in file.messages)
    if len(file.bodies) == 1:
        only = file.bodies[0]
        return Part(only.body, name=only.name, color=only.color, messages=told)
    pieces: dict[str, Body | Part] = {b.name: Part(b.body, name=b.name, color=b.color) for b in file.bodies}
    return Part(pieces, name=file.name or source.stem, messages=told)


def _path(path: str | PathLike[str], caller: Mapping[str, Any]) -> Path:
    """The path of a file to read; one that is not there is looked for beside the calling script. Raises
    ExchangeError for what is no path."""
    try:
        found, script = Path(path), caller.get("__file__")
        if "\0" in str(found):
            raise ValueError
    except (TypeError, ValueError):
        raise ExchangeError(f"a file is given by its path, got {shown_value(path)}") from None
    if isinstance(script, str) and not found.is_absolute() and not found.exists():
        beside = Path(script).resolve().parent / found
        return beside if beside.exists() else found
    return found


def _bytes_of(source: Path) -> bytes:
    try:
        if not stat.S_ISREG(source.stat().st_mode):
            raise ExchangeError("is no file")
        return source.read_bytes()
    except OSError as error:
        raise ExchangeError(f"cannot be read: {error.strerror or error}") from error


def _solids(obj: Any, name: str) -> list[Solid]:
    if isinstance(obj, Part):
        leaves = obj.leaves() if obj.bodies else {name: obj}
        return [Solid(label, leaf.body, leaf.color) for label, leaf in leaves.items()]
    if isinstance(obj, Body):
        return [Solid(name, obj)]
    raise ExchangeError(f"{type(obj).__name__} cannot be saved as a solid; save a Part or a Body")


def _step(obj: Any, name: str, *, schema: str = "ap242") -> bytes:
    text = write_step(name, _solids(obj, name), stamp=_now(), schema=schema, version=_version())
    return text.encode("ascii")


def _now() -> datetime:
    """The time for a file's header; SOURCE_DATE_EPOCH (seconds) takes its place where it is set."""
    epoch = os.environ.get("SOURCE_DATE_EPOCH", "")
    try:
        return datetime.fromtimestamp(int(epoch), UTC) if epoch else datetime.now(UTC)
    except (ValueError, OverflowError, OSError):
        raise ExchangeError(f'SOURCE_DATE_EPOCH is "{epoch}", not a number of seconds') from None


def _version() -> str:
    try:
        return importlib.metadata.version("lathwick")
    except importlib.metadata.PackageNotFoundError:
        return ""


def _stl(
    obj: Any,
    name: str,
    *,
    chord: float | None = None,
    angle: float = DEFAULT_ANGLE,
    ascii: bool = False,
    unit: str | None = None,
) -> bytes | memoryview:
    _check_tolerance(chord, angle)
    if isinstance(obj, Part) and obj.bodies:  # a shell for each, also where they touch
        mesh, _ = tessellate_apart([leaf.body for leaf in obj.leaves().values()], chord, angle)
    else:
        mesh = obj if isinstance(obj, Mesh) else tessellate(_one_body(obj), chord, angle)
    if unit is not None:
        mesh = _converted(mesh, unit)
    return write_stl(mesh, name, ascii=ascii)


def _named_meshes(
    obj: Any, name: str, chord: float | None, angle: float, unit: str | None
) -> list[tuple[str, Mesh, tuple[float, float, float] | None]]:
    """A mesh for each body, with its name and color."""
    _check_tolerance(chord, angle)
    found: list[tuple[str, Mesh, tuple[float, float, float] | None]]
    if isinstance(obj, Mesh):
        found = [(name, obj, None)]
    else:
        solids = _solids(obj, name)
        if chord is None:
            chord = default_chord([solid.body for solid in solids])
        found = [(s.name, tessellate(s.body, chord, angle), s.color) for s in solids]
    return found if unit is None else [(n, _converted(mesh, unit), color) for n, mesh, color in found]


def _obj(
    obj: Any, name: str, *, chord: float | None = None, angle: float = DEFAULT_ANGLE, unit: str | None = None
) -> bytes:
    return write_obj([(n, mesh) for n, mesh, _ in _named_meshes(obj, name, chord, angle, unit)], name)


def _3mf(
    obj: Any, name: str, *, chord: float | None = None, angle: float = DEFAULT_ANGLE, unit: str | None = None
) -> bytes:
    return write_3mf(_named_meshes(obj, name, chord, angle, unit), name)


def _check_tolerance(chord: object, angle: object) -> None:
    """Raises ExchangeError for a chord or an angle that is no number."""
    for name, value in (("chord", DEFAULT_ANGLE if chord is None else chord), ("angle", angle)):
        if not is_number(value):
            raise ExchangeError(f"{name} is a number more than 0, got {shown_value(value)}")


def _one_body(obj: Any) -> Body:
    body = obj.body if isinstance(obj, Part) else obj
    if not isinstance(body, Body):
        raise ExchangeError(f"{type(obj).__name__} cannot be meshed; save a Part, a Body or a Mesh")
    return body


def _quoted(value: object) -> str:
    return f'"{value}"' if isinstance(value, str) else shown_value(value)


def _converted(mesh: Mesh, unit: str) -> Mesh:
    if not isinstance(unit, str) or unit not in MILLIMETRES:
        raise ExchangeError(f"{_quoted(unit)} is no unit for a mesh; use {', '.join(MILLIMETRES)}")
    if not mesh.unit:
        raise ExchangeError("the unit of the mesh is not known, so it cannot be converted")
    return mesh.scaled(conversion(mesh.unit, unit), unit)


def _outline(obj: Any) -> Outline:
    """What a sketch, a region or a planar face looks like when it is cut from sheet."""
    if isinstance(obj, Sketch):
        obj.settle()
        shown = [e for e in obj.entities if e.construction]
        loops = tuple((piece,) for piece in pieces_of(obj.entities))
        return Outline(loops, tuple(p for e in shown for p in pieces_along(e)), obj.unit)
    region = region_of_face(obj.brep, obj.body.unit) if isinstance(obj, BodyFace) else obj
    if not isinstance(region, Region):
        raise ExchangeError(f"{type(obj).__name__} is not flat; save a Sketch, a Region or a planar face")
    return Outline(tuple(loop.pieces for loop in region.loops), (), region.unit)


def _svg(obj: Any, name: str) -> bytes:
    if isinstance(obj, (Part, Body)):
        return _sheet(obj, name, "svg")
    return write_svg(_outline(obj), name)


def _pdf(obj: Any, name: str) -> bytes:
    return _sheet(obj, name, "pdf")


def _sheet(obj: Any, name: str, kind: str, size: tuple[int, int] | None = None) -> bytes:
    from ..view.sheet import draw_sheet  # heavy, and not always installed

    if not isinstance(obj, (Part, Body)):
        raise ExchangeError(f"{type(obj).__name__} has no three views; save a Part or a Body")
    return draw_sheet(obj if isinstance(obj, Part) else Part(obj, name=name), name, kind, size)


def _dxf(obj: Any, name: str) -> bytes:
    return write_dxf(_outline(obj), name)


def _picture(
    obj: Any,
    name: str,
    *,
    size: tuple[int, int] | None = None,
    view: str | Iterable[float] | None = None,
    span: float = 0.0,
    step: str | None = None,
    highlight: str | None = None,
    section: str | Plane | None = None,
    transparent: float | Sequence[str] | None = None,
    explode: float = 0.0,
    notes: bool = True,
    background: str | None = None,
) -> bytes:
    from ..view.picture import png  # heavy, and not always installed

    if isinstance(view, str) and view == "three":
        if (step, highlight, section, transparent, explode, background) != (
            None,
            None,
            None,
            None,
            0.0,
            None,
        ):
            raise ExchangeError("three views show the whole part as it is; of the options they take size")
        return _sheet(obj, name, "png", size)
    return png(
        obj, name, size=size, view=view, span=span, step=step, highlight=highlight, section=section,
        transparent=transparent, explode=explode, notes=notes, background=background,
    )  # fmt: skip


def _view(obj: Any, name: str) -> bytes:
    from ..view.html_file import write_html

    return write_html(obj, name)


def _zip(
    obj: Any,
    name: str,
    *,
    formats: str | Sequence[str] = ("step", "stl"),
    each: bool = False,
    chord: float | None = None,
    angle: float = DEFAULT_ANGLE,
    unit: str | None = None,
) -> bytes:
    """Files of a part in an archive, stamped with one time so that the same part gives the same bytes."""
    wanted = (formats,) if isinstance(formats, str) else formats
    if not isinstance(wanted, (list, tuple)) or not all(isinstance(one, str) for one in wanted):
        raise ExchangeError(f'formats are names like "step", got {shown_value(formats)}')
    if not isinstance(each, bool):
        raise ExchangeError(f"each is True or False, got {shown_value(each)}")
    packed = io.BytesIO()
    several = each and isinstance(obj, Part) and bool(obj.bodies)
    things = obj.leaves() if several else {"": obj}
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        for suffix in wanted:
            encoder = _ENCODERS.get(f".{suffix}")
            if encoder is None or suffix == "zip":
                raise ExchangeError(f'a zip holds no "{suffix}" files; there are {_listed_formats()}')
            options = {"chord": chord, "angle": angle, "unit": unit} if f".{suffix}" in MESH_SUFFIXES else {}
            for label, thing in things.items():
                target = Path(f"{name}.{suffix}")
                stamp = zipfile.ZipInfo(
                    _file_name(target, label) if label else target.name, _now().timetuple()[:6]
                )
                stamp.compress_type = zipfile.ZIP_DEFLATED
                if stamp.filename in archive.namelist():
                    raise ExchangeError("two bodies of the part would get one file name")
                archive.writestr(stamp, bytes(encoder(thing, label or name, **options)))
    return packed.getvalue()


def _listed_formats() -> str:
    return ", ".join(suffix[1:] for suffix in _ENCODERS if suffix != ".zip")


_ENCODERS: dict[str, Encoder] = {
    ".step": _step,
    ".stp": _step,
    ".stl": _stl,
    ".obj": _obj,
    ".3mf": _3mf,
    ".svg": _svg,
    ".dxf": _dxf,
    ".pdf": _pdf,
    ".png": _picture,
    ".html": _view,
    ".zip": _zip,
}

_MESH_READERS: dict[str, Callable[[bytes], Mesh]] = {".stl": read_stl, ".obj": read_obj, ".3mf": read_3mf}
