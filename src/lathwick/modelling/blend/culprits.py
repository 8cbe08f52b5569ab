"""Which of the chosen edges cannot be blended at any size."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from ...errors import ModellingError
from ...topology.body import Body
from ...topology.brep import Edge
from .selecting import EdgeGraph, chains_of

MOST_CHAINS = 100
"""With more chains than this it takes too long to find out which cannot be blended alone."""

MOST_TOGETHER = 40
MOST_NAMED = 3

_Chain = dict[Edge, float]

Blended = Callable[[Mapping[Edge, float]], Body]
"""Blends some edges of the body at some size; raises ModellingError if it cannot."""


def why_none_works(body: Body, sizes: Mapping[Edge, float], alone: Blended, together: Blended) -> str:
    """What to say of edges for which no size works: those that cannot be blended even alone, or a few that
    cannot be blended together; "" if that would take too long to find out.

    alone, together : how one chain of edges, and several, are tried. Source: Zeller, "Yesterday, my program
    worked. Today, it does not. Why?", ESEC/FSE (1999), for the few that fail together.
    """
    chains = chains_of(EdgeGraph(body), sizes)
    if len(chains) > MOST_CHAINS:
        return ""
    never = chains if len(chains) == 1 else [chain for chain in chains if not _works(alone, [chain])]
    if len(never) == 1:
        return f"no size works for the edge {_places(never)}; leave it out"
    if never:
        return f"no size works for the edges {_places(never)}; leave them out"
    if len(chains) > MOST_TOGETHER:
        return ""
    few = _few_that_fail(chains, together)
    return f"at no size do the edges {_places(few)} go together; leave some out, or take a step for each"


def _few_that_fail(chains: list[_Chain], blended: Blended) -> list[_Chain]:
    """Of chains that fail together, some that still do; by halving, the last one of the first that fail."""
    found: list[_Chain] = []
    left = chains
    while left and _works(blended, found):
        low, high = 0, len(left)  # with the first `low` of those left they work, with `high` they do not
        while high - low > 1:
            middle = (low + high) // 2
            low, high = (middle, high) if _works(blended, found + left[:middle]) else (low, middle)
        found.append(left[high - 1])
        left = left[: high - 1]
    return found


def _works(blended: Blended, chains: Sequence[_Chain]) -> bool:
    if not chains:
        return True
    try:
        blended({edge: size for chain in chains for edge, size in chain.items()})
    except ModellingError:
        return False
    return True


def _places(chains: Sequence[_Chain]) -> str:
    middles = [next(iter(chain)).midpoint() for chain in chains]
    shown = [tuple(round(c, 9) + 0.0 for c in p) for p in middles[:MOST_NAMED]]
    named = ["near ({:.6g}, {:.6g}, {:.6g})".format(*p) for p in shown]
    more = len(middles) - len(named)
    return ", ".join(named) + (f" and {more} more" if more else "")
