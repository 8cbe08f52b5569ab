"""What is done for one row of a table: check, build, save; whatever goes wrong becomes its message."""

from __future__ import annotations

import sys
import time
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ..errors import LathwickError
from .design import Design
from .files import MESH_SUFFIXES, save
from .parameters import Value
from .shared import FILES_READ
from .tables import Row

DONE, FAILED, NOT_BUILT = "done", "failed", "not built"
LONGEST_MESSAGE = 1000


@dataclass(frozen=True, slots=True)
class Variant:
    """What came of one row. `message` says why it failed, or what its steps warned of; `printed` is what the
    script wrote meanwhile; `kept` that it stood there from an earlier run; `reads` that files of data were
    read while it was built, so that nobody can say later whether it is still the same."""

    place: str
    name: str
    values: dict[str, Any]
    status: str
    volume: float | None = None
    area: float | None = None
    mass: float | None = None
    lumps: int | None = None
    files: tuple[str, ...] = ()
    seconds: float = 0.0
    message: str = ""
    mass_unit: str = ""
    printed: str = ""
    kept: bool = False
    reads: bool = False


@dataclass(frozen=True, slots=True)
class Order:
    """All that is needed besides a row and its values: the design, the folder, the formats, the options of
    meshes, and when the run began."""

    design: Design
    out: Path | None
    formats: tuple[str, ...]
    mesh: Mapping[str, Any]
    began: float

    def files_of(self, name: str) -> tuple[str, ...]:
        """The names of the files of a variant."""
        return () if self.out is None else tuple(f"{name}.{suffix}" for suffix in self.formats)


def build_row(order: Order, row: Row, values: Mapping[str, Value], *stops: type[BaseException]) -> Variant:
    """Build and save one row.

    stops : errors that go through instead of becoming the row's message: an interruption of the whole run.
    """
    started, known = time.perf_counter(), dict(FILES_READ)
    try:
        part = order.design.built(values)
        message, measures = "; ".join(map(str, part.messages)), _measures(part)
        for file, suffix in zip(order.files_of(row.name), order.formats, strict=False):
            assert order.out is not None
            save(part, order.out / file, **(dict(order.mesh) if f".{suffix}" in MESH_SUFFIXES else {}))
    except LathwickError as error:
        return failure(row, values, told(error), time.perf_counter() - started, error)
    except stops:
        raise
    except BaseException as error:  # a mistake in the user's script must not stop the other rows
        reason = f"{type(error).__name__} in the script{script_line(error)}: {told(error)}"
        return failure(row, values, reason, time.perf_counter() - started)
    seconds, files = time.perf_counter() - started, order.files_of(row.name)
    return Variant(
        row.place,
        row.name,
        dict(values),
        DONE,
        **measures,
        files=files,
        seconds=seconds,
        message=message,
        reads=known != FILES_READ,
    )


def _measures(part: Any) -> dict[str, Any]:
    return {
        "volume": part.volume,
        "area": part.area,
        "mass": part.mass,
        "lumps": part.body.lumps,
        "mass_unit": part.mass_unit,
    }


def failure(
    row: Row, values: Mapping[str, Any], reason: str, seconds: float = 0.0, error: BaseException | None = None
) -> Variant:
    """A row that failed, with its inputs: as they were resolved, or else as they stand in the table."""
    column = getattr(error, "parameter", None)
    where = f'{row.place}, column "{column}"' if column else row.place
    inputs = dict(values) or dict(row.cells)
    return Variant(
        row.place, row.name, inputs, FAILED, seconds=seconds, message=f"{where}: {reason}"[:LONGEST_MESSAGE]
    )


def told(error: BaseException) -> str:
    """The message of any error, in one line, also of one that cannot be shown."""
    try:
        return " ".join(str(error).split())[:LONGEST_MESSAGE] or "no message"
    except BaseException:  # its own __str__ is the user's, and may do anything
        return "an error that cannot be shown"


def in_script(error: BaseException) -> str:
    """ " (saddle.py line 12)": where in the user's own code an error came from; "" if nowhere."""
    where = script_line(error)
    return f" ({where.removeprefix(', ')})" if where else ""


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
