"""The places of faces that are nearest to a point, and which faces of two bodies can touch at all."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from ..errors import ModellingError
from ..geometry.placement import FloatArray
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec3, distance
from .boxes import face_bounds, overlapping
from .brep import Face
from .parting import reach_across
from .trim import OUTSIDE, UNCLEAR, region_of


def nearest_in_face(face: Face, point: Vec3) -> Vec3:
    """The place of a face that is nearest to `point`. Raises ModellingError where that is not clear."""
    surface = face.surface
    feet = surface.points(surface.local_feet(point))
    away = np.linalg.norm(feet - np.array(point), axis=1)
    on_edges = [coedge.edge.nearest(point) for coedge in face.coedges()]
    best = min(on_edges, key=lambda place: distance(place, point), default=None)
    least = math.inf if best is None else distance(best, point)
    nearer = np.flatnonzero(away < least)
    states = region_of(face).states(feet[nearer])
    for k in np.argsort(away[nearer]):
        if states[k] == UNCLEAR:
            raise ModellingError(f"it is not clear whether the foot of {point} lies in the face")
        if states[k] != OUTSIDE:
            x, y, z = feet[nearer][k].tolist()
            return (x, y, z)
    if best is None:
        raise ModellingError(f"the face has no point nearest to {point}")
    return best


def nearest_in_faces(faces: Sequence[Face], boxes: FloatArray, point: Vec3) -> Vec3:
    """The place of some faces that is nearest to `point`. boxes : around each of them, (N, 2, 3)."""
    bounds = distances_to_boxes(np.array([point]), boxes)[0]
    best, least = point, math.inf
    for k in np.argsort(bounds).tolist():
        if bounds[k] >= least:
            break
        place = nearest_in_face(faces[k], point)
        if (away := distance(place, point)) < least:
            best, least = place, away
    return best


def distances_to_boxes(points: FloatArray, boxes: FloatArray) -> FloatArray:
    """Distances of points, (N, 3), from boxes, (M, 2, 3), shape (N, M); 0 inside."""
    below, above = boxes[None, :, 0] - points[:, None], points[:, None] - boxes[None, :, 1]
    return np.linalg.norm(np.maximum(np.maximum(below, above), 0.0), axis=2)


def boxes_around(faces: Sequence[Face]) -> FloatArray:
    """The smallest box around each of some faces, (N, 2, 3)."""
    return np.array([face_bounds(face) for face in faces]).reshape(-1, 2, 3)


def may_touch(ones: Sequence[Face], twos: Sequence[Face]) -> list[tuple[Face, Face]]:
    """The pairs of faces, one of each kind, that can touch: their boxes meet, and neither lies wholly to one
    side of the plane of the other."""
    pairs = overlapping(boxes_around(ones), boxes_around(twos))
    near = [(ones[i], twos[j]) for i, j in pairs]
    return [(one, two) for one, two in near if not (_is_beside(one, two) or _is_beside(two, one))]


def _is_beside(face: Face, other: Face) -> bool:
    """Whether a face lies to one side of the plane of another, if that is one, and does not reach it."""
    plane = other.surface.plane
    if plane is None:
        return False
    normal = np.asarray(plane.normal)
    reach = reach_across(face, normal, float(normal @ plane.origin))
    return reach.least > RESOLUTION or reach.most < -RESOLUTION
