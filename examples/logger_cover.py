"""
Logger cover
============

The die-cast cover of a data logger: leaning walls, round corners and rim, hollow, with four screw bosses,
ribs from boss to boss, a gland and a raised name.
"""

import math

import lathwick as lw


@lw.design(unit="mm")
def logger_cover(
    job: lw.Job,
    long: lw.Length = lw.param(120.0, low=60),
    wide: lw.Length = lw.param(80.0, low=50),
    tall: lw.Length = lw.param(30.0, low=15),
    corner: lw.Length = lw.param(12.0, low=4),
    lean: lw.Angle = lw.param(2.0, low=0.5, high=6, note="of the walls, to leave the die"),
    rim: lw.Length = lw.param(4.0, low=1, note="radius of the upper rim"),
    wall: lw.Length = lw.param(2.5, low=1),
    boss: lw.Length = lw.param(5.0, low=2, note="radius of a screw boss"),
    screw: lw.Length = lw.param(3.3, low=1, note="diameter of the core holes"),
    rib: lw.Length = lw.param(2.0, low=0.5, note="thickness of a rib"),
    gland: lw.Length = lw.param(12.0, low=3, note="diameter of the cable gland"),
    label: lw.Text = lw.param("SG"),
):
    job.require(rim > wall, "the inner rim would be sharp")
    job.require(corner > rim + tall * math.tan(math.radians(lean)), "the corners run out below the rim")
    plan = job.sketch("plan")
    plan.rectangle(long, wide, center=(0, 0), rounding=corner)
    block = job.extrude("cover", plan, tall, taper=lean)
    block = job.fillet("rim", block, block.edges("cover/end"), rim)
    body = job.shell("hollow", block, wall, open=block.face("cover/start"))
    at = [
        (x * (long / 2 - 2.2 * boss - wall), y * (wide / 2 - 2.2 * boss - wall))
        for x in (-1, 1)
        for y in (-1, 1)
    ]
    posts = [
        job.cylinder(f"boss {k}", boss, tall - wall, on=lw.Plane((*place, 0), lw.Z))
        for k, place in enumerate(at, 1)
    ]
    body = job.union("cast", body, *posts)
    (x, y), lowest = at[3], 3 * tall / 4 - wall
    for k, side in enumerate((-1, 1), 1):
        line = job.sketch(f"line {k}", on=lw.XZ.offset(-side * y))
        line.line((-x / 2, lowest), (x / 2, lowest))
        body = job.rib(f"rib {k}", body, line, rib)
    cores = [
        job.cylinder(f"core {k}", screw / 2, 0.6 * tall, on=lw.Plane((*place, 0), lw.Z))
        for k, place in enumerate(at, 1)
    ]
    body = job.cut("cored", body, *cores)
    drill = job.cylinder("drill", gland / 2, wide / 2, on=lw.Plane((0, 0, tall / 2 - rim / 2), (0, -1, 0)))
    body = job.cut("gland", body, drill)
    if label:
        name = job.sketch("name", on=body.face("cover/end"))
        name.text(label, wide / 4, align="center", level="middle")
        body = job.union("named", body, job.extrude("letters", name, 0.6))
    return lw.Part(body, material=lw.Material("zinc alloy", "6.6 g/cm3"))


def area_of_label(label, wide):
    """Of the letters, as the sketch has them."""
    if not label:
        return 0.0
    name = lw.Sketch(lw.XY)
    name.text(label, wide / 4, align="center", level="middle")
    return sum(region.area for region in name.regions())


def volume(long, wide, tall, corner, lean, rim, wall, boss, screw, rib, gland, label):
    """Level slices of two rounded blocks, one in the other, each a rectangle inset by the leaning wall and
    the round; prisms for the rest."""
    import numpy as np

    angle = math.radians(lean)

    def block(inset, top, radius):
        """Of what lies `inset` within the walls, its top so high, and its upper rim of so large a radius."""
        start = inset / math.cos(angle)  # along the level plane z = 0
        meets = top - radius * (1 - math.sin(angle))  # where the round begins
        center = start + meets * math.tan(angle) + radius * math.cos(angle)
        total = 0.0
        for low, high, d in (
            (0.0, meets, lambda z: start + z * math.tan(angle)),
            (meets, top, lambda z: center - np.sqrt(np.maximum(radius**2 - (z - (top - radius)) ** 2, 0.0))),
        ):
            t, w = np.polynomial.legendre.leggauss(80)
            z = (low + high) / 2 + (high - low) / 2 * np.sin(np.pi / 2 * t)
            weight = w * (high - low) / 2 * np.pi / 2 * np.cos(np.pi / 2 * t)
            off = d(z)
            r = corner - off
            total += float(weight @ ((long - 2 * off) * (wide - 2 * off) - (4 - math.pi) * r**2))
        return total

    shell = block(0.0, tall, rim) - block(wall, tall - wall, rim - wall)
    x = long / 2 - 2.2 * boss - wall
    half = rib / 2
    strip = half * math.sqrt(boss**2 - half**2) + boss**2 * math.asin(half / boss)
    ribs = 2 * tall / 4 * (2 * x * rib - 2 * strip)
    bosses = 4 * (math.pi * boss**2 * (tall - wall) - math.pi * screw**2 / 4 * 0.6 * tall)
    hole = math.pi * gland**2 / 4 * wall / math.cos(angle)
    return shell + bosses + ribs - hole + 0.6 * area_of_label(label, wide)
