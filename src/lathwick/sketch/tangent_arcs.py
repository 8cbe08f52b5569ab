"""The arc that rounds a corner: its center is at the radius from both curves, on one of their offsets."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np

from ..errors import SketchError
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec2
from .crossings import common_points
from .pieces import ArcPiece, LinePiece, Piece, slopes_along
from .plane_curves import CurvePiece

REACH = 1e3
SMOOTH = 1e-6
"""Directions that differ by less (radians) run on into each other."""
Simple: TypeAlias = LinePiece | ArcPiece


@dataclass(frozen=True, slots=True)
class Blend:
    """An arc from a point on the first curve to a point on the second, tangent to both."""

    center: Vec2
    start: Vec2
    end: Vec2
    clockwise: bool


def blend_between(one: Piece, two: Piece, corner: Vec2, radius: float) -> Blend:
    """The arc of `radius` that rounds the corner where two pieces end.

    Raises SketchError, with the largest radius that fits, if there is no such arc on both pieces.
    """
    if not (math.isfinite(radius) and radius > RESOLUTION):
        raise SketchError(f"a radius must be more than {RESOLUTION:g}, got {radius:g}")
    if isinstance(one, CurvePiece) or isinstance(two, CurvePiece):
        raise SketchError(f"corners of {one.name} and {two.name} cannot be rounded: only lines and arcs can")
    refuse_smooth(one, two, corner)
    towards = one if math.dist(one.end, corner) <= 2 * RESOLUTION else one.reversed()
    away = two if math.dist(two.start, corner) <= 2 * RESOLUTION else two.reversed()
    found = _fitting(towards, away, corner, radius)
    if found is None:
        limit = _largest_fitting(towards, away, corner, radius)
        hint = f"; at most {limit:.9g} fits" if limit else ""
        x, y = corner
        raise SketchError(
            f"radius {radius:g} is too large at the corner ({x:.6g}, {y:.6g}) "
            f"of {one.name} and {two.name}{hint}",
            places=(corner,),
        )
    return found


def refuse_smooth(one: Piece, two: Piece, corner: Vec2) -> None:
    ways = [leaving(piece, corner) for piece in (one, two)]
    if math.hypot(ways[0][0] + ways[1][0], ways[0][1] + ways[1][1]) <= SMOOTH:
        x, y = corner
        how = "straight" if isinstance(one, LinePiece) and isinstance(two, LinePiece) else "smoothly"
        raise SketchError(
            f"{one.name} and {two.name} run {how} on at ({x:.6g}, {y:.6g}): there is no corner",
            places=(corner,),
        )


def leaving(piece: Piece, corner: Vec2) -> Vec2:
    """Unit direction in which a piece leaves one of its ends."""
    at_start = math.dist(piece.start, corner) <= math.dist(piece.end, corner)
    dx, dy = slopes_along(piece, np.array([0.0 if at_start else 1.0]))[0].tolist()
    size = math.copysign(math.hypot(dx, dy), 1.0 if at_start else -1.0)
    return (dx / size, dy / size)


def rounded_down(size: float) -> float:
    """To six digits, and no larger: a size that is named must work."""
    step = 10.0 ** (math.floor(math.log10(size)) - 5)
    return float(f"{math.floor(size / step) * step:.6g}")


def _fitting(towards: Simple, away: Simple, corner: Vec2, radius: float) -> Blend | None:
    candidates = list(_candidates(towards, away, radius))
    return min(candidates, key=lambda b: math.dist(b.center, corner), default=None)


def _largest_fitting(towards: Simple, away: Simple, corner: Vec2, radius: float) -> float:
    """The largest radius that fits, as it can be said: of up to nine digits, and working; 0 for none."""

    def fits(size: float) -> bool:
        return size > RESOLUTION and _fitting(towards, away, corner, size) is not None

    low, high = 0.0, radius
    for _ in range(40):
        middle = 0.5 * (low + high)
        low, high = (middle, high) if fits(middle) else (low, middle)
    if not low:
        return 0.0
    said = (float(f"{low:.{digits}g}") for digits in (6, 9))
    return next((size for size in said if size < radius and fits(size)), rounded_down(low))


def _candidates(towards: Simple, away: Simple, radius: float) -> Iterator[Blend]:
    """Arcs that leave `towards` and run into `away` smoothly, touching both within their length."""
    for one in _offsets(towards, radius):
        for two in _offsets(away, radius):
            for center, _ in common_points(one, two):
                start, end = _foot(towards.reversed(), center), _foot(away, center)
                if start is None or end is None:
                    continue
                turns = [-_turning(center, *start), _turning(center, *end)]
                if turns[0] == turns[1] and _sweep(center, start[0], end[0], turns[0]) < math.pi:
                    yield Blend(center, start[0], end[0], clockwise=turns[0] < 0)


def _offsets(piece: Simple, radius: float) -> Sequence[Simple]:
    """The whole line or circle that a piece lies on, at `radius` on both sides."""
    if isinstance(piece, LinePiece):
        (ax, ay), (bx, by), length = piece.start, piece.end, piece.length
        ex, ey = (bx - ax) / length, (by - ay) / length
        far = REACH * (length + radius)
        return [
            LinePiece(
                (ax - far * ex - side * ey, ay - far * ey + side * ex),
                (bx + far * ex - side * ey, by + far * ey + side * ex),
                piece.name,
            )
            for side in (radius, -radius)
        ]
    sizes = (piece.radius + radius, piece.radius - radius)
    return [ArcPiece(piece.center, abs(r), 0.0, math.tau, piece.name) for r in sizes if abs(r) > RESOLUTION]


def _foot(piece: Simple, point: Vec2) -> tuple[Vec2, Vec2] | None:
    """The nearest point of a piece and its direction of travel there; None beyond its end, and at its
    start."""
    if isinstance(piece, LinePiece):
        (ax, ay), (bx, by), length = piece.start, piece.end, piece.length
        ex, ey = (bx - ax) / length, (by - ay) / length
        t = (point[0] - ax) * ex + (point[1] - ay) * ey
        if not RESOLUTION < t <= length + RESOLUTION:
            return None
        return (ax + t * ex, ay + t * ey), (ex, ey)
    dx, dy = point[0] - piece.center[0], point[1] - piece.center[1]
    size = math.hypot(dx, dy)
    if size <= RESOLUTION or not piece.covers(math.atan2(dy, dx), RESOLUTION / piece.radius):
        return None
    ux, uy = dx / size, dy / size
    way = 1.0 if piece.sweep > 0 else -1.0
    foot = (piece.center[0] + piece.radius * ux, piece.center[1] + piece.radius * uy)
    if math.dist(foot, piece.start) <= RESOLUTION:
        return None
    return foot, (-way * uy, way * ux)


def _turning(center: Vec2, at: Vec2, direction: Vec2) -> int:
    """1 if travel at `at` goes counter-clockwise about the center, -1 if clockwise."""
    cross = (at[0] - center[0]) * direction[1] - (at[1] - center[1]) * direction[0]
    return 1 if cross > 0 else -1


def _sweep(center: Vec2, start: Vec2, end: Vec2, turning: int) -> float:
    a = math.atan2(start[1] - center[1], start[0] - center[0])
    b = math.atan2(end[1] - center[1], end[0] - center[0])
    return (turning * (b - a)) % math.tau
