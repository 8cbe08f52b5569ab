"""Curves and surfaces that are images of others: CURVE_REPLICA, SURFACE_REPLICA."""

from __future__ import annotations

from ....errors import ExchangeError
from ....geometry.motion import Motion
from ....geometry.placement import Plane
from ....geometry.vector import cross, dot, negated, norm
from .source import Source
from .text import Ref

LEAST_ANGLE = 1e-9


def original(source: Source, number: int, name: str) -> tuple[int, Motion]:
    """What a replica is an image of, and how moved."""
    _, parent, operator = source.values(number, name, 3)[:3]
    motion = similarity(source, source.ref(operator, number, "a transformation"))
    return source.ref(parent, number, "what it is an image of"), motion


def similarity(source: Source, number: int) -> Motion:
    """A CARTESIAN_TRANSFORMATION_OPERATOR_3D: origin, three directions and a scale."""
    values = source.text.part(number, "CARTESIAN_TRANSFORMATION_OPERATOR")
    third = source.text.part(number, "CARTESIAN_TRANSFORMATION_OPERATOR_3D")
    if third is None:
        kind = source.text.kind(number)
        raise ExchangeError(f"#{number}: a transformation of the kind {kind} cannot be read")
    if values is None:  # a simple instance: name, axis 1, axis 2, origin, scale, axis 3
        values, third = third[:-1], third[-1:]
    if len(values) < 4:
        raise ExchangeError(f"#{number}: a transformation has {len(values)} values, not 4")
    first, second, origin, scale = values[-4:]
    factor = source.number(scale, number, "a scale") if isinstance(scale, (int, float)) else 1.0
    if not factor > 0.0:
        raise ExchangeError(f"#{number}: a scale is {factor:g}, not more than 0")
    ways = [source.direction(int(w)) if isinstance(w, Ref) else None for w in (first, second, *third[-1:])]
    x, y, z = [*ways, None][:3]
    x = x or (1.0, 0.0, 0.0)
    z = z or ((0.0, 0.0, 1.0) if y is None else cross(x, y))
    if norm(cross(z, x)) < LEAST_ANGLE:
        raise ExchangeError(f"#{number}: directions of a transformation run along each other")
    frame = Plane(source.point(source.ref(origin, number, "an origin")), z, x)
    is_mirror = y is not None and dot(frame.y, y) < 0.0
    return Motion(frame.x, negated(frame.y) if is_mirror else frame.y, frame.normal, frame.origin, factor)
