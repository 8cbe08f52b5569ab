"""The equations of tangencies: inside or outside, smooth or in a cusp, as the drawing shows."""

from __future__ import annotations

import math

from .constraints import Constraint, Ties
from .contacts import Contact
from .entities import Arc, Entity, Line, Point, Round, SplineEntity
from .equation_parts import (
    HALF_TURN,
    QUARTER_TURN,
    direction,
    height_over,
    line_ends,
    on_line,
    on_round,
    pair,
    same_point,
)
from .equations import Equation


def tangent(c: Constraint, context: Ties) -> list[Equation]:
    one, two = c.entities
    shared = context.shared_point(one, two)
    if c.contacts:
        return _freeform_tangent(c, shared, context)
    if isinstance(two, Line):
        one, two = two, one
    assert isinstance(two, Round)
    if isinstance(one, Line):
        if shared is None:
            return [_line_beside(one, two)]
        return [_line_joins(one, two, shared, context)]
    assert isinstance(one, Round)
    return [_round_beside(one, two) if shared is None else _round_joins(one, two, shared, context)]


def _line_joins(line: Line, circle: Round, shared: Point, context: Ties) -> Equation:
    """The radius to the common point is perpendicular to the line."""
    angles = (QUARTER_TURN, -QUARTER_TURN)
    smooth = _leaving(line, shared, context) * _leaving(circle, shared, context) * QUARTER_TURN
    return direction(line.start, line.end, circle.center, shared, angles, smooth or None)


def _line_beside(line: Line, circle: Round) -> Equation:
    side = 1.0 if height_over(circle.center, line) >= 0 else -1.0
    center = circle.center
    return Equation("line_circle", (center.ix, center.iy, *line_ends(line), circle.ir), (side, 0.0))


def _round_joins(one: Round, two: Round, shared: Point, context: Ties) -> Equation:
    """Both centers lie on one line through the common point."""
    turns = _leaving(one, shared, context) * _leaving(two, shared, context)
    smooth = {1: HALF_TURN, -1: 0.0}.get(turns)
    return direction(one.center, shared, two.center, shared, (0.0, HALF_TURN), smooth)


def _round_beside(one: Round, two: Round) -> Equation:
    apart = math.dist(one.center.position, two.center.position)
    r1, r2 = one.radius, two.radius
    branches = {(1.0, 1.0): r1 + r2, (1.0, -1.0): r1 - r2, (-1.0, 1.0): r2 - r1}
    signs = min(branches, key=lambda s: abs(apart - branches[s]))
    return Equation("circle_circle", (*pair(one.center, two.center), one.ir, two.ir), (*signs, 0.0))


def _freeform_tangent(c: Constraint, shared: Point | None, context: Ties) -> list[Equation]:
    """A tangency with an ellipse or a spline: a place on it, and one direction there."""
    rows = []
    for contact in c.contacts:
        touch = contact.touch
        assert touch is not None
        rows += [*_held(contact, touch, shared, context), *contact.slope()]
        if shared is not None:
            rows += same_point(touch, shared)
    first = c.contacts[0]
    others = [e for e in c.entities if e is not first.curve]
    (other,) = others
    assert first.touch is not None and first.ahead is not None
    along = (first.touch, first.ahead)
    leaving = [_leaving(e, shared, context) if shared else 0 for e in (first.curve, other)]
    if isinstance(other, Round):
        if shared is None:
            rows.append(on_round(first.touch, other))
        angles = (QUARTER_TURN, -QUARTER_TURN)
        smooth = leaving[0] * leaving[1] * QUARTER_TURN
        return [*rows, direction(*along, other.center, first.touch, angles, smooth or None)]
    if isinstance(other, Line):
        if shared is None:
            rows.append(on_line(first.touch, other))
        ends = (other.start, other.end)
    else:
        second = c.contacts[1]
        assert second.touch is not None and second.ahead is not None
        if shared is None:
            rows += same_point(first.touch, second.touch)
        ends = (second.touch, second.ahead)
    smooth_line = {1: HALF_TURN, -1: 0.0}.get(leaving[0] * leaving[1])
    return [*rows, direction(*along, *ends, (0.0, HALF_TURN), smooth_line)]


def _held(contact: Contact, touch: Point, shared: Point | None, context: Ties) -> list[Equation]:
    """The touching place is on the curve; at an end of the curve its parameter is known."""
    ends = contact.curve.ends()
    if shared is not None and ends is not None:
        for end, share in zip(ends, (0.0, 1.0), strict=True):
            if context.same(end) is context.same(shared):
                return contact.at_parameter(share)
    return contact.place(touch)


def _leaving(curve: Entity, end: Point, context: Ties) -> int:
    """How a curve leaves one of its ends: a line or spline forward (1) or backward (-1), an arc turning
    left (1) or right (-1) about its center; 0 if the point is no end of the curve."""
    if isinstance(curve, SplineEntity):
        if curve.closed:
            return 0
    elif not isinstance(curve, (Line, Arc)):
        return 0
    here = context.same(end)
    sense = -1 if isinstance(curve, Arc) and curve.clockwise else 1
    if context.same(curve.start) is here:
        return sense
    return -sense if context.same(curve.end) is here else 0
