"""What is told of a part by itself: lumps that touch, selections that changed, bodies in each other."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from itertools import combinations
from typing import TYPE_CHECKING, Any

import numpy as np

from ..errors import LathwickError
from ..geometry.placement import FloatArray
from ..geometry.tolerance import RESOLUTION
from .messages import WARNING, Message
from .steps import Step

if TYPE_CHECKING:
    from ..topology.body import Body
    from .part import Part

MOST_LUMPS = 40
MOST_PAIRS = 60
MOST_CONTACTS = 24
"""Lumps and pairs of bodies that are looked at, and pairs of faces of two of which no edge lies in the other.
"""
ON_AN_EDGE = 7
"""Points of an edge that are looked at."""
NO_SPACE = 1e-9
"""A shared volume, as a share of the smaller body, that is rounding."""


def place_text(place: Sequence[float]) -> str:
    """A place in words; what rounding leaves of a nought is left out."""
    return f"({', '.join(f'{round(c, 9) + 0.0:.4g}' for c in place)})"


def touching(body: Body) -> str:
    """What is said of lumps that touch each other at a point or along a line; "" where none do."""
    if not 1 < body.lumps <= MOST_LUMPS:
        return ""
    pairs = list(_touching_pairs(body))
    if not pairs:
        return ""
    more = f", and {len(pairs) - 1} more pairs do" if len(pairs) > 1 else ""
    place = place_text(pairs[0].tolist())
    return f"two of {body.lumps} lumps only touch, at {place}{more}: no material holds them together"


def _touching_pairs(body: Body) -> Iterator[FloatArray]:
    """A point of each pair of lumps that touch."""
    from ..topology.body import Body

    lumps = [Body((lump,), body.unit) for lump in body.pieces]
    boxes = [np.array(lump.bounds) for lump in lumps]
    for i, j in combinations(range(len(lumps)), 2):
        low, high = np.maximum(boxes[i][0], boxes[j][0]), np.minimum(boxes[i][1], boxes[j][1])
        if (low <= high + RESOLUTION).all() and (place := _contact(lumps[i], lumps[j])) is not None:
            yield place


def _contact(one: Body, two: Body) -> FloatArray | None:
    """A point that two bodies share which are not in each other: of the edges of one, or where some of their
    faces come nearest."""
    from ..topology.body import BodyFace
    from ..topology.nearest import may_touch
    from .measuring import nearest_points

    for body, other in ((one, two), (two, one)):
        places = _places_of_edges(body, np.array(other.bounds))
        if len(places) and (held := other.contains(places)).any():
            return np.asarray(places[held.argmax()])
    for mine, its in may_touch(one.brep_faces, two.brep_faces)[:MOST_CONTACTS]:
        a, b = nearest_points(BodyFace(one, mine), BodyFace(two, its))
        if np.linalg.norm(np.subtract(a, b)) <= RESOLUTION:
            return np.array(a)
    return None


def _places_of_edges(body: Body, box: FloatArray) -> FloatArray:
    """Points of the edges of a body that lie in a box, (N, 3)."""
    edges = list(body.faces_of_edge)
    if not edges:
        return np.zeros((0, 3))
    found = np.concatenate([e.curve.points(np.linspace(e.t0, e.t1, ON_AN_EDGE)) for e in edges])
    inside = (found >= box[0] - RESOLUTION).all(axis=1) & (found <= box[1] + RESOLUTION).all(axis=1)
    return np.asarray(found[inside])


def count_of(chosen: Any) -> int:
    """How many faces or edges were chosen: one, a selection, or several of these."""
    from ..topology.body import BodyEdge, BodyFace

    if isinstance(chosen, (BodyEdge, BodyFace)):
        return 1
    return sum(count_of(one) for one in chosen)


def changed_selections(steps: Sequence[Step], usual: Mapping[str, int]) -> list[Message]:
    """A warning for every step that was given more or fewer edges or faces than in the default part."""
    found = []
    for step in steps:
        before = usual.get(step.name)
        if step.chosen is not None and before is not None and step.chosen != before:
            what = "faces" if step.verb in ("shell", "draft") else "edges"
            text = f"{step.chosen} {what} are chosen, where the default part has {before}"
            found.append(Message(WARNING, text, step.name))
    return found


def _near_pairs(part: Part, room: float) -> list[tuple[str, str]]:
    """Bodies of a part, by name, whose boxes share a space or are no further apart than `room`; those that
    share more than -`room` for a negative one."""
    boxes = {name: np.array(leaf.bounds) for name, leaf in part.leaves().items()}
    return [
        (a, b)
        for a, b in combinations(boxes, 2)
        if (np.maximum(boxes[a][0], boxes[b][0]) <= np.minimum(boxes[a][1], boxes[b][1]) + room).all()
    ]


def meetings(part: Part) -> list[str]:
    """What is to be known of bodies that are in each other, or touch, with a place; of the first `MOST_PAIRS`
    that are near each other."""
    leaves, told = part.leaves(), []
    for a, b in _near_pairs(part, RESOLUTION)[:MOST_PAIRS]:
        one, two = leaves[a].body, leaves[b].body
        if (text := _shared(a, one, b, two)) or (text := _touch(a, one, b, two)):
            told.append(text)
    return told


def touches(part: Part) -> list[str]:
    """As `meetings`, of bodies that touch; not of those in each other, which the part's messages tell of."""
    leaves = part.leaves()
    pairs = [
        (a, b)
        for a, b in _near_pairs(part, RESOLUTION)
        if not any(f'"{a}" and "{b}"' in message.text for message in part.messages)
    ]
    found = (_touch(a, leaves[a].body, b, leaves[b].body) for a, b in pairs[:MOST_PAIRS])
    return [text for text in found if text]


def _touch(a: str, one: Body, b: str, two: Body) -> str:
    place = _contact(one, two)
    return "" if place is None else f'"{a}" and "{b}" touch, at {place_text(place.tolist())}'


def in_each_other(part: Part) -> list[Message]:
    """A warning for every two bodies of a part that share a volume, or of which that cannot be told."""
    leaves, pairs = part.leaves(), _near_pairs(part, -RESOLUTION)
    found = [text for a, b in pairs[:MOST_PAIRS] if (text := _shared(a, leaves[a].body, b, leaves[b].body))]
    if len(pairs) > MOST_PAIRS:
        found.append(f"whether bodies are in each other was tried for {MOST_PAIRS} of {len(pairs)} pairs")
    return [Message(WARNING, text) for text in found]


def _shared(a: str, one: Body, b: str, two: Body) -> str:
    from .measuring import interference

    try:
        volume = interference(one, two)
    except LathwickError as error:
        return f'whether "{a}" and "{b}" are in each other cannot be told: {error.message}'
    if volume <= NO_SPACE * min(one.volume, two.volume):
        return ""
    return f'"{a}" and "{b}" share {volume:.6g} {one.unit}³'
