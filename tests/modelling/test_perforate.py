"""Perforated walls: the open share as asked, volumes against cuts one by one, and what is refused."""

from __future__ import annotations

import math

import pytest

import lathwick as lw

from ..conftest import sound


def tube(outer=20.0, inner=18.0, height=50.0):
    body = lw.cut(lw.cylinder(outer, height, step="out"), lw.cylinder(inner, height, step="in"))
    return body, body.faces("out/side")


def open_share(body, made, face):
    """Of the face of a body that is still there, with holes, after a perforation."""
    area = face[0].area
    left = [one.area for one in made.faces() if one.names == face[0].names]
    assert len(left) == 1
    assert len(body.faces()) < len(made.faces())
    return 1.0 - left[0] / area


@pytest.mark.parametrize("cell", ["hexagon", "circle", "slot", "drawn"])
def test_a_wall_is_open_as_asked(cell, tmp_path, outside_check):
    """Planar, round and conical walls, outside and inside, with every kind of cell."""
    share = 0.1 if cell == "drawn" else 0.3
    if cell == "drawn":
        cell = lw.Sketch(lw.XY)
        cell.polyline([(0, 0), (3, 0), (1, 2)], close=True)
    cone = lw.cut(lw.cone(30, 15, 40, step="out"), lw.cone(28, 13, 40, step="in"))
    pipe, outer = tube()
    inner = pipe.faces("in/side")
    plate = lw.box(60, 40, 3, step="plate")
    for body, face in (
        (cone, cone.faces("out/side")),
        (pipe, outer),
        (pipe, inner),
        (plate, plate.faces("plate/top")),
    ):
        made = lw.perforate(body, face, 14, 4, share, cell=cell)
        assert open_share(body, made, face) == pytest.approx(share, abs=1e-8)
        assert made.is_valid
        assert made.lumps == 1
    sound(lw.perforate(plate, plate.faces("plate/top"), 4, 3, share, cell=cell), tmp_path, outside_check)


def test_cells_are_what_cuts_one_by_one_make():
    """Round holes square to a tube: the volume and the faces of as many cylinders cut out."""
    body, face = tube()
    made = lw.perforate(body, face, 8, 3, 0.25, cell="circle", step="sieve")
    holes = made.faces("sieve/side")
    assert len(holes) == 24
    assert len({round(hole.radius, 9) for hole in holes}) == 1
    pins = [
        lw.cylinder(holes[0].radius, 6, on=lw.Plane(_on(16, turn, level), _on(1, turn, 0)))
        for turn in (360 / 8 * (k + 0.5) for k in range(8))
        for level in (50 / 6, 25, 50 - 50 / 6)
    ]
    assert lw.cut(body, *pins).volume == pytest.approx(made.volume, rel=1e-9)


def _on(radius, degrees, level):
    return (radius * math.cos(math.radians(degrees)), radius * math.sin(math.radians(degrees)), level)


def test_hexagons_of_a_plate():
    """They cover the wall up to the ribs; ribs are closed form; borders stay closed."""
    plate = lw.box(60, 40, 3, step="plate")
    made = lw.perforate(plate, plate.faces("plate/top"), 10, 6, 0.6, border=4)
    assert made.volume == pytest.approx(3 * (2400 - 0.6 * 52 * 32), rel=1e-12)
    disc = lw.cylinder(30, 2, step="disc")
    sieve = lw.perforate(disc, disc.faces("disc/top"), 12, 12, 0.5)
    assert sieve.volume == pytest.approx(math.pi * 900, rel=1e-12)
    low, high = sieve.bounds
    assert (low, high) == disc.bounds


def test_a_lofted_wall():
    """A ruled funnel from square to round, and a smooth one through circles."""
    rings = []
    for level, radius in ((0, 15), (20, 22), (50, 40)):
        ring = lw.Sketch(lw.XY.offset(level))
        ring.circle((0, 0), radius)
        inner = lw.Sketch(lw.XY.offset(level))
        inner.circle((0, 0), radius - 2)
        rings.append((ring, inner))
    body = lw.cut(lw.loft([r[0] for r in rings], step="out"), lw.loft([r[1] for r in rings], step="in"))
    face = body.faces("out/side")
    made = lw.perforate(body, face, 10, 3, 0.4, border=2)
    assert made.is_valid
    assert 0.3 < open_share(body, made, face) < 0.4


@pytest.mark.parametrize(
    ("values", "message"),
    [
        ({"openness": 0.9, "cell": "circle"}, "openness is at most 0.7"),
        ({"openness": 1.0}, "more than 0 and less than 1"),
        ({"around": 2.5}, "around takes a whole number, got 2.5"),
        ({"around": 1000, "along": 1000}, "at most 20000 cells"),
        ({"around": 2}, "too large for a wall that bends so much"),
        ({"border": 30}, "it must be less than 25"),
        ({"cell": "star"}, 'a cell is "hexagon", "circle", "slot" or a sketch'),
    ],
)
def test_what_does_not_fit_is_refused(values, message):
    body, face = tube()
    with pytest.raises(lw.ModellingError, match=message):
        lw.perforate(body, face, **{"around": 8, "along": 3, "openness": 0.3, **values})


def test_what_lies_behind_is_looked_at():
    """A rib behind the wall, an edge in the way, nothing behind."""
    body, _ = tube()
    ribbed = lw.union(body, lw.box(4, 36.2, 50, on=lw.Plane((-2, -18.1, 0), (0, 0, 1))))
    outside = ribbed.faces("out/side")
    with pytest.raises(lw.ModellingError, match=r"reaches over the border of a face|no wall behind the face"):
        lw.perforate(ribbed, outside, 12, 3, 0.5)
    ball = lw.sphere(10)
    with pytest.raises(lw.ModellingError, match="is not perforated"):
        lw.perforate(ball, ball.faces(), 8, 3, 0.3)


@pytest.mark.parametrize("thickness", [1.5, -1.5])
def test_plates_from_faces(thickness):
    """A plate fits between the faces beside it; round walls by their radii."""
    box = lw.box(30, 20, 10, step="box")
    plate = lw.thicken(box.faces("box/top"), thickness)
    assert plate.volume == pytest.approx(900, rel=1e-14)
    corner = lw.thicken([*box.faces("box/top"), *box.faces("box/side:right")], thickness)
    more = 1 if thickness > 0 else -1
    assert corner.volume == pytest.approx(900 + 300 + more * 20 * 1.5**2, rel=1e-13)
    pin = lw.cylinder(10, 30, step="pin")
    sleeve = lw.thicken(pin.faces("pin/side"), thickness)
    assert sleeve.volume == pytest.approx(abs((10 + thickness) ** 2 - 100) * math.pi * 30, rel=1e-13)
    with pytest.raises(lw.ModellingError, match="different bodies"):
        lw.thicken([*box.faces("box/top"), *pin.faces("pin/side")], 1)
    with pytest.raises(lw.ModellingError, match="not nought"):
        lw.thicken(box.faces("box/top"), 0)
