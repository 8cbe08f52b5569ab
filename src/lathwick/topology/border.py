"""The edges of a face as fine chords, in (u, v) and in space; kept in runs with boxes, so that only those
near a place or a way are looked at."""

from __future__ import annotations

import math
from copy import copy
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ..geometry.placement import FloatArray, IntArray
from ..geometry.surface import Surface
from ..geometry.tolerance import NOWHERE
from .brep import Coedge, Edge
from .windings import path_along

RUN = 32
"""Boxes are made around so many chords in succession."""

MOST_AT_ONCE = 1_000_000
"""So many pairs of a place and a run are looked at together, for memory's sake."""

BESIDE = 0.05
"""A way may meet a chord beyond its end by at most such a share of its length."""

HAIR = 1e-9
"""Boxes are larger by such a share, for rounding."""


@dataclass(frozen=True)
class _Chords:
    """An edge as chords over a surface: places in (u, v), (M, 2), and in space, (M, 3), how far it leaves the
    chords there and there, and which chords are at its ends, (M - 1,)."""

    flat: FloatArray
    space: FloatArray
    stray: float
    blur: float
    ends: NDArray[np.bool_]


def _chords(edge: Edge, surface: Surface, per_turn: int) -> _Chords:
    """The chords of an edge, kept with it: the next step finds them again."""
    known: dict[tuple[int, int], tuple[Surface, _Chords]] = edge.remembered("chords", lambda _: {})
    key = id(surface), per_turn
    if key not in known:  # the surface is kept, so that no other can come to have its number
        known[key] = surface, _chords_of(edge, surface, per_turn)
    return known[key][1]


def _chords_of(edge: Edge, surface: Surface, per_turn: int) -> _Chords:
    t = _parameters(edge, per_turn)
    points = edge.curve.points(t)
    flat = path_along([points], surface)
    ends = _at_ends(edge, len(points) - 1)
    return _Chords(flat, points, _stray(edge, t, points), _blur(edge, t, flat, surface), ends)


