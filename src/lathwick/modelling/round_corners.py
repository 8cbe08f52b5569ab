"""Round corners of a swept path: what lies outside of a corner turns about it."""

from __future__ import annotations

import math
from collections.abc import Sequence

from ..errors import ModellingError, SketchError
from ..geometry.placement import Axis
from ..geometry.vector import Vec2, Vec3, cross, dot, unit
from ..sketch.region import Region
from ..sketch.sketch import Sketch
from ..topology.body import Body
from .revolve import revolve

ACROSS = 1e-9


def turned_outside(regions: Sequence[Region], corner: Vec3, ways: tuple[Vec3, Vec3], step: str) -> list[Body]:
    """What the parts of regions, placed at a corner across the way before it, that lie outside of it sweep as
    they turn into the way after it."""
    before, after = ways
    axis = unit(cross(before, after))
    angle = math.degrees(math.atan2(abs(dot(cross(before, after), axis)), dot(before, after)))
    outward = cross(before, axis)
    made = []
    for region in regions:
        if abs(dot(region.plane.normal, before)) < 1.0 - ACROSS:
            x, y, z = corner
            raise ModellingError(
                f"at the round corner ({x:.6g}, {y:.6g}, {z:.6g}) the profile does not stand across the path"
            )
        half = _outside(region, corner, outward)
        if half is not None:
            made.append(revolve(half, Axis(corner, axis), angle, step=step))
    return made


def _outside(region: Region, corner: Vec3, outward: Vec3) -> Region | None:
    """The part of a region on the outer side of the line through a corner."""
    plane = region.plane
    u, v, _ = plane.local(corner)
    out = (dot(outward, plane.x), dot(outward, plane.y))
    boxes = [piece.box for piece in region.pieces]
    reach = 2.0 * max(
        math.hypot(x - u, y - v) for a, b, c, d in boxes for x, y in ((a, b), (c, d), (a, d), (c, b))
    )
    sketch = Sketch(plane, unit=region.unit)
    side = (-out[1], out[0])

    def place(s: float, t: float) -> Vec2:
        return u + s * side[0] + t * out[0], v + s * side[1] + t * out[1]

    sketch.polyline(
        [place(-reach, 0.0), place(reach, 0.0), place(reach, reach), place(-reach, reach)], close=True
    )
    try:
        return region & sketch.regions()[0]
    except SketchError:  # nothing lies outside
        return None
