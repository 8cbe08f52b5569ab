"""Names of faces, and the addresses that find them again.

A face is named when a step makes it, by step, role and (where there is one) the item of the sketch
that it came from: "plate/side:front". The name stays on the face through every later step.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from ..errors import ModellingError


@dataclass(frozen=True, slots=True, order=True)
class FaceName:
    """`step` made the face in the `role` (start, end, side, ...) from the sketch item `item` ("" if none)."""

    step: str
    role: str
    item: str = ""

    def __str__(self) -> str:
        return f"{self.step}/{self.role}" + (f":{self.item}" if self.item else "")


class Shared(str):
    """The item of a face that is of several curves at once, as of a line and its mirror image that go on in
    each other: the first one's name; `also` are those of the others."""

    also: tuple[str, ...] = ()

    @classmethod
    def of(cls, first: str, other: str) -> Shared:
        names = dict.fromkeys((first, *_others(first), other, *_others(other)))
        made = cls(first)
        made.also = tuple(str(name) for name in names if name != first)
        return made


def _others(name: str) -> tuple[str, ...]:
    return name.also if isinstance(name, Shared) else ()


def side_names(step: str, item: str) -> tuple[FaceName, ...]:
    """The names of a face that a step makes at a curve of its sketch."""
    return tuple(FaceName(step, "side", str(name)) for name in (item, *_others(item)))


def stem_of(name: str) -> str:
    """The name of a body without a number at its end: "pin 3" is one of the pins."""
    return re.sub(r"[\s#_.-]*\d+$", "", name) or name


def copied_names(names: Sequence[FaceName], steps: Sequence[str]) -> tuple[FaceName, ...]:
    """The names of a copied face: those it had, and the same under the steps that copied it."""
    more = [FaceName(step, name.role, name.item) for step in steps for name in names]
    return tuple(dict.fromkeys([*names, *more]))


@dataclass(frozen=True, slots=True)
class Address:
    """What a user wrote to find faces: a step, and where given a role and an item."""

    step: str
    role: str = ""
    item: str = ""

    @classmethod
    def parse(cls, text: str) -> Address:
        """Read "step", "step/role" or "step/role:item". Raises ModellingError for anything else."""
        if not isinstance(text, str) or not text.strip():
            raise ModellingError(f'{text!r} is no address; write "step/role" or "step/role:item"')
        step, _, rest = text.partition("/")
        role, _, item = rest.partition(":")
        if not step or ("/" in text and not role) or (":" in rest and not item):
            raise ModellingError(f'"{text}" is no address; write "step/role" or "step/role:item"')
        return cls(step, role, item)

    def matches(self, name: FaceName) -> bool:
        """Whether `name` answers to this address. An item also answers to its owner: "plan:square"
        finds "square.top"."""
        if self.step != name.step or (self.role and self.role != name.role):
            return False
        return not self.item or name.item == self.item or name.item.startswith(self.item + ".")
