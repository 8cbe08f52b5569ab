"""A path along two surfaces as a spline: in pieces between the lines across which a surface is not smooth to
any order, each led through as many points as it takes."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import partial
from itertools import pairwise
from typing import TypeAlias

import numpy as np

from ..errors import ModellingError
from .placement import FloatArray
from .search import closed_in
from .spline import FittedCurve, Ways, interpolated_fit, joined, piece_through
from .surface import Surface

FIT = 3e-11
MOST_POINTS = 3000
ROUNDS = 12
DEGREE = 5
FEWEST = DEGREE + 4
"""So many points, at least, a piece is led through."""

FLAT = 1e-8
"""Steps along which the curve turns by less (radians) are straight."""

BESIDE = 1e-3
"""A point of the path nearer to the end of a piece than this share of the step is left out."""

Rule: TypeAlias = Callable[[FloatArray], FloatArray]


@dataclass(frozen=True)
class PathFit:
    """How paths along two surfaces are fitted.

    settle : moves points near both surfaces, (N, 3), onto both. ways : unit tangents there of the curve in
    which they meet, of either sense, (N, 3). scale : the size of the model.
    """

    surfaces: tuple[Surface, Surface]
    settle: Rule
    ways: Rule
    scale: float

    def curve(self, points: FloatArray, closed: bool) -> FittedCurve:
        """Through points in order, (N, 3), of which the last repeats the first where the path is closed.

        Raises ModellingError where points follow each other too closely to tell the curve.
        """
        points = _apart(points, 1e-9 * self.scale)
        kinks, places = self._kinks(points)
        if not len(kinks):
            ((t, points),) = self._refined([points], [lambda t, p: interpolated_fit(t, p, closed).points])
            return interpolated_fit(t, points, closed)
        pieces, known = zip(*_divided(points, kinks, places, closed), strict=True)
        ways = self._ends(pieces, known)
        through = [partial(piece_through, degree=DEGREE, ways=ends) for ends in ways]
        refined = self._refined(self._filled(pieces), through)
        starts = np.cumsum([0.0, *(float(t[-1]) for t, _ in refined)])
        return joined([(start + t, p) for start, (t, p) in zip(starts, refined, strict=False)], DEGREE, ways)

    def _refined(
        self, pieces: Sequence[FloatArray], through: Sequence[Callable[[FloatArray, FloatArray], Rule]]
    ) -> list[tuple[FloatArray, FloatArray]]:
        """Parameters and points of each piece, with more of these wherever what is led through them leaves
        the surfaces. All pieces are looked at together."""
        points, ways, todo = list(pieces), _of_each(self.ways, pieces), list(range(len(pieces)))
        for _ in range(ROUNDS):
            made = [self._between(points[k], ways[k], through[k]) for k in todo]
            onto = _of_each(self.settle, made)
            wrong = [
                np.linalg.norm(a - b, axis=1) > FIT * self.scale for a, b in zip(onto, made, strict=True)
            ]
            more = [n for n, k in enumerate(todo) if wrong[n].any() and len(points[k]) <= MOST_POINTS]
            if not more:
                break
            chosen = [wrong[n] | np.roll(wrong[n], 1) | np.roll(wrong[n], -1) for n in more]
            added = [onto[n][rows] for n, rows in zip(more, chosen, strict=True)]
            todo = [todo[n] for n in more]
            for k, rows, new, way in zip(todo, chosen, added, _of_each(self.ways, added), strict=True):
                after = np.flatnonzero(rows) + 1
                points[k] = np.insert(points[k], after, new, axis=0)
                ways[k] = np.insert(ways[k], after, way, axis=0)
        return [(_lengths(p, w), p) for p, w in zip(points, ways, strict=True)]

    def _between(
        self, points: FloatArray, ways: FloatArray, through: Callable[[FloatArray, FloatArray], Rule]
    ) -> FloatArray:
        """Places of what is led through some points, amid each step."""
        t = _lengths(points, ways)
        if not (np.diff(t) > 0.0).all():
            x, y, z = points[int(np.diff(t).argmin())].tolist()
            raise ModellingError(
                f"two faces touch too flatly to tell their curve at ({x:.6g}, {y:.6g}, {z:.6g})"
            )
        return through(t, points)(0.5 * (t[:-1] + t[1:]))

    def _filled(self, pieces: Sequence[FloatArray]) -> list[FloatArray]:
        """With points between, so that there are enough for each piece."""
        found = list(pieces)
        while todo := [k for k, points in enumerate(found) if len(points) < FEWEST]:
            middles = _of_each(self.settle, [0.5 * (found[k][:-1] + found[k][1:]) for k in todo])
            for k, rows in zip(todo, middles, strict=True):
                found[k] = np.insert(found[k], np.arange(1, len(found[k])), rows, axis=0)
        return found

    def _ends(self, pieces: Sequence[FloatArray], known: Sequence[tuple[bool, bool]]) -> list[Ways]:
        """The directions in which pieces start and end, where they do so on a line of a surface."""
        found: list[Ways] = []
        for piece, ways, told in zip(
            pieces, _of_each(self.ways, [piece[[0, -1]] for piece in pieces]), known, strict=True
        ):
            chords = np.array([piece[1] - piece[0], piece[-1] - piece[-2]])
            ways = ways * np.sign((ways * chords).sum(axis=1))[:, None]
            first, last = (way if is_told and way.any() else None
                           for way, is_told in zip(ways, told, strict=True))  # fmt: skip
            found.append((first, last))
        return found

    # ------------------------------------------------------------------ lines

    def _kinks(self, points: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Where the path crosses lines of the surfaces, or borders, across which these are not smooth to any
        order: numbers of steps and shares of them, added, in order, and the points there, (M, 3)."""
        found = [self._crossings(points, surface, k) for surface in self.surfaces for k in (0, 1)]
        at = np.concatenate([f[0] for f in found])
        places = np.concatenate([f[1] for f in found])
        order = np.argsort(at)
        at, places = at[order], places[order]
        kept = np.append(True, np.diff(at) > BESIDE)[: len(at)]
        return at[kept], places[kept]

    def _crossings(self, points: FloatArray, surface: Surface, k: int) -> tuple[FloatArray, FloatArray]:
        lines, period = _lines(surface, k), surface.periods[k]
        if not len(lines):
            return np.zeros(0), np.zeros((0, 3))
        uv = surface.parameters(points)
        u, rows, which = uv[:, k], [], []
        for line in lines:
            gaps = _beyond(surface, k, np.full(len(points), line), points, uv)
            off = u - line
            off = (off + 0.5 * period) % period - 0.5 * period if period else off
            near = np.abs(off) < 0.25 * (period or np.inf)
            passed = ((gaps[1:] < 0.0) != (gaps[:-1] < 0.0)) & near[1:] & near[:-1]
            rows.append(np.flatnonzero(passed & (off[1:] * off[:-1] <= 0.0)))
            which.append(np.full(len(rows[-1]), line))
        step, line_of = np.concatenate(rows), np.concatenate(which)
        a, b = points[step], points[step + 1]

        def place(share: FloatArray) -> FloatArray:
            return self.settle(a + share[:, None] * (b - a))

        def gap(share: FloatArray) -> FloatArray:
            p = place(share)
            return _beyond(surface, k, line_of, p, surface.parameters(p)) / self.scale

        share = closed_in(gap, np.zeros(len(step)), np.ones(len(step)))
        return step + share, place(share) if len(step) else np.zeros((0, 3))


