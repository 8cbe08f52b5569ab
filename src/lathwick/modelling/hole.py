"""Holes: plain, counterbored or countersunk, at points of a flat face or of a cylinder."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import replace
from numbers import Real
from typing import Any, Final

from ..errors import ModellingError, naming_its_step
from ..geometry.motion import brought_from
from ..geometry.placement import Plane, rotated
from ..geometry.surfaces import CylinderSurface
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec2, along, dot, negated, scaled
from ..topology.body import Body, BodyFace
from ..topology.brep import Lump, Shell
from ..topology.names import FaceName
from ..topology.selection import Selection, single
from .boolean.operations import combined
from .combine import Warn, cut, reach_along, separate, silent, union
from .flat_faces import plane_of_face
from .primitives import cone, cylinder, size
from .through import THROUGH, Depth, Through
from .transform import transformed

AXIS: Final = "axis"
INNER: Final = "first inner face"
FAR: Final = "far wall"


@naming_its_step
def hole(
    body: Body,
    on: BodyFace | Selection[BodyFace],
    at: Iterable[float] | Iterable[Iterable[float]],
    diameter: float,
    depth: Depth = THROUGH,
    *,
    counterbore: tuple[float, float] | None = None,
    countersink: tuple[float, float] | None = None,
    step: str = "",
    warn: Warn = silent,
) -> Body:
    """Drill a face at one point or several.

    on : a planar face, or a selection of one; `at` are points (x, y) of its plane (see
        `plane_of_face`). Or a cylindrical face; `at` are (height along its axis from the foot of the
        origin, angle in degrees from the axis frame's x), and the hole goes straight in.
    depth : from the face to the flat bottom; THROUGH; "first inner face": through the wall that it meets
        first, into the space behind; "far wall": through all but the last wall (a solid body has only
        one, which is drilled through); on a cylinder also "axis", a flat bottom there.
    counterbore : (diameter, depth). countersink : (diameter at the face, full angle in degrees).
    Faces: `side`, `bottom`, `counterbore`, `seat`, `countersink`. Raises ModellingError.
    """
    on = single(on)
    if not isinstance(on, BodyFace):
        raise ModellingError(f"a hole is drilled into one face of a body, got {on!r}")
    wide = size(diameter, "diameter")
    spots = _points(at)
    tools = [
        _tool(body, _entry(on, spot), _radius_of(on), wide, depth, counterbore, countersink, step)
        for spot in spots
    ]
    return cut(body, *tools, warn=warn)


def _points(at: Iterable[float] | Iterable[Iterable[float]]) -> list[Vec2]:
    found: list[Any] = list(at)
    if len(found) == 2 and all(isinstance(c, Real) for c in found):
        found = [tuple(found)]
    points = []
    for spot in found:
        try:
            x, y = (float(c) for c in spot)
        except (TypeError, ValueError):
            raise ModellingError(f"a hole is placed at points (x, y), got {spot!r}") from None
        if not (math.isfinite(x) and math.isfinite(y)):
            raise ModellingError(f"a hole is placed at finite points, got ({x}, {y})")
        points.append((x, y))
    if not points:
        raise ModellingError("a hole needs one point at least")
    return points


def _radius_of(face: BodyFace) -> float | None:
    surface = face.brep.surface
    return surface.radius if isinstance(surface, CylinderSurface) else None


def axis_frame(face: BodyFace) -> Plane:
    """The frame of a cylindrical face: origin at the foot of (0, 0, 0) on its axis, the normal along the
    axis (towards +Z, else +Y, else +X), x as for a plane with that normal."""
    meridian = face.brep.surface.meridian
    if meridian is None or meridian.axis is None:
        raise ModellingError(f"a {face.kind} face has no axis")
    origin, normal = meridian.origin, meridian.axis
    if next(c for c in reversed(normal) if abs(c) > 1e-9) < 0:
        normal = negated(normal)
    off = dot(scaled(origin, -1.0), normal)
    return Plane(along(origin, normal, off), normal)


def _entry(face: BodyFace, spot: Vec2) -> Plane:
    """A plane at the mouth of the hole whose normal points into the body."""
    if face.kind == "plane":
        plane = plane_of_face(face.brep)
        return Plane(plane.point(*spot), negated(plane.normal), plane.x)
    radius = _radius_of(face)
    if radius is None:
        raise ModellingError(f"a hole is drilled into a plane or a cylinder, not into a {face.kind}")
    frame = axis_frame(face)
    out = rotated(frame.x, frame.normal, math.radians(spot[1]))
    middle = along(frame.origin, frame.normal, spot[0])
    sense = 1.0 if face.brep.outward else -1.0
    return Plane(along(middle, out, radius), scaled(out, -sense), frame.normal)


def _tool(
    body: Body,
    entry: Plane,
    radius: float | None,
    diameter: float,
    depth: Depth,
    counterbore: tuple[float, float] | None,
    countersink: tuple[float, float] | None,
    step: str,
) -> Body:
    widest = max([diameter, *(d[0] for d in (counterbore, countersink) if d)])
    lift = 0.0 if radius is None else widest  # a cylinder falls away from the plane at the mouth
    start = entry.offset(-lift)
    unit = body.unit
    if depth in (INNER, FAR):
        drill = cylinder(0.5 * diameter, reach_along(body, entry)[1] + lift, on=start, unit=unit)
        deep = _behind_walls(body, drill, entry, str(depth))
    else:
        deep = _depth(body, entry, depth, radius)
    parts = [_named(cylinder(0.5 * diameter, deep + lift, on=start, unit=unit, step=step), "bottom", step)]
    if counterbore is not None:
        wide, seat = size(counterbore[0], "counterbore diameter"), size(counterbore[1], "counterbore depth")
        _wider(wide, diameter, "counterbore")
        sunk = cylinder(0.5 * wide, seat + lift, on=start, unit=unit, step=step)
        parts.append(_named(sunk, "seat", step, "counterbore"))
    if countersink is not None:
        wide, angle = size(countersink[0], "countersink diameter"), float(countersink[1])
        _wider(wide, diameter, "countersink")
        if not 1.0 < angle < 179.0:
            raise ModellingError(f"a countersink angle must be between 1 and 179 degrees, got {angle:g}")
        slope = math.tan(math.radians(0.5 * angle))
        tall = 0.5 * (wide - diameter) / slope
        top = 0.5 * wide + lift * slope
        sunk = cone(top, 0.5 * diameter, tall + lift, on=start, unit=unit, step=step)
        parts.append(_named(sunk, "seat", step, "countersink"))
    return union(*parts)


def _wider(wide: float, diameter: float, what: str) -> None:
    if not wide > diameter + 2.0 * RESOLUTION:
        raise ModellingError(f"the {what} diameter {wide:g} must be more than that of the hole, {diameter:g}")


def _depth(body: Body, entry: Plane, depth: Depth, radius: float | None) -> float:
    if isinstance(depth, Through):
        return reach_along(body, entry)[1]
    if depth == AXIS:
        if radius is None:
            raise ModellingError('a depth of "axis" needs a hole on a cylinder')
        return radius
    if isinstance(depth, str):
        raise ModellingError(f'a depth is a number, THROUGH, "{INNER}", "{FAR}" or "axis", got "{depth}"')
    return size(depth, "depth")


def _behind_walls(body: Body, drill: Body, entry: Plane, depth: str) -> float:
    """How deep a drill goes to end in the open: behind the first wall, or before the last."""
    removed = combined(body, drill, "intersect")
    if removed is None:
        raise ModellingError("the hole does not meet the body")
    spans = _walls(_span_along(lump, entry) for lump in separate(removed))
    if depth == INNER and len(spans) < 2:
        raise ModellingError("there is no inner face: the hole would come out at the far side; use THROUGH")
    number = 1 if depth == INNER else max(1, len(spans) - 1)
    behind = spans[number - 1][1]
    if number == len(spans):
        return behind + (behind - spans[0][0])
    return 0.5 * (behind + spans[number][0])


def _walls(spans: Iterable[tuple[float, float]]) -> list[tuple[float, float]]:
    """The least and largest depths of walls, in order. Pieces whose depths overlap, as of a wall that a slot
    divides under the drill, are one wall: between them a drill cannot end in the open."""
    walls: list[tuple[float, float]] = []
    for low, high in sorted(spans):
        if walls and low <= walls[-1][1] + 2.0 * RESOLUTION:
            walls[-1] = (walls[-1][0], max(walls[-1][1], high))
        else:
            walls.append((low, high))
    return walls


def _span_along(body: Body, entry: Plane) -> tuple[float, float]:
    low, high = transformed(body, brought_from(entry)).bounds
    return low[2], high[2]


def _named(tool: Body, floor: str, step: str, wall: str = "side") -> Body:
    """A tool whose far end and wall have the names of the hole."""
    roles = {"top": floor, "bottom": "mouth", "side": wall}
    faces = tuple(
        replace(face, names=tuple(FaceName(step, roles[n.role]) for n in face.names))
        for face in tool.brep_faces
    )
    return Body((Lump(Shell(faces)),), tool.unit)
