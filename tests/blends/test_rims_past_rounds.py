"""Rims that are larger than the rounds they cross, hollows below them, and walls that meet in free curves."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
import pytest

import lathwick as lw

from ..conftest import sound
from ..slabs import random_slab

UNLIKE = 3e-5
"""Volumes of slices with arcs of 400 sides, and ours, at most."""


def corner_area(radius: float, inset: float) -> float:
    """What a corner of a rectangle loses to a round of that radius, a distance inside of it."""
    side = radius - inset
    if side * math.sqrt(2) <= radius:
        return 0.0
    if side >= radius:
        return (1 - math.pi / 4) * radius * radius
    angle = math.acos(side / radius)
    wedge = side * math.sqrt(radius * radius - side * side) + radius * radius * (math.pi / 4 - angle)
    return side * side - wedge


def block_volume(upright: float, rim: float, *, bevel: bool = False) -> float:
    """A block 40 x 30 x 20 with rounded uprights, and a larger round or bevel around its top."""

    def area(inset: float) -> float:
        return (40 - 2 * inset) * (30 - 2 * inset) - 4 * corner_area(upright, inset)

    x, w = np.polynomial.legendre.leggauss(200)
    stops = [0, upright * (1 - 1 / math.sqrt(2)), min(upright, rim), rim]
    total = area(0.0) * (20 - rim)
    for low, high in pairwise(stops):
        if bevel:
            insets, rates = 0.5 * (high - low) * x + 0.5 * (high + low), np.full(len(x), 0.5 * (high - low))
        else:
            a, b = (math.acos(1 - inset / rim) for inset in (low, high))
            angles = 0.5 * (b - a) * x + 0.5 * (a + b)
            insets, rates = rim - rim * np.cos(angles), 0.5 * (b - a) * rim * np.cos(angles)
        total += sum(weight * area(i) * rate for i, rate, weight in zip(insets, rates, w, strict=True))
    return total


@pytest.mark.parametrize(("upright", "rim"), [(0.5, 0.7), (0.5, 5), (1, 3), (2, 2.5), (3, 9)])
def test_a_rim_runs_past_smaller_uprights(upright, rim, tmp_path, outside_check):
    """The straight rounds meet in mitres; the uprights end on them, and stay as they are below."""
    block = lw.box(40, 30, 20, step="b")
    body = lw.fillet(block, block.edges().parallel(lw.Z), upright, step="upright")
    made = lw.fillet(body, body.edges("b/top"), rim, step="rim")
    assert made.volume == pytest.approx(block_volume(upright, rim), rel=1e-9)
    assert {face.radius for face in made.faces("rim")} == {rim}
    assert len(made.faces("rim")) == len(made.faces("upright")) == 4
    assert all(abs(e.angle) > 0.1 or abs(math.radians(e.angle)) <= 1e-6 for e in made.edges())
    sound(made, tmp_path, outside_check)


@pytest.mark.parametrize(("upright", "rim"), [(0.5, 4), (2, 3)])
def test_a_bevel_runs_past_smaller_uprights(upright, rim, tmp_path, outside_check):
    block = lw.box(40, 30, 20, step="b")
    body = lw.fillet(block, block.edges().parallel(lw.Z), upright, step="upright")
    made = lw.chamfer(body, body.edges("b/top"), rim, step="rim")
    assert made.volume == pytest.approx(block_volume(upright, rim, bevel=True), rel=1e-9)
    sound(made, tmp_path, outside_check)


@pytest.mark.parametrize(("upright", "floor"), [(1.5, 2), (1, 6)])
def test_the_floor_of_a_pocket_runs_past_smaller_uprights(upright, floor, tmp_path, outside_check):
    """What is left of the pocket is the block above, upside down."""
    tool = lw.box(40, 30, 20, step="p")
    tool = lw.fillet(tool, tool.edges().parallel(lw.Z), upright, step="upright")
    body = lw.cut(lw.box(60, 50, 30, on=lw.Plane((-10, -10, -10), (0, 0, 1)), step="b"), tool)
    made = lw.fillet(body, body.edges("p/bottom"), floor, step="floor")
    assert 60 * 50 * 30 - made.volume == pytest.approx(block_volume(upright, floor), rel=1e-9)
    sound(made, tmp_path, outside_check)


@pytest.mark.parametrize("size", [1.5, 2.2])
def test_edges_of_both_kinds_pass_over_rounds(size, tmp_path, outside_check):
    """A block on a plate, small rounds on its uprights, then all other edges: the convex ones past the
    rounds, the foot around them."""
    block = lw.box(14, 14, 12, on=lw.Plane((8, 8, 10), (0, 0, 1)), step="block")
    body = lw.union(lw.box(30, 30, 10, step="plate"), block)
    body = lw.fillet(body, body.edges().parallel(lw.Z), 0.8, step="upright")
    rest = [e for e in body.edges().convex() | body.edges().concave() if abs(e.angle) > 5]
    made = lw.fillet(body, rest, size, step="rest")
    alone = lw.fillet(body, [e for e in rest if e.angle > 0], size)
    foot = lw.fillet(body, [e for e in rest if e.angle < 0], size)
    assert made.volume - alone.volume == pytest.approx(foot.volume - body.volume, rel=1e-7)
    sound(made, tmp_path, outside_check)


def test_a_rim_that_does_not_fit_names_a_radius_beyond_the_uprights():
    block = lw.box(40, 30, 20, step="b")
    body = lw.fillet(block, block.edges().parallel(lw.Z), 1, step="upright")
    with pytest.raises(lw.ModellingError, match="the largest that works is") as refused:
        lw.fillet(body, body.edges("b/top"), 16, step="rim")
    largest = float(str(refused.value).rsplit(" ", 1)[1])
    assert 14.9 < largest <= 15
    assert lw.fillet(body, body.edges("b/top"), largest).volume == pytest.approx(
        block_volume(1, largest), rel=1e-8
    )


@pytest.mark.parametrize("seed", range(14))
def test_slabs_and_their_hollows_are_what_slices_say(seed, tmp_path, outside_check):
    """Uprights of unlike radii, a rim of any radius, holes; then hollowed, open above or closed."""
    slab = random_slab(seed)
    try:
        body = slab.body()
    except lw.ModellingError as error:  # then with what it says
        rim = float(str(error).rsplit(" ", 1)[1])
        slab = type(slab)(slab.corners, slab.radii, slab.height, rim, slab.holes)
        body = slab.body()
    assert body.volume == pytest.approx(slab.volume(), rel=UNLIKE)
    rng = np.random.default_rng(seed)
    wall, is_open = float(rng.choice([0.4, 0.8, 1, 1.5, 2])), bool(rng.random() < 0.7)
    opened = body.faces("slab/end") if is_open else ()
    try:
        made = lw.shell(body, wall, opened, step="hollow")
    except lw.ModellingError as error:
        wall = float(str(error).rsplit(" ", 1)[1])
        made = lw.shell(body, wall, opened, step="hollow")
    assert made.volume == pytest.approx(slab.volume() - slab.hollow(wall, is_open), rel=3 * UNLIKE)
    sound(made, tmp_path, outside_check)


def tee(radius: float, branch: float, grown: float = 0.0) -> lw.Body:
    """A pipe with a branch that ends in the middle of it; walls moved outwards by so much."""
    side = lw.Plane((0, 0, 25), (1, 0, 0))
    return lw.union(
        lw.cylinder(radius + grown, 50, step="pipe"), lw.cylinder(branch + grown, 35, on=side, step="branch")
    )


@pytest.mark.parametrize("wall", [1, 2.5, -1.5])
def test_a_tee_is_hollowed_through_its_three_ends(wall, tmp_path, outside_check):
    body = tee(20, 6)
    ends = body.faces("pipe/top") | body.faces("pipe/bottom") | body.faces("branch/top")
    made = lw.shell(body, wall, ends, step="hollow")
    assert made.volume == pytest.approx(abs(body.volume - tee(20, 6, -wall).volume), rel=1e-9)
    sound(made, tmp_path, outside_check)


@pytest.mark.parametrize("angle", [3, -2])
def test_a_drafted_wall_with_a_cross_bore_is_a_bored_cone(angle, tmp_path, outside_check):
    bore = lw.cylinder(5, 80, on=lw.Plane((-40, 1, 25), (1, 0, 0)), step="bore")
    body = lw.cut(lw.cylinder(20, 50, step="c"), bore)
    made = lw.draft(body, body.faces("c/side"), angle, lw.XY, step="d")
    top = 20 - 50 * math.tan(math.radians(angle))
    assert made.volume == pytest.approx(lw.cut(lw.cone(20, top, 50), bore).volume, rel=1e-9)
    assert {edge.kind for edge in made.edges()} == {"circle", "spline"}
    sound(made, tmp_path, outside_check)


@pytest.mark.parametrize("rim", [2.5, 6.0])
@pytest.mark.parametrize("order", ["foot first", "uprights first"])
def test_a_rim_above_uprights_that_end_on_a_rounded_foot(order, rim, tmp_path, outside_check):
    """It takes off what it takes off the block alone."""

    def rounded(body: lw.Body) -> lw.Body:
        uprights = [e for e in body.edges() if abs(e.end[2] - e.start[2]) > 5 and e.midpoint[2] > 12]
        return lw.fillet(body, uprights, 2, step="u")

    def with_foot(body: lw.Body) -> lw.Body:
        return lw.fillet(body, body.edges("p/top").concave(), 3, step="foot")

    block = lw.box(40, 30, 20, on=lw.Plane((20, 15, 8), (0, 0, 1), (1, 0, 0)), step="q")
    footed = lw.union(lw.box(80, 60, 8, step="p"), block)
    footed = rounded(with_foot(footed)) if order == "foot first" else with_foot(rounded(footed))
    alone = rounded(block)
    made = lw.fillet(footed, footed.edges("q/top"), rim)
    change = alone.volume - lw.fillet(alone, alone.edges("q/top"), rim).volume
    assert footed.volume - made.volume == pytest.approx(change, abs=1e-6)
    sound(made, tmp_path, outside_check)
