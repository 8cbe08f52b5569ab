"""Where a piece of curve meets a surface: crossings and touches, to rounding.

The signed distance along the curve is sampled; changes of sign are closed in on by Brent's method, and
every minimum that comes near zero is looked into, so that neither touches nor close pairs are missed.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from itertools import pairwise
from types import MappingProxyType

import numpy as np

from .curve import Curve
from .curves import Circle, Line
from .placement import FloatArray
from .screw import Helix
from .surface import Surface
from .surfaces import CylinderSurface, PlaneSurface
from .tolerance import RESOLUTION
from .vector import along, cross, distance, dot, norm, sub

PER_TURN = 32
GOLDEN = 0.5 * (3.0 - math.sqrt(5.0))
NARROWING = 60
LEVEL = 1e-12
PARALLEL = 1e-12
UNEVEN = 0.2
"""Samples are moved from even steps by at most such a share of a step."""

RISEN = 3e-11
"""So much more than at a touch the distance is a little way off it."""

PROBES = 12
"""So many places between crossings near each other tell whether there are more."""

FINER = 6
"""Ways between samples beside which a touch may lie are looked at in so many parts."""

SURELY = 2.4
"""Twice, and a fifth more, as ways between samples are measured straight."""

LEAST_FLAT = 1e-3
"""A touch is flat if this takes more than such a share of the way between samples."""


def curve_surface_intersections(
    curve: Curve, t0: float, t1: float, closed: bool, surface: Surface, box: FloatArray | None = None
) -> list[float] | None:
    """Parameters in [t0, t1] where the curve is on the surface, within the resolution; None if all of it
    is. `closed`: t1 is t0 again. box : of shape (2, 3), where they are asked for: others are not searched
    for."""
    rule = _CLOSED_FORMS.get((type(curve), type(surface)))
    if rule is None:
        return _numeric(curve, t0, t1, closed, surface, box)
    return rule(curve, t0, t1, closed, surface)


def is_solved(curve: Curve, surface: Surface) -> bool:
    """Whether their common points have a closed form, so that no search is needed."""
    return (type(curve), type(surface)) in _CLOSED_FORMS


def _line_plane(line: Line, t0: float, t1: float, _: bool, surface: PlaneSurface) -> list[float] | None:
    a, b = surface.gap(line.point(t0)), surface.gap(line.point(t1))
    if abs(a) <= RESOLUTION and abs(b) <= RESOLUTION:
        return None
    found = [t for t, g in ((t0, a), (t1, b)) if abs(g) <= RESOLUTION]
    if not found and a * b < 0.0:
        found.append(t0 + (t1 - t0) * a / (a - b))
    return found


def _circle_plane(
    circle: Circle, t0: float, t1: float, closed: bool, surface: PlaneSurface
) -> list[float] | None:
    f, n = circle.frame, surface.frame.normal
    u, v = circle.radius * dot(f.x, n), circle.radius * dot(f.y, n)
    c, reach = dot(sub(f.origin, surface.frame.origin), n), math.hypot(u, v)
    if reach + abs(c) <= RESOLUTION:
        return None
    if abs(c) > reach + RESOLUTION:
        return []
    middle = math.atan2(v, u)
    if abs(c) > reach - RESOLUTION:
        turns = [middle + (math.pi if c > 0 else 0.0)]
    else:
        half = math.acos(max(-1.0, min(1.0, -c / reach)))
        turns = [middle - half, middle + half]
    return _turns_within(circle, turns, t0, t1, closed, surface)


def _turns_within(
    circle: Circle, turns: Sequence[float], t0: float, t1: float, closed: bool, surface: Surface
) -> list[float]:
    """Angles where a circle is on a surface, those that lie in [t0, t1]; and the ends that are on it."""
    found = []
    slack = 2.0 * RESOLUTION / circle.radius
    for turn in turns:
        t = t0 + (turn - t0) % math.tau
        if t > t1 and t0 + math.tau - t <= slack:
            t = t0
        if t <= t1 + slack:
            found.append(min(t, t1))
    if not closed:
        found += [t for t in (t0, t1) if abs(surface.gap(circle.point(t))) <= RESOLUTION]
    return _distinct(circle, found, t0, t1, closed)


def _line_cylinder(line: Line, t0: float, t1: float, _: bool, surface: CylinderSurface) -> list[float] | None:
    """By the foot of the axis on the line; a touch within the resolution is one hit."""
    axis, off = surface.frame.normal, sub(line.origin, surface.frame.origin)
    along_axis = dot(line.direction, axis)
    way, off = along(line.direction, axis, -along_axis), along(off, axis, -dot(off, axis))
    ends = [abs(surface.gap(line.point(t))) <= RESOLUTION for t in (t0, t1)]
    size = norm(way)
    if size < PARALLEL:
        return None if all(ends) else []
    middle = -dot(off, way) / (size * size)
    nearest = abs(dot(cross(way, off), axis)) / size
    inner = surface.radius - nearest
    if all(ends) and (abs(inner) <= RESOLUTION or not t0 < middle < t1):
        return None  # the distance from the axis is largest at an end, and least at the foot
    if abs(inner) <= RESOLUTION:
        found = [middle]
    elif inner < 0.0:
        found = []
    else:
        half = math.sqrt(inner * (surface.radius + nearest)) / size
        found = [middle - half, middle + half]
    found = [t for t in found if t0 <= t <= t1]
    found += [t for t, on in zip((t0, t1), ends, strict=True) if on]

    def gap(t: float) -> float:
        return surface.gap(line.point(t))

    return _distinct(line, _without_noise(gap, found, (t0, t1)), t0, t1, False)


def _helix_cylinder(
    helix: Helix, t0: float, t1: float, closed: bool, surface: CylinderSurface
) -> list[float] | None:
    if not helix.is_coaxial(surface.frame):
        return _numeric(helix, t0, t1, closed, surface)
    return None if abs(helix.radius - surface.radius) <= RESOLUTION else []


def _circle_cylinder(
    circle: Circle, t0: float, t1: float, closed: bool, surface: CylinderSurface
) -> list[float] | None:
    """A circle across the axis, as two circles in a plane; a touch within the resolution is one hit."""
    if norm(cross(circle.frame.normal, surface.frame.normal)) > LEVEL:
        return _numeric(circle, t0, t1, closed, surface)
    u, v, _ = surface.frame.local(circle.frame.origin)
    away = math.hypot(u, v)
    least, most = surface.radius - away - circle.radius, surface.radius - abs(away - circle.radius)
    if max(abs(least), abs(most)) <= RESOLUTION:
        return None
    if least > RESOLUTION or most < -RESOLUTION or away <= RESOLUTION:
        return []
    out = sub(circle.frame.origin, surface.frame.origin)
    middle = math.atan2(dot(out, circle.frame.y), dot(out, circle.frame.x))
    if least >= -RESOLUTION:
        turns = [middle]
    elif most <= RESOLUTION:
        turns = [middle + math.pi]
    else:
        a, r, big = away, circle.radius, surface.radius
        sine, cosine = (
            (a + r - big) * (a + r + big),
            (big - a + r) * (big + a - r),
        )  # of half the angle, squared
        half = 2.0 * math.atan2(math.sqrt(max(sine, 0.0)), math.sqrt(max(cosine, 0.0)))
        turns = [middle - half, middle + half]
    if not closed and all(abs(surface.gap(circle.point(t))) <= RESOLUTION for t in (t0, t1)):
        extremes = ((middle, least), (middle + math.pi, most))
        if all(abs(g) <= RESOLUTION for t, g in extremes if (t - t0) % math.tau < t1 - t0):
            return None
    return _turns_within(circle, turns, t0, t1, closed, surface)


def _samples(curve: Curve, t0: float, t1: float) -> FloatArray:
    """Places along a piece of curve, at uneven steps: a wave whose zeros lie evenly is not taken to be
    flat."""
    if curve.kind == "line":
        return np.linspace(t0, t1, 13)
    if curve.period == math.tau:
        even = np.linspace(t0, t1, 1 + max(8, math.ceil((t1 - t0) / math.tau * PER_TURN)))
    else:
        stops = curve.breaks(t0, t1)
        even = np.linspace(t0, t1, min(400, max(17, 1 + 2 * (len(stops) - 1))))
    shift = UNEVEN * np.sin(GOLDEN * np.arange(len(even)) ** 2) * (even[1] - even[0])
    shift[[0, -1]] = 0.0
    return even + shift


def _gaps(surface: Surface, points: FloatArray, longest: float, box: FloatArray | None) -> FloatArray | None:
    """Distances of places along a curve, at steps no longer than that, from the surface; NaN for those beside
    which no curve comes into a box. None where the curve lies on the surface."""
    if box is None:
        g = surface.distance(points)
    else:
        room = 1.25 * longest + 10.0 * RESOLUTION
        near = ((points >= box[0] - room) & (points <= box[1] + room)).all(axis=1)
        wanted = near | np.roll(near, 1) | np.roll(near, -1)
        g = np.full(len(points), math.nan)
        g[wanted] = surface.distance(points[wanted]) if wanted.any() else math.nan
        if wanted.any() and np.abs(g[wanted]).max() <= RESOLUTION:
            g[~wanted] = surface.distance(points[~wanted]) if not wanted.all() else 0.0
    return None if np.abs(g).max() <= RESOLUTION else g


def _numeric(
    curve: Curve, t0: float, t1: float, closed: bool, surface: Surface, box: FloatArray | None = None
) -> list[float] | None:
    t = _samples(curve, t0, t1)
    points = curve.points(t)
    steps = np.linalg.norm(np.diff(points, axis=0), axis=1)
    g = _gaps(surface, points, float(steps.max()), box)
    if g is None:
        return None

    def gap(s: float) -> float:
        return surface.gap(curve.point(s))

    values, places = g.tolist(), t.tolist()
    last = len(values) - 1
    found = [_root(gap, places[i], places[i + 1]) for i in range(last) if values[i] * values[i + 1] < 0.0]
    reach = 1.2 * float(steps.max()) if curve.kind != "line" else math.inf
    size = np.abs(g)
    least = []
    for i in range(last + 1):
        before = size[i - 1] if i > 0 else (size[last - 1] if closed else math.inf)
        after = size[i + 1] if i < last else (size[1] if closed else math.inf)
        if size[i] <= before and size[i] <= after and size[i] <= reach:
            least.append(i)
    for i in _in_doubt(curve, surface, t, least, closed):
        found += _least(gap, places, i, closed, float(steps.max()))
    found += _between_found(curve, surface, sorted(found), 2.0 * float(np.diff(t).max()))
    if not closed:
        found += [s for s, v in ((t0, values[0]), (t1, values[-1])) if abs(v) <= RESOLUTION]
    if closed and found:
        found = [s if s < t1 else s - (t1 - t0) for s in found]
    ends = () if closed else (t0, t1)
    kept = _without_noise(gap, [s for s in found if t0 <= s <= t1], ends)
    return _distinct(curve, kept, t0, t1, closed)


def _between_found(curve: Curve, surface: Surface, found: list[float], near: float) -> list[float]:
    """Crossings between those found so near to each other that there may be three between two samples."""
    pairs = [(a, b) for a, b in pairwise(found) if b - a <= near and b > a]
    if not pairs:
        return []

    def gap(s: float) -> float:
        return surface.gap(curve.point(s))

    low, high = np.array(pairs).T
    t = np.linspace(low, high, PROBES + 2, axis=1)[:, 1:-1]
    g = surface.distance(curve.points(t.ravel())).reshape(t.shape)
    clear = np.abs(g) > RESOLUTION
    turns = (g[:, :-1] * g[:, 1:] < 0.0) & clear[:, :-1] & clear[:, 1:]
    return [_root(gap, float(t[i, k]), float(t[i, k + 1])) for i, k in np.argwhere(turns).tolist()]


def _in_doubt(curve: Curve, surface: Surface, t: FloatArray, least: list[int], closed: bool) -> list[int]:
    """Those of some samples beside which the curve may come to the surface: a distance changes by no more
    than the way along the curve, and a few more places tell most often that it stays away."""
    if not least:
        return []
    period, last = t[-1] - t[0], len(t) - 1
    padded = (
        np.concatenate([[t[-2] - period], t, [t[1] + period]]) if closed else t[[0, *range(last + 1), last]]
    )
    around = padded[np.array(least)[:, None] + np.arange(3)]
    shares = np.arange(FINER) / FINER
    places = (around[:, :-1, None] + np.diff(around, axis=1)[:, :, None] * shares).reshape(len(least), -1)
    places = np.column_stack([places, around[:, -1]])
    points = curve.points(places.ravel())
    gaps = np.abs(surface.distance(points)).reshape(places.shape)
    ways = np.linalg.norm(np.diff(points.reshape(*places.shape, 3), axis=1), axis=2)
    away = (gaps[:, :-1] + gaps[:, 1:] > 0.5 * SURELY * ways + 2.0 * RESOLUTION).all(axis=1)
    return [i for i, sure in zip(least, away.tolist(), strict=True) if not sure]


def _without_noise(gap: Callable[[float], float], found: list[float], ends: Sequence[float]) -> list[float]:
    """Hits between which the curve stays on the surface, within the resolution, made one: an end of the
    curve if there is one among them, else the middle."""
    groups: list[list[float]] = []
    for t in sorted(set(found)):
        before = groups[-1][-1] if groups else t
        if groups and all(abs(gap(before + k * (t - before) / 4)) <= RESOLUTION for k in (1, 2, 3)):
            groups[-1].append(t)
        else:
            groups.append([t])
    return [next((t for t in group if t in ends), 0.5 * (group[0] + group[-1])) for group in groups]


def _least(
    gap: Callable[[float], float], places: list[float], i: int, closed: bool, longest: float
) -> list[float]:
    """Where the distance is least in size around sample i: a touch, or two crossings near each other.

    longest : the longest way between samples. A distance changes by no more than the way along the curve;
    where twice of that does not bring it to zero the search ends.
    """
    last = len(places) - 1
    span = places[last] - places[0]
    low = places[i - 1] if i > 0 else (places[last - 1] - span if closed else places[0])
    high = places[i + 1] if i < last else (places[1] + span if closed else places[last])
    step = 0.5 * (high - low)
    middle = gap(places[i])
    sign = 1.0 if (middle if abs(middle) > RESOLUTION else gap(low) + gap(high)) >= 0 else -1.0
    a, b = low, high
    s, u = a + GOLDEN * (b - a), b - GOLDEN * (b - a)
    fs, fu = sign * gap(s), sign * gap(u)
    for _ in range(NARROWING):
        if fs < fu:
            b, u, fu = u, s, fs
            s = a + GOLDEN * (b - a)
            fs = sign * gap(s)
        else:
            a, s, fs = s, u, fu
            u = b - GOLDEN * (b - a)
            fu = sign * gap(u)
        left = min(fs, fu)
        if b - a < 1e-9 * (high - low) or left > max(2.0 * RESOLUTION, SURELY * longest * (b - a) / step):
            break
    best, value = (s, fs) if fs < fu else (u, fu)
    if abs(value) <= RESOLUTION:
        return [_centered(gap, best, value, (low, high), sign)]
    if abs(middle) <= RESOLUTION:
        return [places[i]]
    if value > 0.0:
        return []
    return [_root(gap, *sorted((end, best))) for end in (low, high) if sign * gap(end) > 0.0]


def _centered(
    gap: Callable[[float], float], best: float, value: float, ends: tuple[float, float], sign: float
) -> float:
    """The place of a touch. Of a flat one, of the fourth order, the least distance does not tell it well:
    it is midway between the places on both sides where the distance is a little more."""
    low, high = ends

    def rise(t: float) -> float:
        return sign * gap(t) - value - RISEN

    sides = []
    for end in ends:
        share = LEAST_FLAT
        while share < 1.0 and rise(best + share * (end - best)) <= 0.0:
            share *= 2.0
        if share >= 1.0:
            return best
        sides.append(_root(rise, *sorted((best, best + share * (end - best)))))
    first, last = sides
    return 0.5 * (first + last) if last - first > LEAST_FLAT * (high - low) else best


def _root(gap: Callable[[float], float], low: float, high: float) -> float:
    """The crossing between two places; where one is as good as on the surface, that place."""
    a, b = gap(low), gap(high)
    if a * b >= 0.0:
        return low if abs(a) <= abs(b) else high
    from scipy.optimize import brentq

    return float(brentq(gap, low, high, xtol=1e-15, rtol=1e-15))


def _distinct(curve: Curve, found: list[float], t0: float, t1: float, closed: bool) -> list[float]:
    """Sorted, without repeats; the ends of the piece are preferred."""
    kept: list[float] = []
    ends = [] if closed else [t for t in (t0, t1) if t in found]
    for t in [*ends, *sorted(found)]:
        p = curve.point(t)
        if all(distance(curve.point(k), p) > 2.0 * RESOLUTION for k in kept):
            kept.append(t)
    return sorted(kept)


_CLOSED_FORMS: Mapping[tuple[type, type], Callable[..., list[float] | None]] = MappingProxyType(
    {
        (Line, PlaneSurface): _line_plane,
        (Circle, PlaneSurface): _circle_plane,
        (Line, CylinderSurface): _line_cylinder,
        (Circle, CylinderSurface): _circle_cylinder,
        (Helix, CylinderSurface): _helix_cylinder,
    }
)
"""Pairs of kinds whose common points have a closed form, at least in some positions."""
