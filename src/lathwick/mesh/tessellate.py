"""Triangles for every face of a body.

Edges are sampled first, once each; each face is then filled between its own edge points, so
neighbours meet point for point. Where a coarse tolerance would make the boundary of a planar face
cross itself (a thin wall between two arcs), or two faces pass through each other, the chords of those
faces are halved until they do not.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import shapely

from ..errors import ModellingError
from ..geometry.placement import FloatArray, Plane
from ..topology.body import Body
from ..topology.brep import Coedge, Edge, Face, Loop
from .apart import told_apart
from .bands import band_of, finer_borders, grid_of
from .crossings import Triangles, crossing_faces, crowded_sides, repeated
from .curved import charted, wall_ends, wall_triangles, whole
from .finer import halve
from .flat import flat_triangles, polygon_of
from .mesh import IntArray, Mesh
from .sampling import NEAREST, Samples, Tolerance, TooCoarseError
from .slits import Slit, slit_for

DEFAULT_SHARE = 5e-4
"""The default chord tolerance as a share of the diagonal of the bounding box."""

DEFAULT_ANGLE = 10.0
MOST_HALVINGS = 12
SAME_SHARE = 1e-7
"""Points of two edges at shares of their length nearer than this are one above the other."""

MOST_NEAR = 3
"""So many times only the chords near triangles that cross are halved."""

MOST_ROUNDS = 6

STRAYS, ROUNDED = 1.2, 1e-9
"""Volumes of a body and its mesh may differ by so many times chord and area, and by such a share of either:
by more only where triangles lie anywhere."""


Walls = Mapping[Face, tuple[Coedge, Coedge]]
"""The two curved ends of each face that is a strip between them."""


def tessellate(body: Body, chord: float | None = None, angle: float = DEFAULT_ANGLE) -> Mesh:
    """A watertight mesh of `body`.

    chord : largest distance between a chord and its arc, length unit of the body; by default
        1/2000 of the diagonal of the bounding box.
    angle : largest angle that one chord spans, degrees.

    Neither goes below what 32-bit floats can tell apart (`sampling.FINEST`). Raises
    ModellingError for a tolerance that is not positive.
    """
    return tessellate_by_face(body, chord, angle)[0]


def default_chord(bodies: Sequence[Body]) -> float:
    """The chord height of bodies together where none is given: a share of the diagonal of their box."""
    bounds = np.array([body.bounds for body in bodies])
    return DEFAULT_SHARE * float(np.linalg.norm(bounds[:, 1].max(axis=0) - bounds[:, 0].min(axis=0)))


def tessellate_apart(
    bodies: Sequence[Body], chord: float | None = None, angle: float = DEFAULT_ANGLE
) -> tuple[Mesh, IntArray]:
    """Bodies that are kept apart as one mesh of a shell each, which share no vertex even where they touch;
    also the number of each triangle's face, counted through the bodies. See `tessellate`."""
    if chord is None:
        chord = default_chord(bodies)
    vertices, triangles, owners = [], [], []
    count = faces = 0
    for body in bodies:
        mesh, owner = tessellate_by_face(body, chord, angle)
        vertices.append(mesh.vertices)
        triangles.append(mesh.triangles + count)
        owners.append(owner + faces)
        count += len(mesh.vertices)
        faces += len(body.brep_faces)
    whole = Mesh(np.concatenate(vertices), np.concatenate(triangles), bodies[0].unit)
    return whole, np.concatenate(owners)


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
    finer = {face: tolerance.within(face.surface.thickness()) for face in body.brep_faces}
    parameters = {
        edge: min((finer[face] for face, _ in uses), key=lambda t: t.chord).parameters(edge, reach)
        for edge, uses in body.faces_of_edge.items()
    }
    for face in body.brep_faces:
        for edge, stops in finer_borders(face, finer[face], reach).items():
            parameters[edge] = max(parameters[edge], stops, key=len)
    slits: dict[Face, Slit] = {}
    walls = {face: ends for face in body.brep_faces if (ends := wall_ends(face)) is not None}
    coarse: Mapping[Face, FloatArray | None]
    left_near, left = MOST_NEAR, MOST_ROUNDS
    while True:
        samples, polygons = _sound_samples(body, walls, edges, parameters)
        made = _filled(body, samples, polygons, walls, finer, slits, reach)
        if isinstance(made, _Filled):
            points, triangles, owner = _uncrowded(body, made.border, *_without_repeats(body, made, reach))
            coarse = dict.fromkeys(_open_faces(body, triangles, owner, len(points)))
            coarse = coarse or _crossing(body, made.border, points, triangles, owner, finer)
            if not coarse:
                count = len(triangles)
                points, triangles, owner = told_apart(points, triangles, owner)
                if len(triangles) > count:
                    coarse = _crossing(body, made.border, points, triangles, owner, finer)
            if not coarse:
                mesh = Mesh(points, triangles, body.unit)
                _refuse_strays(body, mesh, float(chord))
                return mesh, owner
        else:
            coarse = dict.fromkeys(made)
        near = left_near > 0 and all(places is not None for places in coarse.values())
        if not near and left == 1:
            break
        left_near, left = left_near - near, left - (not near)
        for face, places in coarse.items():
            if face.surface.is_ring and face not in slits:
                slits[face] = _slit(face, parameters)
            elif near:
                halve(face, parameters, places)
            else:
                halve(face, parameters)
                finer[face] = finer[face].halved()
    names = ", ".join(sorted({_name(face) for face in coarse}))
    if not isinstance(made, _Filled):
        raise ModellingError(f"the faces {names} cannot be meshed at this chord; use a finer one")
    raise ModellingError(
        f"triangles of the faces {names} pass through or meet each other; use a finer chord, or save lumps "
        "that touch one by one"
    )


