"""Lofts against closed forms and slices, and with what is done to them afterwards."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.integrate import simpson
from scipy.optimize import brentq, minimize_scalar

import lathwick as lw

from ..conftest import sound


def rectangle(width, height, z, rounding=0.0):
    sk = lw.Sketch(lw.XY.offset(z))
    sk.rectangle(width, height, center=(0, 0), **({"rounding": rounding} if rounding else {}))
    return sk


def circle(radius, z, at=(0, 0), bore=0.0):
    sk = lw.Sketch(lw.XY.offset(z))
    sk.circle(at, radius)
    if bore:
        sk.circle(at, bore)
    return sk


def volume_of_mesh(body, chord):
    """Of the triangles, by the divergence theorem."""
    mesh = lw.tessellate(body, chord=chord)
    a, b, c = (mesh.vertices[mesh.triangles[:, k]] for k in range(3))
    return float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6)


@pytest.mark.parametrize(("a", "b", "c", "d", "tall"), [(20, 10, 8, 12, 15), (3, 5, 30, 2, 7)])
def test_a_ruled_loft_of_rectangles_is_a_prismatoid(a, b, c, d, tall):
    body = lw.loft([rectangle(a, b, 0), rectangle(c, d, tall)], step="hopper")
    exact = tall / 6 * (a * b + (a + c) * (b + d) + c * d)
    assert body.volume == pytest.approx(exact, rel=1e-13)
    assert {face.kind for face in body.faces()} == {"plane"}
    assert len(body.faces("hopper/side")) == 4
    assert len(body.faces("hopper/start")) == len(body.faces("hopper/end")) == 1


def test_circles_make_cylinders_and_cones():
    """A cone, a cylinder, a tube with a conical bore, a whole cone to a point, an oblique one."""
    frustum = lw.loft([circle(10, 0), circle(4, 15)])
    assert frustum.volume == pytest.approx(math.pi * 5 * 156, rel=1e-13)
    assert sorted(face.kind for face in frustum.faces()) == ["cone", "plane", "plane"]
    assert [f.kind for f in lw.loft([circle(3, 0), circle(3, 9)]).faces()].count("cylinder") == 1
    tube = lw.loft([circle(10, 0, bore=8), circle(4, 15, bore=3)])
    assert tube.volume == pytest.approx(math.pi * 5 * (156 - 97), rel=1e-13)
    assert lw.loft([circle(6, 0), (0, 0, 15)]).volume == pytest.approx(math.pi * 36 * 5, rel=1e-13)
    oblique = lw.loft([circle(6, 0), circle(3, 10, (4, 2))])
    assert oblique.volume == pytest.approx(math.pi * 10 / 3 * 63, rel=1e-12)


def test_to_a_point():
    pyramid = lw.loft([rectangle(20, 10, 0), (3, 2, 15)])
    assert pyramid.volume == pytest.approx(1000, rel=1e-13)
    assert len(pyramid.faces()) == 5


def test_a_smooth_loft_through_circles_is_round():
    """It passes its sections, and is round to a billionth in between; as large as its mesh."""
    sizes = [(10, 0), (6, 10), (12, 25), (9, 40)]
    body = lw.loft([circle(r, z) for r, z in sizes], step="vase")
    wall = body.face("vase/side")
    for r, z in sizes:
        assert wall.distance_to((r * math.cos(1), r * math.sin(1), z)) < 1e-9
    points = wall.brep.surface.points(np.random.default_rng(0).uniform(0, 1, (300, 2)) * (math.tau, 1))
    order = np.argsort(points[:, 2])
    radii, heights = np.hypot(points[order, 0], points[order, 1]), points[order, 2]
    surface = wall.brep.surface
    v = np.linspace(0, 1, 50)
    for u in (0.1, 2.0, 5.0):
        ring = surface.points(np.column_stack([np.full(50, u * surface.domain[0][1] / math.tau), v]))
        again = surface.points(np.column_stack([np.zeros(50), v]))
        assert np.hypot(ring[:, 0], ring[:, 1]) == pytest.approx(np.hypot(again[:, 0], again[:, 1]), abs=1e-9)
    assert radii.min() < 7
    assert heights.max() <= 40
    assert body.volume == pytest.approx(volume_of_mesh(body, 0.01), rel=2e-3)


@pytest.mark.parametrize("ruled", [True, False])
def test_unlike_outlines(ruled, tmp_path, outside_check):
    """Rectangles and a circle: matched by their lengths; sound, and as large
    as their mesh."""
    sections = [rectangle(30, 20, 0), rectangle(16, 16, 14), circle(6, 25)]
    body = lw.loft(sections, ruled=ruled)
    assert body.volume == pytest.approx(volume_of_mesh(body, 0.02), rel=3e-3)
    if ruled:
        hopper = lw.loft([rectangle(30, 20, 0), rectangle(16, 16, 14), rectangle(20, 24, 25)])
        sound(hopper, tmp_path, outside_check)


def test_what_is_done_to_lofts():
    """Drilled, and hollowed where its walls are cones."""
    body = lw.loft([circle(20, 0), rectangle(24, 24, 30)])
    drill = lw.cylinder(5, 80, on=lw.Plane((-40, 0, 15), (1, 0, 0)))
    both = lw.intersect(body, drill).volume
    assert lw.cut(body, drill).volume == pytest.approx(body.volume - both, rel=1e-8)
    funnel = lw.loft([circle(20, 0), circle(8, 25), circle(6, 60)], ruled=True)
    hollow = lw.shell(funnel, 1.5, open=funnel.faces().planar())
    assert 0 < hollow.volume < funnel.volume


@pytest.mark.parametrize(("half", "along"), [((15, 13, 18), 1), ((20, 15, 20), 0)])
def test_the_rim_of_a_smooth_loft_is_rounded(half, along, outside_check, tmp_path):
    """A rounded rectangle that narrows and widens. In its planes of symmetry the wall is a parabola, and
    the round an arc between that and the level top."""
    body = lw.loft([rectangle(40, 30, 0, 6), rectangle(30, 26, 20, 5), rectangle(40, 36, 40, 4)], step="l")
    radius = 1.5
    made = lw.fillet(body, body.edges("l/end"), radius, step="soft")
    wall = np.polynomial.Polynomial.fit((0, 20, 40), half, 2)

    def foot(c):  # on the parabola, of a place at the height of the center
        return minimize_scalar(lambda z: math.hypot(wall(z) - c, z - 38.5), bounds=(33, 40), method="bounded",
                               options={"xatol": 1e-12}).x  # fmt: skip

    center = brentq(lambda c: math.hypot(wall(foot(c)) - c, foot(c) - 38.5) - radius, 5, wall(38.5))
    z = foot(center)
    low, arc = math.atan2(z - 38.5, wall(z) - center), []
    for turn in np.linspace(low, math.pi / 2, 12)[1:-1]:
        for reach in (radius - 1e-5, radius + 1e-5):
            place = [0.0, 0.0, 38.5 + reach * math.sin(turn)]
            place[along] = center + reach * math.cos(turn)
            arc.append(place)
    assert made.contains(np.array(arc)).tolist() == [True, False] * (len(arc) // 2)
    lw.save(made, tmp_path / "rim.step")
    outside_check(tmp_path / "rim.step")


def test_lofts_that_cannot_be():
    with pytest.raises(lw.ModellingError, match="at least two sections"):
        lw.loft([circle(3, 0)])
    with pytest.raises(lw.ModellingError, match="unlike numbers of outlines: 2, 1"):
        lw.loft([circle(5, 0, bore=2), circle(4, 9)])
    with pytest.raises(lw.ModellingError, match="only be the first or the last"):
        lw.loft([circle(5, 0), (0, 0, 4), circle(4, 9)])
    with pytest.raises(lw.ModellingError, match="lie in one place"):
        lw.loft([circle(5, 0), circle(4, 0)])
    job = lw.Job()
    with pytest.raises(lw.ModellingError, match='step "hat"'):
        job.loft("hat", [circle(3, 0)])
    assert job.loft("cup", [circle(3, 0), circle(4, 5)]).volume == pytest.approx(math.pi * 5 / 3 * 37)


def test_walls_that_leave_their_ends_square():
    """Through two circles the radius is Hermite's cubic of the height; through three one end is free."""
    body = lw.loft([circle(10, 0), circle(5, 30)], tangent="square", step="bell")
    nodes, weights = np.polynomial.legendre.leggauss(8)
    s = 0.5 * (nodes + 1)
    radius = 10 - 5 * (3 * s**2 - 2 * s**3)
    assert body.volume == pytest.approx(30 * math.pi * float(0.5 * weights @ radius**2), rel=1e-13)
    wall = body.faces("bell/side").where(lambda face: face.kind != "plane")
    for height, tall in ((0, 10), (30, 5)):
        assert wall[0].normal_at((tall, 0, height)) == pytest.approx((1, 0, 0), abs=1e-12)
    half = lw.loft([circle(10, 0), circle(6, 15), circle(5, 30)], tangent=(None, "square"), step="half")
    wall = half.faces("half/side").where(lambda face: face.kind != "plane")
    assert wall[0].normal_at((5, 0, 30)) == pytest.approx((1, 0, 0), abs=1e-12)
    assert abs(wall[0].normal_at((10, 0, 0))[2]) > 0.1


