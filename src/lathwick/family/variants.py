"""Many parts of one design: a row of a table each, in several processes, one bad row spoiling none."""

from __future__ import annotations

import gc
import importlib.util
import os
import pickle
import sys
import threading
import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Executor, Future, ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass, replace
from multiprocessing import get_context
from os import PathLike
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ..errors import LathwickError, ParameterError
from .atomic import write_atomically
from .design import Design
from .files import save
from .ledger import Ledger
from .parameters import RESULTS, Value
from .tables import NAME, Row, name_problem, read_rows

if TYPE_CHECKING:
    import pandas as pd

DONE, FAILED = "done", "failed"
TABLE_FILE = "variants.csv"


@dataclass(frozen=True, slots=True)
class Variant:
    """What came of one row. `message` says why it failed, or what its steps warned of; `kept` that
    it stood there from an earlier run."""

    place: str
    name: str
    values: dict[str, Value]
    status: str
    volume: float | None
    mass: float | None
    files: tuple[str, ...]
    seconds: float
    message: str
    mass_unit: str = ""
    kept: bool = False


@dataclass(frozen=True, slots=True)
class _Order:
    """All that a worker needs besides its row."""

    design: Design
    out: Path | None
    formats: tuple[str, ...]


class VariantRun:
    """The result of `vary`: `variants` in the order of the table."""

    def __init__(self, variants: Sequence[Variant], parameters: Sequence[str]) -> None:
        self.variants = tuple(variants)
        self._parameters = tuple(parameters)

    def __repr__(self) -> str:
        return f"<VariantRun: {len(self.variants)} variants, {len(self.failed)} failed>"

    @property
    def failed(self) -> tuple[Variant, ...]:
        """The variants that failed."""
        return tuple(v for v in self.variants if v.status == FAILED)

    @property
    def table(self) -> pd.DataFrame:
        """One row a variant: name, parameters, status, volume, mass, files, seconds, message."""
        import pandas as pd

        columns = [NAME, *self._parameters, *RESULTS]
        return pd.DataFrame([self._line(v) for v in self.variants], columns=columns)

    def _line(self, v: Variant) -> list[Any]:
        values = [v.values.get(name) for name in self._parameters]
        files = " ".join(v.files)
        return [v.name, *values, v.status, v.volume, v.mass, files, round(v.seconds, 3), v.message]


def vary(
    design: Design,
    table: str | PathLike[str] | pd.DataFrame,
    out: str | PathLike[str] | None = None,
    formats: Iterable[str] = ("step", "stl"),
    workers: int | None = None,
    executor: Executor | None = None,
    resume: bool = True,
    progress: Callable[[Variant], None] | None = None,
) -> VariantRun:
    """Build a variant of `design` for every row of `table`.

    table : CSV or XLSX file, or a DataFrame; a column per parameter, an optional `name` column. An
        empty cell means the default, a cell that starts with "=" is a formula.
    out : folder for the files and `variants.csv`; None writes nothing.
    formats : suffixes of the files to write for each row.
    workers : number of processes; by default one per processor. `executor` replaces them.
    resume : keep variants in `out` that an earlier run made from the same script, parameters and formats
        and whose files are unchanged (see `ledger`); False builds all again.
    progress : called with each variant as it is finished, in any order.

    A row that fails is reported in the result, the others go on. Raises ParameterError if the
    table as a whole is wrong (see `tables.read_rows`), before anything is built.
    """
    if not isinstance(design, Design):
        raise ParameterError(f"vary needs a design, got {type(design).__name__}")
    suffixes = checked_formats(formats)
    names = [p.name for p in design.parameters]
    required = [p.name for p in design.parameters if p.is_required]
    rows = read_rows(table, names, required, design.name)
    folder = None if out is None else Path(out)
    if folder is not None:
        folder.mkdir(parents=True, exist_ok=True)
    order = _Order(design, folder, suffixes)
    ledger = None if folder is None else Ledger(folder, design, suffixes)
    found: dict[int, Variant] = {}
    for i, variant in _made(order, rows, ledger, resume, workers, executor):
        found[i] = variant
        if progress is not None:
            progress(variant)
    run = VariantRun([found[i] for i in range(len(rows))], names)
    if folder is not None:
        write_atomically(folder / TABLE_FILE, run.table.to_csv(index=False).encode("utf-8"))
    return run


