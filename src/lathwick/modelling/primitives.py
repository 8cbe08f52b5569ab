"""Simple solids in a plane's frame: box, cylinder, cone, sphere, torus, wedge."""

from __future__ import annotations

import math
from collections.abc import Sequence

from ..errors import ModellingError, naming_its_step
from ..geometry.curves import Circle, Line
from ..geometry.placement import XY, Plane
from ..geometry.round_surfaces import ConeSurface, SphereSurface, TorusSurface
from ..geometry.surface import Surface
from ..geometry.surfaces import CylinderSurface, PlaneSurface
from ..geometry.tolerance import LARGEST, RESOLUTION
from ..geometry.vector import Vec3, cross, distance, negated, sub, unit
from ..topology.body import Body
from ..topology.brep import Coedge, Edge, Face, Loop, Lump, Shell, Vertex
from ..topology.names import FaceName
from .references import PlaneLike, plane_of

STANDS = "a body stands on"

BOX_FACES = (
    ("bottom", "", (0, 3, 2, 1)),
    ("top", "", (4, 5, 6, 7)),
    ("side", "front", (0, 1, 5, 4)),
    ("side", "right", (1, 2, 6, 5)),
    ("side", "back", (2, 3, 7, 6)),
    ("side", "left", (3, 0, 4, 7)),
)
"""Role, item and corners of the faces of a box; corners 0 to 3 run round the bottom, 4 to 7 above them."""


@naming_its_step
def box(
    dx: float,
    dy: float,
    dz: float,
    *,
    on: PlaneLike = XY,
    center: bool = False,
    unit: str = "mm",
    step: str = "",
) -> Body:
    """A box with its corner at the origin of `on`, or centered on it in all three directions.

    Faces: `bottom`, `top`, and `side:front right back left` (towards -y, +x, +y, -x). Raises
    ModellingError for a size that is not above the resolution.
    """
    return wedge(dx, dy, dz, dx, on=on, center=center, unit=unit, step=step)


@naming_its_step
def wedge(
    dx: float,
    dy: float,
    dz: float,
    top_dx: float,
    *,
    on: PlaneLike = XY,
    center: bool = False,
    unit: str = "mm",
    step: str = "",
) -> Body:
    """A box whose length along x shrinks or grows to `top_dx` at the top, its left side upright.

    With `top_dx` 0 it ends in an edge at the top. Faces as for `box`.
    """
    x, y, z = (size(value, name) for value, name in ((dx, "dx"), (dy, "dy"), (dz, "dz")))
    top = 0.0 if top_dx == 0 else size(top_dx, "top_dx")
    plane = plane_of(on, STANDS)
    low = (-0.5 * x, -0.5 * y, -0.5 * z) if center else (0.0, 0.0, 0.0)
    spots = [(0, 0, 0), (x, 0, 0), (x, y, 0), (0, y, 0), (0, 0, z), (top, 0, z), (top, y, z), (0, y, z)]
    corners = [plane.point(low[0] + a, low[1] + b, low[2] + c) for a, b, c in spots]
    faces = [(role, item, corners_of) for role, item, corners_of in BOX_FACES if top or role != "top"]
    return Body.made([Lump(Shell(polyhedron(corners, faces, step)))], unit)


def polyhedron(
    corners: Sequence[Vec3], faces: Sequence[tuple[str, str, Sequence[int]]], step: str
) -> tuple[Face, ...]:
    """Flat faces through numbered corners, counter-clockwise seen from outside; equal corners are one."""
    first = {i: next(k for k, q in enumerate(corners) if distance(p, q) <= RESOLUTION)
             for i, p in enumerate(corners)}  # fmt: skip
    vertices = {k: Vertex(corners[k]) for k in first.values()}
    edges: dict[tuple[int, int], Edge] = {}
    made = []
    for role, item, numbers in faces:
        ring = list(dict.fromkeys(first[i] for i in numbers))
        coedges = []
        for a, b in zip(ring, [*ring[1:], ring[0]], strict=True):
            key = (min(a, b), max(a, b))
            if key not in edges:
                edges[key] = straight(vertices[key[0]], vertices[key[1]])
            coedges.append(Coedge(edges[key], a == key[0]))
        p, q, r = (corners[i] for i in ring[:3])
        along = unit(sub(q, p))
        frame = Plane(p, cross(along, sub(r, q)), along)
        made.append(Face(PlaneSurface(frame), True, (Loop(tuple(coedges)),), (FaceName(step, role, item),)))
    return tuple(made)


