"""Openings set into the walls of a body, from one face through to the next."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Protocol

import numpy as np
import shapely
from numpy.typing import NDArray

from ..errors import ModellingError
from ..geometry.curves import Line
from ..geometry.intersections import intersection
from ..geometry.placement import FloatArray, IntArray, Plane
from ..geometry.spline import FittedCurve, interpolated_fit, interpolated_fits
from ..geometry.surface import Surface
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec3, distance, dot, sub, unit, vec3
from ..sketch.pieces import LinePiece, Piece
from ..topology.body import Body
from ..topology.boxes import keep_boxes, outer_box, overlapping
from ..topology.brep import Coedge, Edge, Face, Loop, Lump, Shell, Vertex
from ..topology.names import side_names
from ..topology.trim import INSIDE, OUTSIDE, region_of
from .cells import Tiles
from .sections import Section

NODES = 65
"""Places on each piece of an outline through which its image is laid."""

NEAR = 1e-3 * RESOLUTION
ROOM = 1.5
"""A border so many times as far away as an outline reaches is clear of it."""

SHARES = np.linspace(0.0, 1.0, NODES)
FEW = SHARES[::4]
"""Places along pieces whose images have a closed form."""


class Outlines(Protocol):
    """Tiles with an outline in each, and their images on surfaces."""

    tiles: Tiles

    def outlines(self) -> list[list[Piece]]: ...

    def images(
        self, surface: Surface, middles: FloatArray, shares: FloatArray
    ) -> tuple[IntArray, FloatArray]: ...


def opened(body: Body, face: Face, cells: Outlines, step: str) -> Body:
    """The body with openings through the wall behind a face. Raises ModellingError where they do not keep
    clear of each other and of all else."""
    exits = _exits(body, face, cells.tiles)
    pieces = cells.outlines()
    near = _rims(cells, face, cells.tiles.uv, list(range(len(pieces))))
    rims: dict[Face, list[Loop]] = {face: [_ring(near[k], False) for k in range(len(pieces))]}
    walls: list[Face] = []
    for far in dict.fromkeys(one for one, _ in exits):
        members = [k for k, (one, _) in enumerate(exits) if one is far]
        middles = np.array([exits[k][1] for k in range(len(exits))])
        beyond = _rims(cells, far, middles, members)
        _refuse_between(body, (face, far), cells, [near[k] for k in members], [beyond[k] for k in members])
        rims[far] = [_ring(beyond[k], True) for k in members]
        for k in members:
            walls += _walls(cells.tiles.plane(k), pieces[k], near[k], beyond[k], step)
    return Body.made([_pierced(lump, rims, walls) for lump in body.pieces], body.unit)


def _pierced(lump: Lump, rims: dict[Face, list[Loop]], walls: list[Face]) -> Lump:
    """A lump with loops added to faces; shells that openings join become one."""
    joined = [shell for shell in lump.shells if any(face in rims for face in shell.faces)]
    if not joined:
        return lump
    faces = [
        keep_boxes(f, replace(f, loops=(*f.loops, *rims[f]))) if f in rims else f
        for shell in joined
        for f in shell.faces
    ]
    made, kept = Shell((*faces, *walls)), [shell for shell in lump.voids if shell not in joined]
    return Lump(made, tuple(kept)) if lump.outer in joined else Lump(lump.outer, (made, *kept))


def _exits(body: Body, face: Face, tiles: Tiles) -> list[tuple[Face, FloatArray]]:
    """Where lines from the middles of tiles into the body come out: the face, and (u, v)."""
    others = [other for other in body.brep_faces if other is not face]
    boxes = np.array([outer_box(other) for other in others])
    hits: dict[int, list[tuple[int, float]]] = {}
    for k, (point, out) in enumerate(zip(tiles.points, tiles.out, strict=True)):
        for i in _boxes_along(boxes, point, -out):
            ahead = others[i].surface.ray_hits(point[None], -out)[0]
            hits.setdefault(i, []).extend((k, a) for a in ahead[ahead > RESOLUTION].tolist())
    best = np.full(len(tiles.points), -1)
    least = np.full(len(tiles.points), np.inf)
    for i, rows in hits.items():
        which, ahead = np.array([k for k, _ in rows], dtype=int), np.array([a for _, a in rows])
        nearer = ahead < least[which]
        which, ahead = which[nearer], ahead[nearer]
        points = tiles.points[which] - ahead[:, None] * tiles.out[which]
        inside = np.flatnonzero(region_of(others[i]).states(points) != OUTSIDE)
        for n in inside[np.argsort(-ahead[inside])].tolist():  # the nearest last
            if ahead[n] < least[which[n]]:
                best[which[n]], least[which[n]] = i, ahead[n]
    if (best < 0).any():
        raise ModellingError(f"there is no wall behind the face at {_place(tiles.points[best < 0][0])}")
    ends, uv = tiles.points - least[:, None] * tiles.out, np.empty((len(best), 2))
    for i in np.unique(best).tolist():
        uv[best == i] = others[i].surface.parameters(ends[best == i])
    return [(others[i], row) for i, row in zip(best.tolist(), uv, strict=True)]


def _boxes_along(boxes: FloatArray, point: FloatArray, way: FloatArray) -> list[int]:
    """Numbers of the boxes, (N, 2, 3), that a ray meets."""
    with np.errstate(divide="ignore", invalid="ignore"):
        ends = (boxes + np.array([[-RESOLUTION], [RESOLUTION]]) - point) / way
    level = np.abs(way) < 1e-12
    within = (boxes[:, 0] - RESOLUTION <= point) & (point <= boxes[:, 1] + RESOLUTION)
    low = np.where(level, np.where(within, -np.inf, np.inf), ends.min(axis=1)).max(axis=1)
    high = np.where(level, np.where(within, np.inf, -np.inf), ends.max(axis=1)).min(axis=1)
    found: list[int] = np.flatnonzero((low <= high) & (high >= 0.0)).tolist()
    return found


_Rim = list[tuple[Edge, bool]]
"""The edges of an outline on a face, and whether the pieces run along them."""


def _rims(
    cells: Outlines,
    face: Face,
    middles: FloatArray,
    members: Sequence[int],
    shares: FloatArray | None = None,
) -> dict[int, _Rim]:
    """The images of outlines on a face, of the cells with some numbers, by places at `shares` along their
    pieces. Raises ModellingError where one is not wholly inside the face, or two run into each other."""
    pieces = cells.outlines()
    if shares is None:
        shares = FEW if _has_closed_forms(pieces, face.surface) else SHARES
    owner, uv = cells.images(face.surface, middles, shares)
    points = face.surface.points(uv)
    mine = np.isin(owner, members)
    near = mine & ~_well_inside(face, middles, owner, points)
    wrong = np.flatnonzero(near)[region_of(face).states(points[near]) != INSIDE]
    if len(wrong):
        raise ModellingError(
            f"a cell reaches over the border of a face at {_place(points[wrong[0]])}; use a border, or less "
            "openness"
        )
    _refuse_overlap(owner[mine], uv[mine], points[mine], face.surface.periods[0])
    places = _by_owner(owner, points)
    rows = {k: places[k].reshape(len(pieces[k]), len(shares), 3) for k in members}
    if pieces[0][0].is_closed and face.surface.plane is None:
        return {k: [_round_edge(rows[k][0])] for k in members}
    known = {k: _known_edges(cells.tiles.plane(k), pieces[k], face.surface, rows[k]) for k in members}
    open_ = [(k, j) for k in members for j, edge in enumerate(known[k]) if edge[0] is None]
    if not open_:
        return {k: [(edge, along) for edge, along, _ in found if edge] for k, found in known.items()}
    if shares is FEW:
        return _rims(cells, face, middles, members, SHARES)
    curves = dict(zip(open_, _through(np.array([rows[k][j] for k, j in open_])), strict=True))
    return {
        k: [(Edge(curves[k, j], 0.0, 1.0, *ends), True) if edge is None else (edge, along)
            for j, (edge, along, ends) in enumerate(known[k])]
        for k in members
    }  # fmt: skip


def _has_closed_forms(pieces: Sequence[Sequence[Piece]], surface: Surface) -> bool:
    """Whether walls through the pieces most likely meet a surface in curves of a closed form."""
    are_lines = all(isinstance(piece, LinePiece) for some in pieces for piece in some)
    return are_lines and (surface.plane is not None or surface.meridian is not None)


def _well_inside(face: Face, middles: FloatArray, owner: IntArray, points: FloatArray) -> NDArray[np.bool_]:
    """Which points belong to outlines that lie inside a face with some room around them."""
    centers = face.surface.points(middles)
    reaches = np.zeros(len(centers))
    np.maximum.at(reaches, owner, np.linalg.norm(points - centers[owner], axis=1))
    clear: NDArray[np.bool_] = region_of(face).holds_balls(centers, ROOM * reaches)[owner]
    return clear


def _by_owner(owner: IntArray, rows: FloatArray) -> dict[int, FloatArray]:
    """The rows of each owner."""
    order = np.argsort(owner, kind="stable")
    numbers, first = np.unique(owner[order], return_index=True)
    return dict(zip(numbers.tolist(), np.split(rows[order], first[1:]), strict=True))


def _refuse_overlap(owner: IntArray, uv: FloatArray, points: FloatArray, period: float) -> None:
    """Raises ModellingError where outlines, as polygons in u and v, meet each other. period : of u, or 0."""
    _, first = np.unique(owner, return_index=True)
    shapes = [shapely.Polygon(path) for path in _by_owner(owner, uv).values()]
    tree = shapely.STRtree(shapes)
    pairs = tree.query(shapes, predicate="intersects")
    bad = pairs[0][pairs[0] != pairs[1]].tolist()
    for lap in (period, -period) if period else ():
        moved = shapely.transform(np.array(shapes), lambda p, lap=lap: np.add(p, (lap, 0.0)))
        bad += tree.query(moved, predicate="intersects")[0].tolist()
    if bad:
        raise ModellingError(
            f"openings run into each other at {_place(points[first[bad[0]]])}; use more cells or less "
            "openness"
        )


_Ends = tuple[Vertex | None, Vertex | None]


def _known_edges(
    plane: Plane, pieces: Sequence[Piece], surface: Surface, points: FloatArray
) -> list[tuple[Edge | None, bool, _Ends]]:
    """The edges of an outline on a surface, whether pieces run along them, and their ends; None for an edge
    whose curve has no closed form. points : along each piece, (P, N, 3)."""
    if surface.plane is not None:
        section = Section(plane, plane.normal, surface.plane)
        return [(*section.edge(piece), (None, None)) for piece in pieces]
    corners = [Vertex(vec3(row[0])) for row in points]
    ends = zip(corners, [*corners[1:], corners[0]], strict=True)
    return [(*_straight(plane, piece, surface, row[len(row) // 2], both), both)
            for piece, row, both in zip(pieces, points, ends, strict=True)]  # fmt: skip


def _straight(
    plane: Plane, piece: Piece, surface: Surface, middle: FloatArray, ends: tuple[Vertex, Vertex]
) -> tuple[Edge | None, bool]:
    """The edge along which a straight wall meets a surface, if that is a curve in closed form."""
    a, b = ends
    met = (
        intersection(Section(plane, plane.normal).wall(piece), surface)
        if isinstance(piece, LinePiece)
        else None
    )
    for curve in met.curves if met is not None else ():
        t, s = curve.parameter(a.point), curve.parameter(b.point)
        off = max(distance(curve.point(t), a.point), distance(curve.point(s), b.point))
        if curve.period:
            s = t + (s - t + 0.5 * curve.period) % curve.period - 0.5 * curve.period
        if off <= NEAR and distance(curve.point(0.5 * (t + s)), vec3(middle)) <= (
            0.25 * distance(a.point, b.point)
        ):
            return (Edge(curve, t, s, a, b), True) if t < s else (Edge(curve, s, t, b, a), False)
    return None, True


def _round_edge(points: FloatArray) -> tuple[Edge, bool]:
    """The closed edge through as few of the points, (NODES, 3), as leave it near all others."""
    turn = 2.0 * np.pi * SHARES
    for each in (8, 4, 2, 1):
        curve = interpolated_fit(turn[::each], points[::each], True)
        if each == 1 or np.linalg.norm(curve.points(turn) - points, axis=1).max() <= NEAR:
            break
    return Edge(curve, 0.0, float(turn[-1]), None, None), True


def _through(rows: FloatArray) -> list[FittedCurve]:
    """Splines through rows of points, (N, NODES, 3), each through as few as leave it near all others."""
    made: dict[int, FittedCurve] = {}
    left = np.arange(len(rows))
    for each in (8, 4, 2, 1):
        curves = interpolated_fits(SHARES[::each], rows[left, ::each])
        far = np.linalg.norm(curves.points(SHARES) - rows[left], axis=2).max(axis=1) > NEAR
        ready = np.ones(len(left), dtype=bool) if each == 1 else ~far
        made.update({int(k): curves.curve(i) for i, k in enumerate(left) if ready[i]})
        left = left[~ready]
        if not len(left):
            break
    return [made[k] for k in range(len(rows))]


def _ring(rim: _Rim, ahead: bool) -> Loop:
    """The loop of an opening in a face: against the outline where it begins, along it where it comes out."""
    if ahead:
        return Loop(tuple(Coedge(edge, along) for edge, along in rim))
    return Loop(tuple(Coedge(edge, not along) for edge, along in reversed(rim)))


def _inward(plane: Plane, piece: Piece) -> tuple[Vec3, Vec3]:
    """A place on a piece, and the direction into its area."""
    (ax, ay), (bx, by) = piece.point(0.5 - 1e-4), piece.point(0.5 + 1e-4)
    into = np.asarray(plane.x) * (ay - by) + np.asarray(plane.y) * (bx - ax)
    return plane.point(*piece.point(0.5)), unit(vec3(into))


def _walls(plane: Plane, pieces: Sequence[Piece], near: _Rim, far: _Rim, step: str) -> list[Face]:
    tops, feet = (_starts(rim) for rim in (near, far))
    posts = [Edge(Line(a.point, unit(sub(b.point, a.point))), 0.0, distance(a.point, b.point), a, b)
             for a, b in zip(tops, feet, strict=True)]  # fmt: skip
    made, section = [], Section(plane, plane.normal)
    for j, piece in enumerate(pieces):
        (top, along), (foot, same) = near[j], far[j]
        surface, (spot, into) = section.wall(piece), _inward(plane, piece)
        loops: tuple[Loop, ...]
        if piece.is_closed:
            loops = Loop((Coedge(top, along),)), Loop((Coedge(foot, not same),))
        else:
            after, before = posts[(j + 1) % len(posts)], posts[j]
            ring = Coedge(top, along), Coedge(after, True), Coedge(foot, not same), Coedge(before, False)
            loops = (Loop(ring),)
        outward = dot(surface.normal(spot), into) > 0.0
        made.append(Face(surface, outward, loops, side_names(step, piece.name)))
    return made


def _starts(rim: _Rim) -> list[Vertex]:
    """Where the pieces begin, none of a closed one."""
    found = [edge.start if along else edge.end for edge, along in rim]
    return [vertex for vertex in found if vertex is not None]


def _refuse_between(
    body: Body, ends: tuple[Face, Face], cells: Outlines, near: Iterable[_Rim], far: Iterable[_Rim]
) -> None:
    """Raises ModellingError where a third face reaches into an opening."""
    others = [face for face in body.brep_faces if face not in ends]
    if not others:
        return
    corners = [np.concatenate([_along(rim) for rim in both]) for both in zip(near, far, strict=True)]
    boxes = np.array([[points.min(axis=0), points.max(axis=0)] for points in corners])
    for k, i in overlapping(boxes, np.array([outer_box(face) for face in others])):
        top, foot = np.split(corners[k], 2)
        way = (foot - top).mean(axis=0)
        way /= np.linalg.norm(way)
        hits = others[i].surface.ray_hits(top, way)
        deep = ((foot - top) @ way)[:, None]
        rows, columns = np.nonzero((hits > -RESOLUTION) & (hits < deep + RESOLUTION))
        places = top[rows] + hits[rows, columns][:, None] * way
        if len(places):
            inside = region_of(others[i]).states(places) != OUTSIDE
            if inside.any():
                raise ModellingError(f"another face reaches into an opening at {_place(places[inside][0])}")


def _along(rim: _Rim) -> FloatArray:
    """Some points on a rim, as many on each edge, in the direction of the outline."""
    rows = []
    for edge, along in rim:
        t = np.linspace(edge.t0, edge.t1, 5)[:-1]
        rows.append(edge.curve.points(t if along else edge.t0 + edge.t1 - t))
    return np.concatenate(rows)


def _place(point: FloatArray) -> str:
    x, y, z = (0.0 if abs(c) < 1e-12 else c for c in point.tolist())
    return f"({x:.6g}, {y:.6g}, {z:.6g})"
