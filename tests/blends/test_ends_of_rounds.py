"""Rounds that end where more faces meet than the two beside them and one across."""

from __future__ import annotations

import math

import numpy as np
import pytest

import lathwick as lw

from ..conftest import sound
from ..rounded_unions import edges_left_out, named_radii, random_union


def disc_beside_block() -> lw.Body:
    """A block of 15 x 15 x 10 and, on one of its sides, a disc about one of its edges: three quarters of its
    rim stand out."""
    block = lw.box(15, 15, 10, on=lw.Plane((-5, -5, -10), (0, 0, 1), (1, 0, 0)), step="block")
    disc = lw.cylinder(10, 10, on=lw.Plane((10, 10, 0), (0, 1, 0), (-1, 0, 0)), step="disc")
    return lw.union(block, disc)


def edge_near(body: lw.Body, *place: float) -> lw.Selection:
    return body.edges().nearest(place)


@pytest.mark.parametrize("radius", [0.02, 1.0, 3.0])
@pytest.mark.parametrize("way", ["round", "bevel"])
def test_a_rim_that_ends_at_a_block(radius, way, tmp_path, outside_check):
    body = disc_beside_block()
    slant = math.sqrt(50)
    rim = edge_near(body, 10 + slant, 10, slant)
    make = lw.fillet if way == "round" else lw.chamfer
    made = make(body, rim, radius, step="f")
    share = {"round": (1 - math.pi / 4, 5 / 6 - math.pi / 4), "bevel": (1 / 2, 1 / 6)}[way]
    turned = 1.5 * math.pi * (10 * share[0] * radius**2 - share[1] * radius**3)  # Pappus
    assert body.volume - made.volume == pytest.approx(turned, rel=1e-7)
    assert len(made.faces()) == len(body.faces()) + 1
    sound(made, tmp_path, outside_check)


@pytest.mark.parametrize("radius", [0.05, 1.0, 2.0])
def test_a_filled_corner_that_ends_under_a_disc(radius, tmp_path, outside_check):
    body = disc_beside_block()
    made = lw.fillet(body, edge_near(body, 10, 10, -5), radius, step="f")

    # down to the floor of the block, with a bit of the block's back beside the disc
    assert made.volume - body.volume == pytest.approx(10 * (1 - math.pi / 4) * radius**2, rel=1e-5)
    assert len(made.faces()) == len(body.faces()) + 1
    sound(made, tmp_path, outside_check)


@pytest.mark.parametrize("radius", [0.2, 1.0])
def test_a_round_that_bares_the_edge_of_what_it_hid(radius, tmp_path, outside_check):
    """The corner of a block stands in the edge of another: its own edge, hidden in that, comes to light."""
    body, _, _ = random_union(42)
    made = lw.fillet(body, edge_near(body, 10, 5, 0), radius, step="f")
    count = 400
    shares = radius * (np.arange(count) + 0.5) / count
    y, z = (grid.ravel() for grid in np.meshgrid(5 - shares, -shares))
    taken = np.hypot(y - (5 - radius), z + radius) > radius
    starts = np.column_stack([np.zeros(taken.sum()), y[taken], z[taken]])  # of lines along x
    low, high = np.full(len(starts), -np.inf), np.full(len(starts), np.inf)
    for face in body.faces():
        if any(name.step == "s0" for name in face.brep.names):  # of the tilted block
            normal = np.array(face.normal)
            x = -((starts - np.array(face.brep.surface.frame.origin)) @ normal) / normal[0]
            low, high = (low, np.minimum(high, x)) if normal[0] > 0 else (np.maximum(low, x), high)
    assert (high > low).all()  # every line comes to the tilted block
    removed = (15.0 - high).sum() * (radius / count) ** 2
    assert body.volume - made.volume == pytest.approx(removed, rel=2e-3)
    sound(made, tmp_path, outside_check)


def test_edges_that_no_radius_fits_are_named():
    """The foot of a post that comes to the rim of its block in a corner, where a round has no end."""
    block = lw.box(20, 15, 10, step="block")
    corner = lw.Plane((20, 7, -10), (0, 0, 1), (-1, 1, 0))
    body = lw.union(block, lw.box(6, 6, 10, on=corner, step="post"))
    with pytest.raises(lw.ModellingError, match=r"no size works for the edges .*; without the edges") as told:
        lw.fillet(body, body.edges(), 1.0)
    left_out = edges_left_out(body, told.value.message)
    (radius,) = named_radii(told.value.message)
    assert told.value.limit is None
    assert lw.fillet(body, body.edges() - left_out, radius).volume < body.volume
    feet = [e for e in body.edges().concave() if e.distance_to((20, 7, 0)) < 1e-9]
    assert len(feet) == 2 and set(feet) <= set(left_out)
    with pytest.raises(lw.ModellingError, match="no size works for the edge near"):
        lw.fillet(body, feet[0], 1.0)


def test_rim_on_which_a_corner_stands():
    block = lw.box(20, 15, 10, step="block")
    corner = lw.Plane((20, 7, -10), (0, 0, 1), (-1, 1, 0))
    body = lw.union(block, lw.box(6, 6, 10, on=corner, step="post"))
    rim = body.edges("block/bottom", "block/side:right")
    made = lw.fillet(body, rim, 1.0)
    # less what lies above the corner, which stays
    above = 2.0 * (0.5 - math.pi / 4.0 + 1.0 / 3.0)
    assert body.volume - made.volume == pytest.approx(15.0 * (1.0 - math.pi / 4.0) - above, abs=1e-9)
    upright = [e for e in body.edges("post") if e.is_convex and e.distance_to((20, 7, 0)) < 1e-9]
    made = lw.fillet(body, upright, 1.0)
    assert body.volume - made.volume == pytest.approx(10.0 * (1.0 - math.pi / 4.0), abs=1e-9)


def test_two_radii_where_no_one_radius_fits(tmp_path, outside_check):
    """A ball that rolls steeply round a round of its own radius would fold back; one of unlike radius not."""
    body, edges, radius = random_union(6)
    with pytest.raises(lw.ModellingError, match="the round would fold back on itself") as caught:
        lw.fillet(body, edges, radius)
    groups = [[e for e in edges if e.is_convex is convex] for convex in (True, False)]
    radii = named_radii(caught.value.message)
    assert len(radii) == 2 and max(radii) <= radius
    sound(lw.fillet(body, groups, radii), tmp_path, outside_check)
