"""Sweeps against area times length, and against the same shapes put together from primitives."""

from __future__ import annotations

import math

import numpy as np
import pytest

import lathwick as lw

from ..conftest import sound

RECT = 20 * 12 - 9 * (4 - math.pi)


def ring(outer, inner, path):
    sk = lw.Sketch(path.plane_at(0))
    sk.circle((0, 0), outer)
    if inner:
        sk.circle((0, 0), inner)
    return sk


def rounded_rectangle(path, plane=None):
    sk = lw.Sketch(plane or path.plane_at(0))
    sk.rectangle(20, 12, center=(0, 0), rounding=3)
    return sk


def wave():
    sk = lw.Sketch(lw.XY)
    sk.spline([(0, 0), (60, 20), (120, -20), (200, 40)])
    return lw.path(sk)


BENT = lw.route([(0, 0, 0), (100, 0, 0), (100, 80, 0), (100, 80, 60)], bend=[20, 25])
SHARP = lw.route([(0, 0, 0), (100, 0, 0), (100, 80, 0), (100, 80, 60)])
FRAME = lw.route([(0, 0, 0), (100, 0, 0), (100, 80, 0), (0, 80, 0), (0, 0, 0)])


def test_routes():
    """Legs and bends in closed form; places on them; what is too short says what it needs."""
    assert BENT.length == pytest.approx(240 - 2 * 45 + math.pi / 2 * 45, rel=1e-14)
    assert BENT.point_at(0) == (0, 0, 0)
    assert BENT.point_at(1) == pytest.approx((100, 80, 60), abs=1e-12)
    assert BENT.plane_at(0.6).normal == pytest.approx((0, 1, 0), abs=1e-12)
    assert FRAME.is_closed
    with pytest.raises(lw.ModellingError, match=r"leg 1 of the route is 10 long, but its bends need 12"):
        lw.route([(0, 0, 0), (10, 0, 0), (10, 30, 0)], bend=12)
    with pytest.raises(lw.ModellingError, match="turns back"):
        lw.route([(0, 0, 0), (10, 0, 0), (2, 0, 0)], bend=1)
    with pytest.raises(lw.ModellingError, match="2 corners, but bend gives 1"):
        lw.route([(0, 0, 0), (10, 0, 0), (10, 9, 0), (0, 9, 0)], bend=[1])


@pytest.mark.parametrize("path", [BENT, SHARP, FRAME], ids=["bent", "sharp", "frame"])
def test_a_rounded_rectangle_along_lines_and_arcs(path, tmp_path, outside_check):
    """The section's area times the length (Pappus), on planes, cylinders and tori."""
    body = lw.sweep(rounded_rectangle(path), path, step="rail")
    assert body.volume == pytest.approx(RECT * path.length, rel=1e-12)
    assert {face.kind for face in body.faces()} <= {"plane", "cylinder", "torus"}
    assert len(body.faces("rail/side")) == 8 * len(path.legs)
    assert path is FRAME or len(body.faces("rail/start")) == len(body.faces("rail/end")) == 1
    sound(body, tmp_path, outside_check)


def test_a_pipe_is_made_of_cylinders_and_tori():
    body = lw.sweep(ring(10, 8, BENT), BENT, step="pipe")
    assert body.volume == pytest.approx(math.pi * 36 * BENT.length, rel=1e-14)
    assert [face.kind for face in body.faces("pipe/side")].count("torus") == 4
    drilled = lw.cut(body, lw.cylinder(3, 40, on=lw.Plane((40, 0, -20), (0, 0, 1))))
    assert drilled.volume < body.volume
    solid = lw.sweep(ring(10, 0, BENT), BENT)
    assert lw.shell(solid, 2, open=solid.faces().planar()).volume == pytest.approx(body.volume, rel=1e-12)


