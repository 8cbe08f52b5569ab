"""Eighteen mechanical parts, each with a radius that suits all of its 10 to 60 sharp edges at once."""

from __future__ import annotations

import math
from collections.abc import Callable

import lathwick as lw

Z = (0.0, 0.0, 1.0)


def _pin(radius: float, length: float, *at: float, along: tuple[float, float, float] = Z) -> lw.Body:
    return lw.cylinder(radius, length, on=lw.Plane((at[0], at[1], at[2]), along), step="pin")


def _block(dx: float, dy: float, dz: float, *at: float, step: str = "block") -> lw.Body:
    return lw.box(dx, dy, dz, on=lw.Plane((at[0], at[1], at[2]), Z), step=step)


def bracket() -> lw.Body:
    gusset = lw.wedge(30, 6, 30, 0, on=lw.Plane((8, 17, 8), Z), step="gusset")
    whole = lw.union(_block(60, 40, 8, 0, 0, 0), _block(8, 40, 50, 0, 0, 0), gusset)
    return lw.cut(whole, *(_pin(3, 20, x, y, -5) for x in (25, 50) for y in (8, 32)))


def flange() -> lw.Body:
    whole = lw.union(_pin(40, 10, 0, 0, 0), _pin(20, 35, 0, 0, 0))
    around = [(30 * math.cos(k * math.pi / 3), 30 * math.sin(k * math.pi / 3)) for k in range(6)]
    return lw.cut(whole, _pin(12, 60, 0, 0, -5), *(_pin(4, 30, x, y, -5) for x, y in around))


def keyed_shaft() -> lw.Body:
    steps = ((10, 30, 0), (16, 20, 30), (22, 12, 50), (14, 25, 62))
    return lw.cut(lw.union(*(_pin(r, h, 0, 0, z) for r, h, z in steps)), _block(40, 6, 30, 6, -3, 65))


def housing() -> lw.Body:
    return lw.cut(_block(80, 50, 40, 0, 0, 0), _block(64, 34, 40, 8, 8, 8))


def slotted_block() -> lw.Body:
    bores = [_pin(6, 50, x, -5, 9, along=(0, 1, 0)) for x in (15, 45)]
    return lw.cut(_block(60, 40, 30, 0, 0, 0), _block(60, 16, 12, 0, 12, 18), *bores)


def stairs() -> lw.Body:
    return lw.union(*(_block(60 - 15 * k, 40, 10, 0, 0, 10 * k) for k in range(4)))


def bearing_block() -> lw.Body:
    eye = _pin(18, 24, 0, -12, 26, along=(0, 1, 0))
    whole = lw.union(_block(70, 24, 10, -35, -12, 0), eye, _block(36, 24, 26, -18, -12, 0))
    return lw.cut(
        whole, _pin(10, 40, 0, -20, 26, along=(0, 1, 0)), _pin(3, 20, -28, 0, -5), _pin(3, 20, 28, 0, -5)
    )


def branched_pipe() -> lw.Body:
    run = lw.union(
        _pin(15, 80, -40, 0, 0, along=(1, 0, 0)),
        _pin(10, 40, 0, 0, 0),
        _pin(24, 6, -40, 0, 0, along=(1, 0, 0)),
    )
    return lw.cut(run, _pin(11, 100, -50, 0, 0, along=(1, 0, 0)), _pin(6, 60, 0, 0, 0))


def ribbed_plate() -> lw.Body:
    return lw.union(_block(72, 40, 5, 0, 0, 0), *(_block(4, 40, 15, 8 + 17.5 * k, 0, 5) for k in range(4)))


def plate_with_bosses() -> lw.Body:
    bosses = [_pin(5, 12, 12 + 18 * i, 12 + 18 * j, 6) for i in range(3) for j in range(3)]
    return lw.union(_block(60, 60, 6, 0, 0, 0), *bosses)


