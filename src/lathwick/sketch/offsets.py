"""Offsetting regions: every boundary moved sideways, what overlaps removed, exact arcs kept.

Each piece is moved along its normal; gaps at corners are closed by arcs about the corner, overlaps
by straight links. The raw loops may cross themselves; the cells of their arrangement around which
they wind once or more are the result, which splits or vanishes as it must.

Source: Chen & McMains, "Polygon offsetting by computing winding numbers", ASME DETC 2005, carried over
to circular arcs.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence

from ..errors import SketchError
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec2
from .arrangement import Arrangement
from .loops import Patch, PlaneLoop
from .pieces import ArcPiece, LinePiece, Piece


def offset_patches(loops: Iterable[PlaneLoop], distance: float) -> list[Patch]:
    """The patches whose boundary lies `distance` outside (inside, if negative) that of the loops.

    The loops have material on their left. Returns an empty list where nothing is left. Raises
    SketchError for a boundary with ellipses or splines.
    """
    raw = [piece for loop in loops for piece in _raw_loop(loop, -distance)]
    return Arrangement(raw).joined(lambda spot: sum(p.winding(spot) for p in raw) > math.pi)


def _raw_loop(loop: PlaneLoop, inward: float) -> list[Piece]:
    moved = [_moved(piece, inward) for piece in loop.pieces]
    if len(moved) == 1 and moved[0] is not None and moved[0].is_closed:
        return [moved[0]]
    pieces: list[Piece] = []
    count = len(moved)
    for i, (piece, shifted) in enumerate(zip(loop.pieces, moved, strict=True)):
        if shifted is not None:
            pieces.append(shifted)
        pieces += _link(piece, loop.pieces[(i + 1) % count], inward, with_overlap=True)
    return pieces


def moved_chain(chain: Sequence[Piece], closed: bool, left: float) -> list[Piece]:
    """Every piece of a chain moved to its left, and an arc about each corner that opens.

    The arc at the end of a piece is called after it, with ".corner".
    """
    pieces: list[Piece] = []
    for i, piece in enumerate(chain):
        shifted = _moved(piece, left)
        if shifted is not None:
            pieces.append(shifted)
        if not piece.is_closed and (closed or i + 1 < len(chain)):
            pieces += _link(piece, chain[(i + 1) % len(chain)], left, with_overlap=False)
    return pieces


def _moved(piece: Piece, inward: float) -> Piece | None:
    """A piece moved to its left; None for an arc that shrinks to a point."""
    if isinstance(piece, LinePiece):
        return LinePiece(_side(piece, 0.0, inward), _side(piece, 1.0, inward), piece.name)
    if not isinstance(piece, ArcPiece):
        raise SketchError(f"{piece.name} is no line or arc; only those can be offset")
    radius = piece.radius - math.copysign(inward, piece.sweep * inward)
    if abs(radius) <= RESOLUTION:
        return None
    angle = piece.angle if radius > 0 else piece.angle + math.pi
    ends = None if piece.is_closed else (_side(piece, 0.0, inward), _side(piece, 1.0, inward))
    if piece.is_closed and radius < 0:
        return None  # a whole circle that has shrunk away bounds nothing
    return ArcPiece(piece.center, abs(radius), angle, piece.sweep, piece.name, ends)


def _direction(piece: Piece, share: float) -> Vec2:
    """Unit direction of travel at a share of a line or an arc."""
    if isinstance(piece, LinePiece):
        length = piece.length
        return ((piece.end[0] - piece.start[0]) / length, (piece.end[1] - piece.start[1]) / length)
    assert isinstance(piece, ArcPiece)
    t, way = piece.angle + share * piece.sweep, math.copysign(1.0, piece.sweep)
    return (-way * math.sin(t), way * math.cos(t))


def _side(piece: Piece, share: float, inward: float) -> Vec2:
    """The place `inward` to the left of the start (share 0) or end (share 1) of a piece."""
    (x, y) = piece.start if share == 0.0 else piece.end
    ex, ey = _direction(piece, share)
    return (x - inward * ey, y + inward * ex)


def _link(piece: Piece, following: Piece, inward: float, with_overlap: bool) -> Sequence[Piece]:
    """What joins two moved pieces at a corner: an arc over a gap, a straight link over an overlap."""
    here, there = _side(piece, 1.0, inward), _side(following, 0.0, inward)
    if math.dist(here, there) <= 2 * RESOLUTION:
        return ()
    corner = piece.end
    (ux, uy), (vx, vy) = _direction(piece, 1.0), _direction(following, 0.0)
    turn = math.atan2(ux * vy - uy * vx, ux * vx + uy * vy)
    name = f"{piece.name}.corner"
    if turn * inward < 0:  # the corner turns away from the side to which it is moved
        angle = math.atan2(here[1] - corner[1], here[0] - corner[0])
        return (ArcPiece(corner, abs(inward), angle, turn, name, (here, there)),)
    return (LinePiece(here, there, name),) if with_overlap else ()
