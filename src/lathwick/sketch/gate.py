"""What the verbs of a sketch are given, by the names in their annotations."""

from __future__ import annotations

import numpy as np

from ..gate import PLAIN, Rules, are, is_a, is_list, is_number
from ..topology.body import BodyEdge, BodyFace, BodyVertex
from .drawing import Drawing
from .entities import (
    Arc,
    Circle,
    EllipseEntity,
    Entity,
    Group,
    Line,
    Point,
    Polyline,
    Round,
    SplineEntity,
)
from .inference import Proposal

DEEPEST = 4
"""Lists of lists of things go no deeper."""


def _is_pair(value: object) -> bool:
    if not is_list(value) or not isinstance(value, (tuple, list, np.ndarray)) or len(value) != 2:
        return False
    return all(is_number(c) for c in value)


def _is_place(value: object) -> bool:
    return isinstance(value, Point) or _is_pair(value)


def _are_things(value: object, deep: int = 0) -> bool:
    if isinstance(value, (Entity, Polyline, Group)):
        return True
    return deep < DEEPEST and are(lambda one: _are_things(one, deep + 1))(value)


_IN_A_BODY = is_a(BodyEdge, BodyFace, BodyVertex)

RULES: Rules = {
    **PLAIN,
    "Value": (lambda value: is_number(value) or isinstance(value, str), "a finite number or a text"),
    "PointLike": (_is_place, "a point or two finite numbers"),
    "Iterable[float]": (_is_pair, "two finite numbers"),
    "Sequence[PointLike]": (are(_is_place), "a list of points, each two finite numbers"),
    "Iterable[Point]": (are(is_a(Point)), "a list of points"),
    "Pair": (lambda value: are(is_a(Entity))(value), "two curves"),
    "Things": (_are_things, "entities of the sketch"),
    "Projectable": (
        lambda value: _IN_A_BODY(value) or are(_IN_A_BODY)(value),
        "edges, vertices or faces of a body",
    ),
    "Iterable[Proposal]": (are(is_a(Proposal)), "what infer proposed"),
    "Point": (is_a(Point), "a point"),
    "Line": (is_a(Line), "a line"),
    "Arc": (is_a(Arc), "an arc"),
    "Round": (is_a(Round), "a circle or an arc"),
    "Curve": (is_a(Line, Circle, Arc, EllipseEntity, SplineEntity), "a curve"),
    "EllipseEntity": (is_a(EllipseEntity), "an ellipse"),
    "Entity": (is_a(Entity), "an entity"),
    "Polyline": (is_a(Polyline), "a polyline"),
    "Group": (is_a(Group), "a figure"),
}
"""For each name that an annotation may have: what tells whether a value is one, and the words for it."""


def foreign(drawing: Drawing, value: object) -> str:
    """What a sketch has against entities of another one."""
    if isinstance(value, Entity):
        return "" if value._variables is drawing.variables else f"{value.name} belongs to another sketch"
    if isinstance(value, (Polyline, Group)):
        return foreign(drawing, value[0])
    if isinstance(value, (list, tuple)):
        return next((told for one in value if (told := foreign(drawing, one))), "")
    return ""
