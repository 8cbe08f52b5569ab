"""Values with units as users type them: "3/16 in", "1 1/2 in", "30 deg", "12,7" (refused).

Unit names and factors come from the `pint` package, in exact fractions; only the last step rounds
to a double. Nothing here evaluates code.
"""

from __future__ import annotations

import re
from fractions import Fraction
from functools import cache
from typing import TYPE_CHECKING, Any

from ..errors import ParameterError
from ..geometry.units import MILLIMETRES

if TYPE_CHECKING:
    from collections.abc import Callable

NUMBER = r"(?:[0-9]+\.?[0-9]*|\.[0-9]+)(?:[eE][+-]?[0-9]{1,3})?"
_VALUE = re.compile(
    rf"""\s*(?P<sign>[+-]?)\s*
    (?:(?:(?P<whole>[0-9]{{1,9}})(?:\s+|-))?(?P<top>[0-9]{{1,9}})\s*/\s*(?P<bottom>[0-9]{{1,9}})|(?P<number>{NUMBER}))
    \s*(?P<unit>°|"|[A-Za-zµμ][A-Za-z_]*)?\s*""",
    re.VERBOSE,
)
MOST_CHARACTERS = 60
NICKNAMES = {'"': "inch", "°": "degree", "in": "inch", "deg": "degree"}


def parse_quantity(text: str) -> tuple[Fraction, str]:
    """The exact number and the unit name ("" if none) in `text`. Raises ParameterError."""
    match = _VALUE.fullmatch(text) if len(text) <= MOST_CHARACTERS else None
    if match is None:
        shown = text if len(text) <= MOST_CHARACTERS else text[:MOST_CHARACTERS] + "..."
        raise ParameterError(f'"{shown}" is no number; write 12.5, 3/16 or "3/16 in"', value=text)
    if match["number"]:
        value = Fraction(match["number"])
    else:
        if int(match["bottom"]) == 0:
            raise ParameterError(f'"{text}" divides by zero', value=text)
        value = Fraction(int(match["top"]), int(match["bottom"])) + int(match["whole"] or 0)
    return (-value if match["sign"] == "-" else value), match["unit"] or ""


@cache
def _registry() -> Any:
    from pint import UnitRegistry

    try:  # reading the definitions takes a second and more; their cache is the package's own
        return UnitRegistry(non_int_type=Fraction, cache_folder=":auto:")
    except OSError:  # no place to keep them
        return UnitRegistry(non_int_type=Fraction, cache_folder=None)


@cache
def factor(unit: str, target: str) -> Fraction:
    """How many `target` units one `unit` is, exactly (for angles to pi as a double).

    Raises ParameterError for a name that is no unit, or one of another dimension.
    """
    known = {**MILLIMETRES, "deg": 0.0}  # the units of designs need no library
    if unit in known and target in known and (unit == "deg") == (target == "deg"):
        return Fraction(1) if unit == target else Fraction(str(known[unit])) / Fraction(str(known[target]))
    from pint.errors import PintError

    registry: Callable[..., Any] = _registry()
    source, goal = NICKNAMES.get(unit, unit), NICKNAMES.get(target, target)
    try:
        given, wanted = registry(source), registry(goal)
        if _base(given) != _base(wanted):
            raise ParameterError(f'"{unit}" is no unit of {_what(target)}', value=unit)
        return Fraction(given.to(wanted.units).magnitude)
    except (PintError, AttributeError, TypeError, ValueError, AssertionError, ArithmeticError) as error:
        raise ParameterError(f'"{unit}" is no unit that is known', value=unit) from error


def _base(quantity: Any) -> str:
    return str(quantity.to_base_units().units)


def _what(target: str) -> str:
    return "angle" if target in ("deg", "degree") else "length"


def in_unit(text: str, target: str, plain: str | None = None) -> float:
    """The number in `text` as a float in `target`; a bare number is in `plain` (default: `target`)."""
    value, unit = parse_quantity(text)
    unit = unit or plain or target
    try:
        return float(value if unit == target else value * factor(unit, target))
    except OverflowError:
        raise ParameterError(f'"{text}" is too large', value=text) from None
