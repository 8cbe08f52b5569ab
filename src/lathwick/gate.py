"""One gate for what verbs are given: every argument is held against its annotation.

So a new verb inherits it, and a wrong argument gets one sentence: the verb, the argument, what it takes, and
what it got. A class says which names its annotations may have, and what tells whether a value is one.
"""

from __future__ import annotations

import inspect
import math
import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from decimal import Decimal
from fractions import Fraction
from functools import wraps
from importlib import import_module
from itertools import islice
from numbers import Real
from typing import Any, TypeGuard, TypeVar

import numpy as np

from .errors import LathwickError

S = TypeVar("S", bound=type)
Rules = Mapping[str, tuple[Callable[[object], bool], str]]
"""For each name that an annotation may have: what tells whether a value is one, and the words for it."""

_TOP_LEVEL = re.compile(r" \| (?![^\[]*\])")
"""What parts the alternatives of an annotation: a bar outside brackets."""

MOST_ITEMS = 1_000_000
"""Of an iterator no more is taken."""

SHOWN = 60
"""Of a value so many letters are shown."""


Check = Callable[[Any, object], str]
"""What an object has against a value that it is given: a sentence, or nothing."""


def gated(
    rules: Rules, error: type[LathwickError], step: str = "", check: Check = lambda own, value: ""
) -> Callable[[S], S]:
    """The class with a gate before each of its public verbs, which raises errors of a kind.

    step : the argument that names the step, which the errors tell. check : a further look at each value.
    """

    def gate(cls: S) -> S:
        for name, verb in inspect.getmembers(cls, inspect.isfunction):
            if not name.startswith("_"):
                setattr(cls, name, behind_gate(verb, rules, error, step, check))
        return cls

    return gate


def behind_gate(
    verb: Callable[..., Any], rules: Rules, error: type[LathwickError], step: str, check: Check
) -> Callable[..., Any]:
    """A verb with a gate before it; see `gated`."""
    signature = inspect.signature(verb)
    known = {p.name: (p.kind is p.VAR_POSITIONAL, _alternatives(str(p.annotation), rules))
             for p in signature.parameters.values()}  # fmt: skip

    whole = {p.name for p in signature.parameters.values() if p.annotation == "int"}

    @wraps(verb)
    def gate(*args: Any, **kwargs: Any) -> Any:
        try:
            bound = signature.bind(*args, **kwargs)
        except TypeError as wrong:
            raise error(f"{verb.__name__}: {wrong}; it is {_call_of(verb.__name__, signature)}") from None
        for argument, value in bound.arguments.items():
            several, (takes, words) = known[argument]
            if takes and isinstance(
                value, Iterator
            ):  # it can be read once only, and is to be looked at first
                value = bound.arguments[argument] = list(islice(value, MOST_ITEMS))
            for one in value if several else (value,):
                if takes and not any(rule(one) for rule in takes):
                    refusal = error(f"{verb.__name__}: {argument} takes {words}, got {shown_value(one)}")
                    name = bound.arguments.get(step)
                    raise refusal.in_step(name) if isinstance(name, str) else refusal
                against = check(args[0] if args else None, one)
                if against:
                    raise error(f"{verb.__name__}: {argument}: {against}")
            if isinstance(value, (Decimal, Fraction)):
                bound.arguments[argument] = float(value)
            if argument in whole:
                bound.arguments[argument] = int(value)
        return verb(*bound.args, **bound.kwargs)

    return gate


def _call_of(name: str, signature: inspect.Signature) -> str:
    """How a verb is called: its arguments by name, those with "=" after them need not be given."""
    shown: list[str] = []
    for p in signature.parameters.values():
        if p.kind is p.KEYWORD_ONLY and not any(one.startswith("*") for one in shown):
            shown.append("*")
        mark = "*" if p.kind is p.VAR_POSITIONAL else "**" if p.kind is p.VAR_KEYWORD else ""
        shown.append(f"{mark}{p.name}{'' if p.default is p.empty else '='}")
    return f"{name}({', '.join(one for one in shown if one != 'self')})"


def shown_value(value: object) -> str:
    """A value of any kind in a message: its repr, cut short."""
    try:
        text = repr(value)
    except Exception:  # a value of the user's may fail in any way
        text = f"a {type(value).__name__}"
    return text if len(text) <= SHOWN else f"{text[:SHOWN]}..."


def _alternatives(annotation: str, rules: Rules) -> tuple[list[Callable[[object], bool]], str]:
    """What tells whether a value is one of the alternatives of an annotation, and these in words; nothing for
    one that is not known."""
    names = _TOP_LEVEL.split(annotation)
    if not all(name in rules for name in names):
        return [], ""
    found, words = zip(*(rules[name] for name in names), strict=True)
    return list(found), " or ".join(word for word in words if word)


def is_number(value: object) -> TypeGuard[float]:
    """A finite real number of any kind, no flag."""
    if isinstance(value, (bool, np.bool_)) or not isinstance(value, (Real, Decimal)):
        return False
    try:
        return math.isfinite(float(value))
    except (OverflowError, ValueError):
        return False


def is_whole(value: object) -> bool:
    return is_number(value) and float(value).is_integer()


def are(rule: Callable[[object], bool]) -> Callable[[object], bool]:
    """Whether a value is a list whose members all follow a rule."""

    def found(value: object) -> bool:
        if isinstance(value, (str, bytes, dict)) or not isinstance(value, Iterable):
            return False
        if isinstance(value, np.ndarray) and value.ndim == 0:
            return False
        return hasattr(value, "__len__") and all(rule(one) for one in value)

    return found


def is_list(value: object) -> bool:
    """Whether a value is a list of whatever: no text, no table, no single number."""
    return are(lambda one: True)(value)


def is_a(*kinds: type) -> Callable[[object], bool]:
    return lambda value: isinstance(value, kinds)


def is_of(module: str, name: str) -> Callable[[object], bool]:
    """Whether a value is of a class of this package, which is imported when a value is looked at."""

    def found(value: object) -> bool:
        return isinstance(value, getattr(import_module(f"{__package__}.{module}"), name))

    return found


def are_of(module: str, name: str) -> Callable[[object], bool]:
    """Whether a value is of a class of this package, or a list of such."""
    one = is_of(module, name)
    several = are(one)
    return lambda value: one(value) or several(value)


PLAIN: Rules = {
    "None": (lambda value: value is None, ""),
    "bool": (is_a(bool, np.bool_), "True or False"),
    "str": (is_a(str), "a text"),
    "int": (is_whole, "a whole number"),
    "float": (is_number, "a finite number"),
    "Sequence[float]": (are(is_number), "a list of finite numbers"),
}
"""Of annotations that mean the same everywhere."""
