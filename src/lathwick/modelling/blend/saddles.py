"""Two blended edges that lie opposite each other on a saddle: between them are two of the other kind."""

from __future__ import annotations

from itertools import pairwise

from ...geometry.vector import dot, sub
from ...topology.brep import Vertex
from ..refitting.errors import TooLargeError
from ..refitting.meeting import curve_between
from ..refitting.wedges import Wedge, reversed_path
from .joining import Spot, strip_curve
from .vertex_stars import Surroundings, UnknownCornerError


def is_saddle(around: Surroundings, star: list[Wedge]) -> bool:
    """Whether four edges are convex and concave in turn, and the two blended ones of one kind."""
    if len(star) != 4 or star[1].leaves.edge not in around.strips:
        return False
    turns = [around.turn(wedge.leaves.edge) for wedge in star]
    return all(one * two < 0.0 for one, two in pairwise(turns))


def part_at_saddle(around: Surroundings, vertex: Vertex, star: list[Wedge]) -> None:
    """Both strips end, each on a neighbour of the other; these two neighbours get a common edge.

    star : a, b, c, d; the first edge is between d and a, the second between b and c. The first ends on b and
    the second on d, or the first on c and the second on a, where these faces reach so far.
    """
    a, b, c, d = star
    one, two = a.entry, b.exit
    for first, second in ((b, d), (c, a)):
        try:
            ends = (
                (around.ending(one, a.face, first.face), around.ending(one, d.face, first.face)),
                (around.ending(two, c.face, second.face), around.ending(two, b.face, second.face)),
            )
        except TooLargeError:
            continue
        near = (ends[0][1], ends[1][1]) if first is b else (ends[0][0], ends[1][0])
        p, q = (sub(spot[0].point, vertex.point) for spot in near)
        if dot(p, q) < 0.0:
            _part(around, star, ends, first is b)
            return
    raise UnknownCornerError(around, vertex, star)


Pair = tuple[Spot, Spot]


def _part(around: Surroundings, star: list[Wedge], ends: tuple[Pair, Pair], on_b: bool) -> None:
    """ends : of each strip, on the face that arrives by its edge and on the one that leaves by it."""
    a, b, c, d = star
    one, two = a.entry, b.exit
    (at_a, at_d), (at_c, at_b) = ends
    first, second = (b, d) if on_b else (c, a)
    paths = [
        strip_curve(around.strips[end[0]], wedge.face.surface, spots, wedge.face)
        for end, wedge, spots in ((one, first, ends[0]), (two, second, ends[1]))
    ]
    for end, wedge, spot in ((one, a, at_a), (one, d, at_d), (two, c, at_c), (two, b, at_b)):
        around.set_contact(end, wedge.face, spot[0])
    changes = around.changes
    if on_b:
        new = curve_between(b.face, d.face, at_d[0], at_b[0])
        changes.moved[a.exit], changes.moved[c.exit] = at_a[0], at_c[0]
        changes.inserted[b.face, b.entry] = [paths[0], new]
        changes.inserted[d.face, d.entry] = [paths[1], *reversed_path([new])]
    else:
        new = curve_between(a.face, c.face, at_a[0], at_c[0])
        changes.moved[a.exit], changes.moved[c.exit] = at_b[0], at_d[0]
        changes.inserted[a.face, a.entry] = [new, paths[1]]
        changes.inserted[c.face, c.entry] = [*reversed_path([new]), paths[0]]
    changes.caps[one], changes.caps[two] = reversed_path(paths[:1]), reversed_path(paths[1:])
