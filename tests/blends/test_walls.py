"""Shells whose walls meet where the faces of the body do not: bevels that vanish, holes near a side.

What is inside is told by half spaces, circles and lines alone, and its volume by the convex hull of their
corners (Barber, Dobkin & Huhdanpaa 1996), or by polygons of many sides.
"""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
import pytest
import shapely
from scipy.spatial import ConvexHull, HalfspaceIntersection, cKDTree

import lathwick as lw

from ..conftest import sound
from ..curved_parts import oval, splined
from ..rounded_unions import random_union


def hull_volume(normals: np.ndarray, levels: np.ndarray) -> float:
    """Volume of the points p with normals @ p <= levels for all rows; the origin is one of them."""
    rows = np.column_stack([normals, -levels])
    return ConvexHull(HalfspaceIntersection(rows, np.zeros(3)).intersections).volume


def rock(seed: int) -> tuple[lw.Body, np.ndarray, np.ndarray]:
    """A block about the origin with corners and edges cut off at random, its planes' normals and levels."""
    rng = np.random.default_rng(seed)
    body = lw.box(*rng.uniform(8, 20, 3), center=True, step="b")
    for _ in range(rng.integers(2, 7)):
        way = rng.normal(size=3) if rng.random() < 0.5 else np.append(rng.normal(size=2), 0.0)
        way /= np.linalg.norm(way)
        reach = max(float(way @ v.point) for v in body.vertices())
        plane = lw.Plane(tuple(way * reach * rng.uniform(0.75, 0.97)), tuple(way))
        body = min(lw.separate(lw.split(body, plane)), key=lambda b: float(way @ b.centroid))
    faces = body.faces()
    normals = np.array([face.normal for face in faces])
    levels = np.array([float(np.dot(face.normal, face.brep.surface.frame.origin)) for face in faces])
    return body, normals, levels


@pytest.mark.parametrize("seed", range(24))
def test_a_shell_of_a_convex_body_is_what_its_moved_planes_leave(seed, tmp_path, outside_check):
    body, normals, levels = rock(seed)
    assert body.volume == pytest.approx(hull_volume(normals, levels), rel=1e-10)
    rng = np.random.default_rng(seed)
    wall = rng.uniform(0.05, 0.8) * float(levels.min())
    opened = rng.permutation(len(levels))[: rng.integers(0, 3)].tolist()
    faces = list(body.faces())
    made = lw.shell(body, wall, [faces[k] for k in opened], step="s")
    thick = np.where(np.isin(np.arange(len(levels)), opened), 0.0, wall)
    hollow = hull_volume(normals, levels - thick)
    assert made.volume == pytest.approx(body.volume - hollow, rel=1e-9)
    points = rng.uniform(-10, 10, size=(2000, 3))
    depth = levels - points @ normals.T
    wanted = (depth > 0).all(axis=1) & ~(depth > thick).all(axis=1)
    assert (made.contains(points) == wanted).all()
    if seed % 4 == 0:
        sound(made, tmp_path, outside_check)


def drilled(holes, blind=None) -> lw.Body:
    body = lw.box(30, 20, 10, step="b")
    for k, (x, y, r) in enumerate(holes):
        depth = lw.THROUGH if blind is None else blind
        body = lw.hole(body, body.faces("b/top"), [(x, y)], 2 * r, depth, step=f"h{k}")
    return body


@pytest.mark.parametrize(
    ("holes", "wall"),
    [
        ([(5, 5, 1)], 2.5),
        ([(5, 5, 1)], 2.9),
        ([(6, 10, 2), (12, 10, 2)], 1.5),
        ([(6, 10, 2), (12, 10, 2), (24, 4, 1.5)], 2.2),
        ([(2.5, 10, 1)], 2.0),
    ],
)
def test_walls_of_holes_run_into_others(holes, wall, tmp_path, outside_check):
    body = drilled(holes)
    made = lw.shell(body, wall, body.faces("b/bottom"), step="s")
    discs = [shapely.Point(x, y).buffer(r + wall, quad_segs=4096) for x, y, r in holes]
    space = shapely.box(wall, wall, 30 - wall, 20 - wall).difference(shapely.union_all(discs))
    assert body.volume - made.volume == pytest.approx(space.area * (10 - wall), rel=1e-6)
    sound(made, tmp_path, outside_check)


