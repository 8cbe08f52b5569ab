"""Rounds: closed forms, corners of all kinds, what they swallow, what they refuse."""

from __future__ import annotations

import math
import re
from itertools import combinations

import numpy as np
import pytest
from scipy.integrate import quad

import lathwick as lw

from ..conftest import sound
from ..mechanical import PARTS
from ..rounded_unions import verdict

QUARTER = 1.0 - math.pi / 4.0


def rounded_box_volume(a, b, c, r):
    a, b, c = a - 2 * r, b - 2 * r, c - 2 * r
    faces, edges = 2 * (a * b + b * c + c * a), a + b + c
    return a * b * c + faces * r + math.pi * r * r * edges + 4 / 3 * math.pi * r**3


def rounded_box_area(a, b, c, r):
    a, b, c = a - 2 * r, b - 2 * r, c - 2 * r
    return 2 * (a * b + b * c + c * a) + 2 * math.pi * r * (a + b + c) + 4 * math.pi * r * r


def rounded_plate_volume(a, b, h, corner, rim):
    """A plate with rounded upright edges, then one rounded rim: layers of inward offsets."""
    outline = (a - 2 * corner) * (b - 2 * corner) + 2 * corner * (a + b - 4 * corner) + math.pi * corner**2
    around = 2 * (a + b - 4 * corner) + 2 * math.pi * corner
    first, second = rim**2 * QUARTER, rim**3 * (5 / 3 - math.pi / 2)
    return outline * h - around * first + math.pi * second


@pytest.mark.parametrize("size", [(40, 30, 20), (4, 300, 7), (1, 1, 1)])
@pytest.mark.parametrize("share", [0.05, 0.3, 0.49])
def test_box_with_all_edges_rounded(size, share):
    r = share * min(size)
    body = lw.fillet(box := lw.box(*size), box.edges(), r, step="soft")
    assert body.volume == pytest.approx(rounded_box_volume(*size, r), rel=1e-12)
    assert body.area == pytest.approx(rounded_box_area(*size, r), rel=1e-12)
    assert (len(body.faces()), len(body.edges())) == (26, 48)
    assert len(body.faces("soft/round")) == 12 and len(body.faces("soft/corner")) == 8
    assert {f.kind for f in body.faces("soft/corner")} == {"sphere"}


def test_checkers_agree_on_a_rounded_box(tmp_path, outside_check):
    box = lw.box(40, 30, 20)
    sound(lw.fillet(box, box.edges(), 3), tmp_path, outside_check)


def test_a_cube_becomes_a_ball():
    cube = lw.box(2, 2, 2)
    ball = lw.fillet(cube, cube.edges(), 1)
    assert [f.kind for f in ball.faces()] == ["sphere"] and not len(ball.edges())
    assert ball.volume == pytest.approx(4 / 3 * math.pi, rel=1e-13)


@pytest.mark.parametrize("r", [0.5, 4.0, 5.0, 7.0])
def test_disc_with_one_rim_rounded(r, tmp_path, outside_check):
    """By Pappus; the torus is a ring, a horn or a spindle."""
    disc = lw.cylinder(10, 8, step="disc")
    body = lw.fillet(disc, disc.edges("disc/top"), r)
    section, _ = quad(lambda x: 2 * math.pi * (10 - r + x) * (r - math.sqrt(r * r - x * x)), 0, r)
    assert body.volume == pytest.approx(800 * math.pi - section, rel=1e-10)
    sound(body, tmp_path, outside_check)


def test_both_rims_of_a_disc_meet():
    disc = lw.cylinder(10, 8)
    body = lw.fillet(disc, disc.edges(), 4)
    assert sorted(f.kind for f in body.faces()) == ["plane", "plane", "torus"]
    half, _ = quad(lambda z: math.pi * (6 + math.sqrt(16 - z * z)) ** 2, -4, 4)
    assert body.volume == pytest.approx(half, rel=1e-10)


