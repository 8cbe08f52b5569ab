"""Has a pass of rounds or bevels left every face sound? What the validity checks of a body do not look at.

Loops of rewritten faces may cross, and new faces may run into others that are not their neighbours.
"""

from __future__ import annotations

from collections.abc import Container, Iterable, Iterator, Sequence
from itertools import combinations

import numpy as np
import shapely

from ...geometry.curve_surface import curve_surface_intersections
from ...geometry.intersections import SAME, intersection
from ...geometry.placement import FloatArray
from ...geometry.tolerance import RESOLUTION
from ...geometry.vector import Vec3, dot, negated, sub
from ...topology.boxes import outer_box, overlapping
from ...topology.brep import Coedge, Edge, Face, Loop, Lump, Vertex
from ...topology.round_trim import RoundLoops, has_round_loops
from ...topology.trim import INSIDE, region_of
from .strips import Strip, TooLargeError

PER_EDGE, FINE = 65, 513
NEAR_END = 3.0
"""Within so many of the longest chords of a common end two edges may be as near as they like."""

FEW_EDGES = 12
"""Of so many edges all pairs are looked at."""

SHORT_ARC = 3.0
"""Radians, less than half a turn."""

PARTING = 1e-3
"""The least component of a unit tangent away from a plane between two edges."""

LEVEL = 1e-9
MUCH_LONGER = 8.0
"""Times as long as another, an edge is looked at in part."""

CORNERS = 3
"""A ring of fewer points bounds nothing."""

BACK = -1.0 + 1e-12
"""A ring goes back along itself if the cosine between two of its ways is less."""

SHORTEST = 20.0 * RESOLUTION
REFINED = 20
ALONG = 1e-3

Span = tuple[float, float]
"""A part of an edge, by its parameters."""


def refuse_short_edges(faces: Iterable[Face], known: Container[Edge]) -> None:
    """Raise TooLargeError for an edge that is not one of those known and so short that other programs take it
    for none."""
    for face in faces:
        if any(c.edge.length < SHORTEST for c in face.coedges() if c.edge not in known):
            raise TooLargeError("an edge has hardly any length left", face)


def refuse_crossing_loops(faces: Iterable[Face], closed_strips: Container[Face] = ()) -> None:
    """Raise TooLargeError for a face whose edges cross or touch but at common ends, or whose loops have gone
    past each other, as those of the strips of closed edges never do."""
    curved = []
    for face in faces:
        if face.surface.plane is not None:
            _refuse_bad_polygon(face)
            continue
        several = len(face.loops) > 1 and face not in closed_strips
        if several and region_of(face).stray_loop() is not None:
            raise TooLargeError("the edges of a face would pass each other", face)
        curved.append(face)
    _refuse_meeting_edges(curved)


def rings_of(face: Face) -> list[FloatArray]:
    """The loops of a plane face as polygons in its parameters, (N, 2) each."""
    return [
        face.surface.parameters(
            np.concatenate([_points(c.edge)[:: 1 if c.forward else -1][:-1] for c in ring])
        )
        for loop in face.loops
        for ring in _simple_rings(loop)
    ]


def area_of(rings: Sequence[FloatArray]) -> tuple[shapely.Polygon, int]:
    """What lies within the largest of some rings and outside of the others, and the number of that ring."""
    shapes = [shapely.Polygon(ring) for ring in rings]
    outer = max(range(len(shapes)), key=lambda k: shapes[k].area)
    return shapely.Polygon(rings[outer], [ring for k, ring in enumerate(rings) if k != outer]), outer


def _refuse_bad_polygon(face: Face) -> None:
    if has_round_loops(face) and RoundLoops(face).is_disc():
        return
    rings = rings_of(face)
    if (
        not rings
        or min(map(len, rings)) < CORNERS
        or any(goes_back(np.concatenate([ring, ring[:2]]), BACK) for ring in rings)
    ):
        raise TooLargeError("the edges of a face would cross", face)
    whole, outer = area_of(rings)
    sign = 1.0 if face.outward else -1.0
    turned = [sign * _area(ring) > 0.0 for ring in rings]
    if not whole.is_valid or not turned[outer] or sum(turned) != 1:
        raise TooLargeError("the edges of a face would cross", face)


