"""Solving: rough drawings become exact, branches stay as drawn."""

import math

import pytest

import lathwick as lw

from ..sketches import exact, rough
from ..textbook import CASES

ROUGH = ("vane", "equilateral", "rhombus", "parallelogram", "dovetail", "sector", "lens", "dome", "kite")
"""Cases that are drawn with some point at a rounded place, which solving moves."""


def area(sketch: lw.Sketch) -> float:
    return sum(region.area for region in sketch.regions())


@pytest.mark.parametrize("name", CASES)
@pytest.mark.parametrize("scale", [1e-2, 1.0, 25.4, 1e3])
def test_exact_drawings_stay(name, scale):
    """A drawing that fulfils its constraints does not move, and is fully defined."""
    case, _ = CASES[name]
    sketch, expected = case(*exact(scale), scale)
    before = [p.position for e in sketch.entities for p in e.points()]
    report = sketch.solve()
    after = [p.position for e in sketch.entities for p in e.points()]
    assert (report.freedom, report.redundant, report.conflicting) == (0, (), ())
    assert area(sketch) == pytest.approx(expected, rel=1e-12)
    if name not in ROUGH:
        assert max(map(math.dist, before, after)) < 1e-9 * scale


@pytest.mark.parametrize("name", CASES)
def test_rough_drawings_become_exact(name):
    """Of 100 drawings with points off by up to 20 % at least 98 solve to the dimensioned shape."""
    case, extent = CASES[name]
    right = 0
    for seed in range(100):
        sketch, expected = case(*rough(seed, 0.2, extent), 1.0)
        report = sketch.solve()
        assert report.is_fully_defined, str(report)
        assert report.max_residual < 1e-11 * max(extent, sketch.extent)
        try:
            right += area(sketch) == pytest.approx(expected, rel=1e-9)
        except lw.SketchError:  # solved to a shape that crosses itself: another branch
            continue
    assert right >= 98


def test_solving_again_changes_nothing():
    """A solved sketch is its own solution, to the last digit or so."""
    sketch, _ = CASES["cam"][0](*rough(3, 0.1, 40.0), 1.0)
    sketch.solve()
    once = list(sketch.variables.values)
    sketch.solve()
    assert sketch.variables.values == pytest.approx(once, abs=1e-12)


def test_minimal_change():
    """What no constraint touches stays where it was drawn."""
    sk = lw.Sketch()
    free = sk.point((3, 4))
    line = sk.line((0, 0), (10, 1))
    sk.horizontal(line)
    sk.solve()
    assert free.position == (3, 4)
    assert (line.start.x, line.end.x) == (0, 10)
    assert line.start.y == line.end.y == 0.5


@pytest.mark.parametrize("side", [1, -1])
def test_distance_keeps_the_side_drawn(side):
    """A positive distance keeps the point on its side of the line or of the other point."""
    sk = lw.Sketch()
    a, b, c = (sk.point((side * 3, side * 4 + k)) for k in range(3))
    sk.distance(a, sk.x_axis, 7)
    sk.distance_x(sk.origin, b, 9)
    sk.distance_y(sk.origin, c, 11)
    sk.solve()
    assert (a.y, b.x, c.y) == pytest.approx((7 * side, 9 * side, 11 * side), abs=1e-12)


def test_negative_distance_is_taken_as_it_is():
    """A negative distance along x puts the second point on the negative side."""
    sk = lw.Sketch()
    p = sk.point((3, 0))
    sk.distance_x(sk.origin, p, -8)
    sk.solve()
    assert p.x == -8


@pytest.mark.parametrize("inside", [True, False])
def test_circles_stay_tangent_as_drawn(inside):
    """Inside or outside tangency is what the drawing shows."""
    sk = lw.Sketch()
    big, small = sk.circle((0, 0), 10), sk.circle((5.5 if inside else 14, 0), 4)
    sk.fix(big)
    sk.radius(small, 3)
    sk.tangent(big, small)
    sk.solve()
    assert math.dist(big.center.position, small.center.position) == pytest.approx(7 if inside else 13)


