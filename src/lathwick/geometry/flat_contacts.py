"""Points where a torus is touched flatly by another surface.

Along the two circles in which a plane can lie on it a torus does not bend across the ring; where a
cylinder, a cone or another torus touches the same plane, the surfaces may agree to second order, and
the point cannot be found by iteration to better than the cube root of the rounding. It has a closed form.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from .intersections import HALF, PARALLEL
from .placement import Plane
from .round_surfaces import TorusSurface
from .surface import Surface
from .tolerance import RESOLUTION
from .vector import Vec2, Vec3, cross, dot, norm, unit


@dataclass(frozen=True, slots=True)
class _Contact:
    """Where a surface touches a plane, in its (x, y): a line through `point`, or a circle about it."""

    point: Vec2
    way: Vec2 | None = None
    radius: float = 0.0


def flat_contacts(one: Surface, two: Surface) -> list[Vec3]:
    """Points at which both surfaces touch a plane on which a torus, one of them, lies in a circle."""
    found: list[Vec3] = []
    for ring, other in ((one, two), (two, one)):
        if not isinstance(ring, TorusSurface) or ring.major <= RESOLUTION:
            continue
        for side in (1.0, -1.0):
            plane = ring.frame.offset(side * ring.minor)
            contact = _contact(plane, other)
            if contact is not None:
                found += [plane.point(*p) for p in _on_circle(contact, ring.major)]
    return [p for i, p in enumerate(found) if all(math.dist(p, q) > RESOLUTION for q in found[:i])]


def _contact(plane: Plane, surface: Surface) -> _Contact | None:
    meridian = surface.meridian
    if meridian is None or meridian.axis is None:
        return None
    x, y, height = plane.local(meridian.origin)
    rise = dot(meridian.axis, plane.normal)
    if meridian.way is not None:  # a line in the plane, of a cylinder or a cone
        reach, lean = meridian.point[0], meridian.way[0]
        flat = abs(abs(rise) - lean) <= PARALLEL and abs(abs(height) - reach) <= HALF
        return _Contact((x, y), _level(plane, meridian.axis)) if flat else None
    level = norm(cross(meridian.axis, plane.normal)) <= PARALLEL and meridian.point[0] > RESOLUTION
    if not level or abs(abs(height) - meridian.radius) > HALF:
        return None
    return _Contact((x, y), radius=meridian.point[0])


def _level(plane: Plane, way: Vec3) -> Vec2:
    x, y, _ = unit((dot(way, plane.x), dot(way, plane.y), 0.0))
    return (x, y)


def _on_circle(contact: _Contact, radius: float) -> list[Vec2]:
    """Points of a line or circle on the circle of `radius` about the origin; one where they only touch."""
    px, py = contact.point
    if contact.way is not None:
        dx, dy = contact.way
        along = px * dx + py * dy
        foot = (px - along * dx, py - along * dy)
        return _either_side(foot, (dx, dy), radius, math.hypot(*foot))
    d = math.hypot(px, py)
    if d <= HALF:
        return []
    reach = 0.5 * (d * d + radius * radius - contact.radius * contact.radius) / d
    x, y = px / d, py / d
    apart = max(d - radius - contact.radius, abs(radius - contact.radius) - d)
    if abs(apart) <= HALF:
        return [(math.copysign(radius, reach) * x, math.copysign(radius, reach) * y)]
    return _either_side((reach * x, reach * y), (-y, x), radius, abs(reach))


def _either_side(foot: Vec2, way: Vec2, radius: float, away: float) -> list[Vec2]:
    if abs(away - radius) <= HALF:
        return [(foot[0] * radius / away, foot[1] * radius / away)]
    if away > radius:
        return []
    half = math.sqrt((radius - away) * (radius + away))
    return [(foot[0] + s * half * way[0], foot[1] + s * half * way[1]) for s in (1.0, -1.0)]
