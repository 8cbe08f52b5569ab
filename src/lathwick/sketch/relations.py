"""Relating: the verbs that constrain and dimension what is drawn. Each returns a removable handle."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import product
from typing import TypeAlias

from ..errors import SketchError
from ..geometry.vector import Vec2
from .constraints import Constraint, checked_value
from .contacts import contacts_of
from .drawing import Drawing
from .entities import (
    Arc,
    Circle,
    Curve,
    EllipseEntity,
    Entity,
    Group,
    Line,
    Point,
    Polyline,
    Round,
    SplineEntity,
)

Value: TypeAlias = float | str
"""A number, or a text that a job reads: a formula "=pipe/2" or a quantity "3/16 in"."""

CURVES = (Line, Round, EllipseEntity, SplineEntity)
CENTERED = (Round, EllipseEntity, Point)
PAIRS: dict[str, tuple[tuple[type[Entity], type[Entity]], ...]] = {
    "coincident": ((Point, Point),),
    "parallel": ((Line, Line),),
    "perpendicular": ((Line, Line),),
    "collinear": ((Line, Line),),
    "tangent": tuple(pair for pair in product(CURVES, CURVES) if pair != (Line, Line)),
    "concentric": tuple(pair for pair in product(CENTERED, CENTERED) if pair != (Point, Point)),
    "midpoint": ((Point, Line), (Point, Arc)),
    "on": ((Point, Line), (Point, Round), (Point, EllipseEntity), (Point, SplineEntity)),
    "distance": (
        (Point, Point),
        (Point, Line),
        (Line, Point),
        (Line, Line),
        (Round, Round),
        (Round, Line),
        (Line, Round),
        (Round, Point),
        (Point, Round),
    ),
    "angle": ((Line, Line),),
}
"""Which kinds of entity each two-sided constraint relates."""


class Relations(Drawing):
    """A drawing whose entities can be related and dimensioned.

    Every verb takes `name=`, which reports then use, and returns the constraint. A dimension without
    a value is a reference: it measures and drives nothing. In a sketch of a job a value may be a text,
    "3/16 in" or a formula over the design's parameters, "=pipe/2". Raises SketchError for entities
    that it cannot relate, or a value that is not a usable number.
    """

    @property
    def constraints(self) -> tuple[Constraint, ...]:
        """The constraints given so far, in order."""
        return tuple(self._constraints)

    # ------------------------------------------------------------------ relations

    def coincident(self, a: Point, b: Point, *, name: str | None = None) -> Constraint:
        """Two points are one."""
        return self._pair("coincident", a, b, name)

    def horizontal(self, a: Line | Point, b: Point | None = None, *, name: str | None = None) -> Constraint:
        """A line, or two points, parallel to the sketch's x axis."""
        return self._level("horizontal", a, b, None, name)

    def vertical(self, a: Line | Point, b: Point | None = None, *, name: str | None = None) -> Constraint:
        """A line, or two points, parallel to the sketch's y axis."""
        return self._level("vertical", a, b, None, name)

    def parallel(self, a: Line, b: Line, *, name: str | None = None) -> Constraint:
        """Two lines in one direction (either way along)."""
        return self._pair("parallel", a, b, name)

    def perpendicular(self, a: Line, b: Line, *, name: str | None = None) -> Constraint:
        """Two lines at a right angle."""
        return self._pair("perpendicular", a, b, name)

    def tangent(self, a: Curve, b: Curve, *, name: str | None = None) -> Constraint:
        """Two curves touch, one of them not a line: on the side, and inside or outside, as drawn.

        Where they share a point they touch there; else where they are drawn nearest to touching.
        """
        return self._pair("tangent", a, b, name)

    def equal(self, first: Line | Round, *others: Line | Round, name: str | None = None) -> Constraint:
        """Lines of one length, or circles and arcs of one radius."""
        sort = Line if isinstance(first, Line) else Round
        if not others or not all(isinstance(e, sort) for e in (first, *others)):
            raise SketchError(
                f"equal takes lines only or circles and arcs only, got {_kinds(first, *others)}"
            )
        return self._relate("equal", (first, *others), None, name)

    def concentric(
        self, a: Round | EllipseEntity | Point, b: Round | EllipseEntity | Point, *, name: str | None = None
    ) -> Constraint:
        """Circles, arcs and ellipses with one center; one of the two may be a point."""
        return self._pair("concentric", a, b, name)

    def collinear(self, a: Line, b: Line, *, name: str | None = None) -> Constraint:
        """Two lines on one straight line."""
        return self._pair("collinear", a, b, name)

    def midpoint(self, point: Point, curve: Line | Arc, *, name: str | None = None) -> Constraint:
        """A point halfway along a line or an arc."""
        return self._pair("midpoint", point, curve, name)

    def symmetric(self, a: Entity, b: Entity, about: Line, *, name: str | None = None) -> Constraint:
        """Two points, lines, arcs, circles, ellipses or splines are mirror images about a line."""
        sorts = (Point, Line, Arc, Circle, EllipseEntity, SplineEntity)
        alike = any(isinstance(a, sort) and isinstance(b, sort) for sort in sorts)
        if isinstance(a, SplineEntity) and isinstance(b, SplineEntity):
            alike = (len(a.through), a.closed, a.controlled) == (len(b.through), b.closed, b.controlled)
        if not alike or not isinstance(about, Line):
            raise SketchError(f"symmetric takes two of one kind and a line, got {_kinds(a, b, about)}")
        return self._relate("symmetric", (a, b, about), None, name)

    def on(
        self,
        point: Point,
        curve: Curve | Polyline,
        *,
        parameter: float | None = None,
        ratio: float | None = None,
        name: str | None = None,
    ) -> Constraint:
        """A point on a line (anywhere along it, or beyond), circle, arc, ellipse or spline.

        parameter, ratio : hold it at that share, 0 to 1, of the curve's parameter range or of its
            length. A circle starts towards x, an ellipse at its tip. On a polyline, rectangle or polygon it
            needs a ratio, of the length of all its lines.
        """
        if parameter is not None and ratio is not None:
            raise SketchError("on takes a parameter or a ratio, not both")
        share = None
        for kind, value in (("parameter", parameter), ("ratio", ratio)):
            if value is not None:
                share = (kind, checked_value(kind, value))
                if not 0.0 <= share[1] <= 1.0:
                    raise SketchError(f"on takes a {kind} from 0 to 1, got {value:g}")
        if isinstance(curve, Polyline):
            if ratio is None:
                raise SketchError(f"on a chain of lines such as {curve.name} a point needs a ratio")
            return self._relate(
                "along", (point, *curve), None, name or f"on({point.name}, {curve.name})", share
            )
        return self._pair("on", point, curve, name, share=share)

    def point_on(
        self,
        curve: Curve | Polyline,
        *,
        parameter: float | None = None,
        ratio: float | None = None,
        construction: bool = False,
        name: str | None = None,
    ) -> Point:
        """A new point held at a parameter or length ratio, 0 to 1, of a curve; see `on`."""
        start = _some_place(curve)
        point = self.point(start, construction=construction, name=name)
        self.on(point, curve, parameter=parameter, ratio=ratio)
        return point

    def fix(self, *entities: Entity | Polyline | Group, name: str | None = None) -> Constraint:
        """Entities stay where they are drawn now."""
        flat: list[Entity] = []
        for entity in entities:
            flat.extend(entity if isinstance(entity, (Polyline, Group)) else [entity])
        if not flat:
            raise SketchError("fix needs an entity")
        return self._relate("fix", tuple(dict.fromkeys(flat)), None, name)

    # ------------------------------------------------------------------ dimensions

    def distance(
        self,
        a: Point | Line | Round,
        b: Point | Line | Round,
        value: Value | None = None,
        *,
        name: str | None = None,
    ) -> Constraint:
        """Distance of two points, of a point from a line (on the side drawn), or of two parallel lines
        (measured from the start of the second to the first). From a circle or arc: the clear distance
        to a point, a line or another circle, outside or inside as drawn."""
        return self._pair("distance", a, b, name, value)

    def distance_x(
        self,
        a: Point | Line,
        b: Point | Value | None = None,
        value: Value | None = None,
        *,
        name: str | None = None,
    ) -> Constraint:
        """Distance of two points along x. A positive value keeps `b` on the side of `a` where it
        is drawn; a negative one puts `b` on the negative side."""
        return self._level("distance_x", a, b, value, name)

    def distance_y(
        self,
        a: Point | Line,
        b: Point | Value | None = None,
        value: Value | None = None,
        *,
        name: str | None = None,
    ) -> Constraint:
        """Distance of two points along y; signs as for `distance_x`."""
        return self._level("distance_y", a, b, value, name)

    def length(self, curve: Line | Arc, value: Value | None = None, *, name: str | None = None) -> Constraint:
        """Length of a line, or of an arc along its curve."""
        if not isinstance(curve, (Line, Arc)):
            raise SketchError(f"length takes a line or an arc, got {_kinds(curve)}")
        return self._relate("length", (curve,), value, name)

    def radius(self, curve: Round, value: Value | None = None, *, name: str | None = None) -> Constraint:
        """Radius of a circle or arc."""
        return self._size("radius", curve, value, name)

    def diameter(self, curve: Round, value: Value | None = None, *, name: str | None = None) -> Constraint:
        """Diameter of a circle or arc."""
        return self._size("diameter", curve, value, name)

    def angle(self, a: Line, b: Line, value: Value | None = None, *, name: str | None = None) -> Constraint:
        """Degrees between two lines.

        Lines that share an end: the angle of their corner. Others: the angle between the
        directions from start to end. A positive value opens from `a` to `b` the way it is drawn;
        a negative one opens clockwise.
        """
        return self._pair("angle", a, b, name, value)

    # ------------------------------------------------------------------ helpers

    def _size(self, kind: str, curve: Round, value: Value | None, name: str | None) -> Constraint:
        if not isinstance(curve, Round):
            raise SketchError(f"{kind} takes a circle or an arc, got {_kinds(curve)}")
        return self._relate(kind, (curve,), value, name)

    def _pair(
        self,
        kind: str,
        a: Entity,
        b: Entity,
        name: str | None,
        value: Value | None = None,
        share: tuple[str, float] | None = None,
    ) -> Constraint:
        if not any(isinstance(a, x) and isinstance(b, y) for x, y in PAIRS[kind]):
            wanted = sorted({f"{_sort(x)} and {_sort(y)}" for x, y in PAIRS[kind]})
            raise SketchError(f"{kind} takes {' or '.join(wanted)}, got {_kinds(a, b)}")
        return self._relate(kind, (a, b), value, name, share)

    def _level(
        self,
        kind: str,
        a: Line | Point,
        b: Point | Value | None,
        value: Value | None,
        name: str | None,
    ) -> Constraint:
        is_dimension = kind.startswith("distance")
        if isinstance(a, Line) and (
            b is None or (is_dimension and value is None and not isinstance(b, Point))
        ):
            return self._relate(kind, (a,), value if b is None else b, name)
        if isinstance(a, Point) and isinstance(b, Point):
            return self._relate(kind, (a, b), value, name)
        what = " and a value" if is_dimension else ""
        raise SketchError(f"{kind} takes a line or two points{what}, got {_kinds(a, b)}")

    def _relate(
        self,
        kind: str,
        entities: tuple[Entity, ...],
        value: Value | None,
        name: str | None,
        share: tuple[str, float] | None = None,
    ) -> Constraint:
        for entity in entities:
            self._must_own(entity)
        if len(set(map(id, entities))) != len(entities):
            raise SketchError(f"{kind} needs different entities, got {_kinds(*entities)}")
        if name is not None and any(c.name == name for c in self._constraints):
            raise SketchError(f'the sketch has a constraint "{name}" already')
        constraint = Constraint(kind, entities, value, name, self._constraints, reader=self.reader)
        constraint.share = share
        constraint.contacts = contacts_of(kind, entities, share, self.variables)
        constraint.serial, constraint.ticks = next(self._serial), self._serial
        self._constraints.append(constraint)
        return constraint

    def _drop_constraints(self, gone: set[int]) -> list[Constraint]:
        """Take away the constraints on things with these identities; returns them."""
        lost: list[Constraint] = []
        for owner in (self._constraints, self._shapes):
            lost += [c for c in owner if any(id(e) in gone for e in c.entities)]
            owner[:] = [c for c in owner if not any(id(e) in gone for e in c.entities)]
        for contact in (contact for constraint in lost for contact in constraint.contacts):
            contact.retire()
        return lost

    def _hold(self, gone: Sequence[Entity], kept: Sequence[Entity]) -> None:
        """What nothing asks for any more is no freedom of the sketch."""
        needed = {i for e in kept for i in e.own_variables()}
        for entity in gone:
            self._names.pop(entity.name, None)
            self._own_joints.pop(entity, None)
            for i in set(entity.own_variables()) - needed:
                self.variables.constant[i] = True

    def _points_of(self, entity: Entity) -> list[Point]:
        spans = [p for span in entity.spans or () for p in span]
        return list(dict.fromkeys([*entity.points(), *spans]))


def _some_place(curve: Curve | Polyline) -> Vec2:
    """A place on a curve as drawn, away from its center."""
    if isinstance(curve, Polyline):
        return curve[0].start.position
    if isinstance(curve, Circle):
        return (curve.center.x + curve.radius, curve.center.y)
    if isinstance(curve, EllipseEntity):
        return curve.tip.position
    ends = curve.ends()
    return ends[0].position if ends else curve.points()[0].position


def _sort(kind: type[Entity]) -> str:
    return "circle or arc" if kind is Round else kind.kind


def _kinds(*things: object) -> str:
    return ", ".join(
        f"{thing.kind} {thing.name}" if isinstance(thing, Entity) else repr(thing) for thing in things
    )
