"""Paths to sweep along: connected curves in space, from a sketch, from edges, or made as routes and
helices."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from typing import Any, TypeAlias

import numpy as np

from ..errors import ModellingError
from ..gate import is_list
from ..geometry.curve import Curve
from ..geometry.curves import Circle, Line
from ..geometry.placement import XY, Plane
from ..geometry.screw import Helix
from ..geometry.spline import FittedCurve, interpolated_fit
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec3, along, cross, distance, dot, negated, norm, scaled, sub, unit
from ..sketch.pieces import LinePiece, Piece, pieces_of
from ..sketch.sketch import Sketch
from ..topology.body import BodyEdge
from ..topology.brep import Edge
from .primitives import number, size
from .sections import Section

PER_TURN = 96
"""A helix is fitted through so many points of each turn: near to it to a billionth of its radius."""

MOST_TURNS = 500
STRAIGHT = 1e-9
"""Directions that differ by less (radians) go straight on."""


@dataclass(frozen=True)
class Leg:
    """A piece of `curve` from parameter t0 to t1, against its direction where t1 < t0."""

    curve: Curve
    t0: float
    t1: float

    @cached_property
    def length(self) -> float:
        return self.curve.length(min(self.t0, self.t1), max(self.t0, self.t1))

    @property
    def side(self) -> float:
        """1 along the curve, -1 against it."""
        return 1.0 if self.t1 > self.t0 else -1.0

    @property
    def start(self) -> Vec3:
        return self.curve.point(self.t0)

    @property
    def end(self) -> Vec3:
        return self.curve.point(self.t1)

    def tangent(self, t: float) -> Vec3:
        """The direction of travel at a parameter of the curve."""
        return scaled(self.curve.tangent(t), self.side)

    def reversed(self) -> Leg:
        return Leg(self.curve, self.t1, self.t0)

    def at_length(self, length: float) -> float:
        """The parameter at a length from the start, by Newton's method."""
        share = length / self.length
        t = self.t0 + share * (self.t1 - self.t0)
        for _ in range(30):
            done = self.curve.length(min(self.t0, t), max(self.t0, t))
            speed = float(np.linalg.norm(self.curve.derivatives(np.array([t]))))
            step = (length - done) / speed * self.side
            t = min(max(t + step, min(self.t0, self.t1)), max(self.t0, self.t1))
            if abs(step) <= 1e-15 * (1.0 + abs(t)):
                break
        return t


@dataclass(frozen=True)
class Path:
    """Legs that join end to end. `up`: the direction in which the profile's frame is held, None for the least
    twist."""

    legs: tuple[Leg, ...]
    up: Vec3 | None = None

    def __post_init__(self) -> None:
        if not self.legs:
            raise ModellingError("a path needs at least one curve")
        for before, after in pairwise(self.legs):
            gap = distance(before.end, after.start)
            if gap > RESOLUTION:
                x, y, z = before.end
                raise ModellingError(
                    f"the pieces of a path must join: after ({x:.6g}, {y:.6g}, {z:.6g}) the next starts "
                    f"{gap:.6g} away"
                )

    @property
    def length(self) -> float:
        return math.fsum(leg.length for leg in self.legs)

    @property
    def start(self) -> Vec3:
        return self.legs[0].start

    @property
    def end(self) -> Vec3:
        return self.legs[-1].end

    @property
    def is_closed(self) -> bool:
        return distance(self.start, self.end) <= RESOLUTION

    def point_at(self, ratio: float) -> Vec3:
        """The point at a share of the length, from 0 to 1."""
        leg, t = self._place(ratio)
        return leg.curve.point(t)

    def plane_at(self, ratio: float) -> Plane:
        """The plane across the path at a share of its length, from 0 to 1, the normal along the path."""
        leg, t = self._place(ratio)
        return Plane(leg.curve.point(t), leg.tangent(t))

    def _place(self, ratio: float) -> tuple[Leg, float]:
        if not 0.0 <= ratio <= 1.0:
            raise ModellingError(f"a place on a path is a share from 0 to 1 of its length, got {ratio!r}")
        left = ratio * self.length
        for leg in self.legs:
            if left <= leg.length or leg is self.legs[-1]:
                return leg, leg.at_length(min(left, leg.length))
            left -= leg.length
        raise AssertionError


PathLike: TypeAlias = Any
"""A `Path`, a sketch with one chain of curves, an edge, connected edges, or a list of these."""


def path(value: PathLike) -> Path:
    """The path that a sketch with one chain of curves, connected edges, or a list of paths that join end to
    end stand for. Raises ModellingError for what is none."""
    if isinstance(value, Path):
        return value
    if isinstance(value, Sketch):
        value.settle()
        return Path(_smooth(_connected(_legs_of_sketch(value))))
    if isinstance(value, BodyEdge):
        return Path(_smooth([_leg_of_edge(value.brep)]))
    if is_list(value):
        parts = list(value)
        if parts and all(isinstance(part, BodyEdge) for part in parts):
            return Path(_smooth(_connected([_leg_of_edge(part.brep) for part in parts])))
        rows = [path(part) for part in parts]
        if rows:
            ups = {row.up for row in rows if row.up is not None}
            return Path(_in_a_row([row.legs for row in rows]), ups.pop() if len(ups) == 1 else None)
    raise ModellingError(
        f"a path is a route, a helix, a sketch of one chain, or connected edges, got {value!r}"
    )