def checked_formats(formats: Iterable[str]) -> tuple[str, ...]:
    """Suffixes without their dot. Raises ParameterError for one that cannot be written."""
    known = ("step", "stp", "stl", "png")
    suffixes = tuple(dict.fromkeys(f.strip().lower().lstrip(".") for f in formats))
    for suffix in suffixes:
        if suffix not in known:
            raise ParameterError(f'"{suffix}" is no format of a file; there are {", ".join(known)}')
    return suffixes


def _worker_count(workers: int | None, rows: int) -> int:
    if workers is not None and workers < 1:
        raise ParameterError(f"workers must be at least 1, got {workers}")
    available = len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1
    return min(rows, workers or available)


def _made(
    order: _Order,
    rows: Sequence[Row],
    ledger: Ledger | None,
    resume: bool,
    workers: int | None,
    executor: Executor | None,
) -> Iterator[tuple[int, Variant]]:
    """(index, variant) of every row: those kept from an earlier run, then those built now."""
    todo: list[int] = []
    for i, row in enumerate(rows):
        kept = _kept(order, row, ledger) if ledger is not None and resume else None
        if kept is None:
            todo.append(i)
        else:
            yield i, kept
    if not todo:
        return
    wanted = [rows[i] for i in todo]
    for k, variant in _built(order, wanted, _worker_count(workers, len(todo)), executor):
        if ledger is not None and variant.status == DONE:
            ledger.add(variant.name, ledger.key(variant.values), variant.files, _record(variant))
        yield todo[k], _with_stale_files(order, variant)


def _with_stale_files(order: _Order, variant: Variant) -> Variant:
    """A failed variant whose message tells of files that an earlier run left under its name."""
    if order.out is None or variant.status != FAILED or name_problem(variant.name):
        return variant
    names = [f"{variant.name}.{suffix}" for suffix in order.formats]
    stale = [name for name in names if (order.out / name).exists()]
    if not stale:
        return variant
    note = f"{variant.message}; {' and '.join(stale)} of an earlier run still there"
    return replace(variant, message=note)


def _record(variant: Variant) -> dict[str, Any]:
    kinds = ("volume", "mass", "mass_unit", "message")
    return {kind: getattr(variant, kind) for kind in kinds}


def _kept(order: _Order, row: Row, ledger: Ledger) -> Variant | None:
    """The variant of a row as an earlier run left it, if nothing has changed."""
    if row.problem or not ledger.knows(row.name):
        return None
    started = time.perf_counter()
    try:
        values = order.design.check(row.cells)
    except ParameterError:
        return None  # building the row will tell why
    line = ledger.found(row.name, ledger.key(values))
    if line is None:
        return None
    seconds = time.perf_counter() - started
    message, unit = str(line.get("message", "")), str(line.get("mass_unit", ""))
    volume, mass, files = line.get("volume"), line.get("mass"), tuple(line["files"])
    return Variant(row.place, row.name, values, DONE, volume, mass, files, seconds, message, unit, kept=True)


def _built(
    order: _Order, rows: Sequence[Row], workers: int, executor: Executor | None
) -> Iterator[tuple[int, Variant]]:
    """(index, variant) of every row, as they are finished."""
    if executor is not None:
        jobs = {executor.submit(_build_row, order, row): i for i, row in enumerate(rows)}
        yield from _collected(jobs, rows)
    elif workers == 1:
        for i, row in enumerate(rows):
            yield i, _build_row(order, row)
    else:
        yield from _pooled(order, rows, workers)


