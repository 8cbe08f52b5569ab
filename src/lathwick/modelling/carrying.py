"""How a path carries a profile along each of its legs: straight on, round an axis, or any other way."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ..errors import ModellingError
from ..geometry.canal import CanalSurface
from ..geometry.curve import GAUSS_NODES, GAUSS_WEIGHTS
from ..geometry.curves import Circle, Line
from ..geometry.placement import Axis, FloatArray, Plane, rotated
from ..geometry.rational import rational_curve, turned_surface
from ..geometry.screw import Helix, ScrewSurface
from ..geometry.spline import FittedCurve, interpolated_fit
from ..geometry.spline_surface import SplineSurface
from ..geometry.surface import Surface
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec2, Vec3, add, along, cross, distance, dot, norm, scaled, sub, unit, vec3
from ..sketch.pieces import ArcPiece, Piece
from ..topology.brep import Edge, Vertex
from .paths import Leg
from .revolve import HalfPlane, surface_of_turn
from .sections import Section, across

LEVEL = 1e-9
NODES = (17, 33, 65, 129, 257, 513)
NEAR = 2e-10
"""Positions between those that a wall is laid through are so near to it, as a share of the profile's
reach."""


@dataclass(frozen=True)
class Frame:
    """A place on a path: the point, the direction of travel, and a unit direction across it."""

    origin: Vec3
    way: Vec3
    side: Vec3

    @property
    def rows(self) -> FloatArray:
        return np.array([self.way, self.side, cross(self.way, self.side)])


def carried(plane: Plane, before: Frame, after: Frame) -> Plane:
    """A plane that keeps its place to a frame."""
    turn = before.rows.T @ after.rows
    origin, normal, x = (np.asarray(v) for v in (plane.origin, plane.normal, plane.x))
    return Plane(
        vec3(np.asarray(after.origin) + (origin - np.asarray(before.origin)) @ turn),
        vec3(normal @ turn),
        vec3(x @ turn),
    )


class Carrier:
    """A leg, the frame at its start and at its end, and the profile's plane at its start."""

    is_straight = False

    def __init__(self, leg: Leg, start: Frame, end: Frame, plane: Plane) -> None:
        self.leg, self.start, self.end, self.plane = leg, start, end, plane

    @property
    def plane_at_end(self) -> Plane:
        return carried(self.plane, self.start, self.end)

    def rail(self, corner: Vec2, a: Vertex, b: Vertex) -> Edge:
        """The way of a corner of the profile, from vertex to vertex."""
        raise NotImplementedError

    def wall(self, piece: Piece) -> Surface:
        """The surface over a piece of the profile."""
        raise NotImplementedError

    def frames(self, shares: FloatArray) -> list[Frame]:
        """The frames at shares of the leg, (N,), from 0 to 1."""
        raise NotImplementedError

    def least_advance(self, points: FloatArray) -> tuple[float, Vec3, float]:
        """How fast the slowest of points of the profile, (N, 2), moves on, as a share of the speed along the
        path; where on the path that is; and how tight the path may bend at most, as a radius."""
        raise NotImplementedError


class StraightCarrier(Carrier):
    is_straight = True

    def rail(self, corner: Vec2, a: Vertex, b: Vertex) -> Edge:
        return Edge(Line(a.point, unit(sub(b.point, a.point))), 0.0, distance(a.point, b.point), a, b)

    def wall(self, piece: Piece) -> Surface:
        return across(self.start.way, self.start.origin, self.plane).wall(piece)

    def frames(self, shares: FloatArray) -> list[Frame]:
        first, length = self.start, self.leg.length
        return [
            Frame(along(first.origin, first.way, length * s), first.way, first.side) for s in shares.tolist()
        ]

    def least_advance(self, points: FloatArray) -> tuple[float, Vec3, float]:
        return 1.0, self.start.origin, 0.0