def test_the_end_of_a_pin_becomes_a_dome(tmp_path, outside_check):
    pin = lw.cylinder(5, 20, step="pin")
    body = lw.fillet(pin, pin.edges("pin/top"), 5)
    assert body.volume == pytest.approx(math.pi * 25 * 15 + 2 / 3 * math.pi * 125, rel=1e-12)
    assert sorted(f.kind for f in body.faces()) == ["cylinder", "plane", "sphere"]
    sound(body, tmp_path, outside_check)


@pytest.mark.parametrize("rim", [1.0, 3.0, 5.0])
def test_plate_with_rounded_corners_and_then_a_rounded_rim(rim, tmp_path, outside_check):
    """The rim is one chain: one edge of it is selected, all of it is rounded."""
    plate = lw.box(60, 40, 12, step="plate")
    plate = lw.fillet(plate, plate.edges().parallel(lw.Z), 5, step="corners")
    body = lw.fillet(plate, plate.edges("plate/top").longest(1), rim, step="rim")
    assert body.volume == pytest.approx(rounded_plate_volume(60, 40, 12, 5, rim), rel=1e-12)
    assert len(body.faces("rim/round")) == 8
    sound(body, tmp_path, outside_check)


def test_both_at_once_with_a_radius_each():
    plate = lw.box(60, 40, 12, step="plate")
    groups = [plate.edges().parallel(lw.Z), plate.edges("plate/top")]
    body = lw.fillet(plate, groups, [5, 2])
    assert body.volume == pytest.approx(rounded_plate_volume(60, 40, 12, 5, 2), rel=1e-12)
    with pytest.raises(lw.ModellingError, match="2 radii need as many selections"):
        lw.fillet(plate, groups[:1], [5, 2])


def test_stepped_shaft_with_filled_corners(tmp_path, outside_check):
    shaft = lw.union(lw.cylinder(20, 10), lw.cylinder(12, 30), lw.cylinder(8, 45))
    body = lw.fillet(shaft, shaft.edges().concave(), 2, step="fill")
    rings = 0.0
    for radius in (12, 8):
        ring, _ = quad(lambda x, R=radius: 2 * math.pi * (R + x) * (2 - math.sqrt(4 - (2 - x) ** 2)), 0, 2)
        rings += ring
    assert body.volume == pytest.approx(shaft.volume + rings, rel=1e-11)
    sound(body, tmp_path, outside_check)


def test_mixed_corners_follow_the_odd_edge():
    """Where two convex edges and a concave one meet, and the other way round, in one step."""
    angle = lw.union(lw.box(40, 30, 10), lw.box(20, 15, 25))
    body = lw.fillet(angle, angle.edges(), 2, step="all")
    assert body.is_valid and not [e for e in body.edges() if abs(e.angle) > 1e-4]
    low, high = body.bounds
    assert low == pytest.approx((0, 0, 0)) and high == pytest.approx((40, 30, 25))


@pytest.mark.parametrize("radii", [(2, 2), (3, 1.5), (1, 4)])
def test_two_of_three_edges_are_mitred(radii, tmp_path, outside_check):
    """What both take off is counted once."""
    box = lw.box(10, 10, 10, step="box")
    sides = ("box/side:front", "box/side:right")
    body = lw.fillet(box, [box.edges("box/top", side) for side in sides], radii)

    def depth(r, z):
        return r - math.sqrt(r * r - (r - z) ** 2)

    both, _ = quad(lambda z: math.prod(depth(r, z) for r in radii), 0, min(radii))
    assert body.volume == pytest.approx(1000 - 10 * QUARTER * sum(r * r for r in radii) + both, rel=1e-9)
    sound(body, tmp_path, outside_check)


def test_mitre_of_unlike_depth():
    """One wall leans: the two rounds reach differently far down the edge between them."""
    wedge = lw.wedge(20, 20, 10, 12, step="wedge")
    top = wedge.edges("wedge/top")
    body = lw.fillet(wedge, top, 1.5)
    assert body.is_valid and body.volume < wedge.volume


def bored_ball():
    ball = lw.sphere(10)
    return lw.cut(ball, lw.cylinder(4, 30, on=lw.Plane((3, 0, -15), (0, 0, 1)), step="bore"))


