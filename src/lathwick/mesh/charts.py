"""Maps of curved faces into a plane without folds, for triangulating them, and points inside them.

A tube that goes round its axis becomes a ring, a cone its view along the axis, a sphere its
stereographic picture from a point that the face does not cover; a whole torus is first cut open.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from types import MappingProxyType
from typing import Any

import numpy as np

from ..errors import ModellingError
from ..geometry.canal import CanalSurface
from ..geometry.curve import curvature
from ..geometry.placement import FloatArray, Plane
from ..geometry.round_surfaces import SphereSurface, TorusSurface
from ..geometry.surface import Surface
from ..geometry.tolerance import NOWHERE, RESOLUTION
from ..geometry.turned import TurnedSurface
from ..geometry.varying_canal import VaryingCanal
from ..topology.brep import Face
from ..topology.face_quadrature import NARROWEST, free_cut
from ..topology.trim import OUTSIDE, region_of
from ..topology.windings import signed_area, unrolled, winding
from .grid_steps import even_shares, row_stops
from .inner import directions, well_inside
from .lattice import Block
from .layout import Layout, ends_of_cut, opened, patch, rings_in_order, with_points_on_cut
from .mesh import IntArray
from .sampling import Tolerance, TooCoarseError
from .slits import Slit, slit_layout
from .spindles import globe_map, spindle_points

CANAL_SAMPLES = 65
LONGEST = 7.0
"""A ring map of a torus grows by at most this power of e."""

FLATTENED = 0.5
"""Height of a chart, in steps of u, of a surface that is straight along v: so flat that triangles reach far
along v but not along u."""


NO_POINTS: FloatArray = np.zeros((0, 3))


@dataclass(frozen=True, slots=True)
class Chart:
    """`flat` maps points of the face, (N, 3), to the plane, (N, 2). `inner` are points inside the face
    that the tolerance asks for. `layout` of the boundary, where that is not just its `flat` points, and
    `slits`, more points of the face, (S, 3), that follow on the boundary's in the layout's owners.
    `rim` and `near`: places of the outer corners of the block, and of points with hints, likewise.
    `parameters` of places, (N, 2) both, where a chart is made of these."""

    flat: Callable[[FloatArray], FloatArray]
    inner: FloatArray
    layout: Layout | None = None
    slits: FloatArray = field(default_factory=lambda: NO_POINTS)
    rim: FloatArray | None = None
    near: Callable[[FloatArray, FloatArray], FloatArray] | None = None
    parameters: Callable[[FloatArray], FloatArray] | None = None

    def flat_near(self, points: FloatArray, hints: FloatArray) -> FloatArray:
        """The places of points; of those that differ by a period the ones next to the hints, (N, 2)."""
        if self.near is not None:
            return self.near(points, hints)
        places = self.flat(points)
        if self.layout is not None and self.layout.period:
            period = self.layout.period
            places[:, 0] += period * np.round((hints[:, 0] - places[:, 0]) / period)
        return places


def chart_of(
    face: Face,
    rings: Sequence[FloatArray],
    tolerance: Tolerance,
    reach: float,
    block: Block | None,
    slit: Slit | None = None,
) -> Chart:
    """A chart of a curved face with these boundary points, each ring closed by its first point again.

    block : quads that fill the inside of the face already, so that only the band beside them is mapped.
    slit : where a face on a torus is cut open; then there is no block.

    Raises TooCoarseError for a face that needs finer chords or a slit.
    """
    surface = face.surface
    if slit is not None:
        return _torus_slit(face, slit, rings, tolerance, reach)
    rule = _OWN_CHARTS.get(type(surface))
    if rule is not None:
        return rule(face, rings, tolerance, reach, block)
    if isinstance(surface, TurnedSurface):
        return _turned(face, surface, rings, tolerance, reach)
    paths = [unrolled(surface.parameters(ring), surface) for ring in rings]
    turns = [winding(path, surface) for path in paths]
    v = np.concatenate([path[:, 1] for path in paths])
    low, high = float(v.min()), float(v.max())
    period = surface.periods[0]
    if surface.meridian and surface.meridian.from_apex and low <= RESOLUTION:  # the boundary passes the tip
        return Chart(_ring_map(surface, period, (0.0, high), 0.0), NO_POINTS)
    if surface.singular_points and sum(t[0] for t in turns) != 0:
        return _about_a_tip(surface, (low, high))
    step = _step(surface, paths, high, tolerance, reach)
    if any(t[0] for t in turns):
        layout = opened(paths, [t[0] for t in turns], period)
        if layout is None:
            flat = _ring_map(surface, period, (low, high), period / (math.tau * step))
            return Chart(flat, NO_POINTS)
        if surface.straight is None:
            return _cut_open(surface, layout, tolerance, reach)
        return _laid_chart(surface, layout, np.array([1.0 / step, FLATTENED / (high - low)]))
    layout = patch(paths, period)
    if surface.straight is None:
        return _laid_chart(surface, layout, _speeds(surface, layout))
    return _laid_chart(surface, layout, np.array([1.0 / step, FLATTENED / (high - low)]))


def _turned(
    face: Face, surface: TurnedSurface, rings: Sequence[FloatArray], tolerance: Tolerance, reach: float
) -> Chart:
    """Laid out by the numbers of circles through places of the profile, as far apart as points on them, which
    are seeded where they lie well inside."""
    paths = [unrolled(surface.parameters(ring), surface) for ring in rings]
    turns: list[int] = [winding(path, surface)[0] for path in paths]
    v = np.concatenate([path[:, 1] for path in paths])
    turned = sum(turns)
    tip = _tip_within(surface, rings, turned, v)
    low, high = min(v.min(), v.max() if tip is None else tip), max(v.max(), v.min() if tip is None else tip)
    rows = row_stops(surface, float(low), float(high), tolerance, reach)
    count = math.ceil(math.tau / (tolerance.span(surface.widest(low, high), reach) / math.sqrt(2.0)))
    inner = _circles(face, surface, rows[1:-1], tolerance, reach)
    if tip is not None and turned:
        inner = np.concatenate([surface.points(np.array([[0.0, tip]])), inner])
    scale = np.array([count / math.tau, 1.0])
    if tip is not None or any(turns):
        return Chart(_by_circles(surface, rows, count, tip), inner)

    def flat(points: FloatArray) -> FloatArray:
        return _numbered(surface.parameters(points), rows) * scale

    layout = patch(paths, math.tau)
    places = _numbered(layout.places, rows) * scale
    return Chart(flat, inner, layout=replace(layout, places=places, period=layout.period * float(scale[0])))


def _tip_within(
    surface: TurnedSurface, rings: Sequence[FloatArray], turns: int, v: FloatArray
) -> float | None:
    """The end of the profile about which the face goes, or which its border passes; None if there is none."""
    if not turns and not _passes_a_tip(surface, rings):
        return None
    ends = [end for end in surface.span if surface.tip_at(surface.profile.point(end)) is not None]
    return min(ends, key=lambda end: float(np.abs(v - end).min()))


def _numbered(uv: FloatArray, rows: FloatArray) -> FloatArray:
    """Parameters with the number of the circle for v, between circles a fraction."""
    return np.column_stack([uv[:, 0], np.interp(uv[:, 1], rows, np.arange(len(rows)))])


def _by_circles(
    surface: TurnedSurface, rows: FloatArray, count: int, tip: float | None
) -> Callable[[FloatArray], FloatArray]:
    """A map onto rings whose radii grow as do those of circles in a net of squares; a tip is the middle."""
    growth = min(math.tau / count, LONGEST / len(rows))
    from_above = tip is not None and tip == rows[-1]

    def flat(points: FloatArray) -> FloatArray:
        u, number = _numbered(surface.parameters(points), rows).T
        number = len(rows) - 1.0 - number if from_above else number
        out = np.exp(growth * number)
        if tip is not None:
            out = np.where(number < 1.0, number * math.exp(growth), out)
        return np.column_stack([out * np.cos(u), out * np.sin(u)])

    return flat


def _circles(
    face: Face, surface: TurnedSurface, rows: FloatArray, tolerance: Tolerance, reach: float
) -> FloatArray:
    """Points on circles, every other of them turned by half a step, where they lie well inside a face."""
    found = [NO_POINTS]
    for k, at in enumerate(rows.tolist()):
        radius = surface.widest(at, at)
        step = tolerance.span(max(radius, NOWHERE), reach) / math.sqrt(2.0)
        count = max(3, math.ceil(math.tau / step))
        u = (np.arange(count) + 0.5 * (k % 2)) * (math.tau / count)
        places = surface.points(np.column_stack([u, np.full(count, at)]))
        found.append(well_inside(face, places, radius * math.tau / count))
    return np.concatenate(found)


def _passes_a_tip(surface: Surface, rings: Sequence[FloatArray]) -> bool:
    return any(
        bool((np.linalg.norm(ring - tip.point, axis=1) <= RESOLUTION).any())
        for ring in rings
        for tip in surface.singular_points
    )


def _speeds(surface: Surface, layout: Layout) -> FloatArray:
    """The largest lengths per unit of u and of v on the boundary: times these a chart keeps shapes, about."""
    d = surface.derivatives(layout.places, 1)
    return np.array([float(np.linalg.norm(slope, axis=1).max()) for slope in (d[1][0], d[0][1])])


def _cut_open(surface: Surface, layout: Layout, tolerance: Tolerance, reach: float) -> Chart:
    """A tube that is curved along v: its cut gets points as close together as the tolerance asks for."""
    scale = _speeds(surface, layout)
    start, end = ends_of_cut(layout)
    shares = even_shares(surface, (np.array([start, start]), np.array([end, end])), 0, tolerance)
    if shares is None:
        raise TooCoarseError("a face bends too sharply to be cut open at this chord")
    layout, places = with_points_on_cut(layout, abs(float(end[1] - start[1])) / (len(shares) - 1))
    return replace(_laid_chart(surface, layout, scale), slits=surface.points(places))


def _about_a_tip(surface: Surface, vs: tuple[float, float]) -> Chart:
    """A face that goes round a tip of its surface, as it looks from above that. vs : the range of v on its
    boundary."""
    low, high = surface.domain[1]
    ends = [(low, vs[1])] if math.isinf(high) else [(low, vs[1]), (high, vs[0])]
    u = surface.domain[0][0]
    places = surface.points(np.array([[u, at] for at, _ in ends]))
    tips = np.array([tip.point for tip in surface.singular_points])
    away = np.linalg.norm(places[:, None] - tips, axis=2)
    end, tip = np.unravel_index(int(away.argmin()), away.shape)
    return Chart(_ring_map(surface, surface.periods[0], ends[int(end)], 0.0), tips[int(tip)][None])


def _canal(
    face: Face, rings: Sequence[FloatArray], tolerance: Tolerance, reach: float, _: Block | None
) -> Chart:
    """Steps along the spine are those of its sharpest bend, with the radius of the canal added."""
    surface: Any = face.surface
    paths = [unrolled(surface.parameters(ring), surface) for ring in rings]
    turns = [winding(path, surface) for path in paths]
    u, v = np.concatenate(paths).T
    low, high = (surface.spine.low, surface.spine.high) if surface.period else (u.min(), u.max())
    t = np.linspace(float(low), float(high), CANAL_SAMPLES)
    d1, d2 = surface.spine.derivatives(t), surface.spine.second(t)
    speed = np.linalg.norm(d1, axis=1)
    least = 1.0 / max(float(curvature(d1, d2).max()), 1e-9)
    along = tolerance.span(least + surface.radius, reach)
    steps = (
        along * least / float(speed.max()) / math.sqrt(2.0),
        tolerance.span(surface.radius, reach) / math.sqrt(2.0),
    )
    if any(turn[0] for turn in turns):
        layout = opened(paths, [turn[0] for turn in turns], surface.period)
    else:
        layout = replace(patch(paths, surface.period), period=0.0)
    if layout is None:
        raise TooCoarseError("a canal cannot be cut open at this chord")
    slits = NO_POINTS
    if layout.period:
        layout, places = with_points_on_cut(layout, steps[1])
        slits = surface.points(places)
    chart = _laid_chart(surface, layout, 1.0 / np.array(steps))
    inner = _grid(face, (float(low), float(high)), (float(v.min()), float(v.max())), steps)
    return replace(chart, inner=inner, slits=slits)


def _laid_chart(surface: Surface, layout: Layout, scale: FloatArray) -> Chart:
    def flat(points: FloatArray) -> FloatArray:
        return surface.parameters(points) * scale

    scaled = replace(layout, places=layout.places * scale, period=layout.period * float(scale[0]))
    return Chart(flat, NO_POINTS, layout=scaled, parameters=lambda places: places / scale)


def _step(
    surface: Surface, paths: Sequence[FloatArray], high: float, tolerance: Tolerance, reach: float
) -> float:
    """How far apart points may lie in u, on surfaces that are straight along v."""
    if surface.level_axis is not None:
        radius = float(np.linalg.norm(surface.derivatives(np.array([[0.0, high]]), 1)[1][0]))
        return tolerance.span(radius, reach)
    u = np.concatenate([path[:, 0] for path in paths])
    return max(float(np.ptp(u)), 1e-9) / max(len(path) for path in paths)


def _ring_map(
    surface: Surface, period: float, heights: tuple[float, float], middle: float
) -> Callable[[FloatArray], FloatArray]:
    """u as the angle about the middle of a ring, v, flattened, as the distance from a circle of radius
    `middle`; a cone with its tip as it looks from above."""
    low, high = heights
    tall = FLATTENED if middle else 1.0

    def flat(points: FloatArray) -> FloatArray:
        uv = surface.parameters(points)
        turn = uv[:, 0] * (math.tau / period)
        out = middle + tall * (uv[:, 1] - low) / (high - low)
        return np.column_stack([out * np.cos(turn), out * np.sin(turn)])

    return flat


def _grid(
    face: Face, us: tuple[float, float], vs: tuple[float, float], steps: tuple[float, float]
) -> FloatArray:
    """Points on a grid in (u, v) that lie well inside the face."""
    counts = [max(1, math.ceil((r[1] - r[0]) / s - 1e-9)) for r, s in ((us, steps[0]), (vs, steps[1]))]
    u = us[0] + (us[1] - us[0]) * (np.arange(counts[0]) + 0.5) / counts[0]
    v = vs[0] + (vs[1] - vs[0]) * np.arange(1, counts[1]) / counts[1]
    if not len(u) or not len(v):
        return np.zeros((0, 3))
    uv = np.array(np.meshgrid(u, v)).reshape(2, -1).T
    points = face.surface.points(uv)
    one = face.surface.points(np.array([[u[0], v[0]], [u[0] + steps[0], v[0]]]))
    return well_inside(face, points, float(np.linalg.norm(one[1] - one[0])))


# ---------------------------------------------------------------------- sphere


def _sphere(
    face: Face, rings: Sequence[FloatArray], tolerance: Tolerance, reach: float, block: Block | None
) -> Chart:
    surface: Any = face.surface
    center, radius = np.asarray(surface.frame.origin), surface.radius
    pole = _uncovered(face, surface, rings)
    x, y, z = pole.tolist()
    frame = Plane(surface.frame.origin, (x, y, z))

    def flat(points: FloatArray) -> FloatArray:
        local = frame.locals(points)
        return local[:, :2] / (radius - local[:, 2])[:, None]

    if block is not None:
        return Chart(flat, NO_POINTS)
    step = tolerance.span(radius, reach) / math.sqrt(2.0)
    found = [np.array([[0.0, 0.0, -radius]])]
    for k in range(1, math.ceil(math.pi / step)):
        lat = -math.pi / 2 + k * step
        if lat >= math.pi / 2:
            break
        level = radius * math.cos(lat)
        count = max(3, math.ceil(math.tau * math.cos(lat) / step))
        turn = (np.arange(count) + 0.5 * (k % 2)) * (math.tau / count)
        high = np.full(count, radius * math.sin(lat))
        found.append(np.column_stack([level * np.cos(turn), level * np.sin(turn), high]))
    local = np.concatenate(found)
    points = center + local @ np.array([frame.x, frame.y, frame.normal])
    return Chart(flat, well_inside(face, points, step * radius))


def _uncovered(face: Face, surface: SphereSurface, rings: Sequence[FloatArray]) -> FloatArray:
    """A direction from the center that the face does not cover, as far from its boundary as may be."""
    center = np.asarray(surface.frame.origin)
    middles = [ring.mean(axis=0) - center for ring in rings]
    ways = np.concatenate([directions(), [m / np.linalg.norm(m) for m in middles if np.linalg.norm(m) > 0.0]])
    border = np.concatenate(rings) - center
    nearest = (ways @ (border / surface.radius).T).max(axis=1)
    region, order = region_of(face), np.argsort(nearest, kind="stable")
    for some in (order[:1], order[1:5], order[5:]):  # what is farthest from a small face is mostly free
        free = ways[some][region.states(center + surface.radius * ways[some]) == OUTSIDE]
        if len(free):
            return free[0]
    raise ModellingError("a face covers so much of its sphere that it cannot be meshed yet")


# ---------------------------------------------------------------------- torus


def _torus(
    face: Face, rings: Sequence[FloatArray], tolerance: Tolerance, reach: float, block: Block | None
) -> Chart:
    surface: Any = face.surface
    if surface.meets_axis:
        return Chart(globe_map(face, surface, rings), spindle_points(face, surface, tolerance, reach))
    paths = [unrolled(surface.parameters(ring), surface) for ring in rings]
    turns = [winding(path, surface) for path in paths]
    steps = _torus_steps(surface, tolerance, reach)
    winds = [any(t[k] for t in turns) for k in (0, 1)]
    sign = 1.0 if face.outward else -1.0
    flats = [p for p, t in zip(paths, turns, strict=True) if t == (0, 0)]
    if all(winds):
        raise TooCoarseError("a face that winds round a torus both ways needs a slit")
    if not any(winds):
        banded = None if block is None else _torus_banded(surface, block, paths, steps)
        if banded is not None:
            return banded
        if any(sign * signed_area(p) > 0 for p in flats):
            return _torus_patch(face, surface, paths, steps, block)
        return _torus_opened(surface, paths, steps, block)
    around = 0 if winds[0] else 1
    values = np.concatenate([path[:, 1 - around] for path in paths])
    low = _outside_gap(face, surface, values, 1 - around)
    across = low + (values - low) % math.tau
    turn, band = (0.0, math.tau), (float(across.min()), float(across.max()))
    us, vs = (turn, band) if around == 0 else (band, turn)
    inner = NO_POINTS if block is not None else _grid(face, us, vs, steps)
    return Chart(_shifted_ring(surface, around, low, *band), inner)


def _torus_steps(surface: TorusSurface, tolerance: Tolerance, reach: float) -> tuple[float, float]:
    radii = (surface.major + surface.minor, surface.minor)
    around, across = (tolerance.span(radius, reach) / math.sqrt(2.0) for radius in radii)
    return around, across


def _torus_slit(
    face: Face, slit: Slit, rings: Sequence[FloatArray], tolerance: Tolerance, reach: float
) -> Chart:
    surface: Any = face.surface
    paths = [unrolled(surface.parameters(ring), surface) for ring in rings]
    steps = _torus_steps(surface, tolerance, reach)
    corner = np.array([slit.u, slit.v])
    layout, added = slit_layout(face, surface, slit, paths, steps)

    def flat(points: FloatArray) -> FloatArray:
        return np.asarray((surface.parameters(points) - corner) % math.tau / steps)

    inner = _grid(face, (slit.u, slit.u + math.tau), (slit.v, slit.v + math.tau), steps)
    return Chart(flat, inner, replace(layout, places=layout.places / steps), added)


def _torus_banded(
    surface: TorusSurface, block: Block, paths: Sequence[FloatArray], steps: tuple[float, float]
) -> Chart | None:
    """Every band between the block and the boundary laid out beside the others, along its ring where it has
    one only; None for a band of several rings that goes all round."""
    scale, wide = np.array(steps), 0.0
    border, rim = [path[:-1] for path in paths], np.unique(block.sides)
    bands = [int(block.bands(surface.points(path[:1]))[0]) for path in paths]
    rim_band, rim_uv = block.corner_bands()[rim], surface.parameters(block.points[rim])
    rim_places = np.zeros((len(rim), 2))
    for band in dict.fromkeys(bands):
        rings = [k for k, b in enumerate(bands) if b == band]
        beside = rim_band == band
        if len(rings) == 1:
            known = paths[rings[0]][:-1]
            laid = [known, _lifted_to(rim_uv[beside], known)]
        else:
            parts = [*(border[k] for k in rings), rim_uv[beside]]
            cuts = [free_cut(np.concatenate(parts)[:, k]) for k in (0, 1)]
            if cuts[0] is None or cuts[1] is None:
                return None
            laid = [(uv - np.array(cuts)) % math.tau for uv in parts]
        whole = np.concatenate(laid)
        shift = np.array([wide - whole[:, 0].min(), 0.0])
        wide = float((whole + shift)[:, 0].max()) + math.tau
        for k, uv in zip(rings, laid, strict=False):
            border[k] = uv + shift
        rim_places[beside] = laid[-1] + shift
    if not set(rim_band.tolist()) <= set(bands):
        return None
    flat_border = np.concatenate(border)
    moves = flat_border - np.concatenate([path[:-1] for path in paths])

    def near(points: FloatArray, hints: FloatArray) -> FloatArray:
        """Moved as the boundary next to the hint is, and by whole turns next to the hint."""
        spots = hints * scale
        move = moves[_nearest(spots, flat_border)]
        uv = surface.parameters(points) + move
        return np.asarray((uv + math.tau * np.round((spots - uv) / math.tau)) / scale)

    layout = Layout(flat_border / scale, *rings_in_order([len(path) - 1 for path in paths]), 0.0)
    nowhere = np.zeros((1, 2))
    return Chart(
        lambda points: near(points, np.repeat(nowhere, len(points), axis=0)),
        NO_POINTS,
        layout=layout,
        rim=rim_places / scale,
        near=near,
    )


def _nearest(points: FloatArray, known: FloatArray) -> IntArray:
    from scipy.spatial import cKDTree

    return np.asarray(cKDTree(known).query(points)[1], dtype=np.int64)


def _lifted_to(uv: FloatArray, path: FloatArray) -> FloatArray:
    """(u, v) moved by whole turns next to the points of a path that lie nearest on the torus."""
    around, known = (np.concatenate([np.cos(a), np.sin(a)], axis=1) for a in (uv, path))
    near = path[_nearest(around, known)]
    return uv + math.tau * np.round((near - uv) / math.tau)


def _shifted_ring(
    surface: TorusSurface, around: int, start: float, low: float, high: float
) -> Callable[[FloatArray], FloatArray]:
    """As `_ring_map`, with the other parameter counted from `start`. Distances grow exponentially, so that
    the map keeps shapes in the small."""
    radii = (surface.major, surface.minor)
    length = min(LONGEST, (high - low) * radii[1 - around] / radii[around])

    def flat(points: FloatArray) -> FloatArray:
        uv = surface.parameters(points)
        across = start + (uv[:, 1 - around] - start) % math.tau
        out = np.exp(length * (across - low) / (high - low))
        return np.column_stack([out * np.cos(uv[:, around]), out * np.sin(uv[:, around])])

    return flat


def _outside_gap(face: Face, surface: TorusSurface, values: FloatArray, which: int) -> float:
    """A value of parameter `which` that the face does not reach."""
    order = np.sort(values % math.tau)
    gaps = np.diff(np.append(order, order[0] + math.tau))
    for k in np.argsort(-gaps)[:8]:
        value = float(order[k] + 0.5 * gaps[k])
        uv = np.zeros((7, 2))
        uv[:, which], uv[:, 1 - which] = value, np.arange(7) * 0.9
        if (region_of(face).states(surface.points(uv)) == OUTSIDE).all():
            return value
    raise TooCoarseError("a face reaches all round its torus in a way that cannot be meshed yet")


def _torus_patch(
    face: Face,
    surface: TorusSurface,
    paths: Sequence[FloatArray],
    steps: tuple[float, float],
    block: Block | None,
) -> Chart:
    start, bounds = [], []
    for k in (0, 1):
        values = np.concatenate([path[:, k] for path in paths])
        low = (
            _outside_gap(face, surface, values, k) if np.ptp(values) > math.pi else float(values.min()) - 0.1
        )
        across = low + (values - low) % math.tau
        start.append(low)
        bounds.append((float(across.min()), float(across.max())))

    def flat(points: FloatArray) -> FloatArray:
        uv = surface.parameters(points)
        return np.column_stack([(start[k] + (uv[:, k] - start[k]) % math.tau) / steps[k] for k in (0, 1)])

    return Chart(flat, NO_POINTS if block is not None else _grid(face, bounds[0], bounds[1], steps))


def _torus_opened(
    surface: TorusSurface,
    paths: Sequence[FloatArray],
    steps: tuple[float, float],
    block: Block | None,
) -> Chart:
    """A whole torus with holes, cut along a parallel or a meridian that meets no hole."""
    for around in (0, 1):
        values = np.concatenate([path[:, 1 - around] for path in paths])
        if block is not None and free_cut(values) is not None:
            rim = surface.parameters(block.points[np.unique(block.sides)])[:, 1 - around]
            free = free_cut(np.concatenate([values, rim]))
            if free is not None and max(steps) < 0.5 * NARROWEST:
                return Chart(_shifted_ring(surface, around, free, free, free + math.tau), NO_POINTS)
    raise TooCoarseError("a torus with holes needs a slit")


_OWN_CHARTS: Mapping[type, Callable[..., Chart]] = MappingProxyType(
    {SphereSurface: _sphere, TorusSurface: _torus, CanalSurface: _canal, VaryingCanal: _canal}
)
"""Kinds that are laid out in ways of their own; all others as their parameters run."""
