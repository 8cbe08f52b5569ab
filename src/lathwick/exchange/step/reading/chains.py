"""Curves of ISO 10303-42 that are made of several: polylines, splines with corners, composite curves.

An edge on such a curve is read as several edges, with corners of their own where the pieces meet.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any

import numpy as np

from ....errors import ExchangeError
from ....geometry.curve import Curve
from ....geometry.curves import Circle, Ellipse, Line
from ....geometry.vector import Vec3, distance, sub, unit
from .curves import PASSED, SPLINES, corners_of, read_curve, spline_part, spline_points
from .source import MOST_WRAPPED, Source
from .text import Ref, Typed

NEAR = 1e-6
"""A point so near to the end of a piece is that end."""

GAP = 2e-3
"""Written pieces leave gaps of so much at most."""

SHORTEST = 1e-7
"""Shorter pieces are left out."""

COMPOSITES = {"COMPOSITE_CURVE", "COMPOSITE_CURVE_ON_SURFACE", "BOUNDARY_CURVE", "OUTER_BOUNDARY_CURVE"}
OF_SEVERAL = {"POLYLINE", *COMPOSITES, *SPLINES}
"""Kinds of curves that may have several pieces."""


@dataclass(frozen=True, eq=False)
class Piece:
    """A part of a curve from parameter t0 to t1 > t0, run through the one way or the other."""

    curve: Curve
    t0: float
    t1: float
    forward: bool = True

    @property
    def start(self) -> Vec3:
        return self.curve.point(self.t0 if self.forward else self.t1)

    @property
    def end(self) -> Vec3:
        return self.curve.point(self.t1 if self.forward else self.t0)

    def turned(self) -> Piece:
        return replace(self, forward=not self.forward)

    def place(self, point: Vec3) -> float:
        """The parameter of the nearest point of the piece."""
        return self.curve.nearest_between(point, self.t0, self.t1)

    def divided(self, point: Vec3) -> tuple[Piece, Piece]:
        """The parts before and after a point."""
        t = self.place(point)
        low, high = replace(self, t1=t), replace(self, t0=t)
        return (low, high) if self.forward else (high, low)


def turned(pieces: Sequence[Piece]) -> list[Piece]:
    """A chain the other way round."""
    return [piece.turned() for piece in reversed(pieces)]


def read_chain(source: Source, number: int) -> list[Piece] | None:
    """The pieces of a curve that is made of several; None for any other. Raises ExchangeError."""
    names = {*source.names(source.unwrapped(number, PASSED, "curve"))}
    if not names & OF_SEVERAL:
        return None
    found = _pieces(source, number, MOST_WRAPPED)
    return found if len(found) > 1 or names & COMPOSITES else None


def between(pieces: Sequence[Piece], start: Vec3, end: Vec3, number: int) -> list[Piece]:
    """The pieces from one point of a chain to another, all round it if both are one point. Raises
    ExchangeError for points that do not lie on it in this order; `number` is the edge's."""
    is_round = distance(pieces[0].start, pieces[-1].end) <= GAP
    before, after = _split(pieces, start, number)
    chain = [*after, *before] if is_round else after
    if distance(start, end) <= NEAR:
        if not is_round:
            raise ExchangeError(f"#{number}: the edge ends where it starts, on an open curve")
        return chain
    kept = _split(chain, end, number)[0] if chain else []
    if not kept:
        raise ExchangeError(f"#{number}: the edge runs against its curve")
    return kept


def _split(pieces: Sequence[Piece], point: Vec3, number: int) -> tuple[list[Piece], list[Piece]]:
    """A chain before and after a point of it."""
    gaps = [distance(piece.curve.point(piece.place(point)), point) for piece in pieces]
    k = int(np.argmin(gaps))
    if gaps[k] > GAP:
        raise ExchangeError(f"#{number}: an end of the edge lies {gaps[k]:.2g} beside its curve")
    if distance(point, pieces[k].start) <= NEAR:
        return [*pieces[:k]], [*pieces[k:]]
    if distance(point, pieces[k].end) <= NEAR:
        return [*pieces[: k + 1]], [*pieces[k + 1 :]]
    one, two = pieces[k].divided(point)
    return [*pieces[:k], one], [two, *pieces[k + 1 :]]


def _pieces(source: Source, number: int, depth: int) -> list[Piece]:
    """All pieces of a bounded curve, in its direction."""
    if depth == 0:
        raise ExchangeError(f"#{number}: a curve in others without end")
    names = source.names(number)
    if "TRIMMED_CURVE" in names:
        return _trimmed(source, number, depth)
    if any(name in PASSED for name in names):
        return _pieces(source, source.unwrapped(number, PASSED - {"TRIMMED_CURVE"}, "curve"), depth - 1)
    composite = next((name for name in names if name in COMPOSITES), None)
    if composite is not None:
        return _composite(source, number, source.values(number, composite, 2)[1], depth)
    if "POLYLINE" in names:
        points = source.refs(source.values(number, "POLYLINE", 2)[1], number, "points")
        return _straight([source.point(p) for p in points], number)
    if any(name in SPLINES for name in names):
        return _spline(source, number)
    curve = read_curve(source, number)
    if not curve.period:
        raise ExchangeError(f"#{number}: a curve without ends in a composite curve")
    return [Piece(curve, 0.0, curve.period)]


