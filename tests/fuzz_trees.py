"""Long random testing of booleans: `make fuzz N=5000 SEED=0`. Not part of the tests.

Trees of 2 to 6 simple solids, in general position, on a lattice and touching, against exact answers. One
in twenty results is also written to STEP and STL, and the outside checkers look at the files.
"""

from __future__ import annotations

import re
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

import numpy as np

import lathwick as lw

from .conftest import unsound
from .csg import Tree, random_tree, volume_off, wrong_points


def verdict(seed: int, folder: Path) -> str:
    """ "right", or what is wrong with one tree; "touches" and "refused" are told apart."""
    tree = random_tree(seed)
    try:
        body = tree.body
    except lw.ModellingError as error:
        return _refusal(tree, error.message)
    wrong = wrong_points(tree, body, seed)
    if wrong:
        return f"WRONG at {wrong} points"
    off = volume_off(tree, body)
    if off > 1e-6:
        return f"WRONG volume, by {off:.2g}"
    if body is not None:
        if body.check():
            return f"WRONG: {body.check()[0]}"
        if seed % 20 == 0:
            return unsound(body, folder) or "right"
    return "right"


def _refusal(tree: Tree, message: str) -> str:
    """What touches itself inside two of its faces is not half material, half air there as elsewhere."""
    if "touch itself" not in message:
        return f"refused: {message}"
    if "inside two of its faces" in message:
        place = [float(c) for c in re.findall(r"at \(([^)]*)\)", message)[0].split(",")]
        near = np.array(place) + 1e-3 * np.random.default_rng(0).normal(size=(4000, 3))
        node, share = tree, 0.5
        while isinstance(node, Tree):  # the step that is refused is one of the tree's
            share = float((node.gap(near) < 0).mean())
            if not 0.45 < share < 0.55:
                return "touches itself"
            node = node.one
        return f"WRONG refusal: {message}"
    return "touches itself"


def main() -> None:
    count, seed = int(sys.argv[1]), int(sys.argv[2])
    started, counts = time.perf_counter(), Counter[str]()
    with tempfile.TemporaryDirectory() as folder:
        for k in range(seed, seed + count):
            try:
                found = verdict(k, Path(folder))
            except Exception as error:
                found = f"WRONG: {type(error).__name__}: {error}"
            counts[found.split(":")[0].split(" at ")[0]] += 1
            if found not in ("right", "touches itself"):
                print(f"tree {k}: {found}", flush=True)
    print(
        ", ".join(f"{n} {what}" for what, n in counts.most_common()), f"{time.perf_counter() - started:.0f} s"
    )
    sys.exit(1 if any(what.startswith("WRONG") for what in counts) else 0)


if __name__ == "__main__":
    main()
