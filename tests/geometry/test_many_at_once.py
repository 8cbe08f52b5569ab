"""What is worked out for many edges and faces at once is what it is for each alone."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import lathwick as lw
from lathwick.geometry.conics import Hyperbola, Parabola
from lathwick.geometry.curves import Circle, Ellipse, Line
from lathwick.geometry.many_curves import boxes_of, points_along, points_of
from lathwick.geometry.spline import interpolated_fit

number = st.floats(-9, 9)
place = st.tuples(number, number, number)
size = st.floats(0.1, 8)


@st.composite
def frames(draw):
    way = draw(place.filter(lambda v: np.linalg.norm(v) > 0.1))
    return lw.Plane(draw(place), way)


@st.composite
def pieces(draw):
    """A curve of any kind that has a form, and the ends of a piece of it."""
    kind = draw(st.sampled_from([Line, Circle, Ellipse, Hyperbola, Parabola]))
    frame, a, b = draw(frames()), draw(size), draw(size)
    start = draw(st.sampled_from([0.0, math.pi / 2, 1.0, -2.5]))
    width = draw(st.sampled_from([math.pi / 2, math.pi, math.tau, 0.3]))
    if kind is Line:
        return Line(frame.origin, frame.normal), start, start + width
    curve = kind(frame, a) if kind in (Circle, Parabola) else kind(frame, a, b)
    return curve, start, start + width


@settings(max_examples=60, deadline=None)
@given(st.lists(pieces(), min_size=1, max_size=9))
def test_curves_of_all_kinds(some):
    """Points and derivatives of each; a spline among them goes its own way."""
    spline = interpolated_fit(np.array([0.0, 1.0, 2.0, 3.0]), np.eye(4, 3), False)
    curves = [spline, *(curve for curve, _, _ in some)]
    t = np.array([np.linspace(0.1, 2.9, 5), *(np.linspace(t0, t1, 5) for _, t0, t1 in some)])
    found = points_along(curves, t)
    for k, curve in enumerate(curves):
        scale = 1e-13 * (1.0 + np.abs(curve.points(t[k])).max())
        assert np.abs(found.points[k] - curve.points(t[k])).max() <= scale
        assert np.abs(found.derivatives[k] - curve.derivatives(t[k])).max() <= scale
        assert (points_of(curves, t)[k] == found.points[k]).all()


@settings(max_examples=80, deadline=None)
@given(st.lists(pieces().filter(lambda p: isinstance(p[0], (Line, Circle, Ellipse))), min_size=1, max_size=9))
def test_boxes_of_pieces(some):
    """As tight as a thousand samples tell, and never too small."""
    curves, first, last = zip(*some, strict=True)
    boxes = boxes_of(curves, np.array(first), np.array(last))
    for (curve, t0, t1), box in zip(some, boxes, strict=True):
        points = curve.points(np.linspace(t0, t1, 1001))
        slack = 1e-13 * (1.0 + np.abs(points).max())
        assert (points >= box[0] - slack).all() and (points <= box[1] + slack).all()
        reach = np.array([points.min(axis=0), points.max(axis=0)])
        assert np.abs(box - reach).max() <= 1e-5 * (1.0 + np.ptp(points, axis=0).max())


# ---------------------------------------------------------------------- faces of unlike size in one body


def test_balls_of_many_sizes_in_one_body():
    """Caps, whole balls and lenses, whose strips are measured together."""
    random = np.random.default_rng(5)
    bodies, volume, area = [], 0.0, 0.0
    for k, radius in enumerate(random.uniform(0.5, 3.0, 12)):
        height = random.uniform(-0.8, 0.8) * radius
        ball = lw.sphere(radius, on=lw.Plane((9.0 * k, 0, 0), random.normal(size=3)))
        if k % 3:
            cut = lw.Plane((9.0 * k, 0, 0), random.normal(size=3)).offset(height)
            ball = lw.split(ball, cut)
            ball = lw.separate(ball)[0]
            other = ball.faces().planar()[0]
            depth = radius + float(np.dot(np.subtract(other.center, (9.0 * k, 0, 0)), other.normal))
            volume += math.pi * depth**2 * (radius - depth / 3)
            area += math.tau * radius * depth + math.pi * depth * (2 * radius - depth)
        else:
            volume += 4 / 3 * math.pi * radius**3
            area += 4 * math.pi * radius**2
        bodies.append(ball)
    whole = lw.union(*bodies)
    assert whole.volume == pytest.approx(volume, rel=1e-12)
    assert whole.area == pytest.approx(area, rel=1e-12)
    assert sum(face.area for face in whole.faces()) == pytest.approx(area, rel=1e-12)


@pytest.mark.parametrize("hollow", [False, True])
def test_rings_of_many_sizes_in_one_body(hollow):
    """Whole rings, halves of rings and bowls of rings, turned anyhow; as solids and as holes of a block."""
    random = np.random.default_rng(8)
    bodies, volume, area = [], 0.0, 0.0
    for k, (major, minor) in enumerate(random.uniform((2.0, 0.3), (3.0, 1.2), (9, 2))):
        on = lw.Plane((9.0 * k, 0, 0), random.normal(size=3))
        ring = lw.torus(major, minor, on=on)
        whole, around = 2 * math.pi**2 * major * minor**2, 4 * math.pi**2 * major * minor
        if k % 3 == 0:
            volume, area = volume + whole, area + around
        elif k % 3 == 1:  # half of the way round
            ring = lw.separate(lw.split(ring, lw.Plane(on.origin, on.x)))[0]
            volume, area = volume + whole / 2, area + around / 2 + math.tau * minor**2
        else:  # the upper half: a bowl
            ring = lw.separate(lw.split(ring, on))[0]
            volume, area = volume + whole / 2, area + around / 2 + 4 * math.pi * major * minor
        bodies.append(ring)
    made = lw.union(*bodies)
    if hollow:
        low, high = (np.array(side) for side in made.bounds)
        block = lw.box(*(high - low + 2), on=lw.Plane(low - 1, (0, 0, 1)))
        made = lw.cut(block, made)
        a, b, c = (high - low + 2).tolist()
        volume, area = a * b * c - volume, 2 * (a * b + b * c + c * a) + area
        assert made.lumps == 1
    assert made.volume == pytest.approx(volume, rel=1e-12)
    assert made.area == pytest.approx(area, rel=1e-12)


def test_rims_and_corners_of_many_sizes():
    """Blocks with all edges rounded, each with its own radius, in one body: by Steiner's formula."""
    bodies, volume = [], 0.0
    for k, radius in enumerate(np.linspace(0.4, 2.4, 6).tolist()):
        sides = np.array([6.0 + k, 5.0 + radius, 7.0])
        block = lw.box(*sides, on=lw.Plane((15.0 * k, 0, 0), (0.1 * k, 0.2, 1)))
        bodies.append(lw.fillet(block, block.edges(), radius))
        a, b, c = (sides - 2 * radius).tolist()
        volume += a * b * c + 2 * radius * (a * b + b * c + c * a)
        volume += math.pi * radius**2 * (a + b + c) + 4 / 3 * math.pi * radius**3
    whole = lw.union(*bodies)
    assert whole.volume == pytest.approx(volume, rel=1e-12)
    turned = lw.turn(lw.move(whole, 3, -2, 1), 40, lw.Axis((1, 2, 3), (2, -1, 0.5)))
    assert turned.volume == pytest.approx(volume, rel=1e-12)
    assert turned.area == pytest.approx(whole.area, rel=1e-12)
