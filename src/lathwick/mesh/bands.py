"""Faces as grids: on a torus or a canal between two curves along it, with arcs across its ends; on a turned
surface between two circles; on other surfaces between four lines of equal parameters, or two that close.

A round leaves its neighbours without an angle. Triangles that follow its own lines keep clear of theirs;
triangles that lie anyhow would pass through them. A swept wall is done at once.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from ..geometry.placement import FloatArray
from ..geometry.surface import Surface
from ..geometry.turned import TurnedSurface
from ..topology.brep import Coedge, Edge, Face
from ..topology.trim import INSIDE, region_of
from ..topology.windings import level_turns, loop_path, signed_area, unrolled, winding
from .grid_steps import SAME, SHARED, even_shares, is_fine, level_borders, row_stops
from .mesh import IntArray
from .sampling import Samples, Tolerance

LOOKS = 9


@dataclass(frozen=True, slots=True)
class Band:
    """The coedges along a band, and those across its ends, None of a ring. `along` is the number of the
    surface's parameter that runs along it."""

    first: Coedge
    second: Coedge
    ends: tuple[Coedge, Coedge] | None
    along: int

    def pairs(self) -> list[tuple[Coedge, Coedge]]:
        """Coedges that need points at the same shares of their length."""
        return [(self.first, self.second), *([self.ends] if self.ends else [])]


def band_of(face: Face) -> Band | None:
    """The band that a face is, by the kinds and the ends of its edges; None if it is none."""
    return face.remembered("band", _band_of)


def _band_of(face: Face) -> Band | None:
    surface = face.surface
    if isinstance(surface, TurnedSurface) and len(face.loops) == 2:
        return _between_circles(face)
    if surface.tube is None:
        if surface.plane is not None or surface.meridian is not None or surface.singular_points:
            return None
        return _between_rings(face) if len(face.loops) == 2 else _four_sided(face, _is_level)
    along = 0
    if len(face.loops) == 2 and all(len(loop.coedges) == 1 for loop in face.loops):
        one, two = (loop.coedges[0] for loop in face.loops)
        if all(_runs_along(surface, c, along) for c in (one, two)) and one.forward is not two.forward:
            return Band(one, two, None, along)
        return None
    return _four_sided(face, _runs_along)


def _between_circles(face: Face) -> Band | None:
    if any(len(loop.coedges) != 1 for loop in face.loops):
        return None
    one, two = (loop.coedges[0] for loop in face.loops)
    level = all(c.edge.is_closed and _is_level(face.surface, c, 0) for c in (one, two))
    turns = level_turns(face.loops, face.surface) if level else None
    return Band(one, two, None, 0) if turns is not None and sum(turns) == 0 else None


def _between_rings(face: Face) -> Band | None:
    """As `_between_circles`, on any surface that closes one way: what is swept along a bend."""
    surface = face.surface
    if any(len(loop.coedges) != 1 for loop in face.loops) or all(surface.periods):
        return None
    along = next((k for k, period in enumerate(surface.periods) if period), None)
    if along is None:
        return None
    one, two = (loop.coedges[0] for loop in face.loops)
    if not all(c.edge.is_closed and _is_level(surface, c, along) for c in (one, two)):
        return None
    turns = [winding(loop_path(loop, surface), surface)[along] for loop in face.loops]
    return Band(one, two, None, along) if sorted(turns) == [-1, 1] else None


def finer_borders(face: Face, tolerance: Tolerance, reach: float) -> dict[Edge, FloatArray]:
    """Parameters of the edges of a face at which a grid between them is near enough all over: the face may
    bulge between them. Nothing for faces of no grid."""
    surface, band = face.surface, band_of(face)
    if band is None or surface.tube is not None:
        return {}
    fine = replace(tolerance, chord=SHARED * tolerance.chord)
    if not isinstance(surface, TurnedSurface):
        if band.ends is None:
            return {c.edge: fine.parameters(c.edge, reach) for c in (band.first, band.second)}
        around = (band.first, band.ends[0], band.second, band.ends[1])
        return level_borders(surface, around, tolerance, reach)
    ends = surface.parameters(np.array([c.edge.curve.point(c.edge.t0) for c in (band.first, band.second)]))
    radius = surface.widest(*sorted(ends[:, 1].tolist()))
    found = {c.edge: fine.of_circle(c.edge, radius, reach) for c in (band.first, band.second)}
    for end in band.ends or ():
        found[end.edge] = fine.parameters(end.edge, reach)
    return found


