"""Mass properties by quadrature on the exact faces.

By the divergence theorem each volume moment is a sum of face integrals; on a face, by Green's
theorem, the integral over the trimmed (u, v) region is a boundary integral of an inner
antiderivative in v. The inner integral is a Gauss rule that is exact for the polynomials that
occur; the outer one is a Gauss rule per piece of edge, with pieces of at most a quarter turn, on
which it converges to rounding. All edges of a body are done in one batch.

Source: Gonzalez-Ochoa, McCammon, Peters, "Computing moments of objects enclosed by piecewise
polynomial surfaces", ACM TOG 17 (1998); the reduction to boundary integrals follows Cattani and
Paoluzzi, "Boundary integration over linear polyhedra", CAD 22 (1990).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.polynomial.legendre import leggauss
from numpy.typing import NDArray

from ..geometry.conics import Hyperbola
from ..geometry.curves import Circle, Ellipse, Line
from ..geometry.placement import FloatArray
from ..geometry.round_surfaces import ConeSurface, SphereSurface, TorusSurface
from ..geometry.search import closed_in
from ..geometry.surface import Surface
from ..geometry.surfaces import CylinderSurface, ExtrudedSurface, PlaneSurface
from ..geometry.tolerance import NOWHERE
from ..geometry.vector import cross, norm
from .boxes import outer_box
from .brep import Coedge, Edge, Face, Loop
from .face_quadrature import (
    NODES,
    WEIGHTS,
    FaceQuadrature,
    IntArray,
    closed_strip,
    completed,
    joined,
    level_bases,
)
from .windings import unrolled

OUTER_NODES, OUTER_WEIGHTS = leggauss(16)
INNER_NODES, INNER_WEIGHTS = leggauss(3)

FEW_ROUND, DENSE_ROUND = 8, 40
"""Places round a whole circle: exact for trigonometric polynomials of degree 7 (5 occurs), and so close that
they leave no gap as between edges."""

CROSSING_SAMPLES = 65
"""Places along an edge between which it is taken to pass a break of its surface at most once."""

FEW_SAMPLES = 9
"""Places along an edge that tell about how far it goes."""

LEVEL = 1e-12
"""Axes at a smaller angle (its sine) are parallel."""

SAME_LINE = 1e-9
"""An edge along which a parameter changes by less runs along a line of the surface, and passes none."""

FEWEST_PARTS = 4
"""What is integrated along an edge of a general surface is not as simple as the edge: so many parts at
least, for each smooth piece of the surface that it goes across."""

NO_STEP = 1e-14
"""Steps along v alone, up to such a share of the others, have no strip below them."""

MANY_STOPS, LITTLE, SAME_STOP = 12, 0.1, 1e-7
"""Of an edge with so many stops those ranges, in whose halves it and its surface turn less than that
(radians), take few nodes; stops nearer than that share of it are one."""

_FEW = leggauss(8)
_SHORT = leggauss(12)
"""Nodes for the inner integral over one of several pieces of a surface."""

ROUND_IT = 0.5
"""A face goes round a pole if its loops run through more than this share of a turn, in all."""

TINY = 1e-12
EDGE_PIECES = 16
"""Bodies are taken to be at least so large."""

NEAR_APEX = 0.25
"""A face whose edges come so near to the apex of its cone, as a share of how far they go from it."""


@dataclass(frozen=True, slots=True)
class MassProperties:
    """Of a solid of density one. `inertia` is the tensor about the centroid, axes parallel to X, Y, Z.

    volume, area : float, design unit to the third and second power.
    centroid : tuple of three floats. inertia : (3, 3) array, unit to the fifth power.
    face_areas : (F,) array in the order of the faces.
    """

    volume: float
    area: float
    centroid: tuple[float, float, float]
    inertia: FloatArray
    face_areas: FloatArray


def mass_properties(faces: Sequence[Face]) -> MassProperties:
    """Volume, area, centroid and inertia of the solid bounded by `faces`.

    Relative error about 1e-14 for planes and cylinders. Cost O(number of edges).
    """
    reference = reference_point(faces)
    about = tuple(reference.tolist())
    fresh = [face for face in faces if (face.recalled("integrals") or (None,))[0] != about]
    for face, row in zip(fresh, face_integrals(fresh, reference), strict=True):
        face.remember("integrals", (about, row))
    table = np.array([face.recalled("integrals")[1] for face in faces])
    return _from_moments(table[:, 1:].sum(axis=0), table[:, 0], reference)


def face_integrals(faces: Sequence[Face], reference: FloatArray) -> FloatArray:
    """Area and the part in the `_volume_moments` of each face, shape (F, 11)."""
    found = np.zeros((len(faces), 11))
    members: dict[_Rule, list[int]] = {}
    by_loops = [i for i, face in enumerate(faces) if len(face.loops) > 1 and face.surface.plane is not None]
    summed = set(by_loops)
    if by_loops:
        found[by_loops] = _sums_of_loops([faces[i] for i in by_loops], reference)
    for i, face in enumerate(faces):
        if i in summed:
            continue
        members.setdefault(_IN_BATCHES.get(type(face.surface), _general_strip), []).append(i)
    for rule, numbers in members.items():
        strip = _strip(faces, numbers, reference, rule)
        found[:, 0] += np.bincount(strip.face, strip.weights.sum(axis=1), len(faces))
        found[:, 1:] += _volume_moments(strip, len(faces))
    return found


def _sums_of_loops(faces: Sequence[Face], reference: FloatArray) -> FloatArray:
    """As `face_integrals`, of plane faces: sums over their loops, each of which remembers its part."""
    about = tuple(reference.tolist())
    parts = [Face(face.surface, face.outward, (loop,)) for face in faces for loop in face.loops]
    keys = [(about, id(part.surface), part.outward) for part in parts]
    fresh = [
        k for k, part in enumerate(parts) if (part.loops[0].recalled("integrals") or (None,))[0] != keys[k]
    ]
    for k, row in zip(fresh, face_integrals([parts[k] for k in fresh], reference), strict=True):
        parts[k].loops[0].remember("integrals", (keys[k], row, parts[k].surface))
    rows = np.array([part.loops[0].recalled("integrals")[1] for part in parts])
    return np.add.reduceat(rows, np.cumsum([0, *(len(face.loops) for face in faces[:-1])]))


def face_center(face: Face) -> FloatArray:
    """The center of area of a face, shape (3,)."""
    rule = _IN_BATCHES.get(type(face.surface), _general_strip)
    strip = _strip([face], [0], reference_point([face]), rule)
    total = strip.weights.sum()
    shift = (
        np.zeros(3) if total == 0.0 else (strip.weights[..., None] * strip.points).sum(axis=(0, 1)) / total
    )
    return reference_point([face]) + shift


def edge_center(edge: Edge) -> FloatArray:
    """The center of length of an edge, shape (3,): by a Gauss rule on pieces of it."""
    stops = np.linspace(edge.t0, edge.t1, EDGE_PIECES + 1)
    nodes, weights = _SHORT
    half = 0.5 * np.diff(stops)[:, None]
    t = (stops[:-1, None] + half * (nodes + 1.0)).ravel()
    speed = np.linalg.norm(edge.curve.derivatives(t), axis=1)
    w = (half * weights).ravel() * speed
    return np.asarray((w[:, None] * edge.curve.points(t)).sum(axis=0) / w.sum())


def reference_point(faces: Sequence[Face]) -> FloatArray:
    """Near the middle of the faces, on a coarse grid: bodies that differ a little have the same, so that
    integrals over the faces they share hold for both."""
    boxes = np.array([outer_box(face) for face in faces])
    low, high = boxes[:, 0].min(axis=0), boxes[:, 1].max(axis=0)
    grid = 2.0 ** (math.floor(math.log2(max(float((high - low).max()), TINY))) - 2)
    return np.asarray(grid * np.round(0.5 * (low + high) / grid))


def _strip(
    faces: Sequence[Face], members: Iterable[int], reference: FloatArray, rule: _Rule
) -> FaceQuadrature:
    members = list(members)
    uses = [(i, coedge) for i in members for coedge in faces[i].coedges()]
    groups: dict[_MakeNodes, list[tuple[int, Coedge]]] = {}
    for i, coedge in uses:
        make = _EDGES_IN_BATCHES.get(type(coedge.edge.curve), _curve_nodes)
        if make is _circle_nodes and coedge.edge.is_closed and _is_even(rule, faces[i], coedge.edge):
            make = _ring_nodes if faces[i].surface.plane is not None else _dense_ring_nodes
        groups.setdefault(_curve_nodes if rule is _general_strip else make, []).append((i, coedge))
    found = [_broken_nodes(faces, group) if make is _curve_nodes else make(group)
             for make, group in groups.items()]  # fmt: skip
    found.append(_closing_nodes(faces, members))
    points, steps, owner = (np.concatenate([f[k] for f in found]) for k in range(3))
    strip = rule(faces, owner, points - reference, steps, reference)
    return completed(faces, members, strip, reference)


_Nodes = tuple[FloatArray, FloatArray, FloatArray]
"""Points on edges (M, 3), the weighted steps along them (M, 3), and the index of each one's face (M,)."""


