"""What a design tells of the part that it made: warnings, values brought within limits, notes."""

from __future__ import annotations

from dataclasses import dataclass

from ..geometry.vector import Vec3

WARNING, LIMIT, NOTE = "warning", "limit", "note"


@dataclass(frozen=True, slots=True)
class Message:
    """One sentence. kind : "warning", "limit" or "note". step : the step that it is of, "" for none.

    value, at, digits : of a note, what it tells of, where, and with how many decimals.
    """

    kind: str
    text: str
    step: str = ""
    value: float | str | None = None
    at: Vec3 | None = None
    digits: int | None = None

    def __str__(self) -> str:
        text = f"{self.step}: {self.text}" if self.step else self.text
        return text if self.value is None else f"{text} {self.value_text}"

    @property
    def value_text(self) -> str:
        """The value as it is to be shown."""
        if isinstance(self.value, float):
            return f"{self.value:.6g}" if self.digits is None else f"{self.value:.{self.digits}f}"
        return "" if self.value is None else self.value
