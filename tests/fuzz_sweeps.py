"""Random sweeps and lofts, then drilled or rounded: python -m tests.fuzz_sweeps COUNT SEED.

A sweep's volume is the section's area times the length; a loft's is that of its mesh. Of what is drilled, cut
and common part make the whole. One in ten is written to STEP and STL for the outside checkers. What takes
longer than LONGEST seconds is counted as slow.
"""

from __future__ import annotations

import signal
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

import numpy as np

import lathwick as lw

from .conftest import unsound

LONGEST = 20


class TooSlow(Exception):
    """A trial has used up its time."""


def _stop(*_: object) -> None:
    raise TooSlow


def path(random: np.random.Generator) -> lw.Path:
    """A route with or without bends, a plane spline, or a piece of a helix."""
    kind = int(random.integers(4))
    if kind == 0:
        points = np.cumsum(random.uniform(-60, 60, (int(random.integers(3, 6)), 3)), axis=0)
        return lw.route(points.tolist(), bend=float(random.uniform(6, 14)))
    if kind == 1:
        points = np.cumsum(random.uniform(-80, 80, (int(random.integers(2, 5)), 3)), axis=0)
        return lw.route(points.tolist())
    if kind == 2:
        sk = lw.Sketch(lw.XY)
        x = np.linspace(0, 120, int(random.integers(3, 6)))
        sk.spline([(a, b) for a, b in zip(x.tolist(), random.uniform(-20, 20, len(x)).tolist(), strict=True)])
        return lw.path(sk)
    return lw.helix(
        float(random.uniform(12, 30)), float(random.uniform(12, 30)), turns=float(random.uniform(0.3, 1.2))
    )


def profile(random: np.random.Generator, plane: lw.Plane) -> lw.Sketch:
    sk = lw.Sketch(plane)
    kind = int(random.integers(4))
    if kind == 0:
        sk.circle((0, 0), float(random.uniform(1, 5)))
    elif kind == 1:
        outer = float(random.uniform(2, 5))
        sk.circle((0, 0), outer)
        sk.circle((0, 0), float(random.uniform(0.4, 0.8)) * outer)
    elif kind == 2:
        a, b = random.uniform(3, 8, 2).tolist()
        sk.rectangle(a, b, center=(0, 0), rounding=float(random.uniform(0.1, 0.4)) * min(a, b))
    else:
        sk.ellipse((0, 0), *random.uniform(1.5, 5, 2).tolist(), angle=float(random.uniform(0, 90)))
    return sk


def section(random: np.random.Generator, z: float) -> lw.Sketch:
    plane = lw.Plane((*random.uniform(-4, 4, 2).tolist(), z), (*random.uniform(-0.2, 0.2, 2).tolist(), 1.0))
    sk = lw.Sketch(plane)
    kind = int(random.integers(4))
    if kind == 0:
        sk.circle((0, 0), float(random.uniform(5, 14)))
    elif kind == 1:
        sk.rectangle(*random.uniform(8, 24, 2).tolist(), center=(0, 0))
    elif kind == 2:
        sk.polygon(int(random.integers(3, 8)), float(random.uniform(6, 12)))
    else:
        sk.ellipse((0, 0), *random.uniform(5, 14, 2).tolist())
    return sk


def volume_of_mesh(body: lw.Body) -> float:
    mesh = lw.tessellate(body)
    a, b, c = (mesh.vertices[mesh.triangles[:, k]] for k in range(3))
    return float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6)


def made(random: np.random.Generator) -> tuple[lw.Body, float, float]:
    """A body, what its volume should be, and how near that is known."""
    if random.random() < 0.5:
        way = path(random)
        sk = profile(random, way.plane_at(0))
        area = sum(region.area for region in sk.regions())
        return lw.sweep(sk, way, step="it"), area * way.length, 1e-9
    heights = np.cumsum(random.uniform(10, 25, int(random.integers(2, 4)))).tolist()
    body = lw.loft([section(random, z) for z in heights], ruled=random.random() < 0.5, step="it")
    return body, volume_of_mesh(body), 2e-2


def trial(seed: int, folder: Path) -> str:
    """ "right", "refused: ..." or "WRONG: ..."."""
    random = np.random.default_rng(seed)
    try:
        body, exact, near = made(random)
    except lw.LathwickError as error:
        return f"refused: {error}"
    if abs(body.volume - exact) > near * exact:
        return f"WRONG volume {body.volume} for {exact}"
    if body.check():
        return f"WRONG: {body.check()[0]}"
    low, high = np.array(body.bounds)
    try:
        if random.random() < 0.5:
            drill = lw.cylinder(float(random.uniform(0.5, 2)), 400, on=lw.Plane((0, 0, -200), (0, 0, 1)))
            place = random.uniform(low, high)
            tool = lw.move(lw.turn(drill, float(random.uniform(0, 180)), lw.X), *place)
            cut, both = lw.cut(body, tool), lw.intersect(body, tool)
            if abs(cut.volume + both.volume - body.volume) > 1e-7 * body.volume:
                return "WRONG: cut and common part do not make the whole"
        else:
            rounded = lw.fillet(body, body.edges("it/end"), 0.2)
            if not 0.8 * body.volume < rounded.volume < body.volume:
                return f"WRONG: rounded {rounded.volume} of {body.volume}"
    except lw.LathwickError as error:
        if "removes nothing" not in str(error) and "nothing" not in str(error):
            return f"refused afterwards: {error}"
    return (unsound(body, folder) or "right") if seed % 10 == 0 else "right"


def main() -> None:
    """Run COUNT trials from SEED on and say what came of them."""
    count, first = int(sys.argv[1]), int(sys.argv[2])
    found: Counter[str] = Counter()
    times = []
    signal.signal(signal.SIGALRM, _stop)
    with tempfile.TemporaryDirectory() as folder:
        for seed in range(first, first + count):
            start = time.perf_counter()
            signal.alarm(LONGEST)
            try:
                result = trial(seed, Path(folder))
            except TooSlow:
                result = "slow"
            except Exception as error:  # counted, and shown
                result = f"WRONG: {type(error).__name__} {error}"
            signal.alarm(0)
            times.append(time.perf_counter() - start)
            found[result.split(":")[0].split(" volume")[0]] += 1
            if result != "right":
                print(f"{seed}: {result[:200]} ({times[-1]:.1f} s)", flush=True)
    print(dict(found), f"median {np.median(times):.2f} s, longest {max(times):.1f} s")


if __name__ == "__main__":
    main()
