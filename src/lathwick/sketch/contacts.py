"""Where a constraint meets an ellipse or a spline: a parameter that slides along the curve."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from ..geometry.placement import FloatArray
from ..geometry.vector import Vec2
from .entities import EllipseEntity, Entity, Line, Point, Round, SplineEntity, Variables
from .equations import Equation
from .freeform import ELLIPSE, Sort, sort_of

SAMPLES = 400

Freeform = EllipseEntity | SplineEntity


@dataclass(frozen=True, slots=True)
class Contact:
    """A place that slides along `curve`, with the direction of the curve there.

    `sliding` is the variable that holds the parameter times `scale`, a length, so that all
    variables of a sketch are lengths. A tangency has `touch`, the place, and `ahead`, a point
    further along the tangent.
    """

    curve: Freeform
    sliding: int
    scale: float
    variables: Variables
    touch: Point | None = None
    ahead: Point | None = None

    @property
    def parameter(self) -> float:
        """Radians from the tip of an ellipse; 0 to 1 along a spline."""
        return self.variables.values[self.sliding] / self.scale

    def is_within_at(self, slid: float) -> bool:
        """Whether a value of `sliding` is on the curve, not beyond its ends."""
        if isinstance(self.curve, EllipseEntity) or self.curve.closed:
            return True
        return -1e-9 <= slid / self.scale <= 1.0 + 1e-9

    @property
    def unknowns(self) -> tuple[int, ...]:
        """The variables that belong to the contact alone."""
        points = [p for p in (self.touch, self.ahead) if p is not None]
        return (self.sliding, *(i for p in points for i in (p.ix, p.iy)))

    def retire(self) -> None:
        """Take the unknowns of a removed constraint out of the sketch's count."""
        for i in self.unknowns:
            self.variables.constant[i] = True

    def place(self, point: Point) -> list[Equation]:
        """`point` is the place on the curve."""
        return self._rows("curve_place", lambda axis: ((point.ix, point.iy)[axis],))

    def slope(self) -> list[Equation]:
        """`ahead` lies from `touch` along the derivative of the curve."""
        assert self.touch is not None and self.ahead is not None
        here, there = (self.touch.ix, self.touch.iy), (self.ahead.ix, self.ahead.iy)
        return self._rows("curve_slope", lambda axis: (there[axis], here[axis]))

    def at_parameter(self, share: float) -> list[Equation]:
        """The place is at a share of the parameter range."""
        whole = math.tau if isinstance(self.curve, EllipseEntity) else 1.0
        return [Equation("value", (self.sliding,), (share * whole * self.scale,))]

    def at_length(self, share: float) -> list[Equation]:
        """The place is at a share of the length."""
        parameters = (share, self.scale, *self._sort)
        return [Equation("curve_share", (self.sliding, *_coordinates(self.curve)), parameters)]

    @property
    def _sort(self) -> Sort:
        curve = self.curve
        if isinstance(curve, EllipseEntity):
            return (ELLIPSE,)
        return sort_of(curve.closed, curve.controlled, curve.basis)

    def _rows(self, form: str, own: Callable[[int], tuple[int, ...]]) -> list[Equation]:
        points = _coordinates(self.curve)
        return [
            Equation(form, (*own(axis), self.sliding, *points), (float(axis), self.scale, *self._sort))
            for axis in (0, 1)
        ]


def _coordinates(curve: Freeform) -> tuple[int, ...]:
    return tuple(i for p in curve.points() for i in (p.ix, p.iy))


def contacts_of(
    kind: str, entities: tuple[Entity, ...], share: tuple[str, float] | None, variables: Variables
) -> tuple[Contact, ...]:
    """The places where a constraint meets ellipses and splines, drawn where they are likely."""
    found = []
    if kind == "tangent":
        for curve, other in (entities, entities[::-1]):
            if isinstance(curve, (EllipseEntity, SplineEntity)):
                at, label = tangent_parameter(curve, other), f"{curve.name}.contact"
                found.append(contact_near(curve, at, variables, label, tangent=True))
    elif kind in ("on", "cut"):
        point, curve = entities
        if isinstance(curve, SplineEntity) or (isinstance(curve, EllipseEntity) and share):
            assert isinstance(point, Point)
            at = nearest_parameter(curve, point.position)
            found.append(contact_near(curve, at, variables, "", tangent=False))
    return tuple(found)


def contact_near(
    curve: Freeform, parameter: float, variables: Variables, name: str, tangent: bool
) -> Contact:
    """A new contact, drawn at a parameter of the curve as it is now."""
    made = curve.curve()
    at = np.array([parameter])
    high = math.tau if isinstance(curve, EllipseEntity) else 1.0
    scale = made.length(0.0, high) / high
    sliding = variables.new(parameter * scale)
    if not tangent:
        return Contact(curve, sliding, scale, variables)
    (x, y), (dx, dy) = made.points(at)[0].tolist(), made.derivatives(at)[0].tolist()
    touch = Point(variables, f"{name}.touch", (x, y), True)
    ahead = Point(variables, f"{name}.ahead", (x + dx, y + dy), True)
    return Contact(curve, sliding, scale, variables, touch, ahead)


def nearest_parameter(curve: Freeform, spot: Vec2) -> float:
    """Parameter of the place of the curve nearest to `spot`."""
    if isinstance(curve, EllipseEntity):
        return curve.curve().nearest(spot)
    return curve.curve().at(spot)


def tangent_parameter(curve: Freeform, other: Entity) -> float:
    """Parameter where the curve, as drawn, comes nearest to touching `other` with one direction."""
    t, places, ways = _samples(curve)
    if isinstance(other, Line):
        start, end = np.array(other.start.position), np.array(other.end.position)
        along = (end - start) / max(float(np.hypot(*(end - start))), 1e-30)
        gaps = np.abs(_cross(along, places - start))
        leans = np.abs(_cross(along, ways))
    elif isinstance(other, Round):
        out = places - np.array(other.center.position)
        reach = np.maximum(np.hypot(*out.T), 1e-30)
        gaps = np.abs(reach - other.radius)
        leans = np.abs((out * ways).sum(axis=1)) / reach
    else:
        assert isinstance(other, (EllipseEntity, SplineEntity))
        _, there, theirs = _samples(other)
        apart = np.linalg.norm(places[:, None] - there[None], axis=2)
        lean = np.abs(ways[:, None, 0] * theirs[None, :, 1] - ways[:, None, 1] * theirs[None, :, 0])
        size = float(np.ptp(places, axis=0).max())
        cost = (apart / size + lean).min(axis=1)
        return float(t[cost.argmin()])
    size = float(np.ptp(places, axis=0).max())
    return float(t[(gaps / size + leans).argmin()])


def _samples(curve: Freeform) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Parameters, places and unit directions along the curve."""
    high = math.tau if isinstance(curve, EllipseEntity) else 1.0
    t = np.linspace(0.0, high, SAMPLES + 1)
    made = curve.curve()
    slopes = made.derivatives(t)
    return t, made.points(t), slopes / np.maximum(np.linalg.norm(slopes, axis=1), 1e-30)[:, None]


def _cross(along: FloatArray, offs: FloatArray) -> FloatArray:
    result: FloatArray = along[0] * offs[:, 1] - along[1] * offs[:, 0]
    return result
