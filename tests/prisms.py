"""Random prisms over polygons with round holes, and the closed forms that go with them."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import TypeVar

import numpy as np
import shapely

import lathwick as lw

Array = np.ndarray
PLANES = (lw.XY, lw.XZ, lw.YZ, lw.Plane((1, 2, 3), (1, 2, 2), (2, -2, 1)))
ROOM = 0.1
SHORTEST = 0.8


@dataclass(frozen=True, eq=False)
class Prism:
    """corners : of a polygon, counter-clockwise, (N, 2). holes : centers and radii, inside of it."""

    corners: Array
    holes: tuple[tuple[Array, float], ...]
    height: float
    plane: lw.Plane

    @cached_property
    def body(self) -> lw.Body:
        sk = lw.Sketch(self.plane)
        sk.polyline([tuple(p) for p in self.corners], close=True)
        for center, radius in self.holes:
            sk.circle(tuple(center), radius)
        return lw.extrude(sk, self.height, step="e")

    @cached_property
    def sides(self) -> list[lw.BodyFace]:
        """The walls over the sides of the polygon, in their order."""
        middles = 0.5 * (self.corners + np.roll(self.corners, -1, axis=0))
        places = [self.plane.point(*m, 0.5 * self.height) for m in middles.tolist()]
        return [next(iter(self.body.faces("e/side").planar().nearest(p))) for p in places]

    @cached_property
    def bores(self) -> list[lw.BodyFace]:
        return list(self.body.faces("e/side").cylindrical())

    @property
    def edge_lengths(self) -> Array:
        return np.linalg.norm(np.roll(self.corners, -1, axis=0) - self.corners, axis=1)

    @property
    def turns(self) -> Array:
        """The angle by which the outline turns at each corner, radians; negative at an inside corner."""
        ahead = np.roll(self.corners, -1, axis=0) - self.corners
        before = np.roll(ahead, 1, axis=0)
        side = before[:, 0] * ahead[:, 1] - before[:, 1] * ahead[:, 0]
        return np.arctan2(side, (before * ahead).sum(axis=1))

    def outline_inside(self, insets: Array) -> Array | None:
        """The corners with each side moved in by its inset; None where a side is lost or sides cross."""
        ahead = np.roll(self.corners, -1, axis=0) - self.corners
        ways = ahead / np.linalg.norm(ahead, axis=1)[:, None]
        inward = np.column_stack([-ways[:, 1], ways[:, 0]])
        levels = (inward * self.corners).sum(axis=1) + insets
        made = np.array([np.linalg.solve(inward[[k - 1, k]], levels[[k - 1, k]]) for k in range(len(levels))])
        left = ((np.roll(made, -1, axis=0) - made) * ways).sum(axis=1)
        return made if left.min() > ROOM and shapely.Polygon(made).is_valid else None

    def has_room(self, outline: Array | None, growth: float = 0.0) -> bool:
        """Whether an outline goes clear of holes that are larger by so much, and these of each other."""
        if outline is None:
            return False
        shape = shapely.Polygon(outline)
        discs = [shapely.Point(c).buffer(r + growth + ROOM) for c, r in self.holes]
        apart = all(not a.intersects(b) for i, a in enumerate(discs) for b in discs[:i])
        return apart and all(r + growth > ROOM for _, r in self.holes) and all(map(shape.contains, discs))

    def holes_area(self, growth: float = 0.0) -> float:
        return math.pi * sum((r + growth) ** 2 for _, r in self.holes)


def area(corners: Array) -> float:
    return float(shapely.Polygon(corners).area)


def random_prism(seed: int) -> Prism:
    rng = np.random.default_rng(seed)
    corners = None
    while corners is None:
        corners = _outline(rng)
    low, high = corners.min(axis=0), corners.max(axis=0)
    made = Prism(corners, (), float(rng.uniform(3, 15)), PLANES[rng.integers(len(PLANES))])
    for _ in range(rng.integers(0, 5)):
        hole = (rng.uniform(low, high), float(rng.uniform(0.5, 2)))
        more = Prism(corners, (*made.holes, hole), made.height, made.plane)
        made = more if more.has_room(corners, 0.5) else made
    return made


T = TypeVar("T")


def suited(seed: int, plan: Callable[[Prism, np.random.Generator], T | None]) -> tuple[Prism, T]:
    """A random prism for which a plan can be made, and that."""
    for k in range(200):
        prism = random_prism(1000 * k + seed)
        made = plan(prism, np.random.default_rng(seed))
        if made is not None:
            return prism, made
    raise AssertionError("no prism suits the plan")


def _outline(rng: np.random.Generator) -> Array | None:
    """A star, or blocks run together; None where that has holes or sharp or short parts."""
    if rng.random() < 0.5:
        angles = np.sort(rng.uniform(0, math.tau, rng.integers(3, 9)))
        reach = rng.uniform(5, 15, len(angles))
        shape = shapely.Polygon(np.column_stack([reach * np.cos(angles), reach * np.sin(angles)]))
    else:
        blocks, at = [], np.zeros(2)
        for _ in range(rng.integers(1, 5)):
            size = rng.uniform(4, 20, 2)
            low = at - rng.uniform(0.2, 0.8, 2) * size
            blocks.append(shapely.box(*low, *(low + size)))
            at = low + rng.uniform(0, 1, 2) * size
        shape = shapely.union_all(blocks)
    if not shape.is_valid or shape.geom_type != "Polygon" or shape.interiors:
        return None
    corners = np.array(shapely.geometry.polygon.orient(shape.simplify(1e-9)).exterior.coords)[:-1]
    made = Prism(corners, (), 1.0, lw.XY)
    sound = len(corners) > 2 and made.edge_lengths.min() > SHORTEST
    return corners if sound and (np.abs(np.abs(made.turns) - 1.6) < 1.2).all() else None
