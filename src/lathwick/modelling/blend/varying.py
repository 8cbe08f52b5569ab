"""The round of an edge by a ball whose radius changes along it: a cone, or a canal."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import numpy as np
from numpy.polynomial.polynomial import polyder, polyval

from ...errors import ModellingError
from ...geometry.curves import Circle, Line
from ...geometry.placement import FloatArray, Plane
from ...geometry.round_surfaces import ConeSurface
from ...geometry.spline import FittedCurve, joined
from ...geometry.varying_canal import VaryingCanal
from ...geometry.vector import Vec3, add, along, dot, norm, scaled, unit
from ...topology.brep import Edge, Face
from ..refitting.errors import TooLargeError
from ..refitting.nearness import FITTED, Curves, distance_off
from ..refitting.sides import turn_at
from .canals import NODES, refuse_folds
from .rolling import centers_across
from .strips import Strip

ROOMS_BEYOND = (3.0, 1.0, 0.2, 0.0)
"""The ball rolls so many radii beyond the ends, if it can."""

SMALLEST = 0.25
"""Beyond an end the radius may become so small, as a share of that at the end."""

TURN_BEYOND = 0.8
NUDGE = 1e-4
"""Slopes at the end of an edge are taken over such shares of it."""

STEEPEST = 0.95
ENOUGH = 65
GAUSS = np.polynomial.legendre.leggauss(8)

ROOM = 20.0
"""The middle line is laid out so many lengths of the edge beyond it, as far as the apex."""


def varying_strip(edge: Edge, faces: tuple[Face, Face], radii: tuple[float, float]) -> Strip:
    """The envelope of balls with radii linear, by length, between the ends of the edge.

    Raises TooLargeError where there are no such balls, and ModellingError for a closed edge. Source: Vida,
    Martin & Varady (1994), rolling balls of varying radius.
    """
    if isinstance(edge.curve, Line) and all(face.surface.plane is not None for face in faces):
        return _cone_strip(edge, edge.curve, faces, radii)
    return _canal_strip(edge, faces, (radii[0], (radii[1] - radii[0]) / edge.length), ROOMS_BEYOND)


def joining_strip(edge: Edge, faces: tuple[Face, Face], radii: tuple[float, float], growth: float) -> Strip:
    """As `varying_strip`, for an edge of a chain: at its ends the radius grows by `growth` for each length
    that the ball's center goes, as it does on the edges before and after. There the circles in which the ball
    touches their strips are one."""
    if isinstance(edge.curve, Line) and all(face.surface.plane is not None for face in faces):
        return _cone_strip(edge, edge.curve, faces, radii)
    length, step = edge.length, radii[1] - radii[0]
    first, last = (growth * _center_speed(edge, faces, radii[k], bool(k)) for k in (0, 1))
    square = 3.0 * step / length**2 - (2.0 * first + last) / length
    cube = (first + last) / length**2 - 2.0 * step / length**3
    return _canal_strip(edge, faces, (radii[0], first, square, cube), ROOMS_BEYOND)


def _center_speed(edge: Edge, faces: tuple[Face, Face], radius: float, at_end: bool) -> float:
    """How fast the center of a ball goes at an end of an edge, for each length along the edge."""
    side = -1.0 if turn_at(edge, faces, 0.5 * (edge.t0 + edge.t1)) > 0.0 else 1.0
    end, nudge = (edge.t1, -NUDGE) if at_end else (edge.t0, NUDGE)
    t: FloatArray = end + nudge * (edge.t1 - edge.t0) * np.arange(3.0)
    points, ways = edge.curve.points(t), edge.curve.derivatives(t)
    centers, _ = centers_across(points, ways, faces, side * radius)
    slopes = [-3.0 * table[0] + 4.0 * table[1] - table[2] for table in (centers, points)]
    return float(np.linalg.norm(slopes[0]) / np.linalg.norm(slopes[1]))


def easing_strip(edge: Edge, faces: tuple[Face, Face], radii: tuple[float, float]) -> Strip:
    """As `varying_strip`, but the radius starts and ends level, so that the strip continues others smoothly:
    by Hermite's cubic."""
    step, length = radii[1] - radii[0], edge.length
    return _canal_strip(edge, faces, (radii[0], 0.0, 3.0 * step / length**2, -2.0 * step / length**3), (0.0,))


def _cone_strip(edge: Edge, line: Line, faces: tuple[Face, Face], radii: tuple[float, float]) -> Strip:
    """A cone whose apex lies on the edge's line, and which touches both planes along straight lines."""
    convex = turn_at(edge, faces, 0.5 * (edge.t0 + edge.t1)) > 0.0
    side = -1.0 if convex else 1.0
    normals = [face.outward_normal(edge.midpoint()) for face in faces]
    off = scaled(add(*normals), side / (1.0 + dot(*normals)))  # where the ball's center is, for radius 1
    growth = (radii[1] - radii[0]) / (edge.t1 - edge.t0)
    apex_at = edge.t0 - radii[0] / growth
    apex, way = line.point(apex_at), line.direction
    axis = along(way, off, growth)
    half = math.asin(abs(growth) / norm(axis))
    up = math.copysign(1.0, growth)
    rulings = [along(axis, normal, -side * growth) for normal in normals]
    speed = norm(rulings[0])
    # all run by the distance from the apex along the contacts, negative where the cone narrows on the way
    contacts = Line(apex, unit(rulings[0])), Line(apex, unit(rulings[1]))
    span = ((edge.t0 - apex_at) * speed, (edge.t1 - apex_at) * speed)
    surface = ConeSurface(Plane(apex, scaled(axis, up / norm(axis))), half)
    spine = _middle(apex, scaled(unit(axis), math.cos(half)), span)
    return Strip(edge, faces, convex, max(radii), surface, convex, contacts, spine, span)


