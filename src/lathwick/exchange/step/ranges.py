"""The range of parameters that a face covers on its surface, over the whole of its boundary."""

from __future__ import annotations

import math

import numpy as np

from ...geometry.placement import FloatArray
from ...geometry.surface import Interval, Surface
from ...geometry.tolerance import RESOLUTION
from ...topology.brep import Edge, Face, Loop
from ...topology.windings import unrolled, winding

SPOTS = 33
"""So many points along an edge are looked at."""

TOPS = 6
"""So many of the highest of them are looked at more closely."""

CLOSER = 3
"""How often more are looked at about the extreme ones."""

LEVEL = 1e-10
"""A parameter that changes by less along an edge, as a share of its size, does not change."""

ROOM = 0.02
"""A written surface reaches so far beyond its face, as a share of it, where its kind goes on there."""


HAIR, LEAST_HAIR = 0.02 * RESOLUTION, 1e-10
"""A face that reaches beyond a border by this length, or by this share of its range, ends on it."""


def paths_of(loop: Loop, surface: Surface) -> list[FloatArray]:
    """Parameters at `SPOTS` places along each coedge of a loop, in its direction, without jumps, (SPOTS,
    2)."""
    points = []
    for coedge in loop.coedges:
        t = np.linspace(coedge.edge.t0, coedge.edge.t1, SPOTS)
        points.append(coedge.edge.curve.points(t if coedge.forward else t[::-1]))
    uv = unrolled(surface.parameters(np.concatenate(points)), surface)
    return [uv[k * SPOTS : (k + 1) * SPOTS] for k in range(len(points))]


def winds(face: Face) -> tuple[bool, bool]:
    """Whether a loop of a face goes round its surface along u, and along v."""
    turns = [winding(np.concatenate(paths_of(loop, face.surface)), face.surface) for loop in face.loops]
    return any(t[0] for t in turns), any(t[1] for t in turns)


def range_of(face: Face, k: int) -> Interval:
    """Least and largest u (k = 0) or v (k = 1) on the boundary, of a face that does not go round along it."""
    surface, ends = face.surface, []
    period, reference = surface.periods[k], None
    for loop in face.loops:
        paths = paths_of(loop, surface)
        shift = 0.0
        if period:
            middle = float(np.concatenate(paths)[:, k].mean())
            reference = middle if reference is None else reference
            shift = period * round((reference - middle) / period)
        for coedge, path in zip(loop.coedges, paths, strict=True):
            row = path[:, k] if coedge.forward else path[::-1, k]
            ends += [_furthest(surface, k, coedge.edge, row, sign) + shift for sign in (-1.0, 1.0)]
    return min(ends), max(ends)


def _furthest(surface: Surface, k: int, edge: Edge, row: FloatArray, sign: float) -> float:
    """The largest parameter along an edge, times a sign, from those at `SPOTS` places."""
    t, values = np.linspace(edge.t0, edge.t1, SPOTS), row
    best = float((sign * row).max())
    ahead = np.diff(row)
    if np.ptp(row) <= LEVEL * (1.0 + np.abs(row).max()) or (ahead > 0.0).all() or (ahead < 0.0).all():
        return sign * best
    for at in _summits(sign * row):
        best = max(
            best, _climbed(surface, k, edge, (t[max(at - 1, 0)], t[min(at + 1, SPOTS - 1)]), values[at], sign)
        )
    return sign * best


def _summits(row: FloatArray) -> list[int]:
    """The largest values that have no larger one beside them: between places a curve may rise higher from a
    lower one."""
    beside = np.concatenate([[-np.inf], row, [-np.inf]])
    tops = np.flatnonzero((row >= beside[:-2]) & (row >= beside[2:]))
    return [int(k) for k in tops[np.argsort(-row[tops])][:TOPS]]


def _climbed(surface: Surface, k: int, edge: Edge, ends: Interval, near: float, sign: float) -> float:
    """The largest parameter times a sign between two places along an edge. near : a value there."""
    period, best = surface.periods[k], -math.inf
    for _ in range(CLOSER):
        t = np.linspace(*ends, SPOTS)
        values = surface.parameters(edge.curve.points(t))[:, k]
        if period:
            values = values - period * np.round((values - near) / period)
        at = int((sign * values).argmax())
        best = max(best, float(sign * values[at]))
        ends = (float(t[max(at - 1, 0)]), float(t[min(at + 1, SPOTS - 1)]))
    return best


def widened(face: Face, k: int, ends: Interval) -> Interval:
    """A range with some room, as far as the surface goes on without leaving what it is exactly."""
    low, high = ends
    if face.surface.periods[k]:
        room = min(ROOM * (high - low), 0.25 * (face.surface.periods[k] - (high - low)))
        return (low - room, high + room) if room > 0.0 else (low, low + face.surface.periods[k])
    least, most = face.surface.domain[k]
    room = ROOM * (high - low)
    hair = _hair(face, k, ends) if low < least or high > most else 0.0
    return (max(low - room, least) if low >= least - hair else low - room), (
        min(high + room, most) if high <= most + hair else high + room
    )


def _hair(face: Face, k: int, ends: Interval) -> float:
    """By how much of a parameter a face may reach beyond a border and yet end there."""
    border = np.concatenate([path for loop in face.loops for path in paths_of(loop, face.surface)])
    uv = np.tile(border.mean(axis=0), (SPOTS, 1))
    uv[:, k] = np.linspace(*ends, SPOTS)
    length = float(np.linalg.norm(np.diff(face.surface.points(uv), axis=0), axis=1).sum())
    return max(LEAST_HAIR, HAIR / max(length, HAIR)) * (ends[1] - ends[0])


def whole_turn(start: float, period: float) -> Interval:
    """Once round from a start."""
    return start, start + period
