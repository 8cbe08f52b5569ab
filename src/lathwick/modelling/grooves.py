"""The helical groove of a thread as a solid: walls that keep their depth are screw surfaces, its mouth and
floor lie on cylinders, and where it runs out its depth falls to nothing."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ..geometry.curves import Line
from ..geometry.placement import FloatArray, Plane, rotated
from ..geometry.rational import rational_curve
from ..geometry.screw import Helix, ScrewSurface
from ..geometry.spline import FittedCurve, interpolated_fit
from ..geometry.spline_surface import SplineSurface
from ..geometry.surface import Surface
from ..geometry.surfaces import CylinderSurface, PlaneSurface
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec2, Vec3, along, cross, distance, dot, scaled, sub, unit
from ..sketch.pieces import LinePiece, Piece
from ..topology.brep import ONE_SIDED, Coedge, Edge, Face, Loop, Lump, Shell, Vertex
from ..topology.names import FaceName, side_names
from .paths import PER_TURN
from .sections import Section


@dataclass(frozen=True)
class Screw:
    """What turns about the axis of a frame and rises by a pitch with each turn, at a radius; `side` is 1
    where the material is outside of it. `hand` is -1 for a left-hand one. whole : whether a groove is at the
    height of the frame on its x, rather than half a pitch above it."""

    frame: Plane
    radius: float
    side: float
    pitch: float
    hand: float
    whole: bool

    @cached_property
    def mouth(self) -> CylinderSurface:
        """The cylinder into which the groove is cut."""
        return CylinderSurface(self.frame, self.radius)

    @property
    def rise(self) -> float:
        """For each radian, along the normal of `turning`."""
        return self.hand * self.pitch / math.tau

    def turning(self, origin: Vec3) -> Plane:
        """The frame about whose normal it turns: a left-hand one about the opposite of the axis."""
        return Plane(origin, scaled(self.frame.normal, self.hand), self.frame.x)

    def angle_at(self, height: float) -> float:
        """How far it has turned when the groove's middle is at a height."""
        return math.tau * (height / self.pitch - (0.0 if self.whole else 0.5))

    def height_at(self, angle: float) -> float:
        return self.pitch * (angle / math.tau + (0.0 if self.whole else 0.5))

    def plane_at(self, angle: float) -> Plane:
        """The half-plane of the axis in which the profile lies."""
        out = rotated(self.frame.x, self.frame.normal, self.hand * angle)
        spot = along(along(self.frame.origin, out, self.radius), self.frame.normal, self.height_at(angle))
        return Plane(spot, cross(self.frame.normal, scaled(out, self.side)), self.frame.normal)

    def ways(self, corners: FloatArray, angles: FloatArray, depths: FloatArray) -> FloatArray:
        """Where points of the profile, (M, 2), are at angles, (N,), their depths times shares, (N,):
        (N, M, 3)."""
        turn = self.hand * angles
        x, y = np.asarray(self.frame.x), np.asarray(self.frame.y)
        out = np.cos(turn)[:, None] * x + np.sin(turn)[:, None] * y
        reach = self.radius + self.side * depths[:, None] * corners[:, 1]
        heights = self.height_at(0.0) + self.pitch / math.tau * angles[:, None] + corners[:, 0]
        origin, axis = np.asarray(self.frame.origin), np.asarray(self.frame.normal)
        return np.asarray(origin + reach[:, :, None] * out[:, None] + heights[:, :, None] * axis)


