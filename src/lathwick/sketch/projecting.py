"""Edges and vertices of bodies as reference geometry of a sketch."""

from __future__ import annotations

import math
from collections.abc import Iterable

import numpy as np

from ..errors import SketchError
from ..geometry import curves
from ..geometry.spline import SplineCurve
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec2, Vec3
from ..topology.body import BodyEdge, BodyFace, BodyVertex
from ..topology.brep import Edge
from .entities import Arc, Circle, EllipseEntity, Entity, Line, Point, SplineEntity
from .offsetting import Offsetting

Projectable = BodyEdge | BodyFace | BodyVertex | Iterable[BodyEdge | BodyFace | BodyVertex]


class Projecting(Offsetting):
    """A drawing that can refer to bodies."""

    def project(
        self, things: Projectable, *, construction: bool = True, name: str | None = None
    ) -> tuple[Entity, ...]:
        """Edges, vertices, or all edges of faces of a body, seen along the normal of the sketch plane.

        They are fixed; when the body changes, the script that is run again draws them anew. Reference
        geometry by default; with `construction=False` they bound regions. An edge seen end on is a
        point, a tilted circle an ellipse. One thing is called `name`, several `name.1`, `name.2`, ...;
        without a name they are called after the step that made the edge: "plate.edge1".
        """
        sources = _flat(things)
        if not sources:
            raise SketchError("project takes edges, faces or vertices of a body, got none")
        made = []
        for k, source in enumerate(sources, 1):
            label = name if name is None or len(sources) == 1 else f"{name}.{k}"
            label = self._named(_kind_of(source), label)
            if isinstance(source, BodyVertex):
                entity: Entity = self._fixed_point(source.point, label, construction)
            else:
                entity = self._shadow(source.brep, label, construction)
            self._keep(entity)
            made.append(entity)
        return tuple(made)

    def _flattened(self, point: Vec3) -> Vec2:
        u, v, _ = self.plane.local(point)
        return (u, v)

    def _fixed_point(self, point: Vec3, name: str, construction: bool) -> Point:
        return self._fixed(self._flattened(point), name, construction)

    def _fixed(self, at: Vec2, name: str, construction: bool) -> Point:
        return Point(self.variables, name, at, construction, constant=True)

    def _shadow(self, edge: Edge, name: str, construction: bool) -> Entity:
        curve = edge.curve
        if isinstance(curve, curves.Line):
            a, b = map(self._flattened, edge.end_points())
            return self._segment(a, b, name, construction)
        if isinstance(curve, SplineCurve):
            return self._spline_shadow(curve, name, construction)
        assert isinstance(curve, (curves.Circle, curves.Ellipse))
        return self._conic_shadow(edge, curve, name, construction)

    def _segment(self, a: Vec2, b: Vec2, name: str, construction: bool) -> Entity:
        if math.dist(a, b) <= RESOLUTION:
            return self._fixed(a, name, construction)
        ends = (self._fixed(a, f"{name}.start", construction), self._fixed(b, f"{name}.end", construction))
        return Line(self.variables, name, *ends, construction)

    def _spline_shadow(self, curve: SplineCurve, name: str, construction: bool) -> Entity:
        low, high = curve.low, curve.high
        knots = tuple((k - low) / (high - low) for k in curve.knots)
        points = tuple(
            self._fixed((u, v), f"{name}.point{i}", construction)
            for i, (u, v, _) in enumerate(self.plane.locals(curve.controls).tolist(), 1)
        )
        return SplineEntity(
            self.variables, name, points, False, True, construction, basis=(curve.degree, knots)
        )

    def _conic_shadow(
        self, edge: Edge, curve: curves.Circle | curves.Ellipse, name: str, construction: bool
    ) -> Entity:
        """A circle or ellipse, or a part of one, from its half axes as they are seen."""
        center = self._flattened(curve.frame.origin)
        sizes = (curve.radius,) * 2 if isinstance(curve, curves.Circle) else (curve.major, curve.minor)
        u, v = (
            np.array(self._flattened(curve.frame.point(*spot))) - np.array(center)
            for spot in ((sizes[0], 0.0), (0.0, sizes[1]))
        )
        turn = 0.5 * math.atan2(2.0 * float(u @ v), float(u @ u - v @ v))  # to conjugate axes at right angles
        a = math.cos(turn) * u + math.sin(turn) * v
        b = math.cos(turn) * v - math.sin(turn) * u
        major, minor = math.hypot(*a), math.hypot(*b)
        if minor <= RESOLUTION:
            stops = _covered(edge, float(u @ a) / major, float(v @ a) / major)
            p, q = ((center[0] + s * a[0] / major, center[1] + s * a[1] / major) for s in stops)
            return self._segment((float(p[0]), float(p[1])), (float(q[0]), float(q[1])), name, construction)
        ends = None
        if not edge.is_closed:
            first, last = map(self._flattened, edge.end_points())
            forward = float(u[0] * v[1] - u[1] * v[0]) > 0
            ends = (first, last) if forward else (last, first)
        middle = self._fixed(center, f"{name}.center", True)
        if major - minor <= 1e-12 * major:
            return self._round_shadow(middle, major, ends, name, construction)
        tip = self._fixed((center[0] + a[0], center[1] + a[1]), f"{name}.tip", True)
        side = self._fixed((center[0] + b[0], center[1] + b[1]), f"{name}.side", True)
        made = EllipseEntity(self.variables, name, middle, tip, side, construction)
        if ends:
            start, end = (
                self._fixed(p, f"{name}.{what}", construction)
                for p, what in zip(ends, ("start", "end"), strict=True)
            )
            made.spans = [(start, end)]
        return made

    def _round_shadow(
        self, center: Point, radius: float, ends: tuple[Vec2, Vec2] | None, name: str, construction: bool
    ) -> Entity:
        made: Circle | Arc
        if ends is None:
            made = Circle(self.variables, name, center, radius, construction)
        else:
            start, end = (
                self._fixed(p, f"{name}.{what}", construction)
                for p, what in zip(ends, ("start", "end"), strict=True)
            )
            made = Arc(self.variables, name, center, start, end, False, construction)
        self.variables.constant[made.ir] = True
        return made


def _covered(edge: Edge, u: float, v: float) -> tuple[float, float]:
    """The range of u cos t + v sin t over an edge's parameters: a conic seen from its side."""
    top = math.atan2(v, u)
    turns = [edge.t0, edge.t1]
    for first in (top, top + math.pi):
        t = edge.t0 + (first - edge.t0) % math.tau
        if t <= edge.t1:
            turns.append(t)
    places = [u * math.cos(t) + v * math.sin(t) for t in turns]
    return min(places), max(places)


def _flat(things: Projectable) -> list[BodyEdge | BodyVertex]:
    if isinstance(things, (BodyEdge, BodyVertex)):
        return [things]
    if isinstance(things, BodyFace):
        return list(things.edges())
    found: list[BodyEdge | BodyVertex] = []
    for thing in things:
        if not isinstance(thing, (BodyEdge, BodyFace, BodyVertex)):
            raise SketchError(f"project takes edges, faces or vertices of a body, got {thing!r}")
        found += _flat(thing)
    return list(dict.fromkeys(found))


def _kind_of(source: BodyEdge | BodyVertex) -> str:
    """What a projected thing without a name is called, before its number: what it is and of which step."""
    if isinstance(source, BodyVertex):
        return "vertex"
    step = next((face.step for face in source.faces if face.step), "")
    return f"{step}.edge" if step else "edge"
