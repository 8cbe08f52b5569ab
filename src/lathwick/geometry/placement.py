"""Planes and axes: where things are placed. A `Plane` is also the local frame of every curve and surface."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from ..errors import ModellingError
from ..gate import is_number, shown_value
from .vector import Vec3, add, along, cross, dot, norm, scaled, sub, unit, vec3

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.intp]


_UNUSABLE = (TypeError, ValueError, IndexError, KeyError, OverflowError)
"""What arithmetic says of values that are no numbers; catching it costs nothing where they are."""


def _got(*values: object) -> str:
    return ", ".join(map(shown_value, values))


def _must_be_number(verb: str, argument: str, value: object) -> None:
    if not is_number(value):
        raise ModellingError(f"{verb}: {argument} takes a finite number, got {_got(value)}")


def _vector(values: Iterable[float], what: str) -> Vec3:
    try:
        return vec3(values)
    except (TypeError, ValueError) as error:
        raise ModellingError(f"{what} needs three finite numbers, got {values!r}") from error


def _direction(values: Iterable[float] | Axis, what: str) -> Vec3:
    if isinstance(values, Axis):
        return values.direction
    try:
        return unit(_vector(values, what))
    except ValueError as error:
        raise ModellingError(f"{what} {values!r} has no length") from error


@dataclass(frozen=True, slots=True, init=False)
class Axis:
    """A directed line in space: `point` (length unit of the design) and unit `direction`."""

    point: Vec3
    direction: Vec3

    def __init__(self, point: Iterable[float], direction: Iterable[float]) -> None:
        """Raises ModellingError for a direction without length or a number that is not finite."""
        object.__setattr__(self, "point", _vector(point, "axis point"))
        object.__setattr__(self, "direction", _direction(direction, "axis direction"))


@dataclass(frozen=True, slots=True, init=False)
class Plane:
    """An oriented plane with its own x and y directions.

    `origin` is in the length unit of the design; `normal` and `x` are unit vectors. Without `x`
    the x direction lies horizontal (along Z cross normal), or along +X where the normal is
    vertical; `y` is normal cross x. Two planes are equal when origin, normal and x are.
    """

    origin: Vec3
    normal: Vec3
    x: Vec3
    y: Vec3 = field(init=False, repr=False, compare=False)

    def __init__(
        self,
        origin: Iterable[float],
        normal: Iterable[float] | Axis,
        x: Iterable[float] | Axis | None = None,
    ) -> None:
        """normal, x : directions, as three numbers or an axis. Raises ModellingError if `normal` has no
        length or `x` is parallel to it."""
        n = _direction(normal, "plane normal")
        object.__setattr__(self, "origin", _vector(origin, "plane origin"))
        object.__setattr__(self, "normal", n)
        object.__setattr__(self, "x", _default_x(n) if x is None else _projected_x(n, x))
        object.__setattr__(self, "y", cross(n, self.x))

    def point(self, u: float, v: float, w: float = 0.0) -> Vec3:
        """The point at local coordinates (u, v), `w` above the plane."""
        o, x, y, n = self.origin, self.x, self.y, self.normal
        try:
            return (
                o[0] + u * x[0] + v * y[0] + w * n[0],
                o[1] + u * x[1] + v * y[1] + w * n[1],
                o[2] + u * x[2] + v * y[2] + w * n[2],
            )
        except _UNUSABLE:
            raise ModellingError(f"point: u, v, w are numbers, got {_got(u, v, w)}") from None

    def local(self, point: Vec3) -> Vec3:
        """Coordinates (u, v, w) of a point in this plane's frame; the inverse of `point`."""
        try:
            d = sub(point, self.origin)
            return (dot(d, self.x), dot(d, self.y), dot(d, self.normal))
        except _UNUSABLE:
            raise ModellingError(f"local: a point is three numbers, got {_got(point)}") from None

    def points(self, uv: FloatArray) -> FloatArray:
        """Points at local coordinates `uv`, shape (N, 2); returns shape (N, 3)."""
        try:
            return np.asarray(self.origin) + uv @ np.array([self.x, self.y])
        except _UNUSABLE:
            raise ModellingError(f"points: uv is an array of shape (N, 2), got {_got(uv)}") from None

    def locals(self, points: FloatArray) -> FloatArray:
        """Coordinates (u, v, w) of `points`, shape (N, 3); returns shape (N, 3)."""
        try:
            return (points - np.asarray(self.origin)) @ np.array([self.x, self.y, self.normal]).T
        except _UNUSABLE:
            raise ModellingError(f"locals: points is an array of shape (N, 3), got {_got(points)}") from None

    def offset(self, distance: float) -> Plane:
        """The parallel plane `distance` along the normal."""
        _must_be_number("offset", "distance", distance)
        return Plane(along(self.origin, self.normal, float(distance)), self.normal, self.x)

    def moved_to(self, origin: Vec3) -> Plane:
        """The parallel plane with another origin."""
        moved = object.__new__(Plane)  # its directions need no second look
        object.__setattr__(moved, "origin", _vector(origin, "plane origin"))
        object.__setattr__(moved, "normal", self.normal)
        object.__setattr__(moved, "x", self.x)
        object.__setattr__(moved, "y", self.y)
        return moved

    def tilted(self, angle: float, about: Axis | str) -> Plane:
        """This plane turned by `angle` degrees about an axis, or about its own "x" or "y".

        Positive is counter-clockwise seen against the axis direction.
        """
        axis = about
        if isinstance(axis, str):
            if axis not in ("x", "y"):
                raise ModellingError(f'a plane tilts about an Axis, "x" or "y", not {about!r}')
            axis = Axis(self.origin, self.x if axis == "x" else self.y)
        if not isinstance(axis, Axis):
            raise ModellingError(f'a plane tilts about an Axis, "x" or "y", not {_got(about)}')
        _must_be_number("tilted", "angle", angle)
        turn = math.radians(angle)
        origin = add(axis.point, rotated(sub(self.origin, axis.point), axis.direction, turn))
        return Plane(
            origin, rotated(self.normal, axis.direction, turn), rotated(self.x, axis.direction, turn)
        )


