"""Turned splines and ellipses: vases, domes, tips, rings, against Pappus and distances from the profile."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.spatial import cKDTree

import lathwick as lw

from ..conftest import unsound

ENDS = {"vase": (26, 60), "dome": (0, 60), "tip": (0, 60)}


def waist(seed: int) -> list[tuple[float, float]]:
    """Places through which the side of a vase runs."""
    rng = np.random.default_rng(seed)
    count = int(rng.integers(2, 5))
    heights = 60 * (np.arange(count) + rng.uniform(0.6, 1.4, count)) / (count + 1)
    return [(float(r), float(h)) for r, h in zip(rng.uniform(15, 32, count), heights, strict=True)]


def profile(kind: str, seed: int = 1) -> lw.Sketch:
    sketch = lw.Sketch(lw.XZ)
    inner = waist(seed)
    shoulder = {"vase": [], "dome": [(9, 58.5)], "tip": [(6, 50)]}[kind]
    side = sketch.spline([(20, 0), *inner, *shoulder, ENDS[kind]], name="side")
    corners = [(0, 60), (0, 0)] if kind == "vase" else [(0, 0)]
    sketch.polyline([side.end, *corners, side.start])
    return sketch


def turned(kind: str, seed: int = 1, angle: float = 360.0) -> lw.Body:
    return lw.revolve(profile(kind, seed), lw.Z, angle, step="v")


def foot_of(body: lw.Body) -> lw.Selection:
    return body.faces().on(lw.XY)


def side_of(kind: str, seed: int) -> cKDTree:
    """Places of the side of a body, in its half-plane, so close together that distances are right to 1e-6."""
    edges = [e.brep for e in turned(kind, seed, 90).edges() if abs(e.center[1]) < 1e-9]
    (edge,) = (e for e in edges if e.curve.kind == "spline")
    points = edge.curve.points(np.linspace(edge.t0, edge.t1, 60_000))
    return cKDTree(points[:, [0, 2]])


def wrong(region: lw.Region, body: lw.Body, angle: float = 360.0) -> int:
    points = np.random.default_rng(5).uniform((-35, -35, -2), (35, 35, 63), (300, 3))
    around = np.degrees(np.arctan2(points[:, 1], points[:, 0])) % 360
    flat = zip(np.hypot(points[:, 0], points[:, 1]).tolist(), points[:, 2].tolist(), strict=True)
    inside = np.array([region.contains(p) for p in flat]) & (around < angle)
    return int((inside != body.contains(points)).sum())


@pytest.mark.parametrize("angle", [360, 200, 90])
@pytest.mark.parametrize("kind", ENDS)
def test_volume_by_pappus_and_inside_by_the_profile(kind, angle, tmp_path):
    (region,) = profile(kind).regions()
    body = turned(kind, 1, angle)
    assert body.volume == pytest.approx(math.radians(angle) * region.area * region.centroid[0], rel=1e-11)
    assert not wrong(region, body, angle)
    assert not unsound(body, tmp_path)


@pytest.mark.parametrize("thickness", [2.0, -2.0])
@pytest.mark.parametrize("kind", ENDS)
def test_a_wall_is_as_thick_all_over(kind, thickness, tmp_path):
    """Also where the moved side ends on the axis, before the old one or beyond it."""
    body = turned(kind)
    tree = side_of(kind, 1)
    made = lw.shell(body, thickness, open=foot_of(body))
    mesh = lw.tessellate(made)
    flat = np.column_stack([np.hypot(*mesh.vertices[:, :2].T), mesh.vertices[:, 2]])
    away = tree.query(flat)[0]
    between = (flat[:, 1] > 3.0) & (flat[:, 1] < 55.0)
    far = between & (away > 0.01)  # the places lie less than that apart
    assert far.sum() > 100
    assert away[far] == pytest.approx(2.0, abs=1e-6)
    assert not unsound(made, tmp_path)


def test_rims_are_rounded_by_tori_and_bevelled_by_cones(tmp_path):
    body = turned("vase")
    round_, bevel = (tool(body, body.edges(), 1.5) for tool in (lw.fillet, lw.chamfer))
    assert sorted(f.brep.surface.kind for f in round_.faces()) == [
        "plane",
        "plane",
        "torus",
        "torus",
        "turned",
    ]
    assert sorted(f.brep.surface.kind for f in bevel.faces()) == ["cone", "cone", "plane", "plane", "turned"]
    tree = side_of("vase", 1)
    for face in round_.faces():
        surface = face.brep.surface
        if surface.kind == "torus":
            place = (surface.major, surface.frame.origin[2])
            assert surface.minor == pytest.approx(1.5, abs=1e-12)
            assert tree.query(place)[0] == pytest.approx(1.5, abs=1e-6)
            assert min(place[1], 60 - place[1]) == pytest.approx(1.5, abs=1e-9)
    for face in bevel.faces():
        if face.brep.surface.kind == "cone":
            rims = [e.brep.curve for e in face.edges()]
            corner = min(((20, 0), (26, 60)), key=lambda c: abs(c[1] - rims[0].frame.origin[2]))
            assert [math.dist((c.radius, c.frame.origin[2]), corner) for c in rims] == pytest.approx(
                [1.5, 1.5]
            )
    assert not unsound(round_, tmp_path) and not unsound(bevel, tmp_path)


def test_planes_balls_and_likes_about_the_axis_meet_it_in_circles():
    body = turned("vase")
    ball = lw.move(lw.sphere(30), 0, 0, 50)
    bore = lw.cylinder(10, 80)
    smaller = lw.move(lw.scale(body, 0.8), 0, 0, 20)
    for tool in (ball, bore, smaller, lw.move(body, 0, 0, 7), lw.move(lw.box(90, 90, 30), -45, -45, 11)):
        less, common = lw.cut(body, tool), lw.intersect(body, tool)
        assert less.volume + common.volume == pytest.approx(body.volume, rel=1e-12)
        assert {e.brep.curve.kind for e in less.edges()} <= {"circle"}


def test_halves_are_cut_off_by_profiles():
    body = turned("vase")
    half = lw.cut(body, lw.move(lw.box(100, 100, 100), -50, 0, -20))
    assert half.volume == pytest.approx(0.5 * body.volume, rel=1e-12)
    assert not half.check()


@pytest.mark.parametrize("kind", ["dome", "tip", "oval"])
def test_what_a_plane_through_or_beside_a_tip_parts_is_the_whole(kind):
    body = oval() if kind == "oval" else turned(kind)
    for across in (0.0, 40.0):
        ways = (math.sin(math.radians(across)), math.cos(math.radians(across)), 0.0)
        for off in (0.0, 0.3, 2.0):
            parted = lw.split(body, lw.Plane((0, 0, 0), ways).offset(off))
            assert parted.volume == pytest.approx(body.volume, rel=2e-11)
            if off == 0.0:
                assert lw.separate(parted)[0].volume == pytest.approx(0.5 * body.volume, rel=2e-11)


@pytest.mark.parametrize("lean", [0.3, 1.0])
def test_a_plane_just_below_the_top_of_a_dome_leaves_the_whole(lean):
    """The border of what is cut off goes round the top within a hair's breadth of it."""
    body = turned("dome")
    ways = (math.cos(lean), 0.3 * math.cos(lean), math.sin(lean))
    parted = lw.split(body, lw.Plane((0, 0, 59.99), ways))
    assert parted.volume == pytest.approx(body.volume, rel=2e-11)


