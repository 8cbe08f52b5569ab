"""Faces moved to other surfaces: vertices and edges are found anew where the surfaces now meet.

The faces keep their neighbours, but where more than three that met in one vertex no longer do. What loses its
length or its width is taken out; where faces would have to get other neighbours, that is refused.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from ...errors import ModellingError
from ...geometry.canal import CanalSurface
from ...geometry.contacts import SAME
from ...geometry.curve import Curve
from ...geometry.curves import Circle, Line
from ...geometry.intersections import intersection
from ...geometry.placement import Plane
from ...geometry.spline import FittedCurve
from ...geometry.surface import Surface
from ...geometry.tolerance import RESOLUTION, SMOOTH
from ...geometry.vector import Vec3, add, cross, distance, dot, norm, scaled, sub
from ...topology.body import Body
from ...topology.brep import Coedge, Edge, Face, Loop, Lump, Shell, Vertex
from ...topology.collapse import collapsed
from ...topology.sets import Sets
from ..boolean.regrouping import with_whole_faces
from ..refitting.collisions import refuse_collisions
from ..refitting.crossing_loops import refuse_crossing_loops
from ..refitting.errors import TooLargeError
from ..refitting.meeting import closest, exact_between, hit_near
from ..refitting.sides import sides_of, turn_at
from ..refitting.wedges import Wedge, stars_at
from .following import beside, carried
from .vertex_splitting import Parted, common_point

OFF = 1e-3 * RESOLUTION
STEEP = 0.01
"""Contacts that cross at a larger angle than this (its sine) have one corner."""

SPREAD = 4.0
"""Corners are looked for within some steps of so many times as far as their faces move."""

NO_LONGER_SMOOTH = "two faces that met smoothly no longer do; move both of them alike"

Moved = Mapping[Face, tuple[Surface, bool]]
"""Faces that move: the new surface, and whether its normal looks out of the body."""


def resurfaced(body: Body, moved: Moved, swallowed: Sequence[Face] = ()) -> Body:
    """The body with some faces on other surfaces.

    swallowed : rounds that go: their neighbours then meet each other.

    Raises TooLargeError where a face or an edge would turn over, or a face would run into another, and
    ModellingError where surfaces no longer meet.
    """
    lumps = _Resurfacer(body, moved, swallowed).run()
    left = collapsed(lumps)
    known = set(body.brep_faces)
    new = [f for lump in left.lumps for shell in lump.shells for f in shell.faces if f not in known]
    refuse_crossing_loops(new)
    made = Body.made(left.lumps, body.unit)
    refuse_collisions(left.lumps, [(face, None) for face in new])
    return with_whole_faces(made)


class _ApartError(ModellingError):
    """Faces that no longer meet in one point."""


class _Resurfacer:
    def __init__(self, body: Body, moved: Moved, swallowed: Sequence[Face]) -> None:
        self._body = body
        self._moved = moved
        self._swallowed = set(swallowed)
        for face in swallowed:
            if not any(self._is_smooth(coedge.edge) for coedge in face.coedges()):
                raise TooLargeError("a face that is no round would lose its size", face)
        self._across = {edge for face in swallowed for edge in self._ends_of(face)}
        self._beside = {face: self._neighbours_along(face) for face in swallowed}
        self._vertices: dict[Vertex, Vertex] = {}
        self._parted = Parted()
        self._edges: dict[Edge, Coedge] = {}
        self._contacts: dict[Edge, Curve | None] = {}

    def run(self) -> list[Lump]:
        self._move_vertices()
        for edge, uses in self._body.faces_of_edge.items():
            self._edges[edge] = self._edge(edge, sides_of(uses))
        return [
            Lump(self._shell(lump.outer), tuple(self._shell(void) for void in lump.voids))
            for lump in self._body.pieces
        ]

    def _surface(self, face: Face) -> Surface:
        return self._moved[face][0] if face in self._moved else face.surface

    # -------------------------------------------------------------- vertices

    def _neighbours_along(self, face: Face) -> list[Face]:
        """The faces that a swallowed round joins smoothly."""
        found = []
        for coedge in face.coedges():
            other = next(f for f, _ in self._body.faces_of_edge[coedge.edge] if f is not face)
            if coedge.edge in self._across:
                continue
            if other not in self._swallowed and self._is_smooth(coedge.edge):
                found.append(other)
        return list(dict.fromkeys(found))

    def _ends_of(self, face: Face) -> list[Edge]:
        """Of a swallowed round that goes on in another one, the edges across: that to it, and that opposite,
        which is smooth too where the round is the corner of a foot."""
        edges = [coedge.edge for coedge in face.coedges()]
        for k, edge in enumerate(edges if len(edges) == 4 else ()):
            if all(one in self._swallowed for one, _ in self._body.faces_of_edge[edge]):
                return [edge, edges[k - 2]]
        return []

    def _is_contracted(self, edge: Edge) -> bool:
        """Whether an edge runs across a swallowed round."""
        faces = [face for face, _ in self._body.faces_of_edge[edge]]
        gone = [face for face in faces if face in self._swallowed]
        if edge in self._across:
            return True
        return bool(gone) and (len(gone) == 2 or not self._is_smooth(edge)) and not edge.is_closed

    def _move_vertices(self) -> None:
        ends = {v for edge in self._body.faces_of_edge for v in (edge.start, edge.end) if v is not None}
        fans_of = stars_at(self._body.brep_faces, ends)
        for cluster in self._clusters(list(fans_of)):
            stars = [star for vertex in cluster for star in fans_of[vertex]]
            faces = list(dict.fromkeys(wedge.face for star in stars for wedge in star))
            if not any(face in self._moved or face in self._swallowed for face in faces):
                self._vertices.update((vertex, vertex) for vertex in cluster)
                continue
            edges = [wedge.leaves.edge for star in stars for wedge in star]
            left = [face for face in faces if face not in self._swallowed]
            smooth = [
                edge
                for edge in edges
                if self._is_smooth(edge) and all(f in left for f, _ in self._body.faces_of_edge[edge])
            ]
            start = scaled(_total([vertex.point for vertex in cluster]), 1.0 / len(cluster))
            try:
                made = Vertex(self._meeting_point(start, left, smooth))
            except _ApartError:
                sharp = not smooth and len(left) == len(faces)
                if not sharp or not all(self._part(star, start) for star in stars):
                    raise
                continue
            self._vertices.update((vertex, made) for vertex in cluster)

    def _part(self, star: list[Wedge], start: Vec3) -> bool:
        """Whether a vertex with sharp edges comes apart."""
        return self._parted.add(star, [self._surface(wedge.face) for wedge in star], start)

    def _end(self, edge: Edge, at_end: bool) -> Vertex | None:
        """What has become of the vertex at an end of an edge."""
        vertex = edge.end if at_end else edge.start
        return None if vertex is None else self._vertices.get(vertex) or self._parted.ends[edge, at_end]

    def _clusters(self, vertices: list[Vertex]) -> list[list[Vertex]]:
        """Vertices that become one, as the edges between them are swallowed."""
        number = {vertex: k for k, vertex in enumerate(vertices)}
        sets = Sets(len(vertices))
        for edge in self._body.faces_of_edge:
            if edge.start is not None and edge.end is not None and self._is_contracted(edge):
                sets.join(number[edge.start], number[edge.end])
        found: dict[int, list[Vertex]] = {}
        for vertex, k in number.items():
            found.setdefault(sets.find(k), []).append(vertex)
        return list(found.values())

    def _is_smooth(self, edge: Edge) -> bool:
        faces = sides_of(self._body.faces_of_edge[edge])
        return abs(turn_at(edge, faces, 0.5 * (edge.t0 + edge.t1))) <= SMOOTH

    def _meeting_point(self, start: Vec3, faces: Sequence[Face], smooth: Sequence[Edge]) -> Vec3:
        """The point near `start` on all surfaces of some faces, which meet smoothly in some edges."""
        surfaces = [self._surface(face) for face in faces]
        point = _foot(surfaces[0], start)
        if not smooth:
            point = common_point(start, surfaces)
        elif max(abs(surface.gap(point)) for surface in surfaces) > OFF:
            point = self._on_smooth_edge(start, faces, smooth)
        off = max(abs(surface.gap(point)) for surface in surfaces)
        if not off <= RESOLUTION:
            x, y, z = start
            raise _ApartError(f"the faces at ({x:.6g}, {y:.6g}, {z:.6g}) no longer meet in one point")
        return point

    def _on_smooth_edge(self, start: Vec3, faces: Sequence[Face], smooth: Sequence[Edge]) -> Vec3:
        """Where the line of contact of two faces meets a third, or that of two others: surfaces alone do not
        tell."""
        moved = max(abs(self._surface(face).gap(start)) for face in faces)
        curve = self._contact(smooth[0], start, moved)
        t = curve.parameter(start)
        way, point = curve.tangent(t), curve.point(t)
        for edge in smooth[1:]:
            second = self._contact(edge, start, moved)
            s = second.parameter(start)
            if norm(cross(way, second.tangent(s))) > STEEP:
                return curve.point(closest(curve, t, second, s)[0])
        own = sides_of(self._body.faces_of_edge[smooth[0]])
        others = [face for face in faces if face not in own]
        if not others:
            raise ModellingError(NO_LONGER_SMOOTH)
        other = max(others, key=lambda face: abs(dot(way, self._surface(face).normal(point))))
        return curve.point(hit_near(curve, t, self._surface(other), SPREAD * moved, other))

    def _contact(self, edge: Edge, start: Vec3, moved: float) -> Curve:
        """The curve near `start` along which the two faces of an edge still meet smoothly."""
        surfaces = [self._surface(face) for face in sides_of(self._body.faces_of_edge[edge])]
        curve = _nearest_curve(_curves(*surfaces), start) or self._carried(edge, SPREAD * moved)
        if curve is None:
            raise ModellingError(NO_LONGER_SMOOTH)
        return curve

    def _carried(self, edge: Edge, room: float = 0.0) -> Curve | None:
        """What a smooth edge becomes where both faces move alike, and as much beyond its ends as was first
        asked for."""
        if edge not in self._contacts:
            one, two = (self._surface(face) for face in sides_of(self._body.faces_of_edge[edge]))
            self._contacts[edge] = carried(edge, one, two, room)
        return self._contacts[edge]

    # -------------------------------------------------------------- edges

    def _edge(self, edge: Edge, faces: tuple[Face, Face]) -> Coedge:
        ends = [self._end(edge, at_end) for at_end in (False, True)]
        same_ends = ends[0] is edge.start and ends[1] is edge.end
        if same_ends and not any(face in self._moved or face in self._swallowed for face in faces):
            return Coedge(edge, True)
        faces = self._meeting_faces(faces)
        one, two = (self._surface(face) for face in faces)
        start, end = ends
        carried = self._beside_canal(edge, faces)
        if carried is not None:
            return Coedge(_trimmed(carried, start, end), True)
        if start is None or end is None:
            return self._ring(edge, one, two)
        if distance(start.point, end.point) <= RESOLUTION:
            return Coedge(Edge(Line(start.point, edge.curve.tangent(edge.t0)), 0.0, 0.0, start, end), True)
        shift = scaled(
            add(
                sub(start.point, edge.end_points()[0]),
                sub(end.point, edge.end_points()[1]),
            ),
            0.5,
        )
        found = exact_between(one, two, start, end, add(edge.midpoint(), shift))
        smooth = self._carried(edge) if found is None and self._is_smooth(edge) else None
        if smooth is not None:
            return Coedge(_trimmed(replace(edge, curve=smooth), start, end), True)
        if found is None:
            curve = beside(edge, one, two, (start.point, end.point))
            return Coedge(Edge(curve, edge.t0, edge.t1, start, end), True)
        middle = 0.5 * (edge.t0 + edge.t1)
        way = found.direction_at(0.5 * (found.edge.t0 + found.edge.t1))
        if dot(way, edge.curve.tangent(middle)) <= 0.0:
            raise TooLargeError("an edge would turn over", faces[0])
        return found

    def _meeting_faces(self, faces: tuple[Face, Face]) -> tuple[Face, Face]:
        """The faces that meet in an edge: beside a swallowed round that on its other side."""
        for k in (0, 1):
            if faces[k] in self._swallowed and faces[1 - k] not in self._swallowed:
                others = [face for face in self._beside[faces[k]] if face is not faces[1 - k]]
                if len(others) == 1:
                    return (others[0], faces[1]) if k == 0 else (faces[0], others[0])
        return faces

    def _beside_canal(self, edge: Edge, faces: tuple[Face, Face]) -> Edge | None:
        """Where a canal still touches a neighbour: the contact moves along with the canal's radius."""
        if not self._is_smooth(edge):
            return None
        start = self._end(edge, False)
        if isinstance(edge.curve, Circle):
            center, one, two = edge.curve.frame.origin, *(self._surface(face) for face in faces)
            begin = start.point if start is not None else _foot(one, edge.curve.point(edge.t0))
            radius = distance(begin, center)
            arc = Edge(Circle(edge.curve.frame, radius), edge.t0, edge.t1, None, None)
            points = arc.curve.points(np.linspace(arc.t0, arc.t1, 7))
            if max(float(np.abs(s.distance(points)).max()) for s in (one, two)) <= OFF:
                return arc
        for face in faces:
            old, new = face.surface, self._surface(face)
            if not isinstance(old, CanalSurface) or not isinstance(new, CanalSurface):
                continue
            spine, contact = old.spine, edge.curve
            if isinstance(contact, FittedCurve) and contact.knots == spine.knots:
                share = new.radius / old.radius
                controls = spine.controls + share * (contact.controls - spine.controls)
                curve = FittedCurve(contact.degree, contact.knots, np.asarray(controls))
                return Edge(curve, edge.t0, edge.t1, None, None)
        return None

    def _ring(self, edge: Edge, one: Surface, two: Surface) -> Coedge:
        curve = _nearest_curve([c for c in _curves(one, two) if c.period], edge.curve.point(edge.t0))
        found = intersection(one, two)
        if curve is None and found is not None and found.points:
            point = min(found.points, key=lambda p: distance(p, edge.curve.point(edge.t0)))
            return Coedge(Edge(Circle(Plane(point, (0.0, 0.0, 1.0)), 0.0), 0.0, math.tau, None, None), True)
        if curve is None:
            smooth = self._carried(edge) if self._is_smooth(edge) else None
            return Coedge(replace(edge, curve=smooth or beside(edge, one, two, None)), True)
        t = curve.parameter(edge.curve.point(edge.t0))
        same_way = dot(curve.tangent(t), edge.curve.tangent(edge.t0)) > 0.0
        return Coedge(Edge(curve, 0.0, curve.period, None, None), same_way)

    # -------------------------------------------------------------- faces

    def _shell(self, shell: Shell) -> Shell:
        return Shell(tuple(self._face(face) for face in shell.faces))

    def _face(self, face: Face) -> Face:
        loops = tuple(
            Loop(tuple(new for c in loop.coedges for new in self._path(face, c))) for loop in face.loops
        )
        old = [[c.edge for c in loop.coedges] for loop in face.loops]
        same = [[c.edge for c in loop.coedges] for loop in loops] == old
        if same and face not in self._moved:
            return face
        surface, outward = self._moved.get(face, (face.surface, face.outward))
        return Face(surface, outward, loops, face.names)

    def _path(self, face: Face, coedge: Coedge) -> list[Coedge]:
        """What has become of an edge around a face, and new edges up to the next."""
        made = self._edges[coedge.edge]
        new = self._parted.between.get((face, (coedge.edge, coedge.forward)), [])
        return [Coedge(made.edge, made.forward is coedge.forward), *new]


