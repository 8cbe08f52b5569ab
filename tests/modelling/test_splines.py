"""Ellipses and splines, from the sketch to STEP: exact measures, whole faces, sound files."""

import math

import numpy as np
import pyogrio
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import trapezoid
from scipy.special import ellipe

import lathwick as lw
from lathwick.geometry.spline import SplineCurve, interpolated, through_controls
from lathwick.sketch.plane_curves import PlaneSpline


def ellipse(major: float, minor: float, angle: float = 0.0, x: float = 0.0, y: float = 0.0) -> lw.Region:
    sk = lw.Sketch()
    sk.ellipse((x, y), major, minor, angle=angle, name="oval")
    return sk.regions()[0]


def circumference(a: float, b: float) -> float:
    long, short = max(a, b), min(a, b)
    return 4 * long * float(ellipe(1 - (short / long) ** 2))


@pytest.mark.parametrize(("a", "b"), [(10, 6), (6, 10), (5, 5), (100, 1)])
@pytest.mark.parametrize("angle", [0, 37, 90])
def test_elliptic_plate_has_closed_form_measures(a, b, angle):
    """Area, perimeter, volume and surface by the elliptic integral; one face round the rim."""
    region = ellipse(a, b, angle, 3, -4)
    assert region.area == pytest.approx(math.pi * a * b, rel=1e-13)
    assert region.perimeter == pytest.approx(circumference(a, b), rel=1e-13)
    assert region.centroid == pytest.approx((3, -4), abs=1e-11)
    body = lw.extrude(region, 5)
    assert body.volume == pytest.approx(5 * math.pi * a * b, rel=1e-12)
    assert body.area == pytest.approx(2 * math.pi * a * b + 5 * circumference(a, b), rel=1e-12)
    assert (len(body.faces()), len(body.edges()), len(body.vertices())) == (3, 2, 0)
    assert {edge.kind for edge in body.edges()} == {"ellipse"}


def test_bounds_of_curved_edges_are_exact():
    """The box of a turned ellipse and of a spline touches the curve."""
    a, b, turn = 10, 6, math.radians(30)
    (low, high) = lw.extrude(ellipse(a, b, 30), 1).bounds
    assert high[0] == pytest.approx(math.hypot(a * math.cos(turn), b * math.sin(turn)), rel=1e-14)
    assert low[1] == pytest.approx(-math.hypot(a * math.sin(turn), b * math.cos(turn)), rel=1e-14)
    sk = lw.Sketch()
    spline = sk.spline([(0, 0), (8, -2), (12, 5), (3, 9), (-3, 5)], close=True)
    low, high = lw.extrude(sk.regions(), 1).bounds
    fine = spline.curve().points(np.linspace(0, 1, 200_001))
    assert np.allclose([low[:2], high[:2]], [fine.min(axis=0), fine.max(axis=0)], atol=1e-8)


@pytest.mark.parametrize("closed", [False, True])
def test_spline_runs_through_its_points(closed):
    """It interpolates, is smooth to the second derivative, and natural or periodic at its ends."""
    points = np.array([(0, 0), (3, 1), (4, 4), (0, 5), (-2, 2)], dtype=float)
    curve = interpolated(points, closed)
    at = curve.nearest(points)
    assert np.abs(curve.points(at) - points).max() < 1e-13
    inner = np.array([k for k in dict.fromkeys(curve.knots) if 0 < k < 1])
    h = 1e-9
    for of in (curve.points, curve.derivatives, curve.second):
        assert np.abs(of(inner + h) - of(inner - h)).max() < 1e-4
    ends = curve.second(np.array([0.0, 1.0]))
    if closed:
        assert np.allclose(*curve.derivatives(np.array([0.0, 1.0])))
        assert np.allclose(*ends)
    else:
        assert np.abs(ends).max() < 1e-9