def _pooled(order: _Order, rows: Sequence[Row], workers: int) -> Iterator[tuple[int, Variant]]:
    gc.freeze()  # what is loaded now is shared with forked workers, and not copied by their collector
    if sys.platform == "linux" and threading.active_count() == 1:
        # quickest, and safe while this process has no second thread: the order is simply inherited
        pool = ProcessPoolExecutor(workers, get_context("fork"), _inherit, (order,))
    else:
        pool = ProcessPoolExecutor(workers, get_context("spawn"), _unpack, (_packed(order),))
    try:
        jobs = {pool.submit(_build_in_worker, row): i for i, row in enumerate(rows)}
        yield from _collected(jobs, rows)
    finally:
        pool.shutdown(cancel_futures=True)
        gc.unfreeze()


def _packed(order: _Order) -> bytes:
    """The order as bytes, with the code of a design that a new process could not import."""
    import cloudpickle

    module = sys.modules.get(order.design.build.__module__)
    if module is None or module.__name__ == "__main__" or importlib.util.find_spec(module.__name__):
        return cloudpickle.dumps(order)
    cloudpickle.register_pickle_by_value(module)
    try:
        return cloudpickle.dumps(order)
    finally:
        cloudpickle.unregister_pickle_by_value(module)


_worker_order: list[_Order] = []
"""In a worker process: what it was started for."""


def _inherit(order: _Order) -> None:
    _worker_order[:] = [order]


def _unpack(packed: bytes) -> None:
    _worker_order[:] = [pickle.loads(packed)]


def _build_in_worker(row: Row) -> Variant:
    return _build_row(_worker_order[0], row)


def _collected(jobs: dict[Future[Variant], int], rows: Sequence[Row]) -> Iterator[tuple[int, Variant]]:
    for job in as_completed(jobs):
        i = jobs[job]
        try:
            yield i, job.result()
        except BrokenProcessPool:
            yield i, _failure(rows[i], {}, 0.0, "its process died (out of memory?)")


def _build_row(order: _Order, row: Row) -> Variant:
    """Build and save one row; whatever goes wrong becomes its message."""
    started = time.perf_counter()
    values: dict[str, Value] = {}
    try:
        if row.problem:
            raise ParameterError(row.problem, parameter=NAME)
        values = order.design.check(row.cells)
        part = order.design.built(values)
        files = []
        if order.out is not None:
            for suffix in order.formats:
                save(part, order.out / f"{row.name}.{suffix}")
                files.append(f"{row.name}.{suffix}")
    except LathwickError as error:
        return _failure(row, values, time.perf_counter() - started, str(error), error)
    except Exception as error:  # a mistake in the user's script must not stop the other rows
        reason = f"{type(error).__name__} in the script{script_line(error)}: {error}"
        return _failure(row, values, time.perf_counter() - started, reason)
    seconds = time.perf_counter() - started
    message = "; ".join(part.warnings)
    unit = part.mass_unit
    return Variant(
        row.place, row.name, values, DONE, part.volume, part.mass, tuple(files), seconds, message, unit
    )


def _failure(
    row: Row, values: dict[str, Value], seconds: float, reason: str, error: LathwickError | None = None
) -> Variant:
    column = getattr(error, "parameter", None)
    where = f'{row.place}, column "{column}"' if column else row.place
    return Variant(row.place, row.name, values, FAILED, None, None, (), seconds, f"{where}: {reason}")


def script_line(error: BaseException) -> str:
    """ ", saddle.py line 12": where in the user's own code an error came from; "" if nowhere."""
    package = str(Path(__file__).parents[1])
    trace, found = error.__traceback__, ""
    while trace is not None:
        code = trace.tb_frame.f_code
        if not code.co_filename.startswith((package, sys.prefix, sys.base_prefix, "<")):
            found = f", {Path(code.co_filename).name} line {trace.tb_lineno}"
        trace = trace.tb_next
    return found
