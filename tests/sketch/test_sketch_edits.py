"""Edits: the profile changes, the constraints keep their meaning."""

import math

import pytest

import lathwick as lw


def area(sk: lw.Sketch) -> float:
    return math.fsum(region.area for region in sk.regions())


def plate(width: float = 60, height: float = 40) -> tuple[lw.Sketch, object]:
    sk = lw.Sketch()
    box = sk.rectangle(width, height, center=sk.origin, name="plate")
    sk.length(box.bottom, width, name="width")
    sk.length(box.left, height, name="height")
    return sk, box


def test_rounded_corners_share_one_radius_and_keep_the_dimensions():
    """The sides stay as long as they were dimensioned; one value drives all corners."""
    sk, box = plate()
    arcs = sk.round(box.corners, 6, name="soft")
    assert sk.solve().is_fully_defined
    assert area(sk) == pytest.approx(2400 - (4 - math.pi) * 36, rel=1e-13)
    assert [arc.name for arc in arcs] == ["soft.1", "soft.2", "soft.3", "soft.4"]
    assert box.bottom.length == 60
    (radius,) = [c for c in sk.constraints if c.name == "soft"]
    radius.value = 10
    (width,) = [c for c in sk.constraints if c.name == "width"]
    width.value = 80
    assert area(sk) == pytest.approx(3200 - (4 - math.pi) * 100, rel=1e-13)
    body = lw.extrude(sk.regions(), 3, step="tag")
    assert len(body.faces("tag/side:soft").cylindrical()) == 4
    assert all(edge.is_convex is None for edge in body.edges().parallel(lw.Z))


@pytest.mark.parametrize("inner", [True, False])
def test_round_of_a_line_and_an_arc(inner):
    """The arc touches both smoothly: lengths and angles at its ends say so."""
    sk = lw.Sketch()
    arc = sk.arc((0, 0), (10, 0), (-10, 0), name="dome")
    line = sk.line(arc.end, arc.start, name="base")
    sk.fix(arc)
    soft = sk.round(line.end if inner else line.start, 2)
    assert sk.solve().is_fully_defined
    assert math.dist(soft.center.position, (0, 0)) == pytest.approx(8)
    assert abs(soft.center.y) == pytest.approx(2)
    body = lw.extrude(sk.regions(), 1)
    smooth = [e for e in body.edges().parallel(lw.Z) if e.is_convex is None]
    assert len(smooth) == 2


def test_radius_that_does_not_fit_tells_the_largest():
    """The refusal names the corner, its curves and the largest radius; that one works."""
    sk, box = plate(10, 8)
    words = r"radius 9 is too large at the corner \(-5, -4\) of plate.bottom and plate.left; at most 8 fits"
    with pytest.raises(lw.SketchError, match=words):
        sk.round(box.corners[0], 9)
    sk.round(box.corners[0], 8)
    assert area(sk) == pytest.approx(80 - (1 - math.pi / 4) * 64)


def test_rounds_that_eat_a_line_up_are_refused_by_name():
    """Driven too far, two rounds leave nothing of the line between them."""
    sk, box = plate(10, 8)
    sk.round(box.corners, 3, name="soft")
    next(c for c in sk.constraints if c.name == "soft").value = 4.5
    with pytest.raises(lw.SketchError, match=r"nothing is left of plate"):
        sk.regions()


def test_bevel_cuts_both_sides_alike():
    """A bevel of a right corner, and one of a slanted corner, by the corner's own geometry."""
    sk, box = plate()
    sk.bevel(box.corners[2], 5, name="nose")
    assert sk.solve().is_fully_defined
    assert area(sk) == pytest.approx(2400 - 12.5)
    with pytest.raises(lw.SketchError, match=r"does not fit on plate\.bottom, which has 60"):
        sk.bevel(box.corners[0], 70)
    with pytest.raises(lw.SketchError, match=r"at \(30, 20\) there end none"):
        sk.round(box.corners[2], 1)


def test_trim_of_two_circles_leaves_their_outline():
    """Trimming the inner parts leaves the union; the cuts follow when a circle moves."""
    sk = lw.Sketch()
    left, right = sk.circle((0, 0), 10, name="left"), sk.circle((12, 0), 10, name="right")
    sk.coincident(left.center, sk.origin)
    sk.on(right.center, sk.x_axis)
    pitch = sk.distance_x(sk.origin, right.center, 12)
    sk.radius(left, 10)
    sk.equal(left, right)
    sk.trim(left, (9, 0))
    sk.trim(right, (3, 0))
    assert sk.solve().is_fully_defined
    for d in (12, 15):
        pitch.value = d
        lens = 200 * math.acos(d / 20) - d / 2 * math.sqrt(400 - d * d)
        assert area(sk) == pytest.approx(200 * math.pi - lens, rel=1e-12)


