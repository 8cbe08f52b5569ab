"""Revolution: a region turned about an axis in its plane.

Lines become planes, cylinders and cones, arcs spheres and tori, splines and ellipses turned surfaces; what
lies on the axis leaves no trace.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np

from ..errors import ModellingError, naming_its_step
from ..geometry.curve import Curve
from ..geometry.curves import Circle, Line
from ..geometry.placement import Axis, Plane, rotated
from ..geometry.rational import is_whole, rational_curve, turned_surface
from ..geometry.round_surfaces import ConeSurface, SphereSurface, TorusSurface
from ..geometry.surface import Surface
from ..geometry.surfaces import CylinderSurface, PlaneSurface
from ..geometry.tolerance import RESOLUTION
from ..geometry.turned import turned
from ..geometry.vector import Vec2, Vec3, add, along, cross, dot, negated, norm, scaled, sub
from ..sketch.loops import Patch, PlaneLoop
from ..sketch.pieces import ArcPiece, LinePiece, Piece, halves, subpiece
from ..sketch.plane_curves import CurvePiece, PlaneSpline
from ..sketch.region import Region
from ..topology.body import Body
from ..topology.brep import Coedge, Edge, Face, Loop, Lump, Shell, Vertex
from ..topology.names import FaceName, side_names
from .profile import Profile, regions_of
from .references import AxisLike, axis_of

LEVEL = 1e-9


@naming_its_step
def revolve(
    profile: Profile | Iterable[Region], axis: AxisLike, angle: float = 360.0, *, step: str = ""
) -> Body:
    """The solid that a profile sweeps when it turns about an axis in its plane.

    profile : a sketch (its default profile), regions, or a planar face.
    angle : degrees, up to 360, counter-clockwise seen against the axis; negative turns the other way.
    step : name that the faces get: `step/side:item`, and for part of a turn `step/start`, `step/end`.

    Raises ModellingError for an axis that is not in the plane or crosses a region, and for an arc that
    touches the axis.
    """
    chosen = regions_of(profile, "revolve")
    about, turn = axis_of(axis, "a profile turns about"), _turn(angle)
    if turn < 0.0:
        about, turn = Axis(about.point, negated(about.direction)), -turn
    lumps = []
    for region in chosen:
        for patch in region.patches:
            half = HalfPlane.through(region.plane, about, patch)
            lumps.append(_Revolver(half, turn, step).lump(_divided(half.turned(patch), turn)))
    return Body.made(lumps, chosen[0].unit)


def _divided(loops: list[list[Piece]], turn: float) -> list[list[Piece]]:
    """Splines and ellipses that go from the axis to the axis in halves, and for a whole turn those that are
    closed: a face needs a border, and has one tip."""
    whole = is_whole(turn)
    return [[part for piece in loop for part in _with_a_border(piece, whole)] for loop in loops]


def _with_a_border(piece: Piece, whole: bool) -> tuple[Piece, ...]:
    if not isinstance(piece, CurvePiece):
        return (piece,)
    if piece.is_closed:
        return halves(piece) if whole else (piece,)
    if piece.start[0] == 0.0 and piece.end[0] == 0.0:
        middle = piece.point(0.5)
        return subpiece(piece, (0.0, piece.start), (0.5, middle)), subpiece(
            piece, (0.5, middle), (1.0, piece.end)
        )
    return (piece,)


def _turn(angle: float) -> float:
    try:
        degrees = float(angle)
    except (TypeError, ValueError):
        raise ModellingError(f"angle needs a number, got {angle!r}") from None
    if not (math.isfinite(degrees) and 1e-6 < abs(degrees) <= 360.0):
        raise ModellingError(f"angle must be between 0 and 360 degrees, got {degrees:g}")
    return math.radians(degrees)


@dataclass(frozen=True, slots=True)
class HalfPlane:
    """The half-plane of the profile: `origin` on the axis, `axis`, and `out` away from it."""

    origin: Vec3
    axis: Vec3
    out: Vec3
    to_half: tuple[float, float, float, float, float, float]
    """(a, b, c, d, e, f): distance from the axis a u + b v + c, height d u + e v + f of a sketch point."""

    @classmethod
    def through(cls, plane: Plane, axis: Axis, patch: Patch) -> HalfPlane:
        off = dot(sub(axis.point, plane.origin), plane.normal)
        if abs(dot(axis.direction, plane.normal)) > LEVEL or abs(off) > RESOLUTION:
            raise ModellingError("the axis of a revolution must lie in the plane of the profile")
        origin = along(axis.point, plane.normal, -off)
        side = cross(axis.direction, plane.normal)
        u0, v0, _ = plane.local(origin)
        ax, ay = dot(axis.direction, plane.x), dot(axis.direction, plane.y)
        sx, sy = dot(side, plane.x), dot(side, plane.y)
        reach = [(sx * (x - u0) + sy * (y - v0)) for x, y in _outline(patch)]
        low, high = min(reach), max(reach)
        if low < -RESOLUTION and high > RESOLUTION:
            raise ModellingError("the axis of a revolution may touch the profile, but not cross it")
        if high <= RESOLUTION:
            side, sx, sy = negated(side), -sx, -sy
        numbers = (sx, sy, -sx * u0 - sy * v0, ax, ay, -ax * u0 - ay * v0)
        return cls(origin, axis.direction, side, numbers)

    def flat(self, p: Vec2) -> Vec2:
        """(distance from the axis, height) of a sketch point; exactly 0 on the axis."""
        a, b, c, d, e, f = self.to_half
        reach = a * p[0] + b * p[1] + c
        return (0.0 if abs(reach) <= RESOLUTION else reach, d * p[0] + e * p[1] + f)

    def turned(self, patch: Patch) -> list[list[Piece]]:
        """The loops of a patch in the half-plane, material on their left."""
        a, b, _, d, e, _ = self.to_half
        flips = a * e - b * d < 0.0
        return [self._loop(loop, flips) for loop in patch.loops]

    def _loop(self, loop: PlaneLoop, flips: bool) -> list[Piece]:
        pieces = [self.piece(piece, flips) for piece in loop.pieces]
        return [piece.reversed() for piece in reversed(pieces)] if flips else pieces

    def piece(self, piece: Piece, flips: bool = False) -> Piece:
        """A piece of the sketch in the half-plane. flips : whether that is seen from behind."""
        if isinstance(piece, LinePiece):
            return LinePiece(self.flat(piece.start), self.flat(piece.end), piece.name)
        if isinstance(piece, CurvePiece):
            return self._curve_piece(piece, flips)
        center = self.flat(piece.center)
        start = self.flat(piece.point(0.0))
        angle = math.atan2(start[1] - center[1], start[0] - center[0])
        ends = None if piece.ends is None else (self.flat(piece.ends[0]), self.flat(piece.ends[1]))
        return ArcPiece(center, piece.radius, angle, -piece.sweep if flips else piece.sweep, piece.name, ends)

    def _curve_piece(self, piece: CurvePiece, flips: bool) -> CurvePiece:
        ends = None if piece.ends is None else (self.flat(piece.ends[0]), self.flat(piece.ends[1]))
        curve = piece.curve
        if isinstance(curve, PlaneSpline):
            a, b, c, d, e, f = self.to_half
            x, y = curve.controls.T
            controls = np.column_stack([a * x + b * y + c, d * x + e * y + f])
            return CurvePiece(replace(curve, controls=controls), piece.a, piece.b, piece.name, ends)
        center = self.flat(curve.center)
        tip = (curve.center[0] + math.cos(curve.angle), curve.center[1] + math.sin(curve.angle))
        a, b, c, d, e, f = self.to_half
        tip = (a * tip[0] + b * tip[1] + c, d * tip[0] + e * tip[1] + f)
        angle = math.atan2(tip[1] - center[1], tip[0] - center[0])
        side = -1.0 if flips else 1.0
        made = replace(curve, center=center, angle=angle)
        return CurvePiece(made, side * piece.a, side * piece.b, piece.name, ends)

    def lifted(self, piece: CurvePiece, turn: float = 0.0) -> Curve:
        """The curve of a piece of the half-plane in space, turned about the axis."""
        around = cross(self.axis, self.radial(turn))
        return piece.curve.lifted(Plane(self.origin, negated(around), self.radial(turn)))

    def point(self, p: Vec2, turn: float = 0.0) -> Vec3:
        """A point of the half-plane, turned about the axis."""
        return add(along(self.origin, self.axis, p[1]), scaled(self.radial(turn), p[0]))

    def radial(self, turn: float) -> Vec3:
        return self.out if turn == 0.0 else rotated(self.out, self.axis, turn)

    def frame(self, height: float) -> Plane:
        """Across the axis, x along the profile's half-plane."""
        return Plane(along(self.origin, self.axis, height), self.axis, self.out)


