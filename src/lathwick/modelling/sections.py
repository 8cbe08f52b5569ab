"""A profile as it stands at places along a path: placed, or cut off by the plane of a mitre."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import cached_property, singledispatch

import numpy as np

from ..geometry.curve import Curve
from ..geometry.curves import Circle, Ellipse, Line
from ..geometry.placement import FloatArray, Plane
from ..geometry.spline import SplineCurve
from ..geometry.surface import Surface
from ..geometry.surfaces import CylinderSurface, ExtrudedSurface, PlaneSurface
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec2, Vec3, along, cross, distance, dot, norm, scaled, sub, unit, vec3
from ..sketch.pieces import ArcPiece, LinePiece, Piece
from ..sketch.plane_curves import CurvePiece
from ..topology.brep import Edge, Vertex


@dataclass(frozen=True)
class Section:
    """The profile in `frame`, drawn along `way` onto the plane `mitre` where that is not None."""

    frame: Plane
    way: Vec3
    mitre: Plane | None = None

    @property
    def plane(self) -> Plane:
        """The plane in which the section lies."""
        return self.frame if self.mitre is None else self.mitre

    def point(self, p: Vec2) -> Vec3:
        """A point of the profile."""
        return vec3(self.points(np.array([p]))[0])

    def points(self, p: FloatArray) -> FloatArray:
        """Points of the profile, (N, 2), in space, (N, 3)."""
        return self._drawn(self.frame.points(p))

    def _drawn(self, points: FloatArray) -> FloatArray:
        if self.mitre is None:
            return points
        normal, way = np.asarray(self.mitre.normal), np.asarray(self.way)
        heights = (points - np.asarray(self.mitre.origin)) @ normal
        return np.asarray(points - (heights / (way @ normal))[:, None] * way)

    def _drawn_direction(self, d: Vec3) -> Vec3:
        if self.mitre is None:
            return d
        return along(d, self.way, -dot(d, self.mitre.normal) / dot(self.way, self.mitre.normal))

    @cached_property
    def _corners(self) -> dict[tuple[float, float], Vertex]:
        return {}

    def vertex(self, p: Vec2) -> Vertex:
        """The vertex at a corner of the profile; one for each."""
        key = round(p[0], 9), round(p[1], 9)
        if key not in self._corners:
            self._corners[key] = Vertex(self.point(p))
        return self._corners[key]

    def edge(self, piece: Piece) -> tuple[Edge, bool]:
        """A piece of the profile, and whether it runs along the edge."""
        if isinstance(piece, LinePiece):
            a, b = self.vertex(piece.start), self.vertex(piece.end)
            return Edge(
                Line(a.point, unit(sub(b.point, a.point))), 0.0, distance(a.point, b.point), a, b
            ), True
        curve, shift = self._curve(piece)
        if isinstance(piece, CurvePiece):
            low, high = (piece.low, piece.high) if piece.is_closed else sorted((piece.a, piece.b))
            forward = bool(piece.b > piece.a)
        else:
            low, high = sorted((piece.angle, piece.angle + piece.sweep))
            forward = bool(piece.sweep > 0.0)
        low, high = low - shift, high - shift
        if piece.is_closed:
            return Edge(curve, low, high, None, None), forward
        ends = self.vertex(piece.start), self.vertex(piece.end)
        return Edge(curve, low, high, *(ends if forward else ends[::-1])), forward

    def wall(self, piece: Piece) -> Surface:
        """The surface that a piece sweeps along the way, to which the section is square."""
        if isinstance(piece, LinePiece):
            a, b = self.point(piece.start), self.point(piece.end)
            along_it = unit(sub(b, a))
            return PlaneSurface(Plane(a, cross(along_it, self.way), along_it))
        return _swept(self.edge(piece)[0].curve, self.plane)

    def _curve(self, piece: ArcPiece | CurvePiece) -> tuple[Curve, float]:
        """The curve of a piece that bends, and by how much its parameter is less than the piece's."""
        if isinstance(piece, CurvePiece):
            curve = piece.curve.lifted(self.frame)
            if isinstance(curve, SplineCurve):
                return replace(curve, controls=self._drawn(curve.controls)), 0.0
            return self._ellipse(curve.frame, curve.major, curve.minor)
        frame = self.frame.moved_to(self.frame.point(*piece.center))
        if self.mitre is None:
            return Circle(frame, piece.radius), 0.0
        return self._ellipse(frame, piece.radius, piece.radius)

    def _ellipse(self, frame: Plane, major: float, minor: float) -> tuple[Ellipse, float]:
        """The image of an ellipse, from two of its conjugate radii (Rytz's construction)."""
        center = vec3(self._drawn(np.array([frame.origin]))[0])
        a = scaled(self._drawn_direction(frame.x), major)
        b = scaled(self._drawn_direction(frame.y), minor)
        turn = 0.5 * math.atan2(2.0 * dot(a, b), dot(a, a) - dot(b, b))
        c, s = math.cos(turn), math.sin(turn)
        long, short = (
            (c * a[0] + s * b[0], c * a[1] + s * b[1], c * a[2] + s * b[2]),
            (c * b[0] - s * a[0], c * b[1] - s * a[1], c * b[2] - s * a[2]),
        )
        return Ellipse(Plane(center, cross(long, short), long), norm(long), norm(short)), turn


def across(way: Vec3, origin: Vec3, frame: Plane) -> Section:
    """The section drawn along a way onto the plane across it."""
    normal = way if dot(way, frame.normal) > 0.0 else scaled(way, -1.0)
    level = abs(dot(normal, frame.normal)) > 1.0 - 0.5 * RESOLUTION**2
    return Section(frame, way) if level else Section(frame, way, Plane(origin, normal))


@singledispatch
def _swept(curve: Curve, plane: Plane) -> Surface:
    """The wall that a plane curve leaves on its way square to its plane."""
    raise TypeError(f"no wall stands on a {curve.kind}")


@_swept.register
def _(curve: SplineCurve, plane: Plane) -> Surface:
    return ExtrudedSurface(curve, plane)


@_swept.register
def _(curve: Ellipse, plane: Plane) -> Surface:
    return ExtrudedSurface(curve, curve.frame)


@_swept.register
def _(curve: Circle, plane: Plane) -> Surface:
    return CylinderSurface(curve.frame, curve.radius)
