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
from .scene import Color, creases, smooth_pairs

COARSE, ROUGH = 8.0, 45.0
"""Largest angle of a chord, degrees; and while the part moves, if it has many triangles."""
ROUGH_CHORDS = 60.0
"""Chords may then be so many times as far from the surface."""
MANY = 2_000
"""Triangles of a body of which fewer are shown while it moves."""


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
    """The triangles of a body, those of a face together, with their normals, and its edges; of many triangles
    also few that stand for them while they move."""
    chord = 2.0 * default_chord([body])
    made = _Triangles()
    edges: list[FloatArray] = []
    for lump in body.pieces:
        one = Body((lump,), body.unit)
        mesh, owner = tessellate_by_face(one, chord, COARSE)
        edges.append(_edges(one, mesh.vertices, mesh.triangles, owner))
        made.add(one, mesh.vertices, mesh.triangles, owner)
    model = {
        "name": name,
        "color": "#" + "".join(f"{round(255 * c):02x}" for c in color),
        **made.packed(),
        "edges": _packed(np.concatenate(edges), "<f4"),
        "faces": made.faces,
    }
    return {**model, "rough": _rough(body, chord)} if made.count > MANY else model


def _rough(body: Body, chord: float) -> dict[str, Any]:
    """The body in few triangles."""
    made = _Triangles()
    for lump in body.pieces:
        one = Body((lump,), body.unit)
        mesh, owner = tessellate_by_face(one, ROUGH_CHORDS * chord, ROUGH)
        made.add(one, mesh.vertices, mesh.triangles, owner)
    return made.packed()


class _Triangles:
    """Triangles by face, with the normals of the surfaces."""

    def __init__(self) -> None:
        self._positions: list[FloatArray] = []
        self._normals: list[FloatArray] = []
        self._indices: list[IntArray] = []
        self._points = 0
        self.count = 0
        self.faces: list[dict[str, Any]] = []

    def add(self, body: Body, vertices: FloatArray, triangles: IntArray, owner: IntArray) -> None:
        order = np.argsort(owner, kind="stable")
        stops = np.searchsorted(owner[order], np.arange(len(body.brep_faces) + 1))
        for k, face in enumerate(body.faces()):
            mine = triangles[order[stops[k] : stops[k + 1]]]
            used, inverse = np.unique(mine, return_inverse=True)
            points, sign = vertices[used], 1.0 if face.brep.outward else -1.0
            self.faces.append(
                {
                    "name": ", ".join(face.names) or "no name",
                    "kind": face.kind,
                    "area": face.area,
                    "start": self.count,
                    "count": len(mine),
                }
            )
            self._indices.append(inverse.reshape(-1, 3) + self._points)
            self._positions.append(points)
            self._normals.append(sign * face.brep.surface.normals(points))
            self._points += len(points)
            self.count += len(mine)

    def packed(self) -> dict[str, Any]:
        sides = np.zeros((self._points, 4), np.int8)
        sides[:, :3] = np.rint(127.0 * np.concatenate(self._normals))
        return {
            "positions": _packed(np.concatenate(self._positions), "<f4"),
            "normals": _packed(sides, "i1"),
            "index": _packed(np.concatenate(self._indices), "<u4"),
            "count": self.count,
        }


def _edges(body: Body, vertices: FloatArray, triangles: IntArray, owner: IntArray) -> FloatArray:
    """The sides of triangles along the edges that are seen, (2 * N, 3)."""
    smooth = np.array(smooth_pairs(body), dtype=np.int64)
    return vertices[creases(triangles, owner, len(body.brep_faces), smooth)].reshape(-1, 3)


def _packed(array: Any, kind: str) -> str:
    return base64.b64encode(np.ascontiguousarray(array, dtype=kind).tobytes()).decode("ascii")
