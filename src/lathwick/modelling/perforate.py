"""Perforations: openings all over a wall, cut through it along the normals of its face.

Where an outline meets a surface is found for all cells at once, by Newton's method in the parameters of the
surface; the openings are then set into the faces, as they keep clear of all else.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import shapely

from ..errors import ModellingError, naming_its_step
from ..geometry.placement import FloatArray, IntArray, Plane
from ..geometry.surface import Surface
from ..geometry.surfaces import PlaneSurface
from ..geometry.tolerance import NOWHERE, RESOLUTION
from ..sketch.pieces import ArcPiece, LinePiece, Piece, places_along
from ..topology.body import Body, BodyFace
from ..topology.brep import Face
from ..topology.selection import Selection
from ..topology.trim import OUTSIDE, region_of
from ..topology.windings import along as points_along
from ..topology.windings import loop_paths, winding
from .cells import Outline, Wall, outline_of, tiles_of
from .flat_faces import plane_of_face
from .openings import opened
from .primitives import number
from .profile import Profile
from .references import face_of

MOST_CELLS = 20_000
TIGHTEST = 0.995
"""Cells at most so large, as a share of their tiles: the rest are ribs."""

ROUNDS = 30
LAST_OFF = 1e-8
"""From a place that is off by no more than this share of the size, a step of Newton's method is the last."""

SAME_DIGITS = 11
"""Openings whose places and sides agree in so many digits behind the point are one, turned."""

EXACT = 1e-10
BORDER = 257
SCALINGS, LITTLE = 12, 1e-12
FANS = tuple(tuple(np.polynomial.legendre.leggauss(n) for n in pair) for pair in ((10, 8), (6, 4)))
MANY = 300
"""So many pieces of outlines are small: the shorter rule is exact for them."""


@naming_its_step
def perforate(
    body: Body,
    face: BodyFace | Selection[BodyFace],
    around: int,
    along: int,
    openness: float,
    *,
    cell: str | Profile = "hexagon",
    border: float = 0.0,
    step: str = "",
) -> Body:
    """Cut openings all over a wall, through that wall only.

    face : planar, round, conical or swept; a plane is divided along x and y of its plane (see
        `plane_of_face`), cells that would reach over its border are left out.
    around, along : how many cells there are round the face (along u) and from one end to the other.
    openness : the open share of the face inside the borders, from 0 to 1.
    cell : "hexagon" (every second row moved by half a cell), "circle", "slot", or a sketch with one area.
    border : how much of the face stays closed at its ends.

    Each opening goes straight through, along the normal in its middle. Faces: `step/side:line1` and so on.
    Raises ModellingError where cells would run into each other, with the largest openness; where they come
    out at an edge, or something else lies behind them.
    """
    chosen = face_of(body, face, "a perforation goes through")
    counts = [_count(value, what) for value, what in ((around, "around"), (along, "along"))]
    share, room = number(openness, "openness"), number(border, "border")
    if not 0.0 < share < 1.0:
        raise ModellingError(f"openness is more than 0 and less than 1, got {share:g}")
    if room < 0.0:
        raise ModellingError(f"a border is not negative, got {room:g}")
    if counts[0] * counts[1] > MOST_CELLS:
        raise ModellingError(f"a perforation has at most {MOST_CELLS} cells, not {counts[0] * counts[1]}")
    wall, moved = _wall_of(chosen.brep), isinstance(cell, str) and cell == "hexagon"
    cells = _Cells(chosen, outline_of(cell), wall, (counts[0], counts[1]), room, moved)
    cells.scale_to(share)
    return opened(body, chosen.brep, cells, step)


def _count(value: Any, what: str) -> int:
    count = number(value, what)
    if count != round(count) or count < 1:
        raise ModellingError(f"{what} is a whole number of cells, got {value!r}")
    return int(count)


