"""Measuring in a sketch, dimensions that only measure, and dimensions given as text."""

import math

import numpy as np
import pytest

import lathwick as lw


def test_reference_dimensions_measure_and_drive_nothing():
    """Every kind: the value follows the drawing, and the freedom stays."""
    sk = lw.Sketch()
    a, b = sk.point((0, 0)), sk.point((3, 4))
    line, other = sk.line((0, 0), (10, 0)), sk.line((0, 0), (0, 7))
    big, small = sk.circle((20, 0), 6), sk.circle((21, 0), 2)
    arc = sk.arc((0, 0), (5, 0), (0, 5))
    far = sk.line((0, 12), (10, 12))
    freedom = sk.solve().freedom
    expected = {
        sk.distance(a, b): 5.0,
        sk.distance(b, line): 4.0,
        sk.distance(line, far): 12.0,
        sk.distance(big, small): 3.0,
        sk.distance(big, b): math.dist((20, 0), (3, 4)) - 6,
        sk.distance(far, big): 6.0,
        sk.distance_x(a, b): 3.0,
        sk.distance_y(b, a): 4.0,
        sk.distance_x(line): 10.0,
        sk.length(line): 10.0,
        sk.length(arc): 2.5 * math.pi,
        sk.radius(big): 6.0,
        sk.diameter(small): 4.0,
        sk.angle(line, other): 90.0,
    }
    report = sk.solve()
    assert (report.freedom, report.redundant) == (freedom, ())
    for dimension, value in expected.items():
        assert dimension.is_reference
        assert dimension.value == pytest.approx(value, rel=1e-12), dimension
    with pytest.raises(lw.SketchError, match="reference dimension"):
        sk.constraints[0].value = 7
    driven = sk.distance(a, b, 10)
    sk.solve()
    assert next(iter(expected)).value == pytest.approx(10)
    driven.remove()


def test_angle_of_a_triangle_is_measured_as_the_corner():
    """Lines that share an end are measured inside their corner, whichever way they are drawn."""
    sk = lw.Sketch()
    a, b, c = sk.polyline([(0, 0), (4, 0), (0, 3)], close=True)
    angles = [sk.angle(x, y) for x, y in ((a, b), (b, c), (a, c))]
    assert [d.value for d in angles] == pytest.approx(
        [math.degrees(math.atan(3 / 4)), math.degrees(math.atan(4 / 3)), 90]
    )


@lw.design(unit="mm")
def gasket(job: lw.Job, pipe: lw.Length = lw.param("3 in"), lean: lw.Angle = lw.param(30)):
    """Dimensions given by formulas over the parameters, and by quantities."""
    sk = job.sketch("plan")
    box = sk.rectangle(60, 40, center=sk.origin, rounding="=pipe/8", name="plate")
    sk.length(box.bottom, "=pipe", name="width")
    sk.length(box.left, "=pipe*cos(lean)", name="height")
    bore = sk.circle(sk.origin, 3, name="bore")
    sk.diameter(bore, "3/8 in", name="bore size")
    return job.extrude("plate", sk, 2)


def test_dimensions_by_formula_follow_the_parameters():
    """Full precision, units included; the text is kept on the dimension."""
    for pipe, lean in ((76.2, 30), (50, 45.5)):
        part = gasket(pipe=pipe, lean=lean)
        r = pipe / 8
        area = pipe * pipe * math.cos(math.radians(lean)) - (4 - math.pi) * r * r
        assert part.volume == pytest.approx(2 * (area - math.pi * 4.7625**2), rel=1e-13)
    sketch = part.steps[0].sketch
    assert {c.name: c.formula for c in sketch.constraints}["width"] == "=pipe"


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("=pip*2", r'reads "pip", which is no parameter; there are pipe'),
        ("=1/0", "divides by zero"),
        ("=pipe.real", "not allowed"),
        ("5 kg", "no unit of length"),
        ("wide", "no number"),
        ("=pipe-100", "more than"),
    ],
)
def test_mistakes_in_dimension_texts_are_one_sentence(text, words):
    """A formula is data; what is wrong with it is said with the text."""
    job = lw.Job("mm", params={"pipe": 40.0})
    sk = job.sketch("plan")
    with pytest.raises(lw.LathwickError, match=words):
        sk.length(sk.line((0, 0), (10, 0)), text)
    assert sk.constraints == ()


