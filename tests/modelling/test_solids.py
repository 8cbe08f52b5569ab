"""Simple solids, revolutions, copies and placing: closed measures, faces by name, refusals."""

import math
import re

import numpy as np
import pytest

import lathwick as lw

TILTED = lw.Plane((3, 4, 5), (1, 2, 3))


@pytest.mark.parametrize("plane", [lw.XY, lw.XZ, TILTED])
@pytest.mark.parametrize("k", [1e-2, 1.0, 1e3])
def test_simple_solids_have_closed_measures(plane, k):
    """Volume, area, centroid, and the number of faces, edges and vertices."""
    cases = [
        (lw.box(2 * k, 3 * k, 4 * k, on=plane), 24, 52, (1, 1.5, 2), (6, 12, 8)),
        (lw.box(2 * k, 3 * k, 4 * k, on=plane, center=True), 24, 52, (0, 0, 0), (6, 12, 8)),
        (lw.cylinder(2 * k, 5 * k, on=plane), 20 * math.pi, 28 * math.pi, (0, 0, 2.5), (3, 2, 0)),
        (lw.cone(0, 3 * k, 4 * k, on=plane), 12 * math.pi, 24 * math.pi, (0, 0, 3), (2, 1, 0)),
        (lw.cone(3 * k, 1 * k, 4 * k, on=plane), 52 / 3 * math.pi, None, None, (3, 2, 0)),
        (lw.sphere(2 * k, on=plane), 32 / 3 * math.pi, 16 * math.pi, (0, 0, 0), (1, 0, 0)),
        (lw.torus(5 * k, 2 * k, on=plane), 40 * math.pi**2, 40 * math.pi**2, (0, 0, 0), (1, 0, 0)),
        (lw.wedge(4 * k, 2 * k, 3 * k, 0, on=plane), 12, None, None, (5, 9, 6)),
        (lw.wedge(4 * k, 2 * k, 3 * k, 6 * k, on=plane), 30, None, None, (6, 12, 8)),
    ]
    for body, volume, area, middle, numbers in cases:
        assert body.check() == ()
        assert body.volume == pytest.approx(volume * k**3, rel=1e-12)
        assert area is None or body.area == pytest.approx(area * k**2, rel=1e-12)
        if middle is not None:
            expected = plane.point(*(k * c for c in middle))
            assert body.centroid == pytest.approx(expected, abs=1e-10 * max(k, 10))
        assert (len(body.faces()), len(body.edges()), len(body.vertices())) == numbers


def test_bounds_reach_the_bulges():
    """Of spheres and tori, whole and cut, in every direction."""
    assert lw.sphere(2, on=TILTED).bounds == (pytest.approx((1, 2, 3)), pytest.approx((5, 6, 7)))
    half = lw.cut(lw.sphere(2), lw.box(9, 9, 9, on=lw.Plane((-4, -4, 0), (0, 0, 1))))
    assert half.bounds == (pytest.approx((-2, -2, -2)), pytest.approx((2, 2, 0)))
    ring = lw.torus(3, 1, on=lw.XZ)
    assert ring.bounds == (pytest.approx((-4, -1, -4)), pytest.approx((4, 1, 4)))


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (lambda: lw.box(0, 1, 1), "dx must lie between"),
        (lambda: lw.cylinder(1, float("nan")), "height takes a finite number, got nan"),
        (lambda: lw.torus(1, 1), "major radius above the minor"),
        (lambda: lw.cone(0, 0, 1), "a radius at one end"),
        (lambda: lw.cone(1, 1 + 1e-8, 1), "use a cylinder"),
        (lambda: lw.sphere("wide"), "radius takes a finite number, got 'wide'"),
        (lambda: lw.scale(lw.sphere(1), 0), "more than 0"),
        (lambda: lw.linear_pattern(lw.sphere(1), 0, 5, lw.X), "whole number"),
        (lambda: lw.circular_pattern(lw.sphere(1), 3, "Z"), "goes about an Axis"),
        (lambda: lw.split(lw.sphere(1), lw.XY.offset(3)), "does not divide"),
        (lambda: lw.union(lw.sphere(1), "sphere"), "bodies takes a body, got 'sphere'"),
        (lambda: lw.cut(lw.sphere(1)), "at least 2 bodies"),
        (lambda: lw.union(lw.sphere(1), lw.sphere(1, unit="in")), "cannot be combined"),
    ],
)
def test_mistakes_are_one_sentence(make, words):
    """What, the value, the limit."""
    with pytest.raises(lw.ModellingError, match=words):
        make()


