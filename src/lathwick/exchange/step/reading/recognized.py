"""Spline surfaces that are planes, cylinders, cones, spheres or tori: some writers know only splines.

Each kind is fitted by a linear problem in places and normals, and taken where all places lie on it.

Source: Pottmann & Wallner, "Computational Line Geometry", Springer (2001), chapter 4: the normals of a
surface of revolution all meet its axis.
"""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from ....geometry.curves import circle_through
from ....geometry.motion import Motion
from ....geometry.placement import FloatArray, Plane
from ....geometry.round_surfaces import ConeSurface, SphereSurface, TorusSurface
from ....geometry.spline_surface import SplineSurface
from ....geometry.surface import Surface
from ....geometry.surfaces import CylinderSurface, PlaneSurface
from ....geometry.vector import Vec3, vec3

ON = 1e-10
"""How far places may lie off the surface, as a share of their extent."""

SINGLE = 1e-7
"""A singular value below this share of the largest is nought, and one above is not."""

LEAST_ANGLE, LEAST_RING = 1e-4, 1e-6
MOST_SPANS = 40
EACH, LEAST = 4, 13
"""Places in each span between knots, of at most so many spans each way, and in all of them: fewer places
may lie on a surface by chance."""

Fit = Callable[[FloatArray, FloatArray], Surface | None]


def recognized(surface: SplineSurface) -> Surface | None:
    """The plane, cylinder, cone, sphere or torus that a spline surface lies on; None if it lies on none. The
    normal may look the other way."""
    uv = _spread(surface)
    points, normals = surface.points(uv), surface.normals_at(uv)
    middle = points.mean(axis=0)
    size = float(np.ptp(points, axis=0).max())
    if not size > 0.0 or not np.isfinite(normals).all():
        return None
    for fit in _FITS:
        found = fit((points - middle) / size, normals)
        if found is None:
            continue
        made, _ = found.moved(Motion(shift=vec3(middle), factor=size))
        if isinstance(made, SphereSurface):
            made = SphereSurface(Plane(made.frame.origin, _axis(surface, made)), made.radius)
        if np.abs(made.distance(points)).max() <= ON * size:
            return made
    return None


def _spread(surface: SplineSurface) -> FloatArray:
    """Parameters in all spans, (N, 2), none on a border."""
    rows = []
    for knots in surface.knots:
        breaks = np.unique(knots)
        if len(breaks) > MOST_SPANS:
            breaks = breaks[np.linspace(0, len(breaks) - 1, MOST_SPANS).astype(int)]
        count = max(EACH, math.ceil(LEAST / (len(breaks) - 1)))
        shares = (np.arange(count) + 0.4) / count
        rows.append((breaks[:-1, None] + shares * np.diff(breaks)[:, None]).ravel())
    return np.stack(np.meshgrid(*rows, indexing="ij"), axis=-1).reshape(-1, 2)


def _axis(surface: SplineSurface, sphere: SphereSurface) -> Vec3:
    """Towards a pole of the spline, if it has one, or else square to one of its circles that is no great
    one."""
    center = np.array(sphere.frame.origin)
    net = surface.controls
    for row in (net[0], net[-1], net[:, 0], net[:, -1]):
        if np.ptp(row, axis=0).max() <= SINGLE * sphere.radius:
            return vec3(row[0] - center)
    (u0, v0), (u1, v1) = surface.low, surface.high
    shares = np.array([0.1, 0.5, 0.8])
    for along_u in (True, False):
        across = np.full(3, 0.27)
        s, t = (shares, across) if along_u else (across, shares)
        places = surface.points(np.column_stack([u0 + s * (u1 - u0), v0 + t * (v1 - v0)]))
        circle = circle_through(*(vec3(p) for p in places))
        if circle is not None and math.dist(circle.frame.origin, center) > SINGLE * sphere.radius:
            return circle.frame.normal
    return (0.0, 0.0, 1.0)