def test_the_wall_under_a_blind_hole_runs_into_a_side(tmp_path, outside_check):
    body = drilled([(5, 5, 1)], blind=4)
    made = lw.shell(body, 2.5, body.faces("b/bottom"), step="s")
    outline = shapely.box(2.5, 2.5, 27.5, 17.5)
    pillar = shapely.Point(5, 5).buffer(3.5, quad_segs=4096)
    hollow = outline.area * 7.5 - outline.intersection(pillar).area * 4
    assert body.volume - made.volume == pytest.approx(hollow, rel=1e-6)
    sound(made, tmp_path, outside_check)


@pytest.mark.parametrize("wall", [1.0, 1.8, 2.5])
def test_a_bevelled_disc_keeps_or_loses_its_bevel_inside(wall, tmp_path, outside_check):
    disc = lw.cylinder(10, 20, step="d")
    made = lw.shell(lw.chamfer(disc, disc.edges("d/bottom"), 1), wall, disc.faces("d/top"), step="s")
    narrow = max(0.0, 1 + math.sqrt(2) * wall - 2 * wall)  # of the bevel, inside
    r, h = 10 - wall, 20 - wall
    full = math.pi * (10**2 * 20 - cut_off(10, 1))
    assert made.volume == pytest.approx(full - math.pi * (r * r * h - cut_off(r, narrow)), rel=1e-10)
    sound(made, tmp_path, outside_check)


def cut_off(radius: float, size: float) -> float:
    """What a bevel of a rim takes, over pi."""
    low = radius - size
    return size * (radius**2 - (radius**2 + radius * low + low**2) / 3)


def test_a_box_with_all_edges_bevelled_is_hollowed(tmp_path, outside_check):
    box = lw.box(30, 20, 10, step="b")
    bevelled = lw.chamfer(box, box.edges(), 1, step="c")
    for wall in (0.5, 1.0, 2.0):
        made = lw.shell(bevelled, wall, bevelled.faces("b/top"), step="s")
        faces = bevelled.faces()
        middle = np.array([15.0, 10.0, 5.0])
        normals = np.array([face.normal for face in faces])
        origins = np.array([face.brep.surface.frame.origin for face in faces])
        levels = ((origins - middle) * normals).sum(axis=1)
        is_open = np.array(["b/top" in map(str, face.brep.names) for face in faces])
        hollow = hull_volume(normals, levels - np.where(is_open, 0.0, wall))
        assert made.volume == pytest.approx(bevelled.volume - hollow, rel=1e-10)
        sound(made, tmp_path, outside_check)


def test_walls_that_leave_nothing_are_refused_with_the_largest_that_leave_something():
    box = lw.box(30, 20, 10, step="b")
    bevelled = lw.chamfer(box, box.edges(), 1, step="c")
    with pytest.raises(lw.ModellingError, match=r"of 6 is too large.*largest that works is") as told:
        lw.shell(bevelled, 6.0, step="s")
    largest = float(str(told.value).rsplit(" ", 1)[1])
    assert 4.99 < largest < 5.0
    assert lw.shell(bevelled, largest, step="s").is_valid


@pytest.mark.parametrize("angle", [44, 50, 70, -50, -70])
def test_walls_that_lean_about_their_middle_meet_in_a_point(angle, tmp_path, outside_check):
    box = lw.box(20, 20, 20, center=True, step="b")
    walls = [face for face in box.faces() if face.normal[2] == 0]
    made = lw.draft(box, walls, angle, lw.XY)
    slope = math.tan(math.radians(abs(angle)))
    half = 10 + 10 * slope  # of the wide end
    height = min(20, 10 + 10 / slope)
    tip = half - height * slope
    assert made.volume == pytest.approx(4 * height / 3 * (half**2 + half * tip + tip**2), rel=1e-10)
    assert len(made.faces()) == (6 if tip > 1e-9 else 5)
    sound(made, tmp_path, outside_check)


@pytest.mark.parametrize("end", [1.5, 2.5, 3.5])
def test_the_narrow_arm_of_an_angle_ends_before_the_wide_one(end, tmp_path, outside_check):
    sk = lw.Sketch(lw.XY)
    sk.polyline([(0, 0), (12, 0), (12, 4), (6, 4), (6, 14), (0, 14)], close=True)
    made = lw.extrude(sk, 10, taper=math.degrees(math.atan(end / 10)), step="e")

    def area(d):
        narrow, wide = max(0.0, 4 - 2 * d), max(0.0, 6 - 2 * d)
        return narrow * (12 - 2 * d) + wide * (14 - 2 * d) - narrow * wide

    ends = [0.0, *(d for d in (2.0, 3.0) if d < end), end]
    thirds = [(b - a) / 6 * (area(a) + 4 * area((a + b) / 2) + area(b)) for a, b in pairwise(ends)]
    assert made.volume == pytest.approx(10 / end * sum(thirds), rel=1e-10)
    sound(made, tmp_path, outside_check)


