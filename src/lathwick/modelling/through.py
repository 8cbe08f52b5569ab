"""The depth of a cut or a hole: a number, through everything, or as far as a wall of the body."""

from __future__ import annotations

from typing import Final


class Through:
    """The depth of a cut or a hole that goes through whatever there is."""

    def __repr__(self) -> str:
        return "THROUGH"

    def __format__(self, spec: str) -> str:
        return "through all"


THROUGH: Final = Through()
Depth = float | Through | str
