"""Holes at random places of blocks and tubes that stand askew, against closed forms."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.integrate import quad

import lathwick as lw
from lathwick.modelling.flat_faces import plane_of_face

from ..conftest import sound

SEEDS = range(20)


def askew(rng) -> lw.Plane:
    normal, other = rng.normal(size=(2, 3))
    return lw.Plane(tuple(rng.uniform(-20, 20, 3)), tuple(normal), tuple(np.cross(normal, other)))


@pytest.mark.parametrize("seed", SEEDS)
def test_holes_in_a_block_and_what_it_is_copied_to(seed, tmp_path, outside_check):
    rng = np.random.default_rng(seed)
    plane, (dx, dy, dz) = askew(rng), rng.uniform(13, 30, 3)
    block = lw.box(dx, dy, dz, on=plane, step="b")
    face = plane_of_face(block.face("b/top").brep)
    low, high = np.array([3.0, 3.0]), np.array([dx, dy]) - 3.0
    middle = 0.5 * dx
    inner = rng.uniform(low, (middle - 2.9, high[1])), rng.uniform((middle + 2.9, low[1]), high)
    at = [face.local(plane.point(x, y, dz))[:2] for x, y in inner]
    r, wide = rng.uniform(0.4, 1.2), rng.uniform(1.4, 3.0)
    deep, angle = rng.uniform(0.3, 0.5 * dz), rng.uniform(60, 120)
    sunk = (wide - r) / math.tan(math.radians(angle / 2))
    cases = [
        ({}, r**2 * dz),
        ({"depth": deep}, r**2 * deep),
        ({"counterbore": (2 * wide, deep)}, r**2 * (dz - deep) + wide**2 * deep),
        ({"countersink": (2 * wide, angle)}, r**2 * (dz - sunk) + sunk / 3 * (wide**2 + wide * r + r**2)),
    ]
    options, area = cases[seed % 4]
    made = lw.hole(block, block.faces("b/top"), at, 2 * r, step="h", **options)
    assert made.volume == pytest.approx(block.volume - 2 * math.pi * area, rel=1e-12)
    assert len(made.faces("h/side")) == 2
    row = lw.linear_pattern(made, 3, dx, plane.x)
    assert row.volume == pytest.approx(3 * made.volume, rel=1e-11)
    assert len(row.faces("b/top")) == 1  # copies side by side are one block
    assert lw.mirror(made, plane).volume == pytest.approx(2 * made.volume, rel=1e-11)
    axis = lw.Axis(plane.point(-40, 0, 0), plane.normal)
    assert lw.circular_pattern(made, np.int64(5), axis).volume == pytest.approx(5 * made.volume, rel=1e-11)
    assert lw.scale(made, 2.5).volume == pytest.approx(2.5**3 * made.volume, rel=1e-11)
    if seed % 4 == 0:
        sound(made, tmp_path, outside_check)


@pytest.mark.parametrize("seed", SEEDS)
def test_holes_in_a_tube_by_height_and_angle(seed, tmp_path, outside_check):
    rng = np.random.default_rng(1000 + seed)
    plane, radius, height, wall = askew(rng), rng.uniform(4, 10), rng.uniform(8, 30), rng.uniform(0.5, 2)
    tube = lw.cylinder(radius, height, on=plane, step="t")
    tube = lw.cut(tube, lw.cylinder(radius - wall, height + 2, on=plane.offset(-1), step="bore"))
    r = 0.4 * min(1.5, radius - wall)
    way = 1 if next(c for c in reversed(plane.normal) if abs(c) > 1e-9) > 0 else -1  # heights grow upwards
    up = way * (rng.uniform(r + 0.2, height - r - 0.2) + float(np.dot(plane.origin, plane.normal)))

    def half(around):
        """Volume of the drill from the axis to a round wall about it."""
        return quad(lambda x: 2 * math.sqrt((r * r - x * x) * (around**2 - x * x)), -r, r, epsabs=1e-12)[0]

    one = half(radius) - half(radius - wall)
    for depth, walls in ((lw.THROUGH, 2), ("axis", 1), ("first inner face", 1), ("far wall", 1)):
        made = lw.hole(tube, tube.faces("t/side"), (up, rng.uniform(-200, 400)), 2 * r, depth, step="h")
        assert made.volume == pytest.approx(tube.volume - walls * one, rel=1e-10)
    if seed % 4 == 0:
        sound(made, tmp_path, outside_check)
