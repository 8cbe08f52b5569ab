"""Surfaces of revolution of splines and ellipses.

Everything is asked of the profile, in the half-plane of the axis in which a point lies: the foot of a point
is that of the nearest point of the profile, and an offset turns the profile's.

Source: do Carmo, Differential Geometry of Curves and Surfaces, 2-3 (surfaces of revolution).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import pairwise
from typing import ClassVar

import numpy as np

from .curve import AXES, Curve
from .curve_offset import offset_curve
from .curves import Ellipse
from .motion import Motion
from .placement import FloatArray, Plane
from .rational import rational_curve, turned_net
from .spline import SplineCurve
from .spline_surface import SplineSurface
from .surface import BEYOND, Foot, Interval, Surface
from .tolerance import NOWHERE, RESOLUTION
from .vector import Vec3, add, along, cross, distance, dot, scaled, sub

PARALLEL = 1e-9
"""Of the direction of an axis: less is none."""

ON_AXIS = 1e-12
"""A profile that comes as near to the axis as this share of its size ends on it."""

ROUGHLY, FEWER = 16, 0.7
"""At so many places an ellipse is looked at beyond an end; what is left of the way there, where all of it
would cross the axis."""


@dataclass(frozen=True, eq=False)
class TurnedSurface(Surface):
    """A profile turned all round an axis: the normal of `frame`.

    profile : a plane curve in the half-plane of `frame.x` and the axis, of which the piece over `span`
    counts; it may begin and end on the axis, and is not closed. u is the angle from `frame.x` in radians, v
    the parameter of the profile. The normal is on the right of the profile, seen with the axis upward on the
    left.
    """

    profile: Ellipse | SplineCurve
    span: Interval
    frame: Plane
    kind: ClassVar[str] = "turned"
    search_order: ClassVar[int] = 10

    @property
    def called(self) -> str:
        return "spline"

    @property
    def domain(self) -> tuple[Interval, Interval]:
        return (-math.pi, math.pi), self.span

    @property
    def periods(self) -> tuple[float, float]:
        return math.tau, 0.0

    @property
    def level_axis(self) -> Vec3:
        return self.frame.normal

    def smooth_breaks(self) -> tuple[Sequence[float], Sequence[float]]:
        return (), self.profile.smooth_breaks(*self.span)

    def joints(self) -> tuple[Sequence[float], Sequence[float]]:
        low, high = self.span
        return (), [low, *self.profile.breaks(low, high)[1:-1], high]

    @cached_property
    def simple_spans(self) -> tuple[float, float]:
        return 0.5 * math.pi, float(np.diff(self.profile.breaks(*self.span)).min())

    # ------------------------------------------------------------------ the profile

    @cached_property
    def reaching(self) -> tuple[Curve, Interval]:
        """The profile, and the range of it that goes on beyond its ends, as far as it does not come to the
        axis."""
        low, high = self.span
        size = BEYOND * (high - low)
        if isinstance(self.profile, SplineCurve):
            before, after = (self._room_for_spline(size, end) for end in (0, 1))
            made = self.profile.continued(before, after)
            return made, (made.low, made.high)
        most = 0.5 * (self.profile.period - (high - low))
        return self.profile, (low - self._room(size, most, 0), high + self._room(size, most, 1))

    def _room(self, size: float, most: float, end: int) -> float:
        """How far an ellipse goes on beyond an end."""
        if self._ends_on_axis(end):
            return 0.0
        room, shares = min(size, most), (-1.0, 1.0)[end] * np.linspace(0.0, 1.0, ROUGHLY)
        while self._out(self.profile.points(self.span[end] + room * shares)).min() < 0.0:
            room *= FEWER
        return room

    def _room_for_spline(self, size: float, end: int) -> float:
        if self._ends_on_axis(end):
            return 0.0
        assert isinstance(self.profile, SplineCurve)
        room = size
        while room > ON_AXIS * size:
            made = self.profile.continued(*((room, 0.0) if end == 0 else (0.0, room)))
            piece = made.between(*((made.low, self.span[0]) if end == 0 else (self.span[1], made.high)))
            if self._out(piece.controls).min() > 0.0:
                break
            room *= FEWER
        return room

    def _ends_on_axis(self, end: int) -> bool:
        return bool(self._out(self.profile.points(np.array([self.span[end]])))[0] <= ON_AXIS * self._size)

    @cached_property
    def _size(self) -> float:
        return float(np.ptp(self.profile.box(*self.span), axis=0).max())

    def _out(self, points: FloatArray) -> FloatArray:
        """How far points of the plane of the profile lie from the axis, below nought beyond it."""
        return np.asarray((points - np.asarray(self.frame.origin)) @ np.asarray(self.frame.x))

    def flat(self, v: FloatArray, orders: int) -> list[tuple[FloatArray, FloatArray]]:
        """Distances from the axis and heights of the profile at parameters, (N,) each, and their derivatives,
        a pair for each order up to `orders`, at most 2."""
        curve = self.reaching[0]
        rules = (curve.points, curve.derivatives, curve.second)
        axes = np.array([self.frame.x, self.frame.normal]).T
        rows = [rule(v) for rule in rules[: orders + 1]]
        rows[0] = rows[0] - np.asarray(self.frame.origin)
        return [((flat := row @ axes)[:, 0], flat[:, 1]) for row in rows]

    def tip_at(self, point: Vec3) -> float | None:
        """The end of the profile that is on the axis at a point; None if none is."""
        ends = (v for k, v in enumerate(self.span) if self._ends_on_axis(k))
        return next((v for v in ends if distance(self.profile.point(v), point) <= RESOLUTION), None)

    def widest(self, low: float, high: float) -> float:
        """The largest distance from the axis between two parameters."""
        curve = self.reaching[0]
        return curve.reach(low, high, np.asarray(self.frame.x))[1] - self._axis_level

    # ------------------------------------------------------------------ points

    def _around(self, u: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Directions away from the axis and round it, (N, 3) each."""
        c, s = np.cos(u)[:, None], np.sin(u)[:, None]
        x, y = np.asarray(self.frame.x), np.asarray(self.frame.y)
        return c * x + s * y, c * y - s * x

    def points(self, uv: FloatArray) -> FloatArray:
        """Points at `uv`, shape (N, 2); returns shape (N, 3)."""
        return self.derivatives(uv, 0)[0][0]

    def derivatives(self, uv: FloatArray, most: int = 2) -> list[list[FloatArray]]:
        uv = self.wrapped(uv)
        out, around = self._around(uv[:, 0])
        up = np.asarray(self.frame.normal)
        flat = self.flat(uv[:, 1], most)
        raised = [r[:, None] * out + z[:, None] * up for r, z in flat]
        raised[0] = raised[0] + np.asarray(self.frame.origin)
        table = [raised]
        if most >= 1:
            table.append([r[:, None] * around for r, _ in flat[:most]])
        if most >= 2:
            table.append([-flat[0][0][:, None] * out])
        return table

    def normals_at(self, uv: FloatArray) -> FloatArray:
        return self.elements(uv)[1]

    def areas(self, uv: FloatArray) -> tuple[FloatArray, FloatArray]:
        return self.elements(uv)[1:]

    def elements(self, uv: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray]:
        uv = self.wrapped(uv)
        out, _ = self._around(uv[:, 0])
        up = np.asarray(self.frame.normal)
        (r, z), (dr, dz) = self.flat(uv[:, 1], 1)
        speed = np.maximum(np.hypot(dr, dz), NOWHERE)
        places = np.asarray(self.frame.origin) + r[:, None] * out + z[:, None] * up
        normals = (dz / speed)[:, None] * out - (dr / speed)[:, None] * up
        return places, normals, np.abs(r) * speed

    # ------------------------------------------------------------------ foot points

    def _in_half_plane(self, points: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Angles of points, and where they lie when they are turned into the half-plane of the profile."""
        local = self.frame.locals(points)
        turned = np.hypot(local[:, 0], local[:, 1])[:, None] * np.asarray(self.frame.x)
        places = np.asarray(self.frame.origin) + turned + local[:, 2:] * np.asarray(self.frame.normal)
        return np.arctan2(local[:, 1], local[:, 0]), places

    def parameters(self, points: FloatArray) -> FloatArray:
        angles, places = self._in_half_plane(points)
        return np.column_stack([angles, self._nearest(places)])

    def _nearest(self, places: FloatArray) -> FloatArray:
        """Parameters of the places of the profile nearest to some of its half-plane."""
        curve, (low, high) = self.reaching
        if isinstance(curve, SplineCurve):
            return curve.nearest(places)
        assert isinstance(curve, Ellipse)
        found = low + (curve.nearest(places) - low) % math.tau
        beyond = np.flatnonzero(found > high)
        if len(beyond):
            found[beyond] = curve.feet_between(places[beyond], low, high)
        return found

    def holds(self, points: FloatArray) -> bool:
        """Whether the feet of points lie between the ends of the profile."""
        v, room = self.parameters(points)[:, 1], PARALLEL * (self.span[1] - self.span[0])
        return bool((v >= self.span[0] - room).all() and (v <= self.span[1] + room).all())

    def feet_from(self, points: FloatArray, uv: FloatArray) -> FloatArray:
        curve = self.reaching[0]
        if not isinstance(curve, SplineCurve):
            return self.parameters(points)
        angles, places = self._in_half_plane(points)
        return np.column_stack([angles, curve.feet_near(places, curve.kept(uv[:, 1]))])

    @property
    def seeks_feet(self) -> bool:
        return isinstance(self.profile, SplineCurve)

    def touches_near(self, points: FloatArray, near: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray]:
        uv = self.feet_from(points, near)
        return *self._from_feet(points, uv), uv

    def foot(self, point: Vec3) -> Foot:
        return self._foot_near(point, None)

    def _foot_near(self, point: Vec3, near: Foot | None) -> Foot:
        x, y, height = self.frame.local(point)
        curve, (low, high) = self.reaching
        f, reach = self.frame, math.hypot(x, y)
        place = along(along(f.origin, f.x, reach), f.normal, height)
        if not isinstance(curve, SplineCurve):
            v = curve.nearest_between(place, low, high)
        else:
            v = curve.parameter_near(place, near[1]) if near else curve.parameter(place)
        return math.atan2(y, x), v

    def touch_from(self, point: Vec3, near: Foot | None) -> tuple[float, Vec3, Foot]:
        u, v = self._foot_near(point, near)
        f, curve = self.frame, self.reaching[0]
        place, way = sub(curve.point(v), f.origin), curve.tangent(v)
        rise, lean = dot(way, f.normal), -dot(way, f.x)
        x, y, height = f.local(point)
        out = add(scaled(f.x, math.cos(u)), scaled(f.y, math.sin(u)))
        normal = along(scaled(out, rise), f.normal, lean)
        gap = (math.hypot(x, y) - dot(place, f.x)) * rise + (height - dot(place, f.normal)) * lean
        return gap, normal, (u, v)

    def local_feet(self, point: Vec3) -> FloatArray:
        angles, places = self._in_half_plane(np.array([point]))
        curve, (low, high) = self.reaching
        x, y, z = places[0].tolist()
        feet = curve.local_feet((x, y, z), low, high)
        return np.column_stack([np.full(len(feet), angles[0]), feet])

    # ------------------------------------------------------------------ extremes

    def extreme_points(self, ways: FloatArray = AXES) -> FloatArray:
        """Where the profile is level in the half-planes in which a direction lies. Along the axis that is so
        all round, and one point stands for a circle that no border crosses."""
        found = [np.array([tip.point for tip in self.singular_points]).reshape(-1, 3)]
        x, y, up = (np.asarray(a) for a in (self.frame.x, self.frame.y, self.frame.normal))
        curve, reach = self.reaching
        for way in ways:
            a, b, h = float(way @ x), float(way @ y), float(way @ up)
            angle = math.atan2(b, a) if math.hypot(a, b) > PARALLEL else 0.0
            for turn, side in ((angle, 1.0), (angle + math.pi, -1.0)):
                seen = side * math.hypot(a, b) * x + h * up
                v = np.array(curve.extremes(*reach, seen[None]))
                if len(v):
                    found.append(self.points(np.column_stack([np.full(len(v), turn), v])))
        return np.concatenate(found)

    # ------------------------------------------------------------------ images

    def profile_over(self, low: float, high: float) -> tuple[Curve, Interval]:
        """The profile, as far beyond its ends as some parameters lie, and the range of it."""
        (first, last), (curve, (least, most)) = self.span, self.reaching
        room = PARALLEL * (last - first)
        if low >= first - room and high <= last + room:
            return self.profile, self.span
        wide = max(least, min(low, first)), min(most, max(high, last))
        return (curve.between(*wide) if isinstance(curve, SplineCurve) else curve), wide

    def moved(self, motion: Motion) -> tuple[TurnedSurface, bool]:
        profile = self.profile.moved(motion)
        return TurnedSurface(profile, self.span, motion.frame(self.frame)), not motion.is_mirror

    has_exact_offset: ClassVar[bool] = True

    def exact_offset(self, distance: float) -> TurnedSurface | None:
        """The offset profile, as far as it stays on its side of the axis, turned likewise."""
        up = cross(self.frame.x, self.frame.normal)
        made: SplineCurve = offset_curve(self.profile, up, distance, self.span)
        made = self._drawn_to_axis(_set_on_axis(made, self))
        radii = self._out(made.points(np.linspace(made.low, made.high, 64)))
        if radii.max() <= RESOLUTION:
            return None
        kept = self._beside_axis(made)
        return None if kept is None else TurnedSurface(kept, (kept.low, kept.high), self.frame)

    def _drawn_to_axis(self, curve: SplineCurve) -> SplineCurve:
        """An offset profile, continued beyond ends beside the axis where those of this one are on it."""
        size = BEYOND * (self.span[1] - self.span[0])
        radii = self._out(curve.controls[[0, -1]])
        before, after = (size if self._ends_on_axis(k) and radii[k] > 0.0 else 0.0 for k in (0, 1))
        return curve.continued(before, after)

    def _beside_axis(self, curve: SplineCurve) -> SplineCurve | None:
        """The longest piece of a profile that does not pass the axis, ending on it where it came to it."""
        _, crossings = curve.level_places(np.asarray(self.frame.x), np.array([self._axis_level]))
        stops = [curve.low, *(t for t in crossings.tolist() if curve.low < t < curve.high), curve.high]
        pieces = [(b - a, a, b) for a, b in pairwise(stops)
                  if self._out(curve.points(np.array([0.5 * (a + b)])))[0] > 0.0]  # fmt: skip
        if not pieces:
            return None
        _, low, high = max(pieces)
        return _set_on_axis(curve.between(low, high), self, RESOLUTION)

    @property
    def _axis_level(self) -> float:
        return dot(self.frame.origin, self.frame.x)

    def exact_spline(self, us: Interval, vs: Interval) -> SplineSurface | None:
        """The same points, on the same circles; in u the parameters are those of rational quadratic arcs."""
        curve, (low, high) = self.reaching
        room = PARALLEL * (high - low)
        if not (low - room <= vs[0] and vs[1] <= high + room):
            return None
        vs = max(vs[0], low), min(vs[1], high)
        degree, knots, controls, weights = turned_net(
            rational_curve(curve, *vs), (self.frame.origin, self.frame.normal), us
        )
        return SplineSurface((2, degree), knots, controls, weights)


def turned(curve: Curve, span: Interval, frame: Plane) -> TurnedSurface:
    """What a piece of a plane curve leaves when it turns about the normal of a frame, in whose half-plane
    towards x it lies."""
    low, high = span
    if isinstance(curve, SplineCurve) and (low > curve.low or high < curve.high):
        curve = curve.between(low, high)
        span = curve.low, curve.high
    assert isinstance(curve, (Ellipse, SplineCurve))
    return TurnedSurface(curve, span, frame)


def _set_on_axis(curve: SplineCurve, surface: TurnedSurface, within: float | None = None) -> SplineCurve:
    """A profile whose ends are on the axis exactly, where they are but for rounding."""
    ends = curve.controls[[0, -1]]
    off = surface._out(ends)
    within = 1e-9 * (1.0 + surface._size) if within is None else within
    near = np.abs(off) <= within
    if not near.any():
        return curve
    controls = curve.controls.copy()
    for k, end in enumerate((0, -1)):
        if near[k]:
            controls[end] = ends[k] - off[k] * np.asarray(surface.frame.x)
    return replace(curve, controls=controls)