def crossing_tubes():
    return lw.union(
        lw.cylinder(10, 40, on=lw.Plane((0, 0, -20), (0, 0, 1)), step="main"),
        lw.cylinder(6, 25, on=lw.Plane((0, 0, 0), (1, 0, 0)), step="branch"),
    )


def leaning_pin():
    return lw.union(
        lw.box(40, 40, 20, step="main"),
        lw.cylinder(5, 40, on=lw.Plane((20, 20, 10), (0.3, 0, 1)), step="branch"),
    )


@pytest.mark.parametrize("make", [bored_ball, crossing_tubes, leaning_pin])
def test_a_ball_rolls_along_any_edge(make, tmp_path, outside_check):
    """Every point of the round is at the radius from its spine, and it leaves its neighbours smoothly."""
    body = make()
    edges = body.edges("bore/side") if make is bored_ball else body.edges("main", "branch")
    edges = edges.where(
        lambda e: e.kind != "line" and not e.radius if e.kind == "circle" else e.kind != "line"
    )
    made = lw.fillet(body, edges, 1, step="r")
    for face in made.faces("r/round"):
        surface = face.brep.surface
        inner = np.array([e.midpoint for e in face.edges()])
        uv = surface.parameters(inner)
        assert np.abs(np.linalg.norm(inner - surface.spine.points(uv[:, 0]), axis=1) - 1).max() < 1e-7
        for edge in face.edges():
            for t in np.linspace(edge.brep.t0, edge.brep.t1, 7):
                p = edge.brep.curve.point(t)
                n, m = (f.normal_at(p) for f in edge.faces)
                assert math.dist(n, m) < 1e-6
    sound(made, tmp_path, outside_check)


def test_round_of_a_bored_ball_by_quadrature():
    """The ball's center runs where the offset sphere meets the offset bore; all in closed form."""
    body = bored_ball()
    made = lw.fillet(body, body.edges("bore/side"), 1)
    n = 4000
    turn = (np.arange(n) + 0.5) * math.tau / n
    x, y = 3 + 5 * np.cos(turn), 5 * np.sin(turn)
    z = np.sqrt(81 - x * x - y * y)
    height = 2 * z
    bore = -((4 + 3 * np.cos(turn)) * 4 * height).sum() * math.tau / n
    foot = np.column_stack([x, y, z]) * 10 / 9
    azimuth = np.unwrap(np.arctan2(foot[:, 1], foot[:, 0]))
    cap = 10 * ((10 - foot[:, 2]) * np.gradient(azimuth)).sum()
    dx, dy = -5 * np.sin(turn), 5 * np.cos(turn)
    dz = -(x * dx + y * dy) / z
    ddz = -(dx**2 + dy**2 + dz**2 - 5 * (x * np.cos(turn) + y * np.sin(turn))) / z
    d1 = np.column_stack([dx, dy, dz])
    d2 = np.column_stack([-5 * np.cos(turn), -5 * np.sin(turn), ddz])
    speed = np.linalg.norm(d1, axis=1)
    a = np.column_stack([-np.cos(turn), -np.sin(turn), 0 * turn])
    c = np.column_stack([x, y, z])
    b = c / 9
    angle = np.arccos((a * b).sum(axis=1))
    across = b - (a * b).sum(axis=1)[:, None] * a
    across /= np.linalg.norm(across, axis=1)[:, None]
    canal = 0.0
    for node, weight in zip(*np.polynomial.legendre.leggauss(16), strict=True):
        s = angle * (node + 1) / 2
        normal = np.cos(s)[:, None] * a + np.sin(s)[:, None] * across
        element = (speed - (normal * d2).sum(axis=1) / speed) * angle / 2 * weight * math.tau / n
        canal += (((c + normal) * normal).sum(axis=1) * element).sum()
    expected = (10 * (400 * math.pi - 2 * cap) + bore + 2 * canal) / 3
    assert made.volume == pytest.approx(expected, rel=2e-6)


