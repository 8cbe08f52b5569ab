"""
Baffle stack
============

A stack of thin baffles: a polygon with rounded corners, a notch whose center sits at a ratio along the
outline, stacked by count and gap. Copies that would overlap are refused.
"""

import math

import lathwick as lw


@lw.design(unit="mm")
def baffle_stack(
    job: lw.Job,
    sides: lw.Count = lw.param(6, low=3, high=12),
    radius: lw.Length = lw.param(40.0, low=5, note="from the middle to a corner"),
    soft: lw.Length = lw.param(6.0, low=0.5, note="radius of the corners"),
    ratio: lw.Number = lw.param(0.5, low=0.2, high=0.8, note="place of the notch along the first side"),
    notch: lw.Length = lw.param(5.0, low=0.5, note="radius of the notch"),
    thick: lw.Length = lw.param(1.2, low=0.2),
    count: lw.Count = lw.param(5, low=1, high=40),
    gap: lw.Length = lw.param(6.0, note="between two baffles"),
):
    job.require(gap > 0, "the baffles would overlap")
    side = 2 * radius * math.sin(math.pi / sides)
    taken = soft * math.tan(math.pi / sides)
    job.require(min(ratio, 1 - ratio) * side > taken + notch, "the notch would reach a rounded corner")
    plan = job.sketch("plan")
    polygon = plan.polygon(sides, radius, center=(0, 0))
    plan.round(polygon.corners, soft)
    a, b = ((radius * math.cos(t), radius * math.sin(t)) for t in (0.0, 2 * math.pi / sides))
    place = (a[0] + ratio * (b[0] - a[0]), a[1] + ratio * (b[1] - a[1]))
    sheet = job.extrude("sheet", plan, thick)
    sheet = job.cut("baffle", sheet, job.cylinder("cutter", notch, thick, on=lw.Plane((*place, 0), lw.Z)))
    stack = job.linear_pattern("stack", sheet, count, thick + gap, lw.Z)
    return lw.Part(stack, color="#5f8f86", material=lw.Material("stainless steel", "7.9 g/cm3"))


def volume(sides, radius, soft, ratio, notch, thick, count, gap):
    """A polygon, less its corners outside the rounds, less half a circle."""
    polygon = sides / 2 * radius**2 * math.sin(2 * math.pi / sides)
    corners = soft**2 * (sides * math.tan(math.pi / sides) - math.pi)
    return count * thick * (polygon - corners - math.pi * notch**2 / 2)
