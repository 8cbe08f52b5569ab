"""
Spacer plate
============

A spacer plate with a window: two sizes are named, a third is their difference, and everything follows.
"""

import lathwick as lw


@lw.design(unit="mm", strict=True)
def spacer_plate(
    job: lw.Job,
    outer: lw.Length = lw.param(80.0, low=20, note="side of the plate"),
    inner: lw.Length = lw.param(50.0, low=5, note="side of the window"),
    frame: lw.Length = lw.param("=(outer - inner)/2", low=2, note="width of the frame that is left"),
    thick: lw.Length = lw.param("=frame/5", low=1),
    bolt: lw.Length = lw.param("=0.4*frame"),
):
    plan = job.sketch("plan")
    plate = plan.rectangle(outer, outer, center=plan.origin, name="plate")
    window = plan.rectangle(inner, inner, center=plan.origin, name="window")
    plan.length(plate.bottom, "=outer")
    plan.length(window.bottom, "=outer - 2*frame")
    for rectangle in (plate, window):
        plan.equal(rectangle.bottom, rectangle.left)
    job.require(bolt < frame, "the bolts would leave the frame")
    body = job.extrude("plate", plan, thick)
    at = (outer - frame) / 2
    corners = [(x, y) for x in (-at, at) for y in (-at, at)]
    body = job.hole("bolts", body, body.face("plate/end"), corners, bolt)
    return lw.Part(body, material=lw.Material("acetal", "1.41 g/cm3"))


def volume(outer, inner, frame, thick, bolt):
    return (outer**2 - (outer - 2 * frame) ** 2 - 3.141592653589793 * bolt**2) * thick
