"""Imprinting two bodies on each other: every face learns all curves that run over it.

1. Pairs of faces whose boxes meet; how their surfaces meet. 2. Hits of the edges of each with the
faces of the other, once per edge and face; those that lie in the face become nodes. 3. Intersection curves
cut at the nodes; the parts that lie in both faces are kept. 4. Edges cut at every node that lies on
them. 5. Parts that lie on each other made one.
"""

from __future__ import annotations

import itertools
import math
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from itertools import chain

import numpy as np

from ...errors import ModellingError
from ...geometry.contacts import NOTHING, SAME, Intersection
from ...geometry.curve import Curve
from ...geometry.curve_surface import curve_surface_intersections
from ...geometry.curves import Circle, Line
from ...geometry.intersections import intersection
from ...geometry.placement import FloatArray, Plane
from ...geometry.surface import Surface
from ...geometry.surfaces import CylinderSurface, PlaneSurface
from ...geometry.tolerance import RESOLUTION
from ...geometry.vector import Vec3, cross, distance, dot, norm
from ...topology.boxes import beside_plane, may_hit, outer_box, overlapping
from ...topology.brep import ONE_SIDED, Edge, Face, Vertex
from ...topology.trim import INSIDE, ON, OUTSIDE, UNCLEAR, region_of
from .fragments import NEAR, Cut, Fragment, FragmentTable, Nodes, divided, gap_to
from .touches import intersection_in, touching_places, touching_points

LOOSE = 5.0 * NEAR
FAR = 1e9
"""How far curves without an end are looked at, in parameters."""

"""A hit is looked for on the intersection curve this near; where surfaces meet at a shallow angle it is
off."""

FIRM = 1e-2
"""A hit at a larger angle (its sine) is where it is computed to be."""

ASIDE = 0.02
"""A little way along an edge, as a share of its range."""

Part = tuple[Fragment, bool]
"""A fragment and whether it runs along the edge that it is a part of."""


@dataclass(slots=True)
class Imprint:
    """What imprinting found. parts : of every edge, from its start to its end. inner : fragments in the
    inside of each face. same : faces of the other body on the same surface, near each face. touches :
    places where faces of the two touch. vertices : of the bodies, in the very places of their nodes."""

    nodes: Nodes
    parts: dict[Edge, list[Part]]
    inner: dict[Face, list[Fragment]]
    same: dict[Face, list[Face]]
    touches: list[Vec3]
    vertices: dict[int, Vertex]


@dataclass(frozen=True, slots=True)
class _Hit:
    """Where an edge meets a face: at parameter `t`; firmly, or at so small an angle that it is not sure.
    parting : how far a little way off the edge is from the surface, where it is not sure."""

    edge: Edge
    face: Face
    t: float
    point: Vec3
    is_firm: bool
    parting: float


@dataclass(slots=True)
class _Span:
    """A part of a intersection curve between two nodes that may lie in both faces."""

    curve: Curve
    t0: float
    t1: float
    a: int
    b: int
    one: Face
    two: Face
    states: list[int] = field(default_factory=lambda: [OUTSIDE, OUTSIDE])

    @property
    def middle(self) -> Vec3:
        return self.curve.point(0.5 * (self.t0 + self.t1))


