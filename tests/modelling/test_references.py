"""Planes, axes and directions given by faces and edges."""

from __future__ import annotations

import math

import pytest

import lathwick as lw


@pytest.fixture
def flange() -> lw.Body:
    """A plate with a boss off its middle and a bore beside it, tilted in space."""
    plate = lw.box(40, 30, 6, step="plate")
    boss = lw.cylinder(6, 10, on=lw.Plane((12, 14, 6), (0, 0, 1)), step="boss")
    bore = lw.cylinder(1.5, 6, on=lw.Plane((22, 14, 0), (0, 0, 1)), step="bore")
    body = lw.cut(lw.union(plate, boss), bore)
    return lw.turn(body, 30, lw.Axis((1, 2, 3), (1, -1, 0.4)))


def test_a_mirror_in_a_face(flange):
    face = flange.face("plate/side:right")
    whole = lw.mirror(flange, face)
    assert whole.volume == pytest.approx(2 * flange.volume, rel=1e-12)
    assert whole.lumps == 1
    assert len(whole.faces("bore/side")) == 2
    same = lw.mirror(flange, lw.Plane(face.brep.surface.frame.origin, face.normal))
    assert same.centroid == pytest.approx(whole.centroid, abs=1e-12)


def test_a_pattern_about_a_boss(flange):
    hole = lw.cylinder(1.5, 6, on=lw.Plane((22, 14, 0), (0, 0, 1)), step="tool")
    tool = lw.turn(hole, 30, lw.Axis((1, 2, 3), (1, -1, 0.4)))
    for about in (
        flange.face("boss/side"),
        flange.faces("boss/side"),
        flange.edges("boss/top"),
    ):
        ring = lw.circular_pattern(tool, 4, about)
        assert ring.lumps == 4
        cut = lw.cut(flange, ring)
        assert flange.volume - cut.volume == pytest.approx(3 * math.pi * 1.5**2 * 6, rel=1e-9)


def test_a_turn_and_a_row_along_an_edge(flange):
    edge = flange.edge("plate/side:front", "plate/side:left")
    assert lw.turn(flange, 360, edge).centroid == pytest.approx(flange.centroid, abs=1e-11)
    moved = lw.turn(flange, 90, edge)
    (p, _), d = edge.brep.end_points(), edge.direction
    offs = [[c - q for c, q in zip(body.centroid, p, strict=True)] for body in (flange, moved)]
    heights = [sum(a * b for a, b in zip(off, d, strict=True)) for off in offs]
    assert heights[0] == pytest.approx(heights[1], abs=1e-12)
    row = lw.linear_pattern(flange, 3, 50, edge)
    assert row.lumps == 3
    assert row.volume == pytest.approx(3 * flange.volume, rel=1e-12)


def test_solids_and_cuts_on_faces():
    job = lw.Job()
    plate = job.box("plate", 40, 30, 6)
    top = plate.face("plate/top")
    post = job.cylinder("post", 3, 10, on=top)
    assert post.bounds[0][2] == 6
    drafted = job.draft("lean", plate, plate.faces("plate/side:front"), 45, plate.face("plate/bottom"))
    assert plate.volume - drafted.volume == pytest.approx(40 * 6 * 6 / 2, rel=1e-12)  # narrower upwards
    both = job.split("halves", job.union("sum", plate, job.box("tall", 5, 5, 20)), top)
    assert both.lumps == 2
    assert job.place("placed", post, plate.face("plate/side:right")).bounds[1][0] == pytest.approx(56)


@pytest.mark.parametrize(
    ("call", "message"),
    [
        (lambda b: lw.mirror(b, b.face("boss/side")), "a cylinder face is not flat"),
        (lambda b: lw.mirror(b, b.faces("plate")), "mirrored in a Plane or a planar face"),
        (lambda b: lw.draft(b, b.faces("plate/side:front"), 3, lw.Z), "lean about a Plane"),
        (lambda b: lw.split(b, "XY"), "split by a Plane"),
        (lambda b: lw.box(1, 1, 1, on=None), "stands on a Plane"),
        (lambda b: lw.turn(b, 10, b.face("plate/top")), "turns about an Axis, a round face"),
        (lambda b: lw.circular_pattern(b, 3, lw.XY), "goes about an Axis"),
        (lambda b: lw.linear_pattern(b, 3, 9, b.face("plate/top")), "pattern direction is that of an Axis"),
    ],
)
def test_anything_else_is_told(flange, call, message):
    with pytest.raises(lw.ModellingError, match=message):
        call(flange)


def test_a_profile_turns_about_an_edge_or_a_round_face():
    plate = lw.box(4, 10, 6, step="plate")
    edge = plate.edge("plate/side:left", "plate/side:front")
    post = lw.cylinder(1, 6, step="post")
    profile = lw.Sketch(lw.XZ)
    profile.rectangle(2, 3, center=(5, 2))
    for about in (edge, post.face("post/side"), post.edges("post/top")):
        ring = lw.revolve(profile, about, 90)
        assert ring.volume == pytest.approx(math.pi / 2 * 5 * 6, rel=1e-12)
    with pytest.raises(lw.ModellingError, match="turns about an Axis"):
        lw.revolve(profile, plate.face("plate/top"))


