"""
Pawl cam
========

The cam that lifts a pawl, and its follower: every size a fraction of one diameter, drawn in two ways.
"""

import math

import lathwick as lw


@lw.design(unit="mm", strict=True)
def pawl_cam(
    job: lw.Job,
    size: lw.Length = lw.param(24.0, low=6, high=200, note="diameter of the base circle"),
    nose: lw.Length = lw.param("=0.18*size", note="radius at the tip"),
    lift: lw.Length = lw.param("=0.7*size", note="of the tip's center"),
    flank: lw.Length = lw.param("=1.5*size", note="radius of the sides"),
    bore: lw.Length = lw.param("=0.3*size"),
    thick: lw.Length = lw.param("=0.25*size"),
    piece: lw.Text = lw.param("cam", choices=("cam", "follower")),
    way: lw.Text = lw.param("trimmed", choices=("trimmed", "direct"), note="how the cam is drawn"),
):
    sk = job.sketch("outline")
    if piece == "follower":
        _follower(sk, size)
    else:
        job.require(lift > size / 2 + nose or way == "direct", "the tip crosses the base: draw it directly")
        (_trimmed if way == "trimmed" else _direct)(sk, size)
        hole = sk.circle(sk.origin, bore / 2, name="bore")
        sk.diameter(hole, "=bore")
    return lw.Part(job.extrude(piece, sk, thick), material=lw.Material("brass", density=8.5e-6))


def _trimmed(sk, size):
    """Four circles that touch, trimmed to their outline."""
    base = sk.circle(sk.origin, size / 2, name="base")
    tip = sk.circle((0, 0.7 * size), 0.18 * size, name="tip")
    sk.on(tip.center, sk.y_axis)
    sides = [sk.circle((x * size, 0.2 * size), 1.5 * size, name=n) for n, x in (("left", 1), ("right", -1))]
    _sized(sk, base, tip, *sides)
    for side in sides:
        for circle in (base, tip):
            sk.tangent(side, circle)
    sk.solve()
    for side in sides:
        low, high = (touch(side, circle) for circle in (base, tip))
        for angle in (low + math.pi, 1.1 * high - 0.1 * low, 1.1 * low - 0.1 * high):
            place = around(side, angle)
            if angle == low + math.pi or side.name == "left":  # the second meets nothing else any more
                sk.trim(side, place)
    sk.trim(base, (0, size / 2))
    sk.trim(tip, (0, 0.5 * size))


def _direct(sk, size):
    """Four arcs from end to end, each leaving the one before it smoothly."""
    spots = [(0.3, 0.35), (0.17, 0.75), (-0.17, 0.75), (-0.3, 0.35)]
    a, b, c, d = (sk.point((x * size, y * size), construction=True) for x, y in spots)
    base = sk.arc(sk.origin, d, a, name="base")
    right = sk.arc((-size, 0.2 * size), a, b, name="right")
    tip = sk.arc((0, 0.7 * size), b, c, name="tip")
    left = sk.arc((size, 0.2 * size), c, d, name="left")
    sk.on(tip.center, sk.y_axis)
    _sized(sk, base, tip, left, right)
    for one, two in ((base, right), (right, tip), (tip, left), (left, base)):
        sk.tangent(one, two)


def _sized(sk, base, tip, left, right):
    sk.diameter(base, "=size")
    sk.radius(tip, "=nose")
    sk.distance(base.center, tip.center, "=lift")
    sk.radius(left, "=flank")
    sk.equal(left, right)


def _follower(sk, size):
    """A link with round ends: two circles and the lines that touch both, trimmed."""
    pin = sk.circle(sk.origin, size / 4, name="pin")
    roll = sk.circle((size, 0), size / 6, name="roll")
    sk.on(roll.center, sk.x_axis)
    sk.diameter(pin, "=size/2")
    sk.diameter(roll, "=size/3")
    sk.distance(pin.center, roll.center, "=size")
    lines = [
        sk.line((0, y * size / 4), (size, y * size / 6), name=n) for n, y in (("top", 1), ("bottom", -1))
    ]
    for line in lines:
        for circle, end in ((pin, line.start), (roll, line.end)):
            sk.on(end, circle)
            sk.tangent(line, circle)
    sk.trim(pin, (size / 4, 0))
    sk.trim(roll, (size - size / 6, 0))
    for center, hole in ((pin.center, "pin hole"), (roll.center, "roll hole")):
        sk.diameter(sk.circle(center, size / 12, name=hole), "=size/6")


def touch(side, circle):
    """Direction, from the center of a side, of the place where it touches a circle inside it."""
    return math.atan2(circle.center.y - side.center.y, circle.center.x - side.center.x)


def around(circle, angle):
    x, y = circle.center.position
    return (x + circle.radius * math.cos(angle), y + circle.radius * math.sin(angle))


def volume(size, nose, lift, flank, bore, thick, piece, way):
    """The sectors of all four arcs, less the triangles of centers that those of the flanks have too much."""
    if piece == "follower":
        return follower_area(size) * thick
    # the triangle of the centers of base, tip and flank
    one, two = flank - size / 2, flank - nose
    at_base = math.acos((one**2 + lift**2 - two**2) / (2 * one * lift))
    at_tip = math.acos((two**2 + lift**2 - one**2) / (2 * two * lift))
    at_flank = math.pi - at_base - at_tip
    sectors = at_base * (size / 2) ** 2 + at_tip * nose**2 + at_flank * flank**2
    return (sectors - one * lift * math.sin(at_base) - math.pi * bore**2 / 4) * thick


def follower_area(size):
    """A trapezium on either side of the middle line, the sectors of both ends, less two holes."""
    big, small = size / 4, size / 6
    lean = math.asin((big - small) / size)
    along = size * math.cos(lean)
    return (
        (big + small) * along
        + big**2 * (math.pi / 2 + lean)
        + small**2 * (math.pi / 2 - lean)
        - 2 * math.pi * (size / 12) ** 2
    )
