"""Relating: the verbs that constrain and dimension what is drawn. Each returns a removable handle."""

from __future__ import annotations

from ..errors import SketchError
from .constraints import Constraint, checked_value
from .drawing import Drawing
from .entities import Arc, Circle, EllipseEntity, Entity, Line, Point, Polyline, Round

PAIRS = {
    "coincident": ((Point, Point),),
    "parallel": ((Line, Line),),
    "perpendicular": ((Line, Line),),
    "collinear": ((Line, Line),),
    "tangent": ((Line, Round), (Round, Line), (Round, Round)),
    "concentric": ((Round, Round), (Round, Point), (Point, Round)),
    "midpoint": ((Point, Line),),
    "on": ((Point, Line), (Point, Round), (Point, EllipseEntity)),
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

    Every verb takes `name=`, which reports then use, and returns the constraint. Raises
    SketchError for entities that it cannot relate, or a value that is not a usable number.
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

    def tangent(self, a: Line | Round, b: Line | Round, *, name: str | None = None) -> Constraint:
        """A line and a circle or arc, or two circles or arcs, touch: on the side, and inside or
        outside, as drawn. Where they share a point they touch there."""
        return self._pair("tangent", a, b, name)

    def equal(self, first: Line | Round, *others: Line | Round, name: str | None = None) -> Constraint:
        """Lines of one length, or circles and arcs of one radius."""
        sort = Line if isinstance(first, Line) else Round
        if not others or not all(isinstance(e, sort) for e in (first, *others)):
            raise SketchError(
                f"equal takes lines only or circles and arcs only, got {_kinds(first, *others)}"
            )
        return self._relate("equal", (first, *others), None, name)

    def concentric(self, a: Round | Point, b: Round | Point, *, name: str | None = None) -> Constraint:
        """Circles and arcs with one center; one of the two may be a point."""
        return self._pair("concentric", a, b, name)

    def collinear(self, a: Line, b: Line, *, name: str | None = None) -> Constraint:
        """Two lines on one straight line."""
        return self._pair("collinear", a, b, name)

    def midpoint(self, point: Point, line: Line, *, name: str | None = None) -> Constraint:
        """A point halfway along a line."""
        return self._pair("midpoint", point, line, name)

    def symmetric(self, a: Entity, b: Entity, about: Line, *, name: str | None = None) -> Constraint:
        """Two points, lines, arcs or circles are mirror images about a line."""
        sorts = [(Point, Point), (Line, Line), (Arc, Arc), (Circle, Circle)]
        if not any(isinstance(a, x) and isinstance(b, y) for x, y in sorts) or not isinstance(about, Line):
            raise SketchError(f"symmetric takes two of one kind and a line, got {_kinds(a, b, about)}")
        return self._relate("symmetric", (a, b, about), None, name)

    def on(self, point: Point, curve: Line | Round | EllipseEntity, *, name: str | None = None) -> Constraint:
        """A point on a line (anywhere along it, or beyond), circle, arc or ellipse."""
        return self._pair("on", point, curve, name)

    def fix(self, *entities: Entity | Polyline, name: str | None = None) -> Constraint:
        """Entities stay where they are drawn now."""
        flat: list[Entity] = []
        for entity in entities:
            flat.extend(entity.vertices if isinstance(entity, Polyline) else [entity])
        if len(flat) != 1:
            points = tuple(dict.fromkeys(p for e in flat for p in e.points()))
            if not points or any(isinstance(e, Round) for e in flat):
                raise SketchError("fix takes points and lines, or one circle or arc")
            return self._relate("fix", points, None, name)
        return self._relate("fix", (flat[0],), None, name)

    # ------------------------------------------------------------------ dimensions

    def distance(
        self, a: Point | Line | Round, b: Point | Line | Round, value: float, *, name: str | None = None
    ) -> Constraint:
        """Distance of two points, of a point from a line (on the side drawn), or of two parallel lines
        (measured from the start of the second to the first). From a circle or arc: the clear distance
        to a point, a line or another circle, outside or inside as drawn."""
        return self._pair("distance", a, b, name, value)

    def distance_x(
        self, a: Point | Line, b: Point | float, value: float | None = None, *, name: str | None = None
    ) -> Constraint:
        """Distance of two points along x. A positive value keeps `b` on the side of `a` where it
        is drawn; a negative one puts `b` on the negative side."""
        return self._level("distance_x", a, b, value, name)

    def distance_y(
        self, a: Point | Line, b: Point | float, value: float | None = None, *, name: str | None = None
    ) -> Constraint:
        """Distance of two points along y; signs as for `distance_x`."""
        return self._level("distance_y", a, b, value, name)

    def length(self, curve: Line | Arc, value: float, *, name: str | None = None) -> Constraint:
        """Length of a line, or of an arc along its curve."""
        if not isinstance(curve, (Line, Arc)):
            raise SketchError(f"length takes a line or an arc, got {_kinds(curve)}")
        return self._relate("length", (curve,), value, name)

    def radius(self, curve: Round, value: float, *, name: str | None = None) -> Constraint:
        """Radius of a circle or arc."""
        return self._size("radius", curve, value, name)

    def diameter(self, curve: Round, value: float, *, name: str | None = None) -> Constraint:
        """Diameter of a circle or arc."""
        return self._size("diameter", curve, value, name)

    def angle(self, a: Line, b: Line, value: float, *, name: str | None = None) -> Constraint:
        """Degrees between two lines.

        Lines that share an end: the angle of their corner. Others: the angle between the
        directions from start to end. A positive value opens from `a` to `b` the way it is drawn;
        a negative one opens clockwise.
        """
        return self._pair("angle", a, b, name, value)

    # ------------------------------------------------------------------ helpers

    def _size(self, kind: str, curve: Round, value: float, name: str | None) -> Constraint:
        if not isinstance(curve, Round):
            raise SketchError(f"{kind} takes a circle or an arc, got {_kinds(curve)}")
        return self._relate(kind, (curve,), value, name)

    def _pair(
        self, kind: str, a: Entity, b: Entity, name: str | None, value: float | None = None
    ) -> Constraint:
        if not any(isinstance(a, x) and isinstance(b, y) for x, y in PAIRS[kind]):
            wanted = sorted({f"{_sort(x)} and {_sort(y)}" for x, y in PAIRS[kind]})
            raise SketchError(f"{kind} takes {' or '.join(wanted)}, got {_kinds(a, b)}")
        return self._relate(kind, (a, b), value, name)

    def _level(
        self,
        kind: str,
        a: Line | Point,
        b: Point | float | None,
        value: float | None,
        name: str | None,
    ) -> Constraint:
        if isinstance(a, Line):
            if isinstance(b, (int, float)) and value is None:
                value, b = b, None
            if b is None and (value is not None or not kind.startswith("distance")):
                return self._relate(kind, (a,), value, name)
        elif isinstance(b, Point) and (value is not None or not kind.startswith("distance")):
            return self._relate(kind, (a, b), value, name)
        what = " and a value" if kind.startswith("distance") else ""
        raise SketchError(f"{kind} takes a line or two points{what}, got {_kinds(a, b)}")

    def _relate(
        self, kind: str, entities: tuple[Entity, ...], value: float | None, name: str | None
    ) -> Constraint:
        for entity in entities:
            self._must_own(entity)
        if len(set(map(id, entities))) != len(entities):
            raise SketchError(f"{kind} needs different entities, got {_kinds(*entities)}")
        if name is not None and any(c.name == name for c in self._constraints):
            raise SketchError(f'the sketch has a constraint "{name}" already')
        number = None if value is None else checked_value(kind, value)
        constraint = Constraint(kind, entities, number, name, self._constraints)
        constraint.serial = next(self._serial)
        self._constraints.append(constraint)
        return constraint


def _sort(kind: type[Entity]) -> str:
    return "circle or arc" if kind is Round else kind.kind


def _kinds(*things: object) -> str:
    return ", ".join(
        f"{thing.kind} {thing.name}" if isinstance(thing, Entity) else repr(thing) for thing in things
    )
