"""`@design`: a function that makes a part becomes a family of parts."""

from __future__ import annotations

import functools
import inspect
from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, Annotated, Any, get_args, get_origin, overload

from ..errors import ModellingError, ParameterError
from ..gate import shown_value
from ..geometry.units import MILLIMETRES
from .job import Job
from .messages import Message
from .parameters import REQUIRED, Kind, Param, Parameter, Value, dimensions, resolve
from .part import Part
from .presets import Presets
from .questions import Limits, limits, sensitivity, solve
from .recorder import ReachedStep, Watch
from .step_cache import StepCache
from .steps import Step
from .telling import changed_selections, in_each_other

if TYPE_CHECKING:
    from ..topology.body import Body

Building = Callable[..., "Part | Body"]
"""What builds a part: `f(job, parameter, ...)`."""


class Design:
    """A parametric design. Call it with parameters by name to get a `Part`.

    Every call checks the parameters first and builds in a fresh `Job`. Steps whose inputs have not changed
    are taken from `cache`, which may be set to None.
    """

    def __init__(self, build: Building, unit: str, strict: bool) -> None:
        if unit not in MILLIMETRES:
            raise ParameterError(f'"{unit}" is no design unit; use {", ".join(MILLIMETRES)}', value=unit)
        self.build_function = build
        self.cache: StepCache | None = StepCache()
        self._usual: dict[str, int] | None = None
        self.unit = unit
        self.strict = strict
        self.name = build.__name__
        self.parameters: tuple[Parameter, ...] = _declared(build, unit)
        functools.update_wrapper(self, build)

    def __repr__(self) -> str:
        return f"<Design {self.name}({', '.join(p.name for p in self.parameters)}), unit {self.unit}>"

    def check(self, values: Mapping[str, Any] | None = None) -> dict[str, Value]:
        """The value of every parameter, in the design's unit, formulas resolved.

        Raises ParameterError naming the parameter, the value and the limit.
        """
        return resolve(self.parameters, values or {}, self.unit)

    def __call__(self, **values: Any) -> Part:
        """Check the parameters and build the part. Raises any LathwickError."""
        return self.built(self.check(values))

    def build(self, *, until: str | None = None, **values: Any) -> Part:
        """The same; with `until` only as far as the step of that name, whose body is the part then."""
        return self.built(self.check(values), until=until)

    @property
    def presets(self) -> Presets:
        """The presets in the TOML file beside the script, by name; see `presets.Presets`."""
        return Presets.of(self)

    def preset(self, name: str) -> dict[str, Value]:
        """The values of all parameters of a preset. Raises ParameterError where it no longer fits."""
        return self.presets.values_of(name)

    def limits(self, parameter: str, **values: Any) -> Limits:
        """Over which range a parameter works, the others as given: the part builds and meets its guards.

        The ends are found by bisection, to 1e-12, of the first failure on either side; a count is tried one
        by one. Raises ParameterError where the value itself does not work.
        """
        return limits(self, parameter, values)

    def solve(self, parameter: str, so_that: Mapping[str, Any], **values: Any) -> float:
        """The value of a parameter at which a measure has a value: `solve("wall", so_that={"mass": "0.25
        kg"})`.

        Measures are volume, area, mass, width, depth, height and the values of notes, by their text. Of
        several solutions the nearest to the parameter's value is taken. Method: Brent (1973), between
        samples of the range that works. Raises ParameterError where there is none, with what is reached.
        """
        return solve(self, parameter, so_that, values)

    def sensitivity(self, measure: str, **values: Any) -> dict[str, float]:
        """By how many percent a measure changes for one percent of each parameter."""
        return sensitivity(self, measure, values)

    def built(
        self, checked: Mapping[str, Value], watch: Watch | None = None, until: str | None = None
    ) -> Part:
        """The part with values that `check` has returned. watch : see `Job`. until : see `build`."""
        part = self._made(checked, watch, until)
        told = self._changed(checked, part.steps)
        if until is None and part.bodies:
            told += in_each_other(part)
        return part.as_made(part.name, part.params, part.steps, (*part.messages, *told))

    def _made(self, checked: Mapping[str, Value], watch: Watch | None, until: str | None) -> Part:
        """What the function of the design makes, with what it tells itself."""
        kinds = dimensions(self.parameters)
        job = Job(
            self.unit,
            strict=self.strict,
            params=checked,
            kinds=kinds,
            watch=watch,
            until=until,
            cache=self.cache,
        )
        try:
            result = self.build_function(job, **checked)
        except ReachedStep as reached:
            result = reached.body
        else:
            if until is not None:
                names = ", ".join(step.name for step in job.steps if step.body is not None) or "none"
                raise ParameterError(f'there is no step "{until}"; there are {names}', value=until)
        from ..topology.body import Body

        if isinstance(result, Body):
            result = Part(result)
        if not isinstance(result, Part):
            raise ModellingError(
                f"the design {self.name} must return a Part or a Body, not {shown_value(result)}; "
                'it ends with "return lw.Part(body)"'
            )
        if result.body.unit != self.unit:
            raise ParameterError(
                f"the design {self.name} is in {self.unit}, but its body in {result.body.unit}; "
                "build it with the job that is passed in"
            )
        name = self.name if result.name == "part" else result.name
        return result.as_made(name, checked, job.steps, job.messages)

    def _changed(self, checked: Mapping[str, Value], steps: tuple[Step, ...]) -> list[Message]:
        """What is told of selections that are not what they are in the default part.

        That is built once, as far as its last selection, when a part with other values has one.
        """
        counts = {step.name: step.chosen for step in steps if step.chosen is not None}
        if not counts:
            return []
        if self._usual is None:
            is_default = not any(p.is_required for p in self.parameters) and checked == self.check()
            self._usual = counts if is_default else self._counts_by_default(list(counts)[-1])
        return changed_selections(steps, self._usual)

    def _counts_by_default(self, last: str) -> dict[str, int]:
        """How many edges or faces each step is given in the default part; none where that cannot be built."""
        try:
            part = self._made(self.check(), None, last)
        except (Exception, SystemExit):  # the script is the user's, and other values were asked for
            return {}
        return {step.name: step.chosen for step in part.steps if step.chosen is not None}