def _outline(patch: Patch) -> list[Vec2]:
    points = []
    for piece in patch.outer.pieces:
        x0, y0, x1, y1 = piece.box
        points += [(x0, y0), (x1, y1), (x0, y1), (x1, y0)] if not isinstance(piece, LinePiece) else [
            piece.start, piece.end]  # fmt: skip
        if not isinstance(piece, LinePiece):
            points = points[:-4] + [piece.point(k / 32) for k in range(33)]
    return points


class _Revolver:
    def __init__(self, half: HalfPlane, turn: float, step: str) -> None:
        self._half, self._turn, self._step = half, turn, step
        self._whole = abs(turn - math.tau) < 1e-12
        self._vertices: dict[tuple[float, float, bool], Vertex] = {}
        self._rings: dict[Vec2, Edge] = {}

    def lump(self, loops: list[list[Piece]]) -> Lump:
        for loop in loops:
            self._refuse_pinch(loop)
        faces: list[Face] = []
        caps: tuple[list[Loop], list[Loop]] = ([], [])
        for loop in loops:
            ends: list[tuple[Edge, Edge, bool]] = []
            for piece in loop:
                made = self._profile_edges(piece)
                if made is not None:
                    ends.append(made)
                if not _on_axis(piece):
                    faces.append(self._face(piece, made))
            if not self._whole:
                caps[0].append(Loop(tuple(Coedge(a, way) for a, _, way in ends)))
                caps[1].append(Loop(tuple(Coedge(b, not way) for _, b, way in reversed(ends))))
        if not self._whole:
            faces += [self._cap(tuple(caps[0]), 0.0, "start"), self._cap(tuple(caps[1]), self._turn, "end")]
        shell = Shell(tuple(faces))
        return Lump(shell) if not self._whole else _nested(loops, faces)

    def _refuse_pinch(self, loop: list[Piece]) -> None:
        """A profile that only touches the axis in a point would touch itself there."""
        if len(loop) == 1 and loop[0].is_closed:
            return
        for before, after in zip([loop[-1], *loop[:-1]], loop, strict=True):
            if after.start[0] == 0.0 and not _on_axis(before) and not _on_axis(after):
                raise ModellingError("the profile touches the axis in a single point, where no solid can end")

    # ------------------------------------------------------------------ edges

    def _vertex(self, p: Vec2, at_end: bool) -> Vertex:
        key = (round(p[0], 9), round(p[1], 9), at_end and p[0] != 0.0)
        if key not in self._vertices:
            self._vertices[key] = Vertex(self._half.point(p, self._turn if key[2] else 0.0))
        return self._vertices[key]

    def _ring(self, p: Vec2) -> Edge | None:
        """The circle that a corner runs along; None on the axis."""
        if p[0] == 0.0:
            return None
        key = (round(p[0], 9), round(p[1], 9))
        if key not in self._rings:
            curve = Circle(self._half.frame(p[1]), p[0])
            if self._whole:
                self._rings[key] = Edge(curve, 0.0, math.tau, None, None)
            else:
                ends = (self._vertex(p, False), self._vertex(p, True))
                self._rings[key] = Edge(curve, 0.0, self._turn, *ends)
        return self._rings[key]

    def _profile_edges(self, piece: Piece) -> tuple[Edge, Edge, bool] | None:
        """A piece at the start and at the end of the turn, and whether the edges run its way."""
        if self._whole:
            return None
        if _on_axis(piece):
            edge, way = self._profile_edge(piece, False)
            return edge, edge, way
        (start, way), (end, _) = self._profile_edge(piece, False), self._profile_edge(piece, True)
        return start, end, way

    def _profile_edge(self, piece: Piece, at_end: bool) -> tuple[Edge, bool]:
        turn = self._turn if at_end else 0.0
        half = self._half
        curve: Curve
        if isinstance(piece, LinePiece):
            a, b = self._vertex(piece.start, at_end), self._vertex(piece.end, at_end)
            way = sub(b.point, a.point)
            length = norm(way)
            return Edge(Line(a.point, scaled(way, 1.0 / length)), 0.0, length, a, b), True
        if isinstance(piece, CurvePiece):
            curve, (first, last) = half.lifted(piece, turn), sorted((piece.a, piece.b))
            forward = piece.b > piece.a
            if piece.is_closed:
                return Edge(curve, piece.low, piece.high, None, None), forward
            ends = (self._vertex(piece.start, at_end), self._vertex(piece.end, at_end))
            return Edge(curve, first, last, *(ends if forward else ends[::-1])), forward
        x, around = half.radial(turn), cross(half.axis, half.radial(turn))
        curve = Circle(Plane(half.point(piece.center, turn), negated(around), x), piece.radius)
        first, last = sorted((piece.angle, piece.angle + piece.sweep))
        if piece.is_closed:
            return Edge(curve, first, last, None, None), piece.sweep > 0
        ends = (self._vertex(piece.start, at_end), self._vertex(piece.end, at_end))
        return Edge(curve, first, last, *(ends if piece.sweep > 0 else ends[::-1])), piece.sweep > 0

    # ------------------------------------------------------------------ faces

    def _face(self, piece: Piece, ends: tuple[Edge, Edge, bool] | None) -> Face:
        surface, outward = surface_of_turn(self._half, piece, self._turn)
        name = side_names(self._step, piece.name)
        if piece.is_closed:
            if ends is None:
                return Face(surface, outward, (), name)
            start, end, way = ends
            return Face(surface, outward, (Loop((Coedge(end, way),)), Loop((Coedge(start, not way),))), name)
        first, last = self._ring(piece.start), self._ring(piece.end)
        if ends is None:
            loops = [Loop((Coedge(e, way),)) for e, way in ((first, True), (last, False)) if e is not None]
            if surface.plane is not None and len(loops) == 2 and piece.end[0] > piece.start[0]:
                loops.reverse()
            return Face(surface, outward, tuple(loops), name)
        start, end, way = ends
        ring = [Coedge(first, True)] if first is not None else []
        ring.append(Coedge(end, way))
        ring += [Coedge(last, False)] if last is not None else []
        ring.append(Coedge(start, not way))
        return Face(surface, outward, (Loop(tuple(ring)),), name)

    def _cap(self, loops: tuple[Loop, ...], turn: float, role: str) -> Face:
        half = self._half
        around = cross(half.axis, half.radial(turn))
        normal = negated(around) if role == "start" else around
        frame = Plane(half.origin, normal, half.radial(turn))
        return Face(PlaneSurface(frame), True, loops, (FaceName(self._step, role),))


