"""Sketches of many curves: rings in rings, fields of holes, combs and stars with their mirror images."""

from __future__ import annotations

import math

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import lathwick as lw


def rings(sk: lw.Sketch, center: tuple[float, float], count: int) -> float:
    """Circles of radius 1, 2, ... about a center; the area between the outermost and the next, and so on."""
    for k in range(1, count + 1):
        sk.circle(center, k)
    return math.pi * sum((-1) ** (count - k) * k * k for k in range(1, count + 1))


@pytest.mark.parametrize("count", [1, 2, 7, 24])
def test_rings_in_rings(count):
    sk = lw.Sketch()
    area = rings(sk, (0, 0), count)
    found = sk.regions()
    assert len(found) == (count + 1) // 2
    assert lw.extrude(found, 2).volume == pytest.approx(2 * area, rel=1e-12)


@settings(max_examples=30, deadline=None)
@given(st.lists(st.integers(0, 4), min_size=1, max_size=20), st.booleans())
def test_fields_of_rings(counts, framed):
    """Each in its place; in a frame what was material is none and the other way round."""
    sk = lw.Sketch()
    areas = [rings(sk, (12 * k, 0), count) for k, count in enumerate(counts)]
    side = 12 * len(counts)
    if framed:
        sk.rectangle(side, 12, corner=(-6, -6))
    if not framed and not any(counts):
        with pytest.raises(lw.SketchError):
            sk.regions()
        return
    body = lw.extrude(sk.regions(), 1)
    inside = sum(areas)  # the outermost ring of each is material outside of a frame, a hole in one
    expected = side * 12 - inside if framed else inside
    assert body.volume == pytest.approx(expected, rel=1e-12)
    assert body.lumps == (1 + sum(n // 2 for n in counts) if framed else sum((n + 1) // 2 for n in counts))


def test_a_thousand_holes():
    """In rows that touch neither each other nor the border."""
    sk = lw.Sketch()
    sk.rectangle(400, 250, corner=(0, 0))
    for k in range(1000):
        sk.circle((5 + 10 * (k % 40), 5 + 10 * (k // 40)), 2 + k % 3)
    body = lw.extrude(sk.regions(), 3)
    area = 400 * 250 - math.pi * sum((2 + k % 3) ** 2 for k in range(1000))
    assert body.volume == pytest.approx(3 * area, rel=1e-12)
    assert len(body.faces()) == 1006 and body.is_valid


@pytest.mark.parametrize("teeth", [1, 5, 60])
def test_a_comb_and_its_mirror_image(teeth):
    """Half a comb on each side of an axis: the lines that cross it are one each, the teeth two."""
    sk = lw.Sketch()
    places: list[tuple[float, float]] = [(0, 0), (10, 0)]
    for k in range(teeth):
        places += [(10, 2 * k + 1), (14, 2 * k + 1), (14, 2 * k + 2), (10, 2 * k + 2)]
    places += [(10, 2 * teeth + 1), (0, 2 * teeth + 1)]
    sk.mirror(sk.polyline(places), sk.y_axis)
    body = lw.extrude(sk.regions(), 1)
    assert body.volume == pytest.approx(2 * (10 * (2 * teeth + 1) + 4 * teeth), rel=1e-12)
    assert len(body.faces()) == 2 + 2 + 2 * (4 * teeth + 1)  # ends, foot and top, both sides
    assert body.bounds == ((-14, 0, 0), (14, 2 * teeth + 1, 1))


def test_arcs_and_their_mirror_images_are_circles():
    sk = lw.Sketch()
    arcs = [sk.arc((0, y), (0, y - 2), (0, y + 2)) for y in range(0, 100, 5)]
    sk.mirror(arcs, sk.y_axis)
    body = lw.extrude(sk.regions(), 1)
    assert body.lumps == 20 and len(body.faces()) == 60
    assert body.volume == pytest.approx(20 * 4 * math.pi, rel=1e-12)
