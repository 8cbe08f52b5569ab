"""Nodes along the edges of faces, and the steps there: what integrals over faces are reduced to. Edges of one
kind are done at once."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.polynomial.legendre import leggauss
from numpy.typing import NDArray

from ..geometry.curves import Circle, Line
from ..geometry.many_curves import points_along
from ..geometry.placement import FloatArray, IntArray
from ..geometry.search import closed_in
from ..geometry.surface import Surface
from ..geometry.tolerance import NOWHERE, RESOLUTION
from ..geometry.vector import cross, norm
from .brep import Coedge, Edge, Face, Loop
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

AT_BREAK = 1e-8
"""Samples so near to a break of their surface, as a share of all its breaks, are on it."""

MANY_STOPS, LITTLE, SAME_STOP = 12, 0.1, 1e-7
"""Of an edge with so many stops those ranges, in whose halves it and its surface turn less than that
(radians), take few nodes; stops nearer than that share of it are one."""

NEAR_TIP = 0.25
"""An edge that comes so near to a tip, as a share of its length, is divided there."""

_FEW = leggauss(8)


class Use(NamedTuple):
    """An edge as a border of a face."""

    face: Face
    coedge: Coedge


@dataclass(frozen=True, slots=True)
class BorderNodes:
    """Places on the edges of faces, from a reference, and the weighted steps along them, (M, 3) each;
    of each the number of its face, and that of its use in `uses`, (M,)."""

    points: FloatArray
    steps: FloatArray
    face: IntArray
    use: IntArray
    uses: Sequence[Use]

    def of_faces(self, numbers: Sequence[int]) -> BorderNodes:
        """Those on the edges of some faces."""
        here = np.isin(self.face, numbers)
        return BorderNodes(self.points[here], self.steps[here], self.face[here], self.use[here], self.uses)


def border_nodes(
    faces: Sequence[Face], members: Sequence[int], reference: FloatArray, along_curves: bool
) -> BorderNodes:
    """Nodes along all edges of some faces. along_curves : what is integrated is not known to be as simple as
    planes and quadrics make it."""
    uses = [Use(faces[i], coedge) for i in members for coedge in faces[i].coedges()]
    owner = np.array([i for i in members for _ in faces[i].coedges()], dtype=np.intp)
    groups: dict[_MakeNodes, list[int]] = {}
    for k, use in enumerate(uses):
        make = _EDGES_IN_BATCHES.get(type(use.coedge.edge.curve), _broken_nodes)
        if make is _circle_nodes and use.coedge.edge.is_closed and _is_even(use):
            make = _ring_nodes if use.face.surface.plane is not None else _dense_ring_nodes
        groups.setdefault(_broken_nodes if along_curves else make, []).append(k)
    found = [_closing_nodes([faces[i] for i in members])]
    for make, numbers in groups.items():
        points, steps, local = make([uses[k] for k in numbers])
        found.append((points, steps, np.array(numbers, dtype=np.intp)[local]))
    points, steps, use_of = (np.concatenate([part[k] for part in found]) for k in range(3))
    return BorderNodes(points - reference, steps, owner[use_of], use_of, uses)


_Nodes = tuple[FloatArray, FloatArray, IntArray]
"""Points on edges (M, 3), the weighted steps along them (M, 3), and the number of each one's use (M,)."""

_NONE: _Nodes = np.zeros((0, 3)), np.zeros((0, 3)), np.zeros(0, dtype=np.intp)


def _line_nodes(uses: Sequence[Use]) -> _Nodes:
    """Straight edges. What is integrated along them is polynomial, of degree 4 at most."""
    stops = [(coedge.edge.t0, coedge.edge.t1) for _, coedge in uses]
    return _gauss_nodes(uses, stops, (INNER_NODES, INNER_WEIGHTS))


def _circle_nodes(uses: Sequence[Use]) -> _Nodes:
    """Circular edges, a quarter turn or less at a time."""
    return _gauss_nodes(uses, [c.edge.curve.parts(c.edge.t0, c.edge.t1) for _, c in uses])