def profile(points, plane=lw.XZ) -> tuple:
    sk = lw.Sketch(plane)
    sk.polyline(points, close=True, name="profile")
    return sk.regions()


@pytest.mark.parametrize("angle", [360, 90, 200, -135])
def test_revolved_profiles_follow_pappus(angle):
    """Planes, cylinders and cones, on and off the axis; parts of a turn have caps."""
    share = abs(angle) / 360
    body = lw.revolve(profile([(0, 0), (5, 0), (5, 2), (3, 4), (3, 6), (0, 6)]), lw.Z, angle, step="turned")
    assert body.volume == pytest.approx(math.pi * (50 + 2 / 3 * 49 + 18) * share, rel=1e-12)
    assert len(body.faces()) == (5 if angle == 360 else 7)
    assert body.check() == ()
    if angle != 360:
        assert body.face("turned/start").area == pytest.approx(body.face("turned/end").area)
        way = np.cross((0, 0, math.copysign(1, angle)), (1, 0, 0))
        assert body.face("turned/start").normal == pytest.approx(tuple(-way))
    ring = lw.revolve(profile([(4, 0), (6, 1), (5, 3)]), lw.Z, angle)
    assert ring.volume == pytest.approx(2 * math.pi * 5 * 2.5 * share, rel=1e-12)


@pytest.mark.parametrize("angle", [3, 20, 45, 58, 130])
def test_sectors_of_a_cone_about_its_tip(angle):
    """Measures are shares of the whole; revolved, or cut out by two planes through the axis."""
    turned = lw.revolve(profile([(0, 0), (3, 0), (0, 5)]), lw.Z, angle)
    quarter = lw.intersect(lw.cone(3, 0, 5), lw.box(8, 8, 8))
    found = [(turned, angle / 360)]
    if angle < 90:
        found.append((lw.intersect(quarter, lw.turn(lw.box(8, 8, 8), angle - 90, lw.Z)), angle / 360))
    for body, share in found:
        assert body.volume == pytest.approx(15 * math.pi * share, rel=1e-12)
        walls = [face.area for face in body.faces() if face.kind == "cone"]
        assert walls == [pytest.approx(3 * math.hypot(3, 5) * math.pi * share, rel=1e-12)]


@pytest.mark.parametrize("angle", [360, 77])
def test_revolved_arcs_become_spheres_and_tori(angle):
    """An arc about a center on the axis, and a whole circle off it."""
    sk = lw.Sketch(lw.XZ)
    base = sk.line((0, -3), (0, 3))
    sk.arc(sk.origin, base.start, base.end)
    ball = lw.revolve(sk.regions(), lw.Z, angle)
    assert ball.volume == pytest.approx(36 * math.pi * angle / 360, rel=1e-12)
    sk = lw.Sketch(lw.XZ)
    sk.circle((5, 1), 2)
    ring = lw.revolve(sk.regions(), lw.Z, angle)
    assert ring.volume == pytest.approx(40 * math.pi**2 * angle / 360, rel=1e-12)
    assert {f.kind for f in ring.faces()} <= {"torus", "plane"}


def test_revolve_refuses_what_is_no_solid():
    """An axis across the profile, out of its plane, or touched in one point."""
    square = profile([(-1, 0), (1, 0), (1, 1)])
    with pytest.raises(lw.ModellingError, match="not cross it"):
        lw.revolve(square, lw.Z)
    with pytest.raises(lw.ModellingError, match="in the plane"):
        lw.revolve(square, lw.Y)
    with pytest.raises(lw.ModellingError, match="single point"):
        lw.revolve(profile([(0, 0), (2, -1), (2, 1)]), lw.Z)
    job = lw.Job()
    sk = job.sketch("wheel", on=lw.XZ)
    axis = sk.line((0, -1), (0, 1), construction=True)
    sk.rectangle(2, 1, center=(4, 0))
    wheel = job.revolve("wheel rim", sk, axis)
    assert wheel.volume == pytest.approx(2 * math.pi * 4 * 2)


