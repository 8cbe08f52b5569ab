"""Solving: a drawing with constraints is made exact, and told what it allows."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence

import numpy as np

from ..errors import SketchError
from ..geometry.tolerance import RESOLUTION
from .constraints import Constraint, Context
from .diagnosis import (
    Motion,
    Rank,
    SketchReport,
    direction_of,
    independent_rows,
    smallest_conflict,
)
from .entities import Round
from .equations import Equation, FloatArray
from .relations import Relations
from .solver import Solution, solve_equations
from .system import System


class Solving(Relations):
    """A constrained drawing with its solver and diagnosis."""

    def solve(self) -> SketchReport:
        """Move the drawing as little as possible so that every constraint holds, and diagnose it.

        On a conflict the drawing stays as it was, and the report names the smallest set of
        constraints that cannot hold together.
        """
        active = self._active(self._constraints)
        equations, owners = self._equations(active)
        solution = self._solution(equations)
        if not solution.converged:
            return self._conflict(equations, owners, solution)
        self.variables.values[:] = solution.values.tolist()
        return self._report(equations, owners, solution)

    def _active(self, constraints: Iterable[Constraint]) -> list[Constraint]:
        """The shapes of the entities and the given constraints, in the order they were made."""
        return sorted([*self._shapes, *constraints], key=lambda c: c.serial)

    @property
    def extent(self) -> float:
        """Size of the drawing: the diagonal of the box around its points and circles."""
        reach = [(p.x, p.y, 0.0) for e in self.entities for p in e.points()]
        reach += [(e.center.x, e.center.y, e.radius) for e in self.entities if isinstance(e, Round)]
        if not reach:
            return 1.0
        low = (min(x - r for x, _, r in reach), min(y - r for _, y, r in reach))
        high = (max(x + r for x, _, r in reach), max(y + r for _, y, r in reach))
        return math.dist(low, high) or 1.0

    def _scale(self) -> float:
        """The larger of what is drawn and what is dimensioned; a rough drawing may be far too small."""
        lengths = [abs(c.value) for c in self._constraints if c.value and c.kind != "angle"]
        return max([self.extent, *lengths])

    def _equations(self, active: Sequence[Constraint]) -> tuple[list[Equation], list[Constraint]]:
        context = Context(active, self.extent)
        equations, owners = [], []
        for constraint in active:
            rows = constraint.equations(context)
            equations += rows
            owners += [constraint] * len(rows)
        return equations, owners

    def _solution(self, equations: Sequence[Equation]) -> Solution:
        """The solved values; a solution in which an entity has shrunk to nothing counts as none."""
        drawn = np.array(self.variables.values)
        solution = solve_equations(equations, drawn, self.variables.constant, self._scale())
        if solution.converged and self._has_left_its_shape(solution.values):
            return Solution(drawn, False, solution.residual)
        return solution

    def _has_left_its_shape(self, values: FloatArray) -> bool:
        """Whether a line has no length, a circle no radius, or a place on a spline is past its end."""
        for contact in (contact for c in (*self._shapes, *self._constraints) for contact in c.contacts):
            if not contact.is_within_at(float(values[contact.sliding])):
                return True
        pairs = [e.ends() for e in self.entities]
        ends = [(a.ix, a.iy, b.ix, b.iy) for pair in pairs if pair for a, b in [pair]]
        radii = [e.ir for e in self.entities if isinstance(e, Round)]
        if radii and not values[radii].min() > RESOLUTION:
            return True
        if not ends:
            return False
        x0, y0, x1, y1 = values[np.array(ends)].T
        return not float(np.hypot(x1 - x0, y1 - y0).min()) > RESOLUTION

    def _holds(self, constraints: Iterable[Constraint]) -> bool:
        equations, _ = self._equations(self._active(constraints))
        return self._solution(equations).converged

    def _conflict(
        self, equations: Sequence[Equation], owners: Sequence[Constraint], solution: Solution
    ) -> SketchReport:
        drawn = np.array(self.variables.values)
        names = tuple(c.name for c in self._culprits(owners, solution))
        freedom = len(self._movable()) - self._rank(equations, drawn).rank
        residual = float(np.abs(System(equations, len(drawn)).residuals(drawn)).max())
        return SketchReport(freedom, (), names or ("shapes of the entities",), residual)

    def _culprits(self, owners: Sequence[Constraint], solution: Solution) -> list[Constraint]:
        """The smallest set that cannot hold together, looked for among the suspects first."""
        if not self._holds(()):
            return []
        suspected = {id(owners[i]) for i in solution.suspects}
        suspects = [c for c in self._constraints if id(c) in suspected]
        if not suspects or self._holds(suspects):
            suspects = list(self._constraints)
        found = {id(c) for c in smallest_conflict(suspects, self._holds)}
        return [c for c in self._constraints if id(c) in found]

    def _report(
        self, equations: Sequence[Equation], owners: Sequence[Constraint], solution: Solution
    ) -> SketchReport:
        rank = self._rank(equations, solution.values)
        repeats = _repeats(owners, rank)
        return SketchReport(
            freedom=len(self._movable()) - rank.rank,
            redundant=tuple(repeats),
            conflicting=(),
            max_residual=solution.residual,
            free=self._free(rank),
            repeats=tuple(repeats.items()),
            motions=self._motions(rank),
            near_singular=tuple(dict.fromkeys(owners[i].name for i in rank.weak)),
        )

    def _movable(self) -> list[int]:
        return [i for i, constant in enumerate(self.variables.constant) if not constant]

    def _rank(self, equations: Sequence[Equation], values: FloatArray) -> Rank:
        """Rank of the derivatives by the variables that may move."""
        constant = self.variables.constant
        rows = System(equations, len(values)).sparse_rows(values)
        return independent_rows(
            [{c: v for c, v in row.items() if not constant[c]} for row in rows], self._movable()
        )

    def _free(self, rank: Rank) -> tuple[str, ...]:
        moving = rank.motion.keys()
        return tuple(e.name for e in self.entities if not moving.isdisjoint(e.own_variables()))

    def _motions(self, rank: Rank) -> tuple[Motion, ...]:
        points = dict.fromkeys(p for e in self.entities for p in e.points())
        found = []
        for p in points:
            x, y = rank.motion.get(p.ix, {}), rank.motion.get(p.iy, {})
            if x or y:
                found.append(Motion(p.name, p.position, direction_of(x, y)))
        return tuple(found)

    def settle(self) -> SketchReport | None:
        """Solve if there is anything to solve. Raises SketchError naming the constraints in conflict."""
        if not self._shapes and not self._constraints:
            return None
        report = self.solve()
        if report.conflicting:
            names = ", ".join(report.conflicting)
            raise SketchError(f'sketch "{self.name}": these cannot hold together: {names}; remove one')
        return report


def _repeats(owners: Sequence[Constraint], rank: Rank) -> dict[str, tuple[str, ...]]:
    """The constraints all of whose equations follow from others, each with those others.

    A constraint of which only a part is said already (a symmetry of two points that are level
    anyway) still holds something, and is not listed. Where a constraint brings unknowns of its own,
    as many of its equations only find those.
    """
    dependent = dict(rank.dependent)
    rows: dict[int, list[int]] = {}
    for row, owner in enumerate(owners):
        rows.setdefault(id(owner), []).append(row)
    repeats = {}
    for group in rows.values():
        owner = owners[group[0]]
        own = sum(len(contact.unknowns) for contact in owner.contacts)
        repeated = [row for row in group if row in dependent]
        if not owner.is_internal and len(repeated) >= len(group) - own and repeated:
            sources = (owners[i] for row in repeated for i in dependent[row])
            repeats[owner.name] = tuple(dict.fromkeys(s.name for s in sources if s is not owner))
    return repeats