class TurningCarrier(Carrier):
    """Round the axis of a circular leg."""

    def __init__(self, leg: Leg, start: Frame, end: Frame, plane: Plane, turn: tuple[Axis, float]) -> None:
        super().__init__(leg, start, end, plane)
        self.axis, self.angle = turn

    @cached_property
    def _half(self) -> HalfPlane | None:
        """The half-plane of the axis in which the profile lies, if it does."""
        center = self.axis.point
        out = unit(sub(self.start.origin, center))
        level = abs(dot(self.plane.normal, self.axis.direction)) <= LEVEL
        around = cross(self.axis.direction, out)
        if not level or norm(cross(self.plane.normal, around)) > LEVEL:
            return None
        if abs(dot(sub(self.plane.origin, center), around)) > RESOLUTION:
            return None
        rows = [(dot(self.plane.x, d), dot(self.plane.y, d), dot(sub(self.plane.origin, center), d))
                for d in (out, self.axis.direction)]  # fmt: skip
        return HalfPlane(center, self.axis.direction, out, (*rows[0], *rows[1]))

    def rail(self, corner: Vec2, a: Vertex, b: Vertex) -> Edge:
        height = dot(sub(a.point, self.axis.point), self.axis.direction)
        center = along(self.axis.point, self.axis.direction, height)
        out = sub(a.point, center)
        return Edge(Circle(Plane(center, self.axis.direction, out), norm(out)), 0.0, self.angle, a, b)

    def wall(self, piece: Piece) -> Surface:
        if self._half is not None:
            return surface_of_turn(self._half, self._half.piece(piece), self.angle)[0]
        edge = Section(self.plane, self.start.way).edge(piece)[0]
        return turned_surface(rational_curve(edge.curve, edge.t0, edge.t1), self.axis, self.angle)

    def frames(self, shares: FloatArray) -> list[Frame]:
        center, axis, first = self.axis.point, self.axis.direction, self.start
        made = []
        for angle in (self.angle * shares).tolist():
            out, way, side = (
                rotated(d, axis, angle) for d in (sub(first.origin, center), first.way, first.side)
            )
            made.append(Frame(add(center, out), way, side))
        return made

    def least_advance(self, points: FloatArray) -> tuple[float, Vec3, float]:
        out = unit(sub(self.start.origin, self.axis.point))
        radius = distance(self.start.origin, self.axis.point)
        reach = (self.plane.points(points) - np.asarray(self.start.origin)) @ np.asarray(out)
        inner = float(reach.min())
        return 1.0 + inner / radius, self.start.origin, -inner


class ScrewCarrier(Carrier):
    """Along a helix, held to its axis: a screw motion."""

    def __init__(self, leg: Leg, start: Frame, plane: Plane) -> None:
        assert isinstance(leg.curve, Helix)
        self._helix, self._turn = leg.curve, leg.side * abs(leg.t1 - leg.t0)
        super().__init__(leg, start, self._at(start, self._turn), plane)

    def _at(self, first: Frame, angle: float) -> Frame:
        frame = self._helix.frame
        out, way, side = (rotated(d, frame.normal, angle)
                          for d in (sub(first.origin, frame.origin), first.way, first.side))  # fmt: skip
        return Frame(along(add(frame.origin, out), frame.normal, self._helix.rise * angle), way, side)

    @property
    def _frame(self) -> Plane:
        """Turned in the direction of travel."""
        frame = self._helix.frame
        return frame if self._turn > 0.0 else Plane(frame.origin, scaled(frame.normal, -1.0), frame.x)

    def rail(self, corner: Vec2, a: Vertex, b: Vertex) -> Edge:
        frame = self._frame
        height = dot(sub(a.point, frame.origin), frame.normal)
        foot = along(frame.origin, frame.normal, height)
        out = sub(a.point, foot)
        curve = Helix(Plane(foot, frame.normal, out), norm(out), self._helix.rise)
        return Edge(curve, 0.0, abs(self._turn), a, b)

    def wall(self, piece: Piece) -> Surface:
        edge = Section(self.plane, self.start.way).edge(piece)[0]
        turn, span = (0.0, abs(self._turn)), (edge.t0, edge.t1)
        return ScrewSurface(self._frame, self._helix.rise, edge.curve, turn, span)

    def frames(self, shares: FloatArray) -> list[Frame]:
        return [self._at(self.start, self._turn * s) for s in shares.tolist()]

    def least_advance(self, points: FloatArray) -> tuple[float, Vec3, float]:
        """A point moves square to its radius, as fast as that is long, and rises with all others."""
        frame, way = self._frame, self.start.way
        off = self.plane.points(points) - np.asarray(frame.origin)
        speeds = np.cross(frame.normal, off) + self._helix.rise * np.asarray(frame.normal)
        shares = speeds @ np.asarray(way) / math.hypot(self._helix.radius, self._helix.rise)
        worst = int(shares.argmin())
        reach = norm(sub(self.plane.point(*points[worst].tolist()), self.start.origin))
        return float(shares[worst]), self.start.origin, reach if shares[worst] < 1.0 else 0.0


