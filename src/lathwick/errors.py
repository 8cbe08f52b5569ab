"""The errors a user can meet.

LathwickError
├── ParameterError   a parameter, formula, unit or table cell
├── SketchError      a sketch that cannot be solved, or does not close
├── ModellingError   a step that cannot make a valid body
│   └── ReferenceLost  an address that no longer matches anything
└── ExchangeError    a file that cannot be written or read
"""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import wraps
from typing import ParamSpec, TypeVar

P = ParamSpec("P")
R = TypeVar("R")


_NOUGHT = re.compile(r"(?<=[(\[ ])-?(?:0|\d(?:\.\d+)?e-(?:1[3-9]|[2-9]\d))(?=[,)\]])")
"""A coordinate that is nought but for rounding, as it stands in a place."""


_CONTROL = re.compile(r"[\x00-\x1f\x7f-\x9f\u2028\u2029\ud800-\udfff]+")
"""What would break a line, or could not be written."""


class LathwickError(Exception):
    """Base of every error raised for a mistake in data or in a model.

    `step` is the name of the step that was being made, or None if it has none.
    """

    def __init__(self, message: str, *, step: str | None = None) -> None:
        message = _CONTROL.sub(" ", _NOUGHT.sub("0", message))
        super().__init__(message)
        self.message = message
        self.step = step

    def __str__(self) -> str:
        return f'step "{self.step}": {self.message}' if self.step else self.message

    def in_step(self, step: str) -> LathwickError:
        """The same error, naming the step it happened in (the innermost one wins)."""
        if self.step is None:
            self.step = step
        return self

    def __reduce__(self) -> tuple[object, ...]:
        return (_restore, (type(self), self.message, self.__dict__.copy()))


def _restore(kind: type[LathwickError], message: str, state: dict[str, object]) -> LathwickError:
    """Rebuild an error in another process, whatever its constructor asks for."""
    error = kind.__new__(kind)
    Exception.__init__(error, message)
    error.__dict__.update(state)
    return error


class ParameterError(LathwickError):
    """A parameter, formula, unit or table cell is wrong.

    `parameter`, `value` and `limit` carry what the message says, where they are known.
    """

    def __init__(
        self,
        message: str,
        *,
        parameter: str | None = None,
        value: object = None,
        limit: object = None,
        step: str | None = None,
    ) -> None:
        super().__init__(message, step=step)
        self.parameter = parameter
        self.value = value
        self.limit = limit


class SketchError(LathwickError):
    """A sketch cannot be solved, or its curves do not bound a region.

    `places` holds the points ((x, y) in the sketch plane) where the trouble is.
    """

    def __init__(
        self,
        message: str,
        *,
        places: tuple[tuple[float, float], ...] = (),
        step: str | None = None,
    ) -> None:
        super().__init__(message, step=step)
        self.places = places


class ModellingError(LathwickError):
    """A modelling step cannot give a valid body.

    `value` is a size that was asked for and does not fit, and `limit` the largest that works: a length, or an
    angle in degrees; for several sizes, shares of them all. None where the message tells of no such size.
    """

    value: float | None = None
    limit: float | None = None

    def __init__(
        self,
        message: str,
        *,
        value: float | None = None,
        limit: float | None = None,
        step: str | None = None,
    ) -> None:
        super().__init__(message, step=step)
        self.value = value
        self.limit = limit


class ReferenceLost(ModellingError):
    """An address such as "plate/side:front" matches nothing in the body."""


class ExchangeError(LathwickError):
    """A file cannot be written or read."""


def naming_its_step(verb: Callable[P, R]) -> Callable[P, R]:
    """A verb with an argument `step` whose errors name that step, unless they name one within it."""

    @wraps(verb)
    def named(*args: P.args, **kwargs: P.kwargs) -> R:
        try:
            return verb(*args, **kwargs)
        except LathwickError as error:
            step = kwargs.get("step")
            if isinstance(step, str) and step:
                error.in_step(step)
            raise

    return named
