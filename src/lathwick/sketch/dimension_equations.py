"""The equations of dimensions."""

from __future__ import annotations

import math

from .constraints import Constraint, Ties
from .entities import Arc, Circle, Entity, Line, Point, Round
from .equation_parts import (
    difference,
    direction,
    height_over,
    line_ends,
    on_line,
    pair,
    sided,
    turn_drawn,
    two_lines,
    two_points,
)
from .equations import Equation


def _distance(c: Constraint, context: Ties) -> list[Equation]:
    a, b = c.entities
    value = c.value or 0.0
    if isinstance(a, Point) and isinstance(b, Point):
        return [Equation("distance", pair(a, b), (value,))]
    if isinstance(a, Line) and isinstance(b, Line):
        return [on_line(b.start, a, sided(value, height_over(b.start, a)))]
    if isinstance(a, Round) or isinstance(b, Round):
        return [_gap(*((a, b) if isinstance(a, Round) else (b, a)), value)]
    point, line = (a, b) if isinstance(a, Point) else (b, a)
    assert isinstance(point, Point) and isinstance(line, Line)
    return [on_line(point, line, sided(value, height_over(point, line)))]


def _gap(circle: Entity, other: Entity, value: float) -> Equation:
    """The clear distance from a circle to a point, a line or another circle, outside or inside as drawn."""
    assert isinstance(circle, Round)
    center = circle.center
    if isinstance(other, Line):
        side = 1.0 if height_over(center, other) >= 0 else -1.0
        crossing = (center.ix, center.iy, *line_ends(other), circle.ir)
        return Equation("line_circle", crossing, (side, side * value))
    if isinstance(other, Point):
        outside = math.dist(center.position, other.position) >= circle.radius
        between = (*pair(center, other), circle.ir, circle.ir)
        return Equation("circle_circle", between, (1.0, 0.0, value if outside else -value))
    assert isinstance(other, Round)
    apart, r1, r2 = math.dist(center.position, other.center.position), circle.radius, other.radius
    between = (*pair(center, other.center), circle.ir, other.ir)
    if apart >= max(r1, r2):
        return Equation("circle_circle", between, (1.0, 1.0, value))
    signs = (1.0, -1.0) if r1 >= r2 else (-1.0, 1.0)
    return Equation("circle_circle", between, (*signs, -value))


def _distance_x(c: Constraint, context: Ties) -> list[Equation]:
    a, b = two_points(c)
    return [difference(b.ix, a.ix, sided(c.value or 0.0, b.x - a.x))]


def _distance_y(c: Constraint, context: Ties) -> list[Equation]:
    a, b = two_points(c)
    return [difference(b.iy, a.iy, sided(c.value or 0.0, b.y - a.y))]


def _length(c: Constraint, context: Ties) -> list[Equation]:
    curve, value = c.entities[0], c.value or 0.0
    if isinstance(curve, Arc):
        points = (*pair(curve.start, curve.end), curve.center.ix, curve.center.iy, curve.ir)
        return [Equation("arc_length", points, (-1.0 if curve.clockwise else 1.0, value))]
    assert isinstance(curve, Line)
    return [Equation("distance", line_ends(curve), (value,))]


def _radius(c: Constraint, context: Ties) -> list[Equation]:
    circle = c.entities[0]
    assert isinstance(circle, Round)
    value = c.value or 0.0
    return [Equation("value", (circle.ir,), (value if c.kind == "radius" else 0.5 * value,))]


def _angle(c: Constraint, context: Ties) -> list[Equation]:
    one, two = two_lines(c)
    a, b, d, e = one.start, one.end, two.start, two.end
    if context.same(b) in (context.same(d), context.same(e)):
        a, b = b, a
    if context.same(a) is context.same(e):
        d, e = e, d
    drawn = turn_drawn(a.position, b.position, d.position, e.position)
    return [direction(a, b, d, e, (math.radians(sided(c.value or 0.0, drawn)),))]


def _offset(c: Constraint, context: Ties) -> list[Equation]:
    gauge = c.entities[0]
    assert isinstance(gauge, Circle)
    return [Equation("value", (gauge.ir,), (c.value or 0.0,))]


DRIVEN = {
    "distance": _distance,
    "distance_x": _distance_x,
    "distance_y": _distance_y,
    "length": _length,
    "radius": _radius,
    "diameter": _radius,
    "angle": _angle,
    "offset": _offset,
}
