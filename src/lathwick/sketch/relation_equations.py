"""The equations of relations."""

from __future__ import annotations

import math

from .constraints import Constraint, Ties
from .entities import Arc, Circle, EllipseEntity, Entity, Line, Point, Round, SplineEntity
from .equation_parts import (
    HALF_TURN,
    QUARTER_TURN,
    difference,
    direction,
    halfway,
    line_ends,
    on_line,
    on_round,
    pair,
    same_point,
    two_lines,
    two_points,
)
from .equations import Equation
from .symmetries import symmetric
from .tangencies import tangent


def _coincident(c: Constraint, context: Ties) -> list[Equation]:
    a, b = c.entities
    assert isinstance(a, Point) and isinstance(b, Point)
    return same_point(a, b)


def _horizontal(c: Constraint, context: Ties) -> list[Equation]:
    a, b = two_points(c)
    return [difference(b.iy, a.iy)]


def _vertical(c: Constraint, context: Ties) -> list[Equation]:
    a, b = two_points(c)
    return [difference(b.ix, a.ix)]


def _parallel(c: Constraint, context: Ties) -> list[Equation]:
    one, two = two_lines(c)
    return [direction(one.start, one.end, two.start, two.end, (0.0, HALF_TURN))]


def _perpendicular(c: Constraint, context: Ties) -> list[Equation]:
    one, two = two_lines(c)
    return [direction(one.start, one.end, two.start, two.end, (QUARTER_TURN, -QUARTER_TURN))]


def _equal(c: Constraint, context: Ties) -> list[Equation]:
    first, *others = c.entities
    if isinstance(first, Line):
        return [
            Equation("equal_length", (*line_ends(first), *line_ends(other)))
            for other in others
            if isinstance(other, Line)
        ]
    assert isinstance(first, Round)
    return [difference(other.ir, first.ir) for other in others if isinstance(other, Round)]


def _concentric(c: Constraint, context: Ties) -> list[Equation]:
    a, b = c.entities
    one = a.center if isinstance(a, (Round, EllipseEntity)) else a
    two = b.center if isinstance(b, (Round, EllipseEntity)) else b
    assert isinstance(one, Point) and isinstance(two, Point)
    return same_point(one, two)


def _collinear(c: Constraint, context: Ties) -> list[Equation]:
    one, two = two_lines(c)
    first = {context.same(one.start), context.same(one.end)}
    shares = [context.same(p) in first for p in (two.start, two.end)]
    if any(shares):
        return [direction(one.start, one.end, two.start, two.end, (0.0, HALF_TURN))]
    return [on_line(two.start, one), on_line(two.end, one)]


def _midpoint(c: Constraint, context: Ties) -> list[Equation]:
    point, curve = c.entities
    assert isinstance(point, Point)
    if isinstance(curve, Arc):
        return _on_at_share(c, point, curve, ("ratio", 0.5))
    assert isinstance(curve, Line)
    return halfway(point, curve.start, curve.end)


def _on(c: Constraint, context: Ties) -> list[Equation]:
    point, curve = c.entities
    assert isinstance(point, Point)
    if c.share is not None:
        return _on_at_share(c, point, curve, c.share)
    if c.contacts:
        return c.contacts[0].place(point)
    if isinstance(curve, Line):
        return [on_line(point, curve)]
    if isinstance(curve, EllipseEntity):
        around = (*pair(curve.center, curve.tip), curve.side.ix, curve.side.iy)
        return [Equation("on_ellipse", (point.ix, point.iy, *around))]
    assert isinstance(curve, Round)
    return [on_round(point, curve)]


def _on_at_share(c: Constraint, point: Point, curve: Entity, where: tuple[str, float]) -> list[Equation]:
    """A point at a share of a curve's parameter range or length; on lines and circles the two agree."""
    kind, share = where
    if isinstance(curve, (EllipseEntity, SplineEntity)):
        (contact,) = c.contacts
        is_end = share in (0.0, 1.0)
        held = contact.at_parameter(share) if kind == "parameter" or is_end else contact.at_length(share)
        return [*contact.place(point), *held]
    if isinstance(curve, Line):
        a, b = curve.start, curve.end
        ends = ((a.ix, b.ix, point.ix), (a.iy, b.iy, point.iy))
        return [Equation("share", columns, (share,)) for columns in ends]
    if isinstance(curve, Arc):
        around = (
            point.ix,
            point.iy,
            *pair(curve.start, curve.end),
            curve.center.ix,
            curve.center.iy,
            curve.ir,
        )
        sense = -1.0 if curve.clockwise else 1.0
        return [on_round(point, curve), Equation("arc_share", around, (sense, share))]
    assert isinstance(curve, Circle)
    turn = math.tau * share
    x = (point.ix, curve.center.ix, curve.ir)
    y = (point.iy, curve.center.iy, curve.ir)
    return [Equation("sum", x, (math.cos(turn),)), Equation("sum", y, (math.sin(turn),))]


def _along(c: Constraint, context: Ties) -> list[Equation]:
    """A point at a share of the length of a chain of lines."""
    point, *lines = c.entities
    assert isinstance(point, Point) and c.share is not None
    chain = [e for e in lines if isinstance(e, Line)]
    vertices = [chain[0].start, *(line.end for line in chain)]
    columns = [i for p in vertices for i in (p.ix, p.iy)]
    return [
        Equation("chain_share", (own, *columns), (axis, c.share[1]))
        for axis, own in ((0.0, point.ix), (1.0, point.iy))
    ]


def _fix(c: Constraint, context: Ties) -> list[Equation]:
    """Every point where it was, once; the last end of an arc can only run along its circle, so that one
    coordinate holds it."""
    at = dict(zip((p for e in c.entities for p in e.points()), c.fixed_at, strict=True))
    rows = []
    loose = {e.end: e for e in c.entities if isinstance(e, Arc)}
    held = {p for e in c.entities for p in e.points() if not (isinstance(e, Arc) and p is e.end)}
    for point, (x, y) in at.items():
        both = [Equation("value", (point.ix,), (x,)), Equation("value", (point.iy,), (y,))]
        if point not in held:
            cx, cy = at[loose[point].center]
            both = both[:1] if abs(y - cy) >= abs(x - cx) else both[1:]
        rows += both
    for circle, radius in zip(c.entities, c.fixed_radii, strict=True):
        if isinstance(circle, Circle):
            rows.append(Equation("value", (circle.ir,), (radius,)))
    return rows


RELATIONS = {
    "coincident": _coincident,
    "horizontal": _horizontal,
    "vertical": _vertical,
    "parallel": _parallel,
    "perpendicular": _perpendicular,
    "equal": _equal,
    "concentric": _concentric,
    "collinear": _collinear,
    "midpoint": _midpoint,
    "on": _on,
    "cut": _on,
    "along": _along,
    "fix": _fix,
    "symmetric": symmetric,
    "tangent": tangent,
}
