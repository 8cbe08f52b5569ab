"""Rational B-spline surfaces: points, derivatives, normals, and the parameters nearest to points.

Source: Piegl & Tiller, The NURBS Book: basis functions 2.2, rational derivatives 4.4, point inversion 6.1.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from .placement import FloatArray, Plane
from .vector import Vec3

IntArray = NDArray[np.int64]

NEWTON_ROUNDS = 15
PER_SPAN = 4
CHUNK = 4096
NOWHERE = 1e-300


@dataclass(frozen=True, eq=False)
class SplineSurface:
    """A tensor product of `degrees` over clamped `knots` in u and v.

    controls : shape (n, m, 3). weights : shape (n, m), all positive; None for a polynomial surface.
    The normal is (derivative along u) cross (derivative along v).
    """

    degrees: tuple[int, int]
    knots: tuple[tuple[float, ...], tuple[float, ...]]
    controls: FloatArray
    weights: FloatArray | None = None
    kind: ClassVar[str] = "spline"

    @property
    def low(self) -> tuple[float, float]:
        """The least u and v."""
        return self.knots[0][0], self.knots[1][0]

    @property
    def high(self) -> tuple[float, float]:
        """The largest u and v."""
        return self.knots[0][-1], self.knots[1][-1]

    @cached_property
    def frame(self) -> Plane:
        """At the middle of the parameters, with the normal there."""
        middle = 0.5 * (np.array([self.low]) + np.array([self.high]))
        origin, normal = self.points(middle)[0], self._normals_at(middle)[0]
        x, y, z = origin.tolist()
        a, b, c = normal.tolist()
        return Plane((x, y, z), (a, b, c))

    def points(self, uv: FloatArray) -> FloatArray:
        """Points at `uv`, shape (N, 2); returns shape (N, 3)."""
        return self.derivatives(uv, 0)[0][0]

    def derivatives(self, uv: FloatArray, most: int = 2) -> list[list[FloatArray]]:
        """`found[i][j]`, shape (N, 3): derived i times along u and j times along v, i + j at most `most`
        (0 to 2)."""
        lifted = self._lifted
        rows = [_basis(self.knots[k], self.degrees[k], uv[:, k], most) for k in (0, 1)]
        (first_u, basis_u), (first_v, basis_v) = rows
        net = lifted[
            first_u[:, None, None] + np.arange(self.degrees[0] + 1)[None, :, None],
            first_v[:, None, None] + np.arange(self.degrees[1] + 1)[None, None, :],
        ]
        whole = {
            (i, j): np.einsum("na,nb,nabc->nc", basis_u[i], basis_v[j], net)
            for i in range(most + 1)
            for j in range(most + 1 - i)
        }
        return _divided(whole, most)

    def normal(self, point: Vec3) -> Vec3:
        """Unit normal at the foot of `point`."""
        x, y, z = self.normals(np.array([point]))[0].tolist()
        return (x, y, z)

    def normals(self, points: FloatArray) -> FloatArray:
        """Unit normals at the feet of `points`, shape (N, 3); returns shape (N, 3)."""
        return self._normals_at(self.parameters(points))

    def gap(self, point: Vec3) -> float:
        """Signed distance of one point, positive on the normal's side."""
        return float(self.distance(np.array([point]))[0])

    def distance(self, points: FloatArray) -> FloatArray:
        """Signed distances of `points`, shape (N, 3), positive on the normal's side; returns (N,)."""
        uv = self.parameters(points)
        off = points - self.points(uv)
        return np.copysign(np.linalg.norm(off, axis=1), (off * self._normals_at(uv)).sum(axis=1))

    def parameters(self, points: FloatArray) -> FloatArray:
        """(u, v) of the points of the surface nearest to `points`, shape (N, 3); returns shape (N, 2)."""
        grid, places = self._grid
        uv = np.empty((len(points), 2))
        for start in range(0, len(points), CHUNK):
            part = points[start : start + CHUNK]
            away = ((part**2).sum(axis=1)[:, None] - 2.0 * part @ places.T) + (places**2).sum(axis=1)
            uv[start : start + CHUNK] = self._nearest(part, grid[away.argmin(axis=1)])
        return uv

    def _nearest(self, points: FloatArray, uv: FloatArray) -> FloatArray:
        """Newton's method for the foot of a perpendicular; a step that leads away is halved."""
        low, high = np.array(self.low), np.array(self.high)
        for _ in range(NEWTON_ROUNDS):
            d = self.derivatives(uv)
            off = d[0][0] - points
            slope = np.column_stack([(off * d[1][0]).sum(axis=1), (off * d[0][1]).sum(axis=1)])
            a = (d[1][0] ** 2).sum(axis=1) + (off * d[2][0]).sum(axis=1)
            b = (d[1][0] * d[0][1]).sum(axis=1) + (off * d[1][1]).sum(axis=1)
            c = (d[0][1] ** 2).sum(axis=1) + (off * d[0][2]).sum(axis=1)
            flat = ~((a > 0) & (a * c - b * b > 0))  # no minimum nearby: without the curvature
            a = np.where(flat, (d[1][0] ** 2).sum(axis=1), a)
            b = np.where(flat, (d[1][0] * d[0][1]).sum(axis=1), b)
            c = np.where(flat, (d[0][1] ** 2).sum(axis=1), c)
            rest = np.maximum(a * c - b * b, NOWHERE)
            move = np.column_stack([
                (b * slope[:, 1] - c * slope[:, 0]) / rest, (b * slope[:, 0] - a * slope[:, 1]) / rest
            ])  # fmt: skip
            moved = self._bounded(uv, move, low, high, slope, a, c)
            before = (off**2).sum(axis=1)
            worse = ((self.points(moved) - points) ** 2).sum(axis=1) > before * (1.0 + 1e-12)
            moved[worse] = uv[worse] + 0.5 * (moved[worse] - uv[worse])
            done = np.abs(moved - uv).max() <= 1e-15 * (high - low).max()
            uv = moved
            if done:
                break
        return uv

    def _bounded(
        self,
        uv: FloatArray,
        move: FloatArray,
        low: FloatArray,
        high: FloatArray,
        slope: FloatArray,
        a: FloatArray,
        c: FloatArray,
    ) -> FloatArray:
        """The step, along the border where it would leave the surface."""
        for k, bend in ((0, c), (1, a)):
            stuck = ((uv[:, k] <= low[k]) & (move[:, k] < 0)) | ((uv[:, k] >= high[k]) & (move[:, k] > 0))
            move[stuck, k] = 0.0
            move[stuck, 1 - k] = -slope[stuck, 1 - k] / np.maximum(bend[stuck], NOWHERE)
        return np.clip(uv + move, low, high)

    def _normals_at(self, uv: FloatArray) -> FloatArray:
        d = self.derivatives(uv, 1)
        normals = np.cross(d[1][0], d[0][1])
        return normals / np.maximum(np.linalg.norm(normals, axis=1), NOWHERE)[:, None]

    @cached_property
    def _lifted(self) -> FloatArray:
        """Controls in homogeneous coordinates, shape (n, m, 4)."""
        weights = np.ones(self.controls.shape[:2]) if self.weights is None else self.weights
        return np.concatenate([self.controls * weights[:, :, None], weights[:, :, None]], axis=2)

    @cached_property
    def _grid(self) -> tuple[FloatArray, FloatArray]:
        """Parameters all over the surface, and the points there."""
        sides = []
        for k in (0, 1):
            stops = np.unique(self.knots[k])
            each = max(PER_SPAN, -(-12 // (len(stops) - 1)))
            sides.append(np.unique(np.concatenate([
                np.linspace(a, b, each + 1) for a, b in pairwise(stops)
            ])))  # fmt: skip
        grid = np.array(np.meshgrid(*sides, indexing="ij")).reshape(2, -1).T
        return grid, self.points(grid)


def _basis(
    knots: Sequence[float], degree: int, t: FloatArray, most: int
) -> tuple[IntArray, list[FloatArray]]:
    """Number of the first control that counts at each t, and the values of the degree + 1 basis functions,
    derived 0 to `most` times, each of shape (N, degree + 1)."""
    k = np.asarray(knots)
    span: IntArray = np.clip(np.searchsorted(k, t, side="right") - 1, degree, len(k) - degree - 2)
    levels = [np.ones((len(t), 1))]
    for p in range(1, degree + 1):
        previous, value = levels[-1], np.zeros((len(t), p + 1))
        for j in range(p):
            left, right = k[span + j + 1 - p], k[span + j + 1]
            share = previous[:, j] / (right - left)
            value[:, j] += (right - t) * share
            value[:, j + 1] += (t - left) * share
        levels.append(value)
    derived = [_derived(k, span, degree, levels, order) for order in range(1, most + 1)]
    return span - degree, [levels[degree], *derived]


def _derived(
    k: FloatArray, span: IntArray, degree: int, levels: Sequence[FloatArray], order: int
) -> FloatArray:
    """Basis functions derived `order` times, from those of a degree so much lower."""
    if order > degree:
        return np.zeros_like(levels[degree])
    value = levels[degree - order]
    for p in range(degree - order + 1, degree + 1):
        higher = np.zeros((len(value), p + 1))
        for j in range(p):
            share = p * value[:, j] / (k[span + j + 1] - k[span + j + 1 - p])
            higher[:, j] -= share
            higher[:, j + 1] += share
        value = higher
    return value


def _divided(whole: dict[tuple[int, int], FloatArray], most: int) -> list[list[FloatArray]]:
    """From derivatives in homogeneous coordinates to those of the points (Piegl & Tiller 4.20)."""
    w = {key: value[:, 3:] for key, value in whole.items()}
    found: dict[tuple[int, int], FloatArray] = {}
    for i, j in sorted(whole, key=sum):
        value = whole[i, j][:, :3].copy()
        for a in range(i + 1):
            for b in range(j + 1):
                if (a, b) != (0, 0):
                    value -= _choose(i, a) * _choose(j, b) * w[a, b] * found[i - a, j - b]
        found[i, j] = value / w[0, 0]
    return [[found[i, j] for j in range(most + 1 - i)] for i in range(most + 1)]


def _choose(n: int, k: int) -> int:
    return 2 if (n, k) == (2, 1) else 1
