"""Feet and rims of closed edges that reach over the border of the plane face beside them."""

import itertools
import math

import numpy as np
import pytest
from scipy.integrate import quad

import lathwick as lw

from ..conftest import sound


def up(x: float, y: float, z: float) -> lw.Plane:
    return lw.Plane((x, y, z), (0, 0, 1), (1, 0, 0))


def within_border(ring: float, size: float, gap: float, bevel: bool = False) -> float:
    """What a round or a bevel fills about a ring, or takes off, as far as a straight border at a gap."""

    def slice_at(rho: float) -> float:
        off = ring + size - rho
        height = off if bevel else size - math.sqrt(max(size * size - off * off, 0.0))
        inside = 2.0 * math.pi if rho <= ring + gap else 2.0 * math.pi - 2.0 * math.acos((ring + gap) / rho)
        return height * rho * inside

    stops = [ring, ring + gap, ring + size]
    return sum(quad(slice_at, a, b, epsabs=1e-12)[0] for a, b in itertools.pairwise(stops))


def bossed(ring: float, gap: float) -> lw.Body:
    return lw.union(lw.box(80, 80, 20, step="p"), lw.cylinder(ring, 20, on=up(ring + gap, 40, 20), step="b"))


def bored(ring: float, gap: float) -> lw.Body:
    return lw.cut(lw.box(80, 80, 20, step="p"), lw.cylinder(ring, 40, on=up(ring + gap, 40, -5), step="b"))


@pytest.mark.parametrize(("ring", "gap", "size"), [(6, 2, 3), (6, 0.5, 5), (9, 2.4, 2.5)])
@pytest.mark.parametrize("kind", ["foot", "rim"])
def test_a_round_is_cut_off_at_the_border(kind, ring, gap, size, tmp_path, outside_check):
    body = bossed(ring, gap) if kind == "foot" else bored(ring, gap)
    made = lw.fillet(body, body.edges("p/top", "b/side"), size, step="r")
    change = (made.volume - body.volume) * (1.0 if kind == "foot" else -1.0)
    assert change == pytest.approx(within_border(ring, size, gap), rel=1e-8)
    assert made.is_valid
    assert len(made.faces("r/round")) == 1
    assert {name for face in made.faces() for name in face.names} == {
        *(name for face in body.faces() for name in face.names),
        "r/round",
    }
    sound(made, tmp_path, outside_check)


def test_a_bevel_is_cut_off_at_the_border():
    body = bossed(6, 1)
    made = lw.chamfer(body, body.edges("p/top", "b/side"), 3)
    assert made.volume - body.volume == pytest.approx(within_border(6, 3, 1, bevel=True), rel=1e-8)


def test_a_foot_near_a_corner_and_one_cut_by_a_bore():
    body = lw.union(lw.box(80, 80, 20, step="p"), lw.cylinder(6, 20, on=up(7, 7.5, 20), step="b"))
    made = lw.fillet(body, body.edges("p/top", "b/side"), 3)
    assert made.is_valid
    points = np.random.default_rng(1).uniform((-1, -1, 19), (20, 20, 24), (400, 3))
    rho = np.hypot(points[:, 0] - 7, points[:, 1] - 7.5)
    filled = (
        (rho < 9)
        & (points[:, 2] > 20)
        & ((9 - rho) ** 2 + (points[:, 2] - 23) ** 2 > 9)
        & (points[:, 2] < 23)
    )
    over = (points[:, :2] > 0).all(axis=1)
    assert (made.contains(points) == (body.contains(points) | (filled & over))).all()
    drilled = lw.cut(bossed(6, 30), lw.cylinder(3, 60, on=up(46.5, 40, -5), step="h"))
    foot = lw.fillet(drilled, drilled.edges("p/top", "b/side"), 3)
    whole = bossed(6, 30)
    whole = lw.fillet(whole, whole.edges("p/top", "b/side"), 3)
    bore = lw.cylinder(3, 60, on=up(46.5, 40, -5))
    assert foot.volume == pytest.approx(lw.cut(whole, bore).volume, rel=1e-11)


