"""How loops run in the (u, v) parameters of their surface."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from ..geometry.curves import Circle
from ..geometry.placement import FloatArray
from ..geometry.surface import Surface
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import dot
from .brep import Coedge, Face, Loop

SAMPLES = 33
TURN = np.column_stack([f(np.linspace(0.0, math.tau, SAMPLES)) for f in (np.cos, np.sin)])
"""Points once round the unit circle."""


def unrolled(uv: FloatArray, surface: Surface) -> FloatArray:
    """Parameters along a path, shape (N, 2), without jumps of a period."""
    out = uv.copy()
    for k, period in enumerate(surface.periods):
        if period:
            turns = np.rint(np.diff(uv[:, k]) / period)
            out[1:, k] -= period * np.cumsum(turns)
    return out


def along(coedge: Coedge, count: int = SAMPLES) -> FloatArray:
    """Points along a coedge from its start to its end, shape (count, 3)."""
    edge = coedge.edge
    t = np.linspace(edge.t0, edge.t1, count)
    return edge.curve.points(t if coedge.forward else t[::-1])


def loop_path(loop: Loop, surface: Surface) -> FloatArray:
    """Parameters once round a loop, without jumps, shape (N, 2); the last row closes the path."""
    return path_along([along(coedge) for coedge in loop.coedges], surface)


def path_along(pieces: Sequence[FloatArray], surface: Surface) -> FloatArray:
    """Parameters along pieces of a path, points (N, 3) each, without jumps. At a tip, where u is anything, a
    piece that ends there has the u of its next point."""
    points = np.concatenate(pieces)
    uv = surface.parameters(points)
    ends = np.cumsum([len(piece) for piece in pieces]).tolist()
    for tip in surface.singular_points:
        for start, end in pairwise([0, *ends]):
            for k, beside in ((start, start + 1), (end - 1, end - 2)):
                if math.dist(points[k], tip.point) <= RESOLUTION:
                    uv[k, 0] = uv[beside, 0]
    return unrolled(uv, surface)


def ring_path(circle: Circle, t0: float, forward: bool, surface: Surface) -> FloatArray | None:
    """Parameters once round a full circle on a plane, or its two ends alone where it is level on a
    cylinder or a cone: enough for `winding` and `signed_area`. None on other surfaces."""
    if surface.plane is not None:
        uv = surface.plane.locals(circle.frame.points(circle.radius * TURN))[:, :2]
        return np.asarray(uv if forward else uv[::-1])
    axis = surface.level_axis
    if axis is None:
        return None
    start = surface.parameters(np.array([circle.point(t0)]))
    agrees = dot(circle.frame.normal, axis) > 0.0
    turn = math.tau if forward is agrees else -math.tau
    return np.concatenate([start, start + np.array([turn, 0.0])])


def loop_outline(loop: Loop, surface: Surface) -> FloatArray:
    """As `loop_path`, in the shortest form that `winding` and `signed_area` need."""
    first = loop.coedges[0]
    if len(loop.coedges) == 1 and isinstance(first.edge.curve, Circle):
        path = ring_path(first.edge.curve, first.edge.t0, first.forward, surface)
        if path is not None:
            return path
    return loop_path(loop, surface)


def winding(path: FloatArray, surface: Surface) -> tuple[int, int]:
    """How often a closed path goes round in u and in v."""
    turns = []
    for k, period in enumerate(surface.periods):
        turns.append(round((path[-1, k] - path[0, k]) / period) if period else 0)
    return turns[0], turns[1]


def signed_area(path: FloatArray) -> float:
    """Area in (u, v) that a closed path without winding encloses, positive counter-clockwise."""
    u, v = path[:, 0] - path[0, 0], path[:, 1] - path[0, 1]
    return 0.5 * float(np.sum(u[:-1] * v[1:] - u[1:] * v[:-1]))


def keeps_handle(face: Face) -> bool:
    """Whether a face on a torus is the whole of it but for some holes."""
    sign = 1.0 if face.outward else -1.0
    for loop in face.loops:
        path = loop_path(loop, face.surface)
        if winding(path, face.surface) != (0, 0) or sign * signed_area(path) > 0:
            return False
    return True
