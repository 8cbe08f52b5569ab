"""3MF: meshes with unit, names and colors, written and read.

Format: 3D Manufacturing Format, Core Specification 1.3 (3MF Consortium), in an Open Packaging container.
"""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterator, Sequence
from typing import Any
from xml.sax.saxutils import quoteattr

import numpy as np

from ..errors import ExchangeError
from ..geometry.placement import FloatArray
from ..geometry.units import MILLIMETRES
from ..mesh.mesh import IntArray, Mesh

Color = tuple[float, float, float]

CORE = "http://schemas.microsoft.com/3dmanufacturing/core/2015/02"
MODEL = "3D/3dmodel.model"
UNITS = {"mm": "millimeter", "cm": "centimeter", "m": "meter", "in": "inch"}
READ_UNITS = {
    "micron": 1e-3,
    "millimeter": 1.0,
    "centimeter": 10.0,
    "meter": 1000.0,
    "inch": 25.4,
    "foot": 304.8,
}
"""Millimetres for each unit of the format."""

LARGEST = 500_000_000
"""Bytes of a model once unpacked, no more."""

CORNERS = ("v1", "v2", "v3")
STAMP = (1980, 1, 1, 0, 0, 0)
"""The time in the container: the earliest that it can hold, so that equal parts give equal files."""

_TYPES = (
    '<?xml version="1.0" encoding="UTF-8"?>\n'
    '<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types">'
    '<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
    '<Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/>'
    "</Types>\n"
)
_RELATIONS = (
    '<?xml version="1.0" encoding="UTF-8"?>\n'
    '<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">'
    f'<Relationship Id="model" Target="/{MODEL}" '
    'Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>\n'
)


def write_3mf(meshes: Sequence[tuple[str, Mesh, Color | None]], name: str = "") -> bytes:
    """The 3MF file of named meshes, each with a color (red, green, blue, 0 to 1) or None.

    Raises ExchangeError for no triangle.
    """
    if not any(len(mesh.triangles) for _, mesh, _ in meshes):
        raise ExchangeError("a 3MF file needs at least one triangle")
    unit = UNITS.get(meshes[0][1].unit, "millimeter")
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as container:
        for path, text in (
            ("[Content_Types].xml", _TYPES),
            ("_rels/.rels", _RELATIONS),
            (MODEL, "".join(_model(meshes, name, unit))),
        ):
            entry = zipfile.ZipInfo(path, STAMP)
            entry.compress_type = zipfile.ZIP_DEFLATED
            container.writestr(entry, text)
    return packed.getvalue()


def _model(meshes: Sequence[tuple[str, Mesh, Color | None]], name: str, unit: str) -> Iterator[str]:
    yield f'<?xml version="1.0" encoding="UTF-8"?>\n<model unit="{unit}" xml:lang="en" xmlns="{CORE}">\n'
    yield f'<metadata name="Title">{_text(name)}</metadata>\n'
    yield '<metadata name="Application">Lathwick</metadata>\n'
    yield "<resources>\n"
    colors = list(dict.fromkeys(color for _, _, color in meshes if color is not None))
    if colors:
        bases = "".join(f'<base name="{_hex(c)}" displaycolor="{_hex(c)}"/>' for c in colors)
        yield f'<basematerials id="1">{bases}</basematerials>\n'
    for number, (label, mesh, color) in enumerate(meshes, 2):
        look = "" if color is None else f' pid="1" pindex="{colors.index(color)}"'
        yield f'<object id="{number}" name={quoteattr(_clean(label))} type="model"{look}><mesh><vertices>\n'
        rows = (mesh.vertices + 0.0).tolist()
        yield "\n".join([f'<vertex x="{x!r}" y="{y!r}" z="{z!r}"/>' for x, y, z in rows])
        yield "\n</vertices><triangles>\n"
        yield "\n".join([f'<triangle v1="{a}" v2="{b}" v3="{c}"/>' for a, b, c in mesh.triangles.tolist()])
        yield "\n</triangles></mesh></object>\n"
    items = "".join(f'<item objectid="{number}"/>' for number in range(2, len(meshes) + 2))
    yield f"</resources>\n<build>{items}</build>\n</model>\n"


def _hex(color: Color) -> str:
    return "#" + "".join(f"{round(255 * c):02X}" for c in color)


def _clean(text: str) -> str:
    """Without the characters that no XML file may hold."""
    return "".join(c for c in text if c >= " " and not 0xD800 <= ord(c) <= 0xDFFF and ord(c) < 0xFFFE)


def _text(text: str) -> str:
    return quoteattr(_clean(text))[1:-1]


