"""Where pieces of plane curve meet: in closed form for lines and circles, else by iteration."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
import shapely

from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec2
from .general_crossings import general_points
from .pieces import ArcPiece, LinePiece, Piece
from .plane_curves import CurvePiece

GRAZE = 1e-5
"""Half a chord of less than this share of the radius is one touching place."""


@dataclass(frozen=True, slots=True)
class Meeting:
    """Two pieces meet at `place` away from a common end; `overlap` if they run along each other."""

    one: Piece
    two: Piece
    place: Vec2
    overlap: bool = False


def meetings(pieces: Sequence[Piece]) -> Iterator[Meeting]:
    """Every place where two pieces meet other than end to end.

    Boxes are compared first, in blocks; cost O(n^2) box tests in NumPy, then O(pairs that touch).
    """
    for i, j in near_pairs(pieces):
        one, two = pieces[i], pieces[j]
        for place, overlap in common_points(one, two):
            if overlap or not _at_common_end(one, two, place):
                yield Meeting(one, two, place, overlap)


def near_pairs(pieces: Sequence[Piece]) -> Iterator[tuple[int, int]]:
    """Pairs i < j of pieces whose boxes touch."""
    if len(pieces) < 2:
        return
    low_x, low_y, high_x, high_y = np.array([piece.box for piece in pieces]).T
    boxes = shapely.box(low_x - RESOLUTION, low_y - RESOLUTION, high_x + RESOLUTION, high_y + RESOLUTION)
    one, two = shapely.STRtree(boxes).query(boxes)
    first = one < two
    yield from sorted(zip(one[first].tolist(), two[first].tolist(), strict=True))


def _at_common_end(one: Piece, two: Piece, place: Vec2) -> bool:
    """Whether `place` is a common end, or so near one that the pieces have not parted there."""
    if one.is_closed or two.is_closed:
        return False
    bend = max(one.curvature, two.curvature)
    for a in (one.start, one.end):
        for b in (two.start, two.end):
            if math.dist(a, b) <= 2 * RESOLUTION:
                gap = math.dist(a, place)
                if gap <= 2 * RESOLUTION or (gap * gap * bend <= 8 * RESOLUTION and bend > 0):
                    return True
    return False


def common_points(one: Piece, two: Piece) -> list[tuple[Vec2, bool]]:
    """Common points of two pieces, each with whether the pieces overlap there."""
    if isinstance(one, CurvePiece) or isinstance(two, CurvePiece):
        return general_points(one, two)
    if isinstance(one, LinePiece):
        if isinstance(two, LinePiece):
            return _line_line(one, two)
        return _line_arc(one, two)
    if isinstance(two, LinePiece):
        return _line_arc(two, one)
    return _arc_arc(one, two)


def _line_line(one: LinePiece, two: LinePiece) -> list[tuple[Vec2, bool]]:
    (ax, ay), (cx, cy) = one.start, two.start
    ux, uy = one.end[0] - ax, one.end[1] - ay
    vx, vy = two.end[0] - cx, two.end[1] - cy
    wx, wy = cx - ax, cy - ay
    length1, length2 = one.length, two.length
    cross = ux * vy - uy * vx
    spread = abs(cross) / max(length1, length2)  # how far the shorter one leads away
    if spread <= RESOLUTION:
        return _collinear(one, two)
    s = (wx * vy - wy * vx) / cross
    t = (wx * uy - wy * ux) / cross
    slack1, slack2 = RESOLUTION / length1, RESOLUTION / length2
    if -slack1 <= s <= 1 + slack1 and -slack2 <= t <= 1 + slack2:
        return [(one.point(s), False)]
    return []


def _collinear(one: LinePiece, two: LinePiece) -> list[tuple[Vec2, bool]]:
    """Nearly parallel lines: where the shorter lies on the longer over some length, they overlap."""
    long, short = (one, two) if one.length >= two.length else (two, one)
    (ax, ay), length = long.start, long.length
    ex, ey = (long.end[0] - ax) / length, (long.end[1] - ay) / length
    along, off = [], []
    for x, y in (short.start, short.end):
        along.append((x - ax) * ex + (y - ay) * ey)
        off.append((y - ay) * ex - (x - ax) * ey)
    if min(abs(h) for h in off) > RESOLUTION:
        return []
    low, high = max(0.0, min(along)), min(length, max(along))
    if high - low < -RESOLUTION:
        return []
    middle = 0.5 * (low + high)
    return [((ax + ex * middle, ay + ey * middle), high - low > RESOLUTION)]


def _line_arc(line: LinePiece, arc: ArcPiece) -> list[tuple[Vec2, bool]]:
    (ax, ay), (cx, cy), length = line.start, arc.center, line.length
    ex, ey = (line.end[0] - ax) / length, (line.end[1] - ay) / length
    foot = (cx - ax) * ex + (cy - ay) * ey
    height = abs((cy - ay) * ex - (cx - ax) * ey)
    if height > arc.radius + RESOLUTION:
        return []
    half = math.sqrt(max(0.0, (arc.radius - height) * (arc.radius + height)))
    steps = (foot,) if half <= max(RESOLUTION, GRAZE * arc.radius) else (foot - half, foot + half)
    found = []
    for t in steps:
        place = (ax + t * ex, ay + t * ey)
        if -RESOLUTION <= t <= length + RESOLUTION and _reaches(arc, place):
            found.append((place, False))
    return found


def _reaches(arc: ArcPiece, place: Vec2) -> bool:
    if arc.is_closed:
        return True
    angle = math.atan2(place[1] - arc.center[1], place[0] - arc.center[0])
    return arc.covers(angle, RESOLUTION / arc.radius)


def _arc_arc(one: ArcPiece, two: ArcPiece) -> list[tuple[Vec2, bool]]:
    apart = math.dist(one.center, two.center)
    r1, r2 = one.radius, two.radius
    if apart <= RESOLUTION:
        return _same_circle(one, two) if abs(r1 - r2) <= RESOLUTION else []
    if apart > r1 + r2 + RESOLUTION or apart < abs(r1 - r2) - RESOLUTION:
        return []
    foot = (apart * apart + r1 * r1 - r2 * r2) / (2 * apart)
    half = math.sqrt(max(0.0, (r1 - foot) * (r1 + foot)))
    ex, ey = (two.center[0] - one.center[0]) / apart, (two.center[1] - one.center[1]) / apart
    signs = (0.0,) if half <= max(RESOLUTION, GRAZE * min(r1, r2)) else (-half, half)
    spots = [(one.center[0] + foot * ex - h * ey, one.center[1] + foot * ey + h * ex) for h in signs]
    return [(place, False) for place in spots if _reaches(one, place) and _reaches(two, place)]


def _same_circle(one: ArcPiece, two: ArcPiece) -> list[tuple[Vec2, bool]]:
    """Pieces of one circle: they overlap if the middle or an end of one lies inside the other."""
    found = []
    for a, b in ((one, two), (two, one)):
        for s in (0.0, 0.5, 1.0):
            if s == 0.5 and abs(a.sweep) > abs(b.sweep):
                continue
            place = a.point(s)
            inside = b.is_closed or b.covers(
                math.atan2(place[1] - b.center[1], place[0] - b.center[0]), -RESOLUTION / b.radius
            )
            if inside:
                found.append((place, True))
    return found[:1]
