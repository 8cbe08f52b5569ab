"""From triangles to a shaded picture with edges.

Rays are cast by the `embreex` package (on the processor, so no screen or graphics card is needed): one a
pixel, and more where something begins or ends. Shading goes by normals between the corners (Phong 1975).
Lines are drawn where the visible face changes, or the depth jumps by more than the surfaces there explain;
what one can see through is peeled off layer by layer, the nearest first.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..geometry.placement import FloatArray
from .camera import Camera
from .scene import Shown

FINER = 2
"""Each pixel is so many sub-pixels wide and high."""
ROWS = 64
"""Rows of pixels that are traced at a time, to bound the memory."""
AMBIENT = 0.46
LIGHTS = (((-0.3, 0.7, 1.0), 0.5), ((0.9, 0.1, 0.5), 0.16))
"""Directions in camera axes (right, up, towards the camera), and strengths."""
LINE = 0.78
SMOOTH_LINE = 0.22
FOLD = 12.0
"""A jump in depth of so many pixels is an outline, over and above what the surfaces explain."""
TOUCHING = 8.0
"""What one sees through is not seen where it lies on what is solid, to so many pixels."""
MOST_LAYERS = 6
NEARER = 1e-5
"""A layer starts so far behind the one before it, as a share of the scene."""

Small = NDArray[np.float32]
Index = NDArray[np.int32]


@dataclass(slots=True)
class _Layer:
    """What is seen at each sub-pixel: the triangle (-1 for none), how far away, how bright; (H, W)."""

    triangle: Index
    depth: Small
    light: Small


class Tracer:
    """Casts the rays of a camera into a picture of `size` pixels. reach : the camera is so far away."""

    def __init__(self, camera: Camera, size: tuple[int, int], reach: float) -> None:
        self.camera, self.size, self.reach = camera, size, reach

    def image(self, shown: Shown, paper: FloatArray) -> NDArray[np.uint8]:
        """The picture, (H, W, 3), from 0 to 255. paper : the background, (H, W, 3), from 0 to 1."""
        solid = shown.opacity >= 1.0
        scenes = [_Scene(shown.only(kind), self.camera) if kind.any() else None for kind in (solid, ~solid)]
        pixels = self.camera.pixels(shown.corners.reshape(-1, 3), self.size)
        x, y = np.clip(pixels, 0, self.size).T
        left, right = math.floor(max(0.0, x.min() - 2)), math.ceil(min(self.size[0], x.max() + 2))
        first, last = math.floor(max(0.0, y.min() - 2)), math.ceil(min(self.size[1], y.max() + 2))
        picture = np.asarray(paper * 255.0 + 0.5, dtype=np.uint8)
        for top in range(first, last, ROWS):
            end = min(top + ROWS, last)
            low, high = max(0, top - 1), min(self.size[1], end + 1)  # lines are known between neighbours
            band = self._band(scenes[0], scenes[1], paper[low:high, left:right], (left, low))
            picture[top:end, left:right] = band[top - low : end - low]
        return picture

    def _band(
        self, solid: _Scene | None, clear: _Scene | None, paper: FloatArray, at: tuple[int, int]
    ) -> NDArray[np.uint8]:
        """Some pixels of the picture, the upper left one at `at`."""
        picture = np.repeat(np.repeat(paper.astype(np.float32), FINER, axis=0), FINER, axis=1)
        limit = np.full(picture.shape[:2], np.inf, np.float32)
        if solid is not None:
            layer = self._first(solid, paper.shape[:2], at)
            _paint(picture, solid, layer, None)
            limit = np.where(layer.triangle >= 0, layer.depth, np.float32(np.inf))
        if clear is not None:
            self._peel(picture, clear, limit, at)
        corners = [picture[k::FINER, m::FINER] for k in range(FINER) for m in range(FINER)]
        whole = corners[0] + corners[1]
        for corner in corners[2:]:
            whole += corner
        return np.asarray(whole * (255.0 / len(corners)) + 0.5, dtype=np.uint8)

    def _peel(self, picture: Small, scene: _Scene, limit: Small, at: tuple[int, int]) -> None:
        """Paint what one can see through over what is behind it: the layers from the last to the first."""
        layers: list[_Layer] = []
        start = np.zeros(limit.shape, np.float32)
        for _ in range(MOST_LAYERS):
            layer = self._behind(scene, start, limit, at)
            if not (layer.triangle >= 0).any():
                break
            layers.append(layer)
            start = np.where(layer.triangle >= 0, layer.depth + NEARER * self.reach, np.float32(np.inf))
        for layer in reversed(layers):
            _paint(picture, scene, layer, scene.shown.opacity[scene.shown.owner])

    def _first(self, scene: _Scene, shape: tuple[int, ...], at: tuple[int, int]) -> _Layer:
        """The nearest triangles: found once a pixel, and for each sub-pixel where neighbours differ."""
        (rows, columns), (left, top) = shape, at
        rough = _empty((rows, columns))
        y, x = np.mgrid[0:rows, 0:columns]
        starts = self._starts(x.ravel() + left + 0.5, y.ravel() + top + 0.5)
        scene.cast(starts, rough, (slice(None), slice(None)))
        fine = _Layer(*(_enlarged(a) for a in (rough.triangle, rough.depth, rough.light)))
        y, x = np.nonzero(_unsettled(scene, rough, self.camera.scale))
        for dy in range(FINER):
            for dx in range(FINER):
                spots = (FINER * y + dy, FINER * x + dx)
                starts = self._starts(left + x + (dx + 0.5) / FINER, top + y + (dy + 0.5) / FINER)
                scene.cast(starts, fine, spots)
        return fine

    def _behind(self, scene: _Scene, start: Small, limit: Small, at: tuple[int, int]) -> _Layer:
        """The nearest triangles behind a depth and before another, for each sub-pixel."""
        layer = _empty((start.shape[0], start.shape[1]))
        spots = np.nonzero(np.isfinite(start))
        y, x = spots
        starts = self._starts(at[0] + (x + 0.5) / FINER, at[1] + (y + 0.5) / FINER, start[spots])
        scene.cast(starts, layer, spots, start[spots])
        layer.triangle[layer.depth >= limit - TOUCHING * self.camera.scale] = -1
        return layer

    def _starts(self, x: Any, y: Any, ahead: Any = 0.0) -> FloatArray:
        """Where rays begin, (N, 3). x, y : places in pixels from the upper left, (N,). ahead : how far they
        are already on their way."""
        c, (width, height) = self.camera, self.size
        across, up = (x - width / 2) * c.scale, (height / 2 - y) * c.scale
        back = self.reach - np.broadcast_to(ahead, across.shape)
        return c.center + across[:, None] * c.right + up[:, None] * c.up + back[:, None] * c.back


class _Scene:
    """Triangles made ready for rays of one direction. Small numbers suffice about the camera's center."""

    def __init__(self, shown: Shown, camera: Camera) -> None:
        try:
            from embreex.mesh_construction import TriangleMesh
            from embreex.rtcore_scene import EmbreeScene
        except ModuleNotFoundError as error:
            from .picture import missing

            raise missing(error) from error
        self.shown, self.camera = shown, camera
        self._scene: Any = EmbreeScene()
        TriangleMesh(self._scene, (shown.corners - camera.center).astype(np.float32))
        axes = np.array([camera.right, camera.up, camera.back]).T
        self._normals = (shown.normals @ axes).astype(np.float32)
        self.scale = camera.scale / FINER
        self._owner = np.append(shown.owner, -1).astype(np.int32)
        with np.errstate(divide="ignore", invalid="ignore"):
            slopes = np.abs(self._normals[:, :, :2] / self._normals[:, :, 2:]).max(axis=1)
        is_flat = (np.ptp(self._normals, axis=1) < 1e-6).all(axis=1)[:, None]
        self._slopes = np.where(is_flat, np.float32(np.inf), slopes)

    def faces(self, layer: _Layer) -> Index:
        """The faces that are seen, -1 for none."""
        return self._owner[layer.triangle]

    def folds(self, layer: _Layer, axis: int, scale: float) -> NDArray[np.bool_]:
        """Where the depth jumps within a face: its own outline before itself. A wall that is seen at a
        grazing angle gets deep quickly, too, which its slope on both sides explains; what lies behind an
        outline is not as steep. scale : the length of a step."""
        one, two = _halves(layer.triangle, axis)
        near, far = _halves(layer.depth, axis)
        folds = np.zeros(one.shape, bool)
        with np.errstate(invalid="ignore"):
            jumps = np.abs(near - far)
        at = np.nonzero((one >= 0) & (two >= 0) & (jumps > FOLD * scale))
        slopes = self._slopes[:, 1 - axis]
        explained = 2.0 * scale * np.minimum(slopes[one[at]], slopes[two[at]])
        folds[at] = jumps[at] > FOLD * scale + explained
        return folds

    def cast(self, starts: FloatArray, into: _Layer, at: Any, ahead: Any = 0.0) -> None:
        """Cast a ray from every start and put what it meets into a layer at these places."""
        if not len(starts):
            return
        ways = np.broadcast_to(-self.camera.back.astype(np.float32), starts.shape)
        found = self._scene.run(
            (starts - self.camera.center).astype(np.float32), np.ascontiguousarray(ways), output=1
        )
        triangle = found["primID"].astype(np.int32)
        light = np.ones(len(triangle), np.float32)
        hit = triangle >= 0
        u, v = found["u"][hit, None], found["v"][hit, None]
        n = self._normals[triangle[hit]]
        light[hit] = _lit((1 - u - v) * n[:, 0] + u * n[:, 1] + v * n[:, 2])
        shape = into.triangle[at].shape
        into.triangle[at] = triangle.reshape(shape)
        into.depth[at] = (found["tfar"] + ahead).astype(np.float32).reshape(shape)
        into.light[at] = light.reshape(shape)


