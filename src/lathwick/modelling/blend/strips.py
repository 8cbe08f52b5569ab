"""The new face along one edge: its surface, and the curves along which it meets the two old faces."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from ...geometry.curve import Curve
from ...geometry.curves import Circle, Line
from ...geometry.placement import Plane
from ...geometry.round_surfaces import ConeSurface, SphereSurface, TorusSurface
from ...geometry.ruled import RuledSurface
from ...geometry.surface import Surface
from ...geometry.surfaces import CylinderSurface, PlaneSurface
from ...geometry.tolerance import RESOLUTION
from ...geometry.varying_canal import VaryingCanal
from ...geometry.vector import Vec2, Vec3, along, cross, dot, norm, scaled, sub, unit
from ...topology.brep import Coedge, Edge, Face, Vertex
from ..refitting.errors import TooLargeError
from ..refitting.sides import turn_at
from .profiles import Across, CurveProfile, LineProfile, Profile, touching_centers


@dataclass(frozen=True, eq=False)
class Strip:
    """A round or bevel along one edge.

    faces : the face that runs along the edge, and the one that runs against it. contacts : where the strip
    meets each of them; all share one parameter, of which the edge has the `span`. spine : where the center
    of the arc across runs, likewise, which is that of the rolling ball unless it grows; None for a bevel.
    outward : whether the surface's normal looks out of the body.
    """

    edge: Edge
    faces: tuple[Face, Face]
    convex: bool
    size: float
    surface: Surface
    outward: bool
    contacts: tuple[Curve, Curve]
    spine: Curve | None
    span: tuple[float, float]

    def contact(self, face: Face) -> Curve:
        """Where the strip meets one of its two faces."""
        return self.contacts[0 if face is self.faces[0] else 1]

    def at_end(self, at_end: bool) -> float:
        """The parameter at one of the edge's ends."""
        return self.span[1] if at_end else self.span[0]

    def parameter(self, point: Vec3, near: float) -> float:
        """The parameter at which a point lies across the strip; of several the one next to another."""
        curve = self.contacts[0] if self.spine is None else self.spine
        if isinstance(curve, Circle) and curve.radius <= RESOLUTION:
            curve = self.edge.curve
        period = curve.period
        if isinstance(self.surface, VaryingCanal | RuledSurface):
            t = float(self.surface.parameters(np.array([point]))[0, 0])
        else:
            t = curve.parameter(point)
        return t + period * round((near - t) / period) if period else t

    def section(self, p: Vertex, q: Vertex, t: float) -> Coedge:
        """The strip's own curve across it, from p to q, at a parameter of the edge."""
        if self.spine is None:
            return line_between(p, q)
        return arc_between(self.spine.point(t), p, q)


Maker = Callable[[Edge, tuple[Face, Face], float], Strip | None]
"""Makes the strip of an edge between two faces, for a size; None for a kind of edge that it cannot."""

ChangingMaker = Callable[[Edge, tuple[Face, Face], tuple[float, float]], Strip]
"""Makes the strip of an edge between two faces, for sizes at its ends; level there."""


def line_between(p: Vertex, q: Vertex) -> Coedge:
    """A straight edge from p to q."""
    way = sub(q.point, p.point)
    return Coedge(Edge(Line(p.point, unit(way)), 0.0, norm(way), p, q), True)


def arc_between(center: Vec3, p: Vertex, q: Vertex) -> Coedge:
    """The shorter arc from p to q about a center."""
    x, y = sub(p.point, center), sub(q.point, center)
    frame = Plane(center, cross(x, y), x)
    angle = math.atan2(norm(cross(x, y)), dot(x, y))
    return Coedge(Edge(Circle(frame, norm(x)), 0.0, angle, p, q), True)


def round_strip(edge: Edge, faces: tuple[Face, Face], radius: float) -> Strip | None:
    """The round of a straight or circular edge whose faces keep their shape along it; None for others.

    Raises TooLargeError where no ball of that radius touches both faces.
    """
    seen = _seen(edge, faces)
    if seen is None:
        return None
    across, profiles = seen
    convex = turn_at(edge, faces, 0.5 * (edge.t0 + edge.t1)) > 0.0
    point = across.local(edge.curve.point(edge.t0))
    centers = touching_centers(*profiles, -radius if convex else radius)
    if across.circle is not None:
        centers = [c for c in centers if c[0] > -RESOLUTION]
    if not centers:
        raise TooLargeError("no ball of that radius touches both faces", faces[0])
    center = min(centers, key=lambda c: math.dist(c, point))
    feet = [profile.foot(center) for profile in profiles]
    _refuse_wrong_side(edge, faces, across, point, feet)
    if across.circle is not None:
        for foot, face in zip(feet, faces, strict=True):
            if foot[0] < -RESOLUTION:
                raise TooLargeError("the round reaches beyond the axis", face)
    surface = _round_surface(across, center, radius)
    contacts = (across.path(feet[0]), across.path(feet[1]))
    spine = across.path(center)
    return Strip(edge, faces, convex, radius, surface, convex, contacts, spine, (edge.t0, edge.t1))


def _seen(edge: Edge, faces: tuple[Face, Face]) -> tuple[Across, tuple[Profile, Profile]] | None:
    across = Across.of(edge.curve)
    if across is None:
        return None
    one, two = (across.profile(face.surface, face.outward) for face in faces)
    return None if one is None or two is None else (across, (one, two))


