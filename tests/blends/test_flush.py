"""Rounds and bevels past faces that only touch their edges: bosses flush with a side, pipes in discs."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import quad

import lathwick as lw

from ..conftest import unsound

LENGTH, WIDTH, HEIGHT = 60.0, 20.0, 8.0


def _boss(radius: float, x: float, y: float) -> lw.Body:
    """A plate with a boss on it."""
    plate = lw.box(LENGTH, WIDTH, HEIGHT, step="plate")
    top = lw.Plane((x, y, HEIGHT), (0, 0, 1), (1, 0, 0))
    return lw.union(plate, lw.cylinder(radius, 15.0, on=top, step="boss"))


def _foot_volume(radius: float, size: float, sides: int, bevel: bool = False) -> float:
    """What is filled in at the foot of a boss that is flush with some sides of its plate."""

    def slice_at(rho: float) -> float:
        off = radius + size - rho
        height = off if bevel else size - math.sqrt(max(size**2 - off**2, 0.0))
        return height * rho * (2.0 * math.pi - 2.0 * sides * math.acos(radius / rho))

    return quad(slice_at, radius, radius + size, epsabs=1e-12, epsrel=1e-12)[0]


@pytest.mark.parametrize(
    ("radius", "x", "y", "sides"),
    [(6.0, 30.0, 6.0, 1), (10.0, 30.0, 10.0, 2), (6.0, 6.0, 14.0, 2), (10.0, 10.0, 10.0, 3)],
)
@pytest.mark.parametrize("size", [0.5, 2.0])
def test_foot_of_a_flush_boss(radius, x, y, sides, size, tmp_path):
    body = _boss(radius, x, y)
    for made, bevel in (
        (lw.fillet(body, body.edges().concave(), size), False),
        (lw.chamfer(body, body.edges().concave(), size), True),
    ):
        want = _foot_volume(radius, size, sides, bevel)
        assert made.volume - body.volume == pytest.approx(want, abs=1e-7)
        assert not unsound(made, tmp_path)


def test_the_foot_is_cut_off_flat_at_the_side():
    body = _boss(6.0, 30.0, 6.0)
    made = lw.fillet(body, body.edges().concave(), 2.0)
    assert made.bounds[0][1] == pytest.approx(0.0, abs=1e-12)
    beside = np.array([[30.0, 12.1, HEIGHT + 1.3], [30.0, 12.1, HEIGHT + 1.5], [30.0, -1e-6, HEIGHT + 0.1]])
    assert made.contains(beside).tolist() == [True, False, False]
    reach = math.sqrt(8.0**2 - 6.0**2)  # where the round's border leaves the plate
    assert min(e.distance_to((30.0 + reach, 0.0, HEIGHT)) for e in made.edges()) < 1e-9


def test_one_piece_of_a_foot_is_followed_past_the_place_where_it_touches():
    body = _boss(10.0, 30.0, 10.0)
    pieces = body.edges().concave()
    assert len(pieces) == 2
    one, both = lw.fillet(body, pieces[:1], 1.0), lw.fillet(body, pieces, 1.0)
    assert one.volume == pytest.approx(both.volume, rel=1e-12)


@settings(max_examples=4, deadline=None)
@given(
    radius=st.floats(2.0, 9.0),
    along=st.floats(0.3, 0.7),
    size=st.floats(0.05, 0.9),
    kind=st.sampled_from(["foot", "convex", "all"]),
)
def test_flush_bosses_at_random(radius, along, size, kind, tmp_path_factory):
    body = _boss(radius, LENGTH * along, radius)
    edges = body.edges()
    group = {
        "foot": edges.concave(),
        "convex": edges.convex(),
        "all": edges.convex() | edges.concave(),
    }[kind]
    made = lw.fillet(body, group, size)
    assert not unsound(made, tmp_path_factory.mktemp("flush"))
    smooth = [e for e in made.edges() if e.is_convex is None]
    assert smooth
    grown = made.volume - body.volume
    assert grown > 0.0 if kind == "foot" else grown < 0.0
    low, high = np.array(made.bounds)
    assert np.allclose(low, body.bounds[0], atol=1e-9) and np.allclose(high, body.bounds[1], atol=1e-9)


def _disc_with_pipe(radius: float, pipe: float, beside: float) -> lw.Body:
    """A disc, and a pipe in it whose crest is as high as the top."""
    disc = lw.cylinder(radius, 10.0, step="disc")
    start = lw.Plane((0.0, beside, 10.0 - pipe), (1, 0, 0), (0, 1, 0))
    return lw.union(disc, lw.cylinder(pipe, 2.0 * radius, on=start, step="pipe"))


@pytest.mark.parametrize(("pipe", "beside"), [(3.0, 0.0), (4.0, 2.5), (3.5, -4.0)])
def test_rim_that_a_pipe_touches(pipe, beside, tmp_path):
    radius, size = 12.0, 1.5
    body = _disc_with_pipe(radius, pipe, beside)
    rim = [e for e in body.edges("disc") if e.is_convex and e.midpoint[2] > 9.9]
    made = lw.fillet(body, rim, size)

    rho = radius - size + (np.arange(1000) + 0.5)[:, None] * (size / 1000)
    theta = (np.arange(4000) + 0.5) * (2.0 * math.pi / 4000)
    depth = size - np.sqrt(size**2 - (rho - radius + size) ** 2)
    y = rho * np.sin(theta) - beside
    free = (np.cos(theta) < 0.0) | (np.abs(y) >= pipe)
    taken = np.where(free, depth, np.minimum(depth, pipe - np.sqrt(np.maximum(pipe**2 - y**2, 0.0))))
    want = float((taken * rho).sum()) * (size / 1000) * (2.0 * math.pi / 4000)
    assert body.volume - made.volume == pytest.approx(want, rel=5e-5)
    assert not unsound(made, tmp_path)


def test_rim_and_foot_of_a_step_take_no_more_than_the_step():
    """The rounds would pass each other without meeting, on a post that leaves the block at its side too."""
    height, center = 0.0096, 28.0
    block = lw.box(30.0, 20.0, 10.0, step="block")
    base = lw.Plane((center, 10.0, 0.0), (0, 0, 1), (1, 0, 0))
    body = lw.union(block, lw.cylinder(6.0, 10.0 + height, on=base, step="post"))
    edges = body.edges().convex() | body.edges().concave()
    with pytest.raises(lw.ModellingError, match="the largest that works is") as caught:
        lw.fillet(body, edges, 0.9 * height)
    largest = float(caught.value.message.rsplit(" ", 1)[1])
    assert largest == pytest.approx(0.5 * height, rel=2e-3) and largest < 0.5 * height
    assert lw.fillet(body, edges, largest).volume == pytest.approx(body.volume, rel=1e-3)
