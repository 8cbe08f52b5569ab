"""Curves and surfaces of revolution as rational B-splines (Piegl & Tiller 7.3, 8.3)."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import singledispatch
from itertools import pairwise

import numpy as np

from .conics import Hyperbola, Parabola
from .curve import Curve
from .curves import Circle, Ellipse, Line
from .placement import Axis, FloatArray, Plane
from .spline import SplineCurve
from .spline_surface import SplineSurface
from .surface import Interval
from .vector import Vec3

QUARTER = 0.5 * math.pi


@dataclass(frozen=True, eq=False)
class RationalCurve:
    """Degree, clamped knots, controls, (n, 3), and weights, (n,)."""

    degree: int
    knots: tuple[float, ...]
    controls: FloatArray
    weights: FloatArray


ONE_SPAN = (0.0, 0.0, 0.0, 1.0, 1.0, 1.0)


@singledispatch
def rational_curve(curve: Curve, low: float, high: float) -> RationalCurve:
    """A line, conic or spline between two parameters, low < high, exactly (Piegl & Tiller 7.3, 7.5). Raises
    TypeError for other kinds."""
    raise TypeError(f"a {curve.kind} is no rational curve")


@rational_curve.register
def _(curve: Line, low: float, high: float) -> RationalCurve:
    ends = curve.points(np.array([low, high]))
    return RationalCurve(1, (low, low, high, high), ends, np.ones(2))


@rational_curve.register
def _(curve: Circle, low: float, high: float) -> RationalCurve:
    return _arc(curve.frame, (curve.radius, curve.radius), low, high)


@rational_curve.register
def _(curve: Ellipse, low: float, high: float) -> RationalCurve:
    return _arc(curve.frame, (curve.major, curve.minor), low, high)


@rational_curve.register
def _(curve: SplineCurve, low: float, high: float) -> RationalCurve:
    whole = abs(high - low - (curve.high - curve.low)) <= 1e-12 * (high - low)
    part = curve if whole else curve.between(low, high)
    return RationalCurve(part.degree, part.knots, part.controls, np.ones(len(part.controls)))


@rational_curve.register
def _(curve: Parabola, low: float, high: float) -> RationalCurve:
    flat = curve.focal * np.array([[low * high, low + high]])  # where the tangents at the ends meet
    meet = curve.frame.points(flat)
    controls = np.vstack([curve.point(low), meet, curve.point(high)])
    return RationalCurve(2, ONE_SPAN, controls, np.ones(3))


@rational_curve.register
def _(curve: Hyperbola, low: float, high: float) -> RationalCurve:
    middle, far = 0.5 * (low + high), math.cosh(0.5 * (high - low))
    flat = np.array([[curve.major * math.cosh(middle), curve.minor * math.sinh(middle)]]) / far
    controls = np.vstack([curve.point(low), curve.frame.points(flat), curve.point(high)])
    return RationalCurve(2, ONE_SPAN, controls, np.array([1.0, far, 1.0]))


def _arc(plane: Plane, radii: tuple[float, float], low: float, high: float) -> RationalCurve:
    stops, flat, weights = circle_net(low, high)
    return RationalCurve(2, stops, plane.points(flat * np.array(radii)), weights)


def circle_net(low: float, high: float) -> tuple[tuple[float, ...], FloatArray, FloatArray]:
    """Knots, controls, (n, 2), and weights, (n,), of an arc of the unit circle between two angles, in
    parts of at most a quarter."""
    count = max(1, math.ceil((high - low) / QUARTER - 1e-9))
    stops = [low, *(low + (high - low) * k / count for k in range(1, count)), high]
    half = 0.5 * (high - low) / count
    angles = np.array(sorted([*stops, *(0.5 * (a + b) for a, b in pairwise(stops))]))
    weights = np.ones(len(angles))
    weights[1::2] = math.cos(half)
    controls = np.column_stack([np.cos(angles), np.sin(angles)]) / weights[:, None]
    knots = (low, *(k for k in stops for _ in (0, 1)), high)
    return knots, controls, weights


def turned_surface(profile: RationalCurve, axis: Axis, angle: float) -> SplineSurface:
    """What a curve sweeps when it turns about an axis by an angle (radians, positive): u runs along the
    profile, v is the angle; for a whole turn, which closes along u, the other way round."""
    degree, knots, controls, weights = turned_net(profile, (axis.point, axis.direction), (0.0, angle))
    if is_whole(angle):
        return SplineSurface((2, degree), knots, controls, weights)
    order = (1, 0, 2)
    return SplineSurface((degree, 2), (knots[1], knots[0]), controls.transpose(order), weights.T)


def turned_net(
    profile: RationalCurve, axis: tuple[Vec3, Vec3], angles: Interval
) -> tuple[int, tuple[tuple[float, ...], tuple[float, ...]], FloatArray, FloatArray]:
    """The degree of a profile, and knots, controls, (n, m, 3), and weights of the surface on which it turns
    about an axis (origin, direction) from one angle to another: u is the angle, v runs along the profile."""
    knots, net, weights = circle_net(*angles)
    origin, way = np.asarray(axis[0]), np.asarray(axis[1])
    heights = (profile.controls - origin) @ way
    feet = origin + heights[:, None] * way
    out = profile.controls - feet
    aside = np.cross(way, out)
    controls = feet[None] + net[:, None, :1] * out[None] + net[:, None, 1:] * aside[None]
    return profile.degree, (knots, profile.knots), controls, np.outer(weights, profile.weights)


def is_whole(angle: float) -> bool:
    """Whether an angle (radians) is a whole turn."""
    return angle > math.tau - 1e-12
