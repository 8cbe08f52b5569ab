"""Offset regions: closed forms, splitting, vanishing, and fine polygons beside them."""

import math

import numpy as np
import pytest
import shapely
from hypothesis import example, given, settings
from hypothesis import strategies as st

import lathwick as lw


def outline(points: list[tuple[float, float]]) -> lw.Region:
    sk = lw.Sketch()
    sk.polyline(points, close=True, name="edge")
    return sk.regions()[0]


BAR = outline([(0, 0), (20, 0), (20, 10), (0, 10)])
ANGLE = outline([(0, 0), (20, 0), (20, 6), (6, 6), (6, 20), (0, 20)])
DUMBBELL = outline(
    [
        (0, 0),
        (10, 0),
        (10, 4),
        (20, 4),
        (20, 0),
        (30, 0),
        (30, 10),
        (20, 10),
        (20, 6),
        (10, 6),
        (10, 10),
        (0, 10),
    ]
)


@pytest.mark.parametrize("d", [0.5, 2, 7])
def test_outwards_corners_become_arcs(d):
    """A convex outline grows by perimeter times distance and a disc."""
    grown = BAR.offset(d)
    assert grown.area == pytest.approx(200 + 60 * d + math.pi * d * d, rel=1e-12)
    assert grown.perimeter == pytest.approx(60 + math.tau * d, rel=1e-12)
    assert len(grown.outer.pieces) == 8
    back = grown.offset(-d)
    assert back.area == pytest.approx(200, rel=1e-9)


@pytest.mark.parametrize("d", [0.5, 2, 4.9])
def test_inwards_corners_stay_sharp(d):
    """A rectangle shrinks to a rectangle."""
    less = BAR.offset(-d)
    assert less.area == pytest.approx((20 - 2 * d) * (10 - 2 * d), rel=1e-12)
    assert len(less.outer.pieces) == 4


def test_inner_corner_opens_inwards():
    """The inner corner of an angle is rounded when the outline moves inwards."""
    d = 1.5
    less = ANGLE.offset(-d)
    legs = 2 * (20 - 2 * d) * (6 - 2 * d) - (6 - 2 * d) ** 2
    assert less.area == pytest.approx(legs + (1 - math.pi / 4) * d * d, rel=1e-12)
    assert sum(p.length for p in less.outer.pieces if p.curvature) == pytest.approx(d * math.pi / 2)


def test_splits_and_then_vanishes():
    """A dumbbell falls into its two ends, then into nothing."""
    assert len(DUMBBELL.offset(-0.9).patches) == 1
    two = DUMBBELL.offset(-1.5)
    assert len(two.patches) == 2
    assert two.area == pytest.approx(2 * 49, rel=0.02)
    with pytest.raises(lw.SketchError, match=r"nothing is left of the region offset by -5\.5"):
        DUMBBELL.offset(-5.5)
    assert lw.extrude(two, 1).lumps == 2


def test_holes_grow_and_close():
    """A ring: inwards the hole grows until the wall is gone, outwards it shrinks and closes."""
    sk = lw.Sketch()
    sk.circle((0, 0), 10)
    sk.circle((0, 0), 4)
    (ring,) = sk.regions()
    assert ring.offset(-1).area == pytest.approx(math.pi * (81 - 25), rel=1e-13)
    assert ring.offset(3).area == pytest.approx(math.pi * (169 - 1), rel=1e-13)
    assert ring.offset(5).area == pytest.approx(math.pi * 225, rel=1e-13)
    with pytest.raises(lw.SketchError, match="nothing is left"):
        ring.offset(-3.1)


def test_arcs_shrink_through_their_center():
    """Rounded corners smaller than the offset become sharp; larger ones stay concentric arcs."""
    sk = lw.Sketch()
    box = sk.rectangle(40, 20)
    sk.round(box.corners, 3)
    (plate,) = sk.regions()
    assert plate.offset(-2).area == pytest.approx(36 * 16 - (4 - math.pi), rel=1e-12)
    assert plate.offset(-5).area == pytest.approx(30 * 10, rel=1e-12)


def test_only_lines_and_arcs():
    """A spline has no exact offset, and says so."""
    sk = lw.Sketch()
    sk.ellipse((0, 0), 5, 3, name="oval")
    with pytest.raises(lw.SketchError, match=r"oval is no line or arc"):
        sk.regions()[0].offset(1)
    with pytest.raises(lw.SketchError, match="finite"):
        BAR.offset(float("nan"))


@settings(max_examples=120, deadline=None)
@given(st.integers(0, 10**6), st.integers(3, 9), st.floats(-3, 3).map(lambda d: round(d, 2)))
@example(1618, 9, 0.03)  # a corner of nearly half a turn
def test_random_outlines_agree_with_fine_buffers(seed, corners, distance):
    """Star-shaped polygons, grown and shrunk, against buffers with arcs of 512 chords a quarter."""
    random = np.random.default_rng(seed)
    angles = (np.arange(corners) + random.uniform(0.1, 0.9, corners)) / corners * math.tau
    reach = random.uniform(2, 9, corners)
    points = [(r * math.cos(a), r * math.sin(a)) for a, r in zip(angles, reach, strict=True)]
    polygon = shapely.Polygon(points)
    if not polygon.is_valid or polygon.area < 1e-2:
        return
    expected = polygon.buffer(distance, quad_segs=512).area
    try:
        area = outline(points).offset(distance).area
    except lw.SketchError as error:
        assert "nothing is left" in str(error) or "cross or touch" in str(error)
        assert expected < 1e-3 or "cross" in str(error)
        return
    assert area == pytest.approx(expected, rel=1e-4, abs=1e-4)
