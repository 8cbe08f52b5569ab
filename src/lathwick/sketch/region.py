"""Regions of a sketch plane, bounded by exact curves, and their measures."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from ..errors import SketchError
from ..gate import is_number, shown_value
from ..geometry.placement import Plane
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec2, vec2
from .arrangement import Arrangement
from .loops import Patch, PlaneLoop
from .offsets import offset_patches
from .pieces import Piece, second_moments


@dataclass(frozen=True, slots=True)
class Region:
    """An area of a sketch plane with exact boundaries, in one or more connected patches.

    `a + b` is what lies in either region, `a - b` what lies in the first only, `a & b` what lies
    in both; each raises SketchError if nothing is left, or for regions of different planes.
    """

    patches: tuple[Patch, ...]
    plane: Plane
    unit: str

    @property
    def outer(self) -> PlaneLoop:
        """The outer loop of a region of one patch. Raises SketchError for several."""
        return self._only().outer

    @property
    def holes(self) -> tuple[PlaneLoop, ...]:
        """The holes of a region of one patch. Raises SketchError for several."""
        return self._only().holes

    def _only(self) -> Patch:
        if len(self.patches) != 1:
            raise SketchError(f"the region has {len(self.patches)} separate patches; look at .patches")
        return self.patches[0]

    @property
    def loops(self) -> tuple[PlaneLoop, ...]:
        return tuple(loop for patch in self.patches for loop in patch.loops)

    @property
    def pieces(self) -> tuple[Piece, ...]:
        """All boundary pieces."""
        return tuple(piece for loop in self.loops for piece in loop.pieces)

    @property
    def area(self) -> float:
        """Area in square units, exact."""
        return math.fsum(loop.signed_area for loop in self.loops)

    @property
    def perimeter(self) -> float:
        """Length of the boundary, holes included."""
        return math.fsum(piece.length for piece in self.pieces)

    @property
    def centroid(self) -> Vec2:
        """Center of area, in the sketch plane."""
        boxes = [patch.outer.box for patch in self.patches]
        x0, y0, x1, y1 = zip(*boxes, strict=True)
        middle = (0.5 * (min(x0) + max(x1)), 0.5 * (min(y0) + max(y1)))
        sums = [piece.moments(middle) for piece in self.pieces]
        area, x, y = (math.fsum(column) for column in zip(*sums, strict=True))
        return (middle[0] + x / area, middle[1] + y / area)

    @property
    def second_moments(self) -> tuple[float, float, float]:
        """Second moments of area about the centroid: the integrals of y^2, of x^2 and of x y, in the
        directions of the sketch plane; unit to the fourth power."""
        middle = self.centroid
        sums = [second_moments(piece, middle) for piece in self.pieces]
        ix, iy, ixy = (math.fsum(column) for column in zip(*sums, strict=True))
        return (ix, iy, ixy)

    def contains(self, point: Vec2) -> bool:
        """Whether a point that is not on the boundary lies in the region."""
        try:
            place = vec2(point)
        except (TypeError, ValueError):
            raise SketchError(f"contains: a point is two finite numbers, got {shown_value(point)}") from None
        return any(patch.contains(place) for patch in self.patches)

    def offset(self, distance: float) -> Region:
        """The region with its boundary moved `distance` outwards, or inwards if it is negative.

        Corners that open are closed by arcs; the result may fall into several patches. Raises
        SketchError if nothing is left, or for a boundary with ellipses or splines.
        """
        if not is_number(distance):
            raise SketchError(f"an offset needs a finite distance, got {shown_value(distance)}")
        distance = float(distance)
        if abs(distance) <= RESOLUTION:
            return self
        patches = offset_patches(self.loops, distance)
        if not patches:
            raise SketchError(f"nothing is left of the region offset by {distance:g}")
        return Region(tuple(patches), self.plane, self.unit)

    def __add__(self, other: Region) -> Region:
        return self._combined(other, lambda p: self.contains(p) or other.contains(p), "+")

    def __sub__(self, other: Region) -> Region:
        return self._combined(other, lambda p: self.contains(p) and not other.contains(p), "-")

    def __and__(self, other: Region) -> Region:
        return self._combined(other, lambda p: self.contains(p) and other.contains(p), "&")

    def _combined(self, other: Region, wanted: Callable[[Vec2], bool], sign: str) -> Region:
        if not isinstance(other, Region):
            raise SketchError(f"a region is combined with a region, not with {shown_value(other)}")
        if self.plane != other.plane or self.unit != other.unit:
            raise SketchError("regions of different planes or units cannot be combined")
        patches = Arrangement([*self.pieces, *other.pieces]).joined(wanted)
        if not patches:
            raise SketchError(f"nothing is left of the regions combined with {sign}")
        return Region(tuple(patches), self.plane, self.unit)
