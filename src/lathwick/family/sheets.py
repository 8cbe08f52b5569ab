"""Sheets of pictures: a part as it grows step by step, and the variants of a run side by side."""

from __future__ import annotations

import io
import tempfile
from collections.abc import Sequence
from math import ceil
from pathlib import Path
from typing import TYPE_CHECKING

from ..errors import ExchangeError
from .atomic import write_atomically
from .files import save
from .part import Part

if TYPE_CHECKING:
    from .variants import VariantRun

TILE = (426, 266)
DRAWN = (852, 532)
ACROSS = 3
MOST = 60


def draw_strip(part: Part, output: Path) -> None:
    """Write a PNG with a picture for every step that made a body, three to a row, named by the steps.

    Raises ExchangeError for a part without such steps, or with more than `MOST`.
    """
    made = [(k, step) for k, step in enumerate(part.steps, 1) if step.body is not None]
    parts = [Part(step.body, part.material, f"{k}  {step.name}", part.color) for k, step in made if step.body]
    _draw(parts, output, "steps with bodies")


def draw_variants(run: VariantRun, output: Path) -> None:
    """Write a PNG with a picture of every variant that was done, three to a row, each called by its name and
    all at one scale. They are built again for it. Raises ExchangeError for none, or more than `MOST`."""
    done = sum(v.status == "done" for v in run.variants)
    if done > MOST:
        raise ExchangeError(f"a sheet shows 1 to {MOST} variants, there are {done}")
    _draw(parts_of(run), output, "variants", scale=True)


def parts_of(run: VariantRun) -> list[Part]:
    """The variants of a run that were done, built again, each called by its name."""
    if run.design is None:
        raise ExchangeError("the run has no design to build its variants with")
    return [run.design.built(v.values).called(v.name) for v in run.variants if v.status == "done"]


def _draw(parts: Sequence[Part], output: Path, what: str, scale: bool = False) -> None:
    from PIL import Image

    if not 0 < len(parts) <= MOST:
        raise ExchangeError(f"a sheet shows 1 to {MOST} {what}, there are {len(parts)}")
    wide, tall = TILE
    largest = max(map(_reach, parts))
    sheet = Image.new("RGB", (min(ACROSS, len(parts)) * wide, tall * ceil(len(parts) / ACROSS)), "white")
    with tempfile.TemporaryDirectory() as folder:
        for k, part in enumerate(parts):
            tile = Path(folder, f"{k}.png")
            save(part, tile, size=DRAWN, span=largest if scale else 0.0)
            with Image.open(tile) as picture:
                small = picture.convert("RGB").resize(TILE, Image.Resampling.LANCZOS)
                sheet.paste(small, (wide * (k % ACROSS), tall * (k // ACROSS)))
        whole = Path(folder, "sheet.png")
        sheet.save(whole)
        data = whole.read_bytes()
    write_atomically(output, data)


def _reach(part: Part) -> float:
    """The diagonal of the box around a part."""
    low, high = part.bounds
    return sum((b - a) ** 2 for a, b in zip(low, high, strict=True)) ** 0.5


def plot_measure(run: VariantRun, measure: str, against: str, output: Path) -> None:
    """Write a PNG of a column of the run's table over another one. Raises ExchangeError for columns that are
    none, or hold no numbers."""
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.figure import Figure

    table = run.table[run.table["status"] == "done"]
    for column in (measure, against):
        if column not in table.columns:
            raise ExchangeError(f'there is no column "{column}"; there are {", ".join(table.columns)}')
    pairs = []
    for x, y in zip(table[against], table[measure], strict=True):
        try:
            pairs.append((float(x), float(y)))
        except (TypeError, ValueError):
            raise ExchangeError(f"{against} and {measure} are not numbers in every row") from None
    if not pairs:
        raise ExchangeError("no variant of the run was done")
    pairs.sort()
    figure = Figure(figsize=(12.8, 8.0), dpi=100, facecolor="#fbfaf7")
    FigureCanvasAgg(figure)
    axes = figure.add_subplot()
    joined = "-" if len({x for x, _ in pairs}) == len(pairs) else ""  # several of one size are no line
    axes.plot(*zip(*pairs, strict=True), color="#14606b", marker="o", ms=6, lw=1.6, ls=joined)
    axes.margins(0.12)
    axes.set_facecolor("#fbfaf7")
    axes.set_xlabel(against, fontsize=12)
    axes.set_ylabel(measure, fontsize=12)
    axes.grid(color="#dfe3e1")
    for x, y, name in zip(table[against], table[measure], table["name"], strict=True):
        axes.annotate(
            name, (float(x), float(y)), (6, 6), textcoords="offset points", fontsize=9, color="#5a5f86"
        )
    file = io.BytesIO()
    figure.savefig(file, format="png")
    write_atomically(output, file.getvalue())
