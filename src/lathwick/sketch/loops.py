"""Closed chains of plane curve, and the connected patches of plane they bound."""

from __future__ import annotations

import math
from dataclasses import dataclass

from ..geometry.vector import Vec2
from .pieces import Piece
from .plane_curves import Box


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
class Patch:
    """A connected piece of a plane: one outer loop (counter-clockwise) less holes (clockwise)."""

    outer: PlaneLoop
    holes: tuple[PlaneLoop, ...]

    @property
    def loops(self) -> tuple[PlaneLoop, ...]:
        return (self.outer, *self.holes)

    def contains(self, point: Vec2) -> bool:
        """Whether a point that is not on the boundary lies in the patch."""
        return self.outer.encloses(point) and not any(h.encloses(point) for h in self.holes)
