"""Turned arcs with their centers beside the axis or beyond it: barrels, crowned wheels, far rounded discs."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.integrate import quad

import lathwick as lw
from lathwick.modelling.boolean.operations import combined

from .. import csg
from ..conftest import sound


def barrel(center, radius, low, high, bore=0.0, angle=360.0):
    """A turned profile between two heights: outside an arc about (center, 0), inside a bore or the axis."""
    sk = lw.Job().sketch("profile", on=lw.XZ)
    reach = [center + math.sqrt(radius**2 - h**2) for h in (low, high)]
    arc = sk.arc((center, 0), (reach[0], low), (reach[1], high), name="arc")
    top = sk.line(arc.end, (bore, high))
    inner = sk.line(top.end, (bore, low))
    sk.line(inner.end, arc.start)
    return lw.revolve(sk, lw.Z, angle, step="barrel")


def measures(center, radius, low, high, bore):
    """Volume and area of a whole barrel, and the area of its profile."""
    reach = [center + math.sqrt(radius**2 - h**2) for h in (low, high)]
    turn = math.asin(high / radius) - math.asin(low / radius)

    def over(f):
        return quad(lambda z: f(center + math.sqrt(radius**2 - z**2)), low, high, epsabs=1e-13)[0]

    volume = over(lambda x: math.pi * (x**2 - bore**2))
    side = math.tau * radius * (center * turn + high - low)
    ends = math.pi * sum(x**2 - bore**2 for x in reach) + math.tau * bore * (high - low)
    return volume, side + ends, over(lambda x: x - bore)


SHAPES = {
    "crowned wheel": (-150, 200, -20, 20, 10),
    "barrel": (-10, 30, -8, 9, 0),
    "keg": (-1, 4, -3, 2, 0),
    "roller": (-2, 3, -1, 1.5, 0.3),
    "bun": (1, 4, -3, 2, 0),
    "all but a ring": (3.9, 4, -3.9, 3.9, 1),
}


@pytest.mark.parametrize("angle", [360, 270, 90])
@pytest.mark.parametrize("shape", SHAPES)
def test_measures(shape, angle, tmp_path, outside_check):
    body = barrel(*SHAPES[shape], angle)
    volume, area, profile = measures(*SHAPES[shape])
    assert body.volume == pytest.approx(volume * angle / 360, rel=1e-10)
    flat = 0.0 if angle == 360 else 2.0 * profile
    assert body.area == pytest.approx(area * angle / 360 + flat, rel=1e-10)
    assert body.face("barrel/side:arc").kind == "torus"
    sound(body, tmp_path, outside_check)


def _solid(random, kind):
    normal, x = random.normal(size=(2, 3))
    plane = lw.Plane(tuple(random.uniform(-2, 2, 3)), tuple(normal), tuple(x - normal * (x @ normal) / 9))
    if kind == 0:  # through the axis
        plane = lw.Plane((0, 0, float(random.integers(-1, 2))), (1, 0, 0), (0, 1, 0))
    sizes = [
        lambda: csg.box(plane, *random.uniform(2, 6, 3)),
        lambda: csg.box(plane, *random.uniform(2, 6, 3)),
        lambda: csg.cylinder(plane, random.uniform(0.5, 2), random.uniform(3, 8)),
        lambda: csg.sphere(plane, random.uniform(1, 3)),
        lambda: csg.torus(plane, random.uniform(2, 3), random.uniform(0.4, 1.2)),
        lambda: csg.cone(plane, random.uniform(0.6, 2), random.uniform(0.2, 0.5), random.uniform(2, 6)),
    ]
    return sizes[kind]()


@pytest.mark.parametrize("seed", range(16))
def test_booleans(seed, tmp_path, outside_check):
    """Against exact answers at random points; the parts add up."""
    random = np.random.default_rng(seed)
    radius = random.uniform(4, 6)
    center = random.uniform(-0.6, 0.9) * radius
    low, high = -random.uniform(0.3, 0.6) * radius, random.uniform(0.3, 0.6) * radius
    body, other = barrel(center, radius, low, high), _solid(random, seed % 6)

    def gap(p):
        reach = np.hypot(p[:, 0], p[:, 1])
        side = np.where(reach < center, np.abs(p[:, 2]) - radius, np.hypot(reach - center, p[:, 2]) - radius)
        return np.max([side, low - p[:, 2], p[:, 2] - high], axis=0)

    points = random.uniform(-7, 7, (3000, 3))
    one, two = gap(points), other.gap(points)
    exact = {"union": np.minimum(one, two), "cut": np.maximum(one, -two), "intersect": np.maximum(one, two)}
    volumes = {}
    for operation, gaps in exact.items():
        made = combined(body, other.body, operation)
        clear = np.abs(gaps) > 1e-5
        inside = made.contains(points[clear]) if made else np.zeros(int(clear.sum()), dtype=bool)
        assert (inside == (gaps[clear] < 0)).all(), operation
        volumes[operation] = made.volume if made else 0.0
        if made is not None and seed % 4 == 0:
            sound(made, tmp_path, outside_check)
    assert volumes["cut"] + volumes["intersect"] == pytest.approx(body.volume, rel=1e-8)
    assert volumes["union"] - volumes["cut"] == pytest.approx(other.body.volume, rel=1e-8)


@pytest.mark.parametrize("shape", ["crowned wheel", "bun"])
def test_rounds_shells_and_holes(shape, tmp_path, outside_check):
    body = barrel(*SHAPES[shape])
    rims = body.edges("barrel/side:arc")
    rounded = lw.fillet(body, rims, 0.3)
    assert rounded.volume < body.volume
    sound(rounded, tmp_path, outside_check)
    sound(lw.chamfer(body, rims, 0.2), tmp_path, outside_check)
    hollow = lw.shell(body, 0.2)
    assert hollow.volume == pytest.approx(0.2 * body.area, rel=0.1)
    sound(hollow, tmp_path, outside_check)
    bored = lw.cut(body, lw.cylinder(0.4, 300, on=lw.Plane((0, -150, 0.2), (0, 1, 0)), step="bore"))
    sound(lw.fillet(bored, bored.edges("bore/side", "barrel/side:arc"), 0.1), tmp_path, outside_check)


@pytest.mark.parametrize(
    ("radius", "height", "round_"), [(4, 5, 2.5), (4, 6, 2.5), (3, 5.8, 2.9), (4, 8, 3.9)]
)
def test_discs_rounded_by_more_than_half_their_radius(radius, height, round_, tmp_path, outside_check):
    disc = lw.cylinder(radius, height)
    body = lw.fillet(disc, disc.edges(), round_)
    center = radius - round_
    ends = quad(lambda z: math.pi * (center + math.sqrt(round_**2 - z * z)) ** 2, -round_, round_)[0]
    assert body.volume == pytest.approx(ends + math.pi * radius**2 * (height - 2 * round_), rel=1e-9)
    side = math.tau * round_ * (center * math.pi + 2 * round_)
    rest = math.tau * center**2 + math.tau * radius * (height - 2 * round_)
    assert body.area == pytest.approx(side + rest, rel=1e-12)
    sound(body, tmp_path, outside_check)
