"""Offsets of open and closed chains as constrained entities."""

import math

import numpy as np
import pytest
import shapely

import lathwick as lw
from lathwick.sketch.pieces import pieces_along, places_along


def outline(entities) -> list[tuple[float, float]]:
    """Points along a chain of entities, in order, finely."""
    return [
        tuple(p)
        for e in entities
        for piece in pieces_along(e)
        for p in places_along(piece, np.linspace(0, 1, 400))
    ]


@pytest.mark.parametrize("distance", [5.0, -5.0])
def test_offset_of_a_rectangle_is_driven_by_one_value(distance):
    """Outwards with exact arcs at the corners, inwards sharp; a new value moves all of it."""
    sk = lw.Sketch()
    box = sk.rectangle(60, 40, center=sk.origin, name="box")
    sk.length(box.bottom, 60, name="width")
    sk.length(box.left, 40)
    (rim,) = sk.offset(box, distance, name="rim")
    for d, width in ((5, 60), (8, 60), (8, 90)):
        rim.distance.value = d
        next(c for c in sk.constraints if c.name == "width").value = width
        assert sk.solve().is_fully_defined
        (ring,) = sk.regions()
        if distance > 0:
            assert ring.area == pytest.approx(2 * d * (width + 40) + math.pi * d * d, rel=1e-12)
        else:
            assert ring.area == pytest.approx(width * 40 - (width - 2 * d) * (40 - 2 * d), rel=1e-12)
    assert len(rim) == (8 if distance > 0 else 4)
    with pytest.raises(lw.SketchError, match=r"nothing is left of .* offset by -20.5"):
        sk.offset(box, -20.5)


def test_offset_follows_rounds_and_slots():
    """Arcs stay concentric and tangent; a rounded rectangle shrinks its rounds with it."""
    sk = lw.Sketch()
    slot = sk.slot(40, 10, center=sk.origin)
    sk.fix(slot.axis.start, slot.axis.end)
    sk.radius(slot.left, 5)
    for d in (3.0, -2.0):
        (rim,) = sk.offset([slot.upper, slot.left, slot.lower, slot.right], d)
        assert sk.solve().is_fully_defined
        assert {e.radius for e in rim if e.kind == "arc"} == {5 + d}
    box = sk.rectangle(30, 20, center=(0, 40), rounding=4, name="soft")
    sk.fix(*box.corners)
    (inner,) = sk.offset(box, -1.5)
    assert sk.solve().is_fully_defined
    assert sorted(e.kind for e in inner) == ["arc"] * 4 + ["line"] * 4
    assert {round(e.radius, 12) for e in inner if e.kind == "arc"} == {2.5}


def test_inward_offset_splits_and_vanishes():
    """A bar with a narrow waist falls into two chains, then into nothing."""
    sk = lw.Sketch()
    half = [(0, 0), (20, 0), (20, 8), (40, 8), (40, 0), (60, 0)]
    bar = sk.polyline([*half, *[(x, 20 - y) for x, y in reversed(half)]], close=True, name="bar")
    sk.fix(bar)
    polygon = shapely.Polygon([p.position for p in bar.vertices])
    for d, count in ((1.0, 1), (1.9, 1), (3.0, 2), (6.0, 2), (9.5, 2)):
        chains = sk.offset(bar, -d, construction=True)
        assert len(chains) == count
        assert sk.solve().is_fully_defined
        area = math.fsum(shapely.Polygon(outline(chain)).area for chain in chains)
        assert area == pytest.approx(polygon.buffer(-d, quad_segs=2000).area, rel=1e-5)
    with pytest.raises(lw.SketchError, match="nothing is left"):
        sk.offset(bar, -10.5)


@pytest.mark.parametrize("seed", range(40))
def test_random_chains_agree_with_fine_polygons(seed):
    """Star-shaped outlines of lines, in and out; every point of the result is at the distance."""
    random = np.random.default_rng(seed)
    count = int(random.integers(4, 10))
    turns = (np.arange(count) + random.uniform(-0.3, 0.3, count)) * math.tau / count
    reach = random.uniform(10, 30, count)
    sk = lw.Sketch()
    points = np.column_stack([reach * np.cos(turns), reach * np.sin(turns)])
    if seed % 2:
        points = points[::-1]
    chain = sk.polyline([tuple(p) for p in points.tolist()], close=True)
    sk.fix(chain)
    polygon = shapely.Polygon(points)
    for d in (random.uniform(0.5, 6), -random.uniform(0.5, 4)):
        grown = polygon.buffer(d, quad_segs=500)
        chains = sk.offset(chain, d, construction=True)
        report = sk.solve()
        assert report.conflicting == ()
        made = [shapely.Polygon(outline(c)) for c in chains]
        assert sum(p.area for p in made) == pytest.approx(grown.area, rel=1e-4)
        for made_polygon in made:
            gaps = [polygon.exterior.distance(shapely.Point(p)) for p in made_polygon.exterior.coords]
            assert max(abs(g - abs(d)) for g in gaps) < 1e-9


@pytest.mark.parametrize("distance", [4.0, -4.0])
def test_open_chain_to_its_left_and_right(distance):
    """Left of the first line's direction for a positive distance; ends stay level with the ends."""
    sk = lw.Sketch()
    path = sk.polyline([(0, 0), (30, 0), (30, 20), (50, 20)], name="path")
    sk.fix(path)
    (beside,) = sk.offset(path, distance, name="beside")
    assert sk.solve().is_fully_defined
    assert beside[0].start.position == pytest.approx((0, distance))
    assert beside[-1].end.position == pytest.approx((50, 20 + distance))
    assert sum(e.length for e in beside) == pytest.approx(70 - 4 - 4 + 2 * math.pi)
    assert [e.kind for e in beside].count("arc") == 1


def test_circles_arcs_and_refusals():
    """One circle or arc is a chain too; loose curves and ellipses are refused."""
    sk = lw.Sketch()
    circle, arc = sk.circle((50, 0), 10), sk.arc((0, 0), (10, 0), (0, 10))
    sk.fix(circle)
    sk.fix(arc)
    ((grown,),) = sk.offset(circle, 3)
    ((inner,),) = sk.offset(circle, -4)
    ((beside,),) = sk.offset(arc, 3)
    assert (grown.radius, inner.radius, beside.radius) == (13, 6, 7)
    assert sk.solve().is_fully_defined
    with pytest.raises(lw.SketchError, match="nothing is left"):
        sk.offset(circle, -11)
    with pytest.raises(lw.SketchError, match="one chain"):
        sk.offset([sk.line((0, 30), (5, 30)), sk.line((7, 30), (9, 30))], 1)
    with pytest.raises(lw.SketchError, match="no line or arc"):
        sk.offset(sk.ellipse((0, 60), 5, 3), 1)
