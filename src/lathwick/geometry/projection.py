"""Parallel projection onto a plane: points, directions, ellipses and splines, exactly."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from .curves import Ellipse
from .placement import FloatArray, Plane
from .spline import SplineCurve
from .vector import Vec3, along, cross, dot, norm, scaled, vec3


@dataclass(frozen=True, slots=True)
class ParallelProjection:
    """Along `way`, which is not in the plane, onto `plane`."""

    way: Vec3
    plane: Plane

    def points(self, points: FloatArray) -> FloatArray:
        """Images of points, (N, 3)."""
        normal, way = np.asarray(self.plane.normal), np.asarray(self.way)
        heights = (points - np.asarray(self.plane.origin)) @ normal
        return np.asarray(points - (heights / (way @ normal))[:, None] * way)

    def direction(self, d: Vec3) -> Vec3:
        """The image of a vector."""
        return along(d, self.way, -dot(d, self.plane.normal) / dot(self.way, self.plane.normal))

    def curve(self, curve: Ellipse | SplineCurve) -> tuple[Ellipse | SplineCurve, float]:
        """The image of a curve, and by how much its parameters are less."""
        if isinstance(curve, Ellipse):
            return self.ellipse(curve.frame, curve.major, curve.minor)
        return replace(curve, controls=self.points(curve.controls)), 0.0

    def ellipse(self, frame: Plane, major: float, minor: float) -> tuple[Ellipse, float]:
        """The image of an ellipse, from two of its conjugate radii (Rytz's construction), and by how much its
        parameters are less."""
        center = vec3(self.points(np.array([frame.origin]))[0])
        a, b = scaled(self.direction(frame.x), major), scaled(self.direction(frame.y), minor)
        turn = 0.5 * math.atan2(2.0 * dot(a, b), dot(a, a) - dot(b, b))
        c, s = math.cos(turn), math.sin(turn)
        long = (c * a[0] + s * b[0], c * a[1] + s * b[1], c * a[2] + s * b[2])
        short = (c * b[0] - s * a[0], c * b[1] - s * a[1], c * b[2] - s * a[2])
        return Ellipse(Plane(center, cross(long, short), long), norm(long), norm(short)), turn
