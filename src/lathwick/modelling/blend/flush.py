"""Two blended edges that continue each other past a face that touches them: a boss flush with a side."""

from __future__ import annotations

from ...geometry.tolerance import JOIN, RESOLUTION
from ...geometry.vector import distance, dot
from ...topology.brep import Vertex
from ..refitting.errors import TooLargeError
from ..refitting.wedges import EdgeEnd, Wedge, reversed_path
from .joining import strip_curve
from .mitres import continue_each_other
from .vertex_stars import Surroundings, both_ends, both_sides, share_at

FLAT = 1e-12
SMALL_STEP = 1e-3
STEADY = 1e-14
"""A contact whose slope changes by less over such a step has no place at which it touches."""


def is_touched(around: Surroundings, star: list[Wedge]) -> bool:
    """Whether two blended edges continue each other, with one face along both and, on the other side, a
    face between theirs that only touches them."""
    sizes = sorted(len(side) for side in both_sides(around, star))
    return sizes == [1, 3] and continue_each_other(around, star)


def part_at_touch(around: Surroundings, star: list[Wedge]) -> None:
    """Both strips end on the face that touches, which reaches to where it touches the face along them.

    Raises TooLargeError where it does not.
    """
    ends, sides = both_ends(around, star), both_sides(around, star)
    if len(sides[0]) == 3:
        (a, b), far, along = ends, sides[0], sides[1][0]
    else:
        (b, a), far, along = ends, sides[1], sides[0][0]
    (tip, ta), (other, tb) = (_tip(around, end, along, far[1]) for end in (a, b))
    if distance(tip.point, other.point) > JOIN:
        raise TooLargeError("two new faces do not meet", along.face)
    paths, spots = [], []
    for end, wedge, t in ((a, far[0], ta), (b, far[2], tb)):
        strip = around.strips[end[0]]
        spots.append(around.ending_before(end, wedge.face, far[1].face))
        last = (tip, share_at(strip, along.face), t)
        paths.append(strip_curve(strip, far[1].face.surface, (spots[-1], last), far[1].face))
        around.set_contact(end, wedge.face, spots[-1][0])
        around.set_contact(end, along.face, tip)
    changes = around.changes
    changes.moved[far[0].exit], changes.moved[far[2].entry] = spots[0][0], spots[1][0]
    changes.inserted[far[1].face, far[1].entry] = [paths[0], *reversed_path(paths[1:])]
    changes.caps[a], changes.caps[b] = reversed_path(paths[:1]), paths[1:]


def _tip(around: Surroundings, end: EdgeEnd, along: Wedge, touching: Wedge) -> tuple[Vertex, float]:
    """Where the contact on the face along a strip touches the face that touches it, and the parameter."""
    strip, t = around.strip(end)
    contact, surface = strip.contact(along.face), touching.face.surface

    def slope(s: float) -> float:
        return dot(contact.tangent(s), surface.normal(contact.point(s)))

    near = t + SMALL_STEP * abs(strip.span[1] - strip.span[0])
    if abs(slope(t)) > FLAT and abs(slope(near) - slope(t)) > STEADY:
        from scipy.optimize import root_scalar

        found = root_scalar(slope, x0=t, x1=near, xtol=1e-15)
        t = found.root if found.converged else t
    point = contact.point(t)
    if abs(surface.gap(point)) > RESOLUTION:
        raise TooLargeError("two new faces do not meet", touching.face)
    return Vertex(point), t
