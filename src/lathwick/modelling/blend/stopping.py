"""Blends that keep to the chosen edges, though others continue them smoothly.

There the body is divided by the plane square to the edge. The parts are blended each by itself, where the
edge ends at a corner, and put together again: the strip ends in a step.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping

from ...errors import ModellingError
from ...geometry.placement import Plane
from ...geometry.tolerance import RESOLUTION
from ...geometry.vector import Vec3, distance
from ...topology.body import Body, renamed
from ...topology.brep import Edge
from ...topology.names import FaceName
from ..boolean.operations import combined
from ..combine import half_space, union
from .selecting import EdgeGraph

CUT = ":cut"
"""The step that makes the planes by which a body is divided; no step of a user is called so."""

SHARES = (0.1, 0.5, 0.9)
MOST_STOPS = 24
"""At more places a body is not divided: that takes long."""

Blended = Callable[[Body, Mapping[Edge, float]], Body]


def stopped(body: Body, sizes: Mapping[Edge, float], blended: Blended, step: str) -> Body:
    """The body with the edges blended and no others; the steps in which strips end are called `step/end`.
    Raises ModellingError, as `blended` does."""
    planes = _stops(body, sizes)
    if not planes:
        return blended(body, sizes)
    if len(planes) > MOST_STOPS:
        raise ModellingError(
            f"the chosen edges go on smoothly at {len(planes)} places, which are not followed; a blend ends "
            f"at {MOST_STOPS} at most"
        )
    parts = [body]
    for plane in planes:
        parts = [part for whole in parts for part in _halves(whole, plane)]
    made = []
    for part in parts:
        here = _edges_in(part, body, sizes)
        made.append(blended(part, here) if here else part)
    end = (FaceName(step, "end"),)
    return renamed(
        union(*made), lambda face: end if any(name.step == CUT for name in face.names) else face.names
    )


def _stops(body: Body, sizes: Mapping[Edge, float]) -> list[Plane]:
    """The planes square to edges at their ends where others that are not chosen continue them."""
    graph, found = EdgeGraph(body), list[Plane]()
    for edge in sizes:
        for at_end in (False, True):
            end = graph.next_in_chain((edge, at_end))
            if end is not None and end[0] not in sizes:
                t = edge.t1 if at_end else edge.t0
                plane = Plane(edge.curve.point(t), edge.curve.tangent(t))
                if not any(_are_one(plane, known) for known in found):
                    found.append(plane)
    return found


def _are_one(one: Plane, two: Plane) -> bool:
    return abs(one.local(two.origin)[2]) <= RESOLUTION and all(
        abs(abs(a) - abs(b)) <= RESOLUTION for a, b in zip(one.normal, two.normal, strict=True)
    )


def _halves(body: Body, plane: Plane) -> list[Body]:
    parts = (combined(body, half_space(body, plane, side, CUT), "intersect") for side in (-1.0, 1.0))
    return [part for part in parts if part is not None]


def _edges_in(part: Body, body: Body, sizes: Mapping[Edge, float]) -> dict[Edge, float]:
    """The edges of a part of a body that lie on chosen ones, between faces of the same names."""
    found: dict[Edge, float] = {}
    for edge, uses in part.faces_of_edge.items():
        places = [edge.curve.point(edge.t0 + share * (edge.t1 - edge.t0)) for share in SHARES]
        names = {name for face, _ in uses for name in face.names}
        for chosen, size in sizes.items():
            beside = {name for face, _ in body.faces_of_edge[chosen] for name in face.names}
            if beside <= names and all(_is_on(chosen, p) for p in places):
                found[edge] = size
    return found


def _is_on(edge: Edge, point: Vec3) -> bool:
    low, high = edge.bounds
    near = all(a - RESOLUTION <= c <= b + RESOLUTION for a, c, b in zip(low, point, high, strict=True))
    return near and distance(edge.nearest(point), point) <= 10.0 * RESOLUTION
