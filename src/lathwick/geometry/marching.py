"""Where two surfaces meet in curves that are no conics: found by subdivision, followed by steps, and
fitted by B-splines that lie on both surfaces to far below the resolution.

The signed distance to a surface changes by no more than one goes, so a patch of the other surface whose
middle is farther away than its radius is free of the curve: no loop is missed, however small. From the
patches that are left the curve is followed both ways, each step corrected back onto both surfaces.

Source: Patrikalakis & Maekawa, Shape Interrogation, ch. 5 (marching); Barnhill & Kersey, "A marching
method for parametric surface/surface intersection", CAGD 7 (1990).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..errors import ModellingError
from .contacts import Intersection
from .fitted_path import PathFit
from .flat_contacts import flat_contacts
from .placement import FloatArray, IntArray
from .spline import FittedCurve, interpolated_fit
from .surface import Foot, Surface
from .tolerance import RESOLUTION
from .vector import Vec3, along, cross, distance, dot, norm, scaled, sub, vec3

FINEST_SHARE = 0.06
MOST_CELLS = 300_000
"""Cells in which a curve may start: some fifty times as many as where surfaces cross, or touch along one."""

MOST_STEPS = 20_000
STRAIGHT = math.cos(0.1)
"""The curve turns by so much in a step, at most (its cosine)."""

ASIDE = math.cos(0.15)
"""A step goes aside by so much, at most (the cosine of the angle)."""

FADING = 0.4
"""In one step the angle at which surfaces meet flatly becomes no smaller than this share of itself."""

SMALLEST = 1e-6
SHARPEST = 1.0 / 300.0
"""Bends sharper than this share of the size are passed in shorter steps where they are, not everywhere."""

CALM = math.cos(0.04)
"""While the curve turns by less in a step (its cosine), the next one may be longer."""

SINGULAR = 1e-6
FLAT = 0.3
"""Seeds where the surfaces meet at a smaller angle (its sine) may lie next to a node."""

LOOSE = 1e-3
"""Next to a node, where surfaces meet at a smaller angle (its sine), they cannot be told to cross."""

BEYOND = 0.1
"""A curve that comes to an end this share of a surface's range beyond its border need not be followed."""

NODE_REACH = 0.02
"""A curve that comes so near to a node, in steps, runs into it."""

SETTLED = 1e-9
"""A correction from so near, as a share of the size and for its angle, leaves nothing but rounding."""

NODE_STEP = 0.3
"""The longest step near a node, as a share of the way to it: branches may touch each other there."""


Near = Callable[[FloatArray, float], NDArray[np.bool_]]
"""Tells which points, (N, 3), lie within a distance of where curves are wanted."""


def everywhere(points: FloatArray, reach: float) -> NDArray[np.bool_]:
    """All points."""
    return np.ones(len(points), dtype=bool)


def marched(
    one: Surface,
    two: Surface,
    box: FloatArray,
    unknown: Callable[[FloatArray], NDArray[np.bool_]] | None = None,
    near: Near = everywhere,
) -> Intersection:
    """The curves in which two surfaces cross within a box, shape (2, 3).

    unknown : of points of the curves, (N, 3), those from which a curve is to be followed; without it all.
    near : of points of the curves, those within a distance of where curves are wanted; what comes nowhere
    near is left out.

    Open curves run a little beyond the box. Raises ModellingError where a curve cannot be followed.
    """
    if one.search_order > two.search_order:
        one, two = two, one
    return _Marcher(one, two, box).run(unknown, near)


@dataclass(slots=True)
class _Path:
    """Points along a curve; `closed` if the last joins the first."""

    points: list[Vec3]
    closed: bool

    def roughly(self) -> FittedCurve:
        """A curve through the points, by chords."""
        every = np.array([*self.points, self.points[0]] if self.closed else self.points)
        steps = np.linalg.norm(np.diff(every, axis=0), axis=1)
        every = every[np.append(True, steps > 0.0)]
        t = np.concatenate([[0.0], np.cumsum(steps[steps > 0.0])])
        return interpolated_fit(t, every, self.closed)


