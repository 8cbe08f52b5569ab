"""Rounds and bevels that end on several faces, each narrower than they are: against integration."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
import pytest
from scipy.integrate import quad

import lathwick as lw

from ..conftest import unsound

HEIGHT, DEPTH = 10.0, 15.0


def _faceted(xs: np.ndarray, ys: np.ndarray) -> lw.Body:
    """A block from x = 0 to an end that is faceted: x(y) is linear between the points."""
    sketch = lw.Sketch(lw.Plane((0, 0, 0), (0, 0, 1), (1, 0, 0)))
    points = [(0.0, 0.0), *zip(xs.tolist(), ys.tolist(), strict=True), (0.0, DEPTH)]
    sketch.polyline(points, close=True)
    return lw.extrude(sketch, HEIGHT, step="block")


def _along(height, xs: np.ndarray, ys: np.ndarray, size: float) -> float:
    """The volume over 0 < y < size of what is height(y) high and x(y) long."""
    cuts = [0.0, *(y for y in ys.tolist() if 0.0 < y < size), size]
    return sum(
        quad(lambda y: height(y) * np.interp(y, ys, xs), a, b, epsabs=1e-12)[0] for a, b in pairwise(cuts)
    )


@pytest.mark.parametrize("seed", range(8))
def test_ends_on_random_facets(seed, tmp_path):
    rng = np.random.default_rng(seed)
    count, size = int(rng.integers(2, 6)), float(rng.uniform(0.5, 9.0))
    ys = np.concatenate([[0.0], np.sort(rng.uniform(0.2, 8.0, count)), [DEPTH]])
    xs = 20.0 + rng.uniform(-1.5, 1.5, count + 2)
    block = _faceted(xs, ys)
    around = lw.box(40.0, 25.0, 15.0, on=lw.Plane((-5, -5, 0), (0, 0, 1), (1, 0, 0)), step="around")
    pocket = lw.cut(around, block)
    rises = {
        lw.fillet: lambda y: size - math.sqrt(max(size**2 - (size - y) ** 2, 0.0)),
        lw.chamfer: lambda y: size - y,
    }
    for blend, height in rises.items():
        want = _along(height, xs, ys, size)
        for body, sign in ((block, -1.0), (pocket, 1.0)):
            edge = [e for e in body.edges() if e.distance_to((10.0, 0.0, HEIGHT)) < 1e-9]
            made = blend(body, edge, size)
            assert made.volume - body.volume == pytest.approx(sign * want, abs=1e-8)
            assert not unsound(made, tmp_path)


@pytest.mark.parametrize(("bevel", "size"), [(0.5, 3.0), (2.0, 3.0), (1.0, 10.0)])
def test_round_that_ends_on_a_bevel_narrower_than_it(bevel, size):
    block = lw.box(20, DEPTH, HEIGHT, step="block")
    body = lw.chamfer(block, block.edges("block/side:front", "block/side:right"), bevel, step="bevel")
    made = lw.fillet(body, body.edges("block/side:front", "block/top"), size)
    xs, ys = np.array([20.0 - bevel, 20.0, 20.0]), np.array([0.0, bevel, DEPTH])
    want = _along(lambda y: size - math.sqrt(max(size**2 - (size - y) ** 2, 0.0)), xs, ys, size)
    assert body.volume - made.volume == pytest.approx(want, abs=1e-9)
    assert not made.check()
