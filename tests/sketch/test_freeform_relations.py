"""Constraints on ellipses and splines: points on them, tangents, places at a share of the curve."""

import math

import numpy as np
import pytest

import lathwick as lw


def wave(sk: lw.Sketch, **options) -> object:
    spline = sk.spline([(0, 0), (10, 8), (20, -3), (30, 2)], name="wave", **options)
    sk.fix(spline)
    return spline


def slope_at(curve, spot) -> tuple[float, np.ndarray, np.ndarray]:
    """Parameter, place and unit direction of a curve nearest to a spot."""
    t = curve.nearest(spot) if curve.__class__.__name__ == "PlaneEllipse" else curve.at(spot)
    (place,), (way,) = curve.points(np.array([t])), curve.derivatives(np.array([t]))
    return t, place, way / np.hypot(*way)


@pytest.mark.parametrize("options", [{}, {"control": True}, {"close": True}])
def test_point_on_a_spline(options):
    """It slides along the curve (one freedom), and stops where a dimension says."""
    sk = lw.Sketch()
    spline = wave(sk, **options)
    point = sk.point((12, 5))
    sk.on(point, spline, name="on it")
    report = sk.solve()
    assert (report.freedom, report.free) == (1, (point.name,))
    _, _, way = slope_at(spline.curve(), point.position)
    (motion,) = report.motions
    assert abs(np.cross([*way, 0], [*motion.direction, 0])[2]) < 1e-6
    sk.distance_x(sk.origin, point, 14)
    assert sk.solve().is_fully_defined
    _, place, _ = slope_at(spline.curve(), point.position)
    assert math.dist(place, point.position) < 1e-9
    sk.on(point, spline, name="again")
    assert sk.solve().redundant == ("again",)


def test_point_cannot_leave_the_end_of_a_spline():
    """A place beyond the end is a conflict that names the constraint, not a silent extension."""
    sk = lw.Sketch()
    spline = wave(sk)
    point = sk.point((28, 2))
    sk.on(point, spline, name="on it")
    sk.distance_x(sk.origin, point, 40, name="too far")
    assert set(sk.solve().conflicting) >= {"on it", "too far"}


@pytest.mark.parametrize("kind", ["line", "circle", "arc", "ellipse", "spline"])
@pytest.mark.parametrize("onto", ["ellipse", "spline"])
def test_tangent_to_a_curve(onto, kind):
    """The two touch in one place with one direction, and a repeat is named."""
    sk = lw.Sketch()
    if onto == "spline":
        target = wave(sk)
    else:
        target = sk.ellipse((15, 0), 12, 6, angle=15)
        sk.fix(target)
    other = {
        "line": lambda: sk.line((-2, 9), (22, 10.5)),
        "circle": lambda: sk.circle((10, 13), 4.5),
        "arc": lambda: sk.arc((10, 14), (6, 10), (14, 10)),
        "ellipse": lambda: sk.ellipse((10, 12), 6, 3.5, angle=4),
        "spline": lambda: sk.spline([(-2, 14), (9, 9), (20, 15)]),
    }[kind]()
    freedom = sk.solve().freedom
    sk.tangent(other, target, name="touch")
    report = sk.solve()
    assert report.conflicting == ()
    assert report.freedom == freedom - 1
    contact = sk.constraints[-1].contacts[0]
    spot = contact.touch.position
    _, place, way = slope_at(target.curve(), spot)
    assert math.dist(place, spot) < 1e-9
    if kind == "line":
        along = np.array(other.end.position) - np.array(other.start.position)
        normal = np.array([-along[1], along[0]]) / np.hypot(*along)
        assert abs((place - np.array(other.start.position)) @ normal) < 1e-9
        assert abs(way @ normal) < 1e-9
    elif kind in ("circle", "arc"):
        out = place - np.array(other.center.position)
        assert np.hypot(*out) == pytest.approx(other.radius, abs=1e-9)
        assert abs(out @ way) < 1e-8
    else:
        _, there, their = slope_at(other.curve(), spot)
        assert math.dist(there, spot) < 1e-8
        assert abs(way[0] * their[1] - way[1] * their[0]) < 1e-8
    sk.tangent(target, other, name="again")
    assert sk.solve().redundant == ("again",)
    sk.constraints[-1].remove()
    sk.constraints[-1].remove()
    assert sk.solve().freedom == freedom


def test_line_runs_smoothly_out_of_a_spline():
    """Where a line starts at the end of a spline, tangency makes it the spline's continuation."""
    sk = lw.Sketch()
    spline = wave(sk)
    line = sk.line(spline.end, (40, 9))
    sk.tangent(spline, line)
    sk.length(line, 12)
    assert sk.solve().is_fully_defined
    way = spline.curve().derivatives(np.array([1.0]))[0]
    assert math.radians(line.angle) == pytest.approx(math.atan2(way[1], way[0]), abs=1e-9)
    arc_start = sk.arc((-4, 3), (-8, 0), spline.start, clockwise=False)
    sk.tangent(arc_start, spline)
    sk.radius(arc_start, 5)
    sk.solve()
    way = spline.curve().derivatives(np.array([0.0]))[0]
    out = np.array(arc_start.center.position) - np.array(spline.start.position)
    assert abs(out @ way) < 1e-8 * np.hypot(*way)


