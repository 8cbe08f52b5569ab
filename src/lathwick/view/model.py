"""A part as a viewer takes it: triangles by face, edges, names and measures, ready to be sent."""

from __future__ import annotations

import base64
from typing import Any

import numpy as np

from ..geometry.placement import FloatArray
from ..mesh.mesh import IntArray
from ..mesh.tessellate import default_chord, tessellate_by_face
from ..topology.body import Body
from .picture import Drawable, colored
from .scene import Color

COARSE = 8.0
"""Largest angle of a chord, degrees."""


def model_of(part: Drawable, name: str) -> dict[str, Any]:
    """What the viewer needs of a part; arrays are base64 of little-endian numbers."""
    body = part.body
    low, high = body.bounds
    spans = " × ".join(f"{b - a:.4g}" for a, b in zip(low, high, strict=True))
    caption = f"{spans} {body.unit}, volume {body.volume:.6g} {body.unit}³"
    caption += f", mass {part.mass_text}" if part.mass_text else ""
    notes = [
        {"text": str(m), "at": list(m.at)} for m in part.messages if m.kind == "note" and m.at is not None
    ]
    bodies = [body_model(label, one, color) for label, (one, color) in colored(part).items()]
    return {
        "name": name, "caption": caption, "unit": body.unit, "bounds": [list(low), list(high)],
        "notes": notes, "bodies": bodies,
    }  # fmt: skip


def body_model(name: str, body: Body, color: Color) -> dict[str, Any]:
    """The triangles of a body, those of a face together, with their normals, and its edges."""
    chord = 2.0 * default_chord([body])
    positions: list[FloatArray] = []
    normals: list[FloatArray] = []
    indices: list[IntArray] = []
    edges: list[FloatArray] = []
    faces: list[dict[str, Any]] = []
    for lump in body.pieces:
        one = Body((lump,), body.unit)
        mesh, owner = tessellate_by_face(one, chord, COARSE)
        order = np.argsort(owner, kind="stable")
        stops = np.searchsorted(owner[order], np.arange(len(one.brep_faces) + 1))
        edges.append(_edges(one, mesh.vertices, mesh.triangles, owner))
        for k, face in enumerate(one.faces()):
            mine = mesh.triangles[order[stops[k] : stops[k + 1]]]
            used, inverse = np.unique(mine, return_inverse=True)
            points = mesh.vertices[used]
            sign = 1.0 if face.brep.outward else -1.0
            count = sum(len(i) for i in indices)
            faces.append(
                {
                    "name": ", ".join(face.names) or "no name",
                    "kind": face.kind,
                    "area": face.area,
                    "start": count,
                    "count": len(mine),
                }
            )
            indices.append(inverse.reshape(-1, 3) + sum(len(p) for p in positions))
            positions.append(points)
            normals.append(sign * face.brep.surface.normals(points))
    sides = np.zeros((sum(map(len, normals)), 4), np.int8)
    sides[:, :3] = np.rint(127.0 * np.concatenate(normals))
    return {
        "name": name,
        "color": "#" + "".join(f"{round(255 * c):02x}" for c in color),
        "positions": _packed(np.concatenate(positions), "<f4"),
        "normals": _packed(sides, "i1"),
        "index": _packed(np.concatenate(indices), "<u4"),
        "count": sum(map(len, indices)),
        "edges": _packed(np.concatenate(edges), "<f4"),
        "faces": faces,
    }


def _edges(body: Body, vertices: FloatArray, triangles: IntArray, owner: IntArray) -> FloatArray:
    """The sides of triangles that lie between two faces which do not meet smoothly, (2 * N, 3)."""
    index = {face: i for i, face in enumerate(body.brep_faces)}
    count = len(index)
    smooth = set()
    for edge in body.edges():
        if edge.is_convex is None:
            low, high = sorted(index[f.brep] for f in edge.faces)
            smooth.add(low * count + high)
    ends = np.sort(triangles[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2), axis=1)
    codes = ends[:, 0] * np.int64(len(vertices)) + ends[:, 1]
    order = np.argsort(codes, kind="stable")
    same = np.flatnonzero(np.diff(codes[order]) == 0)
    one, two = owner[order[same] // 3], owner[order[same + 1] // 3]
    pairs = np.minimum(one, two) * np.int64(count) + np.maximum(one, two)
    shown = (one != two) & ~np.isin(pairs, np.array(sorted(smooth), dtype=np.int64))
    return np.asarray(vertices[ends[order[same[shown]]]].reshape(-1, 3))


def _packed(array: Any, kind: str) -> str:
    return base64.b64encode(np.ascontiguousarray(array, dtype=kind).tobytes()).decode("ascii")
