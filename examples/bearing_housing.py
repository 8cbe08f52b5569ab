"""
Bearing housing
===============

The housing of a cable sheave: a foot on four bolts, a barrel with two seats, ribs, an oiler, leaning walls
and soft edges.
"""

import math
from itertools import pairwise

import lathwick as lw


@lw.design(unit="mm")
def bearing_housing(
    job: lw.Job,
    bore: lw.Length = lw.param(40.0, low=12, high=120, note="through the barrel"),
    seat: lw.Length = lw.param("=bore + 14", note="diameter of the bearings"),
    race: lw.Length = lw.param("=bore*0.3", note="depth of each seat"),
    wall: lw.Length = lw.param("=bore*0.2", low=3),
    long: lw.Length = lw.param("=bore*1.6", note="of the barrel"),
    rise: lw.Length = lw.param("=1.3*bore + wall", note="of the axis"),
    foot: lw.Length = lw.param("=4*bore", note="across the axis"),
    thick: lw.Length = lw.param("=bore*0.3", note="of the foot"),
    bolt: lw.Length = lw.param("=bore*0.22"),
    soft: lw.Length = lw.param("=bore*0.05", low=0.3, note="radius of the soft edges"),
):
    out = seat / 2 + wall
    job.require(long > 2 * race + wall, "the seats would meet")
    job.require(rise > out + thick, "the barrel would stand in the foot")
    job.require(foot > 2 * out + 6 * bolt, "no room for the bolts")
    deep = 0.8 * long
    plan = job.sketch("plan")
    outline = plan.rectangle(foot, deep, center=plan.origin, name="outline")
    plan.round(outline, 2 * bolt)
    base = job.extrude("foot", plan, thick)
    corners = [(x, y) for x in (-1, 1) for y in (-1, 1)]
    at = [(x * (foot / 2 - 2 * bolt), y * (deep / 2 - 1.3 * bolt)) for x, y in corners]
    base = job.hole("bolts", base, base.face("foot/end"), at, bolt, counterbore=(1.8 * bolt, thick / 3))
    axle = lw.Plane((0, long / 2, rise), (0, -1, 0), (1, 0, 0))
    barrel = job.cylinder("barrel", out, long, on=axle)
    stem = job.box("stem", 1.2 * out, 0.6 * deep, rise, on=lw.Plane((-0.6 * out, -0.3 * deep, 0), lw.Z))
    flanks = stem.faces("stem/side").facing(lw.X) | stem.faces("stem/side").facing((-1, 0, 0))
    stem = job.draft("lean", stem, flanks, -3, lw.XY.offset(rise))
    rib = job.sketch("rib", on=lw.XZ)
    away = foot / 2 - 4 * bolt
    rib.polyline([(0, thick / 2), (away, thick / 2), (away, thick + wall / 2), (0, rise)], close=True)
    right = job.extrude("rib", rib, wall, both=True)
    ribs = job.mirror("ribs", right, lw.YZ)
    body = job.union("housing", base, stem, barrel, ribs)
    body = job.cut("bored", body, job.cylinder("bore", bore / 2, long, on=axle))
    near = job.cylinder("seat", seat / 2, race, on=axle)
    seats = job.mirror("seats", near, lw.XZ)
    body = job.cut("seats open", body, seats)
    boss = job.cylinder("oiler", 1.2 * bolt, out + wall, on=lw.Plane((0, 0, rise), lw.Z))
    boss = job.cut("oiler hollow", boss, job.cylinder("core", bore / 2 + wall / 4, long, on=axle))
    body = job.union("with oiler", body, boss)
    body = job.hole("oil", body, body.face("oiler/top"), (0, 0), 0.8 * bolt, depth="first inner face")
    body = job.fillet("rims", body, body.edges("barrel").circular(out).convex(), soft)
    body = job.chamfer("lead in", body, body.edges("seat/side").circular(seat / 2).convex(), soft)
    body = job.fillet("oiler rim", body, body.edges("oiler/top").circular(1.2 * bolt), soft)
    job.note("axis above the foot", rise, at=(0, -long / 2, rise), digits=1)
    return lw.Part(body, material=lw.Material("cast iron", "7.2 g/cm3"))


