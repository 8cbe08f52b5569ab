"""Surfaces of ISO 10303-42 as surfaces of the kernel."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np

from ....errors import ExchangeError
from ....geometry.conics import Hyperbola, Parabola
from ....geometry.curve import Curve
from ....geometry.curves import Circle, Ellipse, Line
from ....geometry.fitting import curve_as_spline
from ....geometry.placement import Axis, FloatArray, Plane
from ....geometry.projection import ParallelProjection
from ....geometry.rational import rational_curve, turned_surface
from ....geometry.round_surfaces import ConeSurface, SphereSurface, TorusSurface
from ....geometry.spline import SplineCurve
from ....geometry.spline_surface import SplineSurface
from ....geometry.surface import Surface
from ....geometry.surfaces import CylinderSurface, ExtrudedSurface, PlaneSurface
from ....geometry.turned import turned
from ....geometry.vector import Vec3, along, cross, dot, negated, norm, scaled, sub, unit, vec3
from .curves import EVEN, clamped, knot_row, read_curve, spline_values
from .recognized import recognized
from .replicas import original
from .source import Source

LEVEL = 1e-9
MOST_CONTROLS = 1_000_000


class Read(NamedTuple):
    """A surface, and whether its normal is that of the standard's."""

    surface: Surface
    same: bool


def read_surface(source: Source, number: int) -> Read:
    """The surface of an instance. Raises ExchangeError, with its number and name, for what cannot be read."""
    return source.once("surface", number, lambda: source.by_kind(number, _PASSED, _KINDS, "surface"))


def _placed(source: Source, number: int, name: str, least: int) -> tuple[Plane, list[Any]]:
    _, frame, *values = source.values(number, name, 2 + least)
    return source.placement(source.ref(frame, number, "a position")), values


def _plane(source: Source, number: int) -> Read:
    return Read(PlaneSurface(_placed(source, number, "PLANE", 0)[0]), True)


def _cylinder(source: Source, number: int) -> Read:
    frame, (radius, *_) = _placed(source, number, "CYLINDRICAL_SURFACE", 1)
    return Read(CylinderSurface(frame, source.size(radius, number, "a radius")), True)


def _cone(source: Source, number: int) -> Read:
    frame, (radius, half, *_) = _placed(source, number, "CONICAL_SURFACE", 2)
    size = source.number(radius, number, "a radius") * source.length
    angle = source.number(half, number, "a semi-angle") * source.angle
    if size < 0.0 or not 0.0 < abs(angle) < math.pi / 2:
        raise ExchangeError(
            f"#{number}: a cone of radius {size:g} and semi-angle {math.degrees(angle):g} degrees"
        )
    if angle < 0.0:  # it narrows along its axis: as some write it
        frame = Plane(frame.origin, negated(frame.normal), frame.x)
    steep = math.tan(abs(angle))
    apex = along(frame.origin, frame.normal, -size / steep)
    return Read(ConeSurface(frame.moved_to(apex), abs(angle)), True)


def _sphere(source: Source, number: int) -> Read:
    frame, (radius, *_) = _placed(source, number, "SPHERICAL_SURFACE", 1)
    return Read(SphereSurface(frame, source.size(radius, number, "a radius")), True)


def _torus(source: Source, number: int) -> Read:
    frame, (major, minor, *_) = _placed(source, number, "TOROIDAL_SURFACE", 2)
    radii = (source.size(major, number, "a radius"), source.size(minor, number, "a radius"))
    return Read(TorusSurface(frame, *radii), True)


def _degenerate_torus(source: Source, number: int) -> Read:
    frame, (major, minor, outer, *_) = _placed(source, number, "DEGENERATE_TOROIDAL_SURFACE", 3)
    big, small = source.size(major, number, "a radius"), source.size(minor, number, "a radius")
    if source.flag(outer, number, "select_outer"):
        return Read(TorusSurface(frame, big, small), True)
    return Read(TorusSurface(frame, -big, small), False)


# ---------------------------------------------------------------------- swept


