"""What becomes of the vertices at which rounded or bevelled edges end.

* One blended edge runs out against the faces between its two neighbours;
* two that continue each other share a section across;
* two that lie opposite each other on a saddle run out against each other's neighbours;
* two that meet at an angle are mitred;
* three or more with one ball that touches all faces get a piece of its sphere (or a plane, of bevels).
"""

from __future__ import annotations

from ...topology.brep import Vertex
from .balls import close
from .fans import Surroundings, UnknownCornerError, Wedge
from .mitres import continue_each_other, mitre, pass_on
from .run_outs import run_out
from .saddles import is_saddle, part_at_saddle


def solve_corner(around: Surroundings, vertex: Vertex, fan: list[Wedge]) -> None:
    """Add what becomes of one fan. Raises ModellingError for a corner of another kind."""
    blended = [k for k, wedge in enumerate(fan) if wedge.leaves.edge in around.strips]
    if not blended:
        return
    turned = fan[blended[0] + 1 :] + fan[: blended[0] + 1]
    count = len(blended)
    if count == 1:
        run_out(around, vertex, turned)
    elif count == 2 and is_saddle(around, turned):
        part_at_saddle(around, vertex, turned)
    elif count == 2 and continue_each_other(around, turned):
        pass_on(around, vertex, turned)
    elif count == 2:
        mitre(around, vertex, turned)
    elif count == len(fan):
        close(around, vertex, turned)
    else:
        raise UnknownCornerError(around, vertex, fan)
