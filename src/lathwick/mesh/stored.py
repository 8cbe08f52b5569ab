"""Triangles that keep no area when their corners are rounded to 32-bit numbers, taken out of a mesh.

Sides that shrink to a point are collapsed, and a triangle that falls flat goes with the one across its
longest side, which gets the corner between.

Source: Botsch & Kobbelt, "A robust procedure to eliminate degenerate faces from triangle meshes", VMV 2001.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..geometry.placement import FloatArray
from .mesh import IntArray

MOST_PASSES = 20


def without_flat(points: FloatArray, triangles: IntArray) -> IntArray | None:
    """The triangles of a closed mesh that are left when `points` are rounded to 32-bit numbers.

    points : (N, 3). triangles : (T, 3). Returns None where what is left has a triangle without area, or a
    side that is not run once each way.
    """
    stored, first, place = np.unique(
        points.astype(np.float32) + np.float32(0.0), axis=0, return_index=True, return_inverse=True
    )
    exact = stored.astype(float)
    rows = place.ravel()[triangles].astype(np.int64)
    for _ in range(MOST_PASSES):
        rows = rows[_corners_differ(rows)]
        flat = _flat(exact, rows)
        if not len(flat):
            return first[rows] if _is_closed(rows, len(exact)) else None
        swapped = _swapped(exact, rows, int(flat[0]))
        if swapped is None:
            return None
        rows = swapped
    return None


def _corners_differ(rows: IntArray) -> NDArray[np.bool_]:
    a, b, c = rows.T
    return np.asarray((a != b) & (b != c) & (c != a))


def _flat(points: FloatArray, rows: IntArray) -> IntArray:
    """Numbers of triangles whose corners lie in a line; the products of 32-bit numbers are exact."""
    a, b, c = (points[rows[:, k]] for k in range(3))
    return np.flatnonzero(~np.cross(b - a, c - a).any(axis=1))


def _swapped(points: FloatArray, rows: IntArray, flat: int) -> IntArray | None:
    """The triangle `flat` and the one across its longest side, as two that share the corner between."""
    corners = points[rows[flat]]
    k = int(np.argmax(np.linalg.norm(np.roll(corners, -1, axis=0) - corners, axis=1)))
    start, end, between = (int(rows[flat, (k + n) % 3]) for n in range(3))
    others, sides = np.nonzero((rows == end) & (np.roll(rows, -1, axis=1) == start))
    if len(others) != 1:
        return None
    apex = int(rows[others[0], sides[0] - 1])
    kept = np.delete(rows, np.append(others, flat), axis=0)
    return np.concatenate([kept, [[end, between, apex], [between, start, apex]]])


def _is_closed(rows: IntArray, count: int) -> bool:
    """Whether each side is run once each way."""
    sides = np.concatenate([rows[:, [0, 1]], rows[:, [1, 2]], rows[:, [2, 0]]])
    ahead, back = (np.sort(sides[:, a] * count + sides[:, 1 - a]) for a in (0, 1))
    return bool(len(rows)) and np.array_equal(ahead, back) and not (ahead[1:] == ahead[:-1]).any()
