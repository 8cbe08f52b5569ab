"""More fully defined sketches, of the kinds that drawing textbooks set; see `sketches`."""

from __future__ import annotations

import math
from collections.abc import Sequence

import lathwick as lw

from .sketches import CASES as WORKSHOP
from .sketches import At, Case, Size

Drawn = tuple[lw.Sketch, float]


def closed(sk: lw.Sketch, at: At, points: Sequence[tuple[float, float]]) -> tuple:
    return sk.polyline([at(*p) for p in points], close=True, name="edge").lines


def level(sk: lw.Sketch, lines: Sequence) -> None:
    """Lines alternately horizontal and vertical, the first horizontal."""
    for i, line in enumerate(lines):
        (sk.vertical if i % 2 else sk.horizontal)(line)


def right_triangle(at: At, size: Size, k: float) -> Drawn:
    sk = lw.Sketch()
    a, _, c = closed(sk, at, [(0, 0), (40, 0), (0, 30)])
    sk.coincident(a.start, sk.origin)
    sk.horizontal(a)
    sk.perpendicular(a, c)
    sk.length(a, 40 * k)
    sk.length(c, 30 * k)
    return sk, 600 * k * k


def three_sides(at: At, size: Size, k: float) -> Drawn:
    sk = lw.Sketch()
    a, b, c = closed(sk, at, [(0, 0), (28, 0), (18, 24)])
    sk.coincident(a.start, sk.origin)
    sk.horizontal(a)
    for line, length in ((a, 28), (b, 26), (c, 30)):
        sk.length(line, length * k)
    return sk, 336 * k * k


def equilateral(at: At, size: Size, k: float) -> Drawn:
    sk = lw.Sketch()
    a, b, c = closed(sk, at, [(-10, 0), (10, 0), (0, 17)])
    sk.equal(a, b, c)
    sk.horizontal(a)
    sk.midpoint(sk.origin, a)
    sk.length(a, 20 * k)
    return sk, 100 * math.sqrt(3) * k * k


def trapezoid(at: At, size: Size, k: float) -> Drawn:
    sk = lw.Sketch()
    a, b, c, d = closed(sk, at, [(-20, 0), (20, 0), (12, 18), (-12, 18)])
    sk.horizontal(a)
    sk.parallel(a, c)
    sk.equal(b, d)
    sk.midpoint(sk.origin, a)
    sk.length(a, 40 * k)
    sk.length(c, 24 * k)
    sk.distance(a, c, 18 * k)
    return sk, 576 * k * k


def parallelogram(at: At, size: Size, k: float) -> Drawn:
    sk = lw.Sketch()
    a, b, c, d = closed(sk, at, [(0, 0), (30, 0), (40, 20), (10, 20)])
    sk.coincident(a.start, sk.origin)
    sk.horizontal(a)
    sk.parallel(a, c)
    sk.parallel(b, d)
    sk.length(a, 30 * k)
    sk.angle(a, d, 60)
    sk.length(d, 22 * k)
    return sk, 30 * 22 * math.sin(math.radians(60)) * k * k


def rhombus(at: At, size: Size, k: float) -> Drawn:
    sk = lw.Sketch()
    a, b, c, d = closed(sk, at, [(0, 0), (20, 0), (30, 17), (10, 17)])
    sk.equal(a, b, c, d)
    sk.coincident(a.start, sk.origin)
    sk.horizontal(a)
    sk.length(a, 20 * k)
    sk.angle(a, b, 120)
    return sk, 400 * math.sin(math.radians(60)) * k * k


def kite(at: At, size: Size, k: float) -> Drawn:
    sk = lw.Sketch()
    a, b, c, d = closed(sk, at, [(0, -20), (15, 0), (0, 10), (-15, 0)])
    sk.symmetric(a.end, d.start, sk.y_axis)
    sk.on(a.start, sk.y_axis)
    sk.on(c.start, sk.y_axis)
    sk.on(a.end, sk.x_axis)
    sk.distance(a.end, c.end, 30 * k)
    sk.distance(sk.origin, a.start, 20 * k)
    sk.distance(sk.origin, b.end, 10 * k)
    return sk, 450 * k * k


