"""Rounds whose radius changes along an edge, and corners of three unlike radii."""

from __future__ import annotations

import math
from itertools import permutations

import numpy as np
import pytest
from scipy.integrate import quad

import lathwick as lw

from ..conftest import sound


def corner_area(growth):
    """Across a right corner, one away from where the radius is nothing: what lies between the faces and the
    cone that touches both, by quadrature of its equation in polar coordinates."""
    axis = np.array([1.0, growth, growth])
    share = 1 - (growth / np.linalg.norm(axis)) ** 2  # cosine of the half angle, squared

    def reach(angle):
        way = np.array([0.0, math.cos(angle), math.sin(angle)])
        start = np.array([1.0, 0.0, 0.0])
        cone = np.outer(axis, axis) - share * (axis @ axis) * np.eye(3)
        roots = np.roots([way @ cone @ way, 2 * way @ cone @ start, start @ cone @ start])
        return min(roots.real[roots.real > 0])

    return quad(lambda t: reach(t) ** 2 / 2, 1e-9, math.pi / 2 - 1e-9, epsabs=1e-12)[0]


@pytest.mark.parametrize("radii", [(2.0, 5.0), (5.0, 2.0), (0.5, 9.0), (1.0, 1.5)])
@pytest.mark.parametrize("convex", [True, False])
def test_radius_that_varies_along_an_edge(radii, convex, tmp_path, outside_check):
    """A cone; what it takes off, or fills in, is a slice of a cone over a section known by quadrature."""
    body = lw.box(40, 30, 20) if convex else lw.union(lw.box(40, 10, 30), lw.box(40, 30, 10))
    edge = body.edges().parallel(lw.X)[0] if convex else body.edges().concave()[0]
    made = lw.fillet(body, edge, radii, step="f")
    assert made.face("f/round").kind == "cone"
    growth = abs(radii[1] - radii[0]) / 40
    far, near = max(radii) / growth, min(radii) / growth
    expected = corner_area(growth) * (far**3 - near**3) / 3
    assert abs(made.volume - body.volume) == pytest.approx(expected, rel=1e-6)
    assert (made.volume < body.volume) is convex
    for end, radius in zip((edge.start, edge.end), radii, strict=True):
        ends = [p for e in made.edges() for p in e.brep.end_points()]
        assert min(math.dist(end, p) for p in ends) == pytest.approx(radius, rel=1e-9)
    if radii[0] > 1.5:
        sound(made, tmp_path, outside_check)


def quarter_disc():
    return lw.intersect(lw.cylinder(20, 10, step="disc"), lw.box(30, 30, 30, step="block"))


def removed_from_the_rim(start, end):
    """What balls with radii linear from start to end, along the rim of a quarter of a disc of radius 20,
    leave out: between the wall and the farthest that any ball reaches, at every angle and depth."""
    nodes, weights = np.polynomial.legendre.leggauss(100)

    def at(angle):
        u = np.linspace(angle - 0.1, angle + 0.1, 6001)
        r = start + (end - start) * u / (math.pi / 2)
        deepest = start + (end - start) * angle / (math.pi / 2)
        depth, share = deepest * 0.25 * (1 + nodes) ** 2, deepest * 0.5 * (1 + nodes) * weights
        along, off = (20 - r) * np.cos(u - angle), (20 - r) * np.sin(u - angle)
        room = r**2 - off**2 - (r - depth[:, None]) ** 2
        reach = np.where(room > 0, along + np.sqrt(np.maximum(room, 0)), 0)
        k = np.clip(reach.argmax(axis=1), 1, len(u) - 2)
        a, b, c = (reach[np.arange(len(depth)), k + j] for j in (-1, 0, 1))
        best = b + (a - c) ** 2 / np.maximum(8 * (2 * b - a - c), 1e-300)  # the top of the parabola
        return float((share * (400 - np.minimum(best, 20) ** 2) / 2).sum())

    angles, parts = np.polynomial.legendre.leggauss(16)
    return math.pi / 4 * sum(w * at(math.pi / 4 * (1 + x)) for x, w in zip(angles, parts, strict=True))


@pytest.mark.parametrize("radii", [(1.0, 2.0), (3.0, 1.0)])
def test_radius_that_varies_along_an_arc(radii, tmp_path, outside_check):
    body = quarter_disc()
    (edge,) = [e for e in body.edges("disc/top") if e.kind == "circle"]
    made = lw.fillet(body, edge, radii, step="f")
    turned = (lambda e: math.atan2(e[1], e[0]))(edge.start) > 0.1
    expected = removed_from_the_rim(*(radii[::-1] if turned else radii))
    assert body.volume - made.volume == pytest.approx(expected, rel=1e-6)
    sound(made, tmp_path, outside_check)


