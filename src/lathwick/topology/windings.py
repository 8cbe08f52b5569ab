"""How loops run in the (u, v) parameters of their surface."""

from __future__ import annotations

import math

import numpy as np

from ..geometry.canal import CanalSurface
from ..geometry.placement import FloatArray
from ..geometry.ruled import RuledSurface
from ..geometry.surfaces import ExtrudedSurface, Surface
from .brep import Coedge, Face, Loop

SAMPLES = 33


def periods(surface: Surface) -> tuple[float, float]:
    """Periods of u and v; 0.0 where a parameter does not come back."""
    if surface.kind in ("cylinder", "cone", "sphere"):
        return math.tau, 0.0
    if surface.kind == "torus":
        return math.tau, math.tau
    if isinstance(surface, CanalSurface | RuledSurface):
        return surface.period, 0.0
    if isinstance(surface, ExtrudedSurface):
        return surface.profile.period, 0.0
    return 0.0, 0.0


def unrolled(uv: FloatArray, surface: Surface) -> FloatArray:
    """Parameters along a path, shape (N, 2), without jumps of a period."""
    out = uv.copy()
    for k, period in enumerate(periods(surface)):
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
    points = np.concatenate([along(c) for c in loop.coedges])
    return unrolled(surface.parameters(points), surface)


def winding(path: FloatArray, surface: Surface) -> tuple[int, int]:
    """How often a closed path goes round in u and in v."""
    turns = []
    for k, period in enumerate(periods(surface)):
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
