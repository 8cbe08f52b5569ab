"""B-spline surfaces: against round surfaces in closed form, finite differences and dense search."""

import math

import numpy as np
import pytest
from scipy.interpolate import BSpline

from lathwick.geometry.spline_surface import SplineSurface

HALF = math.sqrt(0.5)
ARC = (0.0, 0.0, 0.0, 1.0, 1.0, 1.0)


def quarter_ring(major=5.0, minor=2.0):
    """A quarter of a torus, a quarter of the way round its tube, as a rational surface."""
    corner = np.array([(1, 0), (1, 1), (0, 1)], dtype=float)
    row = np.array([1.0, HALF, 1.0])
    controls = np.empty((3, 3, 3))
    for i, (x, y) in enumerate(corner):
        for j, (a, b) in enumerate(corner):
            reach = major + minor * a
            controls[i, j] = (reach * x, reach * y, minor * b)
    return SplineSurface((2, 2), (ARC, ARC), controls, np.outer(row, row))


def wavy(seed=0, weights=False):
    """A cubic surface over a bumpy net, with inner knots."""
    random = np.random.default_rng(seed)
    x, y = np.meshgrid(np.arange(7.0), np.arange(6.0), indexing="ij")
    controls = np.stack([x, y, random.uniform(-0.5, 0.5, x.shape)], axis=2)
    ku = (0.0,) * 4 + (0.2, 0.5, 0.6) + (1.0,) * 4
    kv = (0.0,) * 3 + (0.5, 1.2, 2.0) + (3.0,) * 3
    w = random.uniform(0.5, 2.0, x.shape) if weights else None
    return SplineSurface((3, 2), (ku, kv), controls, w)


def inside(surface, count, seed=1):
    low, high = np.array(surface.low), np.array(surface.high)
    return low + (high - low) * np.random.default_rng(seed).random((count, 2))


def test_a_rational_quarter_of_a_torus_is_round():
    """Points on the torus, normals out of its tube, areas by quadrature, distances from points off it."""
    ring = quarter_ring()
    p = ring.points(inside(ring, 500))
    around = np.hypot(p[:, 0], p[:, 1])
    assert np.abs(np.hypot(around - 5.0, p[:, 2]) - 2.0).max() < 1e-14
    out = np.column_stack([p[:, :2] * ((around - 5.0) / around)[:, None], p[:, 2]]) / 2.0
    assert np.abs(ring.normals(p) - out).max() < 1e-9
    nodes, weights = np.polynomial.legendre.leggauss(40)
    t = 0.5 * (nodes + 1.0)
    uv = np.array(np.meshgrid(t, t, indexing="ij")).reshape(2, -1).T
    d = ring.derivatives(uv, 1)
    area = 0.25 * np.linalg.norm(np.cross(d[1][0], d[0][1]), axis=1) @ np.outer(weights, weights).ravel()
    assert area == pytest.approx(0.5 * math.pi * (0.5 * math.pi * 2 * 5 + 2 * 2), rel=1e-13)
    far = p + 0.7 * out
    assert np.abs(ring.distance(far) - 0.7).max() < 1e-12
    assert np.abs(ring.distance(p - 0.7 * out) + 0.7).max() < 1e-12
    assert np.linalg.norm(ring.points(ring.parameters(far)) - p, axis=1).max() < 1e-7


@pytest.mark.parametrize("weights", [False, True])
def test_derivatives_are_those_of_the_points(weights):
    """First and second ones, by central differences; polynomial points also by another evaluator."""
    surface = wavy(weights=weights)
    uv = inside(surface, 200)
    d, h = surface.derivatives(uv), 1e-5
    for k, key in ((0, (1, 0)), (1, (0, 1))):
        step = np.eye(2)[k] * h
        ahead, behind = surface.derivatives(uv + step), surface.derivatives(uv - step)
        i, j = key
        assert np.abs((ahead[0][0] - behind[0][0]) / (2 * h) - d[i][j]).max() < 1e-6
        assert np.abs((ahead[1][0] - behind[1][0]) / (2 * h) - d[i + 1][j]).max() < 1e-3
        assert np.abs((ahead[0][1] - behind[0][1]) / (2 * h) - d[i][j + 1]).max() < 1e-3
    if not weights:
        rows = [
            BSpline.design_matrix(uv[:, k], np.array(surface.knots[k]), surface.degrees[k]).toarray()
            for k in (0, 1)
        ]
        other = np.einsum("na,nb,abc->nc", *rows, surface.controls)
        assert np.abs(other - surface.points(uv)).max() < 1e-13


@pytest.mark.parametrize("weights", [False, True])
def test_the_nearest_point_is_the_nearest(weights):
    """No place on a dense grid is nearer; points of the surface come back to themselves."""
    surface = wavy(3, weights)
    uv = inside(surface, 300)
    assert np.abs(surface.points(surface.parameters(surface.points(uv))) - surface.points(uv)).max() < 1e-10
    spots = np.random.default_rng(5).uniform((-1, -1, -1.5), (7, 6, 1.5), (300, 3))
    feet = surface.points(surface.parameters(spots))
    t = np.linspace(0.0, 1.0, 161)
    grid = np.array(np.meshgrid(t, 3.0 * t)).reshape(2, -1).T
    dense = surface.points(grid)
    away = np.linalg.norm(feet - spots, axis=1)
    least = np.array([np.linalg.norm(dense - s, axis=1).min() for s in spots])
    assert (away <= least + 1e-9).mean() > 0.99  # a few have two feet nearly as near
    assert np.abs(np.abs(surface.distance(spots)) - away).max() < 1e-12