@pytest.mark.parametrize("way", [1, -1])
def test_angle_opens_as_drawn(way):
    """A positive angle opens the way it is drawn; lines with a common end give their corner."""
    sk = lw.Sketch()
    base = sk.line((0, 0), (10, 0))
    arm = sk.line((9, way * 8), base.start)  # drawn towards the corner
    sk.fix(base)
    sk.length(arm, 6)
    sk.angle(base, arm, 30)
    sk.solve()
    tip = arm.start
    assert tip.position == pytest.approx((6 * math.cos(math.pi / 6), way * 3), abs=1e-12)


def test_triangle_by_its_corners():
    """Two corner angles and a side fix a triangle drawn as a closed polyline."""
    sk = lw.Sketch()
    a, b, c = sk.polyline([(0, 0), (10, 1), (4, 7)], close=True)
    sk.fix(a.start)
    sk.horizontal(a)
    sk.length(a, 20)
    sk.angle(a, b, 60)
    sk.angle(a, c, 60)
    assert sk.solve().is_fully_defined
    assert c.start.position == pytest.approx((10, 10 * math.sqrt(3)), abs=1e-10)


def test_symmetry_of_every_kind():
    """Points, lines, circles and arcs mirror about a slanted line."""
    sk = lw.Sketch()
    axis = sk.line((0, 0), (10, 10), construction=True)
    sk.fix(axis)
    line, mate = sk.line((5, 0), (9, 3)), sk.line((1, 5), (3, 8))
    ring, other = sk.circle((12, 2), 2), sk.circle((3, 11), 1.5)
    arc = sk.arc((20, 5), (22, 5), (20, 7))
    twin = sk.arc((4, 21), (7, 20), (5, 23), clockwise=True)
    for things in ((line, mate), (ring, other), (arc, twin)):
        sk.symmetric(*things, axis)
    sk.fix(line)
    sk.fix(ring)
    sk.fix(arc)
    report = sk.solve()
    assert (report.freedom, report.redundant, report.conflicting) == (0, (), ())
    assert mate.start.position == pytest.approx((0, 5), abs=1e-9)
    assert mate.end.position == pytest.approx((3, 9), abs=1e-9)
    assert other.center.position == pytest.approx((2, 12), abs=1e-9)
    assert (other.radius, twin.radius) == pytest.approx((2, 2))
    assert twin.end.position == pytest.approx((5, 22), abs=1e-9)  # the ends nearest to the images


def test_rectangle_stays_one_when_driven():
    """A rectangle's width is driven by one dimension, about its center."""
    sk = lw.Sketch()
    box = sk.rectangle(10, 6, center=sk.origin)
    assert sk.solve().freedom == 2
    sk.length(box.bottom, 25)
    sk.length(box.left, 8)
    assert sk.solve().is_fully_defined
    assert [c.position for c in box.corners] == [(-12.5, -4), (12.5, -4), (12.5, 4), (-12.5, 4)]


def test_changed_value_and_removed_constraint():
    """A dimension can be changed or removed through its handle."""
    sk = lw.Sketch()
    ring = sk.circle((1, 1), 5)
    size = sk.diameter(ring, 12)
    sk.solve()
    assert ring.radius == 6
    size.value = 9
    sk.solve()
    assert ring.radius == 4.5
    size.remove()
    assert sk.solve().freedom == 3
    with pytest.raises(lw.SketchError, match="not a removable"):
        size.remove()


