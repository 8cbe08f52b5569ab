"""Tables of variants: CSV, XLSX or a DataFrame, read as they are, one clear line for each mistake."""

from __future__ import annotations

import re
import stat
import unicodedata
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from os import PathLike
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ..errors import ParameterError
from .workbooks import first_line, read_workbook

if TYPE_CHECKING:
    import pandas as pd

NAME = "name"
_PLAIN = re.compile(r"[+-]?[0-9]+(\.[0-9]*)?", re.ASCII)
_UNIT = re.compile(r"(.*?)\s*\[([^\[\]]{1,20})\]", re.DOTALL)
"""A heading with a unit."""
_BARE = re.compile(r"[+-]?[0-9][0-9 ./eE+-]*|[+-]?\.[0-9]+")
_HARMLESS = re.compile(r"[A-Za-z0-9_][A-Za-z0-9_-]*")
RUNNING = ("=", "+", "-", "@", "\t", "\r", "\n")
"""How texts start that a spreadsheet takes for a formula."""
LONGEST_NAME = 200
"""Bytes; most systems allow 255, of which the suffix and a draft take some."""
MOST_ROWS = 200_000
FORBIDDEN = frozenset('/\\:*?"<>|')
RESERVED_FILES = frozenset(
    {"con", "prn", "aux", "nul", *(f"{port}{i}" for port in ("com", "lpt") for i in range(1, 10))}
)


@dataclass(frozen=True, slots=True)
class Row:
    """One row of a table: where it stands, its name, its cells that are not empty, and what is
    wrong with its name ("" if nothing)."""

    place: str
    name: str
    cells: dict[str, Any]
    problem: str = ""


@dataclass(frozen=True, slots=True)
class Sheet:
    """A table as it stands: the names of its columns, the units that headings state, "bore [in]", and of
    each row its place and the cells that are not empty."""

    heading: list[str]
    units: dict[str, str]
    rows: list[tuple[str, dict[str, Any]]]


def read_sheet(table: str | PathLike[str] | pd.DataFrame) -> Sheet:
    """Rows of a file are numbered as in a spreadsheet: the heading is row 1. Raises ParameterError for what
    cannot be read, an empty table, and headings that are empty or repeated."""
    given, lines = _frame_lines(table) if not isinstance(table, (str, PathLike)) else _file_lines(table)
    where = "" if not isinstance(table, (str, PathLike)) else f"{Path(table).name}, "
    heading, units = [], {}
    for i, column in enumerate(given, 1):
        match = _UNIT.fullmatch(column)
        name = match[1] if match else column
        if not name:
            raise ParameterError(f"{where}row 1, column {i}: the column has no heading")
        if name in heading:
            raise ParameterError(f'{where}row 1, column "{name[:60]}": stands there twice')
        heading.append(name)
        if match:
            units[name] = match[2].strip()
    rows = []
    for place, line in lines:
        cells = {h: v for h, v in zip(heading, line, strict=True) if not _is_empty(v)}
        if cells:
            rows.append((place, cells))
    if not rows:
        raise ParameterError(f"{where}the table has no rows" if where else "the table has no rows")
    return Sheet(heading, units, rows)


def read_rows(
    table: str | PathLike[str] | pd.DataFrame, columns: Sequence[str], required: Iterable[str], stem: str
) -> list[Row]:
    """The rows of a table of variants.

    columns : the parameters a column may be named after; `required` ones must have a column.
    stem : names rows "stem-001", ... where there is no `name` column.

    Raises ParameterError for a table as a whole: see `read_sheet`; unknown or missing columns, a repeated
    name.
    """
    sheet = read_sheet(table)
    _check_heading(sheet.heading, columns, required)
    rows: list[Row] = []
    for place, cells in sheet.rows:
        for column, unit in sheet.units.items():
            if column in cells:
                cells[column] = _with_unit(cells[column], unit)
        name = _name(cells.pop(NAME, None)) if NAME in sheet.heading else f"{stem}-{len(rows) + 1:03d}"
        rows.append(Row(place, name, cells, name_problem(name)))
    _refuse_repeats(rows)
    return rows


def _with_unit(cell: Any, unit: str) -> Any:
    """A cell that is a bare number, in the unit of its heading."""
    if isinstance(cell, (int, float)) and not isinstance(cell, bool):
        return f"{cell!r} {unit}"
    return f"{cell.strip()} {unit}" if isinstance(cell, str) and _BARE.fullmatch(cell.strip()) else cell


Lines = tuple[list[str], list[tuple[str, list[Any]]]]


def _file_lines(table: str | PathLike[str]) -> Lines:
    path = Path(table)
    lines = _read_file(path)
    if not lines:
        raise ParameterError(f"{path.name}: the table is empty")
    heading = ["" if _is_empty(h) else str(h).strip() for h in lines[0]]
    used = max((_used(line) for line in lines), default=0)
    del heading[used:]
    body = [(f"row {i}", line[:used]) for i, line in enumerate(lines[1:], 2)]
    return heading, body