def surface_of_turn(half: HalfPlane, piece: Piece, turn: float = math.tau) -> tuple[Surface, bool]:
    """What a piece of the half-plane sweeps, and whether its normal points away from what lies on the left
    of the piece. turn : the angle that a closed profile goes round."""
    if isinstance(piece, CurvePiece):
        curve, forward = half.lifted(piece), piece.b > piece.a
        if piece.is_closed:  # a tube, closed along one parameter alone
            profile, axis = rational_curve(curve, piece.low, piece.high), Axis(half.origin, half.axis)
            return turned_surface(profile, axis, turn), not forward
        frame = Plane(half.origin, half.axis, half.out)
        return turned(curve, (piece.low, piece.high), frame), forward
    if isinstance(piece, ArcPiece):
        frame = half.frame(piece.center[1])
        if abs(piece.center[0]) <= RESOLUTION:
            return SphereSurface(frame, piece.radius), piece.sweep > 0
        if _is_cusp(piece):
            raise ModellingError(
                f"the arc {piece.name} touches the axis: a point without an angle cannot be made"
            )
        return TorusSurface(frame, piece.center[0], piece.radius), piece.sweep > 0
    (r0, z0), (r1, z1) = piece.start, piece.end
    dr, dz = r1 - r0, z1 - z0
    if abs(dz) <= LEVEL * abs(dr):
        return PlaneSurface(half.frame(z0)), dr < 0.0
    if abs(dr) <= LEVEL * abs(dz):
        return CylinderSurface(half.frame(z0), r0), dz > 0.0
    tip = z0 - r0 * dz / dr
    opens_up = (z1 - tip if r1 > r0 else z0 - tip) > 0.0
    frame = half.frame(tip)
    if not opens_up:
        frame = Plane(frame.origin, negated(half.axis), half.out)
    return ConeSurface(frame, math.atan2(abs(dr), abs(dz))), dz > 0.0


def _is_cusp(arc: ArcPiece) -> bool:
    """Whether an arc touches the axis, at an end or, if it is a circle, anywhere."""
    comes_near = arc.is_closed or min(arc.start[0], arc.end[0]) <= RESOLUTION
    return comes_near and abs(arc.center[0] - arc.radius) <= RESOLUTION


def _on_axis(piece: Piece) -> bool:
    return isinstance(piece, LinePiece) and piece.start[0] == 0.0 and piece.end[0] == 0.0


def _nested(loops: list[list[Piece]], faces: list[Face]) -> Lump:
    """The outer loop bounds the lump; every hole of the profile is a void of its own."""
    counts = [sum(not _on_axis(p) for p in loop) for loop in loops]
    shells, start = [], 0
    for count in counts:
        shells.append(Shell(tuple(faces[start : start + count])))
        start += count
    return Lump(shells[0], tuple(shells[1:]))
