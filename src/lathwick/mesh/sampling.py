"""Points along edges, made once per edge so that both faces use the same ones."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from ..errors import ModellingError
from ..geometry.curves import Circle
from ..geometry.placement import FloatArray
from ..geometry.spline import FittedCurve
from ..geometry.tolerance import NOWHERE
from ..topology.brep import Coedge, Edge, Vertex

MOST_HALVINGS = 16
WIDEST = math.pi / 4
"""No chord of an arc spans more than this (radians), however coarse the tolerance."""

FINEST = 4e-7
"""No chord lies nearer to its arc than this share of the largest coordinate: a file with 32-bit
numbers could not hold it."""


NEAREST = 10.0 * FINEST
"""Points of two faces nearer to each other than this share of the largest coordinate are too near for a
file."""


BESIDE = 0.02
"""Nearer to a joint of a fitted curve than this share of it none of the even places is needed."""

FITTED_PARTS = 8
"""A fitted curve has so many chords at least."""

THIN = 1.0 / 4.0
"""No chord lies farther from its face than this share of the smallest radius of that."""


class TooCoarseError(ModellingError):
    """A face that cannot be filled at its tolerance, but perhaps at a finer one (internal)."""


@dataclass(frozen=True, slots=True)
class Tolerance:
    """How far a mesh may be from the surface: `chord` in length units, `angle` in degrees per chord."""

    chord: float
    angle: float

    def __post_init__(self) -> None:
        for name, value in (("chord", self.chord), ("angle", self.angle)):
            if not (math.isfinite(value) and value > 0):
                raise ModellingError(f"{name} must be more than 0, got {value:g}")

    def parameters(self, edge: Edge, reach: float) -> FloatArray:
        """Parameters along `edge` where its chords end; `reach` is the largest coordinate of the body."""
        if edge.curve.kind == "line":
            return np.array([edge.t0, edge.t1])
        if isinstance(edge.curve, Circle):
            return np.linspace(edge.t0, edge.t1, self._steps(edge, edge.curve.radius, reach) + 1)
        return self._bisected(edge, reach)

    def of_circle(self, edge: Edge, radius: float, reach: float) -> FloatArray:
        """As `parameters`, of an arc beside which others of the radius are drawn at the same angles."""
        return np.linspace(edge.t0, edge.t1, self._steps(edge, radius, reach) + 1)

    def within(self, radius: float) -> Tolerance:
        """The tolerance on a face that bends as sharply as that: its border, seen from its middle, must not
        cross to the other side."""
        chord = min(self.chord, THIN * radius)
        return self if chord == self.chord else Tolerance(chord, self.angle)

    def halved(self) -> Tolerance:
        """Half as long chords: a quarter of the distance, half of the angle."""
        return Tolerance(0.25 * self.chord, 0.5 * self.angle)

    def span(self, radius: float, reach: float) -> float:
        """Angle (radians) that one chord of an arc may span."""
        finest = _span(FINEST * reach, radius)
        return max(min(_span(self.chord, radius), math.radians(self.angle), WIDEST), finest)

    def _steps(self, edge: Edge, radius: float, reach: float) -> int:
        least = 3 if edge.is_closed else 1
        return max(least, math.ceil((edge.t1 - edge.t0) / self.span(radius, reach) - 1e-9))

    def _bisected(self, edge: Edge, reach: float) -> FloatArray:
        """Smooth parts halved until each chord is near enough and turns little enough."""
        t = _first_stops(edge)
        if edge.is_closed and len(t) < 4:
            t = np.linspace(edge.t0, edge.t1, 5)
        widest = min(math.radians(self.angle), WIDEST)
        for _ in range(MOST_HALVINGS):
            inner = t[:-1, None] + np.diff(t)[:, None] * np.array([0.25, 0.5, 0.75])
            ends, between = edge.curve.points(t), edge.curve.points(inner.ravel()).reshape(-1, 3, 3)
            stray = _off_chords(ends[:-1], ends[1:], between).max(axis=1)
            d = edge.curve.derivatives(t)
            d = d / np.linalg.norm(d, axis=1)[:, None]
            turn = np.arccos(np.clip((d[:-1] * d[1:]).sum(axis=1), -1.0, 1.0))
            coarse = (stray > FINEST * reach) & ((stray > self.chord) | (turn > widest))
            if not coarse.any():
                break
            t = np.sort(np.concatenate([t, inner[coarse, 1]]))
        return _apart(edge, t, FINEST * reach)


def _first_stops(edge: Edge) -> FloatArray:
    """Parameters to begin with. Those of a fitted curve lie evenly, for its knots crowd where it was hard to
    fit, as where two faces part without an angle: chords there would be too near to both."""
    curve, t0, t1 = edge.curve, edge.t0, edge.t1
    if isinstance(curve, FittedCurve):
        joints = np.array([t0, *curve.smooth_breaks(t0, t1), t1])
        even = np.linspace(t0, t1, FITTED_PARTS + 1)
        apart = np.abs(even[:, None] - joints).min(axis=1) > BESIDE * (t1 - t0)
        return np.union1d(joints, even[apart])
    return np.array(curve.breaks(t0, t1))


def _apart(edge: Edge, t: FloatArray, least: float) -> FloatArray:
    """The ends, and of the parameters between them those of places that lie apart."""
    places = edge.curve.points(t)
    if (np.linalg.norm(np.diff(places, axis=0), axis=1) >= least).all():
        return t
    kept = [0]
    for k in range(1, len(t) - 1):
        if min(math.dist(places[k], places[kept[-1]]), math.dist(places[k], places[-1])) >= least:
            kept.append(k)
    return t[[*kept, len(t) - 1]]


def _off_chords(a: FloatArray, b: FloatArray, points: FloatArray) -> FloatArray:
    """Distances of `points`, shape (N, K, 3), from the lines through a and b, shape (N, 3)."""
    along = (b - a) / np.maximum(np.linalg.norm(b - a, axis=1), NOWHERE)[:, None]
    off = points - a[:, None, :]
    off = off - (off * along[:, None, :]).sum(axis=2)[:, :, None] * along[:, None, :]
    return np.linalg.norm(off, axis=2)


def _span(chord: float, radius: float) -> float:
    """Angle (radians) of the arc that stands `chord` above its chord."""
    return 4.0 * math.asin(math.sqrt(min(1.0, chord / (2.0 * radius))))


class Samples:
    """The mesh vertices on edges: one per body vertex, and those inside each edge."""

    def __init__(self, edges: Iterable[Edge], parameters: dict[Edge, FloatArray]) -> None:
        self._count = 0
        self._blocks: list[FloatArray] = []
        self._vertex: dict[Vertex, int] = {}
        self._edge: dict[Edge, list[int]] = {}
        for edge in edges:
            self._edge[edge] = self._sampled(edge, parameters[edge])

    def points(self) -> FloatArray:
        """All points so far, shape (V, 3)."""
        return np.concatenate([np.zeros((0, 3)), *self._blocks])

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

    def _sampled(self, edge: Edge, t: FloatArray) -> list[int]:
        if edge.start is None or edge.end is None:
            ring = self._new(edge.curve.points(t[:-1]))
            return [*ring, ring[0]]
        inside = self._new(edge.curve.points(t[1:-1])) if len(t) > 2 else []
        return [self._end(edge.start), *inside, self._end(edge.end)]
