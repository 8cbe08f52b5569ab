"""
Toggle
======

A toggle for a line: lines and circles drawn across each other, trimmed to a cross with round ends.
"""

import math

import lathwick as lw


@lw.design(unit="mm", strict=True)
def toggle(
    job: lw.Job,
    span: lw.Length = lw.param(70.0, low=20, high=400, note="between the ends of the long arms"),
    cross: lw.Length = lw.param("=0.5*span", note="between the ends of the short arms"),
    width: lw.Length = lw.param("=span/7", note="of the arms"),
    soft: lw.Length = lw.param("=0.4*width", note="radius of the inner corners"),
    bore: lw.Length = lw.param("=0.5*width"),
    thick: lw.Length = lw.param("=0.6*width"),
):
    sk = job.sketch("outline")
    r = width / 2
    ends = {}
    for name, (x, y) in {"east": (1, 0), "north": (0, 1), "west": (-1, 0), "south": (0, -1)}.items():
        reach = (span if y == 0 else cross) / 2 - r
        ends[name] = sk.circle((x * reach, y * reach), r, name=name)
    sk.diameter(ends["east"], "=width")
    sk.equal(*ends.values())
    for one, two, axis, across, size in (
        ("west", "east", sk.x_axis, sk.y_axis, "=span - width"),
        ("south", "north", sk.y_axis, sk.x_axis, "=cross - width"),
    ):
        sk.on(ends[one].center, axis)
        sk.symmetric(ends[one].center, ends[two].center, across)
        sk.distance(ends[one].center, ends[two].center, size)
    long, short = span / 2, cross / 2
    sides = {
        "top": sk.line((-long, r), (long, r), name="top"),
        "bottom": sk.line((-long, -r), (long, -r), name="bottom"),
        "left": sk.line((-r, -short), (-r, short), name="left"),
        "right": sk.line((r, -short), (r, short), name="right"),
    }
    for name, side in sides.items():
        level = name in ("top", "bottom")
        for end in ("west", "east") if level else ("south", "north"):
            sk.tangent(side, ends[end])
        (sk.distance_x if level else sk.distance_y)(side, "=span" if level else "=cross")
        sk.symmetric(side.start, side.end, sk.y_axis if level else sk.x_axis)
    sk.solve()
    for name, side in sides.items():
        level = name in ("top", "bottom")
        far = (long if level else short) - r / 4
        for u in (-far, 0, far):
            sk.trim(side, (u, side.start.y) if level else (side.start.x, u))
    for circle in ends.values():
        x, y = circle.center.position
        size = math.hypot(x, y)
        sk.trim(circle, (x - r * x / size, y - r * y / size))
    corners = [sk[f"{a} & {b}"] for a in ("top", "bottom") for b in ("left", "right")]
    sk.round(corners, "=soft", name="soft")
    sk.diameter(sk.circle(sk.origin, bore / 2, name="bore"), "=bore")
    return lw.Part(job.extrude("toggle", sk, thick), material=lw.Material("oak", density=0.7e-6))


def volume(span, cross, width, soft, bore, thick):
    """Two bars with round ends, less the square they share and the bore, and four filled corners."""
    bars = (span - width + cross - width) * width + math.pi * width**2 / 2
    return (bars - width**2 - math.pi * bore**2 / 4 + (4 - math.pi) * soft**2) * thick
