"""Formulas such as "=2.4*mast" or "=atan(rise/run)": data, never code.

Evaluated by the `simpleeval` package, restricted further to arithmetic, comparisons, the listed
functions and the names given. Every step is a double; nothing is rounded. Angles are in degrees.
"""

from __future__ import annotations

import ast
import math
import operator
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from simpleeval import InvalidExpression, SimpleEval

from ..errors import ParameterError
from .dimensions import ANGLE, PURE, Dimension, dimension_of
from .units import NUMBER, factor

MOST_CHARACTERS = 400
MOST_NODES = 200
LARGEST_EXPONENT = 64.0
MOST_DIGITS = 15

Number = float | int | bool


def _sine(degrees: float) -> float:
    """sin of an angle in degrees; exact at multiples of 90."""
    d = math.remainder(degrees, 360.0)
    if d > 90.0:
        d = 180.0 - d
    elif d < -90.0:
        d = -180.0 - d
    return math.sin(math.radians(d))


def _cosine(degrees: float) -> float:
    """cos of an angle in degrees; exact at multiples of 90."""
    d = abs(math.remainder(degrees, 360.0))
    if d == 90.0:
        return 0.0
    return math.cos(math.radians(d))


def _tangent(degrees: float) -> float:
    """tan of an angle in degrees. Raises ValueError at odd multiples of 90."""
    if _cosine(degrees) == 0.0:
        raise ValueError(f"tan({degrees:g}) is infinite")
    return math.tan(math.radians(math.remainder(degrees, 180.0)))


def _power(base: Number, exponent: Number) -> float:
    if abs(exponent) > LARGEST_EXPONENT:
        raise ValueError(f"an exponent may be at most {LARGEST_EXPONENT:g}, got {exponent:g}")
    result = float(base) ** float(exponent)
    if isinstance(result, complex):
        raise ValueError(f"{base:g} has no real power {exponent:g}")
    return result


def _rounded(x: Number, digits: Number = 0) -> float:
    """To a number of decimals, halves to the even neighbour. Raises ValueError for a senseless one."""
    if digits != int(digits) or abs(digits) > MOST_DIGITS:
        raise ValueError(f"round() takes a whole number of decimals up to {MOST_DIGITS}, got {digits:g}")
    return round(float(x), int(digits))


FUNCTIONS: dict[str, Callable[..., Any]] = {
    "sqrt": math.sqrt,
    "sin": _sine,
    "cos": _cosine,
    "tan": _tangent,
    "asin": lambda x: math.degrees(math.asin(x)),
    "acos": lambda x: math.degrees(math.acos(x)),
    "atan": lambda x: math.degrees(math.atan(x)),
    "atan2": lambda y, x: math.degrees(math.atan2(y, x)),
    "abs": abs,
    "min": min,
    "max": max,
    "floor": math.floor,
    "ceil": math.ceil,
    "round": _rounded,
    "hypot": math.hypot,
}
"""What a formula may call; angles in degrees. round() takes halves to the even neighbour."""

CONSTANTS = {"pi": math.pi}

_OPERATORS: dict[type[ast.AST], Callable[..., Any]] = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: operator.truediv,
    ast.FloorDiv: operator.floordiv,
    ast.Mod: operator.mod,
    ast.Pow: _power,
    ast.USub: operator.neg,
    ast.UAdd: operator.pos,
    ast.Not: operator.not_,
    ast.Eq: operator.eq,
    ast.NotEq: operator.ne,
    ast.Lt: operator.lt,
    ast.LtE: operator.le,
    ast.Gt: operator.gt,
    ast.GtE: operator.ge,
}
_STRUCTURE = (
    ast.Expression,
    ast.BinOp,
    ast.UnaryOp,
    ast.BoolOp,
    ast.And,
    ast.Or,
    ast.Compare,
    ast.IfExp,
    ast.Call,
    ast.Name,
    ast.Load,
    ast.Constant,
    *_OPERATORS,
)
_WITH_UNIT = re.compile(
    rf"(?<![\w.])(?:(?:([0-9]{{1,9}})\s+)?([0-9]{{1,9}})\s*/\s*([0-9]{{1,9}})|({NUMBER}))\s*"
    r"(mm|cm|m|inch|in|ft|deg|rad|°)(?![\w(])"
)


