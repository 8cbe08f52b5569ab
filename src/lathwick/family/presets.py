"""Presets: named values of a design's parameters, in a TOML file beside its script.

`saddle.presets.toml` belongs to `saddle.py`. It holds a table for each preset, with only the values that
differ from the defaults; comments and order stay when a preset is saved or removed.
"""

from __future__ import annotations

import sys
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ..errors import ParameterError
from .atomic import write_atomically
from .parameters import Value

if TYPE_CHECKING:
    import pandas as pd

    from .design import Design

SUFFIX = ".presets.toml"
LARGEST = 10_000_000


class Presets(Mapping[str, Mapping[str, Any]]):
    """The presets of one design, by name, as they stand in the file."""

    def __init__(self, design: Design, path: Path) -> None:
        self._design = design
        self.path = path

    @classmethod
    def of(cls, design: Design) -> Presets:
        """Those beside the script of a design. Raises ParameterError for a design that has no file."""
        module = sys.modules.get(design.build_function.__module__)
        file = getattr(module, "__file__", None)
        if file is None:
            raise ParameterError(f"the design {design.name} is in no file, beside which presets could be")
        return cls(design, Path(file).with_suffix(SUFFIX))

    def __getitem__(self, name: str) -> Mapping[str, Any]:
        found = self._read()
        if name not in found:
            known = ", ".join(found) or "none"
            raise ParameterError(f'{self.path.name}: there is no preset "{name}"; there are {known}')
        return found[name]

    def __contains__(self, name: object) -> bool:
        return name in self._read()

    def __iter__(self) -> Iterator[str]:
        return iter(self._read())

    def __len__(self) -> int:
        return len(self._read())

    def __repr__(self) -> str:
        return f"<Presets {self.path.name}: {', '.join(self) or 'none'}>"

    def values_of(self, name: str) -> dict[str, Value]:
        """All parameters of a preset, resolved. Raises ParameterError where it no longer fits the design."""
        try:
            return self._design.check(self[name])
        except ParameterError as error:
            if error.message.startswith(self.path.name):
                raise
            raise ParameterError(
                f'{self.path.name}, "{name}": {error.message}',
                parameter=error.parameter,
                value=error.value,
                limit=error.limit,
            ) from None

    def rows(self) -> pd.DataFrame:
        """All presets as a table for `vary`. Raises ParameterError for values of no parameter."""
        import pandas as pd

        found = self._read()
        known = [p.name for p in self._design.parameters]
        for name, values in found.items():
            strange = [key for key in values if key not in known]
            if strange:
                told = f'{self.path.name}, "{name}": there is no parameter "{strange[0]}"'
                raise ParameterError(f"{told}; there are {', '.join(known)}", parameter=strange[0])
        return pd.DataFrame([{"name": name, **values} for name, values in found.items()], dtype=object)

    def save(self, name: str, values: Mapping[str, Any]) -> None:
        """Add a preset, or put it in the place of the one of that name. Raises ParameterError for values
        that the design refuses."""
        if not name.strip() or not name.isprintable():
            raise ParameterError(f"{name!r} is no name for a preset")
        self._design.check(values)
        document = self._document()
        import tomlkit

        table = tomlkit.table()
        for key, value in values.items():
            table[key] = value
        document[name] = table
        self._write(document)

    def remove(self, name: str) -> None:
        """Take a preset out of the file. Raises ParameterError if there is none of that name."""
        self[name]
        document = self._document()
        del document[name]
        self._write(document)

    def _read(self) -> dict[str, dict[str, Any]]:
        found = self._document().unwrap()
        for name, values in found.items():
            if not isinstance(values, dict):
                raise ParameterError(f'{self.path.name}: "{name}" stands outside any preset')
            for key, value in values.items():
                if not isinstance(value, (str, int, float, bool)):
                    raise ParameterError(f'{self.path.name}, "{name}": {key} is no value of a parameter')
        return found

    def _document(self) -> Any:
        """The file, with its comments; an empty one where there is none."""
        import tomlkit
        from tomlkit.exceptions import TOMLKitError

        try:
            if not self.path.exists():
                return tomlkit.document()
            if not self.path.is_file() or self.path.stat().st_size > LARGEST:
                raise ParameterError(f"{self.path.name}: no file of at most {LARGEST} bytes")
            return tomlkit.parse(self.path.read_text(encoding="utf-8"))
        except OSError as error:
            raise ParameterError(f"{self.path}: cannot be read: {error.strerror or error}") from None
        except (TOMLKitError, ValueError, RecursionError) as error:
            raise ParameterError(f"{self.path.name}: is no TOML: {error}") from None

    def _write(self, document: Any) -> None:
        text = document.as_string().strip("\n") + "\n"
        write_atomically(self.path, text.encode("utf-8"))