def _simple_rings(loop: Loop) -> list[list[Coedge]]:
    """A loop in parts that pass no vertex twice, as it does where a corner stands on an edge; without edges
    that lie between two of these alone."""
    rings: list[list[Coedge]] = []
    path: list[Coedge] = []
    begins: dict[Vertex | None, int] = {}
    for coedge in loop.coedges:
        begins[coedge.start] = len(path)
        path.append(coedge)
        if coedge.end in begins:
            ring = path[begins[coedge.end] :]
            if len(ring) != 2 or ring[0].edge is not ring[1].edge:
                rings.append(ring)
            del path[begins[coedge.end] :]
            for passed in ring:
                del begins[passed.start]
    return [*rings, path] if path else rings


def goes_back(points: FloatArray, least: float) -> bool:
    """Whether a line through points, (N, 2), goes back along itself, which rounding may hide from other
    tests: where the cosine between two of its ways is less than that."""
    ways = np.diff(points, axis=0)
    sizes = np.linalg.norm(ways, axis=1)
    ways = ways[sizes > RESOLUTION] / sizes[sizes > RESOLUTION, None]
    return bool(((ways[1:] * ways[:-1]).sum(axis=1) < least).any())


def _area(ring: FloatArray) -> float:
    x, y = ring.T
    return 0.5 * float(x @ np.roll(y, -1) - np.roll(x, -1) @ y)


def _points(edge: Edge) -> FloatArray:
    count = {"line": 2, "circle": PER_EDGE}.get(edge.curve.kind, FINE)
    return edge.curve.points(np.linspace(edge.t0, edge.t1, count))


def _refuse_meeting_edges(faces: Sequence[Face]) -> None:
    borders = [list(dict.fromkeys(c.edge for c in face.coedges())) for face in faces]
    for number, one, two in _near_pairs(borders):
        if _meet(one, two):
            raise TooLargeError("the edges of a face would cross", faces[number])


def _near_pairs(borders: Sequence[Sequence[Edge]]) -> Iterator[tuple[int, Edge, Edge]]:
    """Pairs of edges of one border, by its number, whose boxes have more in common than what is near a common
    end."""
    pairs: list[tuple[int, Edge, Edge]] = []
    for number, edges in enumerate(borders):
        if len(edges) <= FEW_EDGES:
            pairs += [(number, one, two) for one, two in combinations(edges, 2)]
        else:
            boxes = np.array([edge.bounds for edge in edges])
            pairs += [(number, edges[i], edges[j]) for i, j in overlapping(boxes, boxes) if i < j]
    if not pairs:
        return
    ones, twos = np.array([(one.bounds, two.bounds) for _, one, two in pairs]).transpose(1, 0, 2, 3)
    common = np.minimum(ones[:, 1], twos[:, 1]) - np.maximum(ones[:, 0], twos[:, 0])
    sizes = [np.linalg.norm(boxes[:, 1] - boxes[:, 0], axis=1) for boxes in (ones, twos)]
    near = (common >= -2.0 * RESOLUTION).all(axis=1)
    small = common.max(axis=1) < NEAR_END / PER_EDGE * np.minimum(*sizes)
    for k in np.flatnonzero(near).tolist():
        number, one, two = pairs[k]
        if not (small[k] and _have_an_end_in_common(one, two)):
            yield number, one, two


def _have_an_end_in_common(one: Edge, two: Edge) -> bool:
    return one.start is not None and not {one.start, one.end}.isdisjoint((two.start, two.end))


def _meet(one: Edge, two: Edge) -> bool:
    """Whether two edges come together elsewhere than at common ends."""
    if _part_for_good(one, two):
        return False
    spans = _spans_beside(one, two), _spans_beside(two, one)
    return any(_meet_within(one, a, two, b) for a in spans[0] for b in spans[1])


