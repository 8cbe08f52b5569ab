"""What is written into a picture of a part: caption, legend, notes, the directions of the axes."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from itertools import pairwise
from typing import TYPE_CHECKING, Any

import numpy as np

from ..geometry.placement import FloatArray
from ..topology.names import stem_of
from .camera import Camera
from .scene import Color
from .style import DPI, FONT, INK, PAPER, QUIET

if TYPE_CHECKING:
    from matplotlib.figure import Figure

MOST_ENTRIES = 20
ENTRY = 11.0
"""Size of the letters of a legend, points."""
LETTER = 0.62
"""Width of a letter as a share of its size, on the average, with some room."""
FULL, LEAST = (600.0, 380.0), 0.6
"""Pixels of a picture in which letters have their full size, and the least share of it."""
EDGE, FIRST, LINE = 32.0, 40.0, 24.0
"""Pixels from the side, from the top to the first line, and between lines."""
GAP = "    "
"""Between two measures of a caption."""
AWAY, APART = 46.0, 20.0
"""Pixels from a place to its note, and between two notes."""


def caption(figure: Figure, name: str, text: str, notes: Sequence[str]) -> None:
    """The name and what is measured in the upper left corner, and what is told below."""
    k = _letters(figure)
    put = partial(figure.text, k * EDGE / _width(figure), family=FONT, va="center")
    put(_down(figure, k * FIRST), name, fontsize=17 * k, color=INK, weight="bold")
    for row, line in enumerate([text, *notes[:MOST_ENTRIES]]):
        put(_down(figure, k * (FIRST + 30.0 + LINE * row)), line, fontsize=11 * k, color=QUIET)


def caption_height(notes: Sequence[str]) -> float:
    """Pixels that a caption takes at the top."""
    return FIRST + 30.0 + LINE * (0.6 + len(notes[:MOST_ENTRIES]))


def lines_within(text: str, width: float) -> list[str]:
    """The measures of a caption, which stand apart by wide gaps, in as many lines as they need."""
    most = (width - 2.0 * EDGE) / (ENTRY * LETTER * DPI / 72)
    lines = [""]
    for word in text.split(GAP):
        longer = f"{lines[-1]}{GAP}{word}" if lines[-1] else word
        if len(longer) > most and lines[-1]:
            lines.append(word)
        else:
            lines[-1] = longer
    return lines


def _width(figure: Figure) -> float:
    return float(figure.get_figwidth()) * DPI


def _height(figure: Figure) -> float:
    return float(figure.get_figheight()) * DPI


def _down(figure: Figure, pixels: float) -> float:
    """A height from the top as a share of the figure's."""
    return 1.0 - pixels / _height(figure)


def letters(size: tuple[float, float]) -> float:
    """How large letters are in a picture of a size, as a share of those in a large one."""
    return min(1.0, max(LEAST, min(size[0] / FULL[0], size[1] / FULL[1])))


def _letters(figure: Figure) -> float:
    return letters((_width(figure), _height(figure)))


def grouped(entries: Sequence[tuple[str, Color]]) -> list[tuple[str, Color]]:
    """Bodies of one color whose names differ by a number at the end, as one entry with their count."""
    groups: dict[tuple[str, Color], list[str]] = {}
    for name, color in entries:
        groups.setdefault((stem_of(name), color), []).append(name)
    return [
        (names[0] if len(names) == 1 else f"{stem} ({len(names)})", color)
        for (stem, color), names in groups.items()
    ]


def legend_width(entries: Sequence[tuple[str, Color]]) -> float:
    """Pixels that a legend takes at the right."""
    longest = max((len(name) for name, _ in entries[:MOST_ENTRIES]), default=0)
    return longest * ENTRY * LETTER * DPI / 72 + 60.0


