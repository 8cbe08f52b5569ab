"""Ways of blending edges, tried one after the other; and the largest size that works, or why none does."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial

from ...errors import ModellingError
from ...topology.body import Body
from ...topology.brep import Edge, Face
from ..combine import Warn, silent
from ..limits import NOT_SO_SMALL, SMALL, Build, Ways, largest_that_works, seeks_sizes
from ..outcomes import Made, Outcome, Refused, first_made, outcome_of, value_of
from .blaming import places
from .culprits import Blended, culprits, few_spoilers, spoilers
from .locating import are_hopeless, is_hopeless_alone, largest_for_all
from .over_borders import over_borders
from .passes import (
    MIXED_WAYS,
    Attempt,
    Blend,
    Passed,
    PassKey,
    attempt_apart,
    on_to_tips,
    one_by_one,
    passes_or_past_rounds,
)
from .past_sides import past_sides
from .refusals import Asked
from .remembering import made_once
from .selecting import EdgeGraph, has_mixed_corner, smooth_of
from .stopping import stopped
from .strips import Maker, Strip

MOST_SPOILING = 3
"""More edges that spoil a size for others are not told."""

MOST_TOLD = 3
"""More edges that have no corner are only counted."""

FIRST = (0.05, 0.5)
"""Shares of a size that are tried first where it takes long; very small ones may not work for small sizes."""

UNLIKE = ((1.0, 0.4), (1.0, 0.1), (0.1, 1.0))
"""Shares of a size for convex and concave edges that are tried where no size fits both."""

Sizes = Mapping[Edge, float]


@dataclass(frozen=True)
class Wishes:
    """follow : whether what continues the edges smoothly is blended with them. skip : whether edges that
    spoil the size for the others stay as they are; `warn` is told which."""

    follow: bool = True
    skip: bool = False
    warn: Warn = silent


def blended(body: Body, sizes: Sizes, blend: Blend, wishes: Wishes = Wishes()) -> Body:
    """The body with strips in place of edges.

    Where convex and concave edges meet the odd one goes first, or, if that fails, last. Raises ModellingError
    that names the edge, the face in the way, and the largest size that works; or, if none does, two for the
    convex and the concave edges, or edges without which the others can be blended.
    """
    sizes = _sharp(body, sizes, wishes)
    if not wishes.follow:
        following = replace(wishes, follow=True)
        step = blend.strip_name.step
        return stopped(body, sizes, lambda part, some: blended(part, some, blend, following), step)
    asked = Asked(sorted(set(sizes.values())), blend.size)
    trying = _Trying(body, blend, asked.most)
    together: list[Attempt] = [
        passes_or_past_rounds,
        *(MIXED_WAYS if has_mixed_corner(EdgeGraph(body), sizes) else (on_to_tips,)),
        over_borders,
        past_sides,
    ]
    at_full = partial(trying.at_any_size, together, (1.0,))
    if wishes.skip and (kept := _skipping(body, sizes, at_full, asked, wishes.warn)) is not None:
        return kept
    first: Refused | None = None
    apart: list[Attempt] = [attempt_apart]  # by booleans of canals, which take long where those are thin
    in_turn: list[Attempt] = [one_by_one]
    for ways in (together, in_turn, apart):
        small = NOT_SO_SMALL if ways is apart else SMALL
        # What does not work at a small size is not tried at a large one, which takes longer.
        hopeless = is_hopeless_alone if ways is apart else are_hopeless
        if first and hopeless(body, sizes, partial(trying.builds, ways), (asked.most, first), small[0]):
            continue
        if ways is in_turn and Ways.that_work(trying.builds(ways, sizes), asked.most, FIRST) is None:
            continue
        made = trying.at_any_size(ways, (1.0,), sizes)
        if isinstance(made, Made):
            return made.value
        first = first or made
        if not seeks_sizes():
            if Ways.that_work(trying.builds(ways, sizes), asked.most, small) is not None:
                break
            continue
        largest = largest_for_all(body, sizes, partial(trying.builds, ways), (asked.most, first), small)
        if largest is not None:
            found = few_spoilers(body, sizes, at_full, first, MOST_SPOILING)
            raise asked.refusal(largest, found.out if found else "")
    assert first is not None
    if not seeks_sizes():
        raise ModellingError(asked.too_large(first), value=asked.most)
    unlike = _unlike_that_work(trying, together, sizes, first)
    if unlike is not None:
        raise asked.no_one_size(first, unlike)
    raise _without_culprits(trying, together, sizes, asked, first)


def _sharp(body: Body, sizes: Sizes, wishes: Wishes) -> Sizes:
    """The sizes but those of edges without a corner, which are skipped if that is wished, or refused."""
    smooth = smooth_of(EdgeGraph(body), sizes)
    if not smooth:
        return sizes
    where, gone = places(smooth, MOST_TOLD), set(smooth)
    sharp = {edge: size for edge, size in sizes.items() if edge not in gone}
    if wishes.skip and sharp:
        wishes.warn(f"left as they are: {len(smooth)} of the edges, whose faces meet smoothly, {where}")
        return sharp
    raise ModellingError(
        f"{len(smooth)} of the {len(sizes)} edges lie between faces that meet smoothly and have no corner to "
        f"take off: {where}; leave them out, as `.convex() | .concave()` does"
    )


def _skipping(body: Body, sizes: Sizes, at_full: Blended, asked: Asked, warn: Warn) -> Body | None:
    """The body without the blends of edges that spoil the size for others; None if that is no way."""
    whole = at_full(sizes)
    if isinstance(whole, Made):
        return whole.value
    found = spoilers(body, sizes, at_full)
    if found is None:
        return None
    made = value_of(at_full(found.left))
    warn(f"left as they are: {found.out}, which {asked.fits_not} does not fit")
    return made


def _unlike_that_work(
    trying: _Trying, ways: Sequence[Attempt], sizes: Sizes, refused: Refused
) -> tuple[float, float] | None:
    """Sizes, as large as they can be, for the convex and the concave ones of edges that no one size fits: a
    ball that rolls steeply round a round of its own size would fold back. None if none of a few shares of
    each other works."""
    graph = EdgeGraph(trying.body)
    if not has_mixed_corner(graph, sizes):
        return None
    for convex, concave in UNLIKE:
        scaled = {
            edge: size * (convex if graph.turn(edge) > 0.0 else concave) for edge, size in sizes.items()
        }
        if isinstance(trying.at_any_size(ways, (1.0,), scaled), Made):
            return trying.most * convex, trying.most * concave
        largest = largest_that_works(trying.builds(ways, scaled), trying.most, refused)
        if largest is not None:
            return largest.value * convex, largest.value * concave
    return None


def _without_culprits(
    trying: _Trying, ways: Sequence[Attempt], sizes: Sizes, asked: Asked, first: Refused
) -> ModellingError:
    """What is said of edges for which there is no size at all."""
    anyhow = partial(trying.at_any_size, ways)
    found = culprits(trying.body, sizes, partial(anyhow, SMALL), partial(anyhow, SMALL[1:2]), first)
    if found is None:
        return ModellingError(asked.too_large(first), value=asked.most)
    left = anyhow((1.0,), found.left) if found.left else first
    if isinstance(left, Made):
        return asked.no_size(first, found, asked.most)
    builds = partial(trying.builds, ways)
    largest = largest_for_all(trying.body, found.left, builds, (asked.most, left)) if found.left else None
    return asked.no_size(first, found, None if largest is None else largest.value)


class _Trying:
    """Tries sizes for edges of a body; all are scaled by the share of the largest, `most`, that is tried."""

    def __init__(self, body: Body, blend: Blend, most: float) -> None:
        self.body = body
        self.most = most
        self._blend = blend
        self._strips = _Remembering(blend.make)

    def builds(self, ways: Sequence[Attempt], sizes: Sizes) -> list[Build]:
        """The ways to blend edges as functions of `most`."""
        return [partial(self._build, way, sizes) for way in ways]

    def at_any_size(self, ways: Sequence[Attempt], shares: Sequence[float], sizes: Sizes) -> Outcome[Body]:
        """By the first of the ways that works, with one of some shares of the sizes; else why the first does
        not."""
        return first_made(
            partial(self._made, way, sizes, share * self.most) for share in shares for way in ways
        )

    def _build(self, way: Attempt, sizes: Sizes, value: float) -> Outcome[Body]:
        return outcome_of(partial(self._made, way, sizes, value))

    def _made(self, way: Attempt, sizes: Sizes, value: float) -> Body:
        """All sizes times value / most."""
        scaled = {edge: value * (size / self.most) for edge, size in sizes.items()}
        return way(self.body, scaled, self._strips.at(value, self._blend))


class _Remembering:
    """Makes strips; for one scale of the sizes it knows those and the passes made before, for other ways to
    begin."""

    def __init__(self, make: Maker) -> None:
        self._make = make
        self._scale = 0.0
        self._known: dict[tuple[Edge, Face, Face, float], Outcome[Strip | None]] = {}
        self._passes: dict[PassKey, Outcome[Passed]] = {}

    def at(self, scale: float, blend: Blend) -> Blend:
        """The blend with what is known for a scale."""
        if scale != self._scale:
            self._scale = scale
            self._known, self._passes = {}, {}
        return replace(blend, make=self._made, known=self._passes)

    def _made(self, edge: Edge, faces: tuple[Face, Face], size: float) -> Strip | None:
        return made_once(self._known, (edge, *faces, size), partial(self._make, edge, faces, size))
