"""Ribs: plates that grow from drawn lines to the next walls."""

import math

import pytest

import lathwick as lw

from ..conftest import sound

FRONT = (0, -1, 0)


def upright(x: float, y: float) -> lw.Plane:
    """A plane across Y, with X to the right and Z up."""
    return lw.Plane((x, y, 0), FRONT, (1, 0, 0))


def angle() -> lw.Body:
    """A foot with a wall at its end."""
    return lw.union(lw.box(60, 30, 6, step="foot"), lw.box(6, 30, 50, step="wall"))


def tray() -> lw.Body:
    block = lw.box(80, 60, 30, step="b")
    return lw.shell(block, 3, open=block.faces("b/top"))


@pytest.mark.parametrize("part", [(0.0, 1.0), (0.3, 0.6)])
@pytest.mark.parametrize("backwards", [False, True])
def test_a_gusset_fills_the_corner(part, backwards, tmp_path, outside_check):
    """However much of its slope is drawn, and in which direction."""
    ends = [(6 + 44 * s, 40 - 34 * s) for s in part]
    sk = lw.Sketch(upright(0, 15))
    sk.line(*(ends[::-1] if backwards else ends), name="slope")
    body = angle()
    made = lw.rib(body, sk, 4, step="r")
    assert made.volume - body.volume == pytest.approx(4 * 44 * 34 / 2, rel=1e-12)
    assert made.lumps == 1
    assert len(made.faces("r/side:slope")) == len(made.faces("r/start")) == len(made.faces("r/end")) == 1
    assert made.face("r/start").normal == pytest.approx((0, 1, 0))
    sound(made, tmp_path, outside_check)


@pytest.mark.parametrize("draft", [0.0, 1.0, 5.0])
def test_a_rib_across_a_tray_leans(draft, tmp_path, outside_check):
    """Prismatoid: wider by the tangent of the draft on both sides."""
    sk = lw.Sketch(upright(40, 30))
    sk.line((-20, 20), (20, 20), name="top")
    body = tray()
    made = lw.rib(body, sk, 2, draft=draft, step="r")
    depth = 17
    wide = 2 + depth * math.tan(math.radians(draft))
    assert made.volume - body.volume == pytest.approx(74 * depth * wide, rel=1e-12)
    assert len(made.faces("r/start")) == len(made.faces("r/end")) == 1
    sound(made, tmp_path, outside_check)


def test_ribs_that_cross_and_chains_of_curves():
    """Several chains in one sketch; a chain of a line, an arc and a line."""
    body = tray()
    along = lw.Sketch(upright(40, 30))
    along.line((-20, 20), (20, 20))
    made = lw.rib(body, along, 2)
    across = lw.Sketch(lw.Plane((40, 0, 0), (1, 0, 0), (0, 1, 0)))
    across.line((10, 20), (50, 20))
    crossed = lw.rib(made, across, 2)
    assert crossed.volume - body.volume == pytest.approx((74 * 2 + 54 * 2 - 4) * 17, rel=1e-12)
    bowed = lw.Sketch(upright(40, 30))
    bowed.line((-30, 20), (-10, 20))
    bowed.arc((0, 20), (10, 20), (-10, 20))
    bowed.line((10, 20), (30, 20))
    arched = lw.rib(body, bowed, 2)
    assert arched.volume - body.volume == pytest.approx(2 * (74 * 17 + 50 * math.pi), rel=1e-12)


def test_a_gusset_between_a_post_and_a_disc(tmp_path, outside_check):
    body = lw.union(lw.cylinder(30, 5, step="disc"), lw.cylinder(8, 40, step="post"))
    sk = lw.Sketch(upright(0, 0))
    sk.line((9, 33), (25, 6))
    made = lw.rib(body, sk, 3)
    assert made.lumps == 1
    assert made.is_valid
    sound(made, tmp_path, outside_check)


def test_what_is_no_rib():
    outside = lw.Sketch(upright(0, 15))
    outside.line((10, 60), (60, 70))
    with pytest.raises(lw.ModellingError, match="no walls end the rib of the curve at"):
        lw.rib(angle(), outside, 4)
    inside = lw.Sketch(upright(0, 30))
    inside.line((20, 15), (60, 15))
    box = lw.cut(lw.box(80, 60, 30), lw.box(70, 50, 20, on=lw.Plane((5, 5, 5), (0, 0, 1), (1, 0, 0))))
    with pytest.raises(lw.ModellingError, match='side="left" or "right"; say which'):
        lw.rib(box, inside, 4)
    for side in ("left", "right"):
        assert lw.rib(box, inside, 4, side=side).volume - box.volume == pytest.approx(70 * 10 * 4)
    ring = lw.Sketch(upright(0, 30))
    ring.circle((0, 0), 5)
    with pytest.raises(lw.ModellingError, match="an open chain of curves; this one closes"):
        lw.rib(box, ring, 4)
    for wrong in ({"thickness": 0.0}, {"thickness": 4, "draft": 60}, {"thickness": 4, "side": "up"}):
        with pytest.raises(lw.ModellingError):
            lw.rib(box, inside, **wrong)


def test_a_rib_of_a_job_follows_a_late_change():
    """The walls it grows to may move."""

    def made(height: float) -> lw.Body:
        job = lw.Job()
        body = job.union("angle", job.box("foot", 60, 30, 6), job.box("wall", 6, 30, height))
        slope = job.sketch("slope", on=upright(0, 15))
        slope.line((12, 30), (40, 12))
        return job.rib("gusset", body, slope, 4, draft=1)

    assert made(50).volume - made(45).volume == pytest.approx(6 * 30 * 5)
    assert made(50).face("gusset/start").area > 0


def test_curves_that_branch_are_no_chain_of_a_rib():
    sk = lw.Sketch(upright(40, 30))
    for end in ((-20, 20), (20, 20), (0, 28)):
        sk.line((0, 20), end)
    with pytest.raises(lw.LathwickError, match="a rib takes curves that join end to end"):
        lw.rib(tray(), sk, 2)
