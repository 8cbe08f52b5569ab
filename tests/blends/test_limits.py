"""The largest size that a refusal names, against closed forms: it works, and hardly more does not."""

from __future__ import annotations

import math

import pytest

import lathwick as lw

from ..rounded_unions import random_union

NEAR = 1.1e-3
"""A limit is told to four digits, from a bracket that is as narrow as half of this."""


def limit_of(blend, size: float) -> float:
    """The limit that a refusal tells of; it works."""
    with pytest.raises(lw.ModellingError) as refusal:
        blend(size)
    limit = refusal.value.limit
    assert f"{abs(limit):.4g}" in str(refusal.value)
    assert refusal.value.value == size
    assert blend(limit).is_valid
    return limit


def refused_above(blend, limit: float) -> None:
    """A size larger by one in two hundred does not work."""
    with pytest.raises(lw.ModellingError):
        blend(limit * 1.005)


def box(dx=40, dy=30, dz=20):
    return lw.box(dx, dy, dz, step="b")


def studs(radius, across, apart):
    """Studs in a row on a plate."""
    row = [
        lw.cylinder(radius, 8, on=lw.Plane((k * apart, 0, 5), (0, 0, 1)), step="stud") for k in range(across)
    ]
    plate = lw.move(lw.box(apart * across, 2 * apart, 5, step="plate"), -apart / 2, -apart, 0)
    return lw.union(plate, *row)


# ---------------------------------------------------------------------- rounds


@pytest.mark.parametrize(("sides", "radius"), [((40, 30, 20), 10), ((7, 7, 7), 3.5), ((50, 11.3, 90), 5.65)])
def test_all_edges_of_a_box(sides, radius):
    """Up to half of the shortest side, where the rounds on both sides of a face meet."""
    body = box(*sides)

    def rounded(size):
        return lw.fillet(body, body.edges(), size)

    assert limit_of(rounded, 2 * radius) == pytest.approx(radius, rel=NEAR)
    refused_above(rounded, radius)


@pytest.mark.parametrize("scale", [0.01, 1.0, 1000.0])
def test_the_limit_has_the_scale_of_the_part(scale):
    body = lw.scale(box(), scale)

    def rounded(size):
        return lw.fillet(body, body.edges("b/top"), size)

    assert limit_of(rounded, 25 * scale) == pytest.approx(15 * scale, rel=NEAR)


@pytest.mark.parametrize("radius", [3.0, 2.37])
def test_rims_of_studs(radius):
    """A ball that rolls inside a rim is no larger than the stud."""
    body = studs(radius, 3, 12)

    def rounded(size):
        return lw.fillet(body, body.edges("stud/top"), size)

    assert limit_of(rounded, 6.5) == pytest.approx(radius, rel=NEAR)
    refused_above(rounded, radius)


@pytest.mark.parametrize(("radius", "apart"), [(3, 12), (2.5, 9)])
def test_feet_of_studs(radius, apart):
    """Feet reach to the middle between two studs."""
    body = studs(radius, 3, apart)
    room = apart / 2 - radius

    def rounded(size):
        return lw.fillet(body, body.edges("stud/side", "plate/top"), size)

    assert limit_of(rounded, 3 * room) == pytest.approx(room, rel=NEAR)


def test_the_inside_edge_of_an_angle():
    """Up to the shorter leg."""
    sk = lw.Sketch(name="angle")
    sk.polyline([(0, 0), (40, 0), (40, 6), (6, 6), (6, 25), (0, 25)], close=True)
    body = lw.extrude(sk, 30)

    def rounded(size):
        return lw.fillet(body, body.edges().concave(), size)

    assert limit_of(rounded, 30) == pytest.approx(19, rel=NEAR)


@pytest.mark.parametrize("degrees", [60, 90, 120])
def test_two_rounds_between_leaning_walls(degrees):
    """Both long edges of a roof's foot: the contacts meet in the middle of the foot, at r / tan(a/2)."""
    half = 20.0
    rise = half * math.tan(math.radians(degrees / 2))
    sk = lw.Sketch()
    sk.polyline([(-half, 0), (half, 0), (0, rise)], close=True)
    body = lw.extrude(sk, 50)
    feet = body.edges().parallel(lw.Z).where(lambda edge: abs(edge.midpoint[1]) < 1e-9)
    fits = half * math.tan(math.radians(degrees / 4))

    def rounded(size):
        return lw.fillet(body, feet, size)

    assert limit_of(rounded, 3 * fits) == pytest.approx(fits, rel=NEAR)


# ---------------------------------------------------------------------- bevels, walls, drafts


