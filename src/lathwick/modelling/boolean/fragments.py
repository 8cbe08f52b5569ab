"""Nodes and fragments: the points and pieces of curve that two bodies share once they are imprinted.

A fragment is a piece of curve between two nodes (or a whole closed curve) that no other curve of either
body meets in between. Pieces that lie on each other, wherever they come from, are one fragment.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from ...geometry.curve import Curve
from ...geometry.tolerance import JOIN, RESOLUTION
from ...geometry.vector import Vec3, distance
from ...topology.brep import Edge, Face

NEAR = JOIN
CELL = 4.0 * RESOLUTION


class Nodes:
    """Numbers for points; a point within twice the resolution of an earlier one gets its number."""

    def __init__(self) -> None:
        self.points: list[Vec3] = []
        self._cells: dict[tuple[int, int, int], list[int]] = {}

    def at(self, p: Vec3) -> int:
        """The node at a point, a new one if there is none."""
        found = self.find(p)
        if found is not None:
            return found
        key = _cell(p)
        self.points.append(p)
        self._cells.setdefault(key, []).append(len(self.points) - 1)
        return len(self.points) - 1

    def find(self, p: Vec3) -> int | None:
        """The node at a point, None if there is none."""
        i, j, k = _cell(p)
        best, least = None, NEAR
        for di in (-1, 0, 1):
            for dj in (-1, 0, 1):
                for dk in (-1, 0, 1):
                    for node in self._cells.get((i + di, j + dj, k + dk), ()):
                        gap = distance(self.points[node], p)
                        if gap <= least:
                            best, least = node, gap
        return best


def _cell(p: Vec3) -> tuple[int, int, int]:
    return (math.floor(p[0] / CELL), math.floor(p[1] / CELL), math.floor(p[2] / CELL))


@dataclass(eq=False)
class Fragment:
    """A piece of `curve` from t0 to t1 > t0, from node `a` to node `b`; -1 for a whole closed curve.

    edges : the edges of the bodies that it is a part of. inside : the faces in whose inside it lies.
    """

    curve: Curve
    t0: float
    t1: float
    a: int
    b: int
    edges: list[Edge] = field(default_factory=list)
    inside: list[Face] = field(default_factory=list)

    @property
    def middle(self) -> Vec3:
        return self.curve.point(0.5 * (self.t0 + self.t1))

    @cached_property
    def length(self) -> float:
        return self.curve.length(self.t0, self.t1)

    @property
    def is_ring(self) -> bool:
        """Whether it is a whole closed curve without a node."""
        return self.a < 0


def gap_to(curve: Curve, t0: float, t1: float, p: Vec3) -> tuple[float, float]:
    """Distance of `p` from a piece of curve by the parameter of its foot, and that parameter; infinite
    where the foot is not on the piece."""
    t = curve.parameter(p)
    period = curve.period
    if period:
        t = t0 + (t - t0) % period
        if t > t1 and t0 + period - t < t - t1:
            t -= period
    if not t0 - RESOLUTION <= t <= t1 + RESOLUTION:
        return math.inf, t
    return distance(curve.point(t), p), t


class FragmentTable:
    """All fragments, each piece of curve once."""

    def __init__(self) -> None:
        self.all: list[Fragment] = []
        self._by_nodes: dict[tuple[int, int], list[Fragment]] = {}
        self._centers = Nodes()

    def add(
        self, curve: Curve, t0: float, t1: float, a: int, b: int, of: Edge | None = None
    ) -> tuple[Fragment, bool]:
        """The fragment on a piece of curve, be it of an edge or not, and whether it runs the same way."""
        key = (min(a, b), max(a, b)) if a >= 0 else (-1, self._centers.at(_center(curve, t0, t1, of)))
        middle = curve.point(0.5 * (t0 + t1))
        for other in self._by_nodes.get(key, ()):
            gap, t = gap_to(other.curve, other.t0, other.t1, middle)
            if gap <= NEAR and self._equal(other, curve, t0, t1):
                return other, self._same_way(other, t, curve, 0.5 * (t0 + t1))
        made = Fragment(curve, t0, t1, a, b)
        self.all.append(made)
        self._by_nodes.setdefault(key, []).append(made)
        return made, True

    def _equal(self, other: Fragment, curve: Curve, t0: float, t1: float) -> bool:
        """Whether another place of the new piece lies on the fragment too."""
        for share in (0.25, 0.8):
            gap, _ = gap_to(other.curve, other.t0, other.t1, curve.point(t0 + share * (t1 - t0)))
            if gap > NEAR:
                return False
        return True

    def _same_way(self, other: Fragment, t: float, curve: Curve, s: float) -> bool:
        u, v = other.curve.tangent(t), curve.tangent(s)
        return u[0] * v[0] + u[1] * v[1] + u[2] * v[2] > 0.0


def _center(curve: Curve, t0: float, t1: float, edge: Edge | None) -> Vec3:
    """A point that belongs to a closed curve, that of an edge or of none, however it is parametrised: the
    middle of its box."""
    if curve.center is not None:
        return curve.center
    if edge is not None:
        x, y, z = (0.5 * edge.bounds.sum(axis=0)).tolist()
        return (x, y, z)
    points = curve.points(np.array([t0, t1, *curve.extremes(t0, t1)]))
    x, y, z = (0.5 * (points.min(axis=0) + points.max(axis=0))).tolist()
    return (x, y, z)


Cut = tuple[float, int]
"""Where a piece of curve is divided: the parameter and the node."""


def divided(t0: float, t1: float, closed: bool, cuts: Iterable[Cut], ends: Sequence[int]) -> list[
    tuple[float, float, int, int]
]:  # fmt: skip
    """The parts of a piece of curve between its cuts: (t0, t1, node, node).

    ends : the nodes at both ends of an open piece. A closed piece without cuts is one part without
    nodes; with cuts the part over its seam runs past t1.
    """
    seen: dict[int, float] = {}
    if not closed:
        seen = {ends[0]: t0}
    stops: list[Cut] = [] if closed else [(t0, ends[0])]
    for t, node in sorted(cuts):
        if (closed or node not in ends) and node not in seen:
            seen[node] = t
            stops.append((t, node))
    if closed:
        if not stops:
            return [(t0, t1, -1, -1)]
        stops.append((stops[0][0] + (t1 - t0), stops[0][1]))
    else:
        stops.append((t1, ends[1]))
    return [(s, t, a, b) for (s, a), (t, b) in itertools.pairwise(stops)]
