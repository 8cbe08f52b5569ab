"""Relations that a rough drawing seems to mean. Proposed on request, and applied only when accepted."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from itertools import combinations

from ..errors import SketchError
from .constraints import Constraint
from .entities import Arc, Entity, Line, Point, Round
from .projecting import Projecting
from .writing import Context

DEFAULT_ANGLE = 6.0


@dataclass(frozen=True, slots=True)
class Proposal:
    """A relation that nearly holds: its kind, the entities, and how far off the drawing is (a length,
    or degrees for directions)."""

    kind: str
    entities: tuple[Entity, ...]
    off: float

    def __str__(self) -> str:
        return f"{self.kind}({', '.join(e.name for e in self.entities)}), off by {self.off:.3g}"


class Inference(Projecting):
    """A sketch that can say what a rough drawing seems to mean."""

    def infer(self, tolerance: float, angle: float = DEFAULT_ANGLE) -> tuple[Proposal, ...]:
        """Relations that hold within `tolerance` (length unit) or `angle` (degrees), the surest kinds first.

        Coincident ends, horizontal and vertical lines, smooth joins, equal radii and lengths. Nothing
        is changed; pass those you want to `accept`.
        """
        if not (math.isfinite(tolerance) and tolerance > 0 and 0 < angle < 45):
            raise SketchError(
                f"infer needs a tolerance above 0 and an angle of 0 to 45, got {tolerance}, {angle}"
            )
        context = Context([*self._shapes, *self._constraints])
        curves = [e for e in self.entities if isinstance(e, (Line, Round))]
        return tuple(
            proposal
            for search in (_coincidences, _levels, _joins, _equals)
            for proposal in sorted(search(curves, context, tolerance, angle), key=lambda p: p.off)
        )

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
    curves: Sequence[Entity], context: Context, tolerance: float, angle: float
) -> Iterator[Proposal]:
    points = list(dict.fromkeys(p for curve in curves for p in _ends(curve)))
    for a, b in combinations(points, 2):
        gap = math.dist(a.position, b.position)
        if gap <= tolerance and context.same(a) is not context.same(b) and not _of_one_curve(a, b, curves):
            yield Proposal("coincident", (a, b), gap)


def _of_one_curve(a: Point, b: Point, curves: Sequence[Entity]) -> bool:
    return any({a, b} <= set(_ends(curve)) for curve in curves)


def _levels(curves: Sequence[Entity], context: Context, tolerance: float, angle: float) -> Iterator[Proposal]:
    for line in curves:
        if isinstance(line, Line):
            lean = math.degrees(math.atan2(line.end.y - line.start.y, line.end.x - line.start.x))
            flat, steep = abs(math.remainder(lean, 180.0)), abs(math.remainder(lean - 90.0, 180.0))
            if min(flat, steep) <= angle:
                yield Proposal("horizontal" if flat < steep else "vertical", (line,), min(flat, steep))


def _joins(curves: Sequence[Entity], context: Context, tolerance: float, angle: float) -> Iterator[Proposal]:
    """Curves whose ends meet, or nearly, and which run on in nearly the same direction."""
    for one, two in combinations(curves, 2):
        if isinstance(one, Line) and isinstance(two, Line):
            continue
        for a in _ends(one):
            for b in _ends(two):
                if math.dist(a.position, b.position) <= tolerance:
                    turn = abs(math.remainder(_leaving(one, a) - _leaving(two, b) - math.pi, math.tau))
                    if math.degrees(turn) <= angle:
                        yield Proposal("tangent", (one, two), math.degrees(turn))


def _leaving(curve: Entity, end: Point) -> float:
    """Direction (radians) in which a line or an arc leaves one of its ends."""
    if isinstance(curve, Line):
        other = curve.end if end is curve.start else curve.start
        return math.atan2(other.y - end.y, other.x - end.x)
    assert isinstance(curve, Arc)
    out = math.atan2(end.y - curve.center.y, end.x - curve.center.x)
    forward = (end is curve.start) is not curve.clockwise
    return out + (math.pi / 2 if forward else -math.pi / 2)


def _equals(curves: Sequence[Entity], context: Context, tolerance: float, angle: float) -> Iterator[Proposal]:
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
                yield Proposal("equal", (like, curve), abs(_size(like) - size))


def _size(curve: Entity) -> float:
    return curve.radius if isinstance(curve, Round) else curve.length if isinstance(curve, Line) else 0.0
