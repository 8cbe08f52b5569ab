"""What bodies, their faces, edges and vertices, and selections of these are asked with."""

from __future__ import annotations

from typing import Any, Protocol

from ..errors import ModellingError
from ..gate import PLAIN, Rules, are, gated, is_a, is_number, is_of
from ..geometry.placement import Plane
from ..geometry.vector import Vec3


class Planar(Protocol):
    """A planar face of a body."""

    @property
    def center(self) -> Vec3: ...
    @property
    def normal(self) -> Vec3: ...


def _is_place(value: Any) -> bool:
    return are(is_number)(value) and len(value) == 3


_PLACE = (_is_place, "three finite numbers")

ASKED: Rules = {
    **PLAIN,
    "Vec3": _PLACE,
    "Iterable[float]": _PLACE,
    "Plane": (is_a(Plane), "a plane"),
    "Planar": (is_of("topology.body", "BodyFace"), "a planar face"),
    "Callable[[Any], bool]": (callable, "a function"),
}

asked = gated(ASKED, ModellingError)
"""Puts a gate before the questions of a class."""
