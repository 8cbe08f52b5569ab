"""Lumps that touch along a side of triangles, told apart in a mesh.

A file of triangles knows corners by their places alone: where triangles of two lumps have a side in common,
four of them would run along it. All but one of the lumps get a corner in the middle of that side.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..errors import ModellingError
from ..geometry.placement import FloatArray
from ..geometry.tolerance import RESOLUTION
from .mesh import IntArray

MOST_PASSES = 50
MOST_GROWN = 8
"""So many times as many sides as at first may come to lie on each other."""


MULTIPLIERS = np.array([0x9E3779B97F4A7C15, 0xC2B2AE3D27D4EB4F, 0x165667B19E3779F9], dtype=np.uint64)
"""Odd numbers without a pattern."""

FAR_APART = 4.0 * RESOLUTION
"""Corners that are one in a file but farther apart than this do not come from lumps that touch."""


def told_apart(
    points: FloatArray, triangles: IntArray, owner: IntArray
) -> tuple[FloatArray, IntArray, IntArray]:
    """Points, triangles and their faces with no side, known by the places of its ends, run more than twice.

    points : (N, 3). triangles : (T, 3) of a closed mesh. owner : (T,), in ascending order, as in the result.

    Raises ModellingError where that takes too many corners.
    """
    most = 0
    for _ in range(MOST_PASSES):
        sides = _doubled_sides(points, triangles)
        if not len(sides):
            return points, triangles, owner
        most = most or MOST_GROWN * len(sides)
        if len(sides) > most:
            break
        points, triangles, owner = _halved(points, triangles, owner, sides)
    raise ModellingError("lumps that touch cannot be told apart in a mesh; save them one by one")


def _doubled_sides(points: FloatArray, triangles: IntArray) -> IntArray:
    """Of sides that lie on each other all but the first, as pairs of points in ascending order, (K, 2)."""
    stored = points.astype(np.float32) + np.float32(0.0)  # without negative zeros
    if _all_distinct(stored):
        return np.zeros((0, 2), dtype=np.int64)
    places, first, place = np.unique(stored, axis=0, return_index=True, return_inverse=True)
    gaps = np.abs(points - points[first][place.ravel()])
    if len(places) == len(points) or gaps.max() > FAR_APART:  # what a file cannot hold is not for here
        return np.zeros((0, 2), dtype=np.int64)
    sides = np.unique(np.sort(_sides(triangles), axis=1), axis=0)
    ends = np.sort(place.ravel()[sides], axis=1)
    return np.delete(sides, np.unique(ends, axis=0, return_index=True)[1], axis=0)


def _all_distinct(stored: NDArray[np.float32]) -> bool:
    """Whether no two rows have the same sum of multiples of their bits; if so no two rows are the same."""
    keys = np.sort(stored.view(np.uint32).astype(np.uint64) @ MULTIPLIERS)
    return bool((keys[1:] != keys[:-1]).all())


def _sides(triangles: IntArray) -> IntArray:
    return np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])


def _halved(
    points: FloatArray, triangles: IntArray, owner: IntArray, sides: IntArray
) -> tuple[FloatArray, IntArray, IntArray]:
    """The sides that are the first of both of their triangles get a corner in their middle."""
    count, total = len(sides), len(triangles)
    number = {(a, b): k for k, (a, b) in enumerate(sides.tolist())}
    found = [number.get((a, b), count) for a, b in np.sort(_sides(triangles), axis=1).tolist()]
    of_triangle = np.array(found).reshape(3, total)
    first = of_triangle.min(axis=0)
    waits = np.zeros(count + 1, dtype=bool)
    for row in of_triangle:
        waits[row[row != first]] = True
    waits[count] = True
    now = np.where(waits[first], count, first)
    kept, chosen = now == count, np.unique(now[now < count])
    rows, owners = [triangles[kept]], [owner[kept]]
    for k in range(3):
        here = ~kept & (of_triangle[k] == now)
        a, b, c = (triangles[here, (k + n) % 3] for n in range(3))
        middle = len(points) + np.searchsorted(chosen, now[here])
        rows += [np.column_stack([a, middle, c]), np.column_stack([middle, b, c])]
        owners += [owner[here]] * 2
    order = np.argsort(np.concatenate(owners), kind="stable")
    points = np.concatenate([points, points[sides[chosen]].mean(axis=1)])
    return points, np.concatenate(rows)[order], np.concatenate(owners)[order]
