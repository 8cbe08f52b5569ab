"""The round of a straight edge between two planes by a ball whose radius grows along it: a cone."""

from __future__ import annotations

import math

import numpy as np

from ...errors import ModellingError
from ...geometry.curves import Line
from ...geometry.placement import Plane
from ...geometry.round_surfaces import ConeSurface
from ...geometry.spline import FittedCurve
from ...geometry.surfaces import PlaneSurface
from ...geometry.vector import Vec3, add, along, dot, norm, scaled, unit
from ...topology.brep import Edge, Face
from .strips import Strip, turn_at

ROOM = 20.0
"""The middle line is laid out so many lengths of the edge beyond it, as far as the apex."""


def varying_strip(edge: Edge, faces: tuple[Face, Face], radii: tuple[float, float]) -> Strip:
    """The envelope of balls with radii linear between the ends of the edge: a cone whose apex lies on the
    edge's line, and which touches both planes along straight lines.

    Raises ModellingError for other edges. Source: Vida, Martin & Varady (1994), rolling balls of varying
    radius.
    """
    line = edge.curve
    if not isinstance(line, Line) or any(not isinstance(face.surface, PlaneSurface) for face in faces):
        x, y, z = edge.midpoint()
        raise ModellingError(
            "a radius varies along straight edges between planes only; "
            f"not along the {edge.curve.kind} edge at ({x:.6g}, {y:.6g}, {z:.6g})"
        )
    convex = turn_at(edge, faces, 0.5 * (edge.t0 + edge.t1)) > 0.0
    side = -1.0 if convex else 1.0
    normals = [face.outward_normal(edge.midpoint()) for face in faces]
    off = scaled(add(*normals), side / (1.0 + dot(*normals)))  # where the ball's center is, for radius 1
    growth = (radii[1] - radii[0]) / (edge.t1 - edge.t0)
    apex_at = edge.t0 - radii[0] / growth
    apex, way = line.point(apex_at), line.direction
    axis = along(way, off, growth)
    half = math.asin(abs(growth) / norm(axis))
    up = math.copysign(1.0, growth)
    rulings = [along(axis, normal, -side * growth) for normal in normals]
    speed = norm(rulings[0])
    # all run by the distance from the apex along the contacts, negative where the cone narrows on the way
    contacts = Line(apex, unit(rulings[0])), Line(apex, unit(rulings[1]))
    span = ((edge.t0 - apex_at) * speed, (edge.t1 - apex_at) * speed)
    surface = ConeSurface(Plane(apex, scaled(axis, up / norm(axis))), half)
    spine = _middle(apex, scaled(unit(axis), math.cos(half)), span)
    return Strip(edge, faces, convex, max(radii), surface, convex, contacts, spine, span)


def _middle(apex: Vec3, way: Vec3, span: tuple[float, float]) -> FittedCurve:
    """The centers of the circles across the cone, by the parameter of its contacts."""
    room = ROOM * (span[1] - span[0])
    low, high = (0.0, span[1] + room) if span[0] > 0.0 else (span[0] - room, 0.0)
    ends = np.array([along(apex, way, low), along(apex, way, high)])
    return FittedCurve(1, (low, low, high, high), ends)


def is_level(radii: tuple[float, float], length: float) -> bool:
    """Whether two radii are so much alike that the round is a cylinder."""
    return abs(radii[1] - radii[0]) <= 1e-9 * max(length, *radii)