class Groove:
    """What a thread takes away."""

    def __init__(
        self, screw: Screw, loop: list[Piece], stops: list[float], faded: tuple[bool, bool], step: str
    ) -> None:
        self._screw, self._loop, self._stops, self._faded, self._step = screw, loop, stops, faded, step
        self._rails: dict[tuple[int, int], Edge] = {}

    def lump(self) -> Lump:
        spans = range(len(self._stops) - 1)
        walls = [self._wall(k, j) for k in spans for j in range(1, len(self._loop))]
        mouths = [self._mouth(k) for k in spans]
        ends = [self._cap(k) for k in (0, len(self._stops) - 1) if not self._vanishes(k)]
        return Lump(Shell((*ends, *mouths, *walls)))

    def _vanishes(self, k: int) -> bool:
        """Whether the groove has come to nothing at a station."""
        return self._faded[0] if k == 0 else k == len(self._stops) - 1 and self._faded[1]

    @cached_property
    def _stations(self) -> list[_Station]:
        return [
            _Station(self._screw.plane_at(a), self._loop, self._vanishes(k))
            for k, a in enumerate(self._stops)
        ]

    def _nodes(self, k: int) -> tuple[FloatArray, FloatArray]:
        """Angles in a span at which its walls are known, and the shares of the depth there."""
        low, high = self._stops[k], self._stops[k + 1]
        count = max(12, math.ceil(PER_TURN * (high - low) / math.tau))
        angles = np.linspace(low, high, count + 1)
        t = (angles - low) / (high - low)
        if self._vanishes(k):
            return angles, 1.0 - (1.0 - t) ** 3
        return angles, 1.0 - t**3 if self._vanishes(k + 1) else np.ones(len(t))

    def _fits(self, k: int, corners: FloatArray) -> list[FittedCurve]:
        angles, depths = self._nodes(k)
        ways = self._screw.ways(corners, angles, depths)
        return [interpolated_fit(angles - angles[0], ways[:, m], False) for m in range(len(corners))]

    def _rail(self, k: int, j: int) -> Edge:
        """The edge along the start of piece j."""
        j %= len(self._loop)
        if (k, j) not in self._rails:
            a, b = (self._stations[n].vertices[j] for n in (k, k + 1))
            x, y = self._loop[j].start
            low, high = self._stops[k], self._stops[k + 1]
            if y == 0.0 or not self._fades(k):
                self._rails[k, j] = self._helix(x, y, (low, high), (a, b))
            else:
                self._rails[k, j] = Edge(self._fits(k, np.array([(x, y)]))[0], 0.0, high - low, a, b)
        return self._rails[k, j]

    def _helix(self, x: float, y: float, angles: tuple[float, float], ends: tuple[Vertex, Vertex]) -> Edge:
        """The edge of a corner of the profile that keeps its depth."""
        screw = self._screw
        start = along(screw.frame.origin, screw.frame.normal, screw.height_at(0.0) + x)
        curve = Helix(screw.turning(start), screw.radius + screw.side * y, screw.rise)
        return Edge(curve, *angles, *ends)

    def _fades(self, k: int) -> bool:
        """Whether the depth changes in a span."""
        return self._vanishes(k) or self._vanishes(k + 1)

    def _surface(self, k: int, piece: Piece) -> Surface:
        if piece is self._loop[0]:
            return self._screw.mouth
        level = isinstance(piece, LinePiece) and abs(piece.end[1] - piece.start[1]) <= 1e-12
        if level and not self._fades(k):
            return CylinderSurface(self._screw.frame, self._screw.radius + self._screw.side * piece.start[1])
        if not self._fades(k):
            edge = self._stations[k].rungs[self._loop.index(piece)][0].edge
            frame, turn = self._screw.turning(self._screw.frame.origin), self._stops[k + 1] - self._stops[k]
            return ScrewSurface(frame, self._screw.rise, edge.curve, (0.0, turn), (edge.t0, edge.t1))
        flat = Section(Plane((0.0, 0.0, 0.0), (0.0, 0.0, 1.0), (1.0, 0.0, 0.0)), (0.0, 0.0, 1.0))
        edge, _ = flat.edge(piece)
        profile = rational_curve(edge.curve, edge.t0, edge.t1)
        fits = self._fits(k, profile.controls[:, :2])
        controls = np.stack([fit.controls for fit in fits], axis=1)
        plain = bool((profile.weights == 1.0).all())
        weights = None if plain else np.repeat(profile.weights[None], len(controls), axis=0)
        return SplineSurface(
            (fits[0].degree, profile.degree), (fits[0].knots, profile.knots), controls, weights
        )

    def _walled(self, surface: Surface, at: Vec3, out: Vec3, ring: list[Coedge], item: str) -> Face:
        face = self._faced(surface, at, out, ring, item)
        face.remember(ONE_SIDED, self._screw.mouth)  # the depth is nought along the edges there only
        return face

    def _faced(self, surface: Surface, at: Vec3, out: Vec3, ring: list[Coedge], item: str) -> Face:
        return Face(surface, dot(surface.normal(at), out) > 0.0, (Loop(tuple(ring)),),
                    side_names(self._step, item))  # fmt: skip

    def _turned(self, ring: list[Coedge]) -> list[Coedge]:
        """A ring as seen from outside, given in the order that holds where the profile's normal is along the
        way."""
        if self._screw.side * self._screw.hand > 0.0:
            return ring
        return [Coedge(c.edge, not c.forward) for c in reversed(ring)]

    def _wall(self, k: int, j: int) -> Face:
        piece, here, there = self._loop[j], self._stations[k], self._stations[k + 1]
        ring = [
            *here.rungs[j],
            Coedge(self._rail(k, j + 1), True),
            *(Coedge(c.edge, not c.forward) for c in there.rungs[j]),
            Coedge(self._rail(k, j), False),
        ]
        surface = self._surface(k, piece)
        station = there if here.flat else here
        at, out = station.outward(piece)
        return self._walled(surface, at, out, self._turned(ring), piece.name)

    def _mouth(self, k: int) -> Face:
        here, there = self._stations[k], self._stations[k + 1]
        ring = [
            *here.rungs[0],
            Coedge(self._rail(k, 1), True),
            *(Coedge(c.edge, not c.forward) for c in reversed(there.rungs[0])),
            Coedge(self._rail(k, 0), False),
        ]
        at, out = here.outward(self._loop[0])
        return self._faced(self._surface(k, self._loop[0]), at, out, self._turned(ring), "mouth")

    def _cap(self, k: int) -> Face:
        station = self._stations[k]
        ring = [coedge for j in range(len(self._loop)) for coedge in station.rungs[j]]
        ahead = self._screw.side * self._screw.hand > 0.0  # the plane's normal runs along the way
        at_end = k > 0
        if ahead is not at_end:
            ring = [Coedge(c.edge, not c.forward) for c in reversed(ring)]
        return Face(
            PlaneSurface(station.plane), ahead is at_end, (Loop(tuple(ring)),), (FaceName(self._step, "end"),)
        )