def test_control_points_shape_a_curve_inside_their_polygon():
    """A spline over control points starts and ends at the outer ones and stays in their hull."""
    controls = np.array([(0, 0), (1, 6), (6, 7), (9, 0), (12, 3)], dtype=float)
    curve = through_controls(controls)
    points = curve.points(np.linspace(0, 1, 500))
    assert np.array_equal(points[[0, -1]], controls[[0, -1]])
    hull = shapely.MultiPoint(controls).convex_hull.buffer(1e-9)
    assert hull.contains(shapely.MultiPoint(points))


def test_spline_points_can_be_constrained():
    """The points of a spline are points like others: dimensioned, they define it fully."""
    sk = lw.Sketch()
    top = sk.spline([(0, 0), (4, 4), (11, 1)], name="top")
    base = sk.line(top.end, top.start, name="base")
    sk.coincident(top.start, sk.origin)
    sk.horizontal(base)
    sk.length(base, 10)
    sk.distance_x(sk.origin, top.through[1], 5)
    height = sk.distance_y(sk.origin, top.through[1], 3)
    assert sk.solve().is_fully_defined
    (region,) = sk.regions()
    first = region.area
    height.value = 6
    (region,) = sk.regions()
    assert region.area > first
    assert region.centroid[0] == pytest.approx(5, abs=1e-12)
    body = lw.extrude(region, 2, step="vane")
    assert body.face("vane/side:top").kind == "spline"
    assert body.volume == pytest.approx(2 * region.area, rel=1e-13)
    assert len(body.faces()) == 4


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 10**6), st.integers(4, 9))
def test_spline_outlines_agree_with_fine_polygons(seed, corners):
    """Area, centroid, perimeter and what is inside, against 40,000 chords."""
    random = np.random.default_rng(seed)
    angles = (np.arange(corners) + random.uniform(0.2, 0.8, corners)) / corners * math.tau
    reach = random.uniform(5, 8, corners)
    sk = lw.Sketch()
    spline = sk.spline(np.column_stack([reach * np.cos(angles), reach * np.sin(angles)]).tolist(), close=True)
    fine = shapely.Polygon(spline.curve().points(np.linspace(0, 1, 40_001)))
    (region,) = sk.regions()
    assert region.area == pytest.approx(fine.area, rel=1e-6)
    assert region.perimeter == pytest.approx(fine.length, rel=1e-6)
    assert region.centroid == pytest.approx((fine.centroid.x, fine.centroid.y), abs=1e-5)
    for spot in random.uniform(-8, 8, (25, 2)).tolist():
        assert region.contains(tuple(spot)) == fine.contains(shapely.Point(spot))


def test_crossing_ellipses_and_splines_make_cells():
    """Sum of cells, and inclusion and exclusion of combined regions, to rounding."""
    one, two = ellipse(10, 6), ellipse(4, 9, 20, 3, 1)
    both, either = one & two, one + two
    assert either.area + both.area == pytest.approx(one.area + two.area, rel=1e-9)
    assert (one - two).area + both.area == pytest.approx(one.area, rel=1e-9)
    assert len((one - two).patches) == 2
    sk = lw.Sketch()
    sk.ellipse((0, 0), 10, 6)
    sk.spline([(-12, -2), (-4, 3), (4, -3), (12, 2)])
    cells = sk.cells()
    assert math.fsum(c.area for c in cells) == pytest.approx(60 * math.pi, rel=1e-9)
    assert len(cells) == 2
    with pytest.raises(lw.SketchError, match=r"cross or touch|ends free"):
        sk.regions()


