"""Rows built by somebody else's workers: any executor of `concurrent.futures`, or a Dask cluster.

The files are written by the workers, so that on several machines `out` is a folder that all of them have.
"""

from __future__ import annotations

import ctypes
import pickle
import threading
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import Executor, ThreadPoolExecutor, as_completed
from contextlib import contextmanager, suppress
from functools import lru_cache
from typing import Any

from ..errors import ParameterError
from .crew import Task
from .packing import packed
from .parameters import Value
from .row_work import Order, Variant, build_row, failure, told
from .tables import Row

CONNECTING = 15.0
"""Seconds in which a scheduler must answer."""


class _TooLong(BaseException):
    """A row has taken all its time; no error that a script should catch."""


def executed(
    order: Order, tasks: Sequence[Task], executor: Executor, timeout: float | None
) -> Iterator[tuple[int, Variant]]:
    """(index, variant) of every task, as they are finished. timeout : seconds that a row may take; it is
    stopped between two instructions of Python, not in the midst of a call into a library."""
    shared = order if isinstance(executor, ThreadPoolExecutor) else packed(order)
    jobs = {executor.submit(_row, shared, *task, timeout): i for i, task in enumerate(tasks)}
    try:
        for job in as_completed(jobs):
            i = jobs[job]
            try:
                yield i, job.result()
            except Exception as error:  # the executor is the caller's, and so are its errors
                row, values = tasks[i]
                yield i, failure(row, values, f"its process died (out of memory?): {told(error)}")
    finally:
        for job in jobs:
            job.cancel()


def _row(shared: Order | bytes, row: Row, values: Mapping[str, Value], timeout: float | None) -> Variant:
    order = _unpacked(shared) if isinstance(shared, bytes) else shared
    try:
        with _within(timeout):
            return build_row(order, row, values, KeyboardInterrupt, _TooLong)
    except _TooLong:
        assert timeout is not None
        return failure(row, values, f"took longer than {timeout:g} s", timeout)


@lru_cache(maxsize=4)
def _unpacked(content: bytes) -> Order:
    """One order for all rows of a run, so that its steps come from one cache."""
    order: Order = pickle.loads(content)
    return order


@contextmanager
def _within(seconds: float | None) -> Iterator[None]:
    """Raises `_TooLong` in this thread when the time is up."""
    if seconds is None:
        yield
        return
    own, lock, is_over = threading.get_ident(), threading.Lock(), False

    def stop() -> None:
        with lock:
            if not is_over:
                ctypes.pythonapi.PyThreadState_SetAsyncExc(ctypes.c_ulong(own), ctypes.py_object(_TooLong))

    timer = threading.Timer(seconds, stop)
    timer.daemon = True
    timer.start()
    try:
        yield
    finally:
        timer.cancel()
        with lock:
            is_over = True


@contextmanager
def cluster(address: str) -> Iterator[Executor]:
    """The workers of a Dask scheduler at an address such as "tcp://10.0.0.5:8786", as an executor.

    What a lost worker had is given to another. Raises ParameterError where no scheduler answers.
    """
    try:
        from distributed import Client
    except ModuleNotFoundError as error:
        raise ParameterError(
            f'a cluster needs the package "{error.name}"; install it with: pip install "lathwick[cluster]"'
        ) from None
    try:
        client: Any = Client(address, timeout=CONNECTING)  # type: ignore[no-untyped-call]
    except Exception as error:  # of many kinds, by what is wrong with an address
        raise ParameterError(f'no scheduler answers at "{address}": {told(error)}', value=address) from None
    try:
        if not client.scheduler_info(n_workers=-1)["workers"]:
            raise ParameterError(f'the scheduler at "{address}" has no workers', value=address)
        yield client.get_executor(pure=False)
    finally:
        with suppress(Exception):
            client.close(timeout=1)
