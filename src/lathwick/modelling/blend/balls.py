"""A vertex all of whose edges are blended: a ball, or a plane, in the corner."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ...geometry.placement import Plane
from ...geometry.round_surfaces import SphereSurface
from ...geometry.surfaces import PlaneSurface, Surface
from ...geometry.tolerance import RESOLUTION
from ...geometry.vector import Vec3, cross, distance, sub, unit
from ...topology.brep import Coedge, Face, Loop, Vertex
from .fans import Surroundings, UnknownCornerError, Wedge, reversed_path
from .strips import Strip, arc_between, line_between, way_out


def close(around: Surroundings, vertex: Vertex, fan: list[Wedge]) -> None:
    """Three or more blended edges and nothing else: a ball, or a plane, in the corner."""
    strips = [around.strip(wedge.entry) for wedge in fan]
    if len({strip.convex for strip, _ in strips}) > 1:
        raise UnknownCornerError(around, vertex, fan)
    feet = _ball(around, vertex, fan, strips) if strips[0][0].spine is not None else None
    if feet is None:
        feet = _bevel_feet(around, vertex, fan)
    center, points = feet
    border: list[Coedge] = []
    for k, wedge in enumerate(fan):
        p, q = points[k - 1], points[k]
        path = [arc_between(center, p, q) if center is not None else line_between(p, q)]
        around.changes.caps[wedge.entry] = path
        around.set_contact(wedge.entry, fan[k - 1].face, p)
        around.set_contact(wedge.entry, wedge.face, q)
        border += path
    outer = reversed_path(border)
    face = _corner_face(around, center, strips[0][0], points, outer)
    around.changes.corners.append((face, fan[0].face))


def _corner_face(
    around: Surroundings, center: Vec3 | None, strip: Strip, points: list[Vertex], border: list[Coedge]
) -> Face:
    loops = (Loop(tuple(border)),)
    if center is not None:
        surface: Surface = SphereSurface(Plane(center, (0.0, 0.0, 1.0)), strip.size)
        return Face(surface, strip.outward, loops, around.names)
    p, q, r = (v.point for v in points[:3])
    normal = unit(cross(sub(q, p), sub(r, p)))
    return Face(PlaneSurface(Plane(p, normal)), False, loops, around.names)


def _ball(
    around: Surroundings, vertex: Vertex, fan: list[Wedge], strips: list[tuple[Strip, float]]
) -> tuple[Vec3 | None, list[Vertex]]:
    """The center of a ball that touches all faces, and where it touches each."""
    radius = strips[0][0].size
    d = -radius if strips[0][0].convex else radius
    center = _equidistant([w.face for w in fan], d, vertex.point)
    if center is None:
        raise UnknownCornerError(around, vertex, fan)
    feet = []
    for k, wedge in enumerate(fan):
        n = wedge.face.outward_normal(center)
        foot = (center[0] - d * n[0], center[1] - d * n[1], center[2] - d * n[2])
        for end in (wedge.entry, fan[(k + 1) % len(fan)].entry):
            contact = around.strips[end[0]].contact(wedge.face)
            if distance(contact.point(contact.parameter(foot)), foot) > RESOLUTION:
                raise UnknownCornerError(around, vertex, fan)
        feet.append(Vertex(foot))
    return center, feet


def _bevel_feet(around: Surroundings, vertex: Vertex, fan: list[Wedge]) -> tuple[Vec3 | None, list[Vertex]]:
    """Where the contacts of bevels cross on each face; three of them span the corner's plane."""
    if len(fan) != 3:
        raise UnknownCornerError(around, vertex, fan)
    feet = []
    for k, wedge in enumerate(fan):
        feet.append(around.contacts_meet(wedge.entry, fan[(k + 1) % 3].entry, wedge.face)[0])
    return None, feet


def _equidistant(faces: Sequence[Face], d: float, start: Vec3) -> Vec3 | None:
    """The point near `start` at the signed distance d outside of all faces, by Newton's method."""
    p = np.array(start)
    for _ in range(50):
        place = (float(p[0]), float(p[1]), float(p[2]))
        gaps = np.array([way_out(face) * face.surface.gap(place) - d for face in faces])
        normals = np.array([face.outward_normal(place) for face in faces])
        step = np.linalg.lstsq(normals, -gaps, rcond=None)[0]
        p = p + step
        if np.abs(step).max() <= 1e-15 * (1.0 + np.abs(p).max()):
            break
    place = (float(p[0]), float(p[1]), float(p[2]))
    off = max(abs(way_out(face) * face.surface.gap(place) - d) for face in faces)
    return place if off <= 1e-3 * RESOLUTION else None
