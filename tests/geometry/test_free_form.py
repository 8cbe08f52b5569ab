"""Free-form surfaces as full citizens: B-splines, and a kind that is known to these tests alone."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np
import pytest

import lathwick as lw
from lathwick.geometry.curves import Line
from lathwick.geometry.surface import Surface
from lathwick.mesh.tessellate import tessellate_by_face

from ..conftest import sound
from ..freeform_parts import (
    LONG,
    TALL,
    WIDE,
    block_under,
    ring_body,
    ring_volume,
    spline_block,
    top_surface,
    volume_under,
)

KINDS = ("bicubic", "uneven", "rational")


@pytest.mark.parametrize("kind", KINDS)
def test_measures_of_a_free_form_block(kind):
    """Volume by quadrature over the plan; bounds hold every sample; points are inside below the top."""
    surface, body = top_surface(kind), spline_block(kind)
    assert body.volume == pytest.approx(volume_under(surface), rel=1e-12)
    uv = np.random.default_rng(1).uniform(0, 1, (400, 2))
    points = surface.points(uv)
    assert body.bounds[1][2] >= points[:, 2].max()
    grid = np.stack(np.meshgrid(*[np.linspace(0, 1, 301)] * 2), axis=-1).reshape(-1, 2)
    assert body.bounds[1][2] == pytest.approx(surface.points(grid)[:, 2].max(), abs=1e-3)
    inner = (uv > 0.01).all(axis=1) & (uv < 0.99).all(axis=1)
    assert body.contains(points[inner] - (0, 0, 0.01)).all()
    assert not body.contains(points[inner] + (0, 0, 0.01)).any()


@pytest.mark.parametrize("kind", KINDS)
def test_images_of_a_free_form_block(kind):
    """Turned, mirrored and scaled the volume is what it was, times the cube of the factor."""
    body = spline_block(kind)
    axis = lw.Axis((1, 2, 3), (1, -2, 0.5))
    assert lw.scale(lw.turn(body, 33, axis), 2.54).volume == pytest.approx(body.volume * 2.54**3, rel=1e-12)
    assert lw.mirror(body, lw.YZ, keep=False).volume == pytest.approx(body.volume, rel=1e-12)


@pytest.mark.parametrize("kind", ["bicubic", "rational"])
def test_free_form_blocks_in_booleans(kind, tmp_path, outside_check):
    """Cut and common part make the whole, of a drill, a ball and another free-form block."""
    body = spline_block(kind)
    tools = [
        lw.cylinder(1.5, 30, on=lw.Plane((5, 4, -5), (0, 0, 1))),
        lw.sphere(2, on=lw.Plane((4, 4.2, 5), (0, 0, 1))),
    ]
    for tool in tools:
        both = lw.intersect(body, tool).volume
        drilled = lw.cut(body, tool)
        assert drilled.volume == pytest.approx(body.volume - both, rel=1e-9)
        assert lw.union(body, tool).volume == pytest.approx(body.volume + tool.volume - both, rel=1e-9)
    lw.save(drilled, tmp_path / "part.stl", chord=0.05, angle=12)
    outside_check(tmp_path / "part.stl")
    lw.save(drilled, tmp_path / "part.step")
    if kind == "bicubic":  # the outside checker takes a minute for each of the others
        outside_check(tmp_path / "part.step")


def test_two_free_form_tops():
    """One turned over onto the other: what they have in common is what both hold."""
    one = spline_block("bicubic")
    two = lw.move(lw.turn(spline_block("bicubic", seed=3), 180, lw.Axis((LONG / 2, WIDE / 2, 0), (1, 0, 0))),
                  0, 0, 8)  # fmt: skip
    both = lw.intersect(one, two)
    points = np.random.default_rng(0).uniform((0, 0, 0), (LONG, WIDE, 9), (300, 3))
    assert (both.contains(points) == (one.contains(points) & two.contains(points))).all()


def test_details_of_a_free_form_block(tmp_path, outside_check):
    """Rounded at the rim of a hole in the top, drafted, hollowed: sound, and no larger or smaller than it can
    be."""
    body = spline_block("bicubic")
    drilled = lw.cut(body, lw.cylinder(1.5, 30, on=lw.Plane((5, 4, -5), (0, 0, 1))))
    rim = drilled.edges("block/top").where(lambda edge: edge.is_closed)
    rounded = lw.fillet(drilled, rim, 0.4)
    ring = 0.4**2 * (1 - np.pi / 4) * 2 * np.pi * (1.5 + 0.4)
    assert 0.5 * ring < drilled.volume - rounded.volume < 1.5 * ring
    sound(rounded, tmp_path, outside_check)
    leaning = lw.draft(body, body.faces("block/side"), 2, lw.XY)
    assert leaning.bounds[0][:2] == pytest.approx((0, 0), abs=1e-9)
    assert leaning.volume < body.volume
    hollow = lw.shell(body, 0.5, open=body.faces("block/bottom"))
    inner = body.volume - hollow.volume
    points = np.random.default_rng(2).uniform((0, 0, 0), (LONG, WIDE, 6), (300, 3))
    deep = body.contains(points) & np.array(
        [body.face("block/top").distance_to(tuple(p)) > 0.5 for p in points]
    )
    deep &= (points[:, 0] > 0.5) & (points[:, 0] < LONG - 0.5) & (points[:, 1] > 0.5)
    deep &= points[:, 1] < WIDE - 0.5
    assert (hollow.contains(points) == (body.contains(points) & ~deep)).all()
    assert 0 < inner < body.volume


@pytest.mark.parametrize(("kind", "radius"), [("bicubic", 0.4), ("uneven", 0.1)])
def test_all_rims_of_a_free_form_top_rounded(kind, radius, tmp_path, outside_check):
    """From any point of a new face straight inwards by the radius lies the center of a ball that touches the
    top and the side, no matter how often the top's polynomials change along the rim."""
    body = spline_block(kind)
    rounded = lw.fillet(body, body.edges("block/top"), radius)
    assert sum(face.kind == "canal" for face in rounded.faces()) == 4
    mesh, owner = tessellate_by_face(rounded, 0.05)
    checked = 0
    for number, face in enumerate(rounded.faces()):
        if face.kind != "canal":
            continue
        rows = np.unique(mesh.triangles[owner == number])
        for point in mesh.vertices[rows[:: max(1, len(rows) // 5)]]:
            center = tuple(point - radius * np.array(face.normal_at(tuple(point))))
            sides = sorted(side.distance_to(center) for side in body.faces("block/side"))
            if sides[1] > 3 * radius:  # at a corner it touches what goes on beyond the top's border
                assert body.contains([center])[0]
                assert body.face("block/top").distance_to(center) == pytest.approx(radius, abs=2e-7)
                assert sides[0] == pytest.approx(radius, abs=2e-7)
                checked += 1
    assert checked > 5
    if kind == "bicubic":  # the checker takes long over many knots
        sound(rounded, tmp_path, outside_check)


@pytest.mark.parametrize(("kind", "size"), [("bicubic", 0.4)])
def test_all_rims_of_a_free_form_top_bevelled(kind, size, tmp_path, outside_check):
    """Every new edge of the top keeps to its distance from the old rim, and cut lines stay inside."""
    body = spline_block(kind)
    bevelled = lw.chamfer(body, body.edges("block/top"), size)
    assert sum(face.kind == "ruled" for face in bevelled.faces()) == 4
    rims = body.edges("block/top")
    for edge in bevelled.edges("block/top"):
        middle = edge.midpoint
        assert min(rim.distance_to(middle) for rim in rims) == pytest.approx(size, abs=2e-7)
    assert bevelled.volume < body.volume
    sound(bevelled, tmp_path, outside_check)


TUBE, DOME = ((1.0, 0.5, 1.2), (0.0, 5.0, 10.0)), ((1.0, 1.0, 0.0), (0.0, 4.0, 4.0))


@pytest.mark.parametrize("shape", [TUBE, DOME], ids=["tube", "dome"])
def test_a_closed_free_form_tube_and_a_dome_with_a_pole(shape, tmp_path, outside_check):
    """Volume in closed form; cut by a drill off the middle and by one through the middle; sound."""
    body = ring_body(*shape)
    assert body.volume == pytest.approx(ring_volume(*shape), rel=1e-10)
    assert body.contains([(0, 0, 1), (0, 0, 3.9), (6, 0, 1), (0, 0, -0.1)]).tolist() == [
        True,
        True,
        False,
        False,
    ]
    sound(body, tmp_path, outside_check)
    assert lw.scale(body, 2).volume == pytest.approx(8 * body.volume, rel=1e-12)
    for tool in (lw.cylinder(0.8, 30, on=lw.Plane((1, 0.5, -5), (0, 0, 1))),
                 lw.sphere(1.5, on=lw.Plane((0, 3.5, 2), (0, 0, 1))),
                 lw.cylinder(0.7, 30, on=lw.Plane((0, 0, -5), (0, 0, 1)))):  # fmt: skip
        both = lw.intersect(body, tool).volume
        assert lw.cut(body, tool).volume == pytest.approx(body.volume - both, rel=1e-8)


@pytest.mark.parametrize("chord", [0.05, 0.01])
def test_a_free_form_mesh_is_as_near_as_asked(chord):
    """Middles of triangles and of their sides lie within the chord, also along the cut of a tube."""
    for body in (spline_block("uneven"), ring_body(*TUBE), ring_body(*DOME)):
        mesh, owner = tessellate_by_face(body, chord=chord, angle=12)
        corners = mesh.vertices[mesh.triangles[owner == 0]]
        middles = [corners.mean(axis=1), *(0.5 * (corners[:, k] + corners[:, k - 1]) for k in range(3))]
        assert np.abs(body.brep_faces[0].surface.distance(np.concatenate(middles))).max() < 1.2 * chord


@dataclass(frozen=True, eq=False)
class Cushion(Surface):
    """TALL high at the borders of a rectangle, higher inside by an exponential times a product of
    parabolas."""

    rise: float
    kind: ClassVar[str] = "cushion"

    @property
    def domain(self):
        return (0.0, LONG), (0.0, WIDE)

    def points(self, uv):
        return self.derivatives(uv, 0)[0][0]

    def derivatives(self, uv, most=2):
        u, v = uv.T
        p, q = u * (LONG - u) * 4 / LONG**2, v * (WIDE - v) * 4 / WIDE**2
        p1, q1 = (LONG - 2 * u) * 4 / LONG**2, (WIDE - 2 * v) * 4 / WIDE**2
        e = self.rise * np.exp(u / LONG)
        along = [e * p, e * (p1 + p / LONG), e * (-8 / LONG**2 + 2 * p1 / LONG + p / LONG**2)]
        across = [q, q1, np.full_like(v, -8 / WIDE**2)]
        found = []
        for i in range(most + 1):
            found.append([])
            for j in range(most + 1 - i):
                row = np.column_stack([np.zeros_like(u), np.zeros_like(u), along[i] * across[j]])
                if i + j == 0:
                    row += np.column_stack([u, v, np.full_like(u, TALL)])
                elif i + j == 1:
                    row[:, 1 - i] += 1.0
                found[i].append(row)
        return found


def cushion(rise=0.8):
    """A block under a cushion."""
    rims = [
        Line((0, 0, TALL), (1, 0, 0)), Line((LONG, 0, TALL), (0, 1, 0)),
        Line((0, WIDE, TALL), (1, 0, 0)), Line((0, 0, TALL), (0, 1, 0)),
    ]  # fmt: skip
    return block_under(Cushion(rise), rims, [(0, LONG), (0, WIDE)] * 2)


def test_a_kind_of_the_tests_alone(tmp_path, outside_check):
    """One class of points and derivatives goes through volume, contains, boolean, round, shell, mesh and
    STEP."""
    rise, body = 0.8, cushion()
    across = 4 * (1 / 2 - 1 / 3)
    along = 4 * LONG * (3 - np.e)  # of e^t (t - t^2), t from 0 to 1
    swell = rise * along * across * WIDE
    assert body.volume == pytest.approx(LONG * WIDE * TALL + swell, rel=1e-12)
    assert body.face("block/top").kind == "cushion"
    assert body.contains([(5, 4, 5.5), (5, 4, 6.5), (5, 4, -0.1)]).tolist() == [True, False, False]
    assert lw.scale(body, 3).volume == pytest.approx(27 * body.volume, rel=1e-12)
    drill = lw.cylinder(1.5, 30, on=lw.Plane((5, 4, -5), (0, 0, 1)))
    drilled = lw.cut(body, drill)
    assert drilled.volume == pytest.approx(body.volume - lw.intersect(body, drill).volume, rel=1e-9)
    rounded = lw.fillet(drilled, drilled.edges("block/top").where(lambda edge: edge.is_closed), 0.4)
    assert rounded.volume < drilled.volume
    sound(rounded, tmp_path, outside_check)
    hollow = lw.shell(body, 0.5, open=body.faces("block/bottom"))
    assert hollow.contains([(5, 4, 0.1), (0.2, 4, 1)]).tolist() == [False, True]
    lw.save(hollow, tmp_path / "hollow.step")
    lw.save(hollow, tmp_path / "hollow.stl", chord=0.05, angle=12)
    outside_check(tmp_path / "hollow.stl")


def test_a_kind_without_a_rule_is_refused_when_it_is_defined():
    """With what it lacks."""
    with pytest.raises(TypeError, match="Lame lacks domain, derivatives"):

        class Lame(Surface):
            kind = "lame"

            def points(self, uv):
                return uv
