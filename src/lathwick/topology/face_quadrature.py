"""Strips of surface below boundary nodes: what face integrals are summed over. For spheres and tori.

On a closed surface the strip of a boundary step runs from a fixed pole, or a fixed cut, to the step.
What the strips of a face add up to is the integral over the face, or that less the whole surface; the
area tells which.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from types import MappingProxyType
from typing import Any, NamedTuple

import numpy as np
from numpy.polynomial.legendre import leggauss

from ..errors import ModellingError
from ..geometry.placement import FloatArray, IntArray
from ..geometry.round_surfaces import SphereSurface, TorusSurface
from ..geometry.tolerance import NOWHERE, RESOLUTION
from ..geometry.vector import Vec3, distance
from .brep import Coedge, Face
from .edge_nodes import BorderNodes
from .windings import SAMPLES, along, path_along, winding

NODES, WEIGHTS = leggauss(24)
ROUND = 24
"""Nodes about a whole turn: exact for the trigonometric polynomials that occur."""

PER_PART = 8
"""So many places on each simple part of a curve follow it round a tube."""

NARROWEST = 0.2
"""A closed surface is cut open only along a gap between edges that is so wide (radians)."""


def _spread(count: int) -> FloatArray:
    """Directions spread evenly over half of a sphere (Fibonacci's spiral), shape (count, 3)."""
    k = np.arange(count) + 0.5
    height, turn = 1.0 - k / count, math.pi * (1.0 + math.sqrt(5.0)) * k
    level = np.sqrt(1.0 - height * height)
    return np.column_stack([level * np.cos(turn), level * np.sin(turn), height])


DIRECTIONS = _spread(120)


@dataclass(frozen=True, slots=True)
class FaceQuadrature:
    """Boundary nodes of the faces on one kind of surface: M nodes, K inner nodes each.

    points (M, K, 3) on the surface; normals (M, 1 or K, 3) times `weights` (M, K) is the outward area
    element; face (M,) the index of each node's face.
    """

    points: FloatArray
    normals: FloatArray
    weights: FloatArray
    face: IntArray


def level_bases(face: IntArray, du: FloatArray, v: FloatArray, pole: float) -> FloatArray:
    """Where the strips of each face begin, per node (M,): at the pole where its edges go round that; else
    amid them, for a short strip feels less what its step is off by."""
    total = np.bincount(face, du)[face]
    count = np.maximum(np.bincount(face), 1)
    middle = (np.bincount(face, v) / count)[face]
    return np.where(np.abs(total) > 1.0, pole, middle)


def joined(strips: Iterable[FaceQuadrature]) -> FaceQuadrature:
    """Several strips as one. All have as many inner nodes."""
    found = list(strips)
    columns = [[getattr(s, name) for s in found] for name in ("points", "normals", "weights", "face")]
    return FaceQuadrature(*(np.concatenate(column) for column in columns))


def closed_strip(faces: Sequence[Face], nodes: BorderNodes, reference: FloatArray) -> FaceQuadrature:
    """Strips of faces on spheres and tori."""
    empty = np.zeros((0, len(NODES), 3))
    made = [FaceQuadrature(empty, empty, np.zeros((0, len(NODES))), np.zeros(0, dtype=np.intp))]
    for i in sorted(set(nodes.face.tolist())):
        rules, sign = _CLOSED[type(faces[i].surface)], 1.0 if faces[i].outward else -1.0
        points, normals, weights = rules.strips(faces[i], nodes.of_face(i), reference)
        made.append(FaceQuadrature(points, sign * normals, sign * weights, np.full(len(points), i)))
    return joined(made)


def completed(
    faces: Sequence[Face], members: Sequence[int], strip: FaceQuadrature, reference: FloatArray
) -> FaceQuadrature:
    """With the whole surface added or taken off for every face whose strips have it wrong by so much."""
    areas = np.bincount(strip.face, strip.weights.sum(axis=1), len(faces))
    added = [strip]
    for i in members:
        surface = faces[i].surface
        rules = _CLOSED.get(type(surface))
        if rules is None:
            continue
        times = math.floor(1.0 - areas[i] / rules.area(surface))
        if times:
            u: FloatArray = np.linspace(0.0, math.tau, ROUND, endpoint=False)
            sign = 1.0 if faces[i].outward else -1.0
            points, normals, weights = rules.whole(surface, u, reference)
            added.append(FaceQuadrature(points, sign * normals, times * weights, np.full(len(points), i)))
    return joined(added) if len(added) > 1 else strip


_Parts = tuple[FloatArray, FloatArray, FloatArray]


def _sphere_area(surface: SphereSurface) -> float:
    return 4.0 * math.pi * surface.radius**2


def _torus_area(surface: TorusSurface) -> float:
    top = surface.half_turn
    return 2.0 * math.tau * surface.minor * (surface.major * top + surface.minor * math.sin(top))


def _whole_sphere(surface: SphereSurface, u: FloatArray, reference: FloatArray) -> _Parts:
    axis, quarter = np.array([0.0, 0.0, 1.0]), np.full(len(u), math.pi / 2)
    return _parallels(surface, axis, u, -quarter, quarter, math.tau / len(u), reference)


def _whole_torus(surface: TorusSurface, u: FloatArray, reference: FloatArray) -> _Parts:
    top = np.full(len(u), surface.half_turn)
    return _tube(surface, u, -top, top, math.tau / len(u), reference)


def _sphere(face: Face, nodes: BorderNodes, reference: FloatArray) -> _Parts:
    """Strips along meridians from a south pole that lies far from the boundary."""
    surface: Any = face.surface
    p, dp = nodes.points + reference, nodes.steps
    off = (p - np.asarray(surface.frame.origin)) / surface.radius
    axis = DIRECTIONS[np.abs(off @ DIRECTIONS.T).max(axis=0).argmin()]
    x, y = _across(axis)
    u, v = np.arctan2(off @ y, off @ x), np.arcsin(np.clip(off @ axis, -1.0, 1.0))
    cx, cy = np.cos(u), np.sin(u)
    around = cx[:, None] * y - cy[:, None] * x
    reach = surface.radius * np.cos(v)
    du = -(dp * around).sum(axis=1) / np.maximum(reach, NOWHERE)
    low = level_bases(np.zeros(len(u), dtype=np.intp), du, v, -math.pi / 2)
    return _parallels(surface, axis, u, low, v, du, reference)


def _across(axis: FloatArray) -> tuple[FloatArray, FloatArray]:
    helper = np.eye(3)[np.abs(axis).argmin()]
    x = np.cross(axis, helper)
    x /= np.linalg.norm(x)
    return x, np.cross(axis, x)


def _parallels(
    surface: SphereSurface,
    axis: FloatArray,
    u: FloatArray,
    low: FloatArray,
    high: FloatArray,
    du: FloatArray | float,
    reference: FloatArray,
) -> _Parts:
    half = 0.5 * (high - low)[:, None]
    w = low[:, None] + half * (NODES + 1.0)
    x, y = _across(axis)
    level = np.cos(u)[:, None] * x + np.sin(u)[:, None] * y
    normals = np.cos(w)[:, :, None] * level[:, None, :] + np.sin(w)[:, :, None] * axis
    points = np.asarray(surface.frame.origin) - reference + surface.radius * normals
    weights = half * WEIGHTS * surface.radius**2 * np.cos(w) * np.broadcast_to(du, u.shape)[:, None]
    return points, normals, weights


def _torus(face: Face, nodes: BorderNodes, reference: FloatArray) -> _Parts:
    """Strips round the tube from a parallel that no edge crosses, or about the axis from such a meridian;
    where there is neither, from a curve that runs as the loops do."""
    surface: Any = face.surface
    p, dp = nodes.points + reference, nodes.steps
    u, v = surface.parameters(p).T
    frame = surface.frame
    x, y, axis = (np.asarray(d) for d in (frame.x, frame.y, frame.normal))
    ring = np.cos(u)[:, None] * x + np.sin(u)[:, None] * y
    around = np.cos(u)[:, None] * y - np.sin(u)[:, None] * x
    reach = np.maximum(surface.major + surface.minor * np.cos(v), NOWHERE)
    up = np.cos(v)[:, None] * axis - np.sin(v)[:, None] * ring
    du, dv = (dp * around).sum(axis=1) / reach, (dp * up).sum(axis=1) / surface.minor
    cut = math.pi if surface.meets_axis else free_cut(v)
    at_tips = [k for k, tip in enumerate(surface.singular_points) if _passes(face, tip.point)]
    if at_tips and free_cut(u) is not None:
        cut = None  # at a tip the angle of the edges leaps, which strips about the axis do not feel
    elif len(at_tips) > 1:
        raise ModellingError("a face that goes round a torus and ends in both tips cannot be measured yet")
    if cut is not None:
        high = cut + (v - cut) % math.tau
        if at_tips:
            low = np.full(len(v), math.tau + (2 * at_tips[0] - 1) * surface.half_turn)
        else:
            low = level_bases(np.zeros(len(v), dtype=np.intp), du, high, math.tau - surface.half_turn)
        return _tube(surface, u, low, high, -du, reference)
    cut = free_cut(u)
    if cut is not None:
        high = cut + (u - cut) % math.tau
    else:
        high, v, turns = _lifted(face, nodes, u, v)
        if any(around for around, _ in turns):  # else they go round the tube alone, by up to all of the ring
            if any(abs(around) > 1 or (around == 0 and up) for around, up in turns):
                raise ModellingError("a face winds round a torus in a way that cannot be measured yet")
            slope = next(up / around for around, up in turns if around)
            return _tube(surface, high, slope * high, v, -du, reference)
    half = 0.5 * (high - high.mean())[:, None]
    w = high.mean() + half * (NODES + 1.0)
    rings = np.cos(w)[:, :, None] * x + np.sin(w)[:, :, None] * y
    normals = np.cos(v)[:, None, None] * rings + np.sin(v)[:, None, None] * axis
    points = np.asarray(frame.origin) - reference + surface.major * rings + surface.minor * normals
    weights = half * WEIGHTS * (surface.minor * reach * dv)[:, None]
    return points, normals, weights


def _passes(face: Face, place: Vec3) -> bool:
    """Whether edges of a face end at a place."""
    ends = {v.point for c in face.coedges() for v in (c.start, c.end) if v is not None}
    return any(distance(p, place) <= RESOLUTION for p in ends)


def _lifted(
    face: Face, nodes: BorderNodes, u: FloatArray, v: FloatArray
) -> tuple[FloatArray, FloatArray, list[tuple[int, int]]]:
    """(u, v) of boundary nodes without jumps along each loop, and how often each loop winds: a node is lifted
    as the nearest place of its own edge is."""
    lifted, turns = np.column_stack([u, v]), []
    for loop in face.loops:
        pieces = [along(coedge, _samples(coedge)) for coedge in loop.coedges]
        path = path_along(pieces, face.surface)
        turns.append(winding(path, face.surface))
        ends = np.cumsum([len(piece) for piece in pieces])[:-1]
        for coedge, part in zip(loop.coedges, np.split(path, ends), strict=True):
            mine = np.array([use.coedge is coedge for use in nodes.uses])[nodes.use]
            laps = np.round((lifted[mine, None] - part[None]) / math.tau)
            off = lifted[mine, None] - part[None] - math.tau * laps
            nearest = (off**2).sum(axis=2).argmin(axis=1)
            lifted[mine] -= math.tau * laps[np.arange(len(nearest)), nearest]
    return lifted[:, 0], lifted[:, 1], turns


def _samples(coedge: Coedge) -> int:
    """So many places along an edge that no two in succession are half a turn apart."""
    edge = coedge.edge
    return max(SAMPLES, PER_PART * len(edge.curve.parts(edge.t0, edge.t1)))


def free_cut(angles: FloatArray) -> float | None:
    """The middle of the widest gap between angles (radians, mod a turn), None if they leave no gap."""
    order = np.sort(angles % math.tau)
    gaps = np.diff(np.append(order, order[0] + math.tau))
    widest = int(gaps.argmax())
    return None if gaps[widest] < NARROWEST else float(order[widest] + 0.5 * gaps[widest])


def _tube(
    surface: TorusSurface,
    u: FloatArray,
    low: FloatArray,
    high: FloatArray,
    du: FloatArray | float,
    reference: FloatArray,
) -> _Parts:
    frame = surface.frame
    x, y, axis = (np.asarray(d) for d in (frame.x, frame.y, frame.normal))
    half = 0.5 * (high - low)[:, None]
    w = low[:, None] + half * (NODES + 1.0)
    ring = (np.cos(u)[:, None] * x + np.sin(u)[:, None] * y)[:, None, :]
    normals = np.cos(w)[:, :, None] * ring + np.sin(w)[:, :, None] * axis
    points = np.asarray(frame.origin) - reference + surface.major * ring + surface.minor * normals
    area = surface.minor * (surface.major + surface.minor * np.cos(w))
    weights = half * WEIGHTS * area * np.broadcast_to(du, u.shape)[:, None]
    return points, normals, weights


class _ClosedKind(NamedTuple):
    """The strips below the edges of a face, the area of the whole surface, and the strips of all of it."""

    strips: Callable[[Face, BorderNodes, FloatArray], _Parts]
    area: Callable[[Any], float]
    whole: Callable[[Any, FloatArray, FloatArray], _Parts]


_CLOSED: Mapping[type, _ClosedKind] = MappingProxyType(
    {
        SphereSurface: _ClosedKind(_sphere, _sphere_area, _whole_sphere),
        TorusSurface: _ClosedKind(_torus, _torus_area, _whole_torus),
    }
)