def oval(a, b, tall):
    sk = lw.Sketch(lw.XY)
    sk.ellipse((0, 0), a, b, angle=20)
    return lw.extrude(sk, tall, step="b")


def leaning(taper):
    return lw.extrude(rectangle(40, 30, 0), 10, taper=taper, step="b")


@pytest.mark.parametrize(
    ("base", "top"),
    [
        (lw.cone(20, 12, 20, step="b"), circle(16, 50)),
        (leaning(15), rectangle(20, 12, 40)),
        (leaning(-10), circle(9, 45)),
        (lw.extrude(rectangle(40, 30, 0, 6), 10, taper=8, step="b"), circle(11, 45)),
        (oval(20, 12, 10), circle(10, 40)),
    ],
)
def test_a_loft_goes_on_from_faces_smoothly(base, top, tmp_path, outside_check):
    """Along cones, planes that lean in or out, and extrusions: united with them there is no angle where it
    begins, and it is square to its other end."""
    (level,) = base.faces().facing(lw.Z)
    neck = lw.loft([level, top], tangent=(base.faces("b/side"), "square"), step="neck")
    both = lw.union(base, neck)
    joint = [edge for edge in both.edges() if {"b", "neck"} <= {face.step for face in edge.faces}]
    assert joint
    assert max(abs(edge.angle) for edge in joint) < 1e-5
    ends = both.face("neck/end").edges()
    assert [edge.angle for edge in ends] == pytest.approx([90.0] * len(ends), abs=1e-6)
    assert both.volume == pytest.approx(base.volume + neck.volume, rel=1e-9)
    lw.save(both, tmp_path / "neck.step")
    outside_check(tmp_path / "neck.step")


