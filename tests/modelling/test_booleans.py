"""Booleans with closed answers: volumes, numbers of faces and edges, names, refusals."""

import itertools
import math

import numpy as np
import pytest

import lathwick as lw


def up(x: float, y: float, z: float) -> lw.Plane:
    return lw.Plane((x, y, z), (0, 0, 1), (1, 0, 0))


def counts(body: lw.Body) -> tuple[int, int, int]:
    return len(body.faces()), len(body.edges()), len(body.vertices())


def tilted(k: int) -> lw.Plane:
    """A plane in general position."""
    random = np.random.default_rng(k)
    return lw.Plane(random.normal(size=3) * 30, random.normal(size=3), random.normal(size=3))


def on(plane: lw.Plane, x: float, y: float, z: float) -> lw.Plane:
    """A parallel plane at a local place."""
    return plane.moved_to(plane.point(x, y, z))


PLANES = [lw.XY, tilted(1), tilted(2)]


@pytest.mark.parametrize("plane", PLANES)
def test_drilled_block_and_its_plug(plane):
    """7 faces, 14 edges of which 2 are circles; a pin of the hole's own diameter makes it whole again."""
    block = lw.box(40, 30, 20, on=plane)
    drilled = lw.cut(block, lw.cylinder(6, 30, on=on(plane, 15, 15, -5)))
    assert counts(drilled) == (7, 14, 8)
    assert len(drilled.edges().circular()) == 2
    assert len(drilled.edges().straight()) == 12
    assert drilled.volume == pytest.approx(24000 - 36 * math.pi * 20, rel=1e-13)
    whole = lw.union(drilled, lw.cylinder(6, 20, on=on(plane, 15, 15, 0)))
    assert counts(whole) == (6, 12, 8)
    assert whole.volume == pytest.approx(24000, rel=1e-13)


@pytest.mark.parametrize("plane", PLANES)
def test_boxes_side_by_side_are_one_box(plane):
    """Faces on one plane are one face, edges on one line one edge."""
    row = [lw.box(10, 10, 10, on=on(plane, 10 * k, 0, 0), step=f"b{k}") for k in range(3)]
    body = lw.union(*row)
    assert counts(body) == (6, 12, 8)
    assert body.volume == pytest.approx(3000)
    assert len(body.faces("b0/top")) == len(body.faces("b2/top")) == 1


def test_a_less_a_is_refused_and_a_with_a_is_a():
    """Nothing left is an error that says so."""
    block = lw.cut(lw.box(4, 4, 4), lw.sphere(1, on=up(2, 2, 2)))
    with pytest.raises(lw.ModellingError, match="the cut removes everything"):
        lw.cut(block, block)
    with pytest.raises(lw.ModellingError, match="nothing in common"):
        lw.intersect(block, lw.box(1, 1, 1, on=up(9, 9, 9)))
    both = lw.union(block, block)
    assert counts(both) == counts(block)
    assert both.volume == pytest.approx(block.volume, rel=1e-13)


SOLIDS = {
    "box": lambda p: lw.box(6, 5, 4, on=p),
    "cylinder": lambda p: lw.cylinder(2, 7, on=p),
    "cone": lambda p: lw.cone(3, 1, 5, on=p),
    "sphere": lambda p: lw.sphere(3, on=p),
    "torus": lambda p: lw.torus(3, 1, on=p),
    "wedge": lambda p: lw.wedge(6, 4, 4, 2, on=p),
}


@pytest.mark.parametrize(("one", "two"), list(itertools.combinations_with_replacement(SOLIDS, 2)))
def test_parts_add_up(one, two):
    """(A - B) and (A and B) make A again; volumes add up to a few parts in 1e10."""
    random = np.random.default_rng(len(one) * 17 + len(two))
    for _ in range(2):
        a = SOLIDS[one](lw.XY)
        b = SOLIDS[two](lw.Plane((0, 0, 0), random.normal(size=3)))
        aim = np.array(a.centroid) + random.uniform(-1, 1, 3)
        b = lw.move(b, *(aim - np.array(b.centroid)))
        rest, common = lw.cut(a, b), lw.intersect(a, b)
        assert rest.volume + common.volume == pytest.approx(a.volume, rel=3e-9)
        joined = lw.union(a, b)
        assert joined.volume + common.volume == pytest.approx(a.volume + b.volume, rel=3e-9)
        again = lw.union(rest, common)
        assert again.volume == pytest.approx(a.volume, rel=3e-9)
        assert len(again.faces()) == len(a.faces())
        points = random.uniform(-4, 8, (300, 3))
        inside = a.contains(points) & ~b.contains(points)
        assert (rest.contains(points) == inside).all()


