"""Figures drawn across each other and trimmed: what is left shares its points and stays fully defined."""

import math

import pytest

import lathwick as lw

from ..trims import off


def area(sk: lw.Sketch) -> float:
    return math.fsum(region.area for region in sk.regions())


@pytest.mark.parametrize("seed", range(10))
def test_random_overlaps_trimmed_are_their_union(seed):
    """Lines, arcs and circles, trimmed in random order, against region arithmetic."""
    assert off(seed) < 1e-12


def touching_circles(trimmed: bool) -> tuple[lw.Sketch, list[object]]:
    """A cam of four circles that touch, and its dimensions."""
    sk = lw.Sketch()
    base, tip = sk.circle((0, 0.3), 10, name="base"), sk.circle((0.2, 14), 4, name="tip")
    sides = [sk.circle((x, 3), 30, name=name) for name, x in (("left", 19), ("right", -19))]
    sk.coincident(base.center, sk.origin)
    sk.on(tip.center, sk.y_axis)
    sizes = [sk.radius(base, 10), sk.radius(tip, 4), sk.distance(base.center, tip.center, 14)]
    sizes.append(sk.radius(sides[0], 30))
    sk.equal(*sides)
    for side in sides:
        sk.tangent(base, side)
        sk.tangent(tip, side)
    sk.solve()
    if trimmed:
        for side in sides:
            low, high = (
                math.atan2(c.center.y - side.center.y, c.center.x - side.center.x) for c in (base, tip)
            )
            past = 0.1 * math.remainder(high - low, math.tau)
            angles = [low + math.pi, high + past, low - past] if side is sides[0] else [low + math.pi]
            for t in angles:
                sk.trim(side, (side.center.x + 30 * math.cos(t), side.center.y + 30 * math.sin(t)))
        sk.trim(base, (0, 10))
        sk.trim(tip, (0, 10))
    return sk, sizes


def test_touching_circles_stay_defined_when_they_are_trimmed():
    """No freedom comes with the trims; every size changed and back gives the same area."""
    sk, sizes = touching_circles(trimmed=True)
    report = sk.solve()
    assert (report.freedom, report.redundant, report.near_singular) == (0, (), ())
    before = area(sk)
    one, two = 30 - 10, 30 - 4  # the sides of the triangle of the centers of a side, base and tip
    at_base = math.acos((one**2 + 14**2 - two**2) / (2 * one * 14))
    at_tip = math.acos((two**2 + 14**2 - one**2) / (2 * two * 14))
    sectors = at_base * 100 + at_tip * 16 + (math.pi - at_base - at_tip) * 900
    assert before == pytest.approx(sectors - one * 14 * math.sin(at_base), rel=1e-13)
    for size in sizes:
        value = size.value
        size.value = value * 1.5 if size is not sizes[0] else value * 0.5
        assert sk.solve().is_fully_defined
        assert abs(area(sk) / before - 1) > 1e-3
        size.value = value
        assert area(sk) == pytest.approx(before, rel=1e-12)


def test_a_touch_that_no_constraint_says_is_held_all_the_same():
    """The right half is only the mirror image of the left one, whose tangency is said."""
    sk = lw.Sketch()
    disc = sk.circle(sk.origin, 10, name="disc")
    sk.radius(disc, 10)
    left = sk.line((-10, 0), (-10, 20), name="left")
    sk.vertical(left)
    sk.tangent(left, disc)
    sk.on(left.start, sk.x_axis)
    sk.length(left, 20, name="tall")
    (right,) = sk.mirror(left, sk.y_axis)
    lid = sk.line(left.end, right.end, name="lid")
    assert set(sk.trim(disc, (0, 10))) == {left.start, right.start}
    assert sk.solve().is_fully_defined
    assert area(sk) == pytest.approx(400 + 50 * math.pi, rel=1e-13)
    assert lid.length == pytest.approx(20)


