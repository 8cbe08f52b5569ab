"""Straight edges beside walls over any profile: what is taken off is the same all along."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...geometry.curves import Line
from ...geometry.placement import FloatArray, Plane
from ...geometry.surface import Surface
from ...geometry.surfaces import CylinderSurface, ExtrudedSurface, PlaneSurface
from ...geometry.vector import Vec3, add, cross, dot, norm, scaled, sub, unit
from ...topology.brep import Edge, Face
from ..refitting.errors import TooLargeError
from ..refitting.sides import turn_at
from .bevels import Setbacks, feet_across
from .profiles import PARALLEL
from .rolling import centers_across
from .strips import Strip


class _Middle(NamedTuple):
    """The point half way along an edge and its direction, as vectors and as arrays of one."""

    point: Vec3
    way: Vec3
    points: FloatArray
    ways: FloatArray


def prism_round(edge: Edge, faces: tuple[Face, Face], radius: float) -> Strip | None:
    """A cylinder; None for other edges. Raises TooLargeError where no ball of that radius touches both
    faces."""
    line = edge.curve
    if not isinstance(line, Line) or not _along(line, faces):
        return None
    middle = _middle(edge, line)
    convex = turn_at(edge, faces, 0.5 * (edge.t0 + edge.t1)) > 0.0
    centers, feet = centers_across(middle.points, middle.ways, faces, -radius if convex else radius)
    center, places = _vector(centers[0]), [_vector(foot[0]) for foot in feet]
    for face, place, side in zip(faces, places, (1.0, -1.0), strict=True):
        inward = cross(face.outward_normal(middle.point), scaled(middle.way, side))
        if dot(sub(place, middle.point), inward) <= 0.0:
            raise TooLargeError("no ball of that radius touches both faces", face)
    surface = CylinderSurface(Plane(center, line.direction), radius)
    spine, one, two = (_moved(line, sub(p, middle.point)) for p in (center, *places))
    return Strip(edge, faces, convex, radius, surface, convex, (one, two), spine, (edge.t0, edge.t1))


def prism_bevel(edge: Edge, faces: tuple[Face, Face], setbacks: Setbacks) -> Strip | None:
    """A plane; None for other edges. Raises TooLargeError where a face does not reach so far."""
    line = edge.curve
    if not isinstance(line, Line) or not _along(line, faces):
        return None
    middle, half = _middle(edge, line), 0.5 * (edge.t0 + edge.t1)
    turn = turn_at(edge, faces, half)
    places = [_vector(foot[0]) for foot in feet_across(middle.points, middle.ways, faces, setbacks)]
    side = unit(sub(places[1], places[0]))
    normal = cross(side, line.direction)
    out = add(*(face.outward_normal(middle.point) for face in faces))
    surface = PlaneSurface(Plane(places[0], normal, side))
    contacts = (_moved(line, sub(places[0], middle.point)), _moved(line, sub(places[1], middle.point)))
    size = max(float(s[0]) for s in setbacks(np.array([turn])))
    span = (edge.t0, edge.t1)
    return Strip(edge, faces, turn > 0.0, size, surface, dot(normal, out) > 0.0, contacts, None, span)


def _along(line: Line, faces: tuple[Face, Face]) -> bool:
    """Whether both faces are the same all along a line, and one of them over a profile."""
    kinds = [_runs_along(face.surface, line.direction) for face in faces]
    return all(kinds) and any(isinstance(face.surface, ExtrudedSurface) for face in faces)


def _runs_along(surface: Surface, way: Vec3) -> bool:
    if surface.plane is not None:
        return abs(dot(surface.plane.normal, way)) <= PARALLEL
    return surface.prism_way is not None and norm(cross(surface.prism_way, way)) <= PARALLEL


def _middle(edge: Edge, line: Line) -> _Middle:
    point = edge.midpoint()
    return _Middle(point, line.direction, np.array([point]), np.array([line.direction]))


def _moved(line: Line, by: Vec3) -> Line:
    return Line(add(line.origin, by), line.direction)


def _vector(p: FloatArray) -> Vec3:
    x, y, z = p.tolist()
    return (x, y, z)
