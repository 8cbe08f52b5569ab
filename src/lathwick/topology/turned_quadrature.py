"""Faces on turned surfaces that do not go all round: strips along circles about the axis.

Along those every integrand is a trigonometric polynomial of low degree, however the profile runs; at a tip
they have no length.
"""

from __future__ import annotations

import math

import numpy as np

from ..geometry.placement import FloatArray
from ..geometry.turned import TurnedSurface
from .brep import Edge, Face
from .face_quadrature import NODES, WEIGHTS
from .trim import OUTSIDE, region_of
from .windings import samples_of, unrolled

NARROWEST = 1e-4
"""Radians: between edges that leave less room no place is free."""

SHARES = (0.1, 0.3, 0.5, 0.7, 0.9)


def clear_angle(face: Face) -> float | None:
    """An angle that a face on a turned surface does not come to; None for one that goes all round."""
    surface = face.surface
    assert isinstance(surface, TurnedSurface)
    spans = [_span(surface, coedge.edge) for coedge in face.coedges()]
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


def _span(surface: TurnedSurface, edge: Edge) -> tuple[float, float]:
    """Least and largest angle along an edge, without those at tips, where any angle is right."""
    places = samples_of([edge])[0]
    away = surface.radii(places) > NARROWEST * surface.radii(places).max()
    u = unrolled(surface.parameters(places[away]), surface)[:, 0]
    return float(u.min()), float(u.max())


def _is_clear(face: Face, surface: TurnedSurface, angle: float) -> bool:
    """Only a face from one tip to the other can lie where none of its edges do."""
    if len(surface.singular_points) < 2:
        return True
    low, high = surface.span
    v = low + (high - low) * np.array(SHARES)
    places = surface.points(np.column_stack([np.full(len(v), angle), v]))
    return bool((region_of(face).states(places) == OUTSIDE).all())


def strips_round(
    surface: TurnedSurface, sign: float, uv: FloatArray, steps: FloatArray, cut: float
) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Points, outward normals, (M, K, 3), and weights, (M, K), of the strips from the middle to border nodes.

    uv : of the nodes, (M, 2). steps : along the border, (M, 3). cut : an angle that the face does not come
    to.
    """
    rise = surface.derivatives(uv, 1)[0][1]
    dv = (steps * rise).sum(axis=1) / (rise * rise).sum(axis=1)
    u = cut + (uv[:, 0] - cut) % math.tau
    middle = cut + math.pi
    half = 0.5 * (u - middle)[:, None]
    w = middle + half * (NODES + 1.0)
    places, normals, sizes = surface.elements(np.column_stack([w.ravel(), np.repeat(uv[:, 1], len(NODES))]))
    shape = (*w.shape, 3)
    weights = half * WEIGHTS * sizes.reshape(w.shape) * (dv * sign)[:, None]
    return places.reshape(shape), sign * normals.reshape(shape), weights
