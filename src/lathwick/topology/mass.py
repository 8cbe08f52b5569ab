"""Mass properties by quadrature on the exact faces.

By the divergence theorem each volume moment is a sum of face integrals; on a face, by Green's
theorem, the integral over the trimmed (u, v) region is a boundary integral of an inner
antiderivative in v. The inner integral is a Gauss rule that is exact for the polynomials that
occur; the outer one is a Gauss rule per piece of edge, with pieces of at most a quarter turn, on
which it converges to rounding. All edges of a body are done in one batch.

Source: Gonzalez-Ochoa, McCammon, Peters, "Computing moments of objects enclosed by piecewise
polynomial surfaces", ACM TOG 17 (1998); the reduction to boundary integrals follows Cattani and
Paoluzzi, "Boundary integration over linear polyhedra", CAD 22 (1990).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.polynomial.legendre import leggauss

from ..errors import ModellingError
from ..geometry.placement import FloatArray, IntArray
from ..geometry.round_surfaces import ConeSurface, SphereSurface, TorusSurface
from ..geometry.surface import Surface, Tip
from ..geometry.surfaces import CylinderSurface, ExtrudedSurface, PlaneSurface
from ..geometry.tolerance import NOWHERE, RESOLUTION
from .boxes import outer_box
from .brep import Edge, Face
from .edge_nodes import INNER_NODES, INNER_WEIGHTS, BorderNodes, border_nodes
from .face_quadrature import (
    NODES,
    WEIGHTS,
    FaceQuadrature,
    closed_strip,
    completed,
    joined,
    level_bases,
)
from .turned_quadrature import strips_round

NO_STEP = 1e-14
"""Steps along v alone, up to such a share of the others, have no strip below them."""

_SHORT = leggauss(12)
"""Nodes for the inner integral over one of several pieces of a surface."""

TINY = 1e-12
EDGE_PIECES = 16
"""Bodies are taken to be at least so large."""

NEAR_APEX = 0.25
"""A face whose edges come so near to the apex of its cone, as a share of how far they go from it."""


@dataclass(frozen=True, slots=True)
class MassProperties:
    """Of a solid of density one. `inertia` is the tensor about the centroid, axes parallel to X, Y, Z.

    volume, area : float, design unit to the third and second power.
    centroid : tuple of three floats. inertia : (3, 3) array, unit to the fifth power.
    face_areas : (F,) array in the order of the faces; face_volumes : (F,) what each has in the volume, of
    which only sums over closed shells mean anything.
    """

    volume: float
    area: float
    centroid: tuple[float, float, float]
    inertia: FloatArray
    face_areas: FloatArray
    face_volumes: FloatArray


def mass_properties(faces: Sequence[Face]) -> MassProperties:
    """Volume, area, centroid and inertia of the solid bounded by `faces`.

    Relative error about 1e-14 for planes and cylinders. Cost O(number of edges).
    """
    reference = reference_point(faces)
    about = tuple(reference.tolist())
    fresh = [face for face in faces if (face.recalled("integrals") or (None,))[0] != about]
    for face, row in zip(fresh, face_integrals(fresh, reference), strict=True):
        face.remember("integrals", (about, row))
    table = np.array([face.recalled("integrals")[1] for face in faces])
    return _from_moments(table, reference)


def face_integrals(faces: Sequence[Face], reference: FloatArray) -> FloatArray:
    """Area and the part in the `_volume_moments` of each face, shape (F, 11)."""
    found = np.zeros((len(faces), 11))
    members: dict[_Rule, list[int]] = {}
    by_loops = [i for i, face in enumerate(faces) if len(face.loops) > 1 and face.surface.plane is not None]
    summed = set(by_loops)
    if by_loops:
        found[by_loops] = _sums_of_loops([faces[i] for i in by_loops], reference)
    for i, face in enumerate(faces):
        if i in summed:
            continue
        members.setdefault(_IN_BATCHES.get(type(face.surface), _general_strip), []).append(i)
    for rule, numbers in members.items():
        strip = _strip(faces, numbers, reference, rule)
        found[:, 0] += np.bincount(strip.face, strip.weights.sum(axis=1), len(faces))
        found[:, 1:] += _volume_moments(strip, len(faces))
    return found


def _sums_of_loops(faces: Sequence[Face], reference: FloatArray) -> FloatArray:
    """As `face_integrals`, of plane faces: sums over their loops, each of which remembers its part."""
    about = tuple(reference.tolist())
    parts = [Face(face.surface, face.outward, (loop,)) for face in faces for loop in face.loops]
    keys = [(about, id(part.surface), part.outward) for part in parts]
    fresh = [
        k for k, part in enumerate(parts) if (part.loops[0].recalled("integrals") or (None,))[0] != keys[k]
    ]
    for k, row in zip(fresh, face_integrals([parts[k] for k in fresh], reference), strict=True):
        parts[k].loops[0].remember("integrals", (keys[k], row, parts[k].surface))
    rows = np.array([part.loops[0].recalled("integrals")[1] for part in parts])
    return np.add.reduceat(rows, np.cumsum([0, *(len(face.loops) for face in faces[:-1])]))


def face_center(face: Face) -> FloatArray:
    """The center of area of a face, shape (3,)."""
    rule = _IN_BATCHES.get(type(face.surface), _general_strip)
    strip = _strip([face], [0], reference_point([face]), rule)
    total = strip.weights.sum()
    shift = (
        np.zeros(3) if total == 0.0 else (strip.weights[..., None] * strip.points).sum(axis=(0, 1)) / total
    )
    return reference_point([face]) + shift


def edge_center(edge: Edge) -> FloatArray:
    """The center of length of an edge, shape (3,): by a Gauss rule on pieces of it."""
    stops = np.linspace(edge.t0, edge.t1, EDGE_PIECES + 1)
    nodes, weights = _SHORT
    half = 0.5 * np.diff(stops)[:, None]
    t = (stops[:-1, None] + half * (nodes + 1.0)).ravel()
    speed = np.linalg.norm(edge.curve.derivatives(t), axis=1)
    w = (half * weights).ravel() * speed
    return np.asarray((w[:, None] * edge.curve.points(t)).sum(axis=0) / w.sum())


def reference_point(faces: Sequence[Face]) -> FloatArray:
    """Near the middle of the faces, on a coarse grid: bodies that differ a little have the same, so that
    integrals over the faces they share hold for both."""
    boxes = np.array([outer_box(face) for face in faces])
    low, high = boxes[:, 0].min(axis=0), boxes[:, 1].max(axis=0)
    grid = 2.0 ** (math.floor(math.log2(max(float((high - low).max()), TINY))) - 2)
    return np.asarray(grid * np.round(0.5 * (low + high) / grid))


def _strip(
    faces: Sequence[Face], members: Iterable[int], reference: FloatArray, rule: _Rule
) -> FaceQuadrature:
    members = list(members)
    nodes = border_nodes(faces, members, reference, along_curves=rule is _general_strip)
    return completed(faces, members, rule(faces, nodes, reference), reference)


_Rule = Callable[[Sequence[Face], BorderNodes, FloatArray], FaceQuadrature]


def _frames(
    faces: Sequence[Face], face: IntArray, reference: FloatArray
) -> tuple[FloatArray, FloatArray, FloatArray, FloatArray, FloatArray]:
    """Frame origin, x, y, normal, each (M, 3), and the outward sign (M,), of the face of each node."""
    table = {i: _frame_row(faces[i].surface, faces[i].outward) for i in set(face.tolist())}
    index = {i: k for k, i in enumerate(table)}
    rows = np.array(list(table.values()))[np.array([index[i] for i in face.tolist()])]
    return rows[:, 0:3] - reference, rows[:, 3:6], rows[:, 6:9], rows[:, 9:12], rows[:, 12]


def _frame_row(surface: Any, outward: bool) -> list[float]:
    f = surface.frame
    return [*f.origin, *f.x, *f.y, *f.normal, 1.0 if outward else -1.0]


def _inner(v: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Nodes (M, K) and weights (M, K) of the inner integral from 0 to v."""
    return _between(np.zeros_like(v), v)