def corner_of(box, point):
    return [e for e in box.edges() if point in (e.start, e.end)]


def ball_law(points, radii):
    """How far points near the corner (20, 20, 20) are outside the balls that ease from one radius to another
    around a round of the largest, and which of them the balls alone decide."""
    first, second, largest = radii
    t = np.linspace(0, 1, 4001)
    r = first + (second - first) * (3 * t**2 - 2 * t**3)
    c, s = np.cos(t * math.pi / 2), np.sin(t * math.pi / 2)
    centers = 20 - np.column_stack([largest - (largest - r) * c, largest - (largest - r) * s, r])
    gaps = np.linalg.norm(points[:, None] - centers, axis=2) - r
    best = gaps.argmin(axis=1)
    off = points - centers[best]
    out = off[:, 0] * c[best] + off[:, 1] * s[best]
    return gaps.min(axis=1), (best > 0) & (best < 4000) & (out > 0) & (off[:, 2] > 0)


@pytest.mark.parametrize("radii", [(1.0, 2.0, 3.0), (2.0, 1.0, 4.0), (3.0, 1.0, 5.0)])
def test_corner_of_three_unlike_radii(radii, tmp_path, outside_check):
    """The largest goes first; around its end the radius changes from that of one edge to the other's."""
    box = lw.box(20, 20, 20)
    along_y, along_z, along_x = sorted(corner_of(box, (20.0, 20.0, 20.0)), key=lambda e: e.start)
    along = {"y": along_y, "x": along_x, "z": along_z}
    made = lw.fillet(box, [along[k] for k in "yxz"], radii, step="f")
    assert sorted(f.kind for f in made.faces("f/round")) == ["canal", "cylinder", "cylinder", "cylinder"]
    points = np.random.default_rng(1).uniform(20 - radii[2], 20, (800, 3))
    gaps, decided = ball_law(points, radii)
    chosen = decided & (np.abs(gaps) > 1e-5)
    assert chosen.sum() > 100
    assert ((gaps < 0) == made.contains(points))[chosen].all()
    sound(made, tmp_path, outside_check)


def test_order_of_unlike_radii_does_not_matter():
    box = lw.box(20, 20, 20)
    edges = corner_of(box, (20.0, 20.0, 20.0))
    volumes = [lw.fillet(box, edges, radii).volume for radii in permutations((1.0, 2.0, 3.0))]
    assert volumes == pytest.approx([volumes[0]] * 6, rel=1e-9)


@pytest.mark.parametrize("radii", [(4.0, 5.0, 6.0), (1.4, 1.7, 1.9), (1.0, 5.0, 5.5)])
def test_radii_that_have_no_room_at_the_corner_change_beside_it(radii, tmp_path, outside_check):
    """Around a round hardly larger than themselves they cannot; then the corner is a torus, and the smallest
    changes along the start of its own edge. Everything stays smooth."""
    box = lw.box(30, 30, 30)
    made = lw.fillet(box, corner_of(box, (30.0, 30.0, 30.0)), radii, step="f")
    kinds = sorted(f.kind for f in made.faces("f/round"))
    assert kinds == ["canal", "cylinder", "cylinder", "cylinder", "torus"]
    sharp = [e for e in made.edges() if abs(e.angle) > 1e-6]
    assert all(abs(e.angle - 90) < 1e-6 for e in sharp)
    sound(made, tmp_path, outside_check)


def test_twelve_unlike_radii(tmp_path, outside_check):
    box = lw.box(20, 20, 20)
    made = lw.fillet(box, list(box.edges()), [1 + 0.1 * k for k in range(12)])
    assert all(abs(e.angle) < 1e-6 for e in made.edges())
    sound(made, tmp_path, outside_check)


def test_two_selections_joined_by_an_edge_between():
    """Nothing is said of the arc between them: there the radius changes."""
    plate = lw.box(40, 30, 10, step="b")
    plate = lw.fillet(plate, plate.edges().parallel(lw.Z)[0], 8)
    lines = [e for e in plate.edges("b/top") if e.kind == "line" and min(map(abs, e.start[:2])) < 1e-9]
    ends = sorted(lines, key=lambda e: -e.length)[:2]
    made = lw.fillet(plate, [ends[0], ends[1]], (2, 3), step="f")
    assert made.is_valid and made.volume < plate.volume


