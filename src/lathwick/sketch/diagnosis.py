"""What a solved sketch still allows, and which constraints say too much.

Freedom is the number of unknowns less the rank of the derivatives at the solution. Rows are taken
in order, the shapes of entities first, then the constraints as they were given; a row that depends
on the rows before it is redundant, so the one named is the one given last. A conflict is the
smallest set of constraints that cannot hold together, found by divide and conquer.

Source: Duff, Erisman & Reid, Direct Methods for Sparse Matrices, ch. 5 (elimination row by row);
Junker, "QuickXplain: preferred explanations and relaxations", AAAI 2004.
"""

from __future__ import annotations

import heapq
import math
from collections.abc import Callable, Collection, Iterable, Sequence
from dataclasses import dataclass, replace
from typing import TypeVar

from ..geometry.vector import Vec2

DEPENDENT = 1e-8
WEAK = 1e-4
MOVABLE = 1e-7
SOURCE = 1e-7
ROUNDING = 1e-15

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Motion:
    """How a point can still move: along `direction` (a unit vector, either way), or anywhere (None)."""

    point: str
    place: Vec2
    direction: Vec2 | None

    def __str__(self) -> str:
        if self.direction is None:
            return f"{self.point} can move anywhere"
        x, y = self.direction
        way = "along x" if abs(y) < 1e-9 else "along y" if abs(x) < 1e-9 else f"along ({x:.3g}, {y:.3g})"
        return f"{self.point} can move {way}"


@dataclass(frozen=True, slots=True)
class SketchReport:
    """The state of a sketch after `solve()`.

    freedom : degrees of freedom left; 0 means fully defined.
    redundant, conflicting : names of constraints that repeat others, or cannot hold together.
    max_residual : largest error of any equation, in the design's length unit.
    free : names of the entities that can still move.
    repeats : for each redundant constraint, the names of those it follows from.
    motions : the points that can still move, and along which direction.
    near_singular : names of constraints that hold only weakly, because others nearly say the same: a
        small change of them moves the drawing far.
    conflict : the conflicting constraints with their values, what changed last, and what would do instead.
    missing : what is free, in words of the figures: "plate (its width, its height)".
    """

    freedom: int
    redundant: tuple[str, ...]
    conflicting: tuple[str, ...]
    max_residual: float
    free: tuple[str, ...] = ()
    repeats: tuple[tuple[str, tuple[str, ...]], ...] = ()
    motions: tuple[Motion, ...] = ()
    near_singular: tuple[str, ...] = ()
    conflict: str = ""
    missing: tuple[str, ...] = ()

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
            return self.conflict or f"cannot hold together: {', '.join(self.conflicting)}"
        text = "fully defined"
        if self.freedom:
            plural = "degree" if self.freedom == 1 else "degrees"
            text = f"{self.freedom} {plural} of freedom left in {', '.join(self.missing or self.free)}"
        for name, others in self.repeats:
            text += f"; {name} repeats {', '.join(others) if others else 'what is fixed already'}"
        for name in self.near_singular:
            text += f"; {name} is nearly singular"
        return text


Row = dict[int, float]


@dataclass(frozen=True, slots=True)
class Rank:
    """Result of `independent_rows`.

    rank : number of independent rows.
    dependent : the other rows, each with the earlier rows it follows from.
    motion : for each column that can move, how it moves with each of the free columns.
    weak : rows that are independent, but nearly follow from rows before them.
    """

    rank: int
    dependent: tuple[tuple[int, tuple[int, ...]], ...]
    motion: dict[int, Row]
    weak: tuple[int, ...] = ()

    def without(self, columns: Collection[int], total: int) -> Rank:
        """The same of `total` columns but for some of them: what moves these alone is no freedom."""
        if not columns:
            return self
        motion = {c: moves for c, moves in self.motion.items() if c not in columns}
        freedom = independent_rows(list(motion.values()), ()).rank
        return replace(self, rank=total - freedom, motion=motion)