def test_centers_of_faces_and_edges():
    """Half a disc, a cone, a bored plate, an arc, against their closed forms."""
    sketch = lw.Sketch()
    sketch.circle((0, 0), 3)
    sketch.line((0, -9), (0, 9))
    half = lw.extrude(sketch.region((1, 0)), 2, step="half")
    assert half.face("half/end").center == pytest.approx((4 / math.pi, 0, 2), abs=1e-12)
    (arc,) = [e for e in half.edges("half/end") if e.kind == "circle"]
    assert arc.center == pytest.approx((6 / math.pi, 0, 2), abs=1e-12)
    cone = lw.cone(3, 0.5, 4, step="cone")
    assert cone.face("cone/side").center == pytest.approx((0, 0, 4 / 3 * (3 + 1) / 3.5), abs=1e-12)
    plate = lw.cut(lw.box(10, 8, 6, step="plate"), lw.cylinder(2, 6, step="bore"))
    quarter = math.pi, 8 / (3 * math.pi)
    middle = [(80 * m - quarter[0] * quarter[1]) / (80 - quarter[0]) for m in (5, 4)]
    assert plate.face("plate/top").center == pytest.approx((*middle, 6), rel=1e-12)


def test_an_address_of_several_faces_says_how_to_choose():
    two = lw.union(lw.box(1, 1, 1, step="p"), lw.move(lw.box(1, 1, 1, step="p"), dx=3))
    with pytest.raises(
        lw.ReferenceLost, match=r"names 2 faces, not one: p/top at \(0.5, 0.5, 1\), .*nearest"
    ):
        two.face("p/top")


def test_a_mirrored_face_is_told_from_its_original():
    """The image answers to the mirror's step besides; the original is what does not."""
    job = lw.Job()
    half = job.box("half", 20, 10, 5)
    half = job.hole("bore", half, half.face("half/top"), (5, 0), 3)
    whole = job.mirror("twin", half, half.face("half/side:right"))
    assert len(whole.faces("bore/side")) == 2
    bores, images = whole.faces("bore/side"), whole.faces("twin")
    assert len(bores & images) == len(bores - images) == 1
    assert (bores & images)[0].center[0] > 20 > (bores - images)[0].center[0]


def test_copies_are_told_from_each_other():
    job = lw.Job()
    pin = job.cylinder("pin", 1, 5, on=lw.Plane((10, 0, 0), lw.Z))
    ring = job.circular_pattern("ring", pin, 6, lw.Z)
    assert (len(ring.faces("pin/side")), len(ring.faces("ring/side"))) == (6, 5)
    third = ring.face("ring.3/side").center
    assert third[:2] == pytest.approx((-5, 10 * math.sin(math.radians(120))))
    row = job.linear_pattern("row", pin, 3, 5, lw.X, both=True)
    assert len(row.faces("row/side")) == 4 and row.face("row.1/side").center[0] == pytest.approx(0)


def test_halves_of_a_split_answer_to_their_side():
    job = lw.Job()
    halves = job.split("saw", job.box("block", 10, 10, 10), lw.XY.offset(4))
    front = halves.faces("block/side:front")
    assert sorted(face.area for face in front) == pytest.approx([40, 60])
    assert (front & halves.faces("saw/above"))[0].area == pytest.approx(60)
    assert (front & halves.faces("saw/below"))[0].area == pytest.approx(40)


def test_a_name_that_a_later_step_took_away_says_which():
    job = lw.Job()
    block = job.box("block", 10, 10, 10)
    low = job.cut("milled", block, job.box("cutter", 10, 10, 5, on=lw.XY.offset(5)))
    drilled = job.hole("bore", low, low.face("block/bottom"), (0, 0), 2)
    with pytest.raises(lw.ReferenceLost, match="step 'milled' took it away"):
        drilled.face("block/top")
    with pytest.raises(lw.ReferenceLost, match="block/bottom"):
        drilled.face("block/side:diagonal")


def test_a_profile_turns_about_a_line_of_its_own_sketch():
    """Also a region of the sketch; a line of another one lies elsewhere."""
    job = lw.Job()
    half, other = job.sketch("half", on=lw.XZ), job.sketch("other", on=lw.YZ)
    half.ellipse((0, 0), 12, 20)
    axis = half.line((0, -20), (0, 20))
    egg = half.region((6, 0))
    assert job.revolve("egg", egg, axis).volume == pytest.approx(4 / 3 * math.pi * 12 * 12 * 20, rel=1e-10)
    beside, square = other.line((5, -20), (5, 20)), job.sketch("square", on=lw.XZ)
    square.rectangle(4, 6, corner=(9, 0))
    with pytest.raises(lw.ModellingError, match="none of the sketch"):
        job.revolve("wrong", square, beside)
    with pytest.raises(lw.ModellingError, match="must lie in the plane of the profile"):
        job.revolve("elsewhere", egg, beside)
