"""Overlapping curves: cells picked by a point, and regions combined exactly."""

import math

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import quad

import lathwick as lw
from lathwick.geometry.tolerance import JOIN


def box(x: float, y: float, w: float, h: float) -> lw.Region:
    sk = lw.Sketch()
    sk.rectangle(w, h, corner=(x, y), name="box")
    return sk.regions()[0]


def disc(x: float, y: float, r: float) -> lw.Region:
    sk = lw.Sketch()
    sk.circle((x, y), r, name="disc")
    return sk.regions()[0]


def lens(r: float, d: float) -> float:
    """Area common to two circles of radius r at a distance d."""
    return 2 * r * r * math.acos(d / (2 * r)) - d / 2 * math.sqrt(4 * r * r - d * d)


def test_three_overlapping_circles_have_seven_cells():
    """Every cell is found once; together they are the union."""
    sk = lw.Sketch()
    for k in range(3):
        a = k * math.tau / 3
        sk.circle((5 * math.cos(a), 5 * math.sin(a)), 8)
    cells = sk.cells()
    assert len(cells) == 7
    middle = sk.region(containing=(0, 0))
    assert len(middle.outer.pieces) == 3
    single = math.pi * 64
    triple = middle.area
    pairs = 3 * lens(8, 5 * math.sqrt(3))
    assert math.fsum(c.area for c in cells) == pytest.approx(3 * single - pairs + triple, rel=1e-12)


def test_no_trimming_is_needed():
    """A grid of construction-like lines that overshoot: the picked part has four whole sides."""
    sk = lw.Sketch()
    for k in range(4):
        sk.line((-3, 5 * k), (30, 5 * k + 0.001 * 0), name=f"row{k}")
        sk.line((7 * k, -2), (7 * k, 40), name=f"column{k}")
    picked = sk.region(containing=(10, 7))
    assert picked.area == pytest.approx(35)
    assert {p.name for p in picked.outer.pieces} == {"row1", "row2", "column1", "column2"}
    assert len(sk.cells()) == 9
    body = lw.extrude(picked, 2, step="bar")
    assert body.face("bar/side:row1").area == pytest.approx(14)
    with pytest.raises(lw.SketchError, match=r"pick a part with region\(containing="):
        sk.regions()


def test_point_in_a_hole_picks_what_fills_it():
    """A circle in a square: inside it the disc, around it the square less the disc."""
    sk = lw.Sketch()
    sk.rectangle(20, 20)
    sk.circle((0, 0), 5)
    assert sk.region(containing=(1, 1)).area == pytest.approx(25 * math.pi)
    assert sk.region(containing=(9, 9)).area == pytest.approx(400 - 25 * math.pi)
    with pytest.raises(lw.SketchError, match="no region contains"):
        sk.region(containing=(11, 0))


def test_loose_ends_and_bridges_bound_nothing():
    """A line that joins two islands, and one that ends inside, change no cell."""
    sk = lw.Sketch()
    sk.circle((0, 0), 3)
    sk.circle((20, 0), 3)
    sk.line((0, 0), (20, 0), name="bridge")
    sk.line((20, 0), (20, 1), name="stub")
    cells = sk.cells()
    assert sorted(c.area for c in cells) == pytest.approx([9 * math.pi] * 2)


@pytest.mark.parametrize(
    ("one", "two", "areas"),
    [
        (box(0, 0, 10, 10), box(5, 5, 10, 10), (175, 75, 25)),
        (box(0, 0, 10, 10), box(10, 0, 10, 10), (200, 100, None)),  # side by side
        (box(0, 0, 10, 10), box(10, 2, 5, 5), (125, 100, None)),  # part of a side in common
        (box(0, 0, 10, 10), box(0, 0, 4, 4), (100, 84, 16)),  # a corner in common
        (box(0, 0, 10, 10), box(2, 2, 4, 4), (100, 84, 16)),  # one inside the other
        (box(0, 0, 10, 10), box(0, 0, 10, 10), (100, None, 100)),  # the same
        (box(0, 0, 10, 10), disc(10, 5, 3), (100 + 4.5 * math.pi, 100 - 4.5 * math.pi, 4.5 * math.pi)),
        (box(0, 0, 10, 10), disc(5, 5, 5), (100, 100 - 25 * math.pi, 25 * math.pi)),  # tangent inside
        (box(0, 0, 10, 10), disc(15, 5, 5), (100 + 25 * math.pi, 100, None)),  # tangent outside
        (disc(0, 0, 5), disc(6, 0, 5), (50 * math.pi - lens(5, 6), 25 * math.pi - lens(5, 6), lens(5, 6))),
        (disc(0, 0, 5), disc(0, 0, 3), (25 * math.pi, 16 * math.pi, 9 * math.pi)),
        (disc(0, 0, 5), disc(2, 0, 3), (25 * math.pi, 16 * math.pi, 9 * math.pi)),  # tangent inside
        (disc(0, 0, 5), box(20, 0, 1, 1), (25 * math.pi + 1, 25 * math.pi, None)),  # far apart
    ],
)
def test_combined_regions_have_closed_form_areas(one, two, areas):
    """Union, difference and common part, with all the coincidences of drawings."""
    for combine, area in zip((lw.Region.__add__, lw.Region.__sub__, lw.Region.__and__), areas, strict=True):
        if area is None:
            with pytest.raises(lw.SketchError, match="nothing is left"):
                combine(one, two)
        else:
            assert combine(one, two).area == pytest.approx(area, rel=1e-12)