def drilled() -> lw.Body:
    block = lw.box(4, 3, 2, step="block")
    return lw.cut(
        block, lw.cylinder(0.5, 5, on=lw.Plane((1, 1, -1), (0, 0, 1)), step="bore"), lw.torus(2, 0.4)
    )


@pytest.mark.parametrize(
    ("change", "factor"),
    [
        (lambda b: lw.move(b, 1, 2, 3), 1.0),
        (lambda b: lw.turn(b, 37, lw.Axis((1, 2, 3), (1, 1, 1))), 1.0),
        (lambda b: lw.place(b, TILTED), 1.0),
        (lambda b: lw.scale(b, 2.5), 2.5),
        (lambda b: lw.mirror(b, TILTED, keep=False), 1.0),
    ],
)
def test_moved_bodies_stay_what_they_are(change, factor):
    """Volume, validity, names, and what is inside; twice mirrored is where it was."""
    body = drilled()
    moved = change(body)
    assert moved.check() == ()
    assert moved.volume == pytest.approx(body.volume * factor**3, rel=1e-11)
    assert moved.area == pytest.approx(body.area * factor**2, rel=1e-11)
    assert len(moved.faces("bore/side")) == 1
    assert sorted(f.kind for f in moved.faces()) == sorted(f.kind for f in body.faces())
    again = lw.mirror(lw.mirror(moved, lw.YZ, keep=False), lw.YZ, keep=False)
    assert again.centroid == pytest.approx(moved.centroid, abs=1e-9)


def test_mirror_with_its_image_is_one_body():
    """Halves that meet in the plane are one; those apart are lumps."""
    body = drilled()
    joined = lw.mirror(body, lw.YZ)
    assert joined.lumps == 1
    assert joined.volume == pytest.approx(2 * body.volume)
    apart = lw.mirror(body, lw.YZ.offset(-1))
    assert apart.lumps == 2


@pytest.mark.parametrize(("spacing", "lumps"), [(6, 4), (4, 1), (3, 1)])
def test_rows_touch_overlap_or_stand_apart(spacing, lumps):
    """Copies that touch or overlap are united."""
    block = lw.box(4, 3, 2)
    row = lw.linear_pattern(block, 4, spacing, lw.X)
    assert row.lumps == lumps
    assert row.volume == pytest.approx(6 * (min(spacing, 4) * 3 + 4))
    both = lw.linear_pattern(block, 2, 10, (0, 1, 0), both=True)
    assert (both.lumps, both.bounds[0][1]) == (3, pytest.approx(-10))


def test_rings_over_a_turn_and_part_of_it():
    """Six over a whole turn; over 90 degrees the last stands at 90."""
    pin = lw.cylinder(0.5, 2, on=lw.Plane((5, 0, 0), (0, 0, 1)))
    assert lw.circular_pattern(pin, 6, lw.Z).lumps == 6
    quarter = lw.circular_pattern(pin, 3, lw.Z, 90)
    assert quarter.bounds[1] == pytest.approx((5.5, 5.5, 2))


def plate() -> tuple[lw.Job, lw.Body]:
    job = lw.Job()
    return job, job.box("plate", 60, 40, 10)


def test_holes_in_a_plate():
    """Plain, blind, counterbored, countersunk: closed volumes, and faces by name."""
    job, body = plate()
    top = body.face("plate/top")
    plain = job.hole("bolts", body, top, [(10, 10), (50, 10), (50, 30)], 6)
    assert body.volume - plain.volume == pytest.approx(3 * 9 * math.pi * 10)
    assert len(plain.faces("bolts/side")) == 3
    blind = job.hole("blind", body, top, (30, 20), 6, 4)
    assert body.volume - blind.volume == pytest.approx(9 * math.pi * 4)
    assert blind.face("blind/bottom").normal == pytest.approx((0, 0, 1))
    bored = job.hole("screw", body, top, (30, 20), 6, counterbore=(10, 3))
    assert body.volume - bored.volume == pytest.approx(math.pi * (25 * 3 + 9 * 7))
    assert bored.face("screw/seat").area == pytest.approx(math.pi * 16)
    sunk = job.hole("flat head", body, top, (30, 20), 6, countersink=(12, 90))
    assert body.volume - sunk.volume == pytest.approx(math.pi * (3 / 3 * (36 + 18 + 9) + 9 * 7))
    assert sunk.face("flat head/countersink").kind == "cone"
    side = job.hole("cross", body, body.face("plate/side:front"), (30, 5), 4)
    assert body.volume - side.volume == pytest.approx(4 * math.pi * 40)


