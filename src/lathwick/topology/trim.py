"""Is a point of a surface inside a face? The boundary as fine paths in (u, v), and a path to it.

From the point a straight path in (u, v) leads to some place on the boundary; the first boundary edge
that it meets has the point on its material side or not. The paths follow the edges so closely that no
point that is asked about lies between an edge and its path.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from ..geometry.placement import FloatArray, IntArray, Plane
from ..geometry.round_surfaces import SphereSurface
from ..geometry.surface import Surface
from ..geometry.tolerance import GRAZING, RESOLUTION
from ..geometry.vector import cross, dot, negated, sub
from .border import BESIDE, Paths
from .brep import Face, Loop
from .round_trim import RoundLoops, has_round_loops

PER_TURN = 48
FINER = 16
LEVELS = 4
TARGETS = 24
AT_ONCE = (0, 1), (1, 4), (4, TARGETS)
"""So many ways to another edge are tried together: nearly always the first ones do."""

PLACES = 3
"""So many places of a loop are looked at to see on which side of the others it lies."""

SURE = 4.0
"""What is so many times farther from chords than the edges are lies on the same side of both."""

APART = 2.0
"""A border must be so many times as far away as the nearest one to be no matter."""

SQUARE = 0.9
"""The way to a foot is so square to the edge, its cosine to the left of that."""

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
        self._levels: list[Paths] = []
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
            sure = (gaps > SURE * paths.stray) | (level == LEVELS - 1)
            open_ = found[todo] != ON
            if level:  # so near to the border their feet on it tell sooner than finer chords
                for k in np.flatnonzero(~sure & open_):
                    found[todo[k]] = self._side_at_foot(points[todo[k]], gaps[k], paths)
                    open_[k] = found[todo[k]] == UNCLEAR
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

    def near(self, points: FloatArray, reach: float) -> NDArray[np.bool_]:
        """Which points on the surface, (N, 3), may lie in the face or within a distance of it: next to its
        border that is not looked into."""
        if not self._coedges:
            return np.ones(len(points), dtype=bool)
        if self._circles is not None:
            gaps, sides = self._circles.gaps(points)
            return np.asarray((gaps <= reach) | (sides > 0.0))
        paths = self._paths(0)
        gaps, nearest = paths.distances(points)
        found = gaps <= max(reach + paths.stray, SURE * paths.stray)
        if not found.all():
            found[~found] = self._sides(points[~found], paths, nearest[~found]) != OUTSIDE
        return np.asarray(found)

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

    def _state_of_loop(self, paths: Paths, mine: NDArray[np.bool_], last: bool) -> int:
        """Whether places on some coedges lie INSIDE or OUTSIDE of what the others bound; UNCLEAR if these
        chords do not tell, and if they are not the last, too coarse."""
        own = mine[paths.owner]
        chords = np.flatnonzero(own)
        chosen = chords[(np.arange(1, 2 * PLACES, 2) * len(chords)) // (2 * PLACES)]
        others = paths.without(own)
        places = paths.middles(chosen)
        gaps, nearest = others.distances(places)
        sure = (gaps > SURE * paths.stray) | last
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

    def _first_owner(self, paths: Paths, of_chord: IntArray, one: int, two: int, sign: float) -> int | None:
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

    def _walked(self, starts: FloatArray, goals: FloatArray, paths: Paths) -> tuple[IntArray, IntArray]:
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

    def _paths(self, level: int) -> Paths:
        while len(self._levels) <= level:
            self._levels.append(Paths(self._coedges, self.surface, PER_TURN * FINER ** len(self._levels)))
        return self._levels[level]

    def _exact_gap(self, point: FloatArray, gap: float, paths: Paths) -> float:
        x, y, z = point.tolist()
        near = paths.coedges_within(point, gap + 2.0 * paths.stray + RESOLUTION)
        return min(math.dist(coedge.edge.nearest((x, y, z)), (x, y, z)) for coedge in near)

    def _side_at_foot(self, point: FloatArray, gap: float, paths: Paths) -> int:
        """INSIDE or OUTSIDE of a point next to an edge, by the side of it on which it lies at its foot there;
        UNCLEAR where that is at an end of the edge, or another edge is hardly farther away."""
        x, y, z = point.tolist()
        feet = []
        for coedge in paths.coedges_within(point, gap + 2.0 * paths.stray + RESOLUTION):
            edge = coedge.edge
            t = edge.curve.nearest_between((x, y, z), edge.t0, edge.t1)
            feet.append((math.dist(edge.curve.point(t), (x, y, z)), t, coedge))
        (away, t, coedge), *others = sorted(feet, key=lambda foot: foot[0])
        edge = coedge.edge
        if any(other[0] < APART * away for other in others) or not (edge.is_closed or edge.t0 < t < edge.t1):
            return UNCLEAR
        way = edge.curve.tangent(t)
        left = cross(self.surface.normal((x, y, z)), way if coedge.forward else negated(way))
        off = dot(left, sub((x, y, z), edge.curve.point(t)))
        if abs(off) < SQUARE * away:
            return UNCLEAR
        return INSIDE if (off > 0.0) is self._face.outward else OUTSIDE

    def _sides(self, points: FloatArray, paths: Paths, nearest: IntArray) -> IntArray:
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

    def _first_side(self, p: FloatArray, paths: Paths, target: IntArray) -> IntArray:
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
        self, p: FloatArray, q: FloatArray, paths: Paths
    ) -> tuple[IntArray, IntArray, NDArray[np.bool_]]:
        """On straight paths of at most half a period from p to q: on which side of the first segment each
        starts (0 if it is not clear), the number of the segment, and whether any is met."""
        way, far = q - p, np.hypot(*(q - p).T)
        i, j = paths.near_ways(p, q, self._periods)
        a, e, d = paths.a[j], paths.b[j] - paths.a[j], way[i]
        w = a - p[i]
        for k, period in enumerate(self._periods):
            if period:
                w[:, k] += period * np.round((p[i, k] + 0.5 * d[:, k] - a[:, k] - 0.5 * e[:, k]) / period)
        across = d[:, 0] * e[:, 1] - d[:, 1] * e[:, 0]
        with np.errstate(divide="ignore", invalid="ignore"):
            s = (w[:, 0] * e[:, 1] - w[:, 1] * e[:, 0]) / across
            t = (w[:, 0] * d[:, 1] - w[:, 1] * d[:, 0]) / across
        blur = np.minimum(BESIDE, 1e-7 + 4.0 * paths.blur / np.maximum(far, 1e-12))
        hit = (s > 0.0) & (s <= 1.0 + blur[i]) & (t >= -1e-9) & (t <= 1.0 + 1e-9)
        i, j, s, across, e = i[hit], j[hit], s[hit], across[hit], e[hit]
        least, first = np.full(len(p), np.inf), np.zeros(len(p), dtype=np.intp)
        np.minimum.at(least, i, s)
        nearest = np.flatnonzero(s == least[i])[::-1]
        first[i[nearest]] = j[nearest]
        tied = s <= (least + blur)[i]
        i, j, across, size = i[tied], j[tied], across[tied], far[i[tied]] * np.hypot(*e[tied].T)
        left = np.bincount(i[across > 0.0], minlength=len(p))
        right = np.bincount(i[across <= 0.0], minlength=len(p))
        unsure = np.zeros(len(p), dtype=bool)
        unsure[i[(np.abs(across) < GRAZING * size) | paths.ends[j]]] = True
        met = np.isfinite(least)
        clear = met & ~unsure & ((left == 0) | (right == 0))
        return np.where(clear, np.sign(left - right), 0).astype(np.intp), first, met


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