def _trimmed(edge: Edge, start: Vertex | None, end: Vertex | None) -> Edge:
    """The edge between two vertices on its curve."""
    if start is None or end is None:
        return replace(edge, start=start, end=end)
    ends, period = [], edge.curve.period
    for vertex, near in ((start, edge.t0), (end, edge.t1)):
        t = edge.curve.parameter(vertex.point)
        ends.append(t + period * round((near - t) / period) if period else t)
    return Edge(edge.curve, ends[0], ends[1], start, end)


def _foot(surface: Surface, point: Vec3) -> Vec3:
    x, y, z = surface.points(surface.parameters(np.array([point])))[0].tolist()
    return (x, y, z)


def _total(points: Sequence[Vec3]) -> Vec3:
    x, y, z = (math.fsum(row) for row in zip(*points, strict=True))
    return (x, y, z)


def _curves(one: Surface, two: Surface) -> list[Curve]:
    found = intersection(one, two)
    return [] if found is None or found is SAME else [*found.touches, *found.curves]


def _nearest_curve(curves: Sequence[Curve], point: Vec3) -> Curve | None:
    return min(curves, key=lambda c: distance(c.point(c.parameter(point)), point), default=None)


def turned_normal(normal: Vec3, pull: Vec3, sine: float, cosine: float) -> Vec3:
    """The normal of a wall that leans by an angle from the pull direction, on the side of `normal`."""
    level = sub(normal, scaled(pull, dot(normal, pull)))
    size = norm(level)
    if size <= 1e-9:
        raise ModellingError("a face across the pull direction has no wall to draft")
    return add(scaled(level, cosine / size), scaled(pull, sine))