def _refuse_strays(body: Body, mesh: Mesh, chord: float) -> None:
    """Raises ModellingError for a mesh whose volume differs by more than it may if all of it lies as near to
    the surface as it should."""
    room = STRAYS * chord * body.area + ROUNDED * body.volume
    if not abs(mesh.volume - body.volume) <= room:
        raise ModellingError(
            f"the mesh would have a volume of {mesh.volume:.6g}, the body has {body.volume:.6g}: they may "
            f"differ by {room:.3g} at a chord of {chord:.6g}; use another chord"
        )


def _crossing(
    body: Body,
    border: int,
    points: FloatArray,
    triangles: IntArray,
    owner: IntArray,
    finer: Mapping[Face, Tolerance],
) -> dict[Face, FloatArray]:
    """Faces whose triangles pass through those of another face or lie on them, and where."""
    starts = np.searchsorted(owner, np.arange(len(body.brep_faces) + 1))
    chords = [finer[face].chord for face in body.brep_faces]
    return crossing_faces(body, Triangles(points, border, triangles, starts), chords)


@dataclass(frozen=True, slots=True)
class _Filled:
    """Points, of which the first `border` lie on edges, and the triangles of every face."""

    points: FloatArray
    border: int
    triangles: list[IntArray]


def _without_repeats(body: Body, made: _Filled, reach: float) -> tuple[FloatArray, IntArray, IntArray]:
    """All triangles and their faces. Where two faces that part slowly from an edge have a triangle in
    common, those on curved faces get a point of their surface in the middle; both are left out, which
    leaves the mesh closed, where those points would be too near each other for a file."""
    triangles = np.concatenate(made.triangles)
    owner = np.repeat(np.arange(len(made.triangles)), [len(rows) for rows in made.triangles])
    twice = repeated(triangles, made.border)
    if not twice.size:
        return made.points, triangles, owner
    feet = _feet(body, made.points[triangles[twice]].mean(axis=2), owner[twice])
    near = np.linalg.norm(feet[0] - feet[1], axis=1) < NEAREST * reach
    flat = np.array([face.surface.plane is not None for face in body.brep_faces])
    split = ~near & ~flat[owner[twice]]
    rows, feet = twice[split], feet[split]
    new = len(made.points) + np.arange(len(rows))
    a, b, c = triangles[rows].T
    gone = np.concatenate([rows, twice[:, near].ravel()])
    parts = [np.column_stack(sides) for sides in ((a, b, new), (b, c, new), (c, a, new))]
    triangles = np.concatenate([np.delete(triangles, gone, axis=0), *parts])
    owner = np.concatenate([np.delete(owner, gone), *[owner[rows]] * 3])
    order = np.argsort(owner, kind="stable")
    return np.concatenate([made.points, feet]), triangles[order], owner[order]


def _feet(body: Body, points: FloatArray, owner: IntArray) -> FloatArray:
    """The points, (2, K, 3), brought to the surfaces of the faces with these numbers, (2, K)."""
    feet = np.empty_like(points)
    for i in np.unique(owner).tolist():
        here, surface = owner == i, body.brep_faces[i].surface
        feet[here] = surface.points(surface.parameters(points[here]))
    return feet


