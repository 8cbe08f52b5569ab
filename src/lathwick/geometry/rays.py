"""Where parallel rays meet a surface, in closed form, many rays at once."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .canal import CanalSurface
from .curves import Ellipse
from .placement import FloatArray
from .round_surfaces import ConeSurface, SphereSurface, TorusSurface
from .ruled import RuledSurface
from .surfaces import CylinderSurface, ExtrudedSurface, PlaneSurface, Surface
from .vector import Vec3

IntArray = NDArray[np.intp]

POLISH = 3
CANAL_SAMPLES = 65
RULED_SAMPLES = 257
FALSE_POSITIONS = 60
EXACT = 1e-13
GOLDEN = 0.5 * (math.sqrt(5.0) - 1.0)
GOLDEN_SECTIONS = 40


def ray_hits(surface: Surface, origins: FloatArray, direction: Vec3) -> FloatArray:
    """Distances along the lines from `origins`, shape (N, 3), in one unit direction, where they meet the
    whole surface; shape (N, K), NaN where there is no hit. Distances may be negative."""
    return _RULES[surface.kind](surface, origins, np.asarray(direction))


def _plane(surface: PlaneSurface, o: FloatArray, d: FloatArray) -> FloatArray:
    slope = float(d @ np.asarray(surface.frame.normal))
    if abs(slope) < 1e-12:
        return np.full((len(o), 1), np.nan)
    return (-surface.distance(o) / slope)[:, None]


def _quadratic(a: float, b: FloatArray, c: FloatArray) -> FloatArray:
    """Roots of a t^2 + 2 b t + c, shape (N, 2), stable (Numerical Recipes, 5.6); NaN where there are none."""
    if abs(a) < 1e-14:
        with np.errstate(divide="ignore", invalid="ignore"):
            t = np.where(b != 0.0, -0.5 * c / b, np.nan)
        return np.column_stack([t, np.full_like(t, np.nan)])
    with np.errstate(divide="ignore", invalid="ignore"):
        root = np.sqrt(b * b - a * c)
        q = -(b + np.copysign(root, b))
        return np.column_stack([q / a, np.where(q != 0.0, c / q, 0.0)])


def _cylinder(surface: CylinderSurface, o: FloatArray, d: FloatArray) -> FloatArray:
    local, way = surface.frame.locals(o), _turned(surface, d)
    a = float(way[0] ** 2 + way[1] ** 2)
    if a < 1e-20:
        return np.full((len(o), 2), np.nan)
    b = local[:, 0] * way[0] + local[:, 1] * way[1]
    c = local[:, 0] ** 2 + local[:, 1] ** 2 - surface.radius**2
    return _quadratic(a, b, c)


def _cone(surface: ConeSurface, o: FloatArray, d: FloatArray) -> FloatArray:
    local, way = surface.frame.locals(o), _turned(surface, d)
    k = math.tan(surface.half_angle) ** 2
    a = float(way[0] ** 2 + way[1] ** 2 - k * way[2] ** 2)
    b = local[:, 0] * way[0] + local[:, 1] * way[1] - k * local[:, 2] * way[2]
    c = local[:, 0] ** 2 + local[:, 1] ** 2 - k * local[:, 2] ** 2
    t = _quadratic(a, b, c)
    height = local[:, 2:3] + t * way[2]
    return np.where(height >= 0.0, t, np.nan)


def _sphere(surface: SphereSurface, o: FloatArray, d: FloatArray) -> FloatArray:
    off = o - np.asarray(surface.frame.origin)
    return _quadratic(1.0, off @ d, (off * off).sum(axis=1) - surface.radius**2)


def _torus(surface: TorusSurface, o: FloatArray, d: FloatArray) -> FloatArray:
    """Eigenvalues of the companion matrix of the quartic, polished by Newton on the distance."""
    local, way = surface.frame.locals(o), _turned(surface, d)
    near = -(local @ way)
    p = local + near[:, None] * way
    big, small = surface.major, surface.minor
    s = (p * p).sum(axis=1) + big * big - small * small
    flat = way[0] ** 2 + way[1] ** 2
    pd = p[:, 0] * way[0] + p[:, 1] * way[1]
    pp = p[:, 0] ** 2 + p[:, 1] ** 2
    four = 4.0 * big * big
    # (t^2 + s)^2 = 4 R^2 (flat t^2 + 2 pd t + pp), as p is at right angles to the way
    matrix = np.zeros((len(o), 4, 4))
    matrix[:, 1:, :3] = np.eye(3)
    matrix[:, 0, 3] = -(s * s - four * pp)
    matrix[:, 1, 3] = four * 2.0 * pd
    matrix[:, 2, 3] = -(2.0 * s - four * flat)
    roots: Any = np.linalg.eigvals(matrix)
    scale = big + small
    t = np.where(np.abs(roots.imag) < 1e-6 * scale, roots.real, np.nan)
    if surface.meets_axis:  # the quartic is of the spindle and of what lies outside of it together
        places = (o[:, None, :] + (t + near[:, None])[:, :, None] * d).reshape(-1, 3)
        t = np.where(np.abs(surface.distance(places).reshape(t.shape)) < 1e-5 * scale, t, np.nan)
    for _ in range(POLISH):
        places = o[:, None, :] + (t + near[:, None])[:, :, None] * d
        flat_places = places.reshape(-1, 3)
        with np.errstate(invalid="ignore", divide="ignore"):
            gap = surface.distance(flat_places).reshape(t.shape)
            slope = (surface.normals(flat_places) @ d).reshape(t.shape)
            step = np.where(np.abs(slope) > 1e-7, gap / slope, 0.0)
        t = t - np.clip(step, -0.1 * small, 0.1 * small)
    gap = surface.distance((o[:, None, :] + (t + near[:, None])[:, :, None] * d).reshape(-1, 3))
    t = np.where(np.abs(gap.reshape(t.shape)) < 1e-7 * scale, t, np.nan)
    return t + near[:, None]


def _extruded(surface: ExtrudedSurface, o: FloatArray, d: FloatArray) -> FloatArray:
    """The profile crossed by the shadow of each ray."""
    way = _turned(surface, d)
    size = math.hypot(way[0], way[1])
    if size < 1e-10:
        return np.full((len(o), 1), np.nan)
    along, aside = np.array([way[0], way[1]]) / size, np.array([-way[1], way[0]]) / size
    local = surface.frame.locals(o)[:, :2]
    found = [[(q - p) @ along / size for q in _crossings(surface, p, aside)] for p in local]
    width = max((len(row) for row in found), default=0) or 1
    return np.array([[*row, *[np.nan] * (width - len(row))] for row in found])


def _crossings(surface: ExtrudedSurface, p: FloatArray, aside: FloatArray) -> list[FloatArray]:
    """Points of the profile, in the frame, on the line through `p` at right angles to `aside`."""
    profile = surface.profile
    if isinstance(profile, Ellipse):
        center = surface.frame.locals(np.array([profile.frame.origin]))[0, :2]
        axes = np.array([profile.frame.x, profile.frame.y])
        flat = axes @ np.array([surface.frame.x, surface.frame.y]).T
        a, b = profile.major * flat[0], profile.minor * flat[1]
        u, v, c = float(a @ aside), float(b @ aside), float((p - center) @ aside)
        reach = math.hypot(u, v)
        if abs(c) > reach:
            return []
        middle, half = math.atan2(v, u), math.acos(c / reach)
        return [center + math.cos(t) * a + math.sin(t) * b for t in (middle - half, middle + half)]
    from scipy.interpolate import BSpline, PPoly

    controls = surface.frame.locals(profile.controls)[:, :2]
    heights = (controls - p) @ aside
    shadow: Any = BSpline(np.array(profile.knots), heights, profile.degree)
    roots = PPoly.from_spline(shadow).roots(extrapolate=False)
    roots = roots[np.isfinite(roots)]
    return list(BSpline(np.array(profile.knots), controls, profile.degree)(roots))


def _canal(surface: CanalSurface, o: FloatArray, d: FloatArray) -> FloatArray:
    """The signed distance along each ray, where it passes the box of the canal, searched for zeros."""
    table = surface.spine.points(np.linspace(surface.spine.low, surface.spine.high, CANAL_SAMPLES))
    center = 0.5 * (table.min(axis=0) + table.max(axis=0))
    reach = float(np.linalg.norm(table - center, axis=1).max()) + 2.0 * surface.radius
    middle = (center - o) @ d
    step = 0.5 * surface.thinnest
    stops = np.arange(-math.ceil(reach / step), math.ceil(reach / step) + 1) * step
    t = middle[:, None] + stops[None]
    gaps = surface.distance((o[:, None] + t[:, :, None] * d).reshape(-1, 3)).reshape(t.shape)
    rows, zeros = _zeros(surface, o, d, t, gaps)
    return _table(rows, zeros, len(o))


def _ruled(surface: RuledSurface, o: FloatArray, d: FloatArray) -> FloatArray:
    """A ray meets the line at u where the volume of it, the line and the way between vanishes: zeros of that
    between samples of opposite sign."""
    u = np.linspace(surface.one.low, surface.one.high, RULED_SAMPLES)

    def volumes(u: FloatArray) -> tuple[FloatArray, FloatArray]:
        start = surface.one.points(u)
        return start, np.cross(surface.two.points(u) - start, d)

    starts, sides = volumes(u)
    values = (starts * sides).sum(axis=1) - o @ sides.T
    rays, k = np.nonzero((values[:, :-1] < 0.0) != (values[:, 1:] < 0.0))

    def gap(u: FloatArray) -> FloatArray:
        start, side = volumes(u)
        return np.asarray(((start - o[rays]) * side).sum(axis=1))

    u = _bracketed(gap, u[k], u[k + 1])
    start = surface.one.points(u)
    way, off = surface.two.points(u) - start, o[rays] - start
    flat = way - (way @ d)[:, None] * d  # of the line, as seen along the rays
    v = (off * flat).sum(axis=1) / np.maximum((flat * flat).sum(axis=1), 1e-300)
    return _table(rays, (start + v[:, None] * way - o[rays]) @ d, len(o))


def _table(rows: IntArray, values: FloatArray, count: int) -> FloatArray:
    """Values by the numbers of their rows, as a table filled up with nan."""
    order = np.argsort(rows, kind="stable")
    rows, values = rows[order], values[order]
    places = np.arange(len(rows)) - np.searchsorted(rows, rows)
    found = np.full((count, int(places.max(initial=0)) + 1), math.nan)
    found[rows, places] = values
    return found


def _zeros(
    surface: CanalSurface, o: FloatArray, d: FloatArray, t: FloatArray, gaps: FloatArray
) -> tuple[IntArray, FloatArray]:
    """Zeros between samples of opposite sign, and on both sides of a least one that may hide two; with the
    numbers of their rays. Between two samples the distance changes by at most their distance."""

    def gap(rays: IntArray, s: FloatArray) -> FloatArray:
        return surface.distance(o[rays] + s[:, None] * d)

    crosses = (gaps[:, :-1] < 0.0) != (gaps[:, 1:] < 0.0)
    close = np.abs(gaps[:, :-1]) + np.abs(gaps[:, 1:]) <= np.diff(t, axis=1)
    rays, k = np.nonzero(close & ~crosses)
    side = np.sign(gaps[rays, k] + (gaps[rays, k] == 0.0))
    low, high = t[rays, k], t[rays, k + 1]
    least = _least(lambda s: side * gap(rays, s), low, high)
    dips = gap(rays, least) * side < 0.0
    first, second = np.nonzero(crosses)
    numbers = np.concatenate([first, rays[dips], rays[dips]])
    starts = np.concatenate([t[first, second], low[dips], least[dips]])
    ends = np.concatenate([t[first, second + 1], least[dips], high[dips]])
    return numbers, _bracketed(lambda s: gap(numbers, s), starts, ends)


def _least(rule: Callable[[FloatArray], FloatArray], low: FloatArray, high: FloatArray) -> FloatArray:
    """Where functions of arrays are least between bounds, by golden sections."""
    if not len(low):
        return low
    a, b = low + (1.0 - GOLDEN) * (high - low), low + GOLDEN * (high - low)
    fa, fb = rule(a), rule(b)
    for _ in range(GOLDEN_SECTIONS):
        left = fa < fb
        low, high = np.where(left, low, a), np.where(left, b, high)
        new = np.where(left, low + (1.0 - GOLDEN) * (high - low), low + GOLDEN * (high - low))
        value = rule(new)
        a, b = np.where(left, new, b), np.where(left, a, new)
        fa, fb = np.where(left, value, fb), np.where(left, fa, value)
    return 0.5 * (low + high)


def _bracketed(rule: Callable[[FloatArray], FloatArray], low: FloatArray, high: FloatArray) -> FloatArray:
    """Zeros of functions of arrays with opposite signs at two bounds, by false positions (Illinois rule)."""
    if not len(low):
        return low
    ends = np.stack([low, high])
    values = np.stack([rule(low), rule(high)])
    rows, last = np.arange(len(low)), np.full(len(low), -1)
    for _ in range(FALSE_POSITIONS):
        apart = np.where(values[1] == values[0], 1.0, values[1] - values[0])
        at = np.clip((ends[0] * values[1] - ends[1] * values[0]) / apart, low, high)
        value = rule(at)
        if np.abs(value).max() <= EXACT:
            break
        side = ((value < 0.0) != (values[0] < 0.0)).astype(int)
        ends[side, rows], values[side, rows] = at, value
        values[1 - side, rows] *= np.where(side == last, 0.5, 1.0)
        last = side
    return np.asarray(at)


def _turned(surface: Surface, d: FloatArray) -> FloatArray:
    frame = surface.frame
    return np.array([d @ np.asarray(frame.x), d @ np.asarray(frame.y), d @ np.asarray(frame.normal)])


_RULES: dict[str, Callable[[Any, FloatArray, FloatArray], FloatArray]] = {
    PlaneSurface.kind: _plane,
    CylinderSurface.kind: _cylinder,
    ConeSurface.kind: _cone,
    SphereSurface.kind: _sphere,
    TorusSurface.kind: _torus,
    ExtrudedSurface.kind: _extruded,
    CanalSurface.kind: _canal,
    RuledSurface.kind: _ruled,
}
