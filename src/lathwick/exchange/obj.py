"""Wavefront OBJ: meshes with names, written and read.

Format: Wavefront, Advanced Visualizer manual, appendix B (object files). It has no unit; ours is stated in a
comment and read back from it.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from ..errors import ExchangeError
from ..mesh.mesh import Mesh

_UNIT = re.compile(rb"^#.*\bunit=(mm|cm|m|in)\b", re.MULTILINE)
MOST_CORNERS = 100_000
"""A face of more corners is taken for a mistake."""


def write_obj(meshes: Sequence[tuple[str, Mesh]], name: str = "") -> bytes:
    """The OBJ file of named meshes, an object each. Coordinates are those of the mesh, in full.

    Raises ExchangeError for no triangle.
    """
    if not any(len(mesh.triangles) for _, mesh in meshes):
        raise ExchangeError("an OBJ file needs at least one triangle")
    unit = meshes[0][1].unit
    lines = [f"# Lathwick unit={unit or '?'} {_plain(name)}".rstrip()]
    before = 1
    for label, mesh in meshes:
        lines.append(f"o {_plain(label) or 'body'}")
        lines += [f"v {x!r} {y!r} {z!r}" for x, y, z in (mesh.vertices + 0.0).tolist()]
        lines += [f"f {a} {b} {c}" for a, b, c in (mesh.triangles + before).tolist()]
        before += len(mesh.vertices)
    return ("\n".join(lines) + "\n").encode("utf-8")


def _plain(text: str) -> str:
    return " ".join(text.split())


def read_obj(data: bytes) -> Mesh:
    """The faces of an OBJ file as one mesh; polygons are cut into fans, normals and textures passed over.

    Raises ExchangeError, with the line, for what is no number or no vertex.
    """
    vertices: list[tuple[float, float, float]] = []
    triangles: list[tuple[int, int, int]] = []
    for number, line in enumerate(data.split(b"\n"), 1):
        words = line.split()
        if not words:
            continue
        try:
            if words[0] == b"v":
                x, y, z = (float(w) for w in words[1:4])
                vertices.append((x, y, z))
            elif words[0] == b"f":
                corners = [_corner(word, len(vertices)) for word in words[1:]]
                if not 3 <= len(corners) <= MOST_CORNERS:
                    raise ValueError
                triangles += [(corners[0], b, c) for b, c in pairwise(corners[1:])]
        except ValueError:
            shown = line.decode("utf-8", "replace").strip()[:60]
            raise ExchangeError(f'OBJ line {number}: cannot read "{shown}"') from None
    if not triangles:
        raise ExchangeError("the OBJ file holds no face")
    places = np.array(vertices)
    if not np.isfinite(places).all():
        raise ExchangeError("OBJ: a vertex has a coordinate that is not finite")
    unit = _UNIT.search(data[:4096])
    return Mesh(places, np.array(triangles, dtype=np.int64), unit[1].decode() if unit else "")


def _corner(word: bytes, count: int) -> int:
    """The number of a vertex from 0; negative ones count back from the last. Raises ValueError."""
    index = int(word.partition(b"/")[0])
    found = index - 1 if index > 0 else count + index
    if not 0 <= found < count:
        raise ValueError
    return found
