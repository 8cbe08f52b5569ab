"""A profile as it stands at places along a path: placed, or cut off by the plane of a mitre."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property, singledispatch

import numpy as np

from ..geometry.curve import Curve
from ..geometry.curves import Circle, Ellipse, Line
from ..geometry.placement import FloatArray, Plane
from ..geometry.projection import ParallelProjection
from ..geometry.spline import SplineCurve
from ..geometry.surface import Surface
from ..geometry.surfaces import CylinderSurface, ExtrudedSurface, PlaneSurface
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec2, Vec3, cross, distance, dot, scaled, sub, unit, vec3
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
        return points if self._onto is None else self._onto.points(points)

    @property
    def _onto(self) -> ParallelProjection | None:
        return None if self.mitre is None else ParallelProjection(self.way, self.mitre)

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
        onto = self._onto
        if isinstance(piece, CurvePiece):
            curve = piece.curve.lifted(self.frame)
            return (curve, 0.0) if onto is None else onto.curve(curve)
        frame = self.frame.moved_to(self.frame.point(*piece.center))
        if onto is None:
            return Circle(frame, piece.radius), 0.0
        return onto.ellipse(frame, piece.radius, piece.radius)


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
