"""Pipe saddle, cut from plate: holds a gauging pipe to the wall of a stilling well.

Sedgemere Gauging, drawing SG-114. Front view; the bolts go through the plate.
"""

import lathwick as lw

ALUMINIUM = lw.Material("aluminium 6082", "2.70 g/cm3")


@lw.design(unit="mm", strict=True)
def pipe_saddle(
    job: lw.Job,
    pipe: lw.Length = lw.param(48.3, low=15, high=170, note="outside diameter of the pipe"),
    gap: lw.Length = lw.param(0.6, low=0, high=3, note="bore less pipe, for paint"),
    wall: lw.Length = lw.param("=max(6, 0.15*pipe)", low=4, note="thickness round the bore"),
    bolt: lw.Length = lw.param(9.0, choices=(5.5, 6.6, 9.0, 11.0, 13.5), note="bolt hole"),
    plate: lw.Length = lw.param("1/2 in", low=3, high=40, note="thickness of the plate"),
    foot_height: lw.Length = lw.param("=2.4*bolt", note="height of the foot"),
    foot: lw.Length = lw.param("=2*pipe + 6*bolt", note="length of the foot"),
    spacing: lw.Length = lw.param("=foot - 2.6*bolt", note="between the bolts"),
    rise: lw.Length = lw.param("=0.5*pipe + foot_height + 0.1*pipe", note="foot to pipe center"),
    lean: lw.Angle = lw.param("=atan(1/(0.2 + wall/pipe))", low=55, high=88, note="of the flanks"),
) -> lw.Part:
    job.require(spacing + 2 * bolt < foot, "the bolt holes are too near the ends of the foot")
    job.require(rise - (pipe + gap) / 2 > 0.5 * wall, "the bore cuts through the foot")

    crown_radius = (pipe + gap) / 2 + wall
    sk = job.sketch("profile", on=lw.XZ)

    # roughly drawn; the constraints below make it exact
    bore = sk.circle((0, rise), pipe / 2, name="bore")
    crown = sk.arc((0, rise), (pipe, 1.2 * rise), (-pipe, 1.2 * rise), name="crown")
    right_flank = sk.line(crown.start, (0.8 * pipe, foot_height), name="right_flank")
    right_ledge = sk.line(right_flank.end, (foot / 2, foot_height), name="right_ledge")
    right_end = sk.line(right_ledge.end, (foot / 2, 0), name="right_end")
    underside = sk.line(right_end.end, (-foot / 2, 0), name="underside")
    left_end = sk.line(underside.end, (-foot / 2, foot_height), name="left_end")
    left_ledge = sk.line(left_end.end, (-0.8 * pipe, foot_height), name="left_ledge")
    left_flank = sk.line(left_ledge.end, crown.end, name="left_flank")
    right_bolt = sk.circle((spacing / 2, foot_height / 2), bolt / 2, name="right_bolt")
    left_bolt = sk.circle((-spacing / 2, foot_height / 2), bolt / 2, name="left_bolt")

    # the foot
    sk.collinear(underside, sk.x_axis)
    sk.symmetric(underside.start, underside.end, sk.y_axis)
    sk.length(underside, foot, name="foot")
    sk.vertical(right_end)
    sk.vertical(left_end)
    sk.length(right_end, foot_height, name="foot_height")
    sk.horizontal(right_ledge)
    sk.horizontal(left_ledge)
    sk.equal(right_end, left_end)

    # the crown about the bore, and the flanks that run into it
    sk.concentric(crown, bore)
    sk.on(bore.center, sk.y_axis)
    sk.distance_y(sk.origin, bore.center, rise, name="rise")
    sk.diameter(bore, pipe + gap, name="bore")
    sk.radius(crown, crown_radius, name="crown")
    sk.tangent(right_flank, crown)
    sk.tangent(left_flank, crown)
    sk.angle(sk.x_axis, right_flank, lean, name="lean")
    sk.symmetric(right_flank.end, left_flank.start, sk.y_axis)

    # the bolt holes, mirrored about the middle
    sk.diameter(right_bolt, bolt, name="bolt")
    sk.symmetric(right_bolt, left_bolt, sk.y_axis)
    sk.distance_x(left_bolt.center, right_bolt.center, spacing, name="spacing")
    sk.distance_y(sk.origin, right_bolt.center, foot_height / 2, name="bolt_height")

    body = job.extrude("saddle", sk, plate, both=True)
    return lw.Part(body, material=ALUMINIUM, color="#9fb4c0")