def test_radii_that_cannot_vary():
    """Closed edges and chains, and radii for more than two ends."""
    pin = lw.cylinder(5, 10)
    with pytest.raises(lw.ModellingError, match="closed edge"):
        lw.fillet(pin, pin.edges()[0], (1, 2))
    plate = lw.box(40, 30, 10, step="b")
    plate = lw.fillet(plate, plate.edges().parallel(lw.Z), 5)
    with pytest.raises(lw.ModellingError, match="a chain that closes"):
        lw.fillet(plate, plate.edges("b/top")[0], (1, 2))
    box = lw.box(40, 30, 20)
    with pytest.raises(lw.ModellingError, match="two for its ends, got 3"):
        lw.fillet(box, box.edges()[0], (1, 2, 3))
    with pytest.raises(lw.ModellingError, match=r"radius 50 is too large.*largest that works is 40$"):
        lw.fillet(box, box.edges().parallel(lw.X)[0], (25, 50))


@pytest.mark.parametrize("radii", [(2.0, 25.0), (50.0, 2.0), (2.0, 200.0)])
def test_radius_that_grows_beyond_the_faces(radii):
    """The cone goes on to the next sides of the box; point by point."""
    box = lw.box(40, 30, 20)
    edge = next(e for e in box.edges() if e.distance_to((20, 0, 0)) < 1e-9)
    made = lw.fillet(box, edge, radii)
    first, last = radii if edge.start[0] < 1.0 else radii[::-1]
    slope = (last - first) / 40.0
    points = np.random.default_rng(3).random((20000, 3)) * (40.0, 30.0, 20.0)
    off = points + np.array([first / slope, 0.0, 0.0])  # from the tip of the cone
    axis = np.array([1.0, slope, slope]) * math.copysign(1.0, slope)
    cosines = off @ axis / np.linalg.norm(axis) / np.linalg.norm(off, axis=1)
    beside = np.arccos(np.clip(cosines, -1.0, 1.0)) > math.asin(abs(slope) / np.linalg.norm(axis))
    taken = beside & (off[:, 1] + off[:, 2] < abs(slope * off[:, 0]))
    assert (made.contains(points) == ~taken).all()


def stadium() -> lw.Body:
    """A block with two upright edges rounded: five edges of its top continue each other."""
    body = lw.box(60, 40, 20, step="p")
    uprights = [e for e in body.edges() if abs(e.end[2] - e.start[2]) > 1 and e.midpoint[0] > 30]
    return lw.fillet(body, uprights, 12)


@pytest.mark.parametrize("radii", [(1, 4), (3, 2)])
def test_a_radius_varies_along_a_chain(radii, tmp_path, outside_check):
    """It is linear, by length, from end to end; the parts continue each other and the faces smoothly, and
    run backwards they are the same."""
    body = stadium()
    first = next(e for e in body.edges("p/top") if e.kind == "line" and e.midpoint[1] < 1)
    made = lw.fillet(body, first, list(radii), step="r")
    rounds = made.faces("r/round")
    assert [face.kind for face in rounds].count("cone") == 3
    assert len(rounds) == 5
    for face in rounds:
        ends = [e for e in face.edges() if any("side:left" in n for f in e.faces for n in f.names)]
        assert all(edge.angle == 0.0 for edge in face.edges() if edge not in ends)
    length = sum(e.length for e in body.edges("p/top")) - 40
    about = (1 - math.pi / 4) * length * sum(a * b for a in radii for b in radii if a >= b) / 3
    assert body.volume - made.volume == pytest.approx(about, rel=0.03)
    mirrored = next(e for e in body.edges("p/top") if e.kind == "line" and e.midpoint[1] > 39)
    flipped = lw.fillet(
        body, mirrored, list(radii) if first.start[0] == mirrored.end[0] else list(radii)[::-1]
    )
    again = lw.fillet(body, first, list(radii)[::-1])
    assert {round(flipped.volume, 7), round(again.volume, 7)} == {round(made.volume, 7)}
    sound(made, tmp_path, outside_check)


def test_a_chain_that_closes_has_no_ends():
    sk = lw.Sketch(lw.XY)
    sk.rectangle(60, 40, center=(0, 0), rounding=8)
    body = lw.extrude(sk, 20, step="p")
    with pytest.raises(lw.ModellingError, match="cannot vary along a chain that closes"):
        lw.fillet(body, body.edges("p/end"), [1, 3])


@pytest.mark.parametrize("radii", [(5, 30), (2, 19)])
def test_radii_along_a_chain_that_do_not_fit_are_refused(radii):
    """In one line, with shares that work; and keeping to the chosen edges has no meaning along a chain."""
    body = stadium()
    first = next(e for e in body.edges("p/top") if e.kind == "line" and e.midpoint[1] < 1)
    with pytest.raises(lw.ModellingError, match=r"the largest that works is|all of them times") as refused:
        lw.fillet(body, first, list(radii))
    assert "\n" not in str(refused.value)
    with pytest.raises(lw.ModellingError, match="follow=False has no meaning"):
        lw.fillet(body, first, [1, 2], follow=False)
