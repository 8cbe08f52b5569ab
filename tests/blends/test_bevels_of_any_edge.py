"""Bevels of edges that are neither straight nor round: ruled faces, and what is done with them."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.integrate import quad

import lathwick as lw

from ..conftest import sound
from ..mechanical import PARTS

SIZE = 0.5


def bored_ball():
    """A ball with a bore beside its middle."""
    bore = lw.cylinder(4, 30, on=lw.Plane((3, 0, -15), (0, 0, 1)), step="bore")
    return lw.cut(lw.sphere(10, step="ball"), bore)


def crossing_tubes():
    main = lw.cylinder(10, 40, on=lw.Plane((0, 0, -20), (0, 0, 1)), step="main")
    return lw.union(main, lw.cylinder(6, 25, on=lw.Plane((0, 0, 0), (1, 0, 0)), step="bore"))


def drilled_shaft():
    shaft = lw.cylinder(10, 40, step="shaft")
    return lw.cut(shaft, lw.cylinder(4, 30, on=lw.Plane((0, -15, 20), (0, 1, 0)), step="bore"))


def leaning_pin():
    pin = lw.cylinder(5, 40, on=lw.Plane((20, 20, 10), (0.3, 0, 1)), step="bore")
    return lw.union(lw.box(40, 40, 20, step="block"), pin)


def slotted_shaft():
    slot = lw.box(30, 30, 10, on=lw.Plane((0, -15, 20), (0.3, 0, 1)), step="bore")
    return lw.cut(lw.cylinder(10, 40, step="shaft"), slot)


MAKERS = [bored_ball, crossing_tubes, drilled_shaft, leaning_pin, slotted_shaft]


def curved(body):
    """Edges where the two bodies meet that are no lines or circles."""
    first = next(face.step for face in body.faces() if face.step != "bore")
    return [e for e in body.edges("bore", first) if e.kind in ("spline", "ellipse")]


def bevelled(body, **sizes):
    return lw.chamfer(body, curved(body), SIZE, step="c", **sizes)


def at_setback(edge, contacts, point, tangent):
    """Of the points of curves in the plane across an edge the distances from it, the nearest first."""
    found = []
    for contact in contacts:
        t = np.linspace(contact.brep.t0, contact.brep.t1, 4001)
        points = contact.brep.curve.points(t)
        off = (points - point) @ tangent
        for k in np.flatnonzero(off[:-1] * off[1:] <= 0):
            share = off[k] / (off[k] - off[k + 1])
            found.append(math.dist(point, (1 - share) * points[k] + share * points[k + 1]))
    return sorted(found)


@pytest.mark.parametrize("make", MAKERS)
def test_both_borders_are_at_the_size_from_the_edge(make, tmp_path, outside_check):
    body = make()
    made = bevelled(body)
    bevels = made.faces("c/bevel")
    assert {face.kind for face in bevels} == {"ruled"}
    contacts = [e for face in bevels for e in face.edges() if any(f.step != "c" for f in e.faces)]
    for edge in curved(body):
        for share in (0.3, 0.55, 0.8):
            t = edge.brep.t0 + share * (edge.brep.t1 - edge.brep.t0)
            point, tangent = edge.brep.curve.point(t), np.array(edge.brep.curve.tangent(t))
            assert at_setback(edge, contacts, point, tangent)[:2] == pytest.approx([SIZE] * 2, abs=1e-5)
    assert (made.volume < body.volume) is (curved(body)[0].is_convex is True)
    sound(made, tmp_path, outside_check)


def test_two_sizes_and_an_angle():
    """On the first face the size is kept; the second lies as far as told, or as the angle says."""
    body = drilled_shaft()
    edges = curved(body)
    volumes = [lw.chamfer(body, edges, SIZE, size2).volume for size2 in (0.25, 0.5, 1.0)]
    assert body.volume > volumes[0] > volumes[1] > volumes[2]
    assert lw.chamfer(body, edges, SIZE, SIZE).volume == lw.chamfer(body, edges, SIZE).volume
    steep, flat = (lw.chamfer(body, edges, SIZE, angle=angle).volume for angle in (60, 30))
    assert steep < volumes[1] < flat


def test_area_and_volume_of_a_bevel_by_quadrature():
    """Round a leaning pin: triangles across the ellipse, whose middles move by their own way along it."""
    body = leaning_pin()
    (edge,) = curved(body)
    made = bevelled(body)
    t = np.linspace(0, math.tau, 4001)[:-1]
    points, ways = edge.brep.curve.points(t), edge.brep.curve.derivatives(t)
    ways = ways / np.linalg.norm(ways, axis=1)[:, None]
    out = np.cross(ways, (0.0, 0.0, 1.0))
    out *= np.sign(((points - points.mean(axis=0)) * out).sum(axis=1))[:, None]
    feet = points + SIZE * out
    axis = np.array([0.3, 0, 1]) / math.hypot(0.3, 1)
    base = np.array([20.0, 20.0, 10.0])

    def on_pin(p):
        off = p - base
        radial = off - (off @ axis)[:, None] * axis
        return base + (off @ axis)[:, None] * axis + 5 * radial / np.linalg.norm(radial, axis=1)[:, None]

    ups = np.column_stack([np.zeros((len(t), 2)), np.ones(len(t))])
    high = points + SIZE * ups
    for _ in range(60):  # straight across the edge, on the pin, at the size
        high = on_pin(high)
        high -= (((high - points) * ways).sum(axis=1))[:, None] * ways
        high = points + SIZE * (high - points) / np.linalg.norm(high - points, axis=1)[:, None]
    corners = [points, feet, on_pin(high)]
    prisms = 0.0
    for k in range(60):  # thin slices from the plane to the bevel, bounded by the pin
        low, top = k / 60, (k + 1) / 60
        arcs = [on_pin((1 - s) * corners[0] + s * corners[2]) for s in (low, top)]
        slants = [(1 - s) * corners[1] + s * corners[2] for s in (low, top)]
        prisms += quads(arcs[0], slants[0], slants[1], arcs[1])
    assert made.volume - body.volume == pytest.approx(prisms, rel=1e-4)


def quads(a, b, c, d):
    """The volume of the ring of which quadrilaterals a, b, c, d, each (N, 3), are the sections."""
    middle = (a + b + c + d) / 4
    area = (np.cross(b - a, c - a) + np.cross(c - a, d - a)) / 2
    step = (np.roll(middle, -1, axis=0) - np.roll(middle, 1, axis=0)) / 2
    return abs((area * step).sum())


@pytest.mark.parametrize("make", [drilled_shaft, slotted_shaft])
def test_a_bevelled_body_is_moved_mirrored_and_cut(make, tmp_path, outside_check):
    made = bevelled(make())
    turned = lw.turn(made, 30, lw.Axis((0, 0, 0), (0, 0, 1)))
    moved = lw.mirror(turned, lw.Plane((0, 0, 0), (1, 0.2, 0)), keep=False)
    assert moved.volume == pytest.approx(made.volume, rel=1e-12)
    half = lw.box(40, 40, 60, on=lw.Plane((0, -20, -10), (0, 0, 1)))
    kept, rest = lw.intersect(made, half), lw.cut(made, half)
    assert kept.volume + rest.volume == pytest.approx(made.volume, rel=1e-9)
    sound(rest, tmp_path, outside_check)


def test_points_are_inside_or_outside_of_a_bevelled_body():
    """What is taken off lies within the size of the edge, and all that is nearer than the bevel is taken."""
    body = drilled_shaft()
    made = bevelled(body)
    edge = curved(body)[0]
    rng = np.random.default_rng(3)
    t = rng.uniform(edge.brep.t0, edge.brep.t1, 1500)
    points = edge.brep.curve.points(t) + rng.uniform(-0.5, 0.5, (1500, 3))
    before, after = body.contains(points), made.contains(points)
    off = np.array([edge.distance_to(tuple(p)) for p in points.tolist()])
    assert not (after & ~before).any()
    assert (off[before & ~after] < SIZE).all()
    assert not after[off < 0.25].any()
    assert (before & ~after).sum() > 100


def test_too_large_a_bevel_names_the_largest():
    body = drilled_shaft()
    with pytest.raises(lw.ModellingError, match="largest that works is"):
        lw.chamfer(body, curved(body), 12)


@pytest.mark.parametrize("make", PARTS)
def test_all_edges_of_mechanical_parts_in_one_step(make, tmp_path, outside_check):
    body = make()
    edges = [edge for edge in body.edges() if abs(edge.angle) > 1e-6]
    made = lw.chamfer(body, edges, 0.8, step="c")
    assert made.faces("c/bevel")
    sound(made, tmp_path, outside_check)


def lens(one: float, two: float, apart: float = 13.0) -> float:
    """Area that two circles have in common."""
    x = (apart**2 + one**2 - two**2) / (2.0 * apart)
    segments = ((one, x), (two, apart - x))
    return sum(r * r * math.acos(h / r) - h * math.sqrt(r * r - h * h) for r, h in segments)


def test_rim_and_foot_that_share_the_face_between_them(tmp_path, outside_check):
    """Of two posts that run into each other, the shorter hangs above the floor: the rim of its underside is
    bevelled first, then the foot of the taller, which ends at that bevel continued."""
    hung = lw.cylinder(8, 8, on=lw.Plane((13, 0, 2), (0, 0, 1)), step="hung")
    body = lw.union(lw.cylinder(12, 10, step="tall"), hung)
    under = body.face("hung/bottom").edges()
    made = lw.chamfer(body, under, 0.5)

    def rim(z: float) -> float:
        return math.pi * 64 - lens(12, 8) - (math.pi * (z + 5.5) ** 2 - lens(12, z + 5.5))

    def foot(z: float) -> float:
        return lens(10.5 + z, z + 5.5) - lens(12, z + 5.5)

    taken = quad(rim, 2, 2.5, epsabs=1e-12)[0] - quad(foot, 1.5, 2, epsabs=1e-12)[0]
    assert body.volume - made.volume == pytest.approx(taken, abs=1e-8)
    sound(made, tmp_path, outside_check)
    sound(lw.chamfer(body, body.edges(), 0.5), tmp_path, outside_check)