def test_rounds_survive_mirrors_and_cuts(tmp_path, outside_check):
    plate = lw.box(40, 30, 20, step="half")
    rounded = lw.fillet(plate, plate.edges("half/side:left"), 3, step="soft")
    whole = lw.mirror(rounded, lw.Plane((40, 0, 0), (1, 0, 0)))
    assert whole.volume == pytest.approx(2 * rounded.volume, rel=1e-12)
    assert len(whole.faces("soft/round")) == 8
    tube = lw.fillet(body := crossing_tubes(), body.edges("main/side", "branch/side"), 2, step="soft")
    bored = lw.cut(tube, lw.cylinder(3, 60, on=lw.Plane((-30, 0, 0), (1, 0, 0))))
    assert len(bored.faces("soft/round")) == 1
    sound(bored, tmp_path, outside_check)


def test_too_large_a_radius_names_the_largest():
    box = lw.box(40, 30, 20, step="b")
    with pytest.raises(lw.ModellingError, match=r"radius 11 is too large.*largest that works is 10$") as told:
        lw.fillet(box, box.edges(), 11, step="soften")
    assert (told.value.step, told.value.value, told.value.limit) == ("soften", 11.0, 10.0)
    assert re.search(r'edge near \(.*\), between "b/\S+" and "b/\S+": .* at the face "b/', str(told.value))
    drilled = lw.cut(box, lw.cylinder(5, 50, on=lw.Plane((20, 15, -5), (0, 0, 1)), step="h"))
    with pytest.raises(lw.ModellingError, match=r'would cross at the face "b/top"; .*works is 4\.999$'):
        lw.fillet(drilled, drilled.edges("b/top"), 11)
    assert lw.fillet(drilled, drilled.edges("b/top"), 4.999).is_valid


@pytest.mark.parametrize(
    ("edges", "radius", "message"),
    [
        (lambda b: b.edges(), 0, "a radius must be more than"),
        (lambda b: b.edges(), -1, "a radius must be more than"),
        (lambda b: b.edges(), math.nan, "radius takes a finite number"),
        (lambda b: [], 1, "no edge is selected"),
        (lambda b: b.faces(), 1, "edges takes an edge, a selection or a list of edges"),
        (lambda b: lw.box(1, 1, 1).edges(), 0.1, "another body"),
    ],
)
def test_what_is_no_round_is_told(edges, radius, message):
    box = lw.box(4, 3, 2)
    with pytest.raises(lw.ModellingError, match=message):
        lw.fillet(box, edges(box), radius)


def test_smooth_edges_have_no_corner():
    plate = lw.box(20, 10, 5)
    plate = lw.fillet(plate, plate.edges().parallel(lw.Z), 2)
    smooth = plate.edges().where(lambda e: abs(e.angle) < 1e-6)
    builds_nothing = (
        r"8 of the 8 edges .* meet smoothly .*: near \(.*\), near \(.*\) and 5 more; leave them out"
    )
    with pytest.raises(lw.ModellingError, match=builds_nothing) as refused:
        lw.fillet(plate, smooth, 1)
    assert refused.value.limit is None
    rim, said = plate.edges().on(lw.XY.offset(5)), []
    with pytest.raises(lw.ModellingError, match="8 of the 16 edges"):
        lw.fillet(plate, [*rim, *smooth], 1)
    rounded = lw.fillet(plate, [*rim, *smooth], 1, skip=True, warn=said.append)
    assert rounded.volume == pytest.approx(lw.fillet(plate, rim, 1).volume, rel=1e-12)
    assert len(said) == 1 and "8 of the edges, whose faces meet smoothly" in said[0]


def test_two_radii_on_one_chain_are_refused():
    plate = lw.box(20, 10, 5, step="p")
    plate = lw.fillet(plate, plate.edges().parallel(lw.Z), 2)
    rim = plate.edges("p/top")
    with pytest.raises(lw.ModellingError, match="give them the same"):
        lw.fillet(plate, [rim[:1], rim[2:3]], [1, 0.5])


@pytest.mark.parametrize("seed", [0, 1, 4, 5, 455, 2239, 5016, 5076])
def test_random_unions_are_right_or_refused_with_a_radius_that_works(seed, tmp_path):
    """What changes lies beside the chosen edges; files are sound; the largest radius that is named works."""
    found = verdict(seed, tmp_path)
    assert found in ("right", "refused with a radius that works")


