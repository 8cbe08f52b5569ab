"""
Turned pins
===========

Turned pins with a ball end: half a profile drawn past the corner and trimmed, turned, with a small bevel.
The second pin of a pair is four other values.
"""

import math

import lathwick as lw


@lw.design(unit="mm", strict=True)
def turned_pins(
    job: lw.Job,
    ball: lw.Length = lw.param(12.0, low=1, note="diameter of the ball"),
    shank: lw.Length = lw.param(8.0, low=1, note="diameter of the shank"),
    length: lw.Length = lw.param(40.0, low=5, note="from the foot to the middle of the ball"),
    bevel: lw.Length = lw.param(0.8, low=0.1),
):
    job.require(ball > shank, "the ball is smaller than its shank")
    job.require(bevel < shank / 2, "the bevel takes all of the foot")
    half = job.sketch("half", on=lw.XZ)
    foot = half.line((0, 0), (shank / 2, 0), name="foot")
    side = half.line(foot.end, (shank / 2, length), name="shank")
    axis = half.line((0, 0), (0, length + ball / 2), name="axis")
    head = half.arc((0, length), (0, length - ball / 2), axis.end, name="ball")
    half.coincident(foot.start, half.origin)
    half.coincident(axis.start, half.origin)
    half.horizontal(foot)
    half.vertical(side)
    half.vertical(axis)
    half.on(head.center, axis)
    half.on(head.start, axis)
    half.length(foot, "=shank/2")
    half.radius(head, "=ball/2")
    half.distance(half.origin, head.center, "=length")
    half.trim(head, near=(0, length - ball / 2))
    half.trim(side, near=(shank / 2, length))
    pin = job.revolve("pin", half, axis)
    body = job.chamfer("bevel", pin, pin.edges("pin/side:foot"), bevel)
    return lw.Part(body, material=lw.Material("stainless steel", "7.9 g/cm3"))


def volume(ball, shank, length, bevel):
    """A shank up to where it meets the ball, the ball above that, less the bevel (Pappus)."""
    r, s = ball / 2, shank / 2
    deep = math.sqrt(r * r - s * s)
    cap = r - deep
    whole = math.pi * s * s * (length - deep) + 4 / 3 * math.pi * r**3 - math.pi * cap**2 * (3 * r - cap) / 3
    return whole - 2 * math.pi * (s - bevel / 3) * bevel**2 / 2