@overload
def design(unit: Building) -> Design: ...


@overload
def design(unit: str = "mm", *, strict: bool = False) -> Callable[[Building], Design]: ...


def design(unit: str | Building = "mm", *, strict: bool = False) -> Callable[[Building], Design] | Design:
    """Make a design of a function `f(job, parameter, ...) -> Part`: `@design(unit="in")`, or plainly
    `@design`.

    unit : length unit of the design and its exports: "mm", "cm", "m" or "in".
    strict : refuse to build on a sketch that is not fully defined.

    Each parameter after the job is annotated with a kind (`lw.Length`, ...) and has a default made
    by `lw.param`, a plain value, or none (then it must be given). Raises ParameterError.
    """

    if callable(unit):
        return Design(unit, "mm", strict)
    return lambda build: Design(build, unit, strict)


def _declared(build: Building, unit: str) -> tuple[Parameter, ...]:
    signature = inspect.signature(build, eval_str=True)
    names = list(signature.parameters.values())
    if not names:
        raise ParameterError(f"the design {build.__name__} needs a first argument for the job")
    found = []
    for entry in names[1:]:
        kind = _kind(entry.annotation)
        if kind is None:
            raise ParameterError(
                f"{entry.name}: annotate it with Length, Angle, Count, Number, Text or Flag",
                parameter=entry.name,
            )
        default = REQUIRED if entry.default is inspect.Parameter.empty else entry.default
        spec = default if isinstance(default, Param) else Param(default)
        found.append(Parameter.declared(entry.name, kind, spec, unit))
    return tuple(found)


def _kind(annotation: Any) -> str | None:
    if get_origin(annotation) is Annotated:
        for extra in get_args(annotation)[1:]:
            if isinstance(extra, Kind):
                return extra.name
    return None
