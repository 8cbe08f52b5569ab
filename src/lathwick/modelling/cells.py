"""The cells of a perforation: where they lie on a wall, and their outlines.

A wall is divided evenly around (along u) and along (v); a cell lies in the plane that touches the wall in its
middle, with x around and y along.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ..errors import ModellingError
from ..geometry.placement import FloatArray, Plane
from ..geometry.surface import Interval, Surface
from ..geometry.vector import Vec2, vec3
from ..sketch.pieces import ArcPiece, LinePiece, Piece
from ..sketch.plane_curves import CurvePiece, PlaneSpline
from ..sketch.region import Region
from .profile import Profile, regions_of

CELLS = ("hexagon", "circle", "slot")
SPOTS = 513
"""Places along a wall at which its length is measured."""

STAGGER = 0.5
"""By so much of the way to the next cell every second row of hexagons is moved round."""

OVER = 1.0 / 3.0
"""A row of hexagons reaches so much farther, in rows, than its share of the height."""

Outline = Callable[[FloatArray, float], list[Piece]]
"""Counter-clockwise pieces from the sides of a tile, (2, 2) rows in x and y, and a scale from 0 to 1."""


@dataclass(frozen=True, eq=False)
class Wall:
    """A part of a surface over ranges of its parameters; `closed` where u goes all round; `sense` is 1 where
    the normal leads out of the body."""

    surface: Surface
    us: Interval
    vs: Interval
    closed: bool
    sense: float

    def lengths(self, k: int) -> tuple[FloatArray, FloatArray]:
        """Parameters u or v over the wall, and the lengths to them, along the middle of the other."""
        uv = np.empty((SPOTS, 2))
        uv[:, k] = np.linspace(*(self.us, self.vs)[k], SPOTS)
        uv[:, 1 - k] = 0.5 * sum((self.us, self.vs)[1 - k])
        d = self.surface.derivatives(uv, 1)
        speed = np.linalg.norm(d[1][0] if k == 0 else d[0][1], axis=1)
        steps = 0.5 * (speed[1:] + speed[:-1]) * np.diff(uv[:, k])
        return uv[:, k], np.concatenate([[0.0], np.cumsum(steps)])

    def within(self, border: float) -> Wall:
        """The part at least so far from its ends."""
        spans = []
        for k, ends in enumerate((self.us, self.vs)):
            if k == 0 and self.closed:
                spans.append(ends)
                continue
            places, lengths = self.lengths(k)
            if not 2.0 * border < lengths[-1]:
                raise ModellingError(
                    f"a border of {border:.6g} leaves nothing of a wall {lengths[-1]:.6g} wide; it must be "
                    f"less than {0.5 * lengths[-1]:.6g}"
                )
            low, high = np.interp([border, lengths[-1] - border], lengths, places)
            spans.append((float(low), float(high)))
        return replace(self, us=spans[0], vs=spans[1])

    def area(self) -> float:
        """By a product of Gauss rules."""
        nodes, weights = np.polynomial.legendre.leggauss(64)
        (u0, u1), (v0, v1) = self.us, self.vs
        u, v = (0.5 * (a + b) + 0.5 * (b - a) * nodes for a, b in (self.us, self.vs))
        sizes = self.surface.areas(np.stack(np.meshgrid(u, v, indexing="ij"), axis=-1).reshape(-1, 2))[1]
        return 0.25 * (u1 - u0) * (v1 - v0) * float(weights @ sizes.reshape(64, 64) @ weights)


@dataclass(frozen=True, eq=False)
class Tiles:
    """Middles, (N, 2) in u and v and (N, 3) in space; the directions x, y and out of the body there, (N, 3);
    and the sides of each tile in x and y, (N, 2, 2)."""

    uv: FloatArray
    points: FloatArray
    x: FloatArray
    y: FloatArray
    out: FloatArray
    sides: FloatArray

    def __getitem__(self, kept: NDArray[np.bool_]) -> Tiles:
        return Tiles(*(getattr(self, name)[kept] for name in ("uv", "points", "x", "y", "out", "sides")))

    @property
    def areas(self) -> FloatArray:
        return np.abs(np.linalg.det(self.sides))

    def plane(self, k: int) -> Plane:
        return Plane(vec3(self.points[k]), vec3(self.out[k]), vec3(self.x[k]))


def tiles_of(wall: Wall, around: int, along: int, staggered: bool) -> Tiles:
    """Tiles all over a wall, row after row."""
    (us, widths), (vs, heights) = (wall.lengths(k) for k in (0, 1))
    wide = widths[-1] / (around if wall.closed or not staggered else around + STAGGER)
    tall = heights[-1] / (along + OVER if staggered else along)
    first = tall * (0.5 + 0.5 * OVER if staggered else 0.5)
    spots = []
    for row in range(along):
        shift = STAGGER * (row % 2) if staggered else 0.0
        at = wide * (np.arange(around) + 0.5 + shift)
        u = np.interp(at % widths[-1] if wall.closed else at, widths, us)
        v = np.interp(first + row * tall, heights, vs)
        spots.append(np.column_stack([u, np.full(around, v)]))
    uv = np.concatenate(spots)
    d = wall.surface.derivatives(uv, 1)
    normals = np.cross(d[1][0], d[0][1])
    out = wall.sense * normals / np.linalg.norm(normals, axis=1)[:, None]
    x = d[1][0] / np.linalg.norm(d[1][0], axis=1)[:, None]
    y = np.cross(out, x)
    rates = [np.interp(uv[:, k], places, np.gradient(places, lengths))
             for k, (places, lengths) in enumerate(((us, widths), (vs, heights)))]  # fmt: skip
    steps = (d[1][0] * (rates[0] * wide)[:, None], d[0][1] * (rates[1] * tall)[:, None])
    sides = np.stack([np.stack([(s * x).sum(axis=1), (s * y).sum(axis=1)], axis=1) for s in steps], axis=1)
    return Tiles(uv, d[0][0], x, y, out, sides)


def outline_of(cell: str | Profile) -> Outline:
    """What draws a cell. Raises ModellingError for an unknown one."""
    if isinstance(cell, str):
        if cell not in CELLS:
            names = ", ".join(f'"{name}"' for name in CELLS)
            raise ModellingError(f'a cell is {names} or a sketch, got "{cell}"')
        return {"hexagon": _hexagon, "circle": _circle, "slot": _slot}[cell]
    patches = [(patch, region) for region in regions_of(cell, "cut") for patch in region.patches]
    if len(patches) != 1 or patches[0][0].holes:
        raise ModellingError("a cell is one area without holes")
    patch, region = patches[0]
    return _drawn(list(patch.outer.pieces), region)


def _ring(corners: FloatArray, names: str) -> list[Piece]:
    area = sum(a[0] * b[1] - a[1] * b[0] for a, b in zip(corners, np.roll(corners, -1, axis=0), strict=True))
    spots: list[Vec2] = [(float(x), float(y)) for x, y in (corners if area > 0.0 else corners[::-1])]
    return [LinePiece(a, b, f"{names}{k + 1}")
            for k, (a, b) in enumerate(zip(spots, [*spots[1:], spots[0]], strict=True))]  # fmt: skip


def _hexagon(sides: FloatArray, scale: float) -> list[Piece]:
    """Of the area of the tile at scale 1, where hexagons cover a wall."""
    shares = np.array([(0.5, -1), (0.5, 1), (0, 2), (-0.5, 1), (-0.5, -1), (0, -2)]) / (1.0, 3.0)
    return _ring(scale * shares @ sides, "line")


def _circle(sides: FloatArray, scale: float) -> list[Piece]:
    radius = 0.5 * scale * float(np.linalg.norm(sides, axis=1).min())
    return [ArcPiece((0.0, 0.0), radius, 0.0, math.tau, "circle")]


def _slot(sides: FloatArray, scale: float) -> list[Piece]:
    """Along the longer side of the tile, with the same room on all sides."""
    lengths = np.linalg.norm(sides, axis=1)
    room = (1.0 - scale) * float(lengths.min())
    long, short = int(lengths.argmax()), int(lengths.argmin())
    if long == short:
        long, short = 1, 0
    radius, half = 0.5 * (lengths[short] - room), 0.5 * (lengths[long] - lengths[short])
    way = sides[long] / lengths[long]
    aside = np.array([way[1], -way[0]])
    turn = math.atan2(way[1], way[0])
    if half <= 0.0:
        return [ArcPiece((0.0, 0.0), float(radius), 0.0, math.tau, "circle")]
    spots = [_vec2(a * half * way + b * radius * aside) for a, b in ((-1, 1), (1, 1), (1, -1), (-1, -1))]
    ends = [_vec2(a * half * way) for a in (1, -1)]
    return [
        LinePiece(spots[0], spots[1], "line1"),
        ArcPiece(ends[0], float(radius), turn - 0.5 * math.pi, math.pi, "arc1", (spots[1], spots[2])),
        LinePiece(spots[2], spots[3], "line2"),
        ArcPiece(ends[1], float(radius), turn + 0.5 * math.pi, math.pi, "arc2", (spots[3], spots[0])),
    ]


def _drawn(pieces: list[Piece], region: Region) -> Outline:
    """A drawn outline about its middle, at scale 1 as large as its box fits into the tile."""
    cx, cy = region.centroid
    boxes = np.array([piece.box for piece in pieces])
    half = np.array([max(boxes[:, 2].max() - cx, cx - boxes[:, 0].min()),
                     max(boxes[:, 3].max() - cy, cy - boxes[:, 1].min())])  # fmt: skip

    def outline(sides: FloatArray, scale: float) -> list[Piece]:
        factor = scale * float((0.5 * np.linalg.norm(sides, axis=1) / half).min())
        return [_scaled(piece, (cx, cy), factor) for piece in pieces]

    return outline


def _scaled(piece: Piece, middle: Vec2, factor: float) -> Piece:
    def place(p: Vec2) -> Vec2:
        return (factor * (p[0] - middle[0]), factor * (p[1] - middle[1]))

    if isinstance(piece, LinePiece):
        return LinePiece(place(piece.start), place(piece.end), piece.name)
    ends = None if piece.ends is None else (place(piece.ends[0]), place(piece.ends[1]))
    if isinstance(piece, ArcPiece):
        return replace(piece, center=place(piece.center), radius=factor * piece.radius, ends=ends)
    curve = piece.curve
    if isinstance(curve, PlaneSpline):
        controls = factor * (curve.controls - np.array(middle))
        return CurvePiece(replace(curve, controls=controls), piece.a, piece.b, piece.name, ends)
    moved = replace(curve, center=place(curve.center), major=factor * curve.major, minor=factor * curve.minor)
    return CurvePiece(moved, piece.a, piece.b, piece.name, ends)


def _vec2(row: FloatArray) -> Vec2:
    return float(row[0]), float(row[1])