def read_3mf(data: bytes) -> Mesh:
    """All that a 3MF file builds as one mesh, in its unit ("mm" for one without a name here).

    Raises ExchangeError for what is no 3MF file.
    """
    root = _parsed(_model_of(data))
    if root.tag != f"{{{CORE}}}model":
        raise ExchangeError(f"3MF: expected a model, got {root.tag[:60]}")
    factor = READ_UNITS.get(root.get("unit", "millimeter"))
    if factor is None:
        raise ExchangeError(f'3MF: "{root.get("unit")}" is no unit')
    unit = next((n for n, size in MILLIMETRES.items() if size == factor), "")
    objects = {o.get("id", ""): o for o in root.iter(f"{{{CORE}}}object")}
    vertices: list[FloatArray] = []
    triangles: list[IntArray] = []
    count = 0
    for item in root.iter(f"{{{CORE}}}item"):
        for p, t in _meshes_of(objects, item.get("objectid", ""), _matrix(item.get("transform")), 0):
            triangles.append(t + count)
            vertices.append(p)
            count += len(p)
    if not triangles:
        raise ExchangeError("the 3MF file builds nothing")
    scale = 1.0 if unit else factor
    return Mesh(scale * np.concatenate(vertices), np.concatenate(triangles), unit or "mm")


def _model_of(data: bytes) -> bytes:
    """The text of the model in the container."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as container:
            models = [e for e in container.infolist() if e.filename.lower().endswith(".model")]
            if not models:
                raise ExchangeError("3MF: the container holds no model")
            chosen = next((e for e in models if e.filename.lstrip("/") == MODEL), models[0])
            if chosen.file_size > LARGEST:
                raise ExchangeError(f"3MF: the model is larger than {LARGEST} bytes")
            return container.read(chosen)
    except (zipfile.BadZipFile, OSError, EOFError, NotImplementedError, RuntimeError) as error:
        raise ExchangeError(f"no 3MF file, or damaged: {error}") from None


def _parsed(text: bytes) -> Any:
    from xml.etree.ElementTree import ParseError

    from defusedxml import DefusedXmlException
    from defusedxml.ElementTree import fromstring

    try:
        return fromstring(text, forbid_dtd=True)
    except (ParseError, DefusedXmlException, ValueError) as error:
        raise ExchangeError(f"3MF: the model cannot be read: {error}") from None


def _meshes_of(
    objects: dict[str, Any], number: str, matrix: FloatArray, depth: int
) -> Iterator[tuple[FloatArray, Any]]:
    """The meshes of an object and of its components, placed."""
    found = objects.get(number)
    if found is None or depth > 20:
        raise ExchangeError(f'3MF: object "{number[:20]}" is not there, or holds itself')
    mesh = found.find(f"{{{CORE}}}mesh")
    try:
        if mesh is not None:
            points, triangles = _table(mesh, "vertex", "xyz", float), _table(mesh, "triangle", CORNERS, int)
            indices = triangles if len(triangles) else np.zeros((1, 3))
            if not np.isfinite(points).all() or indices.min() < 0 or indices.max() >= max(len(points), 1):
                raise ValueError
            yield points @ matrix[:3] + matrix[3], triangles
    except ValueError:
        raise ExchangeError(f'3MF: object "{number[:20]}" has a vertex or triangle that is none') from None
    for part in found.iter(f"{{{CORE}}}component"):
        inner = _matrix(part.get("transform"))
        whole = np.vstack([inner[:3] @ matrix[:3], inner[3] @ matrix[:3] + matrix[3]])
        yield from _meshes_of(objects, part.get("objectid", ""), whole, depth + 1)


def _table(mesh: Any, tag: str, keys: Sequence[str], sort: type[float] | type[int]) -> Any:
    """The attributes of all elements of one kind, (N, 3). Raises ValueError for what is no number."""
    rows = [[sort(element.get(key, "none")) for key in keys] for element in mesh.iter(f"{{{CORE}}}{tag}")]
    return np.array(rows, dtype=float if sort is float else np.int64).reshape(-1, 3)


def _matrix(text: str | None) -> FloatArray:
    """A transform, (4, 3): rows for x, y, z and the shift."""
    if text is None:
        return np.vstack([np.eye(3), np.zeros(3)])
    try:
        values = np.array([float(v) for v in text.split()])
        if values.shape != (12,) or not np.isfinite(values).all():
            raise ValueError
    except ValueError:
        raise ExchangeError(f'3MF: "{text[:60]}" is no transform') from None
    return values.reshape(4, 3)
