"""Bounds, and nearest points of faces and edges, of every kind of surface and curve against dense samples."""

from __future__ import annotations

import math

import numpy as np
import pytest

import lathwick as lw
from lathwick.mesh.tessellate import tessellate_by_face

from ..curved_parts import HEART, KINDS, oblique_rod, oval, splined

FRAMES = [
    (0.0, (0, 0, 1), 1.0),
    (90.0, (0, 1, 0), 0.7),
    (45.0, (1, 0, 0), 2.0),
    (180.0, (1, 1, 0), 1.0),
    (33.3, (1, 2, -0.5), 11.0),
]


def placed(body, frame):
    turn, axis, size = FRAMES[frame]
    return lw.scale(lw.turn(body, turn, lw.Axis((0.3, 0, 0), axis)), size)


@pytest.mark.parametrize("frame", range(len(FRAMES)))
@pytest.mark.parametrize("kind", KINDS)
def test_bounds_hold_the_face_and_touch_it(kind, frame):
    """No sample lies outside of the bounds, and samples come as near to them as they are close."""
    body = placed(KINDS[kind](), frame)
    low, high = np.array(body.bounds)
    size = float(np.linalg.norm(high - low))
    points = tessellate_by_face(body, chord=2e-4 * size, angle=4)[0].vertices
    assert (points.min(axis=0) >= low - 1e-9 * size).all()
    assert (points.max(axis=0) <= high + 1e-9 * size).all()
    assert (points.min(axis=0) <= low + 1e-3 * size).all()
    assert (points.max(axis=0) >= high - 1e-3 * size).all()


@pytest.mark.parametrize("size", [0.3, 1.0, 1.5, 2.54, 7.0, 10.0])
@pytest.mark.parametrize("turn", [0.0, 45.0, 90.0, 135.0, 20.0])
def test_bounds_of_a_symmetric_spline(size, turn):
    """Its own points are its extremes; a turned one reaches as far as a dense sample of it."""
    body = lw.turn(splined(HEART, scale=size), turn, lw.Z)
    edge = body.edges()[0].brep
    points = edge.curve.points(np.linspace(edge.t0, edge.t1, 200_001))[:, :2]
    low, high = np.array(body.bounds)[:, :2]
    assert low == pytest.approx(points.min(axis=0), abs=1e-8 * size)
    assert high == pytest.approx(points.max(axis=0), abs=1e-8 * size)
    if turn == 0.0:
        assert body.bounds[0][:2] == pytest.approx((-4 * size, 0.0), abs=1e-12 * size)
        assert body.bounds[1][:2] == pytest.approx((4 * size, 8 * size), abs=1e-12 * size)


@pytest.mark.parametrize("size", [1.5])
def test_what_is_cut_at_each_point_of_a_spline(size):
    """Cut and common part make the whole, the union the sum less the common part, alike on both sides."""
    body, common = splined(HEART, scale=size), {}
    for x, y in HEART:
        ball = lw.sphere(0.4 * size, on=lw.Plane((x * size, y * size, 2.5), (0, 0, 1)))
        both = lw.intersect(body, ball).volume
        assert lw.cut(body, ball).volume == pytest.approx(body.volume - both, rel=1e-9)
        assert lw.union(body, ball).volume == pytest.approx(body.volume + ball.volume - both, rel=1e-9)
        common.setdefault((abs(x), y), []).append(both)
    for left, right in (pair for pair in common.values() if len(pair) == 2):
        assert left == pytest.approx(right, rel=1e-7)


def test_a_hole_in_a_symmetric_outline():
    """The circle is a hole of the one region, and the body has its volume and knows its inside."""
    solid = splined(HEART)
    body = splined(HEART, hole=1.0)
    assert body.volume == pytest.approx(solid.volume - 5 * math.pi, rel=1e-12)
    points = np.random.default_rng(0).uniform((-4, 0, 0), (4, 8, 5), (1000, 3))
    hollow = np.hypot(points[:, 0], points[:, 1] - 4.0) < 1.0
    assert (body.contains(points) == (solid.contains(points) & ~hollow)).all()


def test_a_rod_cut_off_obliquely():
    """Its rounded rim ends where the ellipse that lies the radius inside of the cut does."""
    body = oblique_rod(2.0, 30.0, 0.4)
    lean, spine = math.radians(30.0), 1.6
    plane = 5.0 * math.cos(lean) - 0.4  # the distance of the ball's centers along the normal of the cut
    assert body.bounds[1][2] == pytest.approx(
        (plane + spine * math.sin(lean)) / math.cos(lean) + 0.4, abs=1e-9
    )


@pytest.mark.parametrize("kind", KINDS)
def test_the_nearest_point_of_faces_and_edges(kind):
    """No sample is nearer, and the nearest is no farther than samples are apart."""
    random = np.random.default_rng(len(kind))
    body = placed(KINDS[kind](), int(random.integers(len(FRAMES))))
    low, high = np.array(body.bounds)
    size = float(np.linalg.norm(high - low))
    mesh, owner = tessellate_by_face(body, chord=1e-4 * size, angle=4)
    spots = [*random.uniform(low - 0.3 * size, high + 0.3 * size, (8, 3)), 0.5 * (low + high)]
    for spot in (tuple(s.tolist()) for s in spots):
        for number, face in enumerate(body.faces()):
            corners = mesh.vertices[mesh.triangles[owner == number]]
            away = np.linalg.norm(corners - np.array(spot), axis=2)
            sides = np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2)
            near = face.distance_to(spot)
            assert near <= away.min() + 1e-9 * size
            assert near >= (away.min(axis=1) - sides.max(axis=1)).min() - 2e-4 * size
        for edge in body.edges():
            t = np.linspace(edge.brep.t0, edge.brep.t1, 3001)
            points = edge.brep.curve.points(t)
            away = np.linalg.norm(points - np.array(spot), axis=1)
            step = np.linalg.norm(np.diff(points, axis=0), axis=1).max()
            assert away.min() - 0.5 * step <= edge.distance_to(spot) <= away.min() + 1e-9 * size