def test_trim_returns_the_points_that_are_shared():
    """A bump on a plate: its corners are named after both curves, and can be rounded."""
    sk = lw.Sketch()
    plate = sk.rectangle(60, 20, corner=sk.origin, name="plate")
    bump = sk.circle((30, 20), 10, name="bump")
    joints = sk.trim(plate.top, (30, 20))
    assert [p.name for p in joints] == ["plate.top & bump", "plate.top & bump.2"]
    assert set(sk.trim(bump, (30, 10))) == set(joints)
    assert area(sk) == pytest.approx(1200 + 50 * math.pi, rel=1e-13)
    arcs = sk.round(joints, 3)
    y, x = 3.0, math.sqrt(13**2 - 3**2)  # of an arc's center from the bump's
    lean = math.atan2(y, x)
    corner = x * y / 2 - 100 * lean / 2 - 9 * (math.pi / 2 - lean) / 2
    assert area(sk) == pytest.approx(1200 + 50 * math.pi + 2 * corner, rel=1e-12)
    assert len(arcs) == 2


def test_what_is_trimmed_already_is_said():
    sk = lw.Sketch()
    line = sk.line((0, 0), (30, 0), name="line")
    for x in (10, 20):
        sk.line((x, -5), (x, 5))
    sk.trim(line, (15, 0))
    with pytest.raises(lw.SketchError, match=r"line is trimmed away already at \(15, 0\)"):
        sk.trim(line, (15, 0.5))
    sk.trim(line, (5, 0))  # nothing crosses this piece any more: it goes whole
    assert [p.x for p in line.spans[0]] == [20, 30]
    with pytest.raises(lw.SketchError, match=r"nothing crosses line there, .* remove\(line\)"):
        sk.trim(line, (25, 0))
    with pytest.raises(lw.SketchError, match="is not crossed; trimming a closed curve needs two places"):
        sk.trim(sk.circle((50, 50), 3), (53, 50))


def test_a_trimmed_circle_is_mirrored_as_it_is():
    """A circle keeps its sense in a mirror: its span must be turned round."""
    sk = lw.Sketch()
    ring = sk.circle((10, 0), 8, name="ring")
    wall = sk.line((10, -9), (10, 9), name="wall")
    sk.trim(ring, (2, 0))
    for y in (8.5, -8.5):
        sk.trim(wall, (10, y))
    half = 32 * math.pi
    assert area(sk) == pytest.approx(half, rel=1e-13)
    sk.mirror([ring, wall], sk.y_axis)
    assert [region.centroid[0] > 0 for region in sk.regions()] == [True, False]
    assert area(sk) == pytest.approx(2 * half, rel=1e-13)


def test_straight_joints_have_no_corner():
    sk = lw.Sketch()
    chain = sk.polyline([(0, 0), (10, 0), (20, 0), (20, 10)], name="edge")
    with pytest.raises(lw.SketchError, match=r"edge\.1 and edge\.2 run straight on at \(10, 0\)"):
        sk.round(chain[0].end, 2)
    with pytest.raises(lw.SketchError, match="run straight on"):
        sk.bevel(chain[0].end, 2)


def test_corners_of_half_a_side():
    """Two rounds may just use up a side; driven apart again it comes back."""
    sk = lw.Sketch()
    box = sk.rectangle(20, 6, center=sk.origin, rounding=3, name="bar")
    sk.length(box.bottom, 20)
    tall = sk.length(box.left, 6)
    assert area(sk) == pytest.approx(14 * 6 + 9 * math.pi, rel=1e-13)
    assert len(lw.extrude(sk.regions(), 2).faces()) == 2 + 2 + 4
    tall.value = 8
    assert area(sk) == pytest.approx(160 - (4 - math.pi) * 9, rel=1e-13)


def test_mirror_about_a_point():
    """Half a shape of two-fold symmetry, turned about the middle; its sizes drive both halves."""
    sk = lw.Sketch()
    half = sk.polyline([(-10, -3), (10, -3), (10, 0), (14, 0), (14, 3), (10, 3)], name="half")
    for line in half:
        (sk.horizontal if line.start.y == line.end.y else sk.vertical)(line)
    images = sk.mirror(half, sk.origin)
    assert [e.name for e in images][:2] == ["half.1.mirror", "half.2.mirror"]
    assert images[0].start.position == (10, 3)
    assert images[0].start is not half[-1].end
    sk.coincident(images[0].start, half[-1].end)
    assert area(sk) == pytest.approx(20 * 6 + 2 * 4 * 3)


