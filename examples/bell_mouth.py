"""
Bell mouth
==========

The mouth of an intake pipe: a loft that goes on smoothly from the cone of a lip to the wall of a pipe.
"""

import math

from numpy.polynomial.legendre import leggauss

import lathwick as lw


@lw.design(unit="mm")
def bell_mouth(
    job: lw.Job,
    pipe: lw.Length = lw.param(60.3, low=20, high=220, note="outside diameter of the pipe"),
    wall: lw.Length = lw.param(3.0, low=1, high=12),
    mouth: lw.Length = lw.param("=1.9*pipe", note="outside diameter of the lip"),
    lip: lw.Length = lw.param("=0.12*pipe", low=1, note="height of the cone"),
    lean: lw.Angle = lw.param(55.0, low=10, high=70, note="of the cone, from the axis"),
    top: lw.Length = lw.param("=mouth - 2*lip*tan(lean)", note="outside diameter of the cone at its top"),
    neck: lw.Length = lw.param("=0.7*pipe", low=5, note="height of the loft"),
    tail: lw.Length = lw.param("=0.5*pipe", low=1, note="length of the pipe"),
):
    job.require(top > pipe, "the cone is narrower than the pipe at its top")
    job.require(2 * wall < pipe, "the wall fills the pipe")
    solids = []
    for name, less in (("outside", 0.0), ("inside", wall)):
        cone = job.cone(f"{name} lip", mouth / 2 - less, top / 2 - less, lip)
        tube = job.cylinder(f"{name} pipe", pipe / 2 - less, tail, on=lw.XY.offset(lip + neck))
        ends = cone.face(f"{name} lip/top"), tube.face(f"{name} pipe/bottom")
        along = cone.face(f"{name} lip/side"), tube.face(f"{name} pipe/side")
        bell = job.loft(f"{name} neck", ends, tangent=along)
        solids.append(job.union(f"{name} form", cone, bell, tube))
    return lw.Part(job.cut("mouth", *solids), material=lw.Material("polyethylene", "0.95 g/cm3"))


def volume(pipe, wall, mouth, lip, lean, top, neck, tail):
    """Frustum, Hermite's cubic of the radius (by a Gauss rule, which is exact here), and cylinder, twice."""
    slope = (mouth - top) / (2 * lip)

    def form(less):
        a, b, c = mouth / 2 - less, top / 2 - less, pipe / 2 - less
        cone = math.pi * lip / 3 * (a * a + a * b + b * b)

        def radius(s):
            return b * (1 + 2 * s) * (1 - s) ** 2 - neck * slope * s * (1 - s) ** 2 + c * s * s * (3 - 2 * s)

        bell = sum(w / 2 * radius((x + 1) / 2) ** 2 for x, w in zip(*leggauss(5), strict=True)) * neck
        return cone + math.pi * bell + math.pi * c * c * tail

    return form(0.0) - form(wall)