class CurveCarrier(Carrier):
    """Along any curve, through rigid positions; a corner's way and every control of a piece is a spline
    through those that it has there."""

    def __init__(self, leg: Leg, plane: Plane, law: FrameLaw, reach: float) -> None:
        self._law = law
        for count in NODES:
            t = np.linspace(leg.t0, leg.t1, count)
            frames = law.frames(t)
            rows, origins = np.stack([f.rows for f in frames]), np.array([f.origin for f in frames])
            if self._is_near(t, origins, rows, reach):
                break
        else:
            raise ModellingError(f"the path bends too sharply near {tuple(round(c, 6) for c in leg.start)}")
        super().__init__(leg, frames[0], frames[-1], plane)
        self._t = leg.side * (t - leg.t0)
        self._origins, self._turns = origins, np.einsum("ji,njk->nik", rows[0], rows)

    def _is_near(self, t: FloatArray, origins: FloatArray, rows: FloatArray, reach: float) -> bool:
        """Whether splines through every other place pass near enough to those between."""
        table = np.concatenate([origins, reach * rows.reshape(len(t), 9)], axis=1)
        s = np.abs(t - t[0])
        worst = 0.0
        for k in range(0, 12, 3):
            fit = interpolated_fit(s[::2], table[::2, k : k + 3], False)
            worst = max(worst, float(np.abs(fit.points(s[1::2]) - table[1::2, k : k + 3]).max()))
        return worst <= 64.0 * NEAR * max(
            reach, 1e-3 * self._span(origins)
        )  # with twice as many, 64 times less

    @staticmethod
    def _span(origins: FloatArray) -> float:
        return float(np.ptp(origins, axis=0).max())

    def _ways(self, points: FloatArray) -> FloatArray:
        """Where points that the profile carries along are at all places, (N, M, 3)."""
        off = points - np.asarray(self.start.origin)
        return np.asarray(self._origins[None] + np.einsum("nj,mjk->nmk", off, self._turns))

    def _trajectory(self, point: FloatArray) -> FittedCurve:
        return interpolated_fit(self._t, self._ways(point[None])[0], False)

    def rail(self, corner: Vec2, a: Vertex, b: Vertex) -> Edge:
        curve = self._trajectory(self.plane.points(np.array([corner]))[0])
        return Edge(curve, 0.0, float(self._t[-1]), a, b)

    def wall(self, piece: Piece) -> Surface:
        edge = Section(self.plane, self.start.way).edge(piece)[0]
        if isinstance(piece, ArcPiece) and self._keeps_across(piece):
            center = self.plane.points(np.array([piece.center]))[0]
            zero = self.plane.points(np.array([piece.point(0.5)]))[
                0
            ]  # so that the arc is on both sides of it
            return CanalSurface(self._trajectory(center), self._trajectory(zero), piece.radius)
        profile = rational_curve(edge.curve, edge.t0, edge.t1)
        fits = [interpolated_fit(self._t, way, False) for way in self._ways(profile.controls)]
        controls = np.stack([fit.controls for fit in fits], axis=1)  # u runs along the path
        plain = bool((profile.weights == 1.0).all())
        weights = None if plain else np.repeat(profile.weights[None], len(controls), axis=0)
        return SplineSurface(
            (fits[0].degree, profile.degree), (fits[0].knots, profile.knots), controls, weights
        )

    def frames(self, shares: FloatArray) -> list[Frame]:
        return self._law.frames(self.leg.t0 + shares * (self.leg.t1 - self.leg.t0))

    def _keeps_across(self, piece: ArcPiece) -> bool:
        """Whether the way of an arc's center is always across the profile's plane."""
        level = norm(cross(self.plane.normal, self.start.way)) <= 1e-7
        center = self.plane.point(*piece.center)
        return level and (self._law.is_least or distance(center, self.start.origin) <= RESOLUTION)

    def least_advance(self, points: FloatArray) -> tuple[float, Vec3, float]:
        places = self.plane.points(points)
        ways = self._ways(places)
        steps = np.gradient(ways, self._t, axis=1)
        along_it = np.gradient(self._origins, self._t, axis=0)
        square = (along_it**2).sum(axis=1)
        shares = np.einsum("nmk,mk->nm", steps, along_it) / square
        n, m = np.unravel_index(int(shares.argmin()), shares.shape)
        share = float(shares[n, m])
        radius = norm(sub(vec3(places[n]), self.start.origin)) if share < 1.0 else 0.0
        return share, vec3(self._origins[m]), radius


