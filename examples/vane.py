"""
Vane
====

A current-meter vane: arms about a hub, as many as their angle gives, each with a disc and a cross-bar.
Pieces that do not connect are told of.
"""

import math

import lathwick as lw


@lw.design(unit="mm")
def vane(
    job: lw.Job,
    angle: lw.Angle = lw.param(60.0, low=20, high=180, note="from arm to arm"),
    reach: lw.Length = lw.param(50.0, low=20, note="from the axis to the discs"),
    arm: lw.Length = lw.param(3.0, low=1, note="radius of an arm"),
    disc: lw.Length = lw.param(9.0, low=3, note="radius of a disc"),
    bar: lw.Length = lw.param("=0.6*reach", note="distance of the cross-bars from the axis"),
    hub: lw.Length = lw.param(10.0, low=4, note="radius of the hub"),
    thick: lw.Length = lw.param(8.0, low=2),
    label: lw.Text = lw.param("S7"),
):
    count = round(360 / angle)
    job.require(abs(count * angle - 360) < 1e-9, f"arms {angle:g} degrees apart do not go round evenly")
    job.require(disc > arm and thick > 2 * arm, "the arms are thicker than what they hold")
    level = lw.Plane((0, 0, thick / 2), (1, 0, 0))
    rod = job.cylinder("arm", arm, reach, on=level)
    plate = job.cylinder("disc", disc, thick, on=lw.Plane((reach + disc / 2, 0, 0), lw.Z))
    cross = job.box("cross-bar", 2 * arm, 6 * arm, thick, on=lw.Plane((bar - arm, -3 * arm, 0), lw.Z))
    one = job.union("blade", rod, plate, cross)
    blades = job.circular_pattern("blades", one, count, lw.Z)
    body = job.union("vane", job.cylinder("hub", hub, thick), blades)
    job.warn(body.lumps == 1, "the pieces do not connect")
    if label:
        plan = job.sketch("name", on=body.face("hub/top"))
        plan.text(label, hub * 0.6, align="center", level="middle")
        body = job.cut("name", body, plan, depth=0.6)
    return lw.Part(body, color="#c98a3a", material=lw.Material("brass", "8.5 g/cm3"))


def area_of_label(label, hub):
    """Of the letters, as the sketch has them."""
    if not label:
        return 0.0
    plan = lw.Sketch(lw.XY)
    plan.text(label, hub * 0.6, align="center", level="middle")
    return sum(region.area for region in plan.regions())


def volume(angle, reach, arm, disc, bar, hub, thick, label):
    """Hub, discs and bars as prisms; of the arms what lies between them, their ends by quadrature."""

    def beyond(radius, start):
        """Volume of an arm's end from a wall about an axis to the plane through that axis."""
        count = 4000
        ys = [arm * math.cos((k + 0.5) * math.pi / count) for k in range(count)]
        return sum(
            2 * (arm * arm - y * y) * (start - math.sqrt(radius * radius - y * y)) for y in ys
        ) * math.pi / count  # fmt: skip

    count = round(360 / angle)
    free = math.pi * arm**2 * (reach + disc / 2 - 2 * arm) + beyond(hub, 0.0) + beyond(disc, 0.0)
    blade = math.pi * disc**2 * thick + 12 * arm**2 * thick + free
    return math.pi * hub**2 * thick + count * blade - 0.6 * area_of_label(label, hub)
