"""Bodies as STEP solids: geometry and topology of ISO 10303-42.

A face on a cylinder that closes round its axis is bounded by two loops and has no seam; on a B-spline
surface it gets one. A closed edge gets one vertex, where its parameter starts, because the standard
wants one.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from ...errors import ExchangeError
from ...geometry.canal import CanalSurface
from ...geometry.conics import Hyperbola, Parabola
from ...geometry.curve import Curve
from ...geometry.curves import Circle, Ellipse, Line
from ...geometry.placement import Plane
from ...geometry.round_surfaces import ConeSurface, SphereSurface, TorusSurface
from ...geometry.ruled import RuledSurface
from ...geometry.spline import SplineCurve
from ...geometry.surfaces import CylinderSurface, ExtrudedSurface, PlaneSurface
from ...geometry.vector import Vec3, cross, negated, sub
from ...topology.brep import Coedge, Edge, Face, Loop, Lump, Shell, Vertex
from ...topology.windings import loop_path, winding
from .part21 import Instances, listed, logical, real, string
from .splines import canal_surface, extruded_surface, ruled_surface, spline_curve


class ShapeWriter:
    """Adds solids to a DATA section; vertices and edges that faces share are written once."""

    def __init__(self, rows: Instances) -> None:
        self._rows = rows
        self._vertices: dict[Vertex, str] = {}
        self._edges: dict[Edge, str] = {}
        self._ring_ends: dict[Edge, str] = {}

    def solid(self, lump: Lump, name: str) -> str:
        """Reference of the MANIFOLD_SOLID_BREP (or BREP_WITH_VOIDS) of `lump`."""
        outer = self._shell(lump.outer)
        if not lump.voids:
            return self._rows.add(f"MANIFOLD_SOLID_BREP({string(name)},{outer})")
        voids = listed(
            self._rows.add(f"ORIENTED_CLOSED_SHELL('',*,{self._shell(void)},.T.)") for void in lump.voids
        )
        return self._rows.add(f"BREP_WITH_VOIDS({string(name)},{outer},{voids})")

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
        has_outer = face.surface.plane is not None
        bounds = []
        loops = face.loops
        rings = self._rings_round(face)
        if rings:
            bounds.append(self._rows.add(f"FACE_OUTER_BOUND('',{self._seamed(face, *rings)},.T.)"))
            loops = tuple(loop for loop in loops if loop.coedges[0] not in rings)
        if not loops and not bounds:
            bounds.append(self._rows.add(f"FACE_BOUND('',{self._whole(face)},.T.)"))
        for i, loop in enumerate(loops):
            kind = (
                "FACE_OUTER_BOUND"
                if i == 0 and not rings and (has_outer or len(loops) == 1)
                else "FACE_BOUND"
            )
            bounds.append(self._rows.add(f"{kind}('',{self._loop(loop)},.T.)"))
        name = str(face.names[0]) if face.names else ""
        surface = self._surface(face)
        return self._rows.add(
            f"ADVANCED_FACE({string(name)},{listed(bounds)},{surface},{logical(_sense(face))})"
        )

    def _loop(self, loop: Loop) -> str:
        uses = [
            self._rows.add(f"ORIENTED_EDGE('',*,*,{self._edge(c.edge)},{logical(c.forward)})")
            for c in loop.coedges
        ]
        return self._rows.add(f"EDGE_LOOP('',{listed(uses)})")

    def _whole(self, face: Face) -> str:
        """The bound of a closed surface: a vertex on a sphere, two seams on a torus (or one, tip to tip)."""
        surface = face.surface
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
        chain = [
            self._rows.add(f"ORIENTED_EDGE('',*,*,{seams[k]},{logical(way is face.outward)})")
            for k, way in (order if face.outward else order[::-1])
        ]
        return self._rows.add(f"EDGE_LOOP('',{listed(chain)})")

    def _tip_to_tip(self, surface: TorusSurface) -> str:
        frame, top = surface.frame, surface.half_turn
        arc = Circle(Plane(frame.point(surface.major, 0.0), negated(frame.y), frame.x), surface.minor)
        seam = self._edge(Edge(arc, -top, top, *(Vertex(tip.point) for tip in surface.singular_points)))
        chain = [self._rows.add(f"ORIENTED_EDGE('',*,*,{seam},{logical(way)})") for way in (True, False)]
        return self._rows.add(f"EDGE_LOOP('',{listed(chain)})")

    def _rings_round(self, face: Face) -> tuple[Coedge, Coedge] | None:
        """The two closed edges between which a face goes round a B-spline tube, if it does."""
        surface = face.surface
        if isinstance(surface, ExtrudedSurface) and len(face.loops) == 2:
            rings = [loop.coedges[0] for loop in face.loops if len(loop.coedges) == 1]
        elif isinstance(surface, CanalSurface | RuledSurface) and surface.period:
            round_it = [loop for loop in face.loops if winding(loop_path(loop, surface), surface)[0]]
            rings = [loop.coedges[0] for loop in round_it if len(loop.coedges) == 1]
            if len(rings) != len(round_it):
                raise ExchangeError(
                    f"a {surface.kind} face whose rims have corners cannot be written to STEP yet"
                )
        else:
            return None
        return (rings[0], rings[1]) if len(rings) == 2 else None

    def _seamed(self, face: Face, first: Coedge, second: Coedge) -> str:
        """One loop round a tube on a B-spline surface: the standard closes those by a seam."""
        uses = [self._edge(c.edge) for c in (first, second)]
        points = [c.edge.curve.point(c.edge.t0) for c in (first, second)]
        if isinstance(face.surface, CanalSurface):
            return self._canal_seamed(face.surface, first, second, uses)
        length = math.dist(*points)
        up = ((points[1][0] - points[0][0]) / length, (points[1][1] - points[0][1]) / length,
              (points[1][2] - points[0][2]) / length)  # fmt: skip
        line = self._curve(Line(points[0], up))
        ends = ",".join(self._ring_ends[c.edge] for c in (first, second))
        seam = self._rows.add(f"EDGE_CURVE('',{ends},{line},.T.)")
        order = ((uses[0], first.forward), (seam, True), (uses[1], second.forward), (seam, False))
        chain = [self._rows.add(f"ORIENTED_EDGE('',*,*,{edge},{logical(way)})") for edge, way in order]
        return self._rows.add(f"EDGE_LOOP('',{listed(chain)})")

    def _canal_seamed(self, surface: CanalSurface, first: Coedge, second: Coedge, uses: Sequence[str]) -> str:
        """As `_seamed`: the seam is the arc across the canal where both rings start."""
        points = [c.edge.curve.point(c.edge.t0) for c in (first, second)]
        center = surface.spine.point(surface.spine.low)
        x, y = (sub(p, center) for p in points)
        arc = Circle(Plane(center, cross(x, y), x), surface.radius)
        ends = ",".join(self._ring_ends[c.edge] for c in (first, second))
        seam = self._rows.add(f"EDGE_CURVE('',{ends},{self._curve(arc)},.T.)")
        order = ((uses[0], first.forward), (seam, True), (uses[1], second.forward), (seam, False))
        chain = [self._rows.add(f"ORIENTED_EDGE('',*,*,{edge},{logical(way)})") for edge, way in order]
        return self._rows.add(f"EDGE_LOOP('',{listed(chain)})")

    def _edge(self, edge: Edge) -> str:
        if edge not in self._edges:
            start, end = self._ends(edge)
            curve = self._curve(edge.curve)
            self._edges[edge] = self._rows.add(f"EDGE_CURVE('',{start},{end},{curve},.T.)")
        return self._edges[edge]

    def _ends(self, edge: Edge) -> tuple[str, str]:
        if edge.start is None or edge.end is None:
            vertex = self._rows.add(f"VERTEX_POINT('',{self.point(edge.curve.point(edge.t0))})")
            self._ring_ends[edge] = vertex
            return vertex, vertex
        return self._vertex(edge.start), self._vertex(edge.end)

    def _vertex(self, vertex: Vertex) -> str:
        if vertex not in self._vertices:
            self._vertices[vertex] = self._rows.add(f"VERTEX_POINT('',{self.point(vertex.point)})")
        return self._vertices[vertex]

    def _curve(self, curve: Curve) -> str:
        if isinstance(curve, Line):
            vector = self._rows.share(f"VECTOR('',{self._direction(curve.direction)},1.)")
            return self._rows.add(f"LINE('',{self.point(curve.origin)},{vector})")
        if isinstance(curve, Circle):
            return self._rows.add(f"CIRCLE('',{self.placement(curve.frame)},{real(curve.radius)})")
        if isinstance(curve, Ellipse):
            axes = f"{real(curve.major)},{real(curve.minor)}"
            return self._rows.add(f"ELLIPSE('',{self.placement(curve.frame)},{axes})")
        if isinstance(curve, Hyperbola):
            axes = f"{real(curve.major)},{real(curve.minor)}"
            return self._rows.add(f"HYPERBOLA('',{self.placement(curve.frame)},{axes})")
        if isinstance(curve, Parabola):
            return self._rows.add(f"PARABOLA('',{self.placement(curve.frame)},{real(curve.focal)})")
        if isinstance(curve, SplineCurve):
            return self._rows.add(spline_curve(curve, self.point))
        raise ExchangeError(f"a {curve.kind} cannot be written to STEP yet")

    def _surface(self, face: Face) -> str:
        surface = face.surface
        if isinstance(surface, ExtrudedSurface):
            ends = np.array([p for c in face.coedges() for p in c.edge.end_points()])
            heights = surface.frame.locals(ends)[:, 2]
            low, high = float(heights.min()), float(heights.max())
            return self._rows.add(extruded_surface(surface, low, high, self.point))
        if isinstance(surface, CanalSurface):
            return self._rows.add(canal_surface(surface, face, self.point))
        if isinstance(surface, RuledSurface):
            return self._rows.add(ruled_surface(surface, face, self.point))
        placement = self.placement(surface.frame)
        if isinstance(surface, PlaneSurface):
            return self._rows.add(f"PLANE('',{placement})")
        if isinstance(surface, ConeSurface):
            lowest = min((v for c in face.coedges() for v in _heights(surface, c.edge)), default=0.0)
            low = max(0.0, lowest)  # rounding at the tip must not make the radius negative
            frame = surface.frame.offset(low)
            sizes = f"{real(low * math.tan(surface.half_angle))},{real(surface.half_angle)}"
            return self._rows.add(f"CONICAL_SURFACE('',{self.placement(frame)},{sizes})")
        if isinstance(surface, SphereSurface):
            return self._rows.add(f"SPHERICAL_SURFACE('',{placement},{real(surface.radius)})")
        if isinstance(surface, TorusSurface):
            minor = surface.minor
            # the standard has no torus whose radii are equal: the next number makes one
            major = math.nextafter(minor, math.inf) if surface.major == minor else surface.major
            sizes = f"{real(major)},{real(minor)}"
            if major < minor:  # with a spindle: what lies outside of it is meant, or the spindle itself
                sizes = f"{real(abs(major))},{real(minor)},{logical(major > 0.0)}"
                return self._rows.add(f"DEGENERATE_TOROIDAL_SURFACE('',{placement},{sizes})")
            return self._rows.add(f"TOROIDAL_SURFACE('',{placement},{sizes})")
        if isinstance(surface, CylinderSurface):
            return self._rows.add(f"CYLINDRICAL_SURFACE('',{placement},{real(surface.radius)})")
        raise ExchangeError(f"a {surface.kind} cannot be written to STEP yet")


def _sense(face: Face) -> bool:
    """Whether the normal of a face is that of its surface in the standard: on a spindle that looks to the
    middle of the profile, beyond the axis."""
    inverted = isinstance(face.surface, TorusSurface) and face.surface.major < 0.0
    return face.outward is not inverted


def _heights(surface: ConeSurface, edge: Edge) -> list[float]:
    """Heights above the tip at a few places along an edge."""
    return surface.frame.locals(edge.curve.points(np.linspace(edge.t0, edge.t1, 9)))[:, 2].tolist()
