"""`Job`: the recording layer. Each verb names its step, calls a core function and keeps the result."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from types import MappingProxyType
from typing import TypeVar

from ..errors import LathwickError, ModellingError, ParameterError, SketchError
from ..geometry.placement import XY, Plane
from ..geometry.units import MILLIMETRES
from ..modelling.extrude import extrude
from ..modelling.flat_faces import plane_of_face, region_of_face
from ..sketch.region import Region
from ..sketch.sketch import Sketch
from ..topology.body import Body, BodyFace
from .parameters import Value, read_dimension
from .steps import Step

T = TypeVar("T")


class Job:
    """Builds bodies step by step in one length unit. Every verb takes the step's name first.

    unit : "mm", "cm", "m" or "in". strict : refuse to build on a sketch that is not fully defined.
    params : the parameters that formulas in dimensions read; a design passes its own.
    """

    def __init__(
        self, unit: str = "mm", *, strict: bool = False, params: Mapping[str, Value] | None = None
    ) -> None:
        if unit not in MILLIMETRES:
            raise ParameterError(f'"{unit}" is no design unit; use {", ".join(MILLIMETRES)}', value=unit)
        self.unit = unit
        self.strict = strict
        self.params = MappingProxyType(dict(params or {}))
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

    def sketch(self, name: str, on: Plane | BodyFace = XY) -> Sketch:
        """An empty sketch on a plane or a planar face. Draw, constrain, then build on it.

        On a face: the origin is the foot of the design's origin, y points up (along Z as far as it
        goes) and the normal out of the body; on a level face x is +X. In the sketch's dimensions a text
        is a quantity ("3/16 in") or a formula over the parameters ("=pipe/2").
        """
        self._new_name(name)
        with _naming_step(name):
            plane = plane_of_face(on.brep) if isinstance(on, BodyFace) else on
            if not isinstance(plane, Plane):
                raise ModellingError(f"a sketch lies on a Plane or a planar face, got {on!r}")
        sketch = Sketch(plane, name=name, unit=self.unit, reader=self._read)
        self._steps.append(Step(name, "sketch", "", sketch=sketch))
        return sketch

    def _read(self, text: str, kind: str) -> float:
        """The number a dimension's text stands for, in the design's unit or degrees."""
        return read_dimension(text, "deg" if kind == "angle" else self.unit, self.unit, self.params)

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
