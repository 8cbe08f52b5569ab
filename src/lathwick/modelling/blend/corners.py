"""What becomes of the vertices at which rounded or bevelled edges end.

A vertex is seen as its fan: the faces around it, clockwise from outside, each with the coedge by which its
loop arrives and the one by which it leaves. Four kinds of corners are solved:

* one blended edge runs out against the faces between its two neighbours;
* two that continue each other share a section across;
* two that meet at an angle are mitred;
* three or more with one ball that touches all faces get a piece of its sphere (or a plane, of bevels).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from ...errors import ModellingError
from ...geometry.curves import Curve
from ...geometry.placement import Plane
from ...geometry.round_surfaces import SphereSurface
from ...geometry.surfaces import PlaneSurface, Surface
from ...geometry.tolerance import JOIN, RESOLUTION
from ...geometry.vector import Vec3, cross, distance, dot, norm, sub, unit
from ...topology.brep import Coedge, Edge, Face, Loop, Vertex
from ...topology.names import FaceName
from .joining import Spot, exact_between, hit_near, share_of, strip_curve
from .strips import SMOOTH, Strip, TooLargeError, arc_between, line_between, sides_of, turn_at

EdgeEnd = tuple[Edge, bool]
"""An edge, and whether its end is meant or its start."""

CONTINUES = 1e-6


@dataclass(frozen=True, eq=False)
class Wedge:
    """A face at a vertex: its loop arrives by one coedge and leaves by the other."""

    face: Face
    arrives: Coedge
    leaves: Coedge

    @property
    def entry(self) -> EdgeEnd:
        return self.arrives.edge, self.arrives.forward

    @property
    def exit(self) -> EdgeEnd:
        return self.leaves.edge, not self.leaves.forward


@dataclass
class Changes:
    """What replaces the surroundings of edges and vertices.

    moved : where ends of edges that stay now lie. contacts : where contact curves end, by the edge's end and
    the face. inserted : what a loop runs along in place of a vertex, by face and entry. caps : across the end
    of a strip, from the face that leaves by its edge to the one that arrives by it. corners : new faces.
    """

    moved: dict[EdgeEnd, Vertex] = field(default_factory=dict)
    contacts: dict[tuple[Edge, bool, Face], Vertex] = field(default_factory=dict)
    inserted: dict[tuple[Face, EdgeEnd], list[Coedge]] = field(default_factory=dict)
    caps: dict[EdgeEnd, list[Coedge]] = field(default_factory=dict)
    corners: list[tuple[Face, Face]] = field(default_factory=list)


Uses = dict[Edge, list[tuple[Face, Coedge]]]


def reversed_path(path: Sequence[Coedge]) -> list[Coedge]:
    """A chain of coedges the other way."""
    return [Coedge(c.edge, not c.forward) for c in reversed(path)]


def fans_at(faces: Sequence[Face], vertices: set[Vertex]) -> dict[Vertex, list[list[Wedge]]]:
    """The fans of some vertices; more than one where parts of the body touch in a vertex."""
    entries: dict[Vertex, dict[EdgeEnd, Wedge]] = {}
    for face in faces:
        for loop in face.loops:
            for k, leaves in enumerate(loop.coedges):
                vertex = leaves.start
                if vertex is not None and vertex in vertices:
                    wedge = Wedge(face, loop.coedges[k - 1], leaves)
                    entries.setdefault(vertex, {})[wedge.entry] = wedge
    return {vertex: _cycles(wedges) for vertex, wedges in entries.items()}


def _cycles(wedges: dict[EdgeEnd, Wedge]) -> list[list[Wedge]]:
    left = dict(wedges)
    found = []
    while left:
        first = next(iter(left.values()))
        ring = [left.pop(first.entry)]
        while ring[-1].exit != first.entry:
            ring.append(left.pop(ring[-1].exit))
        found.append(ring)
    return found


class CornerSolver:
    """Works out the corners of one pass; all strips are of faces of one body."""

    def __init__(self, strips: dict[Edge, Strip], uses: Uses, names: tuple[FaceName, ...]) -> None:
        self.strips = strips
        self.uses = uses
        self.names = names
        self.changes = Changes()

    def solve(self, vertex: Vertex, fan: list[Wedge]) -> None:
        """Add what becomes of one fan. Raises ModellingError for a corner of another kind."""
        blended = [k for k, wedge in enumerate(fan) if wedge.leaves.edge in self.strips]
        if not blended:
            return
        turned = fan[blended[0] + 1 :] + fan[: blended[0] + 1]
        count = len(blended)
        if count == 1:
            self._run_out(vertex, turned)
        elif count == 2 and self._continue_each_other(turned):
            self._pass_on(vertex, turned)
        elif count == 2:
            self._mitre(vertex, turned)
        elif count == len(fan):
            self._close(vertex, turned)
        else:
            raise self._unknown(vertex)

    def _unknown(self, vertex: Vertex) -> ModellingError:
        x, y, z = vertex.point
        return ModellingError(f"a corner of this kind cannot be closed, at ({x:.6g}, {y:.6g}, {z:.6g})")

    # -------------------------------------------------------------- helpers

    def _strip(self, end: EdgeEnd) -> tuple[Strip, float]:
        strip = self.strips[end[0]]
        return strip, strip.at_end(end[1])

    def _is_smooth(self, edge: Edge) -> bool:
        return abs(turn_at(edge, sides_of(self.uses[edge]), 0.5 * (edge.t0 + edge.t1))) <= SMOOTH

    def _set_contact(self, end: EdgeEnd, face: Face, vertex: Vertex) -> None:
        self.changes.contacts[end[0], end[1], face] = vertex

    # -------------------------------------------------------------- one edge

    def _run_out(self, vertex: Vertex, fan: list[Wedge]) -> None:
        """fan : from the face that arrives by the edge to the one that leaves by it."""
        first, last, ends = fan[0], fan[-1], fan[1:-1]
        if not ends:
            raise self._unknown(vertex)
        end = first.entry
        strip, t = self._strip(end)
        for wedge in (first, last):
            border = wedge.leaves.edge if wedge is first else wedge.arrives.edge
            if self._is_smooth(border):
                raise self._unknown(vertex)
        if len(ends) == 2:
            for k in (0, 1):
                if self._runs_beside(strip, t, (first, last)[k].face, ends[k].face):
                    self._step_out(vertex, fan, k)
                    return
        spots = [self._ending(strip, t, first.face, ends[0].face)]
        spots += [self._crossing(strip, t, wedge.leaves) for wedge in ends[:-1]]
        spots.append(self._ending(strip, t, last.face, ends[-1].face))
        self._set_contact(end, first.face, spots[0][0])
        self._set_contact(end, last.face, spots[-1][0])
        self.changes.moved[first.exit] = spots[0][0]
        cap: list[Coedge] = []
        for k, wedge in enumerate(ends):
            path = [strip_curve(strip, wedge.face.surface, (spots[k], spots[k + 1]), wedge.face)]
            self.changes.inserted[wedge.face, wedge.entry] = path
            self.changes.moved[wedge.exit] = spots[k + 1][0]
            cap += path
        self.changes.caps[end] = reversed_path(cap)

    def _runs_beside(self, strip: Strip, t: float, face: Face, end_face: Face) -> bool:
        """Whether the contact on a face does not lead to the face at its end, but along it."""
        try:
            self._ending(strip, t, face, end_face)
        except TooLargeError:
            return True
        return False

    def _step_out(self, vertex: Vertex, fan: list[Wedge], k: int) -> None:
        """A run-out where the edge goes on, between other faces: the strip ends on the one face at the end
        that stands across it, and that gets a new edge with the neighbour that goes on.

        k : 0 where the face that arrives by the edge goes on, 1 where that which leaves by it does.
        """
        goes_on, across, stays = (fan[0], fan[2], fan[3]) if k == 0 else (fan[3], fan[1], fan[0])
        end = fan[0].entry
        strip, t = self._strip(end)
        near = self._ending(strip, t, goes_on.face, across.face)
        far = self._ending(strip, t, stays.face, across.face)
        step = exact_between(across.face.surface, goes_on.face.surface, near[0], vertex, near[0].point)
        if step is None:
            raise self._unknown(vertex)
        self._set_contact(end, goes_on.face, near[0])
        self._set_contact(end, stays.face, far[0])
        path = strip_curve(strip, across.face.surface, (near, far), across.face)
        inserted = self.changes.inserted
        if k == 0:
            self.changes.moved[across.exit] = far[0]
            inserted[across.face, across.entry] = [*reversed_path([step]), path]
            inserted[goes_on.face, goes_on.entry] = [step]
            self.changes.caps[end] = reversed_path([path])
        else:
            self.changes.moved[across.entry] = far[0]
            inserted[across.face, across.entry] = [*reversed_path([path]), step]
            inserted[goes_on.face, goes_on.entry] = reversed_path([step])
            self.changes.caps[end] = [path]

    def _ending(self, strip: Strip, t: float, face: Face, end_face: Face) -> tuple[Vertex, float, float]:
        """Where the contact on a face meets the face at the end."""
        contact = strip.contact(face)
        found = hit_near(contact, t, end_face.surface, strip.size, end_face)
        return Vertex(contact.point(found)), 0.0 if face is strip.faces[0] else 1.0, found

    def _crossing(self, strip: Strip, t: float, border: Coedge) -> tuple[Vertex, float, float]:
        """Where the strip meets an edge between two faces at the end."""
        edge = border.edge
        start = edge.t0 if border.forward else edge.t1
        s = hit_near(edge.curve, start, strip.surface, strip.size, self.uses[edge][0][0])
        point = edge.curve.point(s)
        along = strip.parameter(point, t)
        return Vertex(point), share_of(strip, point, along), along

    # -------------------------------------------------------------- two edges

    def _continue_each_other(self, fan: list[Wedge]) -> bool:
        one, two = self._both_ends(fan)
        ways = []
        for edge, at_end in (one, two):
            d = edge.curve.tangent(edge.t1 if at_end else edge.t0)
            ways.append(d if at_end else (-d[0], -d[1], -d[2]))
        return norm(cross(*ways)) <= CONTINUES and dot(*ways) < 0.0

    def _both_ends(self, fan: list[Wedge]) -> tuple[EdgeEnd, EdgeEnd]:
        second = next(
            k for k, wedge in enumerate(fan) if wedge.leaves.edge in self.strips and k < len(fan) - 1
        )
        return fan[0].entry, fan[second].exit

    def _sides(self, fan: list[Wedge]) -> tuple[list[Wedge], list[Wedge]]:
        """The wedges from the first edge to the second, and those from the second to the first."""
        second = next(k for k, wedge in enumerate(fan) if wedge.leaves.edge in self.strips)
        return fan[: second + 1], fan[second + 1 :]

    def _pass_on(self, vertex: Vertex, fan: list[Wedge]) -> None:
        """Both strips end at the section where the ball comes to lie on the smooth edge between neighbours;
        without such an edge, across the vertex."""
        one, two = self._both_ends(fan)
        sides = self._sides(fan)
        if any(len(side) > 2 for side in sides):
            raise self._unknown(vertex)
        strips = self._strip(one)[0], self._strip(two)[0]
        t = self._turning_points(vertex, (one, two), sides)
        feet = []
        for side in sides:
            first, last = (0, 1) if side[0] is fan[0] else (1, 0)
            p = strips[first].contact(side[0].face).point(t[first])
            q = strips[last].contact(side[-1].face).point(t[last])
            if distance(p, q) > JOIN:
                raise TooLargeError("two new faces do not meet", side[0].face)
            foot = Vertex(p)
            if len(side) == 2:
                if not self._is_smooth(side[0].leaves.edge):
                    raise self._unknown(vertex)
                self.changes.moved[side[0].exit] = foot
            self._set_contact((one, two)[first], side[0].face, foot)
            self._set_contact((one, two)[last], side[-1].face, foot)
            feet.append(foot)
        # the first strip's cap runs from the side where it is left to the side where it is arrived by
        section = strips[0].section(feet[1], feet[0], t[0])
        self.changes.caps[one] = [section]
        self.changes.caps[two] = reversed_path([section])

    def _turning_points(
        self, vertex: Vertex, ends: tuple[EdgeEnd, EdgeEnd], sides: tuple[list[Wedge], list[Wedge]]
    ) -> list[float]:
        """The parameters of both strips at the section that they share."""
        found = [self._strip(end)[1] for end in ends]
        for side in sides:
            if len(side) != 2:
                continue
            border = side[0].leaves
            order = (0, 1) if side[0].entry == ends[0] else (1, 0)
            for k, wedge in zip(order, side, strict=True):
                strip, t = self._strip(ends[k])
                contact = strip.contact(wedge.face)
                s = border.edge.t0 if border.forward else border.edge.t1
                at, on = _closest(contact, t, border.edge.curve, s)
                if distance(contact.point(at), border.edge.curve.point(on)) > RESOLUTION:
                    raise TooLargeError("the new face does not keep to its neighbours", wedge.face)
                found[k] = at
        return found

    def _mitre(self, vertex: Vertex, fan: list[Wedge]) -> None:
        one, two = self._both_ends(fan)
        sides = self._sides(fan)
        common = next((s for s in sides if len(s) == 1), None)
        other = sides[0] if common is sides[1] else sides[1]
        if common is None or len(other) != 2:
            raise self._unknown(vertex)
        # the far side runs from edge `a` over faces `fa`, `fb` to edge `b`
        a, b = (one, two) if other is sides[0] else (two, one)
        (sa, ta), (sb, tb) = self._strip(a), self._strip(b)
        if sa.convex is not sb.convex:
            raise self._unknown(vertex)
        fa, fb, shared = other[0], other[1], common[0].face
        inner, ia, ib = self._contacts_meet(sa, ta, sb, tb, shared)
        qa = hit_near(sa.contact(fa.face), ta, fb.face.surface, sa.size, fb.face)
        qb = hit_near(sb.contact(fb.face), tb, fa.face.surface, sb.size, fa.face)
        pa, pb = Vertex(sa.contact(fa.face).point(qa)), Vertex(sb.contact(fb.face).point(qb))
        for end in (a, b):
            self._set_contact(end, shared, inner)
        start = (inner, self._share(sa, shared), ia)
        if distance(pa.point, pb.point) <= RESOLUTION:
            path = strip_curve(sa, sb.surface, (start, (pa, self._share(sa, fa.face), qa)), fa.face)
            self._set_contact(a, fa.face, pa)
            self._set_contact(b, fb.face, pa)
            self.changes.moved[fa.exit] = pa
            caps = [path], [path]
        else:
            far = (fa, fb)
            if distance(pa.point, vertex.point) > distance(pb.point, vertex.point):
                caps = self._offset_mitre((a, fa.face, pa, qa), (b, fb.face), start, far)
            else:
                begin = (inner, self._share(sb, shared), ib)
                turned = self._offset_mitre((b, fb.face, pb, qb), (a, fa.face), begin, far)
                caps = turned[1], turned[0]
        # a is arrived by on its own far face and left by on the shared one: its cap runs shared -> far
        self.changes.caps[a] = caps[0]
        self.changes.caps[b] = reversed_path(caps[1])

    def _offset_mitre(
        self,
        deep: tuple[EdgeEnd, Face, Vertex, float],
        other: tuple[EdgeEnd, Face],
        start: Spot,
        far: tuple[Wedge, Wedge],
    ) -> tuple[list[Coedge], list[Coedge]]:
        """A mitre of strips that cut into the edge between their far faces to different depths.

        deep : the edge's end of the deeper strip, its far face, and where its contact there ends, with the
        parameter. It also ends on the far face of the other. Returns the caps of both, from the shared face.
        """
        (end, face, outer, q), (other_end, other_face) = deep, other
        strip, (second, t) = self._strip(end)[0], self._strip(other_end)
        contact = second.contact(other_face)
        point = contact.point(hit_near(contact, t, strip.surface, second.size, other_face))
        u = strip.parameter(point, q)
        middle = (Vertex(point), share_of(strip, point, u), u)
        mitre = strip_curve(strip, second.surface, (start, middle), other_face)
        ends = (middle, (outer, self._share(strip, face), q))
        rest = strip_curve(strip, other_face.surface, ends, other_face)
        self._set_contact(end, face, outer)
        self._set_contact(other_end, other_face, middle[0])
        fa, fb = far
        self.changes.moved[fa.exit] = outer
        if face is fa.face:
            self.changes.inserted[fb.face, fb.entry] = reversed_path([rest])
        else:
            self.changes.inserted[fa.face, fa.entry] = [rest]
        return [mitre, rest], [mitre]

    def _share(self, strip: Strip, face: Face) -> float:
        return 0.0 if face is strip.faces[0] else 1.0

    def _contacts_meet(
        self, sa: Strip, ta: float, sb: Strip, tb: float, face: Face
    ) -> tuple[Vertex, float, float]:
        """Where the contacts of two strips on a common face cross; with the parameter on each."""
        a, b = sa.contact(face), sb.contact(face)
        s, t = _closest(a, ta, b, tb)
        if distance(a.point(s), b.point(t)) > RESOLUTION:
            raise TooLargeError("two new faces do not meet", face)
        return Vertex(a.point(s)), s, t

    # -------------------------------------------------------------- all edges

    def _close(self, vertex: Vertex, fan: list[Wedge]) -> None:
        """Three or more blended edges and nothing else: a ball, or a plane, in the corner."""
        strips = [self._strip(wedge.entry) for wedge in fan]
        if len({strip.convex for strip, _ in strips}) > 1:
            raise self._unknown(vertex)
        feet = self._ball(vertex, fan, strips) if strips[0][0].spine is not None else None
        if feet is None:
            feet = self._bevel_feet(vertex, fan)
        center, points = feet
        border: list[Coedge] = []
        for k, wedge in enumerate(fan):
            p, q = points[k - 1], points[k]
            path = [arc_between(center, p, q) if center is not None else line_between(p, q)]
            self.changes.caps[wedge.entry] = path
            self._set_contact(wedge.entry, fan[k - 1].face, p)
            self._set_contact(wedge.entry, wedge.face, q)
            border += path
        outer = reversed_path(border)
        face = self._corner_face(center, strips[0][0], points, outer)
        self.changes.corners.append((face, fan[0].face))

    def _corner_face(
        self, center: Vec3 | None, strip: Strip, points: list[Vertex], border: list[Coedge]
    ) -> Face:
        loops = (Loop(tuple(border)),)
        if center is not None:
            surface: Surface = SphereSurface(Plane(center, (0.0, 0.0, 1.0)), strip.size)
            return Face(surface, strip.outward, loops, self.names)
        p, q, r = (v.point for v in points[:3])
        normal = unit(cross(sub(q, p), sub(r, p)))
        return Face(PlaneSurface(Plane(p, normal)), False, loops, self.names)

    def _ball(
        self, vertex: Vertex, fan: list[Wedge], strips: list[tuple[Strip, float]]
    ) -> tuple[Vec3 | None, list[Vertex]]:
        """The center of a ball that touches all faces, and where it touches each."""
        radius = strips[0][0].size
        d = -radius if strips[0][0].convex else radius
        center = _equidistant([w.face for w in fan], d, vertex.point)
        if center is None:
            raise self._unknown(vertex)
        feet = []
        for k, wedge in enumerate(fan):
            n = wedge.face.outward_normal(center)
            foot = (center[0] - d * n[0], center[1] - d * n[1], center[2] - d * n[2])
            for end in (wedge.entry, fan[(k + 1) % len(fan)].entry):
                contact = self.strips[end[0]].contact(wedge.face)
                if distance(contact.point(contact.parameter(foot)), foot) > RESOLUTION:
                    raise self._unknown(vertex)
            feet.append(Vertex(foot))
        return center, feet

    def _bevel_feet(self, vertex: Vertex, fan: list[Wedge]) -> tuple[Vec3 | None, list[Vertex]]:
        """Where the contacts of bevels cross on each face; three of them span the corner's plane."""
        if len(fan) != 3:
            raise self._unknown(vertex)
        feet = []
        for k, wedge in enumerate(fan):
            (sa, ta), (sb, tb) = self._strip(wedge.entry), self._strip(fan[(k + 1) % 3].entry)
            feet.append(self._contacts_meet(sa, ta, sb, tb, wedge.face)[0])
        return None, feet


