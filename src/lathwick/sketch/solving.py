"""Solving: a drawing with constraints is made exact, and told what it allows."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from types import MappingProxyType

import numpy as np

from ..errors import SketchError
from ..geometry.tolerance import RESOLUTION
from .constraints import Constraint
from .diagnosis import (
    Motion,
    Rank,
    SketchReport,
    direction_of,
    independent_rows,
    smallest_conflict,
)
from .entities import Point, Round
from .equations import Equation, FloatArray
from .joints import Follower, followers
from .measuring import DIMENSIONS, measured
from .missing import missing
from .relations import Relations
from .solver import Solution, solve_equations
from .system import IntArray, System
from .writing import Context


class Solving(Relations):
    """A constrained drawing with its solver and diagnosis."""

    _extents: tuple[int, IntArray, IntArray] | None = None
    _last: tuple[list[Constraint], Context] | None = None
    _following: Mapping[Point, Follower] = MappingProxyType({})

    def solve(self) -> SketchReport:
        """Move the drawing as little as possible so that every constraint holds, and diagnose it.

        On a conflict the drawing stays as it was, and the report names the smallest set of
        constraints that cannot hold together.
        """
        self._find_followers()
        following = list(self._following.values())
        sides = [joint.side for joint in following]
        active = self._active(self._constraints)
        equations, owners = self._equations(active)
        system = System(equations, len(self.variables.values))
        solution = self._solution(equations, system)
        drawn = list(self.variables.values)
        if not solution.converged:
            return self._conflict(system, owners, solution)
        self.variables.values[:] = solution.values.tolist()
        for joint, side in zip(following, sides, strict=True):
            place = joint.place(side)
            if place is None:
                self.variables.values[:] = drawn
                return self._parted(joint)
            self.variables.values[joint.point.ix], self.variables.values[joint.point.iy] = place
        return self._report(system, owners, solution)

    def _find_followers(self) -> None:
        """Find the joints that only follow their curves; they are no unknowns of the sketch."""
        if not self._own_joints:
            self._following = MappingProxyType({})
            return
        found = followers(self._own_joints.values(), self._shapes, self._constraints, self.entities)
        self._following = {joint.point: joint for joint in found}
        for point in self._own_joints.values():
            follows = point in self._following
            self.variables.constant[point.ix] = self.variables.constant[point.iy] = follows

    def _parted(self, joint: Follower) -> SketchReport:
        """The report on curves that do not meet any more where they were trimmed."""
        why = f"{joint.one.name} and {joint.two.name} do not meet any more where they were trimmed"
        last = max(self._constraints, key=lambda c: max(c.serial, c.changed), default=None)
        if last is not None:
            why += f"; {last.told} was the last change"
        names = (last.name,) if last is not None else ("shapes of the entities",)
        return SketchReport(0, (), names, math.inf, conflict=why)

    def _active(self, constraints: Iterable[Constraint]) -> list[Constraint]:
        """The shapes of the entities and the given constraints, in the order they were made."""
        shapes = self._shapes
        if self._following:
            shapes = [c for c in shapes if c.entities[0] not in self._following]
        return sorted([*shapes, *constraints], key=lambda c: c.serial)

    @property
    def extent(self) -> float:
        """Size of the drawing: the diagonal of the box around its points and circles."""
        if not self.entities:
            return 1.0
        values = np.array(self.variables.values)
        points, rounds = self._places()
        (x, y), reach = values[points].T, np.zeros(len(points))
        reach[: len(rounds)] = values[rounds]
        low, high = ((x - reach).min(), (y - reach).min()), ((x + reach).max(), (y + reach).max())
        return math.dist(low, high) or 1.0

    def _places(self) -> tuple[IntArray, IntArray]:
        """Variables of all points, the centers of circles first, and of the radii of those."""
        if self._extents is None or self._extents[0] != len(self.entities):
            circles = [e for e in self.entities if isinstance(e, Round)]
            points = [e.center for e in circles] + [p for e in self.entities for p in e.points()]
            where = np.array([(p.ix, p.iy) for p in points], dtype=np.intp)
            radii = np.array([e.ir for e in circles], dtype=np.intp)
            self._extents = (len(self.entities), where, radii)
        return self._extents[1:]

    def _scale(self) -> float:
        """The larger of what is drawn and what is dimensioned; a rough drawing may be far too small."""
        lengths = [abs(c.value) for c in self._constraints if c.value and c.kind != "angle"]
        return max([self.extent, *lengths])

    def _equations(self, active: Sequence[Constraint]) -> tuple[list[Equation], list[Constraint]]:
        context = self._context(active)
        equations, owners = [], []
        for constraint in active:
            rows = context.equations(constraint, self.variables.values)
            equations += rows
            owners += [constraint] * len(rows)
        return equations, owners

    def _context(self, active: Sequence[Constraint]) -> Context:
        """The context of the constraints; that of the last solve is used again for the same ones."""
        if self._last is None or self._last[0] != active:
            self._last = (list(active), Context(active))
        return self._last[1]

    def _solution(self, equations: Sequence[Equation], system: System) -> Solution:
        """The solved values; a solution in which an entity has shrunk to nothing counts as none."""
        drawn = np.array(self.variables.values)
        solution = solve_equations(equations, system, drawn, self.variables.constant, self._scale())
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
        return self._solution(equations, System(equations, len(self.variables.values))).converged

    def _conflict(self, system: System, owners: Sequence[Constraint], solution: Solution) -> SketchReport:
        drawn = np.array(self.variables.values)
        culprits = self._culprits(owners, solution)
        names = tuple(c.name for c in culprits)
        freedom = len(self._movable()) - self._rank(system, drawn).rank
        residual = float(np.abs(system.residuals(drawn)).max())
        why = self._told(culprits) if culprits else ""
        return SketchReport(freedom, (), names or ("shapes of the entities",), residual, conflict=why)

    def _told(self, culprits: Sequence[Constraint]) -> str:
        """The constraints of a conflict with their values, and what the last change would have to be."""
        last = max(culprits, key=lambda c: max(c.serial, c.changed))
        *first, end = [c.told for c in culprits]
        text = f"{', '.join(first)} and {end} cannot hold together" if first else f"{end} cannot hold"
        how = "was given last" if last.before is None else f"was {last.before:.9g} before"
        would = self._measured_without(last) if last.kind in DIMENSIONS else None
        return f"{text}; {last.name} {how}" + (f", {would:.9g} would do" if would else "")

    def _measured_without(self, dimension: Constraint) -> float | None:
        """What a dimension measures when all others hold; None if they do not, or leave it free."""
        others = [c for c in self._constraints if c is not dimension]
        equations, _ = self._equations(self._active(others))
        system = System(equations, len(self.variables.values))
        solution = self._solution(equations, system)
        if not solution.converged:
            return None
        drawn = list(self.variables.values)
        self.variables.values[:] = solution.values.tolist()
        try:
            return measured(dimension.kind, dimension.entities)
        finally:
            self.variables.values[:] = drawn

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

    def _report(self, system: System, owners: Sequence[Constraint], solution: Solution) -> SketchReport:
        rank = self._rank(system, solution.values)
        repeats = _repeats(owners, rank)
        return SketchReport(
            freedom=len(self._movable()) - rank.rank,
            redundant=tuple(repeats),
            conflicting=(),
            max_residual=solution.residual,
            free=self._free(rank),
            repeats=tuple(repeats.items()),
            motions=self._motions(rank),
            missing=missing(self._names.values(), self.entities, rank.motion) if rank.motion else (),
            near_singular=tuple(dict.fromkeys(owners[i].name for i in rank.weak)),
        )

    def _movable(self) -> list[int]:
        return [i for i, constant in enumerate(self.variables.constant) if not constant]

    def _rank(self, system: System, values: FloatArray) -> Rank:
        """Rank of the derivatives by the variables that may move."""
        constant = self.variables.constant
        rows = system.sparse_rows(values)
        fixed = {i for i, is_constant in enumerate(constant) if is_constant}
        for row in rows:
            for c in fixed & row.keys():
                del row[c]
        movable = self._movable()
        rank = independent_rows(rows, movable)
        return rank.without(self._unseen(), len(movable)) if rank.motion else rank

    def _unseen(self) -> set[int]:
        """The variables of ends that are trimmed away and of which nothing is asked: where they are changes
        nothing of what is drawn, so that they are no freedom of the sketch."""
        trimmed = [e for e in self.entities if e.spans is not None]
        ends = {p for e in trimmed for p in e.ends() or ()}
        ends -= {p for e in self.entities for span in e.spans or () for p in span}
        ends -= {e for c in (*self._constraints, *self._shapes) for e in c.entities}
        ends -= {p for e in self.entities if e.spans is None and not isinstance(e, Point) for p in e.points()}
        owners = [p for e in trimmed for p in e.points()]
        return {i for p in ends if owners.count(p) == 1 for i in (p.ix, p.iy)}

    def _free(self, rank: Rank) -> tuple[str, ...]:
        moving = rank.motion.keys()
        if not moving:
            return ()
        free = {e for e in self.entities if not moving.isdisjoint(e.own_variables())}
        for joint in self._following.values():
            if joint.one in free or joint.two in free:
                free.add(joint.point)
        return tuple(e.name for e in self.entities if e in free)

    def _motions(self, rank: Rank) -> tuple[Motion, ...]:
        if not rank.motion:
            return ()
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
            raise SketchError(f'sketch "{self.name}": {report}')
        return report


def _repeats(owners: Sequence[Constraint], rank: Rank) -> dict[str, tuple[str, ...]]:
    """The constraints all of whose equations follow from others, each with those others.

    A constraint of which only a part is said already (a symmetry of two points that are level
    anyway) still holds something, and is not listed. Where a constraint brings unknowns of its own,
    as many of its equations only find those.
    """
    dependent = dict(rank.dependent)
    if not dependent:
        return {}
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