class Imprinter:
    """Imprints the faces of two bodies on each other."""

    def __init__(self, one: Sequence[Face], two: Sequence[Face]) -> None:
        self._faces = (list(one), list(two))
        self._nodes = Nodes()
        self._vertex: dict[Vertex, int] = {}
        self._cuts: dict[Edge, list[Cut]] = defaultdict(list)
        self._hits: dict[tuple[Edge, Face], list[int]] = {}
        self._lying: list[tuple[Edge, Face]] = []
        self._same: dict[Face, list[Face]] = defaultdict(list)
        self._edges = {face: [c.edge for c in face.coedges()] for face in (*one, *two)}

    def run(self) -> Imprint:
        pairs = self._pairs()
        intersections = self._intersections(pairs)
        self._place_crossings(intersections)
        self._find_hits(pairs)
        self._cross_lying()
        spans = self._spans(intersections)
        self._cut_at_nodes({e for pair in pairs for f in pair for e in self._edges[f]})
        table = FragmentTable()
        parts = self._parts(table)
        inner: dict[Face, list[Fragment]] = defaultdict(list)
        self._place_spans(spans, table, inner)
        self._place_lying(parts, inner)
        touches: list[Vec3] = []
        for (a, b), met in intersections.items():
            touches += [p for curve in met.touches for p in touching_places(curve, a, b)]
            touches += touching_points(met.points, a, b)
        return Imprint(self._nodes, parts, dict(inner), dict(self._same), touches, self._kept_vertices())

    # ------------------------------------------------------------------ pairs

    def _pairs(self) -> list[tuple[Face, Face]]:
        boxes = [np.array([outer_box(f) for f in faces]) for faces in self._faces]
        found = np.array(overlapping(boxes[0], boxes[1]), dtype=np.intp).reshape(-1, 2)
        for mine, other in ((0, 1), (1, 0)):  # boxes of faces that lean are larger than these
            origins, normals = _planes_of(self._faces[mine])
            which = found[:, mine]
            found = found[~beside_plane(boxes[other][found[:, other]], origins[which], normals[which])]
        return [(self._faces[0][i], self._faces[1][j]) for i, j in found.tolist()]

    def _intersections(self, pairs: Sequence[tuple[Face, Face]]) -> dict[tuple[Face, Face], Intersection]:
        """How the surfaces of pairs of faces meet; those in one surface come first, as the edges around them
        are contacts that need not be searched for."""
        found = {pair: intersection(pair[0].surface, pair[1].surface) for pair in pairs}
        for (one, two), met in found.items():
            if met is SAME:
                self._same[one].append(two)
                self._same[two].append(one)
        users: dict[Edge, list[Face]] = defaultdict(list)
        for face, edges in self._edges.items():
            for edge in edges:
                users[edge].append(face)
        for pair, met in found.items():
            if met is None:
                known = self._known(*pair, users)
                apart = any(
                    beyond.surface is face.recalled(ONE_SIDED)
                    for face, edges in known.items() for edge in edges for beyond in users[edge]
                )  # fmt: skip
                found[pair] = NOTHING if apart else intersection_in(*pair, list(chain(*known.values())))
        return {pair: met for pair, met in found.items() if met is not None}

    def _known(self, one: Face, two: Face, users: dict[Edge, list[Face]]) -> dict[Face, list[Edge]]:
        """Edges of either face beyond which its body goes on in the surface of the other."""
        found: dict[Face, list[Edge]] = {}
        for face, other in ((one, two), (two, one)):
            same = self._same.get(other, ())
            edges = [edge for edge in self._edges[face] if any(beyond in same for beyond in users[edge])]
            if edges:
                found[face] = edges
        return found

    def _place_crossings(self, intersections: dict[tuple[Face, Face], Intersection]) -> None:
        """Nodes where the curves of two surfaces cross each other: there an edge only touches a surface, and
        its own hit would be known less well."""
        for pair, met in intersections.items():
            for p in met.nodes:
                if all(_states(face, [p]) != [OUTSIDE] for face in pair):
                    self._nodes.at(p)

    # ------------------------------------------------------------------ hits

    def _find_hits(self, pairs: Iterable[tuple[Face, Face]]) -> None:
        """Hits of edges with faces; those in the face become nodes and cut the edge."""
        found: dict[Face, list[tuple[Edge, float, Vec3]]] = defaultdict(list)
        for one, two in pairs:
            for face, other in ((one, two), (two, one)):
                box = outer_box(other)
                for edge in self._edges[face]:
                    if (edge, other) in self._hits or not _meet(edge.bounds, box):
                        continue
                    self._hits[edge, other] = []
                    if may_hit(edge, other):
                        found[other] += self._hits_of(edge, other)
        valid: list[_Hit] = []
        for other, hits in found.items():
            states = _states(other, [p for _, _, p in hits])
            for (edge, t, p), state in zip(hits, states, strict=True):
                if state != OUTSIDE:
                    slope = dot(edge.curve.tangent(t), other.surface.normal(p))
                    firm = abs(slope) > FIRM
                    parting = 0.0 if firm else _parting(edge, t, other.surface)
                    valid.append(_Hit(edge, other, t, p, firm, parting))
        for hit in sorted(valid, key=lambda h: (not h.is_firm, -h.parting)):
            self._add_hit(hit)

    def _snapped(self, edge: Edge, t: float, p: Vec3, surface: Surface) -> tuple[float, Vec3]:
        """A touch is not well defined along its edge: where a node found firmly lies on the edge, and the
        edge stays on the surface up to there, the touch is at that node."""
        best, least = (t, p), math.inf
        reach = 0.25 * edge.length
        for q in self._nodes.points:
            away = distance(q, p)
            if NEAR < away < min(reach, least) and abs(surface.gap(q)) <= NEAR:
                gap, s = gap_to(edge.curve, edge.t0, edge.t1, q)
                if gap <= NEAR and all(
                    abs(surface.gap(edge.curve.point(t + k * (s - t) / 6))) <= NEAR for k in range(1, 6)
                ):
                    best, least = (s, q), away
        return best

    def _hits_of(self, edge: Edge, face: Face) -> list[tuple[Edge, float, Vec3]]:
        ends = edge.t0, edge.t1, edge.is_closed
        turns = curve_surface_intersections(edge.curve, *ends, face.surface, outer_box(face))
        if turns is None:
            self._lying.append((edge, face))
            turns = [] if edge.is_closed else [edge.t0, edge.t1]
        return [(edge, t, edge.curve.point(t)) for t in turns]

    def _add_hit(self, hit: _Hit) -> None:
        edge, t, p = hit.edge, hit.t, hit.point
        node = self._end_node(edge, p)
        if node is None and not hit.is_firm:
            t, p = self._snapped(edge, t, p, hit.face.surface)
            node = self._end_node(edge, p)
        if node is None:
            node = self._nodes.at(p)
            self._cuts[edge].append((t, node))
        self._hits[edge, hit.face].append(node)

    def _end_node(self, edge: Edge, p: Vec3) -> int | None:
        """The node of the edge's vertex at a place, if one is there."""
        for vertex in (edge.start, edge.end):
            if vertex is not None and distance(vertex.point, p) <= NEAR:
                return self._node_of(vertex)
        return None

    def _node_of(self, vertex: Vertex) -> int:
        if vertex not in self._vertex:
            self._vertex[vertex] = self._nodes.at(vertex.point)
        return self._vertex[vertex]

    def _kept_vertices(self) -> dict[int, Vertex]:
        """A vertex of the bodies for every node that has one in its very place."""
        kept: dict[int, Vertex] = {}
        for vertex, node in self._vertex.items():
            if vertex.point == self._nodes.points[node]:
                kept.setdefault(node, vertex)
        return kept

    def _cross_lying(self) -> None:
        """Where an edge that lies in the surface of a face crosses that face's edges along the surface."""
        for edge, face in self._lying:
            for border in self._edges[face]:
                if not _meet(edge.bounds, border.bounds):
                    continue
                wall = _wall_through(border, face.surface)
                if wall is None:
                    continue
                for t in (
                    curve_surface_intersections(edge.curve, edge.t0, edge.t1, edge.is_closed, wall) or ()
                ):
                    p = edge.curve.point(t)
                    if abs(dot(edge.curve.tangent(t), wall.normal(p))) <= FIRM:
                        t, p = self._snapped(edge, t, p, wall)
                    gap, s = gap_to(border.curve, border.t0, border.t1, p)
                    if gap <= NEAR:
                        node = self._end_node(edge, p)
                        if node is None:
                            node = self._nodes.at(p)
                            self._cuts[edge].append((t, node))
                        if self._end_node(border, p) is None:
                            self._cuts[border].append((s, node))

    # ------------------------------------------------------------------ intersection curves

    def _spans(self, intersections: dict[tuple[Face, Face], Intersection]) -> list[_Span]:
        """The parts of intersection curves that lie in both faces."""
        spans: list[_Span] = []
        for (one, two), met in intersections.items():
            if met.curves:
                nodes = self._nodes_of_pair(one, two, met)
                for curve in met.curves:
                    spans += self._between(curve, nodes, one, two)
        by_face: dict[Face, list[tuple[_Span, int]]] = defaultdict(list)
        for span in spans:
            by_face[span.one].append((span, 0))
            by_face[span.two].append((span, 1))
        for face, users in by_face.items():
            states = _states(face, [span.middle for span, _ in users])
            for (span, side), state in zip(users, states, strict=True):
                span.states[side] = state
        return [s for s in spans if OUTSIDE not in s.states and s.states != [ON, ON]]

    def _nodes_of_pair(self, one: Face, two: Face, met: Intersection) -> list[int]:
        nodes = [n for e in self._edges[one] for n in self._hits.get((e, two), ())]
        nodes += [n for e in self._edges[two] for n in self._hits.get((e, one), ())]
        for p in met.nodes:
            known = self._nodes.find(p)
            if known is not None:
                nodes.append(known)
        return list(dict.fromkeys(nodes))

    def _between(self, curve: Curve, nodes: Sequence[int], one: Face, two: Face) -> list[_Span]:
        low, high, closed = _range_of(curve)
        cuts: list[Cut] = []
        for node in nodes:
            gap, t = gap_to(curve, low, high, self._nodes.points[node])
            if gap <= LOOSE:
                cuts += [(s, node) for s in _both_ends(curve, t, low, high)]
        if closed:
            pieces = divided(low, high, True, cuts, ())
        else:
            cuts.sort()
            pieces = [
                (s, t, a, b) for (s, a), (t, b) in itertools.pairwise(cuts) if a != b or (s, t) == (low, high)
            ]
        return [_Span(curve, s, t, a, b, one, two) for s, t, a, b in pieces]

    # ------------------------------------------------------------------ fragments

    def _cut_at_nodes(self, edges: Iterable[Edge]) -> None:
        """Cut edges at every node that lies on them, whatever it comes from."""
        if not self._nodes.points:
            return
        points = np.array(self._nodes.points)
        for edge in edges:
            low, high = edge.bounds[0] - NEAR, edge.bounds[1] + NEAR
            known = {n for _, n in self._cuts.get(edge, ())}
            for node in np.flatnonzero(((points >= low) & (points <= high)).all(axis=1)).tolist():
                p = self._nodes.points[node]
                if node in known or self._end_node(edge, p) is not None:
                    continue
                gap, t = gap_to(edge.curve, edge.t0, edge.t1, p)
                if gap <= NEAR:
                    self._cuts[edge].append((t, node))

    def _parts(self, table: FragmentTable) -> dict[Edge, list[Part]]:
        parts: dict[Edge, list[Part]] = {}
        for face in (*self._faces[0], *self._faces[1]):
            for edge in self._edges[face]:
                if edge not in parts:
                    parts[edge] = self._parts_of(edge, table)
        return parts

    def _parts_of(self, edge: Edge, table: FragmentTable) -> list[Part]:
        ends: tuple[int, ...] = ()
        if edge.start is not None and edge.end is not None:
            ends = (self._node_of(edge.start), self._node_of(edge.end))
        found = []
        for t0, t1, a, b in divided(edge.t0, edge.t1, edge.is_closed, self._cuts.get(edge, ()), ends):
            fragment, forward = table.add(edge.curve, t0, t1, a, b, edge)
            fragment.edges.append(edge)
            found.append((fragment, forward))
        return found

    def _place_spans(
        self, spans: Sequence[_Span], table: FragmentTable, inner: dict[Face, list[Fragment]]
    ) -> None:
        points = np.array(self._nodes.points) if self._nodes.points else np.zeros((0, 3))
        for span in spans:
            for t0, t1, a, b in self._cut_span(span, points):
                fragment, _ = table.add(span.curve, t0, t1, a, b)
                for face, state in zip((span.one, span.two), span.states, strict=True):
                    if state == INSIDE and face not in fragment.inside:
                        fragment.inside.append(face)
                        inner[face].append(fragment)

    def _cut_span(self, span: _Span, points: FloatArray) -> list[tuple[float, float, int, int]]:
        """The span cut at nodes that lie on it."""
        t = np.linspace(span.t0, span.t1, 17)
        places = span.curve.points(t)
        slack = NEAR + 0.25 * float(np.linalg.norm(np.diff(places, axis=0), axis=1).max())
        low, high = places.min(axis=0) - slack, places.max(axis=0) + slack
        cuts = []
        for node in np.flatnonzero(((points >= low) & (points <= high)).all(axis=1)).tolist():
            if node in (span.a, span.b):
                continue
            gap, s = gap_to(span.curve, span.t0, span.t1, self._nodes.points[node])
            if gap <= NEAR:
                cuts.append((s, node))
        return divided(span.t0, span.t1, span.a < 0, cuts, (span.a, span.b))

    def _place_lying(self, parts: dict[Edge, list[Part]], inner: dict[Face, list[Fragment]]) -> None:
        """Parts of edges that run over faces of the other body."""
        by_face: dict[Face, list[Fragment]] = defaultdict(list)
        for edge, face in self._lying:
            own = set(self._edges[face])
            by_face[face] += [f for f, _ in parts[edge] if face not in f.inside and own.isdisjoint(f.edges)]
        for face, fragments in by_face.items():
            if not fragments:
                continue
            states = _states(face, [f.middle for f in fragments])
            for fragment, state in zip(fragments, states, strict=True):
                if state == INSIDE and face not in fragment.inside:
                    fragment.inside.append(face)
                    inner[face].append(fragment)