def test_trim_of_a_line_in_its_middle_and_at_its_end():
    """A line over a slot loses its middle; one beyond a wall loses its end."""
    sk = lw.Sketch()
    sk.polyline([(4, 0), (4, -3), (7, -3), (7, 0)], name="slot")
    top = sk.line((-2, 0), (10, 0), name="top")
    sk.polyline([(10, 0), (10, 5), (0, 5), (0, -1)], name="rest")
    sk.trim(top, (5, 0))
    sk.trim(top, (-1, 0))
    wall = sk["rest"].lines[2]
    sk.trim(wall, (0, -0.5))
    assert area(sk) == pytest.approx(50 + 9)
    assert len(lw.extrude(sk.regions(), 1, step="bar").faces("bar/side:top")) == 2
    with pytest.raises(lw.SketchError, match="nothing crosses"):
        sk.trim(sk.line((20, 0), (30, 0), name="far"), (25, 0))


def test_extend_meets_the_next_curve():
    """A short line grows to the circle and stays on it when the circle grows."""
    sk = lw.Sketch()
    ring = sk.circle((0, 0), 10, construction=False)
    sk.coincident(ring.center, sk.origin)
    size = sk.radius(ring, 10)
    line = sk.line((-2, 6), (3, 6))
    sk.fix(line)
    right = sk.extend(line, (3, 6))
    left = sk.extend(line, (-2, 6))
    assert right.position == pytest.approx((8, 6))
    assert left.position == pytest.approx((-8, 6))
    size.value = 12
    sk.solve()
    assert right.position == pytest.approx((math.sqrt(108), 6))
    with pytest.raises(lw.SketchError, match="meets nothing"):
        sk.extend(sk.line((40, 0), (41, 0)), (41, 0))


def test_split_gives_two_faces():
    """A divided side makes two faces that both answer to its name; the point can be dimensioned."""
    sk, box = plate()
    point = sk.split(box.bottom, (10, -20))
    assert sk.solve().freedom == 1
    sk.distance(box.bottom.start, point, 25)
    assert sk.solve().is_fully_defined
    body = lw.extrude(sk.regions(), 2, step="tag")
    assert sorted(f.area for f in body.faces("tag/side:plate.bottom")) == pytest.approx([50, 70])


def test_mirrored_half_follows_the_other():
    """Half an outline mirrored about an axis it ends on: one loop, driven by the half's dimensions."""
    sk = lw.Sketch()
    half = sk.polyline([(0, 0), (30, 0), (30, 10), (12, 10)], name="half")
    dome = sk.arc_through(half.lines[-1].end, (9, 18), (0, 22), name="dome")
    sk.coincident(half.lines[0].start, sk.origin)
    for i, line in enumerate(half):
        (sk.vertical if i == 1 else sk.horizontal)(line)
    sk.on(dome.center, sk.y_axis)
    sk.on(dome.end, sk.y_axis)
    sk.distance_y(sk.origin, dome.center, 10)
    base = sk.length(half.lines[0], 30)
    sk.length(half.lines[1], 10)
    sk.radius(dome, 12)
    sk.mirror([half, dome], sk.y_axis)
    report = sk.solve()
    assert (report.freedom, report.redundant) == (0, ())
    assert area(sk) == pytest.approx(600 + 72 * math.pi, rel=1e-12)
    base.value = 35
    assert area(sk) == pytest.approx(700 + 72 * math.pi, rel=1e-12)
    (region,) = sk.regions()
    assert region.centroid[0] == pytest.approx(0, abs=1e-12)
    body = lw.extrude(sk.regions(), 2, step="foot")
    assert len(body.faces("foot/side:dome")) == 1  # a whole, not two halves; it answers to both names
    assert len(body.faces("foot/side:dome.mirror")) == 1
    assert len(body.faces()) == 2 + 6


@pytest.mark.parametrize("turned", [False, True])
def test_copies_stay_copies(turned):
    """Bolt holes in a row or a ring follow the first one; all are fully defined by it."""
    sk = lw.Sketch()
    sk.circle(sk.origin, 40)
    sk.radius(sk["circle1"], 40)
    hole = sk.circle((25, 0), 3, name="bolt")
    sk.on(hole.center, sk.x_axis)
    reach = sk.distance_x(sk.origin, hole.center, 25)
    size = sk.diameter(hole, 6)
    if turned:
        (*_, last) = sk.copies(hole, 6, about=sk.origin)
    else:
        (*_, last) = sk.copies(hole, 3, dx=-20, dy=5)
    assert sk.solve().is_fully_defined
    size.value, reach.value = 8, 30
    (region,) = sk.regions()
    count = 6 if turned else 3
    assert len(region.holes) == count
    assert region.area == pytest.approx(math.pi * (1600 - 16 * count), rel=1e-13)
    expected = (15, -30 * math.sin(math.pi / 3)) if turned else (-10, 10)
    assert last[0].center.position == pytest.approx(expected, abs=1e-12)
    assert last[0].name == f"bolt.{count}"