def _plane(points: FloatArray, normals: FloatArray) -> Surface | None:
    _, sizes, rows = np.linalg.svd(points - points.mean(axis=0), full_matrices=False)
    if sizes[2] > SINGLE * sizes[0]:
        return None
    return PlaneSurface(Plane(vec3(points.mean(axis=0)), vec3(rows[2]), vec3(rows[0])))


def _cylinder(points: FloatArray, normals: FloatArray) -> Surface | None:
    """All normals are square to one way."""
    way = _only_solution(normals)
    if way is None:
        return None
    frame = Plane((0.0, 0.0, 0.0), vec3(way))
    flat = frame.locals(points)[:, :2]
    (x, y), radius = _circle(flat)
    return CylinderSurface(frame.moved_to(frame.point(x, y)), radius)


def _cone(points: FloatArray, normals: FloatArray) -> Surface | None:
    """All normals are as steep on one way, and all tangent planes pass one point."""
    found = _only_solution(np.column_stack([normals, -np.ones(len(normals))]))
    if found is None:
        return None
    way, steep = found[:3] / np.linalg.norm(found[:3]), found[3] / np.linalg.norm(found[:3])
    half = float(np.arcsin(min(abs(steep), 1.0)))
    if not LEAST_ANGLE < half < 0.5 * np.pi - LEAST_ANGLE:
        return None
    apex = np.linalg.lstsq(normals, (normals * points).sum(axis=1), rcond=None)[0]
    heights = (points - apex) @ way
    if heights.min() * heights.max() < 0.0:  # both halves of a double cone
        return None
    return ConeSurface(Plane(vec3(apex), vec3(way if heights.mean() > 0.0 else -way)), half)


def _sphere(points: FloatArray, normals: FloatArray) -> Surface | None:
    """Square lengths are linear in the places."""
    found, *_ = np.linalg.lstsq(
        np.column_stack([2.0 * points, np.ones(len(points))]), (points * points).sum(axis=1), rcond=None
    )
    radius = float(np.sqrt(max(found[3] + found[:3] @ found[:3], 0.0)))
    return SphereSurface(Plane(vec3(found[:3]), (0.0, 0.0, 1.0)), radius)


def _torus(points: FloatArray, normals: FloatArray) -> Surface | None:
    """All normals meet one line, the axis: its Plucker coordinates solve a linear system."""
    found = _only_solution(np.column_stack([normals, np.cross(points, normals)]))
    if found is None or np.linalg.norm(found[3:]) < LEAST_RING:
        return None
    moment, way = found[:3] / np.linalg.norm(found[3:]), found[3:] / np.linalg.norm(found[3:])
    if abs(float(moment @ way)) > SINGLE:
        return None
    frame = Plane(vec3(np.cross(way, moment)), vec3(way))
    local = frame.locals(points)
    across = np.column_stack([np.hypot(local[:, 0], local[:, 1]), local[:, 2]])
    (major, height), minor = _circle(across)
    if not minor * (1.0 + LEAST_RING) < major:
        return None
    return TorusSurface(frame.offset(height), major, minor)


def _only_solution(rows: FloatArray) -> FloatArray | None:
    """The unit vector that a homogeneous system sends to nought, if it has just one."""
    _, sizes, turned = np.linalg.svd(rows, full_matrices=False)
    one = sizes[-1] <= SINGLE * sizes[0] < sizes[-2]
    return np.asarray(turned[-1]) if one else None


def _circle(flat: FloatArray) -> tuple[tuple[float, float], float]:
    """Center and radius of the circle through places in a plane, (N, 2)."""
    rows = np.column_stack([2.0 * flat, np.ones(len(flat))])
    x, y, rest = np.linalg.lstsq(rows, (flat * flat).sum(axis=1), rcond=None)[0].tolist()
    return (x, y), float(np.sqrt(max(rest + x * x + y * y, 0.0)))


_FITS: tuple[Fit, ...] = (_plane, _sphere, _cylinder, _cone, _torus)