@pytest.mark.parametrize("plane", PLANES)
def test_equal_crossing_cylinders(plane):
    """What they share is 16 r^3 / 3, with four faces and four elliptic edges."""
    across = lw.Plane(plane.point(0, -10, 0), plane.y, plane.x)
    a, b = lw.cylinder(3, 20, on=on(plane, 0, 0, -10)), lw.cylinder(3, 20, on=across)
    common = lw.intersect(a, b)
    assert common.volume == pytest.approx(16 * 27 / 3, rel=1e-12)
    assert common.area == pytest.approx(16 * 9, rel=1e-12)
    assert counts(common) == (4, 4, 2)
    assert {e.kind for e in common.edges()} == {"ellipse"}
    assert lw.union(a, b).volume == pytest.approx(2 * 180 * math.pi - 144, rel=1e-12)


@pytest.mark.parametrize("bore", [0.5, 1.0, 1.9])
def test_bored_sphere_keeps_its_ring(bore):
    """The ring left depends on its height alone: pi h^3 / 6; its area has a closed form too."""
    ring = lw.cut(lw.sphere(2), lw.cylinder(bore, 6, on=up(0, 0, -3)))
    h = 2 * math.sqrt(4 - bore * bore)
    assert ring.volume == pytest.approx(math.pi * h**3 / 6, rel=1e-11)
    assert ring.area == pytest.approx(2 * math.pi * h * (2 + bore), rel=1e-11)
    assert counts(ring) == (2, 2, 0)


@pytest.mark.parametrize(("big", "small"), [(2.0, 1.0), (3.0, 2.9), (1.0, 0.2)])
def test_unequal_crossing_cylinders_by_quadrature(big, small):
    """The common volume is the integral of the product of two chords."""
    a = lw.cylinder(big, 20, on=up(0, 0, -10))
    b = lw.cylinder(small, 20, on=lw.Plane((0, 10, 0), (0, -1, 0)))
    nodes, weights = np.polynomial.legendre.leggauss(400)
    turn = 0.5 * math.pi * nodes
    x = small * np.sin(turn)
    chords = 4 * np.sqrt(big**2 - x**2) * np.sqrt(small**2 - x**2)
    expected = float((chords * small * np.cos(turn) * 0.5 * math.pi) @ weights)
    assert lw.intersect(a, b).volume == pytest.approx(expected, rel=1e-8)


def test_sphere_cut_by_a_cylinder_off_axis():
    """Against a fine quadrature of caps over the disc of the cylinder."""
    r, off, bore = 2.0, 0.9, 0.7
    body = lw.cut(lw.sphere(r), lw.cylinder(bore, 8, on=up(off, 0, -4)))
    nodes, weights = np.polynomial.legendre.leggauss(200)
    rho, w = 0.5 * bore * (nodes + 1), 0.5 * bore * weights
    turn = np.arange(400) * math.tau / 400
    x, y = off + rho[:, None] * np.cos(turn), rho[:, None] * np.sin(turn)
    removed = (2 * np.sqrt(r * r - x * x - y * y) * rho[:, None]).mean(axis=1) @ w * math.tau
    assert body.volume == pytest.approx(4 / 3 * math.pi * r**3 - removed, rel=1e-8)


def test_torus_parts_have_closed_volumes():
    """Half a torus, and a box with a groove of half a torus (Pappus)."""
    half = lw.cut(lw.torus(5, 1), lw.box(20, 20, 20, on=up(0, -10, -10)))
    assert half.volume == pytest.approx(math.pi**2 * 5, rel=1e-12)
    groove = lw.cut(lw.cylinder(8, 4, on=up(0, 0, -4)), lw.torus(5, 1))
    assert groove.volume == pytest.approx(256 * math.pi - math.pi**2 * 5, rel=1e-12)
    assert sorted(f.kind for f in groove.faces()) == ["cylinder", "plane", "plane", "plane", "torus"]


@pytest.mark.parametrize("angle", [20, 45, 60])
def test_cone_cut_by_planes_has_conic_edges(angle):
    """Ellipse, parabola and hyperbola are edges of their own kind."""
    kinds = set()
    for lean in (0, 25, 90 - math.degrees(math.atan2(3, 4)), 80):
        cone = lw.cone(3, 0, 4)
        plane = lw.Plane((0.4, 0, 1.5), (math.sin(math.radians(lean)), 0, math.cos(math.radians(lean))))
        spun = lw.turn(cone, angle, lw.Z)
        part = lw.separate(lw.split(spun, plane))
        assert sum(p.volume for p in part) == pytest.approx(12 * math.pi, rel=1e-11)
        kinds |= {e.kind for p in part for e in p.edges()}
    assert kinds == {"circle", "ellipse", "hyperbola", "line", "parabola"}