def pentagon(at: At, size: Size, k: float) -> Drawn:
    sk = lw.Sketch()
    turns = [math.radians(90 + 72 * i) for i in range(5)]
    lines = closed(sk, at, [(20 * math.cos(t), 20 * math.sin(t)) for t in turns])
    ring = sk.circle(sk.origin, size(20), construction=True)
    for line in lines:
        sk.on(line.start, ring)
    sk.equal(*lines)
    sk.on(lines[0].start, sk.y_axis)
    sk.diameter(ring, 40 * k)
    return sk, 0.5 * 5 * 400 * math.sin(math.radians(72)) * k * k


def tee(at: At, size: Size, k: float) -> Drawn:
    sk = lw.Sketch()
    points = [(-5, 0), (5, 0), (5, 30), (20, 30), (20, 40), (-20, 40), (-20, 30), (-5, 30)]
    lines = closed(sk, at, points)
    level(sk, lines)
    sk.midpoint(sk.origin, lines[0])
    sk.equal(lines[2], lines[6])
    sk.equal(lines[1], lines[7])
    sk.length(lines[0], 10 * k)
    sk.length(lines[4], 40 * k)
    sk.length(lines[3], 10 * k)
    sk.distance(lines[0], lines[4], 40 * k)
    return sk, 700 * k * k


def channel(at: At, size: Size, k: float) -> Drawn:
    sk = lw.Sketch()
    points = [(0, 0), (40, 0), (40, 30), (34, 30), (34, 6), (6, 6), (6, 30), (0, 30)]
    lines = closed(sk, at, points)
    level(sk, lines)
    sk.coincident(lines[0].start, sk.origin)
    sk.equal(lines[1], lines[7])
    sk.equal(lines[2], lines[6])
    sk.length(lines[2], 6 * k)
    sk.length(lines[0], 40 * k)
    sk.length(lines[1], 30 * k)
    sk.distance(lines[0], lines[4], 6 * k)
    return sk, (40 * 30 - 28 * 24) * k * k


def beam(at: At, size: Size, k: float) -> Drawn:
    sk = lw.Sketch()
    right = [(20, -30), (20, -24), (4, -24), (4, 24), (20, 24), (20, 30)]
    lines = closed(sk, at, [*right, *[(-x, y) for x, y in reversed(right)]])
    for line in (lines[0], lines[2], lines[4]):
        sk.vertical(line)
    for line in (lines[1], lines[3]):
        sk.horizontal(line)
    for i in range(6):
        sk.symmetric(lines[i].start, lines[11 - i].start, sk.y_axis)
    sk.symmetric(lines[0].start, lines[5].start, sk.x_axis)
    sk.equal(lines[0], lines[4])
    sk.length(lines[0], 6 * k)
    sk.length(lines[5], 40 * k)
    sk.distance(lines[5], lines[11], 60 * k)
    sk.distance(lines[2], lines[8], 8 * k)
    return sk, (2 * 40 * 6 + 8 * 48) * k * k


def dome(at: At, size: Size, k: float) -> Drawn:
    sk = lw.Sketch()
    base = sk.line(at(-15, 0), at(15, 0), name="base")
    arc = sk.arc(at(0, 0), base.end, base.start, name="dome")
    sk.horizontal(base)
    sk.midpoint(arc.center, base)
    sk.coincident(arc.center, sk.origin)
    sk.radius(arc, 15 * k)
    return sk, 112.5 * math.pi * k * k


def sector(at: At, size: Size, k: float) -> Drawn:
    sk = lw.Sketch()
    a = sk.line(sk.origin, at(25, 0), name="a")
    b = sk.line(at(12.5, 21), sk.origin, name="b")
    arc = sk.arc(sk.origin, a.end, b.start, name="rim")
    sk.horizontal(a)
    sk.angle(a, b, 60)
    sk.radius(arc, 25 * k)
    return sk, 625 * math.pi / 6 * k * k


