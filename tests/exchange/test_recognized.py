"""Which spline surfaces are planes, cylinders, cones, balls and rings: pieces of them, anywhere and of any
size; and which only nearly are."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import lathwick as lw
from lathwick.exchange.step.reading.recognized import recognized
from lathwick.geometry.curves import Circle, Line
from lathwick.geometry.motion import Motion
from lathwick.geometry.placement import Axis, Plane
from lathwick.geometry.rational import rational_curve, turned_surface
from lathwick.geometry.spline_surface import SplineSurface

AXIS = Axis((0.0, 0.0, 0.0), (0.0, 0.0, 1.0))
LONG = Plane((0.0, 0.0, 0.0), (0.0, -1.0, 0.0), (1.0, 0.0, 0.0))
"""A plane of the axis: x away from it, y along it."""


def line(a, b):
    """A piece of a line in that plane as a rational curve."""
    a, b = np.array([a[0], 0.0, a[1]]), np.array([b[0], 0.0, b[1]])
    length = float(np.linalg.norm(b - a))
    return rational_curve(Line(tuple(a.tolist()), tuple(((b - a) / length).tolist())), 0.0, length)


def arc(away, radius, low, high):
    return rational_curve(Circle(LONG.moved_to((away, 0.0, 0.0)), radius), low, high)


def turned(profile, angle):
    return turned_surface(profile, AXIS, angle)


PIECES = {
    "plane": lambda a, b: turned(line((1.0 + a, 0.0), (3.0 + b, 0.0)), 1.0 + a),
    "cylinder": lambda a, b: turned(line((2.0, -a), (2.0, 1.0 + b)), 0.4 + 5 * b),
    "cone": lambda a, b: turned(line((1.0, 0.0), (2.0 + a, 3.0 + b)), 0.4 + 5 * a),
    "sphere": lambda a, b: turned(arc(0.0, 2.0, -0.2 - a, 0.3 + b), 0.5 + 5 * b),
    "torus": lambda a, b: turned(arc(3.0 + a, 1.0 + b, 0.3, 1.2 + 4 * a), 0.5 + 5 * b),
}


def placed(surface, seed, size):
    """The surface, `size` times as large, anywhere."""
    random = np.random.default_rng(seed)
    x, y = np.linalg.qr(random.normal(size=(3, 2)))[0].T
    ways = [tuple(way.tolist()) for way in (x, y, np.cross(x, y))]
    return surface.moved(Motion(*ways, tuple((size * random.normal(size=3)).tolist()), size))[0]


def samples(surface, count=17):
    (u0, u1), (v0, v1) = surface.domain
    grid = np.meshgrid(np.linspace(u0, u1, count), np.linspace(v0, v1, count), indexing="ij")
    return surface.points(np.stack(grid, axis=-1).reshape(-1, 2))


@settings(max_examples=60, deadline=None)
@given(
    st.sampled_from(sorted(PIECES)),
    st.floats(0.05, 0.9),
    st.floats(0.05, 0.9),
    st.integers(0, 10**6),
    st.sampled_from([1e-2, 1.0, 25.4, 1e3]),
)
def test_pieces_are_what_they_are(kind, a, b, seed, size):
    surface = placed(PIECES[kind](a, b), seed, size)
    found = recognized(surface)
    assert found is not None
    assert found.kind == kind
    assert np.abs(found.distance(samples(surface))).max() <= 1e-9 * size


@settings(max_examples=40, deadline=None)
@given(st.sampled_from(sorted(PIECES)), st.floats(0.05, 0.9), st.integers(0, 10**6))
def test_what_is_a_millionth_beside_is_none(kind, a, seed):
    """One control moved by a millionth of the size, along the normal there."""
    surface = PIECES[kind](a, 0.4)
    controls = surface.controls.copy()
    i, j = (n // 2 for n in controls.shape[:2])
    normal = surface.normals_at(np.array([[0.5 * (lo + hi) for lo, hi in surface.domain]]))[0]
    controls[i, j] += 1e-5 * normal
    bent = SplineSurface(surface.degrees, surface.knots, controls, surface.weights)
    assert recognized(placed(bent, seed, 1.0)) is None


def test_other_surfaces_are_none():
    """An ellipse turned about its axis, and one moved along; a hyperboloid; a saddle."""
    circle = turned_surface(arc(0.0, 2.0, -0.3, 0.6), AXIS, 2.0)
    flatter = circle.controls * np.array([1.0, 1.0, 0.5])
    oval = turned_surface(line((2.0, 0.0), (2.0, 3.0)), AXIS, 2.0)
    wider = oval.controls * np.array([1.5, 1.0, 1.0])
    corners = np.array([[[0, 0, 0], [1, 0, 1]], [[0, 1, 1], [1, 1, 0]]], dtype=float)
    skew = turned_surface(rational_curve(Line((1.0, 0.0, 0.0), (0.0, 0.6, 0.8)), 0.0, 3.0), AXIS, 2.0)
    ends = (0.0, 0.0, 1.0, 1.0)
    for surface in (
        SplineSurface(circle.degrees, circle.knots, flatter, circle.weights),
        SplineSurface(oval.degrees, oval.knots, wider, oval.weights),
        SplineSurface((1, 1), (ends, ends), corners),
        skew,
    ):
        assert recognized(surface) is None


def test_both_halves_of_a_double_cone_are_none():
    """One surface of the kernel is one nappe."""
    assert recognized(turned(line((1.0, -1.0), (-1.0, 1.0)), 1.0)) is None


@pytest.mark.parametrize("name", ["plane", "cone", "torus"])
def test_a_solid_of_splines_is_worked_on(name, tmp_path):
    """Read, its parts are cut and measured in closed form."""
    from ..dialects import DIALECTS

    body, volume = {
        "plane": (lw.box(4, 5, 6, step="b"), 120 - math.pi * 6),
        "cone": (lw.cone(5, 3, 6, step="b"), 2 * math.pi * 49 - math.pi * 6),
        "torus": (lw.torus(6, 2, step="b"), 2 * math.pi**2 * 6 * 4),
    }[name]
    lw.save(body, tmp_path / "a.step")
    (tmp_path / "b.step").write_text(DIALECTS["all splines"]((tmp_path / "a.step").read_text()))
    read = lw.read_step(tmp_path / "b.step").body
    place = (2.0, 2.5, 0.0) if name == "plane" else (0.0, 0.0, 0.0)
    drilled = (
        lw.cut(read, lw.cylinder(1, 20, on=lw.Plane(place, lw.Z), step="h")) if name != "torus" else read
    )
    assert drilled.volume == pytest.approx(volume, rel=1e-9)
