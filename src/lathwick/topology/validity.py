"""Is this set of faces a solid? The checks that every body passes before anybody sees it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import TypeVar

import numpy as np

from ..geometry.placement import FloatArray
from ..geometry.tolerance import JOIN, LARGEST, RESOLUTION
from ..geometry.vector import Vec3, distance
from .boxes import measure_edges
from .brep import Coedge, Edge, Face, Lump, Shell, Vertex
from .mass import MassProperties, mass_properties
from .windings import keeps_handle, level_turns, loop_outlines, samples_of, signed_area, winding

_Item = TypeVar("_Item", Edge, Face)

SAMPLES = 5
MAX_LISTED = 20


@dataclass(frozen=True, slots=True)
class Problem:
    """One thing that is wrong: a code, a sentence, and the place (None where there is no one place)."""

    code: str
    message: str
    place: Vec3 | None = None

    def __str__(self) -> str:
        if self.place is None:
            return self.message
        x, y, z = self.place
        return f"{self.message} at ({x:.6g}, {y:.6g}, {z:.6g})"


Measure = Callable[[Sequence[Face]], MassProperties]


def check_lumps(lumps: Sequence[Lump], measure: Measure = mass_properties) -> tuple[Problem, ...]:
    """All problems found, at most MAX_LISTED of them; an empty tuple for a valid body.

    Checked: edges used once each way, loops closed head to tail, vertices on their curves, edges
    on their surfaces, faces the right way round, shells connected, Euler's formula, and the sign
    of every shell's volume (by `measure`). Cost O(number of edges).
    """
    problems: list[Problem] = []
    for problem in _all_problems(lumps, measure):
        problems.append(problem)
        if len(problems) == MAX_LISTED:
            break
    return tuple(problems)


def _all_problems(lumps: Sequence[Lump], measure: Measure) -> Iterator[Problem]:
    if not lumps:
        yield Problem("EMPTY", "the body has no faces")
    sound: list[tuple[Shell, bool]] = []
    for lump in lumps:
        for shell in lump.shells:
            found = list(_topology_problems(shell))
            yield from found
            if not found:
                sound.append((shell, shell is not lump.outer))
    if sound:
        faces = tuple(face for shell, _ in sound for face in shell.faces)
        yield from _geometry_problems(faces)
        yield from _volume_problems(sound, measure(faces))


def _topology_problems(shell: Shell) -> Iterator[Problem]:
    uses: dict[Edge, list[Coedge]] = defaultdict(list)
    for face in shell.faces:
        yield from _loop_problems(face)
        for coedge in face.coedges():
            uses[coedge.edge].append(coedge)
    for edge, coedges in uses.items():
        if len(coedges) != 2:
            yield Problem("EDGE_USES", f"an edge is used {len(coedges)} times, not twice", edge.midpoint())
        elif coedges[0].forward == coedges[1].forward:
            yield Problem("EDGE_DIRECTION", "both faces run along an edge the same way", edge.midpoint())
    yield from _euler_problems(shell, uses)


def _loop_problems(face: Face) -> Iterator[Problem]:
    for loop in face.loops:
        if not loop.coedges:
            yield Problem("LOOP_EMPTY", "a loop has no edges")
        previous = loop.coedges[-1] if loop.coedges else None
        for coedge in loop.coedges:
            if coedge.edge.is_closed and len(loop.coedges) > 1:
                yield Problem("LOOP_OPEN", "a closed edge shares its loop", coedge.edge.midpoint())
            if previous is not None and previous.end is not coedge.start:
                yield Problem("LOOP_OPEN", "a loop is not closed", coedge.edge.midpoint())
            previous = coedge


def _euler_problems(shell: Shell, uses: dict[Edge, list[Coedge]]) -> Iterator[Problem]:
    vertices = {v for edge in uses for v in (edge.start, edge.end) if v is not None}
    rings = sum(edge.is_closed for edge in uses)
    faces = sum(_face_characteristic(face) for face in shell.faces)
    characteristic = len(vertices) + rings - len(uses) + faces
    if characteristic % 2 or characteristic > 2:
        yield Problem("EULER", f"Euler's formula gives {characteristic}, not 2, 0, -2 ...")
    groups = _connected(shell.faces)
    if groups != 1:
        yield Problem("SHELL", f"a shell falls into {groups} parts")


def _face_characteristic(face: Face) -> int:
    """Euler characteristic of a face as a patch of surface: 2 less its loops, but a torus with holes has
    its handle too."""
    if face.surface.is_ring and keeps_handle(face):
        return -len(face.loops)
    return 2 - len(face.loops)


def _connected(faces: Iterable[Face]) -> int:
    """Number of groups of faces that hang together by edges."""
    by_edge: dict[Edge, list[Face]] = defaultdict(list)
    unseen = set()
    for face in faces:
        unseen.add(face)
        for coedge in face.coedges():
            by_edge[coedge.edge].append(face)
    groups = 0
    while unseen:
        groups += 1
        todo = [unseen.pop()]
        while todo:
            for coedge in todo.pop().coedges():
                for other in by_edge[coedge.edge]:
                    if other in unseen:
                        unseen.remove(other)
                        todo.append(other)
    return groups


def _geometry_problems(faces: Sequence[Face]) -> Iterator[Problem]:
    """Those of every edge and face for itself, found once: bodies share what does not change."""
    edges = dict.fromkeys(coedge.edge for face in faces for coedge in face.coedges())
    measure_edges(edges)
    _look_at_edges([edge for edge in edges if edge.recalled("problems") is None])
    _look_at_faces([face for face in faces if face.recalled("problems") is None])
    for part in (*edges, *faces):
        yield from part.recalled("problems")


def _look_at_edges(edges: Sequence[Edge]) -> None:
    """Keep with every edge what is wrong with it."""
    if not edges:
        return
    points = samples_of(edges, SAMPLES)
    least = np.linalg.norm(points[:, SAMPLES // 2] - points[:, 0], axis=1)
    reach = np.array([np.abs(edge.bounds).max() for edge in edges])
    off = np.zeros((len(edges), 2))
    for k, edge in enumerate(edges):
        if edge.start is not None and edge.end is not None:
            off[k] = distance(edge.start.point, points[k, 0]), distance(edge.end.point, points[k, -1])
    suspects = (least <= RESOLUTION) | ~(reach <= LARGEST) | (off > JOIN).any(axis=1)
    for edge, is_suspect in zip(edges, suspects.tolist(), strict=True):
        edge.remember("problems", tuple(_edge_problems(edge)) if is_suspect else ())


def _look_at_faces(faces: Sequence[Face]) -> None:
    """Keep with every face what is wrong with it."""
    fresh = [[loop for loop in face.loops if loop.recalled("surface") is not face.surface] for face in faces]
    edges = list(dict.fromkeys(coedge.edge for loops in fresh for loop in loops for coedge in loop.coedges))
    number = {edge: k for k, edge in enumerate(edges)}
    points = samples_of(edges, SAMPLES)
    rows = [[number[coedge.edge] for loop in loops for coedge in loop.coedges] for loops in fresh]
    gaps = _gaps(faces, rows, points)
    for face, loops, here, found in zip(faces, fresh, rows, gaps, strict=True):
        problems = list(_part_problems(face))
        if found.size and found.max() > JOIN:
            k = int(found.argmax())
            x, y, z = points[here].reshape(-1, 3)[k].tolist()
            text = f"an edge is {found[k]:.2g} off its {face.surface.kind}"
            problems.append(Problem("EDGE_SURFACE", text, (x, y, z)))
        else:
            for loop in loops:
                loop.remember("surface", face.surface)
        face.remember("problems", tuple(problems))


def _gaps(faces: Sequence[Face], rows: Sequence[Sequence[int]], points: FloatArray) -> list[FloatArray]:
    """How far from the surfaces of faces places on some edges are, by number; points : (E, SAMPLES, 3)."""
    gaps = [np.zeros(0)] * len(faces)
    flat: list[int] = []
    frames: list[tuple[Vec3, Vec3]] = []
    for k, face in enumerate(faces):
        plane = face.surface.plane
        if rows[k] and plane is None:
            gaps[k] = np.abs(face.surface.distance(points[rows[k]].reshape(-1, 3)))
        elif rows[k] and plane is not None:
            flat.append(k)
            frames.append((plane.origin, plane.normal))
    if flat:
        planes = np.array(frames)
        owner = np.repeat(np.arange(len(flat)), [len(rows[k]) for k in flat])
        every = points[[n for k in flat for n in rows[k]]] - planes[owner, 0][:, None]
        off = np.abs(np.einsum("esk,ek->es", every, planes[owner, 1]))
        ends = np.cumsum([len(rows[k]) for k in flat])[:-1]
        for k, part in zip(flat, np.split(off, ends), strict=True):
            gaps[k] = part.ravel()
    return gaps


def _part_problems(face: Face) -> Iterator[Problem]:
    """A face on a cylinder or a cone is in one piece: one band round the axis, or one patch."""
    if face.surface.kind not in ("cylinder", "cone") or len(face.loops) < 2:
        return
    outers, turns = 0, level_turns(face.loops, face.surface)
    if turns is None:
        sign = 1.0 if face.outward else -1.0
        paths = loop_outlines(face.loops, face.surface)
        turns = [winding(path, face.surface)[0] for path in paths]
        outers = sum(not t and sign * signed_area(p) > 0 for t, p in zip(turns, paths, strict=True))
    if outers + max(sum(t > 0 for t in turns), sum(t < 0 for t in turns)) != 1:
        x, y, z = next(iter(face.coedges())).edge.midpoint()
        yield Problem("FACE_PARTS", f"a {face.surface.kind} face is in several pieces", (x, y, z))


def _edge_problems(edge: Edge) -> Iterator[Problem]:
    if _is_short(edge):
        yield Problem("EDGE_SHORT", f"an edge is only {edge.length:.2g} long", edge.midpoint())
    if not np.abs(edge.bounds).max() <= LARGEST:
        yield Problem("SIZE", f"an edge lies more than {LARGEST:g} from the origin", edge.midpoint())
    ends: tuple[tuple[Vertex | None, float], ...] = ((edge.start, edge.t0), (edge.end, edge.t1))
    for vertex, t in ends:
        if vertex is not None and distance(vertex.point, edge.curve.point(t)) > JOIN:
            yield Problem("VERTEX_CURVE", "a vertex is off its edge", vertex.point)


def _is_short(edge: Edge) -> bool:
    """Whether an edge is no longer than the resolution; most often its half is seen to be longer."""
    half = distance(edge.curve.point(edge.t0), edge.midpoint())
    return half <= RESOLUTION and not edge.length > RESOLUTION


def _volume_problems(shells: Sequence[tuple[Shell, bool]], measured: MassProperties) -> Iterator[Problem]:
    """shells : each with whether it is that of a void; measured : all their faces in order."""
    first = 0
    for shell, is_void in shells:
        mine = slice(first, first + len(shell.faces))
        for face, area in zip(shell.faces, measured.face_areas[mine].tolist(), strict=True):
            if not area > 0.0:
                name = f' "{face.names[0]}"' if face.names else ""
                yield Problem("FACE_AREA", f"the {face.surface.kind} face{name} is inside out or empty")
        volume = float(measured.face_volumes[mine].sum())
        if not (-volume if is_void else volume) > RESOLUTION**3:
            yield Problem("VOLUME", f"the volume of a shell is {volume:.3g}")
        first += len(shell.faces)
