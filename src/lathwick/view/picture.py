"""PNG pictures of whatever can be drawn."""

from __future__ import annotations

import io
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from ..errors import ExchangeError
from ..sketch.sketch import Sketch
from ..topology.body import Body
from .style import BODY_COLORS, DPI, PAPER, SIZE

if TYPE_CHECKING:
    from matplotlib.figure import Figure

SMALLEST, LARGEST = 100, 8000
Color = tuple[float, float, float]


@dataclass(frozen=True, slots=True)
class Piece:
    """A named body of a scene, and its color, None for one of ours."""

    name: str
    body: Body
    color: Color | None


@dataclass(frozen=True, slots=True)
class Scene:
    """What is drawn of solids: their faces in order as one body, the pieces that those belong to, a line of
    text."""

    whole: Body
    pieces: tuple[Piece, ...]
    text: str = ""
    has_legend: bool = False


def png(obj: Any, name: str, *, size: tuple[int, int] | None = None, view: str | None = None) -> bytes:
    """A PNG of a scene or a sketch.

    size : (width, height) in pixels. view : of a scene, one of `camera.VIEWS`.
    Raises ExchangeError for anything else, or when the packages of the extra are missing.
    """
    width, height = pixels = size or SIZE
    if not all(isinstance(n, int) and SMALLEST <= n <= LARGEST for n in pixels):
        raise ExchangeError(
            f"a picture is {SMALLEST} to {LARGEST} pixels wide and high, got {width}x{height}"
        )
    figure = new_figure(pixels)
    if isinstance(obj, Sketch):
        from .sketch_picture import draw_sketch

        draw_sketch(figure, obj)
    elif isinstance(obj, Scene):
        _draw_scene(figure, obj, name, pixels, view or "iso")
    else:
        raise ExchangeError(f"{type(obj).__name__} cannot be drawn; draw a Part, a Body or a Sketch")
    return encoded(figure)


def _draw_scene(figure: Figure, scene: Scene, name: str, pixels: tuple[int, int], view: str) -> None:
    from .body_picture import draw_body, draw_legend

    colors = [piece.color or BODY_COLORS[i % len(BODY_COLORS)] for i, piece in enumerate(scene.pieces)]
    counts = [len(piece.body.brep_faces) for piece in scene.pieces]
    draw_body(figure, scene.whole, name, np.repeat(colors, counts, axis=0), pixels, scene.text, view)
    if scene.has_legend:
        draw_legend(figure, [(piece.name, color) for piece, color in zip(scene.pieces, colors, strict=True)])


def new_figure(size: tuple[int, int]) -> Figure:
    """An empty figure of `size` pixels. Raises ExchangeError if matplotlib is not installed."""
    try:
        from matplotlib.backends.backend_agg import FigureCanvasAgg
        from matplotlib.figure import Figure
    except ModuleNotFoundError as error:
        raise missing(error) from error
    figure = Figure(figsize=(size[0] / DPI, size[1] / DPI), dpi=DPI, facecolor=PAPER)
    FigureCanvasAgg(figure)
    return figure


def missing(error: ModuleNotFoundError) -> ExchangeError:
    """What to tell a user who has not installed the extra."""
    return ExchangeError(
        f'pictures need the package "{error.name}"; install it with: pip install "lathwick[pictures]"'
    )


def encoded(figure: Figure) -> bytes:
    """The PNG file of a figure, the same bytes each time."""
    out = io.BytesIO()
    figure.savefig(out, format="png", dpi=DPI, facecolor=figure.get_facecolor(), metadata={"Software": None})
    return out.getvalue()