def straight(start: Vertex, end: Vertex) -> Edge:
    """The straight edge between two vertices."""
    length = distance(start.point, end.point)
    return Edge(Line(start.point, unit(sub(end.point, start.point))), 0.0, length, start, end)


@naming_its_step
def cylinder(radius: float, height: float, *, on: PlaneLike = XY, unit: str = "mm", step: str = "") -> Body:
    """A cylinder that stands on `on`, its axis through the origin. Faces: `bottom`, `top`, `side`."""
    return cone(radius, radius, height, on=on, unit=unit, step=step)


@naming_its_step
def cone(
    radius1: float, radius2: float, height: float, *, on: PlaneLike = XY, unit: str = "mm", step: str = ""
) -> Body:
    """A truncated cone that stands on `on`: `radius1` at the bottom, `radius2` at the top; one of them
    may be 0. Faces: `bottom`, `top` (none at a tip), `side`."""
    tall = size(height, "height")
    r1, r2 = (0.0 if r == 0 else size(r, n) for r, n in ((radius1, "radius1"), (radius2, "radius2")))
    if max(r1, r2) == 0:
        raise ModellingError("a cone needs a radius at one end at least")
    below = plane_of(on, STANDS)
    above = below.offset(tall)
    loops, faces = [], []
    for plane, radius, outward, role in ((below, r1, False, "bottom"), (above, r2, True, "top")):
        if radius:
            rim = Edge(Circle(plane, radius), 0.0, math.tau, None, None)
            faces.append(
                Face(PlaneSurface(plane), outward, (Loop((Coedge(rim, outward),)),), (FaceName(step, role),))
            )
            loops.append(Loop((Coedge(rim, not outward),)))
    wall = Face(_wall(below, r1, r2, tall), True, tuple(loops), (FaceName(step, "side"),))
    return Body.built([Lump(Shell((*faces, wall)))], unit)


def _wall(on: Plane, r1: float, r2: float, height: float) -> Surface:
    if abs(r1 - r2) <= RESOLUTION:
        if r1 != r2:
            raise ModellingError(
                f"radii {r1:g} and {r2:g} differ by less than {RESOLUTION:g}; use a cylinder"
            )
        return CylinderSurface(on, r1)
    rise = height / abs(r1 - r2)
    if rise * max(r1, r2) > LARGEST:
        raise ModellingError(f"the cone from radius {r1:g} to {r2:g} is too slender: its tip is out of reach")
    half_angle = math.atan2(abs(r1 - r2), height)
    if r1 < r2:
        return ConeSurface(on.offset(-r1 * rise), half_angle)
    tip = on.offset(r1 * rise)
    return ConeSurface(Plane(tip.origin, negated(on.normal), on.x), half_angle)


@naming_its_step
def sphere(radius: float, *, on: PlaneLike = XY, unit: str = "mm", step: str = "") -> Body:
    """A sphere about the origin of `on`. One face, `side`, without edges."""
    surface = SphereSurface(plane_of(on, STANDS), size(radius, "radius"))
    return Body.built([Lump(Shell((Face(surface, True, (), (FaceName(step, "side"),)),)))], unit)


@naming_its_step
def torus(major: float, minor: float, *, on: PlaneLike = XY, unit: str = "mm", step: str = "") -> Body:
    """A ring about the normal of `on`: the middle of its tube has radius `major`, the tube `minor`.

    One face, `side`, without edges. Raises ModellingError unless `major` is larger than `minor`.
    """
    big, small = size(major, "major"), size(minor, "minor")
    if not big > small + RESOLUTION:
        raise ModellingError(f"a torus needs a major radius above the minor {small:g}, got {big:g}")
    surface = TorusSurface(plane_of(on, STANDS), big, small)
    return Body.built([Lump(Shell((Face(surface, True, (), (FaceName(step, "side"),)),)))], unit)


def number(value: float, name: str) -> float:
    """A finite float. Raises ModellingError naming it."""
    try:
        found = float(value)
    except (TypeError, ValueError):
        raise ModellingError(f"{name} needs a number, got {value!r}") from None
    if not math.isfinite(found):
        raise ModellingError(f"{name} needs a finite number, got {value!r}")
    return found


def size(value: float, name: str) -> float:
    """A finite float above the resolution. Raises ModellingError naming it."""
    try:
        number = float(value)
    except (TypeError, ValueError):
        raise ModellingError(f"{name} needs a number, got {value!r}") from None
    if not (math.isfinite(number) and RESOLUTION < number <= LARGEST):
        raise ModellingError(f"{name} must lie between {RESOLUTION:g} and {LARGEST:g}, got {number:g}")
    return number
