"""Slabs with rounded corners, a rounded rim, holes and a hollow, and their volumes by slices.

A slice is a polygon of many sides, moved inwards with sharp corners; the rounds of the rim are as many slices
as Gauss's rule takes. Nothing of the kernel is used for that.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import shapely
from shapely.geometry import Point, Polygon

import lathwick as lw

SIDES = 400
Array = np.ndarray
Area = Callable[[float], float]


@dataclass(frozen=True)
class Slab:
    """corners (N, 2), counter-clockwise, with a radius for each, 0 for a sharp one; the radius of its lower
    rim; holes as (x, y, radius)."""

    corners: Array
    radii: Array
    height: float
    rim: float
    holes: tuple[tuple[float, float, float], ...]

    def body(self) -> lw.Body:
        """Uprights rounded first, then drilled, then the rim rounded."""
        sk = lw.Sketch()
        sk.polyline(self.corners.tolist(), close=True)
        body = lw.extrude(sk.regions(), self.height, step="slab")
        groups: dict[float, list] = {}
        for edge in body.edges().parallel(lw.Z):
            k = int(np.linalg.norm(self.corners - edge.brep.midpoint()[:2], axis=1).argmin())
            groups.setdefault(float(self.radii[k]), []).append(edge)
        groups.pop(0.0, None)
        if groups:
            body = lw.fillet(body, list(groups.values()), list(groups), step="upright")
        places = [(lw.Plane((x, y, -1), (0, 0, 1)), r) for x, y, r in self.holes]
        if places:
            body = lw.cut(body, *(lw.cylinder(r, self.height + 2, on=on, step="hole") for on, r in places))
        return lw.fillet(body, self.rim_of(body), self.rim, step="rim") if self.rim else body

    def rim_of(self, body: lw.Body) -> list:
        mouths = set(body.edges("hole")) if self.holes else set()
        return [edge for edge in body.face("slab/start").edges() if edge not in mouths]

    def volume(self) -> float:
        return self._stacked(0.0, self.height, self.rim)

    def hollow(self, wall: float, is_open: bool) -> float:
        """Volume of what a shell takes out."""
        height = self.height - wall * (1 if is_open else 2)
        return self._stacked(wall, height, max(self.rim - wall, 0.0))

    def _stacked(self, wall: float, height: float, rim: float) -> float:
        """The volume inside walls: straight above, and the slices of a round below."""
        convex = _is_convex(self.corners)
        outline = inset(rounded(self.corners, self.radii), wall)
        sharp = rounded(self.corners, np.where(convex & (self.radii < self.rim), 0.0, self.radii))
        holes = shapely.unary_union([Point(x, y).buffer(r + wall, SIDES) for x, y, r in self.holes])

        def area(depth: float) -> float:
            return inset(sharp, wall + depth).intersection(outline).difference(holes).area

        x, w = np.polynomial.legendre.leggauss(24)
        angles = 0.25 * math.pi * (x + 1.0)
        below = sum(
            weight * area(rim - rim * math.cos(a)) * rim * math.cos(a)
            for a, weight in zip(angles, 0.25 * math.pi * w, strict=True)
        )
        return area(0.0) * (height - rim) + (below if rim else 0.0)


def _is_convex(corners: Array) -> Array:
    before, after = corners - np.roll(corners, 1, axis=0), np.roll(corners, -1, axis=0) - corners
    return before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0] > 0.0


def inset(polygon: Polygon, distance: float) -> Polygon:
    return polygon.buffer(-distance, join_style="mitre", mitre_limit=100.0) if distance else polygon


def rounded(corners: Array, radii: Array) -> Polygon:
    """The polygon with arcs of many sides at its corners."""
    points: list[Array] = []
    for p, a, b, r in zip(
        corners, np.roll(corners, 1, axis=0), np.roll(corners, -1, axis=0), radii, strict=True
    ):
        u, v = (a - p) / np.linalg.norm(a - p), (b - p) / np.linalg.norm(b - p)
        half = 0.5 * math.acos(float(u @ v))
        center = p + (u + v) / np.linalg.norm(u + v) * r / math.sin(half)
        first, last = (p + way * r / math.tan(half) - center for way in (u, v))
        start = math.atan2(first[1], first[0])
        turn = (math.atan2(last[1], last[0]) - start + math.pi) % math.tau - math.pi
        angles = start + turn * np.linspace(0.0, 1.0, SIDES + 1) if r else np.zeros(1)
        points += list(center + r * np.column_stack([np.cos(angles), np.sin(angles)]))
    return Polygon(points)


def random_slab(seed: int) -> Slab:
    """A convex polygon, an angle, or a channel, with sharp and rounded corners of unlike radii."""
    rng = np.random.default_rng(seed)
    w, h = rng.integers(30, 50, 2).tolist()
    kind = rng.integers(3)
    if kind == 0:
        count = int(rng.integers(3, 8))
        angles = math.tau * (0.6 * np.sort(rng.random(count)) / count + np.arange(count) / count)
        corners = np.column_stack([25 * np.cos(angles), 20 * np.sin(angles)])
    elif kind == 1:
        a, b = rng.integers(8, w - 8), rng.integers(8, h - 8)
        corners = np.array([(0, 0), (w, 0), (w, b), (a, b), (a, h), (0, h)], float)
    else:
        a, b, c = rng.integers(8, w - 8), rng.integers(8, h // 2 - 2), rng.integers(8, h // 2 - 2)
        top = w - rng.integers(0, 5)
        corners = np.array([(0, 0), (w, 0), (w, b), (a, b), (a, h - c), (top, h - c), (w, h), (0, h)], float)
    radii = np.where(rng.random(len(corners)) < 0.65, rng.choice([0.5, 1, 2, 3, 4], len(corners)), 0.0)
    rim = float(rng.choice([0, 0.5, 1, 2, 3]))
    return Slab(corners, radii, float(rng.integers(8, 30)), rim, _holes(rng, rounded(corners, radii)))


def _holes(rng: np.random.Generator, outline: Polygon) -> tuple[tuple[float, float, float], ...]:
    room, found = outline.buffer(-3.5), list[tuple[float, float, float]]()
    for _ in range(int(rng.integers(0, 3))):
        x, y = rng.uniform(room.bounds[:2], room.bounds[2:]).tolist()
        r = float(rng.choice([1, 1.5, 2, 3]))
        alone = all(math.hypot(x - a, y - b) > r + s + 1 for a, b, s in found)
        if room.contains(Point(x, y)) and outline.buffer(-1).contains(Point(x, y).buffer(r)) and alone:
            found.append((x, y, r))
    return tuple(found)
