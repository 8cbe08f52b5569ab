"""Regular quads over a sphere or a torus: the inside of a large face is filled with them at once.

A sphere is covered by the six sides of a cube, blown up so that the angles between grid lines are equal;
a torus by its parameters. Only the band between the quads and the boundary is left to triangulate.

Source: Ronchi, Iacono & Paolucci, "The cubed sphere", Journal of Computational Physics 124 (1996).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from types import MappingProxyType

import numpy as np

from ..geometry.placement import FloatArray
from ..geometry.round_surfaces import SphereSurface, TorusSurface
from ..geometry.surface import Surface
from ..topology.brep import Face
from ..topology.trim import INSIDE, region_of
from .groups import connected
from .mesh import IntArray
from .sampling import Tolerance

LEAST = 6
DENSER = 4
"""Boundary chords are looked at in so many places each."""

AXES = ((0, 1, 2), (1, 2, 0), (2, 0, 1))


@dataclass(frozen=True, slots=True)
class Lattice:
    """points : the corners, shape (N, 3). quads : shape (M, 4), counter-clockwise seen against the
    surface's normal. quad_at : the numbers of the quads in which points of the surface, (K, 3), lie."""

    points: FloatArray
    quads: IntArray
    quad_at: Callable[[FloatArray], IntArray]


@dataclass(frozen=True, slots=True)
class Block:
    """Quads well inside a face: their corners, (N, 3), the quads, (M, 4), and their outer sides, (K, 2).

    bands : the number of the connected part of the rest of the lattice in which each of some points, (N, 3),
        lies. corner_bands : the number of such a part beside each corner, shape (N,).
    """

    points: FloatArray
    quads: IntArray
    sides: IntArray
    bands: Callable[[FloatArray], IntArray]
    corner_bands: Callable[[], IntArray]


def lattice_of(surface: Surface, tolerance: Tolerance, reach: float) -> Lattice | None:
    """Quads whose diagonals keep the tolerance; None for a surface that is straight in one direction,
    or meets its axis."""
    rule = _LATTICES.get(type(surface))
    return None if rule is None else rule(surface, tolerance, reach)


def _sphere_lattice(surface: SphereSurface, tolerance: Tolerance, reach: float) -> Lattice:
    step = tolerance.span(surface.radius, reach) / math.sqrt(2.0)
    return _cubed_sphere(surface, max(2, math.ceil(0.5 * math.pi / step)))


def _torus_lattice(surface: TorusSurface, tolerance: Tolerance, reach: float) -> Lattice | None:
    if surface.meets_axis:
        return None
    radii = (surface.major + surface.minor, surface.minor)
    steps = [tolerance.span(r, reach) / math.sqrt(2.0) for r in radii]
    return _torus(surface, *(max(LEAST, math.ceil(math.tau / s)) for s in steps))


_LATTICES: Mapping[type, Callable[..., Lattice | None]] = MappingProxyType(
    {SphereSurface: _sphere_lattice, TorusSurface: _torus_lattice}
)


def block_of(face: Face, lattice: Lattice, rings: Sequence[FloatArray]) -> Block | None:
    """The quads inside a face that keep away from its boundary, whose rings of chords are given; None if
    there are none."""
    near = np.zeros(len(lattice.quads), dtype=bool)
    near[lattice.quad_at(np.concatenate([_denser(ring) for ring in rings]))] = True
    corners = np.zeros(len(lattice.points), dtype=bool)
    corners[lattice.quads[near]] = True
    free = np.flatnonzero(~corners[lattice.quads].any(axis=1))
    if not len(free):
        return None
    quads = lattice.quads[free]
    label = _connected(quads, len(lattice.points))
    _, first = np.unique(label, return_index=True)
    inside = region_of(face).states(_middles(lattice.points, quads[first], face.surface)) == INSIDE
    kept = free[inside[label]]
    quads = lattice.quads[kept]
    if not len(quads):
        return None
    used, index = np.unique(quads, return_inverse=True)
    quads = index.reshape(-1, 4).astype(np.int64)
    rest = np.delete(np.arange(len(lattice.quads)), kept)

    def corner_bands() -> IntArray:
        beside = np.full(len(lattice.points), -1)
        beside[lattice.quads[rest]] = _connected(lattice.quads[rest], len(lattice.points))[:, None]
        return beside[used]

    def bands(points: FloatArray) -> IntArray:
        part = np.full(len(lattice.quads), -1)
        part[rest] = _connected(lattice.quads[rest], len(lattice.points))
        return part[lattice.quad_at(points)]

    return Block(lattice.points[used], quads, _outer_sides(quads, len(used)), bands, corner_bands)


def halves(quads: IntArray) -> IntArray:
    """Two triangles for each quad, shape (T, 3)."""
    a, b, c, d = quads.T
    return np.concatenate([np.column_stack([a, b, c]), np.column_stack([a, c, d])])