def test_a_spring_whose_profile_stands_in_a_plane_of_its_axis(tmp_path, outside_check):
    """As one turns it: what moves on is the part of the way that is square to the plane. Its turns come near
    each other, which the proof of its STEP file must not take for an error."""
    profile = lw.Sketch(lw.Plane((20, 0, 0), (0, 1, 0)))
    profile.circle((0, 0), 1.5)
    spring = lw.sweep(profile, lw.helix(20, 5, turns=2))
    assert spring.volume == pytest.approx(math.pi * 1.5**2 * math.tau * 20 * 2, rel=1e-10)
    lw.save(spring, tmp_path / "spring.step")
    outside_check(tmp_path / "spring.step")


def test_a_spring(tmp_path, outside_check):
    """Area times length; closed form of the length."""
    path = lw.helix(20, 8, turns=1)
    assert path.length == pytest.approx(math.hypot(math.tau * 20, 8), rel=1e-10)
    body = lw.sweep(ring(2, 0, path), path)
    assert body.volume == pytest.approx(math.pi * 4 * path.length, rel=1e-11)
    assert body.bounds[1][2] == pytest.approx(8 + 2 * math.cos(math.atan2(8, math.tau * 20)), abs=1e-6)
    short = lw.helix(20, 8, turns=0.25)
    sound(lw.sweep(ring(2, 0, short), short), tmp_path, outside_check)
    left = lw.helix(20, 8, height=16, left=True)
    assert left.point_at(1 / 8)[1] == pytest.approx(-20, abs=1e-6)
    with pytest.raises(lw.ModellingError, match="closes after"):
        lw.helix(5, 2, turns=10, taper=-60)
    with pytest.raises(lw.ModellingError, match="either turns or a height"):
        lw.helix(5, 2)


def test_along_a_spline():
    """A pipe of canals: area times length, as the path runs through the centroid."""
    path = wave()
    pipe = lw.sweep(ring(10, 7, path), path)
    assert pipe.volume == pytest.approx(math.pi * 51 * path.length, rel=1e-11)


def test_a_twisted_bar():
    """A square, twisted by a quarter: the cross-section stays, at any height turned."""
    path = lw.route([(0, 0, 0), (0, 0, 50)])
    sk = lw.Sketch(lw.XY)
    sk.rectangle(8, 6, center=(0, 0))
    body = lw.sweep(sk, path, twist=90)
    assert body.volume == pytest.approx(48 * 50, rel=1e-9)
    points = np.random.default_rng(0).uniform((-6, -6, 0.1), (6, 6, 49.9), (400, 3))
    a = np.radians(90 / 50 * points[:, 2])
    u = np.cos(a) * points[:, 0] + np.sin(a) * points[:, 1]
    v = np.cos(a) * points[:, 1] - np.sin(a) * points[:, 0]
    clear = (np.abs(np.abs(u) - 4) > 1e-6) & (np.abs(np.abs(v) - 3) > 1e-6)
    assert (body.contains(points) == ((np.abs(u) < 4) & (np.abs(v) < 3)))[clear].all()


def test_round_corners():
    """A rod with a round corner is two cylinders and a ball; a hollow one lets the bore through."""
    path = lw.route([(0, 0, 0), (100, 0, 0), (100, 80, 0)])
    rods = [lw.cylinder(10, 100, on=lw.Plane((0, 0, 0), (1, 0, 0)))]
    rods += [lw.cylinder(10, 80, on=lw.Plane((100, 0, 0), (0, 1, 0)))]
    ball = lw.sphere(10, on=lw.Plane((100, 0, 0), (0, 0, 1)))
    exact = lw.union(*rods, ball)
    rod = lw.sweep(ring(10, 0, path), path, corner="round")
    assert rod.volume == pytest.approx(exact.volume, rel=1e-12)
    pipe = lw.sweep(ring(10, 8, path), path, corner="round")
    assert not pipe.contains([(92.0, 5.0, 0.0), (100.0, 20.0, 0.0), (50.0, 0.0, 0.0)]).any()
    assert pipe.volume < rod.volume - math.pi * 64 * 160


