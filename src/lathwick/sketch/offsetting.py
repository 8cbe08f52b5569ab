"""Offsets of chains as new, constrained entities."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable, Sequence
from itertools import pairwise

from ..errors import SketchError
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec2
from .chains import Moved, joined_in_order, offset_chains
from .constraints import Constraint
from .copying import Things, flattened
from .entities import Arc, Circle, Entity, Group, Line, Point, Span
from .pieces import ArcPiece, LinePiece, Piece, pieces_along
from .removing import Removing


class OffsetChain(Group):
    """Lines and arcs at a distance from a chain; `distance` is the dimension that drives them."""

    def __init__(self, name: str, parts: tuple[Entity, ...], distance: Constraint) -> None:
        self.name = name
        self._parts = parts
        self.distance = distance

    @property
    def parts(self) -> tuple[Entity, ...]:
        """The new curves."""
        return self._parts

    def __repr__(self) -> str:
        return f"<offset {self.name}, {len(self.parts)} curves>"


class Offsetting(Removing):
    """A drawing whose chains can be offset."""

    def offset(
        self, chain: Things, distance: float | str, *, construction: bool = False, name: str | None = None
    ) -> tuple[OffsetChain, ...]:
        """Lines and arcs at a distance from a chain of them, corners that open closed by exact arcs.

        Rounds and bevels at the corners of the given curves belong to the chain.
        A positive distance goes outwards from a closed chain, and to the left of an open one (in the
        sense of its first curve); a negative one to the other side. Inwards a chain may split; each
        chain that comes out is returned, with the dimension `chain.distance` that drives it. Raises
        SketchError if nothing is left, or for ellipses, splines and text.
        """
        self.settle()
        amount = self._amount(distance)
        label = self._named("offset", name)
        entities = self._with_rounds([e for e in flattened(chain) if not isinstance(e, Point)])
        sources = _Sources(entities)
        left = -math.copysign(amount, sources.turn * amount) if sources.is_closed else amount
        if sources.is_closed and amount < 0:
            left = math.copysign(amount, sources.turn)
        chains = offset_chains(sources.pieces, sources.is_closed, left)
        if not chains:
            names = ", ".join(e.name for e in entities)
            raise SketchError(f"nothing is left of {names} offset by {amount:g}")
        made = []
        for k, moved in enumerate(chains, 1):
            own = label if len(chains) == 1 else f"{label}.{k}"
            made.append(self._drawn(moved, sources, distance, abs(amount), own, construction))
        return tuple(made)

    def _with_rounds(self, given: Sequence[Entity]) -> list[Entity]:
        """The given curves, and the rounds and bevels that join them where their corners were."""
        counts = Counter(p for e in given for span in spans_of(e) for p in span)
        loose = {p for p, count in counts.items() if count == 1}
        others = [e for e in self.entities if e not in given and e.kind in ("line", "arc")]
        joints = [e for e in others if all(p in loose for span in spans_of(e) for p in span)]
        return [*given, *joints]

    def _amount(self, distance: float | str) -> float:
        try:
            amount = self.reader(distance, "offset") if isinstance(distance, str) else float(distance)
        except (TypeError, ValueError) as error:
            raise SketchError(f"offset needs a number, got {distance!r}") from error
        if not (math.isfinite(amount) and abs(amount) > RESOLUTION):
            raise SketchError(f"offset needs a distance of more than {RESOLUTION:g}, got {amount:g}")
        return amount

    def _drawn(
        self,
        moved: Sequence[Moved],
        sources: _Sources,
        distance: float | str,
        size: float,
        label: str,
        construction: bool,
    ) -> OffsetChain:
        """One chain as entities, tied to what it runs beside."""
        anchor = sources.entities[0].points()[0]
        gauge = Circle(self.variables, f"{label}.distance", anchor, size, True)
        points = self._joints(moved, label, construction)
        made: list[Entity] = []
        for k, (part, (a, b)) in enumerate(zip(moved, points, strict=True), 1):
            made.append(self._beside(part, a, b, sources, gauge, f"{label}.{k}", construction))
        count = len(made)
        closed = count > 1 and points[0][0] is points[-1][1]
        joints = [*pairwise(range(count)), (count - 1, 0)] if closed else list(pairwise(range(count)))
        smooth: set[int] = set()
        for i, j in joints:
            if _is_smooth(moved[i].piece, moved[j].piece):
                smooth |= {i, j}
                self._shape("tangent", made[i], made[j], label=label)
        for i, (part, line) in enumerate(zip(moved, made, strict=True)):
            source = sources.entities[part.source]
            if isinstance(line, Line) and isinstance(source, Line):
                self._shape("parallel", source, line, label=label)
                if i not in smooth:
                    self._shape("beside", line.start, source, gauge, label=label)
        if not closed:
            self._end_abreast(made[0], moved[0], 0, sources, label)
            self._end_abreast(made[-1], moved[-1], 1, sources, label)
        driving = Constraint(
            "offset", (gauge, made[0]), abs(size), label, self._constraints, reader=self._positive_reader
        )
        driving.formula = distance if isinstance(distance, str) else None
        driving.serial = next(self._serial)
        self._constraints.append(driving)
        result = OffsetChain(label, tuple(made), driving)
        self._names[label] = result
        return result

    def _end_abreast(self, made: Entity, part: Moved, which: int, sources: _Sources, label: str) -> None:
        """The loose end of an open offset stays level with the end of what it runs beside."""
        ends = made.ends()
        if ends is None or part.is_corner:
            return
        piece, source_end = sources.pieces[part.source], sources.ends[part.source][which]
        place = (piece.start, piece.end)[which]
        (x, y), (ux, uy) = ends[which].position, _way(piece, float(which))
        if abs((x - place[0]) * ux + (y - place[1]) * uy) <= RESOLUTION * math.hypot(ux, uy):
            self._shape("abreast", ends[which], source_end, sources.entities[part.source], label=label)

    def _positive_reader(self, text: str, kind: str) -> float:
        return abs(self.reader(text, kind))

    def _joints(self, moved: Sequence[Moved], label: str, construction: bool) -> list[Span]:
        """The end points of every piece, shared with its neighbours; a full circle has none of its own."""
        if moved[0].piece.is_closed:
            return [(self.origin, self.origin)]
        ends: list[Span] = []
        first = Point(self.variables, f"{label}.point1", moved[0].piece.start, construction)
        here = first
        for k, part in enumerate(moved, 2):
            last = k == len(moved) + 1
            back = math.dist(part.piece.end, first.position) <= 2 * RESOLUTION
            there = (
                first
                if last and back and len(moved) > 1
                else Point(self.variables, f"{label}.point{k}", part.piece.end, construction)
            )
            ends.append((here, there))
            here = there
        return ends

    def _beside(
        self,
        part: Moved,
        a: Point,
        b: Point,
        sources: _Sources,
        gauge: Circle,
        name: str,
        construction: bool,
    ) -> Entity:
        """The entity for one piece, with what ties its center and radius."""
        piece = part.piece
        made: Entity
        if isinstance(piece, LinePiece):
            made = Line(self.variables, name, a, b, construction)
        else:
            assert isinstance(piece, ArcPiece)
            source = sources.entities[part.source]
            if part.is_corner:
                center = sources.ends[part.source][1]
            else:
                assert isinstance(source, (Arc, Circle))
                center = source.center
            if piece.is_closed:
                made = Circle(self.variables, name, center, piece.radius, construction)
            else:
                made = Arc(self.variables, name, center, a, b, piece.sweep < 0, construction)
                self._shape("shape", made, label=name)
            if part.is_corner:
                self._shape("equal", gauge, made, label=name)
            else:
                self._shape("beside", made, source, gauge, label=name)
        self._keep(made)
        return made


class _Sources:
    """A chain as it is drawn: pieces end to end, their entities and end points."""

    def __init__(self, entities: Sequence[Entity]) -> None:
        spans = [(e, span) for e in entities for span in spans_of(e)]
        pieces = [piece for e in entities for piece in pieces_along(e)]
        if not pieces:
            raise SketchError("an offset takes lines and arcs, got none")
        for entity in entities:
            if not isinstance(entity, (Line, Arc, Circle)):
                raise SketchError(f"{entity.name} is no line or arc; only those can be offset")
        order = joined_in_order(pieces)
        self.pieces: list[Piece] = [pieces[i].reversed() if back else pieces[i] for i, back in order]
        self.entities = [spans[i][0] for i, _ in order]
        self.ends: list[Span] = []
        for i, back in order:
            a, b = spans[i][1]
            self.ends.append((b, a) if back else (a, b))
        first, last = self.pieces[0], self.pieces[-1]
        self.is_closed = first.is_closed or (
            len(order) > 1 and math.dist(first.start, last.end) <= 2 * RESOLUTION
        )

    @property
    def turn(self) -> float:
        """Signed area of a closed chain: positive when it runs counter-clockwise."""
        origin: Vec2 = self.pieces[0].start
        return math.fsum(piece.moments(origin)[0] for piece in self.pieces)


def spans_of(entity: Entity) -> Iterable[Span]:
    """The parts of an entity by their end points; a full circle has its center for both."""
    if entity.spans is not None:
        return entity.spans
    ends = entity.ends()
    if ends is not None:
        return [ends]
    return [(entity.points()[0], entity.points()[0])]


def _is_smooth(one: Piece, two: Piece) -> bool:
    """Whether a line and an arc, or two arcs, run into each other without a corner."""
    if isinstance(one, LinePiece) and isinstance(two, LinePiece):
        return False
    ways = [_way(one, 1.0), _way(two, 0.0)]
    (ux, uy), (vx, vy) = ways
    return abs(math.atan2(ux * vy - uy * vx, ux * vx + uy * vy)) < 1e-6


def _way(piece: Piece, share: float) -> Vec2:
    if isinstance(piece, LinePiece):
        return (piece.end[0] - piece.start[0], piece.end[1] - piece.start[1])
    assert isinstance(piece, ArcPiece)
    t = piece.angle + share * piece.sweep
    return (-piece.sweep * math.sin(t), piece.sweep * math.cos(t))
