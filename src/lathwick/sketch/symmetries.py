"""The equations of entities that are mirror images of each other."""

from __future__ import annotations

import math

from .constraints import Constraint, Ties
from .entities import Arc, Circle, EllipseEntity, Line, Point, SplineEntity
from .equation_parts import difference, line_ends, pair
from .equations import Equation


def symmetric(c: Constraint, context: Ties) -> list[Equation]:
    a, b, about = c.entities
    assert isinstance(about, Line)
    if isinstance(a, Point) and isinstance(b, Point):
        return _mirrored(a, b, about)
    if isinstance(a, Circle) and isinstance(b, Circle):
        return [*_mirrored(a.center, b.center, about), difference(a.ir, b.ir)]
    if isinstance(a, EllipseEntity) and isinstance(b, EllipseEntity):
        rows = [*_mirrored(a.center, b.center, about), *_mirrored(a.tip, b.tip, about)]
        return [*rows, Equation("equal_length", (*pair(a.center, a.side), *pair(b.center, b.side)))]
    if isinstance(a, SplineEntity) and isinstance(b, SplineEntity):
        return _mirrored_splines(a, b, about)
    rows = []
    if isinstance(a, Arc) and isinstance(b, Arc):
        rows = _mirrored(a.center, b.center, about)
    assert isinstance(a, (Line, Arc)) and isinstance(b, (Line, Arc))
    ends = (b.start, b.end)
    if _mirror_gap(a.start, b.end, about) < _mirror_gap(a.start, b.start, about):
        ends = (b.end, b.start)
    rows += _mirrored(a.start, ends[0], about)
    if isinstance(a, Arc):  # the radii follow from the centers and first ends: one equation is left
        return [*rows, _mirrored_on_circle(a.end, ends[1], a.center, about)]
    return [*rows, *_mirrored(a.end, ends[1], about)]


def _mirrored_splines(a: SplineEntity, b: SplineEntity, about: Line) -> list[Equation]:
    """Point by point, from the end that is drawn nearer to the mirror image of the start."""
    others = b.through
    if _mirror_gap(a.start, b.end, about) < _mirror_gap(a.start, b.start, about) and not a.closed:
        others = others[::-1]
    return [row for p, q in zip(a.through, others, strict=True) for row in _mirrored(p, q, about)]


def _mirrored_on_circle(a: Point, b: Point, center: Point, about: Line) -> Equation:
    """The one of the two mirror equations that holds `b` firmly where it can only run along a circle."""
    middle, across = _mirrored(a, b, about)
    radius = (a.x - center.x, a.y - center.y)
    axis = (about.end.x - about.start.x, about.end.y - about.start.y)
    along = abs(radius[0] * axis[0] + radius[1] * axis[1])
    aside = abs(radius[0] * axis[1] - radius[1] * axis[0])
    return middle if along >= aside else across


def _mirrored(a: Point, b: Point, about: Line) -> list[Equation]:
    across = Equation("across_line", (*pair(a, b), *line_ends(about)))
    return [Equation("middle_on_line", (*pair(a, b), *line_ends(about))), across]


def _mirror_gap(a: Point, b: Point, about: Line) -> float:
    """Distance from the mirror image of `a` to `b`, as drawn."""
    (sx, sy), (ex, ey) = about.start.position, about.end.position
    length = math.hypot(ex - sx, ey - sy) or 1.0
    nx, ny = -(ey - sy) / length, (ex - sx) / length
    h = (a.x - sx) * nx + (a.y - sy) * ny
    return math.dist((a.x - 2 * h * nx, a.y - 2 * h * ny), b.position)
