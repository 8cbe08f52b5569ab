"""Fully defined sketches of workshop parts, drawn roughly on request.

Each function draws with `at(x, y)` and `size(r)`, which give back exact or disturbed values, and
constrains the drawing to `scale` times a known shape. It returns the sketch and its exact area.
"""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

import lathwick as lw

At = Callable[[float, float], tuple[float, float]]
Size = Callable[[float], float]
Case = Callable[[At, Size, float], tuple[lw.Sketch, float]]


def exact(scale: float = 1.0) -> tuple[At, Size]:
    return (lambda x, y: (scale * x, scale * y)), (lambda r: scale * r)


def rough(seed: int, share: float, extent: float, scale: float = 1.0) -> tuple[At, Size]:
    """Points off by up to `share` of `extent` in all, radii by up to `share` of themselves."""
    random = np.random.default_rng(seed)

    def at(x: float, y: float) -> tuple[float, float]:
        dx, dy = random.uniform(-1, 1, 2) * share * extent / math.sqrt(2)
        return (scale * (x + dx), scale * (y + dy))

    return at, lambda r: scale * r * (1 + share * random.uniform(-1, 1))


def spacer_plate(at: At, size: Size, k: float) -> tuple[lw.Sketch, float]:
    """A rectangle with two bolt holes on its middle line."""
    sk = lw.Sketch()
    p = sk.polyline([at(-40, -15), at(40, -15), at(40, 15), at(-40, 15)], close=True, name="edge")
    bottom, right, top, left = p.lines
    sk.horizontal(top)
    sk.vertical(right)
    sk.symmetric(bottom.start, bottom.end, sk.y_axis)
    sk.symmetric(bottom.start, top.end, sk.x_axis)
    sk.length(bottom, 80 * k, name="length")
    sk.length(left, 30 * k, name="width")
    holes = [sk.circle(at(x, 0), size(4), name=n) for x, n in ((-25, "west"), (25, "east"))]
    sk.equal(*holes)
    sk.diameter(holes[0], 8 * k, name="bolt")
    sk.on(holes[0].center, sk.x_axis)
    sk.symmetric(holes[0].center, holes[1].center, sk.y_axis)
    sk.distance(holes[0].center, holes[1].center, 50 * k, name="pitch")
    return sk, (2400 - 32 * math.pi) * k * k


def strap_link(at: At, size: Size, k: float) -> tuple[lw.Sketch, float]:
    """Two round ends joined by tangent lines, a hole in each."""
    sk = lw.Sketch()
    upper = sk.line(at(30, 12), at(-30, 12), name="upper")
    lower = sk.line(at(-30, -12), at(30, -12), name="lower")
    left = sk.arc(at(-30, 0), upper.end, lower.start, name="left")
    right = sk.arc(at(30, 0), lower.end, upper.start, name="right")
    for line in (upper, lower):
        for arc in (left, right):
            sk.tangent(line, arc)
    sk.equal(left, right)
    sk.radius(left, 12 * k, name="end")
    sk.horizontal(left.center, right.center)
    sk.distance(left.center, right.center, 60 * k, name="pitch")
    sk.midpoint(sk.origin, sk.line(left.center, right.center, construction=True))
    hole = sk.circle(left.center, size(5), name="hole")
    other = sk.circle(right.center, size(5), name="other")
    sk.equal(hole, other)
    sk.diameter(hole, 10 * k, name="bore")
    return sk, (60 * 24 + math.pi * 144 - 2 * math.pi * 25) * k * k


def hexagon(at: At, size: Size, k: float) -> tuple[lw.Sketch, float]:
    """Six equal sides about a circle through their corners."""
    sk = lw.Sketch()
    corners = [at(10 * math.cos(math.radians(a)), 10 * math.sin(math.radians(a))) for a in range(0, 360, 60)]
    p = sk.polyline(corners, close=True)
    ring = sk.circle(at(0, 0), size(10), construction=True, name="ring")
    sk.coincident(ring.center, sk.origin)
    for vertex in p.vertices:
        sk.on(vertex, ring)
    sk.equal(*p.lines)
    sk.radius(ring, 10 * k, name="corner radius")
    sk.on(p.vertices[0], sk.x_axis)
    return sk, 150 * math.sqrt(3) * k * k


