"""Relations that a rough drawing seems to mean. Proposed on request, and applied only when accepted."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from functools import partial
from itertools import combinations

from ..errors import SketchError
from .constraints import Constraint
from .entities import Arc, Entity, Line, Point, Round
from .measuring import off_line
from .projecting import Projecting
from .writing import Context

DEFAULT_ANGLE = 6.0

Found = tuple[str, tuple[Entity, ...], float]
"""A kind of relation, what it relates, and how far off it is."""


@dataclass(frozen=True, slots=True)
class Proposal:
    """A relation that nearly holds: its kind, the entities, and how far off the drawing is, in `unit`: that
    of lengths, or degrees for directions."""

    kind: str
    entities: tuple[Entity, ...]
    off: float
    unit: str

    def __str__(self) -> str:
        return f"{self.kind}({', '.join(e.name for e in self.entities)}), off by {self.off:.3g} {self.unit}"


class Inference(Projecting):
    """A sketch that can say what a rough drawing seems to mean."""

    def infer(self, tolerance: float, angle: float = DEFAULT_ANGLE) -> tuple[Proposal, ...]:
        """Relations that hold within `tolerance`, a length in the sketch's unit, or `angle`, in degrees; the
        surest kinds first.

        Ends and centers at each other or at the origin, horizontal and vertical lines, smooth joins, curves
        that nearly touch, equal radii and lengths. Nothing is changed; pass those you want to `accept`.
        """
        self._checked_tolerance(tolerance, angle)
        return self._proposals(self.entities, tolerance, angle)

    def _checked_tolerance(self, tolerance: float, angle: float) -> None:
        if not (math.isfinite(tolerance) and tolerance > 0 and 0 < angle < 45):
            raise SketchError(
                f"infer needs a tolerance above 0 {self.unit} and an angle of 0 to 45 degrees, "
                f"got {tolerance:g} {self.unit} and {angle:g} degrees"
            )

    def _proposals(self, entities: Sequence[Entity], tolerance: float, angle: float) -> tuple[Proposal, ...]:
        context = Context([*self._shapes, *self._constraints])
        curves = [e for e in entities if isinstance(e, (Line, Round))]
        found = []
        for search in (partial(_coincidences, self.origin), _levels, _joins, _touches, _equals):
            proposals = search(curves, context, tolerance, angle)
            for kind, related, off in sorted(proposals, key=lambda p: p[2]):
                if any(c.kind == kind and set(c.entities) == set(related) for c in self._constraints):
                    continue
                unit = "degrees" if search in (_levels, _joins) else self.unit
                found.append(Proposal(kind, related, off, unit))
        return tuple(found)

    @contextmanager
    def drawing(self, infer: float, angle: float = DEFAULT_ANGLE) -> Iterator[None]:
        """Accepts, at the end of a `with` block, what the curves drawn in it seem to mean, as while drawing
        by hand: `with sk.drawing(infer=0.5): ...`. Tolerances are those of `infer`.

        Ends that meet, older ones and the origin included, level lines, smooth joins and curves that touch;
        equal sizes are left to `infer` and `accept`.
        """
        self._checked_tolerance(infer, angle)
        before = len(self.entities)
        yield
        new = {id(e) for e in self.entities[before:]}
        offered = self._proposals(self.entities, infer, angle)
        points = {id(p) for e in self.entities[before:] for p in e.points()} | new
        meant = [p for p in offered if p.kind != "equal" and any(id(e) in points for e in p.entities)]
        self.accept(meant)

    def accept(self, proposals: Iterable[Proposal]) -> tuple[Constraint, ...]:
        """Apply proposals in order; returns the constraints made.

        One that contradicts what holds already, or only repeats it, is left out.
        """
        made = []
        for proposal in proposals:
            verb: Callable[..., Constraint] = getattr(self, proposal.kind)
            constraint = verb(*proposal.entities)
            report = self.solve()
            if report.conflicting or constraint.name in report.redundant:
                constraint.remove()
            else:
                made.append(constraint)
        self.solve()
        return tuple(made)


def _ends(curve: Entity) -> tuple[Point, ...]:
    return curve.ends() or ()


def _coincidences(
    origin: Point, curves: Sequence[Entity], context: Context, tolerance: float, angle: float
) -> Iterator[Found]:
    points = list(dict.fromkeys(p for curve in curves for p in _ends(curve)))
    centers = [curve.center for curve in curves if isinstance(curve, Round)]
    for a, b in [*combinations(points, 2), *((p, origin) for p in dict.fromkeys([*points, *centers]))]:
        gap = math.dist(a.position, b.position)
        if gap <= tolerance and context.same(a) is not context.same(b) and not _of_one_curve(a, b, curves):
            yield ("coincident", (a, b), gap)


def _of_one_curve(a: Point, b: Point, curves: Sequence[Entity]) -> bool:
    return any({a, b} <= set(_ends(curve)) for curve in curves)


def _levels(curves: Sequence[Entity], context: Context, tolerance: float, angle: float) -> Iterator[Found]:
    for line in curves:
        if isinstance(line, Line):
            lean = math.degrees(math.atan2(line.end.y - line.start.y, line.end.x - line.start.x))
            flat, steep = abs(math.remainder(lean, 180.0)), abs(math.remainder(lean - 90.0, 180.0))
            if min(flat, steep) <= angle:
                yield ("horizontal" if flat < steep else "vertical", (line,), min(flat, steep))


def _joins(curves: Sequence[Entity], context: Context, tolerance: float, angle: float) -> Iterator[Found]:
    """Curves whose ends meet, or nearly, and which run on in nearly the same direction."""
    for one, two in combinations(curves, 2):
        if isinstance(one, Line) and isinstance(two, Line):
            continue
        for a in _ends(one):
            for b in _ends(two):
                if math.dist(a.position, b.position) <= tolerance:
                    turn = abs(math.remainder(_leaving(one, a) - _leaving(two, b) - math.pi, math.tau))
                    if math.degrees(turn) <= angle:
                        yield ("tangent", (one, two), math.degrees(turn))


def _touches(curves: Sequence[Entity], context: Context, tolerance: float, angle: float) -> Iterator[Found]:
    """Lines and circles that do not join but nearly touch."""
    for one, two in combinations(curves, 2):
        if isinstance(two, Line):
            one, two = two, one
        joined = context.shared_point(one, two) is not None or _do_meet(one, two, tolerance)
        if joined or isinstance(two, Line):
            continue
        assert isinstance(two, Round)
        if isinstance(one, Line):
            gap, reaches = abs(off_line(two.center.position, one) - two.radius), _reaches(one, two, tolerance)
        else:
            assert isinstance(one, Round)
            apart = math.dist(one.center.position, two.center.position)
            gap = min(abs(apart - one.radius - two.radius), abs(apart - abs(one.radius - two.radius)))
            reaches = apart > tolerance
        if reaches and gap <= tolerance:
            yield ("tangent", (one, two), gap)


def _do_meet(one: Entity, two: Entity, tolerance: float) -> bool:
    """Whether two curves nearly share an end, where they join or make a corner."""
    return any(math.dist(a.position, b.position) <= tolerance for a in _ends(one) for b in _ends(two))


def _reaches(line: Line, circle: Round, tolerance: float) -> bool:
    """Whether the foot of the circle's center is on the line."""
    (ax, ay), (bx, by), (x, y) = line.start.position, line.end.position, circle.center.position
    along = ((x - ax) * (bx - ax) + (y - ay) * (by - ay)) / line.length
    return -tolerance <= along <= line.length + tolerance


def _leaving(curve: Entity, end: Point) -> float:
    """Direction (radians) in which a line or an arc leaves one of its ends."""
    if isinstance(curve, Line):
        other = curve.end if end is curve.start else curve.start
        return math.atan2(other.y - end.y, other.x - end.x)
    assert isinstance(curve, Arc)
    out = math.atan2(end.y - curve.center.y, end.x - curve.center.x)
    forward = (end is curve.start) is not curve.clockwise
    return out + (math.pi / 2 if forward else -math.pi / 2)


def _equals(curves: Sequence[Entity], context: Context, tolerance: float, angle: float) -> Iterator[Found]:
    """Each circle or line with the first one of its size."""
    for sort in (Round, Line):
        seen: list[Entity] = []
        for curve in curves:
            if not isinstance(curve, sort):
                continue
            size = _size(curve)
            like = next((e for e in seen if abs(_size(e) - size) <= tolerance), None)
            if like is None:
                seen.append(curve)
            else:
                yield ("equal", (like, curve), abs(_size(like) - size))


def _size(curve: Entity) -> float:
    return curve.radius if isinstance(curve, Round) else curve.length if isinstance(curve, Line) else 0.0
