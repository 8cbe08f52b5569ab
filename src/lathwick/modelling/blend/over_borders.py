"""Strips of closed edges that reach over the border of the plane face beside them.

The ball goes on touching the plane beyond the border, where the side of the body there cuts the strip off: a
foot ends where the wall goes on upwards, a rim where it is cut away. What the strip fills or takes off is
made as a body of its own, kept to the face, and united with the body or cut from it.
"""

from __future__ import annotations

from collections.abc import Container, Mapping
from dataclasses import replace

import numpy as np
import shapely

from ...errors import ModellingError
from ...geometry.contacts import SAME
from ...geometry.intersections import intersection
from ...geometry.placement import FloatArray
from ...topology.body import Body, renamed
from ...topology.brep import Coedge, Edge, Face, Loop, Lump, Shell
from ...topology.names import FaceName
from ...topology.trim import INSIDE, region_of
from ..boolean.operations import combined
from ..extrude import extrude
from ..flat_faces import region_of_face
from ..refitting.crossing_loops import area_of, rings_of
from ..refitting.errors import FitError, TooLargeError
from ..refitting.sides import sides_of, turn_at
from .passes import Blend, all_passes
from .strips import Strip

BORDER = ":border"
"""The step that makes the prism over a face; no step of a user is called so."""

ALONG = 24
ROOM = 1.05
ALIKE = 1e-9
"""Volumes may differ by this share of what is filled or taken off."""


def over_borders(body: Body, sizes: Mapping[Edge, float], blend: Blend) -> Body:
    """All other edges by passes, then closed ones whose strips leave their face. Raises ModellingError where
    there are none, or where a strip runs into more than a border."""
    over = _leaving(body, {edge: size for edge, size in sizes.items() if edge.is_closed}, blend)
    if not over:
        raise ModellingError("no strip reaches over a border")
    rest = {edge: size for edge, size in sizes.items() if edge not in over}
    made = all_passes(body, rest, blend) if rest else body
    for edge in over:
        if edge not in made.faces_of_edge:
            raise ModellingError("an edge whose strip reaches over a border has changed")
        made = _with_ring(made, edge, sizes[edge], blend)
    return made


def _leaving(body: Body, sizes: Mapping[Edge, float], blend: Blend) -> list[Edge]:
    """The closed edges beside a plane face that the contacts of their strips leave, seen as polygons."""
    rows: dict[Face, list[tuple[Edge, FloatArray]]] = {}
    for edge, size in sizes.items():
        faces = sides_of(body.faces_of_edge[edge])
        flat = next((face for face in faces if face.surface.plane is not None), None)
        strip = None if flat is None else blend.make(edge, faces, size)
        if flat is not None and strip is not None:
            places = strip.contact(flat).points(np.linspace(*strip.span, ALONG, endpoint=False))
            rows.setdefault(flat, []).append((edge, places))
    found = []
    for flat, row in rows.items():
        area, _ = area_of(rings_of(flat))
        shapely.prepare(area)
        rings = [shapely.LinearRing(flat.surface.parameters(places)) for _, places in row]
        within = shapely.covers(area, rings)
        found += [edge for (edge, _), inside in zip(row, within.tolist(), strict=True) if not inside]
    return found


def _with_ring(body: Body, edge: Edge, size: float, blend: Blend) -> Body:
    faces = sides_of(body.faces_of_edge[edge])
    flat = next((face for face in faces if face.surface.plane is not None), None)
    strip = None if flat is None else blend.make(edge, faces, size)
    if flat is None or strip is None:
        raise FitError("a strip reaches over the border of a face that is not plane")
    wall = faces[1 if faces[0] is flat else 0]
    contact = strip.contact(wall)
    places = contact.points(np.linspace(*strip.span, ALONG, endpoint=False))
    if (region_of(wall).states(places) != INSIDE).any():
        raise TooLargeError("the strip would reach beyond a face", wall)
    loops = _around(flat, edge)
    filled = _within(wedge_of(strip, blend.strip_name), replace(flat, loops=loops), body.unit)
    _refuse_leaning_sides(filled, body, flat)
    uses = [coedge.edge for loop in loops for coedge in loop.coedges]
    rising = {f"edge{k}" for k, one in enumerate(uses, 1) if one is not edge and not _is_outer(one, body)}
    filled = _nameless(filled, rising)
    made = combined(body, filled, "cut" if strip.convex else "union")
    change = -filled.volume if strip.convex else filled.volume
    if (
        made is None
        or abs(made.volume - body.volume - change) > ALIKE * filled.volume
        or any(name.step == BORDER for face in made.brep_faces for name in face.names)
    ):
        raise TooLargeError("the strip would run into other faces", flat)
    return made


def _around(flat: Face, edge: Edge) -> tuple[Loop, ...]:
    """The loops of a plane face but one of the edge, if that bounds a hole in it."""
    return tuple(
        loop for loop in flat.loops if loop in flat.outlines or all(c.edge is not edge for c in loop.coedges)
    )


def _is_outer(edge: Edge, body: Body) -> bool:
    """Whether a body falls off behind an edge."""
    return turn_at(edge, sides_of(body.faces_of_edge[edge]), 0.5 * (edge.t0 + edge.t1)) > 0.0


def wedge_of(strip: Strip, name: FaceName, unit: str = "mm") -> Body:
    """What the strip of a closed edge fills or takes off, between it and its two faces."""
    rings = [Edge(curve, *strip.span, None, None) for curve in strip.contacts]
    along, sides = strip.convex, []
    for face, ring, way in zip(strip.faces, rings, (along, not along), strict=True):
        loops = (Loop((Coedge(strip.edge, way),)), Loop((Coedge(ring, not way),)))
        sides.append(Face(face.surface, face.outward is strip.convex, loops))
    loops = (Loop((Coedge(rings[0], along),)), Loop((Coedge(rings[1], not along),)))
    over = Face(strip.surface, strip.outward is not strip.convex, loops, (name,))
    return Body.made([Lump(Shell((over, *sides)))], unit)


def _within(wedge: Body, flat: Face, unit: str) -> Body:
    """The part of a wedge over a plane face, or under it."""
    region = region_of_face(flat, unit)
    low, high = np.array(wedge.bounds)
    height = ROOM * float(np.abs(high - low).sum())
    prism = extrude(region, 2.0 * height, both=True, step=BORDER)
    kept = combined(Body(wedge.pieces, unit), prism, "intersect")
    if kept is None:
        raise TooLargeError("nothing of the strip is over the face", flat)
    return kept


def _nameless(filled: Body, kept: Container[str]) -> Body:
    """Without the names of the prism's faces, which go on in those of the body, but for some items: there
    walls rise, and must cover them."""

    def names(face: Face) -> tuple[FaceName, ...]:
        return tuple(name for name in face.names if name.step != BORDER or name.item in kept)

    return renamed(filled, names)


def _refuse_leaning_sides(filled: Body, body: Body, flat: Face) -> None:
    """Raise TooLargeError where a strip is cut off, but not by a side of the body."""
    for face in filled.brep_faces:
        if any(name.step == BORDER and name.role == "side" for name in face.names) and not any(
            other.surface.kind == face.surface.kind and intersection(other.surface, face.surface) is SAME
            for other in body.brep_faces
        ):
            raise TooLargeError("a side beside it leans, and would not cut the strip off", flat)
