"""Random bodies written to STEP, read back, written and read again: python -m tests.fuzz_reading COUNT SEED.

In turn trees of booleans, unions with rounds, and prisms with splined sides combined with others.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np

import lathwick as lw

from .csg import random_tree
from .fuzz_prisms import other, posed, prism
from .fuzz_running import run
from .rounded_unions import random_union

EQUAL = 1e-9


def body_of(seed: int) -> lw.Body | None:
    """None where the draw gives no valid body."""
    try:
        if seed % 3 == 0:
            return random_tree(seed).body
        if seed % 3 == 1:
            body, edges, radius = random_union(seed)
            return lw.fillet(body, edges, radius, step="soft")
        random = np.random.default_rng(seed)
        return lw.union(prism(random), posed(other(random), random))
    except lw.ModellingError:
        return None


def _unlike(one: lw.Body, two: lw.Body) -> str:
    """What differs between two bodies that should be equal."""
    for what in ("volume", "area"):
        a, b = getattr(one, what), getattr(two, what)
        if abs(a - b) > EQUAL * abs(a):
            return f"{what} {b:.12g} for {a:.12g}"
    size = float(np.ptp(one.bounds, axis=0).max())
    if np.abs(np.subtract(one.bounds, two.bounds)).max() > 1e-7 * size:
        return f"bounds {two.bounds} for {one.bounds}"
    for what in ("faces", "edges", "vertices"):
        a, b = len(getattr(one, what)()), len(getattr(two, what)())
        if a != b:
            return f"{b} {what} for {a}"
    names = [sorted(face.brep.names[0] for face in body.faces() if face.brep.names) for body in (one, two)]
    return "" if names[0] == names[1] else "other names of faces"


def trial(seed: int, folder: Path) -> str:
    """ "equal", "none" (no body), "refused: ..." or "WRONG: ..."."""
    body = body_of(seed)
    if body is None:
        return "none"
    part, paths = lw.Part(body, name=f"body {seed}", color="#3366cc"), [folder / f"{k}.step" for k in "ab"]
    try:
        lw.save(part, paths[0])
    except lw.ExchangeError as error:
        return f"refused to write: {error.message}"
    try:
        read = lw.read_step(paths[0])
        lw.save(read, paths[1])
        again = lw.read_step(paths[1])
    except lw.LathwickError as error:
        return f"refused: {error}"
    for found in (read, again):
        if unlike := _unlike(body, found.body):
            return f"WRONG: {unlike}"
        if found.name != part.name or found.color is None or found.messages:
            return f"WRONG: {found.name!r}, color {found.color}, {[m.text for m in found.messages]}"
    return "equal"


if __name__ == "__main__":
    run(trial, ("equal", "none"))