def test_a_profile_at_an_angle_to_the_path():
    """It is carried as it stands: a slanting prism has the area times the height."""
    path = lw.route([(0, 0, 0), (30, 0, 50)])
    body = lw.sweep(rounded_rectangle(path, lw.XY), path)
    assert body.volume == pytest.approx(RECT * 50, rel=1e-12)
    assert body.bounds[1][2] == pytest.approx(50, abs=1e-12)


def test_paths_of_sketches_and_edges():
    """A sketch of one chain, drawn in any order; the edges of a face; a list of routes."""
    sk = lw.Sketch(lw.XY)
    sk.line((40, 0), (40, 30))
    sk.line((0, 0), (40, 0))
    assert lw.path(sk).length == pytest.approx(70)
    box = lw.box(40, 30, 10, step="box")
    rim = lw.path(box.edges("box/top"))
    assert rim.is_closed
    assert rim.length == pytest.approx(140)
    two = lw.path([lw.route([(0, 0, 0), (5, 0, 0)]), lw.route([(5, 0, 0), (5, 7, 0)])])
    assert two.length == pytest.approx(12)
    with pytest.raises(lw.ModellingError, match="must join"):
        lw.path([lw.route([(0, 0, 0), (5, 0, 0)]), lw.route([(6, 0, 0), (6, 7, 0)])])


def test_what_cannot_be_swept_says_where_and_how_much():
    plane = lw.Plane((0, 0, 0), (1, 0, 0))
    disc = lw.Sketch(plane)
    disc.circle((0, 0), 10)
    tight = lw.route([(0, 0, 0), (50, 0, 0), (50, 50, 0)], bend=8)
    with pytest.raises(
        lw.ModellingError, match=r"near \(42, 0, 0\): a bend there needs a radius of more than 10"
    ):
        lw.sweep(disc, tight)
    with pytest.raises(lw.ModellingError, match=r"leg 1 of the path is 5 long.*more than 10"):
        lw.sweep(disc, lw.route([(0, 0, 0), (5, 0, 0), (5, 50, 0)]))
    with pytest.raises(lw.ModellingError, match="starts in the plane of the profile"):
        lw.sweep(disc, lw.route([(0, 0, 0), (0, 5, 0)]))
    job = lw.Job()
    with pytest.raises(lw.ModellingError, match='step "rod"'):
        job.sweep("rod", disc, tight)


@pytest.mark.parametrize("turn", [360.0, 200.0])
def test_splines_and_ellipses_revolve(turn):
    """Pappus: area times the way of the centroid."""
    for draw in (lambda sk: sk.ellipse((10, 0), 3, 2, angle=30),
                 lambda sk: sk.spline([(5, 0), (8, 1), (9, 4), (7, 6), (5, 4)], close=True)):  # fmt: skip
        sk = lw.Sketch(lw.XZ)
        draw(sk)
        region = sk.regions()[0]
        body = lw.revolve(region, lw.Z, turn)
        exact = math.radians(turn) * region.centroid[0] * region.area
        assert body.volume == pytest.approx(exact, rel=1e-12)


def test_a_path_that_comes_back_to_itself():
    """A coil closer than its wire, and a rod that crosses its own first leg, are refused with the place; a
    sharp corner is not taken for such."""
    for pitch, wire in ((3.9, 2.0), (7.0, 3.6)):
        coil = lw.helix(20, pitch, turns=3)
        with pytest.raises(lw.ModellingError, match="would run into itself near"):
            lw.sweep(ring(wire, 0, coil), coil)
    loop = [(0, 0, 0), (100, 0, 0), (100, 50, 0), (50, 50, 0)]
    crossing = lw.route([*loop, (50, -40, 0)])
    with pytest.raises(lw.ModellingError, match="would run into itself near"):
        lw.sweep(ring(6, 0, crossing), crossing)
    past = lw.route([*loop, (50, -40, 40)])
    assert lw.sweep(ring(6, 0, past), past).volume == pytest.approx(math.pi * 36 * past.length, rel=1e-12)
    a = math.radians(20)
    sharp = lw.route([(0, 0, 0), (100, 0, 0), (100 - 100 * math.cos(a), 100 * math.sin(a), 0)])
    assert lw.sweep(ring(3, 0, sharp), sharp).volume == pytest.approx(math.pi * 9 * 200, rel=1e-12)


