"""Threads against their profile turned: a screw motion keeps volume; and helices against dense samples."""

from __future__ import annotations

import math

import numpy as np
import pytest

import lathwick as lw

from ..conftest import sound

DEEP = 0.625 * math.sqrt(0.75)


def shaft(radius=5.0, length=18.0):
    """A shaft that stands on a head."""
    return lw.union(lw.cylinder(radius, length), lw.cylinder(radius + 4, 4, on=lw.XY.offset(-4)))


def round_face(body, radius):
    return body.faces().cylindrical().where(lambda face: abs(face.radius - radius) < 1e-9)


def between(body, low, high, size=20.0):
    return lw.intersect(
        body, lw.box(2 * size, 2 * size, high - low, on=lw.Plane((-size, -size, low), (0, 0, 1)))
    )


def turned_away(pitch, radius, opening, side):
    """What the basic profile takes along its axis for each unit of length."""
    deep, root = DEEP * pitch, opening - 2 * DEEP * pitch * math.tan(math.radians(30))
    area = 0.5 * (opening + root) * deep
    lever = deep / 3 * (opening + 2 * root) / (opening + root)
    return area * 2 * math.pi * (radius + side * lever) / pitch


def test_a_bolt_and_a_thread_of_the_other_hand():
    """Away from the run-out a slice is the profile turned, to 1e-10; the mirror image is the other hand."""
    body = shaft()
    right = lw.thread(body, round_face(body, 5), 2.0, 12, step="bolt")
    sliced = between(right, 9, 15)
    assert sliced.volume == pytest.approx(6 * (25 * math.pi - turned_away(2, 5, 1.75, -1)), rel=1e-10)
    left = lw.thread(body, round_face(body, 5), 2.0, 12, left=True)
    assert left.volume == pytest.approx(right.volume, rel=1e-12)
    assert lw.mirror(right, lw.XZ, keep=False).volume == pytest.approx(right.volume, rel=1e-12)
    assert lw.scale(right, 25.4).volume == pytest.approx(right.volume * 25.4**3, rel=1e-11)
    assert {name for face in right.faces() for name in face.names} >= {
        "bolt/side:root", "bolt/side:low", "bolt/side:high"
    }  # fmt: skip


@pytest.mark.parametrize("run_out", [0.0, 0.25, 1.0])
def test_run_outs(run_out):
    """The depth fades as 1 - t**3; without a run-out the groove ends across."""
    body, pitch, opening = shaft(), 2.0, 1.75
    made = lw.thread(body, round_face(body, 5), pitch, 10, run_out=run_out)
    deep, root = DEEP * pitch, opening - 2 * DEEP * pitch * math.tan(math.radians(30))
    area = 0.5 * (opening + root) * deep
    lever = area * deep / 3 * (opening + 2 * root) / (opening + root)
    gone = turned_away(pitch, 5, opening, -1) * (10 - 0.5 * opening)
    gone += 2 * math.pi * run_out * (0.75 * area * 5 - 9 / 14 * lever)
    assert body.volume - made.volume == pytest.approx(gone, rel=1e-9)


def test_inside_threads(tmp_path, outside_check):
    """Through a nut, and in a blind hole from its mouth."""
    pitch, inner = 1.5, 5 - DEEP * 1.5
    nut = lw.cut(lw.cylinder(9, 8), lw.cylinder(inner, 8))
    made = lw.thread(nut, round_face(nut, inner), pitch)
    gone = 8 * turned_away(pitch, inner, 0.75 * pitch, 1)
    assert nut.volume - made.volume == pytest.approx(gone, rel=1e-11)
    blind = lw.cut(lw.cylinder(9, 14), lw.cylinder(inner, 14, on=lw.XY.offset(4)))
    tapped = lw.thread(blind, round_face(blind, inner), pitch, 6)
    assert between(blind, 10, 14).volume - between(tapped, 10, 14).volume == pytest.approx(
        gone / 2, rel=1e-11
    )
    short = lw.thread(blind, round_face(blind, inner), 4, 5, run_out=0.25)
    sound(short, tmp_path, outside_check)


