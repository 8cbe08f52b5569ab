"""The equations that constraints stand for, written once for every drawing."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from operator import itemgetter
from typing import TypeAlias

from .constraints import Constraint, Ties
from .dimension_equations import DRIVEN
from .equations import Equation
from .relation_equations import RELATIONS
from .shape_equations import SHAPES

Writer: TypeAlias = Callable[[Constraint, Ties], list[Equation]]

WRITERS: dict[str, Writer] = {**RELATIONS, **DRIVEN, **SHAPES}


class _Written:
    """The equations of a constraint, and the values of variables and dimension they were written for."""

    def __init__(self, read: Callable[[Sequence[float]], object]) -> None:
        self.read = read
        self.state: object = None
        self.equations: list[Equation] = []


class Context(Ties):
    """The ties between entities, and the equations of constraints as last written."""

    def __init__(self, constraints: Iterable[Constraint]) -> None:
        super().__init__(constraints)
        self._written: dict[Constraint, _Written] = {}

    def equations(self, constraint: Constraint, values: Sequence[float]) -> list[Equation]:
        """The equations of a constraint; those of the last time where nothing has moved since.

        values : all variables of the sketch, as the entities hold them.
        """
        written = self._written.get(constraint)
        if written is None:
            written = self._written[constraint] = _Written(itemgetter(*constraint.reads(self)))
        state = (written.read(values), constraint.value)
        if written.state != state:
            written.state, written.equations = state, self._equations(constraint)
        return written.equations

    def _equations(self, constraint: Constraint) -> list[Equation]:
        """The scalar equations, with branches taken from the drawing as it is now."""
        return [] if constraint.is_reference else WRITERS[constraint.kind](constraint, self)
