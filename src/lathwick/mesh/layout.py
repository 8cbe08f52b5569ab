"""The boundary of a face on a surface with a period, laid out in (u, v): a patch, or a tube cut open.

The cut runs between two boundary points that nearly lie on one ruling, so it bends no more than any chord.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..geometry.placement import FloatArray
from .mesh import IntArray

MOST_TRIES = 60


@dataclass(frozen=True, slots=True)
class Layout:
    """places : (K, 2) in the layout. owner : (K,) the number of the boundary point, rings one after the
    other, that each place is; the ends of a cut occur twice. segments : (M, 2), numbers of places.
    period : of the first coordinate, 0.0 for none."""

    places: FloatArray
    owner: IntArray
    segments: IntArray
    period: float


def patch(paths: Sequence[FloatArray], period: float) -> Layout:
    """The layout of a face whose rings, closed by a repeated first point, do not go round the surface."""
    rings = [path[:-1].copy() for path in paths]
    outer = max(rings, key=lambda ring: abs(_area(ring)))
    if period:
        for ring in rings:
            steps = [n * period for n in (0, -1, 1, -2, 2)]
            near = (
                period * round(float(outer[:, 0].mean() - ring[0, 0]) / period) if ring is not outer else 0.0
            )
            ring[:, 0] += next((near + s for s in steps if _inside(ring[0] + (near + s, 0.0), outer)), 0.0)
    return Layout(np.concatenate(rings), *rings_in_order([len(ring) for ring in rings]), period)


def rings_in_order(counts: Sequence[int]) -> tuple[IntArray, IntArray]:
    """Owners and segments of a layout of rings with so many points each, one after the other."""
    starts = np.cumsum([0, *counts])
    loops = [start + np.arange(count) for start, count in zip(starts, counts, strict=False)]
    segments = np.concatenate([np.column_stack([loop, np.roll(loop, -1)]) for loop in loops])
    return np.arange(starts[-1]), segments.astype(np.int64)


def _area(ring: FloatArray) -> float:
    x, y = ring.T
    return 0.5 * float(x @ np.roll(y, -1) - np.roll(x, -1) @ y)


def opened(paths: Sequence[FloatArray], turns: Sequence[int], period: float) -> Layout | None:
    """The layout of a tube whose rings have these paths in (u, v), (n + 1, 2), closed by a repeated first
    point; `turns` tells how often each goes round. None where no cut is found."""
    rims = [i for i, t in enumerate(turns) if t]
    if len(rims) != 2 or abs(turns[rims[0]]) != 1 or turns[rims[0]] != -turns[rims[1]]:
        return None
    up, down = (paths[rims[0]], paths[rims[1]]) if turns[rims[0]] > 0 else (paths[rims[1]], paths[rims[0]])
    for i, j in _candidates(up, down, period):
        found = _laid_out(paths, turns, period, i, j)
        if found is not None:
            return found
    return None


def ends_of_cut(layout: Layout) -> tuple[FloatArray, FloatArray]:
    """Where the cut of a tube starts and ends, (2,) each."""
    top = _top(layout)
    return layout.places[top], layout.places[top + 1]


def _top(layout: Layout) -> int:
    """The place at which the rising rim ends; the cut leads on to the next one."""
    return int(np.flatnonzero(layout.owner == layout.owner[0])[1])


def with_points_on_cut(layout: Layout, step: float) -> tuple[Layout, FloatArray]:
    """The layout of a tube with points along its cut, no farther apart in v than `step`; and where they are,
    (S, 2). They follow on the boundary's in the owners; each lies on both sides of the cut."""
    top = _top(layout)
    last = int(np.flatnonzero(layout.owner == layout.owner[top + 1])[1])
    start, end = ends_of_cut(layout)
    count = max(1, math.ceil(abs(float(end[1] - start[1])) / step))
    along = start + (end - start) * (np.arange(1, count) / count)[:, None]
    total, border = len(layout.places), int(layout.owner.max()) + 1
    right = [top, *(total + k for k in range(count - 1)), top + 1]
    left = [last, *(total + count - 1 + k for k in reversed(range(count - 1))), 0]
    cut = ((layout.segments[:, 0] == top) & (layout.segments[:, 1] == top + 1)) | (
        (layout.segments[:, 0] == last) & (layout.segments[:, 1] == 0)
    )
    chains = [np.column_stack([chain[:-1], chain[1:]]) for chain in (right, left)]
    owners = border + np.tile(np.arange(count - 1), 2)
    places = np.concatenate([layout.places, along, along - (layout.period, 0.0)])
    segments = np.concatenate([layout.segments[~cut], *chains])
    return Layout(places, np.concatenate([layout.owner, owners]), segments, layout.period), along


def _candidates(up: FloatArray, down: FloatArray, period: float) -> list[tuple[int, int]]:
    """Points of both rims that lie nearly above each other, the nearest first."""
    order = np.argsort(down[:-1, 0] % period)
    sorted_u = (down[:-1, 0] % period)[order]
    at = np.searchsorted(sorted_u, up[:-1, 0] % period) % len(order)
    found = []
    for i in range(len(up) - 1):
        for k in (at[i], at[i] - 1):
            j = int(order[k])
            off = (down[j, 0] - up[i, 0]) % period
            found.append((min(off, period - off), i, j))
    return [(i, j) for _, i, j in sorted(found)[:MOST_TRIES]]


