"""
Guard spring
============

The spring that holds the guard of a current meter: a round wire along a helix.
"""

import math

import lathwick as lw


@lw.design(unit="mm")
def guard_spring(
    job: lw.Job,
    wire: lw.Length = lw.param(2.0, low=0.5, high=10, note="diameter of the wire"),
    coil: lw.Length = lw.param(18.0, note="diameter of the coil, to the middle of the wire"),
    pitch: lw.Length = lw.param("=2.5*wire", note="rise of each turn"),
    turns: lw.Number = lw.param(6.0, low=1, high=60),
):
    job.require(pitch > 1.05 * wire, "the turns of the spring would touch")
    job.require(coil > 2 * wire, "the coil is too tight for the wire")
    way = lw.helix(coil / 2, pitch, turns=turns)
    end = job.sketch("wire end", on=way.plane_at(0))
    end.circle((0, 0), wire / 2)
    return lw.Part(job.sweep("wire", end, way), material=lw.Material("spring steel", density=7.85e-6))


def volume(wire, coil, pitch, turns):
    """Area times length."""
    return math.pi / 4 * wire**2 * turns * math.hypot(math.pi * coil, pitch)
