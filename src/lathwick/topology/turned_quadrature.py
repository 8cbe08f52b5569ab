"""Faces on turned surfaces that do not go all round: strips along circles about the axis.

Along those every integrand is a trigonometric polynomial of low degree, however the profile runs; at a tip
they have no length.
"""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np

from ..geometry.placement import FloatArray
from ..geometry.surface import Interval
from ..geometry.tolerance import RESOLUTION
from ..geometry.turned import TurnedSurface
from .brep import Edge, Face
from .face_quadrature import NODES, WEIGHTS
from .trim import OUTSIDE, region_of
from .windings import SAMPLES, unrolled

NARROWEST = 1e-4
"""Radians: between edges that leave less room no place is free."""

BESIDE = 1e-6
"""At a tip any angle is right: it is looked at this share of the edge beside it."""

TURN, HALVINGS = 1.0, 40
"""Radians between places along an edge, and how often they are drawn nearer to each other for that."""

SHARES = (0.1, 0.3, 0.5, 0.7, 0.9)


def strips_round(
    face: Face, uv: FloatArray, steps: FloatArray
) -> tuple[FloatArray, FloatArray, FloatArray] | None:
    """Points, outward normals, (M, K, 3), and weights, (M, K), of the strips from one angle to border nodes;
    None for a face on another surface, or one that goes all round.

    uv : of the nodes, (M, 2). steps : along the border, (M, 3).
    """
    surface = face.surface
    cut = _clear_angle(face, surface) if isinstance(surface, TurnedSurface) else None
    if cut is None:
        return None
    rise = surface.derivatives(uv, 1)[0][1]
    dv = (steps * rise).sum(axis=1) / (rise * rise).sum(axis=1)
    u, middle = cut + (uv[:, 0] - cut) % math.tau, cut + math.pi
    half = 0.5 * (u - middle)[:, None]
    w = middle + half * (NODES + 1.0)
    places, normals, sizes = surface.elements(np.column_stack([w.ravel(), np.repeat(uv[:, 1], len(NODES))]))
    shape, sign = (*w.shape, 3), 1.0 if face.outward else -1.0
    weights = half * WEIGHTS * sizes.reshape(w.shape) * (dv * sign)[:, None]
    return places.reshape(shape), sign * normals.reshape(shape), weights


def _clear_angle(face: Face, surface: TurnedSurface) -> float | None:
    """An angle that a face does not come to; None for one that goes all round."""
    spans = [span for coedge in face.coedges() for span in _spans(surface, coedge.edge)]
    if any(high - low >= math.tau - NARROWEST for low, high in spans):
        return None
    first = spans[0][0]
    rows = [((low - first) % math.tau, high - low) for low, high in spans]
    rows += [(start - math.tau, wide) for start, wide in rows if start + wide > math.tau]
    gaps, reached = [], 0.0
    for start, wide in [*sorted(rows), (math.tau, 0.0)]:
        if start > reached + NARROWEST:
            gaps.append((start - reached, first + 0.5 * (start + reached)))
        reached = max(reached, start + wide)
    return next((at for _, at in sorted(gaps, reverse=True) if _is_clear(face, surface, at)), None)


def _spans(surface: TurnedSurface, edge: Edge) -> list[Interval]:
    """Least and largest angles along an edge, apart before and after a tip, where the angle leaps."""
    at = [edge.curve.nearest_between(tip.point, edge.t0, edge.t1) for tip in surface.singular_points]
    tips = [t for t, tip in zip(at, surface.singular_points, strict=True)
            if math.dist(edge.curve.point(t), tip.point) <= RESOLUTION]  # fmt: skip
    stops = [edge.t0, *sorted(tips), edge.t1]
    room = BESIDE * (edge.t1 - edge.t0)
    return [_span(surface, edge, a + room * (a in tips), b - room * (b in tips))
            for a, b in pairwise(stops) if b - a > 2.0 * room]  # fmt: skip


def _span(surface: TurnedSurface, edge: Edge, low: float, high: float) -> Interval:
    """As `_spans`, of a piece: between places it turns by less than `TURN`, or they are as good as one."""
    t = np.linspace(low, high, SAMPLES)
    for _ in range(HALVINGS):
        u = unrolled(surface.parameters(edge.curve.points(t)), surface)[:, 0]
        wide = np.abs(np.diff(u)) > TURN
        if not wide.any():
            break
        t = np.union1d(t, 0.5 * (t[1:] + t[:-1])[wide])
    return float(u.min()), float(u.max())


def _is_clear(face: Face, surface: TurnedSurface, angle: float) -> bool:
    """Only a face from one tip to the other can lie where none of its edges do."""
    if len(surface.singular_points) < 2:
        return True
    low, high = surface.span
    v = low + (high - low) * np.array(SHARES)
    places = surface.points(np.column_stack([np.full(len(v), angle), v]))
    return bool((region_of(face).states(places) == OUTSIDE).all())
