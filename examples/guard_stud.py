"""
Guard stud
==========

The stud that holds the guard of a current meter, and its nut: threads that mesh with a play.
"""

import math

import numpy as np

import lathwick as lw


@lw.design(unit="mm")
def guard_stud(
    job: lw.Job,
    size: lw.Length = lw.param(10.0, low=3, high=64, note="nominal diameter of the thread"),
    pitch: lw.Length = lw.param(1.5, low=0.2, high=6),
    length: lw.Length = lw.param("=4*size", note="of the stud"),
    thread: lw.Length = lw.param("=1.6*size", note="of full depth, from the upper end"),
    height: lw.Length = lw.param("=0.8*size", note="of the nut"),
    play: lw.Length = lw.param(0.02, low=0, note="square to the flanks, on either part"),
    piece: lw.Text = lw.param("stud", choices=("stud", "nut")),
):
    if piece == "stud":
        rod = job.cylinder("rod", size / 2, length)
        rod = job.chamfer("ends", rod, rod.edges().circular(size / 2), 0.6 * pitch)
        end = rod.edges("rod/top")
        body = job.thread("thread", rod, rod.faces("rod/side")[0], pitch, thread, play=play, start=end)
    else:
        outline = job.sketch("outline")
        outline.polygon(6, 0.8 * size, across_flats=True)
        outline.circle((0, 0), size / 2 - 0.625 * math.cos(math.pi / 6) * pitch)
        blank = job.extrude("blank", outline, height)
        body = job.thread("thread", blank, blank.faces().cylindrical()[0], pitch, play=play)
    return lw.Part(body, material=lw.Material("stainless steel", density=7.9e-6))


def volume(size, pitch, length, thread, height, play, piece):
    """Between planes and cones a groove takes what its profile takes when it is turned, times its turns."""
    cos30, tan30 = math.cos(math.pi / 6), math.tan(math.pi / 6)
    deep, out = 0.625 * cos30 * pitch + play, size / 2
    opening = pitch * (7 / 8 if piece == "stud" else 3 / 4) + 2 * play / cos30
    y, weights = _gauss(0, deep)
    wide = opening - 2 * y * tan30
    if piece == "nut":
        inner = out - deep + play
        groove = height / pitch * (weights @ (wide * 2 * math.pi * (inner + y)))
        return height * (2 * math.sqrt(3) * (0.8 * size) ** 2 - math.pi * inner**2) - groove
    bevel = 0.6 * pitch
    ring = math.pi * bevel**2 * (out - bevel / 3)
    full = thread - opening / 2
    ends = full - np.clip(bevel - y, 0, None)  # below the bevel, of full depth
    groove = weights @ (wide * 2 * math.pi * (out - y) * ends) / pitch
    area, lever = weights @ wide, weights @ (wide * y)
    fading = math.pi * (0.75 * area * out - 9 / 14 * lever)  # half a turn of depth 1 - t**3
    return math.pi * out**2 * length - 2 * ring - groove - fading


def _gauss(low, high):
    """Nodes and weights, exact for the polynomials of the depth."""
    t, weights = np.polynomial.legendre.leggauss(80)
    return low + (high - low) * (t + 1) / 2, weights * (high - low) / 2
