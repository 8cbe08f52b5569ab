"""What has been made once, or why it could not be, is not made again."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import TypeVar

from ..outcomes import Outcome, outcome_of, value_of

Key = TypeVar("Key", bound=Hashable)
T = TypeVar("T")


def made_once(known: dict[Key, Outcome[T]], key: Key, make: Callable[[], T]) -> T:
    """What `make` gives, kept in `known`. Raises the ModellingError that it raised, now or before."""
    if key not in known:
        known[key] = outcome_of(make)
    return value_of(known[key])
