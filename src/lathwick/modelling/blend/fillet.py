"""Rounds of edges by a rolling ball."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from numbers import Real

from ...errors import ModellingError, naming_its_step
from ...geometry.tolerance import RESOLUTION
from ...topology.body import Body, BodyEdge
from ...topology.brep import Edge, Face
from ...topology.names import FaceName
from ...topology.selection import Selection
from ..combine import Warn, silent
from ..refitting.errors import TooLargeError
from .attempts import Wishes, blended
from .canals import canal_strip
from .passes import Blend
from .prisms import prism_round
from .selecting import EdgeGraph, Row
from .strips import Strip, round_strip
from .varying import easing_strip, is_level, joining_strip, varying_strip

Edges = Iterable[BodyEdge] | BodyEdge


@naming_its_step
def fillet(
    body: Body,
    edges: Edges | Sequence[Edges],
    radius: float | Sequence[float],
    *,
    follow: bool = True,
    skip: bool = False,
    step: str = "",
    warn: Warn = silent,
) -> Body:
    """The body with edges rounded by a ball of the given radius that rolls along them.

    edges : a selection; or several selections, with a radius for each; or one open edge with two radii, for
        its start and its end: between them the radius is linear, by length. The same along a chain of edges
        that continue each other smoothly, from its end before the first edge of the selection to the other.

    follow : False keeps to the chosen edges: where others continue them smoothly the round ends in a step,
        square to the edge. skip : True leaves edges as they are that spoil the radius for the others; `warn`
        is told which.

    Material is taken off at convex edges and filled in at concave ones; edges that continue others smoothly
    are rounded with them. Where edges of both kinds meet, the odd one is rounded first; where radii differ,
    the largest, and around its end the radius changes smoothly from that of one edge to that of the next; if
    there is no room for that, along the start of the smaller. It also changes along one edge that is not
    chosen and joins two chosen ones of unlike radii smoothly. Where a rim crosses rounds narrower than its
    own, its parts beside them meet in mitres, and those rounds end on it. Faces: `step/round`, and
    `step/corner` where rounds meet in a ball.

    Raises ModellingError for edges of another body, and for a radius that does not fit: it names the edge,
    the face in the way and the largest radius that works (its `limit`), or two that work for the convex and
    the concave edges, or one that works without some edges.

    Source: Vida, Martin & Varady, "A survey of blending methods that use parametric surfaces",
    Computer-Aided Design 26 (1994).
    """
    names = FaceName(step, "round"), FaceName(step, "corner")
    wishes = Wishes(follow, skip, warn)
    if isinstance(radius, Sequence) and (row := _row_of(body, edges)):
        return _varying(body, row, radius, names, wishes)
    sizes = sizes_of_edges(body, edges, radius)
    return blended(body, sizes, Blend(_strip, "rounded", "radius", *names, easing_strip), wishes)


def _row_of(body: Body, edges: Edges | Sequence[Edges]) -> Row | None:
    """The edges of a chain one after the other, if an edge alone or a selection of one chain is given."""
    if not isinstance(edges, (BodyEdge, Selection)):
        return None
    chosen = chosen_edges(body, edges)
    row = EdgeGraph(body).row(chosen[0])
    return row if {edge for edge, _ in row.ends}.issuperset(chosen) else None


def _varying(
    body: Body, row: Row, radii: Sequence[float], names: tuple[FaceName, FaceName], wishes: Wishes
) -> Body:
    if len(radii) != 2:
        raise ModellingError(f"a chain of edges takes a radius, or two for its ends, got {len(radii)}")
    if not wishes.follow:
        raise ModellingError("a radius that varies does so along a whole chain; follow=False has no meaning")
    ends = checked_size(radii[0], "a radius"), checked_size(radii[1], "a radius")
    if row.closes or row.ends[0][0].is_closed:
        what = "a chain that closes" if row.closes else "a closed edge"
        raise ModellingError(f"a radius cannot vary along {what}: it has no ends")
    length, most = sum(edge.length for edge, _ in row.ends), max(ends)
    slope, here = (ends[1] - ends[0]) / length, ends[0]
    laws: dict[Edge, tuple[float, float, float]] = {}
    for edge, at_end in row.ends:
        there = here + slope * edge.length
        laws[edge] = (there, here, -slope) if at_end else (here, there, slope)
        here = there

    def make(edge: Edge, faces: tuple[Face, Face], size: float) -> Strip:
        if is_level(ends, length):
            return _strip(edge, faces, size)
        law = next(iter(laws.values())) if len(laws) == 1 else laws.get(edge)
        if law is None:  # what other ways make of a chain has lost how far along each part is
            raise TooLargeError("a radius that varies does not go on over other faces", faces[0])
        first, last, growth = (value * (size / most) for value in law)
        if len(laws) == 1:
            return varying_strip(edge, faces, (first, last))
        return joining_strip(edge, faces, (first, last), growth)

    return blended(body, dict.fromkeys(laws, most), Blend(make, "rounded", "radius", *names), wishes)


def _strip(edge: Edge, faces: tuple[Face, Face], radius: float) -> Strip:
    """An exact surface where there is one, else a canal."""
    exact = round_strip(edge, faces, radius) or prism_round(edge, faces, radius)
    return exact or canal_strip(edge, faces, radius)


def sizes_of_edges(
    body: Body,
    edges: Edges | Sequence[Edges],
    size: float | Sequence[float],
    called: tuple[str, str] = ("a radius", "radii"),
) -> dict[Edge, float]:
    """The size of every edge; called : what one and several are called. Raises ModellingError for an edge
    with two of them."""
    one, several = called
    if not isinstance(size, Sequence):
        return dict.fromkeys(chosen_edges(body, edges), checked_size(size, one))
    sizes = list(size)
    groups = [] if isinstance(edges, BodyEdge) else list(edges)
    if len(groups) != len(sizes):
        raise ModellingError(f"{len(sizes)} {several} need as many selections of edges, got {len(groups)}")
    found: dict[Edge, float] = {}
    for group, value in zip(groups, sizes, strict=True):
        checked = checked_size(value, one)
        for edge in chosen_edges(body, group):
            if found.setdefault(edge, checked) != checked:
                raise ModellingError(f"an edge has two {several}, {found[edge]:g} and {checked:g}")
    return found


def checked_size(value: object, what: str) -> float:
    """The value as a float. Raises ModellingError if it is no length of more than the resolution."""
    if isinstance(value, bool) or not isinstance(value, Real) or not float(value) > RESOLUTION:
        raise ModellingError(f"{what} must be more than {RESOLUTION:g}, got {value!r}")
    return float(value)


def chosen_edges(body: Body, edges: Edges | Sequence[Edges]) -> list[Edge]:
    """The edges of a selection. Raises ModellingError for none, and for what is no edge of the body."""
    items = [edges] if isinstance(edges, BodyEdge) else list(edges)
    if not items:
        raise ModellingError("no edge is selected")
    found: dict[Edge, None] = {}
    for item in items:
        if not isinstance(item, BodyEdge):
            raise ModellingError(f"edges are wanted, got {item!r}")
        if item.brep not in body.faces_of_edge:
            raise ModellingError("an edge belongs to another body; select edges of the body that is passed")
        found[item.brep] = None
    return list(found)