def _line_nodes(uses: Sequence[tuple[int, Coedge]]) -> _Nodes:
    """All straight edges at once. What is integrated along them is polynomial, of degree 4 at most."""
    edges = [coedge.edge for _, coedge in uses]
    origin = np.array([edge.curve.point(0.0) for edge in edges])
    direction = np.array([edge.curve.tangent(0.0) for edge in edges])
    t0, t1 = np.array([(edge.t0, edge.t1) for edge in edges]).T
    half = 0.5 * (t1 - t0)
    t = t0[:, None] + half[:, None] * (INNER_NODES + 1.0)
    w = (half * _signs(uses))[:, None] * INNER_WEIGHTS
    points = origin[:, None, :] + t[:, :, None] * direction[:, None, :]
    steps = w[:, :, None] * direction[:, None, :]
    return points.reshape(-1, 3), steps.reshape(-1, 3), _owners(uses, np.full(len(uses), len(INNER_NODES)))


def _circle_nodes(uses: Sequence[tuple[int, Coedge]]) -> _Nodes:
    """All circular edges at once, a quarter turn or less at a time."""
    circles: list[Any] = [coedge.edge.curve for _, coedge in uses]
    stops = [circle.parts(c.edge.t0, c.edge.t1) for circle, (_, c) in zip(circles, uses, strict=True)]
    counts = np.array([len(stop) - 1 for stop in stops])
    which = np.repeat(np.arange(len(uses)), counts)
    low = np.array([t for stop in stops for t in stop[:-1]])
    half = 0.5 * (np.array([t for stop in stops for t in stop[1:]]) - low)
    rows = np.array([(*c.frame.origin, *c.frame.x, *c.frame.y, c.radius) for c in circles])[which]
    t = low[:, None] + half[:, None] * (OUTER_NODES + 1.0)
    w = (half * _signs(uses)[which] * rows[:, 9])[:, None] * OUTER_WEIGHTS
    cos, sin = np.cos(t)[:, :, None], np.sin(t)[:, :, None]
    x, y = rows[:, None, 3:6], rows[:, None, 6:9]
    points = rows[:, None, 0:3] + rows[:, None, 9:10] * (cos * x + sin * y)
    steps = w[:, :, None] * (cos * y - sin * x)
    return points.reshape(-1, 3), steps.reshape(-1, 3), _owners(uses, counts * len(OUTER_NODES))


