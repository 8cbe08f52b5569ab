"""One pass after the other, until all edges have their strips; and the largest size that works."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from ...errors import ModellingError
from ...topology.body import Body
from ...topology.brep import Edge, Face, Vertex
from ...topology.names import FaceName
from ..boolean.regrouping import with_whole_faces
from .apart import apart_at_corners
from .checks import refuse_collisions, refuse_crossing_loops
from .collapse import collapsed
from .corners import solve_corner
from .fans import Surroundings, UnknownCornerError, Wedge, fans_at
from .rewriting import Rewriter
from .selecting import EdgeGraph, first_pass, has_mixed_corner, with_chains
from .strips import BlendError, Strip, TooLargeError, sides_of

Maker = Callable[[Edge, tuple[Face, Face], float], Strip | None]
"""Makes the strip of an edge between two faces, for a size; None for a kind of edge that it cannot."""

Attempt = Callable[[Body, Mapping[Edge, float], "Blend"], Body]

MOST_PASSES = 24
TRIES = 24
SMALL = (0.05, 0.002, 1e-4)
"""Shares of a size, of which one works if any at all does."""

DIGITS = 4
CLOSE = 5e-4


@dataclass(frozen=True)
class Blend:
    """What is done to edges: how strips are made, what the verb and its size are called, and the names of
    the new faces."""

    make: Maker
    verb: str
    size: str
    strip_name: FaceName
    corner_name: FaceName


def blended(body: Body, sizes: Mapping[Edge, float], blend: Blend) -> Body:
    """The body with strips in place of edges.

    Raises ModellingError that names the face in the way, and the largest size that works, if any does.
    """
    first: ModellingError | None = None
    for attempt in (_attempt, _attempt_apart):
        try:
            return attempt(body, sizes, blend)
        except ModellingError as error:
            first = first or error
            share = _largest_share(body, sizes, blend, attempt)
        if share is not None:
            raise ModellingError(_limit(first, sizes, blend, share)) from None
    assert first is not None
    raise first


def _limit(error: ModellingError, sizes: Mapping[Edge, float], blend: Blend, share: float) -> str:
    face = error.face if isinstance(error, TooLargeError) else None
    where = f' at the face "{face.names[0]}"' if face is not None and face.names else ""
    asked = sorted(set(sizes.values()))
    start = f"{blend.size} {asked[-1]:g} is too large{where}: {error.message}; "
    if len(asked) == 1:
        return start + f"the largest that works is {share * asked[0]:.{DIGITS}g}"
    return start + f"all of them times {share:.{DIGITS}g} works"


def _shown(value: float) -> list[float]:
    """Values of few digits near one that works, the largest first: the limit itself is often round."""
    found = []
    for digits, step in ((2, 0), (3, 0), (DIGITS, 0), (DIGITS, 1), (DIGITS, 2)):
        unit = 10.0 ** (math.floor(math.log10(value)) + 1 - digits)
        near = (round(value / unit) - step) * unit
        if near <= value * (1.0 + 2.0 * CLOSE):
            found.append(near)
    return sorted(set(found), reverse=True)


def _largest_share(body: Body, sizes: Mapping[Edge, float], blend: Blend, attempt: Attempt) -> float | None:
    """The largest part of the sizes that works, by bisection; None if none does."""

    def works(share: float) -> bool:
        try:
            attempt(body, {edge: share * size for edge, size in sizes.items()}, blend)
        except ModellingError:
            return False
        return True

    if not any(works(share) for share in SMALL):
        return None
    low, high = 0.0, 1.0
    for k in range(TRIES):
        middle = 0.5 * (low + high) if low else high * (0.5 if k < 4 else 0.1)
        if works(middle):
            low = middle
        else:
            high = middle
        if not low and high < 1e-5:
            return None
        if low and high - low < CLOSE * low:
            break
    if not low:
        return None
    scale = min(sizes.values()) if len(set(sizes.values())) == 1 else 1.0
    return next((near / scale for near in _shown(low * scale) if works(near / scale)), None)


def _attempt(body: Body, sizes: Mapping[Edge, float], blend: Blend) -> Body:
    """All passes. Where convex and concave edges meet the odd one goes first, or, if that fails, last."""
    try:
        return _all_passes(body, sizes, blend, odd_first=True)
    except ModellingError:
        if not has_mixed_corner(EdgeGraph(body), sizes):
            raise
        try:
            return _all_passes(body, sizes, blend, odd_first=False)
        except ModellingError:
            pass
        raise


def _attempt_apart(body: Body, sizes: Mapping[Edge, float], blend: Blend) -> Body:
    """Groups of edges by themselves, parted at corners that cannot be closed."""
    return apart_at_corners(
        body,
        sizes,
        lambda some: _all_passes(body, some, blend, in_turn=False),
        lambda some: _attempt(body, some, blend),
    )


def _all_passes(
    body: Body, sizes: Mapping[Edge, float], blend: Blend, *, odd_first: bool = True, in_turn: bool = True
) -> Body:
    """in_turn : whether edges that meet in a corner of unknown kind go one after the other."""
    left = dict(sizes)
    for _ in range(MOST_PASSES):
        graph = EdgeGraph(body)
        left = with_chains(graph, left)
        now = first_pass(graph, left, odd_first)
        if in_turn:
            body, replaced, now = _widest_pass(body, now, graph, left, blend)
        else:
            body, replaced = _passed(body, now, blend)
        kept = {replaced.get(edge, edge): size for edge, size in left.items() if edge not in now}
        left = {edge: size for edge, size in kept.items() if edge is not None}
        if not left:
            return with_whole_faces(body)
    raise ModellingError(f"so many edges meet that more than {MOST_PASSES} passes would be needed")


def _widest_pass(
    body: Body, now: dict[Edge, float], graph: EdgeGraph, sizes: Mapping[Edge, float], blend: Blend
) -> tuple[Body, dict[Edge, Edge | None], dict[Edge, float]]:
    """A pass of all edges that need not wait; at a corner of unknown kind, one chain alone."""
    try:
        return *_passed(body, now, blend), now
    except UnknownCornerError as error:
        chains = {frozenset(graph.chain(edge) & set(sizes)): None for edge in error.edges}
        for chain in chains if len(chains) > 1 else ():
            try:
                alone = {edge: sizes[edge] for edge in sizes if edge in chain}
                return *_passed(body, alone, blend), alone
            except UnknownCornerError:
                continue
        raise


def _passed(body: Body, sizes: Mapping[Edge, float], blend: Blend) -> tuple[Body, dict[Edge, Edge | None]]:
    strips: dict[Edge, Strip] = {}
    for edge, size in sizes.items():
        strip = blend.make(edge, sides_of(body.faces_of_edge[edge]), size)
        if strip is None:
            x, y, z = edge.midpoint()
            raise ModellingError(
                f"a {edge.curve.kind} edge between these faces cannot be {blend.verb} yet, "
                f"at ({x:.6g}, {y:.6g}, {z:.6g})"
            )
        strips[edge] = strip
    around = Surroundings(strips, body.faces_of_edge, (blend.corner_name,))
    ends = {v for edge in strips for v in (edge.start, edge.end) if v is not None}
    _solve_corners(around, fans_at(body.brep_faces, ends))
    rewriter = Rewriter(strips, around.changes, (blend.strip_name,))
    lumps = rewriter.run(body.pieces)
    left = collapsed(lumps)
    made: list[tuple[Face | None, Strip | None]] = [
        (left.faces[rewriter.strip_faces[edge]], strip) for edge, strip in strips.items()
    ]
    made += [(left.faces[face], None) for face, _ in around.changes.corners]
    new = [(face, strip) for face, strip in made if face is not None]
    old = [left.faces[face] for face in rewriter.new_faces.values()]
    refuse_crossing_loops([*(face for face in old if face is not None), *(face for face, _ in new)])
    result = Body.made(left.lumps, body.unit)
    refuse_collisions(left.lumps, new)
    changed = {edge: rewriter.replaced.get(edge, edge) for edge in body.faces_of_edge}
    return result, {edge: left.edges.get(new, new) for edge, new in changed.items()}


def _solve_corners(around: Surroundings, fans: Mapping[Vertex, list[list[Wedge]]]) -> None:
    """Raises the first error, with all corners that cannot be solved."""
    first: BlendError | None = None
    corners = set()
    for vertex, here in fans.items():
        for fan in here:
            try:
                solve_corner(around, vertex, fan)
            except BlendError as error:
                first = first or error
                corners.add(vertex)
    if first is not None:
        first.corners = frozenset(corners)
        raise first
