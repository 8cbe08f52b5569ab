"""Steps of Newton's method in two parameters, of one place and of many."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from .placement import FloatArray
from .tolerance import NOWHERE

BoolArray = NDArray[np.bool_]


def room(at: float, step: float, low: float, high: float, period: float) -> float:
    """How many steps a parameter may go before it leaves its range."""
    if period or step == 0.0:
        return math.inf
    return ((high if step > 0.0 else low) - at) / step


def stepped(
    at: float, step: float, share: float, low: float, high: float, period: float
) -> tuple[float, float]:
    """A parameter after a share of a step, round its period or to the end of its range at most; and how far
    that was."""
    if period:
        return low + (at + share * step - low) % period, share * step
    to = at + share * step
    if room(at, step, low, high, period) <= share:
        to = high if step > 0.0 else low
    return to, to - at


def within(here: FloatArray, move: FloatArray, low: FloatArray, high: FloatArray) -> FloatArray:
    """Parameters (N, 2) after moves, as far as the first border that they come upon: a move that is cut short
    keeps its direction, in which what is sought comes nearer."""
    ends = np.where(move > 0.0, high, low)
    with np.errstate(divide="ignore", invalid="ignore"):
        rooms = np.where(move == 0.0, np.inf, (ends - here) / move)
    share = np.minimum(rooms.min(axis=1), 1.0)[:, None]
    return np.asarray(np.where(rooms <= share, ends, here + share * move))


def solved(a: FloatArray, b: FloatArray, c: FloatArray, slope: FloatArray) -> FloatArray:
    """Steps against slopes (N, 2) by symmetric matrices ((a, b), (b, c)); downhill where one is singular."""
    rest = a * c - b * b
    safe = np.abs(rest) > 1e-14 * (np.abs(a) + np.abs(b) + np.abs(c)) ** 2
    rest = np.where(safe, rest, 1.0)
    move = np.column_stack([b * slope[:, 1] - c * slope[:, 0], b * slope[:, 0] - a * slope[:, 1]])
    size = np.maximum(np.abs(a) + np.abs(b) + np.abs(c), NOWHERE)
    return np.where(safe[:, None], move / rest[:, None], -slope / size[:, None])


def newton_step(
    points: FloatArray, uv: FloatArray, d: list[list[FloatArray]], low: FloatArray, high: FloatArray
) -> tuple[FloatArray, BoolArray]:
    """A step towards the feet of points, along the border where it would leave the surface; and where it is
    one of Newton's method proper, so that the next one would be about its square."""
    off = d[0][0] - points
    slope = np.column_stack([(off * d[1][0]).sum(axis=1), (off * d[0][1]).sum(axis=1)])
    e, f, g = ((x * y).sum(axis=1) for x, y in ((d[1][0],) * 2, (d[1][0], d[0][1]), (d[0][1],) * 2))
    a, b, c = (metric + (off * x).sum(axis=1) for metric, x in ((e, d[2][0]), (f, d[1][1]), (g, d[0][2])))
    flat = ~((a > 0) & (a * c - b * b > 1e-12 * a * c))  # no minimum nearby: without the curvature
    a, b, c = (np.where(flat, metric, x) for metric, x in ((e, a), (f, b), (g, c)))
    move = solved(a, b, c, slope)
    sure = ~flat
    for k, bend in ((0, c), (1, a)):
        stuck = ((uv[:, k] <= low[k]) & (move[:, k] < 0)) | ((uv[:, k] >= high[k]) & (move[:, k] > 0))
        move[stuck, k] = 0.0
        move[stuck, 1 - k] = -slope[stuck, 1 - k] / np.maximum(bend[stuck], NOWHERE)
    return move, sure
