"""Taking entities out of a sketch, with what hangs on them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from ..errors import SketchError
from .constraints import Constraint
from .copying import Copying
from .entities import Entity, Group, Point, Polyline
from .trimming import spot_of


class Removing(Copying):
    """A drawing from which entities can be taken away."""

    def remove(
        self, thing: Entity | Polyline | Group, *, near: Iterable[float] | None = None
    ) -> tuple[str, ...]:
        """Take an entity, a polyline or a figure out of the sketch, with the points that it alone has and the
        constraints and dimensions on them.

        near : takes away only the piece of a divided curve that lies nearest to this place; all constraints
            stay.

        Returns the names of what went with it. Raises SketchError for the origin and the axes, for what is
        not in the sketch any more, and for a point that is an end of a curve.
        """
        if near is not None:
            return self._remove_piece(thing, near)
        parts = list(thing) if isinstance(thing, (Polyline, Group)) else [thing]
        for part in parts:
            self._must_stand(part)
        rest = [e for e in self.entities if not any(e is part for part in parts)]
        own = self._own_points(parts, rest)
        gone = {id(e) for e in (*parts, *own)}
        lost = self._drop_constraints(gone)
        kept = [e for e in rest if id(e) not in gone]
        self._hold([*parts, *own, *self._left_alone(lost, kept)], kept)
        self.entities[:] = kept
        told = [e.name for e in rest if id(e) in gone] + [c.name for c in lost if not c.is_internal]
        return tuple(dict.fromkeys(told))

    def _own_points(self, parts: Sequence[Entity], rest: Sequence[Entity]) -> list[Point]:
        """The points of parts that nothing else has. Raises SketchError if a part is a point of the rest."""
        used = {id(p): e for e in rest for p in self._points_of(e)}
        for part in parts:
            if id(part) in used:
                raise SketchError(f"{part.name} is a point of {used[id(part)].name}; remove that first")
        points = [p for part in parts for p in self._points_of(part)]
        return [p for p in points if id(p) not in used and not _is_given(self, p)]

    def _left_alone(self, lost: Sequence[Constraint], kept: Sequence[Entity]) -> list[Point]:
        """Points, as the center of a rectangle, of which only lost constraints knew."""
        known = {id(e) for c in (*self._constraints, *self._shapes) for e in c.entities}
        known |= {id(e) for one in kept for e in (one, *self._points_of(one))}
        found = [e for c in lost for e in c.entities if isinstance(e, Point) and id(e) not in known]
        return [p for p in found if not _is_given(self, p)]

    def _must_stand(self, part: Entity) -> None:
        if not isinstance(part, Entity):
            raise SketchError(f"remove takes an entity, a polyline or a figure, got {part!r}")
        if not any(e is part for e in self.entities):
            why = "it is given" if _is_given(self, part) else "it is removed already, or of another sketch"
            raise SketchError(f"{part.name} cannot be removed: {why}")

    def _remove_piece(self, curve: object, near: Iterable[float]) -> tuple[str, ...]:
        if not isinstance(curve, Entity):
            raise SketchError(f"near takes away a piece of one curve, not of {curve!r}")
        self._must_stand(curve)
        self.settle()
        chosen, _ = self._nearest_piece(curve, spot_of(near))
        spans = self._spans(curve)
        if len(spans) < 2:
            raise SketchError(f"{curve.name} is in one piece; remove it whole, or split it first")
        curve.spans = [span for span in spans if span != chosen]
        return ()


def _is_given(drawing: Copying, entity: Entity) -> bool:
    """Whether an entity is the origin or an axis, or an end of one."""
    axes = (drawing.origin, drawing.x_axis, drawing.y_axis)
    return any(entity is one or any(entity is p for p in one.points()) for one in axes)