def _extruded(source: Source, number: int) -> Read:
    _, profile, vector, *_ = source.values(number, "SURFACE_OF_LINEAR_EXTRUSION", 3)
    ahead = source.values(source.ref(vector, number, "a vector"), "VECTOR", 2)[1]
    way = source.direction(source.ref(ahead, number, "a way"))
    curve = _bounded(source, read_curve(source, source.ref(profile, number, "a profile")))
    if isinstance(curve, Line):
        normal = cross(curve.direction, way)
        if norm(normal) <= LEVEL:
            raise ExchangeError(f"#{number}: a line extruded along itself")
        return Read(PlaneSurface(Plane(curve.origin, normal, curve.direction)), True)
    across = Plane(_any_point(curve), way)
    drawn = _drawn(curve, across, way, number)
    if isinstance(drawn, Circle):
        same = dot(drawn.frame.normal, way) > 0.0
        frame = drawn.frame if same else Plane(drawn.frame.origin, negated(drawn.frame.normal), drawn.frame.x)
        return Read(CylinderSurface(frame, drawn.radius), same)
    return Read(ExtrudedSurface(drawn, across), True)


def _bounded(source: Source, curve: Curve) -> Curve:
    """A spline for an endless conic, as far as there are points in the file; any other curve as it is."""
    if not isinstance(curve, (Hyperbola, Parabola)):
        return curve
    far = _far(source, curve)
    if isinstance(curve, Hyperbola):
        return curve_as_spline(curve, -far, far)
    exact = rational_curve(curve, -far, far)
    return SplineCurve(exact.degree, exact.knots, exact.controls)


def _far(source: Source, curve: Hyperbola | Parabola) -> float:
    """The parameter up to which an endless conic is needed."""
    reach = source.reach + norm(curve.frame.origin)
    if isinstance(curve, Hyperbola):
        return min(math.acosh(1.0 + reach / curve.major), math.asinh(reach / curve.minor))
    return min(math.sqrt(reach / curve.focal), 0.5 * reach / curve.focal)


def _any_point(curve: Curve) -> Vec3:
    low, _ = curve.domain
    return curve.point(low if math.isfinite(low) else 0.0)


def _drawn(curve: Curve, across: Plane, way: Vec3, number: int) -> Circle | Ellipse | SplineCurve:
    """A profile drawn along its way onto the plane across it."""
    onto = ParallelProjection(way, across)
    if isinstance(curve, Circle):
        if norm(cross(curve.frame.normal, way)) <= LEVEL:
            return Circle(curve.frame, curve.radius)
        made, _ = onto.ellipse(curve.frame, curve.radius, curve.radius)
    elif isinstance(curve, (Ellipse, SplineCurve)):
        drawn, _ = onto.curve(curve)
        if isinstance(drawn, SplineCurve):
            return drawn
        made = drawn
    else:
        raise ExchangeError(f"#{number}: an extruded {curve.kind} cannot be read")
    if abs(made.major - made.minor) <= LEVEL * made.major:
        return Circle(made.frame, made.major)
    return made


def _revolved(source: Source, number: int) -> Read:
    _, profile, axis, *_ = source.values(number, "SURFACE_OF_REVOLUTION", 3)
    curve = read_curve(source, source.ref(profile, number, "a profile"))
    origin, way = source.axis(source.ref(axis, number, "an axis"))
    if isinstance(curve, Line):
        return _revolved_line(source, curve, (origin, way), number)
    if isinstance(curve, Circle):
        ring = _revolved_circle(curve, origin, way)
        if ring is not None:
            return ring
    frame = _half_plane(curve, origin, way)
    if frame is not None:
        return Read(turned(curve, curve.domain, frame), True)
    low, high = curve.domain
    if isinstance(curve, (Hyperbola, Parabola)):
        high = _far(source, curve)
        low = -high
    made = turned_surface(rational_curve(curve, low, high), Axis(origin, way), math.tau)
    return Read(made, True)


def _half_plane(curve: Curve, origin: Vec3, way: Vec3) -> Plane | None:
    """The frame, with the axis as its normal, in whose half-plane towards x a profile lies; None for one that
    lies in none, or is closed."""
    if not isinstance(curve, SplineCurve) or curve.is_closed:
        return None
    local = curve.controls - np.asarray(origin)
    level = local - np.outer(local @ np.asarray(way), way)
    sizes = np.linalg.norm(level, axis=1)
    if sizes.max() <= LEVEL:
        return None
    x, y, z = (level[sizes.argmax()] / sizes.max()).tolist()
    frame = Plane(origin, way, (x, y, z))
    aside, out = level @ np.asarray(frame.y), curve.points(curve.samples(*curve.domain)) - np.asarray(origin)
    in_half = (
        np.abs(aside).max() <= LEVEL * (1.0 + sizes.max()) and (out @ np.asarray(frame.x)).min() >= -LEVEL
    )
    return frame if in_half else None


