"""What is seen: triangles with the normals of the surfaces they stand for, by face."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from ..geometry.placement import FloatArray
from ..mesh.groups import connected
from ..mesh.mesh import IntArray, Mesh
from ..mesh.tessellate import default_chord, tessellate_by_face
from ..topology.body import Body

Color: TypeAlias = tuple[float, float, float]

FINE = 4.0
"""Largest angle of a chord, degrees: shading goes by the normals, so that only outlines show chords."""
SHARP = 25.0
"""Degrees between triangles of a mesh over which an edge is seen."""


@dataclass(frozen=True, eq=False)
class Shown:
    """Triangles of one thing, or of several together.

    corners, normals : of the triangles, (T, 3, 3). owner : the number of each triangle's face, (T,).
    colors : of the faces, (F, 3). opacity : of the faces, (F,), 1 for solid. smooth : pairs of faces that
    meet without an edge, as low * F + high.
    """

    corners: FloatArray
    normals: FloatArray
    owner: IntArray
    colors: FloatArray
    opacity: FloatArray
    smooth: IntArray

    @property
    def faces(self) -> int:
        """How many faces there are."""
        return len(self.colors)

    def moved(self, by: FloatArray) -> Shown:
        """The same elsewhere. by : (3,)."""
        return replace(self, corners=self.corners + by)

    def only(self, faces: NDArray[np.bool_]) -> Shown:
        """The triangles of some faces, which keep their numbers. faces : which, (F,) of bool."""
        keep = faces[self.owner]
        return replace(self, corners=self.corners[keep], normals=self.normals[keep], owner=self.owner[keep])


def shown_body(body: Body, color: Color, chord: float | None = None) -> Shown:
    """A body, its lumps meshed apart, in one color. The faces are those of `body.brep_faces`, in order."""
    parts = []
    chord = default_chord([body]) if chord is None else chord
    for lump in body.pieces:
        one = Body((lump,), body.unit)
        mesh, owner = tessellate_by_face(one, chord, FINE)
        parts.append(_of_faces(one, mesh, owner, color))
    return together(parts)


def _of_faces(body: Body, mesh: Mesh, owner: IntArray, color: Color) -> Shown:
    normals = np.empty((len(mesh.triangles), 3, 3))
    order = np.argsort(owner, kind="stable")
    stops = np.searchsorted(owner[order], np.arange(len(body.brep_faces) + 1))
    for k, face in enumerate(body.brep_faces):
        mine = order[stops[k] : stops[k + 1]]
        used, inverse = np.unique(mesh.triangles[mine], return_inverse=True)
        found = face.surface.normals(mesh.vertices[used]) * (1.0 if face.outward else -1.0)
        normals[mine] = found[inverse.reshape(-1, 3)]
    count = len(body.brep_faces)
    smooth = np.array(smooth_pairs(body), dtype=np.int64)
    return Shown(mesh.corners, normals, owner, np.tile(np.array(color), (count, 1)), np.ones(count), smooth)


def creases(triangles: IntArray, owner: IntArray, faces: int, smooth: IntArray) -> IntArray:
    """The sides of triangles, (N, 2), that lie between two faces which do not meet smoothly."""
    ends = np.sort(triangles[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2), axis=1)
    codes = ends[:, 0] * np.int64(int(triangles.max(initial=0)) + 1) + ends[:, 1]
    order = np.argsort(codes, kind="stable")
    same = np.flatnonzero(np.diff(codes[order]) == 0)
    one, two = owner[order[same] // 3], owner[order[same + 1] // 3]
    pairs = np.minimum(one, two) * np.int64(faces) + np.maximum(one, two)
    return np.asarray(ends[order[same[(one != two) & ~np.isin(pairs, smooth)]]])


def smooth_pairs(body: Body) -> list[int]:
    """Codes low * F + high of the pairs of faces that meet smoothly."""
    index = {face: i for i, face in enumerate(body.brep_faces)}
    pairs = []
    for edge in body.edges():
        if edge.is_convex is None:
            low, high = sorted(index[f.brep] for f in edge.faces)
            pairs.append(low * len(index) + high)
    return pairs


def shown_mesh(mesh: Mesh, color: Color) -> Shown:
    """A mesh, cut into faces where its triangles meet at a sharp angle."""
    owner = _sheets(mesh)
    flat = np.cross(mesh.corners[:, 1] - mesh.corners[:, 0], mesh.corners[:, 2] - mesh.corners[:, 0])
    keys = owner[:, None] * np.int64(len(mesh.vertices)) + mesh.triangles
    _, inverse = np.unique(keys.ravel(), return_inverse=True)
    sums = np.zeros((int(inverse.max(initial=-1)) + 1, 3))
    np.add.at(sums, inverse, np.repeat(flat, 3, axis=0))
    sizes = np.linalg.norm(sums, axis=1, keepdims=True)
    normals = (sums / np.where(sizes > 0, sizes, 1.0))[inverse].reshape(-1, 3, 3)
    count = int(owner.max(initial=-1)) + 1
    none = np.zeros(0, np.int64)
    return Shown(mesh.corners, normals, owner, np.tile(np.array(color), (count, 1)), np.ones(count), none)


def _sheets(mesh: Mesh) -> IntArray:
    """The number of the smooth sheet that each triangle belongs to, (T,)."""
    flat = np.cross(mesh.corners[:, 1] - mesh.corners[:, 0], mesh.corners[:, 2] - mesh.corners[:, 0])
    sizes = np.linalg.norm(flat, axis=1, keepdims=True)
    flat = flat / np.where(sizes > 0, sizes, 1.0)
    ends = mesh.triangles[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2)
    ends = np.sort(ends, axis=1)
    codes = ends[:, 0] * np.int64(len(mesh.vertices)) + ends[:, 1]
    order = np.argsort(codes, kind="stable")
    same = np.flatnonzero(np.diff(codes[order]) == 0)
    one, two = order[same] // 3, order[same + 1] // 3
    is_smooth = (flat[one] * flat[two]).sum(axis=1) > np.cos(np.radians(SHARP))
    return connected(one[is_smooth], two[is_smooth], len(flat))[1]


def together(parts: Sequence[Shown]) -> Shown:
    """Several things as one, their faces counted through."""
    if len(parts) == 1:
        return parts[0]
    total = sum(p.faces for p in parts)
    first = np.cumsum([0, *(p.faces for p in parts)])
    smooth = [
        (p.smooth // p.faces + k) * total + p.smooth % p.faces + k
        for p, k in zip(parts, first[:-1].tolist(), strict=True)
    ]
    return Shown(
        np.concatenate([p.corners for p in parts]),
        np.concatenate([p.normals for p in parts]),
        np.concatenate([p.owner + k for p, k in zip(parts, first[:-1].tolist(), strict=True)]),
        np.concatenate([p.colors for p in parts]),
        np.concatenate([p.opacity for p in parts]),
        np.concatenate(smooth),
    )
