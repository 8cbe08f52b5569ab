"""`Recorder`: what a job remembers, and how a verb becomes a step."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import AbstractContextManager, contextmanager, nullcontext
from types import MappingProxyType
from typing import TYPE_CHECKING

from ..errors import LathwickError, ModellingError, ParameterError, SketchError
from ..gate import shown_value
from ..geometry.units import MILLIMETRES
from ..geometry.vector import vec3
from ..modelling import verbs
from .dimensions import Dimension
from .messages import LIMIT, NOTE, WARNING, Message
from .parameters import Value, read_dimension
from .step_cache import StepCache
from .steps import Step
from .telling import count_of, place_text, touching

if TYPE_CHECKING:
    from ..modelling.profile import Profile
    from ..sketch.region import Region
    from ..topology.body import Body


MOST_DIGITS = 15
SHOWN_PIECES = 6

Watch = Callable[[str, str], AbstractContextManager[None]]
"""Is with a step while it is made: given its name and verb."""


class ReachedStep(BaseException):
    """The step that was asked for is made; no error, and nothing that a script should catch."""

    def __init__(self, body: Body) -> None:
        super().__init__()
        self.body = body


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
        until: str | None = None,
        cache: StepCache | None = None,
    ) -> None:
        if unit not in MILLIMETRES:
            raise ParameterError(f'"{unit}" is no design unit; use {", ".join(MILLIMETRES)}', value=unit)
        self.unit = unit
        self.strict = strict
        self.params = MappingProxyType(dict(params or {}))
        self._kinds = dict(kinds or {})
        self._watch = watch or (lambda name, verb: nullcontext())
        self._steps: list[Step] = []
        self._messages: list[Message] = []
        self._until = until
        self._cache = cache
        self._pending = ""
        self._given: list[Body] = []

    def __repr__(self) -> str:
        names = ", ".join(step.name for step in self._steps) or "no steps"
        return f"<{type(self).__name__} in {self.unit}: {names}>"

    @property
    def steps(self) -> tuple[Step, ...]:
        """The steps so far, in order."""
        return tuple(self._steps)

    def require(self, condition: object, message: str) -> None:
        """Refuse the parameters with `message` unless `condition` holds. Raises ParameterError."""
        if not _holds("require", condition):
            raise ParameterError(message)

    def warn(self, condition: object, message: str) -> None:
        """Tell `message` unless `condition` holds, and go on."""
        if not _holds("warn", condition):
            self._messages.append(Message(WARNING, message))

    def limit(self, name: str, value: float, low: float | None = None, high: float | None = None) -> float:
        """The value brought within its limits; it is told when it was not there."""
        if low is not None and high is not None and low > high:
            raise ParameterError(f"limit: low {low:g} of {name} is above high {high:g}")
        within = value
        for bound, word, is_off in ((low, "least", low is not None and value < low),
                                    (high, "most", high is not None and value > high)):  # fmt: skip
            if is_off and bound is not None:
                within = float(bound)
                self._messages.append(
                    Message(LIMIT, f"{name} = {value:.9g} is brought to {within:.9g}, the {word} that goes")
                )
        return within

    def note(
        self,
        text: str,
        value: float | str | None = None,
        at: Iterable[float] | None = None,
        digits: int | None = None,
    ) -> None:
        """A sentence or a value that is shown with the part. at : the place (x, y, z) that it is of. digits :
        the decimals of the value."""
        if digits is not None and not 0 <= digits <= MOST_DIGITS:
            raise ParameterError(f"note: digits is from 0 to {MOST_DIGITS}, got {digits}")
        try:
            place = None if at is None else vec3(at)
        except (TypeError, ValueError):
            raise ParameterError(f"note: at is three finite numbers, got {shown_value(at)}") from None
        number = value if value is None or isinstance(value, str) else float(value)
        self._messages.append(Message(NOTE, text, "", number, place, digits))

    @property
    def messages(self) -> tuple[Message, ...]:
        """What was told so far, warnings of steps included, in order."""
        return tuple(self._messages)

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

    def _record(
        self,
        name: str,
        verb: str,
        detail: str,
        build: Callable[[list[str]], Body],
        *,
        pieces: int | None = None,
        chosen: object = None,
        divides: bool = False,
    ) -> Body:
        """Make a step. pieces : how many lumps it is meant to have at most; None for any. chosen : the edges
        or faces that it works on. divides : whether lumps that touch are what it is for."""
        self._new_name(name, False)
        key, self._pending = self._pending, ""
        started = time.perf_counter()
        with naming_step(name), self._watch(name, verb):
            body, warnings = self._made(key, build)
        body.note_swallowed(name, self._given)
        seconds = time.perf_counter() - started
        if pieces is not None and body.lumps > pieces:
            warnings.append(_falls_apart(body, pieces))
        had = max((given.lumps for given in self._given), default=0)
        if body.lumps > had and not divides and (text := touching(body)):
            warnings.append(text)
        self._messages += [Message(WARNING, warning, name) for warning in warnings]
        count = None if chosen is None else count_of(chosen)
        self._steps.append(Step(name, verb, detail, seconds, tuple(warnings), body, chosen=count))
        if name == self._until:
            raise ReachedStep(body)
        return body

    def _made(self, key: str, build: Callable[[list[str]], Body]) -> tuple[Body, list[str]]:
        """What a step makes, with its warnings: as it is kept under its key, or anew."""
        kept = self._cache.find(key) if self._cache is not None and key else None
        if kept is not None:
            return kept[0], list(kept[1])
        warnings: list[str] = []
        started = time.perf_counter()
        body = build(warnings)
        if self._cache is not None and key:
            self._cache.keep(key, body, tuple(warnings), time.perf_counter() - started)
        return body, warnings

    def _new_name(self, name: str, of_sketch: bool) -> None:
        """A sketch and a body may have one name: they are never looked for in the same place."""
        if not isinstance(name, str) or not name.strip() or any(c in name for c in "/:"):
            raise ModellingError(f'{name!r} is no name for a step: no "/" or ":", and not empty')
        if any(step.name == name and (step.sketch is not None) is of_sketch for step in self._steps):
            what = "sketch" if of_sketch else "step"
            raise ModellingError(f'there is a {what} "{name}" already; every {what} needs its own name')


def _holds(verb: str, condition: object) -> bool:
    try:
        return bool(condition)
    except (TypeError, ValueError) as error:
        raise ParameterError(f"{verb}: a condition is true or false: {error}") from None


def _falls_apart(body: Body, pieces: int) -> str:
    """What is said of a step that leaves more lumps than there were."""
    from ..topology.body import Body

    places = [Body((lump,), body.unit).centroid for lump in body.pieces[:SHOWN_PIECES]]
    told = "; ".join(map(place_text, places))
    more = "" if body.lumps <= SHOWN_PIECES else " and more"
    before = "one" if pieces == 1 else str(pieces)
    return f"{body.lumps} loose pieces, where {before} was meant, with centers at {told}{more}"


@contextmanager
def naming_step(name: str) -> Iterator[None]:
    try:
        yield
    except LathwickError as error:
        raise error.in_step(name) from None
