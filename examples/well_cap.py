"""
Well cap
========

The cap of a stilling well, turned from a blank that comes as a supplier's STEP file.
"""

import math

import lathwick as lw


@lw.design(unit="mm")
def well_cap(
    job: lw.Job,
    bolts: lw.Count = lw.param(6, low=3, high=12),
    bolt: lw.Length = lw.param(5.5, low=2, note="diameter of the bolt holes"),
    circle: lw.Length = lw.param(74.0, low=20, note="diameter of the circle of bolts"),
    seat: lw.Length = lw.param(60.0, low=10, note="diameter of the recess that takes the pipe"),
    depth: lw.Length = lw.param(6.0, low=1),
    cable: lw.Length = lw.param(12.0, low=0, note="hole for the cable; 0 for none"),
):
    supplied = lw.read_step("round_blank.step").body
    across, thick = supplied.bounds[1][0] * 2, supplied.bounds[1][2]
    job.require(circle + bolt < across, f"the bolts would leave the blank of {across:g}")
    job.require(circle - bolt > seat, "the bolts would open into the seat")
    job.require(depth < thick, f"the seat would go through the blank, which is {thick:g} thick")

    recess = job.cylinder("seat", seat / 2, depth, on=lw.XY.offset(thick - depth))
    cap = job.cut("blank with seat", supplied, recess)
    bolts_at = [
        (circle / 2 * math.cos(turn), circle / 2 * math.sin(turn))
        for turn in (2 * math.pi * k / bolts for k in range(bolts))
    ]
    tools = job.sketch("bolts")
    for place in bolts_at:
        tools.circle(place, bolt / 2)
    if cable:
        tools.circle((0, 0), cable / 2)
    cap = job.cut("cap", cap, job.extrude("drills", tools, thick))
    job.note("material off the blank", (supplied.volume - cap.volume) / 1000, digits=1)
    return lw.Part(cap, material=lw.Material("PE-HD", density="0.95 g/cm3"))


def volume(bolts, bolt, circle, seat, depth, cable):
    floor = 14 - depth
    return math.pi * (
        45**2 * 14 - (seat / 2) ** 2 * depth - bolts * (bolt / 2) ** 2 * 14 - (cable / 2) ** 2 * floor
    )
