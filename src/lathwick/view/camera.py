"""Where a picture is taken from: a parallel projection."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..errors import ExchangeError
from ..geometry.placement import FloatArray

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
        cls, view: str, points: FloatArray, size: tuple[int, int], margin: float, span: float = 0.0
    ) -> Camera:
        """A camera that fits `points`, shape (N, 3), into `size` pixels with a share `margin` free. span : a
        length for which there is to be room at least, so that several pictures can have one scale."""
        if view not in VIEWS:
            raise ExchangeError(f'there is no view "{view}"; there are {", ".join(VIEWS)}')
        towards, above = (np.array(v) for v in VIEWS[view])
        back = towards / np.linalg.norm(towards)
        right = np.cross(above, back)
        right /= np.linalg.norm(right)
        up = np.cross(back, right)
        flat = points @ np.array([right, up, back]).T
        low, high = flat.min(axis=0), flat.max(axis=0)
        spread = np.maximum(high - low, 1e-9)
        fit = max(spread[0] / (size[0] * (1 - 2 * margin)), spread[1] / (size[1] * (1 - 2 * margin)))
        fit = max(fit, span / (min(size) * (1 - 2 * margin)))
        center = (0.5 * (low + high)) @ np.array([right, up, back])
        return cls(right, up, back, center, float(fit))

    def rays(self, width: int, height: int, scale: float, reach: float) -> FloatArray:
        """Starting points of one ray per pixel, row by row from the top left; shape (H * W, 3)."""
        x = (np.arange(width) + 0.5 - width / 2) * scale
        y = (height / 2 - np.arange(height) - 0.5) * scale
        start = self.center + reach * self.back
        grid = start + x[None, :, None] * self.right + y[:, None, None] * self.up
        return grid.reshape(-1, 3)
