"""A part with a face, or edges, of every kind of surface and curve, trimmed."""

from __future__ import annotations

import math

import numpy as np

import lathwick as lw

HEART = [(0, 0), (3, 1), (4, 4), (3, 7), (0, 8), (-3, 7), (-4, 4), (-3, 1)]
PEBBLE = [(0, -4), (3, -3), (4, 0), (3, 3), (0, 4), (-3, 3), (-5, 0), (-3, -3)]


def leaning(degrees: float, height: float, turn: float = 0.0) -> lw.Plane:
    """The plane through (0, 0, height) that leans by an angle, towards a direction at `turn` degrees."""
    d, a = math.radians(degrees), math.radians(turn)
    return lw.Plane((0, 0, height), (math.sin(d) * math.cos(a), math.sin(d) * math.sin(a), math.cos(d)))


def below(body: lw.Body, plane: lw.Plane, size: float = 100.0) -> lw.Body:
    """What lies under a plane."""
    corner = lw.Plane(plane.point(-size / 2, -size / 2), plane.normal, plane.x)
    return lw.cut(body, lw.box(size, size, size, on=corner))


def splined(points=PEBBLE, height: float = 5.0, scale: float = 1.0, hole: float = 0.0) -> lw.Body:
    """A closed spline through points, extruded; with a round hole in the middle of its height."""
    sk = lw.Sketch(lw.XY)
    sk.spline([(x * scale, y * scale) for x, y in points], close=True)
    if hole:
        sk.circle((0, np.mean([y for _, y in points]) * scale), hole * scale)
    return lw.extrude(sk, height)


def oval(major: float = 10.0, minor: float = 6.0, height: float = 20.0, bore: float = 0.0) -> lw.Body:
    """An ellipse extruded; `bore` a smaller one taken out of it, as a share."""
    sk = lw.Sketch(lw.XY)
    sk.ellipse((0, 0), major, minor)
    if bore:
        sk.ellipse((0, 0), major * bore, minor * bore)
    return lw.extrude(sk, height)


def oblique_rod(radius: float, degrees: float, size: float, turn: float = 0.0, verb=lw.fillet) -> lw.Body:
    """A rod cut off obliquely, its rim rounded or bevelled."""
    rod = below(lw.cylinder(radius, 5 * radius), leaning(degrees, 2.5 * radius, turn), 40 * radius)
    return verb(rod, rod.edges().where(lambda edge: edge.kind == "ellipse"), size)


def turned(start, middle, end) -> lw.Body:
    """An arc whose ends lie on the axis, turned about it."""
    sk = lw.Sketch(lw.XZ)
    arc = sk.arc_through(start, middle, end)
    sk.line(arc.end, arc.start)
    return lw.revolve(sk, lw.Z)


KINDS = {
    "spline": lambda: splined(HEART),
    "part of an ellipse": lambda: below(oval(6, 3, 4), lw.Plane((-3, 0, 0), (1, 0.2, 0))),
    "cone to its tip": lambda: below(lw.cone(0, 4, 6), leaning(80, 0, 30)),
    "frustum": lambda: lw.cone(2, 5, 4),
    "hyperbola": lambda: below(lw.cone(4, 0, 8), lw.Plane((1.3, 0, 0), (1, 0, 0))),
    "parabola": lambda: below(lw.cone(4, 0, 4), leaning(45, 2)),
    "ring": lambda: below(lw.torus(5, 2), lw.Plane((0.5, 0.2, 0), (1, 0.3, 0.3))),
    "lemon": lambda: turned((0, -3), (2, 0), (0, 3)),
    "apple": lambda: turned((0, -1), (4, 0), (0, 1)),
    "ball": lambda: below(lw.sphere(3), lw.Plane((0.3, 0, 0), (1, 0, 0.4))),
    "canal": lambda: oblique_rod(2, 30, 0.4),
    "ruled": lambda: oblique_rod(2, 28, 0.4, verb=lw.chamfer),
    "growing round": lambda: _growing(),
    "drum": lambda: below(lw.cylinder(3, 6), leaning(70, 3, 10)),
}


def _growing() -> lw.Body:
    block = lw.box(10, 10, 10)
    return lw.fillet(block, block.edges().parallel(lw.Z)[0], (1, 3))