def _composite(source: Source, number: int, segments: Any, depth: int) -> list[Piece]:
    found: list[Piece] = []
    for segment in source.refs(segments, number, "segments"):
        _, same, parent, *_ = source.values(segment, "COMPOSITE_CURVE_SEGMENT", 3)
        pieces = _pieces(source, source.ref(parent, segment, "a curve"), depth - 1)
        found += pieces if source.flag(same, segment, "same_sense") else turned(pieces)
    if not found:
        raise ExchangeError(f"#{number}: a composite curve without segments")
    for one, two in pairwise(found):
        if distance(one.end, two.start) > GAP:
            raise ExchangeError(
                f"#{number}: segments of a composite curve lie {distance(one.end, two.start):.2g} apart"
            )
    return found


def _straight(points: Sequence[Vec3], number: int) -> list[Piece]:
    pairs = [(a, b) for a, b in pairwise(points) if distance(a, b) > SHORTEST]
    if not pairs:
        raise ExchangeError(f"#{number}: a polyline of no length")
    return [Piece(Line(a, unit(sub(b, a))), 0.0, distance(a, b)) for a, b in pairs]


def _spline(source: Source, number: int) -> list[Piece]:
    """A spline from corner to corner."""
    points = spline_points(source, number)
    if points is not None:
        return _straight(points, number)
    stops = corners_of(source, number)
    if len(stops) > 2:
        return [Piece(spline_part(source, number, a, b), a, b) for a, b in pairwise(stops)]
    curve = read_curve(source, number)
    if curve.period:
        return [_on_circle(source, number, curve)]
    low, high = curve.domain
    if isinstance(curve, Line):
        ends = spline_part(source, number, *stops)
        low, high = (curve.parameter(ends.point(t)) for t in stops)
    return [Piece(curve, low, high)]


def _on_circle(source: Source, number: int, circle: Curve) -> Piece:
    """The arc that a spline runs through, about the axis as the circle goes."""
    low, high = corners_of(source, number)
    part = spline_part(source, number, low, high)
    first, last = (circle.parameter(part.point(t)) for t in (low, high))
    return Piece(circle, first, first + ((last - first) % circle.period or circle.period))


def _trimmed(source: Source, number: int, depth: int) -> list[Piece]:
    """A curve from its first trim to its second."""
    _, basis, first, second, sense, *_ = source.values(number, "TRIMMED_CURVE", 5)
    inner = source.ref(basis, number, "a curve")
    forward = source.flag(sense, number, "sense")
    itself = source.unwrapped(inner, PASSED, "curve")
    if any(name in OF_SEVERAL for name in source.names(itself)):
        pieces = _pieces(source, inner, depth - 1)
        ends = [_trim_point(source, trim, number) for trim in (first, second)]
        return between(pieces if forward else turned(pieces), ends[0], ends[1], number)
    curve = read_curve(source, inner)
    scale = _scale(source, itself, curve)
    a, b = (_trim(source, trim, curve, scale, number) for trim in (first, second))
    low, high = (a, b) if forward else (b, a)
    if curve.period:
        high = low + ((high - low) % curve.period or curve.period)
    if not high > low:
        raise ExchangeError(f"#{number}: a trimmed curve ends before it starts")
    return [Piece(curve, low, high, forward)]


def _scale(source: Source, number: int, curve: Curve) -> float:
    """What parameters in the file are multiplied by: lengths of vectors, units of angles."""
    if isinstance(curve, Line):
        vector = source.ref(source.values(number, "LINE", 3)[2], number, "a vector")
        return source.number(source.values(vector, "VECTOR", 3)[2], vector, "a length") * source.length
    return source.angle if isinstance(curve, (Circle, Ellipse)) else 1.0


def _trim(source: Source, trim: Any, curve: Curve, scale: float, number: int) -> float:
    for item in trim if isinstance(trim, list) else []:
        if isinstance(item, Ref):
            return curve.parameter(source.point(int(item)))
    for item in trim if isinstance(trim, list) else []:
        if isinstance(item, Typed):
            return scale * source.number(item, number, "a parameter")
    raise ExchangeError(f"#{number}: a curve is trimmed by points or parameters")


def _trim_point(source: Source, trim: Any, number: int) -> Vec3:
    for item in trim if isinstance(trim, list) else []:
        if isinstance(item, Ref):
            return source.point(int(item))
    raise ExchangeError(f"#{number}: a curve of several pieces is trimmed by points only")
