"""What the figures of a sketch lack to be fully defined: plate (its width, its place along x)."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping

from .diagnosis import MOVABLE, Row
from .entities import Circle, Entity, Line, Point, Polygon, Rectangle, Slot

Measure = tuple[str, dict[int, float]]
"""The words for a measure, and its derivatives by variables."""

FIGURES = (Rectangle, Polygon, Slot, Circle)


def missing(
    things: Iterable[object], entities: Iterable[Entity], motion: Mapping[int, Row]
) -> tuple[str, ...]:
    """For each figure, circle and other entity that can still move, its name and what of it is free.

    motion : how each variable moves with those that are free.
    """
    figures = [thing for thing in things if isinstance(thing, FIGURES)]
    parts = {id(part) for figure in figures for part in _parts(figure)}
    known = parts | {id(figure) for figure in figures}
    told = []
    for figure in figures:
        free = [words for words, slope in _measures(figure) if _is_free(slope, motion)]
        if free and id(figure) not in parts:
            told.append(f"{figure.name} ({', '.join(free)})")
    others = [e for e in entities if id(e) not in known]
    return (*told, *(e.name for e in others if not motion.keys().isdisjoint(e.own_variables())))


def _parts(figure: Rectangle | Polygon | Slot | Circle) -> tuple[Entity, ...]:
    if isinstance(figure, Circle):
        return ()
    return (*figure, figure.circle) if isinstance(figure, Polygon) else tuple(figure)


def _is_free(slope: Mapping[int, float], motion: Mapping[int, Row]) -> bool:
    total: Row = {}
    for variable, weight in slope.items():
        for free, share in motion.get(variable, {}).items():
            total[free] = total.get(free, 0.0) + weight * share
    return any(abs(share) > MOVABLE for share in total.values())


def _measures(thing: Rectangle | Polygon | Slot | Circle) -> Iterator[Measure]:
    if isinstance(thing, Rectangle):
        low, right, _, high = thing.corners
        yield "its width", {low.ix: -1.0, right.ix: 1.0}
        yield "its height", {low.iy: -1.0, high.iy: 1.0}
    elif isinstance(thing, Polygon):
        yield "its size", {thing.circle.ir: 1.0}
        yield "its angle", _turning(thing.center, thing.corners[0])
    elif isinstance(thing, Slot):
        yield "its length", _stretching(thing.axis)
        yield "its width", {thing.left.ir: 1.0}
        yield "its angle", _turning(thing.axis.start, thing.axis.end)
    else:
        yield "its diameter", {thing.ir: 1.0}
    yield "its place along x", {thing.center.ix: 1.0}
    yield "its place along y", {thing.center.iy: 1.0}


def _turning(center: Point, tip: Point) -> dict[int, float]:
    """How far the tip moves across its direction from the center, for a unit of reach."""
    dx, dy = tip.x - center.x, tip.y - center.y
    reach = math.hypot(dx, dy) or 1.0
    ux, uy = dx / reach, dy / reach
    return {center.ix: uy, center.iy: -ux, tip.ix: -uy, tip.iy: ux}


def _stretching(line: Line) -> dict[int, float]:
    (ax, ay), (bx, by) = line.start.position, line.end.position
    size = line.length or 1.0
    ux, uy = (bx - ax) / size, (by - ay) / size
    return {line.start.ix: -ux, line.start.iy: -uy, line.end.ix: ux, line.end.iy: uy}