def _empty(shape: tuple[int, int]) -> _Layer:
    return _Layer(
        np.full(shape, -1, np.int32), np.full(shape, np.inf, np.float32), np.ones(shape, np.float32)
    )


def _enlarged(array: NDArray[Any]) -> NDArray[Any]:
    return np.repeat(np.repeat(array, FINER, axis=0), FINER, axis=1)


def _lit(normals: Small) -> Small:
    """How bright surfaces are, by their normals in camera axes, (N, 3), which need not have length one."""
    lengths = np.linalg.norm(normals, axis=1, keepdims=True).astype(np.float32)
    normals = (normals / np.maximum(lengths, 1e-12)).astype(np.float32)
    light = np.full(len(normals), AMBIENT, np.float32)
    for direction, strength in LIGHTS:
        d = np.array(direction, np.float32) / np.linalg.norm(direction)
        light += strength * np.clip(normals @ d, 0.0, None)
    return np.asarray(light * (0.9 + 0.1 * np.clip(normals[:, 2], 0.0, 1.0)), dtype=np.float32)


def _paint(picture: Small, scene: _Scene, layer: _Layer, opacity: FloatArray | None) -> None:
    """Paint a layer over a picture of sub-pixels. opacity : of each triangle; None for solid ones."""
    hit = layer.triangle >= 0
    triangles = layer.triangle[hit]
    shown = scene.shown
    colors = (shown.colors**0.9).astype(np.float32)[shown.owner[triangles]]
    lit = np.clip(layer.light[hit, None] * colors, 0, 1)
    lines = _lines(scene, layer)
    if opacity is None:
        picture[hit] = lit
        _darken(picture, lines)
        return
    share = opacity[triangles].astype(np.float32)[:, None]
    picture[hit] = share * lit + (1 - share) * picture[hit]
    _darken(picture, lines * np.float32(np.mean(opacity) if len(opacity) else 0.0))


