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
from .attempts import Wishes, blended
from .canals import canal_strip
from .passes import Blend
from .prisms import prism_round
from .selecting import EdgeGraph
from .strips import Strip, round_strip
from .varying import easing_strip, is_level, joining_strip, varying_strip
from .vertex_stars import EdgeEnd

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
    if isinstance(radius, Sequence) and (chain := _one_chain(body, edges)):
        return _varying(body, chain, radius, names)
    sizes = sizes_of_edges(body, edges, radius)
    blend = Blend(_strip, "rounded", "radius", *names, easing_strip)
    return blended(body, sizes, blend, Wishes(follow, skip, warn))


def _one_chain(body: Body, edges: Edges | Sequence[Edges]) -> list[EdgeEnd]:
    """The ends at which one runs into the edges of a chain, in order, if an edge alone or a selection of one
    chain is given; else none."""
    if not isinstance(edges, (BodyEdge, Selection)):
        return []
    chosen = chosen_edges(body, edges)
    ring = EdgeGraph(body).row(chosen[0])
    return ring if {edge for edge, _ in ring}.issuperset(chosen) else []


def _varying(
    body: Body, chain: Sequence[EdgeEnd], radii: Sequence[float], names: tuple[FaceName, FaceName]
) -> Body:
    if len(radii) != 2:
        raise ModellingError(f"a chain of edges takes a radius, or two for its ends, got {len(radii)}")
    ends = checked_size(radii[0], "a radius"), checked_size(radii[1], "a radius")
    most, slope = max(ends), (ends[1] - ends[0]) / sum(edge.length for edge, _ in chain)
    if chain[0][0].is_closed:
        raise ModellingError("a radius cannot vary along a closed edge: it has no ends")
    if _is_ring(body, chain):
        raise ModellingError("a radius cannot vary along a chain that closes: it has no ends")
    laws: dict[Edge, tuple[float, float]] = {}
    ways = {edge: -1.0 if at_end else 1.0 for edge, at_end in chain}
    here = ends[0]
    for edge, at_end in chain:
        there = here + slope * edge.length
        laws[edge] = (there, here) if at_end else (here, there)
        here = there

    def make(edge: Edge, faces: tuple[Face, Face], size: float) -> Strip:
        first, last = laws[edge]
        if is_level(ends, sum(one.length for one, _ in chain)):
            return _strip(edge, faces, size)
        scaled = first * (size / most), last * (size / most)
        if len(laws) == 1:
            return varying_strip(edge, faces, scaled)
        return joining_strip(edge, faces, scaled, ways[edge] * slope * (size / most))

    return blended(body, dict.fromkeys(laws, most), Blend(make, "rounded", "radius", *names))


def _is_ring(body: Body, chain: Sequence[EdgeEnd]) -> bool:
    edge, at_end = chain[-1]
    following = EdgeGraph(body).next_in_chain((edge, not at_end))
    return following is not None and following[0] is chain[0][0]


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