def test_ring_over_part_of_a_turn():
    """Over less than a full turn the last copy stands at the angle."""
    sk = lw.Sketch()
    arm = sk.line((5, 0), (10, 0), name="arm")
    copies = sk.copies(arm, 4, about=sk.origin, angle=90)
    assert copies[-1][0].end.position == pytest.approx((0, 10), abs=1e-12)
    with pytest.raises(lw.SketchError, match="a count of 2 to 10000, got 1"):
        sk.copies(arm, 1, dx=3)
    with pytest.raises(lw.SketchError, match="need a distance"):
        sk.copies(arm, 3)


def test_corners_of_whole_figures():
    """A rectangle, a polygon, an open and a closed polyline, rounded and bevelled at all their corners."""
    sk = lw.Sketch(lw.XY)
    sk.round(sk.rectangle(30, 20), 4)
    assert area(sk) == pytest.approx(600 - (4 - math.pi) * 16, rel=1e-11)
    sk = lw.Sketch(lw.XY)
    cut = sk.bevel(sk.rectangle(30, 20), 3)
    assert len(cut) == 4
    assert area(sk) == pytest.approx(600 - 4 * 4.5, rel=1e-11)
    sk = lw.Sketch(lw.XY)
    closed = sk.polyline([(0, 0), (30, 0), (30, 20)], close=True)
    assert len(sk.round(closed, 1)) == 3
    sk = lw.Sketch(lw.XY)
    assert len(sk.round(sk.polyline([(0, 0), (30, 0), (30, 20), (0, 40)]), 2)) == 2
    with pytest.raises(
        lw.SketchError, match=r"corner takes a point or a list of points or a polyline, got \[3\]"
    ):
        sk.round([3], 2)


def test_a_corner_of_three_curves_needs_to_be_told_which():
    sk = lw.Sketch(lw.XY)
    base = sk.polyline([(0, 0), (20, 0), (20, 20)])
    rib = sk.line(base[0].end, (35, -10))
    with pytest.raises(lw.SketchError, match=r"there end .*; say which two with between=\(a, b\)"):
        sk.round(base[0].end, 2)
    with pytest.raises(lw.SketchError, match="between is two curves that end at"):
        sk.round(base[0].end, 2, between=(rib, rib))
    arc = sk.round(base[0].end, 2, between=(base[0], base[1]))
    assert arc.center.position == pytest.approx((18, 2), abs=1e-12)


def test_the_largest_radius_named_works():
    """It is rounded down, never up to the one that was refused."""
    for width in (5.0, 7.0, 10 / 3):
        sk = lw.Sketch(lw.XY)
        corner = sk.polyline([(0, 0), (width, 0), (width, 40)])[0].end
        with pytest.raises(lw.SketchError, match="is too large") as refusal:
            sk.round(corner, 1.1 * width)
        named = float(str(refusal.value).split("at most ")[1].split(" ")[0])
        assert 0.99999 * width < named < 1.1 * width
        sk.round(corner, named)


def test_places_are_free_of_rounding():
    error = lw.SketchError("it crosses at (-2.8e-17, 4.25) and (1e-5, -0)")
    assert str(error) == "it crosses at (0, 4.25) and (1e-5, 0)"


def test_remove():
    """An entity goes with its own points and what hangs on them; what others have stays; freedom counts."""
    sk = lw.Sketch(lw.XY)
    box = sk.rectangle(10, 8, center=(0, 0))
    hole = sk.circle((1, 1), 2)
    sk.radius(hole, 2, name="bore")
    sk.distance(hole.center, sk.origin, 1.5, name="off")
    before = sk.solve().freedom
    assert set(sk.remove(hole)) == {"bore", "off"}
    assert sk.solve().freedom == before - 1  # of its three, two were held
    assert area(sk) == pytest.approx(80)
    with pytest.raises(lw.SketchError, match="it is removed already"):
        sk.remove(hole)
    with pytest.raises(lw.SketchError, match="it is given"):
        sk.remove(sk.x_axis)
    chain = sk.polyline([(20, 0), (30, 0), (30, 10)])
    pin = sk.point((40, 5), name="pin")
    rod = sk.line(pin, (50, 5), name="rod")
    with pytest.raises(lw.SketchError, match="pin is a point of rod; remove that first"):
        sk.remove(pin)
    assert sk.remove(rod) == ()  # the point was there before it
    sk.remove(pin)
    sk.remove(chain[0])
    assert chain[1].start.position == (30, 0)
    sk.remove(chain[1])
    sk.remove(box)
    assert [e.name for e in sk.entities] == []
    assert sk.solve().freedom == 0


def test_a_piece_between_two_points_is_removed():
    sk = lw.Sketch(lw.XY)
    line = sk.line((0, 0), (30, 0))
    with pytest.raises(lw.SketchError, match="in one piece"):
        sk.remove(line, near=(5, 0))
    sk.split(line, (10, 0))
    sk.split(line, (20, 0))
    sk.remove(line, near=(15, 0))
    assert [round(a.position[0]) for span in line.spans for a in span] == [0, 10, 20, 30]
