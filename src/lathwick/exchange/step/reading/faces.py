"""Faces of ISO 10303-42 as they stand in a file: surfaces, and loops of uses of edges."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from ....errors import ExchangeError
from ....geometry.curve import Curve
from ....geometry.curves import Line
from ....geometry.surface import Surface
from ....geometry.vector import Vec3, distance, sub, unit
from .chains import Piece, between, read_chain, turned
from .curves import read_curve
from .source import Source
from .surfaces import read_surface

NEAR = 1e-6
"""Ends of a curve so near to each other are one."""

NO_VERTEX = -(10**15)
"""Corners without a vertex in the file have numbers below this."""

NEAREST = 1e-7
"""An edge shorter than this is a point: a pole, or nothing."""


@dataclass(frozen=True, eq=False)
class RawEdge:
    """A piece of curve from parameter t0 to t1 > t0 between two corners, by number."""

    curve: Curve
    t0: float
    t1: float
    start: int
    end: int

    def point(self, share: float) -> Vec3:
        return self.curve.point(self.t0 + share * (self.t1 - self.t0))


@dataclass(frozen=True, eq=False)
class RawUse:
    """An edge as a loop uses it."""

    edge: RawEdge
    forward: bool

    @property
    def start(self) -> int:
        return self.edge.start if self.forward else self.edge.end

    @property
    def end(self) -> int:
        return self.edge.end if self.forward else self.edge.start

    def turned(self) -> RawUse:
        return RawUse(self.edge, not self.forward)


@dataclass(frozen=True, eq=False)
class RawFace:
    """A surface, whether its normal looks out, loops, and a name."""

    surface: Surface
    outward: bool
    loops: tuple[tuple[RawUse, ...], ...]
    name: str

    def turned(self) -> RawFace:
        """The face with its other side out."""
        loops = tuple(tuple(use.turned() for use in reversed(loop)) for loop in self.loops)
        return RawFace(self.surface, not self.outward, loops, self.name)


class FaceReader:
    """Reads the faces of a solid; corners, by number of their VERTEX_POINT, are in `corners`. Solids may have
    edges in common in the file: each has its own here."""

    def __init__(self, source: Source) -> None:
        self._source = source
        self.corners: dict[int, Vec3] = {}
        self._edges_of: dict[int, list[RawUse]] = {}

    def shell(self, number: int) -> list[RawFace]:
        """The faces of a closed shell, oriented or not."""
        text, source = self._source.text, self._source
        oriented = text.part(number, "ORIENTED_CLOSED_SHELL")
        if oriented is not None:
            inner = source.ref(oriented[2], number, "a shell")
            faces = self.shell(inner)
            return faces if source.flag(oriented[3], number, "orientation") else [f.turned() for f in faces]
        for name in ("CLOSED_SHELL", "OPEN_SHELL", "CONNECTED_FACE_SET"):
            values = text.part(number, name)
            if values is not None:
                members = values[1] if len(values) > 1 else values[0]
                return [self._face(n) for n in source.refs(members, number, "faces")]
        raise ExchangeError(f"#{number}: expected a CLOSED_SHELL, got {text.kind(number)}")

    def _face(self, number: int) -> RawFace:
        text, source = self._source.text, self._source
        oriented = text.part(number, "ORIENTED_FACE")
        if oriented is not None and len(oriented) > 3:
            face = self._face(source.ref(oriented[2], number, "a face"))
            return face if source.flag(oriented[3], number, "orientation") else face.turned()
        names = ("ADVANCED_FACE", "FACE_SURFACE")
        values = next((v for v in (text.part(number, name) for name in names) if v is not None), None)
        if values is None:
            raise ExchangeError(f"#{number}: a face of the kind {text.kind(number)} cannot be read")
        if len(values) < 4:
            if len(values) < 3:
                raise ExchangeError(f"#{number}: a face of {len(values)} values, not 4")
            values = ["", *values]
        name, bounds, surface, same = values[:4]
        found = read_surface(source, source.ref(surface, number, "a surface"))
        loops = [self._bound(n) for n in source.refs(bounds, number, "bounds")]
        outward = source.flag(same, number, "same_sense") is found.same
        return RawFace(found.surface, outward, tuple(tuple(loop) for loop in loops if loop), str(name or ""))

    def _bound(self, number: int) -> list[RawUse]:
        text, source = self._source.text, self._source
        names = ("FACE_OUTER_BOUND", "FACE_BOUND")
        values = next((v for v in (text.part(number, name) for name in names) if v is not None), None)
        if values is None or len(values) < 3:
            raise ExchangeError(f"#{number}: expected a FACE_BOUND, got {text.kind(number)}")
        loop = self._loop(source.ref(values[-2], number, "a loop"))
        if source.flag(values[-1], number, "orientation"):
            return loop
        return [use.turned() for use in reversed(loop)]

    def _loop(self, number: int) -> list[RawUse]:
        text, source = self._source.text, self._source
        if text.part(number, "VERTEX_LOOP") is not None:
            return []
        polygon = text.part(number, "POLY_LOOP")
        if polygon is not None:
            return self._polygon(source.refs(polygon[-1], number, "points"))
        edges = source.values(number, "EDGE_LOOP", 1)[-1]
        return [use for n in source.refs(edges, number, "edges") for use in self._uses(n)]

    def _polygon(self, points: list[int]) -> list[RawUse]:
        uses = []
        for a, b in zip(points, [*points[1:], points[0]], strict=True):
            self.corners[-a], self.corners[-b] = self._source.point(a), self._source.point(b)
            if distance(self.corners[-a], self.corners[-b]) > NEAREST:
                uses.append(RawUse(self._straight(-a, -b), True))
        return uses

    def _straight(self, a: int, b: int) -> RawEdge:
        p, q = self.corners[a], self.corners[b]
        return RawEdge(Line(p, unit(sub(q, p))), 0.0, distance(p, q), a, b)

    def _uses(self, number: int) -> list[RawUse]:
        values = self._source.values(number, "ORIENTED_EDGE", 5)
        edges = self._edges(self._source.ref(values[3], number, "an edge"))
        if self._source.flag(values[4], number, "orientation"):
            return edges
        return [use.turned() for use in reversed(edges)]

    def _edges(self, number: int) -> list[RawUse]:
        """An edge as the file's runs: one, several on a curve of several pieces, none if it is a point."""
        if number not in self._edges_of:
            self._edges_of[number] = self._made_edges(number)
        return self._edges_of[number]

    def _made_edges(self, number: int) -> list[RawUse]:
        source = self._source
        start, end, geometry, same = self._edge_values(number)
        a, b = (self._corner(source.ref(v, number, "a vertex")) for v in (start, end))
        forward = source.flag(same, number, "same_sense")
        basis = source.ref(geometry, number, "a curve")
        chain = read_chain(source, basis)
        if chain is not None:
            return self._chained(chain if forward else turned(chain), a, b, number)
        made = self._made_edge(number, read_curve(source, basis), (a, b), forward)
        return [] if made is None else [RawUse(*made)]

    def _edge_values(self, number: int) -> list[Any]:
        """Start, end, curve and sense of an edge, or of a piece of one."""
        source = self._source
        if source.text.part(number, "SUBEDGE") is None:
            return source.values(number, "EDGE_CURVE", 5)[1:5]
        _, start, end, whole = source.values(number, "SUBEDGE", 4)[:4]
        parent = source.values(source.ref(whole, number, "an edge"), "EDGE_CURVE", 5)
        return [start, end, *parent[3:5]]

    def _chained(self, chain: list[Piece], a: int, b: int, number: int) -> list[RawUse]:
        pieces = [piece for piece in between(chain, self.corners[a], self.corners[b], number)
                  if distance(piece.start, piece.end) > NEAREST or piece.curve.kind != "line"]  # fmt: skip
        joints = [a, *(self._new_corner(piece.end) for piece in pieces[:-1]), b]
        uses = []
        for piece, first, last in zip(pieces, joints, joints[1:], strict=False):
            if isinstance(piece.curve, Line):
                uses.append(RawUse(self._straight(first, last), True))
            else:
                ends = (first, last) if piece.forward else (last, first)
                uses.append(RawUse(RawEdge(piece.curve, piece.t0, piece.t1, *ends), piece.forward))
        return uses

    def _new_corner(self, place: Vec3) -> int:
        """A corner that has no vertex in the file."""
        number = NO_VERTEX - len(self.corners)
        self.corners[number] = place
        return number

    def _made_edge(
        self, number: int, curve: Curve, corners: tuple[int, int], forward: bool
    ) -> tuple[RawEdge, bool] | None:
        """An edge on one curve, and whether it runs as the file's; None for one that is a point."""
        a, b = corners
        p, q = self.corners[a], self.corners[b]
        low, high = curve.domain
        if isinstance(curve, Line):
            if distance(p, q) <= NEAREST:
                return None
            return self._straight(a, b), True
        if a == b or distance(p, q) <= NEAREST:
            if _is_tiny(curve):
                return None
            if not curve.period and distance(curve.point(low), curve.point(high)) > NEAR:
                raise ExchangeError(f"#{number}: the edge ends where it starts, on an open curve")
            t = curve.parameter(p) if curve.period else low
            whole = RawEdge(curve, t, t + (curve.period or high - low), a, a)
            return whole, forward
        ends = (a, b) if forward else (b, a)
        t0, t1 = (curve.parameter(self.corners[c]) for c in ends)
        t0, t1 = self._in_order(curve, t0, t1)
        if not t1 > t0:
            raise ExchangeError(f"#{number}: the edge runs against its curve")
        return RawEdge(curve, t0, t1, *ends), forward

    @staticmethod
    def _in_order(curve: Curve, t0: float, t1: float) -> tuple[float, float]:
        """The parameters of the ends of an edge, so that the second is the larger one where that can be."""
        low, high = curve.domain
        if curve.period:
            return t0, t0 + ((t1 - t0) % curve.period or curve.period)
        endless = math.isinf(low) or math.isinf(high)
        if t1 <= t0 and not endless and distance(curve.point(low), curve.point(high)) < NEAR:
            room = 1e-9 * (high - low)
            if high - t0 <= room:
                t0 = low
            elif t1 - low <= room:
                t1 = high
        return t0, t1

    def _corner(self, number: int) -> int:
        if number not in self.corners:
            values = self._source.values(number, "VERTEX_POINT", 2)
            self.corners[number] = self._source.point(self._source.ref(values[1], number, "a point"))
        return number


def _is_tiny(curve: Curve) -> bool:
    low, high = curve.domain
    points: Any = curve.points(np.linspace(low, high, 5))
    return bool(np.ptp(points, axis=0).max() <= NEAR)
