"""How near the curves of a round are to their faces, and how near they must be."""

from __future__ import annotations

import numpy as np

from ...geometry.placement import FloatArray
from ...geometry.spline import FittedCurve
from ...geometry.tolerance import RESOLUTION
from ...topology.brep import Face

Curves = tuple[FittedCurve, FittedCurve, FittedCurve]
"""The spine, and where the ball touches the faces."""

FITTED = 2e-8
"""The canal is so near to both faces, as a share of the radius; but never farther than `CLOSE`."""

CLOSE = 0.05 * RESOLUTION
NEVER_NEARER, ROUGHEST = 0.03 * RESOLUTION, 5e-7
"""Nearer than the first a canal need not be, unless that is more than the second as a share of the radius."""


def near_enough(d: float) -> float:
    """How far a canal may be from its faces."""
    return max(FITTED * abs(d), min(NEVER_NEARER, ROUGHEST * abs(d)))


def closing(curve: FittedCurve, closed: bool) -> FittedCurve:
    """A closed curve with its ends made one point."""
    if not closed:
        return curve
    controls = curve.controls.copy()
    controls[-1] = controls[0]
    return FittedCurve(curve.degree, curve.knots, controls)


def units(ways: FloatArray) -> FloatArray:
    """Vectors, shape (N, 3), brought to length one."""
    return np.asarray(ways / np.linalg.norm(ways, axis=1)[:, None])


def distance_off(curves: Curves, t: FloatArray, faces: tuple[Face, Face], d: float | FloatArray) -> float:
    """How far the ball about the spine is from touching both faces, and where the contacts are not on both
    the ball and the face, at most."""
    center = curves[0].points(t)
    worst = 0.0
    for face, contact in zip(faces, curves[1:], strict=True):
        foot, sign = contact.points(t), 1.0 if face.outward else -1.0
        gaps = (
            sign * face.surface.distance(center) - d,
            face.surface.distance(foot),
            np.linalg.norm(foot - center, axis=1) - np.abs(d),
        )
        worst = max(worst, *(float(np.abs(gap).max()) for gap in gaps))
    return worst