def test_feet_beyond_the_corners_of_a_wall_are_the_nearest_around():
    """The way from a foot to its point is square to the wall, or leads out across its border there."""
    foot, top = lw.Sketch(lw.XY), lw.Sketch(lw.XY.offset(20))
    foot.polygon(5, 8)
    top.ellipse((0, 0), 9, 6)
    wall = lw.loft([foot, top], step="it").faces("it/side:polygon1.1")[0].brep.surface
    points = np.random.default_rng(1).uniform((-30, -30, -20), (30, 30, 40), (500, 3))
    uv = wall.parameters(points)
    d = wall.derivatives(uv, 1)
    low, high = np.array(wall.reachable).T
    for k, along in enumerate((d[1][0], d[0][1])):
        sizes = np.linalg.norm(along, axis=1) * np.linalg.norm(points - d[0][0], axis=1)
        slope = ((d[0][0] - points) * along).sum(axis=1) / sizes
        assert (slope[uv[:, k] > low[k]] < 1e-9).all()
        assert (slope[uv[:, k] < high[k]] > -1e-9).all()
    for point, found in zip(points[:60], uv[:60], strict=True):
        assert wall.foot(tuple(point)) == pytest.approx(tuple(found), abs=1e-8)


def test_the_foot_on_a_cone_is_square_to_its_wall():
    """Inside and outside, and above the tip the distance to that."""
    body = lw.cone(3, 0, 4)  # a wall of slope 3 : 4
    wall = body.faces().where(lambda face: face.kind == "cone")[0]
    assert wall.distance_to((0, 0, 1)) == pytest.approx(9 / 5)
    assert wall.distance_to((5, 0, 3)) == pytest.approx(17 / 5)
    assert wall.distance_to((5, 0, 1)) == pytest.approx(math.sqrt(5))  # to the rim
    assert wall.distance_to((0, 0, 9)) == pytest.approx(5)


def test_an_edge_that_waves_does_not_lie_in_a_plane():
    """Its zeros are where five even samples are."""
    sk = lw.Sketch(lw.XZ)
    wave = sk.spline([(0, 0), (1, 1), (2, 0), (3, -1), (4, 0), (5, 1), (6, 0), (7, -1), (8, 0)])
    sk.polyline([wave.end, (8, -5), (0, -5), wave.start])
    body = lw.extrude(sk.region(containing=(4, -3)), 2)
    waves = body.edges().where(lambda edge: edge.kind == "spline")
    assert len(waves) == 2
    assert not any(edge.lies_in(lw.XY) for edge in waves)
    assert all(edge.kind == "line" for edge in body.edges().on(lw.XY))


def test_a_control_spline_that_ends_where_it_starts():
    """With a corner there it bounds a region of two edges; smooth it is one closed curve."""
    sk = lw.Sketch(lw.XY)
    sk.spline([(0, 0), (10, 0), (10, 10), (0, 10), (0, 0)], control=True)
    body = lw.extrude(sk, 5)
    assert body.volume == pytest.approx(5 * sk.regions()[0].area, rel=1e-12)
    corner = lw.cylinder(1, 20, on=lw.Plane((0, 0, -5), (0, 0, 1)))
    both = lw.intersect(body, corner)
    assert lw.cut(body, corner).volume == pytest.approx(body.volume - both.volume, rel=1e-9)
    smooth = lw.Sketch(lw.XY)
    smooth.spline([(0, 0), (10, 0), (10, 10), (-10, 10), (-10, 0), (0, 0)], control=True)
    assert len(lw.extrude(smooth, 5).faces()) == 3


@pytest.mark.parametrize("depth", ["first inner face", "far wall"])
def test_a_wall_that_a_slot_divides_is_one_wall(depth):
    """A drill wider than the slot ends behind the wall, as if that were whole."""
    block = lw.cut(lw.box(40, 40, 40), lw.box(30, 30, 30, on=lw.Plane((5, 5, 5), (0, 0, 1))))
    slot = lw.box(1, 60, 10, on=lw.Plane((19.5, -10, 35), (0, 0, 1)))
    slotted = lw.cut(block, slot)
    top = slotted.faces().facing(lw.Z).where(lambda f: f.edges()[0].midpoint[2] > 39)[0]
    drilled = lw.hole(slotted, top, (20, 20), 6, depth)
    area = math.pi * 9 - 2 * (9 * math.asin(0.5 / 3) + 0.5 * math.sqrt(9 - 0.25))
    assert slotted.volume - drilled.volume == pytest.approx(5 * area, rel=1e-9)


def test_an_elliptic_plate_with_a_rounded_rim_turned():
    """As far as the ellipse of the ball's centers reaches, and the radius."""
    plate = oval(6, 3, 2)
    top = plate.edges().where(lambda edge: edge.midpoint[2] > 1)
    body = lw.turn(lw.fillet(plate, top, 0.5), 45, lw.Y)
    points = tessellate_by_face(body, chord=2e-4, angle=3)[0].vertices
    low, high = np.array(body.bounds)
    assert (points.min(axis=0) - low).max() < 1e-3 and (high - points.max(axis=0)).max() < 1e-3
    assert (points.min(axis=0) - low).min() > -1e-9 and (high - points.max(axis=0)).min() > -1e-9