def _closest(a: Curve, s: float, b: Curve, t: float) -> tuple[float, float]:
    """Parameters of the common point of two curves near s and t, by Gauss-Newton."""
    for _ in range(30):
        gap = np.array(a.point(s)) - np.array(b.point(t))
        slopes = np.column_stack([a.derivatives(np.array([s]))[0], -b.derivatives(np.array([t]))[0]])
        step = np.linalg.lstsq(slopes, -gap, rcond=None)[0]
        s, t = s + float(step[0]), t + float(step[1])
        if np.abs(step).max() <= 1e-15 * max(1.0, abs(s), abs(t)):
            break
    return s, t


def _equidistant(faces: Sequence[Face], d: float, start: Vec3) -> Vec3 | None:
    """The point near `start` at the signed distance d outside of all faces, by Newton's method."""
    p = np.array(start)
    for _ in range(50):
        place = (float(p[0]), float(p[1]), float(p[2]))
        gaps = np.array([_out(face) * face.surface.gap(place) - d for face in faces])
        normals = np.array([face.outward_normal(place) for face in faces])
        step = np.linalg.lstsq(normals, -gaps, rcond=None)[0]
        p = p + step
        if np.abs(step).max() <= 1e-15 * (1.0 + np.abs(p).max()):
            break
    place = (float(p[0]), float(p[1]), float(p[2]))
    off = max(abs(_out(face) * face.surface.gap(place) - d) for face in faces)
    return place if off <= 1e-3 * RESOLUTION else None


def _out(face: Face) -> float:
    return 1.0 if face.outward else -1.0
