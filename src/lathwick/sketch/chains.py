"""Chains of lines and arcs moved sideways, open or closed, with exact arcs at corners that open.

Every piece is moved along its normal and gaps at corners are closed by arcs about the corner. All
is then cut where it meets, and the parts that come nearer to the chain than the distance are
dropped; what is left is joined, in one chain, in several, or in none.

Source: Held, On the Computational Geometry of Pocket Machining (1991), ch. 4 (pairwise offsets and
removal of invalid loops).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from ..errors import SketchError
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec2
from .arrangement import split_pieces
from .nodes import Nodes
from .offsets import moved_chain
from .pieces import ArcPiece, LinePiece, Piece, share_along

CLEARANCE = 1e-9


@dataclass(frozen=True, slots=True)
class Moved:
    """A piece of an offset: `source` is the number of the piece it runs beside, or of the piece at
    whose end it is an arc about the corner."""

    piece: Piece
    source: int
    is_corner: bool


def joined_in_order(pieces: Sequence[Piece], what: str = "an offset") -> list[tuple[int, bool]]:
    """The pieces as one chain: (number, reversed) from end to end, in the sense of the first piece.

    what : takes them, for a message. Raises SketchError if they do not form a single open or closed chain.
    """
    if len(pieces) == 1:
        return [(0, False)]
    nodes = Nodes()
    ends = [(nodes.at(p.start), nodes.at(p.end)) for p in pieces]
    uses: dict[int, list[int]] = {}
    for number, pair in enumerate(ends):
        for node in pair:
            uses.setdefault(node, []).append(number)
    if any(p.is_closed for p in pieces) or any(len(found) > 2 for found in uses.values()):
        raise SketchError(f"{what} takes curves that join end to end in one chain")
    first = 0
    loose = [node for node, found in uses.items() if len(found) == 1]
    node = ends[0][0]
    if loose:  # walk back to the open end from which the first piece runs forwards
        seen = {0}
        while len(uses[node]) == 2:
            first = next(n for n in uses[node] if n != first)
            if first in seen:
                break
            seen.add(first)
            node = ends[first][0] if ends[first][1] == node else ends[first][1]
    order: list[tuple[int, bool]] = []
    here: int | None = first
    used: set[int] = set()
    while here is not None and here not in used:
        used.add(here)
        backwards = ends[here][0] != node
        order.append((here, backwards))
        node = ends[here][0] if backwards else ends[here][1]
        here = next((n for n in uses[node] if n not in used), None)
    if len(order) != len(pieces):
        raise SketchError(f"{what} takes curves that join end to end in one chain")
    return order


def offset_chains(pieces: Sequence[Piece], closed: bool, left: float) -> list[list[Moved]]:
    """The chains at the distance `left` to the left of a directed chain (to the right, if negative).

    Returns an empty list where nothing is left. Raises SketchError for a chain of other than lines
    and arcs.
    """
    numbered = [replace(piece, name=str(i)) for i, piece in enumerate(pieces)]
    raw = moved_chain(numbered, closed, left)
    far = abs(left) * (1.0 - CLEARANCE) - RESOLUTION
    parts = [part for part in split_pieces(raw) if _gap(part.point(0.5), pieces) >= far]
    return [[_moved(part) for part in chain] for chain in _chained(parts)]


def _moved(piece: Piece) -> Moved:
    number, _, rest = piece.name.partition(".")
    return Moved(piece, int(number), bool(rest))


def _gap(spot: Vec2, pieces: Sequence[Piece]) -> float:
    """Distance of a place from the nearest piece."""
    found = []
    for piece in pieces:
        share = min(1.0, max(0.0, share_along(piece, spot)))
        ends = [] if piece.is_closed else [piece.start, piece.end]
        found.append(min(math.dist(spot, p) for p in (piece.point(share), *ends)))
    return min(found)


def _chained(parts: Sequence[Piece]) -> list[list[Piece]]:
    """Parts joined head to tail; whole circles by themselves."""
    nodes = Nodes()
    after: dict[int, int] = {}
    heads: set[int] = set()
    for number, part in enumerate(parts):
        if not part.is_closed:
            after[nodes.at(part.start)] = number
            heads.add(nodes.at(part.end))
    chains = [[part] for part in parts if part.is_closed]
    starts = sorted(after.items(), key=lambda item: (item[0] in heads, item[1]))
    used: set[int] = set()
    for _, first in starts:
        chain: list[Piece] = []
        here: int | None = first
        while here is not None and here not in used:
            used.add(here)
            chain.append(parts[here])
            here = after.get(nodes.at(parts[here].end))
        if chain:
            chains.append(_merged(chain))
    return chains


def _merged(chain: list[Piece]) -> list[Piece]:
    """Neighbouring parts of one moved piece made one again."""
    merged: list[Piece] = []
    for piece in chain:
        last = merged[-1] if merged else None
        if last is not None and last.name == piece.name:
            merged[-1] = _together(last, piece)
        else:
            merged.append(piece)
    closed = math.dist(merged[0].start, merged[-1].end) <= 2 * RESOLUTION
    if closed and len(merged) > 2 and merged[0].name == merged[-1].name:
        merged[0] = _together(merged.pop(), merged[0])
    return merged


def _together(one: Piece, two: Piece) -> Piece:
    if isinstance(one, LinePiece):
        return LinePiece(one.start, two.end, one.name)
    assert isinstance(one, ArcPiece) and isinstance(two, ArcPiece)
    return replace(one, sweep=one.sweep + two.sweep, ends=(one.start, two.end))
