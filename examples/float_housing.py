"""
Float housing
=============

A float housing: an outer and an inner outline raised to unlike heights, joined and rounded. After a late
handle opening in the first sketch every later step follows, and says where it now works on more edges.
"""

import math

import lathwick as lw


@lw.design(unit="mm", strict=True)
def float_housing(
    job: lw.Job,
    wide: lw.Length = lw.param(90.0, low=30),
    deep: lw.Length = lw.param(60.0, low=30),
    corner: lw.Length = lw.param(12.0, low=2),
    rim: lw.Length = lw.param(9.0, low=3, note="between the outlines"),
    plate: lw.Length = lw.param(8.0, low=2),
    boss: lw.Length = lw.param(22.0, low=4, note="height of the inner part"),
    soft: lw.Length = lw.param(1.5, low=0.2),
    handle: lw.Length = lw.param(0.0, low=0, note="width of the handle opening, 0 for none"),
):
    job.require(corner > rim + soft, "the inner corners would be sharp")
    plan = job.sketch("plan")
    outer = plan.rectangle(wide, deep, center=plan.origin, rounding=corner, name="outer")
    plan.length(outer.bottom, "=wide")
    plan.length(outer.left, "=deep")
    inner = job.sketch("inner")
    raised = inner.rectangle(
        wide - 2 * rim, deep - 2 * rim, center=inner.origin, rounding=corner - rim, name="inner"
    )
    inner.length(raised.bottom, "=wide - 2*rim")
    inner.length(raised.left, "=deep - 2*rim")
    if handle:
        for sketch in (plan, inner):
            opening = sketch.circle((0, 0), handle / 2, name="handle")
            sketch.coincident(opening.center, sketch.origin)
            sketch.diameter(opening, "=handle")
    low = job.extrude("plate", plan, plate)
    high = job.extrude("boss", inner, boss)
    body = job.union("housing", low, high)
    body = job.fillet("soft", body, body.edges("boss/end").convex(), soft)
    return lw.Part(body, material=lw.Material("polyamide", "1.14 g/cm3"))


def volume(wide, deep, corner, rim, plate, boss, soft, handle):
    """Two rounded plates, less what the rounds take from the upper rim and the opening's (Pappus)."""

    def area(a, b, r):
        return a * b - (4 - math.pi) * r**2

    a, b, r = wide - 2 * rim, deep - 2 * rim, corner - rim
    taken = (1 - math.pi / 4) * soft**2
    away = soft * (10 - 3 * math.pi) / (12 - 3 * math.pi)
    straight = 2 * (a + b) - 8 * r
    rounds = taken * (straight + 2 * math.pi * (r - away))
    whole = area(wide, deep, corner) * plate + area(a, b, r) * (boss - plate) - rounds
    if handle:
        whole -= math.pi * handle**2 / 4 * boss + taken * 2 * math.pi * (handle / 2 + away)
    return whole
