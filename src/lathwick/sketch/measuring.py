"""What a reference dimension reads off a drawing."""

from __future__ import annotations

import math
from collections.abc import Callable

from ..errors import SketchError
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec2
from .entities import Arc, Entity, Line, Point, Round


def measured(kind: str, entities: tuple[Entity, ...]) -> float:
    """The value that a dimension of this kind between these entities has now: a length, or degrees.

    Lengths and angles are never negative. Two lines are measured from the start of the second to
    the first; from a circle the clear distance is taken.
    """
    return _MEASURES[kind](entities)


def _distance(entities: tuple[Entity, ...]) -> float:
    a, b = entities
    if isinstance(b, Round) or isinstance(a, Round):
        return _clear_distance(*((a, b) if isinstance(a, Round) else (b, a)))
    if isinstance(a, Point) and isinstance(b, Point):
        return math.dist(a.position, b.position)
    line, other = (b, a) if isinstance(a, Point) else (a, b)
    point = other if isinstance(other, Point) else other.points()[0]
    assert isinstance(line, Line)
    return off_line(point.position, line)


def _clear_distance(circle: Entity, other: Entity) -> float:
    assert isinstance(circle, Round)
    center = circle.center.position
    if isinstance(other, Line):
        return abs(off_line(center, other) - circle.radius)
    if isinstance(other, Point):
        return abs(math.dist(center, other.position) - circle.radius)
    assert isinstance(other, Round)
    apart, r1, r2 = math.dist(center, other.center.position), circle.radius, other.radius
    return apart - r1 - r2 if apart >= r1 + r2 else abs(abs(r1 - r2) - apart)


def off_line(point: Vec2, line: Line) -> float:
    """Distance of a point from the whole straight line through `line`."""
    (ax, ay), (bx, by) = line.start.position, line.end.position
    return abs((bx - ax) * (point[1] - ay) - (by - ay) * (point[0] - ax)) / math.hypot(bx - ax, by - ay)


def _ends(entities: tuple[Entity, ...]) -> tuple[Vec2, Vec2]:
    a, b = entities[0].points() if len(entities) == 1 else entities
    assert isinstance(a, Point) and isinstance(b, Point)
    return a.position, b.position


def _distance_x(entities: tuple[Entity, ...]) -> float:
    a, b = _ends(entities)
    return abs(b[0] - a[0])


def _distance_y(entities: tuple[Entity, ...]) -> float:
    a, b = _ends(entities)
    return abs(b[1] - a[1])


def _length(entities: tuple[Entity, ...]) -> float:
    (curve,) = entities
    assert isinstance(curve, (Line, Arc))
    return curve.length


def _radius(entities: tuple[Entity, ...]) -> float:
    (curve,) = entities
    assert isinstance(curve, Round)
    return curve.radius


def _angle(entities: tuple[Entity, ...]) -> float:
    """Of the corner, where the lines share an end; else between their directions from start to end."""
    one, two = entities
    assert isinstance(one, Line) and isinstance(two, Line)
    ways = [_direction(line.start.position, line.end.position) for line in (one, two)]
    for i, p in enumerate((one.start, one.end)):
        for j, q in enumerate((two.start, two.end)):
            if p is q or math.dist(p.position, q.position) <= RESOLUTION:
                ways = [_flipped(way, k == 1) for way, k in zip(ways, (i, j), strict=True)]
                return _between(*ways)
    return _between(*ways)


def _direction(a: Vec2, b: Vec2) -> Vec2:
    return (b[0] - a[0], b[1] - a[1])


def _flipped(way: Vec2, flip: bool) -> Vec2:
    return (-way[0], -way[1]) if flip else way


def _between(u: Vec2, v: Vec2) -> float:
    return math.degrees(abs(math.atan2(u[0] * v[1] - u[1] * v[0], u[0] * v[0] + u[1] * v[1])))


_MEASURES: dict[str, Callable[[tuple[Entity, ...]], float]] = {
    "distance": _distance,
    "distance_x": _distance_x,
    "distance_y": _distance_y,
    "length": _length,
    "radius": _radius,
    "diameter": lambda entities: 2.0 * _radius(entities),
    "angle": _angle,
}

DIMENSIONS = tuple(_MEASURES)
"""Every kind of dimension."""


def no_reader(text: str, kind: str) -> float:
    """What a sketch outside a job does with a text for a dimension. Raises SketchError."""
    raise SketchError(f'"{text}": a {kind} as text needs a sketch made by a job, which knows the parameters')
