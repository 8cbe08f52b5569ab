"""Refusals of many edges at once: the largest size is that of the few that limit it, and is told for all."""

from __future__ import annotations

import re

import numpy as np
import pytest

import lathwick as lw

ROWS, COLUMNS = 4, 5
PITCH = 12.0


def field(radii, tall=6.0):
    """A plate with a stud of a radius of its own at each place."""
    plate = lw.box(PITCH * COLUMNS, PITCH * ROWS, 5, step="plate")
    studs = [
        lw.cylinder(float(r), tall, on=lw.Plane((PITCH * (i + 0.5), PITCH * (j + 0.5), 5), lw.Z), step="stud")
        for (i, j), r in np.ndenumerate(radii)
    ]
    return lw.union(plate, *studs)


def rims(body, height=11.0):
    return body.edges().where(lambda edge: abs(edge.midpoint[2] - height) < 1e-9 and edge.kind == "circle")


def refusal(body, edges, size, verb=lw.fillet, **options):
    with pytest.raises(lw.ModellingError) as caught:
        verb(body, edges, size, step="soft", **options)
    return caught.value


@pytest.mark.parametrize("place", [(0, 0), (2, 1), (4, 3)])
@pytest.mark.parametrize("verb", [lw.fillet, lw.chamfer])
def test_the_narrowest_of_many_limits_them_all(place, verb):
    """Twenty rims, one of which is narrow: a ball of its radius still fits, a bevel of it ends in a tip."""
    radii = np.full((COLUMNS, ROWS), 4.0)
    radii[place] = 1.5
    body = field(radii)
    error = refusal(body, rims(body), 2.5, verb)
    assert error.limit == pytest.approx(1.5, rel=2e-3)
    assert f"near ({PITCH * (place[0] + 0.5) - 1.5:g}, {PITCH * (place[1] + 0.5):g}, 11)" in error.message
    made = verb(body, rims(body), error.limit, step="soft")
    assert made.is_valid
    assert refusal(body, rims(body), 1.05 * error.limit, verb).limit == pytest.approx(error.limit, rel=2e-3)


def test_what_spoils_a_size_is_told_and_may_be_skipped():
    """Two narrow ones among twenty: without them the size fits, as is said; `skip` leaves them."""
    radii = np.full((COLUMNS, ROWS), 4.0)
    radii[1, 1] = radii[3, 2] = 1.5
    body = field(radii)
    error = refusal(body, rims(body), 2.5)
    told = re.search(r"leave out the edges (.*), then 2.5 fits", error.message)
    assert told is not None and told[1].count("near (") == 2
    told_of: list[str] = []
    made = lw.fillet(body, rims(body), 2.5, skip=True, step="soft", warn=told_of.append)
    assert sum(face.kind == "torus" for face in made.faces()) == ROWS * COLUMNS - 2
    assert len(told_of) == 1 and told_of[0].count("near (") == 2
    wide = rims(body).where(lambda edge: edge.length > 20)
    assert made.volume == pytest.approx(lw.fillet(body, wide, 2.5, step="soft").volume, rel=1e-12)


def test_limits_in_two_places():
    """The first edge that is told of is not the one that limits most."""
    radii = np.full((COLUMNS, ROWS), 4.0)
    radii[0, 0], radii[4, 3] = 2.0, 1.2
    body = field(radii)
    error = refusal(body, rims(body), 3.0)
    assert error.limit == pytest.approx(1.2, rel=2e-3)
    assert lw.fillet(body, rims(body), error.limit, step="soft").is_valid


def test_feet_that_run_into_each_other():
    """Feet of two studs with a gap of 2 between them meet at a radius of 1; all others would go on to 3."""
    near = lw.cylinder(3, 6, on=lw.Plane((PITCH * 0.5, -PITCH * 0.5 + 4, 5), lw.Z), step="near")
    apron = lw.box(PITCH * COLUMNS, PITCH, 5, on=lw.Plane((0, -PITCH, 0), lw.Z), step="apron")
    body = lw.union(field(np.full((COLUMNS, ROWS), 3.0)), apron, near)
    feet = body.edges().concave()
    assert len(feet) == ROWS * COLUMNS + 1
    assert refusal(body, feet, 1.5).limit == pytest.approx(1.0, rel=2e-3)


def test_sizes_of_several_selections_are_scaled_together():
    """Two selections with a size each: the share that fits both."""
    radii = np.full((COLUMNS, ROWS), 4.0)
    radii[2, 2] = 1.5
    body = field(radii)
    feet = rims(body, 5.0)
    error = refusal(body, [rims(body), feet], (2.0, 1.0))
    assert error.limit == pytest.approx(0.75, rel=2e-3)
    assert "all of them times 0.75 works" in error.message
    assert lw.fillet(body, [rims(body), feet], (1.5, 0.75), step="soft").is_valid