def _of_each(rule: Rule, rows: Sequence[FloatArray]) -> list[FloatArray]:
    """A rule for points, (N, 3), of several lists, asked once for all."""
    return np.split(rule(np.concatenate(rows)), np.cumsum([len(row) for row in rows])[:-1])


def _lengths(points: FloatArray, ways: FloatArray) -> FloatArray:
    """Lengths along a curve with unit tangents `ways` up to each point, as if it were round from each to the
    next: where steps grow or shrink chords would make the parameter uneven, and the spline wavy."""
    chords = np.linalg.norm(np.diff(points, axis=0), axis=1)
    aside = np.minimum(*(np.linalg.norm(ways[1:] + s * ways[:-1], axis=1) for s in (1.0, -1.0)))
    told = (ways != 0.0).any(axis=1)  # where the surfaces touch the curve has no direction
    half = np.where(told[1:] & told[:-1], np.arcsin(np.minimum(0.5 * aside, 0.5)), 0.0)
    steps = chords * np.where(half > FLAT, half / np.maximum(np.sin(half), FLAT), 1.0)
    return np.concatenate([[0.0], np.cumsum(steps)])


def _lines(surface: Surface, k: int) -> FloatArray:
    """The parameters of the lines, and of borders beyond which the surface goes on otherwise."""
    breaks, ends = surface.smooth_breaks()[k], surface.domain[k]
    if surface.periods[k]:
        return np.array([ends[0], *breaks] if len(breaks) else [])
    return np.array([line for line in (ends[0], *breaks, ends[1]) if np.isfinite(line)])


def _beyond(surface: Surface, k: int, line: FloatArray, points: FloatArray, uv: FloatArray) -> FloatArray:
    """How far points lie beyond lines, measured square to them where they pass next to the points."""
    foot = uv.copy()
    foot[:, k] = line
    d = surface.derivatives(foot, 1)
    way = d[1][0] if k == 0 else d[0][1]
    return np.asarray(((points - d[0][0]) * way).sum(axis=1) / np.linalg.norm(way, axis=1))


def _divided(
    points: FloatArray, kinks: FloatArray, places: FloatArray, closed: bool
) -> Iterator[tuple[FloatArray, tuple[bool, bool]]]:
    """The pieces of a path between its kinks, and whether each begins and ends at one; those of a closed path
    from the first kink round to it."""
    count = len(points) - 1
    if closed:
        points = np.concatenate([points, points[1:]])
        ends = [*zip(kinks.tolist(), places, strict=True), (kinks[0] + count, places[0])]
        known = [(True, True)] * (len(ends) - 1)
    else:
        ends = [(0.0, points[0]), *zip(kinks.tolist(), places, strict=True), (float(count), points[-1])]
        ends = [e for n, e in enumerate(ends) if n in (0, len(ends) - 1) or BESIDE < e[0] < count - BESIDE]
        known = [(n > 0, n < len(ends) - 2) for n in range(len(ends) - 1)]
    for ((low, start), (high, end)), sides in zip(pairwise(ends), known, strict=True):
        between = np.arange(int(np.ceil(low + BESIDE)), int(np.floor(high - BESIDE)) + 1)
        yield np.concatenate([start[None], points[between], end[None]]), sides


def _apart(points: FloatArray, least: float) -> FloatArray:
    """Points without those that repeat the one before; the last stays."""
    kept = [points[0]]
    for p in points[1:]:
        if np.linalg.norm(p - kept[-1]) > least:
            kept.append(p)
    kept[-1] = points[-1]
    return np.array(kept)
