"""A set of equations as one vector function of the variables, ready for the solver."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .equations import FORMS, LINEAR, Equation, FloatArray

IntArray = NDArray[np.intp]


@dataclass(frozen=True, slots=True)
class _Block:
    """All equations of one form: rows (N,), columns (N, k) in the variables, parameters (N, p)."""

    form: str
    rows: IntArray
    columns: IntArray
    parameters: FloatArray


class System:
    """Residuals and derivatives of `equations` over `size` variables, one row each in the given order."""

    def __init__(self, equations: Sequence[Equation], size: int) -> None:
        self.rows = len(equations)
        self.size = size
        by_form: dict[tuple[str, int, int], list[int]] = {}
        for row, equation in enumerate(equations):
            shape = (len(equation.variables), len(equation.parameters))
            by_form.setdefault((equation.form, *shape), []).append(row)
        self._blocks = [_block(form, rows, equations) for (form, *_), rows in by_form.items()]

    def residuals(self, x: FloatArray) -> FloatArray:
        """Residuals at `x`, shape (size,); returns shape (rows,), length unit."""
        out = np.empty(self.rows)
        for block in self._blocks:
            out[block.rows] = FORMS[block.form](x[block.columns], block.parameters)[0]
        return out

    def sparse_rows(self, x: FloatArray) -> list[dict[int, float]]:
        """Derivatives at `x` as one {column: value} a row."""
        out: list[dict[int, float]] = [{} for _ in range(self.rows)]
        for block in self._blocks:
            slope = FORMS[block.form](x[block.columns], block.parameters)[1].tolist()
            for row, columns, values in zip(block.rows.tolist(), block.columns.tolist(), slope, strict=True):
                here = out[row]
                for column, value in zip(columns, values, strict=True):
                    here[column] = here.get(column, 0.0) + value
        return out

    def evaluate_sparse(self, x: FloatArray) -> tuple[FloatArray, tuple[IntArray, IntArray, FloatArray]]:
        """Residuals, shape (rows,), and derivatives as (row, column, value) of every entry."""
        out = np.empty(self.rows)
        rows, columns, values = [], [], []
        for block in self._blocks:
            residual, slope = FORMS[block.form](x[block.columns], block.parameters)
            out[block.rows] = residual
            rows.append(np.repeat(block.rows, slope.shape[1]))
            columns.append(block.columns.ravel())
            values.append(slope.ravel())
        return out, (np.concatenate(rows), np.concatenate(columns), np.concatenate(values))

    def evaluate(self, x: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Residuals, shape (rows,), and derivatives, shape (rows, size), at `x`."""
        out = np.empty(self.rows)
        jacobian = np.zeros((self.rows, self.size))
        for block in self._blocks:
            residual, slope = FORMS[block.form](x[block.columns], block.parameters)
            out[block.rows] = residual
            np.add.at(jacobian, (block.rows[:, None], block.columns), slope)
        return out, jacobian


def _block(form: str, rows: list[int], equations: Sequence[Equation]) -> _Block:
    columns = np.array([equations[row].variables for row in rows], dtype=np.intp)
    parameters = np.array([equations[row].parameters for row in rows], dtype=float)
    return _Block(form, np.array(rows, dtype=np.intp), columns, parameters.reshape(len(rows), -1))


class Contradiction(Exception):
    """Two linear equations cannot both hold (internal to the solver); `variable` is one they tie."""

    def __init__(self, variable: int) -> None:
        super().__init__(variable)
        self.variable = variable


class Elimination:
    """Variables tied by `difference` and `value` equations, folded into one unknown each.

    Every variable is `unknown[root] + offset`, or a constant. A sketch's horizontals, verticals,
    coincidences and dimensions along an axis disappear here, exactly and without iteration.
    Method: union-find with offsets (weighted quick-union, Sedgewick & Wayne, Algorithms, 1.5).
    """

    def __init__(self, size: int, tolerance: float) -> None:
        self._parent = list(range(size + 1))
        self._offset = [0.0] * (size + 1)
        self._ground = size
        self._tolerance = tolerance

    def find(self, i: int) -> tuple[int, float]:
        """Root of variable `i` and `value[i] - value[root]`."""
        path = []
        while self._parent[i] != i:
            path.append(i)
            i = self._parent[i]
        offset = 0.0
        for j in reversed(path):
            offset += self._offset[j]
            self._parent[j], self._offset[j] = i, offset
        return i, offset

    def tie(self, a: int, b: int, difference: float) -> None:
        """Make value[a] - value[b] equal `difference`. Raises Contradiction."""
        root_a, offset_a = self.find(a)
        root_b, offset_b = self.find(b)
        gap = difference + offset_b - offset_a
        if root_a == root_b:
            if abs(gap) > self._tolerance:
                raise Contradiction(a)
        elif root_a == self._ground:
            self._parent[root_b], self._offset[root_b] = root_a, -gap
        else:
            self._parent[root_a], self._offset[root_a] = root_b, gap

    def fix(self, a: int, value: float) -> None:
        """Make variable `a` equal `value`. Raises Contradiction."""
        self.tie(a, self._ground, value)

    def absorb(self, equations: Sequence[Equation]) -> list[int]:
        """Tie all linear equations; returns the indices of the others. Raises Contradiction."""
        rest = []
        for i, equation in enumerate(equations):
            if equation.form not in LINEAR:
                rest.append(i)
            elif equation.form == "difference":
                self.tie(equation.variables[0], equation.variables[1], equation.parameters[0])
            else:
                self.fix(equation.variables[0], equation.parameters[0])
        return rest

    def fold(self) -> Folding:
        """The unknowns that are left."""
        found = [self.find(i) for i in range(self._ground)]
        roots = sorted({root for root, _ in found} - {self._ground})
        index = {root: k for k, root in enumerate(roots)}
        where = np.array([index.get(root, len(roots)) for root, _ in found], dtype=np.intp)
        return Folding(where, np.array([offset for _, offset in found]), len(roots))


@dataclass(frozen=True, slots=True)
class Folding:
    """value[i] = (unknowns + [0])[where[i]] + offset[i]; `count` unknowns."""

    where: IntArray
    offset: FloatArray
    count: int

    def expand(self, unknowns: FloatArray) -> FloatArray:
        """All variables from the unknowns, shape (count,)."""
        return np.append(unknowns, 0.0)[self.where] + self.offset

    def start(self, values: FloatArray) -> FloatArray:
        """Unknowns nearest to the drawn `values`: the mean over each group of tied variables."""
        total = np.bincount(self.where, values - self.offset, self.count + 1)
        number = np.bincount(self.where, minlength=self.count + 1)
        return (total / np.maximum(number, 1))[: self.count]