class _Station:
    """The profile at a place of the groove, or, where that has come to nothing, the line of its mouth."""

    def __init__(self, plane: Plane, loop: list[Piece], flat: bool) -> None:
        self.plane, self._loop, self.flat = plane, loop, flat
        self._section = Section(plane, plane.normal)
        spots: list[Vec2] = [(piece.start[0], 0.0 if flat else piece.start[1]) for piece in loop]
        self.vertices = [self._section.vertex(spot) for spot in spots]

    @cached_property
    def rungs(self) -> list[list[Coedge]]:
        """For each piece its edges here; none for what has shrunk to a point."""
        if not self.flat:
            return [[Coedge(*self._section.edge(piece))] for piece in self._loop]
        walls = [self._line(j) for j in range(1, len(self._loop))]
        mouth = [Coedge(c.edge, not c.forward) for wall in reversed(walls) for c in wall]
        return [mouth, *walls]

    def _line(self, j: int) -> list[Coedge]:
        a, b = self.vertices[j], self.vertices[(j + 1) % len(self._loop)]
        long = distance(a.point, b.point)
        if a is b or long <= RESOLUTION:
            return []
        return [Coedge(Edge(Line(a.point, unit(sub(b.point, a.point))), 0.0, long, a, b), True)]

    def outward(self, piece: Piece) -> tuple[Vec3, Vec3]:
        """The middle of a piece, and the direction out of the profile there."""
        (x0, y0), (x1, y1) = piece.point(0.5 - 1e-4), piece.point(0.5 + 1e-4)
        tx, ty = x1 - x0, y1 - y0
        out = along(scaled(self.plane.x, ty), self.plane.y, -tx)
        return self.plane.point(*piece.point(0.5)), out
