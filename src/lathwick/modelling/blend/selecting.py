"""Which edges are blended, with which size, and in which order.

Chains of edges that continue each other smoothly are followed. Where edges of both kinds, convex and
concave, meet, the odd one goes first: its strip then joins the others to one smooth chain. Where sizes
differ, the larger goes first, and the smaller ball rolls over it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass

from ...errors import ModellingError
from ...geometry.tolerance import SMOOTH
from ...geometry.vector import distance
from ...topology.body import Body
from ...topology.brep import Edge
from ...topology.sets import Sets
from ..refitting.sides import pointed_ends, sides_of, turn_at
from ..refitting.wedges import EdgeEnd, Wedge, continues, stars_at, touching_sides

SAME_SIZE = 1e-9

Changing = Mapping[Edge, tuple[float, float]]
"""Edges along which the size changes, each with the sizes at its start and its end."""


@dataclass(frozen=True)
class Row:
    """The edges of a chain one after the other, each with the end at which one comes to it (False: its
    start), and whether the last goes on in the first."""

    ends: tuple[EdgeEnd, ...]
    closes: bool


class EdgeGraph:
    """The edges of a body as they meet in its vertices. to_tip : whether a chain goes on along an edge whose
    faces come to meet smoothly at its other end; by default never."""

    def __init__(self, body: Body, *, to_tip: Callable[[Edge], bool] | None = None) -> None:
        self.uses = body.faces_of_edge
        self._to_tip = to_tip
        ends = {v for edge in self.uses for v in (edge.start, edge.end) if v is not None}
        self.stars = stars_at(body.brep_faces, ends)
        self._turns: dict[Edge, float] = {}

    def turn(self, edge: Edge) -> float:
        """The angle between the outward normals, positive where convex; 0.0 where the faces meet smoothly."""
        if edge not in self._turns:
            turn = turn_at(edge, sides_of(self.uses[edge]), 0.5 * (edge.t0 + edge.t1))
            self._turns[edge] = turn if abs(turn) > SMOOTH else 0.0
        return self._turns[edge]

    def next_in_chain(self, end: EdgeEnd) -> EdgeEnd | None:
        """The one sharp edge that continues another smoothly at its end, if all others there are smooth."""
        edge, at_end = end
        vertex = edge.end if at_end else edge.start
        if vertex is None or self.is_tip(end):
            return None
        for star in self.stars[vertex]:
            ends = [wedge.exit for wedge in star]
            if end in ends:
                sharp = [e for e in ends if e != end and self.turn(e[0]) != 0.0]
                if len(sharp) == 1 and self._goes_on(end, sharp[0]) and self._may_follow(sharp[0]):
                    return sharp[0]
                return self._past_touch(end, star)
        return None

    def is_tip(self, end: EdgeEnd) -> bool:
        """Whether the faces of an edge come to meet smoothly at an end of it."""
        return pointed_ends(end[0], sides_of(self.uses[end[0]]))[end[1]]

    def _may_follow(self, end: EdgeEnd) -> bool:
        """Whether a chain may go on along an edge from one end of it."""
        if self.is_tip(end):
            return False
        return not self.is_tip((end[0], not end[1])) or (self._to_tip is not None and self._to_tip(end[0]))

    def chain(self, edge: Edge) -> set[Edge]:
        """The edge and all that continue it smoothly."""
        found, todo = {edge}, [edge]
        while todo:
            one = todo.pop()
            for at_end in (False, True):
                other = self.next_in_chain((one, at_end))
                if other is not None and other[0] not in found:
                    found.add(other[0])
                    todo.append(other[0])
        return found

    def row(self, edge: Edge) -> Row:
        """The chain of an edge, as one runs along it and along the edge; one that closes begins with that."""
        ahead, closes = self._walk((edge, True))
        behind = [] if closes else self._walk((edge, False))[0]
        before = [(one, not at_end) for one, at_end in reversed(behind)]
        return Row((*before, (edge, False), *ahead), closes)

    def _walk(self, out: EdgeEnd) -> tuple[list[EdgeEnd], bool]:
        """From an end of an edge on; and whether one comes back to it."""
        found: list[EdgeEnd] = []
        first = out[0]
        while (following := self.next_in_chain(out)) is not None and following[0] is not first:
            found.append(following)
            out = following[0], not following[1]
        return found, following is not None

    def _goes_on(self, one: EdgeEnd, two: EdgeEnd) -> bool:
        same_kind = (self.turn(one[0]) > 0.0) == (self.turn(two[0]) > 0.0)
        return same_kind and continues(one, two)

    def _past_touch(self, end: EdgeEnd, star: list[Wedge]) -> EdgeEnd | None:
        """The edge that continues another along one face, where edges of the other kind touch both."""
        for wedge in touching_wedges(self, star):
            if end in (wedge.entry, wedge.exit):
                return wedge.exit if end == wedge.entry else wedge.entry
        return None


def touching_wedges(graph: EdgeGraph, star: list[Wedge]) -> list[Wedge]:
    """Where two convex edges that continue each other touch two concave ones that do: the face along either
    pair. Else none."""
    sides = touching_sides(star)
    if sides is None:
        return []
    kinds = [[graph.turn(end[0]) for end in (side.entry, side.exit)] for side in sides]
    (a, b), (c, d) = kinds
    return list(sides) if a * b > 0.0 and c * d > 0.0 and a * c < 0.0 else []


def chains_of(graph: EdgeGraph, sizes: Mapping[Edge, float]) -> list[dict[Edge, float]]:
    """The edges in groups of those that continue each other smoothly."""
    left, found = dict(sizes), list[dict[Edge, float]]()
    while left:
        chain = graph.chain(next(iter(left))) & left.keys()
        found.append({edge: left.pop(edge) for edge in sizes if edge in chain})
    return found


def chain_told(chains: Sequence[dict[Edge, float]], told: Edge) -> dict[Edge, float]:
    """The chain with an edge that a refusal tells of, or next to one that an earlier pass has made."""
    place = told.midpoint()
    mine = next((chain for chain in chains if told in chain), None)
    return mine or min(chains, key=lambda chain: min(distance(edge.midpoint(), place) for edge in chain))


def smooth_of(graph: EdgeGraph, edges: Iterable[Edge]) -> list[Edge]:
    """Those of some edges that lie between faces which meet smoothly, and have no corner to take off."""
    return [edge for edge in edges if graph.turn(edge) == 0.0]


def with_chains(
    graph: EdgeGraph, sizes: Mapping[Edge, float], changing: Changing
) -> tuple[dict[Edge, float], Changing]:
    """The edges and all that continue them, each with its size; and those along which it changes.

    The size changes along one edge that joins two chosen ones of unlike sizes smoothly; `changing` has those
    found before. Raises ModellingError for an edge between faces that meet smoothly, and where chosen edges
    of unlike sizes continue each other without one between.
    """
    if smooth_of(graph, sizes):
        raise ModellingError("an edge lies between faces that meet smoothly")
    found, todo, between = dict(sizes), [edge for edge in sizes if edge not in changing], dict[Edge, None]()
    while todo:
        edge = todo.pop()
        for at_end in (False, True):
            end = graph.next_in_chain((edge, at_end))
            if end is None or end[0] in changing or end[0] in between or edge in between:
                continue
            if end[0] not in found:
                found[end[0]] = found[edge]
                todo.append(end[0])
            elif abs(found[end[0]] - found[edge]) > SAME_SIZE:
                joins = [e for e in (edge, end[0]) if _joins_chosen(graph, e, sizes)]
                if not joins:
                    raise _unlike(found[edge], found[end[0]])
                between[joins[0]] = None
    new = {edge: _sizes_beside(graph, edge, found) for edge in between}
    return {**found, **{edge: max(ends) for edge, ends in new.items()}}, {**changing, **new}


def _joins_chosen(graph: EdgeGraph, edge: Edge, sizes: Mapping[Edge, float]) -> bool:
    """Whether an edge that is not chosen lies between two that are."""
    beside = [graph.next_in_chain((edge, at_end)) for at_end in (False, True)]
    return edge not in sizes and all(end is not None and end[0] in sizes for end in beside)


def _sizes_beside(graph: EdgeGraph, edge: Edge, sizes: Mapping[Edge, float]) -> tuple[float, float]:
    """The sizes of the edges before and after one that joins them."""
    before, after = (graph.next_in_chain((edge, at_end)) for at_end in (False, True))
    assert before is not None and after is not None
    return sizes[before[0]], sizes[after[0]]


def _unlike(one: float, two: float) -> ModellingError:
    return ModellingError(
        f"edges that continue each other smoothly have sizes {one:g} and {two:g}; give them the same"
    )


def has_mixed_corner(graph: EdgeGraph, sizes: Mapping[Edge, float]) -> bool:
    """Whether convex and concave ones of the edges meet."""
    return any(
        not _one_kind(graph, mine)
        for stars in graph.stars.values()
        for star in stars
        if (mine := _chosen_at(star, sizes))
    )


def first_pass(
    graph: EdgeGraph, sizes: Mapping[Edge, float], odd_first: bool = True, turning: bool = False
) -> dict[Edge, float]:
    """Those of the edges that need not wait for others; if all of them wait, those that wait for the
    fewest. odd_first : whether, where convex and concave ones meet, the odd one does not wait. turning : if
    all wait, whether that is turned round at one corner."""
    corners = [
        (star, mine)
        for stars in graph.stars.values()
        for star in stars
        if len(mine := _chosen_at(star, sizes)) > 1
    ]
    last = [corner for corner in corners if not odd_first and not _one_kind(graph, corner[1])]
    free, waiting, groups = set[Edge](), dict[int, int](), dict[Edge, int]()
    for balls in (True, False):  # corners that balls close stay whole, if that is possible
        groups = _together(graph, corners, sizes, balls)
        waiting = _waiting(graph, corners, sizes, groups, last)
        free = _free(graph, corners, groups, waiting, last)
        if not free and turning:
            free = _free_if_turned(graph, corners, sizes, groups)
        if free:
            break
    for group in sorted(waiting, key=lambda k: waiting[k]):
        if free:
            break
        members = {edge for edge in sizes if groups[edge] == group}
        free = _without_halves_of_corners(graph, corners, groups, members, last)
    return {edge: size for edge, size in sizes.items() if edge in (free or graph.chain(next(iter(sizes))))}


def _free(
    graph: EdgeGraph,
    corners: list[Corner],
    groups: dict[Edge, int],
    waiting: dict[int, int],
    last: list[Corner],
) -> set[Edge]:
    """The edges that wait for no others."""
    ready = {edge for edge, group in groups.items() if not waiting[group]}
    return _without_halves_of_corners(graph, corners, groups, ready, last)


def _free_if_turned(
    graph: EdgeGraph, corners: list[Corner], sizes: Mapping[Edge, float], groups: dict[Edge, int]
) -> set[Edge]:
    """The edges that wait for no others if, at one corner of three with edges of both kinds, the odd one goes
    last."""
    for corner in corners:
        if len(corner[0]) == len(corner[1]) == 3 and not _one_kind(graph, corner[1]):
            waiting = _waiting(graph, corners, sizes, groups, [corner])
            free = _free(graph, corners, groups, waiting, [corner])
            if free:
                return free
    return set()


def _waiting(
    graph: EdgeGraph,
    corners: list[Corner],
    sizes: Mapping[Edge, float],
    groups: dict[Edge, int],
    last: list[Corner],
) -> dict[int, int]:
    """For how many others each group waits. last : corners at which the odd one waits."""
    waits: dict[int, set[int]] = {}
    for corner in corners:
        first, later = _order(graph, *corner, sizes)
        if corner in last:
            first, later = later, first
        for edge in later:
            waits.setdefault(groups[edge], set()).update(groups[other] for other in first)
    return {group: len(waits.get(group, set()) - {group}) for group in groups.values()}


def _chosen_at(star: list[Wedge], sizes: Mapping[Edge, float]) -> list[Edge]:
    return list(dict.fromkeys(wedge.leaves.edge for wedge in star if wedge.leaves.edge in sizes))


Corner = tuple[list[Wedge], list[Edge]]
"""A star, and the chosen edges in it."""


def _together(
    graph: EdgeGraph, corners: list[Corner], sizes: Mapping[Edge, float], balls: bool
) -> dict[Edge, int]:
    """A number for each edge, the same for those that go in one pass: chains, edges that are mitred, and, if
    `balls`, all edges of a corner that are of one kind and size."""
    number = {edge: k for k, edge in enumerate(sizes)}
    sets = Sets(len(number))
    for star, mine in corners:
        pairs = _pairs(graph, star) or [mine]
        for pair in pairs:
            if len(pair) == 2 and _one_kind(graph, pair) and all(edge in sizes for edge in pair):
                sets.join(number[pair[0]], number[pair[1]])
        alike = len(mine) == len(star) and _one_kind(graph, mine) and len({sizes[e] for e in mine}) == 1
        if balls and alike:
            for edge in mine[1:]:
                sets.join(number[mine[0]], number[edge])
    return {edge: sets.find(k) for edge, k in number.items()}


def _without_halves_of_corners(
    graph: EdgeGraph, corners: list[Corner], groups: dict[Edge, int], free: set[Edge], last: list[Corner]
) -> set[Edge]:
    """Of three or more edges of one kind at a corner all go at once, or one first and then the rest as a
    chain; of edges of both kinds one, or, where the odd one goes last, two."""
    left = set(free)
    while True:
        dropped = {
            groups[edge]
            for star, mine in corners
            if len(mine) > 2
            and not left.issuperset(mine)
            and not _pairs(graph, star)
            and not (
                (star, mine) in last
                and len(left.intersection(mine)) == 2
                and _one_kind(graph, left.intersection(mine))
                and not _one_kind(graph, mine)
            )
            for edge in [e for e in mine if e in left][1:]
        }
        if not dropped:
            return left
        left = {edge for edge in left if groups[edge] not in dropped}


def _one_kind(graph: EdgeGraph, edges: Iterable[Edge]) -> bool:
    return len({graph.turn(edge) > 0.0 for edge in edges}) == 1


def _order(
    graph: EdgeGraph, star: list[Wedge], mine: list[Edge], sizes: Mapping[Edge, float]
) -> tuple[list[Edge], list[Edge]]:
    """Which of the edges at a vertex go first, and which wait for them."""
    convex = [e for e in mine if graph.turn(e) > 0.0]
    concave = [e for e in mine if graph.turn(e) < 0.0]
    if convex and concave and _is_saddle(graph, star):
        return (convex, concave) if len(convex) > len(concave) else (concave, convex)
    if convex and concave and touching_wedges(graph, star):
        return convex, concave
    if convex and concave:
        return _odd_first(graph, [wedge.leaves.edge for wedge in star], convex, concave)
    largest = max(sizes[e] for e in mine)
    first = [e for e in mine if sizes[e] >= largest - SAME_SIZE]
    return first, [e for e in mine if sizes[e] < largest - SAME_SIZE]


def _is_saddle(graph: EdgeGraph, star: list[Wedge]) -> bool:
    """Whether four edges are convex and concave in turn."""
    turns = [graph.turn(wedge.leaves.edge) for wedge in star]
    return len(star) == 4 and all(turns[k - 1] * turns[k] < 0.0 for k in range(4))


def _pairs(graph: EdgeGraph, star: list[Wedge]) -> list[list[Edge]]:
    """The two pairs of opposite edges at a saddle, or those that continue each other where they touch; none
    at other vertices."""
    edges = [wedge.leaves.edge for wedge in star]
    if _is_saddle(graph, star):
        return [edges[0::2], edges[1::2]]
    return [[side.arrives.edge, side.leaves.edge] for side in touching_wedges(graph, star)]


def _odd_first(
    graph: EdgeGraph, here: list[Edge], convex: list[Edge], concave: list[Edge]
) -> tuple[list[Edge], list[Edge]]:
    total = sum(graph.turn(e) > 0.0 for e in here), sum(graph.turn(e) < 0.0 for e in here)
    return (convex, concave) if total[0] < total[1] else (concave, convex)
