"""
Clamp half
==========

Half a rail clamp: a stepped profile extruded, two edges rounded, a hole at half a width, and all of it
mirrored on an end face, the rounds and the hole included.
"""

import math

import lathwick as lw


@lw.design(unit="mm", strict=True)
def clamp_half(
    job: lw.Job,
    wide: lw.Length = lw.param(30.0, low=10),
    tall: lw.Length = lw.param(24.0, low=10),
    step: lw.Length = lw.param("=tall/3", note="height of the lower part"),
    length: lw.Length = lw.param(36.0, low=10, note="of one half"),
    bolt: lw.Length = lw.param(6.6, low=2),
    soft: lw.Length = lw.param(3.0, low=0.5, note="radius of the outer edges"),
):
    job.require(step > soft and tall - step > soft, "the rounds do not fit the step")
    profile = job.sketch("profile", on=lw.YZ)
    outline = profile.polyline(
        [(0, 0), (wide, 0), (wide, step), (wide / 2, step), (wide / 2, tall), (0, tall)], close=True
    )
    low, right, shelf, riser, top, left = outline.lines
    profile.coincident(low.start, profile.origin)
    for line in (low, shelf, top):
        profile.horizontal(line)
    for line in (right, riser, left):
        profile.vertical(line)
    profile.length(low, "=wide")
    profile.length(shelf, "=wide/2")
    profile.length(right, "=step")
    profile.length(left, "=tall")
    body = job.extrude("half", profile, length)
    edges = body.edges("half/side").convex().parallel(lw.X)
    outer = edges.nearest((0, wide, step)) | edges.nearest((0, wide / 2, tall))
    body = job.fillet("soft", body, outer, soft)
    shelf_face = body.faces("half/side").facing(lw.Z).nearest((length / 2, 0.75 * wide, step))
    middle = lw.Plane((length / 2, 0.75 * wide, step), (0, 0, 1))
    pin = job.cylinder("bolt", bolt / 2, step, on=middle.offset(-step))
    job.require(len(shelf_face) == 1, "there is one shelf")
    body = job.cut("bolt hole", body, pin)
    whole = job.mirror("clamp", body, body.face("half/start"))
    return lw.Part(whole, material=lw.Material("aluminium", "2.7 g/cm3"))


def volume(wide, tall, step, length, bolt, soft):
    """Twice the stepped bar, less two rounds and the hole of each half."""
    profile = wide * step + wide / 2 * (tall - step) - 2 * (1 - math.pi / 4) * soft**2
    return 2 * (profile * length - math.pi * bolt**2 / 4 * step)
