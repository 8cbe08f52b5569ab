"""
Well float
==========

The float of a stilling well: an oval turned about its own axis, hollowed to one wall all over, and parted
into two half shells that are joined with glue, for which a gap is left. It tells what it carries when it
swims half under water.
"""

import math

from numpy.polynomial.legendre import leggauss

import lathwick as lw

WATER = 1.0e-6  # kg/mm3


@lw.design(unit="mm")
def well_float(
    job: lw.Job,
    across: lw.Length = lw.param(120.0, low=30, high=400),
    tall: lw.Length = lw.param(90.0, low=30, high=400),
    wall: lw.Length = lw.param(2.5, low=0.8, high=12),
    glue: lw.Length = lw.param(0.1, low=0, high=1, note="between the halves"),
):
    short, long = sorted((across / 2, tall / 2))
    job.require(wall < short**2 / long, "the wall is thicker than the sharpest bend of the oval")
    half = job.sketch("half", on=lw.XZ)
    half.ellipse((0, 0), across / 2, tall / 2, name="oval")
    axis = half.line((0, -tall / 2), (0, tall / 2), name="axis")
    solid = job.revolve("float", half.region((across / 4, 0)), axis)
    halves = job.split("parted", job.shell("hollow", solid, wall), lw.XY)
    lower, upper = job.separate(halves)
    lid = job.move("glued", upper, dz=glue) if glue else upper
    polypropylene = lw.Material("polypropylene", "0.905 g/cm3")
    part = lw.Part(
        {"lower": lw.Part(lower, color="steelblue"), "upper": lw.Part(lid, color="orange")},
        material=polypropylene,
    )
    job.note("carries, in kg:", solid.volume / 2 * WATER - part.mass, digits=3)
    return part


def volume(across, tall, wall, glue):
    """What lies between an oval and its parallel surface (Steiner): area, mean curvature by a Gauss rule."""
    a, c = across / 2, tall / 2
    area = curved = 0.0
    for x, w in zip(*leggauss(40), strict=True):
        turn = x * math.pi / 2
        speed = math.hypot(a * math.sin(turn), c * math.cos(turn))
        ring = math.pi / 2 * w * math.tau * a * math.cos(turn) * speed
        area += ring
        curved += ring * (a * c / speed**3 + c / (a * speed)) / 2
    return area * wall - curved * wall**2 + 4 * math.pi / 3 * wall**3
