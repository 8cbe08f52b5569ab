"""Where walls meet whose straight lines all run one way: along such lines, or all over.

Source: the walls are cylinders over their profiles, which meet where the profiles do (Levin 1979).
"""

from __future__ import annotations

import numpy as np

from .curve import Curve
from .curve_surface import curve_surface_intersections
from .curves import Line
from .surface import Surface
from .surfaces import ExtrudedSurface
from .tolerance import RESOLUTION

GRAZE = 1e-5
"""A profile that meets a wall at a smaller angle (radians) touches it, or runs through it flatly."""

ASIDE = 1e-3


def meeting_lines(one: ExtrudedSurface, two: Surface) -> tuple[bool, list[Curve], list[Curve]] | None:
    """Of an extrusion and a surface with straight lines along its direction: whether they are one, the lines
    in which they cross, and those in which they touch. None where a profile bends along the other wall too
    closely to tell."""
    hits = _hits(one, two)
    if hits is None or (isinstance(two, ExtrudedSurface) and _hits(two, one) is None):
        return True, [], []
    crossings: list[Curve] = []
    touches: list[Curve] = []
    profile, direction = one.profile, one.frame.normal
    for t in hits:
        point = profile.point(t)
        line = Line(point, direction)
        slope = abs(float(np.dot(profile.tangent(t), two.normal(point))))
        if slope > GRAZE:
            crossings.append(line)
            continue
        sides = _sides(profile, t, two)
        if sides is None:
            return None
        (touches if sides[0] == sides[1] else crossings).append(line)
    return False, crossings, touches


def _hits(wall: ExtrudedSurface, other: Surface) -> list[float] | None:
    low, high = wall.profile.domain
    return curve_surface_intersections(wall.profile, low, high, bool(wall.profile.period), other)


def _sides(profile: Curve, t: float, wall: Surface) -> tuple[bool, bool] | None:
    """On which side of a wall a profile is a little before and after a place, at an end of it on one alone;
    None where that is not sure."""
    low, high = profile.domain
    off, gaps = ASIDE * (high - low), []
    for s in (t - off, t + off):
        if profile.period:
            s = low + (s - low) % profile.period
        elif not low <= s <= high:
            continue
        gaps.append(wall.gap(profile.point(s)))
    if min(abs(gap) for gap in gaps) <= RESOLUTION:
        return None
    return gaps[0] > 0.0, gaps[-1] > 0.0
