"""STL, binary and ASCII: writing and reading.

Format: 3D Systems, StereoLithography Interface Specification (1988). The format has no unit; ours
is stated in the header and read back from it.
"""

from __future__ import annotations

import re
from typing import NoReturn

import numpy as np
from numpy.typing import NDArray

from ..errors import ExchangeError
from ..geometry.placement import FloatArray
from ..mesh.mesh import IntArray, Mesh
from ..mesh.stored import without_flat

HEADER_BYTES = 80
RECORD = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])
BLOCK = 8192
LARGEST = float(np.finfo(np.float32).max)
_UNIT = re.compile(r"unit=(mm|cm|m|in)\b")


def write_stl(mesh: Mesh, name: str = "", *, ascii: bool = False) -> bytes | memoryview:
    """The STL file of `mesh` as bytes.

    Coordinates are rounded to 32-bit floats, normals computed from the rounded corners. Triangles that
    rounding leaves without area are left out, and the mesh stays closed; ExchangeError where it cannot.
    """
    if not len(mesh.triangles):
        raise ExchangeError("an STL file needs at least one triangle")
    title = _title(name, mesh.unit)
    file = _records_of(mesh, mesh.triangles)
    if isinstance(file, int):
        left = without_flat(mesh.vertices, mesh.triangles)
        if left is None:
            _refuse_flat(mesh.corners[file, 0])
        file = _records_of(mesh, left)
        assert not isinstance(file, int)
    file[:HEADER_BYTES] = np.frombuffer(title.encode("ascii")[:HEADER_BYTES].ljust(HEADER_BYTES), np.uint8)
    return _ascii(file[HEADER_BYTES + 4 :].view(RECORD), title) if ascii else file.data


def _records_of(mesh: Mesh, triangles: IntArray) -> NDArray[np.uint8] | int:
    """A file with these triangles and an empty title; or the number of one that has no area once rounded.

    Corners and normals are made a block at a time, so that each stays in the cache.
    """
    file = np.zeros(HEADER_BYTES + 4 + len(triangles) * RECORD.itemsize, np.uint8)
    file[HEADER_BYTES : HEADER_BYTES + 4].view("<u4")[0] = len(triangles)
    records = file[HEADER_BYTES + 4 :].view(RECORD)
    vertices = mesh.vertices.astype("<f4")
    for first in range(0, len(records), BLOCK):
        block = slice(first, first + BLOCK)
        corners = vertices.take(triangles[block], axis=0)
        a, b, c = (np.ascontiguousarray(corners[:, i].T, dtype=float) for i in range(3))
        (px, py, pz), (qx, qy, qz) = b - a, c - a
        nx, ny, nz = py * qz - pz * qy, pz * qx - px * qz, px * qy - py * qx
        lengths = np.sqrt(nx * nx + ny * ny + nz * nz)
        if not lengths.all():
            return first + int(lengths.argmin())
        records["corners"][block] = corners
        for axis, component in enumerate((nx, ny, nz)):
            records["normal"][block, axis] = component / lengths
    return file


def _refuse_flat(place: FloatArray) -> NoReturn:
    x, y, z = place
    raise ExchangeError(
        f"detail near ({x:.6g}, {y:.6g}, {z:.6g}) is smaller than the 32-bit numbers of STL "
        "can hold; move the part nearer to the origin or save it as STEP"
    )


def _title(name: str, unit: str) -> str:
    """What the first line says; plain ASCII."""
    plain = name.encode("ascii", "replace").decode().replace("\n", " ")
    return f"Lathwick unit={unit or '?'} {plain}".rstrip()


def _ascii(records: NDArray[np.void], title: str) -> bytes:
    facet = (
        "facet normal %.9g %.9g %.9g\n  outer loop\n"
        + "    vertex %.9g %.9g %.9g\n" * 3
        + "  endloop\nendfacet\n"
    )
    rows = np.concatenate([records["normal"], records["corners"].reshape(-1, 9)], axis=1).tolist()
    body = "".join([facet % tuple(row) for row in rows])
    return f"solid {title}\n{body}endsolid {title}\n".encode("ascii")


def read_stl(data: bytes) -> Mesh:
    """The mesh in an STL file; equal corners become one vertex.

    Raises ExchangeError, with the place, for data that is no STL, is cut short, or holds numbers
    that are not finite.
    """
    if len(data) >= HEADER_BYTES + 4:
        count = int(np.frombuffer(data, "<u4", 1, HEADER_BYTES)[0])
        if len(data) == HEADER_BYTES + 4 + count * RECORD.itemsize:
            records = np.frombuffer(data, RECORD, count, HEADER_BYTES + 4)
            return _welded(records["corners"].astype(float), data[:HEADER_BYTES])
    if data.lstrip()[:5].lower() == b"solid":
        return _read_ascii(data)
    if len(data) < HEADER_BYTES + 4:
        raise ExchangeError(f"no STL file: only {len(data)} bytes")
    expected = HEADER_BYTES + 4 + count * RECORD.itemsize
    raise ExchangeError(
        f"no STL file, or cut short: {count} triangles need {expected} bytes, there are {len(data)}"
    )


def _read_ascii(data: bytes) -> Mesh:
    values: list[float] = []
    lines = data.split(b"\n")
    for number, line in enumerate(lines, 1):
        words = line.split()
        if words[:1] != [b"vertex"]:
            continue
        try:
            x, y, z = words[1:]
            values += (float(x), float(y), float(z))
        except ValueError:
            shown = line.decode("ascii", "replace").strip()
            raise ExchangeError(f'STL line {number}: "{shown}" is no vertex') from None
    if len(values) % 9:
        raise ExchangeError(f"STL: {len(values) // 3} vertices make no whole number of triangles")
    if not any(line.lstrip().startswith(b"endsolid") for line in lines[-3:]):
        raise ExchangeError("STL: the file is cut short, there is no endsolid")
    return _welded(np.array(values).reshape(-1, 3, 3), lines[0])


def _welded(corners: FloatArray, title: bytes) -> Mesh:
    if not len(corners):
        raise ExchangeError("the STL file holds no triangle")
    bad = np.flatnonzero(~(np.abs(corners) <= LARGEST).all(axis=(1, 2)))
    if len(bad):
        raise ExchangeError(f"STL: triangle {bad[0] + 1} has a coordinate that is not finite, or too large")
    vertices, index = np.unique(corners.reshape(-1, 3) + 0.0, axis=0, return_inverse=True)
    unit = _UNIT.search(title.decode("ascii", "replace"))
    return Mesh(vertices, index.reshape(-1, 3).astype(np.int64), unit[1] if unit else "")