def _revolved_line(source: Source, line: Line, axis: tuple[Vec3, Vec3], number: int) -> Read:
    """A plane, a cylinder or a cone; of a skew line a hyperboloid, as far as there are points in the file."""
    origin, way = axis
    height = dot(sub(line.origin, origin), way)
    foot = along(origin, way, height)
    out = sub(line.origin, foot)
    slope = dot(line.direction, way)
    if norm(cross(line.direction, way)) <= LEVEL:
        radius = norm(out)
        if radius <= LEVEL:
            raise ExchangeError(f"#{number}: a line revolved about itself")
        return Read(CylinderSurface(Plane(foot, way, out), radius), slope > 0.0)
    side = sub(line.direction, scaled(way, slope))
    if norm(cross(out, side)) > LEVEL * (1.0 + norm(out)):
        half = source.reach + norm(line.origin)
        return Read(turned_surface(rational_curve(line, -half, half), Axis(origin, way), math.tau), True)
    if abs(slope) <= LEVEL:
        return Read(PlaneSurface(Plane(foot, way)), dot(side, out) < 0.0 if norm(out) > LEVEL else False)
    # where the line meets the axis: out + t side = 0
    t = -dot(out, side) / dot(side, side)
    apex = along(foot, way, t * slope)
    rising = dot(sub(line.origin, apex), way)
    up = way if rising > 0.0 or (rising == 0.0 and slope > 0.0) else negated(way)
    half = math.atan(norm(side) / abs(slope))
    same = dot(line.direction, way) > 0.0
    return Read(ConeSurface(Plane(apex, up), half), same)


def _revolved_circle(circle: Circle, origin: Vec3, way: Vec3) -> Read | None:
    """A torus or a sphere, where the circle lies in a plane of the axis."""
    center = circle.frame.origin
    foot = along(origin, way, dot(sub(center, origin), way))
    out = sub(center, foot)
    in_plane = abs(dot(circle.frame.normal, way)) <= LEVEL and (
        norm(out) <= LEVEL or abs(dot(circle.frame.normal, unit(out))) <= LEVEL
    )
    if not in_plane:
        return None
    side = out if norm(out) > LEVEL else circle.frame.x  # a half circle begins and ends on the axis
    same = dot(cross(way, side), circle.frame.normal) < 0.0
    if norm(out) <= LEVEL:
        return Read(SphereSurface(Plane(center, way), circle.radius), same)
    return Read(TorusSurface(Plane(foot, way, out), norm(out), circle.radius), same)


def _offset(source: Source, number: int) -> Read:
    _, basis, distance, *_ = source.values(number, "OFFSET_SURFACE", 3)
    found = read_surface(source, source.ref(basis, number, "a basis surface"))
    away = source.number(distance, number, "a distance") * source.length
    made = found.surface.exact_offset(away if found.same else -away)
    if made is None:
        raise ExchangeError(f"#{number}: the offset of a {found.surface.called} surface cannot be read")
    return Read(made, found.same)


# ---------------------------------------------------------------------- splines