def _is_even(rule: _Rule, face: Face, circle: Edge) -> bool:
    """Whether what is integrated along a whole circle is a trigonometric polynomial of a degree less than
    `FEW_ROUND`: where its face is a plane, or is turned about the axis of the circle."""
    if rule in (_plane_strip, _cylinder_strip, _cone_strip):
        return True
    surface, curve = face.surface, circle.curve
    if not isinstance(surface, TorusSurface) or not isinstance(curve, Circle):
        return False
    return norm(cross(surface.frame.normal, curve.frame.normal)) <= LEVEL


def _ring_nodes(uses: Sequence[tuple[int, Coedge]], count: int = FEW_ROUND) -> _Nodes:
    """Whole circles at once, at places evenly all round: exact for trigonometric polynomials of a degree less
    than the count."""
    circles: list[Any] = [coedge.edge.curve for _, coedge in uses]
    rows = np.array([(*c.frame.origin, *c.frame.x, *c.frame.y, c.radius) for c in circles])
    t = np.linspace(0.0, math.tau, count, endpoint=False)
    w = np.outer(_signs(uses) * rows[:, 9], np.full(count, math.tau / count))
    cos, sin = np.cos(t)[:, None], np.sin(t)[:, None]
    x, y = rows[:, None, 3:6], rows[:, None, 6:9]
    points = rows[:, None, 0:3] + rows[:, None, 9:10] * (cos * x + sin * y)
    steps = w[:, :, None] * (cos * y - sin * x)
    return points.reshape(-1, 3), steps.reshape(-1, 3), _owners(uses, np.full(len(uses), count))


def _dense_ring_nodes(uses: Sequence[tuple[int, Coedge]]) -> _Nodes:
    """As `_ring_nodes`, so close together that they leave no gap by which a ring could be cut open."""
    return _ring_nodes(uses, DENSE_ROUND)


def _curve_nodes(uses: Sequence[tuple[int, Coedge]]) -> _Nodes:
    """Edges on other curves, one by one."""
    return _stepped(uses, [c.edge.curve.parts(c.edge.t0, c.edge.t1) for _, c in uses])