def _open_faces(body: Body, triangles: IntArray, owner: IntArray, count: int) -> list[Face]:
    """Faces with sides of triangles that are not run once each way: their chords have come together."""
    sides = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
    ahead, back = (sides[:, a] * count + sides[:, 1 - a] for a in (0, 1))
    ordered = np.sort(ahead)
    if np.array_equal(ordered, np.sort(back)) and not (ordered[1:] == ordered[:-1]).any():
        return []
    keys, first, times = np.unique(ahead, return_inverse=True, return_counts=True)
    wrong = (times[first] > 1) | ~np.isin(back, keys)
    return [body.brep_faces[k] for k in np.unique(np.tile(owner, 3)[wrong]).tolist()]


def _uncrowded(
    body: Body, border: int, points: FloatArray, triangles: IntArray, owner: IntArray
) -> tuple[FloatArray, IntArray, IntArray]:
    """Sides inside a curved face that run along an edge of other faces are bent away, to the surface."""
    crowded = crowded_sides(triangles, owner, border).tolist()
    for a, b, number in crowded:
        surface = body.brep_faces[number].surface
        if surface.plane is not None:
            continue
        foot = surface.points(surface.parameters(0.5 * (points[a] + points[b])[None]))
        rows = np.flatnonzero((owner == number) & (np.isin(triangles, (a, b)).sum(axis=1) == 2))
        halves = [np.where(triangles[rows] == end, len(points), triangles[rows]) for end in (a, b)]
        triangles = np.concatenate([np.delete(triangles, rows, axis=0), *halves])
        owner = np.concatenate([np.delete(owner, rows), owner[rows], owner[rows]])
        points = np.concatenate([points, foot])
    if not crowded:
        return points, triangles, owner
    order = np.argsort(owner, kind="stable")
    return points, triangles[order], owner[order]


def _filled(
    body: Body,
    samples: Samples,
    polygons: dict[Face, list[list[int]]],
    walls: Walls,
    finer: dict[Face, Tolerance],
    slits: dict[Face, Slit],
    reach: float,
) -> _Filled | list[Face]:
    """The triangles of every face; or the faces whose boundary is too coarse."""
    points = samples.points()
    border = points
    blocks, triangles, count = [points], [], len(points)
    items: list[Edge | Face] = [*body.brep_faces, *body.faces_of_edge]
    number = {item: i for i, item in enumerate(items)}
    failed: list[Face] = []
    for face in body.brep_faces:
        if face in polygons:
            triangles.append(flat_triangles(face, polygons[face], points))
            continue
        if face in walls:
            triangles.append(wall_triangles(walls[face], samples))
            continue
        band = band_of(face)
        grid = None if band is None else grid_of(face, band, samples, border, finer[face], reach)
        if grid is not None:
            added, made = grid
            made = np.where(made >= len(border), made + (count - len(border)), made)
        elif not face.loops:
            added, made = whole(face.surface, face.outward, finer[face], reach)
            made = made + count
        else:
            rings = [_ring(loop.coedges, samples) for loop in face.loops]
            beyond = np.concatenate([_beyond(body, face, loop, samples, number) for loop in face.loops])
            try:
                added, made = charted(face, rings, beyond, border, finer[face], reach, slits.get(face))
            except TooCoarseError:
                failed.append(face)
                continue
            made = np.where(made >= len(border), made + (count - len(border)), made)
        blocks.append(added)
        triangles.append(made)
        count += len(added)
    return failed or _Filled(np.concatenate(blocks), len(border), triangles)


def _slit(face: Face, parameters: dict[Edge, FloatArray]) -> Slit:
    """Where a face is cut open; its edges get points there, in place of those that lie next to them."""
    slit, crossings = slit_for(face)
    for edge, t in crossings.items():
        known = parameters[edge]
        beside = np.abs(known[:, None] - t).min(axis=1) < SAME_SHARE * (edge.t1 - edge.t0)
        beside[[0, -1]] = False
        parameters[edge] = np.union1d(known[~beside], t)
    return slit


def _name(face: Face) -> str:
    return f'"{face.names[0]}"' if face.names else f"on a {face.surface.kind}"


def _sound_samples(
    body: Body, walls: Walls, edges: Sequence[Edge], parameters: dict[Edge, FloatArray]
) -> tuple[Samples, dict[Face, list[list[int]]]]:
    """Edge samples with which no planar face crosses itself or one in its plane, and the boundaries."""
    for _ in range(MOST_HALVINGS):
        _agree(body, walls, parameters)
        samples = Samples(edges, parameters)
        points = samples.points()
        rings = {
            face: [_ring(loop.coedges, samples) for loop in face.loops]
            for face in body.brep_faces
            if face.surface.plane is not None
        }
        crossed = _crossed(rings, points)
        if not crossed:
            return samples, rings
        for face in crossed:
            halve(face, parameters)
    raise ModellingError(
        f"the boundary of the face {_name(crossed[0])} crosses itself; the body cannot be meshed"
    )


