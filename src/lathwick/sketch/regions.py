"""The regions that a set of curves encloses."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import shapely

from ..errors import SketchError
from ..geometry.placement import Plane
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec2
from .crossings import Meeting, meetings
from .loops import Patch, PlaneLoop
from .nodes import Nodes
from .pieces import Piece, halves, whole_if_smooth
from .region import Region


def find_regions(pieces: Sequence[Piece], plane: Plane, unit: str) -> tuple[Region, ...]:
    """Outer loops less the loops inside them, nested to any depth, in the order they were drawn.

    Raises SketchError with the place of an open end, a duplicate, a branch, or curves that cross
    or touch away from their ends.
    """
    if not pieces:
        raise SketchError("there is no curve to bound a profile (construction geometry does not)")
    _refuse_short(pieces)
    _refuse_meetings(pieces)
    order = {piece.name: i for i, piece in enumerate(pieces)}
    loops = sorted(_closed_loops(pieces), key=lambda loop: min(order[p.name] for p in loop.pieces))
    return _nested(loops, plane, unit)


def _refuse_short(pieces: Sequence[Piece]) -> None:
    for piece in pieces:
        if not piece.length > 2 * RESOLUTION:
            raise SketchError(
                f"{piece.name} has shrunk to a length of {piece.length:.2g} {_at(piece.start)}",
                places=(piece.start,),
            )


def _refuse_meetings(pieces: Sequence[Piece]) -> None:
    found = list(meetings(pieces))
    if not found:
        return
    worst = next((m for m in found if m.overlap), found[0])
    more = f" (and {len(found) - 1} more such places)" if len(found) > 1 else ""
    raise SketchError(
        f"no default profile: {_told(worst)}{more}; pick a part with region(containing=(x, y))",
        places=tuple(m.place for m in found),
    )


def _told(meeting: Meeting) -> str:
    one, two, place = meeting.one, meeting.two, _at(meeting.place)
    if meeting.overlap:
        if abs(one.length - two.length) <= 2 * RESOLUTION and _same_ends(one, two):
            return f"{two.name} is a duplicate of {one.name}, {place}"
        return f"{one.name} and {two.name} overlap {place}"
    for piece, other in ((one, two), (two, one)):
        if (
            not piece.is_closed
            and min(math.dist(piece.start, meeting.place), math.dist(piece.end, meeting.place))
            <= 2 * RESOLUTION
        ):
            return f"{piece.name} ends on {other.name} between its ends, {place}"
    return f"{one.name} and {two.name} cross or touch {place}"


def _same_ends(one: Piece, two: Piece) -> bool:
    if one.is_closed or two.is_closed:
        return one.is_closed and two.is_closed
    straight = math.dist(one.start, two.start) + math.dist(one.end, two.end)
    crossed = math.dist(one.start, two.end) + math.dist(one.end, two.start)
    return min(straight, crossed) <= 4 * RESOLUTION


def _at(place: Vec2) -> str:
    return f"at ({place[0]:.6g}, {place[1]:.6g})"


def _closed_loops(pieces: Sequence[Piece]) -> list[PlaneLoop]:
    """Loops through nodes where exactly two pieces end; full circles are loops by themselves."""
    pieces = [whole_if_smooth(piece) for piece in pieces]
    loops = [PlaneLoop((piece,)) for piece in pieces if piece.is_closed]
    loops += [PlaneLoop(halves(piece)) for piece in pieces if _ends_where_it_starts(piece)]
    pieces = [piece for piece in pieces if not _ends_where_it_starts(piece)]
    nodes = Nodes()
    ends: dict[int, list[tuple[Piece, bool]]] = {}
    for piece in pieces:
        if not piece.is_closed:
            ends.setdefault(nodes.at(piece.start), []).append((piece, True))
            ends.setdefault(nodes.at(piece.end), []).append((piece, False))
    _refuse_open(ends, nodes)
    unused = {id(piece): piece for piece in pieces if not piece.is_closed}
    while unused:
        first = next(iter(unused.values()))
        chain, piece, forward = [], first, True
        while id(piece) in unused:
            del unused[id(piece)]
            chain.append(piece if forward else piece.reversed())
            node = nodes.at(chain[-1].end)
            piece, forward = next((p, at_start) for p, at_start in ends[node] if p is not piece)
        loops.append(PlaneLoop(tuple(chain)))
    return loops


def _ends_where_it_starts(piece: Piece) -> bool:
    """Whether an open piece returns to its own start, at an angle."""
    return not piece.is_closed and math.dist(piece.start, piece.end) <= RESOLUTION


def _refuse_open(ends: dict[int, list[tuple[Piece, bool]]], nodes: Nodes) -> None:
    open_ends = [(nodes.points[node], uses[0][0]) for node, uses in ends.items() if len(uses) == 1]
    if open_ends:
        place, piece = open_ends[0]
        others = sorted((math.dist(place, p), q.name, p) for p, q in open_ends[1:])
        text = f"the profile is open: {piece.name} ends free {_at(place)}"
        if others:
            gap, name, other = others[0]
            text += f", a gap of {gap:.6g} to the end of {name} {_at(other)}"
        raise SketchError(text, places=tuple(p for p, _ in open_ends))
    branches = [(nodes.points[node], uses) for node, uses in ends.items() if len(uses) > 2]
    if branches:
        place, uses = branches[0]
        names = ", ".join(piece.name for piece, _ in uses)
        raise SketchError(
            f"no default profile: {len(uses)} curves meet {_at(place)}: {names}",
            places=tuple(p for p, _ in branches),
        )


def _nested(loops: list[PlaneLoop], plane: Plane, unit: str) -> tuple[Region, ...]:
    """Pair each hole with the outer loop just around it."""
    loops = [loop if loop.signed_area > 0 else loop.reversed() for loop in loops]
    around = _containers(loops)
    depth = [len(outside) for outside in around]
    holes: list[list[PlaneLoop]] = [[] for _ in loops]
    for k, loop in enumerate(loops):
        if depth[k] % 2:
            holes[next(i for i in around[k] if depth[i] == depth[k] - 1)].append(loop.reversed())
    return tuple(
        Region((Patch(loop, tuple(holes[i])),), plane, unit)
        for i, loop in enumerate(loops)
        if depth[i] % 2 == 0
    )


def _containers(loops: Sequence[PlaneLoop]) -> list[set[int]]:
    """For each loop the indices of the loops around it. No two loops meet."""
    boxes = shapely.box(*np.array([loop.box for loop in loops]).T)
    around: list[set[int]] = [set() for _ in loops]
    inner, outer = shapely.STRtree(boxes).query(boxes, predicate="within")
    for k, i in zip(inner.tolist(), outer.tolist(), strict=True):
        if i != k and loops[i].encloses(loops[k].pieces[0].point(0.5)):
            around[k].add(i)
    return around
