"""Distances, angles and shared volumes, against closed forms."""

import math

import pytest

import lathwick as lw


def test_distances_between_curved_things():
    """Balls, cylinders that pass each other, a ring and a ball, faces and edges."""
    ball, other = lw.sphere(3), lw.move(lw.sphere(2), dx=10, dy=4)
    assert lw.distance(ball.faces()[0], other.faces()[0]) == pytest.approx(math.hypot(10, 4) - 5, rel=1e-12)
    upright = lw.cylinder(2, 9, step="upright")
    lying = lw.move(lw.turn(lw.cylinder(1, 20, step="lying"), 90, lw.X), dx=6, dy=5, dz=3)
    assert lw.distance(upright.face("upright/side"), lying.face("lying/side")) == pytest.approx(3, rel=1e-12)
    ring = lw.torus(6, 1)
    assert lw.distance(ring, lw.sphere(1)) == pytest.approx(4, rel=1e-12)
    assert lw.distance(ring, lw.move(lw.sphere(1), dx=20, dz=5)) == pytest.approx(
        math.hypot(14, 5) - 2, rel=1e-12
    )


def test_distances_between_flat_things_and_points():
    box = lw.box(4, 4, 4, step="box")
    assert lw.distance(box, lw.move(box, dx=7, dy=6)) == pytest.approx(math.hypot(3, 2), rel=1e-12)
    assert lw.distance(box.face("box/top"), (2, 2, 9)) == 5
    assert lw.distance((0, 0, 0), (1, 2, 2)) == 3
    assert lw.distance(box, lw.move(box, dx=4)) == 0
    assert lw.distance(box.vertices()[0], box.vertices()[-1]) <= 4 * math.sqrt(3)
    assert box.face("box/top").nearest((9, 2, 1)) == pytest.approx((4, 2, 4))
    with pytest.raises(lw.ModellingError, match="distances are between faces, edges, vertices, bodies"):
        lw.distance(box, "box")


def test_angles():
    box = lw.box(4, 4, 4, step="box")
    assert lw.angle(box.face("box/top"), box.face("box/side:front")) == 90
    assert lw.angle(lw.X, lw.XY.tilted(30, "y")) == pytest.approx(30, rel=1e-14)
    assert lw.angle(lw.XY, lw.XY.tilted(150, "x")) == pytest.approx(30, rel=1e-13)
    assert lw.angle(lw.Z, lw.Axis((0, 0, 0), (0, 1, -1))) == pytest.approx(45, rel=1e-14)
    with pytest.raises(lw.ModellingError, match="angles are between planar faces"):
        lw.angle(lw.X, 3)


def test_the_volume_that_two_bodies_share():
    box = lw.box(4, 4, 4)
    assert lw.interference(box, lw.move(box, dx=3)) == pytest.approx(16, rel=1e-12)
    assert lw.interference(box, lw.move(box, dx=4)) == 0
    assert lw.interference(box, lw.move(box, dx=40)) == 0
    assert lw.interference(lw.sphere(3), lw.sphere(1)) == pytest.approx(4 * math.pi / 3, rel=1e-12)
    with pytest.raises(lw.ModellingError, match="between two bodies, got 3"):
        lw.interference(box, 3)


def named(faces):
    return {str(face.brep.names[0]) for face in faces}


def test_the_least_wall():
    """Of a hollow box its wall; between two balls one beside the other's center that less the way between."""
    box = lw.box(40, 30, 20, step="b")
    wall = lw.shell(box, 2, open=box.faces("b/top")).thinnest()
    assert wall.thickness == pytest.approx(2, abs=1e-9)
    assert math.dist(wall.at, wall.to) == pytest.approx(2, abs=1e-9)
    balls = lw.cut(lw.sphere(10), lw.move(lw.sphere(8), 1, 0, 0))
    assert 1.0 <= float(balls.thinnest(2000)) < 1.01
    assert float(lw.cylinder(5, 30).thinnest()) == pytest.approx(10)
    for sample in (0, -1, True, 2.5, "many"):
        with pytest.raises(lw.ModellingError, match=r"sample (is a number of places|takes a whole number)"):
            box.thinnest(sample)


def test_undercuts_of_a_pull():
    """A slot from the side bars a pull upwards by its roof and floor; along the slot, and of a ring along its
    axis, nothing does."""
    box = lw.box(40, 30, 20, step="b")
    slot = lw.cut(box, lw.box(40, 10, 10, on=lw.Plane((0, 0, 5), (0, 0, 1)), step="slot"))
    assert named(slot.undercuts((0, 0, 1))) >= {"slot/top", "slot/bottom"}
    assert "b/top" not in named(slot.undercuts((0, 0, 1)))
    assert not slot.undercuts((0, 1, 0))
    assert not slot.undercuts((1, 0, 0))
    ring = lw.torus(8, 2, step="t")
    assert not ring.undercuts((0, 0, 1))
    assert named(ring.undercuts((1, 0, 0))) == {"t/side"}
    for way in ((0, 0, 0), "up", (1, 2)):
        with pytest.raises(lw.ModellingError, match="direction"):
            box.undercuts(way)


def test_sections_of_a_tube_and_beside_it():
    """A ring of material, one of ellipses at an angle, two strips along the axis; nothing beside the body."""
    tube = lw.cut(lw.cylinder(10, 40), lw.cylinder(6, 40))
    (ring,) = lw.section(tube, lw.XY.offset(15))
    assert ring.area == pytest.approx(math.pi * (100 - 36), rel=1e-12)
    assert sorted(edge.radius for edge in ring.edges()) == pytest.approx([6, 10])
    (slanted,) = lw.section(tube, lw.Plane((0, 0, 20), (0, math.sin(0.5), math.cos(0.5))))
    assert slanted.area == pytest.approx(math.pi * (100 - 36) / math.cos(0.5), rel=1e-9)
    assert len(lw.section(tube, lw.XZ)) == 2
    assert len(lw.section(tube, lw.XY.offset(50))) == 0
    with pytest.raises(lw.ModellingError, match="a section is of a body"):
        lw.section("tube", lw.XY)