def test_a_share_of_a_chain():
    """A point at a share of the way around a rectangle follows when its sides change."""
    sk = lw.Sketch()
    box = sk.rectangle(10, 4, corner=(0, 0), name="box")
    sk.fix(box.corners[0])
    wide = sk.length(box.bottom, 10)
    sk.length(box.left, 4)
    point = sk.point_on(box, ratio=0.3)
    assert sk.solve().is_fully_defined
    assert point.position == pytest.approx((8.4, 0))
    wide.value = 2
    sk.solve()
    assert point.position == pytest.approx((2, 1.6))  # 0.3 * 12 of the way
    with pytest.raises(lw.SketchError, match="a chain of lines such as box a point needs a ratio"):
        sk.point_on(box, parameter=0.5)


def test_several_are_fixed_at_once():
    sk = lw.Sketch()
    arc = sk.arc((0, 0), (5, 0), (0, 5))
    sk.fix(sk.circle((1, 2), 3), arc, sk.line(arc.end, (7, 7)), sk.rectangle(3, 2, center=(20, 20)))
    assert sk.solve().is_fully_defined


def test_what_is_missing_is_told_by_figure():
    sk = lw.Sketch()
    plate = sk.rectangle(60, 40, center=sk.origin, name="plate")
    slot = sk.slot(20, 6, name="slot")
    sk.coincident(slot.center, sk.origin)
    sk.length(plate.bottom, 60)
    told = str(sk.solve())
    assert told == (
        "4 degrees of freedom left in plate (its height), slot (its length, its width, its angle)"
    )


def test_text_fits_and_is_centered():
    """The base line is as long as asked; a capital is centered upright; the extent is that of the region."""
    sk = lw.Sketch()
    text = sk.text("HIH", 10, at=(5, 3), align="center", level="middle", fit=12)
    assert text.width == pytest.approx(12)
    (x0, y0), (x1, y1) = text.extent
    assert (y0 + y1) / 2 == pytest.approx(3)
    assert y1 - y0 == pytest.approx(text.height)
    low, high = lw.extrude(sk.regions(), 1).bounds
    assert (x0, y0, x1, y1) == pytest.approx((*low[:2], *high[:2]))
    assert sk.text("I", 10, fit=50, at=(40, 0)).height == 10
    with pytest.raises(lw.SketchError, match="text is level with its base, middle, top"):
        sk.text("I", 10, level="bottom")


def test_entities_of_another_sketch_are_refused():
    sk, other = lw.Sketch(), lw.Sketch()
    strange = other.line((0, 0), (1, 1), name="strange")
    line = sk.line((0, 0), (5, 0))
    for call in (
        lambda: sk.mirror([line, strange], sk.y_axis),
        lambda: sk.trim(strange, (0, 0)),
        lambda: sk.copies(strange, 3, dx=2),
    ):
        with pytest.raises(lw.SketchError, match="strange belongs to another sketch"):
            call()


def test_curves_that_part_say_so():
    """A trimmed circle that shrinks away from its wall: the last change and both curves are named."""
    sk = lw.Sketch()
    wall = sk.line((5, -20), (5, 20), name="wall")
    disc = sk.circle(sk.origin, 8, name="disc")
    sk.fix(wall)
    size = sk.radius(disc, 8, name="size")
    sk.trim(disc, (8, 0))
    size.value = 4
    with pytest.raises(lw.SketchError, match=r"disc and wall do not meet any more .* size = 4 was the last"):
        sk.regions()
    size.value = 10
    sk.trim(wall, (5, 19))
    sk.trim(wall, (5, -19))
    half = math.acos(0.5)
    assert area(sk) == pytest.approx(
        100 * math.pi - 100 * (half - math.sin(half) * math.cos(half)), rel=1e-13
    )


def test_relations_are_drawn_from_what_is_drawn():
    """A rough outline in a drawing block needs only its sizes."""
    sk = lw.Sketch()
    with sk.drawing(infer=0.5):
        edge = sk.polyline([(0.2, -0.1), (40, 0.3), (40.1, 10.2), (0.1, 9.8)], close=True)
    assert sk.solve().freedom == 2
    sk.length(edge[0], 42)
    sk.length(edge[1], 12)
    assert sk.solve().is_fully_defined
    assert area(sk) == pytest.approx(504)
    assert edge[0].start.position == (0, 0)
    disc = sk.circle((20, 15.2), 3, name="disc")
    (touch,) = [p for p in sk.infer(0.5) if p.kind == "tangent"]
    assert str(touch).endswith("disc), off by 0.2 mm")
    assert touch.entities == (edge[2], disc)