def test_void_and_lumps():
    """A ball inside a block is a void; a slab cut across leaves two lumps, which separate gives."""
    hollow = lw.cut(lw.box(6, 6, 6), lw.sphere(2, on=up(3, 3, 3)))
    assert len(hollow.pieces[0].voids) == 1
    assert not hollow.contains([(3, 3, 3)])[0]
    assert hollow.contains([(0.5, 0.5, 0.5), (3, 3, 6)]).all()
    halves = lw.cut(hollow, lw.box(8, 8, 1, on=up(-1, -1, 2.5)))
    assert halves.lumps == 2
    assert sum(b.volume for b in lw.separate(halves)) == pytest.approx(halves.volume)


def test_touching_results():
    """Lumps may touch along an edge; a body that would touch itself is refused with the place."""
    stairs = lw.union(lw.box(1, 1, 1), lw.box(1, 1, 1, on=up(1, 1, 0)))
    assert (stairs.lumps, stairs.volume) == (2, pytest.approx(2))
    bridge = lw.box(2, 2, 1, on=up(0, 0, 1))
    with pytest.raises(lw.ModellingError, match=r"touch itself .* at \(1, 1, "):
        lw.union(stairs, bridge)


def test_walls_of_no_thickness_are_refused():
    """A bore that reaches a wall from inside along a line; beside the body it changes nothing."""
    block = lw.box(4, 4, 4)
    for x in (1.0, 3.0):
        with pytest.raises(lw.ModellingError, match=r"touch itself .* inside two of its faces"):
            lw.cut(block, lw.cylinder(1, 6, on=up(x, 2, -1)))
    assert lw.cut(block, lw.cylinder(1, 6, on=up(5, 2, -1))).volume == pytest.approx(64)
    roller = lw.union(block, lw.cylinder(1, 4, on=up(5, 2, 0)))
    assert roller.lumps == 2
    with pytest.raises(lw.ModellingError, match="touch itself"):
        lw.union(roller, lw.box(8, 4, 1, on=up(0, 0, 4)))


@pytest.mark.parametrize(
    "inner",
    [
        lw.sphere(2, on=up(0, 0, 3)),  # on the floor
        lw.cylinder(1, 6, on=lw.Plane((-3, 0, 2), (1, 0, 0))),  # along a line
        lw.torus(2, 1, on=lw.Plane((0, 0, 4), (1, 0, 0))),  # on its outermost point
        lw.cone(0, 2, 3, on=up(0, 0, 1)),  # on its tip
    ],
)
def test_voids_that_touch_the_outside_are_refused(inner):
    """A ball of air in a block, just up to the floor; lifted off it is a void."""
    block = lw.box(8, 8, 9, on=up(-4, -4, 1))
    lowest = lw.move(inner, dz=1 - inner.bounds[0][2])
    with pytest.raises(lw.ModellingError, match=r"touch itself .* inside two of its faces"):
        lw.cut(block, lowest)
    lifted = lw.cut(block, lw.move(lowest, dz=1))
    assert (lifted.lumps, len(lifted.pieces[0].voids)) == (1, 1)
    assert lifted.volume == pytest.approx(block.volume - inner.volume, rel=1e-12)


@pytest.mark.parametrize(
    "post",
    [
        lw.box(2, 2, 4, on=up(2, 2, 0)),  # edge to edge
        lw.box(2, 2, 4, on=up(2, 0.5, 0)),  # a wall to a wall: one lump, nothing to refuse
        lw.cylinder(1, 4, on=up(3, 1, 0)),  # a wall to a round wall
    ],
)
def test_lumps_that_touch_must_not_be_joined_elsewhere(post):
    """Two posts that touch along a line are two lumps; a lid over both would make them one."""
    posts = lw.union(lw.box(2, 2, 4), post)
    lid = lw.box(6, 6, 1, on=up(-1, -1, 4))
    if posts.lumps == 1:
        assert lw.union(posts, lid).check() == ()
        return
    with pytest.raises(lw.ModellingError, match="touch itself"):
        lw.union(posts, lid)


def test_voids_that_touch_each_other_are_refused():
    block, one = lw.box(10, 10, 10), lw.box(2, 2, 2, on=up(2, 2, 2))
    for place in ((4, 4, 4), (4, 4, 3)):  # in a point, along an edge
        with pytest.raises(lw.ModellingError, match=r"would touch itself .*at"):
            lw.cut(block, one, lw.box(2, 2, 2, on=up(*place)))
    apart = lw.cut(block, one, lw.box(2, 2, 2, on=up(4, 4, 4.5)))
    assert len(apart.pieces[0].voids) == 2


