"""Blocks under a free-form top, put together face by face."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise, product

import numpy as np
from numpy.polynomial.legendre import leggauss

import lathwick as lw
from lathwick.geometry.curve import Curve
from lathwick.geometry.curves import Line
from lathwick.geometry.placement import Plane
from lathwick.geometry.spline import SplineCurve, interpolated
from lathwick.geometry.spline_surface import SplineSurface
from lathwick.geometry.surface import Surface
from lathwick.geometry.surfaces import PlaneSurface
from lathwick.geometry.vector import distance, sub, unit
from lathwick.topology.brep import Coedge, Edge, Face, Loop, Lump, Shell, Vertex
from lathwick.topology.names import FaceName

KNOTS = {
    "bicubic": ((0.0,) * 4 + (1.0,) * 4, (0.0,) * 4 + (1.0,) * 4),
    "uneven": ((0.0,) * 4 + (0.15, 0.2, 0.6) + (1.0,) * 4, (0.0,) * 4 + (0.5, 0.55) + (1.0,) * 4),
    "rational": ((0.0,) * 4 + (0.5,) + (1.0,) * 4, (0.0,) * 3 + (0.4,) + (1.0,) * 3),
}
LONG, WIDE, TALL = 10.0, 8.0, 5.0


def top_surface(kind: str, bump: float = 0.6, seed: int = 0) -> SplineSurface:
    """A wavy surface over LONG by WIDE, about TALL high; over its four borders it is polynomial."""
    knots = KNOTS[kind]
    degrees = tuple(k.count(k[0]) - 1 for k in knots)
    stops = [
        np.array([np.mean(k[i + 1 : i + p + 1]) for i in range(len(k) - p - 1)])
        for k, p in zip(knots, degrees, strict=True)
    ]
    random = np.random.default_rng(seed)
    x, y = np.meshgrid(LONG * stops[0], WIDE * stops[1], indexing="ij")
    controls = np.stack([x, y, TALL + bump * random.uniform(-1, 1, x.shape)], axis=2)
    weights = None
    if kind == "rational":
        weights = np.ones(x.shape)
        weights[1:-1, 1:-1] = random.uniform(0.7, 1.4, (x.shape[0] - 2, x.shape[1] - 2))
    return SplineSurface(degrees, knots, controls, weights)


def borders(surface: SplineSurface) -> list[SplineCurve]:
    """The curves at v low, u high, v high and u low, in the direction of the parameter."""
    (ku, kv), (pu, pv), c = surface.knots, surface.degrees, surface.controls
    return [
        SplineCurve(pu, ku, c[:, 0]),
        SplineCurve(pv, kv, c[-1]),
        SplineCurve(pu, ku, c[:, -1]),
        SplineCurve(pv, kv, c[0]),
    ]


def block_under(surface: Surface, rims: Sequence[Curve], ranges: Sequence[tuple[float, float]]) -> lw.Body:
    """A block on the XY plane with this top; rims : its borders as `borders` gives them."""
    starts = [rims[0].point(ranges[0][0]), rims[0].point(ranges[0][1]),
              rims[2].point(ranges[2][1]), rims[2].point(ranges[2][0])]  # fmt: skip
    top = [Vertex(p) for p in starts]
    bottom = [Vertex((p[0], p[1], 0.0)) for p in starts]
    ends = [(0, 1), (1, 2), (3, 2), (0, 3)]
    over = [Edge(rims[i], *ranges[i], top[a], top[b]) for i, (a, b) in enumerate(ends)]
    below = [_line(bottom[i], bottom[(i + 1) % 4]) for i in range(4)]
    up = [_line(bottom[i], top[i]) for i in range(4)]
    ways = (True, True, False, False)
    faces = [
        Face(surface, True, (Loop(tuple(map(Coedge, over, ways))),), (FaceName("block", "top"),)),
        Face(
            PlaneSurface(Plane((0, 0, 0), (0, 0, 1))),
            False,
            (Loop(tuple(Coedge(edge, False) for edge in reversed(below))),),
            (FaceName("block", "bottom"),),
        ),
    ]
    for i in range(4):
        j = (i + 1) % 4
        way = sub(bottom[j].point, bottom[i].point)
        plane = Plane(bottom[i].point, unit((way[1], -way[0], 0.0)))
        ring = (
            Coedge(below[i], True),
            Coedge(up[j], True),
            Coedge(over[i], not ways[i]),
            Coedge(up[i], False),
        )
        faces.append(Face(PlaneSurface(plane), True, (Loop(ring),), (FaceName("block", "side", str(i)),)))
    return lw.Body.made([Lump(Shell(tuple(faces)))], "mm")


def spline_block(kind: str, bump: float = 0.6, seed: int = 0) -> lw.Body:
    """A block under a B-spline surface."""
    surface = top_surface(kind, bump, seed)
    return block_under(surface, borders(surface), [(0.0, 1.0)] * 4)


def _line(a: Vertex, b: Vertex) -> Edge:
    return Edge(Line(a.point, unit(sub(b.point, a.point))), 0.0, distance(a.point, b.point), a, b)


def volume_under(surface: SplineSurface, nodes: int = 30) -> float:
    """The integral of the height over the plan, by a Gauss rule on every patch."""
    x, w = leggauss(nodes)
    total = 0.0
    patches = product(*(pairwise(np.unique(knots)) for knots in surface.knots))
    for (a, b), (c, d) in patches:
        u, v = a + (b - a) * (x + 1) / 2, c + (d - c) * (x + 1) / 2
        uv = np.stack(np.meshgrid(u, v, indexing="ij"), axis=-1).reshape(-1, 2)
        slopes = surface.derivatives(uv, 1)
        area = np.cross(slopes[1][0], slopes[0][1])[:, 2]
        total += float(slopes[0][0][:, 2] * area @ np.outer(w, w).ravel()) * (b - a) * (d - c) / 4
    return total


PROFILE = [(0, -4), (3, -3), (4, 0), (3, 3), (0, 4), (-3, 3), (-5, 0), (-3, -3)]


def ring_surface(sizes: Sequence[float], heights: Sequence[float]) -> tuple[SplineSurface, list[SplineCurve]]:
    """A closed profile, times sizes at heights (control values along v of a Bezier curve); and its rims."""
    ring = interpolated(np.array(PROFILE, dtype=float), closed=True)
    degree = len(sizes) - 1
    layers = [np.column_stack([s * ring.controls, np.full(len(ring.controls), h)])
              for s, h in zip(sizes, heights, strict=True)]  # fmt: skip
    knots = (ring.knots, (0.0,) * (degree + 1) + (1.0,) * (degree + 1))
    surface = SplineSurface((3, degree), knots, np.stack(layers, axis=1))
    return surface, [SplineCurve(3, ring.knots, layers[k]) for k in (0, -1)]


def ring_body(sizes: Sequence[float], heights: Sequence[float]) -> lw.Body:
    """What lies inside a ring surface, between level caps; where the last size is nought there is a pole."""
    surface, rims = ring_surface(sizes, heights)
    edges = [Edge(rim, rim.low, rim.high, None, None) for rim in rims[: 1 if sizes[-1] == 0.0 else 2]]
    walls = tuple(Loop((Coedge(edge, k == 0),)) for k, edge in enumerate(edges))
    faces = [Face(surface, True, walls, (FaceName("ring", "side"),))]
    for k, edge in enumerate(edges):
        cap = PlaneSurface(Plane((0, 0, heights[-k]), (0, 0, 1)))
        loop = Loop((Coedge(edge, k == 1),))
        faces.append(Face(cap, k == 1, (loop,), (FaceName("ring", ("start", "end")[k]),)))
    return lw.Body.made([Lump(Shell(tuple(faces)))], "mm")


def ring_volume(sizes: Sequence[float], heights: Sequence[float]) -> float:
    """The area of the profile times the integral of size squared over the height."""
    area = lw.extrude(_profile_sketch(), 1.0).volume
    x, w = leggauss(12)
    v, n = 0.5 * (x + 1.0), len(sizes) - 1
    basis = [math.comb(n, k) * v**k * (1 - v) ** (n - k) for k in range(n + 1)]
    size = sum(s * b for s, b in zip(sizes, basis, strict=True))
    slopes = [math.comb(n - 1, k) * v**k * (1 - v) ** (n - 1 - k) for k in range(n)]
    rise = n * sum((b - a) * s for a, b, s in zip(heights, heights[1:], slopes, strict=False))
    return area * float(0.5 * w @ (size**2 * rise))


def _profile_sketch() -> lw.Sketch:
    sk = lw.Sketch(lw.XY)
    sk.spline(PROFILE, close=True)
    return sk
