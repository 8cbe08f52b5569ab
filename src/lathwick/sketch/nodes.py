"""Ends of curves, those within the resolution joined into one node."""

from __future__ import annotations

import math

from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec2

CELL = 4 * RESOLUTION
NEAR = 2 * RESOLUTION


class Nodes:
    """Numbers for points; a point within twice the resolution of an earlier one gets its number."""

    def __init__(self) -> None:
        self.points: list[Vec2] = []
        self._cells: dict[tuple[int, int], list[int]] = {}

    def at(self, point: Vec2) -> int:
        """The node at `point`, a new one if there is none."""
        i, j = math.floor(point[0] / CELL), math.floor(point[1] / CELL)
        for di in (-1, 0, 1):
            for dj in (-1, 0, 1):
                for node in self._cells.get((i + di, j + dj), ()):
                    if math.dist(self.points[node], point) <= NEAR:
                        return node
        self.points.append(point)
        self._cells.setdefault((i, j), []).append(len(self.points) - 1)
        return len(self.points) - 1
