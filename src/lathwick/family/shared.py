"""Sizes that several designs share: a table of them by name, and named quantities in a TOML file."""

from __future__ import annotations

import hashlib
import sys
import tomllib
from collections.abc import Iterator, Mapping
from graphlib import CycleError, TopologicalSorter
from os import PathLike
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING, Any, TypeVar

from ..errors import ParameterError
from ..gate import shown_value
from ..geometry.units import MILLIMETRES
from .dimensions import OF_KIND, Dimension
from .formulas import Formula
from .tables import Sheet, read_sheet
from .units import in_unit, parse_quantity

if TYPE_CHECKING:
    import pandas as pd

    from .design import Design

Size = float | str
LARGEST_FILE = 10_000_000

FILES_READ: dict[Path, str] = {}
"""Data files that scripts have read in this process, with digests: what was made with them must be made
again when they change, and only the process knows which ones it read."""


class UnknownName(ParameterError, KeyError):
    """A name that a table or a row has not; a KeyError too, as of any mapping."""

    __str__ = ParameterError.__str__


T = TypeVar("T")


class _ByName(Mapping[str, T]):
    """Items by name; a name that is not there is told with those that are."""

    def __init__(self, called: str, items: Mapping[str, T]) -> None:
        self._called = called
        self._items = MappingProxyType(dict(items))

    def __getitem__(self, name: str) -> T:
        if name not in self._items:
            known = ", ".join(self._items) or "none"
            raise UnknownName(f'{self._called}: no "{name}"; there are {known}', value=name)
        return self._items[name]

    def __contains__(self, name: object) -> bool:
        return name in self._items

    def __iter__(self) -> Iterator[str]:
        return iter(self._items)

    def __len__(self) -> int:
        return len(self._items)


class Table(_ByName["SizeRow"]):
    """Sizes by name: `sizes["DN40"]["wall"]`.

    path : a CSV or XLSX file; where it is not there, it is looked for beside the calling script. key : the
    column of the names. A heading may state a unit, "bore [in]"; a cell may hold one, "3/16 in", or a
    formula over the other columns of its row, "=bore/2". unit : of all lengths that come out.
    Raises ParameterError with file, row and column.
    """

    def __init__(self, path: str | PathLike[str], key: str = "name", unit: str = "mm") -> None:
        self.path = _found(path, sys._getframe(1).f_globals)
        self.unit = unit
        _check_unit(unit)
        _note_read(self.path)
        sheet = read_sheet(self.path)
        if key not in sheet.heading:
            raise ParameterError(
                f'{self.path.name}: no column "{key}"; there are {", ".join(sheet.heading) or "none"}'
            )
        self._sheet = sheet
        self._key = key
        rows: dict[str, SizeRow] = {}
        for place, cells in sheet.rows:
            name = str(cells.get(key, "")).strip()
            if not name:
                raise ParameterError(f'{self.path.name}, {place}, column "{key}": the name is empty')
            if name in rows:
                raise ParameterError(
                    f'{self.path.name}, {place}, column "{key}": "{name}" stands there twice'
                )
            rows[name] = SizeRow(_resolved(cells, key, sheet, unit, f"{self.path.name}, {place}"), name)
        super().__init__(self.path.name, rows)

    @property
    def names(self) -> tuple[str, ...]:
        """The names, in the order of the table."""
        return tuple(self)

    def __repr__(self) -> str:
        return f"<Table {self.path.name}: {len(self)} sizes>"

    def rows_for(self, design: Design) -> tuple[pd.DataFrame, tuple[str, ...]]:
        """The columns that a design has, as a table for `vary`, and the names of the columns left out."""
        import pandas as pd

        known = [p.name for p in design.parameters]
        wanted = [column for column in self._sheet.heading if column in known]
        left = tuple(c for c in self._sheet.heading if c not in known and c != self._key)
        lengths = {p.name for p in design.parameters if p.kind == "length"}
        rows = []
        for name, row in self.items():
            cells = {c: row[c] for c in wanted if c in row}
            for column in lengths & cells.keys():
                if not isinstance(cells[column], str):
                    cells[column] = f"{cells[column]!r} {self.unit}"
            rows.append({"name": name, **cells})
        return pd.DataFrame(rows, columns=["name", *wanted]), left


class SizeRow(_ByName[Size]):
    """One row of a `Table`: numbers in its unit or in degrees, and texts."""

    def __init__(self, values: Mapping[str, Size], name: str) -> None:
        super().__init__(f'"{name}"', values)
        self.name = name

    def __repr__(self) -> str:
        return f"<{self.name}: {', '.join(f'{k} {v}' for k, v in self.items())}>"


