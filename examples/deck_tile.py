"""
Deck tile
=========

A family of deck tiles: rows and columns of round bosses on a plate that is hollow below, with tubes inside
and a slight taper. Its sizes stand in a table.
"""

import math

import lathwick as lw


@lw.design(unit="mm")
def deck_tile(
    job: lw.Job,
    columns: lw.Count = lw.param(4, low=2, high=60),
    rows: lw.Count = lw.param(2, low=2, high=60),
    pitch: lw.Length = lw.param(16.0, low=4),
    tall: lw.Length = lw.param(12.0, low=3, note="height of the plate"),
    wall: lw.Length = lw.param(2.0, low=0.5),
    boss: lw.Length = lw.param("=0.6*pitch", note="diameter of a boss"),
    rise: lw.Length = lw.param(3.0, low=0.5, note="height of a boss"),
    lean: lw.Angle = lw.param(1.5, low=0.1, high=5, note="taper of the bosses"),
    tube: lw.Length = lw.param("=0.4*pitch", note="diameter of the tubes inside"),
):
    wide, deep = columns * pitch, rows * pitch
    plate = job.box("plate", wide, deep, tall)
    room = job.box("room", wide - 2 * wall, deep - 2 * wall, tall - wall, on=lw.Plane((wall, wall, 0), lw.Z))
    body = job.cut("hollow", plate, room)
    top = boss / 2 - rise * math.tan(math.radians(lean))
    knob = job.cone("boss", boss / 2, top, rise, on=lw.Plane((pitch / 2, pitch / 2, tall), lw.Z))
    knobs = job.linear_pattern("bosses", knob, columns, pitch, lw.X, count2=rows, spacing2=pitch, along2=lw.Y)
    post = job.cylinder("tube", tube / 2, tall - wall, on=lw.Plane((pitch, pitch, 0), lw.Z))
    posts = job.linear_pattern(
        "tubes", post, columns - 1, pitch, lw.X, count2=rows - 1, spacing2=pitch, along2=lw.Y
    )
    return lw.Part(job.union("tile", body, knobs, posts), material=lw.Material("polypropylene", "0.91 g/cm3"))


def volume(columns, rows, pitch, tall, wall, boss, rise, lean, tube):
    wide, deep = columns * pitch, rows * pitch
    shell = wide * deep * tall - (wide - 2 * wall) * (deep - 2 * wall) * (tall - wall)
    r, s = boss / 2, boss / 2 - rise * math.tan(math.radians(lean))
    bosses = columns * rows * math.pi * rise * (r * r + r * s + s * s) / 3
    return shell + bosses + (columns - 1) * (rows - 1) * math.pi * tube**2 / 4 * (tall - wall)
