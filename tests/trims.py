"""Random figures drawn across each other, trimmed to their common outline, against region arithmetic."""

from __future__ import annotations

import math
import sys
from collections.abc import Callable, Iterator
from functools import reduce

import numpy as np

import lathwick as lw
from lathwick.sketch.pieces import pieces_along, places_along

Figure = tuple[Callable[[lw.Sketch], list[object]], Callable[[np.ndarray], np.ndarray]]
"""What draws a figure and gives its curves, and what tells whether points are inside."""


def disc(x: float, y: float, r: float) -> Figure:
    def inside(p: np.ndarray) -> np.ndarray:
        return np.hypot(p[:, 0] - x, p[:, 1] - y) < r

    return (lambda sk: [sk.circle((x, y), r)]), inside


def many_sided(x: float, y: float, r: float, sides: int, turn: float) -> Figure:
    spots = [
        (x + r * math.cos(turn + math.tau * k / sides), y + r * math.sin(turn + math.tau * k / sides))
        for k in range(sides)
    ]

    def inside(p: np.ndarray) -> np.ndarray:
        found = np.ones(len(p), dtype=bool)
        for (ax, ay), (bx, by) in zip(spots, [*spots[1:], spots[0]], strict=True):
            found &= (bx - ax) * (p[:, 1] - ay) - (by - ay) * (p[:, 0] - ax) > 0
        return found

    return (lambda sk: list(sk.polyline(spots, close=True))), inside


def half_disc(x: float, y: float, r: float, turn: float) -> Figure:
    ux, uy = math.cos(turn), math.sin(turn)
    start, end = (x + r * ux, y + r * uy), (x - r * ux, y - r * uy)

    def draw(sk: lw.Sketch) -> list[object]:
        arc = sk.arc((x, y), start, end)
        return [arc, sk.line(arc.end, arc.start)]

    def inside(p: np.ndarray) -> np.ndarray:
        dx, dy = p[:, 0] - x, p[:, 1] - y
        return (np.hypot(dx, dy) < r) & (ux * dy - uy * dx > 0)

    return draw, inside


def random_figures(seed: int) -> list[Figure]:
    random = np.random.default_rng(seed)
    found = []
    for _ in range(int(random.integers(2, 5))):
        x, y = random.uniform(-8, 8, 2)
        r, turn = random.uniform(4, 11), random.uniform(0, math.tau)
        kind = random.integers(0, 3)
        if kind == 0:
            found.append(disc(x, y, r))
        elif kind == 1:
            found.append(many_sided(x, y, r, int(random.integers(3, 7)), turn))
        else:
            found.append(half_disc(x, y, r, turn))
    return found


def trimmed(figures: list[Figure], turns: np.random.Generator) -> lw.Sketch:
    """All figures in one sketch, every stretch inside another one trimmed away, in random order."""
    sk = lw.Sketch(lw.XY)
    drawn = [(curve, insides_but(figures, k)) for k, (draw, _) in enumerate(figures) for curve in draw(sk)]
    busy = True
    while busy:
        busy = False
        for i in turns.permutation(len(drawn)):
            curve, is_inside = drawn[i]
            spot = next(spots_inside(curve, is_inside), None)
            if spot is not None:
                busy = True
                if len(pieces_along(curve)) == 1 and is_inside(sampled(pieces_along(curve)[0])).all():
                    sk.remove(curve)
                    drawn = [one for one in drawn if one[0] is not curve]
                else:
                    sk.trim(curve, spot)
                break
    return sk


def insides_but(figures: list[Figure], k: int) -> Callable[[np.ndarray], np.ndarray]:
    others = [inside for i, (_, inside) in enumerate(figures) if i != k]
    return lambda p: reduce(np.logical_or, [inside(p) for inside in others])


def sampled(piece: object) -> np.ndarray:
    return places_along(piece, np.linspace(1e-6, 1 - 1e-6, 20001))


def spots_inside(curve: object, is_inside: Callable[[np.ndarray], np.ndarray]) -> Iterator[tuple[float, ...]]:
    for piece in pieces_along(curve):
        spots = sampled(piece)
        inside = is_inside(spots)
        if inside.any():
            runs = np.split(np.arange(len(spots)), np.flatnonzero(np.diff(inside)) + 1)
            longest = max((run for run in runs if inside[run[0]]), key=len)
            if len(longest) > 1:
                yield tuple(spots[longest[len(longest) // 2]])


def united_area(figures: list[Figure]) -> float:
    regions = []
    for draw, _ in figures:
        sk = lw.Sketch(lw.XY)
        draw(sk)
        regions.append(sk.regions()[0])
    return reduce(lambda a, b: a + b, regions).area


def off(seed: int) -> float:
    """How far the area of the trimmed outline is from region arithmetic, as a share."""
    figures = random_figures(seed)
    sk = trimmed(figures, np.random.default_rng(seed))
    area = math.fsum(region.area for region in sk.regions())
    return abs(area / united_area(figures) - 1)


def main(count: int, first: int) -> int:
    """Tells of every seed whose outline is wrong or refused; returns how many."""
    bad = 0
    for seed in range(first, first + count):
        try:
            told = f"off by {share:.1e}" if (share := off(seed)) > 1e-12 else ""
        except lw.LathwickError as error:
            told = str(error)
        if told:
            bad += 1
            print(seed, told)
    print(f"{count} outlines, {bad} wrong or refused")
    return bad


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1]), int(sys.argv[2])) > 0)
