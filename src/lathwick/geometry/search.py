"""Searches along many intervals at once: golden sections for least values, false positions for zeros."""

from __future__ import annotations

import math

import numpy as np

from .placement import FloatArray, IntArray
from .roots import Rule

FALSE_POSITIONS = 60
EXACT = 1e-13
"""A value so small is zero: the search for it ends."""

GOLDEN = 0.5 * (math.sqrt(5.0) - 1.0)
GOLDEN_SECTIONS = 40


def least_between(rule: Rule, low: FloatArray, high: FloatArray) -> FloatArray:
    """Where functions of arrays are least between bounds, by golden sections."""
    if not len(low):
        return low
    a, b = low + (1.0 - GOLDEN) * (high - low), low + GOLDEN * (high - low)
    fa, fb = rule(a), rule(b)
    for _ in range(GOLDEN_SECTIONS):
        left = fa < fb
        low, high = np.where(left, low, a), np.where(left, b, high)
        new = np.where(left, low + (1.0 - GOLDEN) * (high - low), low + GOLDEN * (high - low))
        value = rule(new)
        a, b = np.where(left, new, b), np.where(left, a, new)
        fa, fb = np.where(left, value, fb), np.where(left, fa, value)
    return 0.5 * (low + high)


def closed_in(rule: Rule, low: FloatArray, high: FloatArray) -> FloatArray:
    """Zeros of functions of arrays with opposite signs at two bounds, by false positions (Illinois rule)."""
    if not len(low):
        return low
    ends = np.stack([low, high])
    values = np.stack([rule(low), rule(high)])
    rows, last = np.arange(len(low)), np.full(len(low), -1)
    for _ in range(FALSE_POSITIONS):
        apart = np.where(values[1] == values[0], 1.0, values[1] - values[0])
        at = np.clip((ends[0] * values[1] - ends[1] * values[0]) / apart, low, high)
        value = rule(at)
        if np.abs(value).max() <= EXACT:
            break
        side = ((value < 0.0) != (values[0] < 0.0)).astype(int)
        ends[side, rows], values[side, rows] = at, value
        values[1 - side, rows] *= np.where(side == last, 0.5, 1.0)
        last = side
    return np.asarray(at)


def filled_rows(rows: IntArray, values: FloatArray, count: int) -> FloatArray:
    """Values by the numbers of their rows, as a table of `count` rows filled up with NaN."""
    order = np.argsort(rows, kind="stable")
    rows, values = rows[order], values[order]
    places = np.arange(len(rows)) - np.searchsorted(rows, rows)
    found = np.full((count, int(places.max(initial=0)) + 1), math.nan)
    found[rows, places] = values
    return found
