"""Questions to a design: over which range a parameter works, which value gives a measure, what a measure is
most sensitive to. Each answer comes from building the part."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING, Any

from ..errors import LathwickError, ParameterError
from .parameters import Parameter, Value
from .units import in_unit, parse_quantity

if TYPE_CHECKING:
    from .design import Design
    from .part import Part

FARTHEST = 1e4
"""How many times its value a parameter without limits is tried."""
STEPS = 60
SAMPLES = 16
PERCENT = 0.01
CLOSE = 1e-12
ROUND_ENOUGH = 1e-6
NARROW = 0.02
MOST_DIGITS = 12
"""How near limits are found, how near round ones; from where on ends are looked at closely; digits of values
that are tried."""
KILOGRAMS = {"kg": 1.0, "g": 1e-3, "t": 1e3, "lb": 0.45359237}

MEASURES: Mapping[str, Callable[[Part], float | None]] = {
    "volume": lambda part: part.volume,
    "area": lambda part: part.area,
    "mass": lambda part: part.mass,
    "width": lambda part: part.bounds[1][0] - part.bounds[0][0],
    "depth": lambda part: part.bounds[1][1] - part.bounds[0][1],
    "height": lambda part: part.bounds[1][2] - part.bounds[0][2],
}
"""What can be asked of a part: width, depth and height are its sizes along x, y and z. Besides these, the
values of notes by their text."""


@dataclass(frozen=True, slots=True)
class Limits:
    """The range of a parameter, around its value, over which the part builds and meets its guards.

    low, high : the last values that work, to a millionth where that is a round one; infinite where nothing
    stops it within a wide search. below, above : what stops it beyond them; "" for nothing.
    """

    low: float
    high: float
    below: str
    above: str


def limits(design: Design, name: str, values: Mapping[str, Any]) -> Limits:
    """See `Design.limits`."""
    p = _numeric(design, name)
    start = _number(design.check(values)[name])
    problem = _problem(design, name, values, start)
    if problem:
        raise ParameterError(
            f"{name} = {start:g} does not work itself: {problem}", parameter=name, value=start
        )
    low, below = _end(design, p, values, start, -1.0)
    high, above = _end(design, p, values, start, 1.0)
    return Limits(low, high, below, above)


def solve(design: Design, name: str, so_that: Mapping[str, Any], values: Mapping[str, Any]) -> float:
    """See `Design.solve`."""
    from scipy.optimize import brentq

    if len(so_that) != 1:
        raise ParameterError(f"solve takes one measure and its value, got {len(so_that)}")
    ((measure, wanted),) = so_that.items()
    p = _numeric(design, name)
    if p.kind == "count":
        raise ParameterError(f"{name} is a count; try its few values with vary", parameter=name)
    target = _target(design, measure, wanted)
    found = limits(design, name, values)
    start = _number(design.check(values)[name])
    low, high = _finite(found.low, start), _finite(found.high, start)

    def off(x: float) -> float:
        return measured(design.build(**{**values, name: x}), measure) - target

    spots = [low + (high - low) * k / SAMPLES for k in range(SAMPLES + 1)]
    gaps = [off(x) for x in spots]
    exact = [x for x, gap in zip(spots, gaps, strict=True) if gap == 0.0]
    if exact:
        return exact[0]
    crossed = [k for k in range(SAMPLES) if gaps[k] * gaps[k + 1] < 0.0]
    if not crossed:
        reached = f"{min(gaps) + target:.6g} to {max(gaps) + target:.6g}"
        raise ParameterError(
            f"no {name} from {low:.6g} to {high:.6g} gives {measure} = {target:.6g}; it reaches {reached}",
            parameter=name, value=target,
        )  # fmt: skip
    k = min(crossed, key=lambda k: abs(0.5 * (spots[k] + spots[k + 1]) - start))
    return float(brentq(off, spots[k], spots[k + 1], xtol=1e-14 * max(1.0, abs(high)), rtol=1e-14))


def sensitivity(design: Design, measure: str, values: Mapping[str, Any]) -> dict[str, float]:
    """See `Design.sensitivity`."""
    resolved = design.check(values)
    base = measured(design.build(**values), measure)
    if base == 0.0:
        raise ParameterError(f"{measure} is 0, of which there is no percentage")
    found = {}
    for p in design.parameters:
        value = resolved[p.name]
        if p.kind in ("length", "angle", "number") and value and isinstance(value, float):
            found[p.name] = _slope(design, p, values, value, measure) / base * value
    return found


def _slope(design: Design, p: Parameter, values: Mapping[str, Any], value: float, measure: str) -> float:
    """The derivative of a measure: by a central difference, or one to the side that works; NaN where none
    does."""
    step = 0.5 * PERCENT * abs(value)
    sides = []
    for x in (value - step, value + step):
        try:
            sides.append((x, measured(design.build(**{**values, p.name: x}), measure)))
        except LathwickError:
            continue
    if not sides:
        return math.nan
    if len(sides) == 1:
        sides.append((value, measured(design.build(**values), measure)))
    (x0, y0), (x1, y1) = sides
    return (y1 - y0) / (x1 - x0)


def measured(part: Part, measure: str) -> float:
    """A measure of a part, or the value of a note. Raises ParameterError for what it has not."""
    notes = {m.text: m.value for m in part.messages if isinstance(m.value, float)}
    known = [*MEASURES, *notes]
    if measure not in known:
        raise ParameterError(f'there is no measure "{measure}"; there are {", ".join(known)}')
    value = MEASURES[measure](part) if measure in MEASURES else notes[measure]
    if value is None:
        raise ParameterError(f"the part has no {measure}: it has no material")
    return float(value)


def _target(design: Design, measure: str, wanted: Any) -> float:
    """The value that is wanted, in the unit that the measure has."""
    if not isinstance(wanted, str):
        return float(wanted)
    number, unit = parse_quantity(wanted)
    if not unit:
        return float(number)
    if measure == "mass":
        if unit not in KILOGRAMS:
            raise ParameterError(f'"{wanted}" is no mass; write 0.25 kg, 250 g or 0.5 lb', value=wanted)
        return float(number) * KILOGRAMS[unit]
    return in_unit(wanted, design.unit)


def _numeric(design: Design, name: str) -> Parameter:
    for p in design.parameters:
        if p.name == name:
            if p.kind in ("text", "flag"):
                raise ParameterError(f"{name} is a {p.kind}, which has no range", parameter=name)
            return p
    known = ", ".join(p.name for p in design.parameters)
    raise ParameterError(f'there is no parameter "{name}"; there are {known}', parameter=name)


def _number(value: Value) -> float:
    return float(value)


def _finite(end: float, start: float) -> float:
    return end if math.isfinite(end) else start + math.copysign(FARTHEST * max(1.0, abs(start)), end)


def _problem(design: Design, name: str, values: Mapping[str, Any], x: float) -> str:
    """Why a value does not work; "" if it does."""
    try:
        design.build(**{**values, name: x})
    except LathwickError as error:
        return str(error)
    return ""


def _works(design: Design, name: str, values: Mapping[str, Any], x: float) -> bool:
    """Whether a value works; soon, since no refusal looks for a size that would do."""
    from ..modelling.limits import without_sizes

    with without_sizes():
        return not _problem(design, name, values, x)


def _end(
    design: Design, p: Parameter, values: Mapping[str, Any], start: float, way: float
) -> tuple[float, str]:
    """The last value on one side that works, and what stops it: by steps that double, then by bisection."""
    whole = p.kind == "count"
    declared = p.low if way < 0 else p.high
    good, step = start, max(1.0 if whole else 0.0, 0.25 * abs(start)) or 1.0
    for _ in range(STEPS):
        x = good + way * step
        if declared is not None and (x - declared) * way >= 0.0:
            x = float(declared)
        if abs(x - start) > FARTHEST * max(1.0, abs(start)):
            return way * math.inf, ""
        if not _works(design, p.name, values, x):
            good, bad = _bisected(partial(_works, design, p.name, values), good, x, whole)
            return good, _problem(design, p.name, values, bad)
        if declared is not None and x == declared:
            return x, f"{p.name} must be {'at least' if way < 0 else 'at most'} {declared:g}"
        good, step = x, 2.0 * step
    return way * math.inf, ""


def _bisected(works: Callable[[float], bool], good: float, bad: float, whole: bool) -> tuple[float, float]:
    """The last value that works, and one beyond it that does not."""
    tried: set[float] = set()
    while abs(bad - good) > 1.0 if whole else not _is_settled(good, bad):
        x = float(math.trunc(0.5 * (good + bad))) if whole else _next_value(good, bad, tried)
        if works(x):
            good = x
        else:
            bad = x
    return good, bad


def _is_settled(good: float, bad: float) -> bool:
    """A round value is the limit where a millionth more does not work."""
    room = ROUND_ENOUGH if _is_round(good) else CLOSE
    return abs(bad - good) <= room * max(1.0, abs(good))


def _next_value(good: float, bad: float, tried: set[float]) -> float:
    """The value to try between two. Limits are round more often than not: values of few digits come first,
    and what lies beside such an end. tried : the ends beside which something was tried."""
    size = max(1.0, abs(good))
    way = math.copysign(size, bad - good)
    if abs(bad - good) < NARROW * size:
        for end, beside in ((good, good + 0.9 * ROUND_ENOUGH * way), (bad, bad - 0.9 * CLOSE * way)):
            if _is_round(end) and end not in tried:
                tried.add(end)
                return beside
    middle = 0.5 * (good + bad)
    shown = (float(f"{middle:.{digits}g}") for digits in range(1, MOST_DIGITS))
    return next((x for x in shown if min(good, bad) < x < max(good, bad)), middle)


def _is_round(value: float) -> bool:
    return value == float(f"{value:.3g}")
