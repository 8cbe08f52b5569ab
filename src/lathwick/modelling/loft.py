"""Lofts: solids between sections, ruled from one to the next or smooth through all of them.

The walls are skinned B-splines (Piegl & Tiller 10.3); planes, cylinders and cones where they are such.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any

import numpy as np

from ..errors import ModellingError, naming_its_step
from ..geometry.curves import Circle, Line
from ..geometry.nets import common_nets
from ..geometry.placement import FloatArray, Plane
from ..geometry.rational import rational_curve
from ..geometry.round_surfaces import ConeSurface
from ..geometry.spline import BSpline, SplineCurve
from ..geometry.spline_surface import SplineSurface
from ..geometry.surface import Surface
from ..geometry.surfaces import CylinderSurface, PlaneSurface
from ..geometry.tolerance import RESOLUTION
from ..geometry.turned import TurnedSurface
from ..geometry.vector import Vec3, along, cross, distance, dot, negated, norm, scaled, sub, unit, vec3
from ..sketch.pieces import ArcPiece, LinePiece, Piece
from ..topology.body import Body
from ..topology.brep import Coedge, Edge, Face, Loop, Lump, Shell, Vertex
from ..topology.names import FaceName, side_names
from .combine import Warn, silent
from .loft_ends import SMOOTH, End, Leaving, Wall, corner_way, ends_of
from .outlines import Outline, aligned, outlines_of, turn_between
from .sections import Section

FLAT = 1e-9
"""Lines so nearly in one plane, as a share of their size, span a plane."""


DIVISIONS = (1, 2, 4, 8, 16)
"""Into how many each part of a section is divided, until walls that leave along faces keep to these."""

TWISTED = 20.0
"""Sections turned by more degrees to each other are told of."""


@naming_its_step
def loft(
    profiles: Iterable[Any],
    *,
    ruled: bool = False,
    closed: bool = False,
    tangent: Leaving | tuple[Leaving, Leaving] = None,
    step: str = "",
    warn: Warn = silent,
) -> Body:
    """The solid between sections.

    profiles : two or more sketches, regions or planar faces of one area each, all with as many holes; the
        first or last may be a point, (x, y, z). Outlines are matched from a corner of the first on, by their
        lengths where they have unlike numbers of curves.
    ruled : straight from section to section; otherwise smooth through all of them.
    closed : from the last section on to the first; three sections at least, none of them a point.
    tangent : "square" where the walls leave both end sections square to these; or a value for the first and
        one for the last: "square", faces that end there and that the walls go on from smoothly (to 1e-7
        radians), None for an end that is free.
    warn : is told where sections are turned to each other, so that the walls are twisted.
    step : name that the faces get: `step/start`, `step/end`, `step/side:item` after the items of the first
        section.

    Raises ModellingError for sections that cannot be matched, and where the walls would cross.
    """
    found = outlines_of(profiles)
    ends = _tangents(tangent, found, ruled or closed)
    if closed and (len(found) < 3 or any(one.is_point for one in found)):
        raise ModellingError("a closed loft goes through three sections at least, none of them a point")
    sections = aligned(found, closed)
    _tell_turns(sections, closed, warn)
    straight = ruled or (len(sections) == 2 and ends == (None, None))
    pairs = [list(pair) for pair in pairwise([*sections, *sections[: int(closed)]])]
    groups = pairs if straight or closed else [sections]
    unit_of = next(one.unit for one in sections if one.unit)
    skin = _Skin(sections, groups, (closed, closed and not straight), ends, step)
    return Body.made([skin.lump()], unit_of)


def _tangents(
    tangent: Leaving | tuple[Leaving, Leaving], sections: Sequence[Outline], fixed: bool
) -> tuple[End | None, End | None]:
    """How the walls leave the first and the last section."""
    ends = ends_of(tangent)
    if any(ends) and fixed:
        raise ModellingError("tangent is for the ends of a smooth loft that is not closed")
    if any(end and one.is_point for end, one in zip(ends, (sections[0], sections[-1]), strict=True)):
        raise ModellingError("no wall leaves a point square to it, or along a face")
    return ends


def _tell_turns(sections: Sequence[Outline], closed: bool, warn: Warn) -> None:
    for k, (below, above) in enumerate(pairwise([*sections, *sections[: int(closed)]])):
        if below.is_point or above.is_point:
            continue
        turn = math.degrees(turn_between(below, above, 0))
        if abs(turn) > TWISTED:
            warn(
                f"sections {k + 1} and {(k + 1) % len(sections) + 1} are turned by {turn:.3g} degrees to "
                "each other: the walls between them are twisted"
            )


_Rung = tuple[Edge, bool]
"""The edge of a piece in a section, and whether it runs the piece's way."""