def clevis() -> lw.Body:
    ears = [_block(20, 8, 40, 20, y, 0, step=f"ear{y}") for y in (0, 22)]
    whole = lw.union(_block(60, 30, 10, 0, 0, 0), *ears)
    return lw.cut(
        whole, _pin(5, 60, 30, -10, 30, along=(0, 1, 0)), *(_pin(3, 30, x, 15, -5) for x in (8, 52))
    )


def pulley() -> lw.Body:
    groove = lw.torus(30, 4, on=lw.Plane((0, 0, 6), Z), step="groove")
    whole = lw.union(lw.cut(_pin(30, 12, 0, 0, 0), groove), _pin(10, 24, 0, 0, -6))
    return lw.cut(whole, _pin(5, 60, 0, 0, -30), _block(3, 8, 60, -1.5, 0, -30))


def cast_housing() -> lw.Body:
    hollow = lw.cut(_block(80, 50, 40, 0, 0, 0), _block(70, 40, 40, 5, 5, 5))
    whole = lw.union(hollow, _pin(12, 15, 80, 25, 20, along=(1, 0, 0)))
    return lw.cut(whole, _pin(7, 60, 60, 25, 20, along=(1, 0, 0)))


def necked_flange() -> lw.Body:
    neck = lw.cone(18, 12, 30, on=lw.Plane((0, 0, 8), Z), step="neck")
    around = [(30 * math.cos(k * math.pi / 3), 30 * math.sin(k * math.pi / 3)) for k in range(6)]
    holes = [_pin(3.5, 30, x, y, -10) for x, y in around]
    return lw.cut(lw.union(_pin(40, 8, 0, 0, 0), neck), _pin(8, 80, 0, 0, -10), *holes)


def _leaning(corners: list[tuple[float, float]], depth: float, y: float) -> lw.Body:
    """A prism over a polygon in x and z, from y back by the depth."""
    sk = lw.Sketch()
    for p, q in zip(corners, [*corners[1:], corners[0]], strict=True):
        sk.line(p, q)
    upright = lw.turn(lw.extrude(sk.regions(), depth, step="prism"), 90, lw.Axis((0, 0, 0), (1, 0, 0)))
    return lw.move(upright, 0, y, 0)


def gusset() -> lw.Body:
    rib = _leaning([(5, 5), (35, 5), (5, 35)], 6, 18)
    return lw.union(_block(50, 30, 6, 0, 0, 0), _block(6, 30, 50, 0, 0, 0, step="wall"), rib)


def knob() -> lw.Body:
    around = [(16 * math.cos(k * math.pi / 4), 16 * math.sin(k * math.pi / 4)) for k in range(8)]
    return lw.cut(_pin(15, 20, 0, 0, 0), *(_pin(3, 30, x, y, -5) for x, y in around))


def rocker() -> lw.Body:
    whole = lw.union(_pin(12, 10, 0, 0, 0), _pin(8, 10, 50, 0, 0), _block(50, 8, 10, 0, -4, 0))
    return lw.cut(whole, _pin(6, 40, 0, 0, -10), _pin(4, 40, 50, 0, -10))


def vee_block() -> lw.Body:
    vee = _leaning([(10, 30), (40, 30), (25, 12)], 60, 50)
    return lw.cut(_block(50, 40, 30, 0, 0, 0), vee, _block(4, 60, 8, 23, -10, 8))


PARTS: dict[Callable[[], lw.Body], float] = {
    bracket: 1.0, flange: 1.5, keyed_shaft: 0.8, housing: 2.0, slotted_block: 1.0, stairs: 2.0,
    bearing_block: 1.0, branched_pipe: 1.2, ribbed_plate: 1.0, plate_with_bosses: 1.0,
    clevis: 0.8, pulley: 0.8, cast_housing: 0.8, necked_flange: 0.8, gusset: 0.8, knob: 0.8,
    rocker: 0.8, vee_block: 0.8,
}  # fmt: skip
