"""PNG pictures of whatever can be drawn."""

from __future__ import annotations

import io
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any, Protocol, runtime_checkable

import numpy as np

from ..errors import ExchangeError
from ..sketch.sketch import Sketch
from ..topology.body import Body
from .style import BODY_COLORS, DPI, PAPER, SIZE

if TYPE_CHECKING:
    from matplotlib.figure import Figure

SMALLEST, LARGEST = 100, 8000
Color = tuple[float, float, float]


class Leaf(Protocol):
    """A body of a part, and its color, None for one of ours."""

    @property
    def body(self) -> Body: ...
    @property
    def color(self) -> Color | None: ...


@runtime_checkable
class Drawable(Protocol):
    """What is asked of a part: one body of all, those it is made of by name, and its mass in words."""

    @property
    def body(self) -> Body: ...
    @property
    def bodies(self) -> Mapping[str, Any]: ...
    @property
    def mass_text(self) -> str: ...
    def leaves(self) -> Mapping[str, Any]: ...


def png(
    obj: Any,
    name: str,
    *,
    size: tuple[int, int] | None = None,
    view: str | None = None,
    span: float = 0.0,
) -> bytes:
    """A PNG of a part, body or sketch.

    size : (width, height) in pixels. view : of a part or body, one of `camera.VIEWS`. span : a length
    for which there is room at least, for several pictures at one scale.
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
    elif isinstance(obj, Body):
        from .body_picture import draw_body

        colors = np.repeat(BODY_COLORS[:1], len(obj.brep_faces), axis=0)
        draw_body(figure, obj, name, colors, pixels, "", view or "iso", span)
    elif isinstance(obj, Drawable):
        _draw_part(figure, obj, name, pixels, view or "iso", span)
    else:
        raise ExchangeError(f"{type(obj).__name__} cannot be drawn; draw a Part, a Body or a Sketch")
    return encoded(figure)


def _draw_part(
    figure: Figure, part: Drawable, name: str, pixels: tuple[int, int], view: str, span: float
) -> None:
    from .body_picture import draw_body, draw_legend

    leaves: Mapping[str, Leaf] = part.leaves()
    colors = [leaf.color or BODY_COLORS[i % len(BODY_COLORS)] for i, leaf in enumerate(leaves.values())]
    counts = [len(leaf.body.brep_faces) for leaf in leaves.values()]
    shades = np.repeat(colors, counts, axis=0)
    draw_body(figure, part.body, name, shades, pixels, part.mass_text, view, span)
    if part.bodies:
        draw_legend(figure, list(zip(leaves, colors, strict=True)))


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
