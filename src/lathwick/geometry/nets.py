"""Control nets of several curves brought to one degree and one knot vector, part by part."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from itertools import pairwise
from math import comb

import numpy as np

from .placement import FloatArray
from .rational import RationalCurve
from .spline import BSpline

SAME = 1e-9


def common_nets(
    curves: Sequence[RationalCurve], reverse: Sequence[bool], divided: int = 1
) -> tuple[int, tuple[float, ...], FloatArray]:
    """Degree, knots over 0 to 1, and for each curve its controls times weights, and weights, (K, n, 4): the
    same curves as Bezier parts between all their knots.

    reverse : which of them run backwards. divided : into how many each part is divided.
    """
    degree = max(curve.degree for curve in curves)
    whole = _stops(curves, reverse)
    stops = [*(t for a, b in pairwise(whole) for t in np.linspace(a, b, divided + 1)[:-1].tolist()), 1.0]
    nets = [_parts(curve, backwards, stops, degree) for curve, backwards in zip(curves, reverse, strict=True)]
    return degree, parted(degree, stops), np.stack(nets)


def parted(degree: int, stops: Sequence[float]) -> tuple[float, ...]:
    """Knots of a spline of Bezier parts between stops."""
    return (stops[0], *(k for k in stops for _ in range(degree)), stops[-1])


def laid(degree: int, stops: Sequence[float], rule: Callable[[FloatArray], FloatArray]) -> FloatArray:
    """Controls of Bezier parts between stops through values of a function, (N,) to (N, d), at their ends and
    at places inside."""
    s, basis = _places(degree)
    rows = [rule(np.array([stops[0]]))]
    for a, b in pairwise(stops):
        controls: FloatArray = np.linalg.solve(basis, rule(a + (b - a) * s)).astype(np.float64)
        rows.append(controls[1:])
    return np.concatenate(rows)


def _places(degree: int) -> tuple[FloatArray, FloatArray]:
    """degree + 1 places from 0 to 1, closer towards both, and the Bernstein polynomials there."""
    s = 0.5 * (1.0 - np.cos(np.pi * np.arange(degree + 1) / degree))
    return s, np.column_stack([comb(degree, k) * s**k * (1 - s) ** (degree - k) for k in range(degree + 1)])


def _shares(curve: RationalCurve, backwards: bool) -> FloatArray:
    """The knots from 0 to 1, in the direction asked for."""
    knots = np.unique(curve.knots)
    shares = (knots - knots[0]) / (knots[-1] - knots[0])
    return np.asarray(1.0 - shares[::-1] if backwards else shares)


def _stops(curves: Sequence[RationalCurve], reverse: Sequence[bool]) -> list[float]:
    every = np.sort(np.concatenate([_shares(c, r) for c, r in zip(curves, reverse, strict=True)]))
    kept = [0.0]
    for stop in every.tolist():
        if stop > kept[-1] + SAME:
            kept.append(stop)
    return [*kept[:-1], 1.0]


def _parts(curve: RationalCurve, backwards: bool, stops: Sequence[float], degree: int) -> FloatArray:
    """Controls of Bezier parts, each from its values at as many places."""
    lifted = np.column_stack([curve.controls * curve.weights[:, None], curve.weights])
    line = BSpline(curve.degree, curve.knots, lifted)
    low, high = curve.knots[0], curve.knots[-1]
    s, basis = _places(degree)
    rows = [line.points(np.array([low]))] if not backwards else [line.points(np.array([high]))]
    for a, b in pairwise(stops):
        share = a + (b - a) * s
        t = low + (high - low) * (1.0 - share if backwards else share)
        inner = low + (high - low) * (1.0 - 0.5 * (a + b) if backwards else 0.5 * (a + b))
        values = _inside(line, t, inner)
        controls: FloatArray = np.linalg.solve(basis, values).astype(np.float64)
        controls[0], controls[-1] = values[0], values[-1]
        rows.append(controls[1:])
    return np.concatenate(rows)


def _inside(line: BSpline, t: FloatArray, inner: float) -> FloatArray:
    """Values at parameters of one span of knots, which `inner` lies in: at a knot of full multiplicity both
    sides agree, so rounding beyond it does no harm."""
    return line.points(np.clip(t, line.low, line.high))
