"""Joints that only follow their curves: placed in closed form after a solve instead of being solved for.

A joint lies where two lines or circles cross or touch. As long as nothing is asked of it, it adds neither
unknowns nor equations to a sketch, however often that is trimmed.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from ..geometry.vector import Vec2
from .constraints import Constraint
from .entities import Entity, Line, Point, Round


@dataclass(frozen=True, slots=True)
class Follower:
    """A joint, the two curves that it lies on, and whether they touch there."""

    point: Point
    one: Line | Round
    two: Line | Round
    touch: bool

    @property
    def side(self) -> float:
        """On which of two places it is, as drawn: a sign. Of a circle and a line, along the line; of two
        circles, to the left or right of the way from center to center."""
        if isinstance(self.one, Line) and isinstance(self.two, Line):
            return 1.0
        (px, py), (ox, oy), (ux, uy) = self.point.position, *_base(self.one, self.two)
        if isinstance(self.one, Line) or isinstance(self.two, Line):
            return math.copysign(1.0, (px - ox) * ux + (py - oy) * uy)
        return math.copysign(1.0, ux * (py - oy) - uy * (px - ox))

    def place(self, side: float) -> Vec2 | None:
        """Where it lies now, on that side; None where its curves do not meet."""
        one, two = self.one, self.two
        if isinstance(one, Line) and isinstance(two, Line):
            return _crossing(one, two)
        (ox, oy), (ux, uy) = _base(one, two)
        if isinstance(one, Line) or isinstance(two, Line):
            circle = two if isinstance(two, Round) else one
            assert isinstance(circle, Round)
            off = math.dist((ox, oy), circle.center.position)
            half = 0.0 if self.touch else _leg(circle.radius, off)
            return None if half is None else (ox + side * half * ux, oy + side * half * uy)
        assert isinstance(one, Round) and isinstance(two, Round)
        return self._between(one, two, (ux, uy), side)

    def _between(self, one: Round, two: Round, way: Vec2, side: float) -> Vec2 | None:
        """On two circles, of which `way` leads from center to center."""
        (x, y), (ux, uy) = one.center.position, way
        apart, r1, r2 = math.dist((x, y), two.center.position), one.radius, two.radius
        if not apart:
            return None
        foot = (apart * apart + r1 * r1 - r2 * r2) / (2 * apart)
        if self.touch:
            foot, half = math.copysign(r1, foot), 0.0
        else:
            leg = _leg(r1, foot)
            if leg is None:
                return None
            half = side * leg
        return (x + foot * ux - half * uy, y + foot * uy + half * ux)


def followers(
    joints: Iterable[Point],
    shapes: Sequence[Constraint],
    given: Sequence[Constraint],
    entities: Sequence[Entity],
) -> list[Follower]:
    """The joints of which nothing is asked but to lie on two lines or circles."""
    own: dict[Point, list[Constraint]] = {joint: [] for joint in joints}
    asked = {e for c in given for e in c.entities}
    asked.update(p for e in entities if not isinstance(e, Point) for p in e.points())
    for shape in shapes:
        first = shape.entities[0]
        if shape.kind in ("cut", "touch") and isinstance(first, Point) and first in own:
            own[first].append(shape)
        else:
            asked.update(shape.entities)
    return [
        found
        for joint, held in own.items()
        if joint not in asked and (found := _follower(joint, held)) is not None
    ]


def _follower(joint: Point, held: Sequence[Constraint]) -> Follower | None:
    kinds = [shape.kind for shape in held]
    if kinds == ["cut", "touch"]:
        one, two = held[1].entities[1:]
    elif kinds == ["cut", "cut"]:
        one, two = held[0].entities[1], held[1].entities[1]
    else:
        return None
    if isinstance(one, (Line, Round)) and isinstance(two, (Line, Round)):
        return Follower(joint, one, two, kinds[1] == "touch")
    return None


def _base(one: Line | Round, two: Line | Round) -> tuple[Vec2, Vec2]:
    """Of a line and a circle: the foot of the center and the line's direction; of two circles: the first
    center and the direction to the second."""
    if isinstance(one, Round) and isinstance(two, Round):
        return one.center.position, _way(one.center.position, two.center.position)
    line, circle = (one, two) if isinstance(one, Line) else (two, one)
    assert isinstance(line, Line) and isinstance(circle, Round)
    (ax, ay), (x, y) = line.start.position, circle.center.position
    ux, uy = _way(line.start.position, line.end.position)
    t = (x - ax) * ux + (y - ay) * uy
    return (ax + t * ux, ay + t * uy), (ux, uy)


def _way(a: Vec2, b: Vec2) -> Vec2:
    size = math.dist(a, b) or 1.0
    return ((b[0] - a[0]) / size, (b[1] - a[1]) / size)


def _leg(hypotenuse: float, other: float) -> float | None:
    square = (hypotenuse - other) * (hypotenuse + other)
    return math.sqrt(square) if square >= 0.0 else None


def _crossing(one: Line, two: Line) -> Vec2 | None:
    (ax, ay), (cx, cy) = one.start.position, two.start.position
    (ux, uy), (vx, vy) = _way((ax, ay), one.end.position), _way((cx, cy), two.end.position)
    cross = ux * vy - uy * vx
    if abs(cross) < 1e-12:
        return None
    s = ((cx - ax) * vy - (cy - ay) * vx) / cross
    return (ax + s * ux, ay + s * uy)
