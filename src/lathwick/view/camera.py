"""Where a picture is taken from: a parallel projection."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np

from ..errors import ExchangeError
from ..gate import shown_value
from ..geometry.placement import FloatArray

View: TypeAlias = str | Iterable[float]
"""A name, two angles "AROUND,UP" in degrees, or the direction (x, y, z) from the part towards the camera."""

VIEWS: dict[str, tuple[tuple[float, float, float], tuple[float, float, float]]] = {
    "iso": ((0.62, -1.0, 0.62), (0.0, 0.0, 1.0)),
    "front": ((0.0, -1.0, 0.0), (0.0, 0.0, 1.0)),
    "back": ((0.0, 1.0, 0.0), (0.0, 0.0, 1.0)),
    "right": ((1.0, 0.0, 0.0), (0.0, 0.0, 1.0)),
    "left": ((-1.0, 0.0, 0.0), (0.0, 0.0, 1.0)),
    "top": ((0.0, 0.0, 1.0), (0.0, 1.0, 0.0)),
    "bottom": ((0.0, 0.0, -1.0), (0.0, -1.0, 0.0)),
}
"""Name of a view -> (direction towards the camera, what is up)."""

UPRIGHT = 1e-6


def sight(view: View) -> tuple[FloatArray, FloatArray]:
    """The direction towards the camera and what is up, of length one. Raises ExchangeError."""
    if isinstance(view, str) and view in VIEWS:
        towards, above = (np.array(v) for v in VIEWS[view])
        return towards / np.linalg.norm(towards), above
    try:
        parts = view.split(",") if isinstance(view, str) else list(view)
        numbers = np.array([float(part) for part in parts])
    except (TypeError, ValueError):
        numbers = np.zeros(0)
    if len(numbers) == 2 and np.isfinite(numbers).all():  # around from the front, and up from level
        around, up = np.radians(numbers)
        towards = np.array([math.sin(around) * math.cos(up), -math.cos(around) * math.cos(up), math.sin(up)])
    elif len(numbers) == 3 and np.isfinite(numbers).all() and np.linalg.norm(numbers) > 0:
        towards = numbers / np.linalg.norm(numbers)
    else:
        raise ExchangeError(
            f"there is no view {shown_value(view)}; there are {', '.join(VIEWS)}, degrees around and up "
            '"30,20", and directions (1, -2, 0.5)'
        )
    is_upright = np.hypot(towards[0], towards[1]) < UPRIGHT
    return towards, np.array([0.0, 1.0 if towards[2] > 0 else -1.0, 0.0] if is_upright else [0.0, 0.0, 1.0])


def axes_of(view: View) -> tuple[FloatArray, FloatArray, FloatArray]:
    """What is to the right in a view, what is up in it, and the direction towards the eye: unit vectors."""
    back, above = sight(view)
    right = np.cross(above, back)
    right /= np.linalg.norm(right)
    return right, np.cross(back, right), back


@dataclass(frozen=True, slots=True, eq=False)
class Camera:
    """Unit vectors `right`, `up` and `back` (towards the camera), the `center` of the picture in
    space, and `scale`, length units per pixel."""

    right: FloatArray
    up: FloatArray
    back: FloatArray
    center: FloatArray
    scale: float

    @classmethod
    def looking(
        cls,
        view: View,
        points: FloatArray,
        size: tuple[int, int],
        margin: float,
        span: float = 0.0,
        beside: float = 0.0,
        above: float = 0.0,
    ) -> Camera:
        """A camera that fits `points`, shape (N, 3), into `size` pixels with a share `margin` free. span : a
        length for which there is to be room at least, so that several pictures can have one scale. beside :
        so many pixels at the right stay free; above : so many at the top."""
        back, upwards = sight(view)
        right = np.cross(upwards, back)
        right /= np.linalg.norm(right)
        up = np.cross(back, right)
        flat = points @ np.array([right, up, back]).T
        low, high = flat.min(axis=0), flat.max(axis=0)
        spread = np.maximum(high - low, 1e-9)
        width = max(size[0] * (1 - 2 * margin) - beside, 0.2 * size[0])
        taken = max(0.0, above - margin * size[1])
        height = max(size[1] * (1 - 2 * margin) - taken, 0.2 * size[1])
        fit = max(spread[0] / width, spread[1] / height)
        fit = max(fit, span / (min(size) * (1 - 2 * margin)))
        center = (0.5 * (low + high)) @ np.array([right, up, back]) + 0.5 * beside * fit * right
        return cls(right, up, back, center + 0.5 * taken * fit * up, float(fit))

    def pixels(self, points: FloatArray, size: tuple[int, int]) -> FloatArray:
        """Where points, (N, 3), are seen, in pixels from the upper left, (N, 2)."""
        away = (np.asarray(points, dtype=float) - self.center) / self.scale
        return np.column_stack([size[0] / 2 + away @ self.right, size[1] / 2 - away @ self.up])
