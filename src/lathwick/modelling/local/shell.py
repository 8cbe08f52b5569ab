"""A body hollowed out to walls of some thickness."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from numbers import Real

from ...errors import ModellingError, naming_its_step
from ...geometry.surface import Surface
from ...geometry.tolerance import RESOLUTION, SMOOTH
from ...topology.body import Body, BodyFace, renamed
from ...topology.brep import Face
from ...topology.names import FaceName
from ..boolean.operations import combined
from ..combine import union
from ..extrude import extrude
from ..flat_faces import region_of_face
from ..limits import made_or_limited
from ..refitting.sides import sides_of, turn_at
from .offset import offset_surface
from .resurface import Moved, resurfaced
from .thin import refuse_lost_hollows, refuse_thin_walls
from .walls import less_walls

Faces = Iterable[BodyFace] | BodyFace

WHOLE = 1e-9


@naming_its_step
def shell(
    body: Body,
    thickness: float,
    open: Faces = (),
    *,
    other: Sequence[tuple[Faces, float]] = (),
    step: str = "",
) -> Body:
    """The body hollowed out: walls of the given thickness stay inside its faces.

    thickness : negative for walls on the outside, around the body as a hollow. open : faces without a wall;
    without any the hollow is closed. other : faces, and the thickness of the wall at them.

    At a planar open face that rounds join smoothly the mouth goes straight through the wall. Rounds whose
    radius is not larger than the thickness leave a sharp edge inside. Inner faces are called `step/inside`.
    Raises ModellingError for a thickness that does not fit; it names the largest that works.
    """
    size = _checked(thickness)
    opened = _faces(body, open)
    if len(opened) == len(body.brep_faces):
        raise ModellingError("every face is open; no wall would be left")
    walls = dict.fromkeys((face for face in body.brep_faces if face not in opened), size)
    for faces, value in other:
        for face in _faces(body, faces):
            if face in opened:
                raise ModellingError("a face is open and has a thickness")
            if math.copysign(1.0, _checked(value)) != math.copysign(1.0, size):
                raise ModellingError("walls are all inside or all outside")
            walls[face] = float(value)

    mouths = _mouths(body, opened, walls)

    def build(value: float) -> Body:
        scaled, open_ones = (
            {face: value * (t / size) for face, t in sizes.items()} for sizes in (walls, mouths)
        )
        return _hollowed(body, scaled, open_ones, step)

    return made_or_limited(build, size, f"a thickness of {thickness:g}")


def _checked(value: object) -> float:
    if isinstance(value, bool) or not isinstance(value, Real) or not abs(float(value)) > RESOLUTION:
        raise ModellingError(f"a thickness must be more than {RESOLUTION:g}, got {value!r}")
    return float(value)


def _faces(body: Body, faces: Faces) -> list[Face]:
    items = [faces] if isinstance(faces, BodyFace) else list(faces)
    known = set(body.brep_faces)
    for item in items:
        if not isinstance(item, BodyFace):
            raise ModellingError(f"faces are wanted, got {item!r}")
        if item.brep not in known:
            raise ModellingError("a face belongs to another body; select faces of the body that is passed")
    return list(dict.fromkeys(item.brep for item in items))


def _mouths(body: Body, opened: Sequence[Face], walls: Mapping[Face, float]) -> dict[Face, float]:
    """The open faces that others join smoothly, with the thickness of the wall there."""
    found: dict[Face, set[float]] = {}
    for edge, uses in body.faces_of_edge.items():
        one, two = sides_of(uses)
        if abs(turn_at(edge, (one, two), 0.5 * (edge.t0 + edge.t1))) > SMOOTH:
            continue
        for face, other in ((one, two), (two, one)):
            if face in opened and other in walls:
                found.setdefault(face, set()).add(walls[other])
    for face, values in found.items():
        if face.surface.plane is None:
            raise ModellingError(f"an open {face.surface.kind} face that others join smoothly has no mouth")
        if len(values) > 1:
            raise ModellingError("faces that join an open one smoothly have walls of unlike thickness")
    return {face: values.pop() for face, values in found.items()}


def _hollowed(body: Body, walls: Mapping[Face, float], mouths: Mapping[Face, float], step: str) -> Body:
    moved, swallowed = {}, []
    for face, thickness in (*walls.items(), *mouths.items()):
        made = offset_surface(face, -thickness)
        if made is None:
            swallowed.append(face)
        else:
            moved[face] = made
    inward = next(iter(walls.values())) > 0.0
    opened = [face for face in body.brep_faces if face not in walls]
    try:
        other = _sound(_other_side(body, moved, swallowed, inward), walls, opened)
    except ModellingError as error:
        if not inward:
            raise
        other = _sound(_less_walls(body, moved, swallowed, error), walls, opened)
    outer, inner = (body, other) if inward else (other, body)
    inside = FaceName(step, "inside")
    left = combined(outer, _named(inner, inside, inward), "cut")
    plugs = [_plug(face, other, moved[face][0], thickness) for face, thickness in mouths.items()]
    for plug in plugs:
        left = None if left is None else combined(left, _named(plug, inside, True), "cut")
    if left is None:
        raise ModellingError("nothing is left of the walls")
    taken = inner.volume + sum(plug.volume for plug in plugs)
    if abs(left.volume - (outer.volume - taken)) > WHOLE * outer.volume:
        raise ModellingError("the hollow breaks through a wall")
    return left


def _other_side(body: Body, moved: Moved, swallowed: Sequence[Face], inward: bool) -> Body:
    """The other side of walls; where it is outside, that of each lump by itself, put together: lumps may be
    nearer to each other than their walls are thick."""
    if inward or body.lumps == 1:
        return resurfaced(body, moved, swallowed)
    made = []
    for lump in body.pieces:
        alone = Body((lump,), body.unit)
        mine = set(alone.brep_faces)
        of_lump = {face: to for face, to in moved.items() if face in mine}
        made.append(resurfaced(alone, of_lump, [face for face in swallowed if face in mine]))
    return union(*made)


def _sound(other: Body, walls: Mapping[Face, float], opened: Sequence[Face]) -> Body:
    """The other side of walls. Raises ModellingError where they are too thin, or a hollow is lost."""
    refuse_thin_walls(other, walls, opened)
    if min(walls.values()) > 0.0:
        refuse_lost_hollows(other, walls, opened)
    return other


def _less_walls(body: Body, moved: Moved, swallowed: Sequence[Face], error: ModellingError) -> Body:
    """As `less_walls`; where that fails too, the first error is told."""
    try:
        return less_walls(body, moved, swallowed)
    except ModellingError:
        raise error from None


def _plug(face: Face, other: Body, surface: Surface, thickness: float) -> Body:
    """What is taken out of the wall at an open face: from the hollow's face below it, or that above it, on
    its own outline."""
    if thickness < 0.0:
        return extrude(region_of_face(face, other.unit), -thickness)
    below = [made for made in other.brep_faces if made.surface == surface and made.outward is face.outward]
    if not below:
        raise ModellingError("the hollow does not reach an open face")
    return extrude([region_of_face(made, other.unit) for made in below], thickness)


def _named(body: Body, name: FaceName, only: bool) -> Body:
    """The body with one name on all faces, if they are new."""
    return renamed(body, lambda _: (name,)) if only else body
