"""A sheet with three views of a part, its overall sizes and a title block, as PNG, SVG or PDF.

The top view stands above the front view, the right view beside it (third angle). All are at one scale.
"""

from __future__ import annotations

import io
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from ..geometry.placement import FloatArray
from .callouts import draw_callouts, length, rounds_of
from .line_drawing import Lines, lines_of
from .looks import Look, triangles_of
from .picture import Drawable, colored, new_figure
from .style import DIMENSION, DPI, FONT, INK, QUIET

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

SHEET = (1280, 905)
"""Pixels: the shape of an A4 sheet, lying."""
FILLED = 0.96
"""The share of the sheet that the views have."""

TITLE, ROOM, MOST_RAISED = (0.66, 0.735, 0.32, 0.245), 0.02, 60
"""Where the title block stands, in shares of the sheet: left, bottom, width, height; and room before it."""

LEAST, BESIDE = 48.0, 16.0
"""Pixels: a dimension that is shorter has its value so far beside it."""

GAP = 0.28
"""Room between views, as a share of the largest size."""


@dataclass(frozen=True, slots=True)
class _Place:
    """A view, and where the lower left corner of its lines goes."""

    view: str
    lines: Lines
    low: FloatArray
    size: FloatArray
    at: FloatArray


def draw_sheet(part: Drawable, name: str, kind: str, size: tuple[int, int] | None = None) -> bytes:
    """The file of a sheet; kind is "png", "svg" or "pdf". Raises ExchangeError if packages are missing."""
    figure = new_figure(size or SHEET, "white")
    shown = triangles_of(colored(part), Look())
    places = _placed({view: lines_of(shown, view) for view in ("front", "top", "right")})
    axes = figure.add_axes((0.5 - 0.5 * FILLED, 0.5 - 0.5 * FILLED, FILLED, FILLED))
    axes.set_axis_off()
    axes.set_aspect("equal")
    gap = GAP * max(float(p.size.max()) for p in places)
    pixels = DPI * np.array(figure.get_size_inches())
    low, high, pixel = _limits(places, gap, pixels)
    axes.set_xlim(low[0], high[0])
    axes.set_ylim(low[1], high[1])
    bodies = [leaf.body for leaf in part.leaves().values()]
    for place in places:
        _draw_view(axes, place)
        box = np.array([place.at, place.at + place.size])
        draw_callouts(axes, rounds_of(bodies, place.view), place.at - place.low, box, pixel)
    _draw_sizes(axes, places, 0.48 * gap, pixel)
    _title(figure, part, name)
    out = io.BytesIO()
    fixed: dict[str, Any] = {"png": {"Software": None}, "svg": {"Date": None}, "pdf": {"CreationDate": None}}
    import matplotlib

    with matplotlib.rc_context({"svg.hashsalt": name}):
        figure.savefig(out, format=kind, metadata=fixed[kind])
    return out.getvalue()


def _placed(views: dict[str, Lines]) -> list[_Place]:
    """Front at the origin, top above it, right beside it."""
    box = {}
    for view, lines in views.items():
        points = lines.segments.reshape(-1, 2)
        box[view] = (points.min(axis=0), np.ptp(points, axis=0))
    gap = GAP * max(float(size.max()) for _, size in box.values())
    front = box["front"][1]
    at = {
        "front": np.zeros(2),
        "top": np.array([0.0, front[1] + gap]),
        "right": np.array([front[0] + gap, 0.0]),
    }
    return [_Place(view, lines, *box[view], at[view]) for view, lines in views.items()]


def _limits(places: list[_Place], gap: float, pixels: FloatArray) -> tuple[FloatArray, FloatArray, float]:
    """The corners of what is drawn, with room above so that no view comes under the title block; and the size
    of a pixel. pixels : width and height of the sheet."""
    _, top, right = places
    low = np.array([-0.8 * gap, -1.1 * gap])
    high = np.array([right.at[0] + right.size[0] + 0.8 * gap, top.at[1] + top.size[1] + 0.5 * gap])
    title = np.array(TITLE[:2]) - ROOM
    for _ in range(MOST_RAISED):
        pixel = float(((high - low) / (FILLED * pixels)).max())
        corner = 0.5 + (top.at + top.size - 0.5 * (low + high)) / (pixel * pixels)
        if (corner < title).any():
            break
        high[1] += 0.1 * gap
    return low, high, pixel


def _draw_view(axes: Axes, place: _Place) -> None:
    from matplotlib.collections import LineCollection

    lines = place.lines.segments - place.low + place.at
    hidden = LineCollection(
        list(lines[~place.lines.seen]), colors=QUIET, linewidths=0.5, linestyles=(0, (4, 3))
    )
    seen = LineCollection(list(lines[place.lines.seen]), colors=INK, linewidths=1.1, capstyle="round")
    axes.add_collection(hidden)
    axes.add_collection(seen)


def _draw_sizes(axes: Axes, places: list[_Place], away: float, pixel: float) -> None:
    """Width below the front view, height left of it, depth below the right view."""
    front, _, right = places
    across, upwards = np.array([1.0, 0.0]), np.array([0.0, 1.0])
    for place, way, off in ((front, across, -upwards), (front, upwards, -across), (right, across, -upwards)):
        start = place.at + away * off
        value = float(way @ place.size)
        beside = BESIDE * pixel * off if value < LEAST * pixel else np.zeros(2)
        _size(axes, start, start + way * place.size, value, beside)


def _size(axes: Axes, start: FloatArray, end: FloatArray, value: float, beside: FloatArray) -> None:
    """A dimension between two places, with its value in the middle, or beside that."""
    arrow = {"arrowstyle": "<|-|>", "color": DIMENSION, "lw": 0.8, "shrinkA": 0, "shrinkB": 0}
    axes.annotate("", tuple(end), tuple(start), arrowprops=arrow)
    turned = 90 if abs(end[0] - start[0]) < abs(end[1] - start[1]) else 0
    middle = 0.5 * (start + end) + beside
    axes.text(
        middle[0], middle[1], length(value), color=DIMENSION, fontsize=11, family=FONT, ha="center",
        va="center", rotation=turned, bbox={"fc": "white", "ec": "none", "pad": 2},
    )  # fmt: skip


def _title(figure: Figure, part: Drawable, name: str) -> None:
    """The title block: what it is, of what, how heavy, in which unit."""
    materials = [leaf.material.name for leaf in part.leaves().values() if getattr(leaf, "material", None)]
    body = part.body
    rows = [
        ("part", name),
        ("material", ", ".join(dict.fromkeys(materials)) or "not stated"),
        ("mass", part.mass_text or "not stated"),
        ("volume", f"{body.volume:.6g} {body.unit}³"),
        ("sizes in", body.unit),
        ("views", "front, top, right; third angle"),
        ("centers", "from the lower left corner of a view"),
    ]
    share = min(1.0, float(figure.get_figwidth()) * DPI / SHEET[0])
    axes = figure.add_axes(TITLE)
    axes.set_xlim(0, 1)
    axes.set_ylim(len(rows), 0)
    axes.set_xticks([])
    axes.set_yticks([])
    for spine in axes.spines.values():
        spine.set_color(INK)
    for k, (word, text) in enumerate(rows):
        if k:
            axes.plot([0, 1], [k, k], color=INK, lw=0.5)
        axes.text(0.03, k + 0.5, word, fontsize=9 * share, color=QUIET, family=FONT, va="center")
        axes.text(0.28, k + 0.5, text[:44], fontsize=10.5 * share, color=INK, family=FONT, va="center")
    axes.plot([0.25, 0.25], [0, len(rows)], color=INK, lw=0.5)
