"""Constraints and dimensions: what relates entities, and which points and curves are tied together."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import TypeAlias

from ..errors import SketchError
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec2
from .contacts import Contact
from .entities import Arc, Entity, Line, Point, Round, SplineEntity
from .measuring import DIMENSIONS, measured, no_reader

Reader: TypeAlias = Callable[[str, str], float]
"""Turns the text of a dimension, and its kind, into a number (a length, or degrees)."""


class Constraint:
    """One constraint or dimension of a sketch. `value` is None for a pure relation.

    A dimension given without a value is a reference: its `value` is measured, and drives nothing.
    `formula` is the text that a dimension was given by, None for a number.

    `fixed_at` and `fixed_radii` remember where the entities were drawn; that is what `fix` holds.
    `serial` counts the constraints of a sketch in the order they were made, in one row with the changes of
    their values: `changed` is the last one, `before` the value that it replaced. Both count by `ticks`.
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
        self.ticks: Iterator[int] = iter(())
        self.changed = 0
        self.before: float | None = None
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
        self.fixed_radii = tuple(e.radius if isinstance(e, Round) else 0.0 for e in entities)

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
        before, self._value = self._value, self._read(value)
        self.changed, self.before = next(self.ticks, 0), before

    def _read(self, value: float | str) -> float:
        """A number as it is, a text by the reader; both checked. Keeps the text."""
        number = self._reader(value, self.kind) if isinstance(value, str) else value
        checked = checked_value(self.kind, number)
        self.formula = value if isinstance(value, str) else None
        return checked

    @property
    def told(self) -> str:
        """The name, and the value of a dimension: "width = 30"."""
        return self.name if self._value is None else f"{self.name} = {self._value:.9g}"

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

    def reads(self, context: Ties) -> tuple[int, ...]:
        """The variables on whose values the equations depend."""
        found = {i for e in self.entities for i in e.own_variables()}
        if len(self.entities) >= 2:
            shared = context.shared_point(self.entities[0], self.entities[1])
            found.update((shared.ix, shared.iy) if shared else ())
        return (*sorted(found), *(i for contact in self.contacts for i in contact.unknowns))


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


class Ties:
    """Which points are one and the same, and which points are known to lie on which curve.

    This depends on which constraints there are, not on where anything is drawn.
    """

    def __init__(self, constraints: Iterable[Constraint]) -> None:
        self._same: dict[Point, Point] = {}
        self._shared: dict[tuple[Entity, Entity], Point | None] = {}
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
