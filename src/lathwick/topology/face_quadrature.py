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


def level_bases(face: IntArray, du: FloatArray, v: FloatArray, pole: FloatArray | float) -> FloatArray:
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
    members = sorted(set(nodes.face.tolist()))
    balls, rings = ([i for i in members if isinstance(faces[i].surface, kind)]
                    for kind in (SphereSurface, TorusSurface))  # fmt: skip
    if balls:
        made.append(_spheres(faces, balls, nodes.of_faces(balls), reference))
    if rings:
        made += _tori(faces, rings, nodes.of_faces(rings), reference)
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
    one, quarter = np.ones((len(u), 1)), np.full(len(u), math.pi / 2)
    x, y, axis = (one * row for row in np.eye(3))
    center = one * (np.asarray(surface.frame.origin) - reference)
    radius = np.full(len(u), surface.radius)
    step = np.full(len(u), math.tau / len(u))
    return _parallels((x, y, axis), center, radius, u, (-quarter, quarter), step)


def _whole_torus(surface: TorusSurface, u: FloatArray, reference: FloatArray) -> _Parts:
    top, step = np.full(len(u), surface.half_turn), np.full(len(u), math.tau / len(u))
    rings = _Rings.of([surface], reference).at(np.zeros(len(u), dtype=np.intp))
    return rings.tubes(u, -top, top, step)


def _spheres(
    faces: Sequence[Face], members: Sequence[int], nodes: BorderNodes, reference: FloatArray
) -> FaceQuadrature:
    """Strips along meridians from a south pole that lies far from the boundary of each face."""
    number = np.searchsorted(np.array(members), nodes.face)
    spheres: list[Any] = [faces[i].surface for i in members]
    center = (np.array([sphere.frame.origin for sphere in spheres]) - reference)[number]
    radius = np.array([sphere.radius for sphere in spheres])[number]
    sign = np.array([1.0 if faces[i].outward else -1.0 for i in members])[number]
    off = (nodes.points - center) / radius[:, None]
    order = np.argsort(number, kind="stable")
    starts = np.searchsorted(number[order], np.arange(len(members)))
    near = np.maximum.reduceat(np.abs(off[order] @ DIRECTIONS.T), starts, axis=0)
    axes = DIRECTIONS[near.argmin(axis=1)]
    x, y = _across(axes)
    x, y, axis = x[number], y[number], axes[number]
    u = np.arctan2((off * y).sum(axis=1), (off * x).sum(axis=1))
    v = np.arcsin(np.clip((off * axis).sum(axis=1), -1.0, 1.0))
    around = np.cos(u)[:, None] * y - np.sin(u)[:, None] * x
    du = -(nodes.steps * around).sum(axis=1) / np.maximum(radius * np.cos(v), NOWHERE)
    low = level_bases(nodes.face, du, v, -math.pi / 2)
    points, normals, weights = _parallels((x, y, axis), center, radius, u, (low, v), du)
    return FaceQuadrature(points, sign[:, None, None] * normals, sign[:, None] * weights, nodes.face)


