"""A blended edge that ends at a vertex at which no other is blended."""

from __future__ import annotations

from ...geometry.contacts import SAME
from ...geometry.intersections import intersection
from ...geometry.tolerance import RESOLUTION
from ...geometry.vector import distance
from ...topology.brep import Coedge, Face, Vertex
from ..refitting.errors import TooLargeError
from ..refitting.meeting import REACH, closest, curve_between, hit_near
from ..refitting.wedges import EdgeEnd, Wedge, reversed_path
from .joining import Spot, share_of, strip_curve
from .passed_edges import beyond, first_passed, is_free, is_plain
from .strips import line_between
from .vertex_stars import Surroundings, UnknownCornerError, share_at

MOST_PASSED = 6
"""Over so many edges at most a strip's end passes beside those of the vertex."""

ACROSS = 1e-6
"""A point lies on a strip if it is off its sides by less, as a share of the way across."""


def run_out(around: Surroundings, vertex: Vertex, star: list[Wedge]) -> None:
    """Let the strip end on the faces between its two neighbours; where an edge between these is too short for
    that, also on those beyond it.

    star : from the face that arrives by the edge to the one that leaves by it.
    """
    for _ in range(MOST_PASSED):
        passed = _run_out(around, vertex, star)
        if passed is None:
            return
        star = beyond(around, star, passed)
    raise TooLargeError("the new face does not end on its neighbours", star[0].face)


def _run_out(around: Surroundings, vertex: Vertex, star: list[Wedge]) -> int | None:
    """As `run_out`; nothing is done if an edge between two of the faces is too short: the number of the first
    of these."""
    first, last, ends = star[0], star[-1], star[1:-1]
    end = first.entry
    strip = around.strips[end[0]]
    smooth = around.is_smooth(first.leaves.edge), around.is_smooth(last.arrives.edge)
    if not ends:
        raise UnknownCornerError(around, vertex, star)
    plain = is_plain(star)
    outer = [ends[0].face.surface, ends[-1].face.surface]
    if plain and len(ends) > 2 and outer[0].kind == "plane" and intersection(*outer) is SAME:
        _close_gap(around, vertex, star)
        return None
    for k in (0, 1) if plain and len(ends) > 1 else ():
        if _runs_beside(around, end, star, k, smooth[k]):
            _step_out(around, vertex, star, k)
            return None
    try:
        spots = _spots(around, star, smooth)
    except TooLargeError:
        if not plain:
            return _not_met(around, star, smooth)
        if len(ends) < 3 or any(smooth):
            raise
        _close_gap(around, vertex, star)
        return None
    passed = first_passed(around, star, [spot[0] for spot in spots], smooth)
    if passed is not None:
        return passed
    around.set_contact(end, first.face, spots[0][0])
    around.set_contact(end, last.face, spots[-1][0])
    around.changes.moved[first.exit] = spots[0][0]
    cap: list[Coedge] = []
    for k, wedge in enumerate(ends):
        between = spots[k], spots[k + 1]
        apart = between[0] is not between[1]
        path = [strip_curve(strip, wedge.face.surface, between, wedge.face)] if apart else []
        around.changes.inserted[wedge.face, wedge.entry] = path
        around.changes.moved[wedge.exit] = spots[k + 1][0]
        cap += path
    around.changes.caps[end] = reversed_path(cap)
    if any(smooth):  # the strip may pass the vertex, under the edge that it would end at
        around.changes.turning.update(wedge.exit[0] for wedge in ends)
        around.changes.turning.update((first.exit[0],))
    return None


def _not_met(around: Surroundings, star: list[Wedge], smooth: tuple[bool, bool]) -> int:
    """The number of the edge behind which the first or the last face lies, beyond edges that have been passed
    over, that a contact does not meet: that edge is passed over too. Raises TooLargeError if it cannot be."""
    for k, wedge, across in ((0, star[0], star[1]), (len(star) - 2, star[-1], star[-2])):
        try:
            around.ending(star[0].entry, wedge.face, across.face)
        except TooLargeError:
            if smooth[int(k > 0)] or not is_free(around, star, k):
                raise
            return k
    raise TooLargeError("the new face does not end on its neighbours", star[0].face)