def _ring_grid(
    face: Face, band: Band, samples: Samples, points: FloatArray, tolerance: Tolerance, reach: float
) -> tuple[FloatArray, IntArray] | None:
    """The grid between two rings: on circles through points of a turned profile, else in even steps."""
    surface, k = face.surface, band.along
    rows = [np.array(samples.along(band.first)), np.array(samples.along(band.second)[::-1])]
    low, high = (unrolled(surface.parameters(points[row]), surface) for row in rows)
    high[:, k] += surface.periods[k] * round((low[0, k] - high[0, k]) / surface.periods[k])
    if np.abs(low[:, k] - high[:, k]).max() > SAME:
        return None
    if isinstance(surface, TurnedSurface):
        first, last = float(low[0, 1]), float(high[0, 1])
        stops = row_stops(surface, min(first, last), max(first, last), tolerance, reach)
        shares = np.sort((stops - first) / (last - first))
    else:
        found = even_shares(surface, (low, high), k, tolerance)
        if found is None:
            return None
        shares = found
    ends = _unclosed(low, band), _unclosed(high, band)
    return _made(face, surface, (rows[0], rows[1]), ends, shares, None, points)


def _four_sided(face: Face, runs_along: Callable[[Surface, Coedge, int], bool]) -> Band | None:
    surface, along = face.surface, 0
    if len(face.loops) != 1 or len(face.loops[0].coedges) != 4:
        return None
    path = loop_path(face.loops[0], surface)
    sign = 1.0 if face.outward else -1.0
    if winding(path, surface) != (0, 0) or sign * signed_area(path) <= 0.0:
        return None  # the rest of the surface, around the loop
    ring = face.loops[0].coedges
    for k in (0, 1):
        one, end, two, start = (ring[(k + n) % 4] for n in range(4))
        if all(runs_along(surface, c, along) for c in (one, two)) and all(
            runs_along(surface, c, 1 - along) for c in (end, start)
        ):
            return Band(one, two, (end, start), along)
    return None


def _is_level(surface: Surface, coedge: Coedge, which: int) -> bool:
    """Whether one parameter grows or falls along an edge, and the other does not change."""
    edge = coedge.edge
    points = edge.curve.points(np.linspace(edge.t0, edge.t1, LOOKS))
    uv = unrolled(surface.parameters(points), surface)
    ahead = np.diff(uv[:, which])
    level = np.abs(uv[:, 1 - which] - uv[0, 1 - which]).max() < SAME * np.ptp(uv[:, which])
    return bool(level and ((ahead > 0.0).all() or (ahead < 0.0).all()))


def _runs_along(surface: Surface, coedge: Coedge, which: int) -> bool:
    """Whether the other parameter does not change along an edge; on a canal it may, along the spine."""
    edge = coedge.edge
    t = np.linspace(edge.t0, edge.t1, 5)
    uv = unrolled(surface.parameters(edge.curve.points(t)), surface)
    if surface.meridian is None and which == 0:
        if edge.curve.kind != "spline" or edge.is_closed:
            return edge.curve.kind == "spline"
        even = uv[0, 0] + (uv[-1, 0] - uv[0, 0]) * np.linspace(0.0, 1.0, 5)
        return bool(np.abs(uv[:, 0] - even).max() < SAME * abs(uv[-1, 0] - uv[0, 0]))
    return edge.curve.kind == "circle" and bool(np.abs(uv[:, 1 - which] - uv[0, 1 - which]).max() < SAME)


def grid_of(
    face: Face, band: Band, samples: Samples, points: FloatArray, tolerance: Tolerance, reach: float
) -> tuple[FloatArray, IntArray] | None:
    """New points, which count from len(points), and triangles of a band, (T, 3); None where the points of its
    edges do not lie opposite each other."""
    surface = face.surface
    below, above = np.array(samples.along(band.first)), np.array(samples.along(band.second)[::-1])
    if len(below) != len(above):
        return None
    if band.ends is None and surface.tube is None:
        return _ring_grid(face, band, samples, points, tolerance, reach)
    if surface.tube is None:
        return _level_grid(face, band, samples, points, tolerance)
    low, high = (unrolled(surface.parameters(points[row]), surface) for row in (below, above))
    low, high = _unclosed(low, band), _unclosed(high, band)
    off = low[0] - high[0]
    high = high + [p * round(d / p) if p else 0.0 for d, p in zip(off, surface.periods, strict=True)]
    if np.abs(low[:, 0] - high[:, 0]).max() > SAME:
        return None
    across = _through_the_face(face, low, high)
    if across is None:
        return None
    high = across
    if band.ends is None:
        span = float(np.abs(high[:, 1] - low[:, 1]).max())
        step = tolerance.span(surface.tube, reach)
        shares = np.linspace(0.0, 1.0, max(1, math.ceil(span / step - 1e-9)) + 1)
        sides = None
    else:
        right, left = np.array(samples.along(band.ends[0])), np.array(samples.along(band.ends[1])[::-1])
        if len(right) != len(left):
            return None
        found = [_shares(surface.parameters(points[row])[:, 1]) for row in (right, left)]
        if np.abs(found[0] - found[1]).max() > SAME:
            return None
        shares, sides = found[0], (left, right)
    return _made(face, surface, (below, above), (low, high), shares, sides, points)