@dataclass(frozen=True, slots=True)
class Formula:
    """A checked formula; `names` are the parameters it reads, `quantities` its numbers with units, by the
    names that stand for them in the tree."""

    text: str
    names: frozenset[str]
    quantities: Mapping[str, tuple[float, Dimension]]
    _tree: ast.expr

    @classmethod
    def parse(cls, text: str, length_unit: str = "mm") -> Formula:
        """Read a formula, with or without its leading "=".

        Numbers with a unit ("1/4 in") become numbers in `length_unit`, or in degrees. Raises
        ParameterError for anything but arithmetic on names, or a formula that is too long.
        """
        source = text.strip().removeprefix("=").strip()
        if not source:
            raise ParameterError("the formula is empty", value=text)
        if len(source) > MOST_CHARACTERS:
            raise ParameterError(
                f"the formula has {len(source)} characters; at most {MOST_CHARACTERS} are allowed",
                value=text,
            )
        bare, quantities = _without_units(source, length_unit)
        tree = _syntax(bare.strip(), source)
        _refuse_code(tree, source)
        calls = {id(node.func) for node in ast.walk(tree) if isinstance(node, ast.Call)}
        names = {
            node.id
            for node in ast.walk(tree)
            if isinstance(node, ast.Name) and id(node) not in calls and node.id not in CONSTANTS
        }
        return cls("=" + source, frozenset(names - quantities.keys()), quantities, tree)

    def dimension(self, names: Mapping[str, Dimension]) -> Dimension:
        """What the formula gives, by the dimensions of what it reads. Raises ParameterError where its parts
        do not go together."""
        known = dict.fromkeys(CONSTANTS, PURE) | {k: kind for k, (_, kind) in self.quantities.items()}
        return dimension_of(self._tree, {**names, **known}, self.text)

    def evaluate(self, values: Mapping[str, Number]) -> float:
        """The value with the given parameters. Raises ParameterError if there is no finite one."""
        numbers = {name: number for name, (number, _) in self.quantities.items()}
        names = {**CONSTANTS, **numbers, **{name: values[name] for name in self.names}}
        evaluator = SimpleEval(operators=_OPERATORS, functions=FUNCTIONS, names=names)
        try:
            result = evaluator.eval(self.text[1:], previously_parsed=self._tree)
            number = float(result)
        except ZeroDivisionError:
            raise ParameterError(f'"{self.text}" divides by zero', value=self.text) from None
        except (InvalidExpression, ArithmeticError, ValueError, TypeError) as error:
            raise ParameterError(f'"{self.text}" has no value: {error}', value=self.text) from None
        if not math.isfinite(number):
            raise ParameterError(f'"{self.text}" gives {number}', value=self.text)
        return number


def _syntax(source: str, shown: str) -> ast.expr:
    try:
        return ast.parse(source, mode="eval").body
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        raise ParameterError(f'"={shown}" is no formula', value=shown) from None


def _refuse_code(tree: ast.expr, source: str) -> None:
    nodes = list(ast.walk(tree))
    if len(nodes) > MOST_NODES:
        raise ParameterError(f'"={source}" has more than {MOST_NODES} parts', value=source)
    for node in nodes:
        if not isinstance(node, _STRUCTURE):
            hint = "; powers are written **" if isinstance(node, ast.BitXor) else ""
            what = type(node).__name__.lower()
            raise ParameterError(f'"={source}": {what} is not allowed in a formula{hint}', value=source)
        if isinstance(node, ast.Constant) and not isinstance(node.value, (int, float)):
            raise ParameterError(f'"={source}": {node.value!r} is no number', value=source)
        if isinstance(node, ast.Call):
            _refuse_call(node, source)


def _refuse_call(node: ast.Call, source: str) -> None:
    name = node.func.id if isinstance(node.func, ast.Name) else None
    if name not in FUNCTIONS or node.keywords:
        raise ParameterError(
            f'"={source}" may only call {", ".join(FUNCTIONS)}, not {name or "that"}', value=source
        )


def _without_units(source: str, length_unit: str) -> tuple[str, dict[str, tuple[float, Dimension]]]:
    """Replaces every number with a unit by a name; what each name stands for, in the design's unit."""
    found: dict[str, tuple[float, Dimension]] = {}

    def value(match: re.Match[str]) -> str:
        whole, top, bottom, number, unit = match.groups()
        before = source[: match.start()].rstrip()
        if (top and before.endswith("/")) or (number and before.endswith("/")):
            raise ParameterError(f'"={source}": put "{match[0]}" in brackets', value=source)
        is_angle = unit in ("deg", "rad", "°")
        scale = factor(unit, "deg" if is_angle else length_unit)
        if not number and int(bottom) == 0:
            raise ParameterError(f'"={source}" divides by zero', value=source)
        exact = Fraction(number) if number else int(whole or 0) + Fraction(int(top), int(bottom))
        name = f"quantity_{len(found)}__"
        try:
            found[name] = (float(scale * exact), ANGLE if is_angle else 1.0)
        except OverflowError:
            raise ParameterError(f'"={source}": {match[0]} is too large', value=source) from None
        return f" {name} "

    return _WITH_UNIT.sub(value, source), found
