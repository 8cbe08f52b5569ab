"""
Logger standoff
===============

A hexagonal standoff for a data logger: sizes from a table of standards, a cable window that stays within
the material and says so.
"""

import math

import lathwick as lw

sizes = lw.Table("standoff_sizes.csv")


@lw.design(unit="mm", strict=True)
def logger_standoff(
    job: lw.Job,
    thread: lw.Text = lw.param("M4", choices=sizes.names),
    length: lw.Length = lw.param(40.0, low=10, high=300),
    window: lw.Length = lw.param(3.0, low=0, note="width of the cable window, 0 for none"),
    tall: lw.Length = lw.param("=3*window", note="height of the window"),
):
    size = sizes[thread]
    across, hole, grip = size["across"], size["hole"], size["grip"]
    job.require(length > 2 * grip + tall + hole, "the holes would reach the window")
    outline = job.sketch("outline")
    hexagon = outline.polygon(6, across / 2, center=outline.origin, across_flats=True)
    outline.diameter(hexagon.circle, across)
    outline.vertical(hexagon[0])
    body = job.extrude("bar", outline, length)
    for end in ("start", "end"):
        body = job.hole(f"{end} hole", body, body.face(f"bar/{end}"), (0, 0), hole, depth=grip)
    wide = job.limit("window", window, high=across / 2)
    if wide > 0:
        slot = job.box("window", 2 * across, wide, tall, on=lw.XY.offset(length / 2), center=True)
        body = job.cut("standoff", body, slot)
    job.note("window", wide, at=(across / 2, 0, length / 2), digits=2)
    return lw.Part(body, material=lw.Material("brass", "8.5 g/cm3"))


def volume(thread, length, window, tall):
    """A hexagonal prism less two holes and the window, which leaves the corners of the hexagon alone."""
    across, hole, grip = (sizes[thread][name] for name in ("across", "hole", "grip"))
    bar = math.sqrt(3) / 2 * across**2 * length
    return bar - 2 * math.pi * hole**2 / 4 * grip - min(window, across / 2) * tall * across