class Paths:
    """All edges of a face as chords: in (u, v) from `a` to `b`, shape (M, 2), and in space."""

    def __init__(self, coedges: list[Coedge], surface: Surface, per_turn: int) -> None:
        flat, space, owners, ends = [], [], [], []
        self.stray = self.blur = 0.0
        for number, coedge in enumerate(coedges):
            chords = _chords(coedge.edge, surface, per_turn)
            self.stray, self.blur = max(self.stray, chords.stray), max(self.blur, chords.blur)
            flat.append(chords.flat if coedge.forward else chords.flat[::-1])
            space.append(chords.space if coedge.forward else chords.space[::-1])
            owners.append(np.full(len(chords.space) - 1, number))
            ends.append(chords.ends)
        self.a = np.concatenate([uv[:-1] for uv in flat])
        self.b = np.concatenate([uv[1:] for uv in flat])
        self._start = np.concatenate([p[:-1] for p in space])
        self._way = np.concatenate([np.diff(p, axis=0) for p in space])
        self._square = np.maximum((self._way**2).sum(axis=1), NOWHERE)
        self.owner = np.concatenate(owners)
        self.ends = np.concatenate(ends)
        self._coedges = coedges
        self._flat_runs: tuple[FloatArray, FloatArray] | None = None
        self._space_runs: tuple[FloatArray, FloatArray] | None = None

    def near_ways(
        self, p: FloatArray, q: FloatArray, periods: tuple[float, float]
    ) -> tuple[IntArray, IntArray]:
        """Numbers of straight ways from p to q in (u, v), of at most half a period, and of the chords that
        they may meet, in order: all chords of each run of them whose box comes near the box of the way."""
        if self._flat_runs is None:
            self._flat_runs = _runs(self.a, self.b)
        middles, halves = self._flat_runs
        meets = np.ones((len(p), len(middles)), dtype=bool)
        for k, period in enumerate(periods):
            off = middles[None, :, k] - 0.5 * (p[:, k] + q[:, k])[:, None]
            if period:
                off -= period * np.round(off / period)
            reach = halves[None, :, k] + (0.5 + BESIDE) * np.abs(q[:, k] - p[:, k])[:, None]
            meets &= np.abs(off) <= reach + HAIR * (1.0 + np.abs(middles[None, :, k]))
        return self._each_of(meets)

    def _each_of(self, runs: NDArray[np.bool_]) -> tuple[IntArray, IntArray]:
        """Numbers of rows, and of the chords of the runs that are marked in them, (N, number of runs)."""
        i, run = np.nonzero(runs)
        j = (RUN * run[:, None] + np.arange(RUN)).ravel()
        i = np.repeat(i, RUN)
        return i[j < len(self.a)], j[j < len(self.a)]

    def distances(self, points: FloatArray) -> tuple[FloatArray, IntArray]:
        """Distance of each point, shape (N, 3), from the chords, and the number of the nearest chord."""
        if self._space_runs is None:
            self._space_runs = _runs(self._start, self._start + self._way)
        middles, halves = self._space_runs
        if len(points) > 1 and len(points) * len(middles) > MOST_AT_ONCE:
            parts = np.array_split(points, 1 + len(points) * len(middles) // MOST_AT_ONCE)
            each = [self.distances(part) for part in parts]
            return np.concatenate([gaps for gaps, _ in each]), np.concatenate([which for _, which in each])
        off = np.abs(points[:, None] - middles[None])
        most = np.sqrt(((off + halves) ** 2).sum(axis=2)).min(axis=1)
        least = np.sqrt((np.maximum(off - halves, 0.0) ** 2).sum(axis=2))
        i, j = self._each_of(least <= (most * (1.0 + HAIR))[:, None])
        gaps = self._gaps(points[i], j)
        found, nearest = np.full(len(points), np.inf), np.zeros(len(points), dtype=np.intp)
        np.minimum.at(found, i, gaps)
        which = np.flatnonzero(gaps == found[i])[::-1]
        nearest[i[which]] = j[which]
        return found, nearest

    def middles(self, chords: IntArray) -> FloatArray:
        """The middles of some chords in space, (N, 3)."""
        return self._start[chords] + 0.5 * self._way[chords]

    def without(self, chords: NDArray[np.bool_]) -> Paths:
        """The same less some chords, marked in a row of all."""
        kept = copy(self)
        for name in ("a", "b", "_start", "_way", "_square", "owner", "ends"):
            setattr(kept, name, getattr(self, name)[~chords])
        kept._flat_runs = kept._space_runs = None
        return kept

    def _gaps(self, points: FloatArray, chords: IntArray) -> FloatArray:
        """Distances of points, (N, 3) or (3,), from chords, (N,)."""
        off, way = points - self._start[chords], self._way[chords]
        share = np.clip((off * way).sum(axis=1) / self._square[chords], 0.0, 1.0)
        off -= share[:, None] * way
        return np.sqrt((off * off).sum(axis=1))

    def coedges_within(self, point: FloatArray, reach: float) -> list[Coedge]:
        """The coedges whose chords come within `reach` of a point."""
        gaps = self._gaps(point, np.arange(len(self.a)))
        return [self._coedges[i] for i in sorted(set(self.owner[gaps <= reach].tolist()))]


def _runs(a: FloatArray, b: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Middles and half sizes of boxes around runs of chords from a to b, (M, 2) or (M, 3)."""
    starts = np.arange(0, len(a), RUN)
    low = np.minimum.reduceat(np.minimum(a, b), starts, axis=0)
    high = np.maximum.reduceat(np.maximum(a, b), starts, axis=0)
    return 0.5 * (low + high), 0.5 * (high - low)


def _at_ends(edge: Edge, count: int) -> NDArray[np.bool_]:
    """The first and last chord of a curved edge: beside a neighbour that runs the same way they do not
    tell on which side of both a place lies."""
    found = np.zeros(count, dtype=bool)
    if count > 2 and not edge.is_closed:
        found[[0, -1]] = True
    return found


def _parameters(edge: Edge, per_turn: int) -> FloatArray:
    if edge.curve.kind == "line":
        return np.array([edge.t0, edge.t1])
    if edge.curve.period == math.tau:
        count = max(4, math.ceil((edge.t1 - edge.t0) / math.tau * per_turn))
        return np.linspace(edge.t0, edge.t1, count + 1)
    stops = edge.curve.breaks(edge.t0, edge.t1)
    each = max(2, math.ceil(per_turn / max(1, len(stops) - 1)))
    spans = [np.linspace(a, b, each + 1)[:-1] for a, b in pairwise(stops)]
    return np.append(np.concatenate(spans), stops[-1])


def _stray(edge: Edge, t: FloatArray, points: FloatArray) -> float:
    """How far the edge leaves its chords, from the middles of the chords, with something to spare."""
    if edge.curve.kind == "line":
        return 0.0
    middles = edge.curve.points(0.5 * (t[:-1] + t[1:]))
    return 1.5 * float(np.linalg.norm(middles - 0.5 * (points[:-1] + points[1:]), axis=1).max())


def _blur(edge: Edge, t: FloatArray, uv: FloatArray, surface: Surface) -> float:
    """How far the edge leaves its chords in (u, v)."""
    if len(t) == 2:
        return 0.0
    off = surface.parameters(edge.curve.points(0.5 * (t[:-1] + t[1:]))) - 0.5 * (uv[:-1] + uv[1:])
    for k, period in enumerate(surface.periods):
        if period:
            off[:, k] -= period * np.round(off[:, k] / period)
    return float(np.abs(off).max())
