"""
Conduit
=======

Conduit pieces of the Sedgemere Gauging stations: elbow, straight and coupling from one table of sizes.

Run `lathwick vary examples/conduit.py examples/conduit_sizes.csv --out conduit`.
"""

import math

import lathwick as lw


@lw.design(unit="mm")
def conduit(
    job: lw.Job,
    bore: lw.Length = lw.param(40.0, low=10, high=200, note="inside diameter"),
    wall: lw.Length = lw.param(3.0, low=1, note="of pipe and socket"),
    bend: lw.Length = lw.param("=1.5*bore", note="radius of the bend's middle line"),
    reach: lw.Length = lw.param("=bend+bore", note="from the corner to the mouth of each socket's pipe"),
    socket: lw.Length = lw.param("=0.6*bore", note="depth of a socket"),
    play: lw.Length = lw.param(0.3, low=0, high=1, note="between pipe and socket, on the radius"),
    kind: lw.Text = lw.param("elbow", choices=("elbow", "straight", "coupling")),
):
    job.require(bend > bore / 2 + wall, "the bend is tighter than the pipe is thick")
    ends = {
        "elbow": [(0, 0, 0), (reach, 0, 0), (reach, reach, 0)],
        "straight": [(0, 0, 0), (2 * reach, 0, 0)],
        "coupling": [(0, 0, 0), (2 * wall, 0, 0)],
    }
    middle = lw.route(ends[kind], bend=bend if kind == "elbow" else 0)
    across = job.sketch("section", on=middle.plane_at(0))
    across.circle((0, 0), bore / 2 + wall)
    across.circle((0, 0), bore / 2)
    body = job.sweep("pipe", across, middle)
    seat = bore / 2 + wall + play
    for name, place, out in (("inlet", middle.plane_at(0), -1.0), ("outlet", middle.plane_at(1), 1.0)):
        mouth = lw.Plane(place.origin, tuple(out * c for c in place.normal))
        collar = job.cylinder(f"{name} collar", seat + wall, wall + socket, on=mouth.offset(-wall))
        opened = job.cut(
            f"{name} socket",
            collar,
            job.cylinder(f"{name} seat", seat, socket, on=mouth),
            job.cylinder(f"{name} way", bore / 2, 2 * wall, on=mouth.offset(-2 * wall)),
        )
        body = job.union(f"pipe with {name}", body, opened)
    return lw.Part(body, material=lw.Material("PVC-U", density=1.4e-6))


def volume(bore, wall, bend, reach, socket, play, kind):
    """The closed form, by Pappus."""
    lengths = {
        "elbow": 2 * (reach - bend) + math.pi / 2 * bend,
        "straight": 2 * reach,
        "coupling": 2 * wall,
    }
    inner, outer = bore / 2, bore / 2 + wall
    seat = outer + play
    collar = math.pi * ((seat + wall) ** 2 - outer**2) * wall
    return (
        math.pi * (outer**2 - inner**2) * lengths[kind]
        + 2 * collar
        + 2 * math.pi * ((seat + wall) ** 2 - seat**2) * socket
    )