def _level_grid(
    face: Face, band: Band, samples: Samples, points: FloatArray, tolerance: Tolerance
) -> tuple[FloatArray, IntArray] | None:
    """The grid between four lines of equal parameters, if it is near enough to the surface."""
    surface, ends = face.surface, band.ends
    assert ends is not None
    rows = [np.array(samples.along(band.first)), np.array(samples.along(band.second)[::-1])]
    sides = [np.array(samples.along(ends[0])), np.array(samples.along(ends[1])[::-1])]
    if len(sides[0]) != len(sides[1]):
        return None
    along = [_shares_of(surface, points[row], 0) for row in rows]
    across = [_shares_of(surface, points[row], 1) for row in sides]
    if max(np.abs(pair[0] - pair[1]).max() for pair in (along, across)) > SAME:
        return None
    low, high = (unrolled(surface.parameters(points[row]), surface)[[0, -1]] for row in rows)
    turns = [p * round((low[0, k] - high[0, k]) / p) if p else 0.0 for k, p in enumerate(surface.periods)]
    high = high + np.array(turns)
    uv = [line[:1] + along[0][:, None] * (line[1:] - line[:1]) for line in (low, high)]
    if not is_fine(surface, (uv[0], uv[1]), across[0], tolerance):
        return None
    return _made(face, surface, (rows[0], rows[1]), (uv[0], uv[1]), across[0], (sides[1], sides[0]), points)


def _shares_of(surface: Surface, points: FloatArray, k: int) -> FloatArray:
    """How far along points are, by u or v, from the first to the last."""
    v = unrolled(surface.parameters(points), surface)[:, k]
    return np.asarray((v - v[0]) / (v[-1] - v[0]))


def _through_the_face(face: Face, low: FloatArray, high: FloatArray) -> FloatArray | None:
    """The far side, by whole turns across where need be, so that what lies between is the face: two rings
    bound two parts of a torus."""
    for turn in (0.0, math.tau, -math.tau):
        moved = high + np.array([0.0, turn])
        if 0.0 < np.abs(moved[:, 1] - low[:, 1]).max() < math.tau:
            middle = face.surface.points(0.5 * (low + moved)[len(low) // 2 : len(low) // 2 + 1])
            if region_of(face).states(middle)[0] == INSIDE:
                return moved
    return None


def _unclosed(uv: FloatArray, band: Band) -> FloatArray:
    return uv if band.ends else np.vstack([uv[:-1], uv[:1]])


def _shares(v: FloatArray) -> FloatArray:
    v = np.unwrap(v)
    return np.asarray((v - v[0]) / (v[-1] - v[0]))


def _made(
    face: Face,
    surface: Surface,
    rows: tuple[IntArray, IntArray],
    uv: tuple[FloatArray, FloatArray],
    shares: FloatArray,
    sides: tuple[IntArray, IntArray] | None,
    points: FloatArray,
) -> tuple[FloatArray, IntArray]:
    columns, count = len(rows[0]), len(shares) - 1
    table = np.empty((count + 1, columns), dtype=np.int64)
    table[0], table[-1] = rows
    inner = slice(0, columns - 1) if sides is None else slice(1, columns - 1)
    width = inner.stop - inner.start
    new = len(points) + np.arange((count - 1) * width).reshape(count - 1, width)
    table[1:-1, inner] = new
    if sides is None:
        table[1:-1, -1] = table[1:-1, 0]
    else:
        table[1:-1, 0], table[1:-1, -1] = (side[1:-1] for side in sides)
    middle = shares[1:-1, None, None]
    spots = (1.0 - middle) * uv[0][None, inner] + middle * uv[1][None, inner]
    added = surface.points(spots.reshape(-1, 2))
    a, b, c, d = table[:-1, :-1], table[:-1, 1:], table[1:, 1:], table[1:, :-1]
    first, second = (np.stack(corners, axis=-1).reshape(-1, 3) for corners in ((a, b, c), (a, c, d)))
    triangles = np.concatenate([first, second])
    places = np.concatenate([points, added])[triangles]
    areas = np.cross(places[:, 1] - places[:, 0], places[:, 2] - places[:, 0])
    largest = int((areas**2).sum(axis=1).argmax())
    normal = face.surface.normals(places[largest].mean(axis=0)[None])[0]
    looks_out = float(areas[largest] @ normal) > 0.0
    return added, triangles if looks_out is face.outward else triangles[:, ::-1]
