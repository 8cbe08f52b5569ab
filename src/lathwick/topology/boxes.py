"""Boxes around faces: quick ones that are never too small, for culling, and exact ones for bounds."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence

import numpy as np
from numpy.typing import NDArray

from ..geometry.curve_surface import is_solved
from ..geometry.curves import ROUND, STRAIGHT
from ..geometry.many_curves import boxes_of
from ..geometry.placement import FloatArray
from ..geometry.spline import BSpline, spline_boxes
from ..geometry.tolerance import RESOLUTION
from .brep import Edge, Face
from .trim import region_of
from .windings import loop_outlines, samples_of, winding

BORDER = 33
"""So many points along an edge tell the range of parameters of a face."""

PIECES, FEWEST_PIECES = 48, 4
"""So many boxes hold an edge, at least; and each part of it between its breaks."""

TURN = (-math.pi, math.pi)
MANY_PAIRS = 100_000
"""So many pairs of boxes are not looked at one by one."""

ROUNDING = 1e-15
"""What reaches no farther than by this share is not beyond."""

HALF = 3.0
"""A range of angles wider than this may go the other way round."""


def outer_box(face: Face) -> FloatArray:
    """A box that holds the face, shape (2, 3); for spheres and tori that of the whole surface."""
    return face.remembered("outer_box", _box_of)


def _box_of(face: Face) -> FloatArray:
    whole = face.surface.whole_box()
    if whole is not None:
        return whole
    points = [b for loop in face.outlines for coedge in loop.coedges for b in coedge.edge.bounds]
    points += [np.asarray(tip.point) for tip in face.surface.singular_points if _goes_round(face)]
    table = np.array(points).reshape(-1, 3)
    if face.surface.bulges:
        table = np.concatenate([table, *patch_boxes(face)])
    return np.array([table.min(axis=0), table.max(axis=0)])


def measure_edges(edges: Iterable[Edge]) -> None:
    """Work out the bounds of many edges at once, for those that do not know them."""
    fresh = [edge for edge in edges if "bounds" not in edge.__dict__]
    splines = [(edge, edge.curve) for edge in fresh if isinstance(edge.curve, BSpline)]
    boxes = spline_boxes([(curve, edge.t0, edge.t1) for edge, curve in splines])
    for (edge, _), box in zip(splines, boxes, strict=True):
        edge.__dict__["bounds"] = box
    plain = [edge for edge in fresh if edge.curve.form in (STRAIGHT, ROUND)]
    if plain:
        ends = np.array([(edge.t0, edge.t1) for edge in plain])
        for edge, box in zip(plain, boxes_of([e.curve for e in plain], *ends.T), strict=True):
            edge.__dict__["bounds"] = box


def patch_boxes(face: Face) -> FloatArray:
    """Boxes that together hold a face, shape (K, 2, 3): of small patches of its range of parameters."""
    return face.remembered("patch_boxes", _patches_of)


def keep_boxes(old: Face, new: Face) -> Face:
    """The new face, which knows the boxes of an old one: it is that with holes."""
    for what in ("outer_box", "patch_boxes"):
        if (known := old.recalled(what)) is not None:
            new.remember(what, known)
    return new


def _patches_of(face: Face) -> FloatArray:
    surface = face.surface
    ranges = list(surface.domain)
    edges = [c.edge for c in face.coedges()]
    if edges:
        uv = surface.parameters(samples_of(edges, BORDER).reshape(-1, 3))
        round_it = _goes_round(face)
        for k, period in enumerate(surface.periods):
            low, high = float(uv[:, k].min()), float(uv[:, k].max())
            if period or (round_it and k == 1) or (ranges[k] == TURN and high - low > HALF):
                low, high = min(low, ranges[k][0]), max(high, ranges[k][1])
            ranges[k] = low, high
    return surface.boxes(ranges[0], ranges[1])


def _goes_round(face: Face) -> bool:
    """Whether the loops of a face go round its surface once in all, so that a tip lies inside it."""
    paths = loop_outlines(face.loops, face.surface)
    return sum(winding(path, face.surface)[0] for path in paths) != 0


def face_bounds(face: Face) -> FloatArray:
    """The exact smallest box around a face, shape (2, 3)."""
    return face.remembered("bounds", _bounds_of)


def _bounds_of(face: Face) -> FloatArray:
    return bounds_of_all([face])


def bounds_of_all(faces: Sequence[Face]) -> FloatArray:
    """The exact smallest box around faces, shape (2, 3): that of their edges, and what reaches beyond it amid
    a face."""
    boxes = np.array([face.remembered("outline_box", _outline_box) for face in faces])
    low, high = boxes[:, 0].min(axis=0), boxes[:, 1].max(axis=0)
    for face in faces:
        spots = face.remembered("extremes", lambda f: f.surface.extreme_points())
        if len(spots):
            slack = ROUNDING * np.abs(spots).max()
            spots = spots[((spots < low - slack) | (spots > high + slack)).any(axis=1)]
        if len(spots):
            spots = in_face(face, spots)
            low, high = (f(np.vstack([edge, spots]), axis=0) for f, edge in ((np.min, low), (np.max, high)))
    return np.array([low, high])


def in_face(face: Face, spots: FloatArray) -> FloatArray:
    """Those of some places, (N, 3), that lie in a face: on its surface, and not only on what that would go on
    to be far beyond its borders."""
    gaps = np.linalg.norm(face.surface.points(face.surface.parameters(spots)) - spots, axis=1)
    here = spots[gaps <= RESOLUTION]
    return here[region_of(face).states(here) >= 0] if len(here) else here


def _outline_box(face: Face) -> FloatArray:
    boxes = [coedge.edge.bounds for loop in face.outlines for coedge in loop.coedges]
    if not boxes:
        return np.array([[math.inf] * 3, [-math.inf] * 3])
    return np.array([np.min(boxes, axis=0)[0], np.max(boxes, axis=0)[1]])


def may_hit(edge: Edge, face: Face) -> bool:
    """Whether to look for common points of an edge and a face: these have a closed form, or boxes around
    pieces of the edge meet some that together hold the face."""
    if is_solved(edge.curve, face.surface):
        return True
    in_patches = face.surface.bulges and face.surface.whole_box() is None
    patches = patch_boxes(face) if in_patches else outer_box(face)[None]
    pieces = edge.remembered("piece_boxes", _boxes_of_pieces)
    meets = (pieces[:, None, 0] <= patches[None, :, 1]) & (pieces[:, None, 1] >= patches[None, :, 0])
    return bool(meets.all(axis=2).any())


def _boxes_of_pieces(edge: Edge) -> FloatArray:
    """Boxes that hold an edge piece by piece, several for each of its `breaks`, (N, 2, 3): larger by half of
    the longest step than those of their ends; an arc of half a turn leaves its chord by no more."""
    stops = np.array(edge.curve.breaks(edge.t0, edge.t1))
    each = max(FEWEST_PIECES, math.ceil(PIECES / (len(stops) - 1)))
    t = np.append((stops[:-1, None] + np.diff(stops)[:, None] * np.arange(each) / each).ravel(), stops[-1])
    ends = edge.curve.points(t)
    room = 0.5 * np.linalg.norm(np.diff(ends, axis=0), axis=1).max() + 2.0 * RESOLUTION
    low, high = np.minimum(ends[:-1], ends[1:]), np.maximum(ends[:-1], ends[1:])
    return np.stack([low - room, high + room], axis=1)


def overlapping(one: FloatArray, two: FloatArray) -> list[tuple[int, int]]:
    """Numbers of the boxes, (N, 2, 3) and (M, 2, 3), that meet, in order."""
    if not len(one) or not len(two):
        return []
    if len(one) * len(two) > MANY_PAIRS:
        i, j = _pairs_of_many(one, two)
    else:
        i, j = np.indices((len(one), len(two)), dtype=np.intp).reshape(2, -1)
    slack = 2.0 * RESOLUTION
    meets = (one[i, 0] <= two[j, 1] + slack) & (one[i, 1] >= two[j, 0] - slack)
    both = meets.all(axis=1)
    return list(zip(i[both].tolist(), j[both].tolist(), strict=True))


def _pairs_of_many(one: FloatArray, two: FloatArray) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Pairs that may meet: those that do in a plane of the axes along which there are most to tell apart."""
    from shapely import STRtree, box

    wide = np.ptp(two.mean(axis=1), axis=0) / np.maximum((two[:, 1] - two[:, 0]).mean(axis=0), RESOLUTION)
    k, m = np.sort(np.argsort(wide)[1:])
    grown = one + 4.0 * RESOLUTION * np.array([[-1.0], [1.0]])
    tree = STRtree(box(two[:, 0, k], two[:, 0, m], two[:, 1, k], two[:, 1, m]))
    i, j = tree.query(box(grown[:, 0, k], grown[:, 0, m], grown[:, 1, k], grown[:, 1, m]))
    order = np.lexsort((j, i))
    return i[order], j[order]


def beside_plane(boxes: FloatArray, origins: FloatArray, normals: FloatArray) -> NDArray[np.bool_]:
    """Which boxes, (N, 2, 3), lie to one side of planes through some points, (N, 3) or (3,), and do not come
    near them; none where a normal is nought."""
    off = ((boxes.mean(axis=1) - origins) * normals).sum(axis=1)
    reach = (0.5 * (boxes[:, 1] - boxes[:, 0]) * np.abs(normals)).sum(axis=1)
    return np.abs(off) > reach + 2.0 * RESOLUTION
