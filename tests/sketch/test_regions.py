"""Regions: holes and nesting found, and every trouble refused with its place."""

import math

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

import lathwick as lw


def refusal(sk: lw.Sketch) -> lw.SketchError:
    with pytest.raises(lw.SketchError) as caught:
        sk.regions()
    return caught.value


def test_holes_and_islands_nest():
    """A ring in a hole in a plate: two regions, each with its hole."""
    sk = lw.Sketch()
    sk.rectangle(40, 40)
    for radius in (15, 10, 5):
        sk.circle((0, 0), radius)
    plate, ring = sk.regions()
    assert plate.area == pytest.approx(1600 - 225 * math.pi)
    assert ring.area == pytest.approx(75 * math.pi)
    assert len(plate.holes) == len(ring.holes) == 1


def test_curves_close_in_any_order_and_direction():
    """Separate curves that only meet at their ends make one loop."""
    sk = lw.Sketch()
    sk.line((10, 0), (0, 0))
    sk.arc((10, 5), (10, 0), (10, 10))
    sk.line((0, 10), (10, 10))
    sk.line((0, 0), (0, 10))
    (region,) = sk.regions()
    assert region.area == pytest.approx(100 + 12.5 * math.pi, rel=1e-14)
    assert region.perimeter == pytest.approx(30 + 5 * math.pi, rel=1e-14)


def test_construction_geometry_bounds_nothing():
    """Construction lines may cross the profile."""
    sk = lw.Sketch()
    sk.circle((0, 0), 5)
    sk.line((-9, -9), (9, 9), construction=True)
    sk.circle((3, 0), 5, construction=True)
    sk.point((1, 1))
    assert len(sk.regions()) == 1


def test_region_by_a_point_inside():
    """`region` picks the one around a point."""
    sk = lw.Sketch()
    sk.circle((0, 0), 5, name="left")
    sk.circle((20, 0), 3, name="right")
    assert sk.region(containing=(20, 1)).area == pytest.approx(9 * math.pi)
    with pytest.raises(lw.SketchError, match=r"no region contains \(10, 0\)"):
        sk.region(containing=(10, 0))


def test_gap_is_told_with_its_place_and_size():
    """An open profile names both ends and the gap between them."""
    sk = lw.Sketch()
    sk.polyline([(0, 0), (10, 0), (10, 8), (0.3, 8)], name="walls")
    sk.line((0, 7.6), (0, 0), name="last")
    error = refusal(sk)
    assert "walls.3 ends free at (0.3, 8), a gap of 0.5 to the end of last at (0, 7.6)" in str(error)
    assert error.places == ((0.3, 8.0), (0.0, 7.6))


@pytest.mark.parametrize(
    ("draw", "words"),
    [
        (lambda sk: sk.line((0, 0), (20, 0), name="twin"), "twin is a duplicate of box.1"),
        (lambda sk: sk.line((5, 0), (15, 0), name="on it"), "overlap"),
        (lambda sk: sk.line((-5, 5), (25, 5), name="across"), r"cross or touch at \(20, 5\)"),
        (lambda sk: sk.circle((20, 5), 3, name="ring"), r"cross or touch at \(20, 2\)"),
        (lambda sk: sk.circle((10, 5), 5, name="ring"), r"cross or touch at \(10, 0\)"),
        (lambda sk: sk.line((10, 0), (10, 10), name="web"), "web ends on box.1 between its ends"),
        (lambda sk: sk.line((20, 10), (30, 20), name="tail"), "3 curves meet|ends free"),
        (lambda sk: sk.line((20, 10), (0, 0), name="diagonal"), "3 curves meet"),
        (lambda sk: sk.line((30, 0), (40, 0), name="stray"), "stray ends free"),
    ],
)
def test_troubled_profiles_are_refused(draw, words):
    """Duplicates, overlaps, crossings, touches, branches and strays are each told with the place."""
    sk = lw.Sketch()
    sk.polyline([(0, 0), (20, 0), (20, 10), (0, 10)], close=True, name="box")
    draw(sk)
    error = refusal(sk)
    with pytest.raises(lw.SketchError, match=words):
        raise error
    assert error.places


