"""One pass after the other, until all edges have their strips; and in which other ways they can get them."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import partial
from typing import TypeVar

from ...errors import ModellingError
from ...topology.body import Body
from ...topology.boxes import measure_edges
from ...topology.brep import Edge, Face, Vertex
from ...topology.collapse import Collapsed, collapsed
from ...topology.names import FaceName
from ..boolean.regrouping import with_whole_faces
from ..outcomes import Made, Outcome, first_made, outcome_of, value_of
from ..refitting.collisions import refuse_collisions
from ..refitting.crossing_loops import refuse_crossing_loops, refuse_short_edges
from ..refitting.errors import FitError
from ..refitting.sides import sides_of
from ..refitting.wedges import Wedge, stars_at
from .apart import apart_at_corners
from .blaming import blame, blame_new
from .corners import solve_corner
from .crossing_rounds import Crossing, close_crossing, crossing, ends_round
from .easing import Plan, eased
from .narrow_rounds import past_narrow_rounds
from .remembering import made_once
from .rewriting import Rewriter
from .selecting import Changing, EdgeGraph, first_pass, with_chains
from .strips import ChangingMaker, Maker, Strip
from .vertex_stars import Surroundings, UnknownCornerError

T = TypeVar("T")

Passed = tuple[Body, dict[Edge, Edge | None]]
"""What a pass leaves, and what has become of the edges."""

PassKey = tuple[Body, frozenset[tuple[Edge, float]], frozenset[tuple[Edge, tuple[float, float]]]]

Attempt = Callable[[Body, Mapping[Edge, float], "Blend"], Body]

MOST_PASSES = 24
MOST_CHAINS = 40
"""More edges than this are not tried one chain after the other: that takes long."""


@dataclass(frozen=True)
class Blend:
    """What is done to edges: how strips are made, what the verb and its size are called, and the names of
    the new faces. make_changing : strips along which the size changes, if there are such. rolls : whether it
    is done by a ball. facets : whether flat bevels get a facet where three meet, and not a point. known :
    passes made before, or why they cannot be: several ways begin alike."""

    make: Maker
    verb: str
    size: str
    strip_name: FaceName
    corner_name: FaceName
    make_changing: ChangingMaker | None = None
    rolls: bool = True
    facets: bool = False
    known: dict[PassKey, Outcome[Passed]] = field(default_factory=dict)


def passes_or_past_rounds(body: Body, sizes: Mapping[Edge, float], blend: Blend) -> Body:
    """All passes; if they fail, strips that pass over the rounds in which they find no room."""
    return value_of(first_made([
        lambda: all_passes(body, sizes, blend),
        lambda: past_narrow_rounds(
            body, sizes, blend.make, lambda sharp, left: all_passes(sharp, left, blend)
        ),
    ]))  # fmt: skip


def attempt_apart(body: Body, sizes: Mapping[Edge, float], blend: Blend) -> Body:
    """Groups of edges by themselves, parted at corners that cannot be closed."""
    return apart_at_corners(
        body,
        sizes,
        lambda some: all_passes(body, some, blend, in_turn=False),
        lambda some: all_passes(body, some, blend),
    )


def all_passes(
    body: Body,
    sizes: Mapping[Edge, float],
    blend: Blend,
    *,
    odd_first: bool = True,
    in_turn: bool = True,
    to_tips: bool = False,
    turning: bool = False,
) -> Body:
    """in_turn : whether edges that meet in a corner of unknown kind go one after the other. to_tips : whether
    chains go on along edges that come to be smooth. turning : whether, if all edges wait for others, that is
    turned round at a corner."""
    left: Mapping[Edge, float] = sizes
    changing: Changing = {}
    for _ in range(MOST_PASSES):
        graph = _graph(body, left, blend, to_tips)
        left, changing = with_chains(graph, left, changing)
        if changing and blend.make_changing is not None:
            plan = eased(Plan(body, left, changing), blend.make_changing)
            body, left, changing = plan.body, plan.sizes, plan.changing
            graph = _graph(body, left, blend, to_tips)
        now = first_pass(graph, left, odd_first, turning)
        if in_turn:
            body, replaced, now = _widest_pass(body, now, graph, (left, changing), blend)
        else:
            body, replaced = _passed(body, now, changing, blend)
        left = _carried({edge: size for edge, size in left.items() if edge not in now}, replaced)
        changing = _carried({edge: sizes for edge, sizes in changing.items() if edge not in now}, replaced)
        if not left:
            return with_whole_faces(body)
    raise ModellingError(f"so many edges meet that more than {MOST_PASSES} passes would be needed")


def _graph(body: Body, sizes: Mapping[Edge, float], blend: Blend, to_tips: bool) -> EdgeGraph:
    """to_tips : whether chains go on to where an edge comes to be smooth, if that edge can be blended with
    the largest of the sizes."""
    if not to_tips:
        return EdgeGraph(body)
    most = max(sizes.values())

    def can_follow(edge: Edge) -> bool:
        found = outcome_of(lambda: blend.make(edge, sides_of(body.faces_of_edge[edge]), most))
        return isinstance(found, Made) and found.value is not None

    return EdgeGraph(body, to_tip=can_follow)


def one_by_one(body: Body, sizes: Mapping[Edge, float], blend: Blend) -> Body:
    """One chain after the other; one that cannot be blended yet comes to the end of the row."""
    left: Mapping[Edge, float] = sizes
    if len(left) > MOST_CHAINS:
        raise ModellingError("so many edges are not blended one after the other")
    for _ in range(MOST_CHAINS):
        graph = EdgeGraph(body)
        left, changing = with_chains(graph, left, {})
        if changing:
            break
        body, replaced, now = _first_chain(body, left, graph, blend)
        order = list(left)
        after = order.index(next(iter(now)))
        left = _carried(
            {edge: left[edge] for edge in order[after:] + order[:after] if edge not in now}, replaced
        )
        if not left:
            return with_whole_faces(body)
    raise ModellingError("the edges cannot be blended one after the other")


def _first_chain(
    body: Body, left: Mapping[Edge, float], graph: EdgeGraph, blend: Blend
) -> tuple[Body, dict[Edge, Edge | None], dict[Edge, float]]:
    """The first chain that can be blended alone."""
    chains = dict.fromkeys(frozenset(graph.chain(edge) & set(left)) for edge in left)
    each = [{edge: left[edge] for edge in left if edge in chain} for chain in chains]

    def alone(chain: dict[Edge, float]) -> tuple[Body, dict[Edge, Edge | None], dict[Edge, float]]:
        return *_passed(body, chain, {}, blend), chain

    return value_of(first_made(partial(alone, chain) for chain in each))


def on_to_tips(body: Body, sizes: Mapping[Edge, float], blend: Blend) -> Body:
    """Chains that go on along edges that come to be smooth. Raises ModellingError if there are none."""
    short, long = EdgeGraph(body), _graph(body, sizes, blend, True)
    if all(short.chain(edge) == long.chain(edge) for edge in sizes):
        raise ModellingError("no chain goes on along an edge that comes to be smooth")
    return all_passes(body, sizes, blend, to_tips=True)


MIXED_WAYS: tuple[Attempt, ...] = (
    partial(all_passes, to_tips=True, turning=True),
    partial(all_passes, odd_first=False),
    partial(all_passes, odd_first=False, to_tips=True),
    partial(all_passes, to_tips=True),
)
"""Where convex and concave edges meet: the odd one last; its chain going on to where the strips of the others
meet smoothly."""


def _carried(values: Mapping[Edge, T], replaced: Mapping[Edge, Edge | None]) -> dict[Edge, T]:
    """The values of edges by the edges that replace them, as far as these are left."""
    kept = {replaced.get(edge, edge): value for edge, value in values.items()}
    return {edge: value for edge, value in kept.items() if edge is not None}


def _widest_pass(
    body: Body,
    now: dict[Edge, float],
    graph: EdgeGraph,
    left: tuple[Mapping[Edge, float], Changing],
    blend: Blend,
) -> tuple[Body, dict[Edge, Edge | None], dict[Edge, float]]:
    """A pass of all edges that need not wait; at a corner of unknown kind, one chain alone."""
    sizes, changing = left
    try:
        return *_passed(body, now, changing, blend), now
    except UnknownCornerError as error:
        chains = {frozenset(graph.chain(edge) & set(sizes)): None for edge in error.edges}
        for chain in chains if len(chains) > 1 else ():
            try:
                alone = {edge: sizes[edge] for edge in sizes if edge in chain}
                return *_passed(body, alone, changing, blend), alone
            except UnknownCornerError:
                continue
        raise


def _passed(body: Body, sizes: Mapping[Edge, float], changing: Changing, blend: Blend) -> Passed:
    """One pass. Raises ModellingError where it cannot be made."""
    here = {edge: ends for edge, ends in changing.items() if edge in sizes}
    key = body, frozenset(sizes.items()), frozenset(here.items())
    return made_once(blend.known, key, partial(_pass, body, sizes, here, blend))


def _pass(body: Body, sizes: Mapping[Edge, float], changing: Changing, blend: Blend) -> Passed:
    crossings = _crossings(body, sizes) if blend.rolls else {}
    plain = {edge: size for edge, size in sizes.items() if edge not in crossings}
    strips = _strips(body, plain, changing, blend)
    around = Surroundings(strips, body.faces_of_edge, (blend.corner_name,), blend.facets)
    ends = {v for edge in strips for v in (edge.start, edge.end) if v is not None}
    for found in crossings.values():
        close_crossing(around, found)
        ends -= {found.edge.start, found.edge.end}
    _solve_corners(around, stars_at(body.brep_faces, ends))
    rewriter = Rewriter(strips, around.changes, (blend.strip_name,), body.faces_of_edge)
    left = collapsed(rewriter.run(body.pieces))
    try:
        result = _checked(body, left, rewriter)
    except FitError as error:
        blame_new(
            error, {edge: left.faces[face] for edge, face in rewriter.strip_faces.items()}, body.faces_of_edge
        )
        raise
    changed = {edge: rewriter.replaced.get(edge, edge) for edge in body.faces_of_edge}
    gone: dict[Edge, Edge | None] = {edge: None for edge, _ in around.changes.replaced}
    return result, {edge: left.edges.get(new, new) for edge, new in changed.items()} | gone


def _checked(body: Body, left: Collapsed, rewriter: Rewriter) -> Body:
    """What a pass has made of a body. Raises FitError if it is not sound."""
    made: list[tuple[Face | None, Edge | None]] = [
        (left.faces[rewriter.strip_faces[edge]], edge) for edge in rewriter.strips
    ]
    made += [(left.faces[face], None) for face, _ in rewriter.changes.corners]
    new = [(face, edge) for face, edge in made if face is not None]
    old = [left.faces[face] for face in rewriter.new_faces.values()]
    changed_faces = [*(face for face in old if face is not None), *(face for face, _ in new)]
    measure_edges(coedge.edge for face in changed_faces for coedge in face.coedges())
    refuse_short_edges(changed_faces, body.faces_of_edge)
    rings = {face for face, edge in new if edge is not None and edge.is_closed}
    refuse_crossing_loops(changed_faces, rings)
    result = Body.made(left.lumps, body.unit)
    refuse_collisions(left.lumps, new)
    return result


def _strips(body: Body, sizes: Mapping[Edge, float], changing: Changing, blend: Blend) -> dict[Edge, Strip]:
    """The strips of edges. Raises ModellingError for an edge of a kind for which there are none."""
    strips: dict[Edge, Strip] = {}
    for edge, size in sizes.items():
        faces = sides_of(body.faces_of_edge[edge])
        try:
            if edge not in changing:
                strip = blend.make(edge, faces, size)
            else:
                strip = blend.make_changing(edge, faces, changing[edge]) if blend.make_changing else None
        except FitError as error:
            blame(error, [edge], body.faces_of_edge)
            raise
        if strip is None:
            x, y, z = edge.midpoint()
            raise ModellingError(
                f"a {edge.curve.kind} edge between these faces cannot be {blend.verb} yet, "
                f"at ({x:.6g}, {y:.6g}, {z:.6g})"
            )
        strips[edge] = strip
    return strips


def _crossings(body: Body, sizes: Mapping[Edge, float]) -> dict[Edge, Crossing]:
    """Where chains pass over rounds of their own radius."""
    likely = [edge for edge in sizes if ends_round(edge, sides_of(body.faces_of_edge[edge]), sizes[edge])]
    graph = EdgeGraph(body) if likely else None
    found = {edge: crossing(edge, graph, sizes) for edge in likely if graph is not None}
    return {edge: one for edge, one in found.items() if one is not None}


def _solve_corners(around: Surroundings, stars: Mapping[Vertex, list[list[Wedge]]]) -> None:
    """Raises the first error, with all corners that cannot be solved."""
    first: FitError | None = None
    corners = set()
    for vertex, here in stars.items():
        for star in here:
            try:
                solve_corner(around, vertex, star)
            except FitError as error:
                mine = [wedge.leaves.edge for wedge in star if wedge.leaves.edge in around.strips]
                blame(error, mine, around.uses)
                first = first or error
                corners.add(vertex)
    if first is not None:
        first.corners = frozenset(corners)
        raise first