def vane(at: At, size: Size, k: float) -> tuple[lw.Sketch, float]:
    """A triangle by two sides and the angle between them."""
    sk = lw.Sketch()
    base, side, _ = sk.polyline([at(0, 0), at(50, 0), at(20, 30)], close=True).lines
    sk.coincident(base.start, sk.origin)
    sk.horizontal(base)
    sk.length(base, 50 * k, name="base")
    sk.angle(base, side, 55, name="corner")
    sk.length(side, 40 * k, name="side")
    return sk, 0.5 * 50 * 40 * math.sin(math.radians(55)) * k * k


def slotted_bar(at: At, size: Size, k: float) -> tuple[lw.Sketch, float]:
    """An L of six sides given from its corner, with a slot of two arcs and two lines."""
    sk = lw.Sketch()
    points = [(0, 0), (60, 0), (60, 15), (18, 15), (18, 45), (0, 45)]
    sides = sk.polyline([at(*p) for p in points], close=True, name="bar").lines
    sk.coincident(sides[0].start, sk.origin)
    for i, side in enumerate(sides):
        (sk.vertical if i % 2 else sk.horizontal)(side)
    sk.length(sides[0], 60 * k, name="long")
    sk.length(sides[1], 15 * k, name="foot")
    sk.distance(sides[3], sides[5], 18 * k, name="stem")
    sk.distance_y(sides[0].start, sides[4].start, 45 * k, name="tall")
    up = sk.line(at(13, 12), at(13, 32), name="up")
    down = sk.line(at(5, 32), at(5, 12), name="down")
    top = sk.arc(at(9, 32), up.end, down.start, name="top")
    foot = sk.arc(at(9, 12), down.end, up.start, name="under")
    for line in (up, down):
        sk.vertical(line)
        sk.tangent(line, top)
        sk.tangent(line, foot)
    sk.diameter(top, 8 * k, name="slot")
    sk.distance_x(sk.origin, top.center, 9 * k)
    sk.distance_y(sk.origin, foot.center, 12 * k)
    sk.distance(foot.center, top.center, 20 * k, name="travel")
    return sk, (60 * 15 + 18 * 30 - 20 * 8 - 16 * math.pi) * k * k


def cam(at: At, size: Size, k: float) -> tuple[lw.Sketch, float]:
    """A large and a small arc joined by two tangent lines (an open belt), the pitch given."""
    big, small, pitch = 20.0, 8.0, 40.0
    lean = math.asin((big - small) / pitch)
    s, c = math.sin(lean), math.cos(lean)
    sk = lw.Sketch()
    upper = sk.line(at(pitch + small * s, small * c), at(big * s, big * c), name="upper")
    lower = sk.line(at(big * s, -big * c), at(pitch + small * s, -small * c), name="lower")
    heel = sk.arc(at(0, 0), upper.end, lower.start, name="heel")
    nose = sk.arc(at(pitch, 0), lower.end, upper.start, name="nose")
    sk.coincident(heel.center, sk.origin)
    sk.on(nose.center, sk.x_axis)
    sk.distance(heel.center, nose.center, pitch * k, name="pitch")
    sk.radius(heel, big * k, name="heel radius")
    sk.radius(nose, small * k, name="nose radius")
    for line in (upper, lower):
        sk.tangent(line, heel)
        sk.tangent(line, nose)
    area = (big + small) * pitch * c + big**2 * (math.pi / 2 + lean) + small**2 * (math.pi / 2 - lean)
    return sk, area * k * k


CASES: dict[str, tuple[Case, float]] = {
    "spacer plate": (spacer_plate, 80.0),
    "strap link": (strap_link, 60.0),
    "hexagon": (hexagon, 20.0),
    "vane": (vane, 50.0),
    "slotted bar": (slotted_bar, 15.0),
    "cam": (cam, 40.0),
}
"""Name -> (drawing, extent that disturbances are a share of)."""
