"""A shaded picture of a body with its edges.

One ray per sub-pixel is cast by the `embreex` package (on the processor, so no screen or graphics
card is needed). Shading uses the normals of the exact surfaces; lines are drawn where the visible
face changes or the depth jumps, which gives edges and outlines without hidden ones.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from ..geometry.placement import FloatArray
from ..mesh.mesh import IntArray
from ..mesh.tessellate import tessellate_apart
from ..topology.body import Body
from .camera import Camera
from .style import FONT, INK, PAPER, QUIET

if TYPE_CHECKING:
    from matplotlib.figure import Figure

OVERSAMPLING = 2
MARGIN = 0.11
AMBIENT = 0.46
LIGHTS = (((-0.3, 0.7, 1.0), 0.5), ((0.9, 0.1, 0.5), 0.16))
"""Directions in camera axes (right, up, towards the camera), and strengths."""
LINE_STRENGTH = 0.78
SMOOTH_LINE_STRENGTH = 0.22
MOST_ENTRIES = 20

Color = tuple[float, float, float]


def draw_body(
    figure: Figure,
    body: Body,
    name: str,
    colors: FloatArray,
    size: tuple[int, int],
    mass: str = "",
    view: str = "iso",
    span: float = 0.0,
) -> None:
    """Draw `body` over the whole figure, with a caption and the directions of the axes.

    colors : of each face, shape (F, 3). span : a length for which there is room at least.
    """
    mesh, owner = tessellate_apart([Body((lump,), body.unit) for lump in body.pieces], None, 4.0)
    camera = Camera.looking(view, mesh.vertices, size, MARGIN, span)
    image = _render(body, mesh.vertices, mesh.triangles, owner, camera, colors, size)
    axes = figure.add_axes((0, 0, 1, 1))
    axes.imshow(image, interpolation="none", aspect="auto")
    axes.set_axis_off()
    _caption(figure, body, name, mass)
    _directions(figure, camera, size)


def _render(
    body: Body,
    vertices: FloatArray,
    triangles: IntArray,
    owner: IntArray,
    camera: Camera,
    colors: FloatArray,
    size: tuple[int, int],
) -> FloatArray:
    width, height = size[0] * OVERSAMPLING, size[1] * OVERSAMPLING
    reach = float(np.linalg.norm(np.ptp(vertices, axis=0))) + 1.0
    starts = camera.rays(width, height, camera.scale / OVERSAMPLING, reach)
    triangle, depth = _cast(vertices[triangles], starts, -camera.back)
    face = np.where(triangle >= 0, owner[triangle], -1)
    hit = face >= 0
    light = np.ones(len(starts))
    points = starts[hit] - depth[hit, None] * camera.back
    light[hit] = _shade(body, face[hit], points, camera)
    image = _paper(width, height)
    lit = image.reshape(-1, 3)
    lit[hit] = np.clip(light[hit, None] * colors[face[hit]] ** 0.9, 0, 1)
    strength = _lines(body, face.reshape(height, width), depth.reshape(height, width), camera.scale)
    image *= 1.0 - strength[:, :, None]
    return image.reshape(size[1], OVERSAMPLING, size[0], OVERSAMPLING, 3).mean(axis=(1, 3))


def _cast(corners: FloatArray, starts: FloatArray, direction: FloatArray) -> tuple[IntArray, FloatArray]:
    """Index of the first triangle each ray meets (-1: none), and how far away it is."""
    try:
        from embreex.mesh_construction import TriangleMesh
        from embreex.rtcore_scene import EmbreeScene
    except ModuleNotFoundError as error:
        from .picture import missing

        raise missing(error) from error
    middle = starts.mean(axis=0)
    scene = EmbreeScene()
    TriangleMesh(scene, (corners - middle).astype(np.float32))
    directions = np.tile(direction.astype(np.float32), (len(starts), 1))
    found = scene.run((starts - middle).astype(np.float32), directions, output=1)
    return found["primID"].astype(np.int64), found["tfar"].astype(float)


def _shade(body: Body, face: IntArray, points: FloatArray, camera: Camera) -> FloatArray:
    normals = np.empty_like(points)
    for index in np.unique(face).tolist():
        here = face == index
        brep = body.brep_faces[index]
        normals[here] = brep.surface.normals(points[here]) * (1.0 if brep.outward else -1.0)
    local = normals @ np.array([camera.right, camera.up, camera.back]).T
    light = np.full(len(points), AMBIENT)
    for direction, strength in LIGHTS:
        d = np.array(direction) / np.linalg.norm(direction)
        light += strength * np.clip(local @ d, 0.0, None)
    return light * (0.9 + 0.1 * np.clip(local[:, 2], 0.0, 1.0))


def _paper(width: int, height: int) -> FloatArray:
    """A background that is a little darker towards the bottom."""
    top = np.array([int(PAPER[i : i + 2], 16) / 255 for i in (1, 3, 5)])
    fade = np.linspace(1.0, 0.93, height)[:, None, None]
    return np.ascontiguousarray(np.broadcast_to(fade * top, (height, width, 3)))


def _lines(body: Body, face: IntArray, depth: FloatArray, scale: float) -> FloatArray:
    """How dark each sub-pixel is drawn over: at changes of face and jumps of depth."""
    strength = np.zeros(face.shape)
    smooth = _smooth_pairs(body)
    for axis in (0, 1):
        one = _halves(face, axis)
        far = _halves(np.where(face >= 0, depth, 0.0), axis)
        changes = one[0] != one[1]
        folds = ~changes & (one[0] >= 0) & (np.abs(far[0] - far[1]) > 12 * scale)
        mark = np.where(changes | folds, LINE_STRENGTH, 0.0)
        if smooth:
            low, high = np.minimum(*one), np.maximum(*one)
            code = low * len(body.brep_faces) + high
            mark[changes & (low >= 0) & np.isin(code, smooth)] = SMOOTH_LINE_STRENGTH
        for part in _halves(strength, axis):
            np.maximum(part, mark, out=part)
    return strength


def _halves(array: NDArray[Any], axis: int) -> tuple[NDArray[Any], NDArray[Any]]:
    """Views of each sub-pixel and of its neighbour along `axis`."""
    return (array[:-1], array[1:]) if axis == 0 else (array[:, :-1], array[:, 1:])


def _smooth_pairs(body: Body) -> list[int]:
    """Codes low * F + high of the pairs of faces that meet smoothly."""
    index = {face: i for i, face in enumerate(body.brep_faces)}
    pairs = []
    for edge in body.edges():
        if edge.is_convex is None:
            low, high = sorted(index[f.brep] for f in edge.faces)
            pairs.append(low * len(index) + high)
    return pairs


def _caption(figure: Figure, body: Body, name: str, mass: str) -> None:
    low, high = body.bounds
    spans = " × ".join(f"{b - a:.4g}" for a, b in zip(low, high, strict=True))
    text = f"{spans} {body.unit}    volume {body.volume:.6g} {body.unit}³"
    if mass:
        text += f"    mass {mass}"
    figure.text(0.028, 0.945, name, fontsize=17, color=INK, family=FONT, weight="bold", va="center")
    figure.text(0.028, 0.905, text, fontsize=11, color=QUIET, family=FONT, va="center")


def draw_legend(figure: Figure, entries: Sequence[tuple[str, Color]]) -> None:
    """The names of the bodies of a part with their colors, down the right side."""
    for row, (name, color) in enumerate(entries[:MOST_ENTRIES]):
        y = 0.945 - 0.035 * row
        figure.text(0.955, y, name, fontsize=11, color=INK, family=FONT, ha="right", va="center")
        figure.text(0.962, y, "■", fontsize=13, color=color, family=FONT, ha="left", va="center")
    if len(entries) > MOST_ENTRIES:
        more = f"and {len(entries) - MOST_ENTRIES} more"
        y = 0.945 - 0.035 * MOST_ENTRIES
        figure.text(0.955, y, more, fontsize=11, color=QUIET, family=FONT, ha="right", va="center")


def _directions(figure: Figure, camera: Camera, size: tuple[int, int]) -> None:
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
