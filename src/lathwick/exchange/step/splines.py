"""B-spline curves and surfaces of ISO 10303-42."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from itertools import pairwise

import numpy as np
from numpy.polynomial.chebyshev import Chebyshev, chebvander
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
from ...topology.brep import Face
from .part21 import listed, logical, real

CANAL_STOPS = (17, 33, 65, 129, 257, 513)
CANAL_FIT = 1e-8
"""How far, as a share of the radius, the B-spline surface may be from the canal."""

MANY_STOPS, HOPELESS = 65, 1e-4
"""With so many stops a fit that is off by so much, as a share of the radius, is given up."""

RULED_ROOM = 0.02
"""A ruled surface reaches so far beyond its face, as a share of it."""

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
    border = np.concatenate([e.curve.points(np.linspace(e.t0, e.t1, 33)) for e in edges])
    uv = surface.parameters(border)
    u0, u1 = (surface.spine.low, surface.spine.high) if surface.period else (uv[:, 0].min(), uv[:, 0].max())
    room = 0.02 * float(np.ptp(uv[:, 1]))
    bounds = [u0, *(k for k in surface.spine.joints if u0 < k < u1), u1]
    for degree in (0, 3):  # a canal that folds back beside a narrower part of the face is kept to that
        low, high = -_bound_above(uv * (1.0, -1.0), degree) - room, _bound_above(uv, degree) + room
        for count in CANAL_STOPS:
            stops = np.unique(np.concatenate([np.linspace(a, b, count) for a, b in pairwise(bounds)]))
            made = surface.as_spline(low(stops), high(stops), stops)
            middles = 0.5 * (stops[1:] + stops[:-1])
            spots = np.array([(u, v) for u in middles for v in (0.0, 0.3, 0.5, 0.8, 1.0)])
            off = float(np.abs(surface.distance(made.points(spots))).max())
            if off <= CANAL_FIT * surface.radius:
                return spline_surface(made, bool(surface.period), point)
            if count >= MANY_STOPS and off > HOPELESS * surface.radius:
                break
    raise ExchangeError("a canal bends too sharply to be written as a B-spline surface")


def ruled_surface(surface: RuledSurface, face: Face, point: WritePoint) -> str:
    """The text of the B-spline surface under a face on a ruled surface, the same points."""
    low, high = surface.one.low, surface.one.high
    if not surface.period:
        edges = [c.edge for c in face.coedges()]
        border = np.concatenate([e.curve.points(np.linspace(e.t0, e.t1, 33)) for e in edges])
        u = surface.parameters(border)[:, 0]
        room = RULED_ROOM * float(np.ptp(u))
        low, high = max(low, float(u.min()) - room), min(high, float(u.max()) + room)
    return spline_surface(surface.as_spline(low, high), bool(surface.period), point)


def _bound_above(places: FloatArray, degree: int) -> Chebyshev:
    """The lowest polynomial, on average, that lies above all of some places (u, v), shape (N, 2)."""
    ends = [float(places[:, 0].min()), float(places[:, 0].max())]
    if degree == 0:
        return Chebyshev([float(places[:, 1].max())], domain=ends)
    inside = 2.0 * (places[:, 0] - ends[0]) / (ends[1] - ends[0]) - 1.0
    table = chebvander(np.linspace(-1.0, 1.0, len(places)), degree)
    found = linprog(
        table.mean(axis=0), A_ub=-chebvander(inside, degree), b_ub=-places[:, 1], bounds=(None, None)
    )
    return Chebyshev(np.asarray(found.x), domain=ends) if found.success else _bound_above(places, 0)
