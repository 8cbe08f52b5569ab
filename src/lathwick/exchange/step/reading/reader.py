"""A whole STEP file as named bodies."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from ....errors import ExchangeError, LathwickError
from ....geometry.motion import Motion
from ....geometry.tolerance import RESOLUTION
from ....geometry.units import MILLIMETRES
from ....geometry.vector import vec3
from ....modelling.transform import transformed
from ....topology.body import Body
from ....topology.brep import Lump, Shell
from ....topology.mass import mass_properties
from .faces import FaceReader, RawFace
from .products import SOLIDS, Color, Placed, Units, colors_of, placed_solids, unit_named, units_of, whole_name
from .source import Source
from .text import Ref, StepText, Typed
from .whole import WholeShell

LARGEST_GAP = 1e-3
"""Edges and corners this far apart, in millimetres, are never sewn, whatever the file says."""

OURS = "Lathwick"
"""What we write has whole faces, some of them side by side on one surface, as legs of a sweep are."""

SAME_MEASURE = 1e-4
"""A measure that the file states differs from ours by less than this share, or it is told."""


UNFORESEEN = (ArithmeticError, ValueError, IndexError)
"""What numbers of a damaged file may raise where nothing looks at them before; such a file is refused."""


@dataclass(frozen=True)
class ReadBody:
    """A body of a file, with its name and color."""

    name: str
    body: Body
    color: Color | None


@dataclass
class ReadFile:
    """What was in a file: its bodies, its unit, and what is to be told about it."""

    bodies: list[ReadBody]
    unit: str
    name: str = ""
    messages: list[str] = field(default_factory=list)


def read_bodies(data: bytes, unit: str | None = None) -> ReadFile:
    """The solids of a STEP file (ISO 10303-21, AP203, AP214, AP242), each a valid body.

    unit : to convert to; by default the file's own, or "mm" where that has no name here.

    Raises ExchangeError, with the entity, for what cannot be read: a body is valid or it is not given.
    """
    try:
        text = StepText.parse(data.decode("utf-8"))
    except UnicodeDecodeError:  # as older writers have it
        text = StepText.parse(data.decode("latin-1"))
    units = units_of(text)
    into = (unit_named(units.length) or "mm") if unit is None else unit
    if not isinstance(into, str) or into not in MILLIMETRES:
        raise ExchangeError(f"{into!r} is no unit of length; use {', '.join(MILLIMETRES)}")
    source = Source(text, units.length / MILLIMETRES[into], units.angle)
    file = ReadFile([], into, whole_name(text))
    _read_bodies(source, units, file)
    if not file.bodies:
        raise ExchangeError("the file holds no solid")
    _compare_measures(source, units, file)
    return file


def _read_bodies(source: Source, units: Units, file: ReadFile) -> None:
    gap = min(max(units.gap * source.length, RESOLUTION), LARGEST_GAP / MILLIMETRES[file.unit])
    colors = colors_of(source.text)
    lumps: dict[int, list[Lump]] = {}
    used: dict[str, int] = {}
    labels: dict[int, list[str]] = {}
    for group in _groups(source):
        placed, name = group[0], _name_of(group)
        for number in (one.number for one in group):
            if number not in lumps:
                lumps[number] = _lumps_of(_SolidReader(source, gap, file, name), number)
        body = _placed_body(group, lumps, file.unit, f'#{placed.number} ("{name}")')
        if body is None:
            continue
        used[name] = used.get(name, 0) + 1
        label = name if used[name] == 1 else f"{name} {used[name]}"
        file.bodies.append(ReadBody(label.replace("/", "-"), body, _color(source, colors, placed.number)))
        for one in group:
            labels.setdefault(one.number, []).append(label)
    _tell_layers(source, file, labels)


def _placed_body(
    group: Sequence[Placed], lumps: Mapping[int, Sequence[Lump]], unit: str, label: str
) -> Body | None:
    """The solids of a group, each where it stands, as one body; None if they hold nothing."""
    there: dict[bytes, list[Placed]] = {}
    for one in group:
        if lumps[one.number]:
            there.setdefault(one.matrix.tobytes(), []).append(one)
    known: dict[tuple[int, ...], Body] = {}
    placed: list[Body] = []
    for some in there.values():
        numbers = tuple(one.number for one in some)
        if numbers not in known:
            known[numbers] = _body_of([lump for n in numbers for lump in lumps[n]], unit, label)
        body, matrix = known[numbers], some[0].matrix
        moves = not np.allclose(matrix, np.eye(4), rtol=0.0, atol=1e-15)
        placed.append(_placed(body, some[0]) if moves else body)
    if len(placed) > 1:
        return _body_of([lump for body in placed for lump in body.pieces], unit, label)
    return placed[0] if placed else None


def _body_of(members: Sequence[Lump], unit: str, label: str) -> Body:
    try:
        return Body.made(members, unit)
    except LathwickError as error:
        raise ExchangeError(f"{label}: {error.message}") from None
    except UNFORESEEN as error:
        raise ExchangeError(f"{label}: its numbers describe no solid ({error})") from error


def _lumps_of(reader: _SolidReader, number: int) -> list[Lump]:
    try:
        return reader.lumps(number)
    except UNFORESEEN as error:
        raise ExchangeError(f"#{number}: its numbers describe no solid ({error})") from error


def _groups(source: Source) -> list[list[Placed]]:
    """Solids that make one body: each by itself, but in our files those that stand for one product."""
    made: dict[tuple[int, int], list[Placed]] = {}
    for k, placed in enumerate(placed_solids(source)):
        made.setdefault((placed.group, 0 if _is_ours(source) else k), []).append(placed)
    return list(made.values())


def _name_of(group: Sequence[Placed]) -> str:
    """The name of a body; its lumps are numbered in our files."""
    name = group[0].name
    numbered = len(group) > 1 and group[1].name != name
    return (name.removesuffix(" 1") if numbered else name) or "body"


def _is_ours(source: Source) -> bool:
    return source.text.system.partition(" ")[0] == OURS


def _tell_layers(source: Source, file: ReadFile, labels: Mapping[int, Sequence[str]]) -> None:
    """Tell the layers that solids are on, by themselves or with all their faces."""
    for number in source.text.named("PRESENTATION_LAYER_ASSIGNMENT"):
        name, _, items, *_ = source.values(number, "PRESENTATION_LAYER_ASSIGNMENT", 3)
        members = set(source.refs(items, number, "items"))
        on_it = [
            label for solid, found in labels.items() for label in found
            if solid in members or ((faces := set(_face_numbers(source, solid))) and faces <= members)
        ]  # fmt: skip
        if on_it:
            file.messages.append(f'layer "{name}": {", ".join(on_it)}')


def _placed(body: Body, placed: Placed) -> Body:
    x, y, z, shift = (vec3(placed.matrix[:3, k]) for k in range(4))
    return transformed(body, Motion(x, y, z, shift))


def _color(source: Source, colors: dict[int, Color], number: int) -> Color | None:
    """The color of a solid, else that of all its faces."""
    if number in colors or not colors:
        return colors.get(number)
    faces = list(_face_numbers(source, number))
    found = {colors.get(face) for face in faces}
    return found.pop() if len(found) == 1 else None


def _face_numbers(source: Source, number: int) -> Iterator[int]:
    for record in source.text.records(number):
        for value in record.values:
            if isinstance(value, Ref) and source.text.part(value, "CLOSED_SHELL") is not None:
                values = source.values(value, "CLOSED_SHELL", 2)
                yield from (int(v) for v in values[1] if isinstance(v, Ref))


class _SolidReader:
    """Reads one solid."""

    def __init__(self, source: Source, gap: float, file: ReadFile, name: str) -> None:
        self._source, self._gap, self._file, self._name = source, gap, file, name
        self._faces = FaceReader(source)
        self._is_whole = _is_ours(source)

    def lumps(self, number: int) -> list[Lump]:
        """The lumps of a solid, or of the closed shells of a surface model."""
        text, source = self._source.text, self._source
        if any(text.part(number, name) is not None for name in SOLIDS):
            outer, voids = self._shells(number)
            made = [self._shell(outer, False), *(self._shell(v, True) for v in voids)]
            return [Lump(made[0], tuple(made[1:]))]
        values = text.part(number, "SHELL_BASED_SURFACE_MODEL") or text.part(
            number, "FACE_BASED_SURFACE_MODEL"
        )
        if values is None:
            raise ExchangeError(f"#{number}: a solid of the kind {text.kind(number)} cannot be read")
        lumps = [Lump(self._shell(n, False)) for n in source.refs(values[1], number, "shells")]
        self._file.messages.append(f'"{self._name}" is a surface model; its closed shells are read as solids')
        return lumps

    def _shells(self, number: int) -> tuple[int, list[int]]:
        """The outer shell of a solid, and those of its voids."""
        source, text = self._source, self._source.text
        outer: int | None = None
        voids: list[int] = []
        for record in text.records(number):
            for value in record.values:
                if isinstance(value, Ref) and outer is None:
                    outer = int(value)
                elif isinstance(value, list) and value and all(isinstance(v, Ref) for v in value):
                    voids = source.refs(value, number, "voids")
        if outer is None:
            raise ExchangeError(f"#{number}: a solid without a shell")
        return outer, voids

    def _shell(self, number: int, is_void: bool) -> Shell:
        raw = self._faces.shell(number)
        whole = self._whole(raw, number)
        shell = whole.faces(_step_name(self._name))
        volume = mass_properties(shell.faces).volume
        if (volume < 0.0) is not is_void:
            self._file.messages.append(f'"{self._name}": a shell is inside out in the file; it is turned')
            whole = self._whole([face.turned() for face in raw], number)
            shell = whole.faces(_step_name(self._name))
        if whole.sewn:
            self._file.messages.append(
                f'"{self._name}": {whole.sewn} edges that faces did not share are sewn'
            )
        if whole.mended:
            told = "edges that lay beside their surfaces are put onto them"
            self._file.messages.append(f'"{self._name}": {whole.mended} {told}')
        return shell

    def _whole(self, raw: list[RawFace], number: int) -> WholeShell:
        if not raw:
            raise ExchangeError(f"#{number}: a shell without faces")
        label = f'#{number} ("{self._name}")'
        return WholeShell(raw, self._faces.corners, self._gap, label, self._is_whole)


def _step_name(name: str) -> str:
    return re.sub(r"[/:]", " ", name).strip() or "body"


# ---------------------------------------------------------------------- validation properties


def _compare_measures(source: Source, units: Units, file: ReadFile) -> None:
    """Tell where a stated volume of all there is differs from ours, if there is one product."""
    text = source.text
    if len(text.named("PRODUCT")) != 1:
        return
    stated = [_measure(text, number) for number in text.named("MEASURE_REPRESENTATION_ITEM")]
    for kind, power, ours in (
        ("VOLUME_MEASURE", 3, sum(b.body.volume for b in file.bodies)),
        ("AREA_MEASURE", 2, sum(b.body.area for b in file.bodies)),
    ):
        for name, value in stated:
            theirs = value * source.length**power
            if name == kind and theirs > 0.0 and abs(theirs - ours) > SAME_MEASURE * ours:
                what = kind.partition("_")[0].lower()
                file.messages.append(
                    f"the file states {theirs:.6g} {file.unit}^{power} of {what}, it is {ours:.6g}"
                )


def _measure(text: StepText, number: int) -> tuple[str, float]:
    for record in text.records(number):
        for value in record.values:
            if (
                isinstance(value, Typed)
                and len(value.values) == 1
                and isinstance(value.values[0], (int, float))
            ):
                return value.name, float(value.values[0])
    return "", 0.0