def _spots(around: Surroundings, star: list[Wedge], smooth: tuple[bool, bool]) -> list[Spot]:
    """Where the strip passes from one face at its end to the next, from the first contact to the last.

    smooth : whether the first and the last face meet those at the end smoothly.
    """
    first, last, ends, end = star[0], star[-1], star[1:-1], star[0].entry
    if all(smooth):
        spots = [_at_border(around, end, first, 0), _at_border(around, end, last, 1)]
    elif any(smooth):
        k = smooth.index(True)
        spots = [_at_border(around, end, first if k == 0 else last, k), _under_edge(around, end, star, 1 - k)]
        spots = spots if k == 0 else spots[::-1]
    else:
        spots = [around.ending(end, first.face, ends[0].face), around.ending(end, last.face, ends[-1].face)]
    outer = spots[0], spots[-1]
    spots[1:1] = [
        _on_border(wedge.leaves, outer) or around.crossing(end, wedge.leaves) for wedge in ends[:-1]
    ]
    for k in range(1, len(spots)):
        if distance(spots[k - 1][0].point, spots[k][0].point) <= RESOLUTION:
            spots[k] = spots[k - 1]
    return spots


def _on_border(border: Coedge, spots: tuple[Spot, Spot]) -> Spot | None:
    """That of two spots through which the edge between two faces at the end passes: it touches the strip
    there, where one of them runs on from a face of the strip."""
    curve = border.edge.curve
    on = (s for s in spots if distance(curve.point(curve.parameter(s[0].point)), s[0].point) <= RESOLUTION)
    return next(on, None)


def _close_gap(around: Surroundings, vertex: Vertex, star: list[Wedge]) -> None:
    """A run-out against two faces that come together as the strip closes the gap between them, or takes what
    hid the edge in which they meet; what lies between them at the vertex stays. An edge from the vertex
    divides them."""
    first, last, near, far = star[0], star[-1], star[1], star[-2]
    end = first.entry
    strip = around.strips[end[0]]
    spots = around.ending(end, first.face, near.face), around.ending(end, last.face, far.face)
    one_plane = intersection(near.face.surface, far.face.surface) is SAME
    between = (
        _middle_of_gap(around, star, spots) if one_plane else _corner_of_gap(around, vertex, star, spots)
    )
    middle = between[0]
    near_half, far_half = (
        [] if a[0] is b[0] else [strip_curve(strip, wedge.face.surface, (a, b), wedge.face)]
        for wedge, a, b in ((near, spots[0], between), (far, between, spots[1]))
    )
    divide = line_between(middle, vertex) if one_plane else curve_between(near.face, far.face, middle, vertex)
    changes = around.changes
    around.set_contact(end, first.face, spots[0][0])
    around.set_contact(end, last.face, spots[1][0])
    changes.moved[first.exit], changes.moved[last.entry] = spots[0][0], spots[1][0]
    changes.inserted[near.face, near.entry] = [*near_half, divide]
    changes.inserted[far.face, far.entry] = [*reversed_path([divide]), *far_half]
    changes.caps[end] = reversed_path([*near_half, *far_half])


def _middle_of_gap(around: Surroundings, star: list[Wedge], spots: tuple[Spot, Spot]) -> Spot:
    """The middle of the curve in which a strip ends on two faces of one plane."""
    strip, t = around.strip(star[0].entry)
    near = star[1].face
    middle = strip_curve(strip, near.surface, spots, near).edge.midpoint()
    along = strip.parameter(middle, t)
    return Vertex(middle), share_of(strip, middle, along), along


