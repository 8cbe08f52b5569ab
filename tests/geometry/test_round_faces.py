"""What is told in closed form: hits on cylinders, faces bounded by full circles, bands round a tube."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import lathwick as lw
from lathwick.geometry.curve_surface import curve_surface_intersections
from lathwick.geometry.curves import Circle, Curve, Line
from lathwick.geometry.surfaces import CylinderSurface
from lathwick.geometry.tolerance import RESOLUTION

from ..conftest import sound

SAMPLES = 4001

whole = st.integers(-3, 3).map(float)
broken = st.floats(-3.0, 3.0)
vectors = st.one_of(st.tuples(whole, whole, whole), st.tuples(broken, broken, broken))
ways = vectors.filter(lambda v: math.hypot(*v) > 0.1)
sizes = st.one_of(st.integers(1, 4).map(float), st.floats(0.1, 4.0))


def assert_all_found(curve: Curve, t0: float, t1: float, closed: bool, tube: CylinderSurface) -> None:
    """Every hit is on the tube, and between hits nothing changes sides."""
    hits = curve_surface_intersections(curve, t0, t1, closed, tube)
    gaps = tube.distance(curve.points(np.linspace(t0, t1, SAMPLES)))
    if hits is None:
        assert np.abs(gaps).max() <= 1.01 * RESOLUTION
        return
    assert all(t0 <= t <= t1 and abs(tube.gap(curve.point(t))) <= 1.01 * RESOLUTION for t in hits)
    for low, high in zip([t0, *hits], [*hits, t1], strict=True):
        inner = tube.distance(curve.points(np.linspace(low, high, SAMPLES)))
        assert inner.min() > -2e-6 or inner.max() < 2e-6


@settings(max_examples=150, deadline=None)
@given(vectors, ways, vectors, ways, sizes, st.tuples(broken, broken).filter(lambda t: t[0] < t[1] - 1e-3))
def test_lines_and_cylinders(
    foot: tuple[float, ...],
    axis: tuple[float, ...],
    start: tuple[float, ...],
    way: tuple[float, ...],
    radius: float,
    ends: tuple[float, float],
) -> None:
    direction = lw.Axis(start, way)
    tube = CylinderSurface(lw.Plane(foot, axis), radius)
    assert_all_found(Line(direction.point, direction.direction), *ends, False, tube)


@settings(max_examples=150, deadline=None)
@given(vectors, ways, vectors, sizes, sizes, st.booleans(), st.floats(0.0, 6.0), st.floats(0.1, 6.2))
def test_level_circles_and_cylinders(
    foot: tuple[float, ...],
    axis: tuple[float, ...],
    center: tuple[float, ...],
    radius: float,
    other: float,
    closed: bool,
    start: float,
    span: float,
) -> None:
    frame = lw.Plane(foot, axis)
    circle = Circle(lw.Plane(frame.point(*center), frame.normal, frame.y), other)
    end = start + (math.tau if closed else span)
    assert_all_found(circle, start, end, closed, CylinderSurface(frame, radius))


@pytest.mark.parametrize(("flip", "hidden"), [(False, 1), (True, 1), (False, -1)])
def test_touching_circles(flip: bool, hidden: int) -> None:
    """Two circles that touch from outside or inside have one hit; the same circle lies on the tube."""
    tube = CylinderSurface(lw.XY, 5.0)
    normal = (0, 0, -1) if flip else (0, 0, 1)
    touching = Circle(lw.Plane((5.0 + hidden * 2.0, 0, 3), normal), 2.0)
    hits = curve_surface_intersections(touching, 0.0, math.tau, True, tube)
    assert hits is not None and len(hits) == 1
    assert touching.point(hits[0]) == pytest.approx((5.0, 0.0, 3.0), abs=1e-6)
    assert (
        curve_surface_intersections(Circle(lw.Plane((0, 0, 1), normal), 5.0), 0.0, math.tau, True, tube)
        is None
    )


def drilled_tube(pins: int, layers: int, tilt: float) -> tuple[lw.Body, lw.Body]:
    """A tube, and pins right through both of its walls."""
    tube = lw.cut(lw.cylinder(10, 12 * layers), lw.cylinder(7, 12 * layers + 2, on=lw.XY.offset(-1)))
    drills = [
        lw.cylinder(
            1.0 + 0.1 * k,
            30,
            on=lw.XZ.tilted(tilt + 180.0 * k / pins, lw.Z).moved_to((0, 0, 6 + 12 * layer)).offset(-15),
        )
        for layer in range(layers)
        for k in range(pins)
    ]
    return tube, lw.union(*[lw.intersect(drill, lw.cylinder(14, 12 * layers)) for drill in drills])


@pytest.mark.parametrize(("pins", "layers", "tilt"), [(1, 1, 0.0), (1, 3, 17.0), (3, 1, 41.0), (2, 2, 90.0)])
def test_pins_through_both_walls_of_a_tube(pins: int, layers: int, tilt: float) -> None:
    tube, drills = drilled_tube(pins, layers, tilt)
    cut, common = lw.cut(tube, drills), lw.intersect(tube, drills)
    assert cut.volume + common.volume == pytest.approx(tube.volume, rel=1e-12)
    assert len(cut.faces()) == 4 + 2 * pins * layers
    assert common.lumps == 2 * pins * layers
    whole_again = lw.union(cut, common)
    assert whole_again.volume == pytest.approx(tube.volume, rel=1e-12)
    assert len(whole_again.faces()) == 4


def test_a_drill_is_cut_into_pieces_by_walls() -> None:
    """The wall of a drill that meets several walls falls into bands, with a hole of its own in one."""
    walls = lw.union(*(lw.box(20, 20, 2, on=lw.XY.offset(5.0 * k), center=True) for k in range(4)))
    pierced = lw.cut(lw.cylinder(3, 24, on=lw.XY.offset(-4)), lw.cylinder(0.5, 10, on=lw.XZ.offset(-5)))
    rest = lw.cut(pierced, walls)
    assert rest.lumps == 5
    whole_drill = lw.intersect(pierced, walls)
    assert rest.volume + whole_drill.volume == pytest.approx(pierced.volume, rel=1e-12)


@pytest.mark.parametrize(("inner", "angle"), [(0.0, 5.0), (3.0, 5.0), (3.0, 7.3), (5.5, 20.0)])
def test_meshes_of_discs_and_rings(inner: float, angle: float, tmp_path, outside_check) -> None:
    """The ends have the area of their polygons, and the mesh is closed."""
    body = lw.cylinder(6, 4)
    if inner:
        body = lw.cut(body, lw.cylinder(inner, 6, on=lw.XY.offset(-1).tilted(33, lw.Z)))
    mesh = lw.tessellate(body, chord=0.5, angle=angle)
    count = math.ceil(360 / angle)
    share = 0.5 * count * math.sin(math.tau / count)
    assert mesh.volume == pytest.approx(4 * share * (36 - inner * inner), rel=1e-6)
    sound(body, tmp_path, outside_check)


def test_where_points_lie_on_caps_and_bands() -> None:
    """Points about a ball cut by three planes, against the inequalities."""
    ball = lw.sphere(5)
    for plane in (lw.XY.offset(3), lw.YZ.offset(3.5), lw.Plane((0, -3.2, 0), (0, -1, 0.2))):
        ball = lw.cut(ball, lw.place(lw.box(12, 12, 6, on=lw.Plane((-6, -6, 0), (0, 0, 1))), plane))
    rng = np.random.default_rng(4)
    points = rng.uniform(-5, 5, (4000, 3))
    lean = np.array([0, -1, 0.2]) / math.hypot(1, 0.2)
    expected = (points**2).sum(axis=1) < 25
    expected &= (points[:, 2] < 3) & (points[:, 0] < 3.5) & ((points - (0, -3.2, 0)) @ lean < 0)
    assert (ball.contains(points) == expected).all()
