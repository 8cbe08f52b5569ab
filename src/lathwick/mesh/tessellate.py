"""Triangles for every face of a body.

Edges are sampled first, once each; each face is then filled between its own edge points, so
neighbours meet point for point. Where a coarse tolerance would make the boundary of a planar face
cross itself (a thin wall between two arcs), the arcs of that face are halved until it does not.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np
import shapely

from ..errors import ModellingError
from ..geometry.placement import FloatArray, Plane
from ..topology.body import Body
from ..topology.brep import Coedge, Edge, Face
from .curved import charted, strip, wall_ends, whole
from .mesh import IntArray, Mesh
from .sampling import Samples, Tolerance

DEFAULT_SHARE = 5e-4
"""The default chord tolerance as a share of the diagonal of the bounding box."""

DEFAULT_ANGLE = 10.0
MOST_HALVINGS = 12


def tessellate(body: Body, chord: float | None = None, angle: float = DEFAULT_ANGLE) -> Mesh:
    """A watertight mesh of `body`.

    chord : largest distance between a chord and its arc, length unit of the body; by default
        1/2000 of the diagonal of the bounding box.
    angle : largest angle that one chord spans, degrees.

    Neither goes below what 32-bit floats can tell apart (`sampling.FINEST`). Raises
    ModellingError for a tolerance that is not positive.
    """
    return tessellate_by_face(body, chord, angle)[0]


def tessellate_by_face(
    body: Body, chord: float | None = None, angle: float = DEFAULT_ANGLE
) -> tuple[Mesh, IntArray]:
    """As `tessellate`; also the index in `body.brep_faces` of each triangle's face, shape (T,)."""
    low, high = np.array(body.bounds)
    if chord is None:
        chord = DEFAULT_SHARE * float(np.linalg.norm(high - low))
    tolerance = Tolerance(float(chord), float(angle))
    reach = float(max(np.abs(low).max(), np.abs(high).max()))
    edges = list(body.faces_of_edge)
    parameters = {edge: tolerance.parameters(edge, reach) for edge in edges}
    coarse = body.brep_faces[0]
    for _ in range(MOST_HALVINGS):
        samples, polygons = _sound_samples(body, edges, parameters)
        made = _filled(body, samples, polygons, tolerance, reach)
        if isinstance(made, tuple):
            points, triangles = made
            owner = np.repeat(np.arange(len(triangles)), [len(rows) for rows in triangles])
            return Mesh(points, np.concatenate(triangles), body.unit), owner
        coarse = made
        _halve(coarse, parameters)
    raise ModellingError(f"the boundary of the face {_name(coarse)} crosses itself when it is meshed")


def _filled(
    body: Body,
    samples: Samples,
    polygons: dict[Face, list[list[int]]],
    tolerance: Tolerance,
    reach: float,
) -> tuple[FloatArray, list[IntArray]] | Face:
    """All points, and the triangles of every face; or the face whose boundary is too coarse."""
    points = samples.points()
    border = points
    blocks, triangles, count = [points], [], len(points)
    for face in body.brep_faces:
        if face in polygons:
            triangles.append(_flat(face, polygons[face], points))
            continue
        ends = wall_ends(face)
        if ends is not None:
            triangles.append(strip(ends, samples))
            continue
        if not face.loops:
            added, made = whole(face.surface, face.outward, tolerance, reach)
            made = made + count
        else:
            rings = [_ring(loop.coedges, samples) for loop in face.loops]
            try:
                added, made = charted(face, rings, border, tolerance, reach)
            except ModellingError as error:
                if "crosses itself" not in error.message:
                    raise
                return face
            made = np.where(made >= len(border), made + (count - len(border)), made)
        blocks.append(added)
        triangles.append(made)
        count += len(added)
    return np.concatenate(blocks), triangles


def _halve(face: Face, parameters: dict[Edge, FloatArray]) -> None:
    for edge in {c.edge for c in face.coedges()}:
        if edge.curve.kind != "line":
            t = parameters[edge]
            parameters[edge] = np.sort(np.concatenate([t, 0.5 * (t[:-1] + t[1:])]))


def _name(face: Face) -> str:
    return f'"{face.names[0]}"' if face.names else f"on a {face.surface.kind}"