@pytest.mark.parametrize("wall", [1.5, 2.5])
def test_a_tapered_cover_with_rounds_all_over_has_walls_of_one_thickness(wall, tmp_path, outside_check):
    """A wall along the normal from the inside is the outside; rounds of 2 are kept, or swallowed."""
    block = lw.box(40, 30, 15, step="b")
    leaning = lw.draft(block, [face for face in block.faces() if face.normal[2] == 0], 3, lw.XY)
    upright = [e for e in leaning.edges() if e.brep.bounds[1][2] - e.brep.bounds[0][2] > 10]
    rounded = lw.fillet(leaning, upright, 4, step="v")
    cover = lw.fillet(rounded, rounded.edges("b/top"), 2, step="t")
    made = lw.shell(cover, wall, cover.faces("b/bottom"), step="s")
    seen = 0
    for face in made.faces("s/inside"):
        mesh = np.concatenate([e.curve.points(np.linspace(e.t0, e.t1, 7)) for e in edges_of(face)])
        outward = -face.brep.surface.normals(mesh) * (1.0 if face.brep.outward else -1.0)
        places = mesh + wall * outward
        low = places[:, 2] > 0.1  # not at the mouth
        assert cover.contains(places[low] - 1e-4 * outward[low]).all()
        assert not cover.contains(places[low] + 1e-4 * outward[low]).any()
        seen += int(low.sum())
    assert seen > 50
    sound(made, tmp_path, outside_check)


def edges_of(face):
    return [coedge.edge for coedge in face.brep.coedges()]


@pytest.mark.parametrize(
    ("seed", "wall"), [(22, 4.2), (69, 4.2), (75, 2.3), (121, 1.0), (146, 1.0), (169, 2.3)]
)
def test_no_wall_of_a_closed_shell_is_thin(seed, wall):
    """Unions with a pin thinner than the wall, or steps that meet in one place: points of the hollow against
    many points of the outside."""
    body, _, _ = random_union(seed)
    made = lw.shell(body, wall, step="s")
    rng = np.random.default_rng(seed)
    points = rng.uniform(*np.array(body.bounds), size=(6000, 3))
    hollow = points[body.contains(points) & ~made.contains(points)]
    assert len(hollow) > 100
    mesh = lw.tessellate(body, 0.02, 8)
    sides = mesh.vertices[mesh.triangles]
    areas = np.linalg.norm(np.cross(sides[:, 1] - sides[:, 0], sides[:, 2] - sides[:, 0]), axis=1)
    chosen = rng.choice(len(areas), size=40000, p=areas / areas.sum())
    outside = (sides[chosen] * rng.dirichlet([1, 1, 1], size=40000)[:, :, None]).sum(axis=1)
    assert cKDTree(outside).query(hollow)[0].min() > wall - 0.02


@pytest.mark.parametrize("thickness", [0.5, 1.0, -0.7])
@pytest.mark.parametrize("kind", ["ellipse", "spline"])
def test_shells_of_rods_with_walls_that_are_no_circles(kind, thickness):
    """Inside a smooth convex outline lies one whose area is smaller by length times thickness, less a
    circle."""
    rod = oval(10, 6, 20) if kind == "ellipse" else splined(height=20)
    hollow = lw.shell(rod, thickness, open=rod.faces().facing(lw.Z))
    rim = max(rod.edges(), key=lambda edge: edge.midpoint[2])
    area = rod.volume / 20
    moved = area - thickness * rim.length + math.pi * thickness**2
    walls = abs(area * 20 - moved * (20 - thickness))
    assert hollow.volume == pytest.approx(walls, rel=1e-9)
    assert hollow.contains([(0, 0, 10), (0, 0, 0.5 * thickness)]).tolist() == [False, True]


