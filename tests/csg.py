"""Random trees of simple solids with exact answers: is a point inside, and by how much.

Every primitive knows the signed distance of points in closed form, so a tree of unions, cuts and
intersections has an exact inside; nothing of the kernel is used for it.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np

import lathwick as lw
from lathwick.modelling import primitives
from lathwick.modelling.boolean.operations import combined

Array = np.ndarray


@dataclass(frozen=True)
class Solid:
    """A primitive: its text, its body, and the signed distance (negative inside, a bound at least)."""

    text: str
    body: lw.Body
    gap: Callable[[Array], Array]


@dataclass(frozen=True)
class Tree:
    """`operation` of two trees, or a solid."""

    operation: str
    one: Tree | Solid
    two: Tree | Solid

    @property
    def text(self) -> str:
        return f"{self.operation}({self.one.text}, {self.two.text})"

    def gap(self, p: Array) -> Array:
        a, b = self.one.gap(p), self.two.gap(p)
        return {"union": np.minimum, "cut": lambda x, y: np.maximum(x, -y), "intersect": np.maximum}[
            self.operation
        ](a, b)

    @cached_property
    def body(self) -> lw.Body | None:
        """The result of the kernel; None for an empty one."""
        one, two = self.one.body, self.two.body
        if one is None or two is None:
            return {"union": one or two, "cut": one, "intersect": None}[self.operation]
        return combined(one, two, self.operation)


def box(plane: lw.Plane, dx: float, dy: float, dz: float) -> Solid:
    def gap(p: Array) -> Array:
        q = plane.locals(p)
        return np.max([-q[:, 0], q[:, 0] - dx, -q[:, 1], q[:, 1] - dy, -q[:, 2], q[:, 2] - dz], axis=0)

    return Solid(f"box({plane}, {dx}, {dy}, {dz})", primitives.box(dx, dy, dz, on=plane), gap)


def cylinder(plane: lw.Plane, r: float, h: float) -> Solid:
    return cone(plane, r, r, h)


def cone(plane: lw.Plane, r1: float, r2: float, h: float) -> Solid:
    lean = math.atan2(r1 - r2, h)

    def gap(p: Array) -> Array:
        x, y, z = plane.locals(p).T
        wall = (np.hypot(x, y) - r1 + (r1 - r2) * z / h) * math.cos(lean)
        return np.max([wall, -z, z - h], axis=0)

    return Solid(f"cone({plane}, {r1}, {r2}, {h})", primitives.cone(r1, r2, h, on=plane), gap)


def sphere(plane: lw.Plane, r: float) -> Solid:
    center = np.array(plane.origin)
    return Solid(
        f"sphere({plane}, {r})",
        primitives.sphere(r, on=plane),
        lambda p: np.linalg.norm(p - center, axis=1) - r,
    )


def torus(plane: lw.Plane, big: float, small: float) -> Solid:
    def gap(p: Array) -> Array:
        x, y, z = plane.locals(p).T
        return np.hypot(np.hypot(x, y) - big, z) - small

    return Solid(f"torus({plane}, {big}, {small})", primitives.torus(big, small, on=plane), gap)


WAYS = [(1, 0, 0), (-1, 0, 0), (0, 1, 0), (0, -1, 0), (0, 0, 1), (0, 0, -1)]


def _general(random: np.random.Generator) -> Solid:
    plane = lw.Plane(random.uniform(-2, 2, 3), random.normal(size=3), random.normal(size=3))
    return _solid(random, plane, lambda low, high: float(random.uniform(low, high)))


def _lattice(random: np.random.Generator) -> Solid:
    """Corners, axes and sizes on a coarse grid, directions along the axes."""
    way = WAYS[random.integers(6)]
    side = WAYS[(WAYS.index(way) + 2) % 6]
    plane = lw.Plane(random.integers(-2, 3, 3).astype(float), way, side)
    return _solid(
        random, plane, lambda low, high: float(random.integers(max(1, round(low)), round(high) + 1))
    )


def _solid(random: np.random.Generator, plane: lw.Plane, size: Callable[[float, float], float]) -> Solid:
    kind = random.choice(["box", "cylinder", "cone", "sphere", "torus"], p=[0.35, 0.3, 0.12, 0.13, 0.1])
    if kind == "box":
        return box(plane, size(0.7, 4), size(0.7, 4), size(0.7, 4))
    if kind == "cylinder":
        return cylinder(plane, size(0.4, 2), size(1, 4))
    if kind == "cone":
        r1, r2 = size(0.5, 3), random.choice([0.0, 1.0]) * size(0.4, 2)
        return cone(plane, r1, r2 if abs(r1 - r2) > 0.1 else 0.0, size(1, 4))
    if kind == "sphere":
        return sphere(plane, size(0.7, 2.4))
    minor = size(0.3, 1.2)
    return torus(plane, minor + size(0.6, 2), minor)


def _tangent(random: np.random.Generator, base: Solid) -> Solid:
    """A solid that touches the unit lattice: spheres on faces, cylinders along walls, equal radii."""
    way = WAYS[random.integers(6)]
    side = WAYS[(WAYS.index(way) + 2) % 6]
    at = random.integers(-2, 3, 3).astype(float)
    radius = float(random.choice([0.5, 1.0, 1.5]))
    kind = random.choice(["cylinder", "sphere", "torus", "cone", "box"])
    shift = radius * np.array(WAYS[random.integers(6)])
    plane = lw.Plane(at + shift, way, side)
    if kind == "cylinder":
        return cylinder(plane, radius, float(random.integers(1, 4)))
    if kind == "sphere":
        return sphere(plane, radius)
    if kind == "torus":
        return torus(plane, radius + float(random.choice([0.5, 1.0])), radius)
    if kind == "cone":
        return cone(plane, radius, 0.0, radius)
    return box(plane, radius, 1.0, 2.0)


def random_tree(seed: int) -> Tree:
    """2 to 6 primitives: in general position, on a coarse lattice, or touching, by turns."""
    random = np.random.default_rng(seed)
    count = int(random.integers(2, 7))
    sort = seed % 3
    tree: Tree | Solid = _general(random) if sort == 0 else _lattice(random)
    for k in range(1, count):
        if sort == 0:
            leaf = _general(random)
        elif sort == 1 or k % 2 == 0:
            leaf = _lattice(random)
        else:
            leaf = _tangent(random, tree)
        operation = str(random.choice(["union", "cut", "intersect"], p=[0.45, 0.4, 0.15]))
        tree = Tree(operation, tree, leaf)
    assert isinstance(tree, Tree)
    return tree


def volume_off(tree: Tree, body: lw.Body | None) -> float:
    """By what share of itself the volume of a result differs from what its last operation must leave: what
    two bodies have in common is counted once, or taken off. What large bodies are off by (1e-10 of them) is
    not laid at the door of a small result. 0.0 where what they have in common touches itself."""
    one, two = tree.one.body, tree.two.body
    if one is None or two is None:
        return 0.0
    try:
        common = combined(one, two, "cut" if tree.operation == "intersect" else "intersect")
    except lw.ModellingError as error:
        if "touch itself" in error.message:
            return 0.0
        raise
    a, b, c, found = (x.volume if x is not None else 0.0 for x in (one, two, common, body))
    expected = a + b - c if tree.operation == "union" else a - c
    return max(abs(found - expected) - 1e-10 * (a + b), 0.0) / max(found, 1e-12)


def wrong_points(tree: Tree, body: lw.Body | None, seed: int, count: int = 400) -> int:
    """How many probe points the body answers wrongly; half of them lie close to its skin."""
    random = np.random.default_rng(seed)
    points = random.uniform(-6, 6, (count, 3))
    near = random.uniform(-6, 6, (40 * count, 3))
    order = np.argsort(np.abs(tree.gap(near)))[: 2 * count]
    points = np.concatenate([points, near[order]])
    gaps = tree.gap(points)
    points, gaps = points[np.abs(gaps) > 1e-5], gaps[np.abs(gaps) > 1e-5]
    if body is None:
        return int((gaps < 0).sum())
    return int((body.contains(points) != (gaps < 0)).sum())
