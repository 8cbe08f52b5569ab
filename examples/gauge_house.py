"""
Gauge house
===========

A gauge house: members of the kit on one back plate, kept apart as an assembly, with a parts list.
"""

import math

import logger_standoff
import sampler_crate
import spacer_plate
import turned_pins

import lathwick as lw

STEEL = lw.Material("steel", "7.85 g/cm3")


@lw.design(unit="mm")
def gauge_house(
    job: lw.Job,
    wide: lw.Length = lw.param(160.0, low=100, note="side of the back plate"),
    height: lw.Length = lw.param(45.0, low=30, note="of the standoffs"),
    crate: lw.Length = lw.param(60.0, low=30, note="side of the sampler crate"),
    pins: lw.Count = lw.param(3, low=1, high=8),
    play: lw.Length = lw.param(0.1, low=0, high=1, note="between members that stand on each other"),
):
    at = wide / 2 - 20
    shelf = spacer_plate.spacer_plate(outer=wide, inner=crate / 2)
    standoff = logger_standoff.logger_standoff(length=height)
    pin = turned_pins.turned_pins(length=height / 2)
    box = sampler_crate.sampler_crate(side=crate)
    thick = shelf.bounds[1][2]
    back = job.box("back", wide, wide, 6, on=lw.Plane((-wide / 2, -wide / 2, -6), lw.Z))
    parts = {"back plate": lw.Part(back, material=STEEL)}
    for k, (x, y) in enumerate([(-at, -at), (at, -at), (at, at), (-at, at)], 1):
        body = job.move(f"standoff {k}", standoff.body, x, y, play)
        parts[f"standoff {k}"] = lw.Part(body, standoff.material, color="#c9a24a")
    for k in range(pins):
        body = job.move(f"pin {k + 1}", pin.body, 20 * (k - (pins - 1) / 2), 0, play)
        parts[f"pin {k + 1}"] = lw.Part(body, pin.material, color="#9aa4ad")
    parts["shelf"] = lw.Part(
        job.move("shelf", shelf.body, dz=height + 2 * play), shelf.material, color="#d8d4c4"
    )
    crate_body = job.move("crate", box.body, dz=height + thick + 3 * play)
    parts["crate"] = lw.Part(crate_body, box.material, color="#6f9f8f")
    return lw.Part(parts)


def volume(wide, height, crate, pins, play):
    shelf = spacer_plate.spacer_plate.check({"outer": wide, "inner": crate / 2})
    standoff = logger_standoff.logger_standoff.check({"length": height})
    pin = turned_pins.turned_pins.check({"length": height / 2})
    box = sampler_crate.sampler_crate.check({"side": crate})
    return math.fsum(
        (
            6 * wide**2,
            4 * logger_standoff.volume(**standoff),
            pins * turned_pins.volume(**pin),
            spacer_plate.volume(**shelf),
            sampler_crate.volume(**box),
        )
    )