class _Skin:
    def __init__(
        self,
        sections: Sequence[Outline],
        groups: Sequence[list[Outline]],
        closed: tuple[bool, bool],
        tangents: tuple[End | None, End | None],
        step: str,
    ) -> None:
        """closed : whether it goes on to its first section, and smoothly."""
        self._sections, self._groups, self._step = sections, groups, step
        (self._closed, self._round), self._tangents = closed, tangents
        self._placed = {
            id(one): Section(one.plane, one.plane.normal) for one in sections if one.plane is not None
        }
        self._tips = {id(one): Vertex(one.point) for one in sections if one.is_point}
        self._rungs: dict[tuple[int, int, int], tuple[Edge, bool]] = {}
        self._rails: dict[tuple[int, int, int], Edge] = {}
        self._rings: dict[tuple[int, int], _Nets] = {}
        self._before: dict[tuple[int, int], list[Face]] = {}

    def lump(self) -> Lump:
        faces = []
        shape = next(one for one in self._sections if not one.is_point).loops
        for g, group in enumerate(self._groups):
            for i, loop in enumerate(shape):
                names = [piece.name for piece in loop]
                faces += [self._face(g, group, (i, j), names) for j in range(len(loop))]
        if self._closed:
            return self._ring(faces, shape)
        caps = [self._cap(one, role) for one, role in
                ((self._sections[0], "start"), (self._sections[-1], "end")) if not one.is_point]  # fmt: skip
        return Lump(Shell((*caps, *faces)))

    def _ring(self, faces: list[Face], shape: Sequence[Sequence[Piece]]) -> Lump:
        """A closed loft: a shell round the outside, and one in each hole."""
        counts = [len(loop) for loop in shape]
        shells: list[list[Face]] = [[] for _ in counts]
        rest = iter(faces)
        for _ in self._groups:
            for shell, count in zip(shells, counts, strict=True):
                shell += [next(rest) for _ in range(count)]
        return Lump(Shell(tuple(shells[0])), tuple(Shell(tuple(shell)) for shell in shells[1:]))

    def _nets(self, g: int, group: list[Outline], place: tuple[int, int], edges: list[_Rung | None]) -> _Nets:
        """The controls of a wall; of a smooth closed loft a part of those all the way round."""
        if not self._round:
            return self._leaving_nets(group, place, edges) if any(self._tangents) else _Nets.of(group, edges)
        i, j = place
        if place not in self._rings:
            ring = [*self._sections, self._sections[0]]
            self._rings[place] = _Nets.of(ring, [self._rung(one, i, j) for one in ring])
        return self._rings[place].part(g)

    def _leaving_nets(self, group: list[Outline], place: tuple[int, int], edges: list[_Rung | None]) -> _Nets:
        """The controls of a wall that leaves its end sections as asked for, divided until it does."""
        for divided in DIVISIONS:
            nets, slopes, worst = _Nets.of(group, edges, divided), [], 0.0
            for k, end in ((0, self._tangents[0]), (-1, self._tangents[1])):
                slope, off = (None, 0.0) if end is None else self._slope(group, k, place, end, nets)
                slopes.append(slope)
                worst = max(worst, off)
            if worst <= SMOOTH:
                return replace(nets, slopes=(slopes[0], slopes[1]))
        raise ModellingError(f"the walls of a loft cannot keep to the faces within {SMOOTH:g} radians")

    def _slope(
        self, group: list[Outline], k: int, place: tuple[int, int], end: End, nets: _Nets
    ) -> tuple[FloatArray, float]:
        """How a wall leaves one of its end sections, as controls times weights, (n, 3), for each unit along
        the normal; and how far (radians) it is off the face there."""
        one, (i, j) = group[k], place
        assert one.plane is not None
        normal = one.plane.normal
        if dot(normal, sub(group[-1].point, group[0].point)) < 0.0:
            normal = negated(normal)
        if not end.faces:
            return np.outer(nets.nets[k, :, 3], normal), 0.0
        faces = self._faces_at(one, i, end)
        count = len(faces)
        corners: list[Vec3 | None] = [None, None]
        if not one.loops[i][j].is_closed:
            corners = [
                corner_way(faces[n - 1], faces[n % count], self._vertex(one, i, n % count).point, normal)
                for n in (j, j + 1)
            ]
        curve = BSpline(nets.degree, nets.knots, nets.nets[k])
        return Wall(faces[j], normal, (corners[0], corners[1])).laid(curve, sorted(set(nets.knots)))

    def _faces_at(self, one: Outline, i: int, end: End) -> list[Face]:
        """The faces that each piece of a loop of an end section goes on from."""
        key = id(one), i
        if key not in self._before:
            rungs = [self._rung(one, i, n) for n in range(len(one.loops[i]))]
            self._before[key] = [end.face_of(rung[0]) for rung in rungs if rung is not None]
        return self._before[key]

    def _rung(self, one: Outline, i: int, j: int) -> _Rung | None:
        if one.is_point:
            return None
        key = id(one), i, j
        if key not in self._rungs:
            self._rungs[key] = self._placed[id(one)].edge(one.loops[i][j])
        return self._rungs[key]

    def _vertex(self, one: Outline, i: int, j: int) -> Vertex:
        if one.is_point:
            return self._tips[id(one)]
        return self._placed[id(one)].vertex(one.loops[i][j].start)

    def _face(self, g: int, group: list[Outline], place: tuple[int, int], names: list[str]) -> Face:
        i, j = place
        pieces = [None if one.is_point else one.loops[i][j] for one in group]
        edges = [self._rung(one, i, j) for one in group]
        nets = self._nets(g, group, place, edges)
        plain = len(group) == 2 and not nets.leaves and nets.span is None
        surface = _exact(group, pieces, edges) if plain else None
        surface = surface or _turned(group, edges, nets) or nets.surface()
        first, last = edges[0], edges[-1]
        solid = next(piece for piece in pieces if piece is not None)
        name = side_names(self._step, names[j])
        if solid.is_closed:
            rings = []
            for end, at_start in ((first, True), (last, False)):
                if end is not None:
                    rings.append(Loop((Coedge(end[0], end[1] is at_start),)))
            return Face(surface, self._looks_out(surface, group, edges), tuple(rings), name)
        count = len(next(one for one in group if not one.is_point).loops[i])
        after = self._rail(g, group, (i, (j + 1) % count), nets, 1)
        before = self._rail(g, group, (i, j), nets, 0)
        ring = [Coedge(first[0], first[1])] if first is not None else []
        ring.append(Coedge(after, True))
        ring += [Coedge(last[0], not last[1])] if last is not None else []
        ring.append(Coedge(before, False))
        return Face(surface, self._looks_out(surface, group, edges), (Loop(tuple(ring)),), name)

    def _rail(self, g: int, group: list[Outline], place: tuple[int, int], nets: _Nets, side: int) -> Edge:
        """The edge of a corner through a group."""
        key = g, *place
        if key not in self._rails:
            a, b = (self._vertex(one, *place) for one in (group[0], group[-1]))
            self._rails[key] = nets.rail(side, a, b)
        return self._rails[key]

    @staticmethod
    def _looks_out(surface: Surface, group: list[Outline], edges: list[_Rung | None]) -> bool:
        edge, forward = next(edge for edge in edges if edge is not None)
        t = 0.5 * (edge.t0 + edge.t1)
        tangent = edge.curve.tangent(t) if forward else negated(edge.curve.tangent(t))
        way = sub(group[-1].point, group[0].point)
        return dot(surface.normal(edge.curve.point(t)), cross(tangent, way)) > 0.0

    def _cap(self, one: Outline, role: str) -> Face:
        at_end, loops = role == "end", []
        for i, loop in enumerate(one.loops):
            ring = [rung for j in range(len(loop)) if (rung := self._rung(one, i, j)) is not None]
            if at_end:
                loops.append(Loop(tuple(Coedge(edge, way) for edge, way in ring)))
            else:
                loops.append(Loop(tuple(Coedge(edge, not way) for edge, way in reversed(ring))))
        assert one.plane is not None
        a, b = self._sections[-2:] if at_end else self._sections[:2]
        ahead = dot(one.plane.normal, sub(b.point, a.point)) > 0.0
        return Face(PlaneSurface(one.plane), ahead is at_end, tuple(loops), (FaceName(self._step, role),))