def _sound_samples(
    body: Body, edges: Sequence[Edge], parameters: dict[Edge, FloatArray]
) -> tuple[Samples, dict[Face, list[list[int]]]]:
    """Edge samples with which no planar face crosses itself or one in its plane, and the boundaries."""
    for _ in range(MOST_HALVINGS):
        _agree(body, parameters)
        samples = Samples(edges, parameters)
        points = samples.points()
        rings = {
            face: [_ring(loop.coedges, samples) for loop in face.loops]
            for face in body.brep_faces
            if face.surface.kind == "plane"
        }
        crossed = _crossed(rings, points)
        if not crossed:
            return samples, rings
        for face in crossed:
            _halve(face, parameters)
    raise ModellingError(
        f"the boundary of the face {_name(crossed[0])} crosses itself; the body cannot be meshed"
    )


def _crossed(rings: dict[Face, list[list[int]]], points: FloatArray) -> list[Face]:
    """Faces whose polygons cross themselves, or meet another face in the same plane without sharing
    a vertex with it (an island in a hole, drawn with chords that are too coarse)."""
    polygons = {face: _polygon(face, ring, points) for face, ring in rings.items()}
    crossed = dict.fromkeys(face for face, polygon in polygons.items() if not polygon.is_valid)
    planes: dict[tuple[Plane, bool], list[Face]] = {}
    for face in rings:
        planes.setdefault((face.surface.frame, face.outward), []).append(face)
    for faces in planes.values():
        if len(faces) > 1:
            shapes = [polygons[face] for face in faces]
            pairs = shapely.STRtree(shapes).query(shapes, predicate="intersects").T.tolist()
            for i, j in pairs:
                corners = [{k for ring in rings[faces[n]] for k in ring} for n in (i, j)]
                if i != j and corners[0].isdisjoint(corners[1]):
                    crossed.update({faces[i]: None, faces[j]: None})
    return list(crossed)


def _agree(body: Body, parameters: dict[Edge, FloatArray]) -> None:
    """Give both ends of each wall, which are one profile at two heights, the same parameters."""
    walls = [ends for face in body.brep_faces if (ends := wall_ends(face)) is not None]
    changed = True
    while changed:
        changed = False
        for one, two in walls:
            a, b = one.edge, two.edge
            if len(parameters[a]) != len(parameters[b]):
                longer, other, same = (a, b, one.forward is not two.forward) if len(parameters[a]) > len(
                    parameters[b]
                ) else (b, a, one.forward is not two.forward)  # fmt: skip
                shares = (parameters[longer] - longer.t0) / (longer.t1 - longer.t0)
                shares = shares if same else (1.0 - shares)[::-1]
                parameters[other] = other.t0 + shares * (other.t1 - other.t0)
                changed = True


def _ring(coedges: Iterable[Coedge], samples: Samples) -> list[int]:
    return [i for coedge in coedges for i in samples.along(coedge)[:-1]]


def _polygon(face: Face, rings: Sequence[list[int]], points: FloatArray) -> shapely.Polygon:
    outer, *holes = (face.surface.parameters(points[ring]) for ring in rings)
    return shapely.Polygon(outer, holes)


def _flat(face: Face, rings: Sequence[list[int]], points: FloatArray) -> IntArray:
    """Constrained Delaunay triangles of a planar face, no new vertices; shape (T, 3)."""
    polygon = _polygon(face, rings, points)
    cells = shapely.get_coordinates(shapely.constrained_delaunay_triangles(polygon))
    corners = cells.reshape(-1, 4, 2)[:, :3]
    index = {
        (u, v): i
        for ring in rings
        for i, (u, v) in zip(ring, face.surface.parameters(points[ring]).tolist(), strict=True)
    }
    triangles = np.array([index[u, v] for u, v in corners.reshape(-1, 2).tolist()], dtype=np.int64)
    triangles = triangles.reshape(-1, 3)
    count = sum(map(len, rings))
    if len(index) != count or len(triangles) != count + 2 * len(rings) - 4:
        raise ModellingError("a planar face could not be triangulated; please report the part")
    one, two = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    clockwise = one[:, 0] * two[:, 1] < one[:, 1] * two[:, 0]
    flip = clockwise if face.outward else ~clockwise
    triangles[flip] = triangles[flip][:, ::-1]
    return triangles