def _gauss_nodes(
    uses: Sequence[Use],
    stops_of: Sequence[Sequence[float]],
    rule: tuple[FloatArray, FloatArray] = (OUTER_NODES, OUTER_WEIGHTS),
) -> _Nodes:
    """Edges between stops by a rule of nodes and weights, all at once."""
    nodes, weights = rule
    counts = np.array([len(stops) - 1 for stops in stops_of])
    which = np.repeat(np.arange(len(uses)), counts)
    low = np.array([t for stops in stops_of for t in stops[:-1]])
    half = 0.5 * (np.array([t for stops in stops_of for t in stops[1:]]) - low)
    curves = [uses[k].coedge.edge.curve for k in which.tolist()]
    points, ways = points_along(curves, low[:, None] + half[:, None] * (nodes + 1.0))
    steps = ((half * _signs(uses)[which])[:, None] * weights)[:, :, None] * ways
    return points.reshape(-1, 3), steps.reshape(-1, 3), _each(counts * len(nodes))


def _is_even(use: Use) -> bool:
    """Whether what is integrated along a whole circle is a trigonometric polynomial of a degree less than
    `FEW_ROUND`: where its face is a plane, or is turned about the axis of the circle."""
    surface, circle = use.face.surface, use.coedge.edge.curve
    if surface.plane is not None or surface.level_axis is not None:
        return True
    axis = surface.meridian.axis if surface.meridian else None
    return axis is not None and isinstance(circle, Circle) and norm(cross(axis, circle.frame.normal)) <= LEVEL


def _ring_nodes(uses: Sequence[Use], count: int = FEW_ROUND) -> _Nodes:
    """Whole circles at once, at places evenly all round: exact for trigonometric polynomials of a degree less
    than the count."""
    t = np.tile(np.linspace(0.0, math.tau, count, endpoint=False), (len(uses), 1))
    points, ways = points_along([coedge.edge.curve for _, coedge in uses], t)
    steps = (_signs(uses) * math.tau / count)[:, None, None] * ways
    return points.reshape(-1, 3), steps.reshape(-1, 3), _each(np.full(len(uses), count))


def _dense_ring_nodes(uses: Sequence[Use]) -> _Nodes:
    """As `_ring_nodes`, so close together that they leave no gap by which a ring could be cut open."""
    return _ring_nodes(uses, DENSE_ROUND)


def _broken_nodes(uses: Sequence[Use]) -> _Nodes:
    """Edges on other curves, and all those on surfaces that are smooth piece by piece: they are divided where
    they pass from one piece to the next, for what is integrated along them is not smooth there."""
    parts = [coedge.edge.curve.parts(coedge.edge.t0, coedge.edge.t1) for _, coedge in uses]
    members: dict[Face, list[int]] = {}
    for n, use in enumerate(uses):
        members.setdefault(use.face, []).append(n)
    stops: list[Sequence[float]] = [()] * len(uses)
    for face, numbers in members.items():
        edges = [uses[n].coedge.edge for n in numbers]
        crossed, fewest = _crossed_breaks(face.surface, edges, [parts[n] for n in numbers])
        for n, edge, found, least in zip(numbers, edges, crossed, fewest, strict=True):
            step = (edge.t1 - edge.t0) / least
            even = [*(edge.t0 + k * step for k in range(least)), edge.t1]
            stops[n] = even if len(parts[n]) <= least else parts[n]
            found = np.concatenate([found, _towards_tips(face.surface, edge)])
            if len(found):
                stops[n] = _merged(np.array(stops[n]), found)
    return _stepped(
        uses,
        stops,
        [_turn_little(face.surface, c.edge, row) for (face, c), row in zip(uses, stops, strict=True)],
    )


