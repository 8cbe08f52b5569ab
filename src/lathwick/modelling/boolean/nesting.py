"""Closed paths in the plane, or in (u, v) of a tube, that lie in each other: outlines and their holes."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from ...geometry.placement import FloatArray


def nested(
    paths: Sequence[FloatArray], areas: Sequence[float], shifts: Sequence[tuple[float, float]] = ()
) -> list[tuple[int, int]]:
    """Every hole with the smallest outline around it. shifts : on a tube or a ring, how far in (u, v) an
    outline may lie from a hole in it, besides."""
    outers = sorted((i for i, area in enumerate(areas) if area > 0), key=lambda i: areas[i])
    holes = [i for i, area in enumerate(areas) if area <= 0]
    if len(outers) == 1 and not shifts:
        return [(outers[0], hole) for hole in holes]
    if not holes or not outers:
        return []
    low, high = (np.array([f(p, axis=0) for p in paths]) for f in (np.min, np.max))
    bottom, top, sizes = low[outers], high[outers], np.array(areas)[outers]
    slack = 1e-9 * (top - bottom).max(axis=1)[:, None]
    pairs = []
    for hole in holes:
        fitting: list[tuple[int, tuple[float, float]]] = []
        for shift in shifts or ((0.0, 0.0),):
            fits = (low[hole] + shift >= bottom - slack) & (high[hole] + shift <= top + slack)
            wide = fits.all(axis=1) & (sizes > -areas[hole] * (1 + 1e-9))
            fitting += [(k, shift) for k in np.flatnonzero(wide).tolist()]
        for k, shift in sorted(fitting):
            if _encloses(paths[outers[k]], paths[hole] + shift):
                pairs.append((outers[k], hole))
                break
    return pairs


def _encloses(outer: FloatArray, inner: FloatArray) -> bool:
    """Whether most of the middles along `inner` lie within the polygon `outer`."""
    middles = 0.5 * (inner[:-1] + inner[1:])
    votes = sum(_winds(outer, p) for p in middles[:: max(1, len(middles) // 7)])
    return votes > len(middles[:: max(1, len(middles) // 7)]) / 2


def _winds(polygon: FloatArray, p: FloatArray) -> bool:
    a, b = polygon[:-1] - p, polygon[1:] - p
    turn = np.arctan2(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0], (a * b).sum(axis=1)).sum()
    return abs(float(turn)) > math.pi
