"""The clear text encoding of ISO 10303-21, read: instances, each parsed when it is asked for.

Headers of editions 1 to 3 will do; sections other than DATA are passed over.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import Any, NamedTuple

from ....errors import ExchangeError

DEEPEST = 60
"""Lists in lists in lists, no more than so many."""

MOST_INSTANCES = 5_000_000
SHOWN = 60

_STRING = r"'(?:[^']|'')*+'"
_COMMENT_OR_STRING = re.compile(rf"{_STRING}|/\*.*?\*/", re.DOTALL)
_SECTION = re.compile(r"\bDATA\s*(?:\([^;]*\))?\s*;(.*?)\bENDSEC\s*;", re.DOTALL)
_HEADER = re.compile(r"\bHEADER\s*;(.*?)\bENDSEC\s*;", re.DOTALL)
_END = re.compile(rf"({_STRING}|;)", re.DOTALL)
_ENTITY = re.compile(r"\s*!?\w*\s*\(")
_RUNS_OVER = re.compile(r";\s*\n\s*#\d+\s*=")
_INSTANCE = re.compile(r"\s*#(\d+)\s*=\s*(.*)", re.DOTALL)
_TOKEN = re.compile(
    rf"\s*(?:(?P<string>{_STRING})|(?P<binary>\"[0-9A-Fa-f]*\")|(?P<ref>\#\d+)"
    r"|(?P<number>[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?)"
    r"|(?P<enum>\.[A-Za-z_][A-Za-z0-9_]*\.)|(?P<name>!?[A-Za-z_][A-Za-z0-9_-]*)|(?P<mark>[(),$*]))"
)
_ESCAPE = re.compile(
    r"\\X2\\((?:[0-9A-Fa-f]{4})*)\\X0\\|\\X4\\((?:[0-9A-Fa-f]{8})*)\\X0\\"
    r"|\\X\\([0-9A-Fa-f]{2})|\\S\\(.)|\\P([A-I])\\|\\\\|''",
    re.DOTALL,
)


class Ref(int):
    """The number of another instance."""


class Enum(str):
    """An enumeration item, without its points."""


class Omitted:
    """An asterisk: a value that follows from others."""


class Typed(NamedTuple):
    """A value with its type, LENGTH_MEASURE(2.5)."""

    name: str
    values: list[Any]


class Record(NamedTuple):
    """One entity: its name and its values."""

    name: str
    values: list[Any]


@dataclass(frozen=True)
class StepText:
    """The instances of a file by number: their text."""

    header: str
    rows: dict[int, str]

    @classmethod
    def parse(cls, text: str) -> StepText:
        """Raises ExchangeError for what is no STEP file."""
        if "ISO-10303-21" not in text[:2000]:
            raise ExchangeError("this is no STEP file: it does not begin with ISO-10303-21")
        text = _COMMENT_OR_STRING.sub(lambda m: m.group() if m.group()[0] == "'" else " ", text)
        sections = _SECTION.findall(text)
        if not sections:
            raise ExchangeError("the file has no complete DATA section; it may have been cut off")
        rows: dict[int, str] = {}
        for section in sections:
            for statement in _statements(section):
                found = _INSTANCE.match(statement)
                if found is None:
                    if statement.strip():
                        raise ExchangeError(f"no instance: {statement.strip()[:SHOWN]!r}")
                    continue
                number, row = int(found.group(1)), found.group(2)
                _refuse_broken(number, row)
                if rows.setdefault(number, row) != row:
                    raise ExchangeError(f"#{number} is in the file twice")
                if len(rows) > MOST_INSTANCES:
                    raise ExchangeError(f"the file has more than {MOST_INSTANCES} instances")
        if not rows:
            raise ExchangeError("the DATA section of the file is empty")
        header = _HEADER.search(text)
        return cls(header.group(1) if header else "", rows)

    @property
    def system(self) -> str:
        """The program that wrote the file, by its FILE_NAME; "" if that does not tell."""
        row = next((r for r in _statements(self.header + ";") if r.lstrip().startswith("FILE_NAME")), "")
        values = _records(row, 0)[0].values if row else []
        return next((v for v in values[4:5] if isinstance(v, str)), "")

    @cached_property
    def _parsed(self) -> dict[int, list[Record]]:
        return {}

    @cached_property
    def _by_name(self) -> dict[str, list[int]]:
        """Numbers of instances by the names of their entities."""
        found: dict[str, list[int]] = {}
        for number, row in self.rows.items():
            start = row.lstrip()
            if start.startswith("("):
                names = [record.name for record in self.records(number)]
            else:
                names = [start.partition("(")[0].strip().upper()]
            for name in names:
                found.setdefault(name, []).append(number)
        return found

    def named(self, *names: str) -> list[int]:
        """The instances of entities, in the order of the file for each name."""
        return [number for name in names for number in self._by_name.get(name, ())]

    def records(self, number: int) -> list[Record]:
        """An instance as its entities: one, or the parts of a complex one."""
        found = self._parsed.get(number)
        if found is None:
            if number not in self.rows:
                raise ExchangeError(f"#{number} is referred to but is not in the file")
            found = self._parsed[number] = _records(self.rows[number], number)
        return found

    def record(self, number: int) -> Record:
        """A simple instance, or the first part of a complex one."""
        return self.records(number)[0]

    def part(self, number: int, name: str) -> list[Any] | None:
        """The values of one entity of an instance; None if it is none of its parts."""
        return next((record.values for record in self.records(number) if record.name == name), None)

    def kind(self, number: int) -> str:
        """The name of an instance, those of a complex one joined."""
        return "+".join(record.name for record in self.records(number))


def _refuse_broken(number: int, row: str) -> None:
    """Raise ExchangeError for what is no entity, or runs on over others for want of a quote."""
    if _ENTITY.match(row) is None:
        raise ExchangeError(f"#{number} is no entity: {row.strip()[:SHOWN]!r}")
    if ";" in row and _RUNS_OVER.search(row):
        raise ExchangeError(f"#{number}: a text does not end and runs over other instances")


def _statements(section: str) -> Iterator[str]:
    """The text up to each semicolon outside of strings, in one pass whatever there is."""
    parts: list[str] = []
    for part in _END.split(section):
        if part == ";":
            yield "".join(parts)
            parts = []
        else:
            parts.append(part)
    if "".join(parts).strip():
        raise ExchangeError(f"the last instance is not closed: {''.join(parts).strip()[:SHOWN]!r}")


def _records(row: str, number: int) -> list[Record]:
    tokens = _tokens(row, number)
    kind, value = next(tokens, ("", ""))
    try:
        if kind == "name":
            made = [_record(value, tokens, number)]
        elif value == "(":
            made = []
            for kind, value in tokens:
                if value == ")" and kind == "mark":
                    break
                if kind != "name":
                    raise ExchangeError(f"#{number}: expected an entity, got {value!r}")
                made.append(_record(value, tokens, number))
        else:
            raise ExchangeError(f"#{number}: expected an entity, got {row[:SHOWN]!r}")
    except StopIteration:
        raise ExchangeError(f"#{number}: its list of values is not closed") from None
    if not made:
        raise ExchangeError(f"#{number} is empty")
    return made


def _tokens(row: str, number: int) -> Iterator[tuple[str, str]]:
    at, end = 0, len(row.rstrip())
    while at < end:
        found = _TOKEN.match(row, at)
        if found is None or found.lastgroup is None:
            raise ExchangeError(f"#{number}: cannot read {row[at : at + SHOWN].strip()!r}")
        yield found.lastgroup, found.group(found.lastgroup)
        at = found.end()


def _record(name: str, tokens: Iterator[tuple[str, str]], number: int) -> Record:
    _, mark = next(tokens)
    if mark != "(":
        raise ExchangeError(f"#{number}: expected ( after {name}, got {mark!r}")
    return Record(name.upper(), _list(tokens, number, 0))


def _list(tokens: Iterator[tuple[str, str]], number: int, depth: int) -> list[Any]:
    """The values up to the bracket that closes the list."""
    if depth > DEEPEST:
        raise ExchangeError(f"#{number}: lists are nested more than {DEEPEST} deep")
    found: list[Any] = []
    while True:
        kind, value = next(tokens)
        if kind == "mark" and value == ")":
            return found
        if kind == "mark" and value == ",":
            continue
        found.append(_value(kind, value, tokens, number, depth))


def _value(kind: str, value: str, tokens: Iterator[tuple[str, str]], number: int, depth: int) -> Any:
    if kind == "ref":
        return Ref(value[1:])
    if kind == "number":
        return float(value) if any(c in value for c in ".eE") else int(value)
    if kind == "string":
        return decoded(value[1:-1])
    if kind == "enum":
        return Enum(value[1:-1].upper())
    if kind == "binary":
        return value[1:-1]
    if kind == "name":
        if next(tokens)[1] != "(":
            raise ExchangeError(f"#{number}: expected ( after {value}")
        return Typed(value.upper(), _list(tokens, number, depth + 1))
    if value == "(":
        return _list(tokens, number, depth + 1)
    return None if value == "$" else Omitted


def decoded(text: str) -> str:
    """A STRING without its escapes (clause 6.4.3): wide and long characters, bytes, pages of ISO 8859, and
    doubled signs."""
    page = ["A"]

    def plain(found: re.Match[str]) -> str:
        wide, long, byte, shifted, alphabet = found.groups()
        if wide is not None:
            return bytes.fromhex(wide).decode("utf-16-be", "replace")
        if long is not None:
            return bytes.fromhex(long).decode("utf-32-be", "replace")
        if byte is not None:
            return bytes.fromhex(byte).decode("latin-1")
        if shifted is not None:
            code = "iso8859-" + str(ord(page[0]) - ord("A") + 1)
            return bytes([(ord(shifted) + 128) % 256]).decode(code, "replace")
        if alphabet is not None:
            page[0] = alphabet
            return ""
        return found.group()[0]

    return _ESCAPE.sub(plain, text)
