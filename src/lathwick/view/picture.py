"""PNG pictures of whatever can be drawn."""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any, Protocol, runtime_checkable

import numpy as np

from ..errors import ExchangeError
from ..geometry.placement import FloatArray
from ..mesh.mesh import Mesh
from ..sketch.sketch import Sketch
from ..topology.body import Body
from ..topology.names import stem_of
from ..topology.selection import Selection
from .camera import Camera, View, sight
from .labels import (
    caption,
    caption_height,
    directions,
    grouped,
    legend,
    legend_width,
    letters,
    lines_within,
    marks,
    placed_notes,
)
from .looks import ACCENT, Look, Section, marked_body, see_through, selected, triangles_of
from .scene import Color, Shown, shown_mesh, together
from .style import BODY_COLORS, DPI, PAPER, SIZE

if TYPE_CHECKING:
    from matplotlib.figure import Figure

SMALLEST, LARGEST = 100, 8000
MARGIN = 0.11
ALONG = 65
"""So many points draw an edge."""

PLURALS = {"face": "faces", "edge": "edges", "vertex": "vertices"}
GONE_COLOR = (0.80, 0.30, 0.26)
NEW_COLOR = (0.36, 0.64, 0.36)


class Leaf(Protocol):
    """A body of a part, and its color, None for one of ours."""

    @property
    def body(self) -> Body: ...
    @property
    def color(self) -> Color | None: ...


@runtime_checkable
class Drawable(Protocol):
    """What is asked of a part: one body of all, those it is made of by name, its mass in words, its steps and
    what it tells."""

    @property
    def body(self) -> Body: ...
    @property
    def bodies(self) -> Mapping[str, Any]: ...
    @property
    def mass_text(self) -> str: ...
    @property
    def steps(self) -> Sequence[Any]: ...
    @property
    def messages(self) -> Sequence[Any]: ...
    def leaves(self) -> Mapping[str, Any]: ...


def png(
    obj: Any,
    name: str,
    *,
    size: tuple[int, int] | None = None,
    view: View | None = None,
    span: float = 0.0,
    step: str | None = None,
    highlight: str | None = None,
    section: Section | None = None,
    transparent: float | Sequence[str] | None = None,
    explode: float = 0.0,
    notes: bool = True,
    background: str | None = None,
) -> bytes:
    """A PNG of a part, body, mesh, sketch, or selection on its body.

    size : (width, height) in pixels. view : a name of `camera.VIEWS`, degrees around and up "30,20", or a
    direction. span : a length for which there is room at least, for several pictures at one scale. step : the
    part as it was after this step. highlight, section, transparent, explode : see `looks.Look`. notes :
    whether what the design notes is shown. background : a color, or "none".
    Raises ExchangeError for anything else, or when the packages of the extra are missing.
    """
    width, height = pixels = size or SIZE
    if not all(isinstance(n, int) and SMALLEST <= n <= LARGEST for n in pixels):
        raise ExchangeError(
            f"a picture is {SMALLEST} to {LARGEST} pixels wide and high, got {width}x{height}"
        )
    figure = new_figure(pixels, background)
    if isinstance(obj, Sketch):
        from .sketch_picture import draw_sketch

        draw_sketch(figure, obj)
        return encoded(figure)
    look = Look("iso" if view is None else view, section, transparent, highlight, explode)
    sight(look.view)
    if isinstance(obj, Mesh):
        if replace(look, view="iso") != Look() or step is not None:
            raise ExchangeError("a mesh is drawn as it is: it has no steps or bodies, and is not cut open")
        shown = shown_mesh(obj, BODY_COLORS[0])
        text = _sizes(obj.bounds, obj.unit or "units", obj.volume)
        _draw(figure, shown, look.view, pixels, name, text, span=span)
    elif isinstance(obj, Selection):
        if replace(look, view="iso") != Look() or step is not None:
            raise ExchangeError("a selection is drawn on its body; of the options it takes view and size")
        _draw_selection(figure, obj, name, pixels, look.view)
    elif isinstance(obj, Body):
        shown = triangles_of({name: (obj, BODY_COLORS[0])}, look)
        _draw(figure, shown, look.view, pixels, name, _sizes(obj.bounds, obj.unit, obj.volume), span=span)
    elif isinstance(obj, Drawable):
        _draw_part(figure, obj, name, pixels, look, span, step, notes)
    else:
        raise ExchangeError(f"{type(obj).__name__} cannot be drawn; draw a Part, a Body, a Mesh or a Sketch")
    return encoded(figure)


def _draw_selection(
    figure: Figure, chosen: Selection[Any], name: str, pixels: tuple[int, int], view: View
) -> None:
    """The body of a selection: its faces in color, edges and vertices drawn over."""
    if not chosen:
        raise ExchangeError("the selection is empty; there is nothing to draw")
    body, sort = chosen[0].body, chosen[0].sort
    shown = selected(body, {item.brep for item in chosen} if sort == "face" else ())
    lines = []
    for item in chosen:
        edge = item.brep
        if sort == "edge":
            lines.append(edge.curve.points(np.linspace(edge.t0, edge.t1, ALONG)))
        elif sort == "vertex":
            lines.append(np.array([edge.point]))
    count = f"{len(chosen)} {sort if len(chosen) == 1 else PLURALS[sort]}"
    _draw(figure, shown, view, pixels, name or count, count if name else "", marked=lines)


