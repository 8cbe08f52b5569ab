"""Equations that several constraints are made of.

Where an equation has two branches (which side of a line, which way an angle opens) the branch is the one that
the drawing shows when the sketch is solved.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec2
from .constraints import Constraint
from .entities import Line, Point, Round
from .equations import Equation

HALF_TURN = math.pi
QUARTER_TURN = 0.5 * math.pi
CUSP = 0.92 * math.pi
"""A tangent join that is drawn turning back by more than this (radians) is meant as a cusp."""


def pair(a: Point, b: Point) -> tuple[int, int, int, int]:
    return (a.ix, a.iy, b.ix, b.iy)


def line_ends(line: Line) -> tuple[int, int, int, int]:
    return pair(line.start, line.end)


def difference(a: int, b: int, d: float = 0.0) -> Equation:
    return Equation("difference", (a, b), (d,))


def same_point(a: Point, b: Point) -> list[Equation]:
    return [difference(a.ix, b.ix), difference(a.iy, b.iy)]


def turn_drawn(a: Vec2, b: Vec2, c: Vec2, d: Vec2) -> float:
    """Angle from direction AB to direction CD as drawn, radians in (-pi, pi]."""
    u, v = (b[0] - a[0], b[1] - a[1]), (d[0] - c[0], d[1] - c[1])
    return math.atan2(u[0] * v[1] - u[1] * v[0], u[0] * v[0] + u[1] * v[1])


def direction(
    a: Point, b: Point, c: Point, d: Point, angles: Sequence[float], likely: float | None = None
) -> Equation:
    """Direction CD makes one of `angles` (radians) with AB: the one nearest to the drawing.

    `likely`, where given, is the angle at which a chain runs on smoothly; it is taken unless the
    drawing clearly shows a cusp.
    """
    drawn = turn_drawn(a.position, b.position, c.position, d.position)
    target = min(angles, key=lambda angle: _off(angle, drawn))
    if likely is not None and _off(likely, drawn) < CUSP:
        target = likely
    lengths = (math.dist(a.position, b.position), math.dist(c.position, d.position))
    scale = max(math.sqrt(lengths[0] * lengths[1]), RESOLUTION)
    return Equation("direction", (*pair(a, b), *pair(c, d)), (target, scale))


def _off(one: float, two: float) -> float:
    return abs(math.remainder(one - two, math.tau))


def height_over(point: Point, line: Line) -> float:
    """Signed distance of `point` to the left of `line`, as drawn."""
    (px, py), (ax, ay), (bx, by) = point.position, line.start.position, line.end.position
    length = math.hypot(bx - ax, by - ay)
    return ((bx - ax) * (py - ay) - (by - ay) * (px - ax)) / length if length else 0.0


def sided(value: float, drawn: float) -> float:
    """`value` with the sign of what is drawn; a negative value is taken as it is."""
    return -value if value >= 0 and drawn < 0 else value


def two_lines(constraint: Constraint) -> tuple[Line, Line]:
    one, two = constraint.entities
    assert isinstance(one, Line) and isinstance(two, Line)
    return one, two


def two_points(c: Constraint) -> tuple[Point, Point]:
    """The two points of a constraint on one line or on two points."""
    points = c.entities[0].points() if len(c.entities) == 1 else c.entities
    a, b = points
    assert isinstance(a, Point) and isinstance(b, Point)
    return a, b


def halfway(middle: Point, a: Point, b: Point) -> list[Equation]:
    return [Equation("mean", (a.ix, b.ix, middle.ix)), Equation("mean", (a.iy, b.iy, middle.iy))]


def on_line(point: Point, line: Line, value: float = 0.0) -> Equation:
    return Equation("off_line", (point.ix, point.iy, *line_ends(line)), (value,))


def on_round(point: Point, circle: Round) -> Equation:
    center = circle.center
    return Equation("on_circle", (point.ix, point.iy, center.ix, center.iy, circle.ir))
