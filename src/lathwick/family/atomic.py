"""Files that appear whole or not at all."""

from __future__ import annotations

import os
import re
import secrets
from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path

from ..errors import ExchangeError

_DRAFT = re.compile(r"(\..+\.)[0-9a-f]{8}\.part")


def sweep_drafts(folder: Path, names: Iterable[str]) -> None:
    """Remove the drafts of these files that a killed run has left in a folder."""
    wanted = {f".{name}." for name in names}
    with suppress(OSError):
        for entry in list(os.scandir(folder)):
            draft = _DRAFT.fullmatch(entry.name)
            if draft and draft[1] in wanted and entry.is_file(follow_symlinks=False):
                os.unlink(entry.path)


def write_atomically(path: Path, data: bytes | memoryview) -> None:
    """Write `data` to a new file beside `path`, then put it in its place in one move.

    If anything interrupts, the new file is removed and an old one stays as it was. Raises
    ExchangeError, with the path, if the file cannot be written.
    """
    draft = path.with_name(f".{path.name}.{secrets.token_hex(4)}.part")
    try:
        try:
            with open(draft, "xb") as file:
                file.write(data)
            os.replace(draft, path)
        finally:
            draft.unlink(missing_ok=True)
    except OSError as error:
        raise ExchangeError(f"{path} cannot be written: {error.strerror or error}") from error
