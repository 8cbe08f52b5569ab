"""STEP, STL and meshes: exact, sound at every tolerance, whole or not at all."""

import math
import os
import re
import zipfile
from itertools import pairwise

import numpy as np
import pytest

import lathwick as lw
from lathwick.family.atomic import write_atomically

from ..csg import random_tree
from ..parts import half_disc, ring_plate, saw_tooth_plate
from ..rounded_unions import random_union


def thin_ring() -> lw.Body:
    """A wall of 0.2 between two arcs: chords of a coarse mesh would cross."""
    sk = lw.Sketch()
    sk.circle((0, 0), 20)
    sk.circle((0.1, 0), 19.7)
    return lw.extrude(sk.regions(), 5)


def islands() -> lw.Body:
    """A square in a hole, its corners 0.1 from the wall: coarse chords of the hole would cut them off."""
    sk = lw.Sketch()
    sk.circle((0, 0), 20)
    sk.circle((0, 0), 10)
    corners = [math.radians(22.5 + 90 * k) for k in range(4)]
    sk.polyline([(9.9 * math.cos(a), 9.9 * math.sin(a)) for a in corners], close=True)
    return lw.extrude(sk.regions(), 5)


def bodies() -> dict[str, lw.Body]:
    return {
        "ring": ring_plate(40, 25, 6, 7, -3, 9)[0],
        "half": half_disc(7, 3)[0],
        "tilted": ring_plate(4, 3, 1, 0.2, 0.1, 2, lw.Plane((3, -4, 5), (1, 2, 2)), "in")[0],
        "thin": thin_ring(),
        "islands": islands(),
        "teeth": saw_tooth_plate(40),
    }


@pytest.mark.parametrize("name", bodies())
@pytest.mark.parametrize("chord", [5.0, 0.3, 0.01, 1e-4])
def test_meshes_are_sound_at_every_tolerance(name, chord, tmp_path, outside_check):
    """Watertight from coarse to fine, also after rounding to 32 bits; the file reads back the same."""
    body = bodies()[name]
    mesh = lw.tessellate(body, chord, 60)
    path = tmp_path / "part.stl"
    lw.save(mesh, path)
    back = lw.read_mesh(path)
    assert mesh.is_watertight
    assert back.is_watertight
    assert (len(back.triangles), back.unit) == (len(mesh.triangles), body.unit)
    assert back.volume == pytest.approx(mesh.volume, rel=1e-5)
    outside_check(path)


@pytest.mark.parametrize(
    ("seed", "radius"), [(534, 0.05955), (572, 0.002829), (20037, 0.3551), (206, 0.0358)]
)
def test_rounds_thinner_than_a_chord_are_meshed(seed, radius, tmp_path, outside_check):
    """Long arcs beside strips that get ever narrower: their chords crossed, however often halved."""
    body, edges, _ = random_union(seed)
    body = lw.fillet(body, edges, radius, step="f")
    lw.save(body, tmp_path / "union.stl")
    outside_check(tmp_path / "union.stl")
    assert lw.read_mesh(tmp_path / "union.stl").volume == pytest.approx(body.volume, rel=0.01)


def bent_oval():
    """An oval pipe along a spline that bends tightly, and drilled."""
    line = lw.Sketch(lw.XY)
    line.spline([(0, 0), (40, 14), (80, -16), (120, 4)])
    way = lw.path(line)
    oval = lw.Sketch(way.plane_at(0))
    oval.ellipse((0, 0), 4.5, 1.5, angle=35)
    pipe = lw.sweep(oval, way)
    return pipe, lw.cut(pipe, lw.cylinder(0.6, 40, on=lw.Plane((42, 13, -20), (0, 0, 1))))


@pytest.mark.parametrize("chord", [0.3, 0.05])
def test_walls_that_bend_more_amid_than_along_their_borders_are_meshed(chord, tmp_path, outside_check):
    """As grids with room for the bulge, and, drilled, by corners that stay in the face."""
    for body in bent_oval():
        lw.save(body, tmp_path / "part.stl", chord=chord, angle=20)
        outside_check(tmp_path / "part.stl")
        mesh = lw.tessellate(body, chord, 20)
        assert len(mesh.triangles) < 6000
        assert mesh.volume == pytest.approx(body.volume, rel=0.4 * chord)


