"""What the verbs that make bodies are given, by the names in their annotations: those of a job and the plain
functions alike."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from .errors import ModellingError
from .gate import PLAIN, Rules, are, are_of, behind_gate, is_list, is_number, is_of

_EDGES = are_of("topology.body", "BodyEdge")
_FACES = are_of("topology.body", "BodyFace")


def _pair_of(rule: Callable[[object], bool]) -> Callable[[object], bool]:
    """Whether a value is a pair of members that follow a rule."""
    return lambda value: isinstance(value, (tuple, list)) and len(value) == 2 and all(map(rule, value))


def _are_faces_with_a_number(value: object) -> bool:
    if not isinstance(value, (tuple, list)) or len(value) != 2:
        return False
    return _FACES(value[0]) and is_number(value[1])


RULES: Rules = {
    **PLAIN,
    "Body": (is_of("topology.body", "Body"), "a body"),
    "BodyFace": (is_of("topology.body", "BodyFace"), "a face"),
    "Selection[BodyFace]": (is_of("topology.selection", "Selection"), "a selection of faces"),
    "Sketch": (is_of("sketch.sketch", "Sketch"), "a sketch"),
    "Edges": (_EDGES, "an edge, a selection or a list of edges"),
    "Sequence[Edges]": (are(_EDGES), "several selections of edges"),
    "Faces": (_FACES, "a face, a selection or a list of faces"),
    "Iterable[BodyFace]": (are(_FACES), "a list of faces"),
    "Sequence[tuple[Faces, float]]": (are(_are_faces_with_a_number), "pairs of faces and a number"),
    "tuple[float, float]": (_pair_of(is_number), "a pair of finite numbers"),
    "tuple[str | None, str | None]": (
        _pair_of(lambda one: one is None or isinstance(one, str)),
        "a pair of texts or None",
    ),
    "Iterable[Any]": (is_list, "a list"),
    "Iterable[Sequence[float]]": (are(is_list), "a list of lists of numbers"),
}


def guarded(function: Any) -> Any:
    """A function behind the gate; what is no function as it is."""
    if type(function) is not type(guarded):
        return function
    return behind_gate(function, RULES, ModellingError, "step", lambda own, value: "")
