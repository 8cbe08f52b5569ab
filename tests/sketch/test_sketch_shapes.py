"""Convenience shapes stay what they are when they are driven."""

import math

import pytest

import lathwick as lw


def area(sk: lw.Sketch) -> float:
    return math.fsum(region.area for region in sk.regions())


@pytest.mark.parametrize("sides", [3, 4, 6, 7, 24])
@pytest.mark.parametrize("flats", [False, True])
def test_polygon_stays_regular(sides, flats):
    """Four degrees of freedom: place, size and direction; driven by its circle."""
    sk = lw.Sketch()
    nut = sk.polygon(sides, 5, center=(3, 4), angle=10, across_flats=flats, name="nut")
    report = sk.solve()
    assert (report.freedom, report.redundant, report.conflicting) == (4, (), ())
    sk.coincident(nut.center, sk.origin)
    sk.diameter(nut.circle, 16)
    sk.horizontal(nut.lines[0])
    assert sk.solve().is_fully_defined
    half = math.pi / sides
    expected = sides * 64 * (math.tan(half) if flats else math.sin(half) * math.cos(half))
    assert area(sk) == pytest.approx(expected, rel=1e-12)
    assert {round(line.length, 9) for line in nut} == {round(nut.lines[0].length, 9)}
    assert len(lw.extrude(sk.regions(), 2, step="n").faces("n/side:nut")) == sides


@pytest.mark.parametrize("overall", [False, True])
@pytest.mark.parametrize("angle", [0, 35, 90])
def test_slot_stays_a_slot(overall, angle):
    """Five degrees of freedom: place, direction, length and width."""
    sk = lw.Sketch()
    slot = sk.slot(30, 8, center=(1, 2), angle=angle, overall=overall, name="slot")
    long = 22 if overall else 30
    assert area(sk) == pytest.approx(8 * long + 16 * math.pi, rel=1e-12)
    assert sk.solve().freedom == 5
    sk.coincident(slot.center, sk.origin)
    sk.length(slot.axis, 40, name="travel")
    sk.diameter(slot.left, 6, name="width")
    sk.angle(sk.x_axis, slot.axis, angle + 5)
    report = sk.solve()
    assert report.is_fully_defined
    assert area(sk) == pytest.approx(6 * 40 + 9 * math.pi, rel=1e-12)
    body = lw.extrude(sk.regions(), 2, step="s")
    assert len(body.faces("s/side:slot").cylindrical()) == 2
    assert body.face("s/side:slot.left").area == pytest.approx(3 * math.pi * 2)


def test_ellipse_is_driven_by_its_axes():
    """Distances drive the half axes; a point on it stays on it."""
    sk = lw.Sketch()
    oval = sk.ellipse((1, 1), 9, 4, angle=5, name="oval")
    assert sk.solve().freedom == 5
    sk.coincident(oval.center, sk.origin)
    sk.on(oval.tip, sk.x_axis)
    sk.distance(oval.center, oval.tip, 10)
    minor = sk.distance(oval.center, oval.side, 5)
    rider = sk.point((7, 5))
    sk.on(rider, oval)
    sk.distance_x(sk.origin, rider, 6)
    assert sk.solve().is_fully_defined
    assert rider.position == pytest.approx((6, 4), abs=1e-12)
    minor.value = 3
    assert area(sk) == pytest.approx(30 * math.pi, rel=1e-13)
    assert rider.position == pytest.approx((6, 2.4), abs=1e-12)


@pytest.mark.parametrize(
    ("draw", "words"),
    [
        (lambda sk: sk.polygon(2, 5), "3 to 1000 sides"),
        (lambda sk: sk.polygon(6.5, 5), "sides takes a whole number, got 6.5"),
        (lambda sk: sk.slot(8, 8, overall=True), "no more than the width"),
        (lambda sk: sk.slot(8, -1), "more than"),
    ],
)
def test_impossible_shapes_are_refused(draw, words):
    """One sentence each."""
    with pytest.raises(lw.SketchError, match=words):
        draw(lw.Sketch())
