"""Bodies repeated in rows, grids and rings, and mirrored. Copies that touch are united."""

from __future__ import annotations

import math
from collections.abc import Sequence
from numbers import Integral

import numpy as np

from ..errors import ModellingError
from ..geometry.motion import Motion, brought_from, carried_to, moved_by, turned
from ..geometry.placement import Plane
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec3, add, cross, norm, scaled
from ..topology.body import Body
from .combine import union
from .paths import PathLike
from .paths import path as as_path
from .references import AxisLike, DirectionLike, PlaneLike, axis_of, direction_of
from .sweep import path_frames
from .transform import mirrored, transformed

MOST = 100_000


def linear_pattern(
    body: Body,
    count: int,
    spacing: float,
    along: DirectionLike,
    *,
    both: bool = False,
    count2: int = 1,
    spacing2: float | None = None,
    along2: DirectionLike | None = None,
    step: str = "",
) -> Body:
    """`count` copies in all, each `spacing` from the one before along a direction.

    both : as many again on the other side of the first, in each direction.
    count2, spacing2, along2 : the row repeated in a second direction, which makes a grid.
    step : faces of all copies but the body itself answer to it besides, `step/role`, and to `step.K/role`,
    with the number K of the copy. Raises ModellingError, also for a second direction parallel to the first.
    """
    way = direction_of(along, "pattern direction")
    row = _row(count, spacing, way, both)
    if along2 is None:
        if count2 != 1 or spacing2 is not None:
            raise ModellingError("a grid needs along2, the second direction")
        return _united(body, [moved_by(*shift) for shift in row], step)
    side = direction_of(along2, "second pattern direction")
    if norm(cross(way, side)) < 1e-6:
        raise ModellingError("the two directions of a grid must not be parallel")
    column = _row(count2, spacing if spacing2 is None else spacing2, side, both)
    return _united(body, [moved_by(*add(a, b)) for b in column for a in row], step)


def _united(body: Body, motions: Sequence[Motion], step: str) -> Body:
    """All images of a body as one; faces of those that are not in its own place have names of the copy."""
    copies = []
    for number, motion in enumerate(motions, 1):
        steps = () if not step or motion.is_rest else (step, f"{step}.{number}")
        copies.append(transformed(body, motion, *steps))
    return union(*copies)


def _row(count: int, spacing: float, way: Vec3, both: bool) -> list[Vec3]:
    number, gap = _count(count), _spacing(spacing)
    return [scaled(way, k * gap) for k in range(-(number - 1) if both else 0, number)]


def circular_pattern(body: Body, count: int, axis: AxisLike, angle: float = 360.0, *, step: str = "") -> Body:
    """`count` copies in all about an axis: spread over a whole turn, or so that the last stands at `angle`
    degrees. step : see `linear_pattern`."""
    number = _count(count)
    about = axis_of(axis, "a circular pattern goes about")
    if not (math.isfinite(angle) and 0.0 < abs(angle) <= 360.0):
        raise ModellingError(f"angle must be between 0 and 360 degrees, got {angle:g}")
    whole = abs(angle) == 360.0
    steps = number if whole else max(1, number - 1)
    return _united(body, [turned(about, angle * k / steps) for k in range(number)], step)


def path_pattern(body: Body, path: PathLike, count: int, *, step: str = "") -> Body:
    """`count` copies in all, spread evenly along a path from its start to its end (round it, if it is
    closed), turned as the path turns. The body itself stands at the start.

    step : see `linear_pattern`. Raises ModellingError for what is no path or no count.
    """
    number, way = _count(count), as_path(path)
    steps = number if way.is_closed else max(1, number - 1)
    frames = path_frames(way, np.arange(number) / steps)
    places = [Plane(frame.origin, frame.way, frame.side) for frame in frames]
    back = brought_from(places[0])
    return _united(body, [carried_to(place).after(back) for place in places], step)


def mirror(body: Body, plane: PlaneLike, keep: bool = True, *, step: str = "") -> Body:
    """The body with its mirror image in a plane, or in that of a planar face; or the image alone. step :
    faces of the image answer to it besides, `step/role`."""
    image = mirrored(body, plane, step)
    return union(body, image) if keep else image


def _count(count: int) -> int:
    if not isinstance(count, Integral) or isinstance(count, bool) or not 1 <= count <= MOST:
        raise ModellingError(f"count must be a whole number from 1 to {MOST}, got {count!r}")
    return int(count)


def _spacing(spacing: float) -> float:
    try:
        gap = float(spacing)
    except (TypeError, ValueError):
        raise ModellingError(f"spacing needs a number, got {spacing!r}") from None
    if not (math.isfinite(gap) and abs(gap) > RESOLUTION):
        raise ModellingError(f"spacing must be more than {RESOLUTION:g}, got {gap:g}")
    return gap
