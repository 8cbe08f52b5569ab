"""Boxes around faces: quick ones that are never too small, for culling, and exact ones for bounds."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from ..geometry.canal import CanalSurface
from ..geometry.placement import FloatArray
from ..geometry.round_surfaces import ConeSurface, SphereSurface, TorusSurface
from ..geometry.spline import sign_changes
from ..geometry.surfaces import Surface
from ..geometry.tolerance import RESOLUTION
from .brep import Edge, Face
from .windings import loop_outline, winding

SAMPLES = 129
PATCHES, BORDER = (32, 12), 33
BULGE = 0.25
"""A patch of a canal lies within so much of its diagonal around its corners' box."""

BEYOND, HALF = 0.02, 3.0


def outer_box(face: Face) -> FloatArray:
    """A box that holds the face, shape (2, 3); for spheres and tori that of the whole surface."""
    found = face.__dict__.get("_box")
    if not isinstance(found, np.ndarray):
        found = face.__dict__["_box"] = _box_of(face)
    return found


def _box_of(face: Face) -> FloatArray:
    whole = _whole_box(face.surface)
    if whole is not None:
        return whole
    boxes = [c.edge.bounds for c in face.coedges()]
    points = [b for box in boxes for b in box]
    if isinstance(face.surface, ConeSurface) and _holds_tip(face):
        points.append(np.asarray(face.surface.frame.origin))
    table = np.array(points)
    if isinstance(face.surface, CanalSurface):
        table = np.concatenate([table, *patch_boxes(face)])
    return np.array([table.min(axis=0), table.max(axis=0)])


def patch_boxes(face: Face) -> FloatArray:
    """Boxes that together hold a face on a canal, shape (K, 2, 3): of small patches of its range."""
    found = face.__dict__.get("_patches")
    if not isinstance(found, np.ndarray):
        assert isinstance(face.surface, CanalSurface)
        found = face.__dict__["_patches"] = _patches_of(face.surface, [c.edge for c in face.coedges()])
    return found


def _patches_of(surface: CanalSurface, edges: Sequence[Edge]) -> FloatArray:
    border = np.concatenate([e.curve.points(np.linspace(e.t0, e.t1, BORDER)) for e in edges])
    uv = surface.parameters(border)
    (u0, v0), (u1, v1) = uv.min(axis=0), uv.max(axis=0)
    if surface.period:
        u0, u1 = surface.spine.low, surface.spine.high
    if v1 - v0 > HALF:  # it may go the other way round
        v0, v1 = -math.pi, math.pi
    room = np.array([u1 - u0, v1 - v0]) * BEYOND
    u = np.linspace(
        max(u0 - room[0], surface.spine.low), min(u1 + room[0], surface.spine.high), PATCHES[0] + 1
    )
    v = np.linspace(v0 - room[1], v1 + room[1], PATCHES[1] + 1)
    grid = surface.points(np.stack(np.meshgrid(u, v, indexing="ij"), axis=-1).reshape(-1, 2))
    grid = grid.reshape(len(u), len(v), 3)
    corners = np.stack([grid[:-1, :-1], grid[1:, :-1], grid[:-1, 1:], grid[1:, 1:]])
    low, high = corners.min(axis=0), corners.max(axis=0)
    bulge = BULGE * np.linalg.norm(high - low, axis=2)[:, :, None]
    return np.stack([low - bulge, high + bulge], axis=2).reshape(-1, 2, 3)


def _holds_tip(face: Face) -> bool:
    """Whether the tip of its cone lies inside a face: its loops go round it once in all."""
    turns = [winding(loop_outline(loop, face.surface), face.surface)[0] for loop in face.loops]
    return sum(turns) != 0


def _whole_box(surface: Surface) -> FloatArray | None:
    """Of a closed surface; None for one without bounds."""
    center = np.asarray(surface.frame.origin)
    if isinstance(surface, SphereSurface):
        return np.array([center - surface.radius, center + surface.radius])
    if isinstance(surface, TorusSurface):
        level = np.sqrt(np.maximum(1.0 - np.asarray(surface.frame.normal) ** 2, 0.0))
        reach = surface.major * level + surface.minor
        return np.array([center - reach, center + reach])
    return None


def extreme_points(surface: Surface) -> FloatArray:
    """Where x, y or z can be largest or smallest inside a face of the surface, shape (N, 3)."""
    center = np.asarray(surface.frame.origin)
    if isinstance(surface, SphereSurface):
        steps = surface.radius * np.eye(3)
        return np.concatenate([center + steps, center - steps])
    if isinstance(surface, ConeSurface):
        return center[None, :]
    if isinstance(surface, CanalSurface):
        return _canal_extremes(surface)
    if isinstance(surface, TorusSurface):
        axis, found = np.asarray(surface.frame.normal), []
        for way in np.eye(3):
            level = way - (way @ axis) * axis
            size = math.hypot(*level)
            ring = level / size if size > 1e-12 else np.asarray(surface.frame.x)
            reach = surface.major * ring + surface.minor * way
            found += [center + reach, center - reach]
        found += [np.array(tip.point) for tip in surface.tips]
        places = np.array(found)  # of a spindle some may lie on what is not of it
        return places[np.abs(surface.distance(places)) <= RESOLUTION]
    return np.zeros((0, 3))


def _canal_extremes(surface: CanalSurface) -> FloatArray:
    """Above and below the centers of the balls that reach highest and lowest among their neighbours."""
    spine, found = surface.spine, [np.zeros((0, 3))]
    stops = np.linspace(spine.low, spine.high, max(SAMPLES, len(spine.knots)))
    for way in np.eye(3):
        for side in (1.0, -1.0):

            def slopes(t: FloatArray, way: FloatArray = way, side: float = side) -> FloatArray:
                return np.asarray(spine.derivatives(t) @ way + side * surface.radii(t, 1))

            t = sign_changes(slopes, stops)
            found.append(spine.points(t) + side * surface.radii(t)[:, None] * way)
    return np.concatenate(found)


def overlapping(one: FloatArray, two: FloatArray) -> list[tuple[int, int]]:
    """Numbers of the boxes, (N, 2, 3) and (M, 2, 3), that meet."""
    found: list[tuple[int, int]] = []
    slack = 2.0 * RESOLUTION
    rows = max(1, 2_000_000 // max(1, len(two)))
    for start in range(0, len(one), rows):
        part = one[start : start + rows, None]
        meets = (part[:, :, 0] <= two[None, :, 1] + slack) & (part[:, :, 1] >= two[None, :, 0] - slack)
        i, j = np.nonzero(meets.all(axis=2))
        found += zip((i + start).tolist(), j.tolist(), strict=True)
    return found
