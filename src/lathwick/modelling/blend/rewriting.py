"""A body with edges replaced by strips: loops of faces are rewritten, all else stays."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from ...geometry.spline import FittedCurve
from ...geometry.tolerance import JOIN, RESOLUTION
from ...geometry.vector import distance, dot, sub
from ...topology.brep import Coedge, Edge, Face, Loop, Lump, Shell, Vertex
from ...topology.names import FaceName
from ..refitting.errors import TooLargeError
from ..refitting.meeting import curve_between
from ..refitting.wedges import Uses
from .blaming import blame_touching
from .strips import Strip
from .vertex_stars import Changes

SPOTS = 17


class Rewriter:
    """Applies the changes of one pass."""

    def __init__(
        self, strips: dict[Edge, Strip], changes: Changes, names: tuple[FaceName, ...], uses: Uses
    ) -> None:
        self.strips = strips
        self._uses = uses
        self.changes = changes
        self.names = names
        self.replaced: dict[Edge, Edge] = {}
        """Edges that stay, with new ends."""
        self.strip_faces: dict[Edge, Face] = {}
        self.new_faces: dict[Face, Face] = {}
        """What has become of each face that is not as before."""
        self._contacts: dict[tuple[Edge, Face], Edge] = {}
        self._turned: set[Edge] = set()

    def run(self, lumps: Iterable[Lump]) -> tuple[Lump, ...]:
        """The lumps after the changes. Raises TooLargeError where an edge or a contact has no length left."""
        for edge, strip in self.strips.items():
            self._lay(edge, strip)
        return tuple(
            Lump(self._shell(lump.outer), tuple(self._shell(void) for void in lump.voids)) for lump in lumps
        )

    def _lay(self, edge: Edge, strip: Strip) -> None:
        """The contact edges and the face of a strip."""
        made = []
        for face, curve in zip(strip.faces, strip.contacts, strict=True):
            if edge.is_closed:
                border = Edge(curve, *strip.span, None, None)
            else:
                ends = [self.changes.contacts[edge, at_end, face] for at_end in (False, True)]
                border = self._between(Edge(curve, *strip.span, *ends), face, edge)
            self._contacts[edge, face] = border
            made.append(border)
        one, two = Coedge(made[1], True), Coedge(made[0], False)
        loops: tuple[Loop, ...]
        if edge.is_closed:
            loops = (Loop((one,)), Loop((two,)))
        else:
            caps = self.changes.caps
            loops = (Loop((one, *caps[edge, True], two, *caps[edge, False])),)
        self.strip_faces[edge] = Face(strip.surface, strip.outward, loops, self.names)

    def _shell(self, shell: Shell) -> Shell:
        faces = [self._face(face) for face in shell.faces]
        mine = set(shell.faces)
        faces += [self.strip_faces[edge] for edge, strip in self.strips.items() if strip.faces[0] in mine]
        faces += [face for face, beside in self.changes.corners if beside in mine]
        return Shell(tuple(faces))

    def _face(self, face: Face) -> Face:
        loops = tuple(self._loop(face, loop) for loop in face.loops)
        if all(new is old for new, old in zip(loops, face.loops, strict=True)):
            return face
        made = Face(face.surface, face.outward, loops, face.names)
        self.new_faces[face] = made
        return made

    def _loop(self, face: Face, loop: Loop) -> Loop:
        found: list[Coedge] = []
        for k, coedge in enumerate(loop.coedges):
            before = loop.coedges[k - 1]
            found += self.changes.inserted.get((face, (before.edge, before.forward)), [])
            if (coedge.edge, face) in self.changes.replaced:
                found += self.changes.replaced[coedge.edge, face]
                continue
            edge = self._contacts.get((coedge.edge, face)) or self._kept(coedge.edge, face)
            forward = coedge.forward is not (coedge.edge in self._turned)
            found.append(coedge if edge is coedge.edge else Coedge(edge, forward))
        same = len(found) == len(loop.coedges) and all(
            new is old for new, old in zip(found, loop.coedges, strict=True)
        )
        return loop if same else Loop(tuple(found))

    def _kept(self, edge: Edge, face: Face) -> Edge:
        """An edge that stays, with its new ends."""
        if edge in self.replaced:
            return self.replaced[edge]
        moved = self.changes.moved
        start, end = moved.get((edge, False), edge.start), moved.get((edge, True), edge.end)
        if start is edge.start and end is edge.end:
            return edge
        made = self._turn_over(edge, start, end) or self._continued(edge, start, end)
        if made is None:
            made = self._between(Edge(edge.curve, edge.t0, edge.t1, start, end), face, edge)
        self.replaced[edge] = made
        return made

    def _turn_over(self, edge: Edge, start: Vertex | None, end: Vertex | None) -> Edge | None:
        """The edge the other way, where its ends have passed each other and may do so."""
        if edge not in self.changes.turning:
            return None
        t0, t1 = _parameter(edge, start, edge.t0), _parameter(edge, end, edge.t1)
        if t0 <= t1 or edge.curve.length(t1, t0) <= RESOLUTION:
            return None
        self._turned.add(edge)
        return Edge(edge.curve, t1, t0, end, start)

    def _continued(self, edge: Edge, start: Vertex | None, end: Vertex | None) -> Edge | None:
        """The edge between its faces up to ends that lie beyond its curve, which does not go on by itself."""
        curve = edge.curve
        if not isinstance(curve, FittedCurve) or start is None or end is None:
            return None
        ends = ((start, edge.t0), (end, edge.t1))
        if all(distance(curve.point(_parameter(edge, v, t)), v.point) <= RESOLUTION for v, t in ends):
            return None
        (one, _), (two, _) = self._uses[edge]
        made = curve_between(one, two, start, end)
        if dot(made.direction_at(0.5 * (made.edge.t0 + made.edge.t1)), sub(*edge.end_points()[::-1])) <= 0.0:
            raise TooLargeError("an edge has no length left", one)
        for face in (one, two):
            if not _is_on(made.edge, face):
                raise TooLargeError("a face does not reach the end of its edge", face)
        if not made.forward:
            self._turned.add(edge)
        return made.edge

    def _between(self, edge: Edge, face: Face, old: Edge) -> Edge:
        """The edge's curve between its vertices, which may not be where its parameters are; perhaps without
        length. old : what it is made from."""
        t0, t1 = (_parameter(edge, v, t) for v, t in ((edge.start, edge.t0), (edge.end, edge.t1)))
        if t1 < t0 and edge.curve.length(t1, t0) > RESOLUTION:
            error = TooLargeError("an edge has no length left", face)
            blame_touching(error, old, [old] if old in self.strips else self.strips, self._uses)
            raise error
        return Edge(edge.curve, t0, max(t0, t1), edge.start, edge.end)


def _is_on(edge: Edge, face: Face) -> bool:
    """Whether an edge stays on a face's surface, which may end where its own curves do."""
    points = edge.curve.points(np.linspace(edge.t0, edge.t1, SPOTS))
    feet = face.surface.points(face.surface.parameters(points))
    return bool(np.linalg.norm(points - feet, axis=1).max() <= JOIN)


def _parameter(edge: Edge, vertex: Vertex | None, near: float) -> float:
    assert vertex is not None
    if getattr(edge.curve, "radius", 1.0) <= RESOLUTION:
        return near
    t, period = edge.curve.parameter(vertex.point), edge.curve.period
    return t + period * round((near - t) / period) if period else t
