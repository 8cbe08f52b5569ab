"""Parameters of a design: kinds, limits, choices, and their resolution from values and formulas."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from graphlib import CycleError, TopologicalSorter
from typing import Annotated, Any, Final

from ..errors import ParameterError
from ..gate import shown_value
from .dimensions import ANGLE, OF_KIND, PURE, Dimension, check_dimension
from .formulas import CONSTANTS, FUNCTIONS, Formula
from .units import factor, in_unit, parse_quantity

Value = float | int | str | bool


@dataclass(frozen=True, slots=True)
class Kind:
    """A kind of parameter, as the annotation carries it."""

    name: str


Length = Annotated[float, Kind("length")]
Angle = Annotated[float, Kind("angle")]
Count = Annotated[int, Kind("count")]
Number = Annotated[float, Kind("number")]
Text = Annotated[str, Kind("text")]
Flag = Annotated[bool, Kind("flag")]

RESULTS: Final = ("status", "volume", "area", "mass", "lumps", "files", "seconds", "message")
"""Columns that a table of variants adds."""

RESERVED: Final = frozenset({*FUNCTIONS, *CONSTANTS, *RESULTS, "name", "job"})
"""Names a parameter may not have: formulas and tables of variants use them."""

LARGEST_COUNT: Final = 1_000_000_000
_TRUE = ("true", "yes", "on", "1")
_FALSE = ("false", "no", "off", "0")


class _Required:
    def __repr__(self) -> str:
        return "required"


REQUIRED: Final = _Required()
"""Stands for "no default": the parameter must be given."""


@dataclass(frozen=True, slots=True)
class Param:
    """What `param()` declares, before the parameter knows its name and kind."""

    default: Any
    low: Any = None
    high: Any = None
    step: Any = None
    choices: tuple[Any, ...] = ()
    unit: str | None = None
    note: str = ""


def param(
    default: Any = REQUIRED,
    *,
    low: Any = None,
    high: Any = None,
    step: Any = None,
    choices: Iterable[Any] = (),
    unit: str | None = None,
    note: str = "",
) -> Any:
    """Declare a parameter of a design: `mast: lw.Length = lw.param(42.0, low=20, high=90)`.

    default : a value, a text with a unit ("3/16 in"), or a formula ("=2.4*mast"); without one the
        parameter is required.
    low, high : limits, included. step : the increment a control should use (not enforced).
    choices : the only values allowed.
    unit : unit of bare numbers, where it is not the design's length unit or degrees; for a Number,
        a label.
    """
    return Param(default, low, high, step, tuple(choices), unit, note)


@dataclass(frozen=True, slots=True)
class Parameter:
    """One parameter of a design. Limits, choices and step are in the design's unit (or degrees).

    `default` is as declared: a value, a text with a unit, a formula, or REQUIRED.
    `unit` is the unit of the resolved value; bare numbers are in `entry_unit`.
    """

    name: str
    kind: str
    default: Any
    low: float | None
    high: float | None
    step: float | None
    choices: tuple[Value, ...]
    unit: str
    entry_unit: str
    note: str

    @classmethod
    def declared(cls, name: str, kind: str, spec: Param, length_unit: str) -> Parameter:
        """Check a declaration. Raises ParameterError naming the parameter."""
        if name in RESERVED:
            raise ParameterError(
                f'a parameter cannot be called "{name}": formulas or tables use that name', parameter=name
            )
        unit = {"length": length_unit, "angle": "deg"}.get(kind, spec.unit or "")
        bare = cls(name, kind, spec.default, None, None, None, (), unit, spec.unit or unit, spec.note)
        if kind in ("length", "angle"):
            factor(bare.entry_unit, unit)
        low, high, step = (
            None if limit is None else float(bare.read(limit)) for limit in (spec.low, spec.high, spec.step)
        )
        if low is not None and high is not None and low > high:
            raise ParameterError(f"{name}: low {low:g} is above high {high:g}", parameter=name)
        choices = tuple(bare.read(choice) for choice in spec.choices)
        return cls(name, kind, spec.default, low, high, step, choices, unit, bare.entry_unit, spec.note)

    @property
    def is_required(self) -> bool:
        return self.default is REQUIRED

    def formula(self, raw: Any, length_unit: str) -> Formula | None:
        """The formula in `raw`, if it is one. Texts are never formulas of a Text parameter."""
        if self.kind != "text" and isinstance(raw, str) and raw.lstrip().startswith("="):
            with _naming(self.name):
                return Formula.parse(raw, length_unit)
        return None

    def read(self, raw: Any) -> Value:
        """`raw` as a value of this kind, in this parameter's unit, without the limits.

        Raises ParameterError naming the parameter and the value.
        """
        with _naming(self.name):
            if self.kind == "text":
                return _text(raw)
            if self.kind == "flag":
                return _flag(raw)
            number = self._number(raw)
            return _whole(number) if self.kind == "count" else number

    def _number(self, raw: Any) -> float:
        if isinstance(raw, bool) or (
            not isinstance(raw, (int, float, str)) and not hasattr(raw, "__float__")
        ):
            raise ParameterError(f"{shown_value(raw)} is no number", value=raw)
        if isinstance(raw, str):
            if raw.strip().lower().lstrip("+-") in ("nan", "inf", "infinity"):
                raise ParameterError(f'"{raw.strip()}" is not finite', value=raw)
            if self.kind in ("length", "angle"):
                return in_unit(raw, self.unit, self.entry_unit)
            return _plain(raw, self.unit)
        try:
            number = float(raw)
        except (OverflowError, TypeError, ValueError):
            raise ParameterError(f"{shown_value(raw)} is no number", value=raw) from None
        if not math.isfinite(number):
            raise ParameterError(f"{number} is not finite", value=raw)
        if self.entry_unit != self.unit:
            return number * float(factor(self.entry_unit, self.unit))
        return number

    def limited(self, value: Value) -> Value:
        """`value` if it is within the limits and choices. Raises ParameterError telling them."""
        for limit, word, sign in ((self.low, "at least", 1.0), (self.high, "at most", -1.0)):
            if limit is not None and not isinstance(value, str) and sign * value < sign * limit:
                raise ParameterError(
                    f"{self.name} = {_shown(value, self.unit)}: must be {word} {_shown(limit, self.unit)}",
                    parameter=self.name,
                    value=value,
                    limit=limit,
                )
        if self.choices and not any(_same(value, choice) for choice in self.choices):
            allowed = ", ".join(_shown(choice, self.unit) for choice in self.choices)
            raise ParameterError(
                f"{self.name} = {_shown(value, self.unit)}: must be one of {allowed}",
                parameter=self.name,
                value=value,
                limit=self.choices,
            )
        return value


def resolve(parameters: Iterable[Parameter], given: Mapping[str, Any], length_unit: str) -> dict[str, Value]:
    """The value of every parameter, from what is given and the defaults, formulas in any order.

    Returns name -> value in order of declaration. Raises ParameterError naming the parameter for
    an unknown or missing name, a circle of formulas, a value that cannot be read or is out of limits.
    """
    table = {p.name: p for p in parameters}
    _refuse_unknown(table, given)
    values: dict[str, Value] = {}
    formulas: dict[str, Formula] = {}
    for p in table.values():
        raw = given.get(p.name)
        raw = p.default if raw is None else raw
        if raw is REQUIRED:
            raise ParameterError(f"{p.name} has no default and must be given", parameter=p.name)
        formula = p.formula(raw, length_unit)
        if formula is None:
            values[p.name] = p.limited(_read(p, raw, table, length_unit))
        else:
            formulas[p.name] = formula
    kinds = dimensions(table.values())
    for name in _order(table, formulas):
        p, formula = table[name], formulas[name]
        with _naming(name):
            check_dimension(formula.dimension(kinds), kinds[name], formula.text)
            inputs = {n: _numeric(n, values[n]) for n in sorted(formula.names)}
            number = _derived(formula, inputs, table)
            values[name] = _from_formula(p, number)
        _limited_as_derived(p, values[name], formula, inputs, table)
    return {name: values[name] for name in table}


def dimensions(parameters: Iterable[Parameter]) -> dict[str, Dimension]:
    """The dimension of each parameter by its kind."""
    return {p.name: OF_KIND.get(p.kind, PURE) for p in parameters}


def _derived(formula: Formula, inputs: Mapping[str, Value], table: Mapping[str, Parameter]) -> float:
    try:
        return formula.evaluate(inputs)  # type: ignore[arg-type]
    except ParameterError as error:
        raise ParameterError(f"{error.message}{_with(inputs, table)}", value=error.value) from None


def _limited_as_derived(
    p: Parameter, value: Value, formula: Formula, inputs: Mapping[str, Value], table: Mapping[str, Parameter]
) -> None:
    """Checks the limits of a value that a formula gave. Raises ParameterError with its inputs."""
    try:
        p.limited(value)
    except ParameterError as error:
        sentence = error.message.partition(": ")[2]
        raise ParameterError(
            f"{p.name} = {formula.text[1:]} = {_shown(value, p.unit)}{_with(inputs, table)}: {sentence}",
            parameter=p.name,
            value=value,
            limit=error.limit,
        ) from None


def _with(inputs: Mapping[str, Value], table: Mapping[str, Parameter]) -> str:
    told = ", ".join(f"{name} = {_shown(value, table[name].unit)}" for name, value in inputs.items())
    return f" with {told}" if told else ""


def _read(p: Parameter, raw: Any, table: Mapping[str, Parameter], length_unit: str) -> Value:
    """A value as it is given; where it is none but would be a formula, the refusal proposes that."""
    try:
        return p.read(raw)
    except ParameterError as error:
        if not isinstance(raw, str) or p.kind in ("text", "flag"):
            raise
        with suppress(ParameterError):
            formula = Formula.parse(raw, length_unit)
            if formula.names and formula.names <= table.keys() - {p.name}:
                meant = f'{error.message}; as a formula it is "{formula.text}"'
                error = ParameterError(meant, parameter=p.name, value=raw)
        raise error from None


def read_dimension(
    text: str,
    unit: str,
    length_unit: str,
    values: Mapping[str, Value],
    kinds: Mapping[str, Dimension] | None = None,
) -> float:
    """A quantity ("3/16 in") or a formula over `values` ("=pipe/2") as a number in `unit`.

    Bare numbers are in `unit`, lengths in formulas in `length_unit`. kinds : the dimensions of the values,
    where they are known. Raises ParameterError.
    """
    if not text.lstrip().startswith("="):
        return in_unit(text, unit)
    formula = Formula.parse(text, length_unit)
    for name in sorted(formula.names):
        if name not in values:
            known = ", ".join(values) or "none"
            raise ParameterError(f'"{formula.text}" reads "{name}", which is no parameter; there are {known}')
    check_dimension(formula.dimension(kinds or {}), ANGLE if unit == "deg" else 1.0, formula.text)
    return formula.evaluate({name: _numeric(name, values[name]) for name in formula.names})


def _refuse_unknown(table: Mapping[str, Parameter], given: Mapping[str, Any]) -> None:
    for name in given:
        if name not in table:
            raise ParameterError(
                f'there is no parameter "{name}"; there are {", ".join(table) or "none"}', parameter=name
            )


def _order(table: Mapping[str, Parameter], formulas: Mapping[str, Formula]) -> list[str]:
    """Formulas sorted so that each comes after those it reads."""
    for name, formula in formulas.items():
        for used in sorted(formula.names):
            if used not in table:
                raise ParameterError(
                    f'{name} = "{formula.text}" reads "{used}", which is no parameter',
                    parameter=name,
                    value=formula.text,
                )
    graph = {name: sorted(f.names & formulas.keys()) for name, f in formulas.items()}
    try:
        return list(TopologicalSorter(graph).static_order())
    except CycleError as error:
        circle = list(reversed(error.args[1]))
        raise ParameterError(
            f"the formulas of {' -> '.join(circle)} go in a circle", parameter=circle[0]
        ) from None


def _from_formula(p: Parameter, number: float) -> Value:
    if p.kind == "count":
        return _whole(number)
    if p.kind == "flag":
        return bool(number)
    return number


def _numeric(name: str, value: Value) -> float | int | bool:
    if isinstance(value, str):
        raise ParameterError(f"{name} is a text and cannot be calculated with", value=value)
    return value


@contextmanager
def _naming(name: str) -> Iterator[None]:
    """Put the parameter's name before the message of an error that passes."""
    try:
        yield
    except ParameterError as error:
        if error.parameter is not None:
            raise
        raise ParameterError(
            f"{name}: {error.message}", parameter=name, value=error.value, limit=error.limit
        ) from None


