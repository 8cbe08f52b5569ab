"""Faces that lie on two sides of a plane, and reach it at most with their edges: as those do that go on in
each other along a circle, a pipe's leg in its bend. They meet nowhere but along those edges."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..geometry.placement import FloatArray
from ..geometry.tolerance import RESOLUTION
from .boxes import in_face, outer_box
from .brep import Edge, Face

SAMPLES = 13
FLAT = 1e-3 * RESOLUTION
"""An edge lies in a plane if no sample is farther from it."""

ROOM = 2.0 * RESOLUTION


def are_parted(one: Face, two: Face) -> bool:
    """Whether the plane of a curved edge of either face parts them, and not both reach it inside of their
    borders."""
    for normal, height in _planes(one, two):
        if not _may_part(normal, height, one, two):
            continue
        above, below = (reach_across(face, normal, height) for face in (one, two))
        for upper, lower in ((above, below), (below, above)):
            if upper.least >= -ROOM and lower.most <= ROOM and not (upper.inner and lower.inner):
                return True
    return False


def _may_part(normal: FloatArray, height: float, one: Face, two: Face) -> bool:
    """Whether the borders of two faces lie on either side of a plane, as far as some of their places tell."""
    sides = []
    for face in (one, two):
        points = face.remembered("border", _border) @ normal - height
        sides.append((bool((points >= -ROOM).all()), bool((points <= ROOM).all())))
    (above, below), (other_above, other_below) = sides
    return (above and other_below) or (below and other_above)


def _border(face: Face) -> FloatArray:
    """Places along the edges of a face, (N, 3)."""
    rows = [c.edge.curve.points(np.linspace(c.edge.t0, c.edge.t1, SAMPLES)) for c in face.coedges()]
    return np.concatenate([np.zeros((0, 3)), *rows])


class Reach:
    """How far a face lies above and below a plane, and whether it reaches that inside of its borders."""

    def __init__(self, border: FloatArray, spots: FloatArray) -> None:
        every = np.concatenate([border, spots])
        self.least, self.most = float(every.min()), float(every.max())
        self.inner = bool((np.abs(spots) <= ROOM).any())


def reach_across(face: Face, normal: FloatArray, height: float) -> Reach:
    """How far a face reaches above and below a plane of a unit normal, (3,), at a height along it."""
    border = np.concatenate([_farthest(coedge.edge, normal) for coedge in face.coedges()] or [np.zeros(0)])
    spots = face.surface.extreme_points(normal[None])
    if len(spots):
        spots = in_face(face, spots)
    return Reach(border - height, spots @ normal - height)


def _farthest(edge: Edge, normal: FloatArray) -> FloatArray:
    """Along a direction, the places of an edge that may be its farthest."""
    t = np.array([edge.t0, *edge.curve.extremes(edge.t0, edge.t1, normal[None]), edge.t1])
    return np.asarray(edge.curve.points(t) @ normal)


def _planes(one: Face, two: Face) -> Iterator[tuple[FloatArray, float]]:
    """The planes of the edges of each face that bend in one and come near the other face, each once."""
    found: list[tuple[FloatArray, float]] = []
    for face, other in ((one, two), (two, one)):
        box = outer_box(other)
        for coedge in face.coedges():
            edge = coedge.edge
            if (edge.bounds[0] > box[1] + ROOM).any() or (edge.bounds[1] < box[0] - ROOM).any():
                continue
            plane = _plane_of(edge)
            if plane is not None and not any(_are_one(plane, known) for known in found):
                found.append(plane)
                yield plane


def _are_one(one: tuple[FloatArray, float], two: tuple[FloatArray, float]) -> bool:
    cosine = float(one[0] @ two[0])
    return abs(cosine) > 1.0 - 1e-12 and abs(one[1] - cosine * two[1]) <= ROOM


def _plane_of(edge: Edge) -> tuple[FloatArray, float] | None:
    """The unit normal of the plane that an edge bends in, and its height; None for others and for lines."""
    points = edge.curve.points(np.linspace(edge.t0, edge.t1, SAMPLES))
    middle = points.mean(axis=0)
    sizes, ways = np.linalg.svd(points - middle)[1:]
    if sizes[1] <= RESOLUTION or sizes[2] > FLAT:
        return None
    return ways[2], float(ways[2] @ middle)
