"""Where two pieces meet when one of them is an ellipse or a spline.

Both are cut into short chords, with boxes widened by how far the curve strays from its chord; from
every pair of boxes that touch, Gauss-Newton finds the place where the distance is least. Source:
Patrikalakis & Maekawa, Shape Interrogation, ch. 4 and 5.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..geometry.placement import FloatArray
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec2
from .pieces import ArcPiece, LinePiece, Piece, places_along, slopes_along
from .plane_curves import CurvePiece

CHORDS_PER_PART = 24
ROUNDS = 60


@dataclass(frozen=True, slots=True)
class _Chords:
    """A piece cut at `shares`; `low` and `high` are the widened boxes of its chords, shape (N, 2)."""

    shares: FloatArray
    low: FloatArray
    high: FloatArray


def general_points(one: Piece, two: Piece) -> list[tuple[Vec2, bool]]:
    """Common points of two pieces, each with whether the pieces overlap there (only told of equal curves)."""
    shared = _overlap(one, two)
    if shared is not None:
        return [(shared, True)]
    first, second = _chords(one), _chords(two)
    apart = np.any(first.low[:, None, :] > second.high[None, :, :], axis=2)
    apart |= np.any(second.low[None, :, :] > first.high[:, None, :], axis=2)
    touch = np.logical_not(apart)
    _skip_common_ends(one, two, touch)
    found: list[Vec2] = []
    for i, j in np.argwhere(touch).tolist():
        start = (
            0.5 * (first.shares[i] + first.shares[i + 1]),
            0.5 * (second.shares[j] + second.shares[j + 1]),
        )
        place = _closest(one, two, start)
        if place is not None and all(math.dist(place, other) > 8 * RESOLUTION for other in found):
            found.append(place)
    return [(place, False) for place in found]


def _skip_common_ends(one: Piece, two: Piece, touch: NDArray[Any]) -> None:
    """Chords that touch because the pieces share an end need not be searched: the end is known."""
    if one.is_closed or two.is_closed:
        return
    for i, a in ((0, one.start), (-1, one.end)):
        for j, b in ((0, two.start), (-1, two.end)):
            if math.dist(a, b) <= 2 * RESOLUTION and touch.size > 1:
                touch[i, j] = False


def _overlap(one: Piece, two: Piece) -> Vec2 | None:
    """The middle of what two pieces of one and the same curve have in common."""
    if not (isinstance(one, CurvePiece) and isinstance(two, CurvePiece)):
        return None
    places = one.curve.points(np.array([one.low, 0.5 * (one.low + one.high), one.high]))
    others = two.curve.points(np.array([one.low, 0.5 * (one.low + one.high), one.high]))
    if type(one.curve) is not type(two.curve) or np.abs(places - others).max() > RESOLUTION:
        return None
    low, high = max(one.low, two.low), min(one.high, two.high)
    if high - low <= 1e-9 * (one.high - one.low):
        return None
    x, y = one.curve.points(np.array([0.5 * (low + high)]))[0].tolist()
    return (x, y)


def _slope(piece: Piece, s: float) -> Vec2:
    """Derivative by the share."""
    x, y = slopes_along(piece, np.array([s]))[0].tolist()
    return (x, y)


def _chords(piece: Piece) -> _Chords:
    if isinstance(piece, LinePiece):
        count = 1
    elif isinstance(piece, ArcPiece):
        count = max(2, math.ceil(abs(piece.sweep) * CHORDS_PER_PART / math.pi))
    else:
        count = CHORDS_PER_PART * (len(piece.curve.breaks(piece.low, piece.high)) - 1)
    shares = np.linspace(0.0, 1.0, count + 1)
    ends, middles = places_along(piece, shares), places_along(piece, 0.5 * (shares[:-1] + shares[1:]))
    stray = np.linalg.norm(middles - 0.5 * (ends[:-1] + ends[1:]), axis=1)[:, None]
    wide = 2.0 * stray + 2.0 * RESOLUTION
    low, high = np.minimum(ends[:-1], ends[1:]) - wide, np.maximum(ends[:-1], ends[1:]) + wide
    return _Chords(shares, low, high)


def _closest(one: Piece, two: Piece, start: tuple[float, float]) -> Vec2 | None:
    """The place near `start` (shares of both) where the pieces meet; None if they do not."""
    s, t = start
    for _ in range(ROUNDS):
        (px, py), (qx, qy) = one.point(s), two.point(t)
        (ux, uy), (vx, vy) = _slope(one, s), _slope(two, t)
        matrix, off = np.array([[ux, -vx], [uy, -vy]]), np.array([qx - px, qy - py])
        ds, dt = np.linalg.lstsq(matrix, off, rcond=1e-9)[0].tolist()
        new_s, new_t = min(1.0, max(0.0, s + ds)), min(1.0, max(0.0, t + dt))
        moved = abs(new_s - s) + abs(new_t - t)
        s, t = new_s, new_t
        if moved < 1e-15:
            break
    p, q = one.point(s), two.point(t)
    return p if math.dist(p, q) <= RESOLUTION else None