def _broken_nodes(faces: Sequence[Face], uses: Sequence[tuple[int, Coedge]]) -> _Nodes:
    """Edges on other curves, and all those on surfaces that are smooth piece by piece: they are divided where
    they pass from one piece to the next, for what is integrated along them is not smooth there."""
    parts = [coedge.edge.curve.parts(coedge.edge.t0, coedge.edge.t1) for _, coedge in uses]
    members: dict[int, list[int]] = {}
    for n, (i, _) in enumerate(uses):
        members.setdefault(i, []).append(n)
    stops: list[Sequence[float]] = [()] * len(uses)
    for i, numbers in members.items():
        edges = [uses[n][1].edge for n in numbers]
        crossed, fewest = _crossed_breaks(faces[i].surface, edges, [parts[n] for n in numbers])
        for n, edge, found, least in zip(numbers, edges, crossed, fewest, strict=True):
            step = (edge.t1 - edge.t0) / least
            even = [*(edge.t0 + k * step for k in range(least)), edge.t1]
            stops[n] = even if len(parts[n]) <= least else parts[n]
            if len(found):
                stops[n] = _merged(np.array(stops[n]), found)
    return _stepped(
        uses,
        stops,
        [_turn_little(faces[i].surface, c.edge, row) for (i, c), row in zip(uses, stops, strict=True)],
    )


def _merged(stops: FloatArray, more: FloatArray) -> list[float]:
    """All stops in order, less those between the first and the last that lie beside one of the others."""
    near = np.abs(stops[:, None] - more).min(axis=1) < SAME_STOP * (stops[-1] - stops[0])
    near[[0, -1]] = False
    beside = np.minimum(np.abs(more - stops[0]), np.abs(more - stops[-1])) < SAME_STOP * (
        stops[-1] - stops[0]
    )
    return np.union1d(stops[~near], more[~beside]).tolist()


def _turn_little(surface: Surface, edge: Edge, stops: Sequence[float]) -> NDArray[np.bool_]:
    """In which of many ranges between stops, each of one smooth piece, an edge and the surface along it turn
    so little that fewer nodes do."""
    if len(stops) <= MANY_STOPS or surface.singular_points:
        return np.zeros(len(stops) - 1, dtype=bool)
    t = np.array(stops)
    every = np.empty(2 * len(t) - 1)
    every[::2], every[1::2] = t, 0.5 * (t[:-1] + t[1:])
    ways = edge.curve.derivatives(every)
    normals = surface.normals(edge.curve.points(every))
    turn = np.zeros(len(every) - 1)
    for rows in (ways, normals):
        rows = rows / np.maximum(np.linalg.norm(rows, axis=1), NOWHERE)[:, None]
        turn = np.maximum(turn, np.linalg.norm(np.diff(rows, axis=0), axis=1))
    return np.asarray(turn.reshape(-1, 2).max(axis=1) < LITTLE)


def _crossed_breaks(
    surface: Surface, edges: Sequence[Edge], parts: Sequence[Sequence[float]]
) -> tuple[list[FloatArray], list[int]]:
    """Parameters at which edges pass lines along which their surface is not smooth, of each edge, and into
    how many parts it is divided at least."""
    found, fewest = [np.zeros(0)] * len(edges), [FEWEST_PARTS] * len(edges)
    is_broken = any(len(breaks) for breaks in surface.smooth_breaks())
    if not is_broken and not min(surface.simple_spans):
        return found, fewest
    across, spans = [], np.maximum(surface.simple_spans, NOWHERE)
    for k, (_, uv) in enumerate(_paths_on(surface, edges, [()] * len(edges), FEW_SAMPLES)):
        share = (np.ptp(uv, axis=0) / spans).max()
        fewest[k] = math.ceil(FEWEST_PARTS * min(1.0, max(share, SAME_LINE)))
        across += [k] if is_broken and _may_cross(surface, uv) else []
    wide = [edges[k] for k in across]
    for k, (t, uv) in zip(
        across, _paths_on(surface, wide, [parts[k] for k in across], CROSSING_SAMPLES), strict=True
    ):
        met = [_passed(surface, edges[k], t, uv[:, i], i, np.array(breaks))
               for i, breaks in enumerate(surface.smooth_breaks())
               if len(breaks) and np.ptp(uv[:, i]) > SAME_LINE * (breaks[-1] - breaks[0] + 1.0)]  # fmt: skip
        found[k] = np.concatenate([found[k], *met])
    return found, fewest


def _paths_on(
    surface: Surface, edges: Sequence[Edge], stops: Sequence[Sequence[float]], samples: int
) -> list[tuple[FloatArray, FloatArray]]:
    """Parameters along each edge, (N,), evenly and at stops, and those of the surface there, (N, 2)."""
    if not edges:
        return []
    even = np.arange(samples) / (samples - 1.0)
    places = [np.union1d(row, more) if len(more) else row for row, more in
              zip((edge.t0 + (edge.t1 - edge.t0) * even for edge in edges), stops, strict=True)]  # fmt: skip
    points = [edge.curve.points(t) for edge, t in zip(edges, places, strict=True)]
    every = np.split(surface.parameters(np.concatenate(points)), np.cumsum([len(t) for t in places])[:-1])
    return [(t, unrolled(part, surface)) for t, part in zip(places, every, strict=True)]


