"""Contacts that are known and not searched for: pipes and their bends, walls along one direction, outlines
on a plate; and covers hollowed afterwards."""

from __future__ import annotations

import math

import numpy as np
import pytest

import lathwick as lw

from ..conftest import sound
from ..curved_parts import oval, splined

R, BEND = 20.0, 60.0


def bend(turn=90.0):
    sk = lw.Sketch(lw.XZ)
    sk.circle((BEND, 0), R)
    return lw.revolve(sk, lw.Z, turn)


def leg(length):
    return lw.cylinder(R, length, on=lw.Plane((BEND, 0, 0), (0, -1, 0)))


def posed(body, turn=33.0):
    return lw.move(lw.turn(body, turn, lw.Axis((1, 2, 3), (1, -2, 0.5))), 3, -7, 11)


def hollowed(body, wall):
    return lw.shell(body, wall, open=body.faces().planar())


@pytest.mark.parametrize("turned", [False, True])
def test_a_bend_between_two_legs(turned, tmp_path, outside_check):
    """Cylinder and torus go on in each other; hollow, the wall has the section's area times the length."""
    parts = [leg(80), bend(), lw.cylinder(R, 50, on=lw.Plane((0, BEND, 0), (-1, 0, 0)))]
    whole = lw.union(*[posed(part) if turned else part for part in parts])
    length = 130 + math.pi / 2 * BEND
    assert whole.volume == pytest.approx(math.pi * R**2 * length, rel=1e-12)
    pipe = hollowed(whole, 2)
    assert len(pipe.faces()) == 8
    assert pipe.volume == pytest.approx(math.pi * (R**2 - 18**2) * length, rel=1e-12)
    sound(pipe, tmp_path, outside_check)


def test_two_bends_and_a_cone():
    """An S of two bends; and a cone on a bend, which only share a circle."""
    other = lw.move(lw.turn(bend(), 180, lw.Z), 0, 2 * BEND, 0)
    pipe = hollowed(lw.union(leg(80), bend(), other), 2)
    assert pipe.volume == pytest.approx(math.pi * (R**2 - 18**2) * (80 + math.pi * BEND), rel=1e-12)
    cone = lw.cone(R, 30, 80, on=lw.Plane((BEND, 0, 0), (0, -1, 0)))
    whole = lw.union(cone, bend())
    assert whole.volume == pytest.approx(cone.volume + bend().volume, rel=1e-12)
    assert len(hollowed(whole, 2).faces()) == 6


def test_extrusions_of_one_outline():
    """Two that overlap along their axis, and one as a pocket in its like."""
    body = splined()
    tall = body.bounds[1][2] - body.bounds[0][2]
    higher = lw.move(body, 0, 0, tall / 2)
    for pose in (lambda b: b, posed):
        one, two = pose(body), pose(higher)
        assert lw.union(one, two).volume == pytest.approx(1.5 * body.volume, rel=1e-12)
        assert lw.cut(one, two).volume == pytest.approx(0.5 * body.volume, rel=1e-12)
        assert lw.intersect(one, two).volume == pytest.approx(0.5 * body.volume, rel=1e-12)


def test_walls_along_one_direction():
    """A spline's wall and a box, and a drum, along one direction: as their outlines meet."""
    body = splined()
    for tool in (
        lw.box(3, 30, 40, on=lw.Plane((1, -10, -10), (0, 0, 1))),
        lw.cylinder(3.3, 40, on=lw.XY.offset(-10)),
    ):
        both = lw.intersect(posed(body), posed(tool)).volume
        assert lw.cut(posed(body), posed(tool)).volume == pytest.approx(body.volume - both, rel=1e-10)
        assert lw.union(posed(body), posed(tool)).volume == pytest.approx(
            body.volume + tool.volume - both, rel=1e-10
        )


@pytest.mark.parametrize("raised", [True, False])
def test_letters_on_a_plate(raised):
    """Raised, the volumes add; engraved, the part of the letters within the plate is gone."""
    sk = lw.Sketch(lw.XY.offset(5 if raised else 4))
    sk.text("DN 45", 10, at=(5, 5))
    letters, plate = lw.extrude(sk, 2), lw.box(60, 20, 5)
    made = (lw.union if raised else lw.cut)(posed(plate), posed(letters))
    exact = plate.volume + (letters.volume if raised else -letters.volume / 2)
    assert made.volume == pytest.approx(exact, rel=1e-12)


@pytest.mark.parametrize("factor", [0.001, 25.4, 1000.0])
@pytest.mark.parametrize("radius", [3.0, 12.0, 33.3])
def test_a_tee_at_any_scale(radius, factor):
    """The branches of the crossing curves meet in exact points: they stay there in any unit."""
    run = lw.cylinder(radius, 6 * radius, on=lw.Plane((-3 * radius, 0, 0), (1, 0, 0)))
    tee = lw.union(run, lw.cylinder(radius, 3 * radius))
    scaled = lw.scale(tee, factor)
    assert scaled.volume == pytest.approx(tee.volume * factor**3, rel=1e-12)
    assert not scaled.check()


