"""Finding the design in a user's script: "file.py" or "file.py:design"."""

from __future__ import annotations

import importlib.util
import sys
from importlib.machinery import SourceFileLoader
from pathlib import Path
from types import CodeType, ModuleType

from ..errors import LathwickError, ParameterError
from .design import Design


def load_design(where: str) -> Design:
    """Run the script and return its design (the named one, or the only one).

    Raises ParameterError if there is no such file or design, or the script fails.
    """
    file, _, name = where.rpartition(":") if _names_a_design(where) else (where, "", "")
    path = Path(file)
    if not path.is_file():
        raise ParameterError(f"{file}: no such script")
    module = _run(path)
    designs = {key: value for key, value in vars(module).items() if isinstance(value, Design)}
    if name:
        if name not in designs:
            raise ParameterError(f'{path.name}: no design "{name}"; there are {_listed(designs)}')
        return designs[name]
    own = {key: d for key, d in designs.items() if d.build_function.__module__ == module.__name__}
    if len(own) != 1:
        raise ParameterError(
            f"{path.name}: {len(own)} designs ({_listed(own)}); say which, as in {path.name}:NAME"
            if own
            else f"{path.name}: no design; decorate a function with @lw.design()"
        )
    return next(iter(own.values()))


def script_path(where: str) -> Path:
    """The file of "file.py" or "file.py:design"."""
    return Path(where.rpartition(":")[0] if _names_a_design(where) else where)


def _names_a_design(where: str) -> bool:
    head, _, tail = where.rpartition(":")
    return bool(head) and tail.isidentifier() and head.endswith(".py")


def _listed(designs: dict[str, Design]) -> str:
    return ", ".join(designs) or "none"


class _AsItStands(SourceFileLoader):
    """Compiles the script each time: kept bytecode is taken for that of a script of the same length that was
    saved in the same second."""

    def get_code(self, fullname: str) -> CodeType:
        return self.source_to_code(self.get_data(self.path), self.path)


def _run(path: Path) -> ModuleType:
    name = f"lathwick_script_{path.stem}"
    spec = importlib.util.spec_from_file_location(name, path, loader=_AsItStands(name, str(path)))
    if spec is None or spec.loader is None:
        raise ParameterError(f"{path}: is no Python script")
    module = importlib.util.module_from_spec(spec)
    folder = str(path.resolve().parent)
    sys.modules[name] = module
    if folder not in sys.path:
        sys.path.insert(0, folder)
    try:
        spec.loader.exec_module(module)
    except LathwickError as error:
        raise ParameterError(f"{path.name}: {error}") from error
    except Exception as error:  # anything may go wrong in a user's script
        line = error.lineno if isinstance(error, SyntaxError) else _last_line(error, path)
        where = path.name if line is None else f"{path.name}, line {line}"
        raise ParameterError(f"{where}: {type(error).__name__}: {error}") from error
    return module


def _last_line(error: BaseException, path: Path) -> int | None:
    """The line of the script that led to an error; None where it did not come to run."""
    trace, line = error.__traceback__, None
    while trace is not None:
        if Path(trace.tb_frame.f_code.co_filename).resolve() == path.resolve():
            line = trace.tb_lineno
        trace = trace.tb_next
    return line