def _states(face: Face, points: Sequence[Vec3]) -> list[int]:
    """INSIDE, ON or OUTSIDE of points on a face's surface. Raises ModellingError where that is not clear."""
    places = np.array(points).reshape(-1, 3)
    on = np.ones(len(places), dtype=bool)
    if face.surface.ends_somewhere:  # a curve may have gone on beyond it
        feet = face.surface.points(face.surface.parameters(places))
        on = np.linalg.norm(feet - places, axis=1) <= 100.0 * NEAR
    found = np.full(len(places), OUTSIDE, dtype=np.intp)
    found[on] = region_of(face).states(places[on])
    states: list[int] = found.tolist()
    if UNCLEAR in states:
        x, y, z = points[states.index(UNCLEAR)]
        raise ModellingError(f"it is not clear whether ({x:.6g}, {y:.6g}, {z:.6g}) lies in a face")
    return states


def _planes_of(faces: Sequence[Face]) -> tuple[FloatArray, FloatArray]:
    """Origins and normals of the planes of faces, (N, 3) each; nought for those that are not flat."""
    planes = [face.surface.plane for face in faces]
    nought = (0.0, 0.0, 0.0)
    return (
        np.array([nought if plane is None else plane.origin for plane in planes]).reshape(-1, 3),
        np.array([nought if plane is None else plane.normal for plane in planes]).reshape(-1, 3),
    )


