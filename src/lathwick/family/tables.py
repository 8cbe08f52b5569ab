"""Tables of variants: CSV, XLSX or a DataFrame, read as they are, one clear line for each mistake."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from os import PathLike
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ..errors import ParameterError

if TYPE_CHECKING:
    import pandas as pd

NAME = "name"
LONGEST_NAME = 100
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


def read_rows(
    table: str | PathLike[str] | pd.DataFrame, columns: Sequence[str], required: Iterable[str], stem: str
) -> list[Row]:
    """The rows of a table of variants.

    columns : the parameters a column may be named after; `required` ones must have a column.
    stem : names rows "stem-001", ... where there is no `name` column.

    Rows of a file are numbered as in a spreadsheet: the heading is row 1. Raises ParameterError
    for a table as a whole: unreadable, empty, unknown or missing columns, a repeated name.
    """
    heading, lines = _frame_lines(table) if not isinstance(table, (str, PathLike)) else _file_lines(table)
    _check_heading(heading, columns, required)
    rows: list[Row] = []
    for place, line in lines:
        cells = {h: v for h, v in zip(heading, line, strict=True) if not _is_empty(v)}
        if cells:
            name = _name(cells.pop(NAME, None)) if NAME in heading else f"{stem}-{len(rows) + 1:03d}"
            rows.append(Row(place, name, cells, name_problem(name)))
    if not rows:
        raise ParameterError("the table has no rows")
    _refuse_repeats(rows)
    return rows


def count_rows(table: str | PathLike[str]) -> int:
    """How many rows a table has, for a progress bar; 0 for one that cannot be read."""
    try:
        _, lines = _file_lines(table)
    except ParameterError:
        return 0
    return sum(any(not _is_empty(value) for value in line) for _, line in lines)


Lines = tuple[list[str], list[tuple[str, list[Any]]]]


def _file_lines(table: str | PathLike[str]) -> Lines:
    path = Path(table)
    lines = _read_file(path)
    if not lines:
        raise ParameterError(f"{path.name}: the table is empty")
    heading = ["" if _is_empty(h) else str(h).strip() for h in lines[0]]
    while heading and not heading[-1] and all(_is_empty(line[len(heading) - 1]) for line in lines):
        heading.pop()
    body = [(f"row {i}", line[: len(heading)]) for i, line in enumerate(lines[1:], 2)]
    return heading, body


def _read_file(path: Path) -> list[list[Any]]:
    """All cells, line by line, the heading first. Raises ParameterError."""
    readers = {".csv": _read_csv, ".xlsx": _read_workbook}
    reader = readers.get(path.suffix.lower())
    if reader is None:
        raise ParameterError(f"{path.name}: a table is a .csv or .xlsx file")
    try:
        return reader(path)
    except OSError as error:
        raise ParameterError(f"{path}: cannot be read: {error.strerror or error}") from None


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
        )
    except pd.errors.EmptyDataError:
        return []
    except (pd.errors.ParserError, UnicodeDecodeError) as error:
        raise ParameterError(f"{path.name}: cannot be read as a table: {_first_line(error)}") from None
    return [list(line) for line in raw.itertuples(index=False, name=None)]


def _read_workbook(path: Path) -> list[list[Any]]:
    """The first sheet. A cell with a spreadsheet formula gives its value; where there is none, as
    for "=pipe/4", which only means something here, it gives the formula."""
    from zipfile import BadZipFile

    from openpyxl import load_workbook
    from openpyxl.utils.exceptions import InvalidFileException

    try:
        values, formulas = (load_workbook(path, data_only=only).worksheets[0] for only in (True, False))
        pairs = zip(values.iter_rows(values_only=True), formulas.iter_rows(values_only=True), strict=True)
        return [[_cell(v, f) for v, f in zip(*pair, strict=True)] for pair in pairs]
    except (BadZipFile, InvalidFileException, KeyError, IndexError, ValueError) as error:
        raise ParameterError(f"{path.name}: is no workbook: {_first_line(error)}") from None


def _cell(value: Any, formula: Any) -> Any:
    is_formula = isinstance(formula, str) and formula.startswith("=")
    return formula if is_formula and value in (None, "#NAME?") else value


def _first_line(error: Exception) -> str:
    return str(error).strip().splitlines()[0] if str(error).strip() else type(error).__name__


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
    for i, column in enumerate(heading, 1):
        if not column:
            raise ParameterError(f"row 1, column {i}: the column has no heading; there may be {known}")
        if column != NAME and column not in columns:
            raise ParameterError(f'row 1, column "{column}": no such parameter; there may be {known}')
        if column in heading[: i - 1]:
            raise ParameterError(f'row 1, column "{column}": stands there twice')
    missing = [name for name in required if name not in heading]
    if missing:
        raise ParameterError(f'row 1: the column "{missing[0]}" is missing; it has no default')


def _is_empty(value: Any) -> bool:
    if value is None or (isinstance(value, str) and not value.strip()):
        return True
    import pandas as pd

    missing = pd.isna(value)
    return missing if isinstance(missing, bool) else False


def _name(value: Any) -> str:
    if isinstance(value, float) and value.is_integer():
        value = int(value)
    return "" if value is None else str(value).strip()


def name_problem(name: str) -> str:
    """Why a name cannot be a file name anywhere; "" if it can."""
    if not name:
        return "the name is empty"
    if len(name) > LONGEST_NAME:
        return f"the name has {len(name)} characters, at most {LONGEST_NAME} are allowed"
    bad = sorted({c for c in name if c in FORBIDDEN or not c.isprintable()})
    if bad:
        return f'"{name}" cannot name a file: it holds {" ".join(map(repr, bad))}'
    if name.startswith((".", "-")) or name.endswith("."):
        return f'"{name}" cannot name a file: it starts or ends with "{name[0] if name[0] in ".-" else "."}"'
    if name.split(".")[0].lower() in RESERVED_FILES:
        return f'"{name}" is a name that some systems keep for devices'
    return ""


def _refuse_repeats(rows: Sequence[Row]) -> None:
    seen: dict[str, str] = {}
    for row in rows:
        key = row.name.casefold()
        if key and key in seen:
            raise ParameterError(f'{row.place}, column "{NAME}": "{row.name}" stands in {seen[key]} already')
        seen[key] = row.place
