"""Where two surfaces meet: a table of cases by kind and pose, with exact lines and conics where they exist.

Surfaces of revolution about one axis meet in circles, found from their profiles; a plane cuts quadrics
in conics; parallel cylinders meet in lines, equal cylinders with crossing axes in two ellipses. All
other pairs are left to `marching`.

Source: Levin, "Mathematical models for determining the intersections of quadric surfaces", CGIP 11
(1979); Miller & Goldman, "Geometric algorithms for detecting and calculating all conic sections in the
intersection of any two natural quadric surfaces", GMIP 57 (1995); Piegl & Tiller for the conics.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import Any

from .conics import Hyperbola, Parabola
from .contacts import NOTHING, SAME, Intersection
from .curve import Curve
from .curves import Circle, Ellipse, Line
from .motion import moved_by
from .parallel_walls import meeting_lines
from .placement import Plane
from .projection import ParallelProjection
from .round_surfaces import ConeSurface, SphereSurface, TorusSurface
from .screw import ScrewSurface
from .screw_contacts import across_axis, on_cone, on_cylinder, on_like_screw
from .surface import Meridian, Surface
from .surfaces import CylinderSurface, ExtrudedSurface, PlaneSurface
from .tolerance import NOWHERE, RESOLUTION
from .turned import TurnedSurface
from .turned_contacts import about_axis, across_or_along, shares_axis
from .vector import Vec2, Vec3, add, along, cross, distance, dot, negated, norm, scaled, sub, unit

HALF = 0.5 * RESOLUTION
PARALLEL = 2e-9
"""Directions closer than this (radians) are parallel, unless the parts are larger than some 500 units."""

LEAST_LEAN = 0.01
"""A profile is drawn onto a plane that leans against its direction by more than this (sine): else the curve
is too long for its parameters to tell places close together."""


def intersection(one: Surface, two: Surface) -> Intersection | None:
    """The exact intersection of two surfaces, None for a pair that has no lines or conics in general."""
    if one is two:
        return SAME
    for plane, other in ((one.plane, two), (two.plane, one)):
        if plane is not None:
            rule = _WITH_PLANE.get(type(other))
            return None if rule is None else rule(plane, other)
    if one.meridian is not None and two.meridian is not None:
        common = _common_axis(one.meridian, two.meridian)
        if common is not None:
            return _about_one_axis(one.meridian, two.meridian, *common)
    for turned, other in ((one, two), (two, one)):
        if isinstance(turned, TurnedSurface) and shares_axis(turned, other):
            return about_axis(turned, other)
    rule = _PAIRS.get((type(one), type(two)))
    return None if rule is None else rule(one, two)


# ---------------------------------------------------------------------- planes


def _height(point: Vec3, frame: Plane) -> float:
    return dot(sub(point, frame.origin), frame.normal)


def _planes(one: Plane, other: PlaneSurface) -> Intersection:
    two = other.frame
    way = cross(one.normal, two.normal)
    size = norm(way)
    if size <= PARALLEL:
        return SAME if abs(_height(two.origin, one)) <= HALF else NOTHING
    # the common point nearest to the middle between the origins keeps digits for far planes
    middle = scaled(add(one.origin, two.origin), 0.5)
    h1, h2, c = _height(middle, one), _height(middle, two), dot(one.normal, two.normal)
    k = 1.0 / (1.0 - c * c)
    p = along(along(middle, one.normal, -k * (h1 - c * h2)), two.normal, -k * (h2 - c * h1))
    return Intersection(curves=(Line(p, unit(way)),))


def _plane_cylinder(plane: Plane, tube: CylinderSurface) -> Intersection:
    axis, radius = tube.frame.normal, tube.radius
    lean = dot(axis, plane.normal)
    if abs(lean) <= PARALLEL:
        h = _height(tube.frame.origin, plane)
        if abs(h) >= radius + HALF:
            return NOTHING
        foot, side = along(tube.frame.origin, plane.normal, -h), unit(cross(axis, plane.normal))
        if abs(h) > radius - HALF:
            return Intersection(touches=(Line(foot, axis),))
        reach = math.sqrt((radius - abs(h)) * (radius + abs(h)))
        return Intersection(curves=tuple(Line(along(foot, side, s * reach), axis) for s in (1.0, -1.0)))
    center = along(tube.frame.origin, axis, -_height(tube.frame.origin, plane) / lean)
    across = cross(plane.normal, axis)
    if norm(across) <= PARALLEL:
        return Intersection(curves=(Circle(Plane(center, axis, tube.frame.x), radius),))
    minor_way = unit(across)
    frame = Plane(center, plane.normal, cross(minor_way, plane.normal))
    return Intersection(curves=(Ellipse(frame, radius / abs(lean), radius),))


def _plane_sphere(plane: Plane, ball: SphereSurface) -> Intersection:
    h = _height(ball.frame.origin, plane)
    center = along(ball.frame.origin, plane.normal, -h)
    reach = math.sqrt(max(0.0, (ball.radius - abs(h)) * (ball.radius + abs(h))))
    if abs(h) >= ball.radius - 1e-9 * ball.radius or reach <= RESOLUTION:
        return Intersection(points=(center,)) if abs(abs(h) - ball.radius) <= HALF else NOTHING
    return Intersection(curves=(Circle(Plane(center, plane.normal, plane.x), reach),))


def _plane_cone(plane: Plane, cone: ConeSurface) -> Intersection:
    """In the plane through the axis at right angles to the cut: s runs along the cut, t aside."""
    axis, apex, k = cone.frame.normal, cone.frame.origin, math.tan(cone.half_angle)
    normal, d = plane.normal, -_height(apex, plane)
    c = dot(normal, axis)
    flat = sub(normal, scaled(axis, c))
    a = norm(flat)
    if a <= PARALLEL:
        height = d / c
        if height * k <= RESOLUTION:
            return Intersection(points=(apex,)) if abs(d) <= HALF else NOTHING
        return Intersection(
            curves=(Circle(Plane(along(apex, axis, height), axis, cone.frame.x), height * k),)
        )
    x = scaled(flat, 1.0 / a)
    e1, e2 = sub(scaled(x, c), scaled(axis, a)), cross(axis, x)
    foot = along(apex, normal, d)
    quad = (k * a - c) * (k * a + c)
    if abs(d) <= HALF:
        return _cone_lines(apex, e1, e2, quad)
    if abs(quad) <= 1e-10:
        return _cone_parabola(foot, e1, e2, normal, d, a, c, k)
    s0 = d * a * c * (k * k + 1.0) / quad
    rest = d * d * (k * k * c * c - a * a) - quad * s0 * s0
    center = along(foot, e1, s0)
    if quad < 0.0:
        if rest <= RESOLUTION * RESOLUTION or d * c - s0 * a <= 0.0:
            return NOTHING
        long, short = math.sqrt(rest / -quad), math.sqrt(rest)
        if long >= short:
            return Intersection(curves=(Ellipse(Plane(center, normal, e1), long, short),))
        return Intersection(curves=(Ellipse(Plane(center, normal, e2), short, long),))
    return Intersection(curves=(Hyperbola(Plane(center, normal, negated(e1)), math.sqrt(-rest / quad),
                                     math.sqrt(-rest)),))  # fmt: skip


def _cone_lines(apex: Vec3, e1: Vec3, e2: Vec3, quad: float) -> Intersection:
    """The straight lines of a cone in a plane through its apex; they run downwards along e1."""
    if abs(quad) <= 1e-12:
        return Intersection(touches=(Line(apex, negated(e1)),))
    if quad < 0.0:
        return Intersection(points=(apex,))
    spread = math.sqrt(quad)
    ways = [unit(sub(scaled(e2, sign * spread), e1)) for sign in (1.0, -1.0)]
    return Intersection(curves=tuple(Line(apex, way) for way in ways), nodes=(apex,))


def _cone_parabola(
    foot: Vec3, e1: Vec3, e2: Vec3, normal: Vec3, d: float, a: float, c: float, k: float
) -> Intersection:
    slope = -2.0 * d * a * c * (k * k + 1.0)
    start = d * d * (k * k * c * c - a * a)
    vertex = along(foot, e1, -start / slope)
    way = e1 if slope > 0 else negated(e1)
    return Intersection(curves=(Parabola(Plane(vertex, normal, way), 0.25 * abs(slope)),))


def _plane_torus(plane: Plane, ring: TorusSurface) -> Intersection | None:
    axis, center, big, small = ring.frame.normal, ring.frame.origin, ring.major, ring.minor
    lean, h = dot(axis, plane.normal), _height(center, plane)
    if norm(cross(axis, plane.normal)) <= PARALLEL:
        if abs(h) >= small + HALF:
            return NOTHING
        middle = along(center, plane.normal, -h)
        frame = Plane(middle, axis, ring.frame.x)
        if abs(h) > small - HALF:
            return Intersection(touches=(Circle(frame, big),)) if big > RESOLUTION else NOTHING
        reach = math.sqrt((small - abs(h)) * (small + abs(h)))
        radii = (radius for radius in (big + reach, big - reach) if radius > RESOLUTION)
        tips = tuple(
            tip.point for tip in ring.singular_points if abs(dot(sub(tip.point, middle), axis)) <= HALF
        )
        return Intersection(curves=tuple(Circle(frame, radius) for radius in radii), points=tips)
    if abs(lean) <= PARALLEL and abs(h) <= HALF:
        side = unit(cross(axis, plane.normal))
        centers = (along(center, side, big), along(center, side, -big))
        curves = tuple(Circle(Plane(p, plane.normal, axis), small) for p in centers)
        return Intersection(curves=curves, nodes=tuple(tip.point for tip in ring.singular_points))
    # the plane clears the ring
    flat = math.sqrt(max(0.0, 1.0 - lean * lean))
    if abs(abs(h) - big * flat - small) <= HALF:
        out = unit(sub(plane.normal, scaled(axis, lean)))
        sign = -1.0 if h > 0 else 1.0
        touch = along(along(center, out, sign * big), plane.normal, sign * small)
        return Intersection(points=(touch,)) if abs(ring.gap(touch)) <= HALF else NOTHING
    return NOTHING if abs(h) > big * flat + small else None


def _plane_extruded(plane: Plane, wall: ExtrudedSurface) -> Intersection | None:
    """Along the direction lines, else the profile drawn along it onto the plane; None where those nearly lie
    in each other."""
    lean = abs(dot(plane.normal, wall.frame.normal))
    if lean <= PARALLEL:
        return _parallel_walls(wall, PlaneSurface(plane))
    if lean <= LEAST_LEAN:
        return None
    if norm(cross(plane.normal, wall.frame.normal)) > PARALLEL:
        return Intersection(curves=(ParallelProjection(wall.frame.normal, plane).curve(wall.profile)[0],))
    lift = scaled(
        wall.frame.normal, -_height(wall.frame.origin, plane) * dot(plane.normal, wall.frame.normal)
    )
    return Intersection(curves=(wall.profile.moved(moved_by(*lift)),))


# ---------------------------------------------------------------------- one axis


def _common_axis(one: Meridian, two: Meridian) -> tuple[Vec3, Vec3] | None:
    """The axis that two surfaces of revolution share, if they do."""
    first, other = (one, two) if one.axis is not None else (two, one)
    if first.axis is None:
        return None
    if other.axis is not None and norm(cross(first.axis, other.axis)) > PARALLEL:
        return None
    off = sub(other.origin, first.origin)
    return (first.origin, first.axis) if norm(cross(off, first.axis)) <= HALF else None


_Profile = tuple[str, tuple[float, ...]]


def _profile(meridian: Meridian, origin: Vec3, axis: Vec3) -> _Profile:
    """A line (point, way) or a circle in the half-plane of an axis (distance from it, height)."""
    up = -1.0 if meridian.axis is not None and dot(meridian.axis, axis) < 0.0 else 1.0
    r, z = meridian.point
    z = dot(sub(meridian.origin, origin), axis) + up * z
    if meridian.way is None:
        return "circle", (r, z, meridian.radius)
    return "line", (r, z, meridian.way[0], up * meridian.way[1])


def _about_one_axis(one: Meridian, two: Meridian, origin: Vec3, axis: Vec3) -> Intersection:
    p, q = _profile(one, origin, axis), _profile(two, origin, axis)
    crossings, touching = _profile_crossings(p, q)
    if crossings is None:
        return SAME
    rings = []
    for reach, z in crossings:
        on_both = all(_is_reached(m, profile[1], (reach, z)) for m, profile in ((one, p), (two, q)))
        if reach > RESOLUTION and on_both:
            rings.append(Circle(Plane(along(origin, axis, z), axis), reach))
    poles = tuple(
        along(origin, axis, z) for reach, z in crossings if abs(reach) <= HALF and not touching and not rings
    )
    return Intersection(touches=tuple(rings)) if touching else Intersection(curves=tuple(rings), points=poles)


def _is_reached(meridian: Meridian, profile: tuple[float, ...], place: Vec2) -> bool:
    """Whether a place on the line of a profile belongs to the surface: above the apex, if that has one."""
    return not meridian.from_apex or (place[1] - profile[1]) * profile[3] > 0.0


def _profile_crossings(p: _Profile, q: _Profile) -> tuple[list[Vec2] | None, bool]:
    """Points that two profiles share, None if they are the same; and whether they only touch."""
    if p[0] == "line" and q[0] == "line":
        return _lines_meet(p[1], q[1]), False
    if p[0] == "circle" and q[0] == "circle":
        return _circles_meet(p[1], q[1])
    line, circle = (p[1], q[1]) if p[0] == "line" else (q[1], p[1])
    (x, z, dx, dz), (cx, cz, r) = line, circle
    h = (cx - x) * dz - (cz - z) * dx
    t = (cx - x) * dx + (cz - z) * dz
    if abs(h) >= r + HALF:
        return [], False
    if abs(h) > r - HALF:
        return [(x + t * dx, z + t * dz)], True
    reach = math.sqrt((r - abs(h)) * (r + abs(h)))
    return [(x + s * dx, z + s * dz) for s in (t - reach, t + reach)], False


def _lines_meet(p: tuple[float, ...], q: tuple[float, ...]) -> list[Vec2] | None:
    turn = p[2] * q[3] - p[3] * q[2]
    off = (q[0] - p[0], q[1] - p[1])
    if abs(turn) <= PARALLEL:
        return None if abs(off[0] * p[3] - off[1] * p[2]) <= HALF else []
    s = (off[0] * q[3] - off[1] * q[2]) / turn
    return [(p[0] + s * p[2], p[1] + s * p[3])]


def _circles_meet(p: tuple[float, ...], q: tuple[float, ...]) -> tuple[list[Vec2] | None, bool]:
    (ax, az, r), (bx, bz, s) = p, q
    dx, dz = bx - ax, bz - az
    d = math.hypot(dx, dz)
    if d <= HALF and abs(r - s) <= HALF:
        return None, False
    if d >= r + s + HALF or d <= abs(r - s) - HALF:
        return [], False
    if d <= NOWHERE:
        return [], False
    ux, uz = dx / d, dz / d
    if d > r + s - HALF or d < abs(r - s) + HALF:
        reach = r if d > r + s - HALF or r > s else -r
        return [(ax + reach * ux, az + reach * uz)], True
    t = (d * d + (r - s) * (r + s)) / (2.0 * d)
    h = math.sqrt(max(0.0, (r - t) * (r + t)))
    return [(ax + t * ux - k * h * uz, az + t * uz + k * h * ux) for k in (1.0, -1.0)], False


# ---------------------------------------------------------------------- spheres, cylinders


def _spheres(one: SphereSurface, two: SphereSurface) -> Intersection:
    d = distance(one.frame.origin, two.frame.origin)
    if d <= HALF:
        return SAME if abs(one.radius - two.radius) <= HALF else NOTHING
    axis = scaled(sub(two.frame.origin, one.frame.origin), 1.0 / d)
    outside = abs(d - one.radius - two.radius) <= HALF
    if outside or abs(d - abs(one.radius - two.radius)) <= HALF:
        sign = 1.0 if outside or one.radius > two.radius else -1.0
        return Intersection(points=(along(one.frame.origin, axis, sign * one.radius),))
    t = (d * d + (one.radius - two.radius) * (one.radius + two.radius)) / (2.0 * d)
    square = (one.radius - t) * (one.radius + t)
    if square <= (1e-4 * RESOLUTION) * one.radius or abs(t) >= one.radius:
        return NOTHING
    reach = math.sqrt(square)
    if reach <= RESOLUTION:
        return NOTHING
    return Intersection(curves=(Circle(Plane(along(one.frame.origin, axis, t), axis), reach),))


def _cylinders(one: CylinderSurface, two: CylinderSurface) -> Intersection | None:
    a, b = one.frame.normal, two.frame.normal
    off = sub(two.frame.origin, one.frame.origin)
    across = cross(a, b)
    if norm(across) <= PARALLEL:
        return _parallel_cylinders(one, two, off)
    n = unit(across)
    gap = dot(off, n)
    if abs(gap) >= one.radius + two.radius + HALF:
        return NOTHING
    if abs(gap) > one.radius + two.radius - HALF:
        s = dot(cross(off, b), across) / dot(across, across)
        return Intersection(points=(along(along(one.frame.origin, a, s), n, math.copysign(one.radius, gap)),))
    if abs(gap) > HALF or abs(one.radius - two.radius) > HALF:
        return None
    s = dot(cross(off, b), across) / dot(across, across)
    center = along(one.frame.origin, a, s)
    ellipses = []
    for way in (add(a, b), sub(a, b)):
        normal = unit(cross(n, way))
        frame = Plane(center, normal, unit(way))
        ellipses.append(Ellipse(frame, one.radius / abs(dot(normal, a)), one.radius))
    nodes = (along(center, n, one.radius), along(center, n, -one.radius))
    return Intersection(curves=tuple(ellipses), nodes=nodes)


def _parallel_cylinders(one: CylinderSurface, two: CylinderSurface, off: Vec3) -> Intersection:
    axis = one.frame.normal
    flat = sub(off, scaled(axis, dot(off, axis)))
    d, r, s = norm(flat), one.radius, two.radius
    if d >= r + s + HALF or d <= abs(r - s) - HALF or d <= NOWHERE:
        return NOTHING
    x = scaled(flat, 1.0 / d)
    if d > r + s - HALF or d < abs(r - s) + HALF:
        reach = r if d > r + s - HALF or r > s else -r
        return Intersection(touches=(Line(along(one.frame.origin, x, reach), axis),))
    t = (d * d + (r - s) * (r + s)) / (2.0 * d)
    h, y = math.sqrt((r - t) * (r + t)), cross(axis, x)
    base = along(one.frame.origin, x, t)
    return Intersection(curves=(Line(along(base, y, h), axis), Line(along(base, y, -h), axis)))


def _parallel_walls(one: ExtrudedSurface, two: Surface) -> Intersection | None:
    """Lines, of walls along one direction."""
    found = meeting_lines(one, two)
    if found is None:
        return None
    same, curves, touches = found
    return SAME if same else Intersection(curves=tuple(curves), touches=tuple(touches))


def _extruded_and_straight(
    one: ExtrudedSurface, two: ExtrudedSurface | CylinderSurface
) -> Intersection | None:
    if norm(cross(one.frame.normal, two.frame.normal)) > PARALLEL:
        return None
    return _parallel_walls(one, two)


def _cylinder_and_extruded(one: CylinderSurface, two: ExtrudedSurface) -> Intersection | None:
    return _extruded_and_straight(two, one)


def _meeting(rule: Callable[[ScrewSurface, Any], Sequence[Curve] | None]) -> Callable[..., Any]:
    """A rule of the table from one for the curves in which a screw surface and another meet."""

    def met(one: Surface, two: Surface) -> Intersection | None:
        screw, other = (one, two) if isinstance(one, ScrewSurface) else (two, one)
        assert isinstance(screw, ScrewSurface)
        found = rule(screw, other)
        return None if found is None else Intersection(curves=tuple(found))

    return met


def _screws(one: ScrewSurface, two: ScrewSurface) -> Intersection | None:
    found = on_like_screw(one, two)
    return None if found is None else SAME if found[0] else Intersection(curves=tuple(found[1]))


def _plane_screw(plane: Plane, screw: ScrewSurface) -> Intersection | None:
    found = across_axis(screw, plane)
    return None if found is None else Intersection(curves=tuple(found))


_WITH_PLANE: dict[type, Callable[[Plane, Any], Intersection | None]] = {
    PlaneSurface: _planes,
    CylinderSurface: _plane_cylinder,
    SphereSurface: _plane_sphere,
    ConeSurface: _plane_cone,
    TorusSurface: _plane_torus,
    ExtrudedSurface: _plane_extruded,
    ScrewSurface: _plane_screw,
    TurnedSurface: across_or_along,
}
_PAIRS: dict[tuple[type, type], Callable[[Any, Any], Intersection | None]] = {
    (SphereSurface, SphereSurface): _spheres,
    (CylinderSurface, CylinderSurface): _cylinders,
    (ExtrudedSurface, ExtrudedSurface): _extruded_and_straight,
    (ExtrudedSurface, CylinderSurface): _extruded_and_straight,
    (CylinderSurface, ExtrudedSurface): _cylinder_and_extruded,
    (ScrewSurface, ScrewSurface): _screws,
    (ScrewSurface, CylinderSurface): _meeting(on_cylinder),
    (CylinderSurface, ScrewSurface): _meeting(on_cylinder),
    (ScrewSurface, ConeSurface): _meeting(on_cone),
    (ConeSurface, ScrewSurface): _meeting(on_cone),
}
"""The pairs with closed forms, besides surfaces of revolution about one axis."""