def test_tangent_of_an_ellipse_has_its_closed_form():
    """A line of slope m touches x^2/a^2 + y^2/b^2 = 1 where y = m x + sqrt(a^2 m^2 + b^2)."""
    sk = lw.Sketch()
    ellipse = sk.ellipse(sk.origin, 8, 4)
    sk.fix(ellipse)
    line = sk.line((-9, 4), (9, 6))
    sk.tangent(line, ellipse)
    sk.angle(sk.x_axis, line, 20)
    sk.solve()
    m = math.tan(math.radians(20))
    height = line.start.y - m * line.start.x
    assert height == pytest.approx(math.sqrt(64 * m * m + 16), abs=1e-10)


@pytest.mark.parametrize(
    "kind", ["line", "arc", "clockwise", "circle", "ellipse", "spline", "control", "closed"]
)
@pytest.mark.parametrize("share", [0.0, 0.3, 0.5, 0.85, 1.0])
def test_point_at_a_share_of_the_length(kind, share):
    """Checked against a fine polygon along the curve; the sketch is fully defined with it."""
    sk = lw.Sketch()
    curve = {
        "line": lambda: sk.line((1, 2), (13, 7)),
        "arc": lambda: sk.arc((0, 0), (10, 0), (-6, -8)),
        "clockwise": lambda: sk.arc((0, 0), (10, 0), (-6, -8), clockwise=True),
        "circle": lambda: sk.circle((3, 1), 5),
        "ellipse": lambda: sk.ellipse((3, 1), 8, 3, angle=30),
        "spline": lambda: sk.spline([(0, 0), (10, 8), (20, -3), (30, 2)]),
        "control": lambda: sk.spline([(0, 0), (10, 8), (20, -3), (30, 2), (40, 9)], control=True),
        "closed": lambda: sk.spline([(0, 0), (10, 8), (20, -3)], close=True),
    }[kind]()
    sk.fix(curve)
    point = sk.point_on(curve, ratio=share)
    assert sk.solve().is_fully_defined
    if kind == "line":
        points = np.array(curve.start.position) + np.linspace(0, 1, 2)[:, None] * np.array([12, 5])
    elif kind in ("arc", "clockwise", "circle"):
        first, sweep = (0.0, math.tau) if kind == "circle" else (curve.start_angle, curve.sweep)
        t = first + np.linspace(0, 1, 20_001) * sweep
        points = np.array(curve.center.position) + curve.radius * np.column_stack([np.cos(t), np.sin(t)])
    else:
        points = curve.curve().points(np.linspace(0, math.tau if kind == "ellipse" else 1, 20_001))
    steps = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))])
    expected = [np.interp(share * steps[-1], steps, c) for c in points.T]
    assert math.dist(point.position, expected) < 1e-5


def test_point_at_a_parameter():
    """The share of the parameter range: of the turn of an ellipse, of the knots of a spline."""
    sk = lw.Sketch()
    ellipse, spline = sk.ellipse((3, 1), 8, 3), wave(sk)
    sk.fix(ellipse)
    a, b = sk.point_on(ellipse, parameter=0.25, name="a"), sk.point_on(spline, parameter=0.3, name="b")
    assert sk.solve().is_fully_defined
    assert a.position == pytest.approx((3, 4), abs=1e-12)
    assert b.position == pytest.approx(tuple(spline.curve().points(np.array([0.3]))[0]), abs=1e-12)
    with pytest.raises(lw.SketchError, match=r"from 0 to 1, got 1\.5"):
        sk.on(b, spline, ratio=1.5)


def test_midpoint_of_an_arc_and_symmetry_of_curves():
    """Half along the arc; mirrored ellipses and splines follow each other."""
    sk = lw.Sketch()
    arc = sk.arc((0, 0), (10, 0), (0, 10))
    sk.fix(arc)
    middle = sk.point((6, 6))
    sk.midpoint(middle, arc)
    assert sk.solve().is_fully_defined
    assert middle.position == pytest.approx((50**0.5, 50**0.5))
    one, two = sk.ellipse((20, 5), 6, 2, angle=30), sk.ellipse((-19, 6), 5, 2.5, angle=140)
    sk.fix(one)
    sk.symmetric(one, two, sk.y_axis)
    left = sk.spline([(-30, 0), (-25, 5), (-20, 1)])
    right = sk.spline([(19, 1), (26, 4), (31, 0)])
    sk.fix(left)
    sk.symmetric(left, right, sk.y_axis)
    assert sk.solve().is_fully_defined
    assert (two.major, two.minor) == pytest.approx((6, 2))
    assert right.start.position == pytest.approx((20, 1))
    assert right.length == pytest.approx(left.length)
