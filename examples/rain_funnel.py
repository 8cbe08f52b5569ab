"""
Rain funnel
===========

The funnel of a rain gauge: a smooth wall through circles of three radii, open at both ends.
"""

import math

import lathwick as lw


@lw.design(unit="mm")
def rain_funnel(
    job: lw.Job,
    mouth: lw.Length = lw.param(160.0, low=50, high=400, note="inside diameter at the top"),
    throat: lw.Length = lw.param(30.0, low=5, note="inside diameter at the bottom"),
    waist: lw.Length = lw.param("=0.4*mouth", note="inside diameter in between"),
    height: lw.Length = lw.param(120.0, low=20),
    share: lw.Number = lw.param(0.45, low=0.1, high=0.9, note="how far up the waist is, of the height"),
    wall: lw.Length = lw.param(2.0, low=0.5, high=10),
):
    job.require(throat < waist < mouth, "a funnel narrows all the way down")
    levels = ((throat, 0.0), (waist, share * height), (mouth, height))
    solids = []
    for name, more in (("outside", 2 * wall), ("inside", 0.0)):
        sections = []
        for k, (across, level) in enumerate(levels):
            ring = job.sketch(f"{name} {k + 1}", on=lw.XY.offset(level))
            ring.circle((0, 0), (across + more) / 2)
            sections.append(ring)
        solids.append(job.loft(f"{name} form", sections))
    return lw.Part(job.cut("funnel", *solids), material=lw.Material("polypropylene", density=0.9e-6))


def volume(mouth, throat, waist, height, share, wall):
    """Of both forms, whose radius is a parabola of the height: by a Gauss rule, which is exact here."""

    def form(more):
        a, b, c = ((d + more) / 2 for d in (throat, waist, mouth))

        def radius(z):
            s = z / height
            la = (s - share) * (s - 1) / share
            lb = s * (s - 1) / (share * (share - 1.0))
            lc = s * (s - share) / (1.0 - share)
            return a * la + b * lb + c * lc

        nodes = [(0.5 - math.sqrt(3 / 5) / 2, 5 / 18), (0.5, 8 / 18), (0.5 + math.sqrt(3 / 5) / 2, 5 / 18)]
        return sum(w * math.pi * radius(x * height) ** 2 for x, w in nodes) * height

    return form(2 * wall) - form(0.0)
