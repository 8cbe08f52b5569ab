"""What a round swallows whole: edges without length, and faces without width, are taken out.

Two rounds that meet exactly leave a face of no width between them; its two edges become one.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import distance, dot
from .brep import Coedge, Edge, Face, Loop, Lump, Shell, Vertex
from .sets import Sets

SAMPLES = np.array([0.2, 0.5, 0.8])

Half = tuple[Edge, bool]


@dataclass(frozen=True)
class Collapsed:
    """The lumps that are left, and what has become of each face and edge: itself, a new one, or None."""

    lumps: tuple[Lump, ...]
    faces: dict[Face, Face | None]
    edges: dict[Edge, Edge | None]


def collapsed(lumps: Sequence[Lump], least: float = RESOLUTION) -> Collapsed:
    """The lumps without edges that have no length and faces that have no width: not more than `least`."""
    faces = [f for lump in lumps for shell in lump.shells for f in shell.faces]
    edges = dict.fromkeys(c.edge for face in faces for c in face.coedges())
    short = {edge for edge in edges if edge.length <= least}
    if not short and not any(_narrow_parts(_halves(face, set(), {}), least) for face in faces):
        return Collapsed(tuple(lumps), {face: face for face in faces}, {edge: edge for edge in edges})
    return _Collapser(faces, short, least).run(lumps)


class _Collapser:
    def __init__(self, faces: Sequence[Face], short: set[Edge], least: float) -> None:
        self._faces = faces
        self._short = short
        self._least = least
        self._same: dict[Edge, Half] = {}
        """Edges that have become another one, and whether they run its way."""
        self._vertices = _VertexSets(short)
        self._edges: dict[Edge, Edge] = {}

    def run(self, lumps: Sequence[Lump]) -> Collapsed:
        gone: set[Face] = set()
        while True:
            flat = False
            for face in self._faces:
                rings = [] if face in gone else _halves(face, self._short, self._same)
                if _has_no_width(rings, self._least):
                    gone.add(face)
                for pair in _narrow_parts(rings, self._least):
                    self._join(pair)
                    flat = True
            if not flat:
                break
        made = {face: None if face in gone else self._remade(face) for face in self._faces}
        return Collapsed(
            tuple(
                Lump(_shell(lump.outer, made), tuple(_shell(void, made) for void in lump.voids))
                for lump in lumps
            ),
            made,
            {edge: self._left(edge) for face in self._faces for edge in {c.edge for c in face.coedges()}},
        )

    def _left(self, edge: Edge) -> Edge | None:
        """What has become of an edge."""
        while edge in self._same:
            edge = self._same[edge][0]
        return None if edge in self._short else self._edge(edge)

    def _join(self, pair: tuple[Half, Half]) -> None:
        """Make two edges that lie on each other, and that a face runs along both ways, one."""
        (one, way), (two, other) = pair
        if one is two:
            return
        same_way = way is not other
        self._same[two] = (one, same_way)
        ends = (two.start, two.end) if same_way else (two.end, two.start)
        for a, b in zip((one.start, one.end), ends, strict=True):
            if a is not None and b is not None:
                self._vertices.join(a, b)

    def _remade(self, face: Face) -> Face:
        rings = _halves(face, self._short, self._same)
        loops = tuple(
            Loop(tuple(Coedge(self._edge(edge), way) for edge, way in ring)) for ring in rings if ring
        )
        same = len(loops) == len(face.loops) and all(
            [(c.edge, c.forward) for c in new.coedges] == [(c.edge, c.forward) for c in old.coedges]
            for new, old in zip(loops, face.loops, strict=True)
        )
        return face if same else Face(face.surface, face.outward, loops, face.names)

    def _edge(self, edge: Edge) -> Edge:
        """The edge with the vertices that are left."""
        if edge not in self._edges:
            start, end = (None if v is None else self._vertices.left(v) for v in (edge.start, edge.end))
            kept = start is edge.start and end is edge.end
            self._edges[edge] = edge if kept else Edge(edge.curve, edge.t0, edge.t1, start, end)
        return self._edges[edge]


class _VertexSets:
    """Vertices that have become one."""

    def __init__(self, short: Iterable[Edge]) -> None:
        self._number: dict[Vertex, int] = {}
        self._all: list[Vertex] = []
        self._pairs: list[tuple[int, int]] = []
        for edge in short:
            if edge.start is not None and edge.end is not None:
                self.join(edge.start, edge.end)

    def join(self, a: Vertex, b: Vertex) -> None:
        self._pairs.append((self._index(a), self._index(b)))

    def left(self, vertex: Vertex) -> Vertex:
        """The one of its set that is left."""
        if vertex not in self._number:
            return vertex
        sets = Sets(len(self._all))
        for a, b in self._pairs:
            sets.join(a, b)
        root = sets.find(self._number[vertex])
        return self._all[min(k for k in range(len(self._all)) if sets.find(k) == root)]

    def _index(self, vertex: Vertex) -> int:
        if vertex not in self._number:
            self._number[vertex] = len(self._all)
            self._all.append(vertex)
        return self._number[vertex]


def _halves(face: Face, short: set[Edge], same: dict[Edge, Half]) -> list[list[Half]]:
    """The loops of a face without edges of no length, edges that have become others replaced."""
    rings = []
    for loop in face.loops:
        ring = []
        for coedge in loop.coedges:
            edge, way = coedge.edge, coedge.forward
            while edge in same:
                edge, same_way = same[edge]
                way = way is same_way
            if edge not in short:
                ring.append((edge, way))
        rings.append(_without_returns(ring) if same else ring)
    return rings


def _without_returns(ring: list[Half]) -> list[Half]:
    """A ring that does not go along an edge and back at once."""
    left: list[Half] = []
    for edge, way in ring:
        if left and left[-1] == (edge, not way):
            left.pop()
        else:
            left.append((edge, way))
    while len(left) > 1 and left[0] == (left[-1][0], not left[-1][1]):
        left = left[1:-1]
    return left


def _has_no_width(rings: list[list[Half]], least: float) -> bool:
    """Whether a face has nothing left, or only pairs of edges on each other, run along both ways."""
    return bool(rings) and _pairs(rings, least) is not None


def _narrow_parts(rings: list[list[Half]], least: float) -> list[tuple[Half, Half]]:
    """The edges on each other that bound a face without width; else those along which a ring goes there and
    back at once."""
    if not rings:
        return []
    whole = _pairs(rings, least)
    if whole is not None:
        return whole
    found: dict[Edge, tuple[Half, Half]] = {}
    for ring in rings:
        for one, two in zip(ring, [*ring[1:], *ring[:1]], strict=True):
            met = one[0] in found or two[0] in found
            if one[0] is not two[0] and not met and _back_on(one, two, least):
                found |= dict.fromkeys((one[0], two[0]), (one, two))
    return list(dict.fromkeys(found.values()))


def _pairs(rings: list[list[Half]], least: float) -> list[tuple[Half, Half]] | None:
    """The edges of a face in pairs that lie on each other and that it runs along both ways; None where some
    have no partner."""
    left = [half for ring in rings for half in ring]
    found = []
    while left:
        one = left.pop()
        k = next((k for k, other in enumerate(left) if _back_on(one, other, least)), None)
        if k is None:
            return None
        found.append((left.pop(k), one))
    return found


def _back_on(half: Half, back: Half, least: float) -> bool:
    """Whether two edges lie on each other, and run opposite ways."""
    (one, way), (two, other) = half, back
    if one is two:
        return way is not other
    if one.is_closed is not two.is_closed or abs(one.length - two.length) > 10.0 * least:
        return False
    if not one.is_closed and _ends_apart(one, two) > 10.0 * least:
        return False
    t = two.t0 + SAMPLES * (two.t1 - two.t0)
    for point, tangent in zip(two.curve.points(t).tolist(), two.curve.derivatives(t).tolist(), strict=True):
        s = one.curve.parameter((point[0], point[1], point[2]))
        foot = one.curve.points(np.array([s]))[0]
        if np.linalg.norm(foot - np.array(point)) > least:
            return False
        along = dot(one.curve.tangent(s), (tangent[0], tangent[1], tangent[2])) > 0.0
        if along is (way is other):
            return False
    return True


def _ends_apart(one: Edge, two: Edge) -> float:
    """How far the ends of two edges are from each other, at least one pair of them."""
    (a, b), (c, d) = one.end_points(), two.end_points()
    return min(max(distance(a, c), distance(b, d)), max(distance(a, d), distance(b, c)))


def _shell(shell: Shell, made: dict[Face, Face | None]) -> Shell:
    return Shell(tuple(new for face in shell.faces if (new := made[face]) is not None))
