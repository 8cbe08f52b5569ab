"""Rounds: a box, and hundreds of rims in one step."""

from __future__ import annotations

import math

import lathwick as lw

from .timing import Result, best_of


def studs(columns: int, rows: int) -> lw.Body:
    """A plate with round studs in a grid."""
    plate = lw.box(10 * columns, 10 * rows, 5, step="plate")
    spots = [(10 * i + 5, 10 * j + 5) for i in range(columns) for j in range(rows)]
    pins = [lw.cylinder(3, 6, on=lw.Plane((x, y, 4), (0, 0, 1)), step="stud") for x, y in spots]
    return lw.union(plate, *pins)


def run() -> list[Result]:
    box = lw.box(40, 30, 20)
    twelve = best_of(lambda: lw.fillet(box, box.edges(), 3))
    seconds = [_rims(6, 5), _rims(20, 15)]
    refused = _refused(20, 15)
    growth = math.log(seconds[1] / seconds[0]) / math.log(10)
    return [
        Result("12 edges of a box rounded", f"{twelve * 1e3:.1f} ms", "< 60 ms", twelve < 0.060),
        Result(
            "300 rims rounded in one step", f"{seconds[1]:.2f} s, N^{growth:.2f}", "N^1.15", growth < 1.15
        ),
        Result(
            "300 rims refused, as builds of them",
            f"{refused / seconds[1]:.1f}",
            "2.5",
            refused < 2.5 * seconds[1],
        ),
    ]


def _rims(columns: int, rows: int) -> float:
    body = studs(columns, rows)
    rims = body.edges("stud/top")
    return best_of(lambda: lw.fillet(body, rims, 0.5), times=2)


def _refused(columns: int, rows: int) -> float:
    """The time until a radius too large is refused, with one that works."""
    body = studs(columns, rows)
    rims = body.edges("stud/top")

    def attempt() -> None:
        try:
            lw.fillet(body, rims, 7)
        except lw.ModellingError:
            return
        raise AssertionError("a radius larger than the studs is refused")

    return best_of(attempt, times=2)