@pytest.mark.parametrize("seed", [2, 18, 128, 441, 479])
def test_random_unions_are_bevelled_or_refused_with_a_size_that_works(seed, tmp_path):
    """Of 43 edges one spoils all (441); a size that works only in turn works when it is asked for (479)."""
    found = verdict(seed, tmp_path, lw.chamfer).removesuffix(" without some edges")
    assert found in ("right", "refused with a radius that works")


@pytest.mark.parametrize("make", PARTS, ids=lambda make: make.__name__)
def test_all_edges_of_mechanical_parts_in_one_step(make, tmp_path, outside_check):
    """10 to 60 sharp edges at once: sound, and no sharp edge is left where faces of the part meet."""
    body = make()
    edges = [edge for edge in body.edges() if edge.is_convex is not None]
    assert 10 <= len(edges) <= 60
    made = lw.fillet(body, edges, PARTS[make], step="f")
    sound(made, tmp_path, outside_check)
    for edge in made.edges():
        assert edge.is_convex is None or any(face.step == "f" for face in edge.faces)


def edges_at(body, point):
    """Those that end at a point, by the way they leave it."""
    found = {}
    for edge in body.edges():
        here = [p for p in edge.brep.end_points() if math.dist(p, point) < 1e-9]
        if here:
            way = np.sign(np.round(np.array(edge.brep.midpoint()) - point, 9)).astype(int)
            found[tuple(way.tolist())] = edge
    return found


SADDLE = {"up": (0, 0, 1), "down": (0, 0, -1), "foot": (0, 1, 0), "top": (0, -1, 0)}
"""Two convex edges and two concave ones, in turn, at a corner of two boxes."""

GROUPS = [group for k in range(1, 5) for group in combinations(SADDLE, k)]


@pytest.mark.parametrize("group", GROUPS, ids="-".join)
def test_any_edges_of_a_saddle(group, tmp_path, outside_check):
    """Edges without an end of another kind change the volume as a straight round of their length does."""
    body = lw.union(
        lw.box(10, 10, 20, step="tower"),
        lw.box(10, 20, 10, on=lw.Plane((-10, -10, 0), (0, 0, 1)), step="base"),
    )
    at = edges_at(body, (0.0, 0.0, 10.0))
    made = lw.fillet(body, [at[SADDLE[name]] for name in group], 1.5, step="f")
    sound(made, tmp_path, outside_check)
    kinds = {at[SADDLE[name]].is_convex for name in group}
    if len(kinds) == 1:
        sign = -1 if kinds == {True} else 1
        expected = sign * len(group) * 10 * (1 - math.pi / 4) * 1.5**2
        assert made.volume - body.volume == pytest.approx(expected, rel=1e-9)


def test_saddles_of_round_bodies(tmp_path, outside_check):
    """Rims of discs that overlap, one on the other: convex and concave ones cross at two corners."""
    discs = lw.union(
        lw.cylinder(12, 10, step="one"), lw.cylinder(12, 10, on=lw.Plane((10, 0, -10), (0, 0, 1)), step="two")
    )
    sound(lw.fillet(discs, discs.edges().convex(), 1, step="f"), tmp_path, outside_check)
    sound(lw.fillet(discs, discs.edges().concave(), 1, step="f"), tmp_path, outside_check)


def three_bars():
    """Bars along all axes: at eight corners three convex and three concave edges, in turn."""
    return lw.union(*(lw.box(*size, center=True, step=name) for name, size in
                      {"x": (60, 16, 16), "y": (16, 60, 16), "z": (16, 16, 60)}.items()))  # fmt: skip


def test_edges_of_three_crossing_bars(tmp_path, outside_check):
    """Inner edges meet in sharp corners; outer ones end there, and meet in balls at the ends of the bars."""
    body, r = three_bars(), 2.0
    filled = lw.fillet(body, body.edges().concave(), r, step="f")
    assert filled.volume - body.volume == pytest.approx(12 * 16 * (1 - math.pi / 4) * r * r, rel=1e-9)
    sound(filled, tmp_path, outside_check)
    rounded = lw.fillet(body, body.edges().convex(), r, step="f")
    ends = 6 * (4 * (16 - 2 * r) * (1 - math.pi / 4) * r * r + 8 * (1 - math.pi / 6) * r**3 / 2)
    long = 24 * (22 - r) * (1 - math.pi / 4) * r * r
    assert body.volume - rounded.volume == pytest.approx(long + ends, rel=1e-9)
    assert len(rounded.faces("f/corner")) == 24
    sound(rounded, tmp_path, outside_check)


