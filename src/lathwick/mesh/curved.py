"""Triangles of curved faces: tubes as strips, closed surfaces as grids, all others in a chart."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ..errors import ModellingError
from ..geometry.placement import FloatArray
from ..geometry.round_surfaces import TorusSurface
from ..geometry.surface import Surface
from ..geometry.tolerance import NOWHERE, RESOLUTION
from ..topology.brep import Coedge, Face
from .charts import Chart, chart_of
from .delaunay import triangulated
from .lattice import Block, block_of, halves, lattice_of
from .layout import rings_in_order
from .mesh import IntArray
from .sampling import FINEST, NEAREST, Samples, Tolerance
from .slits import Slit
from .spindles import whole_spindle

MOST_REFINEMENTS = 20
ROOM = 1.05
MOST_PLACES = 2**21
"""No face has more; three numbers below this make one of 63 bits."""


def wall_ends(face: Face) -> tuple[Coedge, Coedge] | None:
    """The two curved edges of a wall that is one profile moved along a straight line; else None.

    Their points correspond one by one, so that a strip between them has no error of its own.
    """
    way = face.surface.prism_way
    if way is None:
        return None
    curved = [c for c in face.coedges() if c.edge.curve.kind != "line"]
    if len(curved) != 2 or len(list(face.coedges())) > 4:
        return None
    one, two = curved
    if face.surface.meridian and not all(c.edge.curve.kind == "circle" for c in curved):
        return None
    a, b = (c.edge.curve.points(np.linspace(c.edge.t0, c.edge.t1, 5)) for c in curved)
    if one.forward is two.forward:
        b = b[::-1]
    axis = np.asarray(way)
    off = b - a
    flat = off - np.outer(off @ axis, axis)
    return (one, two) if np.linalg.norm(flat, axis=1).max() <= RESOLUTION else None


def wall_triangles(ends: tuple[Coedge, Coedge], samples: Samples) -> IntArray:
    """Triangles between the two ends of a wall; shape (T, 3)."""
    below = np.array(samples.along(ends[0]))
    above = np.array(samples.along(ends[1])[::-1])
    a, b, c, d = below[:-1], below[1:], above[1:], above[:-1]
    return np.concatenate([np.column_stack([a, b, c]), np.column_stack([a, c, d])]).astype(np.int64)


def whole(surface: Surface, outward: bool, tolerance: Tolerance, reach: float) -> tuple[FloatArray, IntArray]:
    """Points and triangles of a sphere or torus without edges."""
    lattice = lattice_of(surface, tolerance, reach)
    if lattice is None:
        assert isinstance(surface, TorusSurface)
        points, triangles = whole_spindle(surface, tolerance, reach)
    else:
        points, triangles = lattice.points, halves(lattice.quads)
    return points, triangles if outward else triangles[:, ::-1]


def charted(
    face: Face,
    rings: Sequence[Sequence[int]],
    beyond: IntArray,
    points: FloatArray,
    tolerance: Tolerance,
    reach: float,
    slit: Slit | None = None,
) -> tuple[FloatArray, IntArray]:
    """New points and triangles of a face between its boundary rings; new points count from len(points).

    beyond : numbers of what lies beyond the boundary before and after each point of the rings (an edge,
        or a planar face), shape (B, 2). A triangle with three corners beside one of them gets a point in
        its middle: it would lie in that plane, or be a triangle of both faces of that edge.

    Raises ModellingError where the boundary crosses itself at this tolerance.
    """
    chains = [points[[*ring, ring[0]]] for ring in rings]
    lattice = lattice_of(face.surface, tolerance, reach) if slit is None else None
    block = None if lattice is None else block_of(face, lattice, chains)
    chart = chart_of(face, chains, tolerance, reach, block, slit)
    sheet = _sheet(chart, block, rings, beyond, points)
    sheet, triangles = _refined(face, chart, sheet, points, tolerance, reach)
    band = _outwards(face, sheet.index[triangles], np.concatenate([points, sheet.added]))
    if block is None:
        return sheet.added, band
    inner = len(points) + halves(block.quads)
    return sheet.added, np.concatenate([band, inner if face.outward else inner[:, ::-1]])


@dataclass(frozen=True, slots=True)
class _Sheet:
    """What is triangulated: places (P, 2) in the chart, the index (P,) of each one's point, and the edges
    (M, 2), numbers of places, that must stay. beyond : (B, 2) of the first B places, those on the boundary.
    added : new points, (A, 3)."""

    places: FloatArray
    index: IntArray
    edges: IntArray
    beyond: IntArray
    added: FloatArray


def _sheet(
    chart: Chart, block: Block | None, rings: Sequence[Sequence[int]], beyond: IntArray, points: FloatArray
) -> _Sheet:
    """The boundary, and what the chart or the block puts inside it; places passed twice made one."""
    border = np.array([i for ring in rings for i in ring])
    if chart.layout is None:
        places, edges = chart.flat(points[border]), rings_in_order([len(ring) for ring in rings])[1]
    else:
        places, edges = chart.layout.places, chart.layout.segments
        owner = chart.layout.owner
        beyond = beyond[owner[owner < len(border)]]
        border = np.concatenate([border, len(points) + np.arange(len(chart.slits))])[owner]
    if block is not None:
        rim, sides = np.unique(block.sides, return_inverse=True)
        within = chart.flat(block.points[rim]) if chart.rim is None else chart.rim
        owners, more, added = rim, sides.reshape(-1, 2), block.points
    else:
        within, owners = chart.flat(chart.inner), len(chart.slits) + np.arange(len(chart.inner))
        more, added = np.zeros((0, 2), dtype=np.int64), np.concatenate([chart.slits, chart.inner])
    places, index = np.concatenate([places, within]), np.concatenate([border, len(points) + owners])
    edges = np.concatenate([edges, len(border) + more]).astype(np.int64)
    kept, number = _distinct(places, index)
    return _Sheet(places[kept], index[kept], number[edges], beyond[kept[kept < len(beyond)]], added)


def _refined(
    face: Face, chart: Chart, sheet: _Sheet, points: FloatArray, tolerance: Tolerance, reach: float
) -> tuple[_Sheet, IntArray]:
    """The sheet with points added until no triangle is too coarse, and its triangles."""
    corners = np.concatenate([points, sheet.added])[sheet.index]
    looked = _Looked(face.surface, corners, tolerance, chart.parameters)
    for _ in range(MOST_REFINEMENTS):
        if len(sheet.places) > MOST_PLACES:
            raise ModellingError(
                f"a face takes more than {MOST_PLACES} places at this chord; use a coarser one"
            )
        triangles = triangulated(sheet.places, sheet.edges)
        table = np.concatenate([points, sheet.added])
        corners = table[sheet.index]
        coarse = looked.coarse(triangles, sheet.places, corners, sheet.edges)
        ears = _ears(face, triangles, sheet.beyond, sheet.places, corners, reach)
        looked.add_feet(ears[0])
        extra, hints = (np.concatenate(rows) for rows in zip(coarse, ears, strict=True))
        if not len(extra):
            return sheet, triangles
        sheet = replace(
            sheet,
            places=np.concatenate([sheet.places, chart.flat_near(extra, hints)]),
            index=np.concatenate([sheet.index, len(table) + np.arange(len(extra))]),
            added=np.concatenate([sheet.added, extra]),
        )
    return sheet, triangulated(sheet.places, sheet.edges)


def _distinct(places: FloatArray, index: IntArray) -> tuple[IntArray, IntArray]:
    """Places less those that a ring passes again: the numbers of the first ones, in order, and for every
    place its number among them."""
    rows = np.column_stack([index, np.round(places / np.abs(places).max(), 9)])
    _, first, number = np.unique(rows, axis=0, return_index=True, return_inverse=True)
    order = np.argsort(first)
    rank = np.empty_like(order)
    rank[order] = np.arange(len(order))
    return first[order], rank[number.ravel()]


_Spots = tuple[FloatArray, FloatArray]
"""New points, (N, 3), and about where they lie in the chart, (N, 2)."""


def _ears(
    face: Face, triangles: IntArray, beyond: IntArray, places: FloatArray, points: FloatArray, reach: float
) -> _Spots:
    """Points of the surface over the middles of triangles whose corners all lie beside one edge or plane, but
    for those that the surface hardly leaves."""
    border = (triangles < len(beyond)).all(axis=1)
    ears = _on_rim(face.surface, triangles, points, FINEST * reach)
    a, b, c = beyond[triangles[border]].transpose(1, 0, 2)
    for k in (0, 1):
        label = a[:, k : k + 1]
        ears[border] |= (b == label).any(axis=1) & (c == label).any(axis=1)
    corners = points[triangles[ears]]
    if not len(corners):
        return np.zeros((0, 3)), np.zeros((0, 2))
    found = _middles(face.surface, corners)
    gaps = ((found - corners[:, 0]) * _unit_normals(corners)).sum(axis=1)
    far = np.abs(gaps) > NEAREST * reach
    return found[far], places[triangles[ears]].mean(axis=1)[far]


def _on_rim(surface: Surface, triangles: IntArray, points: FloatArray, near: float) -> NDArray[np.bool_]:
    """Whether triangles lie in one of the two planes that touch a torus all round."""
    if not isinstance(surface, TorusSurface):
        return np.zeros(len(triangles), dtype=bool)
    heights = surface.frame.locals(points)[:, 2]
    level = np.where(np.abs(heights) > surface.minor - near, np.sign(heights), 0.0)[triangles]
    return np.asarray((level[:, 0] != 0.0) & (level == level[:, :1]).all(axis=1))


def _unit_normals(corners: FloatArray) -> FloatArray:
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    return np.asarray(normals / np.maximum(np.linalg.norm(normals, axis=1), NOWHERE)[:, None])


def _middles(surface: Surface, corners: FloatArray) -> FloatArray:
    """Points of the surface in the middle, by its parameters, of triangles of its points, (N, 3, 3)."""
    if surface.meridian and surface.singular_points:
        return surface.points(surface.parameters(corners.mean(axis=1)))
    uv = surface.parameters(corners.reshape(-1, 3)).reshape(-1, 3, 2)
    for k, period in enumerate(surface.periods):
        if period:
            uv[:, :, k] -= period * np.round((uv[:, :, k] - uv[:, :1, k]) / period)
    return surface.points(uv.mean(axis=1))


class _Looked:
    """Which sides and triangles are known to lie near enough to a surface, and where on it the corners are:
    the feet of their middles are sought from there."""

    def __init__(
        self,
        surface: Surface,
        corners: FloatArray,
        tolerance: Tolerance,
        parameters: Callable[[FloatArray], FloatArray] | None,
    ) -> None:
        self._surface, self._parameters = surface, parameters
        self._near = ROOM * tolerance.chord
        self._uv = self._starts(corners)
        self._known: dict[int, IntArray] = {2: np.zeros(0, dtype=np.int64), 3: np.zeros(0, dtype=np.int64)}

    def coarse(
        self, triangles: IntArray, places: FloatArray, points: FloatArray, segments: IntArray
    ) -> _Spots:
        """Points of the surface over the middles of inner edges, or of triangles, that lie too far below
        it; they are the next corners. Those amid the parameters of corners lie in the face, also where the
        feet of middles are beyond its border. Triangles that reach round a tube are small, and the surface
        is far from their middles."""
        fixed = _row_keys(segments)
        sides = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
        for cells in (sides, triangles):
            keys, first = np.unique(_row_keys(cells), return_index=True)
            new = ~np.isin(keys, self._known[cells.shape[1]])
            if cells is sides:
                new &= ~np.isin(keys, fixed)
            keys, chosen = keys[new], cells[first[new]]
            middles, near = points[chosen].mean(axis=1), self._between(chosen, places)
            gaps, normals, feet = self._surface.touches_near(middles, near)
            far = np.abs(gaps) > self._near
            if self._surface.seeks_feet:
                size = np.linalg.norm(points[chosen] - middles[:, None], axis=2).max(axis=1)
                away = np.linalg.norm(self._surface.points(near) - middles, axis=1)
                far |= away > 2.0 * size + self._near
            self._known[cells.shape[1]] = np.union1d(self._known[cells.shape[1]], keys[~far])
            if far.any():  # a triangle is looked at once its sides are near enough
                break
        hints = places[chosen[far]].mean(axis=1)
        if self._surface.seeks_feet:
            self._uv = np.concatenate([self._uv, near[far]])
            return self._surface.points(near[far]), hints
        self._uv = np.concatenate([self._uv, feet[far]])
        return middles[far] - gaps[far, None] * normals[far], hints

    def add_feet(self, points: FloatArray) -> None:
        """Further corners, points of the surface."""
        if len(points):
            self._uv = np.concatenate([self._uv, self._starts(points)])

    def _starts(self, points: FloatArray) -> FloatArray:
        """Parameters of points, where feet are sought from some."""
        return self._surface.parameters(points) if self._surface.seeks_feet else np.zeros((len(points), 2))

    def _between(self, cells: IntArray, places: FloatArray) -> FloatArray:
        """Parameters amid those of corners, (N, K)."""
        if self._parameters is not None:
            return self._parameters(places[cells].mean(axis=1))
        uv = self._uv[cells]
        for k, period in enumerate(self._surface.periods):
            if period:
                uv[:, :, k] -= period * np.round((uv[:, :, k] - uv[:, :1, k]) / period)
        return np.asarray(uv.mean(axis=1))


def _row_keys(rows: IntArray) -> IntArray:
    """A number for each row of two or three small ones, (N,), whatever their order."""
    ordered = np.sort(rows, axis=1).astype(np.int64)
    key = ordered[:, 0]
    for k in range(1, rows.shape[1]):
        key = key * MOST_PLACES + ordered[:, k]
    return np.asarray(key)


def _outwards(face: Face, triangles: IntArray, points: FloatArray) -> IntArray:
    """Triangles turned so that they look out of the body."""
    corners = points[triangles]
    areas = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    largest = int((areas**2).sum(axis=1).argmax())
    normal = face.surface.normals(corners[largest].mean(axis=0)[None])[0]
    looks_out = float(areas[largest] @ normal) > 0.0
    return triangles if looks_out is face.outward else triangles[:, ::-1]
