"""A vertex all of whose edges are blended: a ball, or a plane, in the corner."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ...geometry.placement import Plane
from ...geometry.round_surfaces import SphereSurface
from ...geometry.surface import Surface
from ...geometry.surfaces import PlaneSurface
from ...geometry.tolerance import RESOLUTION
from ...geometry.vector import Vec3, cross, distance, sub, unit
from ...topology.brep import Coedge, Face, Loop, Vertex
from ..refitting.sides import way_out
from ..refitting.wedges import Wedge, reversed_path
from .joining import strip_curve
from .strips import Strip, arc_between, line_between
from .vertex_stars import Surroundings, UnknownCornerError, share_at

FLATTEST = 1e-6
"""Planes of three bevels whose normals span less are no corner."""


def close(around: Surroundings, vertex: Vertex, star: list[Wedge]) -> None:
    """Three or more blended edges and nothing else: a ball, or a plane, in the corner."""
    strips = [around.strip(wedge.entry) for wedge in star]
    if len({strip.convex for strip, _ in strips}) > 1:
        raise UnknownCornerError(around, vertex, star)
    rounds = strips[0][0].spine is not None
    if not rounds and not around.facets and all(strip.surface.plane is not None for strip, _ in strips):
        _point_of_bevels(around, vertex, star)
        return
    found = _ball(around, vertex, star, strips) if rounds else _corner_of_bevels(around, vertex, star)
    surface, outward, points, paths = found
    border: list[Coedge] = []
    for k, wedge in enumerate(star):
        p, q, path = points[k - 1], points[k], [paths[k]]
        around.changes.caps[wedge.entry] = path
        around.set_contact(wedge.entry, star[k - 1].face, p)
        around.set_contact(wedge.entry, wedge.face, q)
        border += path
    face = Face(surface, outward, (Loop(tuple(reversed_path(border))),), around.names)
    around.changes.corners.append((face, star[0].face))


Corner = tuple[Surface, bool, list[Vertex], list[Coedge]]
"""The surface of a corner and whether it looks out, its vertices, and the paths that end the strips."""


def _ball(
    around: Surroundings, vertex: Vertex, star: list[Wedge], strips: list[tuple[Strip, float]]
) -> Corner:
    """The ball that touches all faces."""
    radius = strips[0][0].size
    d = -radius if strips[0][0].convex else radius
    center = equidistant([w.face for w in star], d, vertex.point)
    if center is None:
        raise UnknownCornerError(around, vertex, star)
    feet = []
    for k, wedge in enumerate(star):
        n = wedge.face.outward_normal(center)
        foot = (center[0] - d * n[0], center[1] - d * n[1], center[2] - d * n[2])
        for end in (wedge.entry, star[(k + 1) % len(star)].entry):
            contact = around.strips[end[0]].contact(wedge.face)
            if distance(contact.point(contact.parameter(foot)), foot) > RESOLUTION:
                raise UnknownCornerError(around, vertex, star)
        feet.append(Vertex(foot))
    paths = [arc_between(center, feet[k - 1], feet[k]) for k in range(len(feet))]
    return SphereSurface(Plane(center, (0.0, 0.0, 1.0)), radius), strips[0][0].outward, feet, paths


def _corner_of_bevels(around: Surroundings, vertex: Vertex, star: list[Wedge]) -> Corner:
    """The plane through the three places where contacts of bevels cross."""
    if len(star) != 3:
        raise UnknownCornerError(around, vertex, star)
    meets = [
        around.contacts_meet(wedge.entry, star[(k + 1) % 3].entry, wedge.face) for k, wedge in enumerate(star)
    ]
    p, q, r = (meet[0].point for meet in meets)
    surface = PlaneSurface(Plane(p, unit(cross(sub(q, p), sub(r, p)))))
    paths = []
    for k, wedge in enumerate(star):
        strip, before = around.strips[wedge.entry[0]], star[k - 1].face
        first = (meets[k - 1][0], share_at(strip, before), meets[k - 1][2])
        last = (meets[k][0], share_at(strip, wedge.face), meets[k][1])
        flat = strip.surface.plane is not None
        paths.append(
            line_between(first[0], last[0])
            if flat
            else strip_curve(strip, surface, (first, last), wedge.face)
        )
    return surface, False, [meet[0] for meet in meets], paths


def _point_of_bevels(around: Surroundings, vertex: Vertex, star: list[Wedge]) -> None:
    """Three flat bevels go on to the point in which their planes meet."""
    if len(star) != 3:
        raise UnknownCornerError(around, vertex, star)
    planes = [around.strips[wedge.entry[0]].surface.plane for wedge in star]
    normals = np.array([plane.normal for plane in planes if plane is not None])
    heights = [float(np.dot(plane.normal, plane.origin)) for plane in planes if plane is not None]
    if abs(np.linalg.det(normals)) < FLATTEST:
        raise UnknownCornerError(around, vertex, star)
    x, y, z = np.linalg.solve(normals, heights).tolist()
    tip = Vertex((x, y, z))
    meets = [
        around.contacts_meet(wedge.entry, star[(k + 1) % 3].entry, wedge.face)[0]
        for k, wedge in enumerate(star)
    ]
    seams = [line_between(foot, tip) for foot in meets]
    for k, wedge in enumerate(star):
        around.changes.caps[wedge.entry] = [seams[k - 1], *reversed_path([seams[k]])]
        around.set_contact(wedge.entry, star[k - 1].face, meets[k - 1])
        around.set_contact(wedge.entry, wedge.face, meets[k])


def equidistant(faces: Sequence[Face], d: float, start: Vec3) -> Vec3 | None:
    """The point near `start` at the signed distance d outside of all faces, by Newton's method."""
    p = np.array(start)
    for _ in range(50):
        place = (float(p[0]), float(p[1]), float(p[2]))
        gaps = np.array([way_out(face) * face.surface.gap(place) - d for face in faces])
        if np.abs(gaps).max() <= 1e-15 * (1.0 + np.abs(p).max()):
            break
        normals = np.array([face.outward_normal(place) for face in faces])
        step = np.linalg.lstsq(normals, -gaps, rcond=None)[0]
        p = p + step
        if np.abs(step).max() <= 1e-15 * (1.0 + np.abs(p).max()):
            break
    place = (float(p[0]), float(p[1]), float(p[2]))
    off = max(abs(way_out(face) * face.surface.gap(place) - d) for face in faces)
    return place if off <= 1e-3 * RESOLUTION else None