def _crossed(rings: dict[Face, list[list[int]]], points: FloatArray) -> list[Face]:
    """Faces whose polygons cross themselves, or meet another face in the same plane without sharing
    a vertex with it (an island in a hole, drawn with chords that are too coarse)."""
    thin = [face for face, of_face in rings.items() if min(map(len, of_face)) < 3]
    if thin:
        return thin
    polygons = {face: polygon_of(face, ring, points) for face, ring in rings.items()}
    crossed = dict.fromkeys(
        face
        for face, polygon in polygons.items()
        if not polygon.is_valid and not _only_pinched(face, rings[face], points)
    )
    planes: dict[tuple[Plane | None, bool], list[Face]] = {}
    for face in rings:
        planes.setdefault((face.surface.plane, face.outward), []).append(face)
    for faces in planes.values():
        if len(faces) > 1:
            shapes = [polygons[face] for face in faces]
            pairs = shapely.STRtree(shapes).query(shapes, predicate="intersects").T.tolist()
            for i, j in pairs:
                corners = [{k for ring in rings[faces[n]] for k in ring} for n in (i, j)]
                if i < j and corners[0].isdisjoint(corners[1]) and _overlap(shapes[i], shapes[j]):
                    crossed.update({faces[i]: None, faces[j]: None})
    return list(crossed)


def _overlap(one: shapely.Polygon, two: shapely.Polygon) -> bool:
    """Whether two polygons have more in common than a few points or sides (of lumps that touch)."""
    if not (one.is_valid and two.is_valid):
        return True
    return bool(one.intersection(two).area > 1e-9 * min(one.area, two.area))


def _only_pinched(face: Face, rings: Sequence[list[int]], points: FloatArray) -> bool:
    """Whether the rings are sound but for points that they pass more than once."""
    loops = [part for ring in rings for part in _unpinched(ring)]
    if min(map(len, loops)) < 3 or len(loops) == len(rings) > 1:
        return False
    lines = [shapely.LinearRing(face.surface.parameters(points[loop])) for loop in loops]
    if not all(line.is_simple for line in lines):
        return False
    for i, one in enumerate(lines):
        for j in range(i):
            shared = len(set(loops[i]) & set(loops[j]))
            meets = one.intersection(lines[j])
            if meets.length > 0.0 or len(shapely.get_coordinates(meets)) > shared:
                return False
    return True


def _unpinched(ring: list[int]) -> list[list[int]]:
    """The rings that a ring falls into at points that it passes more than once."""
    found, path, at = [], list[int](), dict[int, int]()
    for index in ring:
        if index in at:
            start = at[index]
            found.append(path[start:])
            for dropped in path[start:]:
                del at[dropped]
            del path[start:]
        at[index] = len(path)
        path.append(index)
    return [*found, path]


def _agree(body: Body, walls: Walls, parameters: dict[Edge, FloatArray]) -> None:
    """Give both ends of each wall, which are one profile at two heights, the same parameters."""
    bands = [band for face in body.brep_faces if (band := band_of(face)) is not None]
    pairs = [*walls.values(), *(pair for band in bands for pair in band.pairs())]
    changed = True
    while changed:
        changed = False
        for one, two in pairs:
            a, b = one.edge, two.edge
            if len(parameters[a]) != len(parameters[b]):
                shares = [(parameters[e] - e.t0) / (e.t1 - e.t0) for e in (a, b)]
                same = one.forward is not two.forward
                both = np.union1d(shares[0], shares[1] if same else 1.0 - shares[1])
                both = both[np.append(True, np.diff(both) > SAME_SHARE)]
                both[-1] = 1.0
                parameters[a] = a.t0 + both * (a.t1 - a.t0)
                parameters[b] = b.t0 + (both if same else (1.0 - both)[::-1]) * (b.t1 - b.t0)
                changed = True


def _ring(coedges: Iterable[Coedge], samples: Samples) -> list[int]:
    return [i for coedge in coedges for i in samples.along(coedge)[:-1]]


def _beyond(body: Body, face: Face, loop: Loop, samples: Samples, number: dict[Edge | Face, int]) -> IntArray:
    """What lies beyond a loop before and after each point of its ring, shape (B, 2): the number of a planar
    face, or that of the edge."""
    after: list[int] = []
    for coedge in loop.coedges:
        other = next((f for f, _ in body.faces_of_edge[coedge.edge] if f is not face), face)
        label = number[other] if other.surface.plane is not None else number[coedge.edge]
        after += [label] * (len(samples.along(coedge)) - 1)
    return np.column_stack([np.roll(after, 1), after])