def shapes() -> dict[str, lw.Body]:
    sk = lw.Sketch(lw.XZ, unit="in")
    sk.spline([(0, 0), (8, -2), (12, 5), (3, 9), (-3, 5)], close=True, name="cam")
    sk.ellipse((4, 3), 2, 1, angle=20, name="slot")
    open_sk = lw.Sketch(lw.Plane((1, 2, 3), (1, 1, 2)))
    top = open_sk.spline([(0, 0), (5, 3), (10, 0)], control=True)
    open_sk.polyline([top.end, (10, -4), (0, -4), top.start])
    return {
        "cam": lw.extrude(sk.regions(), 4, back=1),
        "vane": lw.extrude(open_sk.regions(), 4),
        "crescents": lw.extrude(ellipse(10, 6) - ellipse(4, 9, 20, 3, 1), 2),
    }


@pytest.mark.parametrize("name", shapes())
def test_files_of_spline_parts_are_sound(name, tmp_path, outside_check):
    """STEP as B-spline faces and conics, STL at every tolerance; the mesh converges."""
    body = shapes()[name]
    assert body.check() == ()
    for schema in ("ap242", "ap214"):
        lw.save(body, tmp_path / "part.step", schema=schema)
        outside_check(tmp_path / "part.step")
    text = (tmp_path / "part.step").read_text()
    assert "B_SPLINE_SURFACE_WITH_KNOTS" in text
    assert ("ELLIPSE(" in text) == (name != "vane")
    errors = []
    for chord in (1.0, 0.1, 0.01, 1e-3):
        lw.save(body, tmp_path / "part.stl", chord=chord, angle=40)
        outside_check(tmp_path / "part.stl")
        errors.append(abs(lw.read_mesh(tmp_path / "part.stl").volume / body.volume - 1))
    assert errors[-1] < 1e-4
    assert errors[-1] < 0.1 * errors[0]


@pytest.mark.parametrize(
    ("draw", "words"),
    [
        (lambda sk: sk.spline([(0, 0)]), "at least 2 points"),
        (lambda sk: sk.spline([(0, 0), (1, 1)], close=True), "at least 3 points"),
        (lambda sk: sk.spline([(0, 0), (0, 0), (1, 1)]), "no length"),
        (lambda sk: sk.spline([(0, 0), (2, 0), (1, 1)], close=True, control=True), "cannot be closed"),
        (lambda sk: sk.ellipse((0, 0), 0, 1), "more than"),
    ],
)
def test_impossible_curves_are_refused(draw, words):
    """Too few points, points that coincide, axes without length."""
    with pytest.raises(lw.SketchError, match=words):
        draw(lw.Sketch())


@pytest.mark.parametrize("closed", [False, True])
def test_part_of_a_spline_is_a_spline_of_its_own(closed):
    """Cut anywhere, at knots and at the ends too, the part runs along the whole."""
    random = np.random.default_rng(3)
    made = interpolated(random.normal(size=(7, 2)) * 5, closed)
    whole = PlaneSpline(made.degree, made.knots, made.controls)
    stops = sorted({0.0, 0.13, 0.77, 1.0, *list(dict.fromkeys(made.knots))[1:4]})
    for i, a in enumerate(stops):
        for b in stops[i + 1 :]:
            t = np.linspace(a, b, 40)
            assert np.abs(whole.between(a, b).points(t) - whole.points(t)).max() < 1e-12


def walls_and_wave() -> lw.Sketch:
    """A spline that runs across two walls and beyond them."""
    sk = lw.Sketch()
    sk.spline([(-4, 3), (2, 5), (8, 4), (14, 7)], name="wave")
    sk.polyline([(0, 9), (0, 0), (10, 0), (10, 9)], name="walls")
    return sk


def test_part_between_crossings_is_what_is_made_and_exported(tmp_path):
    """A picked part takes of a crossing spline only what bounds it: area, solid, DXF and STEP."""
    sk = walls_and_wave()
    region = sk.region(containing=(5, 1))
    x, y = sk["wave"].curve().points(np.linspace(0, 1, 200_001)).T
    inside = (x >= 0) & (x <= 10)
    assert region.area == pytest.approx(trapezoid(y[inside], x[inside]), rel=1e-4)
    assert lw.extrude(region, 2).volume == pytest.approx(2 * region.area, rel=1e-13)
    lw.save(region, tmp_path / "part.dxf")
    _, _, geometry, _ = pyogrio.raw.read(tmp_path / "part.dxf")
    length = sum(line.length for line in shapely.from_wkb(geometry))
    assert length == pytest.approx(region.perimeter, rel=2e-3)


