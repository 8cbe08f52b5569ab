"""What is written for the surface of a face: as the standard's own kinds, or as a B-spline over its
boundary."""

from __future__ import annotations

import math
from collections.abc import Callable
from itertools import pairwise

import numpy as np
from numpy.polynomial.chebyshev import chebvander
from numpy.typing import NDArray

from ...errors import ExchangeError
from ...geometry.canal import CanalSurface
from ...geometry.fitting import as_spline
from ...geometry.placement import FloatArray
from ...geometry.spline_surface import SplineSurface
from ...geometry.surface import Interval, Surface
from ...topology.brep import Face
from .ranges import SPOTS, range_of, whole_turn, widened
from .seams import Seam

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


def written_spline(face: Face, seam: Seam | None) -> SplineSurface:
    """The B-spline surface that is written under a face, cut open at its seam. Raises ExchangeError."""
    surface = face.surface
    if not face.loops:
        return as_spline(surface, *surface.domain)
    ranges: list[Interval] = []
    for k in (0, 1):
        if seam is not None and seam.k == k:
            ranges.append(whole_turn(seam.at, surface.periods[k]))
        elif seam is not None and surface.singular_points:
            ranges.append(surface.domain[k])
        else:
            ranges.append(widened(face, k, range_of(face, k)))
    if isinstance(surface, CanalSurface):
        return _canal_spline(surface, face, ranges[0])
    return as_spline(surface, ranges[0], ranges[1])


def _canal_spline(surface: CanalSurface, face: Face, us: Interval) -> SplineSurface:
    """The rational B-spline surface over a face on a canal; its normal looks out of the canal. It reaches
    across no farther than it must: beside a narrower part of the face the canal may fold back."""
    uv = _border(surface, face)
    uv[:, 0] = _next_to(uv[:, 0], us, surface.period)
    room = 0.02 * float(np.ptp(uv[:, 1]))
    least = LEAST_PIECE * (us[1] - us[0])
    joints = sorted(j + lap for j in surface.spine.joints for lap in (-surface.period, 0.0, surface.period))
    bounds = [us[0], *(k for k in dict.fromkeys(joints) if us[0] + least < k < us[1] - least), us[1]]
    for terms in (0, 4, 8, 16):
        below = _bound_above(uv * (1.0, -1.0), terms, surface.period)
        above = _bound_above(uv, terms, surface.period)
        stops = np.unique(np.concatenate([np.linspace(a, b, FEWEST_STOPS) for a, b in pairwise(bounds)]))
        for k in range(CANAL_ROUNDS):
            made = surface.as_spline_at(-below(stops) - room, above(stops) + room, stops)
            off = _off_between(made, surface, stops)
            if off.max() <= CANAL_FIT * surface.radius:
                return made
            if k >= MANY_ROUNDS and off.max() > HOPELESS * surface.radius:
                break
            stops = _refined(stops, off > 0.5 * CANAL_FIT * surface.radius)
    raise ExchangeError("a canal bends too sharply to be written as a B-spline surface")


def _border(surface: Surface, face: Face) -> FloatArray:
    """(u, v) along the loops of a face on a canal; v, an angle, goes on beyond a half turn."""
    rows = []
    for loop in face.loops:
        t = [(c, np.linspace(c.edge.t0, c.edge.t1, SPOTS)[:: 1 if c.forward else -1]) for c in loop.coedges]
        uv = surface.parameters(np.concatenate([c.edge.curve.points(s) for c, s in t]))
        uv[:, 1] = np.unwrap(uv[:, 1])
        rows.append(uv)
    return np.concatenate(rows)


def _next_to(u: FloatArray, us: Interval, period: float) -> FloatArray:
    """Parameters moved by whole periods into a range."""
    return us[0] + (u - us[0]) % period if period else u


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
    from scipy.optimize import linprog

    found = linprog(cost, A_ub=-above, b_ub=-places[:, 1], bounds=(None, None))
    factors = np.asarray(found.x) if found.success else None
    constant = float(places[:, 1].max())

    def bound(u: FloatArray) -> FloatArray:
        values: FloatArray = np.full(len(u), constant)
        return values if factors is None else np.asarray(table(u) @ factors)

    return bound