def _towards_tips(surface: Surface, edge: Edge) -> FloatArray:
    """Parameters closer and closer to where an edge comes near a tip of its surface, for there the angle
    about that changes within about as far as the tip is away; and where it passes one."""
    if surface.meridian is not None:  # balls, cones and rings look after theirs
        return np.zeros(0)
    found = []
    for tip in surface.singular_points:
        at = edge.curve.nearest_between(tip.point, edge.t0, edge.t1)
        away = math.dist(edge.curve.point(at), tip.point)
        speed = max(float(np.linalg.norm(edge.curve.derivatives(np.array([at]))[0])), NOWHERE)
        reach = (edge.t1 - edge.t0) * speed
        if away < NEAR_TIP * reach:
            steps = 2.0 ** np.arange(math.ceil(math.log2(reach / max(away, SAME_STOP * reach))))
            steps = steps * away / speed if away > RESOLUTION else np.zeros(0)
            found += [at, *(at - steps).tolist(), *(at + steps).tolist()]
    t = np.array(found)
    room = SAME_STOP * (edge.t1 - edge.t0)
    return t[(t > edge.t0 + room) & (t < edge.t1 - room)]


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
    is_broken = any(len(breaks) for breaks in surface.joints())
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
               for i, breaks in enumerate(surface.joints())
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
    for k, breaks in enumerate(surface.joints()):
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
    off = np.abs(np.stack([values[rows], values[rows + 1]]) - breaks[which])
    found = np.where(off[0] < off[1], t[rows], t[rows + 1])
    todo = off.min(axis=0) > AT_BREAK * (breaks[-1] - breaks[0] + 1.0)  # the others are there to rounding
    rows = rows[todo]
    level, middle = breaks[which[todo]], 0.5 * (values[rows] + values[rows + 1])

    def past(s: FloatArray) -> FloatArray:
        here = surface.parameters(edge.curve.points(s))[:, k]
        if period:
            here = here - period * np.round((here - middle) / period)
        return np.asarray(here - level)

    found[todo] = closed_in(past, t[rows], t[rows + 1])
    return found


def _stepped(
    uses: Sequence[Use],
    stops_of: Sequence[Sequence[float]],
    simple_of: Sequence[NDArray[np.bool_]],
) -> _Nodes:
    """Nodes along edges with the given stops; those of a form at once, other curves one by one.
    simple_of : for which ranges between stops fewer nodes do."""
    has_form = [coedge.edge.curve.form is not None for _, coedge in uses]
    made = [_NONE]
    for numbers in ([n for n, known in enumerate(has_form) if known is wanted] for wanted in (True, False)):
        if not numbers:
            continue
        some, stops = [uses[n] for n in numbers], [stops_of[n] for n in numbers]
        points, steps, local = (
            _gauss_nodes(some, stops)
            if has_form[numbers[0]]
            else _one_by_one(some, stops, [simple_of[n] for n in numbers])
        )
        made.append((points, steps, np.array(numbers, dtype=np.intp)[local]))
    points, steps, owners = (np.concatenate([nodes[k] for nodes in made]) for k in range(3))
    return points, steps, owners


def _one_by_one(
    uses: Sequence[Use],
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
    return np.concatenate(points), np.concatenate(steps), _each(np.array(counts))


def _closing_nodes(faces: Sequence[Face]) -> _Nodes:
    """Steps across the gaps, within the tolerance, that fitted curves leave at their ends. Small as they are,
    a strip below one can be long."""
    points, steps, uses, first = [np.zeros((0, 3))], [np.zeros((0, 3))], [], 0
    for loop in (loop for face in faces for loop in face.loops):
        ends = [_ends(coedge) for coedge in loop.coedges] if _is_fitted(loop) else []
        for k, ((_, here), (there, _)) in enumerate(zip(ends, ends[1:] + ends[:1], strict=True)):
            points.append(0.5 * (here + there)[None])
            steps.append((there - here)[None])
            uses.append(first + k)
        first += len(loop.coedges)
    return np.concatenate(points), np.concatenate(steps), np.array(uses, dtype=np.intp)


def _is_fitted(loop: Loop) -> bool:
    return any(type(coedge.edge.curve) not in _EDGES_IN_BATCHES for coedge in loop.coedges)


def _ends(coedge: Coedge) -> tuple[FloatArray, FloatArray]:
    edge = coedge.edge
    first, last = np.array(edge.curve.point(edge.t0)), np.array(edge.curve.point(edge.t1))
    return (first, last) if coedge.forward else (last, first)


def _signs(uses: Sequence[Use]) -> FloatArray:
    return np.array([1.0 if coedge.forward else -1.0 for _, coedge in uses])


def _each(counts: NDArray[np.intp]) -> IntArray:
    """The number of each use as often as it has nodes."""
    return np.repeat(np.arange(len(counts)), counts)


_MakeNodes = Callable[[Sequence[Use]], _Nodes]
_EDGES_IN_BATCHES: dict[type, _MakeNodes] = {Line: _line_nodes, Circle: _circle_nodes}
