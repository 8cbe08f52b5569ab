"""Sections of a loft brought to outlines of equally many pieces that lie over each other."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any, TypeGuard

import numpy as np

from ..errors import ModellingError
from ..geometry.placement import FloatArray, Plane
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec3, vec3
from ..sketch.pieces import ArcPiece, Piece, subpiece
from ..sketch.region import Region
from .profile import regions_of

NEAR = 1e-6
"""Corners whose shares of the length differ by less are over each other."""


@dataclass(frozen=True)
class Outline:
    """The loops of a section, all seen against the way of the loft, and where it stands; a point has none."""

    loops: tuple[tuple[Piece, ...], ...]
    plane: Plane | None
    point: Vec3
    unit: str = ""

    @property
    def is_point(self) -> bool:
        return self.plane is None

    def corner(self, piece: Piece) -> Vec3:
        """Where a piece starts in space."""
        return self.point if self.plane is None else self.plane.point(*piece.start)


def outlines_of(profiles: Iterable[Any]) -> list[Outline]:
    """The sections of a loft. Raises ModellingError for what is none, and for unlike numbers of holes."""
    if not isinstance(profiles, Iterable):
        raise ModellingError(f"a loft goes through a list of sections, got {profiles!r}")
    found = [_outline(profile, number + 1) for number, profile in enumerate(profiles)]
    if len(found) < 2:
        raise ModellingError(f"a loft needs at least two sections, got {len(found)}")
    if any(one.is_point for one in found[1:-1]):
        raise ModellingError("a point can only be the first or the last section of a loft")
    flat = [one for one in found if not one.is_point]
    if not flat:
        raise ModellingError("a loft needs a section that is no point")
    counts = [len(one.loops) for one in flat]
    if len(set(counts)) > 1:
        raise ModellingError(
            f"the sections of a loft have unlike numbers of outlines: {', '.join(map(str, counts))}"
        )
    return found


def is_point(profile: Any) -> TypeGuard[Sequence[float]]:
    """Whether a section is a point, given by three numbers."""
    if not isinstance(profile, (tuple, list)) or len(profile) != 3:
        return False
    return all(isinstance(c, (int, float)) for c in profile)


def _outline(profile: Any, number: int) -> Outline:
    if is_point(profile):
        return Outline((), None, vec3(profile))
    regions = regions_of(profile, "loft")
    patches = [patch for region in regions for patch in region.patches]
    if len(patches) != 1:
        raise ModellingError(
            f"section {number} of the loft has {len(patches)} separate areas, it may have one"
        )
    region: Region = regions[0]
    return Outline(
        tuple(tuple(loop.pieces) for loop in patches[0].loops),
        region.plane,
        region.plane.point(*region.centroid),
        region.unit,
    )


def aligned(outlines: Sequence[Outline], closed: bool) -> list[Outline]:
    """The outlines turned the way the loft goes, with as many pieces each, which start over each other.
    closed : the last goes on to the first."""
    turned = [_facing(one, _way(outlines, k, closed)) for k, one in enumerate(outlines)]
    flat = [k for k, one in enumerate(turned) if not one.is_point]
    count = len(turned[flat[0]].loops)
    columns = []
    for number in range(count):
        loops = [_loop_like(turned, flat, k, number) for k in flat]
        columns.append(_matched([turned[k] for k in flat], loops))
    made = list(turned)
    for place, k in enumerate(flat):
        made[k] = replace(turned[k], loops=tuple(column[place] for column in columns))
    return made


def turn_between(below: Outline, above: Outline, number: int) -> float:
    """By how much (radians) the pieces of a loop of one outline are turned to those of the one before, about
    the way between the two."""
    ways = []
    for one in (below, above):
        spots = _spots(one, one.loops[number])
        ways.append(spots - spots.mean(axis=0))
    axis = np.asarray(above.point) - np.asarray(below.point)
    axis = axis / np.linalg.norm(axis)
    if len(ways[0]) != len(ways[1]):
        return 0.0
    aside = float((np.cross(ways[0], ways[1]) @ axis).sum())
    along = float(((ways[0] * ways[1]).sum(axis=1) - (ways[0] @ axis) * (ways[1] @ axis)).sum())
    return math.atan2(aside, along)


def _way(outlines: Sequence[Outline], k: int, closed: bool) -> FloatArray:
    count = len(outlines)
    if closed:
        before, after = outlines[k - 1].point, outlines[(k + 1) % count].point
    else:
        before, after = outlines[max(k - 1, 0)].point, outlines[min(k + 1, count - 1)].point
    way = np.asarray(after) - np.asarray(before)
    if float(np.linalg.norm(way)) <= RESOLUTION:
        raise ModellingError(
            f"sections {max(k, 1)} and {min(k + 2, len(outlines))} of the loft lie in one place"
        )
    return way


def _facing(one: Outline, way: FloatArray) -> Outline:
    if one.plane is None:
        return one
    lean = float(np.asarray(one.plane.normal) @ way) / float(np.linalg.norm(way))
    if abs(lean) < 1e-6:
        raise ModellingError("a section of the loft lies along its way")
    if lean > 0.0:
        return one
    loops = tuple(tuple(piece.reversed() for piece in reversed(loop)) for loop in one.loops)
    return replace(one, loops=loops)


def _loop_like(outlines: Sequence[Outline], flat: Sequence[int], k: int, number: int) -> tuple[Piece, ...]:
    """The loop of section k that belongs to one of the first section: the outer one, or the nearest hole."""
    if number == 0:
        return outlines[k].loops[0]
    first = _spots(outlines[flat[0]], outlines[flat[0]].loops[number]).mean(axis=0)
    off = first - np.asarray(outlines[flat[0]].point)
    holes = outlines[k].loops[1:]
    gaps = [np.linalg.norm(_spots(outlines[k], hole).mean(axis=0) - np.asarray(outlines[k].point) - off)
            for hole in holes]  # fmt: skip
    return holes[int(np.argmin(gaps))]


def _spots(
    one: Outline, loop: Sequence[Piece], shares: Sequence[float] = (0.0, 0.25, 0.5, 0.75)
) -> FloatArray:
    assert one.plane is not None
    return one.plane.points(np.array([piece.point(s) for piece in loop for s in shares]))


def _matched(outlines: Sequence[Outline], loops: Sequence[tuple[Piece, ...]]) -> list[tuple[Piece, ...]]:
    if all(len(loop) == 1 and loop[0].is_closed for loop in loops):
        if _are_coaxial(outlines, [loop[0] for loop in loops]):
            return list(loops)
        return [_cut(loop, [start, start + 0.5]) for loop, start in
                zip(loops, _starts(outlines, loops), strict=True)]  # fmt: skip
    starts = _starts(outlines, loops)
    shares = [_corner_shares(loop, start) for loop, start in zip(loops, starts, strict=True)]
    if all(len(s) == len(shares[0]) for s in shares) and all(not loop[0].is_closed for loop in loops):
        return [_rotated(loop, start) for loop, start in zip(loops, starts, strict=True)]
    every: list[float] = []
    for share in sorted(s for row in shares for s in row):
        if not every or share > every[-1] + NEAR:
            every.append(share)
    return [_cut(loop, [start + s for s in every]) for loop, start in zip(loops, starts, strict=True)]


def _are_coaxial(outlines: Sequence[Outline], pieces: Sequence[Piece]) -> bool:
    """Whether all are whole circles about one axis that is square to their planes."""
    arcs = [piece for piece in pieces if isinstance(piece, ArcPiece)]
    planes = [one.plane for one in outlines if one.plane is not None]
    if len(arcs) < len(pieces):
        return False
    normal = np.array(planes[0].normal)
    centers = np.array([plane.point(*arc.center) for plane, arc in zip(planes, arcs, strict=True)])
    level = all(abs(np.array(plane.normal) @ normal) >= 1.0 - 1e-15 for plane in planes)
    return level and float(np.linalg.norm(np.cross(centers - centers[0], normal), axis=1).max()) <= RESOLUTION


def _total(loop: Sequence[Piece]) -> float:
    return sum(piece.length for piece in loop)


def _corner_shares(loop: Sequence[Piece], start: float) -> list[float]:
    """The shares of the length at which the corners lie, from a start on; a closed curve has none."""
    if len(loop) == 1 and loop[0].is_closed:
        return []
    ends = np.cumsum([0.0, *(piece.length for piece in loop[:-1])]) / _total(loop)
    return sorted(float(s) % 1.0 if (float(s) % 1.0) < 1.0 - NEAR else 0.0 for s in ends - start)


def _starts(outlines: Sequence[Outline], loops: Sequence[tuple[Piece, ...]]) -> list[float]:
    """Where each outline starts, as a share of its length: the first at its first corner, every other at what
    of it lies over the start of the one before."""
    lead = next((k for k, loop in enumerate(loops) if not loop[0].is_closed), 0)
    starts = {lead: 0.0}
    for k, before in [
        *((k, k - 1) for k in range(lead + 1, len(loops))),
        *((k, k + 1) for k in range(lead - 1, -1, -1)),
    ]:
        starts[k] = _start_over((outlines[before], loops[before], starts[before]), (outlines[k], loops[k]))
    return [starts[k] for k in range(len(loops))]


def _start_over(
    lower: tuple[Outline, tuple[Piece, ...], float], upper: tuple[Outline, tuple[Piece, ...]]
) -> float:
    """The start, a corner if there are any, from which an outline lies nearest over another, as wholes."""
    (below, lower_loop, start), (above, loop) = lower, upper
    places = np.arange(16) / 16
    mine = _at_shares(below, lower_loop, start + places) - np.asarray(below.point)
    corners = _corner_shares(loop, 0.0)
    tries = corners or (np.arange(360) / 360).tolist()
    size = np.linalg.norm(mine, axis=1).mean()

    def off(share: float) -> float:
        theirs = _at_shares(above, loop, share + places) - np.asarray(above.point)
        return float(((theirs / np.linalg.norm(theirs, axis=1).mean() - mine / size) ** 2).sum())

    best = min(tries, key=off)
    return best if corners else _finest(off, best)


def _finest(off: Any, share: float) -> float:
    from scipy.optimize import minimize_scalar

    found = minimize_scalar(
        off, bounds=(share - 1 / 360, share + 1 / 360), method="bounded", options={"xatol": 1e-12}
    )
    return float(found.x)


def _at_shares(one: Outline, loop: Sequence[Piece], shares: FloatArray) -> FloatArray:
    assert one.plane is not None
    return one.plane.points(
        np.array([_piece_at(loop, float(s))[0].point(_piece_at(loop, float(s))[1]) for s in shares])
    )


def _piece_at(loop: Sequence[Piece], share: float) -> tuple[Piece, float]:
    """The piece at a share of the length of its loop, and the share of that piece."""
    left = (share % 1.0) * _total(loop)
    for piece in loop:
        if left <= piece.length:
            return piece, left / piece.length
        left -= piece.length
    return loop[-1], 1.0


def _rotated(loop: tuple[Piece, ...], start: float) -> tuple[Piece, ...]:
    shares = np.cumsum([0.0, *(piece.length for piece in loop[:-1])]) / _total(loop)
    k = int(np.abs((shares - start + 0.5) % 1.0 - 0.5).argmin())
    return loop[k:] + loop[:k]


def _cut(loop: tuple[Piece, ...], shares: Sequence[float]) -> tuple[Piece, ...]:
    """The loop from share to share, of its length, all the way round."""
    stops = [s % 1.0 for s in shares]
    if len(loop) == 1 and loop[0].is_closed:
        piece = loop[0]
        ends = [*shares, shares[0] + 1.0]
        low = math.floor(shares[0])
        spots = [piece.point(s % 1.0) for s in ends]
        return tuple(
            subpiece(piece, (a - low, spots[k]), (b - low, spots[k + 1]))
            for k, (a, b) in enumerate(pairwise(ends))
        )
    made: list[Piece] = []
    begin = _piece_at(loop, stops[0])
    order = [loop.index(begin[0]) + k for k in range(len(loop) + 1)]
    total = _total(loop)
    bounds = (np.cumsum([0.0, *(piece.length for piece in loop)]) / total).tolist()
    for k in order:
        piece = loop[k % len(loop)]
        low, high = bounds[k % len(loop)], bounds[k % len(loop) + 1]
        inner = sorted({0.0, 1.0, *((s - low) / (high - low) for s in stops if low + NEAR < s < high - NEAR)})
        for a, b in pairwise(inner):
            made.append(
                subpiece(
                    piece,
                    (a, piece.point(a) if a else piece.start),
                    (b, piece.point(b) if b < 1 else piece.end),
                )
            )
    first = next(i for i, part in enumerate(made) if _lies_at(loop, part, stops[0]))
    return tuple(made[first : first + len(stops)])


def _lies_at(loop: Sequence[Piece], part: Piece, share: float) -> bool:
    piece, s = _piece_at(loop, share)
    spot = piece.point(s)
    return abs(part.start[0] - spot[0]) + abs(part.start[1] - spot[1]) <= 10.0 * NEAR * (1.0 + _total(loop))