@dataclass(frozen=True, eq=False)
class _Nets:
    """Controls times weights, and weights, of one piece in all sections of a group, (K, n, 4), and the
    parameters of the sections."""

    degree: int
    knots: tuple[float, ...]
    nets: FloatArray
    heights: FloatArray
    length: float
    slopes: tuple[FloatArray | None, FloatArray | None] = (None, None)
    span: tuple[float, float] | None = None

    @property
    def leaves(self) -> bool:
        """Whether it is said how it leaves an end."""
        return any(slope is not None for slope in self.slopes)

    def part(self, g: int) -> _Nets:
        """From section g to the next, of nets that come back to their first."""
        return replace(self, span=(float(self.heights[g]), float(self.heights[g + 1])))

    @classmethod
    def of(cls, group: list[Outline], edges: list[_Rung | None], divided: int = 1) -> _Nets:
        known = [edge for edge in edges if edge is not None]
        curves = [rational_curve(edge.curve, edge.t0, edge.t1) for edge, _ in known]
        degree, knots, nets = common_nets(curves, [not way for _, way in known], divided)
        rows, weights = iter(nets), nets[0][:, 3]
        at_point = [np.outer(weights, one.point) if one.is_point else None for one in group]
        full = [next(rows) if row is None else np.column_stack([row, weights]) for row in at_point]
        steps = [max(distance(a.point, b.point), RESOLUTION) for a, b in pairwise(group)]
        heights = np.concatenate([[0.0], np.cumsum(steps)]) / sum(steps)
        return cls(degree, knots, np.stack(full), heights, sum(steps))

    def skinned(self) -> tuple[int, tuple[float, ...], FloatArray]:
        """Degree, knots and controls, (m, n, 4), across the sections."""
        from scipy.interpolate import make_interp_spline

        if self.span is not None:
            return self._round_part(*self.span)
        if self.leaves:
            return self._leaving()
        degree = min(3, len(self.heights) - 1)
        if np.ptp(self.nets[:, :, 3], axis=0).max() <= 1e-14:  # as affine images keep: circles stay circles
            points = self.nets[:, :, :3] / self.nets[:, :, 3:]
            made = make_interp_spline(self.heights, points, degree)
            weights = np.broadcast_to(self.nets[:1, :, 3:], (*made.c.shape[:2], 1))
            return degree, tuple(made.t.tolist()), np.concatenate([made.c * weights, weights], axis=2)
        made = make_interp_spline(self.heights, self.nets, degree)
        return degree, tuple(made.t.tolist()), made.c

    def _round_part(self, low: float, high: float) -> tuple[int, tuple[float, ...], FloatArray]:
        """A part of what is smooth all the way round."""
        from scipy.interpolate import make_interp_spline

        count = len(self.heights)
        nets = self.nets.reshape(count, -1).copy()
        nets[-1] = nets[0]
        made = make_interp_spline(self.heights, nets, 3, bc_type="periodic")
        third = (high - low) / 3.0
        (a, b), (da, db) = made((low, high)), made((low, high), 1)
        bezier = np.array([a, a + third * da, b - third * db, b])
        return 3, (low,) * 4 + (high,) * 4, bezier.reshape(4, *self.nets.shape[1:])

    def _leaving(self) -> tuple[int, tuple[float, ...], FloatArray]:
        """With given directions at the ends, as long as the whole loft."""
        from scipy.interpolate import make_interp_spline

        rules: list[Any] = []
        for slope in self.slopes:
            level = np.zeros_like(self.nets[0])
            if slope is None:
                rules.append([(2, level)])
            else:
                level[:, :3] = self.length * slope
                rules.append([(1, level)])
        made = make_interp_spline(self.heights, self.nets, 3, bc_type=(rules[0], rules[1]))
        return 3, tuple(made.t.tolist()), made.c

    def surface(self) -> SplineSurface:
        """u runs along the piece, v across the sections."""
        degree, knots, lifted = self.skinned()
        net = lifted.transpose(1, 0, 2)
        plain = bool(np.abs(net[:, :, 3] - 1.0).max() <= 1e-15)
        weights = None if plain else net[:, :, 3]
        return SplineSurface(
            (self.degree, degree), (self.knots, knots), net[:, :, :3] / net[:, :, 3:], weights
        )

    def rail(self, side: int, a: Vertex, b: Vertex) -> Edge:
        if len(self.heights) == 2 and not self.leaves:
            return Edge(Line(a.point, unit(sub(b.point, a.point))), 0.0, distance(a.point, b.point), a, b)
        degree, knots, lifted = self.skinned()
        row = lifted[:, -1 if side else 0]
        return Edge(SplineCurve(degree, knots, row[:, :3] / row[:, 3:]), knots[0], knots[-1], a, b)


