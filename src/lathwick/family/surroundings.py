"""What a script can change in the process around it, put right after each row; and what it prints, kept."""

from __future__ import annotations

import io
import os
import sys
import tempfile
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from typing import IO

MOST_PRINTED = 20_000
"""Bytes of what a row prints that are kept, the last ones."""


class Capture:
    """What was printed; `text` when it is over."""

    text = ""


class Surroundings:
    """Working folder, environment, import path and streams of a process, as they were when this was made."""

    def __init__(self) -> None:
        self._folder = os.getcwd()
        self._environment = dict(os.environ)
        self._path = list(sys.path)
        self._depth = sys.getrecursionlimit()
        self._threads = threading.active_count()

    @property
    def is_changed(self) -> bool:
        """Whether a script has left behind what cannot be put right, such as threads."""
        return threading.active_count() > self._threads

    @contextmanager
    def kept(self) -> Iterator[Capture]:
        """Catches what is printed, by Python or below it, and puts everything right at the end."""
        capture = Capture()
        with tempfile.TemporaryFile() as file:
            _lead_to(file)
            try:
                yield capture
            finally:
                capture.text = _printed(file)
                self._put_right()

    def _put_right(self) -> None:
        with suppress(OSError):
            os.chdir(self._folder)
        if dict(os.environ) != self._environment:
            os.environ.clear()
            os.environ.update(self._environment)
        sys.path[:] = self._path
        sys.setrecursionlimit(self._depth)


def _lead_to(file: IO[bytes]) -> None:
    """Let the standard streams, of Python and of the system, lead to a file."""
    for number, name in ((1, "stdout"), (2, "stderr")):
        os.dup2(file.fileno(), number)
        stream = os.fdopen(os.dup(number), "wb", 0)
        setattr(sys, name, io.TextIOWrapper(stream, "utf-8", "backslashreplace", write_through=True))


def _printed(file: IO[bytes]) -> str:
    for stream in (sys.stdout, sys.stderr):
        with suppress(ValueError, OSError, AttributeError):  # the script may have closed it
            stream.flush()
    with suppress(OSError, ValueError):
        size = file.seek(0, io.SEEK_END)
        file.seek(max(0, size - MOST_PRINTED))
        return file.read().decode("utf-8", "replace")
    return ""
