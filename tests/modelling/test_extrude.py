"""Extrusion: exact measures, whole faces, names that find them again."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import lathwick as lw

from ..parts import half_disc, ring_plate

PLANES = [lw.XY, lw.XZ, lw.YZ.offset(12), lw.Plane((3, -4, 5), (1, 2, 2)), lw.XY.tilted(33, "x")]


def agrees(body: lw.Body, closed) -> None:
    assert body.volume == pytest.approx(closed.volume, rel=1e-12)
    assert body.area == pytest.approx(closed.area, rel=1e-12)
    size = closed.volume ** (1 / 3)
    assert body.centroid == pytest.approx(closed.centroid, abs=1e-12 * size)
    assert np.allclose(body.inertia, closed.inertia, rtol=0, atol=1e-12 * np.abs(closed.inertia).max())


@pytest.mark.parametrize("plane", PLANES)
@pytest.mark.parametrize("unit", ["mm", "in"])
def test_plate_with_a_hole_has_closed_form_measures(plane, unit):
    """Volume, area, centroid and inertia to 1e-12 on any plane."""
    body, closed = ring_plate(40, 25, 6, 7, -3, 9, plane, unit)
    assert body.unit == unit
    agrees(body, closed)


def test_half_disc_has_closed_form_measures():
    """The same for an arc and its chord."""
    agrees(*half_disc(7, 3))


@settings(max_examples=40, deadline=None)
@given(
    st.floats(1e-2, 1e4),
    st.floats(0.2, 5),
    st.floats(0.05, 0.95),
    st.floats(-1, 1),
    st.floats(-1, 1),
    st.floats(1e-2, 10),
)
def test_plates_of_all_sizes(a, ratio, fill, u, v, height):
    """Closed forms hold from hundredths to ten thousands."""
    b = a * ratio
    r = 0.49 * fill * min(a, b)
    x, y = u * (a / 2 - r) * 0.99, v * (b / 2 - r) * 0.99
    agrees(*ring_plate(a, b, r, x, y, height * a))


def test_drilled_plate_has_whole_faces():
    """One face and two edges for the hole; 7 faces, 14 edges, 8 vertices in all."""
    body, _ = ring_plate(40, 25, 6, 7, -3, 9)
    assert (len(body.faces()), len(body.edges()), len(body.vertices())) == (7, 14, 8)
    assert len(body.edges().circular(6)) == 2
    assert len(body.edges().straight()) == 12
    (wall,) = body.faces().cylindrical()
    assert wall.area == pytest.approx(2 * math.pi * 6 * 9)
    assert len(wall.edges()) == 2
    assert body.is_valid
    assert body.check() == ()


@pytest.mark.parametrize(
    ("options", "low", "high"),
    [({}, 0, 10), ({"both": True}, -5, 5), ({"back": 3}, -3, 10), ({"both": True, "back": 2}, -7, 5)],
)
def test_ways_to_extrude(options, low, high):
    """One way, half on each side, and some more behind."""
    sk = lw.Sketch()
    sk.rectangle(4, 6, corner=(0, 0))
    body = lw.extrude(sk.regions(), 10, **options)
    assert body.bounds == ((0, 0, low), (4, 6, high))


def test_behind_only():
    """A depth of zero with `back` lies wholly behind the plane."""
    sk = lw.Sketch(lw.XZ)
    sk.circle((0, 0), 2)
    body = lw.extrude(sk.regions(), 0, back=5)
    assert body.bounds == pytest.approx(np.array([(-2, 0, -2), (2, 5, 2)]))


@pytest.mark.parametrize("depth", [0, -1, float("nan"), float("inf"), 1e9, 1e-7])
def test_impossible_depths_are_refused(depth):
    """Nothing, negative, not finite, too large or too small: told with the value."""
    sk = lw.Sketch()
    sk.circle((0, 0), 2)
    with pytest.raises(lw.ModellingError, match=r"depth must|takes a finite number"):
        lw.extrude(sk.regions(), depth)


def test_a_depth_may_stand_behind_the_profile_of_a_cut():
    job = lw.Job()
    block, plan = job.box("block", 10, 10, 10), job.sketch("plan", on=lw.XY.offset(10))
    plan.rectangle(2, 3, center=(5, 5))
    assert job.cut("slot", block, plan, 4).volume == pytest.approx(1000 - 24, rel=1e-14)
    for k, tools in enumerate(((plan, -4), (4,), (lw.box(1, 1, 1), 4), (plan, "4"))):
        with pytest.raises(lw.ModellingError, match=r"depth must lie between|a profile is|a depth goes with"):
            job.cut(f"wrong {k}", block, *tools)


def test_several_regions_make_lumps():
    """Separate outlines become separate lumps of one body."""
    sk = lw.Sketch()
    sk.circle((0, 0), 2)
    sk.circle((10, 0), 3)
    body = lw.extrude(sk.regions(), 1)
    assert body.lumps == 2
    assert body.volume == pytest.approx(13 * math.pi)


def test_faces_answer_to_step_role_and_item():
    """Addresses by step, step and role, item, and the owner of an item."""
    job = lw.Job()
    sk = job.sketch("plan")
    sk.rectangle(10, 6, name="base")
    sk.circle((0, 0), 2, name="bore")
    body = job.extrude("plate", sk, 4)
    assert len(body.faces("plate")) == 7
    assert len(body.faces("plate/side")) == 5
    assert len(body.faces("plate/side:base")) == 4
    assert body.face("plate/end").normal == (0, 0, 1)
    assert body.face("plate/start").normal == (0, 0, -1)
    assert body.face("plate/side:base.right").normal == (1, 0, 0)
    assert body.face("plate/side:bore").radius == 2
    assert body.face("plate/side:bore").step == "plate"
    assert len(body.edges("plate/end")) == 5
    edge = body.edge("plate/end", "plate/side:base.right")
    assert edge.length == 6
    assert edge.convex


def test_lost_references_say_what_there_is():
    """An address that matches nothing lists what the step made, or the steps."""
    body, _ = ring_plate(4, 4, 1, 0, 0, 1)
    with pytest.raises(lw.ReferenceLost, match=r"ring/end, ring/side:hole, ring/side:plate.bottom"):
        body.face("ring/side:bore")
    with pytest.raises(lw.ReferenceLost, match="the steps in this body are 'ring'"):
        body.faces("plate/end")
    with pytest.raises(lw.ReferenceLost, match="names 5 faces, not one"):
        body.face("ring/side")
    with pytest.raises(lw.ReferenceLost, match="no edge joins"):
        body.edges("ring/end", "ring/start")


def test_convexity_of_edges():
    """Outside corners are convex, inside ones concave, tangent joins neither."""
    sk = lw.Sketch()
    sk.polyline([(0, 0), (10, 0), (10, 4), (4, 4), (4, 10), (0, 10)], close=True)
    body = lw.extrude(sk.regions(), 3)
    upright = body.edges().parallel(lw.Z)
    assert len(upright) == 6
    (inner,) = upright.concave()
    assert inner.start[:2] == (4, 4)
    assert inner.angle == -90
    sk = lw.Sketch()
    sk.rectangle(20, 10, name="bar")
    hole, _ = half_disc(3, 1)
    assert [e.is_convex for e in hole.edges().parallel(lw.Z)] == [True, True]


def test_selections_combine_and_filter():
    """Set operations keep order; filters take planes, directions and functions."""
    body, _ = ring_plate(40, 25, 6, 7, -3, 9)
    top, bottom = body.edges("ring/end"), body.edges("ring/start")
    assert len(top | bottom) == 10
    assert len(top & bottom) == 0
    assert len(body.edges() - top - bottom) == 4
    assert body.edges().on(lw.XY.offset(9)) == top
    assert body.faces().facing(lw.Z) == body.faces("ring/end")
    assert {round(e.length) for e in body.edges().longest(2)} == {40}
    (near,) = body.edges().nearest((21, 0, 9))
    assert near.midpoint == (20, 0, 9)
    assert len(body.edges().where(lambda e: e.length < 10)) == 4
    with pytest.raises(lw.ModellingError, match=r"convex\(\) is for edges"):
        body.faces().convex()


def test_step_names_are_unique_and_errors_name_the_step():
    """A second step of one name is refused; a failing step is named."""
    job = lw.Job()
    sk = job.sketch("plan")
    sk.circle((0, 0), 2)
    job.extrude("disc", sk, 1)
    with pytest.raises(lw.ModellingError, match='a step "disc" already'):
        job.extrude("disc", sk, 1)
    with pytest.raises(lw.ModellingError, match='step "thin": depth must be more than'):
        job.extrude("thin", sk, 0)
    with pytest.raises(lw.ModellingError, match='a sketch "plan" already'):
        job.sketch("plan")
    plate = job.extrude("plan", sk, 3)  # a sketch and a body may have one name
    assert plate.faces("plan/side:circle1")
    assert [step.name for step in job.steps] == ["plan", "disc", "plan"]


def test_functions_take_what_verbs_take():
    """A sketch is its default profile, solved; a face is its area; all else is refused in a sentence."""
    sk = lw.Sketch(lw.XZ)
    square = sk.rectangle(4, 3, corner=(2, 0))
    sk.length(square.bottom, 5)
    plate = lw.extrude(sk, 2)
    assert plate.volume == pytest.approx(30)
    assert lw.extrude(sk.regions(), 2).volume == lw.extrude(sk.region(containing=(3, 1)), 2).volume
    top = plate.faces().facing(lw.Z)[0]
    assert lw.extrude(top, 7).volume == pytest.approx(top.area * 7)
    assert lw.revolve(sk, lw.Z, 90).volume == pytest.approx(sk.regions()[0].centroid[0] * 15 * math.pi / 2)
    with pytest.raises(lw.ModellingError, match="a profile is a sketch, regions or a planar face, got 4"):
        lw.extrude(4, 2)
    with pytest.raises(lw.ModellingError, match="there is no region to revolve"):
        lw.revolve([], lw.Z)