def _spline(source: Source, number: int) -> Read:
    shape, knots, kind, weights = spline_values(source, number, "SURFACE", 7)
    if len(shape) < 3 or not isinstance(shape[2], list) or not shape[2]:
        raise ExchangeError(f"#{number}: a spline surface without controls")
    degrees = [int(source.number(d, number, "a degree")) for d in shape[:2]]
    net = [[source.point(p) for p in source.refs(row, number, "a row of controls")] for row in shape[2]]
    if len({len(row) for row in net}) != 1 or len(net) * len(net[0]) > MOST_CONTROLS:
        raise ExchangeError(f"#{number}: its rows of controls are not alike, or too many")
    controls = np.array(net)
    counts = controls.shape[:2]
    if any(not 1 <= d <= 25 or n <= d for d, n in zip(degrees, counts, strict=True)):
        raise ExchangeError(
            f"#{number}: {counts[0]} x {counts[1]} controls of degrees {degrees[0]}, {degrees[1]}"
        )
    rows = [
        knot_row(source, number, kind, d, n, None if knots is None else (knots[k], knots[k + 2]))
        for k, (d, n) in enumerate(zip(degrees, counts, strict=True))
    ]
    sizes = np.ones(counts) if weights is None else _weights(source, number, weights[0], counts)
    lifted = np.concatenate([controls * sizes[:, :, None], sizes[:, :, None]], axis=2)
    lifted, first = _clamped_along(lifted, degrees[0], rows[0])
    turned, second = _clamped_along(lifted.transpose(1, 0, 2), degrees[1], rows[1])
    lifted = turned.transpose(1, 0, 2)
    w = lifted[:, :, 3]
    plain = bool(np.ptp(w) <= 1e-14 * w.max())
    controls = lifted[:, :, :3] / w[:, :, None]
    made = SplineSurface((degrees[0], degrees[1]), (first, second), controls, None if plain else w)
    return _as_it_is(made)


def _as_it_is(spline: SplineSurface) -> Read:
    """The plane, cylinder, cone, sphere or torus that a spline lies on, or the spline."""
    found = recognized(spline)
    if found is None:
        return Read(spline, True)
    uv = np.array([[0.41 * a + 0.59 * b for a, b in zip(spline.low, spline.high, strict=True)]])
    there = spline.points(uv)
    return Read(found, float((spline.normals_at(uv) * found.normals(there)).sum()) > 0.0)


def _clamped_along(
    lifted: FloatArray, degree: int, knots: tuple[float, ...]
) -> tuple[FloatArray, tuple[float, ...]]:
    n, m, d = lifted.shape
    row, flat = clamped(degree, knots, lifted.reshape(n, m * d))
    return np.asarray(flat).reshape(-1, m, d), row


def _weights(source: Source, number: int, table: Any, counts: tuple[int, ...]) -> FloatArray:
    rows = [[source.number(w, number, "a weight") for w in row] for row in table if isinstance(row, list)]
    made = np.array(rows) if len({len(row) for row in rows}) == 1 else np.zeros((0, 0))
    if made.shape != counts or not (made > 0.0).all():
        raise ExchangeError(f"#{number}: weights must be more than 0, one for each control")
    return made


def _replica(source: Source, number: int) -> Read:
    """An image, with the normal that the image of its lines of parameters has."""
    parent, motion = original(source, number, "SURFACE_REPLICA")
    read = read_surface(source, parent)
    made = read.surface.moved(motion)[0]
    ranges = [(low, high) if high - low < math.inf else (0.0, 1.0) for low, high in read.surface.domain]
    uv = np.array([[0.41 * low + 0.59 * high for low, high in ranges]])
    place = read.surface.points(uv)
    normal = motion.direction(vec3(read.surface.normals(place)[0]))
    agree = dot(vec3(made.normals(motion.points(place))[0]), normal) > 0.0
    return Read(made, read.same is (agree is not motion.is_mirror))


_PASSED = {"RECTANGULAR_TRIMMED_SURFACE"}
"""Its second value is the surface itself."""

_SPLINES = ("B_SPLINE_SURFACE", "B_SPLINE_SURFACE_WITH_KNOTS", "RATIONAL_B_SPLINE_SURFACE", *EVEN["SURFACE"])

_KINDS: dict[str, Callable[[Source, int], Read]] = {
    "PLANE": _plane,
    "CYLINDRICAL_SURFACE": _cylinder,
    "CONICAL_SURFACE": _cone,
    "SPHERICAL_SURFACE": _sphere,
    "TOROIDAL_SURFACE": _torus,
    "DEGENERATE_TOROIDAL_SURFACE": _degenerate_torus,
    "SURFACE_OF_LINEAR_EXTRUSION": _extruded,
    "SURFACE_OF_REVOLUTION": _revolved,
    "OFFSET_SURFACE": _offset,
    "SURFACE_REPLICA": _replica,
    **dict.fromkeys(_SPLINES, _spline),
}
