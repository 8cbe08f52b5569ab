"""What a boolean leaves unopened: holes, pockets and bosses of plane faces that are clear of the other body.

Taken out, the faces of such a feature leave a plug in every plane face that it starts from: the body is a
simpler one, that differs from itself only where the other body is not. What comes out gets them back, so
that a step costs what it touches.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from itertools import compress

import numpy as np
from numpy.typing import NDArray

from ...geometry.placement import FloatArray
from ...geometry.tolerance import RESOLUTION
from ...topology.body import Body
from ...topology.boxes import keep_boxes, outer_box
from ...topology.brep import Coedge, Edge, Face, Loop
from ...topology.sets import Sets

CLEAR = 100.0 * RESOLUTION
"""Boxes so far apart are clear of each other."""

FEWEST = 4
"""With fewer features nothing is gained."""


@dataclass(frozen=True, slots=True)
class Plugged:
    """A face without some of its loops."""

    whole: Face
    loops: tuple[Loop, ...]


@dataclass(frozen=True, slots=True)
class Opened:
    """A body as a boolean sees it. faces : all that it opens, `plugs` tells which of them are plugged.
    aside : the faces it leaves as they are."""

    faces: tuple[Face, ...]
    uses: Mapping[Edge, Sequence[tuple[Face, Coedge]]]
    plugs: Mapping[Face, Plugged] = field(default_factory=dict)
    aside: tuple[Face, ...] = ()


def opened(body: Body, other: Body) -> Opened:
    """The body without what is clear of the other."""
    whole = Opened(body.brep_faces, body.faces_of_edge)
    features = body.remembered("features", _features)
    if len(features.holes) < FEWEST:
        return whole
    near = _near(features, other)
    if near.all() or not near.any():
        return whole
    kept = near[features.part]
    plugs: dict[Face, Plugged] = {}
    faces = []
    for number in np.flatnonzero(kept).tolist():
        face = body.brep_faces[number]
        gone = {hole.loop for hole in features.holes_of.get(number, ()) if not near[hole.beyond[0]]}
        if gone:
            plugged = Face(
                face.surface, face.outward, tuple(k for k in face.loops if k not in gone), face.names
            )
            plugs[keep_boxes(face, plugged)] = Plugged(face, tuple(k for k in face.loops if k in gone))
            face = plugged
        faces.append(face)
    if not plugs:
        return whole
    uses: dict[Edge, list[tuple[Face, Coedge]]] = defaultdict(list)
    for face in faces:
        for coedge in face.coedges():
            uses[coedge.edge].append((face, coedge))
    return Opened(tuple(faces), uses, plugs, tuple(compress(body.brep_faces, ~kept)))


@dataclass(frozen=True, slots=True)
class _Hole:
    """An inner loop of a plane face, the part of the skin that the face belongs to and those beyond it."""

    loop: Loop
    part: int
    beyond: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class _Features:
    """The skin of a body fallen apart along the inner loops of plane faces. part : of every face. boxes :
    of every part, (P, 2, 3)."""

    part: NDArray[np.intp]
    boxes: FloatArray
    holes: tuple[_Hole, ...]
    holes_of: Mapping[int, Sequence[_Hole]]


def _features(body: Body) -> _Features:
    faces = body.brep_faces
    inner = [(number, loop) for number, face in enumerate(faces) for loop in _inner_loops(face)]
    if len(inner) < FEWEST:
        return _Features(np.zeros(len(faces), dtype=np.intp), np.zeros((1, 2, 3)), (), {})
    cuts = {coedge.edge for _, loop in inner for coedge in loop.coedges}
    sets, first = Sets(len(faces)), dict[Edge, int]()
    owners: dict[Edge, list[int]] = {edge: [] for edge in cuts}
    for number, face in enumerate(faces):
        for coedge in face.coedges():
            if coedge.edge in cuts:
                owners[coedge.edge].append(number)
            else:
                sets.join(first.setdefault(coedge.edge, number), number)
    _, part = np.unique([sets.find(k) for k in range(len(faces))], return_inverse=True)
    holes_of: dict[int, list[_Hole]] = defaultdict(list)
    for number, loop in inner:
        beyond = {int(part[n]) for c in loop.coedges for n in owners[c.edge] if n != number}
        holes_of[number].append(_Hole(loop, int(part[number]), tuple(beyond)))
    holes = tuple(hole for found in holes_of.values() for hole in found)
    return _Features(part, _boxes(faces, part), holes, holes_of)


def _inner_loops(face: Face) -> Sequence[Loop]:
    """The loops of a plane face but the outer one."""
    return [loop for loop in face.loops if loop not in face.outlines]


def _boxes(faces: Sequence[Face], part: NDArray[np.intp]) -> FloatArray:
    """The boxes around the parts of some faces, (P, 2, 3)."""
    boxes = np.array([outer_box(face) for face in faces])
    found = np.full((int(part.max()) + 1, 2, 3), np.inf)
    np.minimum.at(found[:, 0], part, boxes[:, 0])
    np.minimum.at(found[:, 1], part, -boxes[:, 1])
    found[:, 1] *= -1.0
    return found


def _near(features: _Features, other: Body) -> NDArray[np.bool_]:
    """Which parts must be opened: those whose boxes meet that of a lump of the other body, and those that
    holes of opened ones are not clear of."""
    lumps = other.remembered("lump_boxes", _lump_boxes)
    low, high = features.boxes[:, None, 0] - CLEAR, features.boxes[:, None, 1] + CLEAR
    meets: NDArray[np.bool_] = (low <= lumps[:, 1]) & (high >= lumps[:, 0])
    near: NDArray[np.bool_] = np.any(meets.all(axis=2), axis=1)
    changed = True
    while changed:
        changed = False
        for hole in features.holes:
            # a loop is plugged only whole, and only where its own face is opened
            if any(near[k] for k in hole.beyond) and not (
                near[hole.part] and all(near[k] for k in hole.beyond)
            ):
                near[[hole.part, *hole.beyond]] = True
                changed = True
    return near


def _lump_boxes(body: Body) -> FloatArray:
    counts = [sum(len(shell.faces) for shell in lump.shells) for lump in body.pieces]
    return _boxes(body.brep_faces, np.repeat(np.arange(len(counts)), counts))