def _darken(picture: Small, strength: Small) -> None:
    at = np.nonzero(strength)
    picture[at] *= 1.0 - strength[at][:, None]


def _unsettled(scene: _Scene, layer: _Layer, scale: float) -> NDArray[np.bool_]:
    """The pixels that differ from a neighbour in their face, or by a jump in depth."""
    face, marks = scene.faces(layer), np.zeros(layer.depth.shape, bool)
    for axis in (0, 1):
        one, two = _halves(face, axis)
        differs = (one != two) | scene.folds(layer, axis, scale)
        for part in _halves(marks, axis):
            part |= differs
    return marks


def _lines(scene: _Scene, layer: _Layer) -> Small:
    """How dark each sub-pixel is drawn over: at changes of face and jumps of depth."""
    strength = np.zeros(layer.depth.shape, np.float32)
    face, shown = scene.faces(layer), scene.shown
    for axis in (0, 1):
        one, two = _halves(face, axis)
        changes = one != two
        mark = np.where(changes | scene.folds(layer, axis, scene.scale), np.float32(LINE), np.float32(0.0))
        if len(shown.smooth):
            at = np.nonzero(changes & (one >= 0) & (two >= 0))
            low, high = np.minimum(one[at], two[at]), np.maximum(one[at], two[at])
            is_smooth = np.isin(low.astype(np.int64) * shown.faces + high, shown.smooth)
            mark[at[0][is_smooth], at[1][is_smooth]] = SMOOTH_LINE
        for part in _halves(strength, axis):
            np.maximum(part, mark, out=part)
    return strength


def _halves(array: NDArray[Any], axis: int) -> tuple[NDArray[Any], NDArray[Any]]:
    """Views of each sub-pixel and of its neighbour along `axis`."""
    return (array[:-1], array[1:]) if axis == 0 else (array[:, :-1], array[:, 1:])
