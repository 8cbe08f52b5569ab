"""Extrusion: a region moved along the normal of its plane."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace

from ..errors import ModellingError, naming_its_step
from ..geometry.curves import Circle, Line
from ..geometry.placement import Plane
from ..geometry.surface import Surface
from ..geometry.surfaces import CylinderSurface, ExtrudedSurface, PlaneSurface
from ..geometry.tolerance import LARGEST, RESOLUTION
from ..geometry.vector import Vec2, distance, dot, negated, sub, unit
from ..sketch.loops import Patch, PlaneLoop
from ..sketch.pieces import ArcPiece, LinePiece, Piece, scaled_piece
from ..sketch.plane_curves import CurvePiece
from ..sketch.region import Region
from ..topology.body import Body
from ..topology.brep import Coedge, Edge, Face, Loop, Lump, Shell, Vertex
from ..topology.names import FaceName, side_names
from .combine import cut, half_space
from .local.draft import draft
from .loft import loft
from .paths import route
from .primitives import number
from .profile import Profile, regions_of
from .references import PlaneLike, plane_of
from .sweep import sweep

MOST_GROWTH = 1e6
"""How many times larger or smaller a profile may become along an extrusion."""


@naming_its_step
def extrude(
    profile: Profile | Iterable[Region],
    depth: float,
    *,
    both: bool = False,
    back: float = 0.0,
    taper: float = 0.0,
    scale: float = 1.0,
    twist: float = 0.0,
    step: str = "",
) -> Body:
    """The solid swept by a profile from its plane, `depth` along its normal.

    profile : a sketch (its default profile), regions of one plane, or a planar face.
    depth : length unit; with `both` half of it lies on each side of the plane.
    back : length unit, at least 0; so much is added behind the plane.
    taper : degrees by which the walls lean from the plane on, the body narrower and its holes wider away
        from it; see `draft`.
    scale : by which the profile has grown at the end, about the origin of its plane; the walls are straight.
    twist : degrees by which it has turned at the end, counter-clockwise about the normal through the origin.
    step : name that the faces get: `step/start` (behind), `step/end`, `step/side:item`.

    Returns a body with one lump per patch. Raises ModellingError for a depth that is not a
    finite number above the resolution, or for regions of different sketches.
    """
    chosen = regions_of(profile, "extrude")
    plane, length_unit = chosen[0].plane, chosen[0].unit
    if any(r.plane != plane or r.unit != length_unit for r in chosen):
        raise ModellingError("the regions to extrude lie in different planes or units")
    low, high = _limits(depth, both, back)
    patches = [patch for region in chosen for patch in region.patches]
    growth, turn = number(scale, "scale"), number(twist, "twist")
    if growth != 1.0 or turn:
        return _changing(chosen, (low, high), (growth, turn, taper), step)
    body = Body.made([_lump(patch, plane, low, high, step) for patch in patches], length_unit)
    return _tapered(body, taper, plane, low, high) if taper else body


def _changing(
    regions: tuple[Region, ...], limits: tuple[float, float], how: tuple[float, float, float], step: str
) -> Body:
    """With a profile that grows, by a loft, or that turns, by a sweep along the normal."""
    (low, high), (scale, twist, taper) = limits, how
    if taper or (scale != 1.0 and twist):
        raise ModellingError("scale, twist and taper of an extrusion go one at a time")
    if not 1.0 / MOST_GROWTH <= scale <= MOST_GROWTH:
        raise ModellingError(f"scale is from {1 / MOST_GROWTH:g} to {MOST_GROWTH:g}, got {scale:g}")
    placed = [replace(region, plane=region.plane.offset(low)) for region in regions]
    if twist:
        start, end = placed[0].plane.origin, placed[0].plane.offset(high - low).origin
        return sweep(placed, route([start, end]), twist=twist, step=step)
    lumps = [
        lump
        for region in placed
        for patch in region.patches
        for lump in _grown(replace(region, patches=(patch,)), high - low, scale, step).pieces
    ]
    return Body.made(lumps, regions[0].unit)


def _grown(region: Region, height: float, factor: float, step: str) -> Body:
    loops = [PlaneLoop(tuple(scaled_piece(piece, factor) for piece in loop.pieces)) for loop in region.loops]
    grown = Patch(loops[0], tuple(loops[1:]))
    return loft([region, Region((grown,), region.plane.offset(height), region.unit)], ruled=True, step=step)


def _tapered(body: Body, taper: float, plane: Plane, low: float, high: float) -> Body:
    walls = body.faces().where(lambda face: any(name.role == "side" for name in face.brep.names))
    if high <= 0.0:
        plane = Plane(plane.origin, negated(plane.normal), plane.x)
    return draft(body, walls, taper, plane, split=low < 0.0 < high)


@naming_its_step
def extrude_to(
    profile: Profile | Iterable[Region],
    face: PlaneLike,
    *,
    back: float = 0.0,
    taper: float = 0.0,
    step: str = "",
) -> Body:
    """The solid swept by a profile along the normal of its plane up to a plane, or that of a planar face.

    Raises ModellingError if the face is curved, at right angles to the plane, or not in front of all of
    the profile.
    """
    chosen = regions_of(profile, "extrude")
    plane, target = chosen[0].plane, plane_of(face, "what is extruded ends at")
    lean = dot(plane.normal, target.normal)
    if abs(lean) < 1e-6:
        raise ModellingError("the face to extrude up to stands at a right angle to the profile")
    corners = [p for r in chosen for piece in r.pieces for p in _box_corners(piece)]
    heights = [-target.local(plane.point(*p))[2] / lean for p in corners]
    if not min(heights) > RESOLUTION:
        raise ModellingError("the face to extrude up to is not in front of all of the profile")
    if max(heights) - min(heights) <= RESOLUTION:
        return extrude(chosen, heights[0], back=back, taper=taper, step=step)
    tall = extrude(chosen, max(heights) * 1.01, back=back, taper=taper, step=step)
    beyond = half_space(tall, target, 1.0 if lean > 0 else -1.0, step)
    return _without_block_names(cut(tall, beyond), step)


def _box_corners(piece: Piece) -> list[Vec2]:
    x0, y0, x1, y1 = piece.box
    return [(x0, y0), (x1, y0), (x0, y1), (x1, y1)]


def _without_block_names(body: Body, step: str) -> Body:
    """The face that a block has left is the end of the extrusion."""
    roles = {"bottom", "top"}
    lumps = []
    for lump in body.pieces:
        faces = tuple(
            replace(f, names=(FaceName(step, "end"),)) if any(n.role in roles for n in f.names) else f
            for f in lump.outer.faces
        )
        lumps.append(Lump(Shell(faces), lump.voids))
    return Body(tuple(lumps), body.unit)


def _limits(depth: float, both: bool, back: float) -> tuple[float, float]:
    """Heights of the start and end face above the sketch plane."""
    values = {"depth": float(depth), "back": float(back)}
    for name, value in values.items():
        if not math.isfinite(value) or value < 0 or value > LARGEST:
            hint = "; to go behind the plane use back=" if name == "depth" and value < 0 else ""
            raise ModellingError(f"{name} must lie between 0 and {LARGEST:g}, got {value:g}{hint}")
    front = 0.5 * values["depth"] if both else values["depth"]
    behind = values["back"] + (front if both else 0.0)
    if not front + behind > RESOLUTION:
        raise ModellingError(f"depth must be more than {RESOLUTION:g}, got {front + behind:g}")
    return (0.0 - behind, front)


@dataclass(frozen=True, slots=True)
class _Wall:
    """The side face over one piece, and its edges below and above as the end faces need them."""

    face: Face
    below: Edge
    above: Edge
    forward: bool


def _lump(patch: Patch, plane: Plane, low: float, high: float, step: str) -> Lump:
    start, end = plane.offset(low), plane.offset(high)
    rings = [_walls(loop, start, end, high - low, step) for loop in patch.loops]
    bottom = tuple(Loop(tuple(Coedge(w.below, not w.forward) for w in reversed(ring))) for ring in rings)
    top = tuple(Loop(tuple(Coedge(w.above, w.forward) for w in ring)) for ring in rings)
    caps = [
        Face(PlaneSurface(start), False, bottom, (FaceName(step, "start"),)),
        Face(PlaneSurface(end), True, top, (FaceName(step, "end"),)),
    ]
    return Lump(Shell((*caps, *(wall.face for ring in rings for wall in ring))))


def _walls(loop: PlaneLoop, start: Plane, end: Plane, height: float, step: str) -> list[_Wall]:
    if len(loop.pieces) == 1 and loop.pieces[0].is_closed:
        return [_tube(loop.pieces[0], start, end, step)]
    corners = [piece.start for piece in loop.pieces]
    uprights = [_upright(start, end, corner, height) for corner in corners]
    walls = []
    for i, piece in enumerate(loop.pieces):
        before, after = uprights[i], uprights[(i + 1) % len(uprights)]
        walls.append(_wall(piece, start, end, before, after, step))
    return walls


def _upright(start: Plane, end: Plane, corner: Vec2, height: float) -> Edge:
    below, above = Vertex(start.point(*corner)), Vertex(end.point(*corner))
    return Edge(Line(below.point, start.normal), 0.0, height, below, above)


def _wall(piece: Piece, start: Plane, end: Plane, before: Edge, after: Edge, step: str) -> _Wall:
    """The face over an open piece; seen from outside, material is on the left of the piece."""
    below, forward = _edge(piece, start, before.start, after.start)
    above, _ = _edge(piece, end, before.end, after.end)
    ring = Loop(
        (
            Coedge(below, forward),
            Coedge(after, True),
            Coedge(above, not forward),
            Coedge(before, False),
        )
    )
    name = side_names(step, piece.name)
    if isinstance(piece, LinePiece):
        return _Wall(Face(_flat(piece, start), True, (ring,), name), below, above, forward)
    surface, outward = _curved(piece, start)
    return _Wall(Face(surface, outward, (ring,), name), below, above, forward)


def _curved(piece: ArcPiece | CurvePiece, plane: Plane) -> tuple[Surface, bool]:
    """The surface over a curved piece that starts in `plane`, and whether its normal points out."""
    if isinstance(piece, ArcPiece):
        return CylinderSurface(plane.moved_to(plane.point(*piece.center)), piece.radius), piece.sweep > 0
    return ExtrudedSurface(piece.curve.lifted(plane), plane), piece.b > piece.a


def _flat(piece: LinePiece, plane: Plane) -> PlaneSurface:
    """The plane over a straight piece, its normal on the right of the piece."""
    dx, dy = piece.end[0] - piece.start[0], piece.end[1] - piece.start[1]
    length = math.hypot(dx, dy)
    base = Plane((0, 0, 0), plane.normal, plane.x)
    normal = base.point(dy / length, -dx / length)
    return PlaneSurface(Plane(plane.point(*piece.start), normal, base.point(dx / length, dy / length)))


def _edge(piece: Piece, plane: Plane, first: Vertex | None, last: Vertex | None) -> tuple[Edge, bool]:
    """The edge of a piece in `plane`, and whether the piece runs along it."""
    assert first is not None and last is not None
    if isinstance(piece, LinePiece):
        length = distance(first.point, last.point)
        direction = unit(sub(last.point, first.point))
        return Edge(Line(first.point, direction), 0.0, length, first, last), True
    if isinstance(piece, CurvePiece):
        curve = piece.curve.lifted(plane)
        if piece.b > piece.a:
            return Edge(curve, piece.a, piece.b, first, last), True
        return Edge(curve, piece.b, piece.a, last, first), False
    circle = Circle(plane.moved_to(plane.point(*piece.center)), piece.radius)
    if piece.sweep > 0:
        return Edge(circle, piece.angle, piece.angle + piece.sweep, first, last), True
    return Edge(circle, piece.angle + piece.sweep, piece.angle, last, first), False


def _tube(piece: Piece, start: Plane, end: Plane, step: str) -> _Wall:
    """The face over a whole closed curve: two loops of one closed edge each, no seam."""
    assert not isinstance(piece, LinePiece)
    below, above = (_ring(piece, plane) for plane in (start, end))
    surface, forward = _curved(piece, start)
    loops = (Loop((Coedge(below, forward),)), Loop((Coedge(above, not forward),)))
    face = Face(surface, forward, loops, side_names(step, piece.name))
    return _Wall(face, below, above, forward)


def _ring(piece: ArcPiece | CurvePiece, plane: Plane) -> Edge:
    if isinstance(piece, ArcPiece):
        circle = Circle(plane.moved_to(plane.point(*piece.center)), piece.radius)
        return Edge(circle, 0.0, math.tau, None, None)
    return Edge(piece.curve.lifted(plane), piece.low, piece.high, None, None)