def independent_rows(rows: Sequence[Row], columns: Iterable[int]) -> Rank:
    """Find, in order, the rows that depend on rows before them, and what the rest leaves free.

    rows : sparse rows, {column: value}. columns : all columns, those in no row included.
    Cost: near linear for the local structures that drawings have.
    """
    echelon = _Echelon()
    dependent = [i for i, row in enumerate(rows) if not echelon.add(row)]
    sources = tuple((i, echelon.sources(i)) for i in dependent)
    return Rank(len(rows) - len(dependent), sources, echelon.motion(columns), tuple(echelon.weak))


class _Echelon:
    """Sparse rows in echelon form. Each kept row owns the column where it is largest, where it is one;
    it is kept without that entry."""

    def __init__(self) -> None:
        self._kept: list[Row] = []
        self._columns: list[int] = []
        self._owner: dict[int, int] = {}
        self._number: list[int] = []
        self._multipliers: list[dict[int, float]] = []
        self.weak: list[int] = []

    def add(self, row: Row) -> bool:
        """Reduce a row by those kept before it and keep what is left; False if nothing is."""
        owner, used = self._owner, dict[int, float]()
        size = math.hypot(*row.values())
        rest = {c: v / size for c, v in row.items() if v} if size > 0 else {}
        todo = [owner[c] for c in rest if c in owner]
        if len(todo) > 1:
            heapq.heapify(todo)
        while todo:
            k = heapq.heappop(todo)
            factor = rest.pop(self._columns[k], 0.0)
            if factor == 0.0:
                continue
            used[k] = factor
            for c, v in self._kept[k].items():
                here = rest.get(c)
                if here is None:
                    rest[c] = -factor * v
                    if c in owner:
                        heapq.heappush(todo, owner[c])
                else:
                    rest[c] = here - factor * v
        self._multipliers.append(used)
        column, pivot = -1, 0.0
        for c, v in rest.items():
            if v > abs(pivot) or -v > abs(pivot):
                column, pivot = c, v
        if abs(pivot) <= DEPENDENT:
            return False
        number = len(self._multipliers) - 1
        if abs(pivot) <= WEAK:
            self.weak.append(number)
        owner[column] = len(self._kept)
        del rest[column]
        self._columns.append(column)
        self._kept.append({c: v / pivot for c, v in rest.items() if v > ROUNDING or v < -ROUNDING})
        self._number.append(number)
        return True

    def sources(self, row: int) -> tuple[int, ...]:
        """The given rows that a dependent row is a combination of, in order."""
        weights = dict(self._multipliers[row])
        found = []
        for k in sorted(range(len(self._kept)), reverse=True):
            weight = weights.get(k, 0.0)
            if abs(weight) <= SOURCE:
                continue
            found.append(self._number[k])
            for q, m in self._multipliers[self._number[k]].items():
                weights[q] = weights.get(q, 0.0) - weight * m
        return tuple(sorted(found))

    def motion(self, columns: Iterable[int]) -> dict[int, Row]:
        """How each column that can move does so with the columns that no row owns."""
        moves: dict[int, Row] = {c: {c: 1.0} for c in columns if c not in self._owner}
        if not moves:
            return moves
        for k in range(len(self._kept) - 1, -1, -1):
            total: Row = {}
            for c, v in self._kept[k].items():
                for free, share in moves.get(c, {}).items():
                    total[free] = total.get(free, 0.0) - v * share
            total = {free: share for free, share in total.items() if abs(share) > MOVABLE}
            if total:
                moves[self._columns[k]] = total
        return moves


def direction_of(along_x: Row, along_y: Row) -> Vec2 | None:
    """The one direction in which a point moves, from how its x and y move with the free columns; None
    if it can move in every direction."""
    free = {*along_x, *along_y}
    xx = sum(along_x.get(f, 0.0) ** 2 for f in free)
    yy = sum(along_y.get(f, 0.0) ** 2 for f in free)
    xy = sum(along_x.get(f, 0.0) * along_y.get(f, 0.0) for f in free)
    if xx * yy - xy * xy > 1e-10 * (xx + yy) ** 2:
        return None
    x, y = (xx, xy) if xx >= yy else (xy, yy)
    size = math.hypot(x, y)
    return (x / size, y / size)


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
