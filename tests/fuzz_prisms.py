"""Random booleans of prisms with splined and elliptic sides: python -m tests.fuzz_prisms COUNT SEED.

A prism and any other solid in random poses are united, cut or intersected. Cut and common part must make the
whole, points must lie where both say, and the STEP file must be clean for the outside checker and hold our
volume. Every third pair has a contact: a plane, a wall or a line that both have, in one turned frame.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np

import lathwick as lw

from .conftest import CHECKERS, faults
from .fuzz_running import run

OPERATIONS = {
    "union": (lw.union, lambda a, b: a | b),
    "cut": (lw.cut, lambda a, b: a & ~b),
    "intersect": (lw.intersect, lambda a, b: a & b),
}


def outline(random: np.random.Generator) -> lw.Sketch:
    """An ellipse, or a spline about the origin, closed smoothly or in a corner."""
    sk = lw.Sketch(lw.XY)
    if random.random() < 0.4:
        sk.ellipse((0, 0), *random.uniform(2, 5, 2), angle=float(random.uniform(0, 90)))
        return sk
    count = int(random.integers(5, 10))
    angles = np.sort(np.linspace(0, 2 * np.pi, count, endpoint=False) + random.uniform(0, 0.4, count))
    reach = random.uniform(2.5, 5.0, count)
    points = [(r * np.cos(a), r * np.sin(a)) for r, a in zip(reach, angles, strict=True)]
    if random.random() < 0.7:
        sk.spline(points, close=True)
    else:
        sk.spline([*points, points[0]])
    return sk


def prism(random: np.random.Generator) -> lw.Body:
    """An outline extruded both ways."""
    tall = float(random.uniform(3, 10))
    return lw.move(lw.extrude(outline(random), tall), 0, 0, -tall / 2)


def other(random: np.random.Generator) -> lw.Body:
    """Any solid about as large, about the origin."""
    a, b, c = random.uniform(1.5, 4, 3).tolist()
    made = [
        lambda: prism(random),
        lambda: lw.sphere(a),
        lambda: lw.move(lw.cylinder(0.6 * a, 12), 0, 0, -6),
        lambda: lw.move(lw.cone(a, 0.4 * b, 2 * c), 0, 0, -c),
        lambda: lw.torus(a + 1, 0.3 * b),
        lambda: lw.box(2 * a, 2 * b, 2 * c, center=True),
    ]
    return made[int(random.integers(len(made)))]()


def touching(random: np.random.Generator) -> tuple[lw.Body, lw.Body]:
    """Two solids that share part of a plane or of a wall, or touch along lines, in one pose."""
    tall, deep = random.uniform(3, 6, 2).tolist()
    a, b = random.uniform(2, 4, 2).tolist()
    sk, oval = outline(random), lw.Sketch(lw.XY)
    oval.ellipse((0, 0), a, b, angle=float(random.uniform(0, 90)))
    one, ring = lw.extrude(sk, tall), lw.extrude(oval, tall)
    base = lw.extrude(outline(random), deep)
    plate = lw.move(lw.box(14, 14, deep), -7, -7, -deep)
    made = [
        lambda: (one, lw.move(one, 0, 0, 0.5 * tall)),
        lambda: (one, lw.move(lw.extrude(sk, deep), 0, 0, tall)),
        lambda: (one, base),
        lambda: (one, lw.move(base, 0, 0, tall - deep)),
        lambda: (plate, one),
        lambda: (plate, lw.move(one, 0, 0, -tall)),
        lambda: (ring, lw.cylinder(max(a, b), tall)),
        lambda: (ring, lw.cylinder(min(a, b), tall + 1)),
        lambda: (lw.cylinder(7, deep), lw.move(one, 0, 0, deep)),
        lambda: (lw.box(10, 10, tall), one),
        lambda: (ring, lw.move(ring, 0, 0, 0.3 * tall)),
    ]
    pair = made[int(random.integers(len(made)))]()
    frame = lw.Axis((0, 0, 0), random.normal(size=3))
    turn, way = float(random.uniform(0, 360)), random.uniform(-3, 3, 3)
    first, second = (lw.move(lw.turn(body, turn, frame), *way) for body in pair)
    return first, second


def posed(body: lw.Body, random: np.random.Generator) -> lw.Body:
    """Turned anyhow and moved a little; one in three only along the axes, by halves."""
    if random.random() < 0.33:
        turn = float(random.choice([0, 90, 180, 270]))
        axis, (dx, dy, dz) = (
            ((1, 0, 0), (0, 1, 0), (0, 0, 1))[int(random.integers(3))],
            random.integers(-4, 5, 3) / 2,
        )
        return lw.move(lw.turn(body, turn, lw.Axis((0, 0, 0), axis)), dx, dy, dz)
    axis = lw.Axis((0, 0, 0), random.normal(size=3))
    return lw.move(lw.turn(body, float(random.uniform(0, 360)), axis), *random.uniform(-3, 3, 3))


def trial(seed: int, folder: Path) -> str:
    """ "right", "refused: ..." or "WRONG: ..."."""
    random = np.random.default_rng(seed)
    one, two = touching(random) if seed % 3 == 0 else (prism(random), posed(other(random), random))
    name = list(OPERATIONS)[int(random.integers(3))]
    verb, rule = OPERATIONS[name]
    try:
        common = lw.intersect(one, two).volume
    except lw.ModellingError as error:
        if "nothing in common" not in error.message:
            return f"refused: {error.message}"
        common = 0.0
    try:
        made = verb(one, two)
    except lw.ModellingError as error:
        left = {"cut": one.volume - common, "intersect": common}.get(name, 1.0)
        return f"refused: {error.message}" if left > 1e-9 else "right"
    meant = {"union": one.volume + two.volume - common, "cut": one.volume - common, "intersect": common}[name]
    if abs(made.volume - meant) > 1e-7 * one.volume:
        return f"WRONG: {name} has volume {made.volume:.9g} for {meant:.9g}"
    points = random.uniform(np.array(one.bounds[0]) - 1, np.array(one.bounds[1]) + 1, (200, 3))
    if (made.contains(points) != rule(one.contains(points), two.contains(points))).any():
        return f"WRONG: points of the {name}"
    path = folder / f"{seed}.step"
    try:
        lw.save(made, path)
    except lw.ExchangeError as error:
        return f"refused: {error.message}"
    if found := faults(path):
        return f"WRONG STEP: {found}"
    if CHECKERS[".step"].exists():
        from stepcheck import check

        volume = check(path).total["volume_mm3"]
        if abs(volume - made.volume) > 1e-6 * made.volume:
            return f"WRONG STEP: volume {volume:.9g} for {made.volume:.9g}"
    return "right"


if __name__ == "__main__":
    run(trial, ("right",))
