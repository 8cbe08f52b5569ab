"""Rounds that end in a point where their faces meet smoothly, and rounds that pass over one of their own
radius."""

from __future__ import annotations

import math

import numpy as np
import pytest

import lathwick as lw

from ..conftest import sound
from ..rounded_unions import random_union

PIPE, BALL = 4.0, 1.0


def pipe(axis: int, low: float, high: float) -> lw.Body:
    way = np.eye(3)[axis]
    plane = lw.Plane(tuple((low * way).tolist()), tuple(way.tolist()))
    return lw.cylinder(PIPE, high - low, on=plane, step="xyz"[axis])


def gaps_to_places(p: np.ndarray, wide: float) -> np.ndarray:
    """Distances of points, (N, 3), from where the middle of a ball may be: `wide` or more away from the axes
    X and Y. The nearest such place is right outward from one of the axes, or on a curve of both."""
    t = np.linspace(0.0, math.tau, 20001)
    x, z = wide * np.cos(t), wide * np.sin(t)
    curves = np.concatenate([np.column_stack([x, x, z]), np.column_stack([x, -x, z])])
    off = [np.hypot(p[:, 1], p[:, 2]), np.hypot(p[:, 0], p[:, 2])]
    found = np.array([np.sqrt(((curves - q) ** 2).sum(axis=1).min()) for q in p])
    for k in (0, 1):
        grown = p[:, [1 - k, 2]] * (wide / off[k])[:, None]
        moved = p.copy()
        moved[:, [1 - k, 2]] = grown
        allowed = np.hypot(moved[:, k], moved[:, 2]) >= wide
        found = np.where(allowed & (off[k] < wide), np.minimum(found, wide - off[k]), found)
    return np.where((off[0] >= wide) & (off[1] >= wide), 0.0, found)


def test_the_seam_of_equal_crossing_pipes_against_balls(tmp_path, outside_check):
    cross = lw.union(pipe(0, -20, 20), pipe(1, -20, 20))
    made = lw.fillet(cross, cross.edges().concave(), BALL, step="soft")
    tee = lw.union(pipe(0, -20, 20), pipe(1, 0, 20))
    half = lw.fillet(tee, tee.edges().concave(), BALL, step="soft")
    assert made.volume - cross.volume == pytest.approx(2 * (half.volume - tee.volume), rel=1e-7)
    rng = np.random.default_rng(4)
    z = rng.uniform(-PIPE, PIPE, 500)
    seam = np.sqrt(PIPE**2 - z * z)  # how far from the middle the pipes meet
    points = np.column_stack([seam, seam, z]) * [[1.0, -1.0, 1.0]]
    points[:, :2] += rng.uniform(-0.3, 0.8, (500, 2)) * np.sign(points[:, :2])
    gaps = gaps_to_places(points, PIPE + BALL)
    clear = np.abs(gaps - BALL) > 1e-5
    assert (made.contains(points)[clear] == (gaps > BALL)[clear]).all()
    filled = made.contains(points) & ~cross.contains(points)
    assert filled.sum() > 20
    sound(half, tmp_path, outside_check)


def test_rounds_of_equal_crossing_pipes_end_in_the_crossing():
    cross = lw.union(pipe(0, -20, 20), pipe(1, -20, 20))
    made = lw.fillet(cross, cross.edges().concave(), BALL, step="soft")
    rounds = made.faces("soft/round")
    assert len(rounds) == 4 and all(len(face.edges()) == 2 for face in rounds)
    tips = [v for v in made.vertices() if math.dist(v.point, (0, 0, math.copysign(PIPE, v.point[2]))) < 1e-9]
    assert len(tips) == 2


def skewed() -> lw.Body:
    """A block with a top askew in both directions: its four upper corners are all unlike."""
    n = np.array([0.3, 0.2, 1.0]) / math.sqrt(1.13)
    x = np.cross([0.0, 1.0, 0.0], n) / np.linalg.norm(np.cross([0.0, 1.0, 0.0], n))
    corner = np.array([0.0, 0.0, 2.0]) - 100 * x - 100 * np.cross(n, x)
    above = lw.box(200, 200, 50, on=lw.Plane(*(tuple(v.tolist()) for v in (corner, n, x))))
    return lw.cut(lw.box(20, 20, 20, on=lw.Plane((-10, -10, -10), (0, 0, 1))), above)


@pytest.mark.parametrize("first", [0, 1, 2])
@pytest.mark.parametrize(("x", "y"), [(-10, -10), (-10, 10), (10, -10), (10, 10)])
def test_a_corner_is_the_same_in_one_step_and_in_two(x, y, first):
    body = skewed()
    (top,) = [v for v in body.vertices() if math.dist(v.point[:2], (x, y)) < 1e-6 and v.point[2] > -9]
    edges = [edge for edge in body.edges() if edge.distance_to(top.point) < 1e-9]
    at_once = lw.fillet(body, edges, 2)
    middles = [edge.midpoint for k, edge in enumerate(edges) if k != first]
    one = lw.fillet(body, edges[first], 2)
    rest = [edge for edge in one.edges() if any(edge.distance_to(p) < 1e-9 for p in middles)]
    two = lw.fillet(one, rest, 2)
    assert len(rest) == 2 and len(two.faces()) == len(at_once.faces()) == 10
    assert two.volume == pytest.approx(at_once.volume, rel=1e-12)
    assert two.area == pytest.approx(at_once.area, rel=1e-12)


def test_edges_of_both_kinds_about_concave_corners(tmp_path, outside_check):
    """Convex and concave edges that meet, where concave corners cannot all be closed at once."""
    body, edges, _ = random_union(181)
    made = lw.fillet(body, edges, 0.1)
    sound(made, tmp_path, outside_check)
    assert all(face.kind in {"plane", "cylinder", "torus", "sphere", "canal"} for face in made.faces())


@pytest.mark.parametrize("radius", [0.5, 1.5])
def test_all_edges_of_two_blocks_that_share_a_level(radius, tmp_path, outside_check):
    """The edges of both kinds run in rings that wait for each other."""
    tall = lw.box(20, 10, 15, on=lw.Plane((-10, 0, 5), (0, 0, 1)), step="tall")
    low = lw.box(25, 10, 10, on=lw.Plane((-25, 5, 5), (0, 0, 1)), step="low")
    body = lw.union(tall, low)
    made = lw.fillet(body, body.edges(), radius, step="soft")
    assert all(abs(edge.angle) < 1e-6 for edge in made.edges())  # nothing is left sharp
    sound(made, tmp_path, outside_check)


@pytest.mark.parametrize("lean", [0.5, 1.0, 1.25])
def test_the_seam_of_a_post_that_leans(lean, tmp_path, outside_check):
    """Beside a post that leans far over the ball keeps far from the edge."""
    plate = lw.box(80, 40, 8, on=lw.Plane((-30, -20, -8), (0, 0, 1)))
    way = (math.sin(lean), 0.0, math.cos(lean))
    post = lw.cylinder(6, 60, on=lw.Plane((-20 * way[0], 0, -20 * way[2]), way))
    body = lw.union(plate, lw.cut(post, lw.box(200, 200, 100, on=lw.Plane((-100, -100, -101), (0, 0, 1)))))
    made = lw.fillet(body, body.edges().concave(), 1, step="soft")
    sound(made, tmp_path, outside_check)