def _laid_out(
    paths: Sequence[FloatArray], turns: Sequence[int], period: float, i: int, j: int
) -> Layout | None:
    starts = np.concatenate([[0], np.cumsum([len(path) - 1 for path in paths])])
    rising = next(k for k, t in enumerate(turns) if t > 0)
    falling = next(k for k, t in enumerate(turns) if t < 0)
    up, up_owner = _turned(paths[rising], i, int(starts[rising]))
    down, down_owner = _turned(paths[falling], j, int(starts[falling]))
    # the falling rim runs back from the copy of the cut to the cut
    down[:, 0] += period * round((up[-1, 0] - down[0, 0]) / period)
    cut = ((float(up[0, 0]), float(up[0, 1])), (float(down[-1, 0]), float(down[-1, 1])))
    places, owners = [np.concatenate([up, down])], [np.concatenate([up_owner, down_owner])]
    count = len(places[0])
    k = np.arange(count)
    segments = [np.column_stack([k, (k + 1) % count])]
    outline = places[0]
    for a, b in ((count - 1, 0), (len(up) - 1, len(up))):
        if _is_crossed(outline[a], outline[b], outline, skip=(a, b)) or _runs_along(outline, a, b):
            return None
    for ring, turn in enumerate(turns):
        if turn:
            continue
        path = paths[ring][:-1].copy()
        path[:, 0] -= period * math.floor((path[0, 0] - _line(cut, path[0, 1])) / period)
        shift = next((s for s in (0.0, -period, period) if _within(path, outline, s)), None)
        if shift is None:
            return None
        path[:, 0] += shift
        if any(_is_crossed(outline[-1] + (s, 0.0), outline[0] + (s, 0.0), path) for s in (0.0, period)):
            return None
        k = np.arange(len(path))
        segments.append(count + np.column_stack([k, (k + 1) % len(k)]))
        places.append(path)
        owners.append(int(starts[ring]) + k)
        count += len(path)
    return Layout(np.concatenate(places), np.concatenate(owners), np.concatenate(segments), period)


def _turned(path: FloatArray, first: int, start: int) -> tuple[FloatArray, IntArray]:
    """A rim from its point `first` once round to it again, and the numbers of its points."""
    count = len(path) - 1
    step = path[-1] - path[0]
    rolled = np.concatenate([path[first:-1], path[: first + 1] + step])
    owner = start + np.concatenate([np.arange(first, count), np.arange(first + 1)])
    return rolled, owner.astype(np.int64)


def _line(cut: tuple[tuple[float, float], tuple[float, float]], v: float) -> float:
    (u0, v0), (u1, v1) = cut
    share = min(1.0, max(0.0, (v - v0) / (v1 - v0))) if v1 != v0 else 0.0
    return u0 + share * (u1 - u0)


def _is_crossed(p: FloatArray, q: FloatArray, chain: FloatArray, skip: tuple[int, ...] = ()) -> bool:
    """Whether a segment meets any side of a closed chain, those at the places to `skip` left out."""
    a, b = chain, np.roll(chain, -1, axis=0)
    kept = np.ones(len(a), dtype=bool)
    for k in skip:
        kept[[k, k - 1]] = False
    a, b = a[kept], b[kept]
    d = q - p
    one, two = _turn(d, a - p), _turn(d, b - p)
    three, four = _turn(b - a, p - a), _turn(b - a, q - a)
    return bool(((one * two <= 0.0) & (three * four <= 0.0)).any())


def _runs_along(chain: FloatArray, a: int, b: int) -> bool:
    """Whether the side from place a to the next one b lies on another side that ends at a or b."""
    for at, way, other in ((a, chain[b] - chain[a], a - 1), (b, chain[a] - chain[b], (b + 1) % len(chain))):
        beside = chain[other] - chain[at]
        size = float(np.hypot(*way) * np.hypot(*beside))
        if abs(float(_turn(way, beside))) <= 1e-6 * size and float(way @ beside) > 0.0:
            return True
    return False


def _turn(a: FloatArray, b: FloatArray) -> FloatArray:
    turn: FloatArray = a[..., 0] * b[..., 1] - a[..., 1] * b[..., 0]
    return turn


def _within(ring: FloatArray, chain: FloatArray, shift: float) -> bool:
    """Whether a ring, shifted along u, lies in a chain, which it may touch in places."""
    tried = ring[:: max(1, len(ring) // 9)] + np.array([shift, 0.0])
    return 2 * sum(_inside(p, chain) for p in tried) > len(tried)


def _inside(p: FloatArray, chain: FloatArray) -> bool:
    a, b = chain - p, np.roll(chain, -1, axis=0) - p
    spans: NDArray[np.bool_] = (a[:, 1] > 0.0) != (b[:, 1] > 0.0)
    a, b = a[spans], b[spans]
    return int((a[:, 0] - a[:, 1] * (b[:, 0] - a[:, 0]) / (b[:, 1] - a[:, 1]) > 0.0).sum()) % 2 == 1