def _between(low: FloatArray, v: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Nodes (M, K) and weights (M, K) of the inner integral from `low` to v."""
    half = 0.5 * (v - low)[:, None]
    return low[:, None] + half * (INNER_NODES + 1.0), half * INNER_WEIGHTS


def _rows(a: FloatArray, b: FloatArray) -> FloatArray:
    return np.einsum("ij,ij->i", a, b)


def _plane_strip(faces: Sequence[Face], nodes: BorderNodes, reference: FloatArray) -> FaceQuadrature:
    face, p, dp = nodes.face, nodes.points, nodes.steps
    origin, x, y, normal, sign = _frames(faces, face, reference)
    d = p - origin
    v = _rows(d, y)
    places, weights = _inner(v)
    base = p - v[:, None] * y
    points = base[:, None, :] + places[:, :, None] * y[:, None, :]
    # Green: the region counts positive when its loops run counter-clockwise about the outward normal
    du = -_rows(dp, x) * sign
    return FaceQuadrature(points, (normal * sign[:, None])[:, None], weights * du[:, None], face)


def _cylinder_strip(faces: Sequence[Face], nodes: BorderNodes, reference: FloatArray) -> FaceQuadrature:
    face, p, dp = nodes.face, nodes.points, nodes.steps
    origin, _, _, axis, sign = _frames(faces, face, reference)
    d = p - origin
    v = _rows(d, axis)
    radial = d - v[:, None] * axis
    radial /= np.sqrt(_rows(radial, radial))[:, None]
    around = np.cross(axis, radial)
    places, weights = _inner(v)
    base = p - v[:, None] * axis
    points = base[:, None, :] + places[:, :, None] * axis[:, None, :]
    arc = -_rows(dp, around) * sign  # radius times du
    return FaceQuadrature(points, (radial * sign[:, None])[:, None], weights * arc[:, None], face)


def _extruded_strip(faces: Sequence[Face], nodes: BorderNodes, reference: FloatArray) -> FaceQuadrature:
    """A surface ruled along one direction needs no parameters: the strip below a boundary step is
    the step, less what it climbs, times the height."""
    face, p, dp = nodes.face, nodes.points, nodes.steps
    origin, _, _, axis, sign = _frames(faces, face, reference)
    v = _rows(p - origin, axis)
    places, weights = _inner(v)
    base = p - v[:, None] * axis
    points = base[:, None, :] + places[:, :, None] * axis[:, None, :]
    area = np.cross(axis, dp)  # the outward area of the strip per unit of height, whichever way it counts
    size = np.sqrt(_rows(area, area))
    upward = np.empty_like(area)
    for i in set(face.tolist()):
        here = face == i
        upward[here] = faces[i].surface.normals(p[here] + reference)
    counts = np.sign(_rows(area, upward) * sign)
    normals = area / np.maximum(size, NOWHERE)[:, None] * counts[:, None]
    return FaceQuadrature(points, normals[:, None], weights * (counts * size)[:, None], face)


def _cone_strip(faces: Sequence[Face], nodes: BorderNodes, reference: FloatArray) -> FaceQuadrature:
    """Strips along the straight lines of the cone, from the apex where the face goes round it or comes near
    it: there the angle of its edges leaps, which a strip of no length does not feel."""
    face, p, dp = nodes.face, nodes.points, nodes.steps
    origin, _, _, axis, sign = _frames(faces, face, reference)
    angle = np.array([getattr(f.surface, "half_angle", 0.0) for f in faces])[face]
    d = p - origin
    v = _rows(d, axis)
    radial = d - v[:, None] * axis
    reach = np.sqrt(_rows(radial, radial))
    radial /= np.maximum(reach, NOWHERE)[:, None]
    around = np.cross(axis, radial)
    du = -_rows(dp, around) / np.maximum(reach, NOWHERE) * sign
    low, high = np.full(len(faces), np.inf), np.zeros(len(faces))
    np.minimum.at(low, face, v)
    np.maximum.at(high, face, v)
    bases = np.where((low < NEAR_APEX * high)[face], 0.0, level_bases(face, du, v, 0.0))
    places, weights = _between(bases, v)
    steep, c, s = np.tan(angle), np.cos(angle), np.sin(angle)
    line = radial * steep[:, None] + axis
    points = origin[:, None, :] + places[:, :, None] * line[:, None, :]
    area = weights * places * (steep / c * du)[:, None]
    normals = (c[:, None] * radial - s[:, None] * axis) * sign[:, None]
    return FaceQuadrature(points, normals[:, None], area, face)


def _general_strip(faces: Sequence[Face], nodes: BorderNodes, reference: FloatArray) -> FaceQuadrature:
    """Strips along v of any surface: from a pole that the face goes round, else from its least v, or
    from nought. The inner integral is done piece by piece where the surface is smooth piece by piece."""
    face, p, dp = nodes.face, nodes.points, nodes.steps
    empty = np.zeros((0, len(NODES), 3))
    made = [FaceQuadrature(empty, empty, np.zeros((0, len(NODES))), np.zeros(0, dtype=np.intp))]
    for i in dict.fromkeys(face.tolist()):
        here = face == i
        surface, sign = faces[i].surface, 1.0 if faces[i].outward else -1.0
        uv = surface.parameters(p[here] + reference)
        round_it = strips_round(faces[i], uv, dp[here])
        if round_it is not None:
            points, normals, weights = round_it
            made.append(FaceQuadrature(points - reference, normals, weights, np.full(len(points), i)))
            continue
        along = surface.slides(uv)
        du = _rows(dp[here], along) / np.maximum(_rows(along, along), NOWHERE)
        for tip in surface.singular_points:  # where edges miss each other by rounding u may be anything
            du[np.linalg.norm(p[here] + reference - tip.point, axis=1) <= RESOLUTION] = 0.0
        rule, scales = _SHORT if len(surface.smooth_breaks()[1]) else (NODES, WEIGHTS)
        for low, high in _pieces_across(faces[i], uv[:, 1]):
            counts = (high != low) & (np.abs(du) > NO_STEP * np.abs(du).max())
            half = 0.5 * (high - low)[counts, None]
            places, inner = low[counts, None] + half * (rule + 1.0), half * scales
            rows = np.column_stack([np.repeat(uv[counts, 0], len(rule)), places.ravel()])
            places_3d, ways, sizes = surface.elements(rows)
            shape = (len(half), len(rule), 3)
            points = (places_3d - reference).reshape(shape)
            weights = -inner * sizes.reshape(shape[:2]) * (du[counts] * sign)[:, None]
            normals, owner = sign * ways.reshape(shape), np.full(len(points), i)
            made.append(FaceQuadrature(_filled(points), _filled(normals), _filled(weights), owner))
    return joined(made)


def _filled(part: FloatArray) -> FloatArray:
    """As many inner nodes as all strips have, those that are more without weight."""
    room = len(NODES) - part.shape[1]
    return np.pad(part, [(0, 0), (0, room), *[(0, 0)] * (part.ndim - 2)]) if room else part


def _pieces_across(face: Face, v: FloatArray) -> Iterator[tuple[FloatArray, FloatArray]]:
    """Ranges of v, (N,) each, that together run from where strips begin to `v`; no break lies inside one."""
    surface = face.surface
    low, high = surface.domain[1]
    breaks, tips = np.array(surface.joints()[1]), surface.singular_points
    if not tips and not len(breaks):
        yield np.full_like(v, min(max(0.0, low), high)), v
        return
    base = _end_at(surface, _chosen_tip(face, tips)) if tips else low
    stops = np.array([-np.inf, *breaks, np.inf])
    for a, b in pairwise(stops):
        start, end = np.clip(base, a, b), np.clip(v, a, b)
        if (end != start).any():
            yield np.full_like(v, start), end


def _chosen_tip(face: Face, tips: Sequence[Tip]) -> Tip:
    """The tip that a face goes round, or that its border passes: strips from there do not feel how u leaps
    at it."""
    if len(tips) == 1:
        return tips[0]
    passed = [tip for tip in tips if _passes(face, tip)]
    if len(passed) > 1:
        raise ModellingError(f"a {face.surface.called} face that ends in two tips cannot be measured yet")
    return passed[0] if passed else tips[0]


def _passes(face: Face, tip: Tip) -> bool:
    """Whether an edge of a face comes to a tip."""
    edges = (coedge.edge for coedge in face.coedges())
    return any(
        math.dist(e.curve.point(e.curve.nearest_between(tip.point, e.t0, e.t1)), tip.point) <= RESOLUTION
        for e in edges
    )


def _end_at(surface: Surface, tip: Tip) -> float:
    """The end of v that is a tip."""
    (u, _), ends = surface.domain
    places = surface.points(np.array([[u, end] for end in ends]))
    return min(zip(ends, places.tolist(), strict=True), key=lambda row: math.dist(row[1], tip.point))[0]


_IN_BATCHES: dict[type, _Rule] = {
    PlaneSurface: _plane_strip,
    CylinderSurface: _cylinder_strip,
    ExtrudedSurface: _extruded_strip,
    ConeSurface: _cone_strip,
    SphereSurface: closed_strip,
    TorusSurface: closed_strip,
}
"""Kinds of which all faces are done at once, and how; all others by the general rule, one by one."""


def _volume_moments(strip: FaceQuadrature, count: int) -> FloatArray:
    """(V, x, y, z, xx, yy, zz, xy, yz, zx) integrals about the reference, by face, shape (count, 10)."""
    p, n, w = strip.points, strip.normals, strip.weights
    x, y, z = p[:, :, 0], p[:, :, 1], p[:, :, 2]
    wx, wy, wz = w * n[:, :, 0], w * n[:, :, 1], w * n[:, :, 2]
    terms = (
        (x * wx + y * wy + z * wz) / 3.0,
        x * x * wx / 2.0,
        y * y * wy / 2.0,
        z * z * wz / 2.0,
        x * x * x * wx / 3.0,
        y * y * y * wy / 3.0,
        z * z * z * wz / 3.0,
        x * x * y * wx / 2.0,
        y * y * z * wy / 2.0,
        z * z * x * wz / 2.0,
    )
    return np.column_stack([np.bincount(strip.face, term.sum(axis=1), count) for term in terms])


def _from_moments(table: FloatArray, reference: FloatArray) -> MassProperties:
    """table : the integrals of each face, (F, 11)."""
    face_areas, m = table[:, 0], table[:, 1:].sum(axis=0)
    volume = float(m[0])
    center = m[1:4] / volume if volume else np.zeros(3)
    xx, yy, zz = m[4:7] - volume * center * center
    xy = m[7] - volume * center[0] * center[1]
    yz = m[8] - volume * center[1] * center[2]
    zx = m[9] - volume * center[2] * center[0]
    inertia = np.array([[yy + zz, -xy, -zx], [-xy, zz + xx, -yz], [-zx, -yz, xx + yy]])
    x, y, z = (float(c) for c in reference + center)
    return MassProperties(volume, float(face_areas.sum()), (x, y, z), inertia, face_areas, table[:, 1])