def test_holes_in_a_tube():
    """Straight in to the axis, or through both walls."""
    job = lw.Job()
    tube = job.cut("tube", job.cylinder("rod", 10, 50), job.cylinder("bore", 8, 60, on=lw.XY.offset(-5)))
    wall = tube.face("rod/side")
    one = job.hole("one side", tube, wall, (20, 30), 4, "axis")
    assert len(one.faces("one side/side")) == 1
    both = job.hole("both sides", tube, wall, [(20, 30), (35, 120)], 4)
    assert len(both.faces("both sides/side")) == 4
    assert both.volume - tube.volume == pytest.approx(4 * (one.volume - tube.volume), rel=1e-8)


@pytest.mark.parametrize(
    ("call", "words"),
    [
        (lambda j, b: j.hole("h", b, b.face("plate/top"), (1, 1), 0), "diameter must lie"),
        (lambda j, b: j.hole("h", b, b.face("plate/top"), [], 3), "one point at least"),
        (lambda j, b: j.hole("h", b, b.face("plate/top"), [(1, 2, 3)], 3), "placed at points"),
        (lambda j, b: j.hole("h", b, b.face("plate/top"), (9, 9), 5, counterbore=(4, 1)), "more than that"),
        (lambda j, b: j.hole("h", b, b.face("plate/top"), (9, 9), 5, "axis"), "hole on a cylinder"),
        (lambda j, b: j.hole("h", b, "plate/top", (9, 9), 5), 'step "h": hole: on takes a face'),
        (lambda j, b: j.extrude("e", b.face("plate/top")), "a depth or up_to"),
    ],
)
def test_mistakes_with_holes_name_the_step(call, words):
    """One sentence, with the step."""
    with pytest.raises(lw.ModellingError, match=words):
        call(*plate())


def test_holes_end_behind_the_first_wall_or_before_the_last():
    """In a tube in a tube: one wall, three, or all four; the wall that is left is whole."""
    walls = [lw.cut(lw.cylinder(r, 40), lw.cylinder(r - 2, 40)) for r in (20, 12)]
    tubes = lw.union(*walls)
    outer = max(tubes.faces().cylindrical(), key=lambda f: f.radius)
    through = lw.hole(tubes, outer, [(20, 0)], 6)
    first = lw.hole(tubes, outer, [(20, 0)], 6, "first inner face")
    before = lw.hole(tubes, outer, [(20, 0)], 6, "far wall")
    assert len(through.faces()) - len(tubes.faces()) == 4
    assert len(first.faces()) - len(tubes.faces()) == 1
    assert len(before.faces()) - len(tubes.faces()) == 3
    lost = [tubes.volume - body.volume for body in (first, before, through)]
    near, far = lost[0], lost[2] - lost[1]
    assert far == pytest.approx(near, rel=1e-9)
    rod = lw.cylinder(5, 20)
    assert lw.hole(rod, rod.faces().cylindrical()[0], [(10, 90)], 2, "far wall").check() == ()
    with pytest.raises(lw.ModellingError, match="no inner face"):
        lw.hole(rod, rod.faces().cylindrical()[0], [(10, 90)], 2, "first inner face")
    case = lw.cut(lw.box(30, 30, 30), lw.box(20, 20, 20, on=lw.Plane((5, 5, 5), (0, 0, 1))))
    top = case.faces().facing(lw.Z).nearest((0, 0, 40))
    lid = lw.hole(case, top, (15, 15), 4, "first inner face")
    assert case.volume - lid.volume == pytest.approx(math.pi * 4 * 5, rel=1e-12)