def _part_for_good(one: Edge, two: Edge) -> bool:
    """Whether lines or arcs of less than half a turn leave their only common end on two sides of a plane, and
    never turn back to it: a component of a tangent of such an arc has no zero between ends of one sign. The
    other end may run level with the plane."""
    if not all(edge.curve.kind == "line" or _is_short_arc(edge) for edge in (one, two)):
        return False
    common = {one.start, one.end} & {two.start, two.end} - {None}
    if len(common) != 1 or one.start is one.end or two.start is two.end:
        return False
    corner = common.pop()
    first, second = (_ways_from(edge, corner) for edge in (one, two))
    across = sub(first[0], second[0])
    (leaves, goes_on), (parts, stays) = ([dot(way, across) for way in ways] for ways in (first, second))
    return leaves > PARTING and parts < -PARTING and goes_on > -LEVEL and stays < LEVEL


def _is_short_arc(edge: Edge) -> bool:
    return edge.curve.kind == "circle" and edge.t1 - edge.t0 < SHORT_ARC


def _ways_from(edge: Edge, corner: Vertex | None) -> list[Vec3]:
    """Unit tangents at both ends of an edge, that leads away from one of them; that one first."""
    ways = [edge.curve.tangent(t) for t in (edge.t0, edge.t1)]
    return ways if edge.start is corner else [negated(way) for way in reversed(ways)]


def _spans_beside(edge: Edge, other: Edge) -> list[Span]:
    """The parts of an edge, by their parameters, near a much shorter one: samples of all of it would lie too
    far apart. Else the whole."""
    spans = [(edge.t0, edge.t1)]
    low, high = other.bounds
    while spans and edge.curve.length(*spans[0]) > MUCH_LONGER * other.length:
        found = []
        for span in spans:
            t = np.linspace(*span, PER_EDGE)
            points = edge.curve.points(t)
            reach = float(np.linalg.norm(np.diff(points, axis=0), axis=1).max())
            near = ((points >= low - reach) & (points <= high + reach)).all(axis=1)
            starts = np.maximum(np.flatnonzero(near & ~np.append(False, near[:-1])) - 1, 0)
            stops = np.minimum(np.flatnonzero(near & ~np.append(near[1:], False)) + 1, PER_EDGE - 1)
            found += list(zip(t[starts].tolist(), t[stops].tolist(), strict=True))
        if found == spans:
            break
        spans = found
    return spans


def _meet_within(one: Edge, a: Span, two: Edge, b: Span) -> bool:
    """As `_meet`, for parts of the edges."""
    s, t = np.linspace(*a, PER_EDGE), np.linspace(*b, PER_EDGE)
    p, q = one.curve.points(s), two.curve.points(t)
    reach = max(float(np.linalg.norm(np.diff(x, axis=0), axis=1).max()) for x in (p, q))
    from scipy.spatial import cKDTree

    gaps, nearest = (np.asarray(found) for found in cKDTree(q).query(p, distance_upper_bound=reach))
    near = gaps < reach
    ends = [np.array(v.point) for v in {one.start, one.end} & {two.start, two.end} if v is not None]
    for end in ends:
        near &= np.linalg.norm(p - end, axis=1) > NEAR_END * reach
    lowest = near & (gaps <= np.append(gaps[1:], np.inf)) & (gaps <= np.append(np.inf, gaps[:-1]))
    for k in np.flatnonzero(lowest).tolist():
        gap, place = _nearest(one, two, float(s[k]), float(t[nearest[k]]))
        if gap <= RESOLUTION and all(np.linalg.norm(place - end) > NEAR_END * reach for end in ends):
            return True
    return False


def _nearest(one: Edge, two: Edge, s: float, t: float) -> tuple[float, FloatArray]:
    """The least distance of two edges near some parameters, and where on the first, by Gauss-Newton."""
    for _ in range(REFINED):
        gap = one.curve.points(np.array([s]))[0] - two.curve.points(np.array([t]))[0]
        slopes = np.column_stack(
            [one.curve.derivatives(np.array([s]))[0], -two.curve.derivatives(np.array([t]))[0]]
        )
        step = np.linalg.lstsq(slopes, -gap, rcond=1e-9)[0]
        s = min(max(s + float(step[0]), one.t0), one.t1)
        t = min(max(t + float(step[1]), two.t0), two.t1)
    place = one.curve.points(np.array([s]))[0]
    return float(np.linalg.norm(place - two.curve.points(np.array([t]))[0])), place


