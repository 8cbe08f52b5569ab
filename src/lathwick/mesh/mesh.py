"""`Mesh`: triangles and their measures."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ..geometry.placement import FloatArray
from ..geometry.vector import Vec3

IntArray = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Mesh:
    """Triangles over shared vertices, counter-clockwise seen from outside.

    vertices : (V, 3) float64, length unit `unit` ("" if a file did not tell).
    triangles : (T, 3) int64, indices into `vertices`.
    """

    vertices: FloatArray
    triangles: IntArray
    unit: str = ""

    def __post_init__(self) -> None:
        self.vertices.setflags(write=False)
        self.triangles.setflags(write=False)

    def __repr__(self) -> str:
        return f"<Mesh: {len(self.triangles)} triangles, {len(self.vertices)} vertices>"

    @cached_property
    def corners(self) -> FloatArray:
        """Corner points of every triangle, shape (T, 3, 3)."""
        return self.vertices[self.triangles]

    @cached_property
    def _area_vectors(self) -> FloatArray:
        a, b, c = (self.corners[:, i] for i in range(3))
        return 0.5 * np.cross(b - a, c - a)

    @property
    def area(self) -> float:
        """Total area, square units."""
        return float(np.sqrt((self._area_vectors**2).sum(axis=1)).sum())

    @property
    def volume(self) -> float:
        """Enclosed volume, cubic units; meaningful for a closed mesh."""
        if not len(self.triangles):
            return 0.0
        middle = 0.5 * (self.vertices.min(axis=0) + self.vertices.max(axis=0))
        centers = self.corners.mean(axis=1) - middle
        return float((centers * self._area_vectors).sum() / 3.0)

    @property
    def centroid(self) -> Vec3:
        """Center of the enclosed volume."""
        middle = 0.5 * (self.vertices.min(axis=0) + self.vertices.max(axis=0))
        p = self.corners - middle
        tetrahedra = np.einsum("ij,ij->i", p[:, 0], np.cross(p[:, 1], p[:, 2])) / 6.0
        x, y, z = middle + (tetrahedra[:, None] * p.sum(axis=1) / 4.0).sum(axis=0) / self.volume
        return (float(x), float(y), float(z))

    @property
    def bounds(self) -> tuple[Vec3, Vec3]:
        """Lowest and highest corner of the bounding box."""
        low, high = self.vertices.min(axis=0).tolist(), self.vertices.max(axis=0).tolist()
        return (low[0], low[1], low[2]), (high[0], high[1], high[2])

    @cached_property
    def open_edges(self) -> int:
        """Number of directed edges without exactly one partner running the other way; 0 if watertight."""
        a = self.triangles[:, [0, 1, 2]].ravel()
        b = self.triangles[:, [1, 2, 0]].ravel()
        count = len(self.vertices)
        there, uses = np.unique(a * count + b, return_counts=True)
        back, returns = np.unique(b * count + a, return_counts=True)
        paired = np.isin(there, back[returns == 1])
        return int(uses[~paired | (uses != 1)].sum())

    @property
    def is_watertight(self) -> bool:
        """Whether every edge has exactly two triangles, running opposite ways."""
        return len(self.triangles) > 0 and self.open_edges == 0

    def scaled(self, factor: float, unit: str) -> Mesh:
        """The same mesh with lengths times `factor`, in `unit`."""
        return Mesh(self.vertices * factor, self.triangles, unit)
