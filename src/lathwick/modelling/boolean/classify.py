"""Which cells of one body lie inside the other, outside it, or on its skin.

Along a fragment that lies on the other body, the cell to its left is told by the shape of the other
body around the fragment: a half-space, or a wedge between two faces. The answer floods over all
fragments that the other body does not touch; what it never reaches is told by one ray.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Mapping, Sequence
from enum import Enum

import numpy as np

from ...errors import ModellingError
from ...geometry.vector import Vec3, along, cross, dot, negated
from ...topology.brep import Coedge, Edge, Face
from ...topology.inside import contains
from ...topology.trim import INSIDE, region_of
from .cells import Cycle, Half, left_of
from .imprint import Imprint

SHALLOW = 1e-5
STEP = 1e-3
NOTHING = 1e-12

Uses = Mapping[Edge, Sequence[tuple[Face, Coedge]]]


class Place(Enum):
    """Where a cell lies relative to the other body; SAME and OPPOSITE: on its skin, facing the same way
    as it or the other way."""

    INSIDE = "inside"
    OUTSIDE = "outside"
    SAME = "same"
    OPPOSITE = "opposite"


Cells = Sequence[tuple[Face, Cycle]]


def places(
    cells: Cells, links: Sequence[tuple[int, int]], other: Sequence[Face], uses: Uses, imprint: Imprint
) -> list[Place]:
    """Where each cell of a body lies relative to the other body, whose faces and edges are given.

    links : pairs of numbers of cycles that bound one cell. Raises ModellingError where two places along
    one cell disagree.
    """
    judge = _Judge(set(other), uses, imprint)
    found: list[Place | None] = [None] * len(cells)
    touching: dict[int, list[int]] = defaultdict(list)
    for number, (face, cycle) in enumerate(cells):
        if not cycle.halves:
            found[number] = judge.of_whole(face)
        for half in cycle.halves:
            place = judge.beside(face, half)
            if place is None:
                touching[id(half[0])].append(number)
            elif found[number] is None:
                found[number] = place
            elif found[number] is not place:
                x, y, z = half[0].middle
                raise ModellingError(
                    f"the two bodies touch in a way that is not told apart at ({x:.6g}, {y:.6g}, {z:.6g})"
                )
    neighbours = _neighbours(cells, links, touching)
    _flood(cells, found, neighbours)
    _throw_rays(cells, found, neighbours, other)
    return [place for place in found if place is not None]


def _neighbours(
    cells: Cells, links: Sequence[tuple[int, int]], touching: Mapping[int, Sequence[int]]
) -> list[list[int]]:
    """The cycles that lie in the same place as each cycle: those of the same cell, and those beyond a
    fragment that does not lie on the other body."""
    found: list[list[int]] = [[] for _ in cells]
    for i, j in links:
        found[i].append(j)
        found[j].append(i)
    for numbers in touching.values():
        for i in numbers:
            found[i] += [j for j in numbers if j != i]
    return found


def _flood(cells: Cells, found: list[Place | None], neighbours: Sequence[Sequence[int]]) -> None:
    todo = [n for n, place in enumerate(found) if place is not None]
    while todo:
        number = todo.pop()
        for other in neighbours[number]:
            if found[other] is None:
                found[other] = found[number]
                todo.append(other)
            elif found[other] is not found[number]:
                x, y, z = _some_point(*cells[number])
                raise ModellingError(f"inside and outside meet near ({x:.6g}, {y:.6g}, {z:.6g})")


def _throw_rays(
    cells: Cells, found: list[Place | None], neighbours: Sequence[Sequence[int]], other: Sequence[Face]
) -> None:
    """One ray for every group of cells to which no answer has come."""
    groups: list[list[int]] = []
    seen: set[int] = set()
    for number, place in enumerate(found):
        if place is not None or number in seen:
            continue
        group, todo = [], [number]
        seen.add(number)
        while todo:
            here = todo.pop()
            group.append(here)
            fresh = [n for n in neighbours[here] if n not in seen]
            seen.update(fresh)
            todo += fresh
        groups.append(group)
    if not groups:
        return
    points = np.array([_some_point(*cells[group[0]]) for group in groups])
    for group, inside in zip(groups, contains(other, points).tolist(), strict=True):
        for number in group:
            found[number] = Place.INSIDE if inside else Place.OUTSIDE


def _some_point(face: Face, cycle: Cycle) -> Vec3:
    if cycle.halves:
        return cycle.halves[0][0].middle
    x, y, z = face.surface.points(np.array([[0.3, 0.2]]))[0].tolist()
    return (x, y, z)


class _Judge:
    """Tells on which side of the other body the cell to the left of a half-fragment lies."""

    def __init__(self, other: set[Face], uses: Uses, imprint: Imprint) -> None:
        self._other, self._uses = other, uses
        self._same = {face: set(faces) for face, faces in imprint.same.items()}

    def beside(self, face: Face, half: Half) -> Place | None:
        """None if the fragment does not lie on the other body."""
        fragment = half[0]
        inside = [f for f in fragment.inside if f in self._other]
        edges = [e for e in fragment.edges if e in self._uses]
        if not inside and not edges:
            return None
        t = 0.5 * (fragment.t0 + fragment.t1)
        p = fragment.curve.point(t)
        d = left_of(half, face.surface, face.outward, p, t)
        answers = {self._half_space(face, f, half, p, d) for f in inside}  # of lumps that touch here
        answers |= {self._wedge(face, edge, half, p, d) for edge in dict.fromkeys(edges)}
        for place in (Place.SAME, Place.OPPOSITE, Place.INSIDE):
            if place in answers:
                return place
        return Place.OUTSIDE

    def of_whole(self, face: Face) -> Place | None:
        """A closed surface without edges that the other body has as well; None if it has not."""
        p = _some_point(face, Cycle(()))
        for other in self._same.get(face, ()):
            if region_of(other).state(p) == INSIDE:
                agree = dot(other.outward_normal(p), face.outward_normal(p)) > 0
                return Place.SAME if agree else Place.OPPOSITE
        return None

    def _half_space(self, face: Face, other: Face, half: Half, p: Vec3, d: Vec3) -> Place:
        normal = other.outward_normal(p)
        if other in self._same.get(face, ()):
            return Place.SAME if dot(normal, face.outward_normal(p)) > 0 else Place.OPPOSITE
        slope = dot(d, normal)
        if abs(slope) < SHALLOW:
            return self._sampled(face, other, half, p, d)
        return Place.OUTSIDE if slope > 0 else Place.INSIDE

    def _wedge(self, face: Face, edge: Edge, half: Half, p: Vec3, d: Vec3) -> Place:
        """By angles about the edge, from the first face through the material to the second."""
        (one, first), (two, second) = self._uses[edge]
        n1 = one.outward_normal(p)
        d1, d2 = (self._into(f, c, p) for f, c in ((one, first), (two, second)))
        for other, into in ((one, d1), (two, d2)):
            if other in self._same.get(face, ()) and dot(d, into) > 0.0:
                agree = dot(other.outward_normal(p), face.outward_normal(p)) > 0
                return Place.SAME if agree else Place.OPPOSITE
        u, w = d1, negated(n1)
        whole = math.atan2(dot(d2, w), dot(d2, u)) % math.tau
        here = math.atan2(dot(d, w), dot(d, u)) % math.tau
        if min(here, math.tau - here) < SHALLOW:
            return self._sampled(face, one, half, p, d)
        if abs(here - whole) < SHALLOW:
            return self._sampled(face, two, half, p, d)
        return Place.INSIDE if here < whole else Place.OUTSIDE

    def _into(self, face: Face, coedge: Coedge, p: Vec3) -> Vec3:
        """Direction into a face at a right angle to its edge."""
        way = coedge.edge.curve.tangent(coedge.edge.curve.parameter(p))
        return cross(face.outward_normal(p), way if coedge.forward else negated(way))

    def _sampled(self, face: Face, other: Face, half: Half, p: Vec3, d: Vec3) -> Place:
        """Where the face runs on along the other's surface: by the distance a little way off."""
        fragment = half[0]
        size = fragment.curve.length(fragment.t0, fragment.t1)
        sign = 1.0 if other.outward else -1.0
        for share in (STEP, 10 * STEP, 100 * STEP):
            q = along(p, d, share * size)
            q = along(q, face.surface.normal(q), -face.surface.gap(q))
            gap = sign * other.surface.gap(q)
            if abs(gap) > NOTHING * (1.0 + max(map(abs, q))):
                return Place.OUTSIDE if gap > 0 else Place.INSIDE
        x, y, z = p
        raise ModellingError(f"two faces cannot be told apart at ({x:.6g}, {y:.6g}, {z:.6g})")
