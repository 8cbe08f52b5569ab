"""What runs, told on standard error when a step takes more than two seconds."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

PATIENCE = 2.0


class Watch:
    """Called with the name and the verb of each step, for as long as it takes.

    On a terminal a line with the time that passes appears and goes again; elsewhere one line stays.
    """

    def __init__(self) -> None:
        self._count = 0
        self._bar: Any = None
        self._lock = threading.Lock()

    @contextmanager
    def __call__(self, name: str, verb: str) -> Iterator[None]:
        self._count += 1
        timer = threading.Timer(PATIENCE, self._show, (f'step {self._count}: {verb} "{name}"',))
        timer.daemon = True
        timer.start()
        try:
            yield
        finally:
            timer.cancel()
            self._hide()

    def _show(self, text: str) -> None:
        from rich.console import Console
        from rich.progress import Progress, SpinnerColumn, TextColumn, TimeElapsedColumn

        console = Console(stderr=True, highlight=False)
        with self._lock:
            if not console.is_terminal:
                console.print(f"  at {text}, which takes more than {PATIENCE:g} s", markup=False)
                return
            words = TextColumn("{task.description}", markup=False)
            self._bar = Progress(SpinnerColumn(), words, TimeElapsedColumn(), console=console, transient=True)
            self._bar.add_task(text)
            self._bar.start()

    def _hide(self) -> None:
        with self._lock:
            if self._bar is not None:
                self._bar.stop()
                self._bar = None
