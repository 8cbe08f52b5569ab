"""Timing and reporting."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Result:
    """One measured line: what, the figures, and whether the aim is met."""

    what: str
    figures: str
    aim: str
    met: bool


def best_of(run: Callable[[], object], times: int = 5) -> float:
    """Shortest of several runs, seconds."""
    shortest = float("inf")
    for _ in range(times):
        started = time.perf_counter()
        run()
        shortest = min(shortest, time.perf_counter() - started)
    return shortest