def legend(figure: Figure, entries: Sequence[tuple[str, Color]]) -> None:
    """The names of the bodies of a part with their colors, down the right side."""
    k = _letters(figure)
    right, box = (1.0 - k * edge / _width(figure) for edge in (EDGE + 22.0, EDGE + 14.0))
    put = partial(figure.text, right, fontsize=ENTRY * k, family=FONT, ha="right", va="center")
    for row, (name, color) in enumerate(entries[:MOST_ENTRIES]):
        y = _down(figure, k * (FIRST + LINE * row))
        put(y, name, color=INK)
        figure.text(box, y, "■", fontsize=13 * k, color=color, family=FONT, ha="left", va="center")
    if len(entries) > MOST_ENTRIES:
        more = f"and {len(entries) - MOST_ENTRIES} more"
        put(_down(figure, k * (FIRST + LINE * MOST_ENTRIES)), more, color=QUIET)


def placed_notes(
    figure: Figure,
    notes: Sequence[tuple[str, tuple[float, float, float]]],
    camera: Camera,
    size: tuple[int, int],
) -> None:
    """Notes beside their places, each with a line to it, none over another."""
    if not notes:
        return
    axes = _over(figure, size)
    places = camera.pixels(np.array([at for _, at in notes]), size)
    for (text, _), place, spot in zip(notes, places, _spots(places, size), strict=True):
        side = "left" if spot[0] >= place[0] else "right"
        axes.plot([place[0], spot[0]], [place[1], spot[1]], color=INK, lw=0.8)
        axes.plot(place[0], place[1], "o", color=INK, ms=3.5)
        axes.text(
            spot[0], spot[1], f" {text} ", fontsize=10.5, color=INK, family=FONT, ha=side, va="center",
            bbox={"boxstyle": "round,pad=0.25", "fc": PAPER, "ec": INK, "lw": 0.6},
        )  # fmt: skip


def marks(figure: Figure, lines: Sequence[FloatArray], color: Color, size: tuple[int, int]) -> None:
    """Lines and single points, (N, 2) pixels each, over the picture."""
    if not lines:
        return
    axes = _over(figure, size)
    for line in lines:
        axes.plot(line[:, 0], line[:, 1], "o" if len(line) == 1 else "-", color=color, lw=2.6, ms=6)


def _over(figure: Figure, size: tuple[int, int]) -> Any:
    """Axes over the whole figure, in pixels from its upper left corner."""
    axes = figure.add_axes((0, 0, 1, 1))
    axes.set_xlim(0, size[0])
    axes.set_ylim(size[1], 0)
    axes.set_axis_off()
    return axes


def _spots(places: FloatArray, size: tuple[int, int]) -> FloatArray:
    """Where notes stand: outwards of their places, moved down where two would meet."""
    middle = np.array(size) / 2
    ways = places - middle
    ways[:, 0] = np.where(np.abs(ways[:, 0]) < 1.0, 1.0, ways[:, 0])
    spots = places + AWAY * np.sign(ways) * np.array([1.0, 0.6])
    for side in (-1.0, 1.0):
        mine = np.flatnonzero(np.sign(ways[:, 0]) == side)
        mine = mine[np.argsort(spots[mine, 1])]
        for above, below in pairwise(mine.tolist()):
            spots[below, 1] = max(spots[below, 1], spots[above, 1] + APART)
    return np.clip(spots, 20.0, np.array(size) - 20.0)


def directions(figure: Figure, camera: Camera, size: tuple[int, int]) -> None:
    """Small arrows for X, Y and Z in the lower left corner."""
    axes = figure.add_axes((0.012, 0.02, 0.11, 0.11 * size[0] / size[1]))
    axes.set_xlim(-1.5, 1.5)
    axes.set_ylim(-1.5, 1.5)
    axes.set_axis_off()
    for k, (label, color) in enumerate((("X", "#b5463c"), ("Y", "#3c8a4e"), ("Z", "#3a62a8"))):
        x, y = float(camera.right[k]), float(camera.up[k])
        if x * x + y * y < 1e-4:
            continue
        axes.annotate("", (x, y), (0, 0), arrowprops={"arrowstyle": "-|>", "color": color, "lw": 1.6})
        axes.text(1.25 * x, 1.25 * y, label, color=color, fontsize=10, ha="center", va="center", family=FONT)