def _smooth(legs: Iterable[Leg]) -> tuple[Leg, ...]:
    """Legs cut where their curves are not smooth to any order: walls are laid through each part by itself."""
    made = []
    for leg in legs:
        breaks = leg.curve.smooth_breaks(min(leg.t0, leg.t1), max(leg.t0, leg.t1))
        stops = [leg.t0, *(breaks if leg.t1 > leg.t0 else breaks[::-1]), leg.t1]
        made += [Leg(leg.curve, a, b) for a, b in pairwise(stops)]
    return tuple(made)


def _leg_of_edge(edge: Edge) -> Leg:
    return Leg(edge.curve, edge.t0, edge.t1)


def _legs_of_sketch(sketch: Sketch) -> list[Leg]:
    drawn = [entity for entity in sketch.curves() if not entity.construction]
    return [_leg_of_piece(piece, sketch.plane) for piece in pieces_of(drawn)]


def _leg_of_piece(piece: Piece, plane: Plane) -> Leg:
    if isinstance(piece, LinePiece):
        a, b = plane.point(*piece.start), plane.point(*piece.end)
        return Leg(Line(a, unit(sub(b, a))), 0.0, distance(a, b))
    edge, forward = Section(plane, plane.normal).edge(piece)
    return Leg(edge.curve, edge.t0, edge.t1) if forward else Leg(edge.curve, edge.t1, edge.t0)


def _connected(legs: Sequence[Leg]) -> tuple[Leg, ...]:
    """Legs in any order and direction as one chain, the first in its direction where that is open to
    choice."""
    left = list(legs)
    if not left:
        raise ModellingError("the sketch of a path has no curves")
    chain = [left.pop(0)]
    while left:
        grown = _grown(chain, left)
        if grown is None:
            x, y, z = chain[-1].end
            raise ModellingError(
                f"the curves of a path are not one chain: it ends at ({x:.6g}, {y:.6g}, {z:.6g})"
            )
        chain, left = grown
    return tuple(chain)


def _grown(chain: list[Leg], left: list[Leg]) -> tuple[list[Leg], list[Leg]] | None:
    """A chain with one of the legs that are left at its end or its start, and the others."""
    for k, leg in enumerate(left):
        rest = left[:k] + left[k + 1 :]
        for one in (leg, leg.reversed()):
            if distance(chain[-1].end, one.start) <= RESOLUTION:
                return [*chain, one], rest
        for one in (leg, leg.reversed()):
            if distance(one.end, chain[0].start) <= RESOLUTION:
                return [one, *chain], rest
    return None


def _in_a_row(parts: Sequence[tuple[Leg, ...]]) -> tuple[Leg, ...]:
    """Parts one after the other, each turned round if only so it joins the one before."""
    row = list(parts[0])
    if len(parts) > 1 and not any(distance(row[-1].end, p) <= RESOLUTION
                                  for p in (parts[1][0].start, parts[1][-1].end)):  # fmt: skip
        row = [leg.reversed() for leg in reversed(row)]
    for part in parts[1:]:
        ahead = distance(row[-1].end, part[0].start) <= RESOLUTION
        row += part if ahead else [leg.reversed() for leg in reversed(part)]
    return tuple(row)


def route(points: Iterable[Sequence[float]], bend: float | Sequence[float] = 0.0) -> Path:
    """Straight legs through points in space, with round bends at the corners.

    points : (x, y, z) each, length unit; where the last is the first the route is closed. bend : the radius
    of all bends, or one for each corner in turn; 0 for a sharp corner.

    Raises ModellingError where a leg is too short for its bends, with the length that it needs.
    """
    if not isinstance(points, Iterable):
        raise ModellingError(f"a route goes through points (x, y, z), got {points!r}")
    corners = [_corner(p) for p in points]
    corners = [p for k, p in enumerate(corners) if k == 0 or distance(p, corners[k - 1]) > RESOLUTION]
    if len(corners) < 2:
        raise ModellingError("a route needs at least two points that lie apart")
    closed = len(corners) > 3 and distance(corners[0], corners[-1]) <= RESOLUTION
    turns = len(corners) - 2 + closed
    radii = [float(r) for r in bend] if isinstance(bend, Iterable) else [float(bend)] * turns
    if len(radii) != turns:
        raise ModellingError(f"the route has {turns} corners, but bend gives {len(radii)} radii")
    if any(not (math.isfinite(r) and r >= 0.0) for r in radii):
        raise ModellingError(f"a bend has a radius of 0 or more, got {min(radii):g}")
    return Path(tuple(_with_bends(corners, radii, closed)))


