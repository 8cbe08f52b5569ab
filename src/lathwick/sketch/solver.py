"""Damped Gauss-Newton with minimal change from the drawn position.

Each connected component is solved by itself. The step is the shortest one that satisfies the
linearised equations, found from the dual normal equations (J J^T + m I) y = -r, dx = J^T y; the
damping m grows only when a step fails to reduce the residual (Levenberg-Marquardt; see Nocedal &
Wright, Numerical Optimization, ch. 10). Steps are limited, so that a drawing keeps its branch.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from .equations import LINEAR, Equation, FloatArray
from .system import Contradiction, Elimination, Folding, IntArray, System

Jacobian = Any
"""A dense array or a sparse matrix, shape (rows, unknowns)."""

ROUNDS = 120
RELATIVE_TOLERANCE = 1e-11
SATISFIED = 1e-13
ROUNDING = 4e-16
SPARSE_FROM = 150
REGULAR = 1e-13
"""Share of the largest diagonal entry that keeps repeated equations from making the step undefined."""
LONGEST_STEP = 0.5
RESTARTS = (0.02, 0.1, 0.3)
SEED = 20


@dataclass(frozen=True, slots=True)
class Solution:
    """Values of all variables, and whether they satisfy the equations (`residual` is the largest).

    suspects : where they do not, the equations (by index) among which the contradiction lies.
    """

    values: FloatArray
    converged: bool
    residual: float
    suspects: tuple[int, ...] = ()


def solve_equations(
    equations: Sequence[Equation], system: System, drawn: FloatArray, constant: Sequence[bool], size: float
) -> Solution:
    """Move `drawn` (all variables) as little as possible so that `equations` hold.

    `system` is that of the same equations. `size` is the extent of the drawing: residuals up to 1e-11
    of it count as zero. An attempt that sticks is tried again from a few disturbed starts before the
    answer is "not converged".
    """
    tolerance = RELATIVE_TOLERANCE * size
    elimination = Elimination(len(drawn), tolerance)
    for i, is_constant in enumerate(constant):
        if is_constant:
            elimination.fix(i, float(drawn[i]))
    try:
        numbers = elimination.absorb(equations)
    except Contradiction as contradiction:
        tied = _tied_to(elimination, equations, contradiction.variable)
        return Solution(drawn, False, float("inf"), tied)
    rest = [equations[i] for i in numbers]
    folding = elimination.fold()
    unknowns = folding.start(drawn)
    off = np.abs(system.residuals(folding.expand(unknowns)))[numbers]
    for part in _components(rest, folding):
        if off[part.rows].max() <= SATISFIED * size:
            continue
        attempt = _solve_part(part, unknowns, folding, size)
        if not attempt.converged:
            suspects = _suspects(part, attempt, numbers, equations, folding)
            return Solution(drawn, False, attempt.residual, suspects)
        unknowns[part.columns] = attempt.values
    values = folding.expand(unknowns)
    residual = _largest(system.residuals(values)) if equations else 0.0
    return Solution(values, residual <= 10 * tolerance, residual)


def _tied_to(elimination: Elimination, equations: Sequence[Equation], variable: int) -> tuple[int, ...]:
    """The linear equations among variables that are tied to `variable`."""
    root, _ = elimination.find(variable)
    linear = [i for i, e in enumerate(equations) if e.form in LINEAR]
    return tuple(i for i in linear if elimination.find(equations[i].variables[0])[0] == root)


def _suspects(
    part: _Part, stuck: _Attempt, numbers: Sequence[int], equations: Sequence[Equation], folding: Folding
) -> tuple[int, ...]:
    """Equations that stay unsatisfied where a component is stuck, and the linear ones among its variables."""
    off = np.abs(stuck.residuals)
    rows = [numbers[row] for row, size in zip(part.rows, off, strict=True) if size > 1e-4 * off.max()]
    own = {v for e in part.equations for v in e.variables}
    places = set(folding.where[sorted(own)].tolist())
    tied = {i for i, place in enumerate(folding.where.tolist()) if place in places}
    linear = [i for i, e in enumerate(equations) if e.form in LINEAR and not tied.isdisjoint(e.variables)]
    return tuple(sorted({*rows, *linear}))


@dataclass(frozen=True, slots=True)
class _Attempt:
    """Unknowns of a component as an attempt left them, and the residuals there."""

    values: FloatArray
    residuals: FloatArray
    converged: bool

    @property
    def residual(self) -> float:
        return _largest(self.residuals)


@dataclass(frozen=True, slots=True)
class _Part:
    """A connected component: its equations, their rows in the whole, and the unknowns it moves."""

    equations: list[Equation]
    rows: list[int]
    columns: IntArray


def _components(equations: Sequence[Equation], folding: Folding) -> list[_Part]:
    parent = list(range(folding.count))

    def root(i: int) -> int:
        while parent[i] != i:
            parent[i] = parent[parent[i]]
            i = parent[i]
        return i

    where = folding.where.tolist()
    touched = []
    for equation in equations:
        unknowns = {where[v] for v in equation.variables} - {folding.count}
        touched.append(unknowns)
        first = -1
        for unknown in unknowns:
            r = root(unknown)
            if first < 0:
                first = r
            elif r != first:
                parent[r] = first
    groups: dict[int, list[int]] = {}
    for row, unknowns in enumerate(touched):
        groups.setdefault(root(min(unknowns)) if unknowns else -1, []).append(row)
    parts = []
    for rows in groups.values():
        columns = sorted(set().union(*(touched[row] for row in rows)))
        parts.append(_Part([equations[row] for row in rows], rows, np.array(columns, dtype=np.intp)))
    return parts


class _Reduced:
    """The equations of one component as a function of its own unknowns."""

    def __init__(self, part: _Part, folding: Folding) -> None:
        variables = sorted({v for e in part.equations for v in e.variables})
        local = {v: k for k, v in enumerate(variables)}
        equations = [
            Equation(e.form, tuple(local[v] for v in e.variables), e.parameters) for e in part.equations
        ]
        self._system = System(equations, len(variables))
        column = np.full(folding.count + 1, len(part.columns), dtype=np.intp)
        column[part.columns] = np.arange(len(part.columns))
        self._where = column[folding.where[variables]]
        self._offset = folding.offset[variables]
        self._count = len(part.columns)
        self._is_large = len(equations) > SPARSE_FROM

    def values(self, unknowns: FloatArray) -> FloatArray:
        return np.append(unknowns, 0.0)[self._where] + self._offset

    def evaluate(self, unknowns: FloatArray) -> tuple[FloatArray, Jacobian]:
        """Residuals and derivatives by the unknowns; sparse when there are many."""
        residual, (rows, variables, values) = self._system.evaluate_sparse(self.values(unknowns))
        columns = self._where[variables]
        shape = (len(residual), self._count + 1)
        if self._is_large:
            from scipy.sparse import coo_array

            return residual, coo_array((values, (rows, columns)), shape).tocsr()[:, :-1]
        flat = np.bincount(rows * shape[1] + columns, values, shape[0] * shape[1])
        return residual, flat.reshape(shape)[:, :-1]


def _solve_part(part: _Part, unknowns: FloatArray, folding: Folding, size: float) -> _Attempt:
    """Solved unknowns of one component; where none are found, the place where it is stuck."""
    reduced = _Reduced(part, folding)
    start = unknowns[part.columns]
    first = _iterate(reduced, start, size)
    if first.converged:
        return first
    random = np.random.default_rng(SEED)
    found = []
    for share in RESTARTS:
        disturbed = start + share * size * random.uniform(-1.0, 1.0, len(start))
        attempt = _iterate(reduced, disturbed, size)
        if attempt.converged:
            found.append(attempt)
    return min(found, key=lambda a: float(np.abs(a.values - start).max()), default=first)


def _largest(residual: FloatArray) -> float:
    return float(np.abs(residual).max()) if residual.size else 0.0


def _iterate(reduced: _Reduced, start: FloatArray, size: float) -> _Attempt:
    """Damped Gauss-Newton from `start`.

    A step is taken if it reduces the sum of squares, or halves the largest residual: when a long
    chain turns, every link is off by a little of second order, and the sum alone would forbid it.
    """
    x = start.copy()
    residual, jacobian = reduced.evaluate(x)
    square, worst = float(residual @ residual), _largest(residual)
    damping = 0.0
    for _ in range(ROUNDS):
        if worst <= ROUNDING * size or not x.size:
            break
        step = _step(jacobian, residual, damping)
        longest = float(np.abs(step).max())
        if longest > LONGEST_STEP * size:
            step *= LONGEST_STEP * size / longest
        trial, slopes = reduced.evaluate(x + step)
        new_square, new_worst = float(trial @ trial), _largest(trial)
        if new_square < square or new_worst < 0.5 * worst:
            settled = new_square > 0.81 * square and worst <= 1e-14 * size
            x, square, worst, residual = x + step, new_square, new_worst, trial
            if settled:
                break
            jacobian = slopes
            damping = damping / 10 if damping > 1e-12 else 0.0
        elif worst <= 1e-13 * size or longest <= 1e-15 * size or damping > 1e8:
            break
        else:
            damping = max(10 * damping, 1e-6)
    return _Attempt(x, residual, worst <= RELATIVE_TOLERANCE * size)


def _step(jacobian: Jacobian, residual: FloatArray, damping: float) -> FloatArray:
    """The shortest step to the solution of the damped linearised equations."""
    if isinstance(jacobian, np.ndarray):
        gram = jacobian @ jacobian.T
        diagonal = np.einsum("ii->i", gram)
        diagonal += (damping + REGULAR) * max(float(diagonal.max()), 1e-30)
        return -(jacobian.T @ np.linalg.solve(gram, residual))
    from scipy.sparse import csc_array, identity
    from scipy.sparse.linalg import splu

    gram = (jacobian @ jacobian.T).tocsc()
    shift = (damping + REGULAR) * max(float(gram.diagonal().max()), 1e-30)
    damped = csc_array(gram + shift * csc_array(identity(gram.shape[0])))
    shape, narrow = damped.shape, (damped.indices.astype(np.intc), damped.indptr.astype(np.intc))
    factor = splu(
        csc_array((damped.data, *narrow), shape=shape),  # SciPy before 1.12 takes no others
        permc_spec="MMD_AT_PLUS_A",
        diag_pivot_thresh=0.0,
        options={"SymmetricMode": True},
    )
    return -(jacobian.T @ factor.solve(residual))
