"""How loops run in the (u, v) parameters of their surface."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from ..geometry.curves import Circle
from ..geometry.many_curves import points_of
from ..geometry.placement import FloatArray
from ..geometry.surface import Surface
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import dot
from .brep import Coedge, Edge, Face, Loop

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
    points = samples_of([coedge.edge], count)[0]
    return points if coedge.forward else points[::-1]


def samples_of(edges: Sequence[Edge], count: int = SAMPLES) -> FloatArray:
    """Points along edges, evenly in their parameters, shape (E, count, 3)."""
    ends = np.array([(edge.t0, edge.t1) for edge in edges]).reshape(-1, 2)
    t = np.linspace(ends[:, 0], ends[:, 1], count, axis=1)
    return points_of([edge.curve for edge in edges], t)


def loop_path(loop: Loop, surface: Surface) -> FloatArray:
    """Parameters once round a loop, without jumps, shape (N, 2); the last row closes the path."""
    return loop_paths([loop], surface)[0]


def loop_paths(loops: Sequence[Loop], surface: Surface) -> list[FloatArray]:
    """As `loop_path`, of several loops."""
    coedges = [coedge for loop in loops for coedge in loop.coedges]
    if not coedges:
        return []
    points = samples_of([coedge.edge for coedge in coedges])
    pieces = iter(row if coedge.forward else row[::-1] for row, coedge in zip(points, coedges, strict=True))
    return paths_along([[next(pieces) for _ in loop.coedges] for loop in loops], surface)


def path_along(pieces: Sequence[FloatArray], surface: Surface) -> FloatArray:
    """Parameters along pieces of a path, points (N, 3) each, without jumps. At a tip, where u is anything, a
    piece that ends there has the u of its next point."""
    return paths_along([pieces], surface)[0]


def paths_along(paths: Sequence[Sequence[FloatArray]], surface: Surface) -> list[FloatArray]:
    """As `path_along`, of several paths."""
    every = [piece for pieces in paths for piece in pieces]
    points = every[0] if len(every) == 1 else np.concatenate(every)
    uv = surface.parameters(points)
    stops = np.cumsum([0, *(len(piece) for piece in every)])
    for tip in surface.singular_points:
        for last, beside in ((stops[:-1], stops[:-1] + 1), (stops[1:] - 1, stops[1:] - 2)):
            at_tip = np.linalg.norm(points[last] - tip.point, axis=1) <= RESOLUTION
            uv[last[at_tip], 0] = uv[beside[at_tip], 0]
    if len(paths) == 1:
        return [unrolled(uv, surface)]
    parts = np.split(uv, stops[np.cumsum([len(pieces) for pieces in paths])[:-1]])
    return [unrolled(part, surface) for part in parts]


def ring_path(circle: Circle, t0: float, forward: bool, surface: Surface) -> FloatArray | None:
    """Parameters once round a full circle on a plane, or its two ends alone where it is level on a
    cylinder or a cone: enough for `winding` and `signed_area`. None on other surfaces."""
    if surface.plane is not None:
        uv = surface.plane.locals(circle.frame.points(circle.radius * TURN))[:, :2]
        return np.asarray(uv if forward else uv[::-1])
    turn = level_turn(circle, forward, surface)
    if turn is None:
        return None
    start = surface.parameters(np.array([circle.point(t0)]))
    return np.concatenate([start, start + np.array([math.tau * turn, 0.0])])


def level_turn(circle: Circle, forward: bool, surface: Surface) -> int | None:
    """Which way a full circle goes round a cylinder or a cone; None on other surfaces."""
    axis = surface.level_axis
    if axis is None:
        return None
    return 1 if forward is (dot(circle.frame.normal, axis) > 0.0) else -1


def _ring_outline(loop: Loop, surface: Surface) -> FloatArray | None:
    first, circle = loop.coedges[0], _full_circle(loop)
    return None if circle is None else ring_path(circle, first.edge.t0, first.forward, surface)


def _full_circle(loop: Loop) -> Circle | None:
    curve = loop.coedges[0].edge.curve
    return curve if len(loop.coedges) == 1 and isinstance(curve, Circle) else None


def level_turns(loops: Sequence[Loop], surface: Surface) -> list[int] | None:
    """Which way loops go round a cylinder or a cone, where all are full circles."""
    turns = []
    for loop in loops:
        circle = _full_circle(loop)
        turn = None if circle is None else level_turn(circle, loop.coedges[0].forward, surface)
        if turn is None:
            return None
        turns.append(turn)
    return turns


def loop_outlines(loops: Sequence[Loop], surface: Surface) -> list[FloatArray]:
    """As `loop_paths`, in the shortest forms that `winding` and `signed_area` need."""
    found = [_ring_outline(loop, surface) for loop in loops]
    others = iter(
        loop_paths([loop for loop, ring in zip(loops, found, strict=True) if ring is None], surface)
    )
    return [next(others) if path is None else path for path in found]


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
    for path in (loop_path(loop, face.surface) for loop in face.loops):
        if winding(path, face.surface) != (0, 0) or sign * signed_area(path) > 0:
            return False
    return True
