"""Which cycles on a tube or a ring bound the same cell: bands round it, their holes, and patches."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from ...geometry.placement import FloatArray
from ...topology.windings import signed_area
from .nesting import nested

APART = 1e-9
"""Rims at less than this share of their height on average are one and the same curve."""


def on_a_tube(
    turns: Sequence[tuple[int, int]], paths: Sequence[FloatArray], sign: float, period: float
) -> list[tuple[int, int]] | None:
    """Pairs of cycles (by number) that bound one cell; None where they cannot be told by their order.

    turns, paths : of each cycle, in (u, v). sign : 1 if the normal points out of the material. period : of
    u. Cycles
    that go round do not cross, so those of bands follow each other in their mean height.
    """
    if any(abs(around) > 1 for around, _ in turns):
        return None
    rims = [i for i, turn in enumerate(turns) if turn[0]]
    bands = _bands(rims, [sign * turns[i][0] for i in rims], [paths[i] for i in rims])
    if bands is None:
        return None
    patches = [i for i in range(len(paths)) if not turns[i][0]]
    areas = [sign * signed_area(paths[i]) for i in patches]
    within = [_within_a_turn(paths[i], 0, period) for i in patches]
    found = nested(within, areas, [(turn, 0.0) for turn in (0.0, period, -period)])
    pairs = [(patches[outer], patches[hole]) for outer, hole in found] + bands
    enclosed = {hole for _, hole in found}
    for k, i in enumerate(patches):
        if areas[k] > 0 or k in enclosed:
            continue
        home = [(low, i) for low, high in bands if len(bands) == 1 or _between(paths, (low, high), i, period)]
        if len(home) != 1:
            return None
        pairs += home
    return pairs


def _bands(
    rims: Sequence[int], ways: Sequence[float], paths: Sequence[FloatArray]
) -> list[tuple[int, int]] | None:
    """Lower and upper rim of every band: with the material on the left, those that run forwards are lower."""
    heights = [_mean_height(path) for path in paths]
    apart = APART * (max(map(abs, heights), default=0.0) + 1.0)
    uppers = sorted((h, i) for i, way, h in zip(rims, ways, heights, strict=True) if way < 0)
    bands = []
    for height, i in sorted((h, i) for i, way, h in zip(rims, ways, heights, strict=True) if way > 0):
        above = [k for h, k in uppers if h > height + apart]
        if not above:
            return None
        bands.append((i, above[0]))
    taken = [high for _, high in bands]
    return bands if sorted(taken) == sorted(k for _, k in uppers) else None


def _mean_height(path: FloatArray) -> float:
    """Mean of v over one turn of u."""
    u, v = path[:, 0], path[:, 1]
    return float((np.diff(u) * (v[:-1] + v[1:])).sum() / (2.0 * (u[-1] - u[0])))


def on_a_ring(
    paths: Sequence[FloatArray], sign: float, periods: tuple[float, float]
) -> list[tuple[int, int]]:
    """As `on_a_tube`, of cycles that go round a ring neither way: the holes in no patch bound one cell."""
    areas = [sign * signed_area(path) for path in paths]
    within = [_within_a_turn(_within_a_turn(path, 0, periods[0]), 1, periods[1]) for path in paths]
    shifts = [(i * periods[0], j * periods[1]) for i in (0, 1, -1) for j in (0, 1, -1)]
    found = nested(within, areas, shifts)
    enclosed = {hole for _, hole in found}
    loose = [k for k, area in enumerate(areas) if area <= 0 and k not in enclosed]
    return found + [(loose[0], k) for k in loose[1:]]


def _between(paths: Sequence[FloatArray], rims: tuple[int, int], hole: int, period: float) -> bool:
    """Whether most places along a hole lie between two rims that do not turn back."""
    u, v = paths[hole].T
    below, above = (_height_at(paths[rim], u, period) for rim in rims)
    if below is None or above is None:
        return False
    return bool(np.count_nonzero((v > below) & (v < above)) > len(v) / 2)


def _height_at(rim: FloatArray, u: FloatArray, period: float) -> FloatArray | None:
    """v of a rim at parameters u; None if it turns back."""
    path = rim if rim[-1, 0] > rim[0, 0] else rim[::-1]
    if (np.diff(path[:, 0]) < 0.0).any():
        return None
    return np.interp((u - path[0, 0]) % period, path[:, 0] - path[0, 0], path[:, 1])


def _within_a_turn(path: FloatArray, k: int, period: float) -> FloatArray:
    """A path with the middle of its u (k = 0) or v (k = 1) between 0 and a whole turn."""
    moved = path.copy()
    moved[:, k] -= period * math.floor(0.5 * (path[:, k].min() + path[:, k].max()) / period)
    return moved