def test_rings_of_a_bend_are_joined_by_a_grid():
    """No triangle of an oval bend reaches farther from it than asked for; there are few."""
    way = lw.route([(0, 0, 0), (60, 0, 0), (60, 50, 20)], bend=20)
    oval = lw.Sketch(way.plane_at(0))
    oval.ellipse((0, 0), 5, 2)
    body = lw.sweep(oval, way)
    mesh = lw.tessellate(body, 0.05, 12)
    middles = mesh.vertices[mesh.triangles].mean(axis=1)
    gaps = np.min([np.abs(face.brep.surface.distance(middles)) for face in body.faces()], axis=0)
    assert gaps.max() < 0.05
    assert len(mesh.triangles) < 3000


@pytest.mark.parametrize("chord", [None, 0.05])
def test_no_triangles_reach_round_a_tube(chord, tmp_path, outside_check):
    """Corners on both sides of the cut of a tube are the same places: its middle is on the other side."""
    sk = lw.Sketch(lw.XZ)
    sk.spline([(3, 0), (1, 2.6), (-2, 1.8), (-2.4, -1.7), (1.2, -2.2)], close=True)
    bend = lw.revolve(sk.regions(), lw.Axis((9, 0, 0), (0, 0, 1)), 317, step="bend")
    drill = lw.cylinder(0.7, 40, on=lw.Plane((18, 1, -20), (0, 0, 1)))
    for body in (lw.cut(bend, drill), lw.shell(bend, 0.5, open=bend.faces("bend/start"))):
        mesh = lw.tessellate(body, chord)
        assert mesh.volume == pytest.approx(body.volume, abs=0.6 * (chord or 0.02) * body.area)
        lw.save(body, tmp_path / "part.stl", chord=chord)
        outside_check(tmp_path / "part.stl")


def test_a_ring_is_cut_open_through_a_point_that_its_edge_has_already(tmp_path, outside_check):
    body = random_tree(402460).body
    mesh = lw.tessellate(body)
    a, b, c = (mesh.vertices[mesh.triangles[:, k]] for k in range(3))
    assert min(np.linalg.norm(p - q, axis=1).min() for p, q in ((a, b), (b, c), (c, a))) > 1e-4
    lw.save(body, tmp_path / "part.stl")
    outside_check(tmp_path / "part.stl")


def test_mesh_volume_converges():
    """Ten times finer chords bring the volume ten times nearer to the exact one."""
    body, _ = half_disc(7, 3)
    errors = [
        abs(lw.tessellate(body, chord, 90).volume / body.volume - 1) for chord in (1e-1, 1e-2, 1e-3, 1e-4)
    ]
    assert errors[0] < 0.05
    for coarse, fine in pairwise(errors):
        assert fine < 0.2 * coarse


def test_chord_and_angle_are_kept():
    """No chord is further from its arc, or spans more, than was asked."""
    body, _ = ring_plate(40, 25, 6, 0, 0, 9)
    for chord, angle in ((0.05, 90), (10, 5)):
        mesh = lw.tessellate(body, chord, angle)
        rim = mesh.vertices[np.isclose(np.hypot(*mesh.vertices[:, :2].T), 6) & (mesh.vertices[:, 2] == 9)]
        span = math.tau / len(rim)
        assert 6 * (1 - math.cos(span / 2)) <= chord
        assert math.degrees(span) <= angle
        assert (
            math.degrees(math.tau / (len(rim) - 1)) > angle or 6 * (1 - math.cos(span * 0.51)) > chord * 0.9
        )


@pytest.mark.parametrize("name", bodies())
@pytest.mark.parametrize("schema", ["ap242", "ap214"])
def test_step_passes_the_outside_checker(name, schema, tmp_path, outside_check):
    """No error in schema, topology, geometry or the stated validation properties."""
    path = tmp_path / "part.step"
    lw.save(bodies()[name], path, schema=schema)
    outside_check(path)


