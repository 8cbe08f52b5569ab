"""What a curve and its mirror image are together: where they run on in each other, one piece."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable
from typing import NamedTuple

from ..geometry.tolerance import RESOLUTION
from ..topology.names import Shared
from .entities import Entity
from .pieces import ArcPiece, LinePiece, Piece, pieces_along

NEAR = 2 * RESOLUTION


def profile_pieces(entities: Iterable[Entity]) -> list[Piece]:
    """The pieces of all curves but construction geometry; a line or arc and its mirror image are one piece
    where they are one line or circle and meet."""
    images: dict[Entity, list[_Placed]] = {}
    number = itertools.count()
    for entity in entities:
        if not entity.construction:
            alike = images.setdefault(entity.original, [])
            for piece in pieces_along(entity):
                alike.append(_Placed(next(number), entity, piece))
                while _join_last(alike):
                    pass
    return [placed.piece for placed in sorted(itertools.chain(*images.values()))]


class _Placed(NamedTuple):
    """A piece of a curve, and where among all."""

    number: int
    entity: Entity
    piece: Piece


def _join_last(alike: list[_Placed]) -> bool:
    """Join the last piece to one before it that is of another curve; whether there was one."""
    last = alike[-1]
    for i, before in enumerate(alike[:-1]):
        whole = None if before.entity is last.entity else _joined(before.piece, last.piece)
        if whole is not None:
            alike[-1] = _Placed(last.number, before.entity, whole)
            del alike[i]
            return True
    return False


def _joined(one: Piece, two: Piece) -> Piece | None:
    """Two pieces as one that runs the way of the first; None where they do not go on in each other."""
    if one.is_closed or two.is_closed:
        return None
    for towards in (one, one.reversed()):
        for away in (two, two.reversed()):
            if math.dist(towards.end, away.start) <= NEAR:
                whole = _continued(towards, away)
                if whole is not None:
                    return whole if towards is one else whole.reversed()
    return None


def _continued(towards: Piece, away: Piece) -> Piece | None:
    name = Shared.of(towards.name, away.name)
    if isinstance(towards, LinePiece) and isinstance(away, LinePiece):
        whole = LinePiece(towards.start, away.end, name)
        (ax, ay), (bx, by), (mx, my) = whole.start, whole.end, away.start
        beside = abs((bx - ax) * (my - ay) - (by - ay) * (mx - ax)) / max(whole.length, RESOLUTION)
        straight = whole.length > towards.length + away.length - RESOLUTION
        return whole if beside <= RESOLUTION / 10 and straight else None
    if isinstance(towards, ArcPiece) and isinstance(away, ArcPiece):
        alike = math.dist(towards.center, away.center) + abs(towards.radius - away.radius)
        sweep = towards.sweep + away.sweep
        if alike > RESOLUTION / 10 or towards.sweep * away.sweep < 0 or abs(sweep) > math.tau + 1e-9:
            return None
        closes = math.dist(towards.start, away.end) <= NEAR and abs(sweep) > math.pi
        ends = None if closes else (towards.start, away.end)
        sweep = math.copysign(math.tau, sweep) if closes else sweep
        return ArcPiece(towards.center, towards.radius, towards.angle, sweep, name, ends)
    return None
