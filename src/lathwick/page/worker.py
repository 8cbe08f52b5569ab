"""The worker process of one page: asked without waiting, stopped when it takes too long."""

from __future__ import annotations

import asyncio
import multiprocessing
from collections.abc import Mapping
from typing import Any

from .maker import Answer, serve

ENDED = "the process of the script ended; the next change starts it again"
GONE: Answer = {"error": ENDED, "parameter": None, "limit": None, "gone": True}


LATER = 2.0
"""Seconds after a worker was taken until the next one starts: the page that took it comes first."""


class Worker:
    """Runs a script elsewhere. One request at a time; `stop` ends whatever it does."""

    def __init__(self, script: str) -> None:
        self._script = script
        self._context = multiprocessing.get_context("spawn")
        self._process: Any = None
        self._pipe: Any = None
        self._turn = asyncio.Lock()

    async def begin(self) -> None:
        """Start the process, if it does not run: it gets ready for what is asked later."""
        async with self._turn:
            if self._process is None or not self._process.is_alive():
                await asyncio.get_running_loop().run_in_executor(None, self._start)

    async def ask(self, request: Mapping[str, Any]) -> Answer:
        """The answer to a request; an error with `gone` where the process ended before it."""
        async with self._turn:
            loop = asyncio.get_running_loop()
            try:
                if self._process is None or not self._process.is_alive():
                    await loop.run_in_executor(None, self._start)
                    if request["kind"] != "load":
                        await self._exchange({"kind": "load"})
                return await self._exchange(request)
            except (EOFError, OSError):
                self._drop()
                return dict(GONE)

    async def _exchange(self, request: Mapping[str, Any]) -> Answer:
        loop = asyncio.get_running_loop()
        self._pipe.send(dict(request))
        answer: Answer = await loop.run_in_executor(None, self._pipe.recv)
        return answer

    def _start(self) -> None:
        ours, theirs = self._context.Pipe()
        self._process = self._context.Process(target=serve, args=(theirs, self._script), daemon=True)
        self._process.start()
        theirs.close()
        self._pipe = ours

    def stop(self) -> None:
        """End the process, whatever it is doing; who waits for it is told."""
        if self._process is not None and self._process.is_alive():
            self._process.kill()

    def _drop(self) -> None:
        if self._pipe is not None:
            self._pipe.close()
        if self._process is not None:
            self._process.join(1.0)
        self._process = self._pipe = None


class Workers:
    """The workers of a script, one of which is started ahead: a page that is opened has it at once."""

    def __init__(self, script: str) -> None:
        self._script = script
        self._spare = Worker(script)
        self._tasks: set[asyncio.Task[None]] = set()

    async def begin(self) -> None:
        """Start the one that is ahead."""
        await self._spare.begin()

    def take(self) -> Worker:
        """A worker for a page; another one is started a little later."""
        taken, self._spare = self._spare, Worker(self._script)
        asyncio.get_running_loop().call_later(LATER, self._begin_later)
        return taken

    def _begin_later(self) -> None:
        task = asyncio.get_running_loop().create_task(self._spare.begin())
        self._tasks.add(task)  # a task that nobody holds may be dropped
        task.add_done_callback(self._tasks.discard)