def _turned(group: list[Outline], edges: list[_Rung | None], nets: _Nets) -> TurnedSurface | None:
    """The wall along arcs about one axis, between the same angles: a profile that turns. None for others."""
    rungs = [rung for rung in edges if rung is not None]
    circles = [edge.curve for edge, _ in rungs]
    known = [circle for circle in circles if isinstance(circle, Circle)]
    if len(known) < len(circles):
        return None
    axis, origin = known[0].frame.normal, known[0].frame.origin
    starts = [edge.curve.point(edge.t0 if way else edge.t1) for edge, way in rungs]
    outs = [unit(sub(p, c.frame.origin)) for p, c in zip(starts, known, strict=True)]
    alike = {(way is (dot(c.frame.normal, axis) > 0.0), edge.is_closed)
             for (edge, way), c in zip(rungs, known, strict=True)}  # fmt: skip
    angles = [edge.t1 - edge.t0 for edge, _ in rungs]
    centers = [*(c.frame.origin for c in known), *(one.point for one in group if one.is_point)]
    if (
        len(alike) > 1
        or np.ptp(angles) > FLAT
        or any(norm(cross(c.frame.normal, axis)) > FLAT for c in known)
        or any(norm(sub(out, outs[0])) > FLAT for out in outs)
        or any(norm(cross(sub(p, origin), axis)) > FLAT * (1.0 + norm(sub(p, origin))) for p in centers)
    ):
        return None
    degree, knots, lifted = nets.skinned()
    row = lifted[:, 0]
    profile = SplineCurve(degree, knots, row[:, :3] / row[:, 3:])
    frame = Plane(origin, axis, outs[0])
    if np.ptp(row[:, 3]) > FLAT * row[0, 3] or profile.is_closed:
        return None
    radii = frame.locals(profile.points(profile.samples(profile.low, profile.high)))[1:-1, 0]
    return None if radii.min() <= 0.0 else TurnedSurface(profile, (profile.low, profile.high), frame)