def _may_cross(surface: Surface, uv: FloatArray) -> bool:
    """Whether a path, (N, 2), comes as near to a break of the surface as it is long."""
    for k, breaks in enumerate(surface.smooth_breaks()):
        if len(breaks):
            places, period = np.array(breaks), surface.periods[k]
            low, high = float(uv[:, k].min()), float(uv[:, k].max())
            room = high - low + SAME_LINE * (places[-1] - places[0] + 1.0)
            if period:
                places = _with_laps(places, period, low - room, high + room)
            if ((places > low - room) & (places < high + room)).any():
                return True
    return False


def _with_laps(breaks: FloatArray, period: float, low: float, high: float) -> FloatArray:
    """Breaks of a surface that goes round, repeated for all laps from low to high."""
    laps = period * np.arange(np.floor((low - breaks[0]) / period), np.ceil((high - breaks[0]) / period) + 1)
    return np.asarray((breaks + laps[:, None]).ravel())


def _passed(
    surface: Surface, edge: Edge, t: FloatArray, values: FloatArray, k: int, breaks: FloatArray
) -> FloatArray:
    """Where a parameter of the surface, sampled along an edge, passes one of the breaks."""
    period = surface.periods[k]
    if period:
        breaks = _with_laps(breaks, period, values.min(), values.max())
    rows, which = np.nonzero((values[:-1, None] < breaks) != (values[1:, None] < breaks))
    level, middle = breaks[which], 0.5 * (values[rows] + values[rows + 1])

    def past(s: FloatArray) -> FloatArray:
        here = surface.parameters(edge.curve.points(s))[:, k]
        if period:
            here = here - period * np.round((here - middle) / period)
        return np.asarray(here - level)

    return closed_in(past, t[rows], t[rows + 1])


def _stepped(
    uses: Sequence[tuple[int, Coedge]],
    stops_of: Sequence[Sequence[float]],
    simple_of: Sequence[NDArray[np.bool_]] | None = None,
) -> _Nodes:
    """Nodes along edges with the given stops; conics of a kind are done at once, other curves one by one.
    simple_of : for which ranges between stops fewer nodes do."""
    groups: dict[type | None, list[int]] = {}
    for n, (_, coedge) in enumerate(uses):
        kind = type(coedge.edge.curve)
        groups.setdefault(kind if kind in _CONICS else None, []).append(n)
    simple = simple_of or [np.zeros(len(stops) - 1, dtype=bool) for stops in stops_of]
    made = [
        _one_by_one([uses[n] for n in rows], [stops_of[n] for n in rows], [simple[n] for n in rows])
        if kind is None
        else _conic_nodes([uses[n] for n in rows], [stops_of[n] for n in rows])
        for kind, rows in groups.items()
    ]
    points, steps, owners = (np.concatenate([nodes[k] for nodes in made]) for k in range(3))
    return points, steps, owners


_CONICS: Mapping[type, Sequence[Callable[[FloatArray], FloatArray]]] = {
    Ellipse: (np.cos, np.sin, lambda t: -np.sin(t), np.cos),
    Hyperbola: (np.cosh, np.sinh, np.sinh, np.cosh),
}
"""What a major and a minor axis are multiplied by, and its derivatives."""


def _conic_nodes(uses: Sequence[tuple[int, Coedge]], stops_of: Sequence[Sequence[float]]) -> _Nodes:
    conics: list[Any] = [coedge.edge.curve for _, coedge in uses]
    counts = np.array([len(stops) - 1 for stops in stops_of])
    which = np.repeat(np.arange(len(uses)), counts)
    low = np.array([t for stops in stops_of for t in stops[:-1]])
    half = 0.5 * (np.array([t for stops in stops_of for t in stops[1:]]) - low)
    t = low[:, None] + half[:, None] * (OUTER_NODES + 1.0)
    w = ((half * _signs(uses)[which])[:, None] * OUTER_WEIGHTS)[:, :, None]
    rows = np.array([(*c.frame.origin, *c.frame.x, *c.frame.y, c.major, c.minor) for c in conics])[which]
    x, y = rows[:, None, 3:6] * rows[:, None, 9:10], rows[:, None, 6:9] * rows[:, None, 10:11]
    a, b, da, db = (rule(t)[:, :, None] for rule in _CONICS[type(conics[0])])
    points, steps = rows[:, None, 0:3] + a * x + b * y, w * (da * x + db * y)
    return points.reshape(-1, 3), steps.reshape(-1, 3), _owners(uses, counts * len(OUTER_NODES))


