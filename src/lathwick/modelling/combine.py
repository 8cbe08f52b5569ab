"""Union, cut and intersection of any number of bodies; what a user calls."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from functools import partial

import numpy as np

from ..errors import ModellingError
from ..geometry.placement import Plane
from ..topology.body import Body, renamed
from ..topology.boxes import overlapping
from ..topology.brep import Face
from ..topology.names import FaceName
from ..topology.sets import Sets
from .boolean.operations import combined
from .primitives import box
from .references import PlaneLike, plane_of

Warn = Callable[[str], None]


def silent(message: str) -> None:
    """Nobody listens."""


def union(*bodies: Body) -> Body:
    """All bodies as one. Bodies that do not touch become lumps of it."""
    _check(bodies, "union", least=1)
    return _joined(bodies)


def cut(body: Body, *tools: Body, warn: Warn = silent) -> Body:
    """A body less all tools, in one go. Raises ModellingError if nothing is left.

    warn : is told where a tool does not touch the body.
    """
    _check((body, *tools), "cut", least=2)
    boxes = np.array([[b.bounds] for b in (body, *tools)])[:, 0]
    near = [tools[j] for _, j in overlapping(boxes[:1], boxes[1:])]
    if not near:
        warn("the cut changes nothing: no tool reaches the body")
        return body
    result = combined(body, _joined(near), "cut")
    if result is None:
        raise ModellingError("the cut removes everything")
    if result.volume >= body.volume * (1.0 - 1e-12):
        warn("the cut changes nothing: no tool removes material")
    return result


def intersect(*bodies: Body, warn: Warn = silent) -> Body:
    """What all bodies have in common. Raises ModellingError if that is nothing."""
    _check(bodies, "intersect", least=2)
    result = bodies[0]
    for other in bodies[1:]:
        common = combined(result, other, "intersect")
        if common is None:
            raise ModellingError("the intersection is empty: the bodies have nothing in common")
        result = common
    if result.volume >= bodies[0].volume * (1.0 - 1e-12):
        warn("the intersection changes nothing: the first body lies inside the others")
    return result


def separate(body: Body) -> tuple[Body, ...]:
    """The lumps of a body, each as a body of its own."""
    return tuple(Body((lump,), body.unit) for lump in body.pieces)


def split(body: Body, plane: PlaneLike, step: str = "") -> Body:
    """The body divided by a plane, or that of a planar face, into lumps that touch along it.

    Those behind the plane come first. With a step all faces of these answer to `step/below` besides, all
    others to `step/above`. Raises ModellingError if the plane does not divide it.
    """
    parts, wall = [], plane_of(plane, "a body is split by")
    for side, role in ((-1.0, "below"), (1.0, "above")):
        part = combined(body, half_space(body, wall, side, step), "intersect")
        if part is None:
            raise ModellingError("the plane does not divide the body")
        parts.append(renamed(part, partial(_marked, FaceName(step, role))) if step else part)
    return Body.made([lump for part in parts for lump in part.pieces], body.unit)


def _marked(mark: FaceName, face: Face) -> tuple[FaceName, ...]:
    return (*face.names, mark)


def half_space(body: Body, plane: Plane, side: float, step: str = "") -> Body:
    """A block in front of a plane (side 1) or behind it (-1) that holds all of the body there."""
    low, high = body.bounds
    reach = max(abs(c) for p in (low, high) for c in plane.local(p)) + max(
        h - a for a, h in zip(low, high, strict=True)
    )
    corner = plane.point(-2.0 * reach, -2.0 * reach, 0.0 if side > 0 else -2.0 * reach)
    size = 4.0 * reach
    return box(size, size, 2.0 * reach, on=plane.moved_to(corner), unit=body.unit, step=step)


def reach_along(body: Body, plane: Plane) -> tuple[float, float]:
    """How far a body reaches behind and in front of a plane, at most, with some room."""
    low, high = body.bounds
    corners = [(x, y, z) for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])]
    heights = [plane.local(p)[2] for p in corners]
    room = 0.05 * (max(heights) - min(heights)) + 0.01 * math.dist(low, high)
    return max(0.0, -min(heights)) + room, max(0.0, max(heights)) + room


def _joined(bodies: Sequence[Body]) -> Body:
    """The union; bodies whose boxes are apart are only put side by side."""
    if len(bodies) == 1:
        return bodies[0]
    boxes = np.array([b.bounds for b in bodies])
    sets = Sets(len(bodies))
    for i, j in overlapping(boxes, boxes):
        sets.join(i, j)
    groups: dict[int, list[Body]] = {}
    for i, body in enumerate(bodies):
        groups.setdefault(sets.find(i), []).append(body)
    joined = [_united(group) for group in groups.values()]
    if len(joined) == 1:
        return joined[0]
    return Body(tuple(lump for body in joined for lump in body.pieces), bodies[0].unit)


def _united(group: Sequence[Body]) -> Body:
    """The union of bodies that touch: the first with all others, of which those apart go in one go."""
    todo = list(group)
    result = todo.pop(0)
    while todo:
        batch, rest = _apart(todo)
        tools = batch[0] if len(batch) == 1 else Body(
            tuple(lump for body in batch for lump in body.pieces), result.unit
        )  # fmt: skip
        made = combined(result, tools, "union")
        if made is None:
            raise ModellingError("the union is empty")
        result, todo = made, rest
    return result


def _apart(bodies: Sequence[Body]) -> tuple[list[Body], list[Body]]:
    """As many bodies as have boxes apart from each other, taken in order, and the rest."""
    boxes = np.array([b.bounds for b in bodies])
    touches: dict[int, set[int]] = {}
    for i, j in overlapping(boxes, boxes):
        touches.setdefault(i, set()).add(j)
    taken: list[int] = []
    blocked: set[int] = set()
    for i in range(len(bodies)):
        if i not in blocked:
            taken.append(i)
            blocked |= touches[i]
    chosen = set(taken)
    return [bodies[i] for i in taken], [b for i, b in enumerate(bodies) if i not in chosen]


def _check(bodies: Sequence[Body], verb: str, least: int) -> None:
    if len(bodies) < least:
        raise ModellingError(f"{verb} needs at least {least} bodies, got {len(bodies)}")
    for body in bodies:
        if not isinstance(body, Body):
            raise ModellingError(f"{verb} takes bodies, got {body!r}")
        if body.unit != bodies[0].unit:
            raise ModellingError(f"bodies in {bodies[0].unit} and in {body.unit} cannot be combined")
