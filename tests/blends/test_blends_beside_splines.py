"""Rounds and bevels of edges of plates over ellipses and splines."""

from __future__ import annotations

import math

import pytest

import lathwick as lw

from ..conftest import sound

CAM = [(0, 0), (8, -2), (12, 5), (3, 9), (-3, 5)]


def oval():
    sk = lw.Sketch()
    sk.ellipse((0, 0), 10, 6)
    return sk


def cam():
    sk = lw.Sketch()
    sk.spline(CAM, close=True)
    return sk


def vane():
    sk = lw.Sketch()
    sk.spline([(0, 0), (4, 4), (11, 1)], name="back")
    sk.line((11, 1), (11, -6))
    sk.line((11, -6), (0, -6))
    sk.line((0, -6), (0, 0))
    return sk


def plate(sketch):
    return lw.extrude(sketch().regions(), 5, step="plate")


@pytest.mark.parametrize("sketch", [oval, cam])
@pytest.mark.parametrize("size", [0.3, 1.0])
@pytest.mark.parametrize("both", [False, True])
def test_rims_in_closed_form(sketch, size, both, tmp_path, outside_check):
    """A layer at a depth is the outline offset inwards by d; its area is A - L d + pi d^2."""
    body = plate(sketch)
    length = sketch().regions()[0].perimeter
    rims = body.edges() if both else body.edges("plate/end")
    count = 2 if both else 1
    rounded = lw.fillet(body, rims, size)
    off = length * size**2 * (1 - math.pi / 4) - math.pi * size**3 * (5 / 3 - math.pi / 2)
    assert rounded.volume == pytest.approx(body.volume - count * off, rel=1e-9)
    bevelled = lw.chamfer(body, rims, size)
    off = length * size**2 / 2 - math.pi * size**3 / 3
    assert bevelled.volume == pytest.approx(body.volume - count * off, rel=1e-8)
    if size == 1.0 and not both:
        sound(rounded, tmp_path, outside_check)
        sound(bevelled, tmp_path, outside_check)


@pytest.mark.parametrize("blend", [lw.fillet, lw.chamfer])
def test_upright_edges_of_a_vane_are_cylinders_or_planes(blend):
    """The wall is no plane, but the same all along: so is what is taken off."""
    body = plate(vane)
    made = blend(body, body.edges().parallel(lw.Z), 0.5, step="b")
    kind = "cylinder" if blend is lw.fillet else "plane"
    assert [face.kind for face in made.faces() if face.step == "b"] == [kind] * 4
    higher = lw.extrude(vane().regions(), 10, step="plate")
    twice = blend(higher, higher.edges().parallel(lw.Z), 0.5)
    assert twice.volume == pytest.approx(2 * made.volume, rel=1e-12)


@pytest.mark.parametrize("blend", [lw.fillet, lw.chamfer])
@pytest.mark.parametrize("group", ["end", "all"])
def test_all_edges_of_a_vane(blend, group, tmp_path, outside_check):
    body = plate(vane)
    made = blend(body, body.edges("plate/end") if group == "end" else body.edges(), 0.5, step="b")
    corners = [face for face in made.faces() if face.names[0] == "b/corner"]
    curved = 8 if blend is lw.fillet else 4  # three flat bevels meet in a point
    assert len(corners) == (curved if group == "all" else 0)
    assert made.volume < body.volume
    sound(made, tmp_path, outside_check)


def test_holes_through_the_walls_of_a_cam(tmp_path, outside_check):
    """The rim of a hole lies on the wall of a spline."""
    body = plate(cam)
    drill = lw.cylinder(1.2, 30, on=lw.Plane((5, -15, 2.5), (0, 1, 0)), step="hole")
    drilled = lw.cut(body, drill)
    for blend in (lw.fillet, lw.chamfer):
        made = blend(drilled, drilled.edges("hole/side"), 0.4)
        assert made.volume < drilled.volume
        sound(made, tmp_path, outside_check)