def _used(line: Sequence[Any]) -> int:
    """How many cells of a line there are up to the last that is not empty."""
    return next((i for i in range(len(line), 0, -1) if not _is_empty(line[i - 1])), 0)


def _read_file(path: Path) -> list[list[Any]]:
    """All cells, line by line, the heading first. Raises ParameterError."""
    readers = {".csv": _read_csv, ".xlsx": read_workbook}
    reader = readers.get(path.suffix.lower())
    if reader is None:
        raise ParameterError(f"{path.name}: a table is a .csv or .xlsx file")
    try:
        if not stat.S_ISREG(path.stat().st_mode):
            raise ParameterError(f"{path}: is no file")
        lines = reader(path)
    except OSError as error:
        raise ParameterError(f"{path}: cannot be read: {error.strerror or error}") from None
    if len(lines) > MOST_ROWS + 1:
        raise ParameterError(f"{path.name}: a table has at most {MOST_ROWS} rows; split it")
    return lines


def _read_csv(path: Path) -> list[list[Any]]:
    import pandas as pd

    try:
        raw = pd.read_csv(
            path,
            header=None,
            dtype=str,
            keep_default_na=False,
            skip_blank_lines=False,
            skipinitialspace=True,
            sep=_separator(path),
            encoding="utf-8-sig",
            nrows=MOST_ROWS + 2,
        )
    except pd.errors.EmptyDataError:
        return []
    except (pd.errors.ParserError, ValueError, OverflowError) as error:
        raise ParameterError(f"{path.name}: cannot be read as a table: {first_line(error)}") from None
    return [list(line) for line in raw.itertuples(index=False, name=None)]


def _separator(path: Path) -> str:
    """Semicolons or tabs where the heading has those and no comma."""
    with path.open(encoding="utf-8-sig", errors="replace") as file:
        heading = file.readline(10_000)
    return next((s for s in (",", ";", "\t") if s in heading), ",")


def _frame_lines(table: Any) -> Lines:
    import pandas as pd

    if not isinstance(table, pd.DataFrame):
        raise ParameterError(f"a table is a file name or a DataFrame, got {type(table).__name__}")
    heading = [str(column).strip() for column in table.columns]
    rows = zip(table.index, table.itertuples(index=False, name=None), strict=True)
    return heading, [(f"row {label}", list(line)) for label, line in rows]


def _check_heading(heading: Sequence[str], columns: Sequence[str], required: Iterable[str]) -> None:
    known = ", ".join((NAME, *columns))
    for column in heading:
        if column != NAME and column not in columns:
            raise ParameterError(f'row 1, column "{column[:60]}": no such parameter; there may be {known}')
    missing = [name for name in required if name not in heading]
    if missing:
        raise ParameterError(f'row 1: the column "{missing[0]}" is missing; it has no default')


def _is_empty(value: Any) -> bool:
    if value is None:
        return True
    if isinstance(value, str):
        return not value.strip()
    if isinstance(value, float):
        return value != value
    import pandas as pd

    missing = pd.isna(value)
    return missing if isinstance(missing, bool) else False


def _name(value: Any) -> str:
    if isinstance(value, float) and value.is_integer():
        value = int(value)
    return "" if value is None else unicodedata.normalize("NFC", str(value).strip())


def name_problem(name: str) -> str:
    """Why a name cannot be a file name anywhere; "" if it can."""
    if not name.strip():
        return "the name is empty"
    if _HARMLESS.fullmatch(name) and len(name) <= LONGEST_NAME and name.lower() not in RESERVED_FILES:
        return ""
    size = len(name.encode("utf-8", "surrogatepass"))
    if size > LONGEST_NAME:
        return f"the name has {size} bytes, at most {LONGEST_NAME} are allowed"
    bad = sorted({c for c in name if c in FORBIDDEN or not c.isprintable()})
    if bad:
        return f'"{name}" cannot name a file: it holds {" ".join(map(repr, bad))}'
    if name != name.strip():
        return f'"{name}" cannot name a file: it starts or ends with a space'
    if name.startswith((".", "-")) or name.endswith("."):
        return f'"{name}" cannot name a file: it starts or ends with "{name[0] if name[0] in ".-" else "."}"'
    if _alike(name).split(".")[0].strip() in RESERVED_FILES:
        return f'"{name}" is a name that some systems keep for devices'
    return ""


def _alike(name: str) -> str:
    """The same for names that some systems take for one: of one width, form and case."""
    if name.isascii():
        return name.lower()
    return unicodedata.normalize("NFKC", unicodedata.normalize("NFKC", name).casefold())


def safe_cell(value: Any) -> Any:
    """A cell as it may stand in a file: a text that a spreadsheet would run is marked as a text."""
    runs = isinstance(value, str) and value.startswith(RUNNING) and not _PLAIN.fullmatch(value)
    return f"'{value}" if runs else value


def _refuse_repeats(rows: Sequence[Row]) -> None:
    seen: dict[str, str] = {}
    for row in rows:
        key = _alike(row.name)
        if key and key in seen:
            raise ParameterError(f'{row.place}, column "{NAME}": "{row.name}" stands in {seen[key]} already')
        seen[key] = row.place