def colored(part: Drawable) -> dict[str, tuple[Body, Color]]:
    """The bodies of a part by name, each with its color, or one of ours: one for names that differ by a
    number at the end."""
    leaves: Mapping[str, Leaf] = part.leaves()
    stems = list(dict.fromkeys(stem_of(name) for name in leaves))
    ours = {stem: BODY_COLORS[i % len(BODY_COLORS)] for i, stem in enumerate(stems)}
    return {name: (leaf.body, leaf.color or ours[stem_of(name)]) for name, leaf in leaves.items()}


def body_of_step(part: Drawable, step: str) -> Body:
    """What a part was after a step. Raises ExchangeError for a step that there is not."""
    made = {one.name: one.body for one in part.steps if one.body is not None}
    if step not in made:
        raise ExchangeError(f'there is no step "{step}"; there are {", ".join(made) or "none"}')
    body: Body = made[step]
    return body


def compared_png(
    before: tuple[Body, set[str]],
    after: tuple[Body, set[str]],
    name: str,
    *,
    size: tuple[int, int] | None = None,
    view: View = "iso",
) -> bytes:
    """A PNG of two bodies over each other: the second one solid, the first one seen through where it stood
    out. Each with the names of the faces that the other has not, or not of this area; they are in color.
    """
    pixels = size or SIZE
    figure = new_figure(pixels)
    old, new = (
        marked_body(body, names, plain, color)
        for (body, names), plain, color in (
            (before, GONE_COLOR, GONE_COLOR), (after, BODY_COLORS[0], NEW_COLOR)
        )
    )  # fmt: skip
    shown = together([new, see_through(old)])
    text = "  ".join(f"{word} {body.volume:.6g} {body.unit}³" for word, body in
                     (("before", before[0]), ("after", after[0])))  # fmt: skip
    entries = [("before", GONE_COLOR), ("as it was", BODY_COLORS[0]), ("new or changed", NEW_COLOR)]
    _draw(figure, shown, view, pixels, name, text, entries=entries)
    return encoded(figure)


def _draw_part(
    figure: Figure,
    part: Drawable,
    name: str,
    pixels: tuple[int, int],
    look: Look,
    span: float,
    step: str | None,
    notes: bool,
) -> None:
    if look.highlight is not None:
        body_of_step(part, look.highlight)
    if step is not None:
        body = body_of_step(part, step)
        shown = triangles_of({name: (body, BODY_COLORS[0])}, look)
        text = f"after {step}    {_sizes(body.bounds, body.unit, body.volume)}"
        _draw(figure, shown, look.view, pixels, name, text, span=span)
        return
    bodies = colored(part)
    text = _sizes(part.body.bounds, part.body.unit, part.body.volume)
    text += f"    mass {part.mass_text}" if part.mass_text else ""
    entries = [(label, color) for label, (_, color) in bodies.items()] if part.bodies else []
    told = [m for m in part.messages if m.kind == "note"] if notes else []
    _draw(
        figure,
        triangles_of(bodies, look),
        look.view,
        pixels,
        name,
        text,
        span=span,
        entries=entries,
        told=[str(m) for m in told if m.at is None],
        placed=[(str(m), m.at) for m in told if m.at is not None],
    )


def _draw(
    figure: Figure,
    shown: Shown,
    view: View,
    size: tuple[int, int],
    name: str,
    text: str,
    *,
    span: float = 0.0,
    entries: Sequence[tuple[str, Color]] = (),
    told: Sequence[str] = (),
    placed: Sequence[tuple[str, tuple[float, float, float]]] = (),
    marked: Sequence[FloatArray] = (),
) -> None:
    """Draw over the whole figure, with what is written into it."""
    from .render import Tracer

    listed = grouped(entries)
    k = letters(size)
    beside = k * legend_width(listed) if listed else 0.0
    text, *more = lines_within(text, (size[0] - beside) / k)
    told = [*more, *told]
    points = shown.corners.reshape(-1, 3)
    camera = Camera.looking(view, points, size, MARGIN, span, beside, k * caption_height(told))
    reach = 2.0 * float(np.linalg.norm(np.ptp(points, axis=0))) + 1.0
    image = Tracer(camera, size, reach).image(shown, _paper(figure, size))
    figure.figimage(image, origin="upper", zorder=-1)
    marks(figure, [camera.pixels(line, size) for line in marked], ACCENT, size)
    caption(figure, name, text, told)
    legend(figure, listed)
    placed_notes(figure, placed, camera, size)
    directions(figure, camera, size)


def _paper(figure: Figure, size: tuple[int, int]) -> FloatArray:
    """The background, a little darker towards the bottom."""
    top = np.array(figure.get_facecolor()[:3])
    fade = np.linspace(1.0, 0.93, size[1])[:, None, None]
    return np.ascontiguousarray(np.broadcast_to(fade * top, (size[1], size[0], 3)))


def _sizes(bounds: Any, unit: str, volume: float) -> str:
    low, high = bounds
    spans = " × ".join(f"{b - a:.4g}" for a, b in zip(low, high, strict=True))
    return f"{spans} {unit}    volume {volume:.6g} {unit}³"


def new_figure(size: tuple[int, int], background: str | None = None) -> Figure:
    """An empty figure of `size` pixels. Raises ExchangeError if matplotlib is not installed, and for a
    background that is no color."""
    try:
        from matplotlib.backends.backend_agg import FigureCanvasAgg
        from matplotlib.colors import is_color_like
        from matplotlib.figure import Figure
    except ModuleNotFoundError as error:
        raise missing(error) from error
    if background is not None and not is_color_like(background):
        raise ExchangeError(f'"{background}" is no color; write "white" or "#fbfaf7"')
    paper = background or PAPER
    figure = Figure(figsize=(size[0] / DPI, size[1] / DPI), dpi=DPI, facecolor=paper)
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
