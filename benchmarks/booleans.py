"""Booleans: one cut, plates with many holes, a plate of bosses and tubes; triangles a second."""

from __future__ import annotations

import math
import tempfile
import time
from pathlib import Path

import lathwick as lw

from .timing import Result, best_of


def plate(holes: int) -> lw.Body:
    """A plate with holes in rows, cut in one go."""
    row = math.ceil(math.sqrt(holes))
    tools = [
        lw.cylinder(3, 7, on=lw.Plane((5 + 10 * (i % row), 5 + 10 * (i // row), -1), (0, 0, 1)))
        for i in range(holes)
    ]
    return lw.cut(lw.box(10 * row, 10 * row, 5), *tools)


def drilled(holes: int) -> None:
    """A plate with holes in rows, each cut in a step of its own."""
    row = math.ceil(math.sqrt(holes))
    body = lw.box(18 * row + 20, 18 * row + 20, 10)
    for i in range(holes):
        where = lw.Plane((10 + 18 * (i % row), 10 + 18 * (i // row), -5), (0, 0, 1))
        body = lw.cut(body, lw.cylinder(3, 20, on=where))


def bosses() -> lw.Body:
    """32 x 12 bosses on a plate that is hollow from below, with 31 x 11 tubes inside."""
    job = lw.Job()
    boss = job.cylinder("boss", 3, 4, on=lw.Plane((5, 5, 6), (0, 0, 1)))
    row = job.linear_pattern("row", boss, 32, 10, lw.X)
    top = job.union("top", job.box("plate", 320, 120, 6), job.linear_pattern("grid", row, 12, 10, lw.Y))
    hollow = job.cut("hollow", top, job.box("pocket", 316, 116, 4, on=lw.Plane((2, 2, -1), (0, 0, 1))))
    outer = job.cylinder("outer", 2.5, 3, on=lw.Plane((10, 10, 0), (0, 0, 1)))
    inner = job.cylinder("inner", 1.5, 5, on=lw.Plane((10, 10, -1), (0, 0, 1)))
    tube = job.cut("tube", outer, inner)
    tubes = job.linear_pattern("tubes", job.linear_pattern("tube row", tube, 31, 10, lw.X), 11, 10, lw.Y)
    return job.union("all", hollow, tubes)


def part() -> None:
    """Some twenty steps as a workshop part has them."""
    job = lw.Job()
    plan = job.sketch("plan")
    plan.rectangle(100, 100, center=(0, 0), rounding=8)
    body = job.union("foot", job.extrude("plate", plan, 8), job.cylinder("socket", 27, 60))
    body = job.cut("bored", body, job.cylinder("bore", 21, 80, on=lw.XY.offset(-10)))
    corners = [(x, y) for x in (-40, 40) for y in (-40, 40)]
    body = job.hole("bolts", body, body.face("plate/end"), corners, 9, counterbore=(15, 3))
    body = job.hole("pin", body, body.face("socket/side"), (45, 30), 6)
    for k in range(6):
        slit = job.sketch(f"slit {k}", on=lw.XZ.tilted(30 * k, lw.Z))
        slit.rectangle(3, 12, corner=(-1.5, 50))
        body = job.cut(f"slits {k}", body, slit, both=True)


def run() -> list[Result]:
    block, tool = lw.box(4, 4, 2), lw.cylinder(1, 4, on=lw.Plane((2, 2, -1), (0, 0, 1)))
    simple = best_of(lambda: lw.cut(block, tool))
    counts = (10, 100, 1000, 4000)
    times = [_seconds(lambda n=n: plate(n)) for n in counts]
    power = math.log(times[-1] / times[0]) / math.log(counts[-1] / counts[0])
    singly = min(_seconds(lambda: drilled(25)) for _ in range(3)), _seconds(lambda: drilled(100))
    mechanical = min(_seconds(part) for _ in range(2))
    started = time.perf_counter()
    body = bosses()
    with tempfile.TemporaryDirectory() as folder:
        lw.save(body, Path(folder) / "bosses.stl", chord=0.01, angle=5)
        lw.save(body, Path(folder) / "bosses.step")
    whole = time.perf_counter() - started
    ball = lw.cut(lw.sphere(10), lw.cylinder(3, 30, on=lw.XY.offset(-15)))
    began = time.perf_counter()
    mesh = lw.tessellate(ball, 0.0005, 2)
    rate = len(mesh.triangles) / (time.perf_counter() - began)
    shown = ", ".join(f"{n}: {t:.2f} s" for n, t in zip(counts, times, strict=True))
    return [
        Result("one cut", f"{1e3 * simple:.1f} ms", "under 10 ms", simple < 0.010),
        Result("plate with N holes", f"{shown}: grows as N^{power:.2f}", "at most N^1.15", power <= 1.15),
        Result("plate with 1,000 holes", f"{times[2]:.2f} s", "under 5 s", times[2] < 5.0),
        Result(
            "100 single cuts against 25",
            f"{singly[1]:.2f} s, {singly[0]:.2f} s: {singly[1] / singly[0]:.1f}",
            "at most 4^1.3 = 6.1",
            singly[1] <= 4**1.3 * singly[0],
        ),
        Result("part of 20 steps", f"{mechanical:.2f} s", "under 1 s", mechanical < 1.0),
        Result("384 bosses, 341 tubes, STL and STEP", f"{whole:.1f} s", "a few seconds", whole < 6.0),
        Result("curved triangles", f"{rate:,.0f} a second", "at least 500,000", rate >= 500_000),
    ]


def _seconds(work: object) -> float:
    assert callable(work)
    started = time.perf_counter()
    work()
    return time.perf_counter() - started
