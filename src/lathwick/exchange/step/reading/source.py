"""What the entities of a STEP file share while they are read: numbers, points, directions, placements."""

from __future__ import annotations

import math
from collections.abc import Callable, Container, Mapping
from functools import cached_property
from typing import Any, TypeVar

from ....errors import ExchangeError
from ....geometry.placement import Plane
from ....geometry.vector import Vec3, cross, norm, unit
from .text import Enum, Record, Ref, StepText, Typed

T = TypeVar("T")
MOST_WRAPPED = 20

FARTHEST = 1e9
"""No coordinate or radius is larger than this, in the unit that is read into."""


class Source:
    """A file and the units that it is read in: lengths times `length`, angles times `angle`."""

    def __init__(self, text: StepText, length: float, angle: float) -> None:
        self.text, self.length, self.angle = text, length, angle

    @cached_property
    def made(self) -> dict[tuple[str, int], Any]:
        """What was made of instances before."""
        return {}

    @cached_property
    def _begun(self) -> set[tuple[str, int]]:
        """What is being made."""
        return set()

    @cached_property
    def reach(self) -> float:
        """No point of the file lies farther from the origin; in the unit that is read into."""
        points = (self.point(number) for number in self.text.named("CARTESIAN_POINT"))
        return max((norm(point) for point in points), default=0.0)

    def once(self, sort: str, number: int, make: Callable[[], T]) -> T:
        """What is made of an instance, the first time."""
        key = sort, number
        if key not in self.made:
            if key in self._begun:
                raise ExchangeError(f"#{number}: a {sort} that is made of itself")
            self._begun.add(key)
            try:
                self.made[key] = make()
            finally:
                self._begun.remove(key)
        found: T = self.made[key]
        return found

    def by_kind(
        self, number: int, passed: Container[str], kinds: Mapping[str, Callable[[Source, int], T]], what: str
    ) -> T:
        """What the rule of its kind makes of an instance; entities in `passed` only wrap another one, their
        second value. Raises ExchangeError for a kind without a rule, and wrappings without end."""
        here = self.unwrapped(number, passed, what)
        names = self.names(here)
        rule = next((kinds[name] for name in names if name in kinds), None)
        if rule is None:
            raise ExchangeError(f"#{here}: a {what} of the kind {'+'.join(names)} cannot be read")
        return rule(self, here)

    def unwrapped(self, number: int, passed: Container[str], what: str) -> int:
        """The entity itself under those in `passed`. Raises ExchangeError for wrappings without end."""
        here = number
        for _ in range(MOST_WRAPPED):
            wrapped = next((name for name in self.names(here) if name in passed), None)
            if wrapped is None:
                return here
            here = self.ref(self.values(here, wrapped, 2)[1], here, f"a {what}")
        raise ExchangeError(f"#{number}: a {what} in others without end")

    def names(self, number: int) -> list[str]:
        """The names of all parts of an instance."""
        return [record.name for record in self.text.records(number)]

    # ------------------------------------------------------------------ values

    def values(self, number: int, name: str, least: int) -> list[Any]:
        """The values of a part of an instance, at least so many. Raises ExchangeError."""
        found = self.text.part(number, name)
        if found is None:
            raise ExchangeError(f"#{number}: expected {name}, got {self.text.kind(number)}")
        if len(found) < least:
            raise ExchangeError(f"#{number}: {name} has {len(found)} values, not {least}")
        return found

    def ref(self, value: Any, number: int, what: str) -> int:
        """A reference in an instance."""
        if not isinstance(value, Ref):
            raise ExchangeError(f"#{number}: {what} is {_shown(value)}, not a reference")
        return int(value)

    def refs(self, value: Any, number: int, what: str) -> list[int]:
        """References in an instance."""
        if not isinstance(value, list):
            raise ExchangeError(f"#{number}: {what} is {_shown(value)}, not a list")
        return [self.ref(item, number, what) for item in value]

    def number(self, value: Any, number: int, what: str) -> float:
        """A finite number in an instance."""
        if isinstance(value, Typed) and len(value.values) == 1:
            value = value.values[0]
        if isinstance(value, bool) or not isinstance(value, (int, float)) or isinstance(value, Ref):
            raise ExchangeError(f"#{number}: {what} is {_shown(value)}, not a number")
        if not math.isfinite(value):
            raise ExchangeError(f"#{number}: {what} is {value}, too large")
        return float(value)

    def size(self, value: Any, number: int, what: str) -> float:
        """A length more than nought, in the unit that is read into."""
        found = self.number(value, number, what) * self.length
        if found <= 0.0:
            raise ExchangeError(f"#{number}: {what} is {found:g}, not more than 0")
        if found > FARTHEST:
            raise ExchangeError(f"#{number}: {what} is {found:g}, more than {FARTHEST:g}")
        return found

    def flag(self, value: Any, number: int, what: str) -> bool:
        """.T. or .F."""
        if not isinstance(value, Enum) or value not in ("T", "F"):
            raise ExchangeError(f"#{number}: {what} is {_shown(value)}, not .T. or .F.")
        return value == "T"

    # ------------------------------------------------------------------ places

    def point(self, number: int) -> Vec3:
        return self.once("point", number, lambda: self._point(number))

    def _point(self, number: int) -> Vec3:
        _, coordinates, *_ = self.values(number, "CARTESIAN_POINT", 2)
        x, y, z = self._three(coordinates, number)
        far = max(abs(x), abs(y), abs(z)) * self.length
        if far > FARTHEST:
            raise ExchangeError(f"#{number}: a coordinate of {far:.6g} is more than {FARTHEST:g}")
        return (x * self.length, y * self.length, z * self.length)

    def direction(self, number: int) -> Vec3:
        """A unit vector. Raises ExchangeError for one of no length."""
        _, ratios, *_ = self.values(number, "DIRECTION", 2)
        x, y, z = self._three(ratios, number)
        if norm((x, y, z)) == 0.0:
            raise ExchangeError(f"#{number}: a direction of no length")
        return unit((x, y, z))

    def _three(self, values: Any, number: int) -> Vec3:
        if not isinstance(values, list) or not 1 <= len(values) <= 3:
            raise ExchangeError(f"#{number}: expected three numbers, got {_shown(values)}")
        found = [self.number(value, number, "a coordinate") for value in values]
        x, y, z = [*found, 0.0, 0.0][:3]
        return (x, y, z)

    def placement(self, number: int) -> Plane:
        """An AXIS2_PLACEMENT_3D as a plane."""
        return self.once("placement", number, lambda: self._placement(number))

    def _placement(self, number: int) -> Plane:
        _, origin, *ways = self.values(number, "AXIS2_PLACEMENT_3D", 2)
        axis, side = [*ways, None, None][:2]
        normal = self.direction(int(axis)) if isinstance(axis, Ref) else (0.0, 0.0, 1.0)
        x = self.direction(int(side)) if isinstance(side, Ref) else None
        if x is not None and norm(cross(normal, x)) < 1e-9:
            x = None
        if x is None and abs(normal[0]) < 0.9:
            x = (1.0, 0.0, 0.0)
        return Plane(self.point(self.ref(origin, number, "a location")), normal, x)

    def axis(self, number: int) -> tuple[Vec3, Vec3]:
        """An AXIS1_PLACEMENT: a point and a direction."""
        _, origin, *ways = self.values(number, "AXIS1_PLACEMENT", 2)
        way = self.direction(int(ways[0])) if ways and isinstance(ways[0], Ref) else (0.0, 0.0, 1.0)
        return self.point(self.ref(origin, number, "a location")), way

    def name(self, number: int) -> str:
        """The label of an instance, "" if it has none."""
        record: Record = self.text.record(number)
        return record.values[0] if record.values and isinstance(record.values[0], str) else ""


def _shown(value: Any) -> str:
    text = repr(value)
    return text if len(text) < 60 else text[:57] + "..."
