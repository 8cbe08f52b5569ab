"""`Recorder`: what a job remembers, and how a verb becomes a step."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import AbstractContextManager, contextmanager, nullcontext
from types import MappingProxyType
from typing import TYPE_CHECKING

from ..errors import LathwickError, ModellingError, ParameterError, SketchError
from ..geometry.units import MILLIMETRES
from ..modelling import verbs
from .dimensions import Dimension
from .parameters import Value, read_dimension
from .steps import Step

if TYPE_CHECKING:
    from ..modelling.profile import Profile
    from ..sketch.region import Region
    from ..topology.body import Body


Watch = Callable[[str, str], AbstractContextManager[None]]
"""Is with a step while it is made: given its name and verb."""


class Recorder:
    """Keeps the steps of a job, in order, under names of their own."""

    def __init__(
        self,
        unit: str = "mm",
        *,
        strict: bool = False,
        params: Mapping[str, Value] | None = None,
        kinds: Mapping[str, Dimension] | None = None,
        watch: Watch | None = None,
    ) -> None:
        if unit not in MILLIMETRES:
            raise ParameterError(f'"{unit}" is no design unit; use {", ".join(MILLIMETRES)}', value=unit)
        self.unit = unit
        self.strict = strict
        self.params = MappingProxyType(dict(params or {}))
        self._kinds = dict(kinds or {})
        self._watch = watch or (lambda name, verb: nullcontext())
        self._steps: list[Step] = []

    def __repr__(self) -> str:
        names = ", ".join(step.name for step in self._steps) or "no steps"
        return f"<{type(self).__name__} in {self.unit}: {names}>"

    @property
    def steps(self) -> tuple[Step, ...]:
        """The steps so far, in order."""
        return tuple(self._steps)

    def require(self, condition: object, message: str) -> None:
        """Refuse the parameters with `message` unless `condition` holds. Raises ParameterError."""
        try:
            holds = bool(condition)
        except (TypeError, ValueError) as error:
            raise ParameterError(f"require: a condition is true or false: {error}") from None
        if not holds:
            raise ParameterError(message)

    def _read(self, text: str, kind: str) -> float:
        """The number a dimension's text stands for, in the design's unit or degrees."""
        return read_dimension(
            text, "deg" if kind == "angle" else self.unit, self.unit, self.params, self._kinds
        )

    # ------------------------------------------------------------------ helpers

    def _regions(self, profile: Profile, warnings: list[str]) -> tuple[Region, ...]:
        from ..sketch.sketch import Sketch

        if not isinstance(profile, Sketch):
            return verbs.regions_of(profile, "use")
        report = profile.settle() or profile.solve()
        if report.redundant:
            warnings.append(f'sketch "{profile.name}": {report}')
        if self.strict and not report.is_fully_defined:
            raise SketchError(f'sketch "{profile.name}" is not fully defined: {report}')
        return profile.regions()

    def _record(self, name: str, verb: str, detail: str, build: Callable[[list[str]], Body]) -> Body:
        self._new_name(name, False)
        warnings: list[str] = []
        started = time.perf_counter()
        with naming_step(name), self._watch(name, verb):
            body = build(warnings)
        seconds = time.perf_counter() - started
        self._steps.append(Step(name, verb, detail, seconds, tuple(warnings), body))
        return body

    def _new_name(self, name: str, of_sketch: bool) -> None:
        """A sketch and a body may have one name: they are never looked for in the same place."""
        if not isinstance(name, str) or not name.strip() or any(c in name for c in "/:"):
            raise ModellingError(f'{name!r} is no name for a step: no "/" or ":", and not empty')
        if any(step.name == name and (step.sketch is not None) is of_sketch for step in self._steps):
            what = "sketch" if of_sketch else "step"
            raise ModellingError(f'there is a {what} "{name}" already; every {what} needs its own name')


@contextmanager
def naming_step(name: str) -> Iterator[None]:
    try:
        yield
    except LathwickError as error:
        raise error.in_step(name) from None
