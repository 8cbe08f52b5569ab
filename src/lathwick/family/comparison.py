"""What is different between two parts: parameters, steps, measures, and faces by name."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from os import PathLike
from pathlib import Path
from typing import Any

from ..errors import ExchangeError, ParameterError
from ..mesh.mesh import Mesh
from .atomic import write_atomically
from .part import Part

SAME = 1e-9
"""Measures that differ by less of themselves are the same."""

Change = tuple[Any, Any]
"""Before and after; None where there was or is none."""


@dataclass(frozen=True, slots=True)
class Comparison:
    """Only what differs: parameters, steps (by what was asked) and measures, before and after, None for what
    one of the two has not; and the areas of faces by name, of which gone and new ones have None."""

    parameters: Mapping[str, Change]
    steps: Mapping[str, Change]
    measures: Mapping[str, Change]
    faces: Mapping[str, Change]
    before: Part | Mesh = field(repr=False)
    after: Part | Mesh = field(repr=False)

    def picture(self, path: str | PathLike[str], **options: Any) -> None:
        """Write a PNG of both over each other: what is new or has changed in color, and what the first part
        had more seen through. Options: `size`, `view`. Raises ExchangeError, also where one is a mesh."""
        from ..view.picture import compared_png

        if isinstance(self.before, Mesh) or isinstance(self.after, Mesh):
            raise ExchangeError("a picture of both over each other is of two parts, not of a mesh")

        data = compared_png(
            (self.before.body, set(self.gone)),
            (self.after.body, {name for name, (_, after) in self.faces.items() if after is not None}),
            f"{self.before.name} and {self.after.name}",
            **options,
        )
        write_atomically(Path(path), data)

    @property
    def gone(self) -> tuple[str, ...]:
        """The faces that only the first part has."""
        return tuple(name for name, (_, after) in self.faces.items() if after is None)

    @property
    def new(self) -> tuple[str, ...]:
        """The faces that only the second part has."""
        return tuple(name for name, (before, _) in self.faces.items() if before is None)

    @property
    def is_same(self) -> bool:
        """Whether nothing differs."""
        return not (self.parameters or self.steps or self.measures or self.faces)

    def __str__(self) -> str:
        return "\n".join(self._lines()) or "nothing differs"

    def _lines(self) -> Iterator[str]:
        for kind, changes in (
            ("parameter", self.parameters),
            ("step", self.steps),
            ("measure", self.measures),
            ("face", self.faces),
        ):
            for name, (before, after) in changes.items():
                yield f"{kind} {name}: {_shown(before)} -> {_shown(after)}"


def compare(a: Part | Mesh, b: Part | Mesh) -> Comparison:
    """How the second part differs from the first; of a mesh the measures tell, those that a part has as well.

    Raises ParameterError for what is neither, and for other units.
    """
    if not isinstance(a, (Part, Mesh)) or not isinstance(b, (Part, Mesh)):
        raise ParameterError(f"compare takes two parts, got {type(a).__name__} and {type(b).__name__}")
    if a.unit and b.unit and a.unit != b.unit:
        raise ParameterError(f"the parts are in different units, {a.unit} and {b.unit}")
    if isinstance(a, Mesh) or isinstance(b, Mesh):
        return Comparison({}, {}, _different(_of_solid(a), _of_solid(b)), {}, a, b)
    return Comparison(
        _different(dict(a.params), dict(b.params)),
        _different(_steps(a), _steps(b)),
        _different(_measures(a), _measures(b)),
        _different(_areas(a), _areas(b)),
        a,
        b,
    )


def _different(before: Mapping[str, Any], after: Mapping[str, Any]) -> dict[str, Change]:
    names = dict.fromkeys([*before, *after])
    found = {name: (before.get(name), after.get(name)) for name in names}
    return {name: pair for name, pair in found.items() if not _same(*pair)}


def _same(a: Any, b: Any) -> bool:
    numbers = [isinstance(x, (int, float)) and not isinstance(x, bool) for x in (a, b)]
    return math.isclose(a, b, rel_tol=SAME, abs_tol=1e-12) if all(numbers) else a == b


def _steps(part: Part) -> dict[str, str]:
    return {step.name: f"{step.verb} {step.detail}".strip() for step in part.steps}


def _of_solid(solid: Part | Mesh) -> dict[str, Any]:
    """What a part and a mesh both tell."""
    (x0, y0, z0), (x1, y1, z1) = solid.bounds
    return {
        "volume": solid.volume,
        "area": solid.area,
        "width": x1 - x0,
        "depth": y1 - y0,
        "height": z1 - z0,
    }


def _measures(part: Part) -> dict[str, Any]:
    body = part.body
    return {
        **_of_solid(part),
        "mass": part.mass,
        "lumps": body.lumps,
        "faces": len(body.brep_faces),
        "edges": len(body.edges()),
    }


def _areas(part: Part) -> dict[str, float]:
    """The area of all faces of each name together."""
    found: dict[str, float] = {}
    for face in part.body.faces():
        for name in face.names or ("no name",):
            found[name] = found.get(name, 0.0) + face.area
    return found


def _shown(value: Any) -> str:
    return "none" if value is None else f"{value:.7g}" if isinstance(value, float) else str(value)
