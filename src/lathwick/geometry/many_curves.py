"""Many curves at once: those of one form together, others one by one."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from .curve import Curve, Form
from .curves import ROUND
from .placement import FloatArray


class Along(NamedTuple):
    """Points and first derivatives of curves, (E, S, 3) each."""

    points: FloatArray
    derivatives: FloatArray


def points_of(curves: Sequence[Curve], t: FloatArray) -> FloatArray:
    """Points of curves at parameters `t`, shape (E, S); returns (E, S, 3)."""
    found = np.empty((*t.shape, 3))
    for form, numbers in _by_form(curves).items():
        if form is None:
            for k in numbers:
                found[k] = curves[k].points(t[k])
            continue
        origin, x, y = _axes(curves, numbers)
        found[numbers] = origin + _combined(x, y, form.f(t[numbers]), form.g(t[numbers]))
    return found


def points_along(curves: Sequence[Curve], t: FloatArray) -> Along:
    """As `points_of`, with the first derivatives."""
    found = Along(np.empty((*t.shape, 3)), np.empty((*t.shape, 3)))
    for form, numbers in _by_form(curves).items():
        if form is None:
            for k in numbers:
                found.points[k], found.derivatives[k] = curves[k].points(t[k]), curves[k].derivatives(t[k])
            continue
        (origin, x, y), here = _axes(curves, numbers), t[numbers]
        found.points[numbers] = origin + _combined(x, y, form.f(here), form.g(here))
        found.derivatives[numbers] = _combined(x, y, form.f_rate(here), form.g_rate(here))
    return found


def boxes_of(curves: Sequence[Curve], t0: FloatArray, t1: FloatArray) -> FloatArray:
    """Exact smallest boxes of pieces of lines, circles and ellipses, between parameters (E,); (E, 2, 3)."""
    ends = points_of(curves, np.column_stack([t0, t1]))
    low, high = ends.min(axis=1), ends.max(axis=1)
    round_ones = [k for k, curve in enumerate(curves) if curve.form is ROUND]
    if round_ones:
        (origin, x, y), first = _axes(curves, round_ones)[:, :, 0], t0[round_ones, None]
        reach, top, span = np.hypot(x, y), np.arctan2(y, x), t1[round_ones, None] - first
        passes_top = (top - first) % math.tau <= span
        passes_foot = (top + math.pi - first) % math.tau <= span
        high[round_ones] = np.where(passes_top, origin + reach, high[round_ones])
        low[round_ones] = np.where(passes_foot, origin - reach, low[round_ones])
    return np.stack([low, high], axis=1)


def _by_form(curves: Sequence[Curve]) -> dict[Form | None, list[int]]:
    groups: dict[Form | None, list[int]] = {}
    for k, curve in enumerate(curves):
        groups.setdefault(curve.form, []).append(k)
    return groups


def _axes(curves: Sequence[Curve], numbers: Sequence[int]) -> FloatArray:
    """o, x and y of some curves, (3, E, 1, 3)."""
    return np.array([curves[k].axes for k in numbers]).transpose(1, 0, 2)[:, :, None]


def _combined(x: FloatArray, y: FloatArray, f: FloatArray, g: FloatArray) -> FloatArray:
    return np.asarray(f[:, :, None] * x + g[:, :, None] * y)