@pytest.mark.parametrize("first", ["arm", "post", "all"])
def test_a_corner_that_touches_an_edge_is_known_when_the_lumps_are_joined(first):
    """A cube stands with one corner on the edge of a plate; a post and an arm join the two."""
    axis, side = np.array([1, 0, 1]) / math.sqrt(2), np.array([0.0, 1.0, 0.0])
    third = np.cross(axis, side)
    turns = [math.tau * k / 3 for k in (0, 1, 2)]
    ways = [
        axis / math.sqrt(3) + math.sqrt(2 / 3) * (math.cos(t) * side + math.sin(t) * third) for t in turns
    ]
    if np.linalg.det(ways) < 0:
        ways = ways[::-1]
    plate = lw.box(4, 4, 1)
    cube = lw.box(2, 2, 2, on=lw.Plane((4, 2, 1), tuple(ways[2]), tuple(ways[0])))
    both = lw.union(plate, cube)
    assert both.lumps == 2
    arm, post = lw.box(8, 6, 1, on=up(-1, -1, 2.5)), lw.box(1, 4, 4, on=up(-1, 0, 0))
    orders = {"arm": [both, arm, post], "post": [both, post, arm], "all": [plate, post, arm, cube]}
    with pytest.raises(lw.ModellingError, match=r"touch itself at \(4, 2, 1\), at a vertex"):
        lw.union(*orders[first])


def test_cut_that_changes_nothing_is_a_warning_on_its_step():
    """No error: the step says so."""
    job = lw.Job()
    block = job.box("block", 4, 4, 4)
    same = job.cut("miss", block, job.box("far", 1, 1, 1, on=up(9, 0, 0)))
    assert same.volume == pytest.approx(64)
    assert "changes nothing" in job.steps[-1].warnings[0]
    with pytest.raises(lw.ModellingError, match='step "gone": the cut removes everything'):
        job.cut("gone", block, job.box("huge", 9, 9, 9, on=up(-1, -1, -1)))


def test_names_hold_through_booleans_patterns_and_mirror():
    """Every face keeps the name its step gave it; halves and copies answer to it alike."""
    job = lw.Job()
    plate = job.box("plate", 60, 40, 6)
    pin = job.cylinder("holes", 2, 10, on=up(10, 10, -2))
    pins = job.linear_pattern("row", pin, 3, 10, lw.X)
    drilled = job.cut("drilled", plate, pins)
    assert len(drilled.faces("holes/side")) == 3
    slit = job.cut("slit", drilled, job.box("saw", 2, 50, 20, on=up(28, -5, -5)))
    assert len(slit.faces("plate/top")) == 2
    twin = job.mirror("twin", slit, lw.YZ.offset(70))
    assert len(twin.faces("holes/side")) == 6
    assert len(twin.edges("holes/side", "plate/top")) == 6
    with pytest.raises(lw.ReferenceLost, match="plate"):
        twin.faces("plates/top")


@pytest.mark.parametrize("seed", range(4))
def test_files_of_mixed_bodies_are_sound(seed, tmp_path, outside_check):
    """Crossing bores, spheres, cones and tori, in STEP and STL, pass the outside checkers."""
    plane = tilted(seed)
    body = lw.union(lw.cylinder(3.4, 12, on=on(plane, 0, 0, -6)), lw.torus(4, 1, on=plane))
    body = lw.cut(body, lw.cylinder(1.5, 20, on=lw.Plane(plane.point(0, -10, 0.3), plane.y)))
    body = lw.cut(body, lw.cone(2.5, 0.5, 4, on=on(plane, 0.5, 0, 3)), lw.sphere(2, on=on(plane, 3, 3, 0)))
    assert body.check() == ()
    lw.save(body, tmp_path / "mixed.step")
    lw.save(body, tmp_path / "mixed.stl", chord=0.02, angle=12)
    outside_check(tmp_path / "mixed.step")
    outside_check(tmp_path / "mixed.stl")
    text = (tmp_path / "mixed.step").read_text()
    for kind in ("CYLINDRICAL_SURFACE", "CONICAL_SURFACE", "SPHERICAL_SURFACE", "TOROIDAL_SURFACE"):
        assert kind in text
    fine, coarse = lw.tessellate(body, 0.003, 6), lw.tessellate(body, 0.1, 25)
    assert fine.is_watertight
    assert coarse.is_watertight
    assert fine.volume == pytest.approx(body.volume, rel=4e-3)
    assert abs(fine.volume - body.volume) < abs(coarse.volume - body.volume)


@pytest.mark.parametrize("height", [3, 5, 8])
def test_a_pin_that_stands_in_a_block_on_its_floor(height):
    """Its end lies in the floor, well inside: the floor stays one face."""
    body = lw.union(lw.box(10, 10, 5), lw.cylinder(3, height, on=lw.Plane((4, 5, 0), (0, 0, 1))))
    assert len(body.faces()) == (6 if height <= 5 else 8)
    assert body.volume == pytest.approx(500 + 9 * math.pi * max(0, height - 5), rel=1e-13)
