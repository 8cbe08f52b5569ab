"""What becomes of the vertices at which rounded or bevelled edges end.

* A strip that has lost its width, where its faces meet smoothly, ends in the vertex;
* one blended edge runs out against the faces between its two neighbours;
* two that continue each other share a section across;
* two that continue each other past a face that touches them end on that;
* two that lie opposite each other on a saddle run out against each other's neighbours;
* two that meet at an angle are mitred;
* three or more with one ball that touches all faces get a piece of its sphere (or a plane, of bevels).
"""

from __future__ import annotations

from collections.abc import Sequence

from ...topology.brep import Vertex
from ..refitting.wedges import EdgeEnd, Wedge
from .balls import close
from .flush import is_touched, part_at_touch
from .mitres import continue_each_other, mitre, pass_on
from .run_outs import run_out
from .saddles import is_saddle, part_at_saddle
from .vertex_stars import Surroundings, UnknownCornerError


def solve_corner(around: Surroundings, vertex: Vertex, star: list[Wedge]) -> None:
    """Add what becomes of one star. Raises ModellingError for a corner of another kind."""
    blended = [k for k, wedge in enumerate(star) if wedge.leaves.edge in around.strips]
    tips = [around.is_tip(star[k].exit) for k in blended]
    if all(tips):
        _end_in(around, vertex, [star[k].exit for k in blended])
        return
    if any(tips):
        raise UnknownCornerError(around, vertex, star)
    turned = star[blended[0] + 1 :] + star[: blended[0] + 1]
    count = len(blended)
    if count == 1:
        run_out(around, vertex, turned)
    elif count == 2 and is_saddle(around, turned):
        part_at_saddle(around, vertex, turned)
    elif count == 2 and is_touched(around, turned):
        part_at_touch(around, turned)
    elif count == 2 and continue_each_other(around, turned):
        pass_on(around, vertex, turned)
    elif count == 2:
        mitre(around, vertex, turned)
    elif count == len(star):
        close(around, vertex, turned)
    else:
        raise UnknownCornerError(around, vertex, star)


def _end_in(around: Surroundings, vertex: Vertex, ends: Sequence[EdgeEnd]) -> None:
    """Let strips without width at their ends end in a vertex."""
    for end in ends:
        around.changes.caps[end] = []
        for face in around.strips[end[0]].faces:
            around.set_contact(end, face, vertex)