def test_step_states_unit_names_color_and_exact_measures(tmp_path):
    """The text holds what a receiver needs, to the last digit."""
    body, closed = ring_plate(4, 3, 1, 0.25, 0.125, 2, unit="in")
    path = tmp_path / "plate.step"
    lw.Part(body, name="Tag plate 'Ø2'", color="#336699").save(path)
    text = path.read_text("ascii")
    assert "CONVERSION_BASED_UNIT('INCH'" in text
    assert r"PRODUCT('Tag plate ''\X2\00D8\X0\2'''" in text
    assert "COLOUR_RGB('',0.2,0.4,0.6)" in text
    assert "ADVANCED_FACE('ring/side:hole'" in text
    assert "AP242_MANAGED_MODEL_BASED_3D_ENGINEERING_MIM_LF" in text
    stated = float(re.search(r"VOLUME_MEASURE\(([^)]*)\)", text)[1])
    assert stated == pytest.approx(closed.volume, rel=1e-14)
    assert text.count("CYLINDRICAL_SURFACE(") == 1
    assert text.count("CIRCLE(") == 2


def test_same_input_same_bytes(tmp_path, monkeypatch, saddle):
    """Everything but the STEP time stamp is fixed, and SOURCE_DATE_EPOCH fixes that."""
    monkeypatch.setenv("SOURCE_DATE_EPOCH", "1700000000")
    for suffix in ("step", "stl", "png"):
        data = []
        for k in range(2):
            path = tmp_path / f"{k}.{suffix}"
            saddle(pipe=60.3).save(path)
            data.append(path.read_bytes())
        assert data[0] == data[1], suffix
    assert "2023-11-14T22:13:20" in (tmp_path / "0.step").read_text()
    monkeypatch.setenv("SOURCE_DATE_EPOCH", "noon")
    with pytest.raises(lw.ExchangeError, match="not a number of seconds"):
        saddle().save(tmp_path / "x.step")


def test_stl_states_and_converts_its_unit(tmp_path):
    """An inch design exported in mm is 25.4 times as large, and says so."""
    body, _ = ring_plate(4, 3, 1, 0, 0, 2, unit="in")
    lw.save(body, tmp_path / "in.stl")
    lw.save(body, tmp_path / "mm.stl", unit="mm")
    small, large = lw.read_mesh(tmp_path / "in.stl"), lw.read_mesh(tmp_path / "mm.stl")
    assert (small.unit, large.unit) == ("in", "mm")
    assert large.volume == pytest.approx(small.volume * 25.4**3, rel=1e-6)
    assert large.bounds[1] == pytest.approx((50.8, 38.1, 50.8), rel=1e-6)
    with pytest.raises(lw.ExchangeError, match='"feet" is no unit'):
        lw.save(body, tmp_path / "x.stl", unit="feet")


def test_ascii_and_binary_hold_the_same_mesh(tmp_path):
    """The two forms read back alike."""
    body, _ = half_disc(7, 3)
    lw.save(body, tmp_path / "a.stl", ascii=True)
    lw.save(body, tmp_path / "b.stl")
    one, two = lw.read_mesh(tmp_path / "a.stl"), lw.read_mesh(tmp_path / "b.stl")
    assert (tmp_path / "a.stl").read_text().startswith("solid Lathwick unit=mm")
    assert not (tmp_path / "b.stl").read_bytes().startswith(b"solid")
    assert np.array_equal(one.vertices.astype(np.float32), two.vertices.astype(np.float32))
    assert np.array_equal(one.triangles, two.triangles)


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "only 0 bytes"),
        (b"hello", "only 5 bytes"),
        (b"x" * 84, "cut short"),
        (b" " * 80 + (3).to_bytes(4, "little") + b"x" * 60, "3 triangles need 234 bytes, there are 144"),
        (b" " * 80 + (0).to_bytes(4, "little"), "holds no triangle"),
        (b"solid x\nvertex 1 2\nendsolid", 'line 2: "vertex 1 2" is no vertex'),
        (b"solid x\nvertex 1 2 q\nendsolid", "line 2"),
        (b"solid x\nvertex 1 2 3\nendsolid", "no whole number of triangles"),
        (b"solid x\n" + b"vertex 1 2 3\n" * 3, "no endsolid"),
        (b"solid x\n" + b"vertex 1 2 nan\n" * 3 + b"endsolid", "not finite"),
    ],
)
def test_damaged_meshes_are_refused_in_one_line(data, words, tmp_path):
    """What is wrong with an STL file is told with the file's name and the place."""
    path = tmp_path / "bad.stl"
    path.write_bytes(data)
    with pytest.raises(lw.ExchangeError, match=words) as caught:
        lw.read_mesh(path)
    assert "bad.stl" in str(caught.value)
    assert "\n" not in str(caught.value)


