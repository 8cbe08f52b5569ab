"""
Float wheel
===========

A float wheel: a closed profile turned, its rims rounded, a slot that goes through whatever the height, and
a ring of radial holes that end at the inner wall.
"""

import math

import lathwick as lw


@lw.design(unit="mm", strict=True)
def float_wheel(
    job: lw.Job,
    across: lw.Length = lw.param(120.0, low=40, note="diameter"),
    height: lw.Length = lw.param(24.0, low=8),
    recess: lw.Length = lw.param(80.0, note="diameter of the recess"),
    web: lw.Length = lw.param("=height/3", note="thickness inside the recess"),
    bore: lw.Length = lw.param(10.0, low=2),
    soft: lw.Length = lw.param(2.0, low=0.2, note="radius of the outer rims"),
    holes: lw.Count = lw.param(12, low=1, high=60),
    drill: lw.Length = lw.param(3.0, low=0.5),
):
    job.require(recess + 4 * soft < across and bore < recess / 2, "the recess does not fit")
    half = job.sketch("half", on=lw.XZ)
    r, d, b = across / 2, recess / 2, bore / 2
    outline = half.polyline([(b, 0), (r, 0), (r, height), (d, height), (d, web), (b, web)], close=True)
    low, rim, top, wall, ground, hub = outline.lines
    for line in (low, top, ground):
        half.horizontal(line)
    for line in (rim, wall, hub):
        half.vertical(line)
    half.on(low.start, half.x_axis)
    half.distance_x(half.origin, low.start, "=bore/2")
    half.distance_x(half.origin, rim.start, "=across/2")
    half.distance_x(half.origin, wall.start, "=recess/2")
    half.length(rim, "=height")
    half.length(hub, "=web")
    wheel = job.revolve("wheel", half, lw.Z)
    rims = wheel.edges().circular(r)
    body = job.fillet("rims", wheel, rims, soft)
    slot = job.sketch("slot", on=body.faces("wheel/side").facing(lw.Z).nearest((d, 0, web)))
    slot.fix(slot.slot(0.2 * recess, 0.1 * recess, center=(0, 0.3 * recess)))
    body = job.cut("slot", body, slot.region(containing=(0, 0.3 * recess)))
    level = web + (height - web) / 2
    tools = job.circular_pattern(
        "drills",
        job.cylinder("drill", drill / 2, r - d + 2, on=lw.Plane((d - 1, 0, level), (1, 0, 0))),
        holes,
        lw.Z,
    )
    body = job.cut("radial holes", body, tools)
    return lw.Part(body, material=lw.Material("polypropylene", "0.91 g/cm3"))


def volume(across, height, recess, web, bore, soft, holes, drill):
    """Two rings, less rounded rims (Pappus), the slot, and holes between two walls (by quadrature)."""
    r, d, b = across / 2, recess / 2, bore / 2
    rings = math.pi * (r * r - d * d) * height + math.pi * (d * d - b * b) * web
    corner = (1 - math.pi / 4) * soft**2
    away = soft * (10 - 3 * math.pi) / (12 - 3 * math.pi)  # of the corner's center of area, from its sides
    rims = 2 * 2 * math.pi * (r - away) * corner
    wide = 0.1 * recess
    slot = (2 * 0.1 * recess * wide + math.pi * wide**2 / 4) * web
    count, q = 2000, drill / 2
    angles = [(k + 0.5) * math.pi / count for k in range(count)]  # y = q cos(t), the chord 2 q sin(t)
    share = sum(
        2 * q * math.sin(t) * q * math.sin(t) * (math.sqrt(r * r - (q * math.cos(t)) ** 2)
                                                 - math.sqrt(d * d - (q * math.cos(t)) ** 2))
        for t in angles
    ) * math.pi / count  # fmt: skip
    return rings - rims - slot - holes * share
