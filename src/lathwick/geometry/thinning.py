"""Splines with fewer poles: what the tolerance of a file allows.

Source: Piegl & Tiller, The NURBS Book, 9.4 (least squares with given knots, refined where the fit is off).
"""

from __future__ import annotations

from collections import Counter

import numpy as np
from numpy.typing import NDArray

from .placement import FloatArray
from .spline import SplineCurve

FEWEST = 24
"""A curve of no more poles is left as it is."""

EACH = 6
"""Places in each span at which a fit is made and measured."""

COARSEST, ROUNDS = 8, 8
"""At first every so many spans are one; where the fit is off they are divided, so often at most."""

WORTH = 0.8
"""A curve with more than this share of the poles is not worth a fit."""


def thinned(curve: SplineCurve, near: float) -> SplineCurve:
    """A spline with the same parameters, nowhere farther than `near` from a curve, with the same ends and
    joints; the curve itself where that takes about as many poles."""
    if len(curve.controls) <= FEWEST:
        return curve
    counts = Counter(curve.knots)
    spans = np.array(sorted(counts))
    fixed = np.array([counts[k] > 1 for k in spans.tolist()])
    kept = fixed | (np.arange(len(spans)) % COARSEST == 0)
    t = (spans[:-1, None] + np.diff(spans)[:, None] * ((np.arange(EACH) + 0.5) / EACH)).ravel()
    t = np.unique(np.concatenate([spans, t]))
    points = curve.points(t)
    for _ in range(ROUNDS):
        if kept.sum() > WORTH * len(spans):
            return curve
        made = _fit(curve, spans[kept], counts, t, points)
        off = np.linalg.norm(made.points(t) - points, axis=1)
        if off.max() <= near:
            return made
        kept = _refined(spans, kept, t[off > near])
    return curve


def _fit(
    curve: SplineCurve, stops: FloatArray, counts: Counter[float], t: FloatArray, points: FloatArray
) -> SplineCurve:
    """The spline with some of the knots that is nearest to the points; its ends are those of the curve."""
    from scipy.interpolate import make_lsq_spline

    degree = curve.degree
    knots = [k for k in stops.tolist() for _ in range(counts[k])]
    controls = make_lsq_spline(t, points, np.array(knots), degree).c
    controls[0], controls[-1] = curve.controls[0], curve.controls[-1]
    return SplineCurve(degree, tuple(knots), controls)


def _refined(spans: FloatArray, kept: NDArray[np.bool_], bad: FloatArray) -> NDArray[np.bool_]:
    """Knots with another one half way between those about bad places, as far as there are any."""
    numbers = np.flatnonzero(kept)
    wrong = np.unique(np.clip(np.searchsorted(spans[numbers], bad, side="right") - 1, 0, len(numbers) - 2))
    found = kept.copy()
    found[(numbers[wrong] + numbers[wrong + 1]) // 2] = True
    return found
