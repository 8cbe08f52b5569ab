"""Long random testing of rounds: `make fuzz-rounds N=300 SEED=0`, and of bevels: `make fuzz-bevels`. Not part
of the tests."""

from __future__ import annotations

import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

import lathwick as lw

from .conftest import CHECKERS
from .rounded_unions import verdict


def main() -> None:
    count, first = int(sys.argv[1]), int(sys.argv[2])
    blend = {"fillet": lw.fillet, "chamfer": lw.chamfer}[sys.argv[3]]
    missing = [str(path) for path in CHECKERS.values() if not path.exists()]
    if missing:
        print(f"not here, so not run: {', '.join(missing)}")
    started, counts = time.perf_counter(), Counter[str]()
    with tempfile.TemporaryDirectory() as folder:
        for seed in range(first, first + count):
            try:
                found = verdict(seed, Path(folder), blend)
            except Exception as error:  # a crash is a finding too
                found = f"WRONG {type(error).__name__}: {error}"
            counts[found.split(":")[0]] += 1
            if found.startswith(("WRONG", "refused:", "not")):
                print(f"seed {seed}: {found}", flush=True)
    for found, number in counts.most_common():
        print(f"{number:6}  {found}")
    print(f"{count} unions in {time.perf_counter() - started:.0f} s")
    sys.exit(any(found.startswith("WRONG") for found in counts))


if __name__ == "__main__":
    main()
