"""
Strap link
==========

A link of a strap: half of it drawn by overlap, trimmed and rounded, then mirrored with all its details.
"""

import math

import lathwick as lw


@lw.design(unit="mm", strict=True)
def strap_link(
    job: lw.Job,
    pitch: lw.Length = lw.param(60.0, low=10, high=600, note="between the eyes"),
    eye: lw.Length = lw.param("=0.5*pitch", note="outside diameter of an eye"),
    waist: lw.Length = lw.param("=0.4*eye", note="width in the middle"),
    bore: lw.Length = lw.param("=0.45*eye"),
    soft: lw.Length = lw.param("=0.25*eye", note="radius between eye and waist"),
    thick: lw.Length = lw.param("=0.15*eye"),
):
    job.require(waist < eye, "the waist is wider than the eyes")
    sk = job.sketch("outline")
    ring = sk.circle((pitch / 2, 0), eye / 2, name="eye")
    sides = [
        sk.line((0, y * waist / 2), (pitch / 2, y * waist / 2), name=n)
        for n, y in (("upper", 1), ("lower", -1))
    ]
    sk.on(ring.center, sk.x_axis)
    sk.distance_x(sk.origin, ring.center, "=pitch/2")
    sk.diameter(ring, "=eye")
    for side in sides:
        sk.horizontal(side)
        sk.on(side.start, sk.y_axis)
        sk.length(side, "=pitch/2")
    sk.distance_y(sides[1].start, sides[0].start, "=waist")
    sk.symmetric(sides[0].start, sides[1].start, sk.x_axis)

    joints = [sk.trim(side, (pitch / 2 - eye / 8, side.start.y))[0] for side in sides]
    sk.trim(ring, (pitch / 2 - eye / 2, 0))
    rounds = sk.round(joints, "=soft", name="soft")
    hole = sk.circle(ring.center, bore / 2, name="bore")
    sk.diameter(hole, "=bore")
    sk.mirror([ring, hole, *sides, *rounds], sk.y_axis)
    return lw.Part(job.extrude("link", sk, thick), material=lw.Material("stainless steel", density=7.9e-6))


def volume(pitch, eye, waist, bore, soft, thick):
    """The strap and two eyes, less what they share and the bores, and four filled corners."""
    r, h = eye / 2, waist / 2
    shared = h * math.sqrt(r**2 - h**2) + r**2 * math.asin(h / r)
    area = pitch * waist + 2 * (math.pi * r**2 - shared) - 2 * math.pi * bore**2 / 4
    return (area + 4 * filled(r, h, soft)) * thick


def filled(r, h, soft):
    """Between a circle, a line h beside its center that leaves it, and the arc that rounds their corner."""
    y, reach = h + soft, r + soft
    x, meet = math.sqrt(reach**2 - y**2), math.sqrt(r**2 - h**2)
    lean = math.atan2(y, x)
    corners = [(0.0, 0.0), (meet, h), (x, h), (x, y)]
    pairs = zip(corners, corners[1:] + corners[:1], strict=True)
    whole = abs(sum(a * d - b * c for (a, b), (c, d) in pairs)) / 2
    return whole - r**2 * abs(lean - math.atan2(h, meet)) / 2 - soft**2 * (math.pi / 2 - lean) / 2
