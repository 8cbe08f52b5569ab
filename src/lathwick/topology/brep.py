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

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, Self, TypeVar

import numpy as np

from ..geometry.curve import Curve
from ..geometry.placement import FloatArray
from ..geometry.surface import Surface
from ..geometry.vector import Vec3, negated
from .names import FaceName

T = TypeVar("T")
MEASURES = ("length", "bounds")
"""What is kept of an edge when only its vertices change."""


ONE_SIDED = "one-sided"
"""Under this a face remembers a surface that it reaches along its edges only."""


class Remembering:
    """Immutable, and so what is found out about it holds for ever: it is kept with it."""

    @cached_property
    def _memory(self) -> dict[str, Any]:
        return {}

    def remembered(self, what: str, find: Callable[[Self], T]) -> T:
        """What a function finds out about this; asked only the first time. Each `what` has one function."""
        if what not in self._memory:
            self._memory[what] = find(self)
        found: T = self._memory[what]
        return found

    def recalled(self, what: str) -> Any:
        """What was found out about this, for those who find it out for many at once; None if nothing was."""
        return self._memory.get(what)

    def remember(self, what: str, found: object) -> None:
        """Keep what `recalled` gives back."""
        self._memory[what] = found


@dataclass(frozen=True, slots=True, eq=False)
class Vertex:
    """A point where edges end."""

    point: Vec3


@dataclass(frozen=True, eq=False)
class Edge(Remembering):
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
        edge.__dict__.update({name: self.__dict__[name] for name in MEASURES if name in self.__dict__})
        return edge

    @cached_property
    def bounds(self) -> FloatArray:
        """Exact smallest box, shape (2, 3)."""
        return self.curve.box(self.t0, self.t1)

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
        """The point of the edge nearest to `point`."""
        return self.curve.point(self.curve.nearest_between(point, self.t0, self.t1))


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


@dataclass(frozen=True, eq=False)
class Loop(Remembering):
    """A closed ring of coedges."""

    coedges: tuple[Coedge, ...]

    @cached_property
    def reach(self) -> float:
        """The diagonal of its box."""
        boxes = np.array([coedge.edge.bounds for coedge in self.coedges])
        return float(np.linalg.norm(boxes[:, 1].max(axis=0) - boxes[:, 0].min(axis=0)))


@dataclass(frozen=True, eq=False)
class Face(Remembering):
    """A trimmed piece of `surface`, bounded by `loops`; `names` is what it answers to."""

    surface: Surface
    outward: bool
    loops: tuple[Loop, ...]
    names: tuple[FaceName, ...] = field(default=())

    def coedges(self) -> Iterator[Coedge]:
        for loop in self.loops:
            yield from loop.coedges

    @cached_property
    def outlines(self) -> tuple[Loop, ...]:
        """The loops between which the face reaches farthest: of a plane face the outer one, else all."""
        if len(self.loops) < 2 or self.surface.plane is None:
            return self.loops
        return (max(self.loops, key=lambda loop: loop.reach),)

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
