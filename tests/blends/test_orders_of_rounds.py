"""Groups of edges rounded in several steps, in every order: later rounds meet the ends of earlier ones."""

from __future__ import annotations

import itertools

import numpy as np
import pytest

import lathwick as lw

from ..conftest import sound

RADII = {"upright": 1.5, "inner": 1.5, "top": 1.0, "foot": 1.2}


def at(*origin: float) -> lw.Plane:
    return lw.Plane(origin, (0, 0, 1))


BODIES = {
    "block on a plate": lambda: lw.union(lw.box(30, 30, 10), lw.box(14, 14, 12, on=at(8, 8, 10))),
    "block on a side": lambda: lw.union(lw.box(30, 30, 10), lw.box(14, 14, 12, on=at(8, 0, 10))),
    "angle": lambda: lw.union(lw.box(30, 20, 6), lw.box(6, 20, 25)),
    "pocket": lambda: lw.cut(lw.box(30, 30, 15), lw.box(16, 12, 9, on=at(7, 9, 6))),
    "notch": lambda: lw.cut(lw.box(30, 30, 20), lw.box(14, 14, 12, on=at(16, 16, 8))),
}


def group(body: lw.Body, name: str) -> list[lw.BodyEdge]:
    sharp = [edge for edge in body.edges().convex() | body.edges().concave() if abs(edge.angle) > 5]
    if name in ("upright", "inner"):
        lines = [e for e in sharp if e.kind == "line" and abs(e.direction[2]) > 0.999]
        return [e for e in lines if (e.angle > 0) is (name == "upright")]
    high = body.bounds[1][2]
    heights = [(e, *(p[2] for p in e.brep.end_points())) for e in sharp]
    if name == "top":
        return [e for e, a, b in heights if e.angle > 0 and max(abs(a - high), abs(b - high)) < 1e-6]
    return [e for e, a, b in heights if e.angle < 0 and abs(a - b) < 1e-6]


def largest_angle(body: lw.Body) -> float:
    """Between the normals of faces that meet smoothly, radians."""
    found = [0.0]
    for edge, ((one, _), (two, _)) in body.faces_of_edge.items():
        points = edge.curve.points(np.linspace(edge.t0, edge.t1, 9))
        sines = np.linalg.norm(np.cross(one.surface.normals(points), two.surface.normals(points)), axis=1)
        if sines.max() < 5e-3:
            found.append(float(sines.max()))
    return max(found)


CASES = [
    (shape, order)
    for shape, make in BODIES.items()
    for order in itertools.permutations([name for name in RADII if group(make(), name)])
]


@pytest.mark.parametrize("number", range(0, len(CASES), 4))
def test_any_order(number, tmp_path, outside_check):
    shape, order = CASES[number]
    body = BODIES[shape]()
    for name in order:
        before = body.volume
        body = lw.fillet(body, group(body, name), RADII[name], step=name)
        assert (body.volume < before) is (name in ("upright", "top"))
        assert largest_angle(body) < 1e-6
    if number % 3 == 0:
        sound(body, tmp_path, outside_check)


FOOT = 1.0


def gaps_to_centers(p: np.ndarray, radius: float) -> np.ndarray:
    """Distances of points, (N, 3), from where the middle of a ball inside a corner may be: walls at x = 0 and
    y = 0, material where both are less, and rounds of radius `FOOT` down to the plate at z = 0."""
    z = np.linspace(-radius, FOOT + 3, 40001)
    below = np.sqrt(np.maximum((FOOT + radius) ** 2 - np.minimum(z - FOOT, 0.0) ** 2, 0.0))
    bound = FOOT - below  # the middle is at most so far out, in x and in y
    found = np.empty(len(p))
    for k, (x, y, h) in enumerate(p.tolist()):
        gaps = [np.sqrt((x - bound) ** 2 + (y - bound) ** 2 + (h - z) ** 2).min()]
        for one, other in ((x, y), (y, x)):
            flat = np.hypot(one - bound, h - z)
            nearest = int(flat.argmin())
            if other <= bound[nearest]:
                gaps.append(flat[nearest])
        found[k] = min(gaps)
    return found


@pytest.mark.parametrize("radius", [0.1, 2.4])
def test_an_edge_goes_on_along_the_crease_between_rounds_below_it(radius, tmp_path, outside_check):
    """The ball that rolls down an upright edge rolls on between the concave rounds at its foot, which meet in
    a mitre, as far as where that has run out. Against a set of balls."""
    body = BODIES["block on a plate"]()
    body = lw.fillet(body, group(body, "foot"), FOOT, step="foot")
    uprights = [e for e in group(body, "upright") if 5 < e.brep.midpoint()[0] < 25]
    (corner,) = [e for e in uprights if min(e.brep.midpoint()[:2]) > 20]
    made = lw.fillet(body, corner, radius, step="up")
    assert largest_angle(made) < 1e-6
    rng = np.random.default_rng(3)
    z = rng.uniform(0.02, FOOT + 0.5, 600)
    wall = FOOT - np.sqrt(FOOT**2 - np.minimum(z - FOOT, 0.0) ** 2)
    off = rng.uniform(-0.7 * radius, 0.02, (600, 2))
    points = np.column_stack([wall + off[:, 0], wall + off[:, 1], z])
    places = points + np.array([22, 22, 10])
    inside, kept = body.contains(places), made.contains(places)
    gaps = gaps_to_centers(points, radius)
    clear = np.abs(gaps - radius) > 1e-6
    assert (kept == (inside & (gaps < radius)))[clear].all()
    assert 20 < (inside & ~kept).sum() < 400
    four = lw.fillet(body, uprights, radius, step="up")
    assert body.volume - four.volume == pytest.approx(4 * (body.volume - made.volume), abs=1e-7)
    sound(four, tmp_path, outside_check)


@pytest.mark.parametrize("radius", [1.0])
def test_a_ball_rolls_on_between_larger_rounds_above_and_below(radius, tmp_path, outside_check):
    """Half as large as those, it stands still for a moment where it comes upon them."""
    body = BODIES["block on a plate"]()
    for name in ("top", "foot"):
        body = lw.fillet(body, group(body, name), 2.0, step=name)
    uprights = [e for e in group(body, "upright") if 5 < e.brep.midpoint()[0] < 25]
    made = lw.fillet(body, uprights, radius, step="up")
    assert largest_angle(made) < 1e-6
    assert len(made.faces("up/round")) == 12
    one = lw.fillet(body, uprights[0], radius, step="up")
    assert body.volume - made.volume == pytest.approx(4 * (body.volume - one.volume), rel=1e-7)
    sound(made, tmp_path, outside_check)
