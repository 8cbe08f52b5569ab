"""Zeros of functions of one variable, many at once: of polynomials all of them, of others between samples.

A polynomial runs up or down between the zeros of its derivative, so that its own zeros are found by halving
what lies between them: double and near zeros, and zeros at the very borders, need no care of their own.

Source: Mourrain & Pavone, "Subdivision methods for solving polynomial equations", Journal of Symbolic
Computation 44 (2009), for isolation by sign changes; Collins & Loos, "Polynomial real root isolation by
differentiation", SYMSAC (1976).
"""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from .placement import FloatArray

Rule = Callable[[FloatArray], FloatArray]

HALVINGS = 60
"""Enough to come from any interval to the last digit."""


def polynomial_roots(coefficients: FloatArray) -> FloatArray:
    """Zeros in [0, 1] of polynomials, and places where they come near zero without a change of sign.

    coefficients : shape (N, d + 1), of the constant term first. Returns shape (N, M), NaN where there are no
    more; zeros of the derivatives, where a double zero can lie, are among the rest: `is_zero` of the caller
    tells. Only changes of sign, and values that are 0.0, count here.
    """
    count, degree = coefficients.shape[0], coefficients.shape[1] - 1
    stops = np.repeat(np.array([[0.0, 1.0]]), count, axis=0)
    for order in range(degree - 1, -1, -1):
        rows = derived(coefficients, order)
        found = _between(rows, stops)
        if order == 0:
            return found
        inner = np.sort(np.where(np.isnan(found), 1.0, found), axis=1)
        stops = np.concatenate([stops[:, :1], inner, stops[:, -1:]], axis=1)
    return np.full((count, 1), math.nan)


def derived(coefficients: FloatArray, order: int) -> FloatArray:
    """Coefficients of the derivatives of polynomials, shape (N, d + 1 - order)."""
    for _ in range(order):
        coefficients = coefficients[:, 1:] * np.arange(1, coefficients.shape[1])
    return coefficients


def values_of(coefficients: FloatArray, t: FloatArray) -> FloatArray:
    """Polynomials (N, d + 1) at places (N, K), by Horner's scheme; shape (N, K)."""
    value = np.zeros_like(t)
    for column in coefficients.T[::-1]:
        value = value * t + column[:, None]
    return value


def _between(rows: FloatArray, stops: FloatArray) -> FloatArray:
    """A zero for every interval between stops (N, K + 1) at whose ends the signs differ, else NaN; (N, K)."""
    low, high = stops[:, :-1].copy(), stops[:, 1:].copy()
    first, last = values_of(rows, low), values_of(rows, high)
    crosses = (first < 0.0) != (last < 0.0)
    zero = (first == 0.0) | (last == 0.0)
    if crosses.any():
        which = np.flatnonzero(crosses.any(axis=1))
        a, b, sign = low[which], high[which], first[which] < 0.0
        for _ in range(HALVINGS):
            middle = 0.5 * (a + b)
            before = (values_of(rows[which], middle) < 0.0) == sign
            a, b = np.where(before, middle, a), np.where(before, b, middle)
        low[which] = 0.5 * (a + b)
    found = np.where(crosses, low, math.nan)
    at_stop = np.where(first == 0.0, stops[:, :-1], stops[:, 1:])
    return np.where(zero & ~crosses, at_stop, found)


def on_pieces(values: FloatArray) -> FloatArray:
    """Coefficients, constant term first, of polynomials over [0, 1] by their values (N, d + 1) at
    `chebyshev(d)`."""
    degree = values.shape[1] - 1
    powers = np.vander(chebyshev(degree), increasing=True)
    return np.asarray(np.linalg.solve(powers, values.T).T)


def chebyshev(degree: int) -> FloatArray:
    """degree + 1 places in [0, 1] that tell a polynomial of this degree well."""
    return 0.5 - 0.5 * np.cos(np.pi * (np.arange(degree + 1) + 0.5) / (degree + 1))


def sign_changes(rule: Rule, stops: FloatArray) -> FloatArray:
    """Where a function of arrays passes zero between increasing stops, or is zero at one; shape (N,)."""
    values = rule(stops)
    (rows,) = np.nonzero((values[:-1] < 0.0) != (values[1:] < 0.0))
    found = halved(rule, stops[rows], stops[rows + 1], values[rows])
    return np.concatenate([found, stops[values == 0.0]])


def halved(rule: Rule, low: FloatArray, high: FloatArray, first: FloatArray) -> FloatArray:
    """Where a function of (N,) changes sign between `low` and `high`, its values at `low` given; (N,)."""
    for _ in range(HALVINGS if len(low) else 0):
        middle = 0.5 * (low + high)
        before = (rule(middle) < 0.0) == (first < 0.0)
        low, high = np.where(before, middle, low), np.where(before, high, middle)
    return np.asarray(0.5 * (low + high))


def monotone_zeros(rule: Rule, slope: Rule, stops: FloatArray) -> FloatArray:
    """As `sign_changes`, also where a function passes zero twice between two stops: places where its own
    slope passes zero are stops as well."""
    return sign_changes(rule, np.union1d(stops, sign_changes(slope, stops)))
