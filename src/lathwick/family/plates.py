"""A plate: many parts side by side, standing on one level, none over another."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import accumulate

from ..errors import ExchangeError
from ..geometry.units import MILLIMETRES
from ..modelling.transform import move
from .part import Part

GAP = 5.0
"""Millimetres between the boxes around parts, where nothing else is asked for."""
ROOM = 0.1
"""Between parts in a row, as a share of the largest size."""

SHAPE = 1.2
"""A plate is about so many times as wide as deep."""


@dataclass(frozen=True, slots=True)
class _Place:
    part: Part
    width: float
    depth: float
    x: float = 0.0
    y: float = 0.0


def plate_of(parts: Sequence[Part], gap: float | None = None, name: str = "plate") -> Part:
    """One part of all parts, each by its name, in rows, its lowest point on the level z = 0.

    gap : length between the boxes around them. Method: shelves, the deepest parts first (Coffman and others,
    1980). Raises ExchangeError for no parts, two of one name, or a gap below 0.
    """
    if not parts:
        raise ExchangeError("a plate needs at least one part")
    if len({part.name for part in parts}) < len(parts):
        raise ExchangeError("two parts of a plate have one name")
    free = GAP / MILLIMETRES[parts[0].unit] if gap is None else gap
    if not 0.0 <= free < math.inf:
        raise ExchangeError(f"gap is a length of 0 or more, got {gap}")
    made = {place.part.name: _put(place) for place in _in_rows(parts, free)}
    return Part({part.name: made[part.name] for part in parts}, name=name)


def row_of(parts: Sequence[Part], name: str) -> Part:
    """One part of all parts, each by its name, in one row along x with room between them, their fronts in
    line."""
    sizes = [[high - low for low, high in zip(*part.bounds, strict=True)] for part in parts]
    room = ROOM * max(max(size) for size in sizes)
    starts = accumulate((size[0] + room for size in sizes[:-1]), initial=0.0)
    made = [
        _put(_Place(part, size[0], size[1], x)) for part, size, x in zip(parts, sizes, starts, strict=True)
    ]
    return Part({part.name: part for part in made}, name=name)


def _in_rows(parts: Sequence[Part], gap: float) -> list[_Place]:
    sized = []
    for part in parts:
        low, high = part.bounds
        sized.append(_Place(part, high[0] - low[0], high[1] - low[1]))
    sized.sort(key=lambda place: (-place.depth, place.part.name))
    space = sum((p.width + gap) * (p.depth + gap) for p in sized)
    widest = max(max(p.width for p in sized), SHAPE * math.sqrt(space) - gap)
    placed: list[_Place] = []
    x = y = 0.0
    row = sized[0].depth
    for place in sized:
        if x > 0.0 and x + place.width > widest:
            x, y, row = 0.0, y + row + gap, place.depth
        placed.append(_Place(place.part, place.width, place.depth, x, y))
        x += place.width + gap
    return placed


def _put(place: _Place) -> Part:
    """The part with the lowest corner of its box at its place."""
    low, _ = place.part.bounds
    return _moved(place.part, place.x - low[0], place.y - low[1], -low[2])


def _moved(part: Part, dx: float, dy: float, dz: float) -> Part:
    if part.bodies:
        pieces = {name: _moved(piece, dx, dy, dz) for name, piece in part.bodies.items()}
        return Part(pieces, part.material, part.name, part.color)
    return Part(move(part.body, dx, dy, dz), part.material, part.name, part.color)