def test_failed_write_keeps_the_old_file(tmp_path, monkeypatch):
    """Neither a failure nor an interrupt while writing leaves a draft or damages the old file."""
    path = tmp_path / "part.stl"
    path.write_bytes(b"old")
    for error in (OSError(28, "No space left on device"), KeyboardInterrupt()):

        def fail(*_: object, error: BaseException = error) -> None:
            raise error

        monkeypatch.setattr(os, "replace", fail)
        with pytest.raises((lw.ExchangeError, KeyboardInterrupt)):
            write_atomically(path, b"new")
        assert path.read_bytes() == b"old"
        assert os.listdir(tmp_path) == ["part.stl"]


def test_unwritable_places_are_told(tmp_path):
    """A folder that is not there, an unknown suffix, a wrong option or object."""
    body, _ = half_disc(1, 1)
    with pytest.raises(lw.ExchangeError, match="cannot be written: No such file"):
        lw.save(body, tmp_path / "none" / "part.step")
    with pytest.raises(lw.ExchangeError, match=r'cannot save as ".dwg"; there are .step'):
        lw.save(body, tmp_path / "part.dwg")
    with pytest.raises(lw.ExchangeError, match='no option "chrod"'):
        lw.save(body, tmp_path / "part.stl", chrod=1)
    with pytest.raises(lw.ExchangeError, match="cannot be saved as a solid"):
        lw.save(lw.tessellate(body), tmp_path / "part.step")
    with pytest.raises(lw.ExchangeError, match='schema "ap203"'):
        lw.save(body, tmp_path / "part.step", schema="ap203")
    with pytest.raises(lw.ModellingError, match="chord must be more than 0"):
        lw.save(body, tmp_path / "part.stl", chord=0)
    assert os.listdir(tmp_path) == []


@pytest.mark.parametrize("depth", [2, 40])
@pytest.mark.parametrize(
    "wall",
    [
        [(1000, 5), (1000 - 1e-5, 5 + 1e-5)],  # a bevel
        [(1000, 3), (1000 - 2e-5, 5), (1000, 5 + 1e-5), (1000, 7)],  # a notch
    ],
)
def test_detail_below_32_bit_floats_is_left_out_of_stl(wall, depth, tmp_path, outside_check):
    """A bevel of 0.00001 at 1000 from the origin shrinks to nothing, a notch falls flat."""
    sk = lw.Sketch()
    around = [(990, 0), (1000, 0), *wall, (1000, 10), (990, 10)]
    sk.polyline([(x, y + 1000) for x, y in around], close=True)
    body = lw.extrude(sk.regions(), depth)
    lw.save(body, tmp_path / "part.stl")
    back = lw.read_mesh(tmp_path / "part.stl")
    assert back.is_watertight
    assert back.volume == pytest.approx(100 * depth, rel=1e-5)
    a, b, c = np.moveaxis(lw.tessellate(body).corners.astype(np.float32).astype(float), 1, 0)
    assert not np.cross(b - a, c - a).any(axis=1).all()  # rounding leaves some without area
    outside_check(tmp_path / "part.stl")


@pytest.mark.parametrize("size", [6e-6, 2e-6])
def test_tiny_edges_are_points_in_step(size, tmp_path, outside_check):
    """A bevel that other programs would take for a point: the file has a block of 12 edges."""
    sk = lw.Sketch()
    sk.polyline([(0, 0), (10, 0), (10, 8 - size), (10 - size, 8), (0, 8)], close=True)
    body = lw.extrude(sk.regions(), 5)
    assert len(body.edges()) == 15
    lw.save(body, tmp_path / "part.step")
    text = (tmp_path / "part.step").read_text()
    assert (text.count("=EDGE_CURVE("), text.count("=ADVANCED_FACE(")) == (12, 6)
    outside_check(tmp_path / "part.step")


