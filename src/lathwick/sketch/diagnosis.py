"""What a solved sketch still allows, and which constraints say too much.

Freedom is the number of unknowns less the rank of the derivatives at the solution. Rows are taken
in order, the shapes of entities first, then the constraints as they were given; a row that depends
on the rows before it is redundant, so the one named is the one given last. A conflict is the
smallest set of constraints that cannot hold together, found by divide and conquer.

Source: Golub & Van Loan, Matrix Computations, 5.2 (modified Gram-Schmidt with reorthogonalisation);
Junker, "QuickXplain: preferred explanations and relaxations", AAAI 2004.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TypeVar

import numpy as np

from .equations import FloatArray

DEPENDENT = 1e-8
MOVABLE = 1e-7

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class SketchReport:
    """The state of a sketch after `solve()`.

    freedom : degrees of freedom left; 0 means fully defined.
    redundant, conflicting : names of constraints that repeat others, or cannot hold together.
    max_residual : largest error of any equation, in the design's length unit.
    free : names of the entities that can still move.
    repeats : for each redundant constraint, the names of those it follows from.
    """

    freedom: int
    redundant: tuple[str, ...]
    conflicting: tuple[str, ...]
    max_residual: float
    free: tuple[str, ...] = ()
    repeats: tuple[tuple[str, tuple[str, ...]], ...] = ()

    @property
    def is_solved(self) -> bool:
        """Whether every constraint holds."""
        return not self.conflicting

    @property
    def is_fully_defined(self) -> bool:
        """Solved, with nothing left free."""
        return self.is_solved and self.freedom == 0

    def __str__(self) -> str:
        if self.conflicting:
            return f"cannot hold together: {', '.join(self.conflicting)}"
        text = "fully defined"
        if self.freedom:
            plural = "degree" if self.freedom == 1 else "degrees"
            text = f"{self.freedom} {plural} of freedom left in {', '.join(self.free)}"
        for name, others in self.repeats:
            text += f"; {name} repeats {', '.join(others) if others else 'what is fixed already'}"
        return text


@dataclass(frozen=True, slots=True)
class Rank:
    """Result of `independent_rows`: rank, the dependent rows with the earlier rows each one
    follows from, and how freely each column can move (0 fixed .. 1 free), shape (columns,)."""

    rank: int
    dependent: tuple[tuple[int, tuple[int, ...]], ...]
    mobility: FloatArray


def independent_rows(jacobian: FloatArray) -> Rank:
    """Find, in order, the rows of `jacobian`, shape (m, n), that depend on rows before them."""
    rows, columns = jacobian.shape
    lengths = np.sqrt((jacobian * jacobian).sum(axis=1))
    scaled = jacobian / np.maximum(lengths, 1e-300)[:, None]
    basis = np.zeros((min(rows, columns), columns))
    kept: list[int] = []
    dependent: list[int] = []
    for i in range(rows):
        rest = scaled[i].copy()
        known = basis[: len(kept)]
        for _ in range(2):
            rest -= (known @ rest) @ known
        size = float(np.sqrt(rest @ rest))
        if size > DEPENDENT and len(kept) < len(basis):
            basis[len(kept)] = rest / size
            kept.append(i)
        else:
            dependent.append(i)
    known = basis[: len(kept)]
    mobility = 1.0 - (known * known).sum(axis=0)
    sources = tuple((i, _sources(scaled, kept, i)) for i in dependent)
    return Rank(len(kept), sources, mobility)


def _sources(scaled: FloatArray, kept: Sequence[int], row: int) -> tuple[int, ...]:
    """The earlier independent rows that `row` is a combination of."""
    earlier = [i for i in kept if i < row]
    if not earlier:
        return ()
    weights = np.linalg.lstsq(scaled[earlier].T, scaled[row], rcond=None)[0]
    return tuple(i for i, w in zip(earlier, weights, strict=True) if abs(w) > 1e-6)


def smallest_conflict(items: Sequence[T], holds: Callable[[Sequence[T]], bool]) -> list[T]:
    """A smallest subset of `items` that does not hold: dropping any one of it makes the rest hold.

    `holds` tells whether a subset can be satisfied. Cost O(k log(n / k)) calls for k of n items.
    """
    return _explain([], [], list(items), holds)


def _explain(
    background: list[T], added: list[T], items: list[T], holds: Callable[[Sequence[T]], bool]
) -> list[T]:
    if added and not holds(background):
        return []
    if len(items) == 1:
        return items
    half = len(items) // 2
    first, second = items[:half], items[half:]
    right = _explain(background + first, first, second, holds)
    left = _explain(background + right, right, first, holds)
    return left + right
