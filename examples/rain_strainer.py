"""
Rain strainer
=============

The strainer in the funnel of a rain gauge: a conical wall of which a chosen share is open.
"""

import math

import lathwick as lw


@lw.design(unit="mm")
def rain_strainer(
    job: lw.Job,
    rim: lw.Length = lw.param(60.0, low=20, high=300, note="diameter at the top"),
    foot: lw.Length = lw.param("=0.4*rim", note="diameter at the bottom"),
    height: lw.Length = lw.param("=0.7*rim"),
    wall: lw.Length = lw.param(1.2, low=0.4, high=5, note="square to the cone"),
    around: lw.Count = lw.param(24, low=6, high=80),
    rows: lw.Count = lw.param(7, low=1, high=40),
    openness: lw.Number = lw.param(0.45, low=0.05, high=0.9, note="share of the wall inside the borders"),
    border: lw.Length = lw.param("=3*wall"),
    cell: lw.Text = lw.param("hexagon", choices=("hexagon", "circle", "slot")),
):
    job.require(foot < rim, "a strainer narrows downwards")
    lean = math.atan2((rim - foot) / 2, height)
    outside = job.cone("outside", foot / 2, rim / 2, height)
    inner = wall / math.cos(lean)
    inside = job.cone("inside", foot / 2 - inner, rim / 2 - inner, height)
    form = job.cut("wall", outside, inside)
    body = job.perforate(
        "cells", form, form.faces("outside/side"), around, rows, openness, cell=cell, border=border
    )
    job.require(body.lumps == 1, "the strainer falls apart")
    return lw.Part(body, material=lw.Material("stainless steel", density=7.9e-6))


def outer_area(rim, foot, height, openness, border):
    """What is left of the outer wall: a cone's, less the open share of the cone between the borders."""
    slant = math.hypot((rim - foot) / 2, height)
    lean = (rim - foot) / 2 / slant
    low, high = foot / 2 + lean * border, rim / 2 - lean * border
    whole = math.pi * (foot + rim) / 2 * slant
    return whole - openness * math.pi * (low + high) * (slant - 2 * border)
