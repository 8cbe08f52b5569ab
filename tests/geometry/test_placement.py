"""Planes and axes: the agreed frames, offsets and tilts."""

import math

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

import lathwick as lw

component = st.floats(-100, 100)


@pytest.mark.parametrize(
    ("plane", "x", "y", "normal"),
    [
        (lw.XY, (1, 0, 0), (0, 1, 0), (0, 0, 1)),
        (lw.XZ, (1, 0, 0), (0, 0, 1), (0, -1, 0)),
        (lw.YZ, (0, 1, 0), (0, 0, 1), (1, 0, 0)),
    ],
)
def test_agreed_planes(plane, x, y, normal):
    """The three named planes have the agreed directions."""
    assert (plane.x, plane.y, plane.normal) == (x, y, normal)


@given(st.tuples(component, component, component), st.tuples(component, component, component))
@example((1.2e-8, 0.0, 12.0), (0.0, 0.0, 0.0))
def test_local_undoes_point(normal, where):
    """`local` is the inverse of `point` on any plane."""
    if math.hypot(*normal) < 1e-3:
        return
    plane = lw.Plane(where, normal)
    assert plane.local(plane.point(3, -4, 5)) == pytest.approx((3, -4, 5), abs=1e-9)


def test_offset_moves_along_the_normal():
    """The front view's plane moves towards -Y."""
    assert lw.XZ.offset(7).origin == (0, -7, 0)


def test_tilt_about_an_axis_away_from_the_origin():
    """A quarter turn about a shifted axis carries the origin along."""
    tilted = lw.XY.tilted(90, lw.Axis((0, 10, 0), (1, 0, 0)))
    assert tilted.origin == pytest.approx((0, 10, -10))
    assert tilted.normal == pytest.approx((0, -1, 0), abs=1e-15)


def test_tilt_about_its_own_x():
    """ "x" and "y" name the plane's own directions."""
    assert lw.YZ.tilted(90, "x").normal == pytest.approx((0, 0, -1), abs=1e-15)


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (((0, 0, 0), (0, 0, 0)), "no length"),
        (((0, 0, 0), (0, 0, 1), (0, 0, 2)), "parallel to its normal"),
        (((0, 0, float("nan")), (0, 0, 1)), "three finite numbers"),
        (((0, 0), (0, 0, 1)), "three finite numbers"),
    ],
)
def test_wrong_planes_are_refused(arguments, words):
    """A plane needs a direction, an independent x and finite numbers."""
    with pytest.raises(lw.ModellingError, match=words):
        lw.Plane(*arguments)
