"""Short edges at the end of a strip over which it passes on to the next faces."""

from __future__ import annotations

from ...geometry.tolerance import RESOLUTION
from ...topology.brep import Coedge, Vertex
from ..refitting.errors import TooLargeError
from ..refitting.wedges import Wedge, star_after
from .vertex_stars import Surroundings


def is_plain(star: list[Wedge]) -> bool:
    """Whether all faces of a star meet in one vertex: none of their edges has been passed over."""
    return all(wedge.arrives.end is wedge.leaves.start for wedge in star)


def first_passed(
    around: Surroundings, star: list[Wedge], ends: list[Vertex], smooth: tuple[bool, bool]
) -> int | None:
    """The number of the first edge between two faces of a star that has no length left, where it is to begin
    at one of the vertices; and whose other end is free. None if there is none.

    smooth : whether the first and the last of the edges are smooth; these turn round instead.
    """
    for k in range(int(smooth[0]), len(ends) - int(smooth[1])):
        border = star[k].leaves
        if (
            border.edge.start is not None
            and _left(border, ends[k]) < -RESOLUTION
            and is_free(around, star, k)
        ):
            return k
    return None


def _left(border: Coedge, vertex: Vertex) -> float:
    """How long an edge is that leaves from a vertex on its curve instead of its start; below 0 behind its
    end."""
    edge = border.edge
    near = edge.t0 if border.forward else edge.t1
    t, period = edge.curve.parameter(vertex.point), edge.curve.period
    t += period * round((near - t) / period) if period else 0.0
    a, b = (t, edge.t1) if border.forward else (edge.t0, t)
    return edge.curve.length(a, b) if a <= b else -edge.curve.length(b, a)


def is_free(around: Surroundings, star: list[Wedge], k: int) -> bool:
    """Whether nothing else happens where an edge between two faces of a star ends: no strip ends there, and
    no other has passed over it."""
    border = star[k].leaves
    others = [wedge.leaves.edge for wedge in star_after(around.uses, star[k].face, border)[:-1]]
    taken = {*around.strips, *(wedge.leaves.edge for wedge in star)}
    return border.end not in around.changes.passed and taken.isdisjoint(others)


def beyond(around: Surroundings, star: list[Wedge], k: int) -> list[Wedge]:
    """A star in which the faces at the other end of an edge have taken that edge's place; it vanishes."""
    border, changes = star[k].leaves, around.changes
    near, *between, far = star_after(around.uses, star[k].face, border)
    if border.end is None:
        raise TooLargeError("an edge has no length left", near.face)
    changes.passed.add(border.end)
    for face in (near.face, far.face):
        changes.replaced[border.edge, face] = []
    first = Wedge(near.face, star[k].arrives, near.leaves)
    last = Wedge(far.face, far.arrives, star[k + 1].leaves)
    return [*star[:k], first, *between, last, *star[k + 2 :]]
