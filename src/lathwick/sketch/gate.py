"""One gate for what the verbs of a sketch are given: every argument is held against its annotation.

So a new verb inherits it, and a wrong argument gets one sentence: the verb, the argument, what it takes, and
what it got.
"""

from __future__ import annotations

import inspect
import math
from collections.abc import Callable, Iterable
from decimal import Decimal
from fractions import Fraction
from functools import wraps
from numbers import Real
from typing import Any, TypeVar

import numpy as np

from ..errors import SketchError
from ..topology.body import BodyEdge, BodyFace, BodyVertex
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

S = TypeVar("S", bound=type)
DEEPEST = 4
"""Lists of lists of things go no deeper."""

SHOWN = 60


def gated(cls: S) -> S:
    """The class with a gate before each of its public verbs."""
    for name, verb in inspect.getmembers(cls, inspect.isfunction):
        if not name.startswith("_"):
            setattr(cls, name, _behind_gate(name, verb))
    return cls


def _behind_gate(name: str, verb: Callable[..., Any]) -> Callable[..., Any]:
    signature = inspect.signature(verb)
    rules = {p.name: (p.kind is p.VAR_POSITIONAL, _rules_of(str(p.annotation)))
             for p in signature.parameters.values()}  # fmt: skip

    @wraps(verb)
    def gate(*args: Any, **kwargs: Any) -> Any:
        try:
            bound = signature.bind(*args, **kwargs)
        except TypeError as error:
            raise SketchError(f"{name}: {error}") from None
        for argument, value in bound.arguments.items():
            several, (takes, words) = rules[argument]
            for one in value if several else (value,):
                if takes and not any(rule(one) for rule in takes):
                    raise SketchError(f"{name}: {argument} takes {words}, got {_shown(one)}")
            if isinstance(value, (Decimal, Fraction)):
                bound.arguments[argument] = float(value)
        return verb(*bound.args, **bound.kwargs)

    return gate


def _shown(value: object) -> str:
    try:
        text = repr(value)
    except Exception:  # a value of the user's may fail in any way
        text = f"a {type(value).__name__}"
    return text if len(text) <= SHOWN else f"{text[:SHOWN]}..."


def _rules_of(annotation: str) -> tuple[list[Callable[[object], bool]], str]:
    """What tells whether a value is one of the alternatives of an annotation, and these in words; nothing for
    one that is not known."""
    names = annotation.split(" | ")
    if not all(name in RULES for name in names):
        return [], ""
    rules, words = zip(*(RULES[name] for name in names), strict=True)
    return list(rules), " or ".join(word for word in words if word)


def is_number(value: object) -> bool:
    """A finite real number of any kind, no flag."""
    if isinstance(value, (bool, np.bool_)) or not isinstance(value, (Real, Decimal)):
        return False
    try:
        return math.isfinite(float(value))
    except (OverflowError, ValueError):
        return False


def _is_pair(value: object) -> bool:
    if not isinstance(value, (tuple, list, np.ndarray)) or len(value) != 2:
        return False
    return all(is_number(c) for c in value)


def _is_place(value: object) -> bool:
    return isinstance(value, Point) or _is_pair(value)


def _are(rule: Callable[[object], bool]) -> Callable[[object], bool]:
    """Whether a value is a list whose members all follow a rule; what can be read only once is not read."""

    def found(value: object) -> bool:
        if isinstance(value, (str, bytes, dict)) or not isinstance(value, Iterable):
            return False
        return all(rule(one) for one in value) if hasattr(value, "__len__") else True

    return found


def _are_things(value: object, deep: int = 0) -> bool:
    if isinstance(value, (Entity, Polyline, Group)):
        return True
    return deep < DEEPEST and _are(lambda one: _are_things(one, deep + 1))(value)


def _a(*kinds: type) -> Callable[[object], bool]:
    return lambda value: isinstance(value, kinds)


_IN_A_BODY = _a(BodyEdge, BodyFace, BodyVertex)

RULES: dict[str, tuple[Callable[[object], bool], str]] = {
    "None": (lambda value: value is None, ""),
    "bool": (_a(bool, np.bool_), "True or False"),
    "str": (_a(str), "a text"),
    "int": (lambda value: is_number(value), "a whole number"),
    "float": (is_number, "a finite number"),
    "Value": (lambda value: is_number(value) or isinstance(value, str), "a finite number or a text"),
    "PointLike": (_is_place, "a point or two finite numbers"),
    "Iterable[float]": (_is_pair, "two finite numbers"),
    "Sequence[PointLike]": (_are(_is_place), "a list of points, each two finite numbers"),
    "Iterable[Point]": (_are(_a(Point)), "a list of points"),
    "Pair": (lambda value: _are(_a(Entity))(value), "two curves"),
    "Things": (_are_things, "entities of the sketch"),
    "Projectable": (
        lambda value: _IN_A_BODY(value) or _are(_IN_A_BODY)(value),
        "edges, vertices or faces of a body",
    ),
    "Iterable[Proposal]": (_are(_a(Proposal)), "what infer proposed"),
    "Point": (_a(Point), "a point"),
    "Line": (_a(Line), "a line"),
    "Arc": (_a(Arc), "an arc"),
    "Round": (_a(Round), "a circle or an arc"),
    "Curve": (_a(Line, Circle, Arc, EllipseEntity, SplineEntity), "a curve"),
    "EllipseEntity": (_a(EllipseEntity), "an ellipse"),
    "Entity": (_a(Entity), "an entity"),
    "Polyline": (_a(Polyline), "a polyline"),
    "Group": (_a(Group), "a figure"),
}
"""For each name that an annotation may have: what tells whether a value is one, and the words for it."""
