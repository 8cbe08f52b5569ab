"""What places spread over the faces of a body see: the wall behind them, and what bars their way out."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..geometry.placement import FloatArray
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec3, vec3
from .boxes import outer_box
from .brep import Face
from .inside import crossings, meets_box
from .trim import INSIDE, OUTSIDE, region_of

FEWEST, PER_EDGE = 6, 33
LEVEL = 1e-9
"""A wall leans so little (sine) that it is pulled along itself."""

OFF = 1e-6
"""Places are looked at so far before their face, as a share of the size."""


@dataclass(frozen=True, slots=True)
class Wall:
    """The least thickness found, square to the wall, at `at`, whose other side is at `to`; of so many places
    that were looked at (`sample`): elsewhere it may be thinner."""

    thickness: float
    at: Vec3
    to: Vec3
    sample: int

    def __float__(self) -> float:
        return self.thickness

    def __str__(self) -> str:
        x, y, z = self.at
        return f"{self.thickness:.6g} at ({x:.4g}, {y:.4g}, {z:.4g}), the least of {self.sample} places"


def over_a_square(count: int) -> FloatArray:
    """Places spread evenly over the unit square, (count, 2). Source: Roberts, "The unreasonable effectiveness
    of quasirandom sequences", 2018."""
    steps = np.array([0.7548776662466927, 0.5698402909980532])
    return np.asarray((np.arange(1, count + 1)[:, None] * steps) % 1.0)


def places_on(face: Face, count: int) -> FloatArray:
    """About so many places spread over a face, at least one where any is found; (N, 3)."""
    ranges = np.array(face.surface.domain, dtype=float)
    if face.loops:
        shares = np.linspace(0.0, 1.0, PER_EDGE)
        edges = [coedge.edge for coedge in face.coedges()]
        border = np.concatenate([e.curve.points(e.t0 + shares * (e.t1 - e.t0)) for e in edges])
        uv = face.surface.parameters(border)
        ranges = np.array([uv.min(axis=0), uv.max(axis=0)]).T
        for k, period in enumerate(face.surface.periods):
            if period:
                ranges[k] = ranges[k, 0], ranges[k, 0] + period
        if face.surface.singular_points:  # the border need not reach as far as the face does
            domain = np.array(face.surface.domain)
            ranges = np.where(np.isfinite(domain), domain, ranges)
    region = region_of(face)
    for many in (2 * count, 16 * count, 128 * count):
        square = over_a_square(many)
        places = face.surface.points(ranges[:, 0] + square * (ranges[:, 1] - ranges[:, 0]))
        found = places[region.states(places) == INSIDE]
        if len(found) >= min(count, FEWEST):
            return found[:count]
    return found


def spread(faces: Sequence[Face], areas: Sequence[float], sample: int) -> list[FloatArray]:
    """Places on all faces, by their areas."""
    whole = math.fsum(areas)
    return [places_on(f, max(FEWEST, round(sample * a / whole))) for f, a in zip(faces, areas, strict=True)]


def thinnest(faces: Sequence[Face], areas: Sequence[float], sample: int) -> Wall:
    """The least way through the material from places on the faces, square to these."""
    boxes = np.array([outer_box(face) for face in faces])
    best = Wall(math.inf, (0.0, 0.0, 0.0), (0.0, 0.0, 0.0), 0)
    seen = 0
    for face, places in zip(faces, spread(faces, areas, sample), strict=True):
        if not len(places):
            continue
        ways = face.surface.normals(places) * (-1.0 if face.outward else 1.0)
        if face.surface.plane is not None:
            depths = _depths(faces, boxes, places, ways[0])
        else:
            depths = np.array(
                [_depths(faces, boxes, p[None], w)[0] for p, w in zip(places, ways, strict=True)]
            )
        seen += len(places)
        k = int(depths.argmin())
        if depths[k] < best.thickness:
            best = Wall(float(depths[k]), vec3(places[k]), vec3(places[k] + depths[k] * ways[k]), 0)
    return Wall(best.thickness, best.at, best.to, seen)


def _depths(faces: Sequence[Face], boxes: FloatArray, points: FloatArray, way: FloatArray) -> FloatArray:
    """How far it is from points in one direction to the next face, (N,)."""
    depths = np.full(len(points), np.inf)
    for face, box in zip(faces, boxes, strict=True):
        near = np.flatnonzero(meets_box(points, way, box))
        if not len(near):
            continue
        hits = face.surface.ray_hits(points[near], way)
        rows, columns = np.nonzero(hits > RESOLUTION)
        t, which = hits[rows, columns], near[rows]
        real = region_of(face).states(points[which] + t[:, None] * way) != OUTSIDE
        np.minimum.at(depths, which[real], t[real])
    return depths


def barred(faces: Sequence[Face], areas: Sequence[float], way: Vec3, sample: int) -> list[Face]:
    """The faces of which some place is free neither along a direction nor against it: a mould that opens
    along it holds them."""
    boxes = np.array([outer_box(face) for face in faces])
    off = OFF * float((boxes[:, 1].max(axis=0) - boxes[:, 0].min(axis=0)).max())
    found = []
    for face, places in zip(faces, spread(faces, areas, sample), strict=True):
        if not len(places):
            continue
        normals = face.surface.normals(places) * (1.0 if face.outward else -1.0)
        lean = normals @ np.asarray(way)
        held = np.ones(len(places), dtype=bool)
        for side in (1.0, -1.0):
            tried = np.flatnonzero(side * lean >= -LEVEL)
            if len(tried):
                free = _is_free(faces, boxes, places[tried] + off * normals[tried], side * np.asarray(way))
                held[tried] &= ~free
        if held.any():
            found.append(face)
    return found


def _is_free(
    faces: Sequence[Face], boxes: FloatArray, points: FloatArray, way: FloatArray
) -> NDArray[np.bool_]:
    """Whether nothing is ahead of points; what only grazes counts as nothing."""
    counts, _, _ = crossings(faces, boxes, points, vec3(way))
    return np.asarray(counts == 0)
