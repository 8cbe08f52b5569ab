"""Is a point inside a solid? By the parity of a ray's hits on the exact faces.

A ray that passes an edge closely, or only grazes a face, is thrown again in another direction.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ..errors import ModellingError
from ..geometry.placement import FloatArray
from ..geometry.tolerance import GRAZING, RESOLUTION
from ..geometry.vector import Vec3, unit
from .boxes import outer_box
from .brep import Face
from .trim import ON, OUTSIDE, UNCLEAR, region_of

BoolArray = NDArray[np.bool_]

CHUNK = 4096
WAYS: tuple[Vec3, ...] = tuple(
    unit(d)
    for d in (
        (0.5377, 0.1834, 0.8226), (-0.4336, 0.8426, -0.3190), (0.2769, -0.9350, 0.2214),
        (0.7150, 0.4889, -0.4997), (-0.7269, -0.3034, 0.6161), (0.2939, -0.5873, 0.7542),
        (0.8884, -0.2471, -0.3868), (-0.1068, 0.4094, -0.9061), (-0.8095, 0.5838, 0.0620),
        (0.1325, 0.9153, 0.3804), (-0.3545, -0.1241, -0.9268), (0.6215, -0.7406, -0.2555),
    )
)  # fmt: skip
"""Directions in no relation to anything a part is made of."""


def contains(faces: Sequence[Face], points: FloatArray) -> BoolArray:
    """Whether each of `points`, shape (N, 3), lies in the solid bounded by `faces`; on the boundary
    (within the resolution) counts as inside. Raises ModellingError if no ray gives a clear answer."""
    inside = np.zeros(len(points), dtype=bool)
    boxes = np.array([outer_box(face) for face in faces])
    low, high = boxes[:, 0].min(axis=0) - RESOLUTION, boxes[:, 1].max(axis=0) + RESOLUTION
    candidates = np.flatnonzero(((points >= low) & (points <= high)).all(axis=1))
    for start in range(0, len(candidates), CHUNK):
        which = candidates[start : start + CHUNK]
        inside[which] = _chunk(faces, boxes, points[which])
    return inside


def _chunk(faces: Sequence[Face], boxes: FloatArray, points: FloatArray) -> BoolArray:
    inside = np.zeros(len(points), dtype=bool)
    todo = np.arange(len(points))
    for way in WAYS:
        counts, unclear, touching = crossings(faces, boxes, points[todo], way)
        inside[todo[touching]] = True
        clear = ~unclear & ~touching
        inside[todo[clear]] = counts[clear] % 2 == 1
        todo = todo[unclear & ~touching]
        if not len(todo):
            return inside
    x, y, z = points[todo[0]].tolist()
    raise ModellingError(f"no ray from ({x:.6g}, {y:.6g}, {z:.6g}) tells whether the point is inside")


def crossings(
    faces: Sequence[Face], boxes: FloatArray, points: FloatArray, way: Vec3
) -> tuple[NDArray[np.intp], BoolArray, BoolArray]:
    """How often the ray from each point crosses the faces, whether that is unclear, and whether the point
    lies on a face."""
    counts = np.zeros(len(points), dtype=np.intp)
    unclear, touching = np.zeros(len(points), dtype=bool), np.zeros(len(points), dtype=bool)
    direction = np.asarray(way)
    for face, box in zip(faces, boxes, strict=True):
        near = np.flatnonzero(meets_box(points, direction, box))
        if not len(near):
            continue
        hits = face.surface.ray_hits(points[near], direction)
        rows, columns = np.nonzero(hits > -RESOLUTION)
        if not len(rows):
            continue
        t, which = hits[rows, columns], near[rows]
        places = points[which] + t[:, None] * direction
        states = region_of(face).states(places)
        steep = np.abs(face.surface.normals(places) @ direction)
        real = states != OUTSIDE
        here = np.abs(t) <= RESOLUTION
        touching[which[real & here & (states != UNCLEAR)]] = True
        graze = (states == ON) | (states == UNCLEAR) | ((steep < GRAZING) & real)
        unclear[which[graze & (~here | (states == UNCLEAR))]] = True
        np.add.at(counts, which[real & ~here & ~graze & (t > 0)], 1)
    return counts, unclear, touching


def meets_box(points: FloatArray, direction: FloatArray, box: FloatArray) -> BoolArray:
    """Whether the ray from each point meets a box (Kay & Kajiya's slabs)."""
    with np.errstate(divide="ignore", invalid="ignore"):
        one = (box[0] - 1e-6 - points) / direction
        two = (box[1] + 1e-6 - points) / direction
    near, far = np.minimum(one, two).max(axis=1), np.maximum(one, two).min(axis=1)
    result: BoolArray = (far >= near) & (far >= -RESOLUTION)
    return result
