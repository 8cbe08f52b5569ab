"""Plane curves at a distance from others, as splines.

Source: Piegl & Tiller, "Computing offsets of NURBS curves and surfaces", Computer-Aided Design 31 (1999):
places and normals are taken, a curve is led through them, and checked half way between.
"""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from ..errors import ModellingError
from .curve import Curve
from .placement import FloatArray
from .spline import FittedCurve, joined
from .vector import Vec3

COUNTS = (9, 14, 21, 32, 48, 72, 108)
"""Places on each smooth part of the curve, more and more until the fit is near enough."""

FIT = 1e-10
"""How near, as a share of the size of the curve."""

SAME_ROUND = 1e-12
"""A piece of a closed curve that is shorter by less than this share of a round is all of it."""


def offset_curve(
    curve: Curve, up: Vec3, distance: float, span: tuple[float, float] | None = None
) -> FittedCurve:
    """The curve at a signed distance along (tangent) x `up` from a plane curve, with its parameters.

    up : unit normal of the plane of the curve. span : the piece that is moved, all of it by default.
    Raises ModellingError where it would fold back on itself, with the place and the largest distance.
    """
    low, high = span or curve.domain
    is_closed = bool(curve.period) and high - low >= curve.period * (1.0 - SAME_ROUND)
    _refuse_folds(curve, up, distance, (low, high))
    parts = list(pairwise(curve.breaks(low, high)))
    for count in COUNTS:
        shares = 0.5 - 0.5 * np.cos(np.pi * np.linspace(0.0, 1.0, count))
        shares = 0.2 * np.linspace(0.0, 1.0, count) + 0.8 * shares
        rows = [a + (b - a) * shares for a, b in parts]
        places = [_moved(curve, up, distance, t) for t in rows]
        for before, after in pairwise(places):
            after[0] = before[-1]
        if is_closed:
            places[-1][-1] = places[0][0]
        made = joined(list(zip(rows, places, strict=True)))
        middles = np.concatenate([0.5 * (t[1:] + t[:-1]) for t in rows])
        off = np.linalg.norm(made.points(middles) - _moved(curve, up, distance, middles), axis=1)
        if off.max() <= FIT * float(np.ptp(made.controls, axis=0).max()):
            return made
    x, y, z = curve.point(float(middles[off.argmax()]))
    raise ModellingError(f"no curve is near enough to a {curve.kind} moved at ({x:.6g}, {y:.6g}, {z:.6g})")


def _moved(curve: Curve, up: Vec3, distance: float, t: FloatArray) -> FloatArray:
    out = np.cross(curve.derivatives(t), np.asarray(up))
    return np.asarray(curve.points(t) + distance * out / np.linalg.norm(out, axis=1)[:, None])


def _refuse_folds(curve: Curve, up: Vec3, distance: float, span: tuple[float, float]) -> None:
    t = curve.samples(*span)
    first, second = curve.derivatives(t), curve.second(t)
    speed = np.linalg.norm(first, axis=1)
    left = np.cross(first, second) @ np.asarray(up) / speed**3  # curvature, positive to the left
    folds = -distance * left
    worst = int(folds.argmax())
    if folds[worst] >= 1.0:
        x, y, z = curve.point(float(t[worst]))
        raise ModellingError(
            f"a {curve.kind} that is moved by {distance:g} folds back at ({x:.6g}, {y:.6g}, {z:.6g}); "
            f"at most {abs(distance) / folds[worst]:.6g} works there"
        )
