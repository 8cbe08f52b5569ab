"""What two surfaces have in common."""

from __future__ import annotations

from dataclasses import dataclass

from .curve import Curve
from .vector import Vec3


@dataclass(frozen=True, slots=True)
class Intersection:
    """What two surfaces have in common.

    same : they are one surface. curves : where they cross. touches : where they touch along a curve
    without crossing. nodes : points where the curves cross each other. points : where they touch in a
    single point.
    """

    same: bool = False
    curves: tuple[Curve, ...] = ()
    touches: tuple[Curve, ...] = ()
    nodes: tuple[Vec3, ...] = ()
    points: tuple[Vec3, ...] = ()


NOTHING = Intersection()
SAME = Intersection(same=True)
