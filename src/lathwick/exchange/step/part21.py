"""The clear text encoding of ISO 10303-21: numbers, strings and instances."""

from __future__ import annotations

from collections.abc import Iterable


def real(value: float) -> str:
    """A REAL: shortest digits that give the double back, always with a point (clause 6.4.2)."""
    text = repr(value + 0.0)
    mantissa, e, exponent = text.partition("e")
    if "." not in mantissa:
        mantissa += "."
    elif mantissa.endswith(".0"):
        mantissa = mantissa[:-1]
    return f"{mantissa}E{int(exponent)}" if e else mantissa


def string(text: str) -> str:
    """A STRING: quotes and backslashes doubled, other characters by \\X2\\ and \\X4\\ (clause 6.4.3)."""
    out = []
    for character in text:
        code = ord(character)
        if character in "'\\":
            out.append(character * 2)
        elif 32 <= code < 127:
            out.append(character)
        elif code <= 0xFFFF:
            out.append(f"\\X2\\{code:04X}\\X0\\")
        else:
            out.append(f"\\X4\\{code:08X}\\X0\\")
    return "'" + "".join(out) + "'"


def logical(value: bool) -> str:
    return ".T." if value else ".F."


def listed(items: Iterable[str]) -> str:
    return "(" + ",".join(items) + ")"


class Instances:
    """The DATA section as it grows. `add` returns the reference of a new instance; `share` gives
    instances with equal text one reference."""

    def __init__(self) -> None:
        self._rows: list[str] = []
        self._shared: dict[str, str] = {}

    def add(self, text: str) -> str:
        self._rows.append(text)
        return f"#{len(self._rows)}"

    def share(self, text: str) -> str:
        reference = self._shared.get(text)
        if reference is None:
            reference = self._shared[text] = self.add(text)
        return reference

    def section(self) -> str:
        rows = (f"#{i}={row};\n" for i, row in enumerate(self._rows, 1))
        return "DATA;\n" + "".join(rows) + "ENDSEC;\n"
