"""Cutting a face up: the cycles of half-fragments that bound its cells, each with its cell on the left."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from ...geometry.placement import Plane
from ...geometry.surface import Surface
from ...geometry.vector import Vec3, cross, distance, dot, negated, norm, scaled, sub
from .fragments import NEAR, Fragment, Nodes

TIED = 1e-5

Half = tuple[Fragment, bool]
"""A fragment as a cycle runs along it: its own way (True) or against it."""


@dataclass(frozen=True, slots=True, eq=False)
class Cycle:
    """A closed chain of half-fragments; none for a closed surface without edges."""

    halves: tuple[Half, ...]


def tail(half: Half) -> int:
    """The node a half-fragment leaves; -1 for a ring."""
    return half[0].a if half[1] else half[0].b


def head(half: Half) -> int:
    """The node a half-fragment reaches; -1 for a ring."""
    return half[0].b if half[1] else half[0].a


def reversed_half(half: Half) -> Half:
    """The same fragment run the other way."""
    return (half[0], not half[1])


def outward_normal(surface: Surface, outward: bool, p: Vec3) -> Vec3:
    """Unit normal out of the material; at a tip the way the axis points out."""
    tip = next((tip for tip in surface.singular_points if distance(p, tip.point) <= NEAR), None)
    normal = surface.normal(p) if tip is None else tip.way
    return normal if outward else negated(normal)


def traced_cycles(halves: Iterable[Half], surface: Surface, outward: bool, nodes: Nodes) -> list[Cycle]:
    """Cycles of half-fragments on a face, material on the left as seen from outside.

    At a node a cycle turns into the first half-fragment clockwise from the way back.
    """
    leaving: dict[int, list[Half]] = {}
    cycles, order = [], list(halves)
    for half in order:
        if half[0].is_ring:
            cycles.append(Cycle((half,)))
        else:
            leaving.setdefault(tail(half), []).append(half)
    stars = _Fans(surface, outward, nodes)
    unused = {half for half in order if not half[0].is_ring}
    for first in order:
        if first not in unused:
            continue
        chain, here = [], first
        while here in unused:
            unused.remove(here)
            chain.append(here)
            ways = leaving.get(head(here), [])
            if not ways:
                raise LooseEnd(nodes.points[head(here)])
            here = ways[0] if len(ways) == 1 else stars.next(here, ways)
        if here is not chain[0]:
            raise LooseEnd(nodes.points[tail(here)])
        cycles.append(Cycle(tuple(chain)))
    return cycles


class LooseEnd(Exception):
    """A chain of fragments on a face does not close (internal)."""

    def __init__(self, place: Vec3) -> None:
        super().__init__(place)
        self.place = place


class _Fans:
    """Directions of half-fragments around nodes, as seen from outside."""

    def __init__(self, surface: Surface, outward: bool, nodes: Nodes) -> None:
        self._surface, self._outward, self._nodes = surface, outward, nodes

    def next(self, arriving: Half, ways: Sequence[Half]) -> Half:
        """The first of `ways` clockwise from the way back along `arriving`."""
        node = head(arriving)
        back = reversed_half(arriving)
        frame = self._frame(node)
        angles = self._angles([back, *ways], node, frame)
        start, best, least = angles[0], None, math.inf
        for way, angle in zip(ways, angles[1:], strict=True):
            if way == back:
                turn = math.tau
            else:
                turn = (start - angle) % math.tau
                if turn > math.tau - 1e-12:
                    turn = 0.0
            if turn < least:
                best, least = way, turn
        assert best is not None
        return best

    def _frame(self, node: int) -> Plane:
        p = self._nodes.points[node]
        return Plane(p, outward_normal(self._surface, self._outward, p))

    def _angles(self, halves: Sequence[Half], node: int, frame: Plane) -> list[float]:
        angles = [self._angle(_leaving(half), frame) for half in halves]
        ordered = sorted(angles)
        gaps = [b - a for a, b in itertools.pairwise(ordered)]
        gaps.append(ordered[0] + math.tau - ordered[-1])
        if len(halves) > 1 and min(gaps) < TIED:
            reach = 0.02 * min(half[0].length for half in halves)
            angles = [self._angle(_chord(half, reach), frame) for half in halves]
        return angles

    def _angle(self, way: Vec3, frame: Plane) -> float:
        return math.atan2(dot(way, frame.y), dot(way, frame.x))


def _leaving(half: Half) -> Vec3:
    """Unit direction in which a half-fragment leaves its tail."""
    fragment, forward = half
    if forward:
        return fragment.curve.tangent(fragment.t0)
    return negated(fragment.curve.tangent(fragment.t1))


def _chord(half: Half, reach: float) -> Vec3:
    """Direction from the tail to the place about `reach` along the half-fragment."""
    fragment, forward = half
    share = reach / fragment.length
    s = fragment.t0 + share * (fragment.t1 - fragment.t0) if forward else (
        fragment.t1 - share * (fragment.t1 - fragment.t0)
    )  # fmt: skip
    start = fragment.curve.point(fragment.t0 if forward else fragment.t1)
    for _ in range(6):  # to the same distance as the others, however the curve is parametrised
        p = fragment.curve.point(s)
        gap = distance(p, start)
        if gap == 0.0:
            raise LooseEnd(start)
        t0 = fragment.t0 if forward else fragment.t1
        s = t0 + (s - t0) * reach / gap
    return sub(fragment.curve.point(s), start)


def left_of(half: Half, surface: Surface, outward: bool, p: Vec3, t: float) -> Vec3:
    """Unit direction in the face, to the left of a half-fragment at a place on it."""
    way = half[0].curve.tangent(t)
    side = cross(outward_normal(surface, outward, p), way if half[1] else negated(way))
    return scaled(side, 1.0 / norm(side))
