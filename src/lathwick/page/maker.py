"""What the page's worker does: it alone runs the script, in a process that can be stopped.

Each request is a mapping with a `kind`, each answer a mapping with what came of it, or with an `error`.
"""

from __future__ import annotations

import io
import json
import signal
import sys
import tempfile
import zipfile
from collections.abc import Callable, Mapping
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

from ..errors import LathwickError, ParameterError
from ..family.comparison import compare
from ..family.design import Design
from ..family.files import save
from ..family.measuring import angle, distance
from ..family.parameters import REQUIRED
from ..family.part import Part
from ..family.plates import row_of
from ..family.row_work import script_line, told
from ..family.script import load_design
from ..family.tables import name_problem
from ..modelling.primitives import box
from ..view.model import model_of
from ..view.picture import body_of_step

Answer = dict[str, Any]
FORMATS = ("step", "stl", "3mf", "obj", "html", "png")
DIGITS = 7
MOST_COMPARED = 12


def serve(pipe: Connection, script: str) -> None:
    """The life of the worker: load the script, then answer one request after the other."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    _get_ready()
    maker = Maker(script)
    while True:
        try:
            request = pipe.recv()
            pipe.send(maker.answer(request))
        except (EOFError, OSError):
            return


def _get_ready() -> None:
    """What a first part takes is imported when it is first used: here, before anybody waits for it."""
    model_of(Part(box(1.0, 1.0, 1.0)), "block")


class Maker:
    """A script, the part it made last, and the part that it is compared with."""

    def __init__(self, script: str) -> None:
        self.script = script
        self._design: Design | None = None
        self._part: Part | None = None
        self._base: Part | None = None

    def answer(self, request: Mapping[str, Any]) -> Answer:
        """What comes of a request; whatever goes wrong is told in one line."""
        kinds: dict[str, Callable[[Mapping[str, Any]], Answer]] = {
            "load": self._load,
            "build": self._build,
            "step": self._step,
            "measure": self._measure,
            "take": self._take,
            "take all": self._take_all,
            "save preset": self._save_preset,
            "remove preset": self._remove_preset,
            "start from": self._start_from,
            "side by side": self._side_by_side,
        }
        try:
            return kinds[request["kind"]](request)
        except ParameterError as error:
            limit = error.limit if isinstance(error.limit, (int, float, str)) else None
            return {"error": str(error), "parameter": error.parameter, "limit": limit}
        except LathwickError as error:
            return {"error": str(error), "parameter": None, "limit": None}
        except (KeyboardInterrupt, SystemExit, Exception) as error:  # the script is the user's
            where = script_line(error)
            text = f"{type(error).__name__} in the script{where}: {told(error)}"
            return {"error": text, "parameter": None, "limit": None}

    @property
    def _loaded(self) -> Design:
        if self._design is None:
            raise ParameterError(f"{self.script} is not loaded")
        return self._design

    @property
    def _made(self) -> Part:
        if self._part is None:
            raise ParameterError("there is no part yet")
        return self._part

    def _load(self, _: Mapping[str, Any]) -> Answer:
        """Run the script again: its parameters and presets. The cache of steps goes over."""
        sys.path_importer_cache.clear()
        fresh = load_design(self.script)
        if self._design is not None:
            fresh.cache = self._design.cache
        self._design = fresh
        parameters = [
            {
                "name": p.name,
                "kind": p.kind,
                "default": "" if p.default is REQUIRED else _text(p.default),
                "low": p.low,
                "high": p.high,
                "step": p.step,
                "choices": [_text(c) for c in p.choices],
                "unit": p.entry_unit,
                "note": p.note,
            }
            for p in fresh.parameters
        ]
        about = (fresh.__doc__ or "").strip().split("\n\n")[0]
        return {
            "name": fresh.name,
            "unit": fresh.unit,
            "about": " ".join(about.split()),
            "parameters": parameters,
            **self._presets(),
        }

    def _presets(self) -> Answer:
        presets = self._loaded.presets
        return {
            "presets": {name: {k: _text(v) for k, v in presets[name].items()} for name in presets},
            "file": presets.path.name,
        }

    def _build(self, request: Mapping[str, Any]) -> Answer:
        design = self._loaded
        part = design.built(design.check(request["values"]))
        self._part = part
        return {
            "model": json.dumps(model_of(part, part.name)).encode("ascii"),
            "values": {name: _text(value) for name, value in part.params.items()},
            "measures": _measures(part),
            "messages": [{"kind": m.kind, "text": str(m)} for m in part.messages],
            "steps": [
                {
                    "name": s.name,
                    "verb": s.verb,
                    "detail": s.detail,
                    "seconds": s.seconds,
                    "faces": len(s.body.brep_faces),
                    "volume": s.body.volume,
                }
                for s in part.steps
                if s.body is not None
            ],
            "bodies": list(part.leaves()),
            "changes": self._changes(),
        }

    def _changes(self) -> list[list[str]]:
        """What differs from the part that one started from: name, before, after."""
        if self._base is None or self._part is None:
            return []
        found = compare(self._base, self._part)
        rows = {**found.parameters, **found.measures}
        return [[name, _text(before), _text(after)] for name, (before, after) in rows.items()]

    def _start_from(self, request: Mapping[str, Any]) -> Answer:
        design = self._loaded
        self._base = design.built(design.check(request["values"]))
        return {"changes": self._changes()}

    def _side_by_side(self, request: Mapping[str, Any]) -> Answer:
        """Parts by other values in a row, and what differs between them; one that fails is told."""
        design, parts, failed = self._loaded, {}, []
        if len(request["parts"]) > MOST_COMPARED:
            raise ParameterError(
                f"{len(request['parts'])} parts side by side; at most {MOST_COMPARED} are shown"
            )
        for name, values in request["parts"].items():
            try:
                parts[name] = design.built(design.check(values)).called(name)
            except LathwickError as error:
                failed.append(f"{name}: {error}")
        if not parts:
            raise ParameterError(failed[0] if failed else "choose what is to be compared")
        row = row_of(list(parts.values()), f"{design.name}: {', '.join(parts)}")
        told = [
            {**{k: _text(v) for k, v in part.params.items()}, **dict(_measures(part))}
            for part in parts.values()
        ]
        names = dict.fromkeys(name for column in told for name in column)
        rows = [[name, *(column.get(name, "") for column in told)] for name in names]
        return {
            "model": json.dumps(model_of(row, row.name)).encode("ascii"),
            "names": list(parts),
            "rows": [row for row in rows if len(set(row[1:])) > 1],
            "failed": failed,
        }

    def _step(self, request: Mapping[str, Any]) -> Answer:
        body = body_of_step(self._made, request["name"])
        part = Part(body, name=f"{self._made.name} after {request['name']}")
        return {"model": json.dumps(model_of(part, part.name)).encode("ascii")}

    def _measure(self, request: Mapping[str, Any]) -> Answer:
        """The least distance of two faces, each given by its body and its number, and their angle."""
        faces = []
        for body, number in request["faces"]:
            leaf = self._made.leaves()[body].body
            faces.append([f for lump in leaf.pieces for f in lump_faces(leaf, lump)][number])
        found = {"distance": _number(distance(*faces))}
        if all(face.kind == "plane" for face in faces):
            found["angle"] = _number(angle(*faces))
        return found

    def _take(self, request: Mapping[str, Any]) -> Answer:
        part, suffix = self._made, request["format"]
        return {"name": f"{_file_name(part.name)}.{suffix}", "data": _file(part, suffix)}

    def _take_all(self, request: Mapping[str, Any]) -> Answer:
        """All presets in one archive; one that fails is told, the others are there."""
        design, suffix = self._loaded, request["format"]
        archive, failed = io.BytesIO(), []
        with zipfile.ZipFile(archive, "w", zipfile.ZIP_DEFLATED) as file:
            for name in design.presets:
                try:
                    part = design.built(design.preset(name)).called(name)
                    file.writestr(f"{_file_name(name)}.{suffix}", _file(part, suffix))
                except LathwickError as error:
                    failed.append(f"{name}: {error}")
        return {"name": f"{_file_name(design.name)}.zip", "data": archive.getvalue(), "failed": failed}

    def _save_preset(self, request: Mapping[str, Any]) -> Answer:
        self._loaded.presets.save(request["name"], request["values"])
        return self._presets()

    def _remove_preset(self, request: Mapping[str, Any]) -> Answer:
        self._loaded.presets.remove(request["name"])
        return self._presets()


def lump_faces(body: Any, lump: Any) -> list[Any]:
    """The faces of a lump, as they stand in their body, in the order of the model."""
    from ..topology.body import Body

    wanted = Body((lump,), body.unit).brep_faces
    known = {face.brep: face for face in body.faces()}
    return [known[face] for face in wanted]


def _file_name(name: str) -> str:
    if problem := name_problem(name):
        raise ParameterError(f"the part's name: {problem}")
    return name


def _file(part: Part, suffix: str) -> bytes:
    if suffix not in FORMATS:
        raise ParameterError(f'"{suffix}" is no format; there are {", ".join(FORMATS)}')
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, f"part.{suffix}")
        save(part, path)
        return path.read_bytes()


def _measures(part: Part) -> list[list[str]]:
    (x0, y0, z0), (x1, y1, z1) = part.bounds
    rows = [
        ["size", " × ".join(_number(d) for d in (x1 - x0, y1 - y0, z1 - z0)) + f" {part.unit}"],
        ["volume", f"{_number(part.volume)} {part.unit}³"],
        ["area", f"{_number(part.area)} {part.unit}²"],
    ]
    if part.mass is not None:
        rows.append(["mass", part.mass_text])
    rows.append(["faces", str(len(part.body.brep_faces))])
    rows.append(["pieces", str(part.body.lumps)])
    return rows


def _number(value: float) -> str:
    return f"{value:.{DIGITS}g}"


def _text(value: Any) -> str:
    if value is None:
        return "none"
    if isinstance(value, bool):
        return "yes" if value else "no"
    return _number(value) if isinstance(value, float) else str(value)