def test_joined_sides_are_whole_again():
    """Boxes side by side make one box of four sides; a disc put back into its hole leaves no trace."""
    long = box(0, 0, 10, 10) + box(10, 0, 10, 10)
    assert len(long.outer.pieces) == 4
    plate = box(0, 0, 10, 10) - disc(5, 5, 2)
    assert [len(loop.pieces) for loop in plate.loops] == [4, 1]
    assert (plate + disc(5, 5, 2)).loops[0].signed_area == pytest.approx(100)
    assert len((plate + disc(5, 5, 2)).pieces) == 4
    body = lw.extrude(plate, 3)
    assert (len(body.faces()), len(body.edges())) == (7, 14)


def test_cut_into_separate_patches():
    """A bar cut in two extrudes to two lumps; its measures are those of both."""
    rest = box(0, 0, 10, 2) - box(4, -1, 2, 4)
    assert len(rest.patches) == 2
    assert rest.centroid == pytest.approx((5, 1))
    assert rest.perimeter == pytest.approx(24)
    assert lw.extrude(rest, 1).lumps == 2
    with pytest.raises(lw.SketchError, match="2 separate patches"):
        _ = rest.outer
    with pytest.raises(lw.SketchError, match="different planes"):
        _ = rest + lw.Region(rest.patches, lw.XZ, "mm")


def rounded(value: float) -> float:
    """Two decimals: what lies within the resolution of each other is joined, and is tested by itself."""
    return round(value, 2)


@st.composite
def shapes(draw: st.DrawFn) -> tuple[lw.Region, shapely.Polygon]:
    """A box or a disc, on a coarse lattice half of the time, and the same made of chords."""
    lattice = draw(st.booleans())
    number = st.integers(-4, 4).map(float) if lattice else st.floats(-4, 4).map(rounded)
    size = st.integers(1, 5).map(float) if lattice else st.floats(0.3, 5).map(rounded)
    x, y = draw(number), draw(number)
    if draw(st.booleans()):
        w, h = draw(size), draw(size)
        return box(x, y, w, h), shapely.box(x, y, x + w, y + h)
    r = draw(size)
    t = np.linspace(0, math.tau, 20001)
    return disc(x, y, r), shapely.Polygon(np.column_stack([x + r * np.cos(t), y + r * np.sin(t)]))


@pytest.mark.parametrize("height", [1.00195, 1.001, 1.0001, 1.003])
def test_places_within_the_resolution_are_joined(height):
    """A circle that passes a box's corner by a few microns or less: one place or two, the area holds to
    the resolution times the outline."""
    whole = box(0, 0, 1, 1) + disc(0, height, 1)
    inside = quad(lambda y: math.sqrt(1 - (y - height) ** 2), height - 1, 1, epsabs=1e-12)[0]
    expected = 1 + math.pi - inside
    assert whole.area == pytest.approx(expected, abs=JOIN * whole.perimeter)
    assert lw.extrude(whole, 2).volume == pytest.approx(2 * expected, abs=2 * JOIN * whole.perimeter)


def test_arc_that_comes_half_way_across_a_box():
    """The places tried first in what is left of the box lie on the chord of the arc and on the arc."""
    strip, cutter = box(-4, -4, 1, 4), disc(0, -2, 3.5)
    half = math.sqrt(3.5**2 - 3**2)
    segment = 3.5**2 * math.asin(half / 3.5) - 3 * half
    assert (strip & cutter).area == pytest.approx(segment, rel=1e-12)
    assert (strip - cutter).area == pytest.approx(4 - segment, rel=1e-12)


@settings(max_examples=150, deadline=None)
@given(st.lists(st.tuples(shapes(), st.sampled_from("+-&")), min_size=2, max_size=6))
def test_random_combinations_agree_with_fine_polygons(steps):
    """Chains of up to six boxes and discs, many coincident, against polygons of 20,000 chords."""
    ours, theirs = steps[0][0]
    signs = {
        "+": (lw.Region.__add__, shapely.union),
        "-": (lw.Region.__sub__, shapely.difference),
        "&": (lw.Region.__and__, shapely.intersection),
    }
    for (region, polygon), sign in steps[1:]:
        exact, fine = signs[sign]
        expected = fine(theirs, polygon)
        try:
            result = exact(ours, region)
        except lw.SketchError as error:
            assert "nothing is left" in str(error)
            assert expected.area < 1e-4
            return
        assert result.area == pytest.approx(expected.area, abs=1e-4)
        ours, theirs = result, expected
    assert ours.perimeter >= math.sqrt(4 * math.pi * ours.area) * (1 - 1e-9)
    if ours.area > 1e-3:
        assert lw.extrude(ours, 2).volume == pytest.approx(2 * ours.area, rel=1e-9)
