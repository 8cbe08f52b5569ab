"""Where what shrinks as a size grows will be gone, foreseen from the bodies that smaller sizes make.

Most sizes are limited since an edge has no length left, or since two edges of a face come together. Both
lengths are smooth functions of the size, and so is the square of one that ends in a tangent place: Newton
interpolation through the last sizes that worked tells where they are zero.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from functools import cached_property
from itertools import combinations

import numpy as np

from ..geometry.placement import FloatArray
from ..geometry.vector import distance
from ..topology.body import Body
from ..topology.brep import Edge, Face
from ..topology.windings import samples_of
from .refitting.meeting_edges import have_an_end_in_common

LAST = 3
"""So many sizes that worked are enough."""

SAMPLES = 33
MOST_EDGES = 60
"""Of faces with more edges those that come together are not looked for."""

CLOSE_PAIRS = 12
"""So many pairs of edges of a face are nearest to each other."""


@dataclass(frozen=True)
class _Seen:
    """A size that worked, and what it made."""

    size: float
    body: Body
    _gaps: dict[str, FloatArray] = field(default_factory=dict, repr=False)

    @cached_property
    def kind(self) -> tuple[str, ...]:
        """Bodies of one kind have the same edges, in the same order."""
        return (f"{len(self.lengths)} edges", *(face.surface.kind for face in self.body.brep_faces))

    @cached_property
    def lengths(self) -> FloatArray:
        """How long every edge is, as the chord between its ends or, where it is closed, across its box."""
        edges = list(self.body.faces_of_edge)
        boxes = np.array([edge.bounds for edge in edges])
        found = np.linalg.norm(boxes[:, 1] - boxes[:, 0], axis=1)
        for k, edge in enumerate(edges):
            if edge.start is not None and edge.end is not None:
                found[k] = distance(edge.start.point, edge.end.point)
        return np.asarray(found)

    def gaps(self, name: str) -> FloatArray:
        """The distances between edges of the faces of one name that have no end in common, (N,)."""
        if name not in self._gaps:
            faces = (f for f in self.body.brep_faces if any(str(known) == name for known in f.names))
            borders = [list(dict.fromkeys(c.edge for c in face.coedges())) for face in faces]
            few = [edges for edges in borders if len(edges) <= MOST_EDGES]
            self._gaps[name] = np.array([gap for edges in few for gap in _distances(edges)])
        return self._gaps[name]


@dataclass
class Shrinking:
    """What the bodies of sizes that worked tell of larger ones."""

    _seen: list[_Seen] = field(default_factory=list)
    _told: dict[str, None] = field(default_factory=dict)

    def see(self, size: float, body: Body) -> None:
        """Take note of the body that a size makes."""
        self._seen = sorted([*self._seen, _Seen(size, body)], key=lambda seen: seen.size)[-LAST:]

    def blame(self, face: Face | None) -> None:
        """Take note of a face that is told to be in the way of a larger size."""
        if face is not None and face.names:
            self._told[str(face.names[0])] = None

    def gone_between(self, low: float, high: float) -> float | None:
        """The first size between two at which an edge, or the way between two edges of a face that was told
        of, will be gone; None if none is foreseen."""
        alike = [seen for seen in self._seen if seen.kind == self._seen[-1].kind]
        if len(alike) < 2:
            return None
        sizes = np.array([seen.size for seen in alike])
        tables = [np.array([seen.lengths for seen in alike])]
        for name in self._told:
            rows = [seen.gaps(name) for seen in alike]
            if len({row.shape for row in rows}) == 1:
                tables.append(np.array(rows))
        zeros = _zeros(sizes, np.concatenate(tables, axis=1))
        between = zeros[(zeros > low) & (zeros < high)]
        return float(between.min()) if len(between) else None


def _distances(edges: list[Edge]) -> Iterable[float]:
    """Those of all pairs of edges that have no end in common; exactly those of the pairs that are nearest."""
    pairs = [
        (i, j) for i, j in combinations(range(len(edges)), 2) if not have_an_end_in_common(edges[i], edges[j])
    ]
    if not pairs:
        return []
    points = samples_of(edges, SAMPLES)
    ones, twos = np.array(pairs).T
    squares = ((points[ones][:, :, None] - points[twos][:, None]) ** 2).sum(axis=3).reshape(len(pairs), -1)
    near = squares.argmin(axis=1)
    gaps = np.sqrt(squares.min(axis=1))
    for k in np.argsort(gaps, kind="stable")[:CLOSE_PAIRS].tolist():
        one, two = edges[pairs[k][0]], edges[pairs[k][1]]
        gaps[k] = min(gaps[k], _least_gap(one, two, int(near[k]) // SAMPLES))
    return gaps.tolist()


def _least_gap(one: Edge, two: Edge, sample: int) -> float:
    """The least distance of two edges beside a sample of the first, by Brent's method."""
    from scipy.optimize import minimize_scalar

    def gap(s: float) -> float:
        place = one.curve.point(s)
        t = two.curve.parameter(place)
        if two.curve.period:
            t = two.t0 + (t - two.t0) % two.curve.period
        return distance(place, two.curve.point(min(max(t, two.t0), two.t1)))

    step = (one.t1 - one.t0) / (SAMPLES - 1)
    beside = (one.t0 + max(sample - 1, 0) * step, one.t0 + min(sample + 1, SAMPLES - 1) * step)
    return float(minimize_scalar(gap, bounds=beside, method="bounded", options={"xatol": 1e-9}).fun)


def _zeros(sizes: FloatArray, lengths: FloatArray) -> FloatArray:
    """Where lengths, (N, E), at ascending sizes, (N,), come to zero beyond the last; infinite where they do
    not. The lengths themselves are followed or, where these are straighter, their squares."""
    plain, squared = (_zeros_of(sizes, table) for table in (lengths, lengths**2))
    if len(sizes) < LAST:
        return plain
    return np.where(_bend(sizes, lengths) <= _bend(sizes, lengths**2), plain, squared)


def _bend(sizes: FloatArray, table: FloatArray) -> FloatArray:
    """How far the last values are off the line through the two before, as a share of the change."""
    (a, b, c), (p, q, r) = sizes, table
    on_line = q + (q - p) * (c - b) / (b - a)
    change = np.abs(r - p)
    return np.asarray(np.abs(r - on_line) / np.where(change > 0.0, change, 1.0))


def _zeros_of(sizes: FloatArray, table: FloatArray) -> FloatArray:
    """Zeros of the lines through the last two values, corrected by the parabolas through the last three."""
    a, b = sizes[-2:]
    p, q = table[-2:]
    with np.errstate(divide="ignore", invalid="ignore"):
        slope = (q - p) / (b - a)
        found = np.where(slope < 0.0, b - q / slope, np.inf)
        if len(sizes) == LAST:
            before = (p - table[0]) / (a - sizes[0])
            second = (slope - before) / (b - sizes[0])  # divided differences, Newton's form
            for _ in range(4):
                value = q + (found - b) * (slope + (found - a) * second)
                rate = slope + (2.0 * found - a - b) * second
                found = np.where(rate < 0.0, found - value / rate, np.inf)
    return np.where(np.isfinite(found), found, np.inf)