def _exact(group: list[Outline], pieces: list[Piece | None], edges: list[_Rung | None]) -> Surface | None:
    """The plane, cylinder or cone that a wall between two sections is, if it is one."""
    if all(piece is None or isinstance(piece, LinePiece) for piece in pieces):
        return _flat(group, edges)
    if all(piece is None or isinstance(piece, ArcPiece) for piece in pieces):
        return _round(group, pieces, edges)
    return None


def _flat(group: list[Outline], edges: list[_Rung | None]) -> Surface | None:
    corners = [p for one, edge in zip(group, edges, strict=True)
               for p in ([one.point] if edge is None else edge[0].end_points())]  # fmt: skip
    points = np.array(corners)
    middle = points.mean(axis=0)
    sizes, ways = np.linalg.svd(points - middle)[1:]
    if len(points) > 3 and sizes[2] > FLAT * sizes[0]:
        return None
    a, b = next(edge for edge in edges if edge is not None)[0].end_points()
    return PlaneSurface(Plane(a, vec3(ways[2]), sub(b, a)))


def _round(group: list[Outline], pieces: list[Piece | None], edges: list[_Rung | None]) -> Surface | None:
    circles = [edge[0].curve for edge in edges if edge is not None]
    known = [circle for circle in circles if isinstance(circle, Circle)]
    if len(known) < len(circles):
        return None
    found = iter(known)
    ends = [None if edge is None else next(found) for edge in edges]
    centers = [one.point if c is None else c.frame.origin for one, c in zip(group, ends, strict=True)]
    radii = [0.0 if c is None else c.radius for c in ends]
    way = sub(centers[1], centers[0])
    height = norm(way)
    if height <= RESOLUTION:
        return None
    axis = scaled(way, 1.0 / height)
    if any(norm(cross(axis, c.frame.normal)) > FLAT for c in known):
        return None
    if len(known) == 2 and not _same_angles([e for e in edges if e is not None], centers, axis):
        return None
    x = known[0].frame.x
    low, high = radii
    if abs(high - low) <= FLAT * height:
        return CylinderSurface(Plane(centers[0], axis, x), low)
    tip = along(centers[0], axis, -low * height / (high - low))
    opens = axis if high > low else negated(axis)
    return ConeSurface(Plane(tip, opens, x), math.atan2(abs(high - low), height))


def _same_angles(edges: list[_Rung], centers: list[Vec3], axis: Vec3) -> bool:
    """Whether both arcs start and end in the same directions from the axis."""
    (one, way), (two, other) = edges
    if one.is_closed or two.is_closed:
        return one.is_closed and two.is_closed
    ends = [
        edge.end_points() if forward else edge.end_points()[::-1]
        for edge, forward in ((one, way), (two, other))
    ]
    return all(norm(sub(unit(sub(p, centers[0])), unit(sub(q, centers[1])))) <= 1e-9
               for p, q in zip(*ends, strict=True))  # fmt: skip
