"""Small signs for the relations of a sketch, beside the curves and points that they hold."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator

import numpy as np

from ..geometry.vector import Vec2
from ..sketch.constraints import Constraint
from ..sketch.entities import Entity, Line, Point, Round
from ..sketch.pieces import pieces_along, slopes_along

SIGNS = {
    "horizontal": "H",
    "vertical": "V",
    "parallel": "∥",
    "perpendicular": "⊥",
    "tangent": "T",
    "equal": "=",
    "concentric": "◎",
    "collinear": "—",
    "midpoint": "△",
    "symmetric": "⋈",
    "on": "∈",
    "along": "∈",
    "coincident": "●",
    "fix": "⚓",
}
"""The sign of each kind of relation."""

WORDS = {
    "H": "level",
    "V": "upright",
    "T": "tangent",
    "⋈": "symmetric",
    "∈": "on",
    "⚓": "fixed",
    "△": "middle",
}
"""What the less common signs mean, for the legend."""

BESIDE, APART = 13.0, 15.0

Sign = tuple[str, Vec2]
"""A sign and its place in pixels."""


def relation_signs(constraints: Iterable[Constraint], to_pixels: Callable[[Vec2], Vec2]) -> list[Sign]:
    """Where to draw the sign of each relation: beside the middle of every curve that it holds, or beside its
    point; the signs of one curve side by side."""
    found: dict[Entity, list[str]] = defaultdict(list)
    for constraint in constraints:
        sign = SIGNS.get(constraint.kind)
        if sign is not None and constraint.value is None:
            for entity in _holders(constraint):
                if sign not in found[entity]:
                    found[entity].append(sign)
    return [placed for entity, signs in found.items() for placed in _beside(entity, signs, to_pixels)]


def _holders(constraint: Constraint) -> tuple[Entity, ...]:
    """The entities that get the sign: not the axis of a symmetry, nor the curve that a point is on."""
    if constraint.kind in ("on", "along", "midpoint"):
        return constraint.entities[:1]
    if constraint.kind == "symmetric":
        return constraint.entities[:2]
    if constraint.kind in ("tangent", "coincident", "concentric"):
        return constraint.entities[-1:]
    return constraint.entities


def _beside(entity: Entity, signs: list[str], to_pixels: Callable[[Vec2], Vec2]) -> Iterator[Sign]:
    (x, y), (ux, uy) = _anchor(entity, to_pixels)
    first = -0.5 * (len(signs) - 1)
    for k, sign in enumerate(signs):
        along = (first + k) * APART
        yield sign, (x - BESIDE * uy + along * ux, y + BESIDE * ux + along * uy)


def _anchor(entity: Entity, to_pixels: Callable[[Vec2], Vec2]) -> tuple[Vec2, Vec2]:
    """A place of the entity away from its dimensions, and the direction there, in pixels."""
    if isinstance(entity, Point):
        return to_pixels(entity.position), (1.0, 0.0)
    piece = max(pieces_along(entity), key=lambda p: p.length)
    share = 0.4 if isinstance(entity, Line) else 0.62 if isinstance(entity, Round) else 0.5
    dx, dy = slopes_along(piece, np.array([share]))[0].tolist()
    size = math.hypot(dx, dy) or 1.0
    way = (dx / size, dy / size) if dx > 0 or (dx == 0 and dy > 0) else (-dx / size, -dy / size)
    return to_pixels(piece.point(share)), way