def rotated(vector: Vec3, axis: Vec3, angle: float) -> Vec3:
    """`vector` turned by `angle` radians about the unit direction `axis` (Rodrigues' formula)."""
    c, s = math.cos(angle), math.sin(angle)
    k = dot(axis, vector) * (1.0 - c)
    w = cross(axis, vector)
    return (
        vector[0] * c + w[0] * s + axis[0] * k,
        vector[1] * c + w[1] * s + axis[1] * k,
        vector[2] * c + w[2] * s + axis[2] * k,
    )


def _default_x(normal: Vec3) -> Vec3:
    horizontal = cross((0.0, 0.0, 1.0), normal)
    if norm(horizontal) >= 1e-9:
        return unit(horizontal)
    return (1.0, 0.0, 0.0) if normal[0] == 0.0 else _projected_x(normal, (1.0, 0.0, 0.0))


def _projected_x(normal: Vec3, x: Iterable[float] | Axis) -> Vec3:
    given = _direction(x, "plane x direction")
    across = sub(given, scaled(normal, dot(given, normal)))
    if norm(across) < 1e-9:
        raise ModellingError(f"the x direction {given} of a plane is parallel to its normal {normal}")
    return unit(across)


def as_direction(value: Any, what: str = "direction") -> Vec3:
    """The unit direction of an Axis, a Plane (its normal) or three numbers."""
    if isinstance(value, Axis):
        return value.direction
    if isinstance(value, Plane):
        return value.normal
    return _direction(value, what)


XY: Final = Plane((0, 0, 0), (0, 0, 1), (1, 0, 0))
XZ: Final = Plane((0, 0, 0), (0, -1, 0), (1, 0, 0))
YZ: Final = Plane((0, 0, 0), (1, 0, 0), (0, 1, 0))
X: Final = Axis((0, 0, 0), (1, 0, 0))
Y: Final = Axis((0, 0, 0), (0, 1, 0))
Z: Final = Axis((0, 0, 0), (0, 0, 1))