def washer(at: At, size: Size, k: float) -> Drawn:
    sk = lw.Sketch()
    rim, bore = sk.circle(at(0, 0), size(20), name="rim"), sk.circle(at(0, 0), size(8), name="bore")
    sk.concentric(rim, bore)
    sk.concentric(rim, sk.origin)
    sk.diameter(rim, 40 * k)
    sk.distance(bore, rim, 12 * k)
    return sk, math.pi * (400 - 64) * k * k


def four_holes(at: At, size: Size, k: float) -> Drawn:
    sk = lw.Sketch()
    box = sk.rectangle(size(60), size(40), center=sk.origin, name="plate")
    sk.length(box.bottom, 60 * k)
    sk.length(box.left, 40 * k)
    holes = [sk.circle(at(x, y), size(3)) for x, y in ((-22, -12), (22, -12), (22, 12), (-22, 12))]
    sk.equal(*holes)
    sk.diameter(holes[0], 6 * k)
    a, b, c, d = (hole.center for hole in holes)
    sk.symmetric(a, b, sk.y_axis)
    sk.symmetric(a, d, sk.x_axis)
    sk.symmetric(d, c, sk.y_axis)
    sk.distance(a, box.left, 8 * k)
    sk.distance(a, box.bottom, 8 * k)
    return sk, (2400 - 36 * math.pi) * k * k


def hole_amid(at: At, size: Size, k: float) -> Drawn:
    sk = lw.Sketch()
    lines = closed(sk, at, [(0, 0), (30, 0), (30, 20), (0, 20)])
    level(sk, lines)
    sk.coincident(lines[0].start, sk.origin)
    sk.length(lines[0], 30 * k)
    sk.length(lines[1], 20 * k)
    across = sk.line(lines[0].start, lines[2].start, construction=True)
    hole = sk.circle(at(15, 10), size(5), name="hole")
    sk.midpoint(hole.center, across)
    sk.radius(hole, 5 * k)
    return sk, (600 - 25 * math.pi) * k * k


def teardrop(at: At, size: Size, k: float) -> Drawn:
    sk = lw.Sketch()
    lean = math.asin(10 / 26)
    x, y = 10 * math.sin(lean), 10 * math.cos(lean)
    tip = sk.point(at(26, 0), construction=True)
    upper = sk.line(tip, at(x, y), name="upper")
    lower = sk.line(at(x, -y), tip, name="lower")
    arc = sk.arc(sk.origin, upper.end, lower.start, name="round")
    sk.tangent(upper, arc)
    sk.tangent(lower, arc)
    sk.radius(arc, 10 * k)
    sk.on(tip, sk.x_axis)
    sk.distance(sk.origin, tip, 26 * k)
    return sk, (10 * 24 + 100 * (math.pi / 2 + lean)) * k * k


def lens(at: At, size: Size, k: float) -> Drawn:
    sk = lw.Sketch()
    a, b = sk.point(at(0, -12), construction=True), sk.point(at(0, 12), construction=True)
    right = sk.arc(at(-5, 0), a, b, name="right")
    left = sk.arc(at(5, 0), b, a, name="left")
    sk.equal(left, right)
    sk.symmetric(a, b, sk.x_axis)
    sk.on(a, sk.y_axis)
    sk.distance(a, b, 24 * k)
    sk.radius(left, 13 * k)
    return sk, 2 * (169 * math.asin(12 / 13) - 12 * 5) * k * k


def soft_box(at: At, size: Size, k: float) -> Drawn:
    sk = lw.Sketch()
    lines = closed(sk, at, [(0, 0), (40, 0), (40, 24), (0, 24)])
    level(sk, lines)
    sk.coincident(lines[0].start, sk.origin)
    sk.length(lines[0], 40 * k)
    sk.length(lines[3], 24 * k)
    sk.round([line.start for line in lines], 5 * k, name="soft")
    return sk, (960 - (4 - math.pi) * 25) * k * k


