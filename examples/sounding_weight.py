"""
Sounding weight
===============

A sounding weight: a turned body with a round nose and a pointed tail, and what a table of soundings needs
of it.
"""

import math

import lathwick as lw


@lw.design(unit="mm", strict=True)
def sounding_weight(
    job: lw.Job,
    across: lw.Length = lw.param(70.0, low=20, high=300, note="largest diameter"),
    straight: lw.Length = lw.param("=1.2*across"),
    tail: lw.Length = lw.param("=1.8*across", note="length of the cone"),
    digits: lw.Count = lw.param(1, low=0, high=6, note="decimals of the notes"),
):
    half = job.sketch("half", on=lw.XZ)
    r = across / 2
    axis = half.line((0, -r - 0.1), (0, straight + tail), name="axis")
    flank = half.line(axis.end, (r + 0.1, straight), name="cone")
    side = half.line(flank.end, (r, 0.1), name="side")
    half.arc((0, 0), axis.start, side.end, name="nose")
    half.coincident(half["nose"].center, half.origin)
    half.vertical(axis)
    half.on(axis.start, half.y_axis)
    half.vertical(side)
    half.horizontal(half["nose"].center, side.end)
    half.radius(half["nose"], "=across/2")
    half.length(side, "=straight")
    half.distance_y(flank.end, axis.end, "=tail")
    body = job.revolve("weight", half, axis)
    job.note("volume in cm³:", body.volume / 1000, digits=digits)
    job.note("surface in cm²:", body.area / 100, digits=digits)
    return lw.Part(body, material=lw.Material("lead", "11.34 g/cm3"))


def volume(across, straight, tail, digits):
    """Half a ball, a cylinder and a cone."""
    r = across / 2
    return math.pi * r**2 * (2 * r / 3 + straight + tail / 3)


def area(across, straight, tail, digits):
    r = across / 2
    return 2 * math.pi * r**2 + 2 * math.pi * r * straight + math.pi * r * math.hypot(r, tail)
