"""
Valve plug
==========

A valve plug: crossing passages are united, a block is kept where it meets a ball, and the first is taken
from the second. `cut` takes what follows from what comes first.
"""

import math

import lathwick as lw


@lw.design(unit="mm")
def valve_plug(
    job: lw.Job,
    ball: lw.Length = lw.param(25.0, low=5, note="radius of the ball"),
    flat: lw.Length = lw.param("=0.8*ball", note="half the side of the block"),
    bore: lw.Length = lw.param("=0.4*ball", note="radius of the passages"),
):
    job.require(
        math.sqrt(2) * flat > ball > flat, "the ball is to round the block's edges and meet its sides"
    )
    job.require(bore < math.sqrt(ball**2 - flat**2) * 0.98, "the passages would leave the flats")
    along, across = (
        job.cylinder(name, bore, 2 * ball, on=lw.Plane((-ball * d[0], -ball * d[1], 0), d))
        for name, d in (("along", (1, 0, 0)), ("across", (0, 1, 0)))
    )
    passages = job.union("passages", along, across)
    block = job.box("block", 2 * flat, 2 * flat, 2 * flat, center=True)
    plug = job.intersect("plug", block, job.sphere("ball", ball))
    return lw.Part(job.cut("valve plug", plug, passages), material=lw.Material("brass", "8.5 g/cm3"))


def volume(ball, flat, bore):
    """A ball less six caps, less two cylinders that end at flats and share 16/3 r^3."""
    cap = ball - flat
    block = 4 / 3 * math.pi * ball**3 - 6 * math.pi * cap**2 * (3 * ball - cap) / 3
    return block - (2 * math.pi * bore**2 * 2 * flat - 16 / 3 * bore**3)
