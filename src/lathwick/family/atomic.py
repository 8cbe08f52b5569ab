"""Files that appear whole or not at all."""

from __future__ import annotations

import os
import secrets
from pathlib import Path

from ..errors import ExchangeError


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