def test_an_edge_whose_ends_nearly_meet_is_closed_in_step(tmp_path, outside_check):
    """Two corners 8e-6 apart on a long closed edge: taken for one, the edge must not shrink to nothing."""
    body = random_tree(2103).body
    assert min(edge.length for edge in body.edges()) < 1e-5
    lw.save(body, tmp_path / "part.step")
    outside_check(tmp_path / "part.step")


def test_detail_below_32_bit_floats_is_refused(tmp_path):
    """A part too small for its distance from the origin is not silently broken in STL."""
    sk = lw.Sketch()
    sk.rectangle(0.001, 0.001, corner=(1e5, 1e5))
    body = lw.extrude(sk.regions(), 1)
    with pytest.raises(lw.ExchangeError, match="smaller than the 32-bit numbers of STL"):
        lw.save(body, tmp_path / "part.stl")
    lw.save(body, tmp_path / "part.step")
    assert os.listdir(tmp_path) == ["part.step"]


def test_files_of_a_part_in_one_zip(tmp_path):
    """Every body in every format, the same bytes as the files by themselves; what is no format is told."""
    part = lw.Part({"frame": lw.box(20, 20, 5), "pin": lw.cylinder(3, 20)}, name="foot")
    part.save(tmp_path / "foot.zip", formats=("step", "stl"), each=True, chord=0.01)
    part.save_each(tmp_path / "foot.stl", chord=0.01)
    with zipfile.ZipFile(tmp_path / "foot.zip") as archive:
        names = archive.namelist()
        assert names == ["foot-frame.step", "foot-pin.step", "foot-frame.stl", "foot-pin.stl"]
        assert archive.read("foot-pin.stl") == (tmp_path / "foot-pin.stl").read_bytes()
        (tmp_path / "again.step").write_bytes(archive.read("foot-frame.step"))
    assert lw.read_step(tmp_path / "again.step").volume == pytest.approx(2000)
    with pytest.raises(lw.ExchangeError, match='a zip holds no "doc" files'):
        part.save(tmp_path / "foot.zip", formats="doc")


@pytest.mark.parametrize("odd", [None, True, "x", b"", [], {}, object(), 1j, float("nan"), 10**400, -1])
@pytest.mark.parametrize("option", ["formats", "each", "chord", "angle", "unit"])
def test_odd_options_of_files_get_one_line(option, odd, tmp_path):
    try:
        lw.save(lw.box(9, 9, 9), tmp_path / "box.zip", **{option: odd})
    except lw.LathwickError as error:
        assert "\n" not in str(error)


def test_a_plate_with_very_many_holes(tmp_path, outside_check):
    """Its faces have more points than are triangulated in the usual way. By Euler's formula each has
    n + 2 h - 2 triangles, and their area is that between the square and regular polygons."""
    rows = 18
    sk = lw.Sketch()
    sk.rectangle(10 * rows, 10 * rows, corner=(0, 0))
    for i in range(rows):
        for j in range(rows):
            sk.circle((10 * i + 5, 10 * j + 5), 3)
    plate = lw.extrude(sk.regions(), 4)
    mesh = lw.tessellate(plate, chord=0.01, angle=8)
    foot = np.flatnonzero(mesh.vertices[:, 2] == 0.0)
    flat = mesh.triangles[np.isin(mesh.triangles, foot).all(axis=1)]
    holes, each = rows**2, (len(foot) - 4) // rows**2
    assert len(foot) == 4 + holes * each > 10_000
    assert len(flat) == len(foot) + 2 * holes - 2
    a, b, c = (mesh.vertices[flat[:, k], :2] for k in range(3))
    one, two = b - a, c - a
    area = 0.5 * np.abs(one[:, 0] * two[:, 1] - one[:, 1] * two[:, 0]).sum()
    assert area == pytest.approx(
        (10 * rows) ** 2 - holes * 0.5 * each * 9 * math.sin(math.tau / each), rel=1e-12
    )
    lw.save(mesh, tmp_path / "plate.stl")
    outside_check(tmp_path / "plate.stl")
