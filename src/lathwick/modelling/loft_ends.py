"""How the walls of a loft leave its end sections: freely, square to them, or along faces that end there.

Walls that leave along a face are smooth with it to `SMOOTH` radians: their slope lies in its tangent plane,
and at corners along both faces. It is laid through places on each part of the section, which is divided until
it keeps to the plane in between. (Gregory, "Geometric continuity", in Lyche & Schumaker, Mathematical Methods
in CAGD, 1989.)
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import TypeAlias

import numpy as np

from ..errors import ModellingError
from ..geometry.nets import laid, parted
from ..geometry.placement import FloatArray
from ..geometry.spline import BSpline
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec3, cross, dot, norm, scaled
from ..topology.body import BodyFace
from ..topology.brep import Edge, Face
from ..topology.selection import Selection

SQUARE = "square"
SMOOTH = 1e-7
"""Radians between a wall and the face that it goes on from, at most."""

LEAST_RISE = 0.05
"""A wall leaves its section at a larger angle (its sine) than this."""

PARALLEL = 1e-6
"""Faces whose normals differ by less (its sine) are smooth at a corner."""

SAMPLES = np.linspace(0.02, 0.98, 7)

Leaving: TypeAlias = str | BodyFace | Selection[BodyFace] | None
"""At one end: "square", the faces that the walls go on from, or None."""


@dataclass(frozen=True, eq=False)
class End:
    """What is asked for at an end: faces to leave along, or none for square to the section."""

    faces: tuple[Face, ...] = ()

    def face_of(self, edge: Edge) -> Face:
        """The face that ends in an edge of the section. Raises ModellingError if none does."""
        points = edge.curve.points(edge.t0 + SAMPLES * (edge.t1 - edge.t0))
        for face in self.faces:
            if float(np.abs(face.surface.distance(points)).max()) <= RESOLUTION:
                return face
        x, y, z = edge.midpoint()
        raise ModellingError(
            f"none of the faces that the loft is to leave along ends at ({x:.6g}, {y:.6g}, {z:.6g})"
        )


def ends_of(tangent: Leaving | tuple[Leaving, Leaving]) -> tuple[End | None, End | None]:
    """What is asked for at both ends. Raises ModellingError."""
    given = tuple(tangent) if isinstance(tangent, (tuple, list)) else (tangent, tangent)
    if len(given) != 2:
        raise _refusal(tangent)
    first, last = (_end(one, tangent) for one in given)
    return first, last


def _end(one: object, tangent: object) -> End | None:
    if one is None:
        return None
    if isinstance(one, str) and one == SQUARE:
        return End()
    faces = [one] if isinstance(one, BodyFace) else list(one) if isinstance(one, (list, Selection)) else []
    if not faces or not all(isinstance(face, BodyFace) for face in faces):
        raise _refusal(tangent)
    return End(tuple(face.brep for face in faces))


def _refusal(tangent: object) -> ModellingError:
    return ModellingError(
        f'tangent is "{SQUARE}" or a pair, one for each end: "{SQUARE}", the faces to leave along, or None; '
        f"got {tangent!r}"
    )


@dataclass(frozen=True, eq=False)
class Wall:
    """A piece of a section where a wall leaves along a face. normal : of the section, on the wall's side.
    corners : the directions in which the corners at its start and end leave, each with a component of 1 along
    the normal, as far as there are corners."""

    face: Face
    normal: Vec3
    corners: tuple[Vec3 | None, Vec3 | None]

    def slopes(self, curve: BSpline, shares: FloatArray) -> FloatArray:
        """Directions at shares of a lifted curve, (N, 4), with a component of 1 along the normal, times the
        weights there; (N, 3)."""
        points, along, weights = _run(curve, shares)
        found = self._steepest(points, along)
        ends, ways, _ = _run(curve, np.array([0.0, 1.0]))
        steepest = self._steepest(ends, ways)
        for k, corner in enumerate(self.corners):
            if corner is not None:
                part = shares if k else 1.0 - shares
                found = found + (part * float((np.array(corner) - steepest[k]) @ ways[k]))[:, None] * along
        return np.asarray(found * weights)

    def _steepest(self, points: FloatArray, along: FloatArray) -> FloatArray:
        """Square to the section's curve in the face."""
        ways = np.cross(self.face.surface.normals(points), along)
        rise = ways @ np.array(self.normal)
        if float(np.abs(rise).min()) < LEAST_RISE:
            x, y, z = points[int(np.abs(rise).argmin())].tolist()
            raise ModellingError(
                f"a face to leave along lies level with the section at ({x:.6g}, {y:.6g}, {z:.6g})"
            )
        return np.asarray(ways / rise[:, None])

    def laid(self, curve: BSpline, stops: Sequence[float]) -> tuple[FloatArray, float]:
        """Controls of the slopes in parts between stops, and the largest angle (radians) that they are off
        the face amid these."""
        controls = laid(curve.degree, stops, lambda shares: self.slopes(curve, shares))
        shares = np.concatenate([a + (b - a) * SAMPLES for a, b in pairwise(stops)])
        found = BSpline(curve.degree, parted(curve.degree, stops), controls).points(shares)
        normals = self.face.surface.normals(_run(curve, shares)[0])
        return controls, float(np.abs((found * normals).sum(axis=1) / np.linalg.norm(found, axis=1)).max())


def _run(curve: BSpline, shares: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Points and unit tangents of a lifted curve, (N, 3) each, and its weights, (N, 1)."""
    lifted, rates = curve.points(shares), curve.derivatives(shares)
    weights = lifted[:, 3:]
    points = lifted[:, :3] / weights
    ways = (rates[:, :3] - rates[:, 3:] * points) / weights
    return points, ways / np.linalg.norm(ways, axis=1)[:, None], weights


def corner_way(one: Face, two: Face, point: Vec3, normal: Vec3) -> Vec3 | None:
    """The direction along both of two faces at a corner, with a component of 1 along a normal; None where
    they are smooth there."""
    way = cross(one.surface.normal(point), two.surface.normal(point))
    if norm(way) < PARALLEL:
        return None
    rise = dot(way, normal)
    if abs(rise) < LEAST_RISE * norm(way):
        x, y, z = point
        raise ModellingError(
            f"faces to leave along meet level with the section at ({x:.6g}, {y:.6g}, {z:.6g})"
        )
    return scaled(way, 1.0 / rise)
