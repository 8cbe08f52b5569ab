"""Where the boundary of a face that goes round a closed B-spline surface is cut open.

Such a surface is given to the standard over a rectangle of parameters, two sides of which are one curve in
space, the seam. A face that goes round crosses it: its edges are divided where they do, and the seam, used
once each way, joins them to one loop. The seam is laid where the boundary crosses it the fewest times.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ...errors import ExchangeError
from ...geometry.placement import FloatArray
from ...geometry.roots import halved
from ...geometry.surface import Surface
from ...geometry.tolerance import RESOLUTION
from ...geometry.vector import Vec3, distance
from ...topology.brep import Coedge, Edge, Face, Vertex
from ...topology.trim import INSIDE, region_of
from .ranges import SPOTS, paths_of, winds

CANDIDATES = 24
"""So many places for a seam are tried, besides the start of the surface."""

NEAR = 2.0 * RESOLUTION
OFF = 10.0 * RESOLUTION
"""Vertices may lie so far beside the seam."""

ROUNDED = 1e-12
"""Parameters so near to the seam, as a share of its period, lie on it."""

CROWDED = 1e-4
"""A seam so near to a vertex, as a share of the edge, that an edge would become very short is a bad one."""


@dataclass(frozen=True, slots=True)
class Cut:
    """A place on an edge: at a vertex, or at a parameter inside (of a closed edge, also at its start)."""

    edge: Edge
    t: float
    vertex: Vertex | None

    @property
    def point(self) -> Vec3:
        return self.vertex.point if self.vertex is not None else self.edge.curve.point(self.t)


@dataclass(frozen=True, slots=True)
class Crossing:
    """Where a loop, by number, passes the seam: the coedge after it, by number, and its place along the
    seam."""

    loop: int
    coedge: int
    cut: Cut
    along: float


@dataclass(frozen=True, slots=True)
class Seam:
    """The line of equal u (k = 0) or v (k = 1) at which a surface is cut open; pairs of crossings, the lower
    one first, between which it runs inside the face, None for a pole."""

    k: int
    at: float
    pieces: tuple[tuple[Crossing | None, Crossing | None], ...]

    def cuts(self) -> list[Cut]:
        """Where edges are divided."""
        return [c.cut for piece in self.pieces for c in piece if c is not None]


def seam_of(face: Face) -> Seam | None:
    """The seam of a face that goes round its surface; None for one that does not. Raises ExchangeError for
    one that goes round both ways."""
    around = winds(face)
    if not any(around):
        return None
    if all(around):
        raise ExchangeError(
            f"a {face.surface.called} face that goes round both ways cannot be written to STEP"
        )
    k = around.index(True)
    low, period = face.surface.domain[k][0], face.surface.periods[k]
    paths = [paths_of(loop, face.surface) for loop in face.loops]
    around_it = sum(_goes_round(rows, k, period) for rows in paths)
    starts = [low, *(low + period * (n + 0.5) / CANDIDATES for n in range(CANDIDATES))]
    found: list[tuple[int, float, list[Crossing]]] = []
    for number, at in enumerate(starts):
        crossings = _crossings(face, paths, k, at)
        badness = len(crossings) + sum(_is_crowded(c.cut) for c in crossings)
        badness += 2 * sum(_turns_back(rows, k, at, period) for rows in paths)
        found.append((badness, float(number > 0), crossings))
        if number == 0 and badness == around_it:
            break
    best = min(range(len(found)), key=lambda n: found[n][:2])
    return Seam(k, starts[best], _pieces(face, k, starts[best], found[best][2]))


def _goes_round(rows: Sequence[FloatArray], k: int, period: float) -> bool:
    """Whether a loop, by its parameters along each coedge, (N, 2), goes round a period."""
    row = np.concatenate([uv[:, k] for uv in rows])
    return bool(abs(row[-1] - row[0]) > 0.5 * period)


def _turns_back(rows: Sequence[FloatArray], k: int, at: float, period: float) -> int:
    """How often a loop turns back so near to a seam that between its samples it may pass it twice."""
    row = np.concatenate([uv[:, k] for uv in rows])
    before, after = np.diff(row)[:-1], np.diff(row)[1:]
    off = row[1:-1] - at
    off -= period * np.round(off / period)
    near = np.abs(off) <= np.maximum(np.abs(before), np.abs(after))
    return int(np.count_nonzero(near & (before * after <= 0.0) & (before != after)))


def _is_crowded(cut: Cut) -> bool:
    if cut.vertex is not None or cut.edge.is_closed:
        return False
    share = (cut.t - cut.edge.t0) / (cut.edge.t1 - cut.edge.t0)
    return min(share, 1.0 - share) < CROWDED


def _crossings(face: Face, paths: Sequence[Sequence[FloatArray]], k: int, at: float) -> list[Crossing]:
    found, surface = [], face.surface
    for number, (loop, rows) in enumerate(zip(face.loops, paths, strict=True)):
        row = np.concatenate([uv[:, k] for uv in rows])
        lap = surface.periods[k] * round((row[-1] - row[0]) / surface.periods[k])
        shares = (np.append(row, row[0] + lap) - at) / surface.periods[k]
        turns = np.floor(np.where(_is_whole(shares), np.round(shares), shares))  # one more at each crossing
        for j in np.flatnonzero(np.diff(turns)).tolist():
            i, n = divmod(j, SPOTS)
            coedge, after = loop.coedges[i], i
            if n == SPOTS - 1:
                cut = _end_of(coedge)
            else:
                cut = _cut(surface, coedge, k, at, row[i * SPOTS : (i + 1) * SPOTS], n)
            if n == SPOTS - 1 or (cut.vertex is not None and cut.vertex is coedge.end):
                after = (i + 1) % len(loop.coedges)
            found.append(Crossing(number, after, cut, _along(face, k, at, cut)))
    return found


def _along(face: Face, k: int, at: float, cut: Cut) -> float:
    """The place of a cut along the seam. Raises ExchangeError where it is not on that."""
    place = face.surface.parameters(np.array([cut.point]))[0]
    place[k] = at
    x, y, z = face.surface.points(place[None])[0].tolist()
    if not distance((x, y, z), cut.point) <= OFF:
        raise ExchangeError(
            f"a {face.surface.called} face cannot be cut open for STEP at ({x:.6g}, {y:.6g}, {z:.6g})"
        )
    return float(place[1 - k])


def _is_whole(shares: FloatArray) -> NDArray[np.bool_]:
    """Which places, in periods from the seam, lie on it."""
    return np.asarray(np.abs(shares - np.round(shares)) <= ROUNDED)


def _end_of(coedge: Coedge) -> Cut:
    """The end of a coedge; of a closed edge where its parameter starts."""
    return Cut(coedge.edge, coedge.edge.t0, coedge.end)


def _cut(surface: Surface, coedge: Coedge, k: int, at: float, row: FloatArray, j: int) -> Cut:
    """The place between samples j and j + 1 of a coedge at which it passes the seam."""
    edge, period, count = coedge.edge, surface.periods[k], len(row)
    shares = np.array([j, j + 1]) / (count - 1)
    on_seam = _is_whole((row[j : j + 2] - at) / period)
    if on_seam.any():  # rounding does not tell on which side that is
        shares[:] = shares[on_seam][0]
    if not coedge.forward:
        shares = 1.0 - shares[::-1]
    low, high = edge.t0 + shares * (edge.t1 - edge.t0)
    middle = 0.5 * (row[j] + row[j + 1])
    level = at + period * np.floor((max(row[j], row[j + 1]) - at) / period)

    def past(t: FloatArray) -> FloatArray:
        values = surface.parameters(edge.curve.points(t))[:, k]
        return np.asarray(values - period * np.round((values - middle) / period) - level)

    t = float(halved(past, np.array([low]), np.array([high]), past(np.array([low])))[0])
    point = edge.curve.point(t)
    for vertex in (edge.start, edge.end):
        if vertex is not None and distance(vertex.point, point) <= NEAR:
            return Cut(edge, t, vertex)
    if edge.is_closed and distance(edge.curve.point(edge.t0), point) <= NEAR:
        t = edge.t0
    return Cut(edge, t, None)


def _pieces(
    face: Face, k: int, at: float, crossings: Sequence[Crossing]
) -> tuple[tuple[Crossing | None, Crossing | None], ...]:
    """Crossings next to each other along the seam between which it runs inside the face."""
    ordered: list[Crossing | None] = [*sorted(crossings, key=lambda c: c.along)]
    places = [c.along for c in ordered if c is not None]
    low, high = face.surface.domain[1 - k]
    if _is_pole(face.surface, k, low):
        ordered, places = [None, *ordered], [low, *places]
    if _is_pole(face.surface, k, high):
        ordered, places = [*ordered, None], [*places, high]
    found = []
    uv = np.empty((max(0, len(places) - 1), 2))
    uv[:, k], uv[:, 1 - k] = at, 0.5 * (np.array(places[:-1]) + np.array(places[1:]))
    states = region_of(face).states(face.surface.points(uv)) if len(uv) else np.zeros(0)
    for (one, two), state in zip(pairwise(ordered), states, strict=True):
        if state == INSIDE:
            found.append((one, two))
    used = [c for piece in found for c in piece if c is not None]
    if len(used) != len(crossings):
        raise ExchangeError(f"a {face.surface.called} face cannot be cut open for STEP")
    return tuple(found)


def _is_pole(surface: Surface, k: int, end: float) -> bool:
    if not surface.singular_points or not np.isfinite(end):
        return False
    uv = np.array([[surface.domain[k][0], end]] if k == 0 else [[end, surface.domain[k][0]]])
    point = tuple(surface.points(uv)[0].tolist())
    return any(distance(point, tip.point) <= NEAR for tip in surface.singular_points)