def test_a_bolt_and_its_nut_mesh():
    """With play they do not touch; half a pitch off they collide."""
    pitch, inner = 1.5, 5 - DEEP * 1.5
    rod, blank = lw.cylinder(4.95, 12), lw.cut(lw.cylinder(9, 4), lw.cylinder(inner, 4))
    bolt = lw.thread(rod, round_face(rod, 4.95), pitch)
    nut = lw.thread(blank, round_face(blank, inner), pitch, play=0.02)
    on = lw.move(nut, 0, 0, 3 * pitch)
    with pytest.raises(lw.ModellingError, match="nothing in common"):
        lw.intersect(bolt, on)
    off = lw.intersect(bolt, lw.move(nut, 0, 0, 3.5 * pitch))
    assert off.volume > 5


def test_profiles_of_ones_own():
    """A square groove and a round one."""
    body = shaft()
    square = lw.Sketch(lw.XY)
    square.polyline([(-0.7, 0), (0.7, 0), (0.7, 0.8), (-0.7, 0.8)], close=True)
    made = lw.thread(body, round_face(body, 5), 3, 14, profile=square)
    per_unit = 1.4 * 0.8 * 2 * math.pi * 4.6 / 3
    got = between(made, 10, 16).volume
    assert got == pytest.approx(6 * (25 * math.pi - per_unit), rel=1e-12)
    half = lw.Sketch(lw.XY)
    half.line((-0.7, 0), (0.7, 0))
    half.arc((0, 0), (0.7, 0), (-0.7, 0))
    rounded = lw.thread(body, round_face(body, 5), 3, 12, profile=half, run_out=0)
    area, lever = math.pi * 0.49 / 2, 2 / 3 * 0.7**3
    got = between(rounded, 10, 16).volume
    assert got == pytest.approx(6 * 25 * math.pi - 4 * math.pi * (5 * area - lever), rel=1e-11)


@pytest.mark.parametrize("length", [10.875, 10.0])
def test_shafts_with_a_flat(length):
    """As the thread of the whole shaft, cut: also where the groove ends across in the plane of the flat."""
    whole = lw.cylinder(5, 18)
    half = lw.box(20, 10, 40, on=lw.Plane((-10, 0, -10), (0, 0, 1)))
    flat, top = lw.intersect(whole, half), lw.Plane((0, 0, 18), (0, 0, 1))

    def cut(body):
        end = body.faces().planar().where(lambda face: face.lies_in(top))
        return lw.thread(body, round_face(body, 5), 2.0, length, run_out=0, start=end)

    assert cut(flat).volume == pytest.approx(lw.intersect(cut(whole), half).volume, rel=1e-10)


@pytest.mark.parametrize(
    ("wrong", "message"),
    [
        ({"pitch": 12}, "pitch may be at most 9.2376"),
        ({"pitch": 2, "length": 17.5}, "does not fit on a face 18 long: at most 16.9"),
        ({"pitch": 2, "play": 0.2}, "play is from 0 to less than 0.108253"),
        ({"pitch": 2, "run_out": 2}, "takes 0 to 1 turns"),
        ({"pitch": 1, "profile": "a"}, "a profile is a sketch"),
        ({"pitch": 2, "start": 3}, "starts at a face or an edge"),
    ],
)
def test_what_does_not_fit_is_refused_with_its_limit(wrong, message):
    body = shaft()
    with pytest.raises(lw.ModellingError, match=message):
        lw.thread(body, round_face(body, 5), **wrong)
    plain = lw.cylinder(5, 20)
    with pytest.raises(lw.ModellingError, match="with start= at which end"):
        lw.thread(plain, round_face(plain, 5), 2, 10)
    with pytest.raises(lw.ModellingError, match="into a cylinder, not into a plane"):
        lw.thread(body, body.faces().planar()[0], 2)


def test_nearest_points_of_helices():
    """Against dense samples, of points near and far, flat and steep."""
    rng = np.random.default_rng(4)
    for _ in range(40):
        radius, pitch = rng.uniform(0.5, 6), 10 ** rng.uniform(-1, 1.5)
        curve = lw.helix(radius, pitch, turns=3, left=bool(rng.integers(2))).legs[0].curve
        point = tuple(rng.uniform(-8, 8, 3))
        found = math.dist(curve.point(curve.parameter(point)), point)
        level = abs(point[2]) / pitch * 2 * math.pi
        t = np.linspace(-level - 7, level + 7, 40_001)
        least = np.linalg.norm(curve.points(t) - np.array(point), axis=1).min()
        assert least - 1e-4 * radius <= found <= least + 1e-12
