"""Booleans of random trees against exact answers; and every tree that once went wrong."""

import numpy as np
import pytest

import lathwick as lw
from lathwick.mesh.tessellate import tessellate_by_face

from ..csg import random_tree, volume_off, wrong_points

ONCE_WRONG = {
    6: "two loops round the tube of a torus bound one cell",
    13: "a curve touches a plane: two crossings a hair apart are one touch",
    17: "circles touch so flatly that the place of the touch is loose",
    42: "a torus band the long way round",
    44: "the tip of a cone on another surface",
    70: "a touch exactly at a sample of the distance",
    115: "a face with a cusp of no width",
    130: "a traced curve through the tip of a cone",
    143: "a traced curve through a point where surfaces touch",
    166: "a curve through its own singular point",
    184: "the tip of a cone inside a face with two loops",
    217: "the axis of a cone as a place without a normal",
    239: "a slit where a torus touches an edge",
    253: "a node between four branches of a curve",
    292: "a touch at the end of an edge",
    403: "a torus lies flatly on a cylinder",
    485: "two edges of a face become one where they meet a third",
    557: "a curve that comes back to its start at an angle",
    698: "the foot of a point beyond the seam of a closed curve",
    826: "branches that touch each other where a torus is touched flatly",
    1167: "coarse chords of neighbouring edges cross",
    974: "a torus face with edges all round both ways",
    2623: "a slit where lumps touch along an edge",
    3367: "a vertex between one and two resolutions off its edge",
    4465: "a flat touch of an edge and a face far from where it is",
    6320: "a sphere that touches a bore in one point",
    8030: "a cell beside two lumps that touch",
    8147: "two touches of a cylinder and a torus, one of them flat",
    901627: "two patches beside a tip, which is no place in u",
    902937: "border nodes of one loop on a torus were lifted as another loop beside them",
    901163: "neighbours are compared where they meet, not at a place of one that is the center of the other",
    1793: "the mass of a face that reaches to the tip of its cone",
    5758: "a touch of the fourth order beside one of the second in the same place",
    8220: "a general curve that crosses an edge at its seam",
}
"""Seeds of trees that found mistakes, each with what it was."""


def check(seed: int) -> None:
    """Right at every probe point, in volume, and valid, or refused for touching itself."""
    tree = random_tree(seed)
    try:
        body = tree.body
    except lw.ModellingError as error:
        assert "touch itself" in error.message, f"{seed}: {error.message}"
        return
    assert wrong_points(tree, body, seed, 150) == 0, seed
    assert body is None or body.check() == ()
    assert volume_off(tree, body) <= 1e-6, seed


@pytest.mark.parametrize("seed", ONCE_WRONG)
def test_trees_that_once_went_wrong(seed):
    """Each by its seed."""
    check(seed)


@pytest.mark.parametrize("start", range(0, 300, 75))
def test_trees_are_right(start):
    """100 trees: a third in general position, a third on a lattice, a third touching."""
    for seed in range(start, start + 25):
        check(seed)


ONCE_BADLY_MESHED = {
    68: "a triangle of two faces that part too slowly for a file",
    224: "a loop that passes a point twice",
    448: "a face with rings all round its torus",
    472: "a point too near to a flat neighbour",
    400: "an edge of one lump that touches inside a face of another",
    357: "a face between two arcs of one chord each",
    868: "a cut along an edge",
    882: "a patch that reaches further than once round its cone",
    896: "lumps that touch in one plane",
    1211: "arcs that part slowly from a common end",
    1847: "an arc and a curve that part slowly, with unlike chords",
    2287: "lumps that touch along an edge",
    2160: "three points of one arc as a triangle",
    5120: "a hole that touches the rim of its face",
    592: "edges that part so slowly that their points lie in one place",
    1528: "the same, between two round walls",
    2292: "chords that come together at a coarse tolerance",
    836: "chords of a round wall that lie in the plane of its neighbour, in 32 bits",
    2128: "the same, beside an upright wall",
    2560: "the same, on a torus",
    4732: "a vertex where a round wall and a rim touch in the fourth order",
    6052: "so many chords made alike that more are needed next to them",
    5080: "edges that part so slowly that halved chords are taken back",
}
"""Seeds of trees whose meshes were not sound, each with why."""


@pytest.mark.parametrize("seed", ONCE_BADLY_MESHED)
def test_meshes_that_were_once_bad(seed, tmp_path, outside_check):
    """Watertight, with the volume of the body; the outside checker finds no triangles that cross."""
    body = random_tree(seed).body
    mesh = lw.tessellate(body, 0.02, 10)
    assert mesh.is_watertight
    assert mesh.volume == pytest.approx(body.volume, rel=0.02)
    lw.save(mesh, tmp_path / "tree.stl")
    outside_check(tmp_path / "tree.stl")


@pytest.mark.parametrize("chord", [0.2, 0.02, 0.004])
@pytest.mark.parametrize(
    "body",
    [
        lw.cut(lw.sphere(10), lw.cylinder(3, 30, on=lw.XY.offset(-15))),
        lw.cut(lw.torus(20, 6), lw.box(50, 50, 50)),
        lw.cut(lw.torus(20, 6), lw.cylinder(2, 50, on=lw.Plane((0, -25, 1), (0, 1, 0)))),
        lw.cut(lw.cone(10, 4, 30), lw.cylinder(2, 40, on=lw.Plane((-20, 0, 12), (1, 0, 0)))),
        lw.union(lw.cylinder(10, 60), lw.cylinder(6, 40, on=lw.Plane((0, 0, 30), (1, 0, 0)))),
    ],
)
def test_meshes_keep_the_chord(body, chord):
    """Every vertex lies on its face, the middle of every triangle no farther away than the chord."""
    mesh, owner = tessellate_by_face(body, chord, 40)
    assert mesh.is_watertight
    middles = mesh.corners.mean(axis=1)
    for i, face in enumerate(body.brep_faces):
        of_face = owner == i
        assert np.abs(face.surface.distance(mesh.vertices[np.unique(mesh.triangles[of_face])])).max() < 1e-8
        assert np.abs(face.surface.distance(middles[of_face])).max() < 1.1 * chord
