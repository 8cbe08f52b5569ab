"""Long random testing: `make fuzz-parts N=2000 SEED=1`. Not part of the tests.

Draws random prismatic parts on random planes, in every unit, from hundredths to ten thousands;
each is built, measured against its profile, meshed from coarse to fine, and written; the outside
checkers look at the files where they are there.
"""

from __future__ import annotations

import math
import sys
import tempfile
from collections import Counter
from pathlib import Path

import numpy as np

import lathwick as lw

from .conftest import faults


def random_sketch(random: np.random.Generator, size: float) -> lw.Sketch:
    """A star-shaped outline of lines and arcs, and up to seven circles anywhere."""
    plane = lw.XY
    if random.random() < 0.5:
        plane = lw.Plane(random.normal(size=3) * size * 10 ** random.uniform(-1, 1), random.normal(size=3))
    sk = lw.Sketch(plane, unit=str(random.choice(["mm", "in", "cm", "m"])))
    corners = int(random.integers(3, 10))
    angles = (np.arange(corners) + random.uniform(0.1, 0.9, corners)) / corners * math.tau
    reach = size * random.uniform(5, 9, corners)
    points = [(r * math.cos(a), r * math.sin(a)) for a, r in zip(angles, reach, strict=True)]
    for a, b in zip(points, points[1:] + points[:1], strict=True):
        bulge = 0.5 * (1 + random.uniform(-0.06, 0.06))
        try:
            sk.arc_through(a, (bulge * (a[0] + b[0]), bulge * (a[1] + b[1])), b)
        except lw.SketchError:
            sk.line(a, b)
    for _ in range(int(random.integers(0, 8))):
        sk.circle(random.uniform(-4, 4, 2) * size, size * 10 ** random.uniform(-2, 0.2))
    return sk


def one_part(seed: int, folder: Path) -> str:
    """What came of one random part: "built", why it was refused, or what is wrong."""
    random = np.random.default_rng(seed)
    size = 10 ** random.uniform(-2, 4)
    sk = random_sketch(random, size)
    try:
        regions = sk.regions()
        depth = size * 10 ** random.uniform(-2, 1)
        body = lw.extrude(regions, depth)
    except lw.SketchError as error:
        return f"refused: {str(error).split(':')[0]}"
    expected = depth * math.fsum(region.area for region in regions)
    if abs(body.volume / expected - 1) > 1e-11:
        return f"WRONG volume {body.volume!r}, expected {expected!r}"
    lw.save(body, folder / "part.step")
    wrong = outside(folder / "part.step")
    for chord in (3.0, 0.1, 1e-3, 1e-5):
        lw.save(body, folder / "part.stl", chord=chord * size, angle=float(random.choice([1, 10, 90])))
        if not lw.read_mesh(folder / "part.stl").is_watertight:
            wrong += f" open mesh at chord {chord * size}"
        wrong += outside(folder / "part.stl")
    return f"WRONG{wrong}" if wrong else "built"


def outside(path: Path) -> str:
    found = faults(path)
    return f" {path.name}: {found[-300:]}" if found else ""


def main() -> None:
    count, first = int(sys.argv[1]), int(sys.argv[2])
    outcomes: Counter[str] = Counter()
    with tempfile.TemporaryDirectory() as folder:
        for seed in range(first, first + count):
            outcome = one_part(seed, Path(folder))
            outcomes[outcome] += 1
            if outcome.startswith("WRONG"):
                print(f"seed {seed}: {outcome}")
    for outcome, number in outcomes.most_common():
        print(f"{number:6}  {outcome}")
    sys.exit(any(outcome.startswith("WRONG") for outcome in outcomes))


if __name__ == "__main__":
    main()
