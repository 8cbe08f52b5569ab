"""Which cycles on one face bound the same cell: a plate's outline and its holes, the two ends of a tube.

From the left of one cycle a straight path in (u, v) leads to another; the first cycle that it meets
bounds the same cell. On planes and wherever one cycle only can be the outer one nothing need be tried.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from ...geometry.placement import FloatArray
from ...geometry.surfaces import Surface
from ...topology.brep import Coedge, Edge, Face, Loop
from ...topology.trim import TrimmedRegion
from ...topology.windings import signed_area, unrolled, winding
from .cells import Cycle

SAMPLES = 33


class Sets:
    """Disjoint sets of numbers (Tarjan)."""

    def __init__(self, count: int) -> None:
        self._parent = list(range(count))

    def find(self, i: int) -> int:
        while self._parent[i] != i:
            self._parent[i] = self._parent[self._parent[i]]
            i = self._parent[i]
        return i

    def join(self, i: int, j: int) -> None:
        a, b = self.find(i), self.find(j)
        self._parent[max(a, b)] = min(a, b)


def same_cells(face: Face, cycles: Sequence[Cycle]) -> list[tuple[int, int]]:
    """Pairs of cycles (by number) on a face that bound the same cell; enough of them to join all that do."""
    if len(cycles) < 2:
        return []
    surface = face.surface
    paths = [_path(cycle, surface) for cycle in cycles]
    sign = 1.0 if face.outward else -1.0
    if surface.kind == "plane":
        return _nested(paths, [sign * signed_area(path) for path in paths])
    turns = [winding(path, surface) for path in paths]
    if surface.kind == "spline" and not any(t[0] for t in turns):
        return _nested(paths, [sign * signed_area(path) for path in paths])
    if surface.kind in ("cylinder", "cone", "spline") and _is_one_cell(turns, paths, sign):
        return [(0, k) for k in range(1, len(cycles))]
    return _reached(face, cycles)


def _is_one_cell(turns: Sequence[tuple[int, int]], paths: Sequence[FloatArray], sign: float) -> bool:
    """Whether cycles round a tube can only bound one cell: one band with holes."""
    outers = sum(t == (0, 0) and sign * signed_area(p) > 0 for t, p in zip(turns, paths, strict=True))
    ups = sum(t[0] * sign > 0 for t in turns)
    downs = sum(t[0] * sign < 0 for t in turns)
    return outers + max(ups, downs) == 1


def _path(cycle: Cycle, surface: Surface) -> FloatArray:
    """(u, v) once round a cycle."""
    found = []
    for fragment, forward in cycle.halves:
        count = 2 if fragment.curve.kind == "line" else SAMPLES
        t = np.linspace(fragment.t0, fragment.t1, count)
        found.append(fragment.curve.points(t if forward else t[::-1]))
    points = np.concatenate(found)
    return unrolled(surface.parameters(points), surface)


def _nested(paths: Sequence[FloatArray], areas: Sequence[float]) -> list[tuple[int, int]]:
    """Every hole with the smallest outline around it."""
    outers = sorted((i for i, area in enumerate(areas) if area > 0), key=lambda i: areas[i])
    holes = [i for i, area in enumerate(areas) if area <= 0]
    if len(outers) == 1:
        return [(outers[0], hole) for hole in holes]
    boxes = [(p.min(axis=0), p.max(axis=0)) for p in paths]
    pairs = []
    for hole in holes:
        low, high = boxes[hole]
        for outer in outers:
            bottom, top = boxes[outer]
            slack = 1e-9 * (top - bottom).max()
            if areas[outer] <= -areas[hole] * (1 + 1e-9) or (low < bottom - slack).any():
                continue
            if (high > top + slack).any() or not _encloses(paths[outer], paths[hole]):
                continue
            pairs.append((outer, hole))
            break
    return pairs


def _encloses(outer: FloatArray, inner: FloatArray) -> bool:
    """Whether most of the middles along `inner` lie within the polygon `outer`."""
    middles = 0.5 * (inner[:-1] + inner[1:])
    votes = sum(_winds(outer, p) for p in middles[:: max(1, len(middles) // 7)])
    return votes > len(middles[:: max(1, len(middles) // 7)]) / 2


def _winds(polygon: FloatArray, p: FloatArray) -> bool:
    a, b = polygon[:-1] - p, polygon[1:] - p
    turn = np.arctan2(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0], (a * b).sum(axis=1)).sum()
    return abs(float(turn)) > math.pi


def _reached(face: Face, cycles: Sequence[Cycle]) -> list[tuple[int, int]]:
    """By paths from each cycle to every other."""
    loops: list[Loop] = []
    owner: dict[int, int] = {}
    for number, cycle in enumerate(cycles):
        coedges = []
        for fragment, forward in cycle.halves:
            edge = Edge(fragment.curve, fragment.t0, fragment.t1, None, None)
            coedges.append(Coedge(edge, forward))
            owner[len(owner)] = number
        loops.append(Loop(tuple(coedges)))
    region = TrimmedRegion(Face(face.surface, face.outward, tuple(loops)))
    return region.linked([owner[i] for i in range(len(owner))])
