"""B-spline curves and surfaces of ISO 10303-42."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from itertools import pairwise

import numpy as np
from numpy.polynomial.chebyshev import chebvander
from numpy.typing import NDArray
from scipy.optimize import linprog

from ...errors import ExchangeError
from ...geometry.canal import CanalSurface
from ...geometry.curves import Ellipse
from ...geometry.placement import FloatArray
from ...geometry.ruled import RuledSurface
from ...geometry.spline import SplineCurve
from ...geometry.spline_surface import SplineSurface
from ...geometry.surfaces import ExtrudedSurface
from ...geometry.vector import Vec3
from ...topology.brep import Edge, Face
from .part21 import listed, logical, real

LEAST_PIECE = 1e-8
"""Of the range of a canal: joints nearer to its ends are taken for them."""

CANAL_FIT = 1e-8
"""How far, as a share of the radius, the B-spline surface may be from the canal."""

FEWEST_STOPS, CANAL_ROUNDS = 17, 12
"""Stops of a piece to begin with, and how often they are made closer where the fit is off."""

MANY_ROUNDS, HOPELESS = 5, 1e-3
"""After so many rounds a fit that is off by so much, as a share of the radius, is given up."""

ACROSS = (0.0, 0.3, 0.5, 0.8, 1.0)
"""Shares of the way across a canal at which a fit is measured."""

BEYOND = 1e-6
"""A share of the lines of a ruled surface that is nothing."""

RULED_ROOM = 0.02
"""A ruled surface reaches so far beyond its face, as a share of it."""

SPOTS = 33
"""So many points along an edge are looked at."""

NEARLY = 0.01
"""Edges that come so near to the end of a face, as a share of its length, may have its end between points."""

WritePoint = Callable[[Vec3], str]


def _knots(knots: Sequence[float]) -> tuple[str, str]:
    """Multiplicities and distinct knots."""
    distinct = list(dict.fromkeys(knots))
    counts = listed(str(sum(k == d for k in knots)) for d in distinct)
    return counts, listed(real(d) for d in distinct)


def _points(controls: FloatArray, point: WritePoint) -> list[str]:
    return [point((x, y, z)) for x, y, z in controls.tolist()]


def spline_curve(curve: SplineCurve, point: WritePoint) -> str:
    """The text of a B_SPLINE_CURVE_WITH_KNOTS."""
    counts, knots = _knots(curve.knots)
    controls = listed(_points(curve.controls, point))
    closed = logical(curve.is_closed)
    return (
        f"B_SPLINE_CURVE_WITH_KNOTS('',{curve.degree},{controls},.UNSPECIFIED.,{closed},.F.,"
        f"{counts},{knots},.UNSPECIFIED.)"
    )


def spline_surface(surface: SplineSurface, closed: bool, point: WritePoint) -> str:
    """The text of a B_SPLINE_SURFACE_WITH_KNOTS, rational where it has weights; `closed` along u."""
    net = listed(listed(_points(row, point)) for row in surface.controls)
    (counts_u, knots_u), (counts_v, knots_v) = (_knots(knots) for knots in surface.knots)
    degrees = f"{surface.degrees[0]},{surface.degrees[1]}"
    shape = f"{degrees},{net},.UNSPECIFIED.,{logical(closed)},.F.,.F."
    spacing = f"{counts_u},{counts_v},{knots_u},{knots_v},.UNSPECIFIED."
    if surface.weights is None:
        return f"B_SPLINE_SURFACE_WITH_KNOTS('',{shape},{spacing})"
    weights = listed(listed(real(w) for w in row) for row in surface.weights.tolist())
    return (
        f"(BOUNDED_SURFACE()B_SPLINE_SURFACE({shape})B_SPLINE_SURFACE_WITH_KNOTS({spacing})"
        f"GEOMETRIC_REPRESENTATION_ITEM()RATIONAL_B_SPLINE_SURFACE({weights})"
        "REPRESENTATION_ITEM('')SURFACE())"
    )


def extruded_surface(surface: ExtrudedSurface, low: float, high: float, point: WritePoint) -> str:
    """The text of the B-spline surface over a profile from height `low` to `high`."""
    closed = surface.profile.is_closed if isinstance(surface.profile, SplineCurve) else True
    return spline_surface(as_spline(surface, low, high), closed, point)


def as_spline(surface: ExtrudedSurface, low: float, high: float) -> SplineSurface:
    """An extruded surface from height `low` to `high` as a B-spline surface, the same points."""
    profile, weights = surface.profile, None
    if isinstance(profile, Ellipse):
        degree, knots, base, row = _ellipse_controls(profile)
        weights = np.repeat(np.array(row)[:, None], 2, axis=1)
    else:
        degree, knots, base = profile.degree, profile.knots, profile.controls
    normal = np.asarray(surface.frame.normal)
    controls = np.stack([base + low * normal, base + high * normal], axis=1)
    return SplineSurface((degree, 1), (tuple(knots), (low, low, high, high)), controls, weights)


def _ellipse_controls(e: Ellipse) -> tuple[int, tuple[float, ...], FloatArray, list[float]]:
    """Degree, knots, controls and weights of a whole ellipse, in four quarters (Piegl & Tiller 7.5)."""
    corners = [(1, 0), (1, 1), (0, 1), (-1, 1), (-1, 0), (-1, -1), (0, -1), (1, -1), (1, 0)]
    controls = e.frame.points(np.array([(e.major * u, e.minor * v) for u, v in corners], dtype=float))
    half = math.sqrt(0.5)
    weights = [1.0 if i % 2 == 0 else half for i in range(9)]
    return 2, (0.0, 0.0, 0.0, 0.25, 0.25, 0.5, 0.5, 0.75, 0.75, 1.0, 1.0, 1.0), controls, weights


def canal_surface(surface: CanalSurface, face: Face, point: WritePoint) -> str:
    """The text of the rational B-spline surface over a face on a canal; its normal looks out of the canal."""
    edges = [c.edge for c in face.coedges()]
    border = np.concatenate([e.curve.points(np.linspace(e.t0, e.t1, SPOTS)) for e in edges])
    uv = surface.parameters(border)
    u0, u1 = (
        (surface.spine.low, surface.spine.high)
        if surface.period
        else _reach_along(surface, edges, uv[:, 0].reshape(len(edges), SPOTS))
    )
    room = 0.02 * float(np.ptp(uv[:, 1]))
    least = LEAST_PIECE * (u1 - u0)
    bounds = [u0, *(k for k in surface.spine.joints if u0 + least < k < u1 - least), u1]
    for terms in (0, 4, 8, 16):  # a canal that folds back beside a narrower part of the face is kept to that
        below = _bound_above(uv * (1.0, -1.0), terms, surface.period)
        above = _bound_above(uv, terms, surface.period)
        stops = np.unique(np.concatenate([np.linspace(a, b, FEWEST_STOPS) for a, b in pairwise(bounds)]))
        for k in range(CANAL_ROUNDS):
            made = surface.as_spline_at(-below(stops) - room, above(stops) + room, stops)
            off = _off_between(made, surface, stops)
            if off.max() <= CANAL_FIT * surface.radius:
                return spline_surface(made, bool(surface.period), point)
            if k >= MANY_ROUNDS and off.max() > HOPELESS * surface.radius:
                break
            stops = _refined(stops, off > 0.5 * CANAL_FIT * surface.radius)
    raise ExchangeError("a canal bends too sharply to be written as a B-spline surface")


def _reach_along(surface: CanalSurface, edges: Sequence[Edge], u: FloatArray) -> tuple[float, float]:
    """The lowest and highest parameter u of a canal on edges. u : at `SPOTS` places on each, (N, SPOTS)."""
    low, high = (max(_furthest(surface, edges, sign * u, sign)) for sign in (-1.0, 1.0))
    return -low, high


def _furthest(surface: CanalSurface, edges: Sequence[Edge], u: FloatArray, sign: float) -> list[float]:
    """The largest of u, times a sign, on each edge that may have the largest of all; looked for twice more
    about where it was."""
    found = []
    for edge, row in zip(edges, u, strict=True):
        if row.max() < u.max() - NEARLY * np.ptp(u):
            continue
        t, values = np.linspace(edge.t0, edge.t1, SPOTS), row
        for _ in range(2):
            k = int(values.argmax())
            t = np.linspace(t[max(k - 1, 0)], t[min(k + 1, SPOTS - 1)], SPOTS)
            values = sign * surface.parameters(edge.curve.points(t))[:, 0]
        found.append(max(float(row.max()), float(values.max())))
    return found


def ruled_surface(surface: RuledSurface, face: Face, point: WritePoint) -> str:
    """The text of the B-spline surface under a face on a ruled surface, the same points."""
    low, high = surface.one.low, surface.one.high
    edges = [c.edge for c in face.coedges()]
    border = np.concatenate([e.curve.points(np.linspace(e.t0, e.t1, SPOTS)) for e in edges])
    u, v = surface.parameters(border).T
    room = RULED_ROOM * np.ptp([u, v], axis=1)
    if not surface.period:
        low, high = max(low, float(u.min() - room[0])), min(high, float(u.max() + room[0]))
    across = (  # a face may go on beyond its lines
        0.0 if v.min() > -BEYOND else float(v.min() - room[1]),
        1.0 if v.max() < 1.0 + BEYOND else float(v.max() + room[1]),
    )
    return spline_surface(surface.as_spline((low, high), across), bool(surface.period), point)


def _off_between(made: SplineSurface, surface: CanalSurface, stops: FloatArray) -> FloatArray:
    """How far a surface is from a canal half way between stops."""
    middles = 0.5 * (stops[1:] + stops[:-1])
    spots = np.array([(u, v) for u in middles for v in ACROSS])
    return np.abs(surface.distance(made.points(spots))).reshape(-1, len(ACROSS)).max(axis=1)


def _refined(stops: FloatArray, bad: NDArray[np.bool_]) -> FloatArray:
    """Stops with others half way in bad intervals, and in those beside them."""
    near = bad.copy()
    near[1:] |= bad[:-1]
    near[:-1] |= bad[1:]
    return np.sort(np.concatenate([stops, 0.5 * (stops[1:] + stops[:-1])[near]]))


def _bound_above(places: FloatArray, terms: int, period: float) -> Callable[[FloatArray], FloatArray]:
    """The lowest function, on average, that lies above all of some places (u, v), shape (N, 2): a polynomial,
    or, if it has a period, a sum of waves. terms : how many besides a constant; of waves twice so many."""
    low, high = float(places[:, 0].min()), float(places[:, 0].max())

    def table(u: FloatArray) -> FloatArray:
        if period:
            turns = math.tau * np.outer(u / period, np.arange(terms + 1))
            return np.column_stack([np.cos(turns), np.sin(turns[:, 1:])])
        waves: FloatArray = np.asarray(chebvander(2.0 * (u - low) / (high - low) - 1.0, terms), dtype=float)
        return waves

    even = table(np.linspace(low, high, len(places)))
    cost, above = even.mean(axis=0), table(places[:, 0])
    found = linprog(cost, A_ub=-above, b_ub=-places[:, 1], bounds=(None, None))
    factors = np.asarray(found.x) if found.success else None
    constant = float(places[:, 1].max())

    def bound(u: FloatArray) -> FloatArray:
        values: FloatArray = np.full(len(u), constant)
        return values if factors is None else np.asarray(table(u) @ factors)

    return bound