def _wall_of(face: Face) -> Wall:
    surface = face.surface
    if surface.plane is not None:
        surface = PlaneSurface(plane_of_face(face))
    paths = loop_paths(face.loops, surface)
    if not paths:
        raise ModellingError(f"a {surface.called} face is not perforated: it has no two ends")
    closed = any(winding(path, surface)[0] for path in paths)
    low, high = np.concatenate(paths).min(axis=0), np.concatenate(paths).max(axis=0)
    us = (float(low[0]), float(high[0]))
    if closed:
        first = surface.domain[0][0] if np.isfinite(surface.domain[0][0]) else 0.0
        us = (first, first + surface.periods[0])
    sense = 1.0 if surface is not face.surface or face.outward else -1.0
    wall = Wall(surface, us, (float(low[1]), float(high[1])), closed, sense)
    if min(surface.areas(np.array([(us[0], v) for v in wall.vs]))[1]) <= RESOLUTION:
        raise ModellingError(f"a {face.surface.called} face is not perforated up to its tip: cut that off")
    return wall


class _Cells:
    """Tiles, the outline in each, and how large it is."""

    def __init__(
        self,
        face: BodyFace,
        outline: Outline,
        wall: Wall,
        counts: tuple[int, int],
        border: float,
        moved: bool,
    ) -> None:
        inside = wall.within(border)
        self.wall, self._outline = wall, outline
        self.tiles = tiles_of(inside, *counts, moved)
        self._keep(face, border)
        if wall.surface.plane is not None:
            flat = _flat(face.brep, wall.surface.plane)
            self.room = face.area if not border else float(flat.buffer(-border, quad_segs=256).area)
        else:
            self.room = face.area - (wall.area() - inside.area() if border else 0.0)

    def _keep(self, face: BodyFace, border: float) -> None:
        """Only those tiles whose outlines lie wholly in the face, clear of the border of a plane."""
        self.scales = np.full(len(self.tiles.uv), TIGHTEST)
        owner, uv = self.images(self.wall.surface, self.tiles.uv, np.linspace(0.0, 1.0, 9))
        points = self.wall.surface.points(uv)
        bad = region_of(face.brep).states(points) == OUTSIDE
        if self.wall.surface.plane is not None and border:
            room = _flat(face.brep, self.wall.surface.plane).buffer(RESOLUTION - border, quad_segs=256)
            bad |= ~shapely.contains_xy(room, uv[:, 0], uv[:, 1])
        kept = ~np.isin(np.arange(len(self.scales)), owner[bad])
        if not kept.any():
            raise ModellingError("no cell fits into the face; use more cells or a smaller border")
        self.tiles, self.scales = self.tiles[kept], self.scales[kept]

    def outlines(self) -> list[list[Piece]]:
        return [
            self._outline(sides, float(k)) for sides, k in zip(self.tiles.sides, self.scales, strict=True)
        ]

    def images(
        self, surface: Surface, middles: FloatArray, shares: FloatArray
    ) -> tuple[IntArray, FloatArray]:
        """Where lines square to the tiles through places of the outlines meet a surface, near middles (u, v):
        the number of the cell, and (u, v), of each; piece after piece."""
        outlines = self.outlines()
        spots = [places_along(piece, shares) for pieces in outlines for piece in pieces]
        owner = np.repeat(np.arange(len(self.scales)), [len(shares) * len(pieces) for pieces in outlines])
        return owner, self.feet(surface, middles, owner, np.concatenate(spots))

    def feet(self, surface: Surface, middles: FloatArray, owner: IntArray, spots: FloatArray) -> FloatArray:
        """(u, v) on a surface of points (x, y) of the tiles with some numbers, by Newton's method."""
        x, y, start = self.tiles.x[owner], self.tiles.y[owner], self.tiles.points[owner]
        uv = middles[owner].copy()
        todo, scale = np.arange(len(owner)), float(np.abs(spots).max())
        for _ in range(ROUNDS):
            d = surface.derivatives(uv[todo], 1)
            rows = [[(d[i][1 - i] * way[todo]).sum(axis=1) for i in (1, 0)] for way in (x, y)]
            off = spots[todo] - np.column_stack(
                [((d[0][0] - start[todo]) * way[todo]).sum(axis=1) for way in (x, y)]
            )
            det = rows[0][0] * rows[1][1] - rows[0][1] * rows[1][0]
            det = np.where(np.abs(det) > NOWHERE, det, 1.0)
            step = np.column_stack([
                (off[:, 0] * rows[1][1] - off[:, 1] * rows[0][1]) / det,
                (off[:, 1] * rows[0][0] - off[:, 0] * rows[1][0]) / det,
            ])  # fmt: skip
            uv[todo] += step
            size = np.abs(off).max(axis=1)
            todo = todo[size > LAST_OFF * scale]
            if not len(todo):
                return uv
        raise ModellingError("the cells are too large for a wall that bends so much; use more of them")

    def areas(self) -> FloatArray:
        """The areas of the openings on the wall: those of a row on a surface of revolution are one."""
        if self.wall.surface.meridian is None:
            return self._areas_of(np.arange(len(self.scales)))
        looks = np.column_stack([self.tiles.uv[:, 1], self.tiles.sides.reshape(-1, 4), self.scales])
        _, first, row = np.unique(
            np.round(looks, SAME_DIGITS), axis=0, return_index=True, return_inverse=True
        )
        return np.asarray(self._areas_of(first)[row.ravel()])

    def _areas_of(self, chosen: IntArray) -> FloatArray:
        """Over a fan from the middle to each piece, of the openings with these numbers."""
        outlines = [self._outline(self.tiles.sides[k], float(self.scales[k])) for k in chosen]
        rule = FANS[sum(map(len, outlines)) > MANY]
        (s, ws), (t, wt) = ((0.5 * (n + 1.0), 0.5 * w) for n, w in rule)
        spots, weights, owner = [], [], []
        for k, pieces in zip(chosen.tolist(), outlines, strict=True):
            for piece in pieces:
                edge = places_along(piece, s)
                step = _speeds(piece, s)
                turn = edge[:, 0] * step[:, 1] - edge[:, 1] * step[:, 0]
                spots.append((edge[:, None] * t[:, None]).reshape(-1, 2))
                weights.append(np.outer(turn * ws, t * wt).ravel())
                owner += [k] * len(weights[-1])
        numbers, flat = np.array(owner), np.concatenate(weights)
        if self.wall.surface.plane is None:
            uv = self.feet(self.wall.surface, self.tiles.uv, numbers, np.concatenate(spots))
            normals = self.wall.surface.normals_at(uv)
            flat = flat / np.abs((normals * self.tiles.out[numbers]).sum(axis=1))
        return np.asarray(np.bincount(numbers, flat, len(self.scales)), dtype=float)[chosen]

    def scale_to(self, share: float) -> None:
        """Openings of the asked share of the room, each as large as its tile is."""
        wanted = share * self.room * self.tiles.areas / self.tiles.areas.sum()
        before, known = self.scales**2, self.areas()  # areas are nearly as the squares
        self.scales = np.sqrt(before * np.clip(wanted / known, 1e-4, 4.0))
        for _ in range(SCALINGS):
            areas = self.areas()
            if np.abs(areas / wanted - 1.0).max() <= EXACT:
                break
            squares = self.scales**2
            moved = squares - before
            rate = np.where(
                np.abs(moved) > LITTLE, (areas - known) / np.where(moved == 0.0, 1.0, moved), np.inf
            )
            before, known = squares, areas
            self.scales = np.sqrt(np.clip(before + (wanted - areas) / rate, 0.1 * before, 4.0))
        if self.scales.max() > TIGHTEST:
            self.scales = np.full(len(self.scales), TIGHTEST)
            most = float((self.areas() / (wanted / share)).min())
            raise ModellingError(
                f"openings of {share:g} of the wall would run into each other; with these cells openness is "
                f"at most {math.floor(most * 1e4) / 1e4:g}"
            )


def _speeds(piece: Piece, s: FloatArray) -> FloatArray:
    """Derivatives of the places along a piece by the share, (N, 2)."""
    if isinstance(piece, LinePiece):
        return np.tile(np.subtract(piece.end, piece.start), (len(s), 1))
    if isinstance(piece, ArcPiece):
        t = piece.angle + s * piece.sweep
        return piece.sweep * piece.radius * np.column_stack([-np.sin(t), np.cos(t)])
    return (piece.b - piece.a) * piece.curve.derivatives(piece.a + s * (piece.b - piece.a))


def _flat(face: Face, plane: Plane) -> shapely.Polygon:
    rings = [np.concatenate([plane.locals(points_along(c, BORDER))[:-1, :2] for c in loop.coedges])
             for loop in face.loops]  # fmt: skip
    rings.sort(key=lambda ring: -shapely.Polygon(ring).area)
    return shapely.Polygon(rings[0], rings[1:])
