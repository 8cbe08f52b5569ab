"""Is a point of a surface inside a face? The boundary as fine paths in (u, v), and a path to it.

From the point a straight path in (u, v) leads to some place on the boundary; the first boundary edge
that it meets has the point on its material side or not. The paths follow the edges so closely that no
point that is asked about lies between an edge and its path.
"""

from __future__ import annotations

import math
from copy import copy
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ..geometry.placement import FloatArray, Plane
from ..geometry.round_surfaces import SphereSurface
from ..geometry.surface import Surface
from ..geometry.tolerance import GRAZING, NOWHERE, RESOLUTION
from .brep import Coedge, Edge, Face, Loop
from .round_trim import RoundLoops, has_round_loops
from .windings import unrolled

IntArray = NDArray[np.intp]

PER_TURN = 48
FINER = 16
LEVELS = 4
TARGETS = 24
AT_ONCE = (0, 1), (1, 4), (4, TARGETS)
"""So many ways to another edge are tried together: nearly always the first ones do."""

PLACES = 3
"""So many places of a loop are looked at to see on which side of the others it lies."""

POLES = np.array(
    [(1, 0, 0), (0, 1, 0), (0, 0, 1), (1, 1, 1), (1, -1, 1), (1, 1, -1), (-1, 1, 1), (1, 2, 0), (0, 1, 2),
     (2, 0, 1), (-1, 2, 0), (0, -1, 2), (2, 0, -1)]
)  # fmt: skip
INSIDE, ON, OUTSIDE, UNCLEAR = 1, 0, -1, -2


def region_of(face: Face) -> TrimmedRegion:
    """The trimmed region of a face; made once."""
    return face.remembered("region", TrimmedRegion)