@pytest.mark.parametrize("count", [1, 9])
def test_grooves_along_a_knob(count):
    """The cells of the bevel between the grooves are told apart by their outlines."""
    knob = lw.cylinder(20, 15, step="knob")
    knob = lw.chamfer(knob, knob.edges("knob/top"), 2)
    places = [(20 * math.cos(a), 20 * math.sin(a)) for a in np.arange(count) * math.tau / count]
    tools = [lw.cylinder(2, 15, on=lw.Plane((x, y, 0), (0, 0, 1))) for x, y in places]
    grooved = lw.cut(knob, *tools)
    assert len(grooved.faces()) == 2 + 3 * count
    assert knob.volume - grooved.volume == pytest.approx(
        count * (knob.volume - lw.cut(knob, tools[0]).volume)
    )


def test_wedges_that_share_an_axis():
    """Twelve lumps that touch each other along one line, added one by one, are no solid lump and no error."""
    parts = []
    for a, b in ((math.radians(60 * k), math.radians(60 * k + 30)) for k in range(6)):
        sk = lw.Sketch(lw.XY)
        corners = [(0, 0), (20 * math.cos(a), 20 * math.sin(a)), (20 * math.cos(b), 20 * math.sin(b))]
        sk.polyline(corners, close=True)
        parts.append(lw.extrude(sk, 5))
    assert lw.union(*parts).lumps == 6
    with pytest.raises(lw.ModellingError, match="touch itself"):
        lw.union(*parts, lw.move(lw.cylinder(3, 1), 15, 5, 0), lw.cylinder(21, 1, on=lw.XY.offset(-1)))


@pytest.mark.parametrize(("taper", "round_", "wall"), [(2, 6, 2.5), (5, 3, 1), (2, 6, -2.5)])
def test_covers_with_leaning_walls(taper, round_, wall):
    """Inside the wall is what is nearer to an outer face than its thickness."""
    sk = lw.Sketch(lw.XY)
    sk.rectangle(120, 80, center=(0, 0), rounding=14)
    block = lw.extrude(sk, 26, taper=taper, step="block")
    block = lw.fillet(block, block.edges("block/end"), round_)
    cover = lw.shell(block, wall, open=block.faces("block/start"))
    low, high = (np.array(p) for p in block.bounds)
    points = np.random.default_rng(3).uniform(low - 2, high + np.array([2, 2, 2]), (150, 3))
    points = points[points[:, 2] > 0.0]
    walls = [face for face in block.faces() if face.names[0] != "block/start"]
    near = np.array([min(face.distance_to(tuple(p)) for face in walls) for p in points])
    inside = block.contains(points)
    expected = inside & (near < wall) if wall > 0 else ~inside & (near < -wall)
    sure = np.abs(near - abs(wall)) > 1e-6
    assert (cover.contains(points) == expected)[sure].all()


@pytest.mark.parametrize("kind", ["ellipse", "spline"])
def test_a_rod_cut_off_obliquely_is_as_long_as_its_middle_is_high(kind):
    """The volume below a plane over an outline is its area times the height over its centroid; the edge is
    the outline itself, drawn along the rod onto the plane."""
    whole = oval(5, 3, 30) if kind == "ellipse" else splined(height=30, scale=0.5)
    area, (cx, cy, _) = whole.volume / 30, whole.centroid
    cut = lw.Plane((1, -2, 14), (0.4, -0.3, 1))
    rod = min(lw.separate(lw.split(whole, cut)), key=lambda part: part.centroid[2])
    height = 14 - (0.4 * (cx - 1) - 0.3 * (cy + 2))
    assert rod.volume == pytest.approx(area * height, rel=1e-12)
    rim = max(rod.edges(), key=lambda edge: edge.midpoint[2])
    assert rim.kind == kind
    assert rim.lies_in(cut)


@pytest.mark.parametrize("seed", [0, 1, 5])
def test_outlines_with_a_corner_in_general_position(seed):
    """What goes on beyond the corner of an outline, along its tangents, is no part of its wall. Seed 1 bends
    so sharply that steps as long as its sharpest bend would never end."""
    rng = np.random.default_rng(seed)
    turns = np.sort(rng.uniform(0, 6.28, 6))
    points = (np.column_stack([np.cos(turns), np.sin(turns)]) * rng.uniform(3, 6, 6)[:, None]).tolist()
    sk = lw.Sketch(lw.XY)
    sk.spline([*points, points[0]])
    one = lw.move(lw.extrude(sk, 8), 0, 0, -4)
    pose = np.random.default_rng(seed + 50)
    other = lw.turn(lw.extrude(sk, 8), float(pose.uniform(0, 360)), lw.Axis((0, 0, 0), pose.normal(size=3)))
    other = lw.move(other, *pose.uniform(-5, 5, 3))
    cut, common = lw.cut(one, other), lw.intersect(one, other)
    assert cut.volume + common.volume == pytest.approx(one.volume, rel=1e-8)
    places = rng.uniform(np.array(one.bounds[0]), np.array(one.bounds[1]), (300, 3))
    assert (common.contains(places) == (one.contains(places) & other.contains(places))).all()


def test_rings_that_nearly_lie_in_each_other_are_told_soon():
    """Where two thin rings cross cannot be told by steps as short as they bend."""
    ring = lw.torus(20, 0.05)
    with pytest.raises(lw.ModellingError, match="a torus and a torus surface run too near"):
        lw.cut(ring, lw.turn(ring, 0.01, lw.X))
    turned = lw.turn(ring, 3, lw.X)
    both = [lw.cut(ring, turned).volume, lw.intersect(ring, turned).volume]
    assert sum(both) == pytest.approx(ring.volume, rel=1e-7)  # a ring as thin as 50,000 resolutions
