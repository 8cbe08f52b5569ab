"""Points along edges, made once per edge so that both faces use the same ones."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from ..errors import ModellingError
from ..geometry.placement import FloatArray
from ..topology.brep import Coedge, Edge, Vertex

WIDEST = math.pi / 4
"""No chord of an arc spans more than this (radians), however coarse the tolerance."""

FINEST = 4e-7
"""No chord lies nearer to its arc than this share of the largest coordinate: a file with 32-bit
numbers could not hold it."""


@dataclass(frozen=True, slots=True)
class Tolerance:
    """How far a mesh may be from the surface: `chord` in length units, `angle` in degrees per chord."""

    chord: float
    angle: float

    def __post_init__(self) -> None:
        for name, value in (("chord", self.chord), ("angle", self.angle)):
            if not (math.isfinite(value) and value > 0):
                raise ModellingError(f"{name} must be more than 0, got {value:g}")

    def steps(self, edge: Edge, reach: float) -> int:
        """Number of chords along `edge`; `reach` is the largest coordinate of the body."""
        radius = getattr(edge.curve, "radius", None)
        if radius is None:
            return 1
        finest = _span(FINEST * reach, radius)
        span = max(min(_span(self.chord, radius), math.radians(self.angle), WIDEST), finest)
        least = 3 if edge.is_closed else 1
        return max(least, math.ceil((edge.t1 - edge.t0) / span - 1e-9))


def _span(chord: float, radius: float) -> float:
    """Angle (radians) of the arc that stands `chord` above its chord."""
    return 4.0 * math.asin(math.sqrt(min(1.0, chord / (2.0 * radius))))


class Samples:
    """The mesh vertices on edges: one per body vertex, and those inside each edge."""

    def __init__(self, edges: Iterable[Edge], steps: dict[Edge, int]) -> None:
        self._count = 0
        self._blocks: list[FloatArray] = []
        self._vertex: dict[Vertex, int] = {}
        self._edge: dict[Edge, list[int]] = {}
        for edge in edges:
            self._edge[edge] = self._sampled(edge, steps[edge])

    def points(self) -> FloatArray:
        """All points so far, shape (V, 3)."""
        return np.concatenate(self._blocks)

    def along(self, coedge: Coedge) -> list[int]:
        """Indices from the start of the coedge to its end; on a closed edge the first is repeated."""
        chain = self._edge[coedge.edge]
        return chain if coedge.forward else chain[::-1]

    def _new(self, points: FloatArray) -> list[int]:
        first = self._count
        self._count += len(points)
        self._blocks.append(points)
        return list(range(first, self._count))

    def _end(self, vertex: Vertex) -> int:
        if vertex not in self._vertex:
            self._vertex[vertex] = self._new(np.array([vertex.point]))[0]
        return self._vertex[vertex]

    def _sampled(self, edge: Edge, steps: int) -> list[int]:
        t = np.linspace(edge.t0, edge.t1, steps + 1)
        if edge.start is None or edge.end is None:
            ring = self._new(edge.curve.points(t[:-1]))
            return [*ring, ring[0]]
        inside = self._new(edge.curve.points(t[1:-1])) if steps > 1 else []
        return [self._end(edge.start), *inside, self._end(edge.end)]