def _across(axes: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Two unit vectors square to each of some and to each other, (N, 3)."""
    x = np.cross(axes, np.eye(3)[np.abs(axes).argmin(axis=1)])
    x /= np.linalg.norm(x, axis=1)[:, None]
    return x, np.cross(axes, x)


def _parallels(
    frames: tuple[FloatArray, FloatArray, FloatArray],
    center: FloatArray,
    radius: FloatArray,
    u: FloatArray,
    ends: tuple[FloatArray, FloatArray],
    du: FloatArray,
) -> _Parts:
    """Strips on spheres with centers, x, y and axis (M, 3) each, at longitudes `u` and between two latitudes,
    (M,), and `du` wide."""
    x, y, axis = frames
    low, high = ends
    half = 0.5 * (high - low)[:, None]
    w = low[:, None] + half * (NODES + 1.0)
    level = np.cos(u)[:, None] * x + np.sin(u)[:, None] * y
    normals = np.cos(w)[:, :, None] * level[:, None, :] + np.sin(w)[:, :, None] * axis[:, None, :]
    points = center[:, None, :] + radius[:, None, None] * normals
    weights = half * WEIGHTS * np.cos(w) * (radius**2 * du)[:, None]
    return points, normals, weights


def _tori(
    faces: Sequence[Face], members: Sequence[int], nodes: BorderNodes, reference: FloatArray
) -> list[FaceQuadrature]:
    """Strips round the tube from a parallel that no edge crosses; where there is none, see `_torus`."""
    number = np.searchsorted(np.array(members), nodes.face)
    rings = _Rings.of([faces[i].surface for i in members], reference).at(number)
    u, v = rings.parameters(nodes.points)
    du = (nodes.steps * rings.around(u)).sum(axis=1) / rings.reach(v)
    cuts = np.full(len(members), np.nan)
    order = np.argsort(number, kind="stable")
    ends = np.searchsorted(number[order], np.arange(1, len(members)))
    for k, mine in enumerate(np.split(v[order], ends)):
        face: Any = faces[members[k]]
        if not any(_passes(face, tip.point) for tip in face.surface.singular_points):
            cut = math.pi if face.surface.meets_axis else free_cut(mine)
            cuts[k] = np.nan if cut is None else cut
    made = []
    plain = ~np.isnan(cuts)[number]
    if plain.any():
        from_cut, here = cuts[number[plain]], rings.at(plain)
        high = from_cut + (v[plain] - from_cut) % math.tau
        low = level_bases(number[plain], du[plain], high, math.tau - here.half_turn)
        points, normals, weights = here.tubes(u[plain], low, high, -du[plain])
        sign = np.array([1.0 if faces[i].outward else -1.0 for i in members])[number[plain]]
        face_of = nodes.face[plain]
        made.append(FaceQuadrature(points, sign[:, None, None] * normals, sign[:, None] * weights, face_of))
    for k in np.flatnonzero(np.isnan(cuts)).tolist():
        i = members[k]
        points, normals, weights = _torus(faces[i], nodes.of_faces([i]), reference)
        sign_of = 1.0 if faces[i].outward else -1.0
        made.append(FaceQuadrature(points, sign_of * normals, sign_of * weights, np.full(len(points), i)))
    return made


class _Rings(NamedTuple):
    """Tori, a row each, from a reference: center, x, y and axis, (M, 3); radii and the half turn of the tube,
    (M,)."""

    center: FloatArray
    x: FloatArray
    y: FloatArray
    axis: FloatArray
    major: FloatArray
    minor: FloatArray
    half_turn: FloatArray

    @classmethod
    def of(cls, surfaces: Sequence[Any], reference: FloatArray) -> _Rings:
        frames = [surface.frame for surface in surfaces]
        rows = np.array([(f.origin, f.x, f.y, f.normal) for f in frames])
        sizes = np.array([(s.major, s.minor, s.half_turn) for s in surfaces])
        return cls(rows[:, 0] - reference, *(rows[:, k] for k in (1, 2, 3)), *sizes.T)

    def at(self, rows: Any) -> _Rings:
        return _Rings(*(column[rows] for column in self))

    def parameters(self, points: FloatArray) -> tuple[FloatArray, FloatArray]:
        """(u, v) of points, (M, 3), one on each."""
        off = points - self.center
        a, b, w = ((off * way).sum(axis=1) for way in (self.x, self.y, self.axis))
        return np.arctan2(b, a), np.arctan2(w, np.hypot(a, b) - self.major)

    def around(self, u: FloatArray) -> FloatArray:
        return np.asarray(np.cos(u)[:, None] * self.y - np.sin(u)[:, None] * self.x)

    def reach(self, v: FloatArray) -> FloatArray:
        return np.maximum(self.major + self.minor * np.cos(v), NOWHERE)

    def tubes(self, u: FloatArray, low: FloatArray, high: FloatArray, du: FloatArray) -> _Parts:
        """Strips round the tubes at longitudes `u`, from and to angles, (M,), `du` wide."""
        half = 0.5 * (high - low)[:, None]
        w = low[:, None] + half * (NODES + 1.0)
        ring = (np.cos(u)[:, None] * self.x + np.sin(u)[:, None] * self.y)[:, None, :]
        minor = self.minor[:, None]
        normals = np.cos(w)[:, :, None] * ring + np.sin(w)[:, :, None] * self.axis[:, None, :]
        points = (
            self.center[:, None, :] + self.major[:, None, None] * ring + self.minor[:, None, None] * normals
        )
        area = minor * (self.major[:, None] + minor * np.cos(w))
        return points, normals, half * WEIGHTS * area * du[:, None]


def _torus(face: Face, nodes: BorderNodes, reference: FloatArray) -> _Parts:
    """Strips of a face that no parallel is clear of, or that ends in a tip: from that, or about the axis from
    a meridian that no edge crosses; where there is neither, from a curve that runs as the loops do."""
    surface: Any = face.surface
    rings = _Rings.of([surface], reference).at(np.zeros(len(nodes.points), dtype=np.intp))
    u, v = rings.parameters(nodes.points)
    ring, around = np.cos(u)[:, None] * rings.x + np.sin(u)[:, None] * rings.y, rings.around(u)
    reach = rings.reach(v)
    up = np.cos(v)[:, None] * rings.axis - np.sin(v)[:, None] * ring
    du, dv = (nodes.steps * around).sum(axis=1) / reach, (nodes.steps * up).sum(axis=1) / surface.minor
    at_tips = [k for k, tip in enumerate(surface.singular_points) if _passes(face, tip.point)]
    if at_tips and free_cut(u) is None:  # else strips about the axis do not feel how the angle leaps at a tip
        if len(at_tips) > 1:
            raise ModellingError(
                "a face that goes round a torus and ends in both tips cannot be measured yet"
            )
        low = np.full(len(v), math.tau + (2 * at_tips[0] - 1) * surface.half_turn)
        return rings.tubes(u, low, math.pi + (v - math.pi) % math.tau, -du)
    cut = free_cut(u)
    if cut is not None:
        high = cut + (u - cut) % math.tau
    else:
        high, v, turns = _lifted(face, nodes, u, v)
        if any(around for around, _ in turns):  # else they go round the tube alone, by up to all of the ring
            if any(abs(around) > 1 or (around == 0 and up) for around, up in turns):
                raise ModellingError("a face winds round a torus in a way that cannot be measured yet")
            slope = next(up / around for around, up in turns if around)
            return rings.tubes(high, slope * high, v, -du)
    half = 0.5 * (high - high.mean())[:, None]
    w = high.mean() + half * (NODES + 1.0)
    x, y, axis = (np.asarray(d) for d in (surface.frame.x, surface.frame.y, surface.frame.normal))
    circles = np.cos(w)[:, :, None] * x + np.sin(w)[:, :, None] * y
    normals = np.cos(v)[:, None, None] * circles + np.sin(v)[:, None, None] * axis
    points = rings.center[:, None] + surface.major * circles + surface.minor * normals
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


class _ClosedKind(NamedTuple):
    """The area of the whole surface, and the strips of all of it."""

    area: Callable[[Any], float]
    whole: Callable[[Any, FloatArray, FloatArray], _Parts]


_CLOSED: Mapping[type, _ClosedKind] = MappingProxyType(
    {
        SphereSurface: _ClosedKind(_sphere_area, _whole_sphere),
        TorusSurface: _ClosedKind(_torus_area, _whole_torus),
    }
)