def _middle(apex: Vec3, way: Vec3, span: tuple[float, float]) -> FittedCurve:
    """The centers of the circles across the cone, by the parameter of its contacts."""
    room = ROOM * (span[1] - span[0])
    low, high = (0.0, span[1] + room) if span[0] > 0.0 else (span[0] - room, 0.0)
    ends = np.array([along(apex, way, low), along(apex, way, high)])
    return FittedCurve(1, (low, low, high, high), ends)


def _canal_strip(
    edge: Edge, faces: tuple[Face, Face], law: tuple[float, ...], rooms: Sequence[float]
) -> Strip:
    """law : the radius as a polynomial of the length from the start of the edge. rooms : how many radii the
    ball may roll beyond its ends, the most first."""
    if edge.is_closed:
        raise ModellingError("a radius cannot vary along a closed edge: it has no ends")
    length = edge.length
    convex = turn_at(edge, faces, 0.5 * (edge.t0 + edge.t1)) > 0.0
    radii = polyval(np.linspace(0.0, length, ENOUGH), law)
    last: TooLargeError | None = None
    for room in rooms:
        try:
            curves = _curves(edge, faces, law, _reach(edge, law, room * float(radii.max())), convex)
        except TooLargeError as error:
            last = error
            continue
        surface = VaryingCanal.of(curves[0], curves[1], law)
        stops = np.linspace(surface.spine.low, surface.spine.high, len(surface.spine.knots))
        middles = joined([(stops, surface.middles(stops))])
        strip = Strip(
            edge,
            faces,
            convex,
            float(radii.max()),
            surface,
            convex,
            (curves[1], curves[2]),
            middles,
            (0.0, length),
        )
        refuse_folds(strip, surface)
        return strip
    assert last is not None
    raise last


def _reach(edge: Edge, law: tuple[float, ...], room: float) -> tuple[float, float]:
    """How far the ball may roll, by the length from the start: at most `room` beyond the ends, without
    turning much or becoming small there."""
    length, curve = edge.length, edge.curve
    if isinstance(curve, Circle):
        room = min(room, TURN_BEYOND * curve.radius, 0.4 * (math.tau * curve.radius - length))
    elif not isinstance(curve, Line):
        room = 0.0  # other curves may end with the edge
    stops = np.linspace(0.0, room, ENOUGH)
    ends = []
    for start, side in ((0.0, -1.0), (length, 1.0)):
        radii = polyval(start + side * stops, law)
        small = np.nonzero(radii < SMALLEST * radii[0])[0]
        ends.append(start + side * float(stops[small[0] - 1] if len(small) else room))
    return ends[0], ends[1]


def _curves(
    edge: Edge, faces: tuple[Face, Face], law: tuple[float, ...], reach: tuple[float, float], convex: bool
) -> Curves:
    """The spine and the contacts, by the length along the edge."""
    parameter = _by_length(edge)
    side = -1.0 if convex else 1.0

    def off(u: FloatArray) -> FloatArray:
        return np.asarray(side * polyval(u, law), dtype=float)

    for count in NODES:
        u = np.linspace(*reach, count)
        t = parameter(u)
        centers, feet = centers_across(edge.curve.points(t), edge.curve.derivatives(t), faces, off(u))
        spine, one, two = (joined([(u, table)]) for table in (centers, *feet))
        between = 0.5 * (u[1:] + u[:-1])
        speed = np.linalg.norm(spine.derivatives(u), axis=1)
        slope = np.abs(polyval(u, polyder(law)))
        if not (slope < STEEPEST * speed).all():
            raise TooLargeError("the radius grows faster than the ball rolls", faces[0])
        if distance_off((spine, one, two), between, faces, off(between)) <= FITTED * float(abs(off(u)).max()):
            return spine, one, two
    raise TooLargeError("the round bends too sharply", faces[0])


def _by_length(edge: Edge) -> Callable[[FloatArray], FloatArray]:
    """The parameter of an edge by the length from its start."""
    curve, t0, t1 = edge.curve, edge.t0, edge.t1
    if isinstance(curve, Line | Circle):
        speed = (t1 - t0) / edge.length
        return np.polynomial.Polynomial([t0, speed])
    stops = np.linspace(t0, t1, 8 * ENOUGH)
    half = 0.5 * (stops[1] - stops[0])
    inner = (stops[:-1, None] + half * (GAUSS[0] + 1.0)).ravel()
    speeds = np.linalg.norm(curve.derivatives(inner), axis=1).reshape(len(stops) - 1, -1)
    lengths = np.concatenate([[0.0], np.cumsum(half * speeds @ GAUSS[1])])
    from scipy.interpolate import make_interp_spline

    spline: Callable[[FloatArray], FloatArray] = make_interp_spline(
        lengths * (edge.length / lengths[-1]), stops, 5
    )
    return spline


def is_level(radii: tuple[float, float], length: float) -> bool:
    """Whether two radii are so much alike that the round is a cylinder."""
    return abs(radii[1] - radii[0]) <= 1e-9 * max(length, *radii)