class TrimmedRegion:
    """The part of its surface that a face covers."""

    def __init__(self, face: Face) -> None:
        self._face = face
        self._coedges = list(face.coedges())
        self.surface: Surface = _away_from(face) if isinstance(face.surface, SphereSurface) else face.surface
        self._periods = self.surface.periods
        self._levels: list[_Paths] = []
        self._circles = RoundLoops(face) if has_round_loops(face) else None

    def states(self, points: FloatArray, tolerance: float = RESOLUTION) -> IntArray:
        """INSIDE, ON (the boundary, within `tolerance`) or OUTSIDE of points on the surface, shape (N, 3);
        UNCLEAR where no path to the boundary tells."""
        found = np.full(len(points), INSIDE, dtype=np.intp)
        if not self._coedges or not len(points):
            return found
        if self._circles is not None:
            gaps, sides = self._circles.gaps(points)
            return np.where(gaps <= tolerance, ON, np.where(sides > 0.0, INSIDE, OUTSIDE)).astype(np.intp)
        todo = np.arange(len(points))
        for level in range(LEVELS):
            paths = self._paths(level)
            gaps, nearest = paths.distances(points[todo])
            close = gaps <= tolerance + paths.stray
            if close.any():
                which = todo[close]
                exact = np.array([self._exact_gap(points[i], gap, paths) for i, gap in
                                  zip(which, gaps[close], strict=True)])  # fmt: skip
                found[which[exact <= tolerance]] = ON
            sure = (gaps > 4.0 * paths.stray) | (level == LEVELS - 1)
            open_ = found[todo] != ON
            now = todo[sure & open_]
            if len(now):
                found[now] = self._sides(points[now], paths, nearest[sure & open_])
                unclear = now[found[now] == UNCLEAR]
            else:
                unclear = now
            todo = np.sort(np.concatenate([todo[~sure & open_], unclear]))
            if not len(todo):
                break
        return found

    def holds_balls(self, points: FloatArray, reaches: FloatArray) -> NDArray[np.bool_]:
        """Which points lie inside the face and farther from its border than some distances, (N,): so does all
        of the surface that is so near to them and hangs together with them."""
        if not self._coedges:
            return np.ones(len(points), dtype=bool)
        paths = self._paths(0)
        clear = paths.distances(points)[0] > reaches + paths.stray
        clear[clear] = self.states(points[clear]) == INSIDE
        return clear

    def state(self, point: tuple[float, float, float], tolerance: float = RESOLUTION) -> int:
        """INSIDE, ON or OUTSIDE of one point on the surface."""
        return int(self.states(np.array([point]), tolerance)[0])

    def linked(self, owners: list[int]) -> list[tuple[int, int]]:
        """Pairs of owners of coedges between which some path runs inside the region.

        owners : a number for every coedge, in order. From chords of each owner, a little to their left,
        paths lead to chords of the others; the first chord met on the way belongs to the same cell. Chords
        may cross where edges run close together, so finer ones must say the same.
        """
        sign = 1.0 if self._face.outward else -1.0
        pairs: dict[tuple[int, int], None] = {}
        names = sorted(set(owners))
        for one in names:
            for two in names:
                if one != two and (one, two) not in pairs and (two, one) not in pairs:
                    met = self._agreed_owner(np.array(owners), one, two, sign)
                    if met is not None and met != one:
                        pairs[one, met] = None
        return list(pairs)

    def stray_loop(self) -> Loop | None:
        """A loop that lies outside of what the others leave of the surface, as where one has moved past
        another without touching it any more."""
        loops = self._face.loops
        if self._circles is not None:
            stray = self._circles.stray()
            return None if stray is None else loops[stray]
        loop_of = np.repeat(np.arange(len(loops)), [len(loop.coedges) for loop in loops])
        todo = list(range(len(loops))) if len(loops) > 1 else []
        for level in range(LEVELS):
            unclear = []
            for k in todo:
                state = self._state_of_loop(self._paths(level), loop_of == k, level == LEVELS - 1)
                if state == OUTSIDE:
                    return loops[k]
                if state == UNCLEAR:
                    unclear.append(k)
            todo = unclear
        return None

    def _state_of_loop(self, paths: _Paths, mine: NDArray[np.bool_], last: bool) -> int:
        """Whether places on some coedges lie INSIDE or OUTSIDE of what the others bound; UNCLEAR if these
        chords do not tell, and if they are not the last, too coarse."""
        own = mine[paths.owner]
        chords = np.flatnonzero(own)
        chosen = chords[(np.arange(1, 2 * PLACES, 2) * len(chords)) // (2 * PLACES)]
        others = paths.without(own)
        places = paths.middles(chosen)
        gaps, nearest = others.distances(places)
        sure = (gaps > 4.0 * paths.stray) | last
        states = self._sides(places[sure], others, nearest[sure])
        if (states == OUTSIDE).any():
            return OUTSIDE
        return INSIDE if len(states) and (states == INSIDE).all() else UNCLEAR

    def _agreed_owner(self, owners: IntArray, one: int, two: int, sign: float) -> int | None:
        """What chords of two levels in succession give for `_first_owner`; else that of the finest."""
        met = None
        for level in range(LEVELS):
            paths, before = self._paths(level), met
            met = self._first_owner(paths, owners[paths.owner], one, two, sign)
            if level and met == before:
                break
        return met

    def _first_owner(self, paths: _Paths, of_chord: IntArray, one: int, two: int, sign: float) -> int | None:
        """The owner of the first chord on a path from the left of `one` towards `two`, either way round."""
        mine, theirs = np.flatnonzero(of_chord == one), np.flatnonzero(of_chord == two)
        ways = [(0.0,) if not period else (0.0, period, -period) for period in self._periods]
        shifts = [np.array([a, b]) for a in ways[0] for b in ways[1]]
        for tries in AT_ONCE:
            k = np.arange(*tries)
            i = mine[(len(mine) // 2 + (k * 0.618 * len(mine)).astype(int)) % len(mine)]
            j = theirs[(len(theirs) // 2 + (k * 0.382 * len(theirs)).astype(int)) % len(theirs)]
            e = paths.b[i] - paths.a[i]
            starts = 0.5 * (paths.a[i] + paths.b[i]) + 1e-3 * sign * np.column_stack([-e[:, 1], e[:, 0]])
            goals = self._near(starts, 0.5 * (paths.a[j] + paths.b[j]))
            side, first = self._walked(
                np.repeat(starts, len(shifts), axis=0),
                np.repeat(goals, len(shifts), axis=0) + np.tile(shifts, (len(k), 1)),
                paths,
            )
            good = (side * sign > 0) & (of_chord[first] != one)
            if good.any():
                return int(of_chord[first[good.argmax()]])
        return None

    def _walked(self, starts: FloatArray, goals: FloatArray, paths: _Paths) -> tuple[IntArray, IntArray]:
        """Sides and numbers of the first chords on straight paths of any length, (N,) each; 0 as the side
        where that is not clear."""
        long = np.ceil(np.abs(goals - starts).max(axis=1)).astype(int) if max(self._periods) else 1
        count = np.maximum(1, np.broadcast_to(long, len(starts)))
        sides, firsts = np.zeros(len(starts), dtype=np.intp), np.zeros(len(starts), dtype=np.intp)
        left, way = np.arange(len(starts)), (goals - starts) / count[:, None]
        for k in range(int(count.max())):
            left = left[count[left] > k]
            p = starts[left] + k * way[left]
            sides[left], firsts[left], met = self._met(p, p + way[left], paths)
            left = left[~met]
            if not len(left):
                break
        return sides, firsts

    def _paths(self, level: int) -> _Paths:
        while len(self._levels) <= level:
            self._levels.append(_Paths(self._coedges, self.surface, PER_TURN * FINER ** len(self._levels)))
        return self._levels[level]

    def _exact_gap(self, point: FloatArray, gap: float, paths: _Paths) -> float:
        x, y, z = point.tolist()
        near = paths.edges_within(point, gap + 2.0 * paths.stray + RESOLUTION)
        return min(math.dist(edge.nearest((x, y, z)), (x, y, z)) for edge in near)

    def _sides(self, points: FloatArray, paths: _Paths, nearest: IntArray) -> IntArray:
        """Which side of the first boundary on the way to the boundary each point lies on."""
        p = self.surface.parameters(points)
        found = np.zeros(len(points), dtype=np.intp)
        todo = np.arange(len(points))
        count = len(paths.a)
        for k in range(TARGETS):
            target = nearest[todo] if k == 0 else (nearest[todo] + int(k * 0.618 * count) + k) % count
            side = self._first_side(p[todo], paths, target)
            found[todo] = side
            todo = todo[side == 0]
            if not len(todo):
                break
        sign = 1 if self._face.outward else -1
        return np.where(found == 0, UNCLEAR, found * sign)

    def _first_side(self, p: FloatArray, paths: _Paths, target: IntArray) -> IntArray:
        """1 where the first segment met has the point on its left, -1 on its right, 0 if it is not clear."""
        return self._met(p, self._near(p, 0.5 * (paths.a[target] + paths.b[target])), paths)[0]

    def _near(self, p: FloatArray, q: FloatArray) -> FloatArray:
        """`q`, shape (N, 2), moved by whole periods next to `p`."""
        q = q.copy()
        for k, period in enumerate(self._periods):
            if period:
                q[:, k] += period * np.round((p[:, k] - q[:, k]) / period)
        return q

    def _met(
        self, p: FloatArray, q: FloatArray, paths: _Paths
    ) -> tuple[IntArray, IntArray, NDArray[np.bool_]]:
        """On straight paths of at most half a period from p to q: on which side of the first segment each
        starts (0 if it is not clear), the number of the segment, and whether any is met."""
        d = q - p
        a, e = paths.a[None], (paths.b - paths.a)[None]
        shift = np.zeros((len(p), len(paths.a), 2))
        for k, period in enumerate(self._periods):
            if period:
                middle = (p[:, k] + 0.5 * d[:, k])[:, None]
                shift[:, :, k] = period * np.round((middle - 0.5 * (paths.a + paths.b)[None, :, k]) / period)
        w = a + shift - p[:, None]
        across = d[:, None, 0] * e[:, :, 1] - d[:, None, 1] * e[:, :, 0]
        with np.errstate(divide="ignore", invalid="ignore"):
            s = (w[:, :, 0] * e[:, :, 1] - w[:, :, 1] * e[:, :, 0]) / across
            t = (w[:, :, 0] * d[:, None, 1] - w[:, :, 1] * d[:, None, 0]) / across
        blur = np.minimum(0.05, 1e-7 + 4.0 * paths.blur / np.maximum(np.hypot(*d.T), 1e-12))
        hit = (s > 0.0) & (s <= (1.0 + blur)[:, None]) & (t >= -1e-9) & (t <= 1.0 + 1e-9)
        s = np.where(hit, s, np.inf)
        first = s.min(axis=1)
        tied = s <= (first + blur)[:, None]
        side = np.where(across > 0.0, 1, -1)
        ways = np.where(tied, side, 0)
        size = np.hypot(*d.T)[:, None] * np.hypot(e[:, :, 0], e[:, :, 1])
        grazes = (tied & (np.abs(across) < GRAZING * size)).any(axis=1)
        one_way = np.abs(ways.sum(axis=1)) == tied.sum(axis=1)
        at_end = (tied & paths.ends[None]).any(axis=1)
        clear = np.isfinite(first) & ~grazes & one_way & ~at_end
        sides = np.where(clear, np.sign(ways.sum(axis=1)), 0).astype(np.intp)
        return sides, s.argmin(axis=1), np.isfinite(first)


@dataclass(frozen=True)
class _Chords:
    """An edge as chords over a surface: places in (u, v), (M, 2), and in space, (M, 3), how far it leaves the
    chords there and there, and which chords are at its ends, (M - 1,)."""

    flat: FloatArray
    space: FloatArray
    stray: float
    blur: float
    ends: NDArray[np.bool_]


def _chords(edge: Edge, surface: Surface, per_turn: int) -> _Chords:
    """The chords of an edge, kept with it: the next step finds them again."""
    known: dict[tuple[int, int], tuple[Surface, _Chords]] = edge.remembered("chords", lambda _: {})
    key = id(surface), per_turn
    if key not in known:  # the surface is kept, so that no other can come to have its number
        known[key] = surface, _chords_of(edge, surface, per_turn)
    return known[key][1]


def _chords_of(edge: Edge, surface: Surface, per_turn: int) -> _Chords:
    t = _parameters(edge, per_turn)
    points = edge.curve.points(t)
    flat = _on_surface(points, surface)
    ends = _at_ends(edge, len(points) - 1)
    return _Chords(flat, points, _stray(edge, t, points), _blur(edge, t, flat, surface), ends)


class _Paths:
    """All edges of a face as chords: in (u, v) from `a` to `b`, shape (M, 2), and in space."""

    def __init__(self, coedges: list[Coedge], surface: Surface, per_turn: int) -> None:
        flat, space, owners, ends = [], [], [], []
        self.stray = self.blur = 0.0
        for number, coedge in enumerate(coedges):
            chords = _chords(coedge.edge, surface, per_turn)
            self.stray, self.blur = max(self.stray, chords.stray), max(self.blur, chords.blur)
            flat.append(chords.flat if coedge.forward else chords.flat[::-1])
            space.append(chords.space if coedge.forward else chords.space[::-1])
            owners.append(np.full(len(chords.space) - 1, number))
            ends.append(chords.ends)
        self.a = np.concatenate([uv[:-1] for uv in flat])
        self.b = np.concatenate([uv[1:] for uv in flat])
        self._start = np.concatenate([p[:-1] for p in space])
        self._way = np.concatenate([np.diff(p, axis=0) for p in space])
        self._square = np.maximum((self._way**2).sum(axis=1), NOWHERE)
        self.owner = np.concatenate(owners)
        self.ends = np.concatenate(ends)
        self._coedges = coedges

    def distances(self, points: FloatArray) -> tuple[FloatArray, IntArray]:
        """Distance of each point, shape (N, 3), from the chords, and the number of the nearest chord."""
        gaps = self._gaps(points)
        nearest = gaps.argmin(axis=1)
        return gaps[np.arange(len(points)), nearest], nearest

    def middles(self, chords: IntArray) -> FloatArray:
        """The middles of some chords in space, (N, 3)."""
        return self._start[chords] + 0.5 * self._way[chords]

    def without(self, chords: NDArray[np.bool_]) -> _Paths:
        """The same less some chords, marked in a row of all."""
        kept = copy(self)
        for name in ("a", "b", "_start", "_way", "_square", "owner", "ends"):
            setattr(kept, name, getattr(self, name)[~chords])
        return kept

    def _gaps(self, points: FloatArray) -> FloatArray:
        off = points[:, None] - self._start[None]
        share = np.clip((off * self._way[None]).sum(axis=2) / self._square, 0.0, 1.0)
        off -= share[:, :, None] * self._way[None]
        return np.sqrt((off * off).sum(axis=2))

    def edges_within(self, point: FloatArray, reach: float) -> list[Edge]:
        """The edges whose chords come within `reach` of a point."""
        gaps = self._gaps(point[None])[0]
        return [self._coedges[i].edge for i in sorted(set(self.owner[gaps <= reach].tolist()))]


def _at_ends(edge: Edge, count: int) -> NDArray[np.bool_]:
    """The first and last chord of a curved edge: beside a neighbour that runs the same way they do not
    tell on which side of both a place lies."""
    found = np.zeros(count, dtype=bool)
    if count > 2 and not edge.is_closed:
        found[[0, -1]] = True
    return found


def _parameters(edge: Edge, per_turn: int) -> FloatArray:
    if edge.curve.kind == "line":
        return np.array([edge.t0, edge.t1])
    if edge.curve.period == math.tau:
        count = max(4, math.ceil((edge.t1 - edge.t0) / math.tau * per_turn))
        return np.linspace(edge.t0, edge.t1, count + 1)
    stops = edge.curve.breaks(edge.t0, edge.t1)
    each = max(2, math.ceil(per_turn / max(1, len(stops) - 1)))
    spans = [np.linspace(a, b, each + 1)[:-1] for a, b in pairwise(stops)]
    return np.append(np.concatenate(spans), stops[-1])


def _stray(edge: Edge, t: FloatArray, points: FloatArray) -> float:
    """How far the edge leaves its chords, from the middles of the chords, with something to spare."""
    if edge.curve.kind == "line":
        return 0.0
    middles = edge.curve.points(0.5 * (t[:-1] + t[1:]))
    return 1.5 * float(np.linalg.norm(middles - 0.5 * (points[:-1] + points[1:]), axis=1).max())


def _blur(edge: Edge, t: FloatArray, uv: FloatArray, surface: Surface) -> float:
    """How far the edge leaves its chords in (u, v)."""
    if len(t) == 2:
        return 0.0
    off = surface.parameters(edge.curve.points(0.5 * (t[:-1] + t[1:]))) - 0.5 * (uv[:-1] + uv[1:])
    for k, period in enumerate(surface.periods):
        if period:
            off[:, k] -= period * np.round(off[:, k] / period)
    return float(np.abs(off).max())


def _on_surface(points: FloatArray, surface: Surface) -> FloatArray:
    """(u, v) along the path of an edge, without jumps; it ends at a tip with the u of its next point."""
    uv = surface.parameters(points)
    for tip in surface.singular_points:
        for end, beside in ((0, 1), (-1, -2)):
            if math.dist(points[end], tip.point) <= RESOLUTION:
                uv[end, 0] = uv[beside, 0]
    return unrolled(uv, surface)


def _away_from(face: Face) -> SphereSurface:
    """The sphere of a face with its poles turned away from the edges."""
    surface = face.surface
    assert isinstance(surface, SphereSurface)
    if not face.loops:
        return surface
    t = [(c.edge, np.linspace(c.edge.t0, c.edge.t1, 33)) for c in face.coedges()]
    off = np.concatenate([edge.curve.points(s) for edge, s in t]) - np.asarray(surface.frame.origin)
    ways = POLES / np.linalg.norm(POLES, axis=1)[:, None]
    x, y, z = ways[np.abs(off @ ways.T).max(axis=0).argmin()].tolist()
    return SphereSurface(Plane(surface.frame.origin, (x, y, z)), surface.radius)