def test_trims_at_a_spline_hold_when_it_moves():
    """Walls are cut at the wave and the wave at the walls; the part left is the one that was picked."""
    sk = walls_and_wave()
    picked = sk.region(containing=(5, 1)).area
    sk.trim(sk["wave"], (-3, 3.5))
    sk.trim(sk["wave"], (13, 6))
    sk.trim(sk["walls"].lines[0], (0, 8))
    sk.trim(sk["walls"].lines[2], (10, 8))
    (region,) = sk.regions()
    assert region.area == pytest.approx(picked, rel=1e-9)
    sk.fix(*sk["walls"].vertices)
    sk.distance_y(sk["wave"].through[2], sk.x_axis.start, 6)
    wave, lines = sk["wave"], sk["walls"].lines
    (moved,) = sk.regions()
    assert moved.area != pytest.approx(picked, rel=1e-3)
    assert moved.area == pytest.approx(sk.region(containing=(5, 1)).area, rel=1e-12)
    for line in (lines[0], lines[2]):
        cut = next(p for span in line.spans for p in span if "wave" in p.name)
        spot = wave.curve().points(np.array([wave.curve().at(cut.position)]))[0]
        assert math.dist(spot, cut.position) < 1e-9


def test_extend_and_split_at_a_spline():
    """A line is lengthened to a spline; a spline is divided where it is picked."""
    sk = walls_and_wave()
    end = sk.extend(sk.line((5, 2), (5, 3)), (5, 3))
    assert end.y == pytest.approx(4.5, abs=0.5)
    point = sk.split(sk["wave"], (3, 5))
    assert len(sk["wave"].spans) == 2
    assert sk.solve().is_solved
    assert math.dist(point.position, (3, 5)) < 0.2


def test_curves_are_mirrored_and_repeated():
    """Splines and ellipses follow their originals."""
    sk = lw.Sketch()
    half = sk.spline([(0, 8), (5, 6), (6, 0)], name="half")
    oval = sk.ellipse((3, 3), 1.5, 0.5, angle=20, name="oval")
    sk.mirror([half, oval], sk.y_axis)
    sk.line(half.end, sk["half.mirror"].end)
    (region,) = sk.regions()
    assert len(region.holes) == 2
    assert region.centroid[0] == pytest.approx(0, abs=1e-12)
    (row,) = sk.copies(oval, 2, about=sk.origin, angle=30)
    assert row[0].major == pytest.approx(1.5)


def test_closed_curves_may_be_passed_round_more_than_once():
    """On every round a closed spline has the same knots and extremes, wherever it begins."""
    places = np.column_stack([[5, 1, -4, -2, 3], [0, 4, 2, -3, -4], [0, 1, 0, 2, 1]]).astype(float)
    made = interpolated(places, closed=True)
    curve = SplineCurve(made.degree, made.knots, made.controls)
    first = [curve.breaks(0.0, 1.0), curve.extremes(0.0, 1.0)]
    for start in (0.0, 1.0, 2.0):
        assert curve.breaks(start, start + 1.0) == pytest.approx([t + start for t in first[0]])
        assert curve.extremes(start + 1e-9, start + 1.0) == pytest.approx([t + start for t in first[1]])
    across = curve.breaks(1.4, 2.6)
    assert across[1:-1] == pytest.approx([t + k for k in (1, 2) for t in first[0][:-1] if 1.4 < t + k < 2.6])
    assert curve.length(1.4, 2.4) == pytest.approx(curve.length(0.0, 1.0), rel=1e-12)
