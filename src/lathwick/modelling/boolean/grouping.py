"""Which cycles on one face bound the same cell: a plate's outline and its holes, the two ends of a tube.

From the left of one cycle a straight path in (u, v) leads to another; the first cycle that it meets
bounds the same cell. On planes and wherever one cycle only can be the outer one nothing need be tried.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ...geometry.curves import Circle
from ...geometry.placement import FloatArray
from ...geometry.surface import Surface
from ...geometry.vector import Vec3
from ...topology.brep import Coedge, Edge, Face, Loop, Vertex
from ...topology.trim import TrimmedRegion
from ...topology.windings import path_along, ring_path, signed_area, winding
from .cells import Cycle
from .fragments import Fragment
from .nesting import nested
from .tubes import on_a_ring, on_a_tube

SAMPLES = 33


def same_cells(face: Face, cycles: Sequence[Cycle]) -> list[tuple[int, int]]:
    """Pairs of cycles (by number) on a face that bound the same cell; enough of them to join all that do."""
    if len(cycles) < 2:
        return []
    surface = face.surface
    paths = [_path(cycle, surface) for cycle in cycles]
    sign = 1.0 if face.outward else -1.0
    if surface.plane is not None:
        return nested(paths, [sign * signed_area(path) for path in paths])
    turns = [winding(path, surface) for path in paths]
    if surface.kind == "spline" and not any(t[0] for t in turns):
        return nested(paths, [sign * signed_area(path) for path in paths])
    if surface.kind in ("cylinder", "cone", "spline") and _is_one_cell(turns, paths, sign):
        return [(0, k) for k in range(1, len(cycles))]
    round_it, across = surface.periods
    if surface.kind in ("cylinder", "cone", "spline") and round_it and not across:
        pairs = on_a_tube(turns, paths, sign, round_it)
        if pairs is not None:
            return pairs
    if round_it and across and not any(any(turn) for turn in turns):
        return on_a_ring(paths, sign, surface.periods)
    return _reached(face, cycles)


def _is_one_cell(turns: Sequence[tuple[int, int]], paths: Sequence[FloatArray], sign: float) -> bool:
    """Whether cycles round a tube can only bound one cell: one band with holes."""
    outers = sum(t == (0, 0) and sign * signed_area(p) > 0 for t, p in zip(turns, paths, strict=True))
    ups = sum(t[0] * sign > 0 for t in turns)
    downs = sum(t[0] * sign < 0 for t in turns)
    return outers + max(ups, downs) == 1


def _path(cycle: Cycle, surface: Surface) -> FloatArray:
    """(u, v) once round a cycle."""
    ring, forward = cycle.halves[0]
    if ring.is_ring and isinstance(ring.curve, Circle):
        path = ring_path(ring.curve, ring.t0, forward, surface)
        if path is not None:
            return path
    found = []
    for fragment, forward in cycle.halves:
        count = 2 if fragment.curve.kind == "line" else SAMPLES
        t = np.linspace(fragment.t0, fragment.t1, count)
        found.append(fragment.curve.points(t if forward else t[::-1]))
    return path_along(found, surface)


def _reached(face: Face, cycles: Sequence[Cycle]) -> list[tuple[int, int]]:
    """By paths from each cycle to every other."""
    loops: list[Loop] = []
    owner: dict[int, int] = {}
    for number, cycle in enumerate(cycles):
        coedges = []
        for fragment, forward in cycle.halves:
            start, end = (None, None) if fragment.is_ring else map(Vertex, _ends(fragment))
            edge = Edge(fragment.curve, fragment.t0, fragment.t1, start, end)
            coedges.append(Coedge(edge, forward))
            owner[len(owner)] = number
        loops.append(Loop(tuple(coedges)))
    region = TrimmedRegion(Face(face.surface, face.outward, tuple(loops)))
    return region.linked([owner[i] for i in range(len(owner))])


def _ends(fragment: Fragment) -> tuple[Vec3, Vec3]:
    return fragment.curve.point(fragment.t0), fragment.curve.point(fragment.t1)