def gusset(at: At, size: Size, k: float) -> Drawn:
    sk = lw.Sketch()
    lines = closed(sk, at, [(0, 0), (30, 0), (30, 6), (6, 30), (0, 30)])
    a, b, _, d, e = lines
    sk.coincident(a.start, sk.origin)
    sk.horizontal(a)
    sk.vertical(b)
    sk.horizontal(d)
    sk.vertical(e)
    sk.equal(a, e)
    sk.equal(b, d)
    sk.length(a, 30 * k)
    sk.length(b, 6 * k)
    return sk, (900 - 288) * k * k


def dovetail(at: At, size: Size, k: float) -> Drawn:
    sk = lw.Sketch()
    a, b, c, d = closed(sk, at, [(-16, 0), (16, 0), (9, 12), (-9, 12)])
    sk.symmetric(b, d, sk.y_axis)
    sk.on(a.start, sk.x_axis)
    sk.length(a, 32 * k)
    sk.angle(a, b, 60)
    sk.distance(c.start, a, 12 * k)
    return sk, 12 * (32 - 12 / math.tan(math.radians(60))) * k * k


def nut(at: At, size: Size, k: float) -> Drawn:
    sk = lw.Sketch()
    ring = sk.polygon(6, size(8), center=sk.origin, across_flats=True, name="nut")
    sk.vertical(ring[0])
    sk.diameter(ring.circle, 16 * k)
    bore = sk.circle(sk.origin, size(5), name="bore")
    sk.diameter(bore, 10 * k)
    return sk, (128 * math.sqrt(3) - 25 * math.pi) * k * k


def shaft(at: At, size: Size, k: float) -> Drawn:
    sk = lw.Sketch()
    points = [(0, 0), (60, 0), (60, 8), (40, 8), (40, 12), (15, 12), (15, 9), (0, 9)]
    lines = closed(sk, at, points)
    level(sk, lines)
    sk.coincident(lines[0].start, sk.origin)
    for i, length in ((0, 60), (2, 20), (6, 15), (1, 8), (3, 4), (7, 9)):
        sk.length(lines[i], length * k)
    return sk, (20 * 8 + 25 * 12 + 15 * 9) * k * k


def three_rounds(at: At, size: Size, k: float) -> Drawn:
    """The triangle of the centers of three circles, each of which touches the other two."""
    sk = lw.Sketch()
    names = ("a", "b", "c")
    spots, radii = (at(0, 0), at(10, 0), at(6.4, 4.8)), (6, 4, 2)
    rounds = [
        sk.circle(spot, size(r), name=n, construction=True)
        for spot, r, n in zip(spots, radii, names, strict=True)
    ]
    a, b, c = rounds
    sk.coincident(a.center, sk.origin)
    sk.on(b.center, sk.x_axis)
    for one, two in ((a, b), (b, c), (a, c)):
        sk.tangent(one, two)
    for circle, radius in zip(rounds, radii, strict=True):
        sk.radius(circle, radius * k)
    sk.polyline([circle.center for circle in rounds], close=True)
    return sk, 24 * k * k


TEXTBOOK: dict[str, tuple[Case, float]] = {
    "right triangle": (right_triangle, 30.0),
    "three sides": (three_sides, 26.0),
    "equilateral": (equilateral, 20.0),
    "trapezoid": (trapezoid, 24.0),
    "parallelogram": (parallelogram, 22.0),
    "rhombus": (rhombus, 20.0),
    "kite": (kite, 20.0),
    "pentagon": (pentagon, 23.0),
    "tee": (tee, 10.0),
    "channel": (channel, 6.0),
    "beam": (beam, 8.0),
    "dome": (dome, 15.0),
    "sector": (sector, 25.0),
    "washer": (washer, 20.0),
    "four holes": (four_holes, 12.0),
    "hole amid": (hole_amid, 20.0),
    "teardrop": (teardrop, 20.0),
    "lens": (lens, 13.0),
    "soft box": (soft_box, 24.0),
    "gusset": (gusset, 10.0),
    "dovetail": (dovetail, 16.0),
    "nut": (nut, 16.0),
    "shaft": (shaft, 8.0),
    "three rounds": (three_rounds, 4.0),
}
"""Name -> (drawing, extent that disturbances are a share of)."""

CASES = {**WORKSHOP, **TEXTBOOK}
"""All thirty."""
