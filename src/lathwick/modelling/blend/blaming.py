"""For which edge a size is too large, as a message tells it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from ...topology.brep import Edge, Face, Vertex
from ..refitting.errors import FitError
from ..refitting.wedges import Uses


def blame(error: FitError, edges: Iterable[Edge], uses: Uses) -> None:
    """Let an error that tells of no edge yet tell of one of some: the first on the border of the face that
    the error names, or that ends on it, or the first of all."""
    some = list(edges)
    if error.edge or not some:
        return
    border = {c.edge for c in error.face.coedges()} if error.face is not None else set()
    ends = {v for edge in border for v in _ends(edge)}
    error.at = max(some, key=lambda edge: (edge in border, bool(_ends(edge) & ends)))
    error.edge = edge_told(error.at, uses)


def blame_touching(error: FitError, touched: Edge, edges: Iterable[Edge], uses: Uses) -> None:
    """Let it tell of one of the edges that end where another does."""
    blame(error, [edge for edge in edges if _ends(edge) & _ends(touched)], uses)


def blame_new(error: FitError, faces: Mapping[Edge, Face | None], uses: Uses) -> None:
    """Let it tell of the edge whose new face the error names, or whose new face has a corner in common with
    what it names."""
    named = error.face
    if named is None:
        return
    corners = {v for c in named.coedges() for v in _ends(c.edge)}
    rings = {c.edge for c in named.coedges()}

    def nearness(edge: Edge) -> tuple[bool, int]:
        mine = faces[edge]
        beside = mine.coedges() if mine is not None else ()
        common = sum(c.edge in rings for c in beside) + sum(bool(_ends(c.edge) & corners) for c in beside)
        return mine is named, common

    likeliest = max(faces, key=nearness, default=None)
    if likeliest is not None and any(nearness(likeliest)):
        blame(error, [likeliest], uses)


def edge_told(edge: Edge, uses: Uses) -> str:
    """An edge by a point of it and its two faces, as far as these have names."""
    names = [f'"{face.names[0]}"' for face, _ in uses.get(edge, ()) if face.names]
    between = f", between {' and '.join(sorted(names))}" if len(names) == 2 else ""
    return f"the edge {place(edge)}{between}"


def place(edge: Edge) -> str:
    """Where an edge is: the point halfway along."""
    x, y, z = (round(c, 9) + 0.0 for c in edge.midpoint())
    return f"near ({x:.6g}, {y:.6g}, {z:.6g})"


def places(edges: list[Edge], most: int) -> str:
    """Where some edges are, and how many more than the most that are named."""
    more = len(edges) - most
    return ", ".join(map(place, edges[:most])) + (f" and {more} more" if more > 0 else "")


def _ends(edge: Edge) -> set[Vertex]:
    return {v for v in (edge.start, edge.end) if v is not None}
