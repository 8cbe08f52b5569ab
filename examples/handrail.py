"""
Handrail
========

The handrail beside a staff gauge: a rounded rectangle along a route with bends.
"""

import math

import lathwick as lw


@lw.design(unit="mm")
def handrail(
    job: lw.Job,
    width: lw.Length = lw.param(40.0, low=20, high=80, note="of the rail's section"),
    height: lw.Length = lw.param(20.0, low=10, high=60),
    corner: lw.Length = lw.param("=0.25*height", note="radius of the section's corners"),
    bend: lw.Length = lw.param(120.0, note="radius of the rail's bends"),
    run: lw.Length = lw.param(900.0, note="level length"),
    rise: lw.Length = lw.param(450.0, note="the second leg climbs by this"),
):
    way = lw.route([(0, 0, 0), (run, 0, 0), (2 * run, 0, rise), (2 * run, run, rise)], bend=bend)
    section = job.sketch("section", on=lw.Plane(way.start, way.plane_at(0).normal, lw.Y))
    section.rectangle(width, height, center=(0, 0), rounding=corner)
    rail = job.sweep("rail", section, way)
    return lw.Part(rail, material=lw.Material("aluminium", density=2.70e-6))


def volume(width, height, corner, bend, run, rise):
    """Area times the length of the middle line."""
    climb = math.hypot(run, rise)
    first = math.atan2(rise, run)
    second = math.pi / 2
    setbacks = bend * (math.tan(first / 2) + math.tan(second / 2))
    length = run + climb + run - 2 * setbacks + bend * (first + second)
    return (width * height - (4 - math.pi) * corner**2) * length