def test_a_loft_between_two_bodies():
    """From a ball to a cone below it: Hermite's cubic of the radius, by the slopes of both."""
    ball = lw.intersect(lw.sphere(20, step="s"), lw.move(lw.box(90, 90, 60), -45, -45, -48))
    cone = lw.cone(6, 10, 20, on=lw.XY.offset(40), step="c")
    along = ball.faces("s/side"), cone.face("c/side")
    neck = lw.loft([ball.faces().facing(lw.Z), cone.face("c/bottom")], tangent=along)
    s, w = np.polynomial.legendre.leggauss(8)
    s = 0.5 * (s + 1)
    length = 28.0
    slopes = -length * 12 / 16, length * 4 / 20  # of a circle of radius 20 at height 12, and of the cone
    radius = (
        (2 * s**3 - 3 * s**2 + 1) * 16 + (s**3 - 2 * s**2 + s) * slopes[0]
        + (3 * s**2 - 2 * s**3) * 6 + (s**3 - s**2) * slopes[1]
    )  # fmt: skip
    assert neck.volume == pytest.approx(length * math.pi * float(0.5 * w @ radius**2), rel=1e-9)
    whole = lw.union(ball, neck, cone)
    assert sorted(round(abs(edge.angle), 6) for edge in whole.edges())[:2] == [0.0, 0.0]


def test_faces_that_no_loft_leaves_along():
    cone, block = lw.cone(20, 12, 20, step="c"), lw.box(9, 9, 9, step="b")
    sections = [cone.face("c/top"), circle(8, 40)]
    with pytest.raises(lw.ModellingError, match="none of the faces that the loft is to leave along ends at"):
        lw.loft(sections, tangent=(block.faces("b/side"), None))
    with pytest.raises(lw.ModellingError, match="lies level with the section"):
        lw.loft(sections, tangent=(cone.face("c/top"), None))
    with pytest.raises(lw.ModellingError, match='or a pair, one for each end: "square", the faces'):
        lw.loft(sections, tangent=("along", None))


def section(k, count, bore=0.0):
    """One of some circles of radius 5 round a circle of radius 30."""
    c, s = math.cos(2 * math.pi * k / count), math.sin(2 * math.pi * k / count)
    sk = lw.Sketch(lw.Plane((30 * c, 30 * s, 0), (-s, c, 0), (c, s, 0)))
    sk.circle((0, 0), 5)
    if bore:
        sk.circle((0, 0), bore)
    return sk