def _denser(ring: FloatArray) -> FloatArray:
    share = np.arange(DENSER)[None, :, None] / DENSER
    start, end = ring[:-1, None], ring[1:, None]
    return (start + share * (end - start)).reshape(-1, 3)


def _middles(points: FloatArray, quads: IntArray, surface: Surface) -> FloatArray:
    return surface.points(surface.parameters(points[quads].mean(axis=1)))


def _sides(quads: IntArray) -> IntArray:
    return np.concatenate([quads[:, [k, (k + 1) % 4]] for k in range(4)])


def _connected(quads: IntArray, count: int) -> IntArray:
    """A number for each quad, the same for those joined by sides."""
    sides = np.sort(_sides(quads), axis=1)
    keys = sides[:, 0] * count + sides[:, 1]
    owner = np.tile(np.arange(len(quads)), 4)
    order = np.argsort(keys)
    ordered = keys[order]
    same = np.flatnonzero(ordered[1:] == ordered[:-1])
    return connected(owner[order[same]], owner[order[same + 1]], len(quads))[1]


def _outer_sides(quads: IntArray, count: int) -> IntArray:
    """Sides that only one quad has, the way it runs along them."""
    sides = _sides(quads)
    keys = sides.min(axis=1) * count + sides.max(axis=1)
    order = np.argsort(keys)
    ordered = keys[order]
    fresh = np.concatenate([[True], ordered[1:] != ordered[:-1], [True]])
    return sides[np.sort(order[fresh[1:] & fresh[:-1]])]


# ---------------------------------------------------------------------- torus


def _torus(surface: TorusSurface, around: int, rows: int) -> Lattice:
    u, v = np.arange(around) * (math.tau / around), np.arange(rows) * (math.tau / rows)
    points = surface.points(np.column_stack([np.tile(u, rows), np.repeat(v, around)]))
    i, j = (n.ravel() for n in np.meshgrid(np.arange(around), np.arange(rows)))
    right, up = (i + 1) % around, (j + 1) % rows
    quads = np.column_stack([i + j * around, right + j * around, right + up * around, i + up * around])

    def quad_at(places: FloatArray) -> IntArray:
        uv = surface.parameters(places) % math.tau
        column = np.minimum((uv[:, 0] * (around / math.tau)).astype(np.int64), around - 1)
        row = np.minimum((uv[:, 1] * (rows / math.tau)).astype(np.int64), rows - 1)
        found: IntArray = column + row * around
        return found

    return Lattice(points, quads.astype(np.int64), quad_at)


# ---------------------------------------------------------------------- sphere


def _cubed_sphere(surface: SphereSurface, count: int) -> Lattice:
    """`count` quads along each side of the cube. A corner is known by its whole coordinates on the cube."""
    frame = np.array([surface.frame.x, surface.frame.y, surface.frame.normal])
    center = np.asarray(surface.frame.origin)
    a, b = (n.ravel() for n in np.meshgrid(np.arange(count), np.arange(count)))
    square = ((0, 0), (1, 0), (1, 1), (0, 1))
    cells = []
    for k, (p, q, n) in enumerate((*AXES, *AXES)):
        for da, db in square if k < 3 else ((0, 0), (0, 1), (1, 1), (1, 0)):
            corner = np.empty((len(a), 3), dtype=np.int64)
            corner[:, p], corner[:, q], corner[:, n] = a + da, b + db, count if k < 3 else 0
            cells.append(corner)
    wide = count + 1
    keys = np.concatenate([(c[:, 0] * wide + c[:, 1]) * wide + c[:, 2] for c in cells])
    known, index = np.unique(keys, return_inverse=True)
    whole = np.column_stack([known // (wide * wide), known // wide % wide, known % wide])
    ways = np.tan((whole / count - 0.5) * (0.5 * math.pi))
    ways /= np.linalg.norm(ways, axis=1)[:, None]
    quads = index.reshape(6, 4, -1).transpose(0, 2, 1).reshape(-1, 4)

    def quad_at(places: FloatArray) -> IntArray:
        local = (places - center) @ frame.T
        longest = np.abs(local).argmax(axis=1)
        found = np.empty(len(places), dtype=np.int64)
        for k, (p, q, n) in enumerate((*AXES, *AXES)):
            here = (longest == n) & ((local[:, n] > 0) == (k < 3))
            high = np.abs(local[here, n])
            rows = [
                np.clip(
                    np.arctan(local[here, m] / high) * (2.0 * count / math.pi) + 0.5 * count, 0, count - 1
                )
                for m in (p, q)
            ]
            found[here] = k * count * count + rows[1].astype(np.int64) * count + rows[0].astype(np.int64)
        return found

    return Lattice(center + surface.radius * ways @ frame, quads.astype(np.int64), quad_at)