def test_duplicate_circles_and_arcs():
    """Circles on circles and arcs on arcs are duplicates or overlaps."""
    sk = lw.Sketch()
    sk.circle((0, 0), 5, name="first")
    sk.circle((0, 0), 5, name="second")
    assert "second is a duplicate of first" in str(refusal(sk))
    sk = lw.Sketch()
    sk.arc((0, 0), (5, 0), (-5, 0), name="a")
    sk.arc((0, 0), (0, 5), (0, -5), name="b")
    assert "a and b overlap" in str(refusal(sk))


def test_two_arcs_of_one_circle_make_a_disc():
    """Arcs that share both ends and lie on one circle do not overlap."""
    sk = lw.Sketch()
    arc = sk.arc((0, 0), (5, 0), (-5, 0))
    sk.arc((0, 0), arc.end, arc.start)
    (region,) = sk.regions()
    assert region.area == pytest.approx(25 * math.pi, rel=1e-14)


def test_tangent_chain_is_no_crossing():
    """Arcs that run smoothly into lines do not count as touching."""
    from ..sketches import CASES, exact

    for case, _ in CASES.values():
        sketch, expected = case(*exact(), 1.0)
        assert sum(r.area for r in sketch.regions()) == pytest.approx(expected, rel=1e-12)


def test_empty_sketch_has_no_profile():
    """A sketch of construction geometry only says so."""
    sk = lw.Sketch()
    sk.line((0, 0), (1, 1), construction=True)
    assert "no curve to bound a profile" in str(refusal(sk))


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 10**6), st.integers(3, 9))
def test_area_and_centroid_against_quadrature(seed, corners):
    """Star-shaped outlines of lines and arcs: Green's theorem agrees with polygons made fine."""
    random = np.random.default_rng(seed)
    angles = np.sort((np.arange(corners) + random.uniform(0.1, 0.9, corners)) / corners) * math.tau
    points = [
        (r * math.cos(a), r * math.sin(a)) for a, r in zip(angles, random.uniform(5, 9, corners), strict=True)
    ]
    sk = lw.Sketch()
    outline = []
    for i, (a, b) in enumerate(zip(points, points[1:] + points[:1], strict=True)):
        if (seed >> i) % 2:
            sk.line(a, b)
            outline.append(np.array([a]))
        else:
            middle = (0.52 * (a[0] + b[0]), 0.52 * (a[1] + b[1]))
            arc = sk.arc_through(a, middle, b)
            t = arc.start_angle + np.linspace(0, 1, 2001)[:-1] * arc.sweep
            center = np.array([arc.center.x, arc.center.y])
            outline.append(center + arc.radius * np.column_stack([np.cos(t), np.sin(t)]))
    (region,) = sk.regions()
    x, y = np.concatenate(outline).T
    cross = x * np.roll(y, -1) - np.roll(x, -1) * y
    area = cross.sum() / 2
    center = (
        ((x + np.roll(x, -1)) * cross).sum() / (6 * area),
        ((y + np.roll(y, -1)) * cross).sum() / (6 * area),
    )
    assert region.area == pytest.approx(area, rel=1e-5)
    assert region.centroid == pytest.approx(center, abs=1e-4)
    fine = shapely.Polygon(np.column_stack([x, y]))
    for spot in random.uniform(-9, 9, (20, 2)).tolist():
        assert region.contains(tuple(spot)) == fine.contains(shapely.Point(spot))


@pytest.mark.parametrize("rise", [1.0, 1e-2, 1e-4])
def test_nearly_flat_arcs_keep_their_digits(rise):
    """A bar whose top bulges by a hair: the bulge's area to many digits, radius up to 2e5."""
    sk = lw.Sketch()
    sk.polyline([(0, 5), (0, 0), (10, 0), (10, 5)])
    arc = sk.arc_through((10, 5), (5, 5 + rise), (0, 5))
    (region,) = sk.regions()
    t = 2 * math.atan2(rise, 5)  # half the angle of the arc
    radius = 5 / math.sin(t)
    bulge = radius**2 * (t**3 * 2 / 3 - t**5 * 2 / 15 + t**7 * 4 / 315 - t**9 * 2 / 2835) if t < 0.1 else (
        radius**2 * (t - math.sin(t) * math.cos(t))
    )  # fmt: skip
    assert arc.radius == pytest.approx(radius, rel=1e-9)
    assert region.area == pytest.approx(50 + bulge, rel=1e-13)
    assert region.centroid[0] == pytest.approx(5, rel=1e-12)
    assert lw.extrude(region, 3).volume == pytest.approx(3 * region.area, rel=1e-11)