def test_a_body_united_with_its_like_in_another_turn_is_itself():
    body = turned("vase")
    assert lw.union(body, lw.turn(body, 40, lw.Z)).volume == pytest.approx(body.volume, rel=1e-12)
    whole = lw.union(turned("vase", 1, 180), lw.turn(turned("vase", 1, 180), 180, lw.Z))
    assert whole.volume == pytest.approx(body.volume, rel=1e-12)
    assert len(whole.faces()) == 3


@pytest.mark.parametrize("angle", [360, 70])
def test_rings_of_closed_curves(angle, tmp_path):
    for closed in (True, False):
        sketch = lw.Sketch(lw.XZ)
        if closed:
            sketch.spline([(20, 0), (30, 5), (28, 15), (18, 12)], close=True)
        else:
            sketch.ellipse((30, 10), 8, 5)
        (region,) = sketch.regions()
        body = lw.revolve(sketch, lw.Z, angle)
        assert body.volume == pytest.approx(math.radians(angle) * region.area * region.centroid[0], rel=1e-11)
        assert not wrong(region, body, angle)
        assert not unsound(body, tmp_path)


def oval() -> lw.Body:
    sketch = lw.Sketch(lw.XZ)
    sketch.ellipse((0, 0), 12, 20)
    sketch.line((0, -20), (0, 20))
    return lw.revolve(sketch.region((6, 1)), lw.Z)


def test_half_an_ellipse_turned_about_its_axis_is_an_ellipsoid(tmp_path):
    body = oval()
    assert body.volume == pytest.approx(4 / 3 * math.pi * 12 * 12 * 20, rel=1e-11)
    assert body.bounds == (pytest.approx((-12, -12, -20), abs=1e-9), pytest.approx((12, 12, 20), abs=1e-9))
    wall = lw.shell(body, 1.5)
    assert not wall.check()
    assert not unsound(lw.cut(wall, lw.move(lw.box(50, 50, 50), 0, 0, 0)), tmp_path)


def test_bounds_of_a_leaning_vase_are_those_of_a_fine_mesh():
    body = lw.turn(turned("vase"), 37, lw.Axis((1, 2, 3), (1, 0.4, 0.2)))
    fine = lw.tessellate(body, 1e-3).vertices
    low, high = np.array(body.bounds)
    assert low == pytest.approx(fine.min(axis=0), abs=3e-3) and (low <= fine.min(axis=0) + 1e-9).all()
    assert high == pytest.approx(fine.max(axis=0), abs=3e-3) and (high >= fine.max(axis=0) - 1e-9).all()


def test_it_is_read_back_as_it_was_written(tmp_path):
    for kind in ENDS:
        body = turned(kind)
        walled = lw.shell(body, 2, open=foot_of(body))
        for one in (body, walled, lw.mirror(turned(kind, 1, 90), lw.XZ)):
            lw.save(one, tmp_path / "a.step")
            read = lw.read_step(tmp_path / "a.step").body
            assert read.volume == pytest.approx(one.volume, rel=1e-9)
            assert sorted(f.brep.surface.kind for f in read.faces()) == sorted(
                f.brep.surface.kind for f in one.faces()
            )


@pytest.mark.parametrize("seed", range(16))
def test_what_is_drilled_from_a_random_vase_and_what_is_left_are_the_whole(seed, tmp_path):
    rng = np.random.default_rng([seed, 7])
    body = turned(("vase", "dome", "tip")[seed % 3], seed, float(rng.choice([360, 360, 250])))
    rod, axis = lw.cylinder(float(rng.uniform(2, 8)), 100), lw.Axis((0, 0, 0), (1, 0.3, 0))
    tool = lw.move(
        lw.turn(rod, float(rng.uniform(20, 160)), axis),
        *rng.uniform(-8, 8, 2).tolist(),
        float(rng.uniform(20, 40)),
    )
    less, common = lw.cut(body, tool), lw.intersect(body, tool)
    assert less.volume + common.volume == pytest.approx(body.volume, rel=1e-10)
    assert not unsound(less, tmp_path)
