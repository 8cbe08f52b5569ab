"""
Bracket
=======

A bracket for a cable: one polyline drawn by hand and followed to freedom 0, its corners rounded.
"""

import math

import lathwick as lw


@lw.design(unit="mm", strict=True)
def bracket(
    job: lw.Job,
    reach: lw.Length = lw.param(60.0, low=20, high=400),
    rise: lw.Length = lw.param(45.0, low=15, high=400),
    thick: lw.Length = lw.param(6.0, low=1.5, high=40),
    width: lw.Length = lw.param("=4*thick"),
    bolt: lw.Length = lw.param("=0.9*thick", note="diameter of both holes"),
):
    job.require(min(reach, rise) > width / 2 + 3 * thick, "the holes would cut into the bend")
    sk = job.sketch("side", on=lw.XZ)
    with sk.drawing(infer=0.5):
        edge = sk.polyline(
            [(0.2, -0.1), (reach, 0.3), (reach, thick), (thick, thick + 0.2), (thick, rise), (-0.2, rise)],
            close=True, name="edge",
        )  # fmt: skip
    bottom, nose, floor, _, top, back = edge
    sk.length(bottom, "=reach")
    sk.length(nose, "=thick")
    sk.length(top, "=thick")
    sk.length(back, "=rise")
    sk.round(floor.end, "=thick", name="inside")
    sk.round(bottom.start, "=2*thick", name="outside")
    body = job.extrude("bracket", sk, width, both=True)
    flat, upright = body.face("bracket/side:edge.3"), body.face("bracket/side:edge.4")
    body = job.hole("foot hole", body, flat, (reach - width / 2, 0), bolt)
    body = job.hole("wall hole", body, upright, (0, rise - width / 2), bolt)
    return lw.Part(body, material=lw.Material("stainless steel", density=7.9e-6))


def volume(reach, rise, thick, width, bolt):
    area = thick * (reach + rise - thick) - (1 - math.pi / 4) * (4 * thick**2 - thick**2)
    return area * width - 2 * math.pi * bolt**2 / 4 * thick