@pytest.mark.parametrize("size", [16.0, 33.3])
def test_bevels_of_a_top(size):
    body = box()

    def bevelled(value):
        return lw.chamfer(body, body.edges("b/top"), value)

    assert limit_of(bevelled, size) == pytest.approx(15, rel=NEAR)
    refused_above(bevelled, 15)


def test_a_bevel_by_angle_ends_with_the_side():
    """30 degrees from the top: down the side it takes tan 30 of what it takes of the top."""
    body = box(60, 60, 10)

    def bevelled(value):
        return lw.chamfer(body, body.edges("b/top"), value, angle=30)

    assert limit_of(bevelled, 40) == pytest.approx(10 / math.tan(math.radians(30)), rel=NEAR)


@pytest.mark.parametrize("sides", [(40, 30, 20), (9, 70, 33)])
def test_walls_of_a_closed_box(sides):
    body = box(*sides)

    def hollow(value):
        return lw.shell(body, value)

    assert limit_of(hollow, 0.6 * min(sides)) == pytest.approx(min(sides) / 2, rel=NEAR)


def test_walls_of_an_open_cylinder():
    body = lw.cylinder(12, 40, step="c")

    def hollow(value):
        return lw.shell(body, value, open=body.face("c/top"))

    assert limit_of(hollow, 14) == pytest.approx(12, rel=NEAR)


@pytest.mark.parametrize(("side", "height"), [(20, 40), (30, 12)])
def test_drafts_meet_in_a_tip(side, height):
    """Four walls lean until they meet at the top."""
    body = lw.move(lw.box(side, side, height, step="b"), -side / 2, -side / 2, 0)
    steepest = math.degrees(math.atan2(side / 2, height))

    def leaning(angle):
        return lw.draft(body, body.faces("b/side"), angle, lw.XY)

    tip = leaning(steepest * 0.999).volume
    assert tip == pytest.approx(side * side * height / 3, rel=0.01)
    pyramid = leaning(steepest * 1.2)
    assert pyramid.bounds[1][2] == pytest.approx(side / 2 / math.tan(math.radians(1.2 * steepest)), rel=1e-9)


# ---------------------------------------------------------------------- what else is told


def test_a_refusal_names_edge_and_face():
    body = studs(3, 2, 12)
    with pytest.raises(
        lw.ModellingError, match=r'for the edge near \(.*\), between "stud/side" and "stud/top"'
    ):
        lw.fillet(body, body.edges("stud/top"), 5)


def test_sizes_for_groups_are_scaled_together():
    """Radii 9 and 3 on opposite edges of a top of 8: with two thirds of them their contacts meet."""
    body = box(40, 8, 20)
    edges = [body.edge("b/top", "b/side:front"), body.edge("b/top", "b/side:back")]
    with pytest.raises(lw.ModellingError, match=r"all of them times (0\.\d+) works") as refusal:
        lw.fillet(body, edges, [9, 3])
    assert refusal.value.limit == pytest.approx(2 / 3, rel=NEAR)
    factor = refusal.value.limit
    assert lw.fillet(body, edges, [9 * factor, 3 * factor]).is_valid


@pytest.mark.parametrize("digits", [3.0, 2.5, 1.25, 1.003])
def test_limits_round_and_not_so_round(digits):
    """A slot of any width takes a full round, and hardly more."""
    body = lw.cut(box(), lw.move(lw.box(60, 2 * digits, 40), -5, 15 - digits, 12))

    def rounded(size):
        return lw.fillet(body, body.edges().concave(), size)

    assert limit_of(rounded, 7) == pytest.approx(digits, rel=NEAR)


@pytest.mark.parametrize("beyond", [3e-6, 1e-4, 1e-2])
def test_an_arc_that_hardly_crosses_a_border(beyond):
    """A contact circle of 14 and the radius, in a wall that ends 15 from its middle."""
    body, edges, _ = random_union(64)
    assert lw.fillet(body, edges, 1 - beyond).is_valid
    with pytest.raises(lw.ModellingError, match="would cross"):
        lw.fillet(body, edges, 1 + beyond)


@pytest.mark.parametrize("blend", [lw.fillet, lw.chamfer])
@pytest.mark.parametrize("width", [0.7313, 2.0171, 6.4049, 11.9999])
def test_both_edges_of_a_rib_up_to_half_its_width(blend, width):
    """Told to four digits for odd widths too."""
    ribs = [lw.move(lw.box(30, width, 9, step=f"rib {k}"), 0, 15 + 25 * k, 5) for k in range(2)]
    body = lw.union(lw.box(30, 60, 5, step="plate"), *ribs)
    tops = body.edges("rib 0/top").parallel(lw.X)

    def blended(size):
        return blend(body, tops, size)

    assert limit_of(blended, width) == pytest.approx(width / 2, rel=NEAR)
    refused_above(blended, width / 2)
