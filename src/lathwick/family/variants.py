"""Many parts of one design: a row of a table each, in several processes, one bad row spoiling none."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from concurrent.futures import Executor
from contextlib import suppress
from dataclasses import replace
from os import PathLike
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ..errors import ExchangeError, ParameterError
from .atomic import sweep_drafts, write_atomically
from .crew import Crew, Task
from .design import Design
from .executors import executed
from .files import save
from .ledger import Ledger
from .parameters import RESULTS, Value
from .plates import plate_of
from .presets import Presets
from .row_work import DONE as DONE
from .row_work import FAILED as FAILED
from .row_work import NOT_BUILT, Order, build_row, failure, told
from .row_work import Variant as Variant
from .shared import Table
from .tables import NAME, Row, name_problem, read_rows, safe_cell

if TYPE_CHECKING:
    import pandas as pd

TABLE_FILE = "variants.csv"
MOST_WORKERS = 256
RECORDED = ("volume", "area", "mass", "lumps", "mass_unit", "message")
"""What the ledger keeps of a variant."""


class RunStopped(KeyboardInterrupt):
    """A run of variants was interrupted; `run` holds what was done until then, and the same call goes on."""

    def __init__(self, run: VariantRun) -> None:
        super().__init__("the run was stopped")
        self.run = run


class RunNotWritten(ExchangeError):
    """The table of a run cannot be written; `run` holds it."""

    def __init__(self, message: str, run: VariantRun) -> None:
        super().__init__(message)
        self.run = run


class VariantRun:
    """The result of `vary`: `variants` in the order of the table; `left`, the columns of a `Table` that the
    design has not."""

    def __init__(
        self,
        variants: Sequence[Variant],
        parameters: Sequence[str],
        left: Sequence[str] = (),
        design: Design | None = None,
    ) -> None:
        self.variants = tuple(variants)
        self._parameters = tuple(parameters)
        self.left = tuple(left)
        self.design = design

    def __repr__(self) -> str:
        return f"<VariantRun: {len(self.variants)} variants, {len(self.failed)} failed>"

    @property
    def failed(self) -> tuple[Variant, ...]:
        """The variants that failed."""
        return tuple(v for v in self.variants if v.status == FAILED)

    @property
    def table(self) -> pd.DataFrame:
        """One row a variant: name, parameters, status, volume, area, mass, lumps, files, seconds, message."""
        import pandas as pd

        columns = [NAME, *self._parameters, *RESULTS]
        frame = pd.DataFrame([self._line(v) for v in self.variants], columns=columns)
        return frame.astype({"lumps": "Int64"})

    def _line(self, v: Variant) -> list[Any]:
        values = [v.values.get(name) for name in self._parameters]
        results = [v.status, v.volume, v.area, v.mass, v.lumps, " ".join(v.files)]
        return [v.name, *values, *results, round(v.seconds, 3), v.message]

    def _repr_html_(self) -> str:
        """What a notebook shows."""
        return str(self.table.to_html(index=False, escape=True))

    def sheet(self, path: str | PathLike[str]) -> None:
        """Write a PNG with a picture of every variant that was done, all at one scale."""
        from .sheets import draw_variants

        draw_variants(self, Path(path))

    def plate(self, path: str | PathLike[str], gap: float | None = None, **options: Any) -> None:
        """Write all variants that were done side by side in one file, STL or 3MF (or any other of solids),
        each with its name. gap : length between the boxes around them, 5 mm by default. options : see
        `lathwick.save`. They are built again for it."""
        from .sheets import parts_of

        save(plate_of(parts_of(self), gap, Path(path).stem), path, **options)

    def plot(self, measure: str, against: str, path: str | PathLike[str]) -> None:
        """Write a PNG of one column of the table over another: `run.plot("mass", against="wall",
        path=...)`."""
        from .sheets import plot_measure

        plot_measure(self, measure, against, Path(path))

    def to_csv(self) -> bytes:
        """The table as a file; no text in it is one that a spreadsheet would run."""
        table = self.table
        for column in table.columns:
            if not _is_numeric(table[column]):
                table[column] = table[column].map(safe_cell)
        return table.to_csv(index=False).encode("utf-8")


def _is_numeric(column: pd.Series[Any]) -> bool:
    import pandas as pd

    return bool(pd.api.types.is_numeric_dtype(column))


def vary(
    design: Design,
    table: str | PathLike[str] | pd.DataFrame | Table | Presets,
    out: str | PathLike[str] | None = None,
    formats: Iterable[str] = ("step", "stl"),
    workers: int | None = None,
    executor: Executor | None = None,
    resume: bool = True,
    progress: Callable[[Variant], None] | None = None,
    *,
    timeout: float | None = None,
    chord: float | None = None,
    angle: float | None = None,
    unit: str | None = None,
    expected: Callable[[int], None] | None = None,
) -> VariantRun:
    """Build a variant of `design` for every row of `table`.

    table : CSV or XLSX file, or a DataFrame; a column per parameter, an optional `name` column. An
        empty cell means the default, a cell that starts with "=" is a formula, a heading may state the unit
        of bare numbers, "bore [in]". Or a `Table`, of which the columns that the design has are taken, or
        the `presets` of the design.
    out : folder for the files and `variants.csv`; None writes nothing.
    formats : suffixes of the files to write for each row.
    workers : number of processes; by default one per processor. 0 builds in this process, where a row that
        takes it down takes all.
    executor : any of `concurrent.futures` instead of them, one of a Dask cluster among these; files are
        written where its workers are.
    resume : keep variants in `out` that an earlier run made from the same script, parameters and formats
        and whose files are unchanged (see `ledger`); False builds all again.
    progress : called with each variant as it is finished, in any order; `expected` once, with the number of
        rows, before that. Without it what the script prints is printed with the row's name.
    timeout : seconds that a row may take.
    chord, angle, unit : of STL files; see `lathwick.save`.

    A row that fails is reported in the result, the others go on; also one whose process dies or that
    takes too long. Raises ParameterError if the table as a whole is wrong (see `tables.read_rows`), before
    anything is built; RunStopped for an interruption, after what is done has been written; RunNotWritten if
    `variants.csv` cannot be.
    """
    if not isinstance(design, Design):
        raise ParameterError(f"vary needs a design, got {type(design).__name__}")
    suffixes = checked_formats(formats)
    _check_timeout(timeout, workers if executor is None else None)
    left: tuple[str, ...] = ()
    if isinstance(table, Table):
        table, left = table.rows_for(design)
    elif isinstance(table, Presets):
        table = table.rows()
    names = [p.name for p in design.parameters]
    required = [p.name for p in design.parameters if p.is_required]
    rows = read_rows(table, names, required, design.name)
    folder = None if out is None else made_folder(Path(out))
    mesh = {k: v for k, v in (("chord", chord), ("angle", angle), ("unit", unit)) if v is not None}
    order = Order(design, folder, suffixes, mesh, time.time())
    if folder is not None:
        sweep_drafts(folder, [file for row in rows for file in order.files_of(row.name)])
    ledger = None if folder is None else Ledger(folder, design, suffixes, mesh)
    if expected is not None:
        expected(len(rows))
    found: dict[int, Variant] = {}
    try:
        for i, variant in _made(order, rows, ledger, resume, _Hands(workers, executor, timeout)):
            found[i] = variant
            (progress or _print)(variant)
    except KeyboardInterrupt:
        raise RunStopped(_written(order, rows, found, names, left)) from None
    except BaseException:
        _written(order, rows, found, names, left)
        raise
    return _written(order, rows, found, names, left)


def made_folder(out: Path) -> Path:
    """The folder in full, made where it is not there. Raises ParameterError."""
    try:
        out.mkdir(parents=True, exist_ok=True)
        return out.resolve()
    except OSError as error:
        raise ParameterError(f"{out}: cannot be made a folder: {error.strerror or error}") from None


def _check_timeout(timeout: float | None, workers: int | None) -> None:
    if timeout is None:
        return
    if isinstance(timeout, bool) or not isinstance(timeout, (int, float)) or not 0 < timeout < float("inf"):
        raise ParameterError(f"timeout is a number of seconds above 0, got {timeout!r}")
    if workers == 0:
        raise ParameterError("a timeout needs worker processes or an executor")


def _print(variant: Variant) -> None:
    for line in variant.printed.splitlines():
        print(f"{variant.name}: {line}")


def _written(
    order: Order,
    rows: Sequence[Row],
    found: Mapping[int, Variant],
    names: Sequence[str],
    left: Sequence[str],
) -> VariantRun:
    """The run so far, its table on disk."""
    variants = [
        found.get(i) or Variant(row.place, row.name, dict(row.cells), NOT_BUILT) for i, row in enumerate(rows)
    ]
    run = VariantRun(variants, names, left, order.design)
    if order.out is not None:
        try:
            write_atomically(order.out / TABLE_FILE, run.to_csv())
        except ExchangeError as error:
            raise RunNotWritten(error.message, run) from None
    return run


def checked_formats(formats: Iterable[str]) -> tuple[str, ...]:
    """Suffixes without their dot. Raises ParameterError for one that cannot be written."""
    known = ("step", "stp", "stl", "obj", "3mf", "png", "html")
    suffixes = tuple(dict.fromkeys(f.strip().lower().lstrip(".") for f in formats))
    for suffix in suffixes:
        if suffix not in known:
            raise ParameterError(f'"{suffix}" is no format of a file; there are {", ".join(known)}')
    return suffixes


def _worker_count(workers: int | None, rows: int) -> int:
    if workers is not None and (isinstance(workers, bool) or not isinstance(workers, int) or workers < 0):
        raise ParameterError(f"workers is a whole number, 0 or more, got {workers!r}")
    available = len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1
    return min(rows, available if workers is None else min(workers, MOST_WORKERS))


class _Hands:
    """Who builds: worker processes, an executor of the caller's, or this process."""

    def __init__(self, workers: int | None, executor: Executor | None, timeout: float | None) -> None:
        self.workers, self.executor, self.timeout = workers, executor, timeout

    def build(self, order: Order, tasks: Sequence[Task]) -> Iterator[tuple[int, Variant]]:
        """(index, variant) of every task, as they are finished."""
        count = _worker_count(self.workers, len(tasks))
        if self.executor is not None:
            yield from executed(order, tasks, self.executor, self.timeout)
        elif count == 0:
            for i, (row, values) in enumerate(tasks):
                yield i, build_row(order, row, values, KeyboardInterrupt)
        else:
            yield from Crew(order, count, self.timeout).run(tasks)


