"""Where a turned surface meets planes, and surfaces of revolution about its own axis: along circles through
the places where its profile meets them, and along profiles."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from .contacts import SAME, Intersection
from .curve import Curve
from .curve_surface import curve_surface_intersections
from .curves import Circle
from .motion import turned as turned_about
from .placement import Axis, Plane
from .surface import Surface
from .surfaces import PlaneSurface
from .tolerance import RESOLUTION
from .turned import TurnedSurface
from .vector import along, cross, dot, norm, sub

PARALLEL, HALF = 2e-9, 0.5 * RESOLUTION

BESIDE = 1e-7
"""Beside a place where a profile is on a surface it is looked at in steps that begin with this share of it,
and double."""


def across_or_along(plane: Plane, surface: TurnedSurface) -> Intersection | None:
    """Where a plane across the axis, or through it, meets a surface; None for others."""
    axis, off = surface.frame.normal, sub(surface.frame.origin, plane.origin)
    if norm(cross(axis, plane.normal)) <= PARALLEL:
        return about_axis(surface, PlaneSurface(plane))
    if abs(dot(axis, plane.normal)) > PARALLEL or abs(dot(off, plane.normal)) > HALF:
        return None
    way = cross(axis, plane.normal)
    curve, span = surface.reaching
    if curve.domain != span:  # part of an ellipse: all of it would be more than the surface has
        return None
    x, y = dot(way, surface.frame.x), dot(way, surface.frame.y)
    angle = float(np.degrees(np.arctan2(y, x)))
    about = Axis(surface.frame.origin, axis)
    turns = (turned_about(about, turn) for turn in (angle, angle + 180.0))
    tips = tuple(tip.point for tip in surface.singular_points)
    return Intersection(curves=tuple(curve.moved(turn) for turn in turns), nodes=tips)


def shares_axis(surface: TurnedSurface, other: Surface) -> bool:
    """Whether another surface is turned about the same axis."""
    if isinstance(other, TurnedSurface):
        origin, axis = other.frame.origin, other.frame.normal
    elif other.meridian is not None:
        origin, axis = other.meridian.origin, other.meridian.axis or surface.frame.normal
    else:
        return False
    mine = surface.frame.normal
    off = sub(origin, surface.frame.origin)
    return norm(cross(axis, mine)) <= PARALLEL and norm(cross(off, mine)) <= HALF


def about_axis(surface: TurnedSurface, other: Surface) -> Intersection:
    """Where a surface turned about the same axis, or a plane across it, meets."""
    curve, (low, high) = surface.reaching
    found = curve_surface_intersections(curve, low, high, False, other)
    if found is None or _are_one(surface, other):
        return SAME
    crossing: list[Curve] = []
    touching: list[Curve] = []
    points = []
    for t in found:
        place = curve.point(t)
        height = dot(sub(place, surface.frame.origin), surface.frame.normal)
        center = along(surface.frame.origin, surface.frame.normal, height)
        radius = dot(sub(place, surface.frame.origin), surface.frame.x)
        if radius <= RESOLUTION:
            points.append(center)
            continue
        ring = Circle(Plane(center, surface.frame.normal, surface.frame.x), radius)
        (crossing if _crosses(curve, t, (low, high), other) else touching).append(ring)
    return Intersection(curves=tuple(crossing), touches=tuple(touching), points=tuple(points))


def _are_one(surface: TurnedSurface, other: Surface) -> bool:
    """Whether all of the profile of one surface lies on the other."""
    pairs = [(surface, other), (other, surface)]
    return any(isinstance(one, TurnedSurface) and _lies_on(one, two) for one, two in pairs)


def _lies_on(one: TurnedSurface, two: Surface) -> bool:
    places = one.profile.points(one.profile.samples(*one.span))
    if isinstance(two, TurnedSurface) and not two.holds(places):
        return False  # beyond its ends it goes on as it may
    return bool(np.abs(two.distance(places)).max() <= RESOLUTION)


def _crosses(curve: Curve, t: float, span: Sequence[float], other: Surface) -> bool:
    """Whether a curve goes from one side of a surface to the other at a parameter."""
    low, high = span
    signs = []
    for end in (low, high):
        step, side = BESIDE * (high - low), 1.0 if end == high else -1.0
        gap = 0.0
        while abs(gap) <= 2.0 * RESOLUTION and (abs(end - t) > step or step == BESIDE * (high - low)):
            gap = other.gap(curve.point(t + side * min(step, abs(end - t))))
            step *= 2.0
        signs.append(gap)
    return signs[0] * signs[1] <= 0.0
