"""Ways of blending edges, tried one after the other; and the largest size that works, or why none does."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import partial

from ...errors import ModellingError
from ...topology.body import Body
from ...topology.brep import Edge, Face
from ..limits import DIGITS, NOT_SO_SMALL, SMALL, largest_that_works
from .culprits import why_none_works
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
from .remembering import made_once
from .selecting import EdgeGraph, has_mixed_corner
from .strips import Maker, Strip, TooLargeError

UNLIKE = ((1.0, 0.4), (1.0, 0.1), (0.1, 1.0))
"""Shares of a size for convex and concave edges that are tried where no size fits both."""


def blended(body: Body, sizes: Mapping[Edge, float], blend: Blend) -> Body:
    """The body with strips in place of edges.

    Where convex and concave edges meet the odd one goes first, or, if that fails, last. Raises ModellingError
    that names the face in the way, and the largest size that works, if any does.
    """
    strips = _Remembering(blend.make)
    asked = sorted(set(sizes.values()))
    most = asked[0] if len(asked) == 1 else 1.0
    together: list[Attempt] = [
        passes_or_past_rounds,
        *(MIXED_WAYS if has_mixed_corner(EdgeGraph(body), sizes) else (on_to_tips,)),
    ]
    first: ModellingError | None = None
    apart: list[Attempt] = [attempt_apart]  # by booleans of canals, which take long where those are thin
    for ways in (together, [one_by_one], apart):
        builds = [partial(_build, way, body, sizes, (blend, strips), most) for way in ways]
        for build in builds:
            try:
                return build(most)
            except ModellingError as error:
                first = first or error
        largest = largest_that_works(builds, most, NOT_SO_SMALL if ways == apart else SMALL)
        if largest is not None and first is not None:
            raise ModellingError(_limit(first, asked, blend, largest)) from None
    assert first is not None
    unlike = _unlike_that_work(together, body, sizes, (blend, strips), most)
    if unlike is not None:
        raise ModellingError(_unlike_limit(first, asked, blend, unlike)) from None
    rules = partial(_at_any_size, together, body, (blend, strips), most)
    why = why_none_works(body, sizes, partial(rules, SMALL), partial(rules, SMALL[1:2]))
    raise ModellingError(f"{first.message}; {why}" if why else first.message) from None


def _unlike_that_work(
    ways: Sequence[Attempt],
    body: Body,
    sizes: Mapping[Edge, float],
    how: tuple[Blend, _Remembering],
    most: float,
) -> tuple[float, float] | None:
    """Sizes, as large as they can be, for the convex and the concave ones of edges that no one size fits: a
    ball that rolls steeply round a round of its own size would fold back. None if none of a few shares of
    each other works."""
    graph = EdgeGraph(body)
    if not has_mixed_corner(graph, sizes):
        return None
    for convex, concave in UNLIKE:
        scaled = {
            edge: size * (convex if graph.turn(edge) > 0.0 else concave) for edge, size in sizes.items()
        }
        builds = [partial(_build, way, body, scaled, how, most) for way in ways]
        largest = largest_that_works(builds, most)
        if largest is not None:
            return largest * convex, largest * concave
    return None


def _at_any_size(
    ways: Sequence[Attempt],
    body: Body,
    how: tuple[Blend, _Remembering],
    most: float,
    shares: Sequence[float],
    sizes: Mapping[Edge, float],
) -> Body:
    """By one of the ways, with one of some shares of the sizes. Raises ModellingError if there is none."""
    last: ModellingError | None = None
    for share in shares:
        for way in ways:
            try:
                return _build(way, body, sizes, how, most, share * most)
            except ModellingError as error:
                last = error
    assert last is not None
    raise last


class _Remembering:
    """Makes strips; for one scale of the sizes it knows those and the passes made before, for other ways to
    begin."""

    def __init__(self, make: Maker) -> None:
        self._make = make
        self._scale = 0.0
        self._known: dict[tuple[Edge, Face, Face, float], Strip | ModellingError | None] = {}
        self._passes: dict[PassKey, Passed | ModellingError] = {}

    def at(self, scale: float, blend: Blend) -> Blend:
        """The blend with what is known for a scale."""
        if scale != self._scale:
            self._scale = scale
            self._known, self._passes = {}, {}
        return replace(blend, make=self._made, known=self._passes)

    def _made(self, edge: Edge, faces: tuple[Face, Face], size: float) -> Strip | None:
        return made_once(self._known, (edge, *faces, size), partial(self._make, edge, faces, size))


def _build(
    attempt: Attempt,
    body: Body,
    sizes: Mapping[Edge, float],
    how: tuple[Blend, _Remembering],
    most: float,
    value: float,
) -> Body:
    """An attempt with all sizes times value / most."""
    blend, strips = how
    scaled = {edge: value * (size / most) for edge, size in sizes.items()}
    return attempt(body, scaled, strips.at(value, blend))


def _limit(error: ModellingError, asked: list[float], blend: Blend, largest: float) -> str:
    face = error.face if isinstance(error, TooLargeError) else None
    where = f' at the face "{face.names[0]}"' if face is not None and face.names else ""
    start = f"{blend.size} {asked[-1]:g} is too large{where}: {error.message}; "
    if len(asked) == 1:
        return start + f"the largest that works is {largest:.{DIGITS}g}"
    return start + f"all of them times {largest:.{DIGITS}g} works"


def _unlike_limit(
    error: ModellingError, asked: list[float], blend: Blend, largest: tuple[float, float]
) -> str:
    convex, concave = (f"{size:.{DIGITS + 1}g}" for size in largest)
    if len(asked) == 1:
        sizes = (
            f"{blend.size} {convex} at the convex ones of these edges and {concave} at the concave ones works"
        )
    else:
        sizes = (
            f"all of them times {convex} at the convex edges and times {concave} at the concave ones works"
        )
    return f"{error.message}; no one size fits, but {sizes}"