def _text(raw: Any) -> str:
    text = str(raw)
    if len(text) > 1000 or any(ord(c) < 32 and c not in "\n\t" for c in text):
        raise ParameterError("the text is too long or holds control characters", value=raw)
    return text


def _flag(raw: Any) -> bool:
    word = str(raw).strip().lower()
    if word in _TRUE or (isinstance(raw, float) and raw == 1.0):
        return True
    if word in _FALSE or (isinstance(raw, float) and raw == 0.0):
        return False
    raise ParameterError(f"{shown_value(raw)} is neither yes nor no", value=raw)


def _plain(raw: str, label: str) -> float:
    number, unit = parse_quantity(raw)
    if unit and unit != label:
        wanted = f'in "{label}"' if label else "without a unit"
        raise ParameterError(f'"{raw}" must be a number {wanted}', value=raw)
    return float(number)


def _whole(number: float) -> int:
    if abs(number) > LARGEST_COUNT:
        raise ParameterError(f"{number:g} is too large a count", value=number, limit=LARGEST_COUNT)
    nearest = round(number)
    if abs(number - nearest) > 1e-9:
        raise ParameterError(f"{number:g} is no whole number", value=number)
    return nearest


def _same(a: Value, b: Value) -> bool:
    if isinstance(a, str) or isinstance(b, str):
        return a == b
    return math.isclose(a, b, rel_tol=1e-12, abs_tol=1e-12)


def _shown(value: Value, unit: str) -> str:
    if isinstance(value, str):
        return f'"{value}"'
    if isinstance(value, bool):
        return "yes" if value else "no"
    return f"{value:.10g}{' ' + unit if unit else ''}"