def test_sizes_of_a_table_all_hold():
    """200 rows with every size changed by up to 40 %: the selections mean the same edges, and the volume is
    that of the closed form."""

    @lw.design(unit="mm")
    def foot(job: lw.Job, length: lw.Length = 60.0, width: lw.Length = 40.0, height: lw.Length = 20.0,
             corner: lw.Length = 6.0, rim: lw.Length = 2.5):  # fmt: skip
        plate = job.box("plate", length, width, height)
        plate = job.fillet("corners", plate, plate.edges().parallel(lw.Z), corner)
        plate = job.fillet("rim", plate, plate.edges("plate/top"), rim)
        assert len(plate.faces("rim/round")) == 8
        return lw.Part(plate)

    shares = np.random.default_rng(5).uniform(0.6, 1.4, (200, 5))
    for row in shares * (60.0, 40.0, 20.0, 6.0, 2.5):
        length, width, height, corner, rim = row.tolist()
        part = foot(length=length, width=width, height=height, corner=corner, rim=rim)
        assert part.volume == pytest.approx(rounded_plate_volume(*row.tolist()), rel=1e-11)


def test_groups_of_edges():
    """All edges of a face, of a step, upright ones, and the convex ones within a box."""
    body = lw.union(
        lw.box(40, 30, 10, step="base"), lw.cylinder(6, 20, on=lw.Plane((20, 15, 0), (0, 0, 1)), step="boss")
    )
    assert len(body.edges("boss")) == 2 and len(body.edges().parallel(lw.Z)) == 4
    high = body.edges().convex().within((0, 0, 9), (40, 30, 21))
    assert len(high) == 5
    made = lw.fillet(body, high, 1, step="soft")
    assert len(made.faces("soft/round")) == 5
    assert made.faces().within((0, 0, 15), (40, 30, 20)) == made.faces("boss/top") | made.faces(
        "soft/round"
    ).within((0, 0, 15), (40, 30, 20))


def test_a_round_ends_where_its_edge_goes_on_between_other_faces(tmp_path, outside_check):
    """A beam on a plate that it overhangs: the filled corner stops flush with the plate's side."""
    plate, beam = (
        lw.box(20, 20, 10, step="plate"),
        lw.box(25, 10, 10, on=lw.Plane((5, 0, 10), (0, 0, 1)), step="beam"),
    )
    body = lw.union(plate, beam)
    edge = body.edge("plate/top", "beam/side:back")
    made = lw.fillet(body, edge, 2, step="fill")
    assert made.volume == pytest.approx(body.volume + 15 * 4 * QUARTER, rel=1e-13)
    assert len(made.edges("plate/side:right")) == len(body.edges("plate/side:right")) + 2
    sound(made, tmp_path, outside_check)


@pytest.mark.parametrize("r", [0.2, 2.0])
def test_a_round_ends_where_two_faces_of_its_end_join_smoothly(r, tmp_path, outside_check):
    """The edge between these goes on along the end of the round, to where that leaves the wall."""
    block = lw.box(15, 10, 20, on=lw.Plane((-5, 0, 0), (0, 0, 1)), step="block")
    half = lw.cylinder(10, 10, on=lw.Plane((-5, -5, 10), (0, 1, 0)), step="half")
    body = lw.union(block, half)
    made = lw.fillet(body, body.edges("block", "half/top").concave().parallel(lw.Z), r)
    filled, _ = quad(lambda u: 2 * (r - math.sqrt(r * r - (r - u) ** 2)) * math.sqrt(100 - u * u), 0, r)
    assert made.volume - body.volume == pytest.approx(filled, rel=1e-7)
    sound(made, tmp_path, outside_check)
