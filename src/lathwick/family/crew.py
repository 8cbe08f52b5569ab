"""Worker processes, each one watched: what dies or takes too long costs its row, and only its row.

A worker builds one row after the other and puts right, between them, what a script may have changed. The
parent watches all pipes at once; it replaces a worker that is gone, and no worker outlives the parent.
"""

from __future__ import annotations

import gc
import multiprocessing
import os
import pickle
import signal
import sys
import threading
import time
from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from multiprocessing.connection import Connection, wait
from multiprocessing.context import BaseContext
from multiprocessing.process import BaseProcess
from typing import Any

from .packing import packed
from .parameters import Value
from .row_work import Order, Variant, build_row, failure
from .surroundings import Surroundings
from .tables import Row

Task = tuple[Row, Mapping[str, Value]]
"""A row and its resolved values."""

PR_SET_PDEATHSIG = 1
GRACE = 0.5
"""Seconds between looks at whether the parent still lives, where the system does not tell."""


@dataclass(slots=True)
class _Worker:
    process: BaseProcess
    pipe: Connection
    task: int = -1
    deadline: float = float("inf")


class Crew:
    """Worker processes for one order. timeout : seconds that a row may take; None for any."""

    def __init__(self, order: Order, size: int, timeout: float | None) -> None:
        self._size = size
        self._timeout = timeout
        self._workers: list[_Worker] = []
        # forking is quickest, and safe while this process has no second thread: the order is inherited
        forks = sys.platform == "linux" and threading.active_count() == 1
        self._context: BaseContext = multiprocessing.get_context("fork" if forks else "spawn")
        self._start: Order | bytes = order if forks else packed(order)

    def run(self, tasks: Sequence[Task]) -> Iterator[tuple[int, Variant]]:
        """(index, variant) of every task, as they are finished."""
        gc.freeze()  # what is loaded now is shared with forked workers, and not copied by their collector
        try:
            waiting = iter(range(len(tasks)))
            for _ in range(min(self._size, len(tasks))):
                self._hand_out(None, tasks, waiting)
            while self._workers:
                for worker in self._ready():
                    yield worker.task, self._outcome(worker, tasks[worker.task])
                    self._hand_out(worker, tasks, waiting)
        finally:
            self._dismiss()
            gc.unfreeze()

    def _new_worker(self) -> _Worker:
        ours, theirs = self._context.Pipe()
        process = self._context.Process(  # type: ignore[attr-defined]
            target=_serve, args=(theirs, self._start, os.getpid())
        )
        process.start()
        theirs.close()
        worker = _Worker(process, ours)
        self._workers.append(worker)
        return worker

    def _hand_out(self, worker: _Worker | None, tasks: Sequence[Task], waiting: Iterator[int]) -> None:
        """Give a worker its next task, or send it home; a new one where it is gone."""
        number = next(waiting, None)
        if worker is not None and (number is None or not worker.process.is_alive()):
            self._end(worker)
        if number is None:
            return
        if worker is None or worker not in self._workers:
            worker = self._new_worker()
        worker.task = number
        worker.deadline = float("inf") if self._timeout is None else time.monotonic() + self._timeout
        with suppress(OSError):  # one that has just died is seen when it is waited for
            worker.pipe.send(tasks[number])

    def _ready(self) -> list[_Worker]:
        """The workers that have answered, died or run out of time."""
        first = min(worker.deadline for worker in self._workers)
        patience = None if first == float("inf") else max(0.0, first - time.monotonic())
        found = wait([each for w in self._workers for each in (w.pipe, w.process.sentinel)], patience)
        heard, now = set(map(id, found)), time.monotonic()
        return [
            w
            for w in self._workers
            if id(w.pipe) in heard or w.process.sentinel in found or w.deadline <= now
        ]

    def _outcome(self, worker: _Worker, task: Task) -> Variant:
        row, values = task
        if worker.pipe.poll():
            with suppress(EOFError, OSError, pickle.UnpicklingError, ValueError, AttributeError):
                variant, tired = worker.pipe.recv()
                if tired:
                    self._end(worker)
                return variant
        if worker.deadline <= time.monotonic() and worker.process.is_alive():
            assert self._timeout is not None
            self._end(worker)
            return failure(row, values, f"took longer than {self._timeout:g} s", self._timeout)
        worker.process.join(GRACE)
        code = worker.process.exitcode
        self._end(worker)  # also one that lives, but sends what cannot be read
        return failure(row, values, _end_told(code))

    def _end(self, worker: _Worker) -> None:
        if worker in self._workers:
            self._workers.remove(worker)
        worker.pipe.close()
        if worker.process.is_alive():
            worker.process.kill()
        worker.process.join()

    def _dismiss(self) -> None:
        for worker in self._workers:
            if worker.process.is_alive():
                worker.process.kill()
        for worker in list(self._workers):
            self._end(worker)


def _end_told(code: int | None) -> str:
    """What the exit code of a process says of its end."""
    if code is None:
        return "its process does not answer in the way that was agreed"
    if code >= 0:
        return f"its process ended by itself, with exit code {code}"
    try:
        name = signal.Signals(-code).name
    except ValueError:
        name = f"signal {-code}"
    hint = " (out of memory?)" if name == "SIGKILL" else ""
    return f"its process was ended by {name}{hint}"


def _serve(pipe: Connection, start: Order | bytes, parent: int) -> None:
    """The life of a worker."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # the parent decides what an interruption means
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    _die_with(parent)
    order = pickle.loads(start) if isinstance(start, bytes) else start
    surroundings = Surroundings()
    while True:
        try:
            row, values = pipe.recv()
        except (EOFError, OSError):
            os._exit(0)
        with surroundings.kept() as capture:
            variant = build_row(order, row, values)
        variant = replace(variant, printed=capture.text)
        try:
            pipe.send((variant, surroundings.is_changed))
        except (OSError, ValueError):
            os._exit(1)


def _die_with(parent: int) -> None:
    """Let this process end when the parent does, whatever it is doing."""
    if sys.platform == "linux":
        import ctypes

        with suppress(OSError, AttributeError):
            ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, signal.SIGKILL)
    threading.Thread(target=_watch, args=(parent,), daemon=True).start()


def _watch(parent: int) -> None:
    own: Any = multiprocessing.parent_process()
    while os.getppid() == parent and (own is None or own.is_alive()):
        time.sleep(GRACE)
    os._exit(1)
