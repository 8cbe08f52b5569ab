"""Writing STL beside a raw write of the same bytes."""

from __future__ import annotations

import math
import tempfile
from pathlib import Path

import lathwick as lw

from .timing import Result, best_of


def plate(holes: int) -> lw.Body:
    sk = lw.Sketch()
    sk.rectangle(10 * holes, 10 * holes, corner=(0, 0))
    for i in range(holes):
        for j in range(holes):
            sk.circle((10 * i + 5, 10 * j + 5), 3)
    return lw.extrude(sk.regions(), 4)


def run() -> list[Result]:
    mesh = lw.tessellate(plate(16), chord=1e-4, angle=1)
    with tempfile.TemporaryDirectory() as folder:
        path, raw = Path(folder, "plate.stl"), Path(folder, "raw.bin")
        ours = best_of(lambda: lw.save(mesh, path))
        data = path.read_bytes()
        theirs = best_of(lambda: raw.write_bytes(data))
    figures = f"{len(mesh.triangles):,} triangles: {1e3 * ours:.0f} ms, raw write {1e3 * theirs:.0f} ms"
    ratio = ours / theirs
    return [Result("STL writing", f"{figures}, {ratio:.1f} x", "at most 20 x", ratio <= 20), growth()]


def growth() -> Result:
    """Script to mesh of a plate with 100 and with 1,600 holes."""
    few = best_of(lambda: lw.tessellate(plate(10)), 3)
    many = best_of(lambda: lw.tessellate(plate(40)), 1)
    power = math.log(many / few) / math.log(16)
    figures = f"100 holes {few:.2f} s, 1,600 holes {many:.2f} s: grows as N^{power:.2f}"
    return Result("plate with N holes, extruded and meshed", figures, "at most N^1.15", power <= 1.15)
