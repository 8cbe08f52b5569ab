"""What comes of an attempt to build: what was made, or why it could not be, where, and what would do."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Generic, TypeVar

from ..errors import ModellingError

T = TypeVar("T")


@dataclass(frozen=True)
class Made(Generic[T]):
    """What was made, mostly a body."""

    value: T


@dataclass(frozen=True)
class Refused:
    """Why nothing was made; `error` tells where and what is in the way, as far as it is known, and is raised
    if nothing else is found."""

    error: ModellingError

    @property
    def reason(self) -> str:
        return self.error.message


Outcome = Made[T] | Refused


def outcome_of(build: Callable[[], T]) -> Outcome[T]:
    """What comes of building. The one place where a refusal that is raised becomes one to look at."""
    try:
        return Made(build())
    except ModellingError as error:
        return Refused(error)


def first_made(builds: Iterable[Callable[[], T]]) -> Outcome[T]:
    """What the first build that works makes; what the first one was refused for if none does."""
    first: Refused | None = None
    for build in builds:
        found = outcome_of(build)
        if isinstance(found, Made):
            return found
        first = first or found
    assert first is not None, "there is at least one way"
    return first


def value_of(outcome: Outcome[T]) -> T:
    """What was made. Raises the ModellingError of a refusal."""
    if isinstance(outcome, Refused):
        raise outcome.error.with_traceback(None)
    return outcome.value