def _made(
    order: Order, rows: Sequence[Row], ledger: Ledger | None, resume: bool, hands: _Hands
) -> Iterator[tuple[int, Variant]]:
    """(index, variant) of every row: those that cannot be built or were kept from an earlier run, then those
    built now."""
    numbers: list[int] = []
    tasks: list[Task] = []
    standing = _standing(order)
    for i, row in enumerate(rows):
        values, problem = _checked(order, row)
        if problem is not None:
            stands = any(file in standing for file in order.files_of(row.name))
            yield i, _with_stale_files(order, problem) if stands else problem
            continue
        kept = _kept(order, row, values, ledger) if ledger is not None and resume else None
        if kept is not None:
            yield i, kept
            continue
        numbers.append(i)
        tasks.append((row, values))
    if not tasks:
        return
    for k, built in hands.build(order, tasks):
        variant = _recorded(order, built, ledger)
        yield numbers[k], _with_stale_files(order, variant)


def _standing(order: Order) -> set[str]:
    """The names of what is in the folder already."""
    if order.out is None:
        return set()
    with suppress(OSError):
        return set(os.listdir(order.out))
    return set()


def _checked(order: Order, row: Row) -> tuple[dict[str, Value], Variant | None]:
    """The values of a row, or why it has none."""
    if row.problem:
        return {}, failure(row, {}, row.problem, error=ParameterError(row.problem, parameter=NAME))
    try:
        return order.design.check(row.cells), None
    except ParameterError as error:
        return {}, failure(row, {}, told(error), error=error)