def _corner(p: Sequence[float]) -> Vec3:
    values = tuple(number(c, "a coordinate") for c in p) if isinstance(p, Iterable) else ()
    if len(values) != 3 or not all(math.isfinite(c) for c in values):
        raise ModellingError(f"a point of a route is (x, y, z), got {p!r}")
    return values[0], values[1], values[2]


def _with_bends(corners: list[Vec3], radii: list[float], closed: bool) -> list[Leg]:
    ways = [unit(sub(b, a)) for a, b in pairwise(corners)]
    count = len(ways)
    at = [*range(1, count), *([0] if closed else [])]  # the leg after each bend
    setback = [0.0] * (count + 1)  # at the start of each leg
    for leg, radius in zip(at, radii, strict=True):
        angle = _angle(ways[leg - 1], ways[leg])
        if angle > math.pi - 1e-6:
            x, y, z = corners[leg]
            raise ModellingError(f"the route turns back on itself at ({x:.6g}, {y:.6g}, {z:.6g})")
        setback[leg] = radius * math.tan(0.5 * angle)
    setback[count] = setback[0] if closed else 0.0
    legs: list[Leg] = []
    for k, way in enumerate(ways):
        long, need = distance(corners[k], corners[k + 1]), setback[k] + setback[k + 1]
        if need > long + 1e-9 * (1.0 + long):
            raise ModellingError(
                f"leg {k + 1} of the route is {long:.6g} long, but its bends need {need:.6g}: make it "
                f"longer or "
                "the bends smaller"
            )
        if setback[k] > 0.0 and (k > 0):
            legs.append(_bend(corners[k], ways[k - 1], way, setback[k]))
        if long - need > RESOLUTION:
            legs.append(Leg(Line(along(corners[k], way, setback[k]), way), 0.0, long - need))
    if closed and setback[0] > 0.0:
        legs.append(_bend(corners[0], ways[-1], ways[0], setback[0]))
    return legs


def _angle(one: Vec3, two: Vec3) -> float:
    return math.atan2(norm(cross(one, two)), dot(one, two))


def _bend(corner: Vec3, before: Vec3, after: Vec3, setback: float) -> Leg:
    """The arc that touches both legs so far before and after their corner."""
    angle = _angle(before, after)
    radius = setback / math.tan(0.5 * angle)
    normal = unit(cross(before, after))
    start = along(corner, before, -setback)
    inward = cross(normal, before)
    center = along(start, inward, radius)
    return Leg(Circle(Plane(center, normal, scaled(inward, -1.0)), radius), 0.0, angle)


def helix(
    radius: float,
    pitch: float,
    *,
    turns: float | None = None,
    height: float | None = None,
    taper: float = 0.0,
    left: bool = False,
    on: Plane = XY,
) -> Path:
    """A helix about the normal of `on`, from the point at `radius` along its x.

    radius, pitch : length unit. turns or height : how far it goes, one of the two. taper : degrees by which
    the cone that it winds about opens upwards (negative: closes). left : left-handed.

    A profile swept along it keeps its place to the axis. Raises ModellingError for sizes that are not
    positive, and where a taper closes the cone before the end.
    """
    r, rise = size(radius, "radius"), size(pitch, "pitch")
    if (turns is None) == (height is None):
        raise ModellingError("a helix needs either turns or a height")
    count = size(turns, "turns") if turns is not None else size(height or 0.0, "height") / rise
    if count > MOST_TURNS:
        raise ModellingError(f"a helix has at most {MOST_TURNS} turns, got {count:g}")
    grow = math.tan(math.radians(number(taper, "taper"))) * rise / math.tau
    if not r + grow * count * math.tau > RESOLUTION:
        raise ModellingError(
            f"with a taper of {taper:g} degrees the helix closes after {-r / grow / math.tau:g} turns"
        )
    hand, whole = -1.0 if left else 1.0, math.tau * count
    curve = _helix(on, r, hand * rise / math.tau) if not taper else _conical(on, (r, grow, rise), hand, whole)
    parts = max(1, math.ceil(count - 1e-9))
    stops = [whole * k / parts for k in range(parts + 1)]
    return Path(tuple(Leg(curve, low, high) for low, high in pairwise(stops)), up=on.normal)


def _helix(on: Plane, radius: float, rise: float) -> Helix:
    """Upwards for growing parameters; a left-hand one turns about the opposite normal."""
    return Helix(on if rise > 0.0 else Plane(on.origin, negated(on.normal), on.x), radius, rise)


def _conical(on: Plane, sizes: tuple[float, float, float], hand: float, whole: float) -> FittedCurve:
    """A helix on a cone, up to an angle: with the radius at its start, what that grows for each radian, and
    the pitch."""
    radius, grow, rise = sizes
    a = np.linspace(0.0, whole, max(16, math.ceil(PER_TURN * whole / math.tau)) + 1)
    reach = radius + grow * a
    flat = np.column_stack([reach * np.cos(a), hand * reach * np.sin(a)])
    points = on.points(flat) + (rise / math.tau * a)[:, None] * np.asarray(on.normal)
    return interpolated_fit(a, points, False)
