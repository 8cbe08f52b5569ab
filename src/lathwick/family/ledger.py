"""What a folder of variants already holds, so that a run that was stopped goes on where it was.

A line of JSON a variant is added as it is finished. A variant is kept only if nothing that made
it has changed: this package's version, the source of the script and of every module of the user's
that it loaded, the resolved parameters, the formats; and its files are still there, byte for byte.
"""

from __future__ import annotations

import hashlib
import json
import os
import stat
import sys
import sysconfig
from collections.abc import Mapping, Sequence
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path
from typing import Any

from .atomic import write_atomically
from .design import Design
from .parameters import Value
from .shared import FILES_READ

LEDGER_FILE = ".variants.jsonl"
LARGEST = 200_000_000
LONGEST_TEXT = 100_000


class Ledger:
    """The record of one folder, for one design and one choice of formats."""

    def __init__(
        self, folder: Path, design: Design, formats: Sequence[str], options: Mapping[str, Any]
    ) -> None:
        self._folder = folder
        self._path = folder / LEDGER_FILE
        settings = [f"{name}={value!r}" for name, value in sorted(options.items())]
        self._maker = _fingerprint(design, [*formats, *settings])
        self._lines = _read(self._path)
        text = "".join(json.dumps(line) + "\n" for line in self._lines.values())
        write_atomically(self._path, text.encode("utf-8"))

    def key(self, values: Mapping[str, Value]) -> str:
        """Stands for everything that decides what a variant's files hold; "" if that is not known."""
        return _digest(f"{self._maker}{json.dumps(dict(values))}".encode()) if self._maker else ""

    def found(self, name: str, key: str, files: Sequence[str]) -> dict[str, Any] | None:
        """What was recorded of a variant, if its key and its files, which have these names, are the same."""
        line = self._lines.get(name)
        if not key or line is None or line.get("key") != key or not _is_sound(line, files):
            return None
        try:
            same = all(self._sum(file) == recorded for file, recorded in line["files"].items())
        except OSError:
            return None
        return line if same else None

    def add(self, name: str, key: str, files: Sequence[str], record: Mapping[str, Any]) -> None:
        """Record a finished variant at once."""
        if key:
            line = {"name": name, "key": key, "files": {f: self._sum(f) for f in files}, **record}
            with self._path.open("a", encoding="utf-8") as file:
                file.write(json.dumps(line) + "\n")

    def _sum(self, file: str) -> str:
        """The digest of a file of the folder. Raises OSError for what is no plain file of its own."""
        path = self._folder / file
        if not stat.S_ISREG(path.lstat().st_mode):
            raise OSError(f"{path} is no file")
        with path.open("rb") as opened:
            return hashlib.file_digest(opened, "sha256").hexdigest()


def _digest(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def _is_sound(line: Mapping[str, Any], files: Sequence[str]) -> bool:
    """Whether a record is one that this package writes: anybody can write a line."""
    named = line.get("files")
    if not isinstance(named, dict) or set(named) != set(files):
        return False
    numbers = [line.get(kind) for kind in ("volume", "area", "mass", "lumps")]
    texts = [line.get(kind) for kind in ("mass_unit", "message")]
    are_numbers = all(n is None or (isinstance(n, (int, float)) and not isinstance(n, bool)) for n in numbers)
    return are_numbers and all(isinstance(text, str) and len(text) <= LONGEST_TEXT for text in texts)


def _read(path: Path) -> dict[str, dict[str, Any]]:
    """The last whole line of each variant; a line cut short by an interruption is left out."""
    lines: dict[str, dict[str, Any]] = {}
    try:
        if not stat.S_ISREG(path.lstat().st_mode) or path.stat().st_size > LARGEST:
            return lines
        text = path.read_text(encoding="utf-8", errors="replace")
    except OSError:
        return lines
    for row in text.splitlines():
        try:
            line = json.loads(row)
        except (ValueError, RecursionError):
            continue
        if isinstance(line, dict) and isinstance(line.get("name"), str):
            lines[line["name"]] = line
    return lines


def _fingerprint(design: Design, formats: Sequence[str]) -> str:
    """A digest of this package's version and all the code of the user's; "" if the design has no file."""
    module = sys.modules.get(design.build_function.__module__)
    if getattr(module, "__file__", None) is None:
        return ""
    parts = [_version(), design.name, design.unit, str(design.strict), *formats]
    parts += [f"{path.name}={digest}" for path, digest in sorted(FILES_READ.items())]
    for path in sorted(_own_files()):
        parts += [path.name, _digest(path.read_bytes())]
    return _digest("\n".join(parts).encode())


def _own_files() -> set[Path]:
    """Source files of all loaded modules that belong neither to Python nor to an installed package."""
    package = str(Path(__file__).parents[1])
    places = {*sysconfig.get_paths().values(), sys.prefix, sys.base_prefix, package}
    installed = tuple(spelling + os.sep for place in places for spelling in {place, os.path.realpath(place)})
    sources = {getattr(module, "__file__", None) for module in list(sys.modules.values())}
    own = [s for s in sources if isinstance(s, str) and s.endswith(".py") and not s.startswith(installed)]
    return {path for source in own if (path := Path(source).resolve()).is_file()}


def _version() -> str:
    try:
        return version("lathwick")
    except PackageNotFoundError:
        return "unknown"