def _recorded(order: Order, variant: Variant, ledger: Ledger | None) -> Variant:
    """A finished variant, noted in the ledger; one whose files are gone already has failed."""
    if ledger is None or variant.status != DONE or variant.reads:
        return variant
    try:
        ledger.add(variant.name, ledger.key(variant.values), variant.files, _record(variant))
    except OSError as error:
        reason = (
            f"its files were written, but {error.filename or order.out} is gone: {error.strerror or error}"
        )
        return replace(variant, status=FAILED, files=(), message=f"{variant.place}: {reason}")
    return variant


def _with_stale_files(order: Order, variant: Variant) -> Variant:
    """A failed variant whose message tells of files that stand under its name, and since when."""
    if order.out is None or variant.status != FAILED or name_problem(variant.name):
        return variant
    old: list[str] = []
    new: list[str] = []
    for name in order.files_of(variant.name):
        with suppress(OSError):
            (new if (order.out / name).lstat().st_mtime >= order.began - 1e-3 else old).append(name)
    note = variant.message
    note += f"; {' and '.join(old)} of an earlier run still there" if old else ""
    note += f"; {' and '.join(new)} written before it failed" if new else ""
    return replace(variant, message=note)


def _record(variant: Variant) -> dict[str, Any]:
    return {kind: getattr(variant, kind) for kind in RECORDED}


def _kept(order: Order, row: Row, values: Mapping[str, Value], ledger: Ledger) -> Variant | None:
    """The variant of a row as an earlier run left it, if nothing has changed."""
    started = time.perf_counter()
    line = ledger.found(row.name, ledger.key(values), order.files_of(row.name))
    if line is None:
        return None
    measures = {kind: line[kind] for kind in RECORDED}
    files, seconds = order.files_of(row.name), time.perf_counter() - started
    return Variant(
        row.place, row.name, dict(values), DONE, files=files, seconds=seconds, kept=True, **measures
    )