def test_second_moments_have_their_closed_forms():
    """Rectangle, annulus, ellipse, half disc and a triangle, anywhere in the plane."""
    sk = lw.Sketch()
    sk.rectangle(30, 20, corner=(5, 7))
    assert sk.regions()[0].second_moments == pytest.approx((30 * 20**3 / 12, 20 * 30**3 / 12, 0), abs=1e-7)
    sk = lw.Sketch()
    sk.circle((100, 50), 10), sk.circle((100, 50), 4)
    ring = math.pi / 4 * (10**4 - 4**4)
    assert sk.regions()[0].second_moments == pytest.approx((ring, ring, 0), abs=1e-6)
    sk = lw.Sketch()
    sk.ellipse((3, 4), 8, 3, angle=90)
    quarter = math.pi / 4 * 8 * 3
    assert sk.regions()[0].second_moments == pytest.approx((quarter * 64, quarter * 9, 0), abs=1e-8)
    sk = lw.Sketch()
    base = sk.line((-6, 1), (6, 1))
    sk.arc((0, 1), base.end, base.start)
    (half,) = sk.regions()
    assert half.second_moments[0] == pytest.approx((math.pi / 8 - 8 / (9 * math.pi)) * 6**4, rel=1e-12)
    sk = lw.Sketch()
    sk.polyline([(0, 0), (12, 0), (0, 9)], close=True)
    ix, iy, ixy = sk.regions()[0].second_moments
    assert (ix, iy, ixy) == pytest.approx((12 * 9**3 / 36, 9 * 12**3 / 36, -(12**2) * 9**2 / 72))


def test_lengths_of_curves():
    """Every curve tells its length; checked against fine chords."""
    sk = lw.Sketch()
    for curve in (
        sk.ellipse((0, 0), 8, 3),
        sk.spline([(0, 0), (10, 8), (20, -3)]),
        sk.circle((0, 0), 5),
    ):
        t = np.linspace(0, 1 if curve.kind == "spline" else math.tau, 100_001)
        points = (
            5 * np.column_stack([np.cos(t), np.sin(t)]) if curve.kind == "circle" else curve.curve().points(t)
        )
        assert curve.length == pytest.approx(np.hypot(*np.diff(points, axis=0).T).sum(), rel=1e-8)
    assert sk.polyline([(0, 0), (3, 4), (3, 10)]).length == 11


@pytest.mark.parametrize("lift", [1e-5, 1e-6])
def test_nearly_singular_constraints_are_named(lift):
    """Two links almost in line: the distance of their far ends hardly holds the joint."""
    sk = lw.Sketch()
    a, b = sk.polyline([(0, 0), (10, lift), (20, 0)], name="links")
    sk.coincident(a.start, sk.origin)
    sk.on(b.end, sk.x_axis)
    sk.length(a, math.hypot(10, lift), name="first")
    sk.length(b, math.hypot(10, lift), name="second")
    sk.distance(a.start, b.end, 20, name="reach")
    report = sk.solve()
    assert report.near_singular == ("reach",)
    assert "reach is nearly singular" in str(report)
    sound = lw.Sketch()
    a, b = sound.polyline([(0, 0), (10, 2), (20, 0)])
    sound.coincident(a.start, sound.origin)
    sound.distance(a.start, b.end, 20)
    assert sound.solve().near_singular == ()


@pytest.mark.parametrize("sides", [3, 6, 9])
def test_polygon_with_rounded_corners_in_one_call(sides):
    """Area of a rounded regular polygon; one radius drives all corners."""
    sk = lw.Sketch()
    nut = sk.polygon(sides, 10, center=sk.origin, angle=90, across_flats=True, rounding=2, name="nut")
    sk.radius(nut.circle, 10)
    sk.vertical(nut.corners[0], sk.origin) if sides % 2 else sk.vertical(nut[sides // 4])
    half = math.tan(math.pi / sides)
    for radius in (2, 4):
        next(c for c in sk.constraints if c.name == "nut.rounding").value = radius
        (region,) = sk.regions()
        expected = sides * half * 100 - (sides * half - math.pi) * radius**2
        assert region.area == pytest.approx(expected, rel=1e-12)
