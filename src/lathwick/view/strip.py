"""A strip of pictures: a part as it grows step by step."""

from __future__ import annotations

import tempfile
from math import ceil
from pathlib import Path

from ..errors import ExchangeError
from ..family.files import save
from ..family.part import Part

TILE = (426, 266)
ACROSS = 3
MOST = 60


def draw_strip(part: Part, output: Path) -> None:
    """Write a PNG with a picture for every step that made a body, three to a row, named by the steps.

    Raises ExchangeError for a part without such steps, or with more than `MOST`.
    """
    from PIL import Image

    made = [step for step in part.steps if step.body is not None]
    if not 0 < len(made) <= MOST:
        raise ExchangeError(f"a strip shows 1 to {MOST} steps with bodies, the part has {len(made)}")
    wide, tall = TILE
    across = min(ACROSS, len(made))
    sheet = Image.new("RGB", (across * wide, tall * ceil(len(made) / ACROSS)), "white")
    with tempfile.TemporaryDirectory() as folder:
        for k, step in enumerate(made):
            assert step.body is not None
            tile = Path(folder, f"{k}.png")
            save(Part(step.body, part.material, f"{k + 1}  {step.name}", part.color), tile, size=(852, 532))
            with Image.open(tile) as picture:
                small = picture.convert("RGB").resize(TILE, Image.Resampling.LANCZOS)
                sheet.paste(small, (wide * (k % ACROSS), tall * (k // ACROSS)))
        whole = Path(folder, "strip.png")
        sheet.save(whole)
        data = whole.read_bytes()
    from ..family.atomic import write_atomically

    write_atomically(output, data)
