"""A chain that passes over the end of a round of its own radius.

There the ball rests in the round: the edge between that and the face across has no round of its own. The
ball that touches this face and both neighbours of the round closes the corner, and the round ends on it.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from ...geometry.canal import CanalSurface
from ...geometry.placement import Plane
from ...geometry.round_surfaces import SphereSurface, TorusSurface
from ...geometry.surface import Surface
from ...geometry.surfaces import CylinderSurface
from ...geometry.tolerance import RESOLUTION
from ...geometry.vector import Vec3, distance
from ...topology.brep import Edge, Face, Loop, Vertex
from ..refitting.sides import sides_of
from ..refitting.wedges import EdgeEnd, Wedge, reversed_path
from .balls import equidistant
from .profiles import Across
from .selecting import EdgeGraph
from .strips import arc_between
from .vertex_stars import Surroundings, UnknownCornerError


@dataclass(frozen=True, eq=False)
class Crossing:
    """An edge that ends a round, between `across` and it, and the star at each end: of `across`, the round,
    and a neighbour of that."""

    edge: Edge
    across: Face
    round: Face
    stars: tuple[list[Wedge], list[Wedge]]


def ends_round(edge: Edge, faces: tuple[Face, Face], radius: float) -> bool:
    """Whether an edge lies askew across a round of a radius."""
    return Across.of(edge.curve) is None and any(
        abs(_radius(f.surface) - radius) <= RESOLUTION for f in faces
    )


def crossing(edge: Edge, graph: EdgeGraph, sizes: Mapping[Edge, float]) -> Crossing | None:
    """How a chain passes over a round of its own radius along one of its edges; None where it does not."""
    faces = sides_of(graph.uses[edge])
    convex = graph.turn(edge) > 0.0
    which = [k for k in (0, 1) if _is_round(faces[k], sizes[edge], convex)]
    if len(which) != 1 or edge.start is None or edge.end is None:
        return None
    stars = tuple(_star(graph, vertex, edge) for vertex in (edge.start, edge.end))
    found = Crossing(edge, faces[1 - which[0]], faces[which[0]], (stars[0], stars[1]))
    for star in stars:
        ends = [wedge.exit[0] for wedge in star]
        if len(star) != 3 or len([e for e in ends if e in sizes and sizes[e] == sizes[edge]]) != 2:
            return None
        if not any(graph.turn(e) == 0.0 for e in ends):
            return None
    return found


def _is_round(face: Face, radius: float, convex: bool) -> bool:
    return face.outward is convex and abs(_radius(face.surface) - radius) <= RESOLUTION


def _radius(surface: Surface) -> float:
    if isinstance(surface, TorusSurface):
        return surface.minor
    return surface.radius if isinstance(surface, CylinderSurface) or type(surface) is CanalSurface else 0.0


def _star(graph: EdgeGraph, vertex: Vertex, edge: Edge) -> list[Wedge]:
    return next(star for star in graph.stars[vertex] if edge in [wedge.exit[0] for wedge in star])


def close_crossing(around: Surroundings, found: Crossing) -> None:
    """End the strips beside an edge that is crossed, and the round, on a ball.

    Raises UnknownCornerError where no ball touches the three faces there.
    """
    sides = [next(w.face for w in star if w.face not in (found.across, found.round)) for star in found.stars]
    ends = [_end_between(star, side, found.across) for star, side in zip(found.stars, sides, strict=True)]
    vertex = found.edge.start
    assert vertex is not None
    if any(end[0] not in around.strips for end in ends):  # crossed itself
        raise UnknownCornerError(around, vertex, found.stars[0])
    strip = around.strips[ends[0][0]]
    d = -strip.size if strip.convex else strip.size
    center = equidistant([*sides, found.across], d, vertex.point)
    if center is None or sides[0] is sides[1]:
        raise UnknownCornerError(around, vertex, found.stars[0])
    feet = {face: Vertex(_foot(face, center, d)) for face in (*sides, found.across)}
    for star, side, end in zip(found.stars, sides, ends, strict=True):
        border = _end_between(star, side, found.round)
        curves = [around.strip(end)[0].contact(face) for face in (side, found.across)]
        spots = [feet[side].point, feet[found.across].point, feet[side].point]
        for curve, spot in zip([*curves, border[0].curve], spots, strict=True):
            if distance(curve.point(curve.parameter(spot)), spot) > RESOLUTION:
                raise UnknownCornerError(around, vertex, star)
        around.changes.moved[border] = feet[side]
        for face in (side, found.across):
            around.set_contact(end, face, feet[face])
    # the faces about the ball, in the order of those at the first star
    ring = [sides[0], found.across, sides[1]]
    if _follows(found.stars[0], found.across, sides[0]):
        ring.reverse()
    paths = {
        (ring[k - 1], face): arc_between(center, feet[ring[k - 1]], feet[face]) for k, face in enumerate(ring)
    }
    for (before, face), path in paths.items():
        if found.across in (before, face):
            around.changes.caps[ends[sides.index(face if before is found.across else before)]] = [path]
        else:
            around.changes.replaced[found.edge, found.round] = [path]
    around.changes.replaced[found.edge, found.across] = []
    surface = SphereSurface(Plane(center, (0.0, 0.0, 1.0)), strip.size)
    loop = Loop(tuple(reversed_path(list(paths.values()))))
    around.changes.corners.append((Face(surface, strip.outward, (loop,), around.names), found.across))


def _foot(face: Face, center: Vec3, d: float) -> Vec3:
    n = face.outward_normal(center)
    return (center[0] - d * n[0], center[1] - d * n[1], center[2] - d * n[2])


def _end_between(star: list[Wedge], one: Face, two: Face) -> EdgeEnd:
    """The end, at the vertex of a star, of the edge between two of its faces."""
    for k, wedge in enumerate(star):
        if {wedge.face, star[k - 1].face} == {one, two}:
            return wedge.entry
    raise AssertionError("the faces are not neighbours in the star")


def _follows(star: list[Wedge], one: Face, two: Face) -> bool:
    """Whether `two` comes next after `one` in a star."""
    faces = [wedge.face for wedge in star]
    return faces[(faces.index(one) + 1) % len(faces)] is two
