"""Where parallel rays meet any surface: patches whose shadows hold a ray are divided, then Newton's method.

Seen along the rays the surface is a picture in a plane, and a ray a point of it. A patch that its corners and
second derivatives keep away from the point is left out; from the middle of each that is left a place on the
surface is sought whose picture is the point.

Source: Patrikalakis & Maekawa, Shape Interrogation, ch. 4 (subdivision); Toth, "On ray tracing parametric
surfaces", Computer Graphics 19 (1985).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from .placement import FloatArray, IntArray
from .search import filled_rows
from .tolerance import NOWHERE

DIVISIONS = 3
"""How often a patch that may be hit is divided in four."""

NEWTON_ROUNDS = 12
SETTLED = 1e-12
"""Steps so short, as a share of the range, are the last: the next would be as their square."""

ON = 1e-9
"""A place whose picture is so near to the ray, as a share of the surface, is hit."""

APART = 1e-7
"""Hits whose parameters differ by less, as a share of the range, are one."""

MARGIN = 0.25
"""Rays meet the surface also beyond its borders, by so much of the range: faces may reach beyond them."""

CHUNK = 4_000_000


Interval = tuple[float, float]


class Patched(Protocol):
    """What is asked of a surface here."""

    @property
    def domain(self) -> tuple[Interval, Interval]: ...
    @property
    def ray_patches(self) -> RayPatches: ...
    @property
    def reachable(self) -> tuple[Interval, Interval]: ...
    def smooth_breaks(self) -> tuple[Sequence[float], Sequence[float]]: ...
    def points(self, uv: FloatArray) -> FloatArray: ...
    def derivatives(self, uv: FloatArray, most: int = 2) -> list[list[FloatArray]]: ...


def patch_ray_hits(surface: Patched, origins: FloatArray, direction: FloatArray) -> FloatArray:
    """Distances along the rays from `origins`, (N, 3), in a unit direction, (3,), shape (N, K), NaN where
    there is no hit."""
    plane = np.linalg.svd(direction[None])[2][1:]  # two directions across the rays
    low, high = surface.ray_patches.range
    rays, uv = _candidates(surface, origins @ plane.T, plane)
    uv, good = _hit(surface, uv, (origins @ plane.T)[rays], plane, low, high)
    rays, uv = _once(rays[good], uv[good], high - low)
    t = ((surface.points(uv) - origins[rays]) @ direction) if len(rays) else np.zeros(0)
    return filled_rows(rays, t, len(origins))


@dataclass(frozen=True, slots=True, eq=False)
class RayPatches:
    """Patches that a surface is divided in, whichever way rays run. range : least and largest (u, v), of
    shape (2,) each; middles (N, 2); half : their half sizes, (2,); with the derivatives at the middles."""

    range: tuple[FloatArray, FloatArray]
    middles: FloatArray
    half: FloatArray
    derivatives: list[list[FloatArray]]

    @classmethod
    def of(cls, surface: Patched) -> RayPatches:
        low, high = np.array(surface.domain).T
        inner = np.array(surface.reachable).T
        room = MARGIN * (high - low)
        low, high = np.maximum(low - room, inner[0]), np.minimum(high + room, inner[1])
        counts = [max(8, 3 * (len(breaks) + 1)) for breaks in surface.smooth_breaks()]
        sides = [low[k] + (high - low)[k] * (np.arange(n) + 0.5) / n for k, n in enumerate(counts)]
        middles = np.stack(np.meshgrid(*sides, indexing="ij"), axis=-1).reshape(-1, 2)
        return cls((low, high), middles, 0.5 * (high - low) / np.array(counts), surface.derivatives(middles))


def _candidates(surface: Patched, targets: FloatArray, plane: FloatArray) -> tuple[IntArray, FloatArray]:
    """The rays, by number, and the middles of the small patches that they may hit."""
    patches = surface.ray_patches
    middles, half = patches.middles, patches.half
    center, reach = _pictures(patches.derivatives, half, plane)
    rays, cells = [], []
    rows = max(1, CHUNK // len(middles))
    for start in range(0, len(targets), rows):
        off = np.abs(targets[start : start + rows, None] - center)
        i, j = np.nonzero((off <= reach).all(axis=2))
        rays.append(i + start)
        cells.append(j)
    number, uv = np.concatenate(rays), middles[np.concatenate(cells)]
    for _ in range(DIVISIONS):
        half = 0.5 * half
        shifts = np.array([(-1, -1), (-1, 1), (1, -1), (1, 1)]) * half
        uv = (uv[:, None] + shifts).reshape(-1, 2)
        number = np.repeat(number, 4)
        center, reach = _pictures(surface.derivatives(uv), half, plane)
        kept = (np.abs(targets[number] - center) <= reach).all(axis=1)
        number, uv = number[kept], uv[kept]
    return number, uv


def _pictures(
    d: Sequence[Sequence[FloatArray]], half: FloatArray, plane: FloatArray
) -> tuple[FloatArray, FloatArray]:
    """Middles and half sizes, (N, 2), of boxes around the pictures of patches about places with these
    derivatives."""
    flat = [np.abs(x @ plane.T) for x in (d[1][0], d[0][1], d[2][0], d[1][1], d[0][2])]
    a, b = half
    first = a * flat[0] + b * flat[1]
    second = 0.5 * a * a * flat[2] + a * b * flat[3] + 0.5 * b * b * flat[4]
    return d[0][0] @ plane.T, 1.05 * first + 2.0 * second


def _hit(
    surface: Patched,
    uv: FloatArray,
    targets: FloatArray,
    plane: FloatArray,
    low: FloatArray,
    high: FloatArray,
) -> tuple[FloatArray, NDArray[np.bool_]]:
    """Places whose pictures are the targets, by Newton's method, and whether they were found."""
    if not len(uv):
        return uv, np.zeros(0, dtype=bool)
    span = high - low
    for _ in range(NEWTON_ROUNDS):
        d = surface.derivatives(uv, 1)
        off = d[0][0] @ plane.T - targets
        along, across = d[1][0] @ plane.T, d[0][1] @ plane.T
        area = along[:, 0] * across[:, 1] - along[:, 1] * across[:, 0]
        safe = np.where(np.abs(area) > NOWHERE, area, NOWHERE)
        du = (off[:, 1] * across[:, 0] - off[:, 0] * across[:, 1]) / safe
        dv = (off[:, 0] * along[:, 1] - off[:, 1] * along[:, 0]) / safe
        step = np.clip(np.column_stack([du, dv]), -0.1 * span, 0.1 * span)
        before, uv = uv, np.clip(uv + step, low, high)
        if (np.abs(uv - before) <= SETTLED * span).all():
            break
    off = np.abs(surface.points(uv) @ plane.T - targets).max(axis=1)
    size = float(np.ptp(surface.points(np.array([low, high])), axis=0).max()) + float(np.abs(targets).max())
    return uv, off <= ON * size


def _once(rays: IntArray, uv: FloatArray, span: FloatArray) -> tuple[IntArray, FloatArray]:
    """Hits that are found from several patches made one."""
    order = np.lexsort((uv[:, 1], uv[:, 0], rays))
    rays, uv = rays[order], uv[order]
    kept = np.ones(len(rays), dtype=bool)
    for back in range(1, 9):
        same = (rays[back:] == rays[:-back]) & (np.abs(uv[back:] - uv[:-back]) <= APART * span).all(axis=1)
        kept[back:] &= ~same
    return rays[kept], uv[kept]