def test_a_foot_ends_at_a_rib_but_not_at_a_lower_one():
    """As if the rib had come later; one over which the foot would stand out is in the way."""
    plate, boss = lw.box(80, 80, 20, step="p"), lw.cylinder(6, 20, on=up(40, 40, 20), step="b")
    bare = lw.union(plate, boss)
    high = lw.box(4, 20, 10, on=up(47, 30, 20), step="rib")
    made = lw.union(plate, boss, high)
    made = lw.fillet(made, made.edges("p/top", "b/side"), 3)
    expected = lw.union(lw.fillet(bare, bare.edges("p/top", "b/side"), 3), high)
    assert made.volume == pytest.approx(expected.volume, rel=1e-11)
    low = lw.union(plate, boss, lw.box(4, 20, 0.5, on=up(47, 30, 20), step="rib"))
    with pytest.raises(lw.ModellingError, match="the largest that works is"):
        lw.fillet(low, low.edges("p/top", "b/side"), 3)


def test_a_side_that_leans_goes_on_upwards():
    """What is filled over the plate is what lies behind the plane of the side."""
    sk = lw.Sketch(lw.XY)
    sk.rectangle(80, 80, center=(0, 0))
    body = lw.union(lw.extrude(sk, 20, taper=5, step="p"), lw.cylinder(6, 20, on=up(30, 0, 20), step="b"))
    made = lw.fillet(body, body.edges("p/end", "b/side"), 3, step="r")
    assert made.is_valid
    points = np.random.default_rng(2).uniform((20, -12, 18), (41, 12, 25), (500, 3))
    rho, height = np.hypot(points[:, 0] - 30, points[:, 1]), points[:, 2] - 20
    filled = (height > 0) & (height < 3) & (rho < 9) & ((9 - rho) ** 2 + (height - 3) ** 2 > 9)
    behind = points[:, 0] < 40 - points[:, 2] * math.tan(math.radians(5))
    assert (made.contains(points) == (body.contains(points) | (filled & behind))).all()


@pytest.mark.parametrize("size", [1.5, 3.0])
@pytest.mark.parametrize("blend", [lw.fillet, lw.chamfer])
def test_the_foot_of_a_wall_near_a_side(blend, size, tmp_path, outside_check):
    """As on a wider plate that is cut off at the side afterwards; so do rims of a slot."""
    wall = lw.box(60, 6, 25, on=up(10, 1, 10), step="w")
    body = lw.union(lw.box(80, 40, 10, step="p"), wall)
    made = blend(body, body.edges("p/top", "w"), size, step="r")
    wide = lw.union(lw.box(80, 80, 10, on=up(0, -40, 0), step="p"), wall)
    wide = lw.cut(blend(wide, wide.edges("p/top", "w"), size), lw.box(200, 100, 100, on=up(-50, -100, -10)))
    assert made.volume == pytest.approx(wide.volume, rel=1e-12)
    assert made.face("p/side:front").normal == pytest.approx((0, -1, 0))
    sound(made, tmp_path, outside_check)
    slot = lw.box(40, 10, 30, on=up(20, 1, -5), step="s")
    cut = lw.cut(lw.box(80, 40, 20, step="p"), slot)
    rim = blend(cut, cut.edges("p/top", "s"), size)
    wide = lw.cut(lw.box(80, 80, 20, on=up(0, -40, 0), step="p"), slot)
    wide = lw.cut(blend(wide, wide.edges("p/top", "s"), size), lw.box(200, 100, 100, on=up(-50, -100, -10)))
    assert rim.volume == pytest.approx(wide.volume, rel=1e-12)


def test_a_radius_that_is_too_large_for_an_outer_edge_is_refused_as_ever():
    box = lw.box(40, 30, 20, step="b")
    with pytest.raises(lw.ModellingError, match=r"the largest that works is 20$"):
        lw.fillet(box, box.edge("b/top", "b/side:front"), 25)