def test_closed_lofts(tmp_path, outside_check):
    """Towards a torus with the fourth power of the number of sections; ruled in closed form; with a bore."""
    torus = 2 * math.pi**2 * 30 * 25
    off = [lw.loft([section(k, n) for k in range(n)], closed=True).volume - torus for n in (6, 12)]
    assert 12 < off[0] / off[1] < 20
    pipe = lw.loft([section(k, 6, 2) for k in range(6)], closed=True, step="ring")
    assert len(pipe.pieces[0].voids) == 1
    assert pipe.volume == pytest.approx((torus + off[0]) * (1 - 4 / 25), rel=1e-3)
    squares = []
    for k in range(8):
        sk = lw.Sketch(section(k, 8).plane)
        sk.rectangle(10, 7.5, center=(0, 0))
        squares.append(sk)
    ruled = lw.loft(squares, closed=True, ruled=True)
    assert ruled.volume == pytest.approx(8 * math.sin(math.pi / 4) * 30 * 75, rel=1e-12)
    sound(ruled, tmp_path, outside_check)
    with pytest.raises(lw.ModellingError, match="three sections at least"):
        lw.loft(squares[:2], closed=True)


def test_turned_sections_are_told_of():
    """The walls between them are twisted; sections over each other say nothing."""

    def build(turn):
        job = lw.Job()
        ends = [job.sketch(name, on=lw.XY.offset(z)) for name, z in (("low", 0), ("high", 30))]
        for sk, size, angle in zip(ends, (10, 8), (0, turn), strict=True):
            sk.polygon(4, size, angle=angle)
        job.loft("post", ends)
        return [message for step in job.steps for message in step.warnings]

    assert build(0) == []
    assert "turned by 30 degrees to each other" in build(30)[0]


def test_what_stands_on_the_end_of_a_loft():
    """Walls that meet the plane of their own end along its known edges: a prism and a bore on the outline."""
    horn = lw.loft([rectangle(20, 10, 0, 3), circle(8, 15), circle(5, 30)], step="horn")
    post = lw.extrude(circle(5, 30), 4)
    both = lw.union(horn, post)
    assert both.volume == pytest.approx(horn.volume + 100 * math.pi, rel=1e-10)
    drilled = lw.cut(horn, lw.cylinder(2, 10, on=lw.XY.offset(25)))
    assert drilled.volume == pytest.approx(horn.volume - 20 * math.pi, rel=1e-10)


@pytest.mark.parametrize("off", [0.0, 2.0])
@pytest.mark.parametrize("minor", [20, 13])
def test_a_loft_to_a_point_is_cut_through_and_beside_the_point(minor, off):
    """The border of both parts passes the point, where one parameter leaps."""
    rings = [lw.Sketch(lw.XY.offset(h)) for h in (0, 10)]
    for ring, share in zip(rings, (1.0, 0.75), strict=True):
        ring.circle((0, 0), 20 * share) if minor == 20 else ring.ellipse((0, 0), 20 * share, minor * share)
    body = lw.loft([*rings, (0, 0, 40)])
    parted = lw.split(body, lw.Plane((0, 0, 0), (0.5, 0.8, 0)).offset(off))
    assert parted.volume == pytest.approx(body.volume, rel=1e-10)
    if off == 0.0:
        assert lw.separate(parted)[0].volume == pytest.approx(0.5 * body.volume, rel=1e-10)


def test_a_smooth_loft_through_circles_about_one_axis_is_turned():
    rings = [lw.Sketch(lw.XY.offset(h)) for h in (0, 10, 25)]
    for ring, radius in zip(rings, (20, 15, 18), strict=True):
        ring.circle((0, 0), radius)
    body = lw.loft(rings)
    assert [f.brep.surface.kind for f in body.faces() if not f.brep.surface.plane] == ["turned"]
    inner = lw.shell(body, 1.5, open=[f for f in body.faces() if f.brep.surface.plane])
    parabola = np.polyfit([0.0, 10.0, 25.0], [20.0, 15.0, 18.0], 2)
    z = np.linspace(0.0, 25.0, 4001)
    assert body.volume == pytest.approx(math.pi * simpson(np.polyval(parabola, z) ** 2, x=z), rel=1e-10)
    assert inner.is_valid and len(inner.faces()) == 4
