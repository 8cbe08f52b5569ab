"""Rims of walls rounded or bevelled by half of the wall: the face between goes, the new faces meet."""

from __future__ import annotations

import math

import numpy as np
import pytest

import lathwick as lw

from ..conftest import sound

TAKEN = {"round": 1 - math.pi / 4, "bevel": 0.5}
"""Area of what is taken off a corner of a right angle, for a size of one."""


def tray(corner: float, wall: float) -> lw.Body:
    """A block of 60 x 40 x 20, open above; its upright edges rounded, or sharp for a corner of 0."""
    block = lw.box(60, 40, 20, step="b")
    if corner:
        block = lw.fillet(block, block.edges().parallel((0, 0, 1)), corner, step="v")
    return lw.shell(block, wall, block.faces("b/top"), step="s")


def outline(corner: float, inset: float) -> float:
    """Length of the outline, so far inside."""
    radius = max(0.0, corner - inset)
    return 200 - 8 * inset - (8 - 2 * math.pi) * radius


@pytest.mark.parametrize("corner", [0, 1, 5])
@pytest.mark.parametrize("way", ["round", "bevel"])
def test_the_rim_of_a_tray(corner, way, tmp_path, outside_check):
    wall = 2.0
    body = tray(corner, wall)
    make = lw.fillet if way == "round" else lw.chamfer
    made = make(body, body.edges("b/top"), wall / 2, step="f")
    both = outline(corner, 0) + outline(corner, wall)
    inner_is_sharp = corner <= wall
    third = {"round": 5 / 3 - math.pi / 2, "bevel": 1 / 3}[way]
    # what corners add at the one outline and take at the other: 4 where sharp, pi where round
    odd = (4 - (math.pi if corner else 4)) if inner_is_sharp else 0.0
    taken = both * TAKEN[way] + odd * third
    assert body.volume - made.volume == pytest.approx(taken, rel=1e-9)
    with pytest.raises(lw.ReferenceLost):
        made.faces("b/top")
    sound(made, tmp_path, outside_check)


@pytest.mark.parametrize("way", ["round", "bevel"])
def test_the_rim_of_a_tray_with_all_other_outside_corners(way, tmp_path, outside_check):
    body = tray(0, 2.0)
    make = lw.fillet if way == "round" else lw.chamfer
    made = make(body, body.edges().convex(), 1.0, step="f")
    assert made.is_valid
    assert not [
        face for face in made.faces() if face.kind == "plane" and "b/top" in map(str, face.brep.names)
    ]
    sound(made, tmp_path, outside_check)


def test_more_than_half_of_the_wall_is_refused_with_half_of_it():
    body = tray(0, 2.0)
    with pytest.raises(lw.ModellingError, match=r"the largest that works is 1$"):
        lw.fillet(body, body.edges("b/top"), 1.2, step="f")


@pytest.mark.parametrize("blend", [lw.fillet, lw.chamfer])
def test_fin_whose_end_is_taken_whole_above_its_base(blend, tmp_path, outside_check):
    """Only a part of the face that fin and base have in common goes: its two borders become one edge."""
    base = lw.box(30, 40, 5, on=lw.Plane((0, 0, 0), (0, 0, 1), (1, 0, 0)), step="base")
    fin = lw.box(3, 40, 20, on=lw.Plane((12, 0, 0), (0, 0, 1), (1, 0, 0)), step="fin")
    body = lw.union(base, fin)
    upright = [e for e in body.edges().parallel(lw.Z) if e.midpoint[2] > 6.0]
    assert len(upright) == 4
    made = blend(body, upright, 1.5)
    corner = 1.5**2 * (1.0 - math.pi / 4.0 if blend is lw.fillet else 0.5)
    assert body.volume - made.volume == pytest.approx(4.0 * 15.0 * corner, abs=1e-9)
    assert made.bounds == pytest.approx(np.array(body.bounds), abs=1e-9)
    sound(made, tmp_path, outside_check)
