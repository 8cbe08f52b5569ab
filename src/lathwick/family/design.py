"""`@design`: a function that makes a part becomes a family of parts."""

from __future__ import annotations

import functools
import inspect
from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, Annotated, Any, get_args, get_origin

from ..errors import ParameterError
from ..geometry.units import MILLIMETRES
from .job import Job
from .parameters import REQUIRED, Kind, Param, Parameter, Value, dimensions, resolve
from .part import Part
from .recorder import Watch

if TYPE_CHECKING:
    from ..topology.body import Body


class Design:
    """A parametric design. Call it with parameters by name to get a `Part`.

    Every call checks the parameters first and builds in a fresh `Job`.
    """

    def __init__(self, build: Callable[..., Part | Body], unit: str, strict: bool) -> None:
        if unit not in MILLIMETRES:
            raise ParameterError(f'"{unit}" is no design unit; use {", ".join(MILLIMETRES)}', value=unit)
        self.build = build
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

    def built(self, checked: Mapping[str, Value], watch: Watch | None = None) -> Part:
        """The part with values that `check` has returned. watch : see `Job`."""
        kinds = dimensions(self.parameters)
        job = Job(
            self.unit,
            strict=self.strict,
            params=checked,
            kinds=kinds,
            watch=watch,
        )
        result = self.build(job, **checked)
        from ..topology.body import Body

        if isinstance(result, Body):
            result = Part(result)
        if not isinstance(result, Part):
            raise TypeError(f"the design {self.name} must return a Part or a Body, not {result!r}")
        if result.body.unit != self.unit:
            raise ParameterError(
                f"the design {self.name} is in {self.unit}, but its body in {result.body.unit}; "
                "build it with the job that is passed in"
            )
        name = self.name if result.name == "part" else result.name
        return result.as_made(name, checked, job.steps)


def design(unit: str = "mm", *, strict: bool = False) -> Callable[[Callable[..., Part | Body]], Design]:
    """Make a design of a function `f(job, parameter, ...) -> Part`.

    unit : length unit of the design and its exports: "mm", "cm", "m" or "in".
    strict : refuse to build on a sketch that is not fully defined.

    Each parameter after the job is annotated with a kind (`lw.Length`, ...) and has a default made
    by `lw.param`, a plain value, or none (then it must be given). Raises ParameterError.
    """

    def wrap(build: Callable[..., Part | Body]) -> Design:
        return Design(build, unit, strict)

    return wrap


def _declared(build: Callable[..., Part | Body], unit: str) -> tuple[Parameter, ...]:
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
