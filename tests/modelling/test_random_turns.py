"""Random profiles turned about an axis, whole and in part, and drilled along it or beside it: volumes by the
theorem of Pappus, points by the profile, both outside checkers."""

from __future__ import annotations

import math

import numpy as np
import pytest

import lathwick as lw

from ..conftest import unsound

ANGLES = (360, 360, 90, 180, 270, 37.5, 300)


def corners(rng: np.random.Generator) -> list[tuple[float, float]]:
    """Of a polygon seen whole from its middle, which may lie on the axis; half of them on a lattice."""
    count = int(rng.integers(3, 9))
    middle = np.array([rng.uniform(3, 12) if rng.integers(3) else 0.0, rng.uniform(-3, 3)])
    around = np.sort(rng.uniform(0, math.tau, count))
    if np.diff(np.append(around, around[0] + math.tau)).max() > 2.8:
        return corners(rng)
    far = rng.uniform(1, 5, count)
    points = middle + np.column_stack([far * np.cos(around), far * np.sin(around)])
    if rng.random() < 0.5:
        points = np.round(points)
    points[:, 0] = np.maximum(points[:, 0], 0.0)
    return [(float(x), float(y)) for x, y in points]


def profile(seed: int) -> lw.Region | None:
    """Some corners rounded; None for a drawing that has no profile."""
    rng = np.random.default_rng(seed)
    sketch = lw.Sketch(lw.XZ)
    try:
        drawn = sketch.polyline(corners(rng), close=True)
        regions = sketch.regions()
    except lw.SketchError:
        return None
    if len(regions) != 1:
        return None
    for line in drawn.lines if rng.random() < 0.5 else ():
        if rng.random() < 0.4:
            try:
                sketch.round(line.end, float(rng.uniform(0.1, 0.8)))
            except lw.SketchError:
                continue  # no room for it
    return sketch.regions()[0]


def turned(seed: int) -> tuple[lw.Region, lw.Body, float] | None:
    """The profile, the solid and the angle, unless the profile touches the axis in single points."""
    region = profile(seed)
    angle = float(np.random.default_rng([seed, 1]).choice(ANGLES))
    if region is None:
        return None
    try:
        return region, lw.revolve(region, lw.Z, angle), angle
    except lw.ModellingError as error:
        assert "single point" in error.message or "touches the axis" in error.message
        return None


def wrong_points(region: lw.Region, body: lw.Body, angle: float) -> int:
    points = np.random.default_rng(5).uniform((-17, -17, -9), (17, 17, 9), (300, 3))
    around = np.degrees(np.arctan2(points[:, 1], points[:, 0])) % 360
    flat = zip(np.hypot(points[:, 0], points[:, 1]).tolist(), points[:, 2].tolist(), strict=True)
    inside = np.array([region.contains(p) for p in flat]) & (around < angle)
    return int((inside != body.contains(points)).sum())


@pytest.mark.parametrize("seed", range(40))
def test_a_random_profile_turns_into_the_solid_that_pappus_knows(seed, tmp_path):
    made = turned(seed)
    if made is None:
        return
    region, body, angle = made
    assert body.volume == pytest.approx(math.radians(angle) * region.area * region.centroid[0], rel=1e-9)
    assert not wrong_points(region, body, angle)
    assert not unsound(body, tmp_path)


def drawn(points, rounds=()):
    sketch = lw.Sketch(lw.XZ)
    lines = sketch.polyline(points, close=True).lines
    for corner, radius in rounds:
        sketch.round(lines[corner].end, radius)
    return sketch


def test_a_cone_cut_open_at_its_tip_is_meshed(tmp_path):
    """By rounding, its boundary missed its tip by less than 1e-15."""
    points = [(0.0, 4.043497162734053), (0.0, -0.273937962790776), (2.275823959186559, -0.4165082076524951)]
    body = lw.revolve(drawn(points), lw.Z, 300)
    for shift in (0.0, 1e-17, -1e-17, 0.1):
        for angle in (0.0, 50.0, 170.0):
            made = lw.turn(lw.move(body, shift, shift), angle, lw.Axis((0.3, 0.2, 0.1), (0.1, 0.2, 1.0)))
            assert not unsound(made, tmp_path)


CRESTS = [
    ([(8, 2), (6, 1), (6, -3), (7, -3), (9, -6), (9, -3)], (5, 0.3697580951993743), (1, 5, 5)),
    ([(11, 2), (10, 4), (9, 2), (9, 1), (7, 4), (7, -2), (12, -3)], (3, 0.32050593006824873), (3, 2, 4)),
]


@pytest.mark.parametrize(("points", "corner", "bore"), CRESTS)
def test_a_bore_over_the_crest_of_a_round_is_meshed(points, corner, bore, tmp_path):
    """Faces of many triangles had some that ran through their neighbour's."""
    body = lw.revolve(drawn(points, [corner]), lw.Z, 300)
    radius, x, y = bore
    tool = lw.cylinder(radius, 40, on=lw.Plane((x, y, -20), (0, 0, 1)))
    assert not unsound(lw.cut(body, tool), tmp_path)


@pytest.mark.parametrize("seed", range(40, 60))
def test_what_a_bore_takes_from_it_and_what_it_leaves_are_the_whole(seed, tmp_path):
    made = turned(seed)
    if made is None:
        return
    _, body, _ = made
    rng = np.random.default_rng([seed, 2])
    x, y = rng.integers(-6, 7, 2).tolist()
    bore = lw.cylinder(float(rng.choice([0.5, 1, 2, 3])), 40, on=lw.Plane((x, y, -20), (0, 0, 1)))
    try:
        parts = lw.cut(body, bore), lw.intersect(body, bore)
    except lw.ModellingError as error:
        assert any(text in error.message for text in ("everything", "empty", "touch itself"))
        return
    assert sum(part.volume for part in parts) == pytest.approx(body.volume, rel=1e-9)
    for part in parts:
        assert not unsound(part, tmp_path)