def _one_by_one(
    uses: Sequence[tuple[int, Coedge]],
    stops_of: Sequence[Sequence[float]],
    simple_of: Sequence[NDArray[np.bool_]],
) -> _Nodes:
    points, steps, counts = [], [], []
    for (_, coedge), row, simple in zip(uses, stops_of, simple_of, strict=True):
        edge, stops = coedge.edge, np.array(row)
        half = 0.5 * np.diff(stops)[:, None] if coedge.forward else -0.5 * np.diff(stops)[:, None]
        start = stops[:-1, None] if coedge.forward else stops[1:, None]
        rules = ((~simple, OUTER_NODES, OUTER_WEIGHTS), (simple, *_FEW))
        t = np.concatenate([(start[k] + half[k] * (nodes + 1.0)).ravel() for k, nodes, _ in rules])
        w = np.concatenate([(half[k] * weights).ravel() for k, _, weights in rules])
        points.append(edge.curve.points(t))
        steps.append(edge.curve.derivatives(t) * w[:, None])
        counts.append(len(t))
    return np.concatenate(points), np.concatenate(steps), _owners(uses, np.array(counts))


def _closing_nodes(faces: Sequence[Face], members: Sequence[int]) -> _Nodes:
    """Steps across the gaps, within the tolerance, that fitted curves leave at their ends. Small as they are,
    a strip below one can be long."""
    points, steps, owners = [np.zeros((0, 3))], [np.zeros((0, 3))], []
    for i in members:
        for loop in faces[i].loops:
            ends = [_ends(coedge) for coedge in loop.coedges] if _is_fitted(loop) else []
            for (_, here), (there, _) in zip(ends, ends[1:] + ends[:1], strict=True):
                points.append(0.5 * (here + there)[None])
                steps.append((there - here)[None])
                owners.append(i)
    return np.concatenate(points), np.concatenate(steps), np.array(owners, dtype=np.intp)


def _is_fitted(loop: Loop) -> bool:
    return any(type(coedge.edge.curve) not in _EDGES_IN_BATCHES for coedge in loop.coedges)


def _ends(coedge: Coedge) -> tuple[FloatArray, FloatArray]:
    edge = coedge.edge
    first, last = np.array(edge.curve.point(edge.t0)), np.array(edge.curve.point(edge.t1))
    return (first, last) if coedge.forward else (last, first)


def _signs(uses: Sequence[tuple[int, Coedge]]) -> FloatArray:
    return np.array([1.0 if coedge.forward else -1.0 for _, coedge in uses])


def _owners(uses: Sequence[tuple[int, Coedge]], counts: NDArray[np.intp]) -> FloatArray:
    return np.repeat(np.array([i for i, _ in uses]), counts)


_Rule = Callable[[Sequence[Face], IntArray, FloatArray, FloatArray, FloatArray], FaceQuadrature]


def _frames(
    faces: Sequence[Face], face: IntArray, reference: FloatArray
) -> tuple[FloatArray, FloatArray, FloatArray, FloatArray, FloatArray]:
    """Frame origin, x, y, normal, each (M, 3), and the outward sign (M,), of the face of each node."""
    table = {i: _frame_row(faces[i].surface, faces[i].outward) for i in set(face.tolist())}
    index = {i: k for k, i in enumerate(table)}
    rows = np.array(list(table.values()))[np.array([index[i] for i in face.tolist()])]
    return rows[:, 0:3] - reference, rows[:, 3:6], rows[:, 6:9], rows[:, 9:12], rows[:, 12]


def _frame_row(surface: Any, outward: bool) -> list[float]:
    f = surface.frame
    return [*f.origin, *f.x, *f.y, *f.normal, 1.0 if outward else -1.0]


