"""Features made one at a time: a step leaves unopened what its tool is clear of, and nothing may show it."""

import itertools
import math

import numpy as np
import pytest

import lathwick as lw

PITCH = 20.0
ROWS = range(4)
HEIGHT = 12.0
SLAB = PITCH * len(ROWS) * PITCH * len(ROWS) * HEIGHT


def up(x: float, y: float, z: float) -> lw.Plane:
    return lw.Plane((x, y, z), (0, 0, 1), (1, 0, 0))


def spots(seed: int) -> list[tuple[float, float]]:
    random = np.random.default_rng(seed)
    found = [(PITCH * (i + 0.5), PITCH * (j + 0.5)) for i, j in itertools.product(ROWS, ROWS)]
    return [found[k] for k in random.permutation(len(found))]


def slab() -> lw.Body:
    return lw.box(PITCH * len(ROWS), PITCH * len(ROWS), HEIGHT)


def featured(seed: int) -> tuple[lw.Body, float]:
    """A slab with a hole, a pocket, a boss, a drilled boss or an island in a pocket at every spot, one by
    one, and its volume in closed form."""
    body, volume = slab(), SLAB
    for k, (x, y) in enumerate(spots(seed)):
        kind = k % 5
        if kind == 0:
            body, volume = lw.cut(body, lw.cylinder(4, 30, on=up(x, y, -5))), volume - 16 * math.pi * HEIGHT
        elif kind == 1:
            body, volume = lw.cut(body, lw.box(8, 6, 9, on=up(x - 4, y - 3, 5))), volume - 8 * 6 * 7
        elif kind == 2:
            body, volume = lw.union(body, lw.cylinder(5, 8, on=up(x, y, 10))), volume + 25 * math.pi * 6
        elif kind == 3:
            body = lw.cut(
                lw.union(body, lw.cylinder(5, 8, on=up(x, y, 10))), lw.cylinder(2, 40, on=up(x, y, -9))
            )
            volume += 25 * math.pi * 6 - 4 * math.pi * 18
        else:
            body = lw.cut(body, lw.cylinder(7, 9, on=up(x, y, 6)))
            body = lw.union(body, lw.box(4, 4, 5, on=up(x - 2, y - 2, 5)))
            volume += 16 * 4 - 49 * math.pi * 6
    return body, volume


@pytest.mark.parametrize("seed", range(3))
def test_features_one_by_one(seed):
    """Sixteen features in any order: the closed form, and the same numbers of faces and edges."""
    body, volume = featured(seed)
    assert body.is_valid
    assert body.volume == pytest.approx(volume, rel=1e-12)
    first, _ = featured(99)
    assert (len(body.faces()), len(body.edges())) == (len(first.faces()), len(first.edges()))


@pytest.mark.parametrize("seed", range(4))
def test_what_a_wide_tool_takes(seed):
    """A tool over some features and clear of others: cut and intersection are the whole together, and the
    cut is what comes out of it when the tool goes first."""
    body, volume = featured(seed)
    random = np.random.default_rng(seed)
    low = random.uniform(1.0, 30.0, 2)
    size = random.uniform(15.0, 45.0, 2)
    tool = lw.box(*size.tolist(), 60.0, on=up(*low.tolist(), -20.0))
    rest, taken = lw.cut(body, tool), lw.intersect(body, tool)
    assert rest.volume + taken.volume == pytest.approx(volume, rel=1e-12)
    points = random.uniform((0, 0, -1), (80, 80, 20), (300, 3))
    assert (rest.contains(points) == (body.contains(points) & ~tool.contains(points))).all()
    assert (taken.contains(points) == (body.contains(points) & tool.contains(points))).all()
    joined = lw.union(body, tool)
    assert (joined.contains(points) == (body.contains(points) | tool.contains(points))).all()
    assert joined.volume == pytest.approx(rest.volume + tool.volume, rel=1e-12)


def test_holes_into_a_void():
    """Holes through the wall of a hollow block join its skins; the last step is clear of all of them."""
    block = lw.cut(lw.box(80, 80, 30), lw.box(70, 70, 20, on=up(5, 5, 5)))
    for k in range(6):
        block = lw.cut(block, lw.cylinder(3, 10, on=up(12 + 11 * k, 20, 22)))
    block = lw.cut(block, lw.cylinder(3, 10, on=up(40, 60, 22)))
    assert block.lumps == 1 and block.is_valid
    assert len(block.faces()) == 12 + 7
    assert block.volume == pytest.approx(80 * 80 * 30 - 70 * 70 * 20 - 7 * 9 * math.pi * 5, rel=1e-12)


def test_a_slab_cut_in_halves_keeps_the_holes_of_either():
    """A slot through the middle leaves two faces of one: each hole comes back into its own."""
    body = slab()
    for x, y in spots(5):
        body = lw.cut(body, lw.cylinder(3, 30, on=up(x, y, -5)))
    halves = lw.separate(lw.cut(body, lw.box(2, 100, 30, on=up(39, -5, -5))))
    expected = (39 * 80 - 8 * 9 * math.pi) * HEIGHT
    assert [half.volume for half in halves] == pytest.approx([expected, expected], rel=1e-12)
    assert [len(half.faces()) for half in halves] == [14, 14]


def test_what_a_step_leaves_alone_is_the_very_same():
    """Faces and edges of far holes are kept, so that what is known about them is not found out again."""
    body = slab()
    for x, y in spots(6)[:12]:
        body = lw.cut(body, lw.cylinder(3, 30, on=up(x, y, -5)))
    x, y = spots(6)[12]
    after = lw.cut(body, lw.cylinder(3, 5, on=up(x, y, 10)))
    kept = {face.brep for face in body.faces()} & {face.brep for face in after.faces()}
    assert len(kept) == len(body.faces()) - 1
