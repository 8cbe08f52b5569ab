"""The largest size of many edges, looked for at those few that limit it, and proved for all."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from functools import partial

from ...topology.body import Body
from ...topology.brep import Edge
from ..limits import CLOSE, SMALL, Bracket, Build, Largest, Ways, largest_that_works
from ..outcomes import Outcome, Refused
from ..refitting.errors import FitError
from .selecting import EdgeGraph, chain_told, chains_of

MOST_PLACES = 3
"""In more places than this the size of all edges together is looked for."""

BEYOND = 1.02
"""What works for a few edges is the largest size for all, if they cannot be blended at so much more."""

BELOW = 1.0 - 2.0 * CLOSE
"""Where a few edges just fit, all of them fit with so much of the size, if that limits it."""

Builder = Callable[[Mapping[Edge, float]], list[Build]]
"""The ways to blend some edges, as functions of the size."""


def largest_for_all(
    body: Body,
    sizes: Mapping[Edge, float],
    builder: Builder,
    asked: tuple[float, Refused],
    small: Sequence[float] = SMALL,
) -> Largest | None:
    """As `largest_that_works` for all edges. asked : the size that does not work, and what was said of it.

    Only the edges that the error tells of are tried again and again, with those that meet them; then all of
    them with the largest size that these can have and with a little more, until nothing else is in the way.
    """
    most, refused = asked
    order: list[int] = []
    few = _around(body, sizes, refused)
    if few is not None and len(few) < len(sizes):
        some = builder(few)
        first = Ways.that_work(some, most, small)
        if first is None and _are_told(body, few, some[0](small[-1] * most), refused):
            return None
        order = [] if first is None else [some.index(build) for build in first.builds]
    found = _limited_by_few(body, sizes, builder, asked, small, order)
    return found or largest_that_works(builder(sizes), most, refused, small)


def are_hopeless(
    body: Body, sizes: Mapping[Edge, float], builder: Builder, asked: tuple[float, Refused], small: float
) -> bool:
    """Whether edges cannot be blended in some ways since the few that a refusal tells of cannot at a small
    share of the size, and are told of then too."""
    few = _around(body, sizes, asked[1])
    return few is not None and len(few) < len(sizes) and _never(body, few, builder, asked, small)


def is_hopeless_alone(
    body: Body, sizes: Mapping[Edge, float], builder: Builder, asked: tuple[float, Refused], small: float
) -> bool:
    """As `are_hopeless`, of the chain alone that a refusal tells of."""
    at = _told(asked[1])
    return at is not None and _never(
        body, chain_told(chains_of(EdgeGraph(body), sizes), at), builder, asked, small
    )


def _never(
    body: Body, few: Mapping[Edge, float], builder: Builder, asked: tuple[float, Refused], small: float
) -> bool:
    most, refused = asked
    found = [build(small * most) for build in builder(few)]
    return all(isinstance(one, Refused) for one in found) and _are_told(body, few, found[0], refused)


def _told(found: Outcome[Body]) -> Edge | None:
    """The edge that a refusal tells of."""
    return found.error.at if isinstance(found, Refused) and isinstance(found.error, FitError) else None


def _are_told(body: Body, few: Mapping[Edge, float], found: Outcome[Body], refused: Refused) -> bool:
    """Whether a refusal of a few edges tells of the same chain as one of all did."""
    at, told = _told(found), _told(refused)
    chains = chains_of(EdgeGraph(body), few)
    return at is not None and told is not None and chain_told(chains, at) is chain_told(chains, told)


def _limited_by_few(
    body: Body,
    sizes: Mapping[Edge, float],
    builder: Builder,
    asked: tuple[float, Refused],
    small: Sequence[float],
    order: list[int],
) -> Largest | None:
    """None if it is not found that way. order : of the ways, as they worked for the few before."""
    most, refused = asked
    builds, high = builder(sizes), 1.0
    for _ in range(MOST_PLACES):
        few = _around(body, sizes, refused)
        if few is None:
            lower = Ways(builds, most).refusal(0.5 * high)
            if lower is None:
                return None
            high, refused = 0.5 * high, lower
            continue
        if len(few) == len(sizes):
            return None
        some = builder(few)
        near = Ways([some[k] for k in order], most) if order else Ways.that_work(some, most * high, small)
        if near is None:
            return None
        near = Ways(near.builds, most, near)
        order = [some.index(build) for build in near.builds]
        here = near.refusal(high)
        bracket = None if here is None else near.halved(here, high)
        if bracket is None:
            return None
        found = near.bisected(bracket)
        ways = Ways([builds[some.index(build)] for build in near.builds], most)
        is_elsewhere = partial(_is_elsewhere, chains_of(EdgeGraph(body), sizes), few)
        largest = ways.told(found, is_elsewhere)
        if isinstance(largest, Refused) and not is_elsewhere(largest):
            largest = ways.told(replace(found, low=BELOW * found.low), is_elsewhere)
        if isinstance(largest, Refused):
            high, refused = found.low, largest
            continue
        above = BEYOND * found.high
        if above >= high or ways.refusal(above) is not None:
            return largest
        farther = ways.told(ways.bisected(Bracket(above, high, refused)))
        return farther if isinstance(farther, Largest) else largest
    return None


def _is_elsewhere(chains: Sequence[dict[Edge, float]], few: Mapping[Edge, float], refused: Refused) -> bool:
    """Whether what is refused is told of a chain with none of a few edges."""
    at = _told(refused)
    return at is not None and chain_told(chains, at).keys().isdisjoint(few)


def _around(body: Body, sizes: Mapping[Edge, float], refused: Refused) -> Mapping[Edge, float] | None:
    """The chains of the edge that a refusal tells of, those that end where it does, and those along the face
    that it tells of; None if it tells of none."""
    error = refused.error
    if not isinstance(error, FitError) or error.at is None:
        return None
    told, in_the_way = error.at, error.face.surface if error.face is not None else None
    chains = chains_of(EdgeGraph(body), sizes)
    mine = chain_told(chains, told)
    ends = {vertex for edge in mine for vertex in (edge.start, edge.end) if vertex is not None}
    return {
        edge: size
        for chain in chains
        if chain is mine
        or any(edge.start in ends or edge.end in ends for edge in chain)
        or any(face.surface is in_the_way for edge in chain for face, _ in body.faces_of_edge[edge])
        for edge, size in chain.items()
    }
