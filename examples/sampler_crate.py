"""
Sampler crate
=============

A sampler crate: a box less its room and two crossing openings, all by one wall, raised to stand on the
plane. `lathwick steps` shows how it comes about.
"""

import lathwick as lw


@lw.design(unit="mm")
def sampler_crate(
    job: lw.Job,
    side: lw.Length = lw.param(60.0, low=20),
    wall: lw.Length = lw.param(4.0, low=1),
    opening: lw.Length = lw.param("=side - 4*wall", low=1, note="side of the openings"),
):
    job.require(opening <= side - 2 * wall, "the openings would cut the corners off")
    room = side - 2 * wall
    block = job.box("block", side, side, side, center=True)
    body = job.cut("room", block, job.box("hollow", room, room, room, center=True))
    job.note("open at each side:", opening**2, digits=1)
    body = job.cut("across", body, job.box("window", side, opening, opening, center=True))
    body = job.cut("along", body, job.box("door", opening, side, opening, center=True))
    body = job.move("crate", body, dz=side / 2)
    return lw.Part(body, material=lw.Material("polyethylene", "0.95 g/cm3"))


def volume(side, wall, opening):
    return side**3 - (side - 2 * wall) ** 3 - 4 * opening**2 * wall
