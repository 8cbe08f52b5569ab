"""Regions of a sketch plane, bounded by exact curves, and their measures."""

from __future__ import annotations

import math
from dataclasses import dataclass

from ..geometry.placement import Plane
from ..geometry.vector import Vec2
from .pieces import Box, Piece


@dataclass(frozen=True, slots=True)
class PlaneLoop:
    """A closed chain of pieces, each starting where the one before it ends."""

    pieces: tuple[Piece, ...]

    @property
    def signed_area(self) -> float:
        """Enclosed area, negative when the loop runs clockwise."""
        origin = self.pieces[0].start
        return math.fsum(piece.moments(origin)[0] for piece in self.pieces)

    @property
    def box(self) -> Box:
        boxes = [piece.box for piece in self.pieces]
        x0, y0, x1, y1 = zip(*boxes, strict=True)
        return (min(x0), min(y0), max(x1), max(y1))

    def reversed(self) -> PlaneLoop:
        return PlaneLoop(tuple(piece.reversed() for piece in reversed(self.pieces)))

    def encloses(self, point: Vec2) -> bool:
        """Whether a point that is not on the loop lies inside it."""
        return abs(sum(piece.winding(point) for piece in self.pieces)) > math.pi


@dataclass(frozen=True, slots=True)
class Region:
    """A connected piece of a sketch plane: one outer loop (counter-clockwise) less holes (clockwise)."""

    outer: PlaneLoop
    holes: tuple[PlaneLoop, ...]
    plane: Plane
    unit: str

    @property
    def loops(self) -> tuple[PlaneLoop, ...]:
        return (self.outer, *self.holes)

    @property
    def area(self) -> float:
        """Area in square units, exact."""
        return math.fsum(loop.signed_area for loop in self.loops)

    @property
    def perimeter(self) -> float:
        """Length of the boundary, holes included."""
        return math.fsum(piece.length for loop in self.loops for piece in loop.pieces)

    @property
    def centroid(self) -> Vec2:
        """Center of area, in the sketch plane."""
        x0, y0, x1, y1 = self.outer.box
        middle = (0.5 * (x0 + x1), 0.5 * (y0 + y1))
        sums = [piece.moments(middle) for loop in self.loops for piece in loop.pieces]
        area, x, y = (math.fsum(column) for column in zip(*sums, strict=True))
        return (middle[0] + x / area, middle[1] + y / area)

    def contains(self, point: Vec2) -> bool:
        """Whether a point that is not on the boundary lies in the region."""
        return self.outer.encloses(point) and not any(h.encloses(point) for h in self.holes)
