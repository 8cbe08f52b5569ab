"""Union, cut and intersection of bodies."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import groupby
from operator import itemgetter

from ...errors import ModellingError
from ...topology.body import Body
from ...topology.brep import Face
from .aside import opened
from .cells import Cycle, Half, LooseEnd, traced_cycles
from .classify import Place, places
from .imprint import Imprint, Imprinter
from .sew import Cell, sewn
from .touches import pass_touches_on, refuse_touching, touches_between_lumps

KEPT: Mapping[str, tuple[frozenset[Place], frozenset[Place]]] = {
    "union": (frozenset({Place.OUTSIDE, Place.SAME}), frozenset({Place.OUTSIDE})),
    "cut": (frozenset({Place.OUTSIDE, Place.OPPOSITE}), frozenset({Place.INSIDE})),
    "intersect": (frozenset({Place.INSIDE, Place.SAME}), frozenset({Place.INSIDE})),
}
"""Which cells of the first and of the second body bound the result."""


def combined(one: Body, two: Body, operation: str) -> Body | None:
    """The result of a boolean of two bodies, None if nothing is left.

    Raises ModellingError for a result that is no manifold, or a case that cannot be told apart.
    """
    if one.unit != two.unit:
        raise ModellingError(f"bodies in {one.unit} and in {two.unit} cannot be combined")
    sides = (opened(one, two), opened(two, one))
    imprint = Imprinter(sides[0].faces, sides[1].faces).run()
    cells = [_cells(side.faces, imprint) for side in sides]
    links = [_links(of_body, imprint) for of_body in cells]
    found = (
        places(cells[0], links[0], sides[1].faces, sides[1].uses, imprint),
        places(cells[1], links[1], sides[0].faces, sides[0].uses, imprint),
    )
    chosen = []
    for side, wanted in enumerate(KEPT[operation]):
        flipped = operation == "cut" and side == 1
        chosen += [
            Cell(face, cycle, flipped, whole=face not in imprint.inner)
            for (face, cycle), place in zip(cells[side], found[side], strict=True)
            if place in wanted
        ]
    if not chosen:
        return None
    unopened = [s for s, kept in zip(sides, KEPT[operation], strict=True) if Place.OUTSIDE in kept]
    result = Body.made(sewn(chosen, imprint.nodes, imprint.vertices, unopened), one.unit)
    inherited = [p for body in (one, two) for p in touches_between_lumps(body)]
    refuse_touching(result, [*imprint.touches, *inherited])
    if operation == "union":
        pass_touches_on(one, two, result)
    return result


def _links(cells: Sequence[tuple[Face, Cycle]], imprint: Imprint) -> list[tuple[int, int]]:
    """Pairs of cycles (by number) that bound one cell: the loops of faces that nothing runs across."""
    links: list[tuple[int, int]] = []
    start = 0
    for face, group in groupby(cells, key=itemgetter(0)):
        count = len(list(group))
        if face not in imprint.inner:
            links += [(start, start + k) for k in range(1, count)]
        start += count
    return links


def _cells(faces: Sequence[Face], imprint: Imprint) -> list[tuple[Face, Cycle]]:
    """Every cycle of every face after imprinting."""
    return [(face, cycle) for face in faces for cycle in _cycles_of(face, imprint)]


def _without_slivers(halves: Sequence[Half]) -> list[Half]:
    """Halves without those where two edges of the face have become one: no face is left between them."""
    both = {id(f) for f, way in halves if way} & {id(f) for f, way in halves if not way}
    return [h for h in halves if id(h[0]) not in both]


def _cycles_of(face: Face, imprint: Imprint) -> list[Cycle]:
    rings: list[list[Half]] = []
    for loop in face.loops:
        ring: list[Half] = []
        for coedge in loop.coedges:
            parts = imprint.parts[coedge.edge]
            for fragment, along in parts if coedge.forward else reversed(parts):
                ring.append((fragment, along is coedge.forward))
        rings.append(ring)
    border = {id(f) for ring in rings for f, _ in ring}
    inner = [f for f in imprint.inner.get(face, ()) if id(f) not in border]
    halves = [h for ring in rings for h in ring]
    if not inner and len(border) == len(halves):
        return [Cycle(tuple(ring)) for ring in rings] or [Cycle(())]
    halves = _without_slivers(halves)
    halves += [(f, way) for f in inner for way in (True, False)]
    try:
        return traced_cycles(halves, face.surface, face.outward, imprint.nodes)
    except LooseEnd as end:
        x, y, z = end.place
        raise ModellingError(f"a curve across a face ends at ({x:.6g}, {y:.6g}, {z:.6g})") from None