def test_grids_are_rows_of_rows():
    """A second direction, not parallel to the first; by default as far apart."""
    ball = lw.sphere(1)
    grid = lw.linear_pattern(ball, 3, 4, lw.X, count2=2, along2=lw.Y, spacing2=5)
    assert (grid.lumps, grid.bounds[1]) == (6, pytest.approx((9, 6, 1)))
    assert lw.linear_pattern(ball, 2, 4, lw.X, count2=2, along2=(1, 1, 0), both=True).lumps == 9
    with pytest.raises(lw.ModellingError, match="parallel"):
        lw.linear_pattern(ball, 2, 4, lw.X, count2=2, along2=(-2, 0, 0))
    with pytest.raises(lw.ModellingError, match="needs along2"):
        lw.linear_pattern(ball, 2, 4, lw.X, count2=2)


def test_cut_through_all_holds_when_heights_change():
    """A profile on a face cuts into the body, through whatever height there is, or so deep."""
    for height in (5, 40):
        job = lw.Job()
        body = job.box("block", 30, 20, height)
        sk = job.sketch("window", on=body.face("block/top"))
        sk.rectangle(10, 6, corner=(5, 5), name="w")
        through = job.cut("opened", body, sk)
        assert body.volume - through.volume == pytest.approx(60 * height)
        assert len(through.faces("opened/side")) == 4
        pocket = job.cut("pocket", body, sk, depth=2)
        assert pocket.face("pocket/start").normal == pytest.approx((0, 0, 1))
        assert body.volume - pocket.volume == pytest.approx(120)
        middle = job.sketch("mid", on=lw.XZ.offset(-10))
        middle.circle((15, height / 2), 1)
        assert body.volume - job.cut("both", body, middle, both=True).volume == pytest.approx(20 * math.pi)


@pytest.mark.parametrize(
    ("thing", "name", "words"),
    [
        (lw.box(1, 2, 3), "subtract", "there is lw.cut()"),
        (lw.box(1, 2, 3), "volumes", "there is volume"),
        (lw.box(1, 2, 3).edges(), "paralel", "there is parallel"),
        (lw.Sketch(lw.XY), "fillet", "there is round"),
        (lw.Job(), "round", "there is fillet"),
        (lw.Part(lw.box(1, 2, 3)), "export", "there is save"),
    ],
)
def test_a_name_that_is_not_there_tells_what_is(thing, name, words):
    with pytest.raises(AttributeError, match=re.escape(words)):
        getattr(thing, name)
    with pytest.raises(AttributeError, match=r"no attribute 'qqq'$"):
        thing.qqq  # noqa: B018


def test_a_selection_of_one_face_stands_for_it():
    """As a profile, and as where an extrusion ends; so does a plane."""
    block = lw.box(20, 10, 6, step="block")
    boss = lw.extrude(block.faces().facing(lw.Z), 4)
    assert boss.volume == pytest.approx(800, rel=1e-12)
    job = lw.Job()
    base = job.box("base", 20, 10, 6)
    ring = job.sketch("ring", on=lw.XY.offset(10))
    ring.circle((10, 5), 2)
    for name, end in (("a", base.faces("base/bottom")), ("b", lw.XY)):
        with pytest.raises(lw.ModellingError, match="not in front"):
            job.extrude(f"{name} up", ring, up_to=end)
    below = job.sketch("below", on=lw.XY.offset(-4))
    below.circle((10, 5), 2)
    for name, end in (("c", base.faces("base/top").nearest((10, 5, 6))), ("d", lw.XY.offset(6))):
        assert job.extrude(name, below, up_to=end).volume == pytest.approx(40 * math.pi, rel=1e-12)


def test_extrude_up_to_a_face():
    """To a level face, and to a slanting one, whose plane the end takes."""
    job = lw.Job()
    roof = job.box("roof", 40, 40, 5, on=lw.Plane((-20, -20, 20), (0.2, 0, 1)))
    sk = job.sketch("post")
    sk.circle((0, 0), 3)
    post = job.extrude("post up", sk, up_to=roof.face("roof/bottom"))
    assert post.face("post up/end").normal == pytest.approx(
        tuple(-c for c in roof.face("roof/bottom").normal)
    )
    assert post.volume == pytest.approx(9 * math.pi * (20 - 0.2 * 20), rel=1e-9)
    with pytest.raises(lw.ModellingError, match="not in front"):
        job.extrude("down", sk, up_to=job.box("floor", 9, 9, 1, on=lw.XY.offset(-9)).face("floor/top"))