def _parting(edge: Edge, t: float, surface: Surface) -> float:
    """How far an edge is from a surface a little way from where it touches it: the less, the less sure is
    where that is."""
    off = ASIDE * (edge.t1 - edge.t0)
    sides = (s for s in (t - off, t + off) if edge.is_closed or edge.t0 <= s <= edge.t1)
    return max(abs(surface.gap(edge.curve.point(s))) for s in sides)


def _meet(one: FloatArray, two: FloatArray) -> bool:
    (low, high), (bottom, top) = one.tolist(), two.tolist()
    return all(low[k] <= top[k] + NEAR and high[k] >= bottom[k] - NEAR for k in range(3))


def _range_of(curve: Curve) -> tuple[float, float, bool]:
    """The whole parameter range, and whether the curve is closed."""
    low, high = curve.domain
    return max(low, -FAR), min(high, FAR), curve.period > 0.0


def _both_ends(curve: Curve, t: float, low: float, high: float) -> tuple[float, ...]:
    """The parameter itself, or both of the ends of a curve that meet at an angle there."""
    if curve.period or math.isinf(curve.domain[0]):
        return (t,)
    p, ends = curve.point(t), (low, high)
    return ends if all(distance(p, curve.point(end)) <= LOOSE for end in ends) else (t,)


def _wall_through(border: Edge, surface: Surface) -> Surface | None:
    """A surface that crosses `surface` at right angles along a straight or circular edge."""
    curve = border.curve
    if isinstance(curve, Line):
        way = cross(curve.direction, surface.normal(border.midpoint()))
        return PlaneSurface(Plane(curve.origin, way, curve.direction)) if norm(way) > RESOLUTION else None
    if isinstance(curve, Circle):
        return CylinderSurface(curve.frame, curve.radius)
    return None