@dataclass(frozen=True)
class FrameLaw:
    """The frames along a leg: of least twist from a first one, or held to a direction; and turned on about
    the path by an angle for each unit of length."""

    leg: Leg
    first: Frame
    up: Vec3 | None
    twist: float

    @property
    def is_least(self) -> bool:
        return self.up is None and self.twist == 0.0

    def frames(self, t: FloatArray) -> list[Frame]:
        """At parameters, (N,), from the leg's start to its end."""
        curve, side = self.leg.curve, self.leg.side
        points = curve.points(t)
        ways = side * curve.derivatives(t)
        ways = ways / np.linalg.norm(ways, axis=1)[:, None]
        ways[0] = self.first.way
        sides = self._least(t) if self.up is None else self._held(ways)
        if self.twist:
            sides = self._twisted(t, ways, sides)
        sides = sides - (sides * ways).sum(axis=1)[:, None] * ways
        sides = sides / np.linalg.norm(sides, axis=1)[:, None]
        return [Frame(vec3(p), vec3(w), vec3(s)) for p, w, s in zip(points, ways, sides, strict=True)]

    def _least(self, t: FloatArray) -> FloatArray:
        curve = self.leg.curve

        def rate(s: float, r: FloatArray) -> FloatArray:
            at = np.array([s])
            d1, d2 = curve.derivatives(at)[0], curve.second(at)[0]
            speed = np.linalg.norm(d1)
            way = d1 / speed
            bend = (d2 - (d2 @ way) * way) / speed
            return np.asarray(-(r @ bend) * way)

        from scipy.integrate import solve_ivp

        found = solve_ivp(rate, (t[0], t[-1]), self.first.side, "DOP853", t, rtol=1e-12, atol=1e-13)
        return np.asarray(found.y.T)

    def _held(self, ways: FloatArray) -> FloatArray:
        """The side is where the fixed direction leads to, across the path; turned as at the start."""
        up = np.asarray(self.up)
        flat = up - (ways @ up)[:, None] * ways
        sizes = np.linalg.norm(flat, axis=1)
        if sizes.min() < 1e-6:
            raise ModellingError("the path runs along the direction in which its profile is to be held")
        one = flat / sizes[:, None]
        two = np.cross(ways, one)
        side = np.asarray(self.first.side)
        return np.asarray((side @ one[0]) * one + (side @ two[0]) * two)

    def _twisted(self, t: FloatArray, ways: FloatArray, sides: FloatArray) -> FloatArray:
        half = 0.5 * np.diff(t)
        inner = t[:-1, None] + half[:, None] * (GAUSS_NODES + 1.0)
        speed = np.linalg.norm(self.leg.curve.derivatives(inner.ravel()), axis=1).reshape(inner.shape)
        lengths = np.concatenate([[0.0], np.cumsum(np.abs(half) * (speed @ GAUSS_WEIGHTS))])
        angles = (self.twist * lengths)[:, None]
        return np.asarray(np.cos(angles) * sides + np.sin(angles) * np.cross(ways, sides))


def carrier_along(
    leg: Leg, start: Frame, plane: Plane, hold: tuple[Vec3 | None, float], reach: float
) -> Carrier:
    """hold : the direction in which the frame is held, and by how many radians it turns for each unit of
    length. reach : how far the profile reaches from the path."""
    up, twist = hold
    if not twist and isinstance(leg.curve, Line):
        end = Frame(leg.end, start.way, start.side)
        return StraightCarrier(leg, start, end, plane)
    if not twist and isinstance(leg.curve, Circle):
        normal = scaled(leg.curve.frame.normal, leg.side)
        if up is None or norm(cross(normal, up)) <= LEVEL:
            angle = abs(leg.t1 - leg.t0)
            end = Frame(leg.end, *(rotated(d, normal, angle) for d in (start.way, start.side)))
            axis = Axis(leg.curve.frame.origin, normal)
            return TurningCarrier(leg, start, end, plane, (axis, angle))
    if not twist and isinstance(leg.curve, Helix) and _is_along(leg.curve.frame.normal, up):
        return ScrewCarrier(leg, start, plane)
    return CurveCarrier(leg, plane, FrameLaw(leg, start, up, twist), reach)


def _is_along(axis: Vec3, up: Vec3 | None) -> bool:
    return up is not None and norm(cross(axis, up)) <= LEVEL