@pytest.mark.parametrize(
    ("angle", "radius", "height", "rounding"), [(30, 2.0, 8.0, 0.6), (17, 3.0, 5.0, 0.8)]
)
def test_shells_of_a_rod_cut_off_obliquely_with_rounded_rims(angle, radius, height, rounding):
    """Of a smooth convex body the volume between its boundary and one at a distance is a cubic of that, with
    the area and the integral of the mean curvature (Steiner): every wall must tell the same such integral."""
    lean = math.radians(angle)
    cut = lw.Plane((0, 0, height), (math.sin(lean), 0, math.cos(lean)))
    rod = lw.separate(lw.split(lw.cylinder(radius, 2 * height, step="rod"), cut))[0]
    rod = lw.fillet(rod, rod.edges(), rounding)
    assert "canal" in {face.kind for face in rod.faces()}
    told = []
    for wall in (-0.2, 0.3):
        hollow = lw.shell(rod, wall)
        between = hollow.volume if wall > 0 else -hollow.volume
        told.append((4 / 3 * math.pi * wall**3 - between + rod.area * wall) / wall**2)
    assert told[0] == pytest.approx(told[1], rel=1e-8)


@pytest.mark.parametrize("gap", [1.0, 1.5, 3.0])
def test_outward_walls_of_lumps_close_to_each_other_are_one(gap, tmp_path, outside_check):
    """Where walls of two lumps overlap they are joined."""
    two = lw.union(
        lw.box(10, 10, 10), lw.box(10, 10, 10, on=lw.Plane((10 + gap, 0, 0), (0, 0, 1), (1, 0, 0)))
    )
    made = lw.shell(two, -1)
    assert made.volume == pytest.approx(2 * 12**3 - max(0.0, 2 - gap) * 144 - 2000, rel=1e-12)
    assert made.lumps == (1 if gap < 2 else 2)
    sound(made, tmp_path, outside_check)


def test_outward_walls_of_lumps_that_touch_would_touch_themselves():
    """On both sides of the common edge there is wall, and nothing between."""
    two = lw.union(lw.box(10, 10, 10), lw.box(10, 10, 10, on=lw.Plane((10, 10, 0), (0, 0, 1), (1, 0, 0))))
    with pytest.raises(lw.ModellingError, match=r"touch itself along an edge at \(10, 10, 5\)"):
        lw.shell(two, -1)


LOFTS = {
    "ovals": (("ellipse", (20, 12.5)), ("ellipse", (21, 13.5)), ("ellipse", (18, 12))),
    "oval to round": (("ellipse", (20, 12.5)), ("ellipse", (21, 13.5)), ("ellipse", (18, 18))),
    "rounded": (("rectangle", (40, 25)), ("rectangle", (42, 27)), ("rectangle", (36, 24))),
}


def smooth_loft(kind: str, height: float = 60.0) -> lw.Body:
    sections = []
    for k, (form, size) in enumerate(LOFTS[kind]):
        section = lw.Sketch(lw.XY.offset(0.5 * height * k))
        if form == "rectangle":
            section.rectangle(*size, center=(0, 0), rounding=6)
        elif size[0] == size[1]:
            section.circle((0, 0), size[0])
        else:
            section.ellipse((0, 0), *size)
        sections.append(section)
    return lw.loft(sections, step="cup")


@pytest.mark.parametrize(
    ("kind", "foot", "wall"), [("ovals", 2.5, 1.2), ("oval to round", 0, -1.0), ("rounded", 0, 1.2)]
)
def test_walls_of_smooth_lofts_whose_sides_join_smoothly(kind, foot, wall, tmp_path, outside_check):
    """Of points all over, wall is what lies within the thickness of a side, of the foot or of its round."""
    cup = smooth_loft(kind)
    cup = lw.fillet(cup, cup.edges("cup/start"), foot, step="foot") if foot else cup
    made = lw.shell(cup, wall, open=cup.face("cup/end"), step="thin")
    assert made.is_valid and made.lumps == 1
    sides = [face for face in cup.faces() if str(face.names[0]) != "cup/end"]
    rng = np.random.default_rng(len(kind))
    points = lw.tessellate(cup).vertices
    points = rng.choice(points[points[:, 2] < 55], 30)
    points = points * np.append(rng.uniform(0.85, 1.15, size=(30, 2)), np.ones((30, 1)), axis=1)
    points[:, 2] += rng.uniform(-1.5, 1.5, size=30)
    away = np.array([min(face.distance_to(tuple(p)) for face in sides) for p in points])
    inner = cup.contains(points)
    wanted = (away < abs(wall)) & (inner if wall > 0 else ~inner)
    clear = np.abs(away - abs(wall)) > 1e-6
    assert (made.contains(points) == wanted)[clear].all() and 5 < wanted.sum() < 25
    if kind == "ovals":
        lw.save(made, tmp_path / "cup.step")
        outside_check(tmp_path / "cup.step")
