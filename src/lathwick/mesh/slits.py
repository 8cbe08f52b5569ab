"""A face on a torus cut along a meridian and a parallel, so that it lies flat however it goes round.

Where edges cross these two circles they get a point, so that no chord of the boundary passes over them.
What is left of the face lies in a square of the parameters, (2 pi, 2 pi) large.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from ..geometry.placement import FloatArray
from ..geometry.round_surfaces import TorusSurface
from ..topology.brep import Edge, Face
from ..topology.trim import INSIDE, region_of
from .layout import Layout
from .sampling import TooCoarseError

TRIED = 24
PER_EDGE = 97
ON_SLIT = 1e-9
"""Parameters (radians) this near to a slit are on it."""


@dataclass(frozen=True, slots=True)
class Slit:
    """The parameters of the meridian, u, and of the parallel, v, along which a face is cut."""

    u: float
    v: float


def slit_for(face: Face) -> tuple[Slit, dict[Edge, FloatArray]]:
    """Where a face is best cut, and the parameters at which its edges cross the cut."""
    edges = list(dict.fromkeys(c.edge for c in face.coedges()))
    chosen = [_best(face, edges, which) for which in (0, 1)]
    crossings = {
        edge: np.unique(np.concatenate([hits.get(edge, np.zeros(0)) for _, hits in chosen])) for edge in edges
    }
    return Slit(chosen[0][0], chosen[1][0]), {edge: t for edge, t in crossings.items() if len(t)}


def _best(face: Face, edges: Sequence[Edge], which: int) -> tuple[float, dict[Edge, FloatArray]]:
    """Of some values of a parameter the one that edges cross most steeply and farthest from their ends."""
    paths = {edge: _path(face, edge)[:, which] for edge in edges}
    ends = np.concatenate([path[[0, -1]] for path in paths.values()])
    best, most = 0.0, -1.0
    for value in (0.1 + np.arange(TRIED) * (math.tau / TRIED)).tolist():
        room = float(np.abs(_wrapped(ends - value)).min())
        steps = [_crossing_steps(path, value) for path in paths.values()]
        steep = min((float(s.min()) for s in steps if len(s)), default=1.0)
        score = min(room, steep * PER_EDGE / math.tau)
        if score > most:
            best, most = value, score
    hits = {edge: _hits(face, edge, path, which, best) for edge, path in paths.items()}
    return best, hits


def _path(face: Face, edge: Edge) -> FloatArray:
    points = edge.curve.points(np.linspace(edge.t0, edge.t1, PER_EDGE))
    return np.unwrap(face.surface.parameters(points), axis=0, period=math.tau)


def _wrapped(angle: FloatArray) -> FloatArray:
    return np.asarray(angle - math.tau * np.round(angle / math.tau))


def _crossing_steps(path: FloatArray, value: float) -> FloatArray:
    level = np.floor((path - value) / math.tau)
    return np.abs(np.diff(path))[np.diff(level) != 0]


def _hits(face: Face, edge: Edge, path: FloatArray, which: int, value: float) -> FloatArray:
    """Parameters of an edge where it crosses a value, with one more between any two of them."""
    t = np.linspace(edge.t0, edge.t1, PER_EDGE)
    level = np.floor((path - value) / math.tau)

    def off(s: float) -> float:
        uv = face.surface.parameters(np.array([edge.curve.point(s)]))
        return float(_wrapped(uv[:, which] - value)[0])

    from scipy.optimize import brentq

    found = [float(brentq(off, t[k], t[k + 1], xtol=1e-15)) for k in np.flatnonzero(np.diff(level))]
    between = [0.5 * (a + b) for a, b in pairwise(found)]
    return np.array(sorted(found + between))


def slit_layout(
    face: Face, surface: TorusSurface, slit: Slit, paths: Sequence[FloatArray], steps: tuple[float, float]
) -> tuple[Layout, FloatArray]:
    """The layout of the face, in radians, and the points of the slits that it adds to the boundary's.

    paths : (u, v) along each ring, closed by a repeated first point. steps : how far apart points may lie.

    Raises TooCoarseError where a chord of the boundary passes over a slit.
    """
    corner = np.array([slit.u, slit.v])
    builder = _Builder(corner, [path[:-1] for path in paths])
    builder.run_boundary()
    for which in (0, 1):
        builder.run_slit(face, surface, which, steps)
    return builder.layout(), surface.points(np.array(builder.added).reshape(-1, 2) + corner)


class _Builder:
    """Places and segments of a layout as they are found. A place is known by its owner and by the sides of
    the square, (0 or 1) in u and v, that it lies on if it lies on a slit."""

    def __init__(self, corner: FloatArray, rings: Sequence[FloatArray]) -> None:
        self.rings = rings
        self.origin = corner
        self.count = sum(map(len, rings))
        local = (np.concatenate(rings) - corner) % math.tau
        self.on_slit = np.minimum(local, math.tau - local) < ON_SLIT
        self.local = np.where(self.on_slit, 0.0, local)
        self.added: list[tuple[float, float]] = []
        self.corner: int | None = None
        self._border: dict[tuple[int, int, int], int] = {}
        self._inner: dict[tuple[int, int, int], int] = {}
        self._places: tuple[list[tuple[float, float]], list[tuple[float, float]]] = ([], [])
        self._segments: list[tuple[tuple[int, int], tuple[int, int]]] = []

    def layout(self) -> Layout:
        """Boundary places first."""
        border, inner = (list(known) for known in (self._border, self._inner))
        shift = (0, len(border))
        segments = [(shift[a] + i, shift[b] + j) for (a, i), (b, j) in self._segments]
        owners = np.array([owner for owner, _, _ in border + inner], dtype=np.int64)
        places = np.array(self._places[0] + self._places[1]).reshape(-1, 2)
        return Layout(places, owners, np.array(segments, dtype=np.int64), 0.0)

    def _place(self, owner: int, sides: tuple[int, int]) -> tuple[int, int]:
        kind = int(owner >= self.count)
        known = (self._border, self._inner)[kind]
        key = (owner, *sides)
        if key not in known:
            known[key] = len(known)
            u, v = self._local_of(owner)
            self._places[kind].append((u + math.tau * sides[0], v + math.tau * sides[1]))
        return kind, known[key]

    def _local_of(self, owner: int) -> tuple[float, float]:
        if owner >= self.count:
            return self.added[owner - self.count]
        u, v = self.local[owner].tolist()
        return u, v

    def run_boundary(self) -> None:
        start = 0
        for ring in self.rings:
            for k in range(len(ring)):
                self._run_chord(start + k, start + (k + 1) % len(ring))
            start += len(ring)

    def _run_chord(self, a: int, b: int) -> None:
        sides = [[0, 0], [0, 0]]
        for which in (0, 1):
            ends = (a, b)
            on = [bool(self.on_slit[end, which]) for end in ends]
            at = [float(self.local[end, which]) for end in ends]
            if all(on) or (not any(on) and abs(at[0] - at[1]) > math.pi):
                raise TooCoarseError("a chord of the boundary passes over the slit of its torus")
            for n in (0, 1):
                if on[n]:
                    sides[n][which] = int(at[1 - n] > math.pi)
        one, two = ((s[0], s[1]) for s in sides)
        self._segments.append((self._place(a, one), self._place(b, two)))

    def run_slit(self, face: Face, surface: TorusSurface, which: int, steps: tuple[float, float]) -> None:
        """Points and segments on both sides of a slit: which = 0 is the meridian, along which v runs."""
        other = 1 - which
        crossing = np.flatnonzero(self.on_slit[:, which])
        stops = sorted((float(self.local[i, other]), int(i)) for i in crossing)
        distinct = [s for k, s in enumerate(stops) if not k or s[0] - stops[k - 1][0] > ON_SLIT]
        ends = [(0.0, -1), *distinct, (math.tau, -1)]
        middles = np.array([0.5 * (p[0] + q[0]) for p, q in pairwise(ends)])
        uv = np.zeros((len(middles), 2))
        uv[:, other] = middles
        inside = region_of(face).states(surface.points(uv + self.origin)) == INSIDE
        for k in np.flatnonzero(inside).tolist():
            self._run_stretch(ends[k], ends[k + 1], which, steps[other])

    def _run_stretch(self, low: tuple[float, int], high: tuple[float, int], which: int, step: float) -> None:
        count = max(1, math.ceil((high[0] - low[0]) / step))
        chain = [self._stop(low, which)]
        for k in range(1, count):
            along = low[0] + (high[0] - low[0]) * k / count
            self.added.append((0.0, along) if which == 0 else (along, 0.0))
            chain.append((self.count + len(self.added) - 1, 0))
        chain.append(self._stop(high, which))
        for side in (0, 1):
            rows = [self._place(owner, (side, far) if which == 0 else (far, side)) for owner, far in chain]
            self._segments += list(pairwise(rows))

    def _stop(self, stop: tuple[float, int], which: int) -> tuple[int, int]:
        """The owner of an end of a stretch, and whether that is the far corner of the square."""
        if stop[1] >= 0:
            return stop[1], 0
        if self.corner is None:
            self.added.append((0.0, 0.0))
            self.corner = self.count + len(self.added) - 1
        return self.corner, int(stop[0] > 0.0)