def refuse_collisions(lumps: Sequence[Lump], new: Sequence[tuple[Face, Strip | None]]) -> None:
    """Raise TooLargeError where a new face, with the strip that it was made from, meets a face that is not
    its neighbour."""
    lump_of = {f: lump for lump in lumps for shell in lump.shells for f in shell.faces}
    faces = list(lump_of)
    box_of = {face: _box(face, strip) for face, strip in new}
    mine = np.array(list(box_of.values()))
    box_of |= {face: outer_box(face) for face in faces if face not in box_of}
    ends = {face: _ends_of(face) for face in faces}
    known: dict[Face, tuple[list[Edge], FloatArray]] = {}

    def border(face: Face) -> tuple[list[Edge], FloatArray]:
        """The edges of a face, and their boxes, (N, 2, 3)."""
        if face not in known:
            edges = [coedge.edge for coedge in face.coedges()]
            known[face] = edges, np.array([edge.bounds for edge in edges]).reshape(-1, 2, 3)
        return known[face]

    for i, j in overlapping(mine, np.array([box_of[face] for face in faces])):
        one, two = new[i][0], faces[j]
        if one is two or not ends[one].isdisjoint(ends[two]):
            continue
        touching = lump_of[one] is not lump_of[two]  # separate lumps may touch
        if any(
            _hits(face, _near_edges(*border(face), box), other, touching)
            for face, other, box in ((one, two, box_of[two]), (two, one, mine[i]))
        ):
            raise TooLargeError("the new face runs into another face", two)


def _box(face: Face, strip: Strip | None) -> FloatArray:
    """A strip lies between its contacts and the edge that it replaces."""
    if strip is None:
        return outer_box(face)
    table = np.concatenate([*(c.edge.bounds for c in face.coedges()), strip.edge.bounds])
    return np.array([table.min(axis=0), table.max(axis=0)])


def _ends_of(face: Face) -> set[Vertex | Edge | None]:
    """The vertices and closed edges of a face: its neighbours have some of them."""
    ends: set[Vertex | Edge | None] = set()
    for coedge in face.coedges():
        edge = coedge.edge
        ends |= {edge} if edge.is_closed else {edge.start, edge.end}
    return ends


def _near_edges(edges: Sequence[Edge], boxes: FloatArray, box: FloatArray) -> list[Edge]:
    """Those edges whose boxes, (N, 2, 3), come near a box."""
    near = ((boxes[:, 0] <= box[1] + RESOLUTION) & (boxes[:, 1] >= box[0] - RESOLUTION)).all(axis=1)
    return [edges[k] for k in np.flatnonzero(near).tolist()]


def _hits(one: Face, edges: Sequence[Edge], two: Face, touching: bool) -> bool:
    """Whether one of some edges of a face passes through another face, or only touches it, unless they may.
    On one surface they never may."""
    touching = touching and bool(edges) and intersection(one.surface, two.surface) is not SAME
    for edge in edges:
        found = curve_surface_intersections(edge.curve, edge.t0, edge.t1, edge.is_closed, two.surface)
        if found is None and not touching and _crosses_border(edge, two):
            return True
        spots = [0.5 * (edge.t0 + edge.t1)] if found is None else found
        if touching:
            spots = [] if found is None else [t for t in found if not _touches(edge, t, two)]
        if spots and _any_inside(two, edge.curve.points(np.array(spots))):
            return True
    return False


def _any_inside(face: Face, points: FloatArray) -> bool:
    """Whether any of some points of its surface lies in a face."""
    low, high = outer_box(face)
    near = points[((points > low - RESOLUTION) & (points < high + RESOLUTION)).all(axis=1)]
    return bool(len(near) and (region_of(face).states(near) == INSIDE).any())


def _crosses_border(edge: Edge, face: Face) -> bool:
    """Whether an edge on the surface of a face crosses its border."""
    others = list(dict.fromkeys(c.edge for c in face.coedges()))
    boxes = np.array([edge.bounds, *(other.bounds for other in others)])
    return any(_meet(edge, others[k]) for _, k in overlapping(boxes[:1], boxes[1:]))


def _touches(edge: Edge, t: float, face: Face) -> bool:
    """Whether an edge runs along a face where it meets it."""
    return abs(dot(edge.curve.tangent(t), face.outward_normal(edge.curve.point(t)))) <= ALONG
