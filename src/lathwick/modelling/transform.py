"""Bodies moved, turned, mirrored and scaled; every face keeps its names."""

from __future__ import annotations

import math
from collections.abc import Sequence

from ..errors import ModellingError
from ..geometry.curves import Line
from ..geometry.motion import Motion, carried_to, mirrored_in, moved_by, scaled_by, turned
from ..geometry.tolerance import LARGEST
from ..topology.body import Body
from ..topology.brep import Coedge, Edge, Face, Loop, Lump, Shell, Vertex
from ..topology.names import copied_names
from .references import AxisLike, PlaneLike, axis_of, plane_of


def transformed(body: Body, motion: Motion, *steps: str) -> Body:
    """The image of a body, whose faces answer to these steps besides. Raises ModellingError for one too far
    away, or too small, to be a solid."""
    lumps = _Transformer(motion, steps).lumps(body)
    if motion.factor != 1.0:
        return Body.made(lumps, body.unit)
    return Body.built(lumps, body.unit)


IMAGE = "image"


def image_of(face: Face) -> tuple[Face, Motion]:
    """The face of which one is a copy, moved or turned, and how; itself if it is none."""
    found: tuple[Face, Motion] | None = face.recalled(IMAGE)
    return (face, Motion()) if found is None else found


def original_lump(lump: Lump) -> tuple[tuple[Face, ...], Motion]:
    """The faces of the lump of which one is a copy, moved or turned, and how; its own if it is none."""
    faces = tuple(face for shell in lump.shells for face in shell.faces)
    images = [image_of(face) for face in faces]
    if len({motion for _, motion in images}) != 1:
        return faces, Motion()
    return tuple(first for first, _ in images), images[0][1]


def original_of(body: Body) -> tuple[Body, Motion] | None:
    """The body of which all of one is a copy, moved or turned, and how; None for one that is none."""
    images = {face: image_of(face) for face in body.brep_faces}
    motions = {motion for _, motion in images.values()}
    if len(motions) != 1 or all(first is face for face, (first, _) in images.items()):
        return None

    def shell(copy: Shell) -> Shell:
        return Shell(tuple(images[face][0] for face in copy.faces))

    lumps = tuple(Lump(shell(p.outer), tuple(shell(v) for v in p.voids)) for p in body.pieces)
    return Body(lumps, body.unit), motions.pop()


class _Transformer:
    def __init__(self, motion: Motion, steps: Sequence[str] = ()) -> None:
        self._motion = motion
        self._steps = [step for step in steps if step]
        self._vertices: dict[Vertex, Vertex] = {}
        self._edges: dict[Edge, Edge] = {}

    def lumps(self, body: Body) -> tuple[Lump, ...]:
        return tuple(Lump(self._shell(p.outer), tuple(self._shell(v) for v in p.voids)) for p in body.pieces)

    def _shell(self, shell: Shell) -> Shell:
        return Shell(tuple(self._face(face) for face in shell.faces))

    def _face(self, face: Face) -> Face:
        surface, agrees = face.surface.moved(self._motion)
        loops = tuple(self._loop(loop) for loop in face.loops)
        made = Face(surface, face.outward is agrees, loops, copied_names(face.names, self._steps))
        if self._motion.factor == 1.0 and not self._motion.is_mirror:
            first, before = image_of(face)
            made.remember(IMAGE, (first, self._motion.after(before)))
        return made

    def _loop(self, loop: Loop) -> Loop:
        """A mirror image is run the other way, to keep its material on the left."""
        coedges = [Coedge(self._edge(c.edge), c.forward) for c in loop.coedges]
        if self._motion.is_mirror:
            coedges = [Coedge(c.edge, not c.forward) for c in reversed(coedges)]
        return Loop(tuple(coedges))

    def _edge(self, edge: Edge) -> Edge:
        if edge not in self._edges:
            k = self._motion.factor if isinstance(edge.curve, Line) else 1.0
            ends = (self._vertex(edge.start), self._vertex(edge.end))
            self._edges[edge] = Edge(edge.curve.moved(self._motion), k * edge.t0, k * edge.t1, *ends)
        return self._edges[edge]

    def _vertex(self, vertex: Vertex | None) -> Vertex | None:
        if vertex is None:
            return None
        if vertex not in self._vertices:
            self._vertices[vertex] = Vertex(self._motion.point(vertex.point))
        return self._vertices[vertex]


def move(body: Body, dx: float = 0.0, dy: float = 0.0, dz: float = 0.0) -> Body:
    """The body shifted by (dx, dy, dz), length unit."""
    return transformed(body, moved_by(*(_number(v, n) for v, n in ((dx, "dx"), (dy, "dy"), (dz, "dz")))))


def turn(body: Body, angle: float, axis: AxisLike) -> Body:
    """The body turned by `angle` degrees about an axis, counter-clockwise seen against its direction."""
    return transformed(body, turned(axis_of(axis, "a body turns about"), _number(angle, "angle")))


def place(body: Body, plane: PlaneLike) -> Body:
    """The body carried with the XY plane to another plane, or to that of a planar face."""
    return transformed(body, carried_to(plane_of(plane, "a body is placed on")))


def scale(body: Body, factor: float) -> Body:
    """The body with all lengths times `factor`, about the origin. Raises ModellingError unless it is
    more than 0."""
    number = _number(factor, "factor")
    if not number > 0.0:
        raise ModellingError(f"a scale factor must be more than 0, got {number:g}")
    return transformed(body, scaled_by(number))


def mirrored(body: Body, plane: PlaneLike, step: str = "") -> Body:
    """The mirror image alone."""
    return transformed(body, mirrored_in(plane_of(plane, "a body is mirrored in")), step)


def _number(value: float, name: str) -> float:
    try:
        number = float(value)
    except (TypeError, ValueError):
        raise ModellingError(f"{name} needs a number, got {value!r}") from None
    if not (math.isfinite(number) and abs(number) <= LARGEST):
        raise ModellingError(f"{name} must be finite and at most {LARGEST:g}, got {number:g}")
    return number