def test_extrusions_that_turn_or_grow():
    """A twisted one keeps its area; a grown one is a frustum of a pyramid or a cone."""
    sk = lw.Sketch(lw.XY)
    sk.rectangle(8, 6, center=(0, 0))
    assert lw.extrude(sk, 20, twist=60).volume == pytest.approx(48 * 20, rel=1e-9)
    grown = lw.extrude(sk, 20, scale=0.5, step="stub")
    assert grown.volume == pytest.approx(48 * 20 / 3 * (1 + 0.5 + 0.25), rel=1e-12)
    assert len(grown.faces("stub/end")) == 1
    ring = lw.Sketch(lw.XZ)
    ring.circle((0, 0), 5)
    ring.circle((0, 0), 3)
    funnel = lw.extrude(ring, 9, scale=2)
    assert funnel.volume == pytest.approx(math.pi * 16 * 9 / 3 * 7, rel=1e-12)
    assert [face.kind for face in funnel.faces()].count("cone") == 2
    with pytest.raises(lw.ModellingError, match="one at a time"):
        lw.extrude(sk, 5, scale=2, twist=10)


def test_copies_along_a_path():
    """Posts along a bent rail, evenly by its length, turned as it turns; round a closed one none twice."""
    way = lw.route([(0, 0, 0), (100, 0, 0), (100, 100, 0)], bend=30)
    post = lw.cylinder(2, 10, on=lw.Plane((0, 0, 0), (0, 0, 1)))
    posts = lw.path_pattern(post, way, 5)
    assert posts.lumps == 5
    assert posts.volume == pytest.approx(5 * post.volume, rel=1e-12)
    middle = way.point_at(0.5)
    assert posts.contains([(middle[0], middle[1], 5), (100, 100, 5), (0, 0, 5)]).all()
    block = lw.box(4, 1, 1, center=True)
    turned = lw.path_pattern(block, way, 2)
    assert turned.contains([(100, 101.9, 0), (1.9, 0, 0)]).all()
    assert not turned.contains([(101.9, 100, 0)]).any()
    assert lw.path_pattern(post, FRAME, 8).lumps == 8


@pytest.mark.parametrize(
    "call",
    [
        lambda: lw.route(5),
        lambda: lw.route([(0, "a", 0), (1, 1, 1)]),
        lambda: lw.helix(3, 2, turns=2, taper="q"),
        lambda: lw.sweep(ring(1, 0, BENT), BENT, twist="a"),
        lambda: lw.extrude(ring(1, 0, BENT), 5, scale="x"),
        lambda: lw.loft(5),
        lambda: lw.path(3),
    ],
)
def test_odd_arguments_get_one_line(call):
    with pytest.raises(lw.ModellingError, match="got"):
        call()


def test_a_twist_that_is_too_steep_is_refused():
    """Sections keep their area; a twist whose walls would not is no body."""
    sk = lw.Sketch()
    sk.circle((3, 3), 1)
    assert lw.extrude(sk.regions(), 3, twist=180).volume == pytest.approx(3 * math.pi, rel=1e-9)
    with pytest.raises(lw.ModellingError, match=r"too steep for this profile|no valid solid"):
        lw.extrude(sk.regions(), 3, twist=360.5)
    assert lw.extrude(sk.regions(), 30, twist=360.5).volume == pytest.approx(30 * math.pi, rel=1e-9)
