"""Steps of grids on faces: so many that a surface leaves the grid nowhere farther than asked for."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from ..geometry.placement import FloatArray
from ..geometry.surface import Surface
from ..geometry.tolerance import NOWHERE
from ..geometry.turned import TurnedSurface
from ..geometry.vector import Vec3
from ..topology.brep import Coedge, Edge, Vertex
from ..topology.windings import unrolled
from .sampling import Tolerance

SAME = 1e-6
"""Parameters that differ by less than this are equal."""

SHARED = 0.5
"""What is left of a tolerance for each of two directions."""

ROOM = 1.05
"""Between the points of a grid the surface may leave it by the tolerance times this."""

MOST_ROWS, MORE_ROWS = 2000, 1.4
"""Rows of a grid between rings: as many at most, and so much more at each try."""

MOST_SPOTS = 200_000
"""Points of a grid between four sides at most; a face that bends so unevenly is triangulated otherwise."""


def row_stops(
    surface: TurnedSurface, low: float, high: float, tolerance: Tolerance, reach: float
) -> FloatArray:
    """Parameters of the profile, from one to another, at which circles leave room for chords along them."""
    curve = surface.reaching[0]
    profile = Edge(curve, low, high, Vertex(curve.point(low)), Vertex(curve.point(high)))
    return replace(tolerance, chord=SHARED * tolerance.chord).parameters(profile, reach)


def even_shares(
    surface: Surface, uv: tuple[FloatArray, FloatArray], along: int, tolerance: Tolerance
) -> FloatArray | None:
    """Even shares of the way from one row of places to another, (N, 2) each, at which chords are near enough
    and turn little enough; None where MOST_ROWS are too few. along : the number of the parameter that runs
    along the rows."""
    widest, count = math.radians(tolerance.angle), 1
    while count <= MOST_ROWS:
        shares = np.linspace(0.0, 1.0, count + 1)
        spots = (1.0 - shares[:, None, None]) * uv[0] + shares[:, None, None] * uv[1]
        d = surface.derivatives(spots.reshape(-1, 2), 1)
        way = (d[1][0] if along else d[0][1]).reshape(*spots.shape[:2], 3)
        way = way / np.maximum(np.linalg.norm(way, axis=2), NOWHERE)[:, :, None]
        turn = np.arccos(np.clip((way[:-1] * way[1:]).sum(axis=2), -1.0, 1.0)).max()
        if turn <= widest and is_fine(surface, uv, shares, tolerance):
            return shares
        count = max(count + 1, math.ceil(MORE_ROWS * count))
    return None


def level_borders(
    surface: Surface, around: tuple[Coedge, Coedge, Coedge, Coedge], tolerance: Tolerance, reach: float
) -> dict[Edge, FloatArray]:
    """Parameters of the edges around a face between four lines of equal parameters: steps are halved where
    the surface leaves them too far, anywhere across. Nothing where that takes too many."""
    uv = unrolled(surface.parameters(np.array([_start_of(c) for c in around])), surface)
    pairs = (around[0], around[2]), (around[1], around[3])
    steps = [_common_steps(pair, tolerance, reach) for pair in pairs]
    while len(steps[0]) * len(steps[1]) <= MOST_SPOTS:
        u, v = (uv[k, k] + (uv[k + 1, k] - uv[k, k]) * steps[k] for k in (0, 1))
        off = _strays(surface, np.stack(np.meshgrid(u, v, indexing="ij"), axis=-1))
        coarse = [off[k].max(axis=1 - k) > ROOM * tolerance.chord for k in (0, 1)]
        if not any(rows.any() for rows in coarse):
            return {
                c.edge: _on_edge(c, t if c is pair[0] else 1.0 - t[::-1])
                for pair, t in zip(pairs, steps, strict=True)
                for c in pair
            }
        for k in (0, 1):
            middles = 0.5 * (steps[k][:-1] + steps[k][1:])
            steps[k] = np.sort(np.concatenate([steps[k], middles[coarse[k]]]))
    return {}


def _start_of(coedge: Coedge) -> Vec3:
    edge = coedge.edge
    return edge.curve.point(edge.t0 if coedge.forward else edge.t1)


def _on_edge(coedge: Coedge, shares: FloatArray) -> FloatArray:
    """Parameters of the edge at shares of the way along a coedge, increasing."""
    edge = coedge.edge
    return edge.t0 + (shares if coedge.forward else 1.0 - shares[::-1]) * (edge.t1 - edge.t0)


def _common_steps(pair: tuple[Coedge, Coedge], tolerance: Tolerance, reach: float) -> FloatArray:
    """Shares of the way along the first of two opposite coedges at which chords of both may end."""
    found = []
    for c in pair:
        edge = c.edge
        t = (tolerance.parameters(edge, reach) - edge.t0) / (edge.t1 - edge.t0)
        found.append(t if c.forward is (c is pair[0]) else 1.0 - t[::-1])
    both = np.union1d(*found)
    both = both[np.append(True, np.diff(both) > SAME)]
    both[-1] = 1.0
    return np.asarray(both)


def is_fine(
    surface: Surface, uv: tuple[FloatArray, FloatArray], shares: FloatArray, tolerance: Tolerance
) -> bool:
    """Whether the middles of triangles, and of their sides, are near enough to the surface, of a grid between
    two rows of places, (N, 2) each, at shares of the way, (M,)."""
    spots = (1.0 - shares[:, None, None]) * uv[0] + shares[:, None, None] * uv[1]
    return all(off.max() <= ROOM * tolerance.chord for off in _strays(surface, spots))


def _strays(surface: Surface, uv: FloatArray) -> tuple[FloatArray, FloatArray]:
    """How far a surface leaves the triangles of a grid, (M, N, 2), beside each side along the first of its
    axes, (M - 1, N), and the second, (M, N - 1): in the middles of cells it counts for the worse of both."""
    p = surface.points(uv.reshape(-1, 2)).reshape(*uv.shape[:2], 3)

    def off(*corners: tuple[slice, slice]) -> FloatArray:
        middle = np.mean([uv[c] for c in corners], axis=0)
        chord = np.mean([p[c] for c in corners], axis=0)
        there = surface.points(middle.reshape(-1, 2)).reshape(chord.shape)
        return np.asarray(np.linalg.norm(there - chord, axis=2))

    one = off(np.s_[:-1, :], np.s_[1:, :])
    two = off(np.s_[:, :-1], np.s_[:, 1:])
    a, b, c, d = (np.s_[:-1, :-1], np.s_[:-1, 1:], np.s_[1:, 1:], np.s_[1:, :-1])
    inside = np.max([off(a, c), off(a, b, c), off(a, c, d)], axis=0)
    first = np.maximum(one[:, :-1], one[:, 1:]) >= np.maximum(two[:-1], two[1:])
    one[:, :-1] = np.maximum(one[:, :-1], np.where(first, inside, 0.0))
    two[:-1] = np.maximum(two[:-1], np.where(first, 0.0, inside))
    return one, two
