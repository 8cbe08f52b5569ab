"""What a formula gives, by the kinds of what it reads: a pure number, a length, an area, an angle.

A pure number goes with anything, so that "=mast + 5" and "=3*bolts" mean what they say; what cannot be meant
is refused: an area for a length, a length added to an angle. An angle counts as a number in a product with
lengths, as in the length of an arc.
"""

from __future__ import annotations

import ast
import math
from collections.abc import Callable, Mapping
from typing import Final

from ..errors import ParameterError

Dimension = float | str | None
"""The power of a length (0 for a pure number), ANGLE, or None where it cannot be told."""

ANGLE: Final = "angle"
PURE: Final = 0.0
OF_KIND: Mapping[str, Dimension] = {"length": 1.0, "angle": ANGLE}
"""The dimension of each kind of parameter; that of the others is PURE."""

TRIGONOMETRIC = ("sin", "cos", "tan")
INVERSE = ("asin", "acos", "atan")
SAME = ("abs", "floor", "ceil", "round")


def dimension_of(tree: ast.expr, names: Mapping[str, Dimension], shown: str) -> Dimension:
    """The dimension of an expression. Raises ParameterError where parts of it do not go together."""
    return _Reading(names, shown).of(tree)


def check_dimension(found: Dimension, wanted: Dimension, shown: str) -> None:
    """Raises ParameterError unless a value may be taken for what is wanted."""
    if wanted not in (1.0, ANGLE) or found is None or found in (PURE, wanted):
        return
    raise ParameterError(f'"{shown}" is {in_words(found)}, not {in_words(wanted)}', value=shown)


def in_words(dimension: float | str) -> str:
    if isinstance(dimension, str):
        return "an angle"
    words = {PURE: "a number", 1.0: "a length", 2.0: "an area", 3.0: "a volume", -1.0: "one over a length"}
    return words.get(dimension, f"a length to the power {dimension:g}")


class _Reading:
    """Goes through one expression."""

    def __init__(self, names: Mapping[str, Dimension], shown: str) -> None:
        self._names = names
        self._shown = shown

    def of(self, node: ast.expr) -> Dimension:
        if isinstance(node, ast.Name):
            return self._names.get(node.id)
        if isinstance(node, ast.UnaryOp):
            return PURE if isinstance(node.op, ast.Not) else self.of(node.operand)
        if isinstance(node, ast.IfExp):
            self.of(node.test)
            return self._together([node.body, node.orelse], "gives")
        if isinstance(node, ast.BinOp):
            return self._binary(node)
        if isinstance(node, ast.Call):
            return self._call(node)
        if isinstance(node, ast.Compare):
            self._together([node.left, *node.comparators], "compares")
        if isinstance(node, ast.BoolOp):
            for value in node.values:
                self.of(value)
        return PURE

    def _together(self, nodes: list[ast.expr], verb: str) -> Dimension:
        """The common dimension of parts that must be alike, pure numbers aside."""
        found = [self.of(node) for node in nodes]
        if None in found:
            return None
        kinds = [one for one in dict.fromkeys(found) if one is not None and one != PURE]
        if len(kinds) > 1:
            first, second = (in_words(kind) for kind in kinds[:2])
            raise ParameterError(f'"{self._shown}" {verb} {first} and {second}', value=self._shown)
        return kinds[0] if kinds else PURE

    def _binary(self, node: ast.BinOp) -> Dimension:
        if isinstance(node.op, ast.Pow):
            return self._power(node)
        if isinstance(node.op, (ast.Mult, ast.Div, ast.FloorDiv)):
            one, two = self.of(node.left), self.of(node.right)
            return _product(one, two, 1.0 if isinstance(node.op, ast.Mult) else -1.0)
        verb = "divides" if isinstance(node.op, ast.Mod) else "adds"
        return self._together([node.left, node.right], verb)

    def _power(self, node: ast.BinOp) -> Dimension:
        base = self.of(node.left)
        self._must_be(node.right, (PURE,), "an exponent")
        if base in (None, PURE):
            return base
        exponent = _constant(node.right)
        return None if exponent is None or isinstance(base, str) or base is None else base * exponent

    def _call(self, node: ast.Call) -> Dimension:
        name = node.func.id if isinstance(node.func, ast.Name) else ""
        if name in TRIGONOMETRIC:
            for each in node.args:
                self._must_be(each, (PURE, ANGLE), f"what {name}() is given")
            return PURE
        if name in INVERSE:
            for each in node.args:
                self._must_be(each, (PURE,), f"what {name}() is given")
            return ANGLE
        if name == "sqrt":
            found = self.of(node.args[0]) if node.args else PURE
            return found / 2 if isinstance(found, float) else found
        if name in SAME:
            return self.of(node.args[0]) if node.args else PURE
        common = self._together(list(node.args), f"gives {name}()")
        return ANGLE if name == "atan2" else common

    def _must_be(self, node: ast.expr, allowed: tuple[Dimension, ...], what: str) -> None:
        found = self.of(node)
        if found is not None and found not in allowed:
            raise ParameterError(f'"{self._shown}": {what} is {in_words(found)}', value=self._shown)


def _product(one: Dimension, two: Dimension, sign: float) -> Dimension:
    if one is None or two is None:
        return None
    power = (0.0 if isinstance(one, str) else one) + sign * (0.0 if isinstance(two, str) else two)
    is_angle = ANGLE in (one, two) and power == 0.0 and one != two
    return ANGLE if is_angle else power


_SIMPLE: dict[type[ast.operator], Callable[[float, float], float]] = {
    ast.Add: lambda a, b: a + b,
    ast.Sub: lambda a, b: a - b,
    ast.Mult: lambda a, b: a * b,
    ast.Div: lambda a, b: a / b if b else math.nan,
}


def _constant(node: ast.expr) -> float | None:
    """The value of an exponent that is written as a number or a simple sum or ratio of such."""
    if isinstance(node, ast.Constant) and isinstance(node.value, (int, float)):
        return float(node.value)
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.USub):
        inner = _constant(node.operand)
        return None if inner is None else -inner
    if isinstance(node, ast.BinOp) and type(node.op) in _SIMPLE:
        one, two = _constant(node.left), _constant(node.right)
        return None if one is None or two is None else _SIMPLE[type(node.op)](one, two)
    return None
