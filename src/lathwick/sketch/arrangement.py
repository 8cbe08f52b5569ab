"""All the cells that overlapping curves divide a plane into, and patches made of chosen cells.

Pieces are split wherever they meet, equal parts are made one, and the cells are traced along
half-edges sorted by direction (and by curvature, where directions agree) around every node.

Source: de Berg, Cheong, van Kreveld, Overmars, Computational Geometry, ch. 2 (doubly connected edge
lists and map overlay), carried over to circular arcs.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from itertools import pairwise

from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec2
from .crossings import common_points, near_pairs
from .loops import Patch, PlaneLoop
from .nodes import Nodes
from .pieces import ArcPiece, LinePiece, Piece, share_along, subpiece
from .plane_curves import CurvePiece, PlaneSpline

SAME_DIRECTION = 1e-6
OFF = 0.1
"""A point inside a cell is at least so far from its border, as a share of its distance from the middle of its
longest piece."""


@dataclass(frozen=True, slots=True)
class _Half:
    """Half of an edge: its piece as travelled, and the nodes it leaves and reaches (-1 for a ring)."""

    piece: Piece
    tail: int
    head: int


@dataclass(frozen=True, slots=True)
class Cell:
    """A bounded cell: the half-edges around it (counter-clockwise), and around the holes in it."""

    outer: tuple[int, ...]
    holes: tuple[tuple[int, ...], ...]


class Arrangement:
    """The cells of a set of pieces. Loose ends, and bridges between loops, bound nothing."""

    def __init__(self, pieces: Sequence[Piece]) -> None:
        self._nodes = Nodes()
        self._halves: list[_Half] = []
        for piece in self._without_loose_ends(_distinct(split_pieces(pieces), self._nodes)):
            self._add(piece)
        cycles = self._without_bridges()
        self.cells = self._celled(cycles)

    def patch_of(self, cell: Cell) -> Patch:
        """A cell as a patch, with the parts of one curve joined again."""
        return Patch(self._loop(cell.outer), tuple(self._loop(hole) for hole in cell.holes))

    def containing(self, point: Vec2) -> Cell | None:
        """The cell around a point that lies on no curve."""
        return next((cell for cell in self.cells if self.patch_of(cell).contains(point)), None)

    def joined(self, wanted: Callable[[Vec2], bool]) -> list[Patch]:
        """The patches made of all cells for whose inner point `wanted` is true.

        A cell so flat that no point is surely inside goes with the one across its longest piece: it leaves no
        slit between two that are wanted, and is none by itself.
        """
        spots = [(cell, _inner_point(self.patch_of(cell))) for cell in self.cells]
        chosen = [cell for cell, spot in spots if spot is not None and wanted(spot)]
        inside = _halves_of(chosen)
        flat = [cell for cell, spot in spots if spot is None]
        inside |= _halves_of(
            [c for c in flat if max(c.outer, key=lambda h: self._halves[h].piece.length) ^ 1 in inside]
        )
        border = {h for h in inside if h ^ 1 not in inside}
        cycles = self._traced(border)
        return [self.patch_of(cell) for cell in self._celled(cycles)]

    # ------------------------------------------------------------------ building

    def _without_loose_ends(self, pieces: list[Piece]) -> list[Piece]:
        while True:
            uses: dict[int, int] = {}
            for piece in pieces:
                for end in () if piece.is_closed else (piece.start, piece.end):
                    node = self._nodes.at(end)
                    uses[node] = uses.get(node, 0) + 1
            kept = [
                p
                for p in pieces
                if p.is_closed or min(uses[self._nodes.at(p.start)], uses[self._nodes.at(p.end)]) > 1
            ]
            if len(kept) == len(pieces):
                return kept
            pieces = kept

    def _add(self, piece: Piece) -> None:
        a, b = (-1, -1) if piece.is_closed else (self._nodes.at(piece.start), self._nodes.at(piece.end))
        self._halves += [_Half(piece, a, b), _Half(piece.reversed(), b, a)]

    def _without_bridges(self) -> list[tuple[int, ...]]:
        """The cycles, after edges with the same cell on both sides are taken out."""
        use = set(range(len(self._halves)))
        while True:
            cycles = self._traced(use)
            bridges = {h for cycle in cycles for h in cycle if h ^ 1 in set(cycle)}
            if not bridges:
                return cycles
            use -= bridges

    def _traced(self, use: set[int]) -> list[tuple[int, ...]]:
        """Cycles of half-edges with their cell on the left, using only those in `use`."""
        around = self._around(use | {h ^ 1 for h in use})
        cycles, unused = [], set(use)
        for first in sorted(use):
            if first not in unused:
                continue
            cycle, here = [], first
            while here in unused:
                unused.remove(here)
                cycle.append(here)
                if self._halves[here].head >= 0:
                    here = self._next(here, around, use)
            cycles.append(tuple(cycle))
        return cycles

    def _next(self, here: int, around: dict[int, list[int]], use: set[int]) -> int:
        """The first usable half-edge clockwise from the way back."""
        ring = around[self._halves[here].head]
        at = ring.index(here ^ 1)
        for k in range(1, len(ring) + 1):
            candidate = ring[at - k]
            if candidate in use:
                return candidate
        raise AssertionError("a half-edge leads nowhere")

    def _around(self, halves: Iterable[int]) -> dict[int, list[int]]:
        """Half-edges that leave each node, counter-clockwise."""
        ways: dict[int, list[tuple[float, float, int]]] = {}
        for h in halves:
            half = self._halves[h]
            if half.tail >= 0:
                angle, bend = _departure(half.piece)
                ways.setdefault(half.tail, []).append((angle, bend, h))
        return {node: _sorted_ways(found) for node, found in ways.items()}

    def _celled(self, cycles: Sequence[tuple[int, ...]]) -> list[Cell]:
        """Pair each clockwise cycle with the smallest counter-clockwise one around it."""
        loops = [PlaneLoop(tuple(self._halves[h].piece for h in cycle)) for cycle in cycles]
        areas = [loop.signed_area for loop in loops]
        outers = sorted((i for i, area in enumerate(areas) if area > 0), key=lambda i: areas[i])
        holes: dict[int, list[int]] = {i: [] for i in outers}
        for i, area in enumerate(areas):
            if area > 0:
                continue
            own = {h ^ 1 for h in cycles[i]}
            spot = loops[i].pieces[0].point(0.5)
            for k in outers:
                if areas[k] > -area * (1 - 1e-12) and own.isdisjoint(cycles[k]) and loops[k].encloses(spot):
                    holes[k].append(i)
                    break
        order = sorted(outers, key=lambda i: cycles[i][0])
        return [Cell(cycles[i], tuple(cycles[k] for k in holes[i])) for i in order]

    def _loop(self, cycle: Sequence[int]) -> PlaneLoop:
        return PlaneLoop(_merged([self._halves[h].piece for h in cycle]))


# ---------------------------------------------------------------------- pieces


Cut = tuple[float, Vec2]
"""Where a piece is cut: the share of its length, and the place, which all pieces cut there share."""


def split_pieces(pieces: Sequence[Piece]) -> list[Piece]:
    """Every piece cut at each place where another one meets it."""
    cuts: list[list[Cut]] = [[] for _ in pieces]
    for i, j in near_pairs(pieces):
        one, two = pieces[i], pieces[j]
        for place, overlap in common_points(one, two):
            spots = [place] if not overlap else [e for p in (one, two) for e in _ends(p)]
            for k, piece in ((i, one), (j, two)):
                cuts[k] += [cut for spot in spots if (cut := _cut(piece, spot)) is not None]
    return [part for piece, at in zip(pieces, cuts, strict=True) for part in _parts(piece, at)]


def _ends(piece: Piece) -> tuple[Vec2, ...]:
    return () if piece.is_closed else (piece.start, piece.end)


def _cut(piece: Piece, spot: Vec2) -> Cut | None:
    """The cut of a piece at a place on it; None at its ends or away from it."""
    share = share_along(piece, spot)
    if piece.is_closed:
        share %= 1.0
    elif min(math.dist(spot, end) for end in _ends(piece)) <= 2 * RESOLUTION or not 0 < share < 1:
        return None
    return (share, spot) if math.dist(piece.point(share), spot) <= 4 * RESOLUTION else None


def _parts(piece: Piece, found: Iterable[Cut]) -> list[Piece]:
    cuts: list[Cut] = []
    for cut in sorted(found):
        if not cuts or math.dist(cut[1], cuts[-1][1]) > 2 * RESOLUTION:
            cuts.append(cut)
    if piece.is_closed:
        if len(cuts) > 1 and math.dist(cuts[0][1], cuts[-1][1]) <= 2 * RESOLUTION:
            cuts.pop()
        if not cuts:
            return [piece]
        if isinstance(piece, CurvePiece) and isinstance(piece.curve, PlaneSpline):
            cuts = _with_seam(piece, cuts)  # its parameter does not run on past its end
        stops = [*cuts, (cuts[0][0] + 1.0, cuts[0][1])]
    else:
        stops = [(0.0, piece.start), *cuts, (1.0, piece.end)]
    return [subpiece(piece, a, b) for a, b in pairwise(stops)] if cuts else [piece]


def _with_seam(piece: CurvePiece, cuts: list[Cut]) -> list[Cut]:
    seam = (0.0, piece.point(0.0))
    return [seam, *(cut for cut in cuts if math.dist(cut[1], seam[1]) > 2 * RESOLUTION)]


def _distinct(pieces: Sequence[Piece], nodes: Nodes) -> list[Piece]:
    """One of each set of pieces that run the same way between the same nodes."""
    kept: dict[tuple[int, int], list[Piece]] = {}
    for piece in pieces:
        a, b = (-1, -1) if piece.is_closed else (nodes.at(piece.start), nodes.at(piece.end))
        same = kept.setdefault((min(a, b), max(a, b)), [])
        if not any(_runs_along(piece, other) for other in same):
            same.append(piece)
    return [piece for same in kept.values() for piece in same]


def _runs_along(one: Piece, two: Piece) -> bool:
    if one.is_closed and not (isinstance(one, ArcPiece) and isinstance(two, ArcPiece)):
        return type(one) is type(two) and all(
            math.dist(one.point(s), two.point(s)) <= 4 * RESOLUTION for s in (0.0, 0.3, 0.6)
        )
    if isinstance(one, ArcPiece) and isinstance(two, ArcPiece) and one.is_closed:
        return math.dist(one.center, two.center) + abs(one.radius - two.radius) <= 2 * RESOLUTION
    return math.dist(one.point(0.5), two.point(0.5)) <= 4 * RESOLUTION


def _departure(piece: Piece) -> tuple[float, float]:
    """Direction (radians) in which a piece leaves its start, and its curvature, positive to the left."""
    if isinstance(piece, LinePiece):
        (ax, ay), (bx, by) = piece.start, piece.end
        return math.atan2(by - ay, bx - ax), 0.0
    if isinstance(piece, CurvePiece):
        return piece.departure()
    way = 1.0 if piece.sweep > 0 else -1.0
    return math.remainder(piece.angle + way * math.pi / 2, math.tau), way / piece.radius


def _sorted_ways(ways: list[tuple[float, float, int]]) -> list[int]:
    """Counter-clockwise by direction; among equal directions the one that bends left more comes later."""
    ways.sort()
    groups: list[list[tuple[float, float, int]]] = []
    for way in ways:
        if groups and way[0] - groups[-1][-1][0] <= SAME_DIRECTION:
            groups[-1].append(way)
        else:
            groups.append([way])
    if len(groups) > 1 and groups[0][0][0] + math.tau - groups[-1][-1][0] <= SAME_DIRECTION:
        groups[-1] += groups.pop(0)
    return [h for group in groups for _, _, h in sorted(group, key=lambda way: way[1])]


def _merged(pieces: list[Piece]) -> tuple[Piece, ...]:
    """Neighbours that are parts of one curve joined into one piece."""
    joined: list[Piece] = []
    for piece in pieces:
        whole = _join(joined[-1], piece) if joined else None
        if whole is None:
            joined.append(piece)
        else:
            joined[-1] = whole
    if len(joined) > 1 and (whole := _join(joined[-1], joined[0])) is not None:
        joined = [whole, *joined[1:-1]]
    if len(joined) == 1 and isinstance(joined[0], ArcPiece) and not joined[0].is_closed:
        ring = joined[0]
        joined = [ArcPiece(ring.center, ring.radius, 0.0, math.copysign(math.tau, ring.sweep), ring.name)]
    if len(joined) == 1 and isinstance(joined[0], CurvePiece) and not joined[0].is_closed:
        whole = joined[0]
        joined = [CurvePiece(whole.curve, whole.a, whole.b, whole.name)]
    return tuple(joined)


def _join(one: Piece, two: Piece) -> Piece | None:
    if one.name != two.name or one.is_closed or two.is_closed:
        return None
    if isinstance(one, LinePiece) and isinstance(two, LinePiece):
        ahead = abs(math.remainder(_departure(one)[0] - _departure(two)[0], math.tau)) <= SAME_DIRECTION
        return LinePiece(one.start, two.end, one.name) if ahead else None
    if isinstance(one, CurvePiece) and isinstance(two, CurvePiece):
        goes_on = one.curve is two.curve and abs(one.b - two.a) <= 1e-9 * abs(one.b - one.a)
        same_way = (one.b - one.a) * (two.b - two.a) > 0
        ends = (one.start, two.end)
        return CurvePiece(one.curve, one.a, two.b, one.name, ends) if goes_on and same_way else None
    if isinstance(one, ArcPiece) and isinstance(two, ArcPiece) and one.sweep * two.sweep > 0:
        if math.dist(one.center, two.center) + abs(one.radius - two.radius) > RESOLUTION:
            return None
        return ArcPiece(
            one.center, one.radius, one.angle, one.sweep + two.sweep, one.name, (one.start, two.end)
        )
    return None


def _halves_of(cells: Iterable[Cell]) -> set[int]:
    return {h for cell in cells for cycle in (cell.outer, *cell.holes) for h in cycle}


def _inner_point(patch: Patch) -> Vec2 | None:
    """A point inside a patch, not on its boundary; None where it is too flat to tell one."""
    piece = max(patch.outer.pieces, key=lambda p: p.length)
    x, y = piece.point(0.5)
    half = subpiece(piece, (0.5, (x, y)), (1.0, piece.point(1.0)))
    angle, _ = _departure(half)
    border = [part for loop in (patch.outer, *patch.holes) for part in loop.pieces]
    step = 0.25 * piece.length
    while step > RESOLUTION / 64:
        spot = (x - step * math.sin(angle), y + step * math.cos(angle))
        if all(_gap(part, spot) >= OFF * step for part in border) and patch.contains(spot):
            return spot
        step *= 0.5
    return None


def _gap(piece: Piece, spot: Vec2) -> float:
    """How far a place is from a piece."""
    share = share_along(piece, spot)
    return math.dist(piece.point(share % 1.0 if piece.is_closed else min(max(share, 0.0), 1.0)), spot)
