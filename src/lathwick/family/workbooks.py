"""The first sheet of a workbook (.xlsx), read in a bounded time and memory, whatever it holds."""

from __future__ import annotations

import re
import warnings
from collections.abc import Iterator
from pathlib import Path
from typing import IO, Any
from zipfile import ZipFile

from ..errors import ParameterError

MOST_UNPACKED = 300_000_000
"""Bytes of all parts of a workbook together, unpacked."""
MOST_ROWS = 200_002
MOST_COLUMNS = 2000
MOST_MERGED = 2_000_000
"""Cells that merged ranges may cover."""
BLOCK = 1 << 20

_MERGED = re.compile(rb'<(?:\w+:)?mergeCell\s[^>]*?ref="([A-Z]{1,3})([0-9]{1,7}):([A-Z]{1,3})([0-9]{1,7})"')

Lines = list[list[Any]]


def read_workbook(path: Path) -> Lines:
    """All cells of the first sheet, line by line. Raises ParameterError for what is none, or too large.

    A cell with a spreadsheet formula gives its value; where there is none, as for "=pipe/4", which only means
    something here, it gives the formula. Merged cells all have the value of the first one.
    """
    try:
        with path.open("rb") as file, warnings.catch_warnings():
            warnings.simplefilter("ignore")  # of what the reader leaves out: styles, validation
            with ZipFile(file) as archive:
                size = sum(part.file_size for part in archive.infolist())
            if size > MOST_UNPACKED:
                raise ParameterError(f"{path.name}: unpacks to {size} bytes, more than {MOST_UNPACKED}")
            values, merged = _sheet(file, path.name, True)
            formulas, _ = _sheet(file, path.name, False)
    except (ParameterError, FileNotFoundError, PermissionError, IsADirectoryError):
        raise
    except Exception as error:  # a damaged workbook can fail anywhere in the reader
        raise ParameterError(f"{path.name}: is no workbook, or damaged: {first_line(error)}") from None
    pairs = zip(values, formulas, strict=True)
    lines = [[_cell(v, f) for v, f in zip(*pair, strict=True)] for pair in pairs]
    _spread(lines, merged, path.name)
    return lines


def first_line(error: Exception) -> str:
    """The first line of an error's message, or its kind."""
    lines = str(error).strip().splitlines()
    return lines[0][:300] if lines else type(error).__name__


def _sheet(file: IO[bytes], name: str, values: bool) -> tuple[Lines, list[tuple[int, int, int, int]]]:
    """The cells of the first sheet, its values or its formulas, and the merged ranges."""
    from openpyxl import load_workbook

    book = load_workbook(file, read_only=True, data_only=values)
    try:
        sheet = book.worksheets[0]
        sheet.reset_dimensions()
        lines = list(_bounded(sheet.iter_rows(values_only=True), name))
        width = max(map(len, lines), default=0)
        merged = []
        if values:
            with book._archive.open(sheet._worksheet_path) as part:
                merged = list(_merged(part))
        return [line + [None] * (width - len(line)) for line in lines], merged
    finally:
        book.close()


def _bounded(rows: Iterator[tuple[Any, ...]], name: str) -> Iterator[list[Any]]:
    """The rows up to the last that is not empty, each up to its last cell that is not."""
    gap = 0
    for number, row in enumerate(rows, 1):
        cells = list(row)
        while cells and cells[-1] is None:
            cells.pop()
        if not cells:
            gap += 1
            continue
        if len(cells) > MOST_COLUMNS or number > MOST_ROWS:
            raise ParameterError(
                f"{name}: a cell stands in row {number}, column {len(cells)}; a table has at most "
                f"{MOST_ROWS - 2} rows and {MOST_COLUMNS} columns"
            )
        yield from ([] for _ in range(gap))
        gap = 0
        yield cells


def _merged(part: IO[bytes]) -> Iterator[tuple[int, int, int, int]]:
    """The merged ranges in a sheet: first row and column, last row and column, from 1."""
    rest = b""
    while block := part.read(BLOCK):
        text = rest + block
        end = 0
        for found in _MERGED.finditer(text):
            left, top, right, bottom = found.groups()
            yield int(top), _column(left), int(bottom), _column(right)
            end = found.end()
        rest = text[max(end, len(text) - 200) :]


def _column(letters: bytes) -> int:
    number = 0
    for letter in letters:
        number = 26 * number + letter - 64
    return number


def _spread(lines: Lines, merged: list[tuple[int, int, int, int]], name: str) -> None:
    """Give all cells of merged ranges the value of the first one."""
    width = len(lines[0]) if lines else 0
    covered = 0
    for top, left, bottom, right in merged:
        rows, columns = range(top - 1, min(bottom, len(lines))), range(left - 1, min(right, width))
        covered += len(rows) * len(columns)
        if covered > MOST_MERGED:
            raise ParameterError(f"{name}: merged ranges cover more than {MOST_MERGED} cells")
        for i in rows:
            for j in columns:
                lines[i][j] = lines[top - 1][left - 1]


def _cell(value: Any, formula: Any) -> Any:
    is_formula = isinstance(formula, str) and formula.startswith("=")
    return formula if is_formula and value in (None, "#NAME?") else value
