"""Bevels, drafts and shells: closed forms, what they swallow, what they refuse."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
from scipy.spatial import ConvexHull, HalfspaceIntersection
from scipy.special import ellipe

import lathwick as lw

from ..conftest import sound
from .test_rounds import rounded_box_area, rounded_box_volume


def bevelled_box_volume(a, b, c, d, most=3):
    """What is inside its faces, the planes off its edges, and those off its corners (most = 2: without)."""
    planes = []
    for signs in itertools.product((-1, 0, 1), repeat=3):
        count = sum(map(abs, signs))
        if 0 < count <= most:
            reach = sum(abs(s) * size / 2 for s, size in zip(signs, (a, b, c), strict=True))
            planes.append([*signs, (count - 1) * d - reach])
    inside = HalfspaceIntersection(np.array(planes, dtype=float), np.zeros(3))
    return ConvexHull(inside.intersections).volume


def walls(body):
    return body.faces().where(lambda f: not (f.kind == "plane" and abs(f.normal[2]) > 0.9))


# ---------------------------------------------------------------------- bevels


def test_box_with_all_edges_bevelled(tmp_path, outside_check):
    """To a point in every corner, as half-spaces leave it; or to a facet."""
    box = lw.box(40, 30, 20)
    pointed = lw.chamfer(box, box.edges(), 3, step="cut")
    assert (len(pointed.faces()), len(pointed.edges()), len(pointed.vertices())) == (18, 48, 32)
    assert pointed.volume == pytest.approx(bevelled_box_volume(40, 30, 20, 3, most=2), rel=1e-12)
    sound(pointed, tmp_path, outside_check)
    body = lw.chamfer(box, box.edges(), 3, facet=True, step="cut")
    assert (len(body.faces()), len(body.faces("cut/bevel")), len(body.faces("cut/corner"))) == (26, 12, 8)
    assert body.volume == pytest.approx(bevelled_box_volume(40, 30, 20, 3), rel=1e-12)
    sound(body, tmp_path, outside_check)


def test_bevel_with_two_sizes_and_with_an_angle():
    box = lw.box(40, 30, 20, step="b")
    edge = box.edge("b/top", "b/side:front")
    two = lw.chamfer(box, [edge], 3, 1)
    assert two.volume == pytest.approx(24000 - 40 * 1.5, rel=1e-13)
    lean = lw.chamfer(box, [edge], 3, angle=30)
    assert lean.volume == pytest.approx(24000 - 40 * 4.5 * math.tan(math.radians(30)), rel=1e-13)
    with pytest.raises(lw.ModellingError, match="second size or an angle, not both"):
        lw.chamfer(box, [edge], 3, 1, 30)
    with pytest.raises(lw.ModellingError, match="does not reach the second face"):
        lw.chamfer(box, [edge], 3, angle=95)


def test_bevelled_rims_are_cones(tmp_path, outside_check):
    shaft = lw.union(lw.cylinder(20, 10, step="low"), lw.cylinder(12, 30, step="high"))
    body = lw.chamfer(shaft, shaft.edges(), 2, step="b")
    assert {f.kind for f in body.faces("b/bevel")} == {"cone"}

    def ring(radius, sign):  # by Pappus: the centroid of the triangle is a third of the size off the wall
        return 2 * math.pi * (radius + sign * 2 / 3) * 2

    expected = shaft.volume - ring(20, -1) * 2 - ring(12, -1) + ring(12, 1)
    assert body.volume == pytest.approx(expected, rel=1e-12)
    sound(body, tmp_path, outside_check)


def test_bevel_of_a_chain():
    plate = lw.box(60, 40, 12, step="p")
    plate = lw.fillet(plate, plate.edges().parallel(lw.Z), 5)
    body = lw.chamfer(plate, plate.edges("p/top").longest(), 2, step="rim")
    assert len(body.faces("rim/bevel")) == 8 and body.is_valid
    with pytest.raises(lw.ModellingError, match="largest that works is"):
        lw.chamfer(plate, plate.edges("p/top").longest(), 30)


# ---------------------------------------------------------------------- drafts


@pytest.mark.parametrize("angle", [10.0, -10.0, 1e-3])
def test_drafted_prism(angle, tmp_path, outside_check):
    box = lw.box(40, 30, 20, step="b")
    body = lw.draft(box, walls(box), angle, lw.XY)
    shift = 20 * math.tan(math.radians(angle))
    top = (40 - 2 * shift, 30 - 2 * shift)
    middle = (40 - shift) * (30 - shift)
    assert body.volume == pytest.approx(20 / 6 * (1200 + top[0] * top[1] + 4 * middle), rel=1e-13)
    lengths = sorted(e.length for e in body.edges("b/top"))
    assert lengths == pytest.approx(sorted([*top, *top]), abs=1e-12)
    assert sorted(n for f in body.faces() for n in f.names) == sorted(n for f in box.faces() for n in f.names)
    sound(body, tmp_path, outside_check)


def test_draft_to_a_point_and_to_a_ridge():
    """The angle comes from a formula; edges agree to rounding."""
    prism = lw.box(20, 20, 20, center=True)
    pyramid = lw.draft(prism, walls(prism), math.degrees(math.atan(0.5)), lw.XY.offset(-10))
    assert (len(pyramid.faces()), len(pyramid.edges())) == (5, 8)
    assert pyramid.volume == pytest.approx(400 * 20 / 3, rel=1e-13)
    slanted = [e.length for e in pyramid.edges() if abs(e.direction[2]) > 0.1]
    assert slanted == pytest.approx([math.sqrt(600)] * 4, abs=1e-12)
    both = lw.draft(prism, walls(prism), 45, lw.XY, split=True)
    assert (len(both.faces()), len(both.edges())) == (8, 12)
    assert both.volume == pytest.approx(2 * 400 * 10 / 3, rel=1e-12)
    box = lw.box(40, 30, 20, step="b")
    roof = lw.draft(box, walls(box), 50, lw.XY)  # the walls meet below the top
    high = 15 / math.tan(math.radians(50))
    assert roof.volume == pytest.approx(high / 6 * (1200 + 4 * 25 * 15), rel=1e-12)
    assert roof.bounds[1][2] == pytest.approx(high, abs=1e-12)
    assert len(roof.faces("b/side")) == 4


def test_drafted_round_walls(tmp_path, outside_check):
    pin = lw.cylinder(10, 20)
    frustum = lw.draft(pin, walls(pin), 5, lw.XY)
    end = 10 - 20 * math.tan(math.radians(5))
    assert frustum.volume == pytest.approx(math.pi * 20 / 3 * (100 + 10 * end + end * end), rel=1e-13)
    tip = lw.draft(pin, walls(pin), math.degrees(math.atan(0.5)), lw.XY)
    assert tip.volume == pytest.approx(math.pi * 2000 / 3, rel=1e-13)
    plate = lw.box(40, 30, 20, step="b")
    plate = lw.fillet(plate, plate.edges().parallel(lw.Z), 5)
    plate = lw.cut(plate, lw.cylinder(4, 50, on=lw.Plane((20, 15, -5), (0, 0, 1)), step="bore"))
    body = lw.draft(plate, walls(plate), 5, lw.XY)
    assert sorted(f.kind for f in body.faces()).count("cone") == 5
    t = 20 * math.tan(math.radians(5))

    def outline(d):
        r = 5 - d
        return (40 - 10) * (30 - 10) + 2 * r * (30 + 20) + math.pi * r * r - math.pi * (4 + d) ** 2

    assert body.volume == pytest.approx(20 / 6 * (outline(0) + outline(t) + 4 * outline(t / 2)), rel=1e-12)
    sound(body, tmp_path, outside_check)


def test_drafts_that_do_not_fit():
    box = lw.box(40, 30, 20, step="b")
    with pytest.raises(lw.ModellingError, match="no wall to draft"):
        lw.draft(box, box.faces("b/top"), 5, lw.XY)
    with pytest.raises(lw.ModellingError, match="between -90 and 90"):
        lw.draft(box, walls(box), 90, lw.XY)
    drilled = lw.cut(box, lw.cylinder(4, 50, on=lw.Plane((20, 15, -5), (0, 0, 1))))
    with pytest.raises(lw.ModellingError, match=r"the largest that works is \d"):
        lw.draft(drilled, walls(drilled), 35, lw.XY)


# ---------------------------------------------------------------------- shells


def test_shelled_box():
    box = lw.box(40, 30, 20, step="b")
    body = lw.shell(box, 2, open=box.faces("b/top"), step="s")
    assert body.volume == pytest.approx(24000 - 36 * 26 * 18, rel=1e-12)
    assert len(body.faces("s/inside")) == 5
    assert lw.shell(box, 2).volume == pytest.approx(24000 - 36 * 26 * 16, rel=1e-12)
    around = lw.shell(box, -2, open=box.faces("b/top"))
    assert around.volume == pytest.approx(44 * 34 * 22 - 24000, rel=1e-12)
    two = lw.shell(box, 2, open=box.faces("b/top") | box.faces("b/side:front"))
    assert two.volume == pytest.approx(24000 - 36 * 28 * 18, rel=1e-12)
    thick = lw.shell(box, 2, open=box.faces("b/top"), other=[(box.faces("b/bottom"), 5)])
    assert thick.volume == pytest.approx(24000 - 36 * 26 * 15, rel=1e-12)


def bowl_volume(a, b, h, r):
    """A box whose upright and bottom edges are rounded."""
    a, b = a - 2 * r, b - 2 * r
    level = a * b + 2 * r * (a + b) + math.pi * r * r
    return level * (h - r) + a * b * r + math.pi * r * r / 2 * (a + b) + 2 / 3 * math.pi * r**3


@pytest.mark.parametrize("thickness", [1.0, 4.0, 5.0])
def test_shell_swallows_rounds_of_its_thickness(thickness, tmp_path, outside_check):
    bowl = lw.box(40, 30, 20, step="b")
    bowl = lw.fillet(bowl, bowl.edges().parallel(lw.Z) | bowl.edges("b/bottom"), 4)
    body = lw.shell(bowl, thickness, open=bowl.faces("b/top"), step="s")
    inner = (40 - 2 * thickness, 30 - 2 * thickness, 20 - thickness, max(0.0, 4 - thickness))
    assert body.volume == pytest.approx(bowl_volume(40, 30, 20, 4) - bowl_volume(*inner), rel=1e-11)
    assert len(body.faces("s/inside")) == (17 if thickness < 4 else 5)
    sound(body, tmp_path, outside_check)


def test_shells_with_bores_and_inner_corners(tmp_path, outside_check):
    box = lw.box(40, 30, 20, step="b")
    bored = lw.cut(box, lw.cylinder(4, 50, on=lw.Plane((20, 15, -5), (0, 0, 1))))
    body = lw.shell(bored, 2, open=bored.faces("b/top"))
    assert body.volume == pytest.approx(bored.volume - (36 * 26 * 18 - math.pi * 36 * 18), rel=1e-12)
    angle = lw.union(lw.box(40, 30, 10, step="low"), lw.box(20, 15, 25, step="high"))
    angle = lw.fillet(angle, angle.edges().concave(), 3)
    sound(lw.shell(angle, 2, open=angle.faces("low/bottom")), tmp_path, outside_check)


def test_shells_that_do_not_fit():
    box = lw.box(40, 30, 20, step="b")
    with pytest.raises(lw.ModellingError, match=r"thickness of 16 is too large.*works is 14\.99"):
        lw.shell(box, 16, open=box.faces("b/top"))
    with pytest.raises(lw.ModellingError, match="every face is open"):
        lw.shell(box, 1, open=box.faces())
    with pytest.raises(lw.ModellingError, match="thickness must be more than"):
        lw.shell(box, 0)
    with pytest.raises(lw.ModellingError, match="open and has a thickness"):
        lw.shell(box, 1, open=box.faces("b/top"), other=[(box.faces("b/top"), 2)])


def test_a_part_with_all_of_them(tmp_path, outside_check):
    """Steps of a job: names, warnings and the record, as in a design."""
    job = lw.Job()
    case = job.box("case", 80, 50, 30)
    case = job.draft("lean", case, walls(case), 3, lw.XY)
    case = job.fillet("corners", case, case.edges("case/side").where(lambda e: not e.lies_in(lw.XY)
                      and not e.lies_in(lw.XY.offset(30))), 6)  # fmt: skip
    case = job.fillet("foot", case, case.edges("case/bottom").longest(), 2)
    case = job.shell("hollow", case, 1.5, case.faces("case/top"))
    assert [step.verb for step in job.steps] == ["box", "draft", "fillet", "fillet", "shell"]
    assert case.faces("hollow/inside") and case.faces("foot/round") and case.faces("corners/round")
    sound(case, tmp_path, outside_check)


def test_tapered_extrusions():
    """One way, both ways, and the walls of a hole; a ring of walls of one sketch."""
    job = lw.Job()
    plan = job.sketch("plan", on=lw.XY)
    plan.rectangle(40, 30, center=plan.origin)
    plan.circle(plan.origin, 5)
    t = 20 * math.tan(math.radians(4))

    def level(d):
        return (40 - 2 * d) * (30 - 2 * d) - math.pi * (5 + d) ** 2

    def volume(d, height):
        return height / 6 * (level(0) + 4 * level(d / 2) + level(d))

    up = job.extrude("up", plan, 20, taper=4)
    assert up.volume == pytest.approx(volume(t, 20), rel=1e-12)
    assert up.faces("up/side") and up.face("up/end").area == pytest.approx(level(t), rel=1e-12)
    both = job.extrude("both", plan, 40, both=True, taper=4)
    assert both.volume == pytest.approx(2 * volume(t, 20), rel=1e-12)
    wider = job.extrude("wider", plan, 20, taper=-4)
    assert wider.volume > 20 * level(0)


@pytest.mark.parametrize(("radius", "thickness"), [(4, 2), (4, 4), (2, 3), (5, 0.5), (4, -2)])
def test_shells_open_at_a_face_that_rounds_join(radius, thickness, tmp_path, outside_check):
    """A box rounded all over, its top open: the mouth goes straight through the wall."""
    sides = (40, 30, 20)
    box = lw.box(*sides, step="box")
    soft = lw.fillet(box, box.edges(), radius)
    body = lw.shell(soft, thickness, open=soft.face("box/top"), step="thin")
    grown = [side - 2 * thickness for side in sides]
    left = max(radius - thickness, 0)
    bodies = [(sides, radius), (grown, left)] if thickness > 0 else [(grown, left), (sides, radius)]
    inset = max(radius, thickness)
    mouth = [side - 2 * inset for side in sides[:2]]
    solid, hollow = (rounded_box_volume(*size, r) for size, r in bodies)
    assert body.volume == pytest.approx(solid - hollow - math.prod(mouth) * abs(thickness), rel=1e-9)
    skins = sum(rounded_box_area(*size, r) for size, r in bodies)
    area = skins - 2 * math.prod(mouth) + 2 * sum(mouth) * abs(thickness)
    assert body.area == pytest.approx(area, rel=1e-9)
    sound(body, tmp_path, outside_check)


def test_a_cup_with_soft_rims_and_a_post():
    """The outline of a hollow turned about its axis; a post in the middle keeps its wall."""
    disc = lw.union(lw.cylinder(20, 12, step="cup"), lw.cylinder(3, 12))
    tube = lw.cut(disc, lw.cylinder(3, 14, on=lw.XY.offset(-1)))
    soft = lw.fillet(tube, tube.edges().circular(20), 4)
    cup = lw.shell(soft, 1.5, open=soft.face("cup/top"))
    closed = lw.shell(soft, 1.5)
    assert closed.volume - cup.volume == pytest.approx(math.pi * (16**2 - 4.5**2) * 1.5, rel=1e-9)
    assert cup.is_valid and cup.lumps == 1


def test_open_faces_without_a_mouth_are_refused():
    drum = lw.cylinder(10, 20, step="drum")
    soft = lw.fillet(drum, drum.edges(), 3)
    with pytest.raises(lw.ModellingError, match="an open cylinder face that others join smoothly"):
        lw.shell(soft, 1, open=soft.face("drum/side"))


def test_several_sizes_of_bevels_in_one_step(tmp_path, outside_check):
    """Upright edges by one size, the rim of a boss by another: a disc less a frustum."""
    plate = lw.union(
        lw.box(30, 20, 8, step="p"), lw.cylinder(5, 14, on=lw.Plane((15, 10, 0), lw.Z), step="b")
    )
    uprights, rim = plate.edges("p").parallel(lw.Z), plate.edges("b/top")
    made = lw.chamfer(plate, [uprights, rim], [2, 0.5])
    taken = 4 * 2.0 * 8 + math.pi * (5**2 * 0.5 - (5**3 - 4.5**3) / 3.0)
    assert plate.volume - made.volume == pytest.approx(taken, rel=1e-9)
    sound(made, tmp_path, outside_check)
    with pytest.raises(lw.ModellingError, match="2 sizes need as many selections of edges, got 1"):
        lw.chamfer(plate, [uprights], [2, 0.5])
    with pytest.raises(lw.ModellingError, match="goes with one size"):
        lw.chamfer(plate, [uprights, rim], [2, 0.5], 1)
    with pytest.raises(lw.ModellingError, match=r"an edge has two sizes, 2 and 0\.5"):
        lw.chamfer(plate, [uprights, uprights], [2, 0.5])


@pytest.mark.parametrize("angle", [2.0, -2.0, 5.0])
def test_a_wall_over_an_ellipse_leans(angle, tmp_path, outside_check):
    """Steiner: the area within a parallel curve is that of the ellipse, less its length times the distance,
    and a circle of it. The rim is rounded afterwards."""
    sk = lw.Sketch(lw.XY)
    sk.ellipse((0, 0), 20, 12)
    rod = lw.extrude(sk, 15, step="e")
    made = lw.draft(rod, rod.faces("e/side"), angle, lw.XY)
    slope, length = math.tan(math.radians(angle)), 80 * ellipe(1 - (12 / 20) ** 2)
    expected = math.pi * 240 * 15 - length * slope * 15**2 / 2 + math.pi * slope**2 * 15**3 / 3
    assert made.volume == pytest.approx(expected, rel=1e-11)
    assert lw.fillet(made, made.edges("e/end"), 2).is_valid
    sound(made, tmp_path, outside_check)


def test_walls_over_splines_lean_both_ways_and_say_where_they_fold():
    sk = lw.Sketch(lw.XY)
    sk.spline([(20, 0), (5, 15), (-18, 6), (-12, -14), (10, -12)], close=True)
    rod = lw.extrude(sk, 15, step="e")
    one = lw.draft(rod, rod.faces("e/side"), 2, lw.XY.offset(7))
    assert one.is_valid
    half = lw.intersect(one, lw.box(200, 200, 50, on=lw.Plane((-100, -100, 7), (0, 0, 1), (1, 0, 0))))
    both = lw.draft(rod, rod.faces("e/side"), (2, 3), lw.XY.offset(7), split=True)
    upper = lw.intersect(both, lw.box(200, 200, 50, on=lw.Plane((-100, -100, 7), (0, 0, 1), (1, 0, 0))))
    assert upper.volume == pytest.approx(half.volume, rel=1e-9)
    with pytest.raises(lw.ModellingError, match="the largest that works is"):
        lw.draft(rod, rod.faces("e/side"), 60, lw.XY)


def test_walls_about_a_parting_line_on_two_planes():
    """Front and back part at 8, left and right at 12; the area of a section is quadratic in between."""
    box, slope = lw.box(40, 30, 20, step="b"), math.tan(math.radians(3))
    once = lw.draft(box, [box.face("b/side:front"), box.face("b/side:back")], 3, lw.XY.offset(8), split=True)
    sides = [face for face in once.faces() if abs(face.normal[0]) == 1.0]
    twice = lw.draft(once, sides, 3, lw.XY.offset(12), split=True)

    def area(z):
        return (40 - 2 * slope * abs(z - 12)) * (30 - 2 * slope * abs(z - 8))

    volume = sum(
        (b - a) / 6 * (area(a) + 4 * area((a + b) / 2) + area(b)) for a, b in ((0, 8), (8, 12), (12, 20))
    )
    assert twice.volume == pytest.approx(volume, rel=1e-12)
    assert len(twice.faces()) == 10 and twice.is_valid
