"""Where what a blend follows is not smooth to any order: it is drawn in pieces between such places."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from itertools import pairwise

import numpy as np

from ...geometry.placement import FloatArray
from ...geometry.search import closed_in
from ...geometry.surface import Surface
from ...topology.brep import Edge

Track = Callable[[FloatArray], tuple[FloatArray, ...]]
"""Points by parameters (N,), several at each; (N, 3) each."""

SAMPLES = 33
APART = 1e-5
"""Nearer to another place than this share of an interval there is no piece between them."""

ALONG = 1e-9
"""What stays so near to a line of its face, as a share of where all of it lies, runs along it."""


def edge_stops(
    edge: Edge, track: Track, on: Sequence[tuple[int, Surface]], open_ends: tuple[bool, bool] = (False, False)
) -> list[float]:
    """The ends of an edge, and between them the parameters where the edge, or a track beside it, need not be
    smooth to any order. Otherwise as `crossings`."""
    stops = [edge.t0, *edge.curve.smooth_breaks(edge.t0, edge.t1), edge.t1]
    return crossings(track, stops, on, open_ends)


def crossings(
    track: Track,
    stops: Sequence[float],
    on: Sequence[tuple[int, Surface]],
    open_ends: tuple[bool, bool] = (False, False),
) -> list[float]:
    """The stops of a track, from its start to its end, and between them those where it crosses a line of a
    surface across which that need not be smooth to any order.

    on : the points of the track that lie on a surface, by number, and that surface. open_ends : at which
    ends of the track there are no points.
    """
    places = [(number, surface, k, list(lines)) for number, surface in on
              for k, lines in enumerate(_lines(surface))]  # fmt: skip
    places = [place for place in places if place[3]]
    if not places:
        return list(stops)
    t = np.unique(np.concatenate([np.linspace(a, b, SAMPLES) for a, b in pairwise(stops)]))
    t = t[int(open_ends[0]) : len(t) - int(open_ends[1])]
    points = track(t)
    every, room = list(stops), APART * (stops[-1] - stops[0])
    for number, surface, k, lines in places:
        for found in _across(track, (t, points), (number, surface, k), lines):
            if min(abs(found - other) for other in every) > room:
                every.append(found)
    return sorted(every)


def _lines(surface: Surface) -> Iterator[list[float]]:
    """The u and the v of the lines of a surface across which it need not be smooth to any order. (Not its
    borders: beyond them it goes on so smoothly that no piece is worth its while.)"""
    for breaks, ends, period in zip(surface.smooth_breaks(), surface.domain, surface.periods, strict=True):
        yield [*(ends[:1] if period and len(breaks) else ()), *breaks]


def _across(
    track: Track,
    samples: tuple[FloatArray, tuple[FloatArray, ...]],
    place: tuple[int, Surface, int],
    lines: Sequence[float],
) -> list[float]:
    """Where the points of one number cross lines of a surface, of equal u (k = 0) or v (k = 1)."""
    (t, points), (number, surface, k) = samples, place
    period = surface.periods[k]

    def off(values: FloatArray, line: float | FloatArray) -> FloatArray:
        gap = values - line
        return np.asarray((gap + 0.5 * period) % period - 0.5 * period if period else gap)

    values = surface.parameters(points[number])[:, k]
    span = max(float(np.ptp(values)), 1.0)
    rows, which = [], []
    for line in lines:
        gap = off(values, line)
        steps = np.abs(np.diff(gap))
        over = ((gap[1:] < 0.0) != (gap[:-1] < 0.0)) & (steps > ALONG * span)
        if period:  # from one side to the other, not round the back
            over &= steps < 0.5 * period
        rows += np.flatnonzero(over).tolist()
        which += [line] * int(over.sum())
    line_of = np.array(which)

    def gaps(at: FloatArray) -> FloatArray:
        return off(surface.parameters(track(at)[number])[:, k], line_of)

    return closed_in(gaps, t[rows], t[np.array(rows, dtype=int) + 1]).tolist() if rows else []
