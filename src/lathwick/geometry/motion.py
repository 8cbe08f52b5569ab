"""Moving, turning, mirroring and scaling curves and surfaces."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from .placement import Axis, FloatArray, Plane, rotated
from .tolerance import RESOLUTION
from .vector import Vec3, add, cross, dot, scaled, sub


@dataclass(frozen=True, slots=True)
class Motion:
    """A similarity: directions go to `x`, `y`, `z`, points are then times `factor` and moved by `shift`.

    x, y, z are orthogonal unit vectors; left-handed for a mirror image.
    """

    x: Vec3 = (1.0, 0.0, 0.0)
    y: Vec3 = (0.0, 1.0, 0.0)
    z: Vec3 = (0.0, 0.0, 1.0)
    shift: Vec3 = (0.0, 0.0, 0.0)
    factor: float = 1.0

    @property
    def is_mirror(self) -> bool:
        """Whether left and right are exchanged."""
        return dot(cross(self.x, self.y), self.z) < 0.0

    @property
    def is_rest(self) -> bool:
        """Whether it moves nothing, within the resolution, of what lies within a unit of the origin."""
        places = ((0.0, 0.0, 0.0), (1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0))
        return all(math.dist(self.point(place), place) <= RESOLUTION for place in places)

    def after(self, first: Motion) -> Motion:
        """This motion after another one."""
        x, y, z = (self.direction(d) for d in (first.x, first.y, first.z))
        return Motion(x, y, z, self.point(first.shift), self.factor * first.factor)

    def back(self) -> Motion:
        """The motion that takes this one back."""
        x, y, z = zip(self.x, self.y, self.z, strict=True)
        turn = Motion(x, y, z, factor=1.0 / self.factor)
        return replace(turn, shift=scaled(turn.point(self.shift), -1.0))

    def direction(self, d: Vec3) -> Vec3:
        """The image of a direction."""
        return add(add(scaled(self.x, d[0]), scaled(self.y, d[1])), scaled(self.z, d[2]))

    def point(self, p: Vec3) -> Vec3:
        """The image of a point."""
        return add(scaled(self.direction(p), self.factor), self.shift)

    def points(self, p: FloatArray) -> FloatArray:
        """Images of points, shape (N, 3)."""
        return self.factor * (p @ np.array([self.x, self.y, self.z])) + np.asarray(self.shift)

    def frame(self, plane: Plane) -> Plane:
        """The image of a frame; x and y are kept, so that a mirror image turns the normal round."""
        x, y = self.direction(plane.x), self.direction(plane.y)
        return Plane(self.point(plane.origin), cross(x, y), x)


def moved_by(dx: float, dy: float, dz: float) -> Motion:
    """A shift along X, Y and Z."""
    return Motion(shift=(float(dx), float(dy), float(dz)))


def turned(axis: Axis, degrees: float) -> Motion:
    """A turn about an axis, counter-clockwise seen against its direction; exact for quarter turns."""
    quarters = degrees / 90.0
    x, y, z = (_turned_unit(d, axis.direction, degrees, quarters) for d in np.eye(3).tolist())
    motion = Motion(x, y, z)
    return replace(motion, shift=sub(axis.point, motion.direction(axis.point)))


def _turned_unit(d: list[float], axis: Vec3, degrees: float, quarters: float) -> Vec3:
    v = rotated((d[0], d[1], d[2]), axis, math.radians(degrees))
    if quarters == round(quarters) and all(abs(c - round(c)) < 1e-15 for c in axis):
        return (float(round(v[0])), float(round(v[1])), float(round(v[2])))
    return v


def mirrored_in(plane: Plane) -> Motion:
    """The mirror image in a plane."""
    n = plane.normal
    x, y, z = (sub((d[0], d[1], d[2]), scaled(n, 2.0 * n[i])) for i, d in enumerate(np.eye(3).tolist()))
    return Motion(x, y, z, scaled(n, 2.0 * dot(plane.origin, n)))


def carried_to(plane: Plane) -> Motion:
    """What carries the XY plane with its axes to `plane`."""
    return Motion(plane.x, plane.y, plane.normal, plane.origin)


def brought_from(plane: Plane) -> Motion:
    """What carries `plane` with its axes to the XY plane; the reverse of `carried_to`."""
    x, y, z = zip(plane.x, plane.y, plane.normal, strict=True)
    return Motion(x, y, z, plane.local((0.0, 0.0, 0.0)))


def scaled_by(factor: float) -> Motion:
    """All lengths times `factor`, about the origin."""
    return Motion(factor=float(factor))
