"""Which of the chosen edges cannot be blended at any size, and which are left without them."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from ...topology.body import Body
from ...topology.brep import Edge
from ..outcomes import Made, Outcome, Refused
from ..refitting.errors import FitError
from .blaming import places
from .selecting import EdgeGraph, chain_told, chains_of

MOST_CHAINS = 100
"""With more chains than this it takes too long to find out which cannot be blended alone."""

MOST_TOGETHER = 40
MOST_LEFT_OUT = 4
"""More chains that do not go with others are not looked for."""

MOST_NAMED = 3

_Chain = dict[Edge, float]

Blended = Callable[[Mapping[Edge, float]], Outcome[Body]]
"""Blends some edges of the body at some size, or refuses to."""


@dataclass(frozen=True)
class Culprits:
    """Why edges cannot be blended together, what to do about it, and which `out` to leave out so that those
    `left` can be blended, with their sizes; none left if it is not known of any."""

    why: str
    remedy: str
    out: str = ""
    left: Mapping[Edge, float] = field(default_factory=dict)


def culprits(
    body: Body, sizes: Mapping[Edge, float], alone: Blended, together: Blended, refused: Refused
) -> Culprits | None:
    """Of edges for which no size works, those that cannot be blended even alone, or else a few without which
    the others can be; None if that would take too long to find out.

    alone, together : how one chain of edges, and several, are tried. refused : why all are not. Source:
    Zeller, "Yesterday, my program worked. Today, it does not. Why?", ESEC/FSE (1999), for the few that fail
    together.
    """
    chains = chains_of(EdgeGraph(body), sizes)
    if len(chains) > MOST_CHAINS:
        return None
    never = chains if len(chains) == 1 else [chain for chain in chains if not _works(alone, [chain])]
    if never:
        why, remedy = f"no size works for {_named(never)}", f"leave {'them' if len(never) > 1 else 'it'} out"
        return _without(never, chains, together, Culprits(why, remedy))
    if len(chains) > MOST_TOGETHER:
        found = few_spoilers(body, sizes, together, refused, MOST_LEFT_OUT)
        why = "at no size do all of these edges go together"
        return None if found is None else Culprits(why, "leave some out", found.out, found.left)
    few = _few_that_fail(chains, together)
    why, remedy = f"at no size do {_named(few)} go together", "leave some out, or take a step for each"
    return _without(few[:1], chains, together, Culprits(why, remedy))


@dataclass(frozen=True)
class Spoilers:
    """Chains that spoil a size for the others: what they are called, and the sizes of all others."""

    out: str
    left: Mapping[Edge, float]


def spoilers(body: Body, sizes: Mapping[Edge, float], blended: Blended) -> Spoilers | None:
    """The chains of edges without which all others can be blended: those that cannot be even alone, and then
    the last of each few that do not go together. None if there is but one chain, or nothing would be left."""
    chains = chains_of(EdgeGraph(body), sizes)
    return _spoilers(chains, blended) if len(chains) > 1 else None


def few_spoilers(
    body: Body, sizes: Mapping[Edge, float], blended: Blended, refused: Refused, most: int
) -> Spoilers | None:
    """As `spoilers`, soon: what a refusal tells of is left out, and what the next one tells of, up to `most`
    chains; then those of them that go with the others are taken in again. None if that leads nowhere."""
    chains = chains_of(EdgeGraph(body), sizes)
    out: list[_Chain] = []
    while len(out) < min(most, len(chains) - 1):
        told = refused.error.at if isinstance(refused.error, FitError) else None
        here = None if told is None else chain_told(chains, told)
        if here is None or here in out:
            return None
        out.append(here)
        found = blended(_sizes([chain for chain in chains if chain not in out]))
        if isinstance(found, Made):
            return _least(out, chains, blended)
        refused = found
    return None


def _least(out: list[_Chain], chains: list[_Chain], blended: Blended) -> Spoilers:
    """Of chains without which the others can be blended those that are in the way."""
    for chain in out[:-1]:  # without the last it was refused
        fewer = [one for one in out if one is not chain]
        if _works(blended, [one for one in chains if one not in fewer]):
            out = fewer
    return Spoilers(_named(out, len(out)), _sizes([chain for chain in chains if chain not in out]))


def _spoilers(chains: list[_Chain], blended: Blended) -> Spoilers | None:
    out = [chain for chain in chains if not _works(blended, [chain])]
    while len(out) < len(chains):
        left = [chain for chain in chains if chain not in out]
        few = _few_that_fail(left, blended)
        if not few:
            return Spoilers(_named(out, len(out)), _sizes(left)) if out else None
        out.append(few[0])
    return None


def _without(out: list[_Chain], chains: list[_Chain], blended: Blended, told: Culprits) -> Culprits:
    """Leave out some chains, and one of each few of the others that do not go together."""
    for _ in range(MOST_LEFT_OUT):
        left = [chain for chain in chains if chain not in out]
        few = _few_that_fail(left, blended)
        if not few:
            return replace(told, out=_named(out, len(out)), left=_sizes(left))
        out = [*out, few[0]]
    return told


def _few_that_fail(chains: list[_Chain], blended: Blended) -> list[_Chain]:
    """Of chains that fail together, some that still do, those that come last first; none if they do not fail.
    By halving: the last one of the first that fail, and so on with what is left."""
    found: list[_Chain] = []
    left = chains
    if not left or _works(blended, left):
        return []
    while left and _works(blended, found):
        low, high = 0, len(left)  # with the first `low` of those left they work, with `high` they do not
        while high - low > 1:
            middle = (low + high) // 2
            low, high = (middle, high) if _works(blended, found + left[:middle]) else (low, middle)
        found.append(left[high - 1])
        left = left[: high - 1]
    return found


def _sizes(chains: Sequence[_Chain]) -> _Chain:
    return {edge: size for chain in chains for edge, size in chain.items()}


def _works(blended: Blended, chains: Sequence[_Chain]) -> bool:
    return not chains or isinstance(blended(_sizes(chains)), Made)


def _named(chains: Sequence[_Chain], most: int = MOST_NAMED) -> str:
    """Chains by an edge of each."""
    several = len(chains) > 1
    more = f" and what continues {'them' if several else 'it'}" if any(len(c) > 1 for c in chains) else ""
    return f"the edge{'s' if several else ''} {places([next(iter(chain)) for chain in chains], most)}{more}"
