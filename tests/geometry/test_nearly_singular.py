"""Sections that nearly fall apart, and ellipses that are nearly two lines, against exact answers."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

import lathwick as lw
from lathwick.geometry.curves import Ellipse
from lathwick.geometry.spline import SplineCurve

from .. import csg


def half_space(origin, normal) -> csg.Solid:
    """A large box below a plane."""
    plane = lw.Plane(origin, tuple(-c for c in normal))
    return csg.box(plane.moved_to(plane.point(-40, -40)), 80, 80, 80)


def check(one: csg.Solid, two: csg.Solid) -> None:
    """What is cut off and what is left are right at probes, and add up."""
    parts = [csg.Tree(operation, one, two) for operation in ("cut", "intersect")]
    for seed, tree in enumerate(parts):
        assert csg.wrong_points(tree, tree.body, seed, 60) == 0
        assert csg.volume_off(tree, tree.body) <= 1e-9


OFF = [0.02, 1e-4, -1e-3]


@pytest.mark.parametrize("off", OFF)
def test_rings_beside_the_plane_that_touches_their_hole(off):
    """An upright plane cuts a ring in a curve that crosses itself where it touches the inner wall."""
    check(csg.torus(lw.XY, 2.0, 0.7), half_space((1.3 + off, 0, 0), (1, 0, 0)))


@pytest.mark.parametrize("off", [1e-3, -1e-4])
def test_rings_beside_the_plane_that_touches_them_twice(off):
    """A plane through the middle that touches a ring above and below cuts it in two circles."""
    lean = math.asin(0.7 / 2.0)
    check(
        csg.torus(lw.XY, 2.0, 0.7),
        half_space((0, 0, 0.1 * off), (math.sin(lean + off), 0, math.cos(lean + off))),
    )


@pytest.mark.parametrize("off", OFF)
def test_crossing_bores_of_nearly_one_size(off):
    bars = [csg.cylinder(plane.offset(-3), r, 6) for plane, r in ((lw.XY, 1.0), (lw.YZ, 1.0 + off))]
    check(*bars)


@pytest.mark.parametrize("lean", [0.012, 3e-3, 2e-4])
@pytest.mark.parametrize("depth", [-0.9, 0.1, 0.8])
def test_walls_that_nearly_run_along_a_bar(lean, depth):
    """The ellipse is many times as long as the bar; what counts may lie at its sharp end."""
    bar = csg.cylinder(lw.XY, 1.25, 2.5)
    check(bar, half_space((1.25 * depth, 0, 1.25), (math.cos(lean), 0, math.sin(lean))))
    tip = csg.cylinder(lw.XY, 1.25, 2.5)
    slab = csg.box(lw.Plane((-1.25 + 2.0 * lean, -2, 0.3), (lean, 0, 1), (1, 0, -lean)), 4, 4, 1)
    check(tip, slab)


@settings(max_examples=200, deadline=None)
@given(st.floats(-9, 9), st.floats(-9, 9), st.floats(0.3, 6), st.floats(1e-3, 1.5))
@example(0.0, 0.0, 2.0, 1.0)
@example(1.0, 0.0, 2.0, 1.0)
@example(0.0, 1.0, 2.0, 0.5)
@example(2.0, 0.0, 2.0, 1.0)
@example(1.0, 2e-313, 2.0, 0.5)
@example(1.5, 1e-17, 2.0, 0.5)
def test_feet_on_ellipses(u, v, major, ratio):
    """No place of the ellipse is nearer than the one found."""
    ellipse = Ellipse(lw.XY, major, major * ratio)
    t = ellipse.parameter((u, v, 0.0))
    places = ellipse.points(np.linspace(0.0, math.tau, 4001))
    least = np.hypot(places[:, 0] - u, places[:, 1] - v).min()
    assert math.dist(ellipse.point(t), (u, v, 0.0)) <= least + 1e-9


@pytest.mark.parametrize("steps", [1, 4, 7])
@pytest.mark.parametrize("start", [0.0, 8.2, 1e3])
def test_a_part_of_a_spline_may_begin_a_rounding_error_beside_a_knot(start, steps):
    """The whole of it, or the part up to a knot, with ends that rounding has moved by a few steps."""
    knots = (start,) * 4 + (start + 0.2,) + (start + 0.3,) * 4
    curve = SplineCurve(
        3, knots, np.array([[0, 0, 0], [1, 2, 0], [2, 2, 1], [3, 0, 1], [4, 1, 0]], dtype=float)
    )
    for t0, t1 in ((knots[0], knots[-1]), (knots[0], knots[4]), (knots[4], knots[-1])):
        moved = [t + steps * sign * float(np.spacing(max(t, 1.0))) for t, sign in ((t0, 1), (t1, -1))]
        part = curve.between(*moved)
        assert len(part.controls) == len(curve.between(t0, t1).controls)
        t = np.linspace(t0, t1, 9)[1:-1]
        assert np.abs(part.points(t) - curve.points(t)).max() < 1e-12
