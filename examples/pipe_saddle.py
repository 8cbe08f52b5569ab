"""
Pipe saddle
===========

A saddle under a gauging pipe: a foot and two circles drawn across each other, trimmed and rounded.
"""

import math

import lathwick as lw


@lw.design(unit="mm", strict=True)
def pipe_saddle(
    job: lw.Job,
    pipe: lw.Length = lw.param(60.3, low=20, high=220, note="outside diameter of the pipe"),
    wall: lw.Length = lw.param("=0.1*pipe", low=2, note="around the pipe"),
    foot: lw.Length = lw.param("=2*pipe", note="width of the foot"),
    thick: lw.Length = lw.param("=0.1*pipe", low=2, note="height of the foot"),
    length: lw.Length = lw.param("=0.8*pipe", note="along the pipe"),
):
    job.require(foot > pipe + 4 * wall, "the foot is too narrow for its rounds")
    job.require(wall < 1.2 * thick, "the ring would stand out under the foot")
    sk = job.sketch("section", on=lw.XZ)
    base = sk.rectangle(foot, thick, name="foot")
    seat = sk.circle((0, pipe), pipe / 2, name="seat")
    ring = sk.circle(seat.center, pipe / 2 + wall, name="ring")
    rim = sk.line((-pipe, pipe), (pipe, pipe), name="rim")

    sk.symmetric(base.corners[0], base.corners[1], sk.y_axis)
    sk.on(base.corners[0], sk.x_axis)
    sk.length(base.bottom, "=foot")
    sk.length(base.left, "=thick")
    sk.on(seat.center, sk.y_axis)
    sk.distance_y(sk.origin, seat.center, "=pipe/2 + 1.2*thick", name="floor")
    sk.diameter(seat, "=pipe")
    sk.distance(ring, seat, "=wall")
    sk.horizontal(rim)
    sk.on(seat.center, rim)
    sk.symmetric(rim.start, rim.end, sk.y_axis)
    sk.length(rim, "=2*pipe")

    high = pipe / 2 + 1.2 * thick
    for circle in (seat, ring):
        sk.trim(circle, (0, high + circle.radius))
    for place in (-pipe, 0, pipe):
        sk.trim(rim, (place, high))
    left, right = sk.trim(base.top, (0, thick))
    sk.trim(ring, (0, high - ring.radius))
    sk.round([left, right], "=wall", name="inside")
    return lw.Part(job.extrude("saddle", sk, length), material=lw.Material("polyamide", density=1.14e-6))


def volume(pipe, wall, foot, thick, length):
    """Half a ring and the foot, less what they share, and the two corners that are filled."""
    outer, high = pipe / 2 + wall, pipe / 2 + 1.2 * thick
    half = math.acos((high - thick) / outer)
    shared = outer**2 * (half - math.sin(half) * math.cos(half))
    area = math.pi / 2 * (outer**2 - (pipe / 2) ** 2) + foot * thick - shared
    return (area + 2 * filled(outer, high - thick, wall)) * length


def filled(outer, above, r):
    """The area between a circle, a line `above` below its center, and the arc that rounds their corner."""
    reach = outer + r
    x = math.sqrt(reach**2 - (above - r) ** 2)  # of the arc's center, from the circle's
    meet = math.sqrt(outer**2 - above**2)
    corners = [(0.0, 0.0), (meet, -above), (x, -above), (x, r - above)]
    pairs = zip(corners, corners[1:] + corners[:1], strict=True)
    whole = abs(sum(a * d - b * c for (a, b), (c, d) in pairs)) / 2
    lean = math.atan2(r - above, x)
    at_circle = lean - math.atan2(-above, meet)
    at_arc = math.pi / 2 - lean
    return whole - outer**2 * at_circle / 2 - r**2 * at_arc / 2
