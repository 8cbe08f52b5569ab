"""Where screw surfaces meet surfaces of revolution about their axis: helices on a cylinder; on a plane across
and on a cone a curve that is known for every parameter of the profile, as a spline. With another one of their
axis and rise they meet in helices."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from .placement import FloatArray, Plane
from .roots import sign_changes
from .round_surfaces import ConeSurface
from .screw import PARALLEL, Helix, ScrewSurface
from .spline import FittedCurve, interpolated_fit
from .surfaces import CylinderSurface
from .tolerance import NOWHERE, RESOLUTION
from .vector import Vec3, dot, sub

NODES = (17, 33, 65, 129, 257)
NEAR = 1e-10
"""Splines pass so near to points between those that they were laid through, as a share of the size."""

SPOTS, REDUCED = 257, 513
SIDE, ASIDE = 9, 1e-6
HALF = 0.5 * RESOLUTION
Curves = list[FittedCurve] | None
Height = Callable[[FloatArray], FloatArray]


def across_axis(screw: ScrewSurface, plane: Plane) -> Curves:
    """The curve in a plane across the axis; None for another plane."""
    if not screw.is_along(plane.normal):
        return None
    level = dot(sub(plane.origin, screw.frame.origin), screw.frame.normal)
    return _at_height(screw, lambda reach: np.full_like(reach, level))


def on_cone(screw: ScrewSurface, cone: ConeSurface) -> Curves:
    """The curve on a cone about the axis; None for another cone."""
    if not screw.is_coaxial(cone.frame):
        return None
    apex = dot(sub(cone.frame.origin, screw.frame.origin), screw.frame.normal)
    sense = math.copysign(1.0, dot(cone.frame.normal, screw.frame.normal))
    steep = sense / math.tan(cone.half_angle)
    return _at_height(screw, lambda reach: apex + steep * reach)


def on_cylinder(screw: ScrewSurface, tube: CylinderSurface) -> list[Helix] | None:
    """Helices on a cylinder about the axis; None for another cylinder, and where they only touch it."""
    if not screw.is_coaxial(tube.frame):
        return None
    return screw.helices_at(tube.radius)


def on_like_screw(one: ScrewSurface, two: ScrewSurface) -> tuple[bool, list[Helix]] | None:
    """Of two with one axis and one rise: whether they are one surface, and the helices in which they meet;
    None for others, and where a profile does not lead outwards all the way."""
    if not one.is_coaxial(two.frame) or abs(one.rise - two.rise) > PARALLEL * abs(one.rise):
        return None
    lines = [_Reduced.of(screw, one.frame) for screw in (one, two)]
    if not all(line.leads_outwards for line in lines):
        return None
    low, high = (pick(end) for pick, end in zip((max, min), zip(*(line.ends for line in lines), strict=True),
                 strict=True))  # fmt: skip
    if not low < high:
        return False, []
    pitch = math.tau * abs(one.rise)
    reach = np.linspace(low, high, SPOTS)
    off = (lines[0].heights(reach) - lines[1].heights(reach)) / pitch
    whole = np.round(off)
    if (np.abs(off - whole) * pitch <= HALF).all():
        return _overlap(one, two), []
    found: list[float] = []
    for k in range(math.ceil(off.min()), math.floor(off.max()) + 1):

        def gap(at: FloatArray, turn: int = k) -> FloatArray:
            return np.asarray(lines[0].heights(at) - lines[1].heights(at) - turn * pitch)

        found += sign_changes(gap, reach).tolist()
    return False, [one.helix_of(lines[0].parameter(at)) for at in found]


def _overlap(one: ScrewSurface, two: ScrewSurface) -> bool:
    """Whether two surfaces in one screw surface are more than next to each other: turns may follow turns."""
    (u0, u1), (v0, v1) = two.domain
    uv = np.stack(np.meshgrid(np.linspace(u0, u1, SIDE + 2)[1:-1], np.linspace(v0, v1, SIDE)), axis=-1)
    points = two.points(uv.reshape(-1, 2))
    feet = one.parameters(points)
    on_it = np.linalg.norm(one.points(feet) - points, axis=1) <= RESOLUTION
    return bool((on_it & (feet[:, 0] > one.turn[0] + ASIDE) & (feet[:, 0] < one.turn[1] - ASIDE)).any())


@dataclass(frozen=True, eq=False)
class _Reduced:
    """The profile of a screw surface without the turn: distances from the axis, and heights less what the
    motion rises with the angle; at places of the parameter, (N,) each."""

    v: FloatArray
    reach: FloatArray
    height: FloatArray

    @classmethod
    def of(cls, screw: ScrewSurface, frame: Plane) -> _Reduced:
        v = np.linspace(*screw.reachable[1], REDUCED)
        off = screw.profile.points(v) - frame.origin
        x, y, z = (off @ np.asarray(d) for d in (frame.x, frame.y, frame.normal))
        turn = np.unwrap(np.arctan2(y, x))
        return cls(v, np.hypot(x, y), z - screw.rise * turn)

    @property
    def leads_outwards(self) -> bool:
        ahead = np.diff(self.reach)
        return bool((ahead > 0.0).all() or (ahead < 0.0).all())

    @property
    def ends(self) -> tuple[float, float]:
        return float(self.reach.min()), float(self.reach.max())

    def heights(self, reach: FloatArray) -> FloatArray:
        return np.asarray(self._splines[0](reach))

    def parameter(self, reach: float) -> float:
        return float(self._splines[1](reach))

    @cached_property
    def _splines(self) -> tuple[Any, Any]:
        from scipy.interpolate import make_interp_spline

        order = np.argsort(self.reach)
        reach = self.reach[order]
        height, v = (make_interp_spline(reach, row[order], 5) for row in (self.height, self.v))
        return height, v


def _at_height(screw: ScrewSurface, height: Height) -> Curves:
    """The curve where the height above the axis' origin is a function of the distance from the axis; None
    where the profile is not smooth, or leaves the reach of the turn more than once."""
    if screw.profile.smooth_breaks(*screw.range):
        return None
    axis: Vec3 = screw.frame.normal
    low, high = screw.reachable[0]

    def places(v: FloatArray) -> FloatArray:
        p = screw.profile.points(v) - screw.frame.origin
        rises = p @ np.asarray(axis)
        reach = np.linalg.norm(p - rises[:, None] * np.asarray(axis), axis=1)
        return np.column_stack([(height(reach) - rises) / screw.rise, v])

    v = np.linspace(*screw.reachable[1], SPOTS)
    inside = np.flatnonzero((places(v)[:, 0] >= low) & (places(v)[:, 0] <= high))
    if not len(inside):
        return []
    if inside[-1] - inside[0] + 1 > len(inside):
        return None
    ends = float(v[max(inside[0] - 1, 0)]), float(v[min(inside[-1] + 1, SPOTS - 1)])
    return _fitted(lambda t: screw.points(places(t)), ends)


def _fitted(points: Callable[[FloatArray], FloatArray], ends: tuple[float, float]) -> Curves:
    for count in NODES:
        v = np.linspace(*ends, count)
        curve = interpolated_fit(v, points(v), False)
        half = 0.5 * (v[1:] + v[:-1])
        off = np.linalg.norm(curve.points(half) - points(half), axis=1).max()
        if off <= NEAR * max(float(np.ptp(points(v), axis=0).max()), NOWHERE):
            return [curve]
    return None
