"""What long random tests share: trials by seed, timed, counted and told."""

from __future__ import annotations

import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable
from pathlib import Path

import numpy as np


def run(trial: Callable[[int, Path], str], silent: tuple[str, ...]) -> None:
    """Run COUNT trials from SEED on, as the command line says; outcomes that are not `silent` are told. Exits
    with 1 if one begins with WRONG."""
    count, first = (int(n) for n in sys.argv[1:3])
    found, slow = Counter[str](), []
    with tempfile.TemporaryDirectory() as folder:
        for seed in range(first, first + count):
            start = time.perf_counter()
            outcome = trial(seed, Path(folder))
            slow.append(time.perf_counter() - start)
            found[outcome.split(":")[0]] += 1
            if outcome not in silent:
                print(seed, outcome, flush=True)
    print(dict(found), f"median {np.median(slow):.2f} s, longest {max(slow):.1f} s")
    sys.exit(any(outcome.startswith("WRONG") for outcome in found))