def _inner(v: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Nodes (M, K) and weights (M, K) of the inner integral from 0 to v."""
    return _between(np.zeros_like(v), v)


def _between(low: FloatArray, v: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Nodes (M, K) and weights (M, K) of the inner integral from `low` to v."""
    half = 0.5 * (v - low)[:, None]
    return low[:, None] + half * (INNER_NODES + 1.0), half * INNER_WEIGHTS


def _rows(a: FloatArray, b: FloatArray) -> FloatArray:
    return np.einsum("ij,ij->i", a, b)


def _plane_strip(
    faces: Sequence[Face], face: IntArray, p: FloatArray, dp: FloatArray, reference: FloatArray
) -> FaceQuadrature:
    origin, x, y, normal, sign = _frames(faces, face, reference)
    d = p - origin
    v = _rows(d, y)
    nodes, weights = _inner(v)
    base = p - v[:, None] * y
    points = base[:, None, :] + nodes[:, :, None] * y[:, None, :]
    # Green: the region counts positive when its loops run counter-clockwise about the outward normal
    du = -_rows(dp, x) * sign
    return FaceQuadrature(points, (normal * sign[:, None])[:, None], weights * du[:, None], face)


def _cylinder_strip(
    faces: Sequence[Face], face: IntArray, p: FloatArray, dp: FloatArray, reference: FloatArray
) -> FaceQuadrature:
    origin, _, _, axis, sign = _frames(faces, face, reference)
    d = p - origin
    v = _rows(d, axis)
    radial = d - v[:, None] * axis
    radial /= np.sqrt(_rows(radial, radial))[:, None]
    around = np.cross(axis, radial)
    nodes, weights = _inner(v)
    base = p - v[:, None] * axis
    points = base[:, None, :] + nodes[:, :, None] * axis[:, None, :]
    arc = -_rows(dp, around) * sign  # radius times du
    return FaceQuadrature(points, (radial * sign[:, None])[:, None], weights * arc[:, None], face)


def _extruded_strip(
    faces: Sequence[Face], face: IntArray, p: FloatArray, dp: FloatArray, reference: FloatArray
) -> FaceQuadrature:
    """A surface ruled along one direction needs no parameters: the strip below a boundary step is
    the step, less what it climbs, times the height."""
    origin, _, _, axis, sign = _frames(faces, face, reference)
    v = _rows(p - origin, axis)
    nodes, weights = _inner(v)
    base = p - v[:, None] * axis
    points = base[:, None, :] + nodes[:, :, None] * axis[:, None, :]
    area = np.cross(axis, dp)  # the outward area of the strip per unit of height, whichever way it counts
    size = np.sqrt(_rows(area, area))
    upward = np.empty_like(area)
    for i in set(face.tolist()):
        here = face == i
        upward[here] = faces[i].surface.normals(p[here] + reference)
    counts = np.sign(_rows(area, upward) * sign)
    normals = area / np.maximum(size, NOWHERE)[:, None] * counts[:, None]
    return FaceQuadrature(points, normals[:, None], weights * (counts * size)[:, None], face)


def _cone_strip(
    faces: Sequence[Face], face: IntArray, p: FloatArray, dp: FloatArray, reference: FloatArray
) -> FaceQuadrature:
    """Strips along the straight lines of the cone, from the apex where the face goes round it or comes near
    it: there the angle of its edges leaps, which a strip of no length does not feel."""
    origin, _, _, axis, sign = _frames(faces, face, reference)
    angle = np.array([getattr(f.surface, "half_angle", 0.0) for f in faces])[face]
    d = p - origin
    v = _rows(d, axis)
    radial = d - v[:, None] * axis
    reach = np.sqrt(_rows(radial, radial))
    radial /= np.maximum(reach, NOWHERE)[:, None]
    around = np.cross(axis, radial)
    du = -_rows(dp, around) / np.maximum(reach, NOWHERE) * sign
    low, high = np.full(len(faces), np.inf), np.zeros(len(faces))
    np.minimum.at(low, face, v)
    np.maximum.at(high, face, v)
    bases = np.where((low < NEAR_APEX * high)[face], 0.0, level_bases(face, du, v, 0.0))
    nodes, weights = _between(bases, v)
    steep, c, s = np.tan(angle), np.cos(angle), np.sin(angle)
    line = radial * steep[:, None] + axis
    points = origin[:, None, :] + nodes[:, :, None] * line[:, None, :]
    area = weights * nodes * (steep / c * du)[:, None]
    normals = (c[:, None] * radial - s[:, None] * axis) * sign[:, None]
    return FaceQuadrature(points, normals[:, None], area, face)


def _general_strip(
    faces: Sequence[Face], face: IntArray, p: FloatArray, dp: FloatArray, reference: FloatArray
) -> FaceQuadrature:
    """Strips along v of any surface: from a pole that the face goes round, else from its least v, or
    from nought. The inner integral is done piece by piece where the surface is smooth piece by piece."""
    empty = np.zeros((0, len(NODES), 3))
    made = [FaceQuadrature(empty, empty, np.zeros((0, len(NODES))), np.zeros(0, dtype=np.intp))]
    for i in dict.fromkeys(face.tolist()):
        here = face == i
        surface, sign = faces[i].surface, 1.0 if faces[i].outward else -1.0
        uv = surface.parameters(p[here] + reference)
        along = surface.slides(uv)
        du = _rows(dp[here], along) / np.maximum(_rows(along, along), NOWHERE)
        nodes, scales = _SHORT if len(surface.smooth_breaks()[1]) else (NODES, WEIGHTS)
        for low, high in _pieces_across(surface, uv[:, 1], du):
            counts = (high != low) & (np.abs(du) > NO_STEP * np.abs(du).max())
            half = 0.5 * (high - low)[counts, None]
            places, inner = low[counts, None] + half * (nodes + 1.0), half * scales
            rows = np.column_stack([np.repeat(uv[counts, 0], len(nodes)), places.ravel()])
            places_3d, ways, sizes = surface.elements(rows)
            shape = (len(half), len(nodes), 3)
            points = (places_3d - reference).reshape(shape)
            weights = -inner * sizes.reshape(shape[:2]) * (du[counts] * sign)[:, None]
            normals, owner = sign * ways.reshape(shape), np.full(len(points), i)
            made.append(FaceQuadrature(_filled(points), _filled(normals), _filled(weights), owner))
    return joined(made)


def _filled(part: FloatArray) -> FloatArray:
    """As many inner nodes as all strips have, those that are more without weight."""
    room = len(NODES) - part.shape[1]
    return np.pad(part, [(0, 0), (0, room), *[(0, 0)] * (part.ndim - 2)]) if room else part


def _pieces_across(
    surface: Surface, v: FloatArray, du: FloatArray
) -> Iterator[tuple[FloatArray, FloatArray]]:
    """Ranges of v, (N,) each, that together run from where strips begin to `v`; no break lies inside one."""
    low, high = surface.domain[1]
    breaks, tips = np.array(surface.smooth_breaks()[1]), surface.singular_points
    if not tips and not len(breaks):
        yield np.full_like(v, min(max(0.0, low), high)), v
        return
    base = low
    if tips and abs(float(du.sum())) > ROUND_IT * (surface.domain[0][1] - surface.domain[0][0]):
        ends = surface.points(np.array([[surface.domain[0][0], low], [surface.domain[0][0], high]]))
        base = (low, high)[min((0, 1), key=lambda k: math.dist(ends[k], tips[0].point))]
    stops = np.array([-np.inf, *breaks, np.inf])
    for a, b in pairwise(stops):
        start, end = np.clip(base, a, b), np.clip(v, a, b)
        if (end != start).any():
            yield np.full_like(v, start), end


_IN_BATCHES: dict[type, _Rule] = {
    PlaneSurface: _plane_strip,
    CylinderSurface: _cylinder_strip,
    ExtrudedSurface: _extruded_strip,
    ConeSurface: _cone_strip,
    SphereSurface: closed_strip,
    TorusSurface: closed_strip,
}
"""Kinds of which all faces are done at once, and how; all others by the general rule, one by one."""

_MakeNodes = Callable[[Sequence[tuple[int, Coedge]]], _Nodes]
_EDGES_IN_BATCHES: dict[type, _MakeNodes] = {Line: _line_nodes, Circle: _circle_nodes}


def _volume_moments(strip: FaceQuadrature, count: int) -> FloatArray:
    """(V, x, y, z, xx, yy, zz, xy, yz, zx) integrals about the reference, by face, shape (count, 10)."""
    p, n, w = strip.points, strip.normals, strip.weights
    x, y, z = p[:, :, 0], p[:, :, 1], p[:, :, 2]
    wx, wy, wz = w * n[:, :, 0], w * n[:, :, 1], w * n[:, :, 2]
    terms = (
        (x * wx + y * wy + z * wz) / 3.0,
        x * x * wx / 2.0,
        y * y * wy / 2.0,
        z * z * wz / 2.0,
        x * x * x * wx / 3.0,
        y * y * y * wy / 3.0,
        z * z * z * wz / 3.0,
        x * x * y * wx / 2.0,
        y * y * z * wy / 2.0,
        z * z * x * wz / 2.0,
    )
    return np.column_stack([np.bincount(strip.face, term.sum(axis=1), count) for term in terms])


def _from_moments(m: FloatArray, face_areas: FloatArray, reference: FloatArray) -> MassProperties:
    volume = float(m[0])
    center = m[1:4] / volume if volume else np.zeros(3)
    xx, yy, zz = m[4:7] - volume * center * center
    xy = m[7] - volume * center[0] * center[1]
    yz = m[8] - volume * center[1] * center[2]
    zx = m[9] - volume * center[2] * center[0]
    inertia = np.array([[yy + zz, -xy, -zx], [-xy, zz + xx, -yz], [-zx, -yz, xx + yy]])
    x, y, z = (float(c) for c in reference + center)
    return MassProperties(volume, float(face_areas.sum()), (x, y, z), inertia, face_areas)
