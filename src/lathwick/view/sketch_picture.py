"""A picture of a sketch: curves, construction geometry, dimensions, and what can still move."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from ..errors import ExchangeError
from ..geometry.placement import FloatArray
from ..geometry.vector import Vec2
from ..sketch.diagnosis import SketchReport
from ..sketch.entities import Arc, Circle, EllipseEntity, Entity, Line, Point, SplineEntity, TextEntity
from ..sketch.pieces import Piece, entity_piece, pieces_along
from ..sketch.sketch import Sketch
from .dimension_marks import Layout, Mark
from .relation_marks import WORDS, relation_signs
from .style import DIMENSION, DPI, FAINT, FIXED, FONT, FREE, GOOD, GROUND, INK, PAPER, QUIET, RELATION

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

MARGIN = 0.2
HEADING = 74.0
CURVE_POINTS = 96
MOTION = (6.0, 20.0)
"""Where the arrows of a point that can move begin and end, pixels from the point."""
ARROW = {
    "arrowstyle": "-|>",
    "color": DIMENSION,
    "lw": 0.8,
    "mutation_scale": 9,
    "shrinkA": 0,
    "shrinkB": 0,
}


def draw_sketch(figure: Figure, sketch: Sketch) -> None:
    """Draw `sketch` as it stands after solving; a conflict is drawn as it was drawn by the user.

    Raises ExchangeError for an empty sketch.
    """
    if not sketch.entities:
        raise ExchangeError(f'sketch "{sketch.name}" is empty')
    report = sketch.solve()
    size = (figure.get_figwidth() * DPI, figure.get_figheight() * DPI)
    axes = figure.add_axes((0, 0, 1, 1))
    axes.set_axis_off()
    axes.set_xlim(0, size[0])
    axes.set_ylim(0, size[1])
    shapes = [(entity, _outline(entity)) for entity in sketch.entities]
    grounds = [_along(piece) for piece in sketch.backdrop()]
    view = _View([*(points for _, points in shapes), *grounds], size)
    _draw_axes(axes, view, size)
    for points in grounds:
        axes.plot(*view.pixels(points).T, color=GROUND, lw=1.6, zorder=1)
    free = set(report.free)
    for entity, points in shapes:
        _draw_entity(axes, entity, points, view, FREE if entity.name in free else FIXED)
    _draw_motions(axes, report, view)
    _draw_relations(axes, sketch, view)
    _draw_dimensions(axes, sketch, view, shapes, size)
    _draw_heading(axes, sketch, report, size)


class _View:
    """Maps sketch coordinates to pixels so that everything fits."""

    def __init__(self, outlines: Sequence[FloatArray], size: tuple[float, float]) -> None:
        points = np.concatenate(outlines)
        low, high = points.min(axis=0), points.max(axis=0)
        spread = np.maximum(high - low, 1e-9)
        room = np.array([size[0] * (1 - 2 * MARGIN), (size[1] - HEADING) * (1 - 1.7 * MARGIN)])
        self.scale = float((room / spread).min())
        self._middle = 0.5 * (low + high)
        self._center = np.array([0.5 * size[0], 0.5 * (size[1] - HEADING)])
        (x0, y0), (x1, y1) = self.pixels(np.array([low, high])).tolist()
        self.drawing = (x0, y0, x1, y1)

    def pixels(self, points: FloatArray) -> FloatArray:
        return (points - self._middle) * self.scale + self._center

    def pixel(self, point: Vec2) -> Vec2:
        x, y = self.pixels(np.array(point)).tolist()
        return (x, y)


def _outline(entity: Entity) -> FloatArray:
    """Points along an entity, shape (N, 2)."""
    if isinstance(entity, (Circle, Arc)):
        first, sweep = (entity.start_angle, entity.sweep) if isinstance(entity, Arc) else (0.0, 2 * np.pi)
        t = first + np.linspace(0.0, 1.0, CURVE_POINTS) * sweep
        center = np.array(entity.center.position)
        return center + entity.radius * np.column_stack([np.cos(t), np.sin(t)])
    if isinstance(entity, Line):
        ends = np.array([entity.start.position, entity.end.position])
        return ends[0] + np.linspace(0, 1, CURVE_POINTS)[:, None] * (ends[1] - ends[0])
    if isinstance(entity, TextEntity):
        return np.concatenate([_along(piece) for piece in pieces_along(entity)])
    if isinstance(entity, (EllipseEntity, SplineEntity)):
        return entity_piece(entity).points(np.linspace(0.0, 1.0, 2 * CURVE_POINTS))
    assert isinstance(entity, Point)
    return np.array([entity.position])


def _draw_axes(axes: Axes, view: _View, size: tuple[float, float]) -> None:
    x, y = view.pixel((0.0, 0.0))
    axes.plot([0, size[0]], [y, y], color=FAINT, lw=1, zorder=0)
    axes.plot([x, x], [0, size[1] - HEADING], color=FAINT, lw=1, zorder=0)
    axes.plot([x], [y], marker="+", ms=11, mew=1.3, color=QUIET, zorder=1)


def _draw_entity(axes: Axes, entity: Entity, points: FloatArray, view: _View, color: str) -> None:
    """The curve; where edits have left only spans of it, those, and the rest thin."""
    if isinstance(entity, TextEntity):
        for piece in pieces_along(entity):
            axes.plot(*view.pixels(_along(piece)).T, color=color, lw=1.5, zorder=3)
        return
    if entity.spans is not None:
        axes.plot(*view.pixels(points).T, color=color, lw=0.8, ls=(0, (1, 3)), zorder=2)
        parts = [_along(piece) for piece in pieces_along(entity)]
    else:
        parts = [points]
    for part in parts:
        pixels = view.pixels(part)
        if not isinstance(entity, Point):
            dashes = (0, (6, 4)) if entity.construction else "-"
            width = 1.3 if entity.construction else 2.4
            axes.plot(*pixels.T, color=color, lw=width, ls=dashes, zorder=3, solid_capstyle="round")
        if entity.ends() is not None or isinstance(entity, Point) or entity.spans is not None:
            ends = pixels[[0, -1]]
            axes.plot(*ends.T, ls="", marker="o", ms=4.4, mfc=PAPER, mec=color, mew=1.4, zorder=4)


def _along(piece: Piece) -> FloatArray:
    return np.array([piece.point(s) for s in np.linspace(0, 1, CURVE_POINTS if piece.curvature else 2)])


def _draw_motions(axes: Axes, report: SketchReport, view: _View) -> None:
    """Arrows along which points can still move: both ways, or four ways where any direction is free."""
    for motion in report.motions:
        x, y = view.pixel(motion.place)
        ways = [(1.0, 0.0), (0.0, 1.0)] if motion.direction is None else [motion.direction]
        for dx, dy in [*ways, *((-a, -b) for a, b in ways)]:
            near, far = MOTION
            tip, tail = (x + far * dx, y + far * dy), (x + near * dx, y + near * dy)
            axes.annotate("", tip, tail, arrowprops={**ARROW, "color": FREE, "lw": 1.3}, zorder=5)


def _draw_relations(axes: Axes, sketch: Sketch, view: _View) -> None:
    for sign, (x, y) in relation_signs(sketch.constraints, view.pixel):
        axes.text(x, y, sign, color=RELATION, fontsize=8.5, family=FONT, ha="center", va="center", zorder=5)


def _draw_dimensions(
    axes: Axes,
    sketch: Sketch,
    view: _View,
    shapes: Sequence[tuple[Entity, FloatArray]],
    size: tuple[float, float],
) -> None:
    curves = [view.pixels(points) for _, points in shapes]
    picture = (14.0, 14.0, size[0] - 14.0, size[1] - HEADING)
    layout = Layout(view.pixel, curves, view.drawing, picture)
    for constraint in sketch.constraints:
        mark = layout.place(constraint)
        if mark is not None:
            _draw_mark(axes, mark)


def _draw_mark(axes: Axes, mark: Mark) -> None:
    for a, b in mark.lines:
        axes.plot([a[0], b[0]], [a[1], b[1]], color=DIMENSION, lw=0.6, alpha=0.7, zorder=2)
    for tail, head in mark.arrows:
        axes.annotate("", head, tail, arrowprops=ARROW, zorder=5)
    if mark.arc is not None:
        (x, y), radius, low, high = mark.arc
        t = np.linspace(low, high, 40)
        axes.plot(x + radius * np.cos(t), y + radius * np.sin(t), color=DIMENSION, lw=0.9, zorder=2)
    axes.text(
        *mark.at,
        mark.text,
        color=DIMENSION,
        fontsize=9,
        family=FONT,
        ha="center",
        va="center",
        rotation=90 if mark.upright else 0,
        zorder=6,
        bbox={"facecolor": PAPER, "edgecolor": "none", "pad": 1.0, "alpha": 0.85},
    )


def _draw_heading(axes: Axes, sketch: Sketch, report: SketchReport, size: tuple[float, float]) -> None:
    left, top = 0.028 * size[0], size[1]
    axes.plot([0, size[0]], [top - HEADING, top - HEADING], color=FAINT, lw=1)
    axes.text(left, top - 28, sketch.name, color=INK, fontsize=16, weight="bold", family=FONT, va="center")
    relations = sum(c.value is None for c in sketch.constraints)
    count = len(sketch.constraints) - relations
    counts = ((len(sketch.entities), "entity", "entities"), (relations, "relation", "relations"),
              (count, "dimension", "dimensions"))  # fmt: skip
    words = [f"{n} {one if n == 1 else many}" for n, one, many in counts]
    text = "    ".join([*words, f"unit {sketch.unit}"])
    axes.text(left, top - 54, text, color=QUIET, fontsize=9.5, family=FONT, va="center")
    state, color = _state(report)
    axes.text(size[0] - left, top - 28, state, color=color, fontsize=12, weight="bold", family=FONT,
              va="center", ha="right")  # fmt: skip
    legend = "blue-green: fixed    orange: can still move" if report.freedom else "nothing can move"
    shown = dict.fromkeys(
        sign for sign, _ in relation_signs(sketch.constraints, lambda p: p) if sign in WORDS
    )
    legend = "    ".join([*(f"{sign} {WORDS[sign]}" for sign in shown), legend])
    axes.text(size[0] - left, top - 54, legend, color=QUIET, fontsize=9.5, family=FONT,
              va="center", ha="right")  # fmt: skip


def _state(report: SketchReport) -> tuple[str, str]:
    if report.conflicting:
        return f"{len(report.conflicting)} constraints cannot hold together", FREE
    if report.freedom:
        plural = "degree" if report.freedom == 1 else "degrees"
        return f"{report.freedom} {plural} of freedom left", FREE
    return "fully defined", GOOD
