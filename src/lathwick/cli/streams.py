"""Standard streams that any command can write to, whatever they are: closed, narrow, or a pipe that ends."""

from __future__ import annotations

import io
import os
import sys
from contextlib import suppress


def prepare() -> None:
    """Let the streams replace what their encoding has not, and lead nowhere where there are none."""
    for name in ("stdout", "stderr"):
        stream = getattr(sys, name)
        if stream is None:
            setattr(sys, name, io.TextIOWrapper(io.FileIO(os.devnull, "w"), "utf-8"))
        elif isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="replace")


def abandon() -> None:
    """Let what is still in the buffers go nowhere: nobody reads it, or there is no room for it."""
    for stream in (sys.stdout, sys.stderr):
        with suppress(OSError, ValueError, AttributeError):
            stream.flush()
            continue
        with suppress(OSError, ValueError, AttributeError):
            nowhere = os.open(os.devnull, os.O_WRONLY)
            os.dup2(nowhere, stream.fileno())
            os.close(nowhere)