def volume(bore, seat, race, wall, long, rise, foot, thick, bolt, soft, *, nodes=40):
    """By slices across the barrel, each a union of plane figures, added up between all their ends (Gauss)."""
    import numpy as np

    deep, r = 0.8 * long, 2 * bolt
    at = deep / 2 - 1.3 * bolt
    ends = [0, wall / 2, 0.4 * bolt, 1.2 * bolt - soft, 1.2 * bolt, 0.3 * deep, deep / 2 - r, deep / 2]
    ends += [long / 2, long / 2 - race, long / 2 - soft, *(at + k * bolt for k in (-0.9, -0.5, 0.5, 0.9))]
    stops = np.unique([y for y in ends if 0 <= y <= long / 2])
    t, w = np.polynomial.legendre.leggauss(nodes)
    total = 0.0
    for low, high in pairwise(stops):
        y = (low + high) / 2 + (high - low) / 2 * np.sin(np.pi / 2 * t)  # smooth where a chord begins
        share = w * (high - low) / 2 * np.pi / 2 * np.cos(np.pi / 2 * t)
        areas = [slice_at(v, bore, seat, race, wall, long, rise, foot, thick, bolt, soft).area for v in y]
        total += 2 * float(share @ areas)
    return total


def slice_at(y, bore, seat, race, wall, long, rise, foot, thick, bolt, soft):
    """What the plane at a distance y from the middle cuts out of the housing, in x and z."""
    import numpy as np
    import shapely
    from shapely.geometry import Point, Polygon, box

    def disc(radius):
        return Point(0, rise).buffer(
            radius * math.sqrt(math.pi / (720 * math.sin(math.pi / 720))), quad_segs=360
        )

    def chord(radius, away):
        return math.sqrt(max(radius**2 - away**2, 0.0))

    out, deep, r, figures = seat / 2 + wall, 0.8 * long, 2 * bolt, []
    if y < deep / 2:
        into = max(y - (deep / 2 - r), 0.0)
        half = foot / 2 - r + chord(r, into)
        base = box(-half, 0, half, thick)
        across, away = foot / 2 - 2 * bolt, abs(y - (deep / 2 - 1.3 * bolt))
        for x in (-across, across):
            wide, narrow = chord(0.9 * bolt, away), chord(bolt / 2, away)
            base -= box(x - wide, thick - thick / 3, x + wide, thick) | box(x - narrow, 0, x + narrow, thick)
        figures.append(base)
    if y < 0.3 * deep:
        low, high = (0.6 * out + math.tan(math.radians(3)) * (z - rise) for z in (0, rise))
        figures.append(Polygon([(-low, 0), (low, 0), (high, rise), (-high, rise)]))
    if y < wall / 2:
        x = foot / 2 - 4 * bolt
        figures.append(Polygon([(-x, thick / 2), (x, thick / 2), (x, thick + wall / 2), (0, rise),
                                (-x, thick + wall / 2)]))  # fmt: skip
    away = long / 2 - y
    figures.append(disc(out if away > soft else out - soft + chord(soft, soft - away)))
    if y < 1.2 * bolt:
        x = chord(1.2 * bolt, y) * np.sin(np.linspace(-np.pi / 2, np.pi / 2, 1201))
        off = np.clip(np.hypot(x, y) - (1.2 * bolt - soft), 0.0, soft)
        top = rise + out + wall - soft + np.sqrt(soft**2 - off**2)
        figures.append(Polygon([*zip(x, top, strict=True), (x[-1], rise), (x[0], rise)]))
    whole = shapely.union_all(figures)
    half = chord(0.4 * bolt, y)
    whole -= disc(bore / 2) | box(-half, rise, half, rise + 2 * out)
    if away < race:
        whole -= disc(seat / 2 + max(soft - away, 0.0))
    return whole