def shared(path: str | PathLike[str], unit: str = "mm") -> Mapping[str, float]:
    """Named quantities for several scripts, from a TOML file: `shared("common.toml")["diameter"]`.

    A value is a number, a text with a unit ("3/16 in", "30 deg") or a formula over the others
    ("=2*diameter").
    unit : of all lengths that come out. A file that is not there is looked for beside the calling script.
    Raises ParameterError.
    """
    file = _found(path, sys._getframe(1).f_globals)
    _check_unit(unit)
    _note_read(file)
    try:
        if file.stat().st_size > LARGEST_FILE:
            raise ParameterError(f"{file.name}: larger than {LARGEST_FILE} bytes")
        raw = tomllib.loads(file.read_text(encoding="utf-8"))
    except OSError as error:
        raise ParameterError(f"{file}: cannot be read: {error.strerror or error}") from None
    except (ValueError, RecursionError) as error:
        raise ParameterError(f"{file.name}: is no TOML: {error}") from None
    for name, value in raw.items():
        if isinstance(value, bool) or not isinstance(value, (int, float, str)):
            raise ParameterError(f"{file.name}: {name} is no number, quantity or formula", value=value)
        if not name.isidentifier():
            raise ParameterError(f'{file.name}: "{name}" is no name for a formula to use')
    values = _resolved(raw, None, None, unit, file.name)
    texts = [name for name, value in values.items() if isinstance(value, str)]
    if texts:
        raise ParameterError(f'{file.name}: {texts[0]} = "{values[texts[0]]}" is no number')
    return MappingProxyType({name: float(value) for name, value in values.items()})


def _resolved(
    cells: Mapping[str, Any], key: str | None, sheet: Sheet | None, unit: str, where: str
) -> dict[str, Size]:
    """The values of a row, formulas in any order. Raises ParameterError with the place."""
    values: dict[str, Size] = {}
    kinds: dict[str, Dimension] = {}
    formulas: dict[str, Formula] = {}
    for name, raw in cells.items():
        if name == key:
            continue
        try:
            if isinstance(raw, str) and raw.lstrip().startswith("="):
                formulas[name] = Formula.parse(raw, unit)
            else:
                values[name], kinds[name] = _value(
                    raw, unit, None if sheet is None else sheet.units.get(name)
                )
        except ParameterError as error:
            raise ParameterError(f'{where}, column "{name}": {error.message}', parameter=name) from None
    for name in _in_order(formulas, {*values, *formulas}, where):
        formula = formulas[name]
        try:
            texts = [used for used in sorted(formula.names) if isinstance(values[used], str)]
            if texts:
                raise ParameterError(f'"{formula.text}" reads "{texts[0]}", which is a text')
            kinds[name] = formula.dimension(kinds)
            values[name] = formula.evaluate({used: float(values[used]) for used in formula.names})
        except ParameterError as error:
            raise ParameterError(f'{where}, column "{name}": {error.message}', parameter=name) from None
    return {name: values[name] for name in cells if name != key}


def _value(raw: Any, unit: str, heading_unit: str | None) -> tuple[Size, Dimension]:
    """A cell as a number, with what it is, or as a text."""
    if isinstance(raw, (int, float)) and not isinstance(raw, bool):
        text = repr(float(raw))
    else:
        text = str(raw).strip()
    try:
        _, own = parse_quantity(text)
    except ParameterError:
        return text, None
    given = own or heading_unit or ""
    if not given:
        return in_unit(text, unit), None
    kind = "angle" if given in ("deg", "rad", "°", "degree", "radian") else "length"
    target = "deg" if kind == "angle" else unit
    return in_unit(text, target, given), OF_KIND[kind]


def _in_order(formulas: Mapping[str, Formula], known: set[str], where: str) -> list[str]:
    for name, formula in formulas.items():
        strange = sorted(formula.names - known)
        if strange:
            raise ParameterError(f'{where}, column "{name}": "{formula.text}" reads "{strange[0]}", '
                                 "which is not there")  # fmt: skip
    graph = {name: formula.names & formulas.keys() for name, formula in formulas.items()}
    try:
        return list(TopologicalSorter(graph).static_order())
    except CycleError as error:
        raise ParameterError(f"{where}: the formulas {' -> '.join(error.args[1])} go in a circle") from None


def _found(path: str | PathLike[str], caller: Mapping[str, Any]) -> Path:
    """The file, or that of its name beside the script that asks for it. Raises ParameterError."""
    if not isinstance(path, (str, PathLike)):
        raise ParameterError(f"a file is given by its path, got {shown_value(path)}")
    file, script = Path(path), caller.get("__file__")
    try:
        if not file.is_absolute() and not file.exists() and isinstance(script, str):
            file = Path(script).resolve().parent / file
        return file.resolve()
    except (OSError, ValueError):
        raise ParameterError(f"{shown_value(str(path))} is no path of a file") from None


def _check_unit(unit: str) -> None:
    if not isinstance(unit, str) or unit not in MILLIMETRES:
        raise ParameterError(
            f"a unit is one of {', '.join(MILLIMETRES)}, got {shown_value(unit)}", value=unit
        )


def _note_read(file: Path) -> None:
    try:
        FILES_READ[file] = hashlib.sha256(file.read_bytes()).hexdigest() if file.is_file() else ""
    except OSError:
        FILES_READ[file] = ""
