"""The equations that hold the parts of one entity together, and copies and offsets to their originals."""

from __future__ import annotations

import math

from .constraints import Constraint, Ties
from .entities import Arc, Circle, Line, Point, Round
from .equation_parts import (
    HALF_TURN,
    QUARTER_TURN,
    difference,
    direction,
    halfway,
    height_over,
    line_ends,
    on_round,
)
from .equations import Equation


def _shape(c: Constraint, context: Ties) -> list[Equation]:
    """What makes an arc an arc: both ends lie on its circle."""
    arc = c.entities[0]
    assert isinstance(arc, Arc)
    return [on_round(arc.start, arc), on_round(arc.end, arc)]


def _between(c: Constraint, context: Ties) -> list[Equation]:
    """A point halfway between two others."""
    middle, a, b = c.entities
    assert isinstance(middle, Point) and isinstance(a, Point) and isinstance(b, Point)
    return halfway(middle, a, b)


def _square(c: Constraint, context: Ties) -> list[Equation]:
    """The half axes of an ellipse are perpendicular, turning as drawn."""
    center, tip, side = c.entities
    assert isinstance(center, Point) and isinstance(tip, Point) and isinstance(side, Point)
    return [direction(center, tip, center, side, (QUARTER_TURN, -QUARTER_TURN))]


def _repeated(c: Constraint, context: Ties) -> list[Equation]:
    """A point that is another one moved by a fixed shift, or turned about a third."""
    original, copy, *about = c.entities
    assert isinstance(original, Point) and isinstance(copy, Point)
    if not about:
        (dx, dy) = c.shift
        return [difference(copy.ix, original.ix, dx), difference(copy.iy, original.iy, dy)]
    (center,) = about
    assert isinstance(center, Point)
    cos, sin = math.cos(c.turn), math.sin(c.turn)
    x = (copy.ix, original.ix, original.iy, center.ix, center.iy)
    y = (copy.iy, original.iy, original.ix, center.iy, center.ix)
    return [Equation("turned", x, (cos, -sin)), Equation("turned", y, (cos, sin))]


def _beside(c: Constraint, context: Ties) -> list[Equation]:
    """A point beside a line, or an arc about the center of another, at the distance a gauge holds."""
    own, source, gauge = c.entities
    assert isinstance(gauge, Circle)
    if isinstance(own, Point) and isinstance(source, Line):
        side = 1.0 if height_over(own, source) >= 0 else -1.0
        return [Equation("line_circle", (own.ix, own.iy, *line_ends(source), gauge.ir), (side, 0.0))]
    assert isinstance(own, Round) and isinstance(source, Round)
    side = 1.0 if own.radius >= source.radius else -1.0
    return [Equation("sum", (own.ir, source.ir, gauge.ir), (side,))]


def _abreast(c: Constraint, context: Ties) -> list[Equation]:
    """A point straight aside of an end of a line, or on the ray from an arc's center through its end."""
    point, end, source = c.entities
    assert isinstance(point, Point) and isinstance(end, Point)
    if isinstance(source, Line):
        return [direction(source.start, source.end, end, point, (QUARTER_TURN, -QUARTER_TURN))]
    assert isinstance(source, Round)
    return [direction(source.center, end, source.center, point, (0.0,))]


def _touch(c: Constraint, context: Ties) -> list[Equation]:
    """A point where two curves touch, which lies on one of them: the directions agree there."""
    point, one, two = c.entities
    if isinstance(two, Line):
        one, two = two, one
    assert isinstance(point, Point) and isinstance(two, Round)
    if isinstance(one, Line):
        return [direction(one.start, one.end, two.center, point, (QUARTER_TURN, -QUARTER_TURN))]
    assert isinstance(one, Round)
    return [direction(one.center, point, two.center, point, (0.0, HALF_TURN))]


SHAPES = {
    "shape": _shape,
    "between": _between,
    "square": _square,
    "repeated": _repeated,
    "beside": _beside,
    "abreast": _abreast,
    "touch": _touch,
}
