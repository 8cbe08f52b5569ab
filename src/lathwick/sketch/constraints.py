"""Constraints and dimensions: what relates entities, and the equations each one stands for.

Where an equation has two branches (which side of a line, inside or outside tangency, which way an
angle opens) the branch is the one that the drawing shows when the sketch is solved.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from operator import itemgetter
from typing import TypeAlias

from ..errors import SketchError
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec2
from .contacts import Contact
from .entities import Arc, Circle, EllipseEntity, Entity, Line, Point, Round, SplineEntity
from .equations import Equation
from .measuring import DIMENSIONS, measured, no_reader

Reader: TypeAlias = Callable[[str, str], float]
"""Turns the text of a dimension, and its kind, into a number (a length, or degrees)."""

HALF_TURN = math.pi
QUARTER_TURN = 0.5 * math.pi
CUSP = 0.92 * math.pi
"""A tangent join that is drawn turning back by more than this (radians) is meant as a cusp."""


class Constraint:
    """One constraint or dimension of a sketch. `value` is None for a pure relation.

    A dimension given without a value is a reference: its `value` is measured, and drives nothing.
    `formula` is the text that a dimension was given by, None for a number.

    `fixed_at` and `fixed_radius` remember where the entities were drawn; that is what `fix` holds.
    `serial` counts the constraints of a sketch in the order they were made.
    `contacts` are the places where it meets ellipses and splines; `share` says where along a curve a
    point is held: ("parameter" or "ratio", 0 to 1).
    `shift` and `turn` (radians) are how far a repeated point is from its original.
    Changing `value` of a dimension, or `remove()`, takes effect at the next `solve()`.
    """

    def __init__(
        self,
        kind: str,
        entities: tuple[Entity, ...],
        value: float | str | None,
        name: str | None,
        owner: list[Constraint],
        internal: bool = False,
        reader: Reader = no_reader,
    ) -> None:
        self.kind = kind
        self.entities = entities
        self.is_internal = internal
        self.serial = 0
        self._reader = reader
        self.formula: str | None = None
        self._value = None if value is None else self._read(value)
        self._given_name = name
        self._owner = owner
        self.fixed_at: tuple[Vec2, ...] = tuple(p.position for e in entities for p in e.points())
        self.contacts: tuple[Contact, ...] = ()
        self.share: tuple[str, float] | None = None
        self.shift: Vec2 = (0.0, 0.0)
        self.turn = 0.0
        self.fixed_radius = first.radius if isinstance(first := entities[0], Round) else 0.0

    @property
    def name(self) -> str:
        """The name given, or else the kind and the entities: "parallel(left, right)"."""
        if self._given_name:
            return self._given_name
        return f"{self.kind}({', '.join(e.name for e in self.entities)})"

    @property
    def is_reference(self) -> bool:
        """Whether this is a dimension that only measures."""
        return self._value is None and self.kind in DIMENSIONS

    @property
    def value(self) -> float | None:
        return measured(self.kind, self.entities) if self.is_reference else self._value

    @value.setter
    def value(self, value: float | str) -> None:
        if self.is_reference:
            raise SketchError(f"{self.name} is a reference dimension: it is measured and drives nothing")
        if self._value is None:
            raise SketchError(f"{self.name} is a relation and has no value")
        self._value = self._read(value)

    def _read(self, value: float | str) -> float:
        """A number as it is, a text by the reader; both checked. Keeps the text."""
        number = self._reader(value, self.kind) if isinstance(value, str) else value
        checked = checked_value(self.kind, number)
        self.formula = value if isinstance(value, str) else None
        return checked

    def __repr__(self) -> str:
        value = self.value
        text = "" if value is None else f" = {value:g}"
        return f"<{self.name}{text}>" if not self.is_reference else f"<{self.name} measures {value:g}>"

    def remove(self) -> None:
        """Take the constraint out of its sketch. Raises SketchError if it is not there (any more)."""
        if self.is_internal or self not in self._owner:
            raise SketchError(f"{self.name} is not a removable constraint of the sketch")
        self._owner.remove(self)
        for contact in self.contacts:
            contact.retire()

    def reads(self, context: Context) -> tuple[int, ...]:
        """The variables on whose values the equations depend."""
        found = {i for e in self.entities for i in e.own_variables()}
        if len(self.entities) >= 2:
            shared = context.shared_point(self.entities[0], self.entities[1])
            found.update((shared.ix, shared.iy) if shared else ())
        return (*sorted(found), *(i for contact in self.contacts for i in contact.unknowns))

    def equations(self, context: Context) -> list[Equation]:
        """The scalar equations, with branches taken from the drawing as it is now."""
        return [] if self.is_reference else _WRITERS[self.kind](self, context)


_POSITIVE = ("distance", "length", "radius", "diameter", "offset")


def checked_value(kind: str, value: float) -> float:
    """A finite float, larger than the resolution where the kind asks for it. Raises SketchError."""
    try:
        number = float(value)
    except (TypeError, ValueError) as error:
        raise SketchError(f"{kind} needs a number, got {value!r}") from error
    if not math.isfinite(number):
        raise SketchError(f"{kind} needs a finite number, got {number}")
    if kind in _POSITIVE and not number > RESOLUTION:
        raise SketchError(f"{kind} must be more than {RESOLUTION:g}, got {number:g}")
    return number


class _Written:
    """The equations of a constraint, and the values of variables and dimension they were written for."""

    def __init__(self, read: Callable[[Sequence[float]], object]) -> None:
        self.read = read
        self.state: object = None
        self.equations: list[Equation] = []


class Context:
    """Which points are one and the same, and which points are known to lie on which curve.

    This depends on which constraints there are, not on where anything is drawn.
    """

    def __init__(self, constraints: Iterable[Constraint]) -> None:
        self._same: dict[Point, Point] = {}
        self._shared: dict[tuple[Entity, Entity], Point | None] = {}
        self._written: dict[Constraint, _Written] = {}
        self._on: dict[Entity, list[Point]] = {}
        for constraint in constraints:
            if constraint.kind == "coincident":
                a, b = constraint.entities
                self._join(a, b)
            elif constraint.kind in ("on", "midpoint"):
                point, curve = constraint.entities
                assert isinstance(point, Point)
                self._on.setdefault(curve, []).append(point)

    def _join(self, a: Entity, b: Entity) -> None:
        assert isinstance(a, Point) and isinstance(b, Point)
        one, two = self.same(a), self.same(b)
        if one is not two:
            self._same[one] = two

    def same(self, point: Point) -> Point:
        """The representative of all points tied to `point` by coincidence."""
        while point in self._same:
            point = self._same[point]
        return point

    def on_curve(self, curve: Entity) -> dict[Point, Point]:
        """Points known to lie on `curve`, by representative."""
        ends: Sequence[Point] = ()
        if isinstance(curve, (Line, Arc)):
            ends = (curve.start, curve.end)
        elif isinstance(curve, SplineEntity):
            ends = (curve.start, curve.end) if curve.controlled else curve.through
        return {self.same(p): p for p in (*ends, *self._on.get(curve, ()))}

    def equations(self, constraint: Constraint, values: Sequence[float]) -> list[Equation]:
        """The equations of a constraint; those of the last time where nothing has moved since.

        values : all variables of the sketch, as the entities hold them.
        """
        written = self._written.get(constraint)
        if written is None:
            written = self._written[constraint] = _Written(itemgetter(*constraint.reads(self)))
        state = (written.read(values), constraint.value)
        if written.state != state:
            written.state, written.equations = state, constraint.equations(self)
        return written.equations

    def shared_point(self, one: Entity, two: Entity) -> Point | None:
        """A point known to lie on both curves, if there is one."""
        if (one, two) not in self._shared:
            self._shared[one, two] = self._found_shared(one, two)
        return self._shared[one, two]

    def _found_shared(self, one: Entity, two: Entity) -> Point | None:
        first = self.on_curve(one)
        for representative in self.on_curve(two):
            if representative in first:
                return first[representative]
        return None


# ---------------------------------------------------------------------- helpers


def _pair(a: Point, b: Point) -> tuple[int, int, int, int]:
    return (a.ix, a.iy, b.ix, b.iy)


def _line(line: Line) -> tuple[int, int, int, int]:
    return _pair(line.start, line.end)


def _difference(a: int, b: int, d: float = 0.0) -> Equation:
    return Equation("difference", (a, b), (d,))


def _same_point(a: Point, b: Point) -> list[Equation]:
    return [_difference(a.ix, b.ix), _difference(a.iy, b.iy)]


def _turn(a: Vec2, b: Vec2, c: Vec2, d: Vec2) -> float:
    """Angle from direction AB to direction CD as drawn, radians in (-pi, pi]."""
    u, v = (b[0] - a[0], b[1] - a[1]), (d[0] - c[0], d[1] - c[1])
    return math.atan2(u[0] * v[1] - u[1] * v[0], u[0] * v[0] + u[1] * v[1])


def _direction(
    a: Point, b: Point, c: Point, d: Point, angles: Sequence[float], likely: float | None = None
) -> Equation:
    """Direction CD makes one of `angles` (radians) with AB: the one nearest to the drawing.

    `likely`, where given, is the angle at which a chain runs on smoothly; it is taken unless the
    drawing clearly shows a cusp.
    """
    drawn = _turn(a.position, b.position, c.position, d.position)
    target = min(angles, key=lambda angle: _off(angle, drawn))
    if likely is not None and _off(likely, drawn) < CUSP:
        target = likely
    lengths = (math.dist(a.position, b.position), math.dist(c.position, d.position))
    scale = max(math.sqrt(lengths[0] * lengths[1]), RESOLUTION)
    return Equation("direction", (*_pair(a, b), *_pair(c, d)), (target, scale))


def _off(one: float, two: float) -> float:
    return abs(math.remainder(one - two, math.tau))


def _height(point: Point, line: Line) -> float:
    """Signed distance of `point` to the left of `line`, as drawn."""
    (px, py), (ax, ay), (bx, by) = point.position, line.start.position, line.end.position
    length = math.hypot(bx - ax, by - ay)
    return ((bx - ax) * (py - ay) - (by - ay) * (px - ax)) / length if length else 0.0


def _sided(value: float, drawn: float) -> float:
    """`value` with the sign of what is drawn; a negative value is taken as it is."""
    return -value if value >= 0 and drawn < 0 else value


def _lines(constraint: Constraint) -> tuple[Line, Line]:
    one, two = constraint.entities
    assert isinstance(one, Line) and isinstance(two, Line)
    return one, two


# ---------------------------------------------------------------------- relations


def _coincident(c: Constraint, context: Context) -> list[Equation]:
    a, b = c.entities
    assert isinstance(a, Point) and isinstance(b, Point)
    return _same_point(a, b)


def _ends(c: Constraint) -> tuple[Point, Point]:
    """The two points of a constraint on one line or on two points."""
    points = c.entities[0].points() if len(c.entities) == 1 else c.entities
    a, b = points
    assert isinstance(a, Point) and isinstance(b, Point)
    return a, b


def _horizontal(c: Constraint, context: Context) -> list[Equation]:
    a, b = _ends(c)
    return [_difference(b.iy, a.iy)]


def _vertical(c: Constraint, context: Context) -> list[Equation]:
    a, b = _ends(c)
    return [_difference(b.ix, a.ix)]


def _parallel(c: Constraint, context: Context) -> list[Equation]:
    one, two = _lines(c)
    return [_direction(one.start, one.end, two.start, two.end, (0.0, HALF_TURN))]


def _perpendicular(c: Constraint, context: Context) -> list[Equation]:
    one, two = _lines(c)
    return [_direction(one.start, one.end, two.start, two.end, (QUARTER_TURN, -QUARTER_TURN))]


def _tangent(c: Constraint, context: Context) -> list[Equation]:
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


def _line_joins(line: Line, circle: Round, shared: Point, context: Context) -> Equation:
    """The radius to the common point is perpendicular to the line."""
    angles = (QUARTER_TURN, -QUARTER_TURN)
    smooth = _leaving(line, shared, context) * _leaving(circle, shared, context) * QUARTER_TURN
    return _direction(line.start, line.end, circle.center, shared, angles, smooth or None)


def _line_beside(line: Line, circle: Round) -> Equation:
    side = 1.0 if _height(circle.center, line) >= 0 else -1.0
    center = circle.center
    return Equation("line_circle", (center.ix, center.iy, *_line(line), circle.ir), (side, 0.0))


def _round_joins(one: Round, two: Round, shared: Point, context: Context) -> Equation:
    """Both centers lie on one line through the common point."""
    turns = _leaving(one, shared, context) * _leaving(two, shared, context)
    smooth = {1: HALF_TURN, -1: 0.0}.get(turns)
    return _direction(one.center, shared, two.center, shared, (0.0, HALF_TURN), smooth)


def _round_beside(one: Round, two: Round) -> Equation:
    apart = math.dist(one.center.position, two.center.position)
    r1, r2 = one.radius, two.radius
    branches = {(1.0, 1.0): r1 + r2, (1.0, -1.0): r1 - r2, (-1.0, 1.0): r2 - r1}
    signs = min(branches, key=lambda s: abs(apart - branches[s]))
    return Equation("circle_circle", (*_pair(one.center, two.center), one.ir, two.ir), (*signs, 0.0))


def _freeform_tangent(c: Constraint, shared: Point | None, context: Context) -> list[Equation]:
    """A tangency with an ellipse or a spline: a place on it, and one direction there."""
    rows = []
    for contact in c.contacts:
        touch = contact.touch
        assert touch is not None
        rows += [*_held(contact, touch, shared, context), *contact.slope()]
        if shared is not None:
            rows += _same_point(touch, shared)
    first = c.contacts[0]
    others = [e for e in c.entities if e is not first.curve]
    (other,) = others
    assert first.touch is not None and first.ahead is not None
    along = (first.touch, first.ahead)
    leaving = [_leaving(e, shared, context) if shared else 0 for e in (first.curve, other)]
    if isinstance(other, Round):
        if shared is None:
            rows.append(_on_round(first.touch, other))
        angles = (QUARTER_TURN, -QUARTER_TURN)
        smooth = leaving[0] * leaving[1] * QUARTER_TURN
        return [*rows, _direction(*along, other.center, first.touch, angles, smooth or None)]
    if isinstance(other, Line):
        if shared is None:
            rows.append(_on_line(first.touch, other))
        ends = (other.start, other.end)
    else:
        second = c.contacts[1]
        assert second.touch is not None and second.ahead is not None
        if shared is None:
            rows += _same_point(first.touch, second.touch)
        ends = (second.touch, second.ahead)
    smooth_line = {1: HALF_TURN, -1: 0.0}.get(leaving[0] * leaving[1])
    return [*rows, _direction(*along, *ends, (0.0, HALF_TURN), smooth_line)]


def _held(contact: Contact, touch: Point, shared: Point | None, context: Context) -> list[Equation]:
    """The touching place is on the curve; at an end of the curve its parameter is known."""
    ends = contact.curve.ends()
    if shared is not None and ends is not None:
        for end, share in zip(ends, (0.0, 1.0), strict=True):
            if context.same(end) is context.same(shared):
                return contact.at_parameter(share)
    return contact.place(touch)


def _leaving(curve: Entity, end: Point, context: Context) -> int:
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


def _equal(c: Constraint, context: Context) -> list[Equation]:
    first, *others = c.entities
    if isinstance(first, Line):
        return [
            Equation("equal_length", (*_line(first), *_line(other)))
            for other in others
            if isinstance(other, Line)
        ]
    assert isinstance(first, Round)
    return [_difference(other.ir, first.ir) for other in others if isinstance(other, Round)]


def _concentric(c: Constraint, context: Context) -> list[Equation]:
    a, b = c.entities
    one = a.center if isinstance(a, (Round, EllipseEntity)) else a
    two = b.center if isinstance(b, (Round, EllipseEntity)) else b
    assert isinstance(one, Point) and isinstance(two, Point)
    return _same_point(one, two)


def _collinear(c: Constraint, context: Context) -> list[Equation]:
    one, two = _lines(c)
    first = {context.same(one.start), context.same(one.end)}
    shares = [context.same(p) in first for p in (two.start, two.end)]
    if any(shares):
        return [_direction(one.start, one.end, two.start, two.end, (0.0, HALF_TURN))]
    return [_on_line(two.start, one), _on_line(two.end, one)]


def _midpoint(c: Constraint, context: Context) -> list[Equation]:
    point, curve = c.entities
    assert isinstance(point, Point)
    if isinstance(curve, Arc):
        return _on_at_share(c, point, curve, ("ratio", 0.5))
    assert isinstance(curve, Line)
    return _halfway(point, curve.start, curve.end)


def _halfway(middle: Point, a: Point, b: Point) -> list[Equation]:
    return [Equation("mean", (a.ix, b.ix, middle.ix)), Equation("mean", (a.iy, b.iy, middle.iy))]


def _on_line(point: Point, line: Line, value: float = 0.0) -> Equation:
    return Equation("off_line", (point.ix, point.iy, *_line(line)), (value,))


def _on_round(point: Point, circle: Round) -> Equation:
    center = circle.center
    return Equation("on_circle", (point.ix, point.iy, center.ix, center.iy, circle.ir))


def _on(c: Constraint, context: Context) -> list[Equation]:
    point, curve = c.entities
    assert isinstance(point, Point)
    if c.share is not None:
        return _on_at_share(c, point, curve, c.share)
    if c.contacts:
        return c.contacts[0].place(point)
    if isinstance(curve, Line):
        return [_on_line(point, curve)]
    if isinstance(curve, EllipseEntity):
        around = (*_pair(curve.center, curve.tip), curve.side.ix, curve.side.iy)
        return [Equation("on_ellipse", (point.ix, point.iy, *around))]
    assert isinstance(curve, Round)
    return [_on_round(point, curve)]


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
            *_pair(curve.start, curve.end),
            curve.center.ix,
            curve.center.iy,
            curve.ir,
        )
        sense = -1.0 if curve.clockwise else 1.0
        return [_on_round(point, curve), Equation("arc_share", around, (sense, share))]
    assert isinstance(curve, Circle)
    turn = math.tau * share
    x = (point.ix, curve.center.ix, curve.ir)
    y = (point.iy, curve.center.iy, curve.ir)
    return [Equation("sum", x, (math.cos(turn),)), Equation("sum", y, (math.sin(turn),))]


def _symmetric(c: Constraint, context: Context) -> list[Equation]:
    a, b, about = c.entities
    assert isinstance(about, Line)
    if isinstance(a, Point) and isinstance(b, Point):
        return _mirrored(a, b, about)
    if isinstance(a, Circle) and isinstance(b, Circle):
        return [*_mirrored(a.center, b.center, about), _difference(a.ir, b.ir)]
    if isinstance(a, EllipseEntity) and isinstance(b, EllipseEntity):
        rows = [*_mirrored(a.center, b.center, about), *_mirrored(a.tip, b.tip, about)]
        return [*rows, Equation("equal_length", (*_pair(a.center, a.side), *_pair(b.center, b.side)))]
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
    across = Equation("across_line", (*_pair(a, b), *_line(about)))
    return [Equation("middle_on_line", (*_pair(a, b), *_line(about))), across]


def _mirror_gap(a: Point, b: Point, about: Line) -> float:
    """Distance from the mirror image of `a` to `b`, as drawn."""
    (sx, sy), (ex, ey) = about.start.position, about.end.position
    length = math.hypot(ex - sx, ey - sy) or 1.0
    nx, ny = -(ey - sy) / length, (ex - sx) / length
    h = (a.x - sx) * nx + (a.y - sy) * ny
    return math.dist((a.x - 2 * h * nx, a.y - 2 * h * ny), b.position)


def _fix(c: Constraint, context: Context) -> list[Equation]:
    points = [p for e in c.entities for p in e.points()]
    rows = []
    for point, (x, y) in zip(points, c.fixed_at, strict=True):
        rows += [Equation("value", (point.ix,), (x,)), Equation("value", (point.iy,), (y,))]
    first = c.entities[0]
    if isinstance(first, Circle):
        rows.append(Equation("value", (first.ir,), (c.fixed_radius,)))
    if isinstance(first, Arc):  # the last end can only run along its circle: one coordinate holds it
        center, _, end = c.fixed_at
        steep = abs(end[1] - center[1]) >= abs(end[0] - center[0])
        return [*rows[:4], rows[4 if steep else 5]]
    return rows


# ---------------------------------------------------------------------- dimensions


def _distance(c: Constraint, context: Context) -> list[Equation]:
    a, b = c.entities
    value = c.value or 0.0
    if isinstance(a, Point) and isinstance(b, Point):
        return [Equation("distance", _pair(a, b), (value,))]
    if isinstance(a, Line) and isinstance(b, Line):
        return [_on_line(b.start, a, _sided(value, _height(b.start, a)))]
    if isinstance(a, Round) or isinstance(b, Round):
        return [_gap(*((a, b) if isinstance(a, Round) else (b, a)), value)]
    point, line = (a, b) if isinstance(a, Point) else (b, a)
    assert isinstance(point, Point) and isinstance(line, Line)
    return [_on_line(point, line, _sided(value, _height(point, line)))]


def _gap(circle: Entity, other: Entity, value: float) -> Equation:
    """The clear distance from a circle to a point, a line or another circle, outside or inside as drawn."""
    assert isinstance(circle, Round)
    center = circle.center
    if isinstance(other, Line):
        side = 1.0 if _height(center, other) >= 0 else -1.0
        crossing = (center.ix, center.iy, *_line(other), circle.ir)
        return Equation("line_circle", crossing, (side, side * value))
    if isinstance(other, Point):
        outside = math.dist(center.position, other.position) >= circle.radius
        between = (*_pair(center, other), circle.ir, circle.ir)
        return Equation("circle_circle", between, (1.0, 0.0, value if outside else -value))
    assert isinstance(other, Round)
    apart, r1, r2 = math.dist(center.position, other.center.position), circle.radius, other.radius
    between = (*_pair(center, other.center), circle.ir, other.ir)
    if apart >= max(r1, r2):
        return Equation("circle_circle", between, (1.0, 1.0, value))
    signs = (1.0, -1.0) if r1 >= r2 else (-1.0, 1.0)
    return Equation("circle_circle", between, (*signs, -value))


def _distance_x(c: Constraint, context: Context) -> list[Equation]:
    a, b = _ends(c)
    return [_difference(b.ix, a.ix, _sided(c.value or 0.0, b.x - a.x))]


def _distance_y(c: Constraint, context: Context) -> list[Equation]:
    a, b = _ends(c)
    return [_difference(b.iy, a.iy, _sided(c.value or 0.0, b.y - a.y))]


def _length(c: Constraint, context: Context) -> list[Equation]:
    curve, value = c.entities[0], c.value or 0.0
    if isinstance(curve, Arc):
        points = (*_pair(curve.start, curve.end), curve.center.ix, curve.center.iy, curve.ir)
        return [Equation("arc_length", points, (-1.0 if curve.clockwise else 1.0, value))]
    assert isinstance(curve, Line)
    return [Equation("distance", _line(curve), (value,))]


def _radius(c: Constraint, context: Context) -> list[Equation]:
    circle = c.entities[0]
    assert isinstance(circle, Round)
    value = c.value or 0.0
    return [Equation("value", (circle.ir,), (value if c.kind == "radius" else 0.5 * value,))]


def _angle(c: Constraint, context: Context) -> list[Equation]:
    one, two = _lines(c)
    a, b, d, e = one.start, one.end, two.start, two.end
    if context.same(b) in (context.same(d), context.same(e)):
        a, b = b, a
    if context.same(a) is context.same(e):
        d, e = e, d
    drawn = _turn(a.position, b.position, d.position, e.position)
    return [_direction(a, b, d, e, (math.radians(_sided(c.value or 0.0, drawn)),))]


def _shape(c: Constraint, context: Context) -> list[Equation]:
    """What makes an arc an arc: both ends lie on its circle."""
    arc = c.entities[0]
    assert isinstance(arc, Arc)
    return [_on_round(arc.start, arc), _on_round(arc.end, arc)]


def _between(c: Constraint, context: Context) -> list[Equation]:
    """A point halfway between two others."""
    middle, a, b = c.entities
    assert isinstance(middle, Point) and isinstance(a, Point) and isinstance(b, Point)
    return _halfway(middle, a, b)


def _square(c: Constraint, context: Context) -> list[Equation]:
    """The half axes of an ellipse are perpendicular, turning as drawn."""
    center, tip, side = c.entities
    assert isinstance(center, Point) and isinstance(tip, Point) and isinstance(side, Point)
    return [_direction(center, tip, center, side, (QUARTER_TURN, -QUARTER_TURN))]


def _repeated(c: Constraint, context: Context) -> list[Equation]:
    """A point that is another one moved by a fixed shift, or turned about a third."""
    original, copy, *about = c.entities
    assert isinstance(original, Point) and isinstance(copy, Point)
    if not about:
        (dx, dy) = c.shift
        return [_difference(copy.ix, original.ix, dx), _difference(copy.iy, original.iy, dy)]
    (center,) = about
    assert isinstance(center, Point)
    cos, sin = math.cos(c.turn), math.sin(c.turn)
    x = (copy.ix, original.ix, original.iy, center.ix, center.iy)
    y = (copy.iy, original.iy, original.ix, center.iy, center.ix)
    return [Equation("turned", x, (cos, -sin)), Equation("turned", y, (cos, sin))]


def _beside(c: Constraint, context: Context) -> list[Equation]:
    """A point beside a line, or an arc about the center of another, at the distance a gauge holds."""
    own, source, gauge = c.entities
    assert isinstance(gauge, Circle)
    if isinstance(own, Point) and isinstance(source, Line):
        side = 1.0 if _height(own, source) >= 0 else -1.0
        return [Equation("line_circle", (own.ix, own.iy, *_line(source), gauge.ir), (side, 0.0))]
    assert isinstance(own, Round) and isinstance(source, Round)
    side = 1.0 if own.radius >= source.radius else -1.0
    return [Equation("sum", (own.ir, source.ir, gauge.ir), (side,))]


def _abreast(c: Constraint, context: Context) -> list[Equation]:
    """A point straight aside of an end of a line, or on the ray from an arc's center through its end."""
    point, end, source = c.entities
    assert isinstance(point, Point) and isinstance(end, Point)
    if isinstance(source, Line):
        return [_direction(source.start, source.end, end, point, (QUARTER_TURN, -QUARTER_TURN))]
    assert isinstance(source, Round)
    return [_direction(source.center, end, source.center, point, (0.0,))]


def _offset(c: Constraint, context: Context) -> list[Equation]:
    gauge = c.entities[0]
    assert isinstance(gauge, Circle)
    return [Equation("value", (gauge.ir,), (c.value or 0.0,))]


Writer: TypeAlias = Callable[[Constraint, Context], list[Equation]]

_WRITERS: dict[str, Writer] = {
    "coincident": _coincident,
    "horizontal": _horizontal,
    "vertical": _vertical,
    "parallel": _parallel,
    "perpendicular": _perpendicular,
    "tangent": _tangent,
    "equal": _equal,
    "concentric": _concentric,
    "collinear": _collinear,
    "midpoint": _midpoint,
    "on": _on,
    "symmetric": _symmetric,
    "fix": _fix,
    "distance": _distance,
    "distance_x": _distance_x,
    "distance_y": _distance_y,
    "length": _length,
    "radius": _radius,
    "diameter": _radius,
    "angle": _angle,
    "shape": _shape,
    "between": _between,
    "repeated": _repeated,
    "square": _square,
    "beside": _beside,
    "offset": _offset,
    "abreast": _abreast,
}