@pytest.mark.parametrize(
    ("draw", "words"),
    [
        (lambda sk: sk.line((0, 0), (0, 0)), "no length"),
        (lambda sk: sk.line((0, 0), (float("inf"), 0)), "finite"),
        (lambda sk: sk.line((0, 0), (1e9, 0)), "beyond the limit"),
        (lambda sk: sk.circle((0, 0), -1), "more than"),
        (lambda sk: sk.circle((0, 0), 1, diameter=2), "a radius or a diameter"),
        (lambda sk: sk.arc_through((0, 0), (1, 1), (2, 2)), "lie on a line"),
        (lambda sk: sk.polyline([(0, 0)]), "at least 2 points"),
        (lambda sk: sk.rectangle(1, 0), "more than"),
        (
            lambda sk: sk.tangent(sk.line((0, 0), (1, 0)), sk.point((1, 1))),
            "tangent: b takes a curve, got <point point1>",
        ),
        (
            lambda sk: sk.length(sk.circle((0, 0), 1), 3),
            "length: curve takes a line or an arc, got <circle circle1>",
        ),
        (lambda sk: sk.radius(sk.circle((0, 0), 1), 0), "more than"),
        (lambda sk: sk.parallel(sk.x_axis, sk.x_axis), "different entities"),
        (lambda sk: sk.on(lw.Sketch().point((0, 0)), sk.x_axis), "another sketch"),
        (lambda sk: sk.point((0, 0), name="origin"), "already"),
        (lambda sk: sk.point((0, 0), name="a/b"), "no name"),
        (lambda sk: sk["nothing"], "no entity"),
        (lambda sk: sk.distance_x(sk.origin, 3), "and a value"),
        (lambda sk: sk.radius(sk.circle((0, 0), 1), "3/16 in"), "made by a job"),
    ],
)
def test_wrong_calls_are_refused(draw, words):
    """A mistake in a call is one clear sentence."""
    with pytest.raises(lw.SketchError, match=words):
        draw(lw.Sketch())


def test_arc_through_three_points():
    """The arc runs from start to end through the middle point, either way round."""
    for middle, turn in (((0, 5), 1), ((0, -5), -1)):
        sk = lw.Sketch()
        arc = sk.arc_through((5, 0), middle, (-5, 0))
        sk.line(arc.end, arc.start)
        (region,) = sk.regions()
        assert arc.radius == pytest.approx(5)
        assert arc.clockwise is (turn < 0)
        assert region.centroid[1] == pytest.approx(turn * 20 / (3 * math.pi))


@pytest.mark.parametrize("inside", [False, True])
def test_clear_distances_of_circles(inside):
    """From a circle to a point, a line and another circle: outside or inside as drawn."""
    sk = lw.Sketch()
    big = sk.circle((0, 0), 10)
    sk.fix(big)
    point = sk.point((4 if inside else 17, 0))
    sk.on(point, sk.x_axis)
    sk.distance(big, point, 3)
    small = sk.circle((0, 3 if inside else 16), 2)
    sk.on(small.center, sk.y_axis)
    sk.radius(small, 2)
    sk.distance(small, big, 1.5)
    wall = sk.line((-15, -15), (15, -14))
    sk.horizontal(wall)
    sk.distance(wall, big, 4)
    sk.solve()
    assert point.x == pytest.approx(7 if inside else 13)
    assert small.center.y == pytest.approx(6.5 if inside else 13.5)
    assert wall.start.y == pytest.approx(-14)


@pytest.mark.parametrize("clockwise", [False, True])
def test_length_along_an_arc(clockwise):
    """An arc is dimensioned along its curve, either way round, beyond a half turn too."""
    sk = lw.Sketch()
    end = (3, 7) if clockwise else (3, -7)
    arc = sk.arc((0, 0), (8, 0), end, clockwise=clockwise)
    sk.coincident(arc.center, sk.origin)
    sk.on(arc.start, sk.x_axis)
    sk.radius(arc, 10)
    sk.length(arc, 45)
    assert sk.solve().is_fully_defined
    assert arc.length == pytest.approx(45, abs=1e-10)
    assert abs(arc.sweep) == pytest.approx(4.5)
