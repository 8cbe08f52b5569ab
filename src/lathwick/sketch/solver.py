"""Damped Gauss-Newton with minimal change from the drawn position.

Each connected component is solved by itself. The step is the shortest one that satisfies the
linearised equations, found from the dual normal equations (J J^T + m I) y = -r, dx = J^T y; the
damping m grows only when a step fails to reduce the residual (Levenberg-Marquardt; see Nocedal &
Wright, Numerical Optimization, ch. 10). Steps are limited, so that a drawing keeps its branch.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from .equations import Equation, FloatArray
from .system import Contradiction, Elimination, Folding, System

ROUNDS = 120
RELATIVE_TOLERANCE = 1e-11
ROUNDING = 4e-16
LONGEST_STEP = 0.5
RESTARTS = (0.02, 0.1, 0.3)
SEED = 20


@dataclass(frozen=True, slots=True)
class Solution:
    """Values of all variables, and whether they satisfy the equations (`residual` is the largest)."""

    values: FloatArray
    converged: bool
    residual: float


def solve_equations(
    equations: Sequence[Equation], drawn: FloatArray, constant: Sequence[bool], size: float
) -> Solution:
    """Move `drawn` (all variables) as little as possible so that `equations` hold.

    `size` is the extent of the drawing: residuals up to 1e-11 of it count as zero. An attempt
    that sticks is tried again from a few disturbed starts before the answer is "not converged".
    """
    tolerance = RELATIVE_TOLERANCE * size
    elimination = Elimination(len(drawn), tolerance)
    try:
        for i, is_constant in enumerate(constant):
            if is_constant:
                elimination.fix(i, float(drawn[i]))
        rest = elimination.absorb(equations)
    except Contradiction:
        return Solution(drawn, False, float("inf"))
    folding = elimination.fold()
    unknowns = folding.start(drawn)
    for part in _components(rest, folding):
        solved = _solve_part(part, unknowns, folding, size)
        if solved is None:
            return Solution(drawn, False, float("inf"))
        unknowns[part.columns] = solved
    values = folding.expand(unknowns)
    residual = _largest(System(equations, len(drawn)).residuals(values)) if equations else 0.0
    return Solution(values, residual <= 10 * tolerance, residual)


@dataclass(frozen=True, slots=True)
class _Part:
    """A connected component: its equations, the unknowns it moves, and the variables it reads."""

    equations: list[Equation]
    columns: FloatArray


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
        parts.append(_Part([equations[row] for row in rows], np.array(columns, dtype=np.intp)))
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
        self._gather = np.zeros((len(variables), len(part.columns) + 1))
        self._gather[np.arange(len(variables)), self._where] = 1.0
        self._gather = self._gather[:, :-1]

    def values(self, unknowns: FloatArray) -> FloatArray:
        return np.append(unknowns, 0.0)[self._where] + self._offset

    def residuals(self, unknowns: FloatArray) -> FloatArray:
        return self._system.residuals(self.values(unknowns))

    def evaluate(self, unknowns: FloatArray) -> tuple[FloatArray, FloatArray]:
        residual, jacobian = self._system.evaluate(self.values(unknowns))
        return residual, jacobian @ self._gather


def _solve_part(part: _Part, unknowns: FloatArray, folding: Folding, size: float) -> FloatArray | None:
    """Solved unknowns of one component, or None if none was found."""
    reduced = _Reduced(part, folding)
    start = unknowns[part.columns]
    tolerance = RELATIVE_TOLERANCE * size
    x, residual = _iterate(reduced, start, size)
    if residual <= tolerance:
        return x
    random = np.random.default_rng(SEED)
    found = []
    for share in RESTARTS:
        disturbed = start + share * size * random.uniform(-1.0, 1.0, len(start))
        x, residual = _iterate(reduced, disturbed, size)
        if residual <= tolerance:
            found.append((float(np.abs(x - start).max()), x))
    return min(found, key=lambda pair: pair[0])[1] if found else None


def _largest(residual: FloatArray) -> float:
    return float(np.abs(residual).max()) if residual.size else 0.0


def _iterate(reduced: _Reduced, start: FloatArray, size: float) -> tuple[FloatArray, float]:
    x = start.copy()
    residual, jacobian = reduced.evaluate(x)
    square = float(residual @ residual)
    damping = 0.0
    for _ in range(ROUNDS):
        if _largest(residual) <= ROUNDING * size or not x.size:
            break
        step = _step(jacobian, residual, damping)
        longest = float(np.abs(step).max())
        if longest > LONGEST_STEP * size:
            step *= LONGEST_STEP * size / longest
        trial = x + step
        new_residual = reduced.residuals(trial)
        new_square = float(new_residual @ new_residual)
        if new_square < square:
            settled = new_square > 0.81 * square and _largest(residual) <= 1e-14 * size
            x, square = trial, new_square
            if settled:
                residual = new_residual
                break
            residual, jacobian = reduced.evaluate(x)
            damping = damping / 10 if damping > 1e-12 else 0.0
        elif _largest(residual) <= 1e-13 * size or longest <= 1e-15 * size or damping > 1e8:
            break
        else:
            damping = max(10 * damping, 1e-6)
    return x, _largest(residual)


def _step(jacobian: FloatArray, residual: FloatArray, damping: float) -> FloatArray:
    gram = jacobian @ jacobian.T
    diagonal = np.einsum("ii->i", gram)
    diagonal += (damping + 1e-13) * max(float(diagonal.max()), 1e-30)
    return -(jacobian.T @ np.linalg.solve(gram, residual))