CLOSELY = 0.125
"""Places are looked at that are half of this share of the longest step apart, within this share of it: what a
curve through the steps strays from the contact is far less."""


class _Spot(NamedTuple):
    """A point on both surfaces, and their normals there."""

    point: Vec3
    normals: tuple[Vec3, Vec3]
    feet: tuple[Foot | None, Foot | None]

    @property
    def sine(self) -> float:
        """Of the angle at which the surfaces meet."""
        return norm(cross(*self.normals))

    @property
    def tangent(self) -> Vec3 | None:
        """The direction of the curve, None where it has none."""
        way = cross(*self.normals)
        size = norm(way)
        return None if size < SINGULAR else scaled(way, 1.0 / size)

    def onward(self, old: Vec3) -> Vec3 | None:
        """That direction of the curve, of both, that is the nearer to an old one."""
        way = self.tangent
        return scaled(way, -1.0) if way is not None and dot(way, old) < 0.0 else way


class _Marcher:
    def __init__(self, one: Surface, two: Surface, box: FloatArray) -> None:
        self.one, self.two = one, two
        size = float(np.linalg.norm(box[1] - box[0]))
        sharpest = min(one.least_radius(), two.least_radius())
        self.step = FINEST_SHARE * min(size, max(sharpest, SHARPEST * size))
        self.longest = 1.5 * FINEST_SHARE * size
        margin = 0.02 * size + 2.0 * self.step
        self.low, self.high = box[0] - margin, box[1] + margin
        self.scale = size + float(np.abs(box).max())

    def run(
        self,
        unknown: Callable[[FloatArray], NDArray[np.bool_]] | None,
        near: Near,
    ) -> Intersection:
        cells = self._cells()
        if not len(cells):
            return Intersection()
        seeds = self._corrected(cells)
        if unknown is not None and len(seeds) and not unknown(seeds).any():
            return Intersection()
        nodes = self._nodes(seeds)
        paths: list[_Path] = []
        curves: list[FittedCurve] = []
        elsewhere: list[FittedCurve] = []
        left = seeds
        for node in nodes:
            away = np.linalg.norm(left - np.array(node), axis=1)
            loose = (away <= 2.0 * self.step) & (self._sines(left) < LOOSE)
            left = left[(away > 0.5 * self.step) & ~loose]
        while len(left):
            x, y, z = left[0].tolist()
            path = self._followed((x, y, z), nodes)
            if path is None:
                left = left[1:]
                continue
            paths.append(path)
            rough = path.roughly()
            if _comes_near(rough, len(path.points), near, CLOSELY * self.longest):
                curves.append(self._fitted(path))
                left = left[_off_curve(left, curves[-1]) > 0.6 * self.step]
            else:
                elsewhere.append(rough)
                left = left[1:][_off_curve(left[1:], rough) > 0.6 * self.step]
        ends = {p for path in paths for p in (path.points[0], path.points[-1])}
        alone = [p for p in self._nodes_beside(cells, [*curves, *elsewhere], nodes) if p not in ends]
        return Intersection(
            curves=tuple(curves), nodes=tuple(p for p in nodes if p in ends), points=tuple(alone)
        )

    # ------------------------------------------------------------------ seeds

    def _cells(self) -> FloatArray:
        """Middles of cells of the first surface that the curve may pass, shape (N, 3): at least one on each
        part of it in the box."""
        corners = np.array(np.meshgrid(*np.array([self.low, self.high]).T)).reshape(3, -1).T
        ranges = self.one.domain_in(corners)
        low, high = [r[0] for r in ranges], [r[1] for r in ranges]
        counts = (8, 8)
        du, dv = ((high[k] - low[k]) / counts[k] for k in (0, 1))
        u = low[0] + du * (np.arange(counts[0]) + 0.5)
        v = low[1] + dv * (np.arange(counts[1]) + 0.5)
        cells = np.array(np.meshgrid(u, v)).reshape(2, -1).T
        for _ in range(14):
            cells, reach = self._kept(cells, du, dv)
            if not len(cells) or reach <= 0.5 * self.step:
                break
            wide, tall = self.one.cell_sizes(cells, du, dv)
            split_u, split_v = bool((wide >= 0.7 * tall).any()), bool((tall >= 0.7 * wide).any())
            for k, split in ((0, split_u), (1, split_v)):
                if split:
                    shift = np.zeros(2)
                    shift[k] = 0.25 * (du, dv)[k]
                    cells = np.concatenate([cells - shift, cells + shift])
            du, dv = (0.5 * du if split_u else du), (0.5 * dv if split_v else dv)
            if len(cells) > MOST_CELLS:
                raise self._too_close(cells)
        return self.one.points(cells) if len(cells) else np.zeros((0, 3))

    def _too_close(self, cells: FloatArray) -> ModellingError:
        """They are near each other nearly everywhere, as seen in steps that their bends ask for."""
        x, y, z = self.one.points(cells[len(cells) // 2][None])[0].tolist()
        return ModellingError(
            f"a {self.one.called} and a {self.two.called} surface run too near beside each other about "
            f"({x:.6g}, {y:.6g}, {z:.6g}) to tell where they cross"
        )

    def _kept(self, cells: FloatArray, du: float, dv: float) -> tuple[FloatArray, float]:
        """The cells that the curve may pass within the box, and the largest radius of a cell."""
        points = self.one.points(cells)
        wide, tall = self.one.cell_sizes(cells, du, dv)
        reach = np.hypot(wide, tall)
        kept = ((points >= self.low - reach[:, None]) & (points <= self.high + reach[:, None])).all(axis=1)
        kept[kept] = np.abs(self.two.distance(points[kept])) <= reach[kept] + RESOLUTION
        return cells[kept], float(reach[kept].max()) if kept.any() else 0.0

    def _corrected(self, points: FloatArray) -> FloatArray:
        """Points moved onto both surfaces by Newton's method; those that do not get there are dropped."""
        p, start = self._settled(points, 12, 1e-6), points
        off = np.maximum(np.abs(self.one.distance(p)), np.abs(self.two.distance(p)))
        good = (off < 1e-9 * self.scale) & (np.linalg.norm(p - start, axis=1) < 3.0 * self.step)
        good &= ((p >= self.low) & (p <= self.high)).all(axis=1)
        return p[good]

    # ------------------------------------------------------------------ singular points

    def _nodes(self, seeds: FloatArray) -> list[Vec3]:
        """Points of the curve where the surfaces touch, and branches of the curve may cross."""
        found = self._tips() + [p for p in flat_contacts(self.one, self.two) if self._in_box(p)]
        return self._touches_near(seeds, found)

    def _nodes_beside(
        self, cells: FloatArray, curves: Sequence[FittedCurve], nodes: Sequence[Vec3]
    ) -> list[Vec3]:
        """The nodes, and points where the surfaces touch away from all curves."""
        for curve in curves:
            cells = cells[_off_curve(cells, curve) > 3.0 * self.step]
        return self._touches_near(cells, list(nodes))

    def _touches_near(self, starts: FloatArray, found: list[Vec3]) -> list[Vec3]:
        """`found` and the points next to `starts` where the surfaces touch."""
        sine = self._sines(starts)
        order = np.flatnonzero(sine < FLAT)
        left = starts[order[np.argsort(sine[order])]]
        for node in found:
            left = left[np.linalg.norm(left - np.array(node), axis=1) > 2.0 * self.step]
        for x, y, z in self._touches(_thinned(left, 0.5 * self.step)).tolist():
            if all(distance((x, y, z), other) > self.step for other in found):
                found.append((x, y, z))
        return found

    def _touches(self, starts: FloatArray) -> FloatArray:
        """Points near `starts`, (N, 3), on both surfaces where their normals agree; (M, 3) for those of the
        starts, in order, that have one. By the Gauss-Newton method."""
        p, sign = starts.copy(), np.sign((self.one.normals(starts) * self.two.normals(starts)).sum(axis=1))
        sign[sign == 0.0] = -1.0
        h = 1e-6 * self.step
        around = np.concatenate([np.zeros((1, 3)), h * np.eye(3), -h * np.eye(3)])
        for _ in range(12):
            if not len(p):
                break
            values = self._off_touch((p[:, None] + around).reshape(-1, 3), np.repeat(sign, 7)).reshape(
                -1, 7, 5
            )
            jacobian = ((values[:, 1:4] - values[:, 4:]) / (2 * h)).transpose(0, 2, 1)
            move = -(np.linalg.pinv(jacobian, rcond=1e-7) @ values[:, 0, :, None])[:, :, 0]
            kept = np.linalg.norm(move, axis=1) <= 4.0 * self.step
            p, sign, starts = (p + move)[kept], sign[kept], starts[kept]
        good = np.abs(self._off_touch(p, sign)).max(axis=1, initial=0.0) <= 1e-8 * self.scale
        return p[good & (np.linalg.norm(p - starts, axis=1) <= 4.0 * self.step)]

    def _off_touch(self, points: FloatArray, sign: FloatArray) -> FloatArray:
        """What is nought where the surfaces touch at points, (N, 3), with normals of the given sense to each
        other; (N, 5)."""
        (f, m), (g, n) = self.one.touches(points), self.two.touches(points)
        return np.column_stack([(m - sign[:, None] * n) * self.step, f, g])

    def _singular_near(self, p: Vec3) -> Vec3 | None:
        """A singular point at which following the curve has come to a stop."""
        for surface in (self.one, self.two):
            for tip in surface.singular_points:
                if distance(tip.point, p) < 0.1 * self.step:
                    return tip.point
        touches = self._touches(np.array([p]))
        return vec3(touches[0]) if len(touches) else None

    def _tips(self) -> list[Vec3]:
        """Tips of a surface that lie on the other one."""
        pairs = ((self.one, self.two), (self.two, self.one))
        tips = [(tip.point, other) for surface, other in pairs for tip in surface.singular_points]
        return [tip for tip, other in tips if abs(other.gap(tip)) <= RESOLUTION]

    # ------------------------------------------------------------------ following

    def _followed(self, start: Vec3, nodes: list[Vec3]) -> _Path | None:
        (_, m, foot), (_, n, other) = self.one.touch_from(start, None), self.two.touch_from(start, None)
        spot = _Spot(start, (m, n), (foot, other))
        way = spot.tangent
        if way is None:
            return None
        ahead, closed = self._half(spot, way, nodes)
        if closed:
            return _Path([start, *ahead], True)
        behind, _ = self._half(spot, scaled(way, -1.0), nodes)
        points = [*reversed(behind), start, *ahead]
        return _Path(points, False) if len(points) > 1 else None

    def _half(self, begin: _Spot, way: Vec3, nodes: list[Vec3]) -> tuple[list[Vec3], bool]:
        """Points after `start` in one direction, until the curve closes, leaves the box or meets a node."""
        points: list[Vec3] = []
        start, spot, t, step = begin.point, begin, way, 0.5 * self.step
        for _ in range(MOST_STEPS):
            p = spot.point
            place = self._onto(along(p, t, step), spot.feet)
            turned = None if place is None else place.onward(t)
            if place is None or turned is None or not self._is_next((spot, t), (place, turned), step):
                reached = self._node_ahead(p, t, nodes)
                if reached is not None:
                    return [*points, reached], False
                if self._is_beyond(p):
                    return points, False
                step *= 0.5
                if step < SMALLEST * self.scale:
                    rescue = self._singular_near(p)
                    if rescue is not None:
                        nodes.append(rescue)
                        return ([*points, rescue] if distance(rescue, p) > RESOLUTION else points), False
                    raise ModellingError(
                        f"two faces meet in a curve that cannot be followed beyond ({p[0]:.6g}, {p[1]:.6g}, "
                        f"{p[2]:.6g})"
                    )
                continue
            q = place.point
            node = next(
                (n for n in nodes if distance(n, q) < NODE_REACH * self.step or _between(p, q, n)), None
            )
            if node is not None:
                return [*points, node], False
            if len(points) > 2 and _passes(p, q, t, start, way, step):
                return points, True
            points.append(q)
            if not self._in_box(q):
                return points, False
            ahead = min((distance(n, q) for n in nodes), default=math.inf)
            step = min((1.4 if dot(turned, t) > CALM else 1.0) * step, self.longest, NODE_STEP * ahead)
            spot, t = place, turned
        raise ModellingError("two faces meet in a curve without end; please report the part")

    def _is_beyond(self, p: Vec3) -> bool:
        """Whether a point is so far beyond a border of a surface that no face is there."""
        for surface in (self.one, self.two):
            spot = surface.parameters(np.array([p]))[0].tolist()
            for at, (low, high), period in zip(spot, surface.domain, surface.periods, strict=True):
                room = BEYOND * (high - low)
                if not period and not low - room <= at <= high + room:
                    return True
        return False

    def _is_next(self, before: tuple[_Spot, Vec3], after: tuple[_Spot, Vec3], step: float) -> bool:
        """Whether a point, with the direction there, is the next one of the curve: it goes on there without
        a leap aside. Where the surfaces meet at a small angle, branches may come close to each other: then
        it must not have become much smaller, and half way too the curve must run along."""
        (here, t), (there, turned) = before, after
        p, q = here.point, there.point
        if not 0.5 * step < distance(p, q) < 1.5 * step or dot(turned, t) < STRAIGHT:
            return False
        if dot(sub(q, p), t) < ASIDE * distance(p, q):
            return False
        if min(here.sine, there.sine) >= FLAT:
            return True
        if there.sine < FADING * here.sine:
            return False
        middle = self._onto(along(p, sub(q, p), 0.5), here.feet)
        between = None if middle is None else middle.onward(t)
        if middle is None or between is None or dot(between, t) < STRAIGHT:
            return False
        return dot(sub(middle.point, p), t) >= ASIDE * distance(p, middle.point)

    def _sines(self, points: FloatArray) -> FloatArray:
        """Of the angles at which the surfaces meet at points, (N, 3); returns (N,)."""
        return np.linalg.norm(np.cross(self.one.normals(points), self.two.normals(points)), axis=1)

    def _node_ahead(self, p: Vec3, t: Vec3, nodes: Sequence[Vec3]) -> Vec3 | None:
        """A node that lies ahead within the usual step."""
        near = [n for n in nodes if distance(n, p) < 1.5 * self.step and dot(sub(n, p), t) > 0]
        return min(near, key=lambda n: distance(n, p), default=None)

    def _in_box(self, p: Vec3) -> bool:
        return all(a <= c <= b for a, c, b in zip(self.low.tolist(), p, self.high.tolist(), strict=True))

    def _onto(self, p: Vec3, feet: tuple[Foot | None, Foot | None]) -> _Spot | None:
        """The point on both surfaces next to `p`, with feet near the given ones; None if Newton's method does
        not find it."""
        first, second = feet
        for k in range(9):
            (f, m, first), (g, n, second) = self.one.touch_from(p, first), self.two.touch_from(p, second)
            if abs(f) + abs(g) < (4e-16 if k < 8 else 1e-13) * self.scale:
                return _Spot(p, (m, n), (first, second))
            c = dot(m, n)
            rest = 1.0 - c * c
            if rest < 1e-12:
                return None
            a, b = (f - c * g) / rest, (g - c * f) / rest
            p = along(along(p, m, -a), n, -b)
        return None

    # ------------------------------------------------------------------ fitting

    def _fitted(self, path: _Path) -> FittedCurve:
        whole = [*path.points, path.points[0]] if path.closed else path.points
        fit = PathFit((self.one, self.two), self._settled, self._ways, self.scale)
        return fit.curve(np.array(whole), path.closed)

    def _ways(self, points: FloatArray) -> FloatArray:
        """Unit tangents of the curve at points, (N, 3), of either sense; nought where it has none."""
        ways = np.cross(self.one.normals(points), self.two.normals(points))
        sizes = np.linalg.norm(ways, axis=1)[:, None]
        return np.asarray(np.where(sizes > SINGULAR, ways / np.maximum(sizes, SINGULAR), 0.0))

    def _settled(self, points: FloatArray, rounds: int = 4, least: float = 1e-10) -> FloatArray:
        """Points moved onto both surfaces by Newton's method, as far as it gets. least : the sine squared of
        the angle between the surfaces is taken to be no smaller."""
        p, left = points.copy(), np.arange(len(points))
        near = [_Near(surface, len(points)) for surface in (self.one, self.two)]
        for _ in range(rounds):
            (f, m), (g, n) = (one.touches(p[left], left) for one in near)
            c = (m * n).sum(axis=1)
            rest = np.maximum(1.0 - c * c, least)
            p[left] -= ((f - c * g) / rest)[:, None] * m + ((g - c * f) / rest)[:, None] * n
            left = left[np.abs(f) + np.abs(g) > SETTLED * self.scale * rest]
            if not len(left):
                break
        return p


class _Near:
    """Touches of points, which move little from one time to the next, with a surface."""

    def __init__(self, surface: Surface, count: int) -> None:
        self._surface = surface
        self._feet = np.full((count, 2), np.nan)

    def touches(self, points: FloatArray, numbers: IntArray) -> tuple[FloatArray, FloatArray]:
        """Those of some of the points, by number, as `Surface.touches` gives them; a surface that seeks feet
        begins at the last ones."""
        if not self._surface.seeks_feet:
            return self._surface.touches(points)
        if np.isnan(self._feet[numbers]).any():
            self._feet[numbers] = self._surface.parameters(points)
        gaps, normals, feet = self._surface.touches_near(points, self._feet[numbers])
        self._feet[numbers] = feet
        return gaps, normals


def _thinned(points: FloatArray, apart: float) -> FloatArray:
    """The first of the points, and of the others each that is not so near to one taken before it."""
    if not len(points):
        return points.reshape(-1, 3)
    from scipy.spatial import cKDTree

    tree, kept, free = cKDTree(points), [], np.ones(len(points), bool)
    for index in range(len(points)):
        if free[index]:
            kept.append(index)
            free[tree.query_ball_point(points[index], apart)] = False
    return points[kept]


def _comes_near(curve: FittedCurve, steps: int, near: Near, reach: float) -> bool:
    """Whether a curve through the places of some steps comes within a distance of where curves are wanted:
    seen from step to step first, then much closer along the steps that may."""
    long = (curve.high - curve.low) / steps
    middles = np.linspace(curve.low, curve.high, 2 * steps + 1)[1::2]
    t: FloatArray = middles[near(curve.points(middles), 0.6 * long + reach)]
    if not len(t) or near(curve.points(t), reach).any():
        return len(t) > 0
    closely: FloatArray = long * (np.linspace(0.0, 1.0, math.ceil(2.0 / CLOSELY) + 1) - 0.5)
    return bool(near(curve.points((t[:, None] + closely).ravel()), reach).any())


def _between(p: Vec3, q: Vec3, n: Vec3) -> bool:
    """Whether a node lies close to the step from p to q."""
    way = sub(q, p)
    size = norm(way)
    share = dot(sub(n, p), way) / (size * size)
    return 0.0 <= share <= 1.0 and distance(along(p, way, share), n) < 0.1 * size


def _passes(p: Vec3, q: Vec3, t: Vec3, start: Vec3, way: Vec3, step: float) -> bool:
    """Whether the step from p to q reaches or passes the start of the path."""
    if distance(p, start) > 1.6 * step or dot(t, way) < 0.8:
        return False
    return dot(sub(start, p), t) > 0.0 and dot(sub(q, start), way) > -0.35 * step


def _off_curve(points: FloatArray, curve: FittedCurve) -> FloatArray:
    """Distance of each point from a curve."""
    return np.asarray(np.linalg.norm(curve.points(curve.nearest(points)) - points, axis=1))
