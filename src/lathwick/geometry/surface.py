"""The protocol of surfaces, and answers to all of it from points and derivatives.

A surface is immutable, has parameters (u, v) and a normal on a known side. A new kind says its `kind` and its
`domain`, and gives `points` and `derivatives`, also somewhat beyond the domain, where a smooth surface goes
on; all else it has from here, and overrides where it knows better. A class that lacks one of them is refused
when it is defined.

Source: Piegl & Tiller, The NURBS Book, 6.1 (foot points); Patrikalakis & Maekawa, Shape Interrogation, ch. 4,
7 and 8 (subdivision, extremes of distance functions, curvature).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, ClassVar, TypeAlias

import numpy as np
from numpy.typing import NDArray

from .curve import AXES, required
from .motion import Motion
from .newton_steps import newton_step, room, solved, stepped, within
from .patch_rays import RayPatches, patch_ray_hits
from .placement import FloatArray, Plane
from .tolerance import NOWHERE
from .vector import Vec2, Vec3, cross, dot, norm, sub

Interval = tuple[float, float]
Derivatives = tuple[Vec3, Vec3, Vec3, Vec3, Vec3, Vec3]
BoolArray = NDArray[np.bool_]

SIDE = 25
"""Samples along each parameter, where nothing asks for more."""

MOST_SIDE = 48
"""No more steps between samples, however many breaks there are."""

BEYOND = 0.6
"""A surface goes on beyond its borders by this share of its range: balls and offsets leave the trimmed
face."""

NEWTON_ROUNDS = 60
ONE_ROUNDS = 12
HALVINGS = 6
SETTLED = 1e-14
LAST_STEP, ROUGH = 1e-9, 1e-3
"""After a step of Newton's method so small, as a share of the range, the next is lost in rounding; one that
is not larger than the second does not lead away."""

ROUNDING = 1e-28
POINTLIKE = 1e-9
"""A border no longer than this share of the surface is a point."""

ROOM = 1.2
"""How much larger than at samples a derivative may be between them."""

CHUNK = 20_000
"""Feet of so many points are sought at once."""

Foot: TypeAlias = tuple[float, float]


@dataclass(frozen=True, slots=True)
class Tip:
    """A singular point: one of a surface without a normal, and the mean of the normals about it."""

    point: Vec3
    way: Vec3


@dataclass(frozen=True, slots=True)
class Meridian:
    """A surface of revolution in a half-plane of its axis: coordinates are the distance from the axis and the
    height above `origin`. A line through `point` along `way`, or a circle of `radius` about it.

    axis : its direction, None for a sphere, which has one wherever one likes. from_apex : the line begins at
    its point.
    """

    origin: Vec3
    axis: Vec3 | None
    point: Vec2
    way: Vec2 | None = None
    radius: float = 0.0
    from_apex: bool = False


@dataclass(frozen=True, slots=True)
class Net:
    """Parameters all over a surface, (n, m, 2), and the points there, (n, m, 3)."""

    uv: FloatArray
    points: FloatArray


class Surface:
    """What the rest of the package asks of a surface."""

    __slots__ = ()
    kind: ClassVar[str]
    search_order: ClassVar[int] = 0
    """Of two surfaces the one with the lower number is divided to find where they meet, and the distance from
    the other is asked for: that should be the one whose distance is the quicker to find."""

    def __init_subclass__(cls, abstract: bool = False) -> None:
        super().__init_subclass__()
        if not abstract:
            required(cls, Surface, "kind", "domain", "points", "derivatives")

    # ------------------------------------------------------------------ what a kind gives

    @property
    def domain(self) -> tuple[Interval, Interval]:
        """Least and largest u, and least and largest v; infinite where it goes on for ever."""
        raise NotImplementedError

    def points(self, uv: FloatArray) -> FloatArray:
        """Points at `uv`, shape (N, 2); returns shape (N, 3)."""
        raise NotImplementedError

    def derivatives(self, uv: FloatArray, most: int = 2) -> list[list[FloatArray]]:
        """`found[i][j]`, shape (N, 3): derived i times along u and j times along v, i + j at most `most`
        (0 to 2)."""
        raise NotImplementedError

    @cached_property
    def _own(self) -> _Memo:
        """What is worked out once, of a kind that has no rules of its own for it."""
        return _Memo(self)

    # ------------------------------------------------------------------ its shape

    @property
    def called(self) -> str:
        """What users call the kind."""
        return self.kind

    @property
    def periods(self) -> tuple[float, float]:
        """Periods of u and v; 0.0 where a parameter does not come back."""
        return 0.0, 0.0

    @property
    def is_ring(self) -> bool:
        """Whether the surface is closed both ways, as a ring is."""
        return all(self.periods)

    @property
    def straight(self) -> int | None:
        """The number of a parameter along which the surface is straight, None if there is none."""
        return None

    @property
    def plane(self) -> Plane | None:
        """The plane that the surface is, with (u, v) as its coordinates; None for others."""
        return None

    @property
    def meridian(self) -> Meridian | None:
        """Of a surface of revolution whose profile is a line or a circle; None for others."""
        return None

    @property
    def prism_way(self) -> Vec3 | None:
        """The direction along which the surface is one profile moved straight on; None for others, and for a
        plane, which is so along any of its own."""
        return None

    @property
    def tube(self) -> float | None:
        """The radius of a tube about a curve, whose sections of equal u are circles; None for others."""
        return None

    @property
    def level_axis(self) -> Vec3 | None:
        """The direction of the axis of a surface of which circles across the axis are lines of equal v."""
        return self.meridian.axis if self.meridian and self.meridian.way else None

    def smooth_breaks(self) -> tuple[Sequence[float], Sequence[float]]:
        """Inner u and inner v at which the surface is not smooth to any order."""
        return (), ()

    def joints(self) -> tuple[Sequence[float], Sequence[float]]:
        """As `smooth_breaks`, with the borders at which it goes on as another function."""
        return self.smooth_breaks()

    @property
    def simple_spans(self) -> tuple[float, float]:
        """Ranges of u and v over which the surface is about as simple as a polynomial of low degree: a
        quarter turn, a span between knots; 0 where nothing is known."""
        return 0.0, 0.0

    @property
    def singular_points(self) -> tuple[Tip, ...]:
        """The points without a normal: borders that are points, as poles are."""
        return self._own.tips if np.isfinite(self.domain).all() else ()

    @property
    def ends_somewhere(self) -> bool:
        """Whether a curve that goes on straight or round in it can leave it: at a border or a point."""
        borders = (d for d, period in zip(self.domain, self.periods, strict=True) if not period)
        return bool(self.singular_points) or any(np.isfinite(border).any() for border in borders)

    @property
    def reachable(self) -> tuple[Interval, Interval]:
        """The domain and what lies beyond its borders where the surface goes on."""
        return self._own.reachable

    def least_radius(self) -> float:
        """The smallest radius of curvature, about; infinite for a plane."""
        return self._own.least_radius

    def thickness(self) -> float:
        """The radius of a surface that closes about a curve, as far as it does; infinite for others."""
        return math.inf

    def normals_at(self, uv: FloatArray) -> FloatArray:
        """Unit normals at `uv`, shape (N, 2), of length 0 at singular points; returns shape (N, 3)."""
        return self.areas(uv)[0]

    def areas(self, uv: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Unit normals, shape (N, 3), and areas per unit of u and v, (N,)."""
        d = self.derivatives(uv, 1)
        return spanned(d[1][0], d[0][1])

    def elements(self, uv: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray]:
        """Points and unit normals at `uv`, shape (N, 3) each, and areas per unit of u and v, (N,)."""
        return (self.points(uv), *self.areas(uv))

    def slides(self, uv: FloatArray) -> FloatArray:
        """Derivatives by u, less what they have along v; shape (N, 3)."""
        d = self.derivatives(uv, 1)
        along, across = d[1][0], d[0][1]
        share = (along * across).sum(axis=1) / np.maximum((across * across).sum(axis=1), NOWHERE)
        return np.asarray(along - share[:, None] * across)

    # ------------------------------------------------------------------ foot points

    def parameters(self, points: FloatArray) -> FloatArray:
        """(u, v) of the feet of `points`, shape (N, 3), beyond the borders where the surface goes on there;
        returns shape (N, 2)."""
        flat = self._own.net.uv.reshape(-1, 2)
        uv = np.empty((len(points), 2))
        for start in range(0, len(points), CHUNK):
            part = points[start : start + CHUNK]
            uv[start : start + CHUNK] = self.feet_from(part, flat[self._own.tree.query(part)[1]])
        return uv

    def feet_from(self, points: FloatArray, uv: FloatArray) -> FloatArray:
        """(u, v) of the feet of points, (N, 3), from starts near them, (N, 2), by Newton's method; a step
        that leads away is halved, one that leaves the surface goes along its border."""
        low, high, span = self._own.limits
        uv = np.clip(uv, low, high)
        todo, slack = np.arange(len(uv)), ROUNDING * self._own.size**2
        for _ in range(NEWTON_ROUNDS):
            here, target = uv[todo], points[todo]
            d = self.derivatives(here)
            before = ((d[0][0] - target) ** 2).sum(axis=1)
            move, sure = newton_step(target, here, d, low, high)
            moved = within(here, move, low, high)
            rough = np.flatnonzero((np.abs(move) > ROUGH * span).any(axis=1))
            for _ in range(HALVINGS if len(rough) else 0):
                away = ((self.points(moved[rough]) - target[rough]) ** 2).sum(axis=1)
                rough = rough[away > before[rough] + slack]
                moved[rough] = here[rough] + 0.5 * (moved[rough] - here[rough])
                if not len(rough):
                    break
            uv[todo] = moved
            far = np.abs(moved - here) / span
            todo = todo[(far > np.where(sure, LAST_STEP, SETTLED)[:, None]).any(axis=1)]
            if not len(todo):
                break
        return self.wrapped(uv)

    def wrapped(self, uv: FloatArray) -> FloatArray:
        """Parameters brought into the domain by whole periods, shape (N, 2)."""
        if not any(self.periods):
            return uv
        uv = uv.copy()
        for k, period in enumerate(self.periods):
            if period:
                low, high = self.domain[k]
                over = (uv[:, k] < low) | (uv[:, k] > high)
                uv[over, k] = low + (uv[over, k] - low) % period
        return uv

    def foot(self, point: Vec3) -> tuple[float, float]:
        """As `parameters`, of one point."""
        net = self._own.net
        flat, places = net.uv.reshape(-1, 2), net.points.reshape(-1, 3)
        start = flat[int(((places - point) ** 2).sum(axis=1).argmin())].tolist()
        found = self._foot_from(point, start[0], start[1], along_borders=True)
        if found is None:  # the usual way, with more care
            found = tuple(self.feet_from(np.array([point]), np.array([start]))[0].tolist())
        return found

    def derivatives_at(self, u: float, v: float) -> Derivatives:
        """The point, and derivatives u, v, uu, uv and vv, at one place."""
        d = self.derivatives(np.array([[u, v]]))
        rows = (d[0][0], d[1][0], d[0][1], d[2][0], d[1][1], d[0][2])
        a, b, c, e, f, g = (_vec3(row[0]) for row in rows)
        return a, b, c, e, f, g

    def _foot_from(
        self, point: Vec3, u: float, v: float, along_borders: bool = False
    ) -> tuple[float, float] | None:
        """Newton's method for one point; None where it does not get nearer at once. Where it would leave the
        surface it goes along the border, or gives up: from a start that is not the nearest sample the foot
        may be elsewhere then."""
        (u0, u1), (v0, v1) = self.reachable
        round_u, round_v = self.periods
        last = math.inf
        for _ in range(ONE_ROUNDS):
            p, du, dv, duu, duv, dvv = self.derivatives_at(u, v)
            off = sub(p, point)
            f, g = dot(off, du), dot(off, dv)
            a, b, c = dot(du, du) + dot(off, duu), dot(du, dv) + dot(off, duv), dot(dv, dv) + dot(off, dvv)
            rest, away = a * c - b * b, dot(off, off)
            if (
                not (a > 0.0 and rest > 1e-6 * a * c)
                or away > last * (1.0 + 1e-9) + ROUNDING * self._own.size**2
            ):
                return None
            step_u, step_v, last = (b * g - c * f) / rest, (b * f - a * g) / rest, away
            leaves = not (round_u or u0 <= u + step_u <= u1) or not (round_v or v0 <= v + step_v <= v1)
            if leaves and not along_borders:
                return None
            stuck_u = not round_u and ((u <= u0 and step_u < 0.0) or (u >= u1 and step_u > 0.0))
            if stuck_u:
                step_u, step_v = 0.0, -g / c
            if not round_v and ((v <= v0 and step_v < 0.0) or (v >= v1 and step_v > 0.0)):
                step_u, step_v = 0.0 if stuck_u else -f / a, 0.0
            share = min(room(u, step_u, u0, u1, round_u), room(v, step_v, v0, v1, round_v), 1.0)
            u, step_u = stepped(u, step_u, share, u0, u1, round_u)
            v, step_v = stepped(v, step_v, share, v0, v1, round_v)
            if abs(step_u) <= LAST_STEP * (u1 - u0) and abs(step_v) <= LAST_STEP * (v1 - v0):
                return u, v
        return None

    def local_feet(self, point: Vec3) -> FloatArray:
        """(u, v) of all points of the surface that are nearer to `point` than those beside them, and of
        others maybe; shape (K, 2)."""
        net, p = self._own.net, np.array([point])
        away = np.linalg.norm(net.points - p[0], axis=2)
        starts = net.uv[_local_least(away, self.periods)]
        return self.feet_from(np.repeat(p, len(starts), axis=0), starts)

    def normal(self, point: Vec3) -> Vec3:
        """Unit normal at the foot of `point`."""
        return self.touch(point)[1]

    def normals(self, points: FloatArray) -> FloatArray:
        """Unit normals at the feet of `points`, shape (N, 3); returns shape (N, 3)."""
        return self.touches(points)[1]

    def gap(self, point: Vec3) -> float:
        """Signed distance of one point, positive on the normal's side."""
        return self.touch(point)[0]

    def distance(self, points: FloatArray) -> FloatArray:
        """Signed distances of `points`, shape (N, 3), positive on the normal's side; returns (N,). Beyond
        where the surface ends, from the plane that touches it there."""
        return self.touches(points)[0]

    def touch(self, point: Vec3) -> tuple[float, Vec3]:
        """Signed distance of one point, and the unit normal at its foot."""
        gap, normal, _ = self.touch_from(point, None)
        return gap, normal

    def touch_from(self, point: Vec3, near: Foot | None) -> tuple[float, Vec3, Foot | None]:
        """As `touch`, and where the foot is; `near` is that of a point close by, from which it is sought."""
        u, v = (near and self._foot_from(point, *near)) or self.foot(point)
        d = self.derivatives_at(u, v)
        way = cross(d[1], d[2])
        size = max(norm(way), NOWHERE)
        normal = (way[0] / size, way[1] / size, way[2] / size)
        return dot(sub(point, d[0]), normal), normal, (u, v)

    def touches(self, points: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Signed distances of `points`, shape (N, 3), and unit normals at their feet; (N,) and (N, 3)."""
        return self._from_feet(points, self.parameters(points))

    def _from_feet(self, points: FloatArray, uv: FloatArray) -> tuple[FloatArray, FloatArray]:
        """As `touches`, of points with known feet, (N, 2)."""
        feet, normals, _ = self.elements(uv)
        return ((points - feet) * normals).sum(axis=1), normals

    def touches_near(self, points: FloatArray, near: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray]:
        """As `touches`, and parameters near the feet, (N, 2); a kind that `seeks_feet` begins with `near`,
        which are such."""
        return *self.touches(points), near

    @property
    def seeks_feet(self) -> bool:
        """Whether feet are found sooner from parameters near them."""
        return False

    # ------------------------------------------------------------------ boxes and extremes

    def whole_box(self) -> FloatArray | None:
        """A box that holds the whole of a surface without borders, shape (2, 3); None for others."""
        if not self.is_ring:
            return None
        boxes = self.boxes(*self.domain)
        return np.array([boxes[:, 0].min(axis=0), boxes[:, 1].max(axis=0)])

    @property
    def bulges(self) -> bool:
        """Whether a face may reach beyond the box of its edges: not where a line of the surface leads from
        every point to its border."""
        return self.straight is None

    def boxes(self, us: Interval, vs: Interval) -> FloatArray:
        """Boxes that together hold the part of the surface over a range of parameters, shape (K, 2, 3): each
        over a small patch, grown by what a surface can leave its corners with its second derivatives."""
        shape = self._own.net.uv.shape
        u, v = (np.linspace(*ends, n) for ends, n in ((us, shape[0]), (vs, shape[1])))
        d = self.derivatives(np.stack(np.meshgrid(u, v, indexing="ij"), axis=-1).reshape(-1, 2))
        grid = d[0][0].reshape(len(u), len(v), 3)
        du, dv = u[1] - u[0], v[1] - v[0]
        bends = (du * du * np.abs(d[2][0]), 2.0 * du * dv * np.abs(d[1][1]), dv * dv * np.abs(d[0][2]))
        bulge = (ROOM * sum(bends) / 8.0).reshape(grid.shape)
        low, high = _corners(grid).min(axis=0), _corners(grid).max(axis=0)
        grown = _corners(bulge).max(axis=0)
        return np.stack([low - grown, high + grown], axis=2).reshape(-1, 2, 3)

    def extreme_points(self, ways: FloatArray = AXES) -> FloatArray:
        """Points of the surface, shape (K, 3), at which a face can reach farthest along one of the `ways`,
        (M, 3), inside its borders: nowhere else. Others may be among them."""
        tips = np.array([tip.point for tip in self.singular_points]).reshape(-1, 3)
        if not self.bulges:
            return tips
        net = self._own.net
        lows = [
            _local_least(-side * (net.points @ way), self.periods) for way in ways for side in (1.0, -1.0)
        ]
        starts = np.concatenate([net.uv[low] for low in lows])
        along = np.repeat(np.repeat(ways, 2, axis=0), [int(low.sum()) for low in lows], axis=0)
        return np.concatenate([tips, self.points(self._level_from(along, starts))])

    def _level_from(self, ways: FloatArray, uv: FloatArray) -> FloatArray:
        """Parameters where the surface is level across directions, (N, 3), by Newton's method from starts."""
        low, high, span = self._own.limits
        todo = np.arange(len(uv))
        for _ in range(NEWTON_ROUNDS):
            here, way = uv[todo], ways[todo]
            d = self.derivatives(here)
            u, v, uu, both, vv = (
                (x * way).sum(axis=1) for x in (d[1][0], d[0][1], d[2][0], d[1][1], d[0][2])
            )
            move = solved(uu, both, vv, np.column_stack([u, v]))
            moved = np.clip(here + np.clip(move, -0.1 * span, 0.1 * span), low, high)
            uv[todo] = moved
            todo = todo[(np.abs(moved - here) > SETTLED * span).any(axis=1)]
            if not len(todo):
                break
        return uv

    # ------------------------------------------------------------------ search for intersections

    def domain_in(self, corners: FloatArray) -> tuple[Interval, Interval]:
        """Least and largest u and v of what may lie in the box with these corners, (8, 3)."""
        low, high = np.array(self.domain).T
        room = 0.05 * (high - low) * (np.array(self.periods) == 0.0)
        inner = np.array(self.reachable).T
        (u0, v0), (u1, v1) = np.maximum(low - room, inner[0]), np.minimum(high + room, inner[1])
        return (float(u0), float(u1)), (float(v0), float(v1))

    def cell_sizes(self, cells: FloatArray, du: float, dv: float) -> tuple[FloatArray, FloatArray]:
        """At least half the width and height in space, (N,) each, of cells du by dv about (u, v), (N, 2)."""
        d = self.derivatives(cells, 1)
        uu, uv, vv = self._own.bends
        wide = np.linalg.norm(d[1][0], axis=1) + 0.5 * (du * uu + dv * uv)
        tall = np.linalg.norm(d[0][1], axis=1) + 0.5 * (dv * vv + du * uv)
        return 0.5 * du * wide, 0.5 * dv * tall

    def ray_hits(self, origins: FloatArray, direction: FloatArray) -> FloatArray:
        """Distances along the lines from `origins`, shape (N, 3), in one unit direction, (3,), where they
        meet the surface; shape (N, K), NaN where there is no hit. Distances may be negative."""
        return patch_ray_hits(self, origins, direction)

    @cached_property
    def ray_patches(self) -> RayPatches:
        return RayPatches.of(self)

    # ------------------------------------------------------------------ images

    def moved(self, motion: Motion) -> tuple[Surface, bool]:
        """The image under a motion, and whether its normal goes to the image's normal."""
        return MovedSurface(self, motion), not motion.is_mirror

    has_exact_offset: ClassVar[bool] = False
    """Whether `exact_offset` answers; `fitting.offset` does for all."""

    def exact_offset(self, distance: float) -> Surface | None:
        """The surface at a signed distance along the normals, None where nothing of it is left."""
        raise NotImplementedError(f"a {self.kind} has no exact offset")

    def exact_spline(self, us: Interval, vs: Interval) -> Surface | None:
        """The part over a range of parameters as a B-spline surface with the same points, None for a kind
        that has none; `fitting.as_spline` answers for all."""
        return None

    def spread(self) -> FloatArray:
        """Parameters all over the surface, (n, m, 2), but for its singular points."""
        return self._own.net.uv


class DirectSurface(Surface, abstract=True):
    """A surface that gives `gap`, `normal`, `distance` and `normals` directly, without looking for a foot."""

    __slots__ = ()

    def __init_subclass__(cls, abstract: bool = False) -> None:
        super().__init_subclass__(abstract)
        required(cls, Surface, "gap", "normal", "distance", "normals")

    def touch(self, point: Vec3) -> tuple[float, Vec3]:
        return self.gap(point), self.normal(point)

    def touch_from(self, point: Vec3, near: Foot | None) -> tuple[float, Vec3, None]:
        return self.gap(point), self.normal(point), None

    def touches(self, points: FloatArray) -> tuple[FloatArray, FloatArray]:
        return self.distance(points), self.normals(points)


@dataclass(frozen=True, eq=False)
class MovedSurface(Surface):
    """The image of a surface under a motion, with the same parameters."""

    original: Surface
    motion: Motion
    kind: ClassVar[str] = "image"

    @property
    def called(self) -> str:
        return self.original.called

    @property
    def domain(self) -> tuple[Interval, Interval]:
        return self.original.domain

    @property
    def periods(self) -> tuple[float, float]:
        return self.original.periods

    def points(self, uv: FloatArray) -> FloatArray:
        return self.motion.points(self.original.points(uv))

    def derivatives(self, uv: FloatArray, most: int = 2) -> list[list[FloatArray]]:
        found = self.original.derivatives(uv, most)
        turn = self.motion.factor * np.array([self.motion.x, self.motion.y, self.motion.z])
        moved = [[d @ turn for d in row] for row in found]
        moved[0][0] = self.motion.points(found[0][0])
        return moved

    def smooth_breaks(self) -> tuple[list[float], list[float]]:
        one, two = self.original.smooth_breaks()
        return list(one), list(two)

    def joints(self) -> tuple[Sequence[float], Sequence[float]]:
        return self.original.joints()

    @property
    def simple_spans(self) -> tuple[float, float]:
        return self.original.simple_spans


def spanned(along: FloatArray, across: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Unit normals and areas of parallelograms, by their sides (N, 3)."""
    ways = np.cross(along, across)
    sizes = np.linalg.norm(ways, axis=1)
    return ways / np.maximum(sizes, NOWHERE)[:, None], sizes


class _Memo:
    """What is worked out once for a surface."""

    def __init__(self, surface: Surface) -> None:
        self._surface = surface

    @cached_property
    def reachable(self) -> tuple[Interval, Interval]:
        found, poles = [], self._poles
        for k, (low, high) in enumerate(self._surface.domain):
            room = 0.0 if self._surface.periods[k] else BEYOND * (high - low)
            found.append((low if poles[k][0] else low - room, high if poles[k][1] else high + room))
        return found[0], found[1]

    @cached_property
    def size(self) -> float:
        """The largest side of the box of the samples."""
        return float(np.ptp(self.net.points.reshape(-1, 3), axis=0).max())

    @cached_property
    def limits(self) -> tuple[FloatArray, FloatArray, FloatArray]:
        """The least and largest parameters of a search, infinite where they come back, and the range."""
        low, high = np.array(self.reachable).T
        endless = np.array(self._surface.periods) > 0.0
        span = np.array([b - a for a, b in self._surface.domain])
        return np.where(endless, -np.inf, low), np.where(endless, np.inf, high), span

    @cached_property
    def net(self) -> Net:
        """Samples over the domain, closer between breaks; never on a pole."""
        sides = []
        for k, (low, high) in enumerate(self._surface.domain):
            stops = np.array([low, *self._surface.smooth_breaks()[k], high])
            spans = len(stops) - 1
            if 4 * spans <= MOST_SIDE:
                shares = np.linspace(0.0, spans, max(4 * spans, SIDE - 1) + 1)
                sides.append(np.interp(shares, np.arange(spans + 1), stops))
            else:  # evenly: breaks may lie close together here, and far apart there
                sides.append(np.linspace(low, high, MOST_SIDE + 1))
            for end, (pole, beside) in enumerate(zip(self._poles[k], (1, -2), strict=True)):
                if pole:
                    sides[k][-end] = 0.9 * sides[k][-end] + 0.1 * sides[k][beside]
        uv = np.stack(np.meshgrid(*sides, indexing="ij"), axis=-1)
        return Net(uv, self._surface.points(uv.reshape(-1, 2)).reshape(*uv.shape[:2], 3))

    @cached_property
    def tree(self) -> Any:
        """The samples by place, a cKDTree."""
        from scipy.spatial import cKDTree

        return cKDTree(self.net.points.reshape(-1, 3))

    @cached_property
    def _poles(self) -> tuple[tuple[bool, bool], tuple[bool, bool]]:
        """Whether the least and the largest u, and v, belong to one point; not where it is endless."""
        if not np.isfinite(self._surface.domain).all():
            return (False, False), (False, False)
        found = []
        for k in (0, 1):
            rims = [self._surface.points(self._border(k, end)) for end in self._surface.domain[k]]
            lengths = [float(np.ptp(rim, axis=0).max()) for rim in rims]
            size = np.ptp(self._surface.points(self._diagonal), axis=0).max()
            found.append((bool(lengths[0] <= POINTLIKE * size), bool(lengths[1] <= POINTLIKE * size)))
        return found[0], found[1]

    @property
    def _diagonal(self) -> FloatArray:
        (u0, u1), (v0, v1) = self._surface.domain
        return np.column_stack([np.linspace(u0, u1, SIDE), np.linspace(v0, v1, SIDE)])

    def _border(self, k: int, end: float) -> FloatArray:
        uv = np.empty((SIDE, 2))
        uv[:, k], uv[:, 1 - k] = end, np.linspace(*self._surface.domain[1 - k], SIDE)
        return uv

    @cached_property
    def tips(self) -> tuple[Tip, ...]:
        found = []
        for k in (0, 1):
            for end, pole in zip(self._surface.domain[k], self._poles[k], strict=True):
                if pole:
                    uv = self._border(k, end)
                    point = self._surface.points(uv)[0]
                    uv[:, k] += 1e-6 * (sum(self._surface.domain[k]) / 2 - end)
                    mean = self._surface.normals_at(uv).mean(axis=0)
                    found.append(Tip(_vec3(point), _vec3(mean / np.linalg.norm(mean))))
        return tuple(found)

    @cached_property
    def bends(self) -> tuple[float, float, float]:
        """The largest second derivatives: twice along u, along u and v, twice along v."""
        d = self._surface.derivatives(self.net.uv.reshape(-1, 2))
        uu, uv, vv = (float(np.linalg.norm(x, axis=1).max()) * ROOM for x in (d[2][0], d[1][1], d[0][2]))
        return uu, uv, vv

    @cached_property
    def least_radius(self) -> float:
        sharpest = np.abs(np.concatenate(curvatures(self._surface, self.net.uv.reshape(-1, 2)))).max()
        return 1.0 / max(float(sharpest) * ROOM, NOWHERE)


def curvatures(surface: Surface, uv: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Principal curvatures, (N,) each, the smaller first; positive where the surface bends to its normal.

    Source: Patrikalakis & Maekawa, Shape Interrogation, 3.4.
    """
    d = surface.derivatives(uv)
    n = surface.normals_at(uv)
    e, f, g = ((a * b).sum(axis=1) for a, b in ((d[1][0],) * 2, (d[1][0], d[0][1]), (d[0][1],) * 2))
    ll, mm, nn = ((a * n).sum(axis=1) for a in (d[2][0], d[1][1], d[0][2]))
    area = np.maximum(e * g - f * f, NOWHERE)
    mean, gauss = 0.5 * (e * nn - 2.0 * f * mm + g * ll) / area, (ll * nn - mm * mm) / area
    root = np.sqrt(np.maximum(mean * mean - gauss, 0.0))
    return mean - root, mean + root


def _vec3(row: FloatArray) -> Vec3:
    x, y, z = row.tolist()
    return (x, y, z)


def _corners(grid: FloatArray) -> FloatArray:
    return np.stack([grid[:-1, :-1], grid[1:, :-1], grid[:-1, 1:], grid[1:, 1:]])


def _local_least(values: FloatArray, periods: tuple[float, float]) -> Any:
    """Which values of a net, (n, m), are no larger than those beside them; round where it has a period."""
    padded = np.pad(values, 1, constant_values=np.inf)
    if periods[0]:
        padded[0, 1:-1], padded[-1, 1:-1] = values[-2], values[1]
    if periods[1]:
        padded[1:-1, 0], padded[1:-1, -1] = values[:, -2], values[:, 1]
    around = [padded[1 + i : padded.shape[0] - 1 + i, 1 + j : padded.shape[1] - 1 + j]
              for i in (-1, 0, 1) for j in (-1, 0, 1) if (i, j) != (0, 0)]  # fmt: skip
    return (values <= np.min(around, axis=0)).astype(bool)
