"""Bodies as STEP solids: geometry and topology of ISO 10303-42.

A face on a cylinder that closes round its axis is bounded by two loops and has no seam; on a B-spline surface
it gets one. A closed edge gets one vertex, at the seam or else where its parameter starts, because the
standard wants one.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace
from itertools import pairwise
from typing import Any

import numpy as np

from ...geometry.conics import Hyperbola, Parabola
from ...geometry.curve import Curve
from ...geometry.curves import Circle, Ellipse, Line
from ...geometry.fitting import curve_as_spline
from ...geometry.placement import Plane
from ...geometry.rational import rational_curve as rational_piece
from ...geometry.round_surfaces import ConeSurface, SphereSurface, TorusSurface
from ...geometry.spline import BSpline, FittedCurve, SplineCurve
from ...geometry.spline_surface import SplineSurface
from ...geometry.surfaces import CylinderSurface, PlaneSurface
from ...geometry.thinning import thinned
from ...geometry.tolerance import RESOLUTION
from ...geometry.turned import TurnedSurface
from ...geometry.vector import Vec3, distance, negated
from ...topology.brep import Coedge, Edge, Face, Loop, Lump, Shell, Vertex
from .part21 import Instances, listed, logical, real, string
from .proof import prove
from .ranges import SPOTS
from .seams import NEAR, Crossing, Cut, Seam, seam_of
from .splines import rational_curve, spline_curve, spline_surface
from .written import written_spline

CURVE_FIT, NEAREST = 1e-10, 0.01 * RESOLUTION
"""A written curve is as near to a fitted one as this share of its size, and as this, if that is less."""

_Piece = tuple[str, str, str]
"""References of a piece of an edge, and of its vertices at the start and the end."""


class ShapeWriter:
    """Adds solids to a DATA section; vertices and edges that faces share are written once."""

    def __init__(self, rows: Instances) -> None:
        self._rows = rows
        self._vertices: dict[tuple[object, ...], str] = {}
        self._pieces: dict[Edge, list[_Piece]] = {}
        self._cuts: dict[Edge, list[float]] = {}
        self._splines: dict[Face, tuple[SplineSurface, Seam | None]] = {}

    def solid(self, lump: Lump, name: str) -> str:
        """Reference of the MANIFOLD_SOLID_BREP (or BREP_WITH_VOIDS) of `lump`. Raises ExchangeError where
        what would be written is not the body, with the face."""
        for shell in lump.shells:
            for face in shell.faces:
                self._plan(face)
        outer = self._shell(lump.outer)
        if not lump.voids:
            return self._rows.add(f"MANIFOLD_SOLID_BREP({string(name)},{outer})")
        voids = listed(
            self._rows.add(f"ORIENTED_CLOSED_SHELL('',*,{self._shell(void)},.T.)") for void in lump.voids
        )
        return self._rows.add(f"BREP_WITH_VOIDS({string(name)},{outer},{voids})")

    def _plan(self, face: Face) -> None:
        """Find what B-spline a face is written on, and where that cuts edges, before anything is written."""
        if type(face.surface) in _OWN_KINDS and (face.loops or isinstance(face.surface, _BOUND_WHOLE)):
            return
        seam = seam_of(face)
        made = written_spline(face, seam)
        prove(face, made)
        self._splines[face] = made, seam
        for cut in seam.cuts() if seam is not None else ():
            if cut.vertex is None and self._known(cut) is None:
                self._cuts.setdefault(cut.edge, []).append(cut.t)

    def _known(self, cut: Cut) -> float | None:
        """Where the edge is cut already at that place, as by the face on its other side."""
        known = self._cuts.get(cut.edge, ())
        return next((t for t in known if distance(cut.edge.curve.point(t), cut.point) <= NEAR), None)

    def point(self, p: Vec3, name: str = "") -> str:
        coordinates = listed(real(c) for c in p)
        return self._rows.share(f"CARTESIAN_POINT({string(name)},{coordinates})")

    def placement(self, frame: Plane) -> str:
        """Reference of the AXIS2_PLACEMENT_3D of a frame."""
        parts = (self.point(frame.origin), self._direction(frame.normal), self._direction(frame.x))
        return self._rows.share(f"AXIS2_PLACEMENT_3D('',{','.join(parts)})")

    def _direction(self, d: Vec3) -> str:
        return self._rows.share(f"DIRECTION('',{listed(real(c) for c in d)})")

    def _shell(self, shell: Shell) -> str:
        return self._rows.add(f"CLOSED_SHELL('',{listed([self._face(f) for f in shell.faces])})")

    def _face(self, face: Face) -> str:
        made, seam = self._splines.get(face, (None, None))
        if seam is not None and made is not None:
            loops = self._seamed(face, made, seam)
        else:
            loops = [self._loop(loop) for loop in face.loops] or [self._whole(face, made)]
        has_outer = face.surface.plane is not None or seam is not None or len(face.loops) == 1
        bounds = [
            self._rows.add(f"{'FACE_OUTER_BOUND' if i == 0 and has_outer else 'FACE_BOUND'}('',{loop},.T.)")
            for i, loop in enumerate(loops)
        ]
        name = str(face.names[0]) if face.names else ""
        surface = self._surface(face) if made is None else self._rows.add(spline_surface(made, self.point))
        return self._rows.add(
            f"ADVANCED_FACE({string(name)},{listed(bounds)},{surface},{logical(_sense(face))})"
        )

    def _loop(self, loop: Loop) -> str:
        return self._edge_loop([use for coedge in loop.coedges for use in self._uses(coedge)])

    def _edge_loop(self, uses: Sequence[tuple[str, bool]]) -> str:
        chain = [self._rows.add(f"ORIENTED_EDGE('',*,*,{edge},{logical(way)})") for edge, way in uses]
        return self._rows.add(f"EDGE_LOOP('',{listed(chain)})")

    def _uses(self, coedge: Coedge) -> list[tuple[str, bool]]:
        """The pieces of an edge as a loop runs along them."""
        pieces = [(edge, coedge.forward) for _, _, edge in self._edge(coedge.edge)]
        return pieces if coedge.forward else pieces[::-1]

    def _seamed(self, face: Face, made: SplineSurface, seam: Seam) -> list[str]:
        """The loops of a face that is cut open: where a loop comes to the seam it goes along that to the
        other end of it; the loops on which nothing is cut stay."""
        joins: dict[tuple[int, str], tuple[str, bool, Crossing | None]] = {}
        for low, high in seam.pieces:
            ends = [self._seam_end(face, made, seam, c, n) for n, c in enumerate((low, high))]
            line = self._border_edge(made, seam.k, ends[0], ends[1])
            for here, other, way in ((low, high, True), (high, low, False)):
                if here is not None:
                    joins[here.loop, self._cut_vertex(here.cut)] = line, way, other
        chains, cut_loops = [], {loop for loop, _ in joins}
        left = {n: self._split_loop(face.loops[n], n, joins) for n in sorted(cut_loops)}
        todo = {(n, start): (uses, end) for n, parts in left.items() for start, uses, end in parts}
        while todo:
            first = next(iter(todo))
            key, chain = first, list[tuple[str, bool]]()
            while key in todo:
                uses, end = todo.pop(key)
                chain += uses
                line, way, other = joins[key[0], end]
                chain.append((line, way))
                if other is None:  # at a pole it turns back
                    chain.append((line, not way))
                    key = (key[0], end)
                else:
                    key = (other.loop, self._cut_vertex(other.cut))
            chains.append(self._edge_loop(chain))
        return [*chains, *(self._loop(loop) for n, loop in enumerate(face.loops) if n not in cut_loops)]

    def _split_loop(
        self, loop: Loop, number: int, joins: dict[tuple[int, str], tuple[str, bool, Crossing | None]]
    ) -> list[tuple[str, list[tuple[str, bool]], str]]:
        """A loop from one crossing to the next: the vertex it starts at, its uses of edges, where it ends."""
        steps: list[tuple[str, tuple[str, bool]]] = []
        for coedge in loop.coedges:
            pieces = self._edge(coedge.edge)
            for start, end, edge in pieces if coedge.forward else pieces[::-1]:
                steps.append((start if coedge.forward else end, (edge, coedge.forward)))
        stops = [i for i, (start, _) in enumerate(steps) if (number, start) in joins]
        found = []
        for a, b in pairwise([*stops, stops[0] + len(steps)]):
            uses = [steps[i % len(steps)][1] for i in range(a, b)]
            found.append((steps[a][0], uses, steps[b % len(steps)][0]))
        return found

    def _cut_vertex(self, cut: Cut) -> str:
        if cut.vertex is not None:
            return self._vertex((cut.vertex,), cut.point)
        t = self._known(cut)
        return self._vertex((cut.edge, t), cut.point)

    def _seam_end(
        self, face: Face, made: SplineSurface, seam: Seam, crossing: Crossing | None, side: int
    ) -> tuple[str, Vec3]:
        if crossing is not None:
            return self._cut_vertex(crossing.cut), crossing.cut.point
        _, _, controls, _ = made.border(seam.k)
        x, y, z = controls[-1 if side else 0].tolist()
        return self._vertex((face, side), (x, y, z)), (x, y, z)

    def _border_edge(
        self, made: SplineSurface, k: int, start: tuple[str, Vec3], end: tuple[str, Vec3]
    ) -> str:
        """An edge along the border of a surface at its least u (k = 0) or v (k = 1)."""
        degree, knots, controls, weights = made.border(k)
        curve = BSpline(degree, knots, controls)
        if (degree == 1 and len(controls) == 2 and weights is None) or _is_straight(controls):
            (a, b) = (np.array(p) for _, p in (start, end))
            x, y, z = ((b - a) / np.linalg.norm(b - a)).tolist()
            text = self._curve(Line(start[1], (x, y, z)))
        elif weights is None or np.ptp(weights) == 0.0:
            text = self._rows.add(spline_curve(curve, self.point))
        else:
            text = self._rows.add(rational_curve(curve, weights, self.point))
        return self._rows.add(f"EDGE_CURVE('',{start[0]},{end[0]},{text},.T.)")

    def _whole(self, face: Face, made: SplineSurface | None) -> str:
        """The bound of a closed surface: a vertex on a sphere, two seams on a torus (or one, tip to tip)."""
        surface = face.surface
        if made is not None:
            return self._whole_spline(face, made)
        p, q = surface.points(np.array([[0.0, 0.0], [0.0, math.pi / 2]])).tolist()
        if isinstance(surface, SphereSurface):
            vertex = self._rows.add(f"VERTEX_POINT('',{self.point((q[0], q[1], q[2]))})")
            return self._rows.add(f"VERTEX_LOOP('',{vertex})")
        assert isinstance(surface, TorusSurface)
        if surface.meets_axis:
            return self._tip_to_tip(surface)
        frame, vertex = surface.frame, self._rows.add(f"VERTEX_POINT('',{self.point((p[0], p[1], p[2]))})")
        tube = Plane(frame.point(surface.major, 0.0), negated(frame.y), frame.x)
        rings = (Circle(frame, surface.major + surface.minor), Circle(tube, surface.minor))
        seams = [self._rows.add(f"EDGE_CURVE('',{vertex},{vertex},{self._curve(c)},.T.)") for c in rings]
        order = ((0, True), (1, True), (0, False), (1, False))
        uses = [(seams[k], way is face.outward) for k, way in (order if face.outward else order[::-1])]
        return self._edge_loop(uses)

    def _tip_to_tip(self, surface: TorusSurface) -> str:
        frame, top = surface.frame, surface.half_turn
        arc = Circle(Plane(frame.point(surface.major, 0.0), negated(frame.y), frame.x), surface.minor)
        tips = (Vertex(tip.point) for tip in surface.singular_points)
        seam = self._edge(Edge(arc, -top, top, *tips))[0][2]
        return self._edge_loop([(seam, True), (seam, False)])

    def _whole_spline(self, face: Face, made: SplineSurface) -> str:
        """Two seams of a ring; one, from pole to pole, of a ball."""
        lines = []
        for k in (0, 1):
            _, _, controls, _ = made.border(k)
            ends: list[tuple[str, Vec3]] = []
            for row in (controls[0], controls[-1]):
                x, y, z = row.tolist()
                ends.append((self._vertex((face, x, y, z), (x, y, z)), (x, y, z)))
            if np.ptp(controls, axis=0).max() > 0.0:
                lines.append(self._border_edge(made, k, ends[0], ends[1]))
        if len(lines) == 1:
            return self._edge_loop([(lines[0], True), (lines[0], False)])
        across, along = lines  # the borders at the least u, which runs along v, and at the least v
        order = [(along, True), (across, True), (along, False), (across, False)]
        return self._edge_loop(
            [(edge, way is face.outward) for edge, way in (order if face.outward else order[::-1])]
        )

    def _edge(self, edge: Edge) -> list[_Piece]:
        """The pieces of an edge between the places where it is cut, in its direction."""
        if edge not in self._pieces:
            cuts = sorted(self._cuts.get(edge, ()))
            if edge.is_closed:
                cuts = cuts or [edge.t0]
                stops = [*cuts, cuts[0] + (edge.t1 - edge.t0)]
                names = [self._vertex((edge, t), edge.curve.point(t)) for t in cuts]
                names.append(names[0])
            else:
                stops = [edge.t0, *cuts, edge.t1]
                inner = [self._vertex((edge, t), edge.curve.point(t)) for t in cuts]
                ends = [self._vertex((v,), v.point) for v in (edge.start, edge.end) if v is not None]
                names = [ends[0], *inner, ends[1]]
            whole = self._curve(edge.curve) if not _is_cut(edge, stops) else None
            self._pieces[edge] = [
                (a, b, self._rows.add(f"EDGE_CURVE('',{a},{b},{whole or self._part(edge, low, high)},.T.)"))
                for (a, b), (low, high) in zip(pairwise(names), pairwise(stops), strict=True)
            ]
        return self._pieces[edge]

    def _part(self, edge: Edge, low: float, high: float) -> str:
        """A piece of a curve as a spline of its own."""
        piece = curve_as_spline(edge.curve, low, high)
        if isinstance(edge.curve, FittedCurve):
            piece = _thinned(replace(edge.curve, knots=piece.knots, controls=piece.controls))
        return self._rows.add(spline_curve(piece, self.point))

    def _vertex(self, key: tuple[object, ...], point: Vec3) -> str:
        if key not in self._vertices:
            self._vertices[key] = self._rows.add(f"VERTEX_POINT('',{self.point(point)})")
        return self._vertices[key]

    def _curve(self, curve: Curve) -> str:
        if isinstance(curve, Line):
            vector = self._rows.share(f"VECTOR('',{self._direction(curve.direction)},1.)")
            return self._rows.add(f"LINE('',{self.point(curve.origin)},{vector})")
        if isinstance(curve, SplineCurve):
            return self._rows.add(spline_curve(_thinned(curve), self.point))
        name, sizes = _CONICS[type(curve)]
        frame: Any = getattr(curve, "frame", None)
        values = ",".join(real(getattr(curve, size)) for size in sizes)
        return self._rows.add(f"{name}('',{self.placement(frame)},{values})")

    def _surface(self, face: Face) -> str:
        """A surface of a kind that the standard has."""
        return _OWN_KINDS[type(face.surface)](self, face.surface, face)

    def placed(self, name: str, frame: Plane, sizes: Sequence[str]) -> str:
        """A surface that its placement and sizes tell."""
        return self._rows.add(f"{name}('',{','.join([self.placement(frame), *sizes])})")

    def turned(self, surface: TurnedSurface, face: Face) -> str:
        """A surface of revolution, with as much of the profile as the face takes."""
        points = [c.edge.curve.points(np.linspace(c.edge.t0, c.edge.t1, SPOTS)) for c in face.coedges()]
        feet = surface.parameters(np.concatenate(points))[:, 1]
        curve, (low, high) = surface.profile_over(float(feet.min()), float(feet.max()))
        if isinstance(curve, SplineCurve):
            profile = self._rows.add(spline_curve(curve, self.point))
        else:
            exact = rational_piece(curve, low, high)
            spline = BSpline(exact.degree, exact.knots, exact.controls)
            profile = self._rows.add(rational_curve(spline, exact.weights, self.point))
        ends = f"{self.point(surface.frame.origin)},{self._direction(surface.frame.normal)}"
        axis = self._rows.share(f"AXIS1_PLACEMENT('',{ends})")
        return self._rows.add(f"SURFACE_OF_REVOLUTION('',{profile},{axis})")


def _thinned(curve: SplineCurve) -> SplineCurve:
    """A fitted curve with as few poles as keep it as near as the file is held to; others are exact."""
    if not isinstance(curve, FittedCurve):
        return curve
    size = float(np.linalg.norm(np.ptp(curve.controls, axis=0)))
    return thinned(curve, min(NEAREST, CURVE_FIT * size))


_CONICS: dict[type[Curve], tuple[str, tuple[str, ...]]] = {
    Circle: ("CIRCLE", ("radius",)),
    Ellipse: ("ELLIPSE", ("major", "minor")),
    Hyperbola: ("HYPERBOLA", ("major", "minor")),
    Parabola: ("PARABOLA", ("focal",)),
}
"""Names of the standard, and the sizes it wants."""

_Own = tuple[str, Plane, list[str]]


def _own_plane(surface: PlaneSurface, face: Face) -> _Own:
    return "PLANE", surface.frame, []


def _own_cylinder(surface: CylinderSurface, face: Face) -> _Own:
    return "CYLINDRICAL_SURFACE", surface.frame, [real(surface.radius)]


def _own_cone(surface: ConeSurface, face: Face) -> _Own:
    lowest = min((v for c in face.coedges() for v in _heights(surface, c.edge)), default=0.0)
    low = max(0.0, lowest)  # rounding at the tip must not make the radius negative
    sizes = [real(low * math.tan(surface.half_angle)), real(surface.half_angle)]
    return "CONICAL_SURFACE", surface.frame.offset(low), sizes


def _own_sphere(surface: SphereSurface, face: Face) -> _Own:
    return "SPHERICAL_SURFACE", surface.frame, [real(surface.radius)]


def _own_torus(surface: TorusSurface, face: Face) -> _Own:
    minor = surface.minor
    # the standard has no torus whose radii are equal: the next number makes one
    major = math.nextafter(minor, math.inf) if surface.major == minor else surface.major
    if major < minor:  # with a spindle: what lies outside of it is meant, or the spindle itself
        sizes = [real(abs(major)), real(minor), logical(major > 0.0)]
        return "DEGENERATE_TOROIDAL_SURFACE", surface.frame, sizes
    return "TOROIDAL_SURFACE", surface.frame, [real(major), real(minor)]


def _by_placement(rule: Callable[[Any, Face], _Own]) -> Callable[[ShapeWriter, Any, Face], str]:
    def written(writer: ShapeWriter, surface: Any, face: Face) -> str:
        return writer.placed(*rule(surface, face))

    return written


_OWN_KINDS: dict[type, Callable[[ShapeWriter, Any, Face], str]] = {
    PlaneSurface: _by_placement(_own_plane),
    CylinderSurface: _by_placement(_own_cylinder),
    ConeSurface: _by_placement(_own_cone),
    SphereSurface: _by_placement(_own_sphere),
    TorusSurface: _by_placement(_own_torus),
    TurnedSurface: ShapeWriter.turned,
}
"""The kinds that the standard has; all others are written as B-splines."""

_BOUND_WHOLE = (SphereSurface, TorusSurface)
"""Those of which a face without edges gets a bound (`ShapeWriter._whole`)."""


def _is_cut(edge: Edge, stops: Sequence[float]) -> bool:
    """Whether an edge is written as splines of its own: one that the standard has no kind for, and a spline
    in pieces or from another start."""
    if isinstance(edge.curve, SplineCurve):
        return len(stops) > 2 or stops[0] != edge.t0
    return not isinstance(edge.curve, Line) and type(edge.curve) not in _CONICS


def _is_straight(controls: Any) -> bool:
    """Whether the controls of a border lie in a row, at the same weights or not."""
    way = controls[-1] - controls[0]
    size = float(np.linalg.norm(way))
    off = np.linalg.norm(np.cross(controls - controls[0], way), axis=1)
    return size > 0.0 and bool(off.max() <= 1e-12 * size * (size + float(np.abs(controls).max())))


def _sense(face: Face) -> bool:
    """Whether the normal of a face is that of its surface in the standard: on a spindle that looks to the
    middle of the profile, beyond the axis."""
    inverted = isinstance(face.surface, TorusSurface) and face.surface.major < 0.0
    return face.outward is not inverted


def _heights(surface: ConeSurface, edge: Edge) -> list[float]:
    """Heights above the tip at a few places along an edge."""
    return surface.frame.locals(edge.curve.points(np.linspace(edge.t0, edge.t1, 9)))[:, 2].tolist()
