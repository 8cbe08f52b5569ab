"""Walls that move where more than three faces meet in one point: the point comes apart."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest

import lathwick as lw

from ..conftest import sound


def overhanging(radius: float = 8.0) -> lw.Body:
    """A plate with a boss about one of its corners: in two vertices four faces meet, two of them in one
    plane."""
    plate = lw.box(20, 10, 30, step="plate")
    return lw.union(plate, lw.cylinder(radius, 10, on=lw.Plane((0, 0, 30), (0, 0, 1)), step="boss"))


def quarter(radius: float, inset: float) -> float:
    """Area of what a circle about the origin has beyond `inset` in x and in y: a sector less triangles."""
    end = math.sqrt(radius**2 - inset**2)
    return 0.5 * radius**2 * (math.acos(inset / radius) - math.asin(inset / radius)) - inset * (end - inset)


@pytest.mark.parametrize("thickness", [0.5, 1.0, 2.0])
def test_hollow_plate_with_a_boss_about_its_corner(thickness, tmp_path, outside_check):
    body, t = overhanging(), thickness
    made = lw.shell(body, t, step="hollow")
    plate = (20 - 2 * t) * (10 - 2 * t) * (30 - 2 * t)
    hollow = plate + math.pi * (8 - t) ** 2 * (10 - 2 * t) + 2 * t * quarter(8 - t, t)
    assert body.volume - made.volume == pytest.approx(hollow, rel=1e-9)
    assert len(made.faces("hollow/inside")) == len(body.faces())
    sound(made, tmp_path, outside_check)


def test_walls_outside_about_such_a_corner(tmp_path, outside_check):
    body, t = overhanging(), 0.5
    made = lw.shell(body, -t, step="hollow")
    # the plate with its walls, and the boss from below its wall, less what they have in common
    outer = (20 + 2 * t) * (10 + 2 * t) * (30 + 2 * t) + math.pi * (8 + t) ** 2 * (10 + 2 * t)
    common = 2 * t * quarter_about(8 + t, t)
    assert made.volume == pytest.approx(outer - common - body.volume, rel=1e-9)
    sound(made, tmp_path, outside_check)


def quarter_about(radius: float, outset: float) -> float:
    """Area of what a circle about the origin has beyond -`outset` in x and in y."""
    strip = outset * math.sqrt(radius**2 - outset**2) + radius**2 * math.asin(outset / radius)
    corner = quarter(radius, outset)
    half = math.pi * radius**2 / 2 + strip
    beyond = math.pi * radius**2 / 2 - strip
    return half - (beyond - corner)


def random_blocks(seed: int) -> tuple[lw.Body, np.ndarray]:
    """Two or three blocks on a lattice of 5, and the grid of its cells that they fill."""
    rng = np.random.default_rng(seed)
    corners, sizes = rng.integers(0, 5, (rng.integers(2, 4), 3)), rng.integers(1, 5, (3, 3))
    body, filled = None, np.zeros((10, 10, 10), dtype=bool)
    for k, (corner, size) in enumerate(zip(corners, sizes, strict=False)):
        block = lw.box(*(5.0 * size), on=lw.Plane(tuple(5.0 * corner), (0, 0, 1)), step=f"b{k}")
        body = block if body is None else lw.union(body, block)
        filled[tuple(slice(a, a + s) for a, s in zip(corner, size, strict=True))] = True
    return body, filled


def grid_of_moved(filled: np.ndarray, size: float) -> tuple[np.ndarray, np.ndarray]:
    """Which cells stay inside when all flat walls across the axes of a grid move in by `size`: those about
    whose middle a cube of twice the size lies in the body; and their widths."""
    t, n = size / 5.0, len(filled)
    lines = np.sort(np.concatenate([np.arange(n + 1) - t, np.arange(n + 1) + t]))
    middles = 0.5 * (lines[1:] + lines[:-1])
    sides = [(np.floor(middles + sign * t).astype(int) + 1).clip(0, n + 1) for sign in (-1.0, 1.0)]
    padded = np.pad(filled, 1)
    inside = np.ones((len(middles),) * filled.ndim, dtype=bool)
    for corner in itertools.product(sides, repeat=filled.ndim):
        inside &= padded[np.ix_(*corner)]
    return inside, 5.0 * np.diff(lines)


def volume_moved_in(filled: np.ndarray, thickness: float) -> float:
    inside, widths = grid_of_moved(filled, thickness)
    return float(np.einsum("ijk,i,j,k", inside, widths, widths, widths))


def volume_drafted(filled: np.ndarray, slope: float) -> float:
    """With all upright walls moved in by `slope` times the height; the sections are polynomials of it."""
    nodes, weights = np.polynomial.legendre.leggauss(3)
    total = 0.0
    for k in range(filled.shape[2]):
        for node, weight in zip(nodes, weights, strict=True):
            inside, widths = grid_of_moved(filled[:, :, k], slope * 5.0 * (k + 0.5 + 0.5 * node))
            total += 2.5 * weight * float(np.einsum("ij,i,j", inside, widths, widths))
    return total


SEEDS = range(24)


@pytest.mark.parametrize("seed", SEEDS)
def test_hollow_blocks(seed, tmp_path, outside_check):
    body, filled = random_blocks(seed)
    for thickness in (0.5, 2.0):
        made = lw.shell(body, thickness)
        assert body.volume - made.volume == pytest.approx(volume_moved_in(filled, thickness), rel=1e-9)
    if seed < 4:
        sound(made, tmp_path, outside_check)


@pytest.mark.parametrize("seed", SEEDS)
def test_drafted_blocks(seed, tmp_path, outside_check):
    body, filled = random_blocks(seed)
    walls = [face for face in body.faces() if abs(face.normal[2]) < 0.5]
    made = lw.draft(body, walls, 2.0, neutral=lw.XY)
    wanted = volume_drafted(filled, math.tan(math.radians(2.0)))
    assert made.volume == pytest.approx(wanted, rel=1e-9)
    if seed < 4:
        sound(made, tmp_path, outside_check)


def test_a_hollow_that_would_come_apart_is_not_lost():
    """A bar let into the underside of a block: its hollow hangs together with the block's below 0.5."""
    bar = lw.cylinder(6, 10, on=lw.Plane((0, 5, -10), (0, -1, 0)), step="bar")
    body = lw.union(lw.box(15, 20, 15, on=lw.Plane((-10, -5, -5), lw.Z), step="block"), bar)
    with pytest.raises(lw.ModellingError, match=r"the hollow would be lost .* at the face") as told:
        lw.shell(body, 0.5)
    assert told.value.limit == pytest.approx(0.5, abs=1e-3)
    t = 0.4

    def gap(height: float) -> float:  # of the bar's hollow, beside its middle
        return math.sqrt((6 - t) ** 2 - height**2)

    # of the bar's hollow the part below the block's, a segment less than the whole
    depth, r = 5 + t, 6 - t
    segment = r * r * math.acos(depth / r) - depth * gap(depth)
    hollow = (15 - 2 * t) * (20 - 2 * t) * (15 - 2 * t) + (math.pi * r * r - segment) * (10 - 2 * t)
    made = lw.shell(body, t)
    assert body.volume - made.volume == pytest.approx(hollow, rel=1e-9)
