"""`Job`: the recording layer. Each verb names its step, calls a core function and keeps the result."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import TypeVar

from ..errors import LathwickError, ModellingError, ParameterError, SketchError
from ..geometry.placement import XY, Plane
from ..geometry.units import MILLIMETRES
from ..modelling.extrude import extrude
from ..modelling.flat_faces import region_of_face
from ..sketch.region import Region
from ..sketch.sketch import Sketch
from ..topology.body import Body, BodyFace
from .steps import Step

T = TypeVar("T")


class Job:
    """Builds bodies step by step in one length unit. Every verb takes the step's name first.

    unit : "mm", "cm", "m" or "in". strict : refuse to build on a sketch that is not fully defined.
    """

    def __init__(self, unit: str = "mm", *, strict: bool = False) -> None:
        if unit not in MILLIMETRES:
            raise ParameterError(f'"{unit}" is no design unit; use {", ".join(MILLIMETRES)}', value=unit)
        self.unit = unit
        self.strict = strict
        self._steps: list[Step] = []

    def __repr__(self) -> str:
        return f"<Job in {self.unit}: {', '.join(step.name for step in self._steps) or 'no steps'}>"

    @property
    def steps(self) -> tuple[Step, ...]:
        """The steps so far, in order."""
        return tuple(self._steps)

    def require(self, condition: object, message: str) -> None:
        """Refuse the parameters with `message` unless `condition` holds. Raises ParameterError."""
        if not condition:
            raise ParameterError(message)

    def sketch(self, name: str, on: Plane = XY) -> Sketch:
        """An empty sketch on a plane. Draw, constrain, then build on it."""
        self._new_name(name)
        if not isinstance(on, Plane):
            raise ModellingError(f"a sketch lies on a Plane, got {on!r}", step=name)
        sketch = Sketch(on, name=name, unit=self.unit)
        self._steps.append(Step(name, "sketch", "", sketch=sketch))
        return sketch

    def extrude(
        self,
        name: str,
        profile: Sketch | Region | BodyFace,
        depth: float,
        *,
        both: bool = False,
        back: float = 0.0,
    ) -> Body:
        """The profile moved `depth` along the normal of its plane.

        profile : a sketch (its default profile), a region, or a planar face (outwards from it).
        both : half of the depth on each side. back : so much is added behind the plane.
        Faces: `name/start`, `name/end`, `name/side:item`.
        Raises SketchError or ModellingError naming the step.
        """
        detail = f"depth {depth:g}" + (", half on each side" if both else "")
        detail += f", {back:g} behind" if back else ""

        def build(warnings: list[str]) -> Body:
            regions = self._regions(profile, warnings)
            return extrude(regions, depth, both=both, back=back, step=name)

        return self._record(name, "extrude", detail, build)

    # ------------------------------------------------------------------ helpers

    def _regions(self, profile: Sketch | Region | BodyFace, warnings: list[str]) -> tuple[Region, ...]:
        if isinstance(profile, Region):
            return (profile,)
        if isinstance(profile, BodyFace):
            return (region_of_face(profile.brep, self.unit),)
        if not isinstance(profile, Sketch):
            raise ModellingError(f"a profile is a sketch, a region or a planar face, got {profile!r}")
        report = profile.settle()
        if report is not None and report.redundant:
            warnings.append(f'sketch "{profile.name}": {report}')
        if self.strict and not (report is not None and report.is_fully_defined):
            state = report if report is not None else "it has no constraints"
            raise SketchError(f'sketch "{profile.name}" is not fully defined: {state}')
        return profile.regions()

    def _record(self, name: str, verb: str, detail: str, build: Callable[[list[str]], Body]) -> Body:
        self._new_name(name)
        warnings: list[str] = []
        started = time.perf_counter()
        with _naming_step(name):
            body = build(warnings)
        seconds = time.perf_counter() - started
        self._steps.append(Step(name, verb, detail, seconds, tuple(warnings), body))
        return body

    def _new_name(self, name: str) -> None:
        if not isinstance(name, str) or not name.strip() or any(c in name for c in "/:"):
            raise ModellingError(f'{name!r} is no name for a step: no "/" or ":", and not empty')
        if any(step.name == name for step in self._steps):
            raise ModellingError(f'there is a step "{name}" already; every step needs its own name')


@contextmanager
def _naming_step(name: str) -> Iterator[None]:
    try:
        yield
    except LathwickError as error:
        raise error.in_step(name) from None
