"""What is round in a view: diameters and radii with their numbers, center marks, and where the centers are.

Walls of cylinders that are seen end-on are told: whole ones by their diameter, others by their radius.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from ..geometry.placement import FloatArray
from ..geometry.surfaces import CylinderSurface
from ..topology.body import Body
from ..topology.brep import Face
from ..topology.windings import loop_path, winding
from .camera import axes_of
from .style import DIMENSION, FONT, QUIET

if TYPE_CHECKING:
    from matplotlib.axes import Axes

END_ON = 1e-9
DIGITS = 6
MOST_MARKED = 10
"""Where more places along one side would be told, none is."""

ROW, AWAY = 17.0, 26.0
"""Pixels from text to text beside a view, and from the view to them."""

OVERHANG = 1.25
"""Marks of a center reach so many radii."""


@dataclass(frozen=True)
class Round:
    """Circles of one radius in a view: their centers, (N, 2), and a place on each of them or, of arcs, amid
    each of them, (N, 2), in its plane."""

    is_whole: bool
    radius: float
    centers: FloatArray
    places: FloatArray

    @property
    def text(self) -> str:
        """As drawings have it: 4× ⌀9, R3."""
        size = f"⌀{length(2.0 * self.radius)}" if self.is_whole else f"R{length(self.radius)}"
        return size if len(self.centers) == 1 else f"{len(self.centers)}× {size}"

    def pointed_at(self, shift: FloatArray) -> tuple[FloatArray, FloatArray]:
        """The center, and the place on its circle, to which the text belongs: those farthest to the right."""
        k = int(np.argmax(self.places @ (1.0, 1e-3)))
        return self.centers[k] + shift, self.places[k] + shift


def length(value: float) -> str:
    """A length as it stands on a sheet, to a thousandth."""
    return f"{round(value, 3):.{DIGITS}g}"


def rounds_of(bodies: Iterable[Body], view: str) -> list[Round]:
    """The round walls that are seen end-on, whole ones first, large ones first."""
    right, up, back = axes_of(view)
    groups: dict[tuple[bool, float], dict[tuple[float, float], FloatArray]] = {}
    for face in (face for body in bodies for face in body.brep_faces):
        surface = face.surface
        if not isinstance(surface, CylinderSurface):
            continue
        if abs(abs(float(np.asarray(surface.frame.normal) @ back)) - 1.0) > END_ON:
            continue
        whole = any(winding(loop_path(loop, surface), surface)[0] for loop in face.loops)
        center = np.asarray(surface.frame.origin) @ np.array([right, up]).T
        spot = round(float(center[0]), DIGITS), round(float(center[1]), DIGITS)
        place = _amid(face) @ np.array([right, up]).T
        groups.setdefault((whole, round(surface.radius, DIGITS)), {})[spot] = place
    order = sorted(groups, key=lambda key: (not key[0], -key[1]))
    return [Round(*key, np.array(list(groups[key])), np.array(list(groups[key].values()))) for key in order]


def _amid(face: Face) -> FloatArray:
    """The middle of an edge across a round wall."""
    edges = [coedge.edge for coedge in face.coedges()]
    across = next((edge for edge in edges if edge.curve.kind != "line"), edges[0])
    return np.asarray(across.midpoint())


def draw_callouts(axes: Axes, found: list[Round], shift: FloatArray, box: FloatArray, pixel: float) -> None:
    """Draw what is round in a view of which `box`, (2, 2), is the place on the sheet; shift : from the plane
    of the view to the sheet. pixel : its size on the sheet."""
    _marks(axes, [one for one in found if one.is_whole], shift)
    _leaders(axes, found, shift, box, pixel)
    centers = [one.centers + shift for one in found if one.is_whole]
    if centers:
        _positions(axes, np.concatenate(centers), box, pixel)


def _marks(axes: Axes, wholes: list[Round], shift: FloatArray) -> None:
    """A cross through the center of every whole circle."""
    from matplotlib.collections import LineCollection

    lines = [
        (one.centers + shift)[:, None] + OVERHANG * one.radius * np.array([np.negative(way), way])
        for one in wholes
        for way in np.eye(2)
    ]
    if lines:
        crosses = list(np.concatenate(lines))
        axes.add_collection(
            LineCollection(crosses, colors=DIMENSION, linewidths=0.5, linestyles=(0, (8, 2, 2, 2)))
        )


def _leaders(axes: Axes, found: list[Round], shift: FloatArray, box: FloatArray, pixel: float) -> None:
    """A text beside the view for each radius, and a line from it to the circle that is nearest."""
    pointed = sorted(((one.pointed_at(shift), one) for one in found), key=lambda pair: -float(pair[0][1][1]))
    level = box[1, 1] + 0.5 * len(pointed) * ROW * pixel
    for (center, place), one in pointed:
        level = min(level - ROW * pixel, float(place[1]) + 2.0 * ROW * pixel)
        text = np.array([box[1, 0] + AWAY * pixel, level])
        way = (text - center) / np.linalg.norm(text - center)
        tip = center + one.radius * way if one.is_whole else place
        arrow = {"arrowstyle": "-|>", "color": DIMENSION, "lw": 0.6, "shrinkA": 0, "shrinkB": 0}
        axes.annotate(
            one.text, tuple(tip), tuple(text), color=DIMENSION, fontsize=9, family=FONT, va="center",
            arrowprops=arrow, bbox={"fc": "white", "ec": "none", "pad": 1},
        )  # fmt: skip


def _positions(axes: Axes, centers: FloatArray, box: FloatArray, pixel: float) -> None:
    """Distances of centers from the lower left corner, below the view and left of it."""
    for k in (0, 1):
        places = np.unique(np.round(centers[:, k], DIGITS))
        if len(places) > MOST_MARKED or (np.diff(places) < 13.0 * pixel).any():
            continue
        for place in places.tolist():
            start = np.array([place, box[0, 1]]) if k == 0 else np.array([box[0, 0], place])
            off = np.array([0.0, -7.0 * pixel]) if k == 0 else np.array([-7.0 * pixel, 0.0])
            tick = np.array([start, start + off])
            axes.plot(tick[:, 0], tick[:, 1], color=QUIET, lw=0.6)
            ha, va = ("center", "top") if k == 0 else ("right", "center")
            x, y = (start + 1.3 * off).tolist()
            axes.text(
                x, y, length(place - box[0, k]), color=DIMENSION, fontsize=8, family=FONT,
                ha=ha, va=va, rotation=90 if k == 0 else 0,
            )  # fmt: skip