def _corner_of_gap(around: Surroundings, vertex: Vertex, star: list[Wedge], spots: tuple[Spot, Spot]) -> Spot:
    """Where the strip meets the curve of two faces at its end that meet in the vertex alone as yet: at one of
    the spots where it ends on them, or between these."""
    near, far = star[1].face, star[-2].face
    for spot, other in ((spots[0], far), (spots[1], near)):
        if abs(other.surface.gap(spot[0].point)) <= RESOLUTION:
            return spot
    strip, t = around.strip(star[0].entry)
    found = intersection(near.surface, far.surface)
    for curve in [] if found is None or found is SAME else [*found.curves, *found.touches]:
        start = curve.parameter(vertex.point)
        if distance(curve.point(start), vertex.point) > RESOLUTION:
            continue
        for side in (1.0, -1.0):
            try:
                s = hit_near(curve, start, strip.surface, strip.size, near, (side,), REACH)
            except TooLargeError:
                continue
            point = curve.point(s)
            along = strip.parameter(point, t)
            share = share_of(strip, point, along)
            if -ACROSS <= share <= 1.0 + ACROSS:
                return Vertex(point), share, along
    raise TooLargeError("the new face does not end on its neighbours", near)


def _at_border(around: Surroundings, end: EdgeEnd, wedge: Wedge, k: int) -> Spot:
    """Where the contact on a face comes to the smooth border behind it (k = 0) or before it (k = 1)."""
    strip, t = around.strip(end)
    border = wedge.leaves if k == 0 else wedge.arrives
    start = border.edge.t0 if border.forward is (k == 0) else border.edge.t1
    contact = strip.contact(wedge.face)
    at, on = closest(contact, t, border.edge.curve, start)
    if distance(contact.point(at), border.edge.curve.point(on)) > RESOLUTION:
        raise TooLargeError("the new face does not keep to its neighbours", wedge.face)
    return Vertex(contact.point(at)), share_at(strip, wedge.face), at


def _under_edge(around: Surroundings, end: EdgeEnd, star: list[Wedge], k: int) -> Spot:
    """Where the contact on the first (k = 0) or last face ends, if the other has a smooth border: there the
    face has a cusp."""
    face, end_face = (star[0].face, star[1].face) if k == 0 else (star[-1].face, star[-2].face)
    return around.ending_before(end, face, end_face)


def _runs_beside(around: Surroundings, end: EdgeEnd, star: list[Wedge], k: int, smooth: bool) -> bool:
    """Whether the contact on the first (k = 0) or last face does not lead to the face at its end, but
    along it."""
    wedge, beyond = (star[0], star[1]) if k == 0 else (star[-1], star[-2])
    try:
        if smooth:
            _at_border(around, end, wedge, k)
        else:
            around.ending(end, wedge.face, beyond.face, REACH)
    except TooLargeError:
        return smooth or not _ends_before(around, end, wedge.face, beyond.face)
    return False


def _ends_before(around: Surroundings, end: EdgeEnd, face: Face, end_face: Face) -> bool:
    """Whether the contact on a face that ends in a cusp meets the face at the end farther back."""
    try:
        around.ending_before(end, face, end_face)
    except TooLargeError:
        return False
    return True


def _step_out(around: Surroundings, vertex: Vertex, star: list[Wedge], k: int) -> None:
    """A run-out where the edge goes on, between other faces: the strip ends on the one face at the end
    that stands across it, and that gets a new edge with the neighbour that goes on.

    k : 0 where the face that arrives by the edge goes on, 1 where that which leaves by it does.
    """
    goes_on, across, stays = (star[0], star[-2], star[-1]) if k == 0 else (star[-1], star[1], star[0])
    end = star[0].entry
    strip = around.strips[end[0]]
    near = around.ending(end, goes_on.face, across.face)
    far = around.ending(end, stays.face, across.face)
    step = curve_between(across.face, goes_on.face, near[0], vertex)
    around.set_contact(end, goes_on.face, near[0])
    around.set_contact(end, stays.face, far[0])
    path = strip_curve(strip, across.face.surface, (near, far), across.face)
    inserted = around.changes.inserted
    if k == 0:
        around.changes.moved[across.exit] = far[0]
        inserted[across.face, across.entry] = [*reversed_path([step]), path]
        inserted[goes_on.face, goes_on.entry] = [step]
        around.changes.caps[end] = reversed_path([path])
    else:
        around.changes.moved[across.entry] = far[0]
        inserted[across.face, across.entry] = [*reversed_path([path]), step]
        inserted[goes_on.face, goes_on.entry] = reversed_path([step])
        around.changes.caps[end] = [path]