def _refuse_wrong_side(
    edge: Edge, faces: tuple[Face, Face], across: Across, point: Vec2, feet: list[Vec2]
) -> None:
    """Raise TooLargeError where a ball touches a face on the wrong side of the edge."""
    for which in (0, 1):
        way = _into(edge, faces, across, which)
        if (feet[which][0] - point[0]) * way[0] + (feet[which][1] - point[1]) * way[1] <= 0.0:
            raise TooLargeError("no ball of that radius touches both faces", faces[which])


def _into(edge: Edge, faces: tuple[Face, Face], across: Across, which: int) -> Vec2:
    """The direction from the edge into one of its faces, in the plane across."""
    p, tangent = edge.curve.point(edge.t0), edge.curve.tangent(edge.t0)
    way = cross(faces[which].outward_normal(p), tangent if which == 0 else scaled(tangent, -1.0))
    if across.circle is None:
        return dot(way, across.x), dot(way, across.y)
    off = sub(p, across.origin)
    ring = unit(sub(off, scaled(across.y, dot(off, across.y))))
    return dot(way, ring), dot(way, across.y)


def _round_surface(across: Across, center: Vec2, radius: float) -> Surface:
    if across.circle is None:
        middle = along(along(across.origin, across.x, center[0]), across.y, center[1])
        return CylinderSurface(Plane(middle, cross(across.x, across.y)), radius)
    frame = across.circle.frame.moved_to(along(across.origin, across.y, center[1]))
    if center[0] <= RESOLUTION:
        return SphereSurface(frame, radius)
    return TorusSurface(frame, center[0], radius)


def bevel_strip(edge: Edge, faces: tuple[Face, Face], sizes: tuple[float, float]) -> Strip | None:
    """The bevel of a straight or circular edge, so far back on the first and the second face, straight
    across; None for edges whose faces do not keep their shape along them.

    Raises TooLargeError where a face does not reach so far.
    """
    seen = _seen(edge, faces)
    if seen is None:
        return None
    across, profiles = seen
    point = across.local(edge.curve.point(edge.t0))
    feet = [_set_back(profiles[k], point, _into(edge, faces, across, k), sizes[k], faces[k]) for k in (0, 1)]
    if across.circle is not None:
        for foot, face in zip(feet, faces, strict=True):
            if foot[0] < -RESOLUTION:
                raise TooLargeError("the bevel reaches beyond the axis", face)
    convex = turn_at(edge, faces, 0.5 * (edge.t0 + edge.t1)) > 0.0
    surface, normal = _bevel_surface(across, feet[0], feet[1])
    out = [a + b for a, b in zip(outward_at(profiles[0], point), outward_at(profiles[1], point), strict=True)]
    outward = normal[0] * out[0] + normal[1] * out[1] > 0.0
    contacts = (across.path(feet[0]), across.path(feet[1]))
    return Strip(edge, faces, convex, max(sizes), surface, outward, contacts, None, (edge.t0, edge.t1))


def _set_back(profile: Profile, point: Vec2, way: Vec2, size: float, face: Face) -> Vec2:
    """The point of a profile at a distance from the edge."""
    if isinstance(profile, LineProfile):
        return point[0] + size * way[0], point[1] + size * way[1]
    if isinstance(profile, CurveProfile):
        found = profile.away(point, way, size)
        if not found:
            raise TooLargeError("the bevel is larger than the face", face)
        return min(found, key=lambda p: math.dist(p, (point[0] + size * way[0], point[1] + size * way[1])))
    if not size < 2.0 * profile.radius:
        raise TooLargeError("the bevel is larger than the face", face)
    turn = 2.0 * math.asin(0.5 * size / profile.radius)
    x, y = point[0] - profile.center[0], point[1] - profile.center[1]
    turn = math.copysign(turn, -y * way[0] + x * way[1])
    c, s = math.cos(turn), math.sin(turn)
    return profile.center[0] + c * x - s * y, profile.center[1] + s * x + c * y


def _bevel_surface(across: Across, p: Vec2, q: Vec2) -> tuple[Surface, Vec2]:
    """The surface through both contacts, and its normal in the plane across."""
    dx, dy = q[0] - p[0], q[1] - p[1]
    size = math.hypot(dx, dy)
    if across.circle is None:
        way = cross(across.x, across.y)
        corner = along(along(across.origin, across.x, p[0]), across.y, p[1])
        side = along(scaled(across.x, dx / size), across.y, dy / size)
        return PlaneSurface(Plane(corner, cross(side, way), side)), (dy / size, -dx / size)
    frame = across.circle.frame
    if abs(dy) <= 1e-12 * size:
        return PlaneSurface(frame.moved_to(along(across.origin, across.y, p[1]))), (0.0, 1.0)
    if abs(dx) <= 1e-12 * size:
        return CylinderSurface(frame, p[0]), (1.0, 0.0)
    apex = along(across.origin, across.y, p[1] - p[0] * dy / dx)
    up = math.copysign(1.0, dx * dy)
    opened = Plane(apex, frame.normal if up > 0 else scaled(frame.normal, -1.0), frame.x)
    half = math.atan2(abs(dx), abs(dy))
    return ConeSurface(opened, half), (math.cos(half), -up * math.sin(half))


def outward_at(profile: Profile, p: Vec2) -> Vec2:
    """The outward normal of a profile at a point of it."""
    if isinstance(profile, LineProfile):
        return profile.normal
    if isinstance(profile, CurveProfile):
        return profile.normal(p)
    k = profile.sign / math.dist(p, profile.center)
    return k * (p[0] - profile.center[0]), k * (p[1] - profile.center[1])
