"""The parts a body is built of: vertex, edge, coedge, loop, face, shell. All immutable, compared by identity.

Conventions, kept everywhere:

* An edge runs along its curve in the direction of growing parameter, from `start` to `end`. A
  closed edge (a full circle) has no vertices.
* A coedge is an edge used by a loop, along the edge or against it.
* Seen from outside the body, a loop runs with the material of its face on the left.
* `Face.outward` tells whether the surface normal points out of the body.
* No seams: the wall of a drilled hole is one face with two loops of one closed edge each.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from ..geometry.curves import Circle, Curve
from ..geometry.placement import FloatArray
from ..geometry.surfaces import Surface
from ..geometry.vector import Vec3, negated
from .names import FaceName


@dataclass(frozen=True, slots=True, eq=False)
class Vertex:
    """A point where edges end."""

    point: Vec3


@dataclass(frozen=True, eq=False)
class Edge:
    """The piece of `curve` from parameter `t0` to `t1` > `t0`."""

    curve: Curve
    t0: float
    t1: float
    start: Vertex | None
    end: Vertex | None

    @property
    def is_closed(self) -> bool:
        return self.start is None

    @cached_property
    def length(self) -> float:
        return self.curve.length(self.t0, self.t1)

    def between(self, start: Vertex | None, end: Vertex | None) -> Edge:
        """The same piece of curve between other vertices; what has been measured of it is kept."""
        edge = Edge(self.curve, self.t0, self.t1, start, end)
        for measure in ("length", "bounds"):
            if measure in self.__dict__:
                edge.__dict__[measure] = self.__dict__[measure]
        return edge

    @cached_property
    def bounds(self) -> FloatArray:
        """Exact smallest box, shape (2, 3)."""
        if self.is_closed and isinstance(self.curve, Circle):
            return self.curve.bounds
        t = [self.t0, self.t1, *self.curve.extremes(self.t0, self.t1)]
        points = self.curve.points(np.array(t))
        return np.array([points.min(axis=0), points.max(axis=0)])

    def end_points(self) -> tuple[Vec3, Vec3]:
        """Where the edge starts and ends; twice the same point on a closed edge."""
        if self.start is None or self.end is None:
            p = self.curve.point(self.t0)
            return p, p
        return self.start.point, self.end.point

    def midpoint(self) -> Vec3:
        """The point at the middle of the parameter range."""
        return self.curve.point(0.5 * (self.t0 + self.t1))

    def nearest(self, point: Vec3) -> Vec3:
        """The point of the edge nearest to `point` (exact on lines and circles)."""
        t = self.curve.parameter(point)
        if self.curve.period:
            t = self.t0 + (t - self.t0) % self.curve.period
        if self.t0 <= t <= self.t1:
            return self.curve.point(t)
        a, b = self.end_points()
        return a if math.dist(a, point) <= math.dist(b, point) else b


@dataclass(frozen=True, slots=True, eq=False)
class Coedge:
    """An edge as a loop uses it."""

    edge: Edge
    forward: bool

    @property
    def start(self) -> Vertex | None:
        return self.edge.start if self.forward else self.edge.end

    @property
    def end(self) -> Vertex | None:
        return self.edge.end if self.forward else self.edge.start

    def direction_at(self, t: float) -> Vec3:
        """Unit direction of travel at curve parameter `t`."""
        tangent = self.edge.curve.tangent(t)
        return tangent if self.forward else negated(tangent)


@dataclass(frozen=True, slots=True, eq=False)
class Loop:
    """A closed ring of coedges."""

    coedges: tuple[Coedge, ...]


@dataclass(frozen=True, eq=False)
class Face:
    """A trimmed piece of `surface`, bounded by `loops`; `names` is what it answers to."""

    surface: Surface
    outward: bool
    loops: tuple[Loop, ...]
    names: tuple[FaceName, ...] = field(default=())

    def coedges(self) -> Iterator[Coedge]:
        for loop in self.loops:
            yield from loop.coedges

    def outward_normal(self, point: Vec3) -> Vec3:
        """Unit normal out of the body at (the foot of) `point`."""
        normal = self.surface.normal(point)
        return normal if self.outward else negated(normal)


@dataclass(frozen=True, slots=True, eq=False)
class Shell:
    """A connected closed set of faces: the outside of a lump, or the wall of an inner void."""

    faces: tuple[Face, ...]


@dataclass(frozen=True, slots=True, eq=False)
class Lump:
    """One connected piece of material: its outer shell and the shells of the voids inside it."""

    outer: Shell
    voids: tuple[Shell, ...] = ()

    @property
    def shells(self) -> tuple[Shell, ...]:
        return (self.outer, *self.voids)
