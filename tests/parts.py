"""Prismatic parts with closed-form measures."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

import lathwick as lw


@dataclass(frozen=True)
class Closed:
    """Closed-form measures of a body; inertia about the centroid, density one."""

    volume: float
    area: float
    centroid: tuple[float, float, float]
    inertia: np.ndarray


def ring_plate(a: float, b: float, r: float, x: float, y: float, h: float, plane: lw.Plane = lw.XY,
               unit: str = "mm") -> tuple[lw.Body, Closed]:  # fmt: skip
    """An a x b plate of height h about the plane's origin, with a hole of radius r at (x, y)."""
    sk = lw.Sketch(plane, unit=unit)
    sk.rectangle(a, b, center=(0, 0), name="plate")
    sk.circle((x, y), r, name="hole")
    body = lw.extrude(sk.regions(), h, step="ring")
    box, pin = a * b * h, math.pi * r * r * h
    volume = box - pin
    cx, cy = -pin * x / volume, -pin * y / volume

    def about_center(u2: float, v2: float) -> float:
        return u2 + v2

    # second moments about the plane's origin at half height
    xx = box * a * a / 12 - pin * (r * r / 4 + x * x) - volume * cx * cx
    yy = box * b * b / 12 - pin * (r * r / 4 + y * y) - volume * cy * cy
    zz = volume * h * h / 12
    xy = -pin * x * y - volume * cx * cy
    local = np.array(
        [[about_center(yy, zz), -xy, 0], [-xy, about_center(zz, xx), 0], [0, 0, about_center(xx, yy)]]
    )
    turn = np.array([plane.x, plane.y, plane.normal]).T
    area = 2 * (a * b - math.pi * r * r) + h * (2 * a + 2 * b + 2 * math.pi * r)
    return body, Closed(volume, area, plane.point(cx, cy, h / 2), turn @ local @ turn.T)


def half_disc(r: float, h: float) -> tuple[lw.Body, Closed]:
    """Half a disc of radius r above the x axis, h thick."""
    sk = lw.Sketch()
    arc = sk.arc((0, 0), (r, 0), (-r, 0), name="rim")
    sk.line(arc.end, arc.start, name="flat")
    body = lw.extrude(sk.regions(), h, step="half")
    area = math.pi * r * r / 2
    lift = 4 * r / (3 * math.pi)
    xx = area * r * r / 4 * h
    yy = xx - area * h * lift * lift
    zz = area * h**3 / 12
    inertia = np.diag([yy + zz, zz + xx, xx + yy])
    return body, Closed(area * h, 2 * area + h * (2 * r + math.pi * r), (0, lift, h / 2), inertia)


def saw_tooth_plate(teeth: int) -> lw.Body:
    """A long plate with many straight sides; no arcs."""
    points = [(0.0, -5.0)]
    for i in range(teeth):
        points += [(i, 0.0), (i + 0.5, 0.8)]
    points += [(teeth, 0.0), (teeth, -5.0)]
    sk = lw.Sketch()
    sk.polyline(points, close=True)
    return lw.extrude(sk.regions(), 2)
