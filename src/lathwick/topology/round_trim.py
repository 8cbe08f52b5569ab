"""Where points of a surface lie relative to a face whose loops are full circles, in closed form.

Discs, rings, plates with round holes only, tubes and bands, caps: on a plane a circle divides the
points by their distance from its center, elsewhere by the circle's own plane.
"""

from __future__ import annotations

from typing import cast

import numpy as np

from ..geometry.curves import Circle
from ..geometry.placement import FloatArray
from ..geometry.vector import cross, dot, negated
from .brep import Coedge, Face, Loop

DIVIDED_BY_CIRCLES = frozenset({"plane", "cylinder", "cone", "sphere"})
"""Kinds of surfaces that every full circle on them divides in two."""


def has_round_loops(face: Face) -> bool:
    """Whether every loop is one full circle, and the surface is divided by it."""
    return (
        bool(face.loops)
        and face.surface.kind in DIVIDED_BY_CIRCLES
        and all(_is_circle(loop) for loop in face.loops)
    )


def _is_circle(loop: Loop) -> bool:
    if len(loop.coedges) != 1:
        return False
    edge = loop.coedges[0].edge
    return edge.is_closed and isinstance(edge.curve, Circle)


class RoundLoops:
    """The circles around a face, as arrays."""

    def __init__(self, face: Face) -> None:
        coedges = list(face.coedges())
        circles = [cast(Circle, c.edge.curve) for c in coedges]
        self._centers = np.array([c.frame.origin for c in circles])
        self._normals = np.array([c.frame.normal for c in circles])
        self._radii = np.array([c.radius for c in circles])
        self._starts = np.array([c.point(0.0) for c in circles])
        self._is_flat = face.surface.plane is not None
        self._signs = np.array([self._sign(face, c, k) for c, k in zip(coedges, circles, strict=True)])

    def is_disc(self) -> bool:
        """Whether it is what one circle bounds."""
        return len(self._signs) == 1 and bool(self._signs[0] > 0.0)

    def _sign(self, face: Face, coedge: Coedge, circle: Circle) -> float:
        """1 where the material lies towards the center, or on the side of the circle's normal."""
        p = circle.point(0.0)
        way = circle.frame.y if coedge.forward else negated(circle.frame.y)
        left = cross(face.outward_normal(p), way)
        inwards = negated(circle.frame.x) if self._is_flat else circle.frame.normal
        return 1.0 if dot(left, inwards) > 0.0 else -1.0

    def gaps(self, points: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Of points on the surface, (N, 3): the distance from the nearest circle, (N,), and how far at least
        they lie on the material's side of every circle, (N,); below 0 outside the face."""
        off = points[:, None] - self._centers[None]
        height = (off * self._normals[None]).sum(axis=2)
        across = np.sqrt(np.maximum((off * off).sum(axis=2) - height * height, 0.0))
        inward = self._radii - across
        side = self._signs * (inward if self._is_flat else height)
        return np.hypot(inward, height).min(axis=1), side.min(axis=1)

    def stray(self) -> int | None:
        """The number of a circle that lies on the wrong side of another; None if there is none."""
        off = self._starts[:, None] - self._centers[None]
        height = (off * self._normals[None]).sum(axis=2)
        inward = self._radii - np.sqrt(np.maximum((off * off).sum(axis=2) - height * height, 0.0))
        side = self._signs * (inward if self._is_flat else height)
        np.fill_diagonal(side, 0.0)
        wrong = np.flatnonzero(side.min(axis=1) < 0.0)
        return int(wrong[0]) if len(wrong) else None
