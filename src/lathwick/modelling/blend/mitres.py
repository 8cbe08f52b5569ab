"""Two blended edges at a vertex: they continue each other, or are mitred."""

from __future__ import annotations

from ...geometry.tolerance import JOIN, RESOLUTION
from ...geometry.vector import distance
from ...topology.brep import Coedge, Face, Vertex
from ..refitting.errors import TooLargeError
from ..refitting.meeting import FAR, closest, hit_near
from ..refitting.wedges import EdgeEnd, Wedge, continues, reversed_path
from .joining import Spot, share_of, strip_curve
from .vertex_stars import Surroundings, UnknownCornerError, both_ends, both_sides, share_at


def continue_each_other(around: Surroundings, star: list[Wedge]) -> bool:
    """Whether the two blended edges of a star go on in one direction at the vertex, and no edge between two
    neighbours of theirs comes there smoothly alone, to part them farther on."""
    return continues(*both_ends(around, star)) and all(
        around.is_smooth(side[0].leaves.edge) for side in both_sides(around, star) if len(side) == 2
    )


def pass_on(around: Surroundings, vertex: Vertex, star: list[Wedge]) -> None:
    """Both strips end at the section where the ball comes to lie on the smooth edge between neighbours;
    without such an edge, across the vertex."""
    one, two = both_ends(around, star)
    sides = both_sides(around, star)
    if any(len(side) > 2 for side in sides):
        raise UnknownCornerError(around, vertex, star)
    strips = around.strip(one)[0], around.strip(two)[0]
    t = _turning_points(around, (one, two), sides)
    feet = []
    for side in sides:
        first, last = (0, 1) if side[0] is star[0] else (1, 0)
        p = strips[first].contact(side[0].face).point(t[first])
        q = strips[last].contact(side[-1].face).point(t[last])
        if distance(p, q) > JOIN:
            raise TooLargeError("two new faces do not meet", side[0].face)
        foot = Vertex(p)
        if len(side) == 2:
            if not around.is_smooth(side[0].leaves.edge):
                raise UnknownCornerError(around, vertex, star)
            around.changes.moved[side[0].exit] = foot
        around.set_contact((one, two)[first], side[0].face, foot)
        around.set_contact((one, two)[last], side[-1].face, foot)
        feet.append(foot)
    # the first strip's cap runs from the side where it is left to the side where it is arrived by
    section = strips[0].section(feet[1], feet[0], t[0])
    around.changes.caps[one] = [section]
    around.changes.caps[two] = reversed_path([section])


def _turning_points(
    around: Surroundings,
    ends: tuple[EdgeEnd, EdgeEnd],
    sides: tuple[list[Wedge], list[Wedge]],
) -> list[float]:
    """The parameters of both strips at the section that they share."""
    found = [around.strip(end)[1] for end in ends]
    for side in sides:
        if len(side) != 2:
            continue
        border = side[0].leaves
        order = (0, 1) if side[0].entry == ends[0] else (1, 0)
        for k, wedge in zip(order, side, strict=True):
            strip, t = around.strip(ends[k])
            contact = strip.contact(wedge.face)
            s = border.edge.t0 if border.forward else border.edge.t1
            at, on = closest(contact, t, border.edge.curve, s)
            if distance(contact.point(at), border.edge.curve.point(on)) > RESOLUTION:
                raise TooLargeError("the new face does not keep to its neighbours", wedge.face)
            found[k] = at
    return found


def mitre(around: Surroundings, vertex: Vertex, star: list[Wedge]) -> None:
    """Both strips end where they meet, on a face that they share and another on either side."""
    one, two = both_ends(around, star)
    sides = both_sides(around, star)
    common = next((s for s in sides if len(s) == 1), None)
    other = sides[0] if common is sides[1] else sides[1]
    if common is None or len(other) != 2:
        raise UnknownCornerError(around, vertex, star)
    # the far side runs from edge `a` over faces `fa`, `fb` to edge `b`
    a, b = (one, two) if other is sides[0] else (two, one)
    (sa, ta), (sb, tb) = around.strip(a), around.strip(b)
    if sa.convex is not sb.convex:
        raise UnknownCornerError(around, vertex, star)
    fa, fb, shared = other[0], other[1], common[0].face
    inner, ia, ib = around.contacts_meet(a, b, shared)
    qa = hit_near(sa.contact(fa.face), ta, fb.face.surface, sa.size, fb.face, reach=FAR)
    qb = hit_near(sb.contact(fb.face), tb, fa.face.surface, sb.size, fa.face, reach=FAR)
    pa, pb = Vertex(sa.contact(fa.face).point(qa)), Vertex(sb.contact(fb.face).point(qb))
    for end in (a, b):
        around.set_contact(end, shared, inner)
    start = (inner, share_at(sa, shared), ia)
    if distance(pa.point, pb.point) <= RESOLUTION:
        path = strip_curve(sa, sb.surface, (start, (pa, share_at(sa, fa.face), qa)), fa.face)
        around.set_contact(a, fa.face, pa)
        around.set_contact(b, fb.face, pa)
        around.changes.moved[fa.exit] = pa
        caps = [path], [path]
    else:
        far = (fa, fb)
        if distance(pa.point, vertex.point) > distance(pb.point, vertex.point):
            caps = _offset_mitre(around, (a, fa.face, pa, qa), (b, fb.face), start, far)
        else:
            begin = (inner, share_at(sb, shared), ib)
            turned = _offset_mitre(around, (b, fb.face, pb, qb), (a, fa.face), begin, far)
            caps = turned[1], turned[0]
    # a is arrived by on its own far face and left by on the shared one: its cap runs shared -> far
    around.changes.caps[a] = caps[0]
    around.changes.caps[b] = reversed_path(caps[1])


def _offset_mitre(
    around: Surroundings,
    deep: tuple[EdgeEnd, Face, Vertex, float],
    other: tuple[EdgeEnd, Face],
    start: Spot,
    far: tuple[Wedge, Wedge],
) -> tuple[list[Coedge], list[Coedge]]:
    """A mitre of strips that cut into the edge between their far faces to different depths.

    deep : the edge's end of the deeper strip, its far face, and where its contact there ends, with the
    parameter. It also ends on the far face of the other. Returns the caps of both, from the shared face.
    """
    (end, face, outer, q), (other_end, other_face) = deep, other
    strip, (second, t) = around.strip(end)[0], around.strip(other_end)
    contact = second.contact(other_face)
    point = contact.point(hit_near(contact, t, strip.surface, second.size, other_face, reach=FAR))
    u = strip.parameter(point, q)
    middle = (Vertex(point), share_of(strip, point, u), u)
    mitre = strip_curve(strip, second.surface, (start, middle), other_face)
    ends = (middle, (outer, share_at(strip, face), q))
    rest = strip_curve(strip, other_face.surface, ends, other_face)
    around.set_contact(end, face, outer)
    around.set_contact(other_end, other_face, middle[0])
    fa, fb = far
    around.changes.moved[fa.exit] = outer
    if face is fa.face:
        around.changes.inserted[fb.face, fb.entry] = reversed_path([rest])
    else:
        around.changes.inserted[fa.face, fa.entry] = [rest]
    return [mitre, rest], [mitre]
