"""The lines of a body seen from a side: its edges and outlines, those that are hidden apart.

Outlines lie where the normals between the corners of a triangle turn away from the eye. Whether a piece of a
line is seen is asked by a ray from its middle to the eye.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..geometry.placement import FloatArray
from .camera import View, axes_of
from .scene import Shown, creases

LIFTED = 1e-4
"""A ray starts so far before its line, as a share of the body, not to meet the line's own faces."""
LEVEL = 1e-9
EDGE_ON = 1e-7
"""A normal so nearly square to the line of sight is square to it."""


@dataclass(frozen=True, eq=False)
class Lines:
    """Segments in the plane of a view, (N, 2, 2), and which of them are seen, (N,)."""

    segments: FloatArray
    seen: NDArray[np.bool_]


def lines_of(shown: Shown, view: View) -> Lines:
    """The edges and outlines of what is shown, from a side."""
    right, up, back = axes_of(view)
    edges, (outlines, normals) = _edges(shown), _outlines(shown, back)
    found = np.concatenate([edges, outlines])
    off = np.concatenate([np.zeros((len(edges), 3)), normals])
    if not len(found):
        return Lines(np.zeros((0, 2, 2)), np.zeros(0, bool))
    flat = found @ np.array([right, up]).T
    long = np.linalg.norm(flat[:, 1] - flat[:, 0], axis=1) > LEVEL * _reach(shown)
    return Lines(flat[long], _are_seen(shown, found[long], back, off[long]))


def _reach(shown: Shown) -> float:
    return float(np.linalg.norm(np.ptp(shown.corners.reshape(-1, 3), axis=0))) or 1.0


def _edges(shown: Shown) -> FloatArray:
    """Sides of triangles between faces that do not meet smoothly, (N, 2, 3)."""
    points, number = np.unique(shown.corners.reshape(-1, 3), axis=0, return_inverse=True)
    sides = creases(number.reshape(-1, 3), shown.owner, shown.faces, shown.smooth)
    return np.asarray(points[sides])


def _outlines(shown: Shown, back: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Where curved faces turn away from the eye, (N, 2, 3), and their normals there, (N, 3). What is seen
    edge-on belongs to either side: its borders are outlines both ways."""
    facing = shown.normals @ back
    level = np.abs(facing) < EDGE_ON
    found = [_turning(shown, np.where(level, side, facing)) for side in (EDGE_ON, -EDGE_ON)]
    return np.concatenate([f for f, _ in found]), np.concatenate([n for _, n in found])


def _turning(shown: Shown, facing: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Where a function of the corners, (T, 3), that is never nought, changes its sign, and the normals."""
    turns = (facing.max(axis=1) > 0) & (facing.min(axis=1) < 0)
    f = facing[turns]
    both = np.concatenate([shown.corners[turns], shown.normals[turns]], axis=2)
    ends = []
    for a, b in ((0, 1), (1, 2), (2, 0)):
        crosses = (f[:, a] > 0) != (f[:, b] > 0)
        span = np.where(crosses, f[:, a] - f[:, b], 1.0)
        share = np.where(crosses, f[:, a] / span, np.nan)[:, None]
        ends.append(both[:, a] + share * (both[:, b] - both[:, a]))
    three = np.stack(ends, axis=1)
    known = ~np.isnan(three[:, :, 0])
    two = three[known].reshape(-1, 2, 6)  # a sign that changes does so at two of three sides
    return two[:, :, :3], two[:, :, 3:].mean(axis=1)


def _are_seen(shown: Shown, segments: FloatArray, back: FloatArray, off: FloatArray) -> NDArray[np.bool_]:
    """Whether nothing stands between the middle of each segment and the eye. off : to which side the segment
    is moved a little first, (N, 3): away from the material that it borders."""
    try:
        from embreex.mesh_construction import TriangleMesh
        from embreex.rtcore_scene import EmbreeScene
    except ModuleNotFoundError as error:
        from .picture import missing

        raise missing(error) from error
    middle = shown.corners.reshape(-1, 3).mean(axis=0)
    scene = EmbreeScene()
    TriangleMesh(scene, (shown.corners - middle).astype(np.float32))
    starts = segments.mean(axis=1) + LIFTED * _reach(shown) * (back + off) - middle
    ways = np.tile(back.astype(np.float32), (len(starts), 1))
    found = scene.run(starts.astype(np.float32), ways, output=1)
    return np.asarray(found["primID"] < 0)
