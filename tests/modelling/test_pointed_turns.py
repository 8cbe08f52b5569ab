"""Turned arcs that end in the axis at an angle: bullets, lenses, and rings that dimple in the middle."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.integrate import quad

import lathwick as lw

from ..conftest import sound

SHAPES = {
    "bullet": (-3, 5, 0.0),
    "needle": (-30, 31, 0.0),
    "apple": (3, 5, 0.0),
    "nearly a ring": (4.9, 5, 0.0),
    "lens": (-3, 5, None),
    "two dimples": (3, 5, None),
}
"""The arc's center beside the axis (below 0 beyond it), its radius, and the height of the flat end; None
without one: then the arc goes on to the axis on both sides."""


def pointed(center, radius, base, angle=360.0):
    tip = math.sqrt(radius**2 - center**2)
    sk = lw.Sketch(lw.XZ)
    if base is None:
        arc = sk.arc((center, 0), (0, -tip), (0, tip), name="arc")
        sk.line(arc.end, arc.start)
    else:
        arc = sk.arc((center, 0), (center + math.sqrt(radius**2 - base**2), base), (0, tip), name="arc")
        sk.polyline([arc.end, (0, base), arc.start])
    return lw.revolve(sk, lw.Z, angle, step="turn")


def gap(p, center, radius, base):
    """Below 0 inside: a lens between two arcs, or a ring filled in up to its middle."""
    reach = np.hypot(p[:, 0], p[:, 1])
    gaps = np.where(reach < center, np.abs(p[:, 2]) - radius, np.hypot(reach - center, p[:, 2]) - radius)
    if center > 0:
        gaps = np.hypot(reach - center, p[:, 2]) - radius
    return gaps if base is None else np.maximum(gaps, base - p[:, 2])


def volume(center, radius, base):
    half = quad(lambda x: math.tau * x * math.sqrt(radius**2 - (x - center) ** 2), 0, center + radius)[0]
    return half if base is not None else 2 * half


@pytest.mark.parametrize("angle", [360, 270, 90])
@pytest.mark.parametrize("shape", SHAPES)
def test_measures(shape, angle, tmp_path, outside_check):
    center, radius, base = SHAPES[shape]
    body = pointed(center, radius, base, angle)
    assert body.volume == pytest.approx(volume(center, radius, base) * angle / 360, rel=1e-9)
    turn = math.acos(-center / radius)
    side = math.tau * radius * (center * turn + radius * math.sin(turn)) * (1 if base is not None else 2)
    ends = 0.0 if base is None else math.pi * (center + radius) ** 2
    flat = 0.0 if angle == 360 else (1 if base is not None else 2) * (
        radius**2 * turn + center * math.sqrt(radius**2 - center**2))  # fmt: skip
    assert body.area == pytest.approx((side + ends) * angle / 360 + flat, rel=1e-9)
    tip = math.sqrt(radius**2 - center**2) if center < 0 else radius
    (_, _, low), (*_, high) = body.bounds
    assert (low, high) == pytest.approx((-tip if base is None else base, tip), rel=1e-12)
    points = np.random.default_rng(1).uniform(-10, 10, (2000, 3))
    around = np.degrees(np.arctan2(points[:, 1], points[:, 0])) % 360
    exact = (gap(points, center, radius, base) < 0) & (around < angle)
    assert (body.contains(points) == exact).all()
    sound(body, tmp_path, outside_check)


@pytest.mark.parametrize("shape", SHAPES)
def test_parts_add_up(shape, tmp_path, outside_check):
    """Cut through the tip, beside it, across, and by a bore askew."""
    body = pointed(*SHAPES[shape])
    knives = [
        lw.box(40, 40, 80, on=lw.Plane((0, -20, -40), (0, 0, 1))),
        lw.box(40, 40, 80, on=lw.Plane((0.1, -20, -40), (0, 0, 1))),
        lw.box(40, 40, 40, on=lw.Plane((-20, -20, 0.5), (0, 0, 1))),
        lw.cylinder(0.3, 80, on=lw.Plane((0, 0, -40), (0, 0, 1))),
        lw.cylinder(0.3, 80, on=lw.Plane((-20, 0.05, 0.3), (1, 0, 0.1))),
    ]
    for number, knife in enumerate(knives):
        parts = lw.cut(body, knife), lw.intersect(body, knife)
        assert sum(part.volume for part in parts) == pytest.approx(body.volume, rel=1e-9)
        sound(parts[number % 2], tmp_path, outside_check)
    half = lw.cut(body, knives[0])
    assert half.volume == pytest.approx(body.volume / 2, rel=1e-9)
    assert lw.mirror(half, lw.YZ).volume == pytest.approx(body.volume, rel=1e-9)


@pytest.mark.parametrize("shape", SHAPES)
def test_copies_rounds_and_shells(shape, tmp_path, outside_check):
    body = pointed(*SHAPES[shape])
    assert lw.scale(body, 2).volume == pytest.approx(8 * body.volume, rel=1e-12)
    moved = lw.turn(lw.move(body, 1, 2, 3), 33, lw.Axis((1, 2, 3), (1, 1, 0)))
    assert moved.volume == pytest.approx(body.volume, rel=1e-12)
    if SHAPES[shape][0] < 0:
        sound(lw.linear_pattern(body, 3, 0.4, lw.X), tmp_path, outside_check)
    rims = body.edges().convex()
    if rims:
        for detailed in (lw.fillet(body, rims, 0.2), lw.chamfer(body, rims, 0.2)):
            assert detailed.volume < body.volume
            sound(detailed, tmp_path, outside_check)
    if SHAPES[shape][2] is None:
        center, radius, _ = SHAPES[shape]
        hollow = lw.shell(body, 0.2)
        inner = volume(center, radius - 0.2, None)
        assert hollow.volume == pytest.approx(body.volume - inner, rel=1e-9)


def test_a_box_on_the_tip_of_a_lens_touches_it_in_a_point():
    lens = pointed(*SHAPES["lens"])
    box = lw.box(4, 4, 4, on=lw.Plane((-2, -2, 4), (0, 0, 1)))
    assert lw.union(lens, box).lumps == 2
    assert lw.union(lens, box).volume == pytest.approx(lens.volume + 64, rel=1e-12)


@pytest.mark.parametrize("closed", [False, True])
def test_an_arc_that_touches_the_axis_is_refused(closed):
    sk = lw.Sketch(lw.XZ)
    if closed:
        sk.circle((2, 0), 2)
    else:
        arc = sk.arc((2, 0), (2, -2), (0, 0), clockwise=True)
        sk.polyline([arc.end, (0, -2), arc.start])
    with pytest.raises(lw.ModellingError, match="touches the axis"):
        lw.revolve(sk, lw.Z)
