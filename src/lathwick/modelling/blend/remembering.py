"""What has been made once, or why it could not be, is not made again."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import TypeVar

from ...errors import ModellingError

Key = TypeVar("Key", bound=Hashable)
Made = TypeVar("Made")


def made_once(known: dict[Key, Made | ModellingError], key: Key, make: Callable[[], Made]) -> Made:
    """What `make` gives, kept in `known`. Raises the ModellingError that it raised, now or before."""
    if key not in known:
        try:
            known[key] = make()
        except ModellingError as error:
            known[key] = error
    found = known[key]
    if isinstance(found, ModellingError):
        raise found.with_traceback(None)
    return found
