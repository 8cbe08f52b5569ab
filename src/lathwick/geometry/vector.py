"""Small vectors as plain tuples of floats.

For one point or direction at a time a tuple is some fifty times faster than a three-element
array. Where there are many points the rest of the package uses (N, 3) arrays instead.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import TypeAlias

Vec2: TypeAlias = tuple[float, float]
Vec3: TypeAlias = tuple[float, float, float]


def vec3(values: Iterable[float]) -> Vec3:
    """Three finite floats as a tuple. Raises ValueError for another count, or NaN or infinity."""
    x, y, z = (float(value) for value in values)
    if not (math.isfinite(x) and math.isfinite(y) and math.isfinite(z)):
        raise ValueError(f"({x}, {y}, {z}) is not finite")
    return (x, y, z)


def vec2(values: Iterable[float]) -> Vec2:
    """Two finite floats as a tuple. Raises ValueError for another count, or NaN or infinity."""
    x, y = (float(value) for value in values)
    if not (math.isfinite(x) and math.isfinite(y)):
        raise ValueError(f"({x}, {y}) is not finite")
    return (x, y)


def add(a: Vec3, b: Vec3) -> Vec3:
    return (a[0] + b[0], a[1] + b[1], a[2] + b[2])


def sub(a: Vec3, b: Vec3) -> Vec3:
    return (a[0] - b[0], a[1] - b[1], a[2] - b[2])


def scaled(a: Vec3, factor: float) -> Vec3:
    return (a[0] * factor, a[1] * factor, a[2] * factor)


def negated(a: Vec3) -> Vec3:
    """The opposite vector, without negative zeros."""
    return (0.0 - a[0], 0.0 - a[1], 0.0 - a[2])


def along(point: Vec3, direction: Vec3, t: float) -> Vec3:
    """point + t * direction."""
    return (point[0] + t * direction[0], point[1] + t * direction[1], point[2] + t * direction[2])


def dot(a: Vec3, b: Vec3) -> float:
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


def cross(a: Vec3, b: Vec3) -> Vec3:
    return (
        a[1] * b[2] - a[2] * b[1],
        a[2] * b[0] - a[0] * b[2],
        a[0] * b[1] - a[1] * b[0],
    )


def norm(a: Vec3) -> float:
    return math.hypot(a[0], a[1], a[2])


def distance(a: Vec3, b: Vec3) -> float:
    return math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2])


def unit(a: Vec3) -> Vec3:
    """The direction of `a`. Raises ValueError if it has no length."""
    length = norm(a)
    if not length > 1e-12:  # written so that NaN fails too
        raise ValueError(f"direction {a} has no length")
    if length == 1.0:
        return a
    return (a[0] / length, a[1] / length, a[2] / length)


def is_parallel(a: Vec3, b: Vec3, tolerance: float) -> bool:
    """Whether two unit directions are equal or opposite within `tolerance` radians."""
    return norm(cross(a, b)) <= tolerance
