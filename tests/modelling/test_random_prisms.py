"""Random prisms tapered, drafted, hollowed, rounded and bevelled, against closed forms."""

from __future__ import annotations

import math

import numpy as np
import pytest

import lathwick as lw

from ..conftest import sound
from ..prisms import area, suited

SEEDS = range(16)
ROUND, ROUND2 = 1 - math.pi / 4, 5 / 3 - math.pi / 2
"""What a round takes off an edge, and off a corner of an outline, for a radius of one."""


@pytest.mark.parametrize("seed", SEEDS)
def test_walls_that_lean(seed, tmp_path, outside_check):
    def plan(prism, rng):
        some = rng.random(len(prism.corners)) < 0.6
        some[0] = True
        neutral, angle = rng.uniform(0, prism.height), rng.uniform(-12, 12)
        with_bores = bool(rng.random() < 0.5)
        sections = []
        for z in (0.0, prism.height / 2, prism.height):
            inset = (z - neutral) * math.tan(math.radians(angle))
            growth = inset if with_bores else 0.0
            outline = prism.outline_inside(np.where(some, inset, 0.0))
            if not prism.has_room(outline, growth):
                return None
            sections.append(area(outline) - prism.holes_area(growth))
        return some, neutral, angle, with_bores, sections

    prism, (some, neutral, angle, with_bores, sections) = suited(seed, plan)
    full = (area(prism.corners) - prism.holes_area()) * prism.height
    assert prism.body.volume == pytest.approx(full, rel=1e-12)
    walls = [prism.sides[k] for k in np.flatnonzero(some)] + (prism.bores if with_bores else [])
    made = lw.draft(prism.body, walls, angle, prism.plane.offset(neutral))
    low, middle, high = sections  # the area is a square of the height
    assert made.volume == pytest.approx(prism.height / 6 * (low + 4 * middle + high), rel=1e-10)
    assert len(made.faces()) == len(prism.body.faces())
    if seed % 4 == 0:
        sound(made, tmp_path, outside_check)


@pytest.mark.parametrize("seed", SEEDS)
@pytest.mark.parametrize("way", [1, -1])
def test_walls_of_two_thicknesses(seed, way, tmp_path, outside_check):
    def plan(prism, rng):
        wall, thick = rng.uniform(0.3, 1.2, 2)
        kinds = rng.integers(0, 4, len(prism.corners))  # 0 open, 1 thick
        kinds[kinds.argmax()] = 3
        outline = prism.outline_inside(way * np.select([kinds == 0, kinds == 1], [0.0, thick], wall))
        return (wall, thick, kinds, outline) if prism.has_room(outline, way * wall) else None

    prism, (wall, thick, kinds, outline) = suited(seed, plan)
    opened = [prism.sides[k] for k in np.flatnonzero(kinds == 0)] + [prism.body.face("e/end")]
    special = [prism.sides[k] for k in np.flatnonzero(kinds == 1)]
    other = [(special, way * thick)] if special else []
    made = lw.shell(prism.body, way * wall, opened, other=other, step="s")
    inner = (area(outline) - prism.holes_area(way * wall)) * (prism.height - way * wall)
    assert made.volume == pytest.approx(abs(prism.body.volume - inner), rel=1e-9)
    if seed % 4 == 0:
        sound(made, tmp_path, outside_check)


@pytest.mark.parametrize("seed", SEEDS)
def test_rims_after_upright_edges(seed, tmp_path, outside_check):
    def plan(prism, rng):
        radius = rng.uniform(0.3, 1.5)
        tangents = radius * np.tan(np.abs(prism.turns) / 2)
        size = min(0.4 * radius, 0.4 * prism.height)
        inside = prism.outline_inside(np.full(len(tangents), size))
        fits = (tangents + np.roll(tangents, -1) < prism.edge_lengths - 0.5).all()
        clear = prism.has_room(inside, 2 * radius + tangents.max())
        return (radius, tangents, size) if fits and clear else None

    prism, (radius, tangents, size) = suited(seed, plan)
    upright = prism.body.edges().straight().parallel(prism.plane.normal)
    rounded = lw.fillet(prism.body, upright, radius, step="v")
    turns = np.abs(prism.turns)
    gained = -np.sign(prism.turns) * radius**2 * (np.tan(turns / 2) - turns / 2)
    full = (area(prism.corners) - prism.holes_area() + gained.sum()) * prism.height
    assert rounded.volume == pytest.approx(full, rel=1e-11)
    rims = prism.edge_lengths.sum() - 2 * tangents.sum() + radius * turns.sum()
    rims += math.tau * sum(r for _, r in prism.holes)
    odd = math.pi * (1 - len(prism.holes))  # the outline turns once, each hole once the other way
    made = lw.fillet(rounded, rounded.edges("e/end"), size, step="r")
    assert made.volume == pytest.approx(full - rims * ROUND * size**2 + odd * ROUND2 * size**3, rel=1e-10)
    bevelled = lw.chamfer(rounded, rounded.edges("e/end"), size, step="b")
    assert bevelled.volume == pytest.approx(full - rims * size**2 / 2 + odd * size**3 / 3, rel=1e-10)
    if seed % 4 == 0:
        sound(made, tmp_path, outside_check)
        sound(bevelled, tmp_path, outside_check)
