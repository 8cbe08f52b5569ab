"""The strips of one pass and the stars of vertices between them, and what is to become of these."""

from __future__ import annotations

from dataclasses import dataclass, field

from ...geometry.tolerance import RESOLUTION, SMOOTH
from ...geometry.vector import distance
from ...topology.brep import Coedge, Edge, Face, Vertex
from ...topology.names import FaceName
from ..refitting.errors import FitError, TooLargeError
from ..refitting.meeting import FAR, REACH, closest, hit_near
from ..refitting.sides import pointed_ends, sides_of, turn_at
from ..refitting.wedges import EdgeEnd, Uses, Wedge
from .joining import Spot, share_of
from .strips import Strip


@dataclass
class Changes:
    """What replaces the surroundings of edges and vertices.

    moved : where ends of edges that stay now lie. contacts : where contact curves end, by the edge's end and
    the face. inserted : what a loop runs along in place of a vertex, by face and entry. caps : across the end
    of a strip, from the face that leaves by its edge to the one that arrives by it. corners : new faces.
    replaced : what a loop runs along in place of an edge, by edge and face.
    turning : edges whose ends may pass each other; they then run the other way. passed : vertices that vanish
    since a strip that ends at another passes over them.
    """

    moved: dict[EdgeEnd, Vertex] = field(default_factory=dict)
    contacts: dict[tuple[Edge, bool, Face], Vertex] = field(default_factory=dict)
    inserted: dict[tuple[Face, EdgeEnd], list[Coedge]] = field(default_factory=dict)
    caps: dict[EdgeEnd, list[Coedge]] = field(default_factory=dict)
    corners: list[tuple[Face, Face]] = field(default_factory=list)
    replaced: dict[tuple[Edge, Face], list[Coedge]] = field(default_factory=dict)
    turning: set[Edge] = field(default_factory=set)
    passed: set[Vertex] = field(default_factory=set)


@dataclass(frozen=True, eq=False)
class Surroundings:
    """All strips of one pass, the faces at every edge, and the changes found so far. names : of the faces
    that fill corners. facets : whether three flat bevels get one there."""

    strips: dict[Edge, Strip]
    uses: Uses
    names: tuple[FaceName, ...]
    facets: bool = False
    changes: Changes = field(default_factory=Changes)

    def strip(self, end: EdgeEnd) -> tuple[Strip, float]:
        """The strip of a blended edge, and the parameter at one end."""
        strip = self.strips[end[0]]
        return strip, strip.at_end(end[1])

    def turn(self, edge: Edge) -> float:
        """The angle between the outward normals half way along, positive where convex, 0.0 where smooth."""
        turn = turn_at(edge, sides_of(self.uses[edge]), 0.5 * (edge.t0 + edge.t1))
        return turn if abs(turn) > SMOOTH else 0.0

    def is_smooth(self, edge: Edge) -> bool:
        """Whether the faces of an edge have one normal along it."""
        return self.turn(edge) == 0.0

    def is_tip(self, end: EdgeEnd) -> bool:
        """Whether the faces of an edge come to meet smoothly at an end of it."""
        return pointed_ends(end[0], sides_of(self.uses[end[0]]))[end[1]]

    def set_contact(self, end: EdgeEnd, face: Face, vertex: Vertex) -> None:
        """Let the contact on a face end at a vertex."""
        self.changes.contacts[end[0], end[1], face] = vertex

    def ending(self, end: EdgeEnd, face: Face, end_face: Face, reach: float = FAR) -> Spot:
        """Where the contact on a face meets the face at the end."""
        strip, t = self.strip(end)
        contact = strip.contact(face)
        found = hit_near(contact, t, end_face.surface, strip.size, end_face, reach=reach)
        return Vertex(contact.point(found)), share_at(strip, face), found

    def ending_before(self, end: EdgeEnd, face: Face, end_face: Face) -> Spot:
        """As `ending`, on a face with a cusp, where the contact ends before the edge does."""
        strip, t = self.strip(end)
        contact, reach = strip.contact(face), max(strip.size, end[0].length / REACH)
        found = hit_near(contact, t, end_face.surface, reach, end_face, (-1.0,) if end[1] else (1.0,))
        return Vertex(contact.point(found)), share_at(strip, face), found

    def crossing(self, end: EdgeEnd, border: Coedge) -> Spot:
        """Where the strip meets an edge between two faces at the end."""
        strip, t = self.strip(end)
        edge = border.edge
        start = edge.t0 if border.forward else edge.t1
        s = hit_near(edge.curve, start, strip.surface, strip.size, self.uses[edge][0][0])
        point = edge.curve.point(s)
        along = strip.parameter(point, t)
        return Vertex(point), share_of(strip, point, along), along

    def contacts_meet(self, one: EdgeEnd, two: EdgeEnd, face: Face) -> tuple[Vertex, float, float]:
        """Where the contacts of two strips on a common face cross; with the parameter on each."""
        (sa, ta), (sb, tb) = self.strip(one), self.strip(two)
        a, b = sa.contact(face), sb.contact(face)
        s, t = closest(a, ta, b, tb)
        if distance(a.point(s), b.point(t)) > RESOLUTION:
            raise TooLargeError("two new faces do not meet", face)
        return Vertex(a.point(s)), s, t


def share_at(strip: Strip, face: Face) -> float:
    """How far across a strip its contact on a face lies."""
    return 0.0 if face is strip.faces[0] else 1.0


class UnknownCornerError(FitError):
    """A corner that none of the ways fits. edges : the blended ones of it."""

    def __init__(self, around: Surroundings, vertex: Vertex, star: list[Wedge]) -> None:
        x, y, z = vertex.point
        super().__init__(f"a corner of this kind cannot be closed, at ({x:.6g}, {y:.6g}, {z:.6g})")
        self.edges = [wedge.leaves.edge for wedge in star if wedge.leaves.edge in around.strips]


def both_ends(around: Surroundings, star: list[Wedge]) -> tuple[EdgeEnd, EdgeEnd]:
    """The ends of the two blended edges of a star that begins behind the first."""
    second = next(
        k for k, wedge in enumerate(star) if wedge.leaves.edge in around.strips and k < len(star) - 1
    )
    return star[0].entry, star[second].exit


def both_sides(around: Surroundings, star: list[Wedge]) -> tuple[list[Wedge], list[Wedge]]:
    """The wedges from the first blended edge to the second, and those from the second to the first."""
    second = next(k for k, wedge in enumerate(star) if wedge.leaves.edge in around.strips)
    return star[: second + 1], star[second + 1 :]
