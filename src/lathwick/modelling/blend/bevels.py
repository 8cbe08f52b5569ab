"""The bevel of any edge: straight lines between curves on both faces, at given distances from the edge."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from ...geometry.placement import FloatArray
from ...geometry.ruled import RuledSurface
from ...geometry.spline import FittedCurve, interpolated_fit, joined
from ...geometry.tolerance import RESOLUTION
from ...topology.brep import Edge, Face
from .canals import NODES, closing, joints_of, units
from .strips import Strip, TooLargeError, turn_at, way_out

Contacts = tuple[FittedCurve, FittedCurve]

Setbacks = Callable[[FloatArray], tuple[FloatArray, FloatArray]]
"""The distances from the edge on both faces, each (N,), where the outward normals turn by given angles (N,),
radians, positive at an outside corner."""

NEWTON_STEPS = 30
CLOSE = 0.05 * RESOLUTION
"""The curves are so near to the faces."""

NEAR = 1e-6
"""They are so near to their distances from the edge."""

MANY, HOPELESS = 65, 1e4
"""With so many points curves that are off by so much more than they may be are given up."""

BEYOND = 3.0
"""The curves go on so many sizes beyond the ends of an open edge, if the faces do."""

STEPS_BEYOND = 24
TURN_BEYOND = 0.8
ACROSS = 9
LEAST = 5
"""The fewest points beyond an end through which a curve is laid."""


@dataclass(frozen=True)
class _Stations:
    """Points of an edge and beyond it, (N, 3), unit directions there, and a parameter, (N,), of which the
    edge has the `span`. joints : numbers of the points, from the first to the last, between which all is
    smooth."""

    points: FloatArray
    ways: FloatArray
    u: FloatArray
    span: tuple[float, float]
    joints: list[int]


def ruled_strip(edge: Edge, faces: tuple[Face, Face], setbacks: Setbacks) -> Strip:
    """The bevel whose lines lie in the planes across the edge.

    Raises TooLargeError where a face does not reach so far, or where the bevel would fold back on itself.
    """
    convex = turn_at(edge, faces, 0.5 * (edge.t0 + edge.t1)) > 0.0
    for count in NODES:
        stations = _closed(edge, count) if edge.is_closed else _open(edge, faces, setbacks, count)
        contacts = _contacts(stations, faces, setbacks, edge.is_closed)
        off = _off(edge, faces, setbacks, (stations, contacts))
        if off <= 1.0:
            break
        if count >= MANY and off > HOPELESS:
            raise TooLargeError("the bevel bends too sharply", faces[0])
    else:
        raise TooLargeError("the bevel bends too sharply", faces[0])
    surface = RuledSurface(*contacts)
    outward = _looks_out(surface, stations, faces)
    sizes = setbacks(np.array([turn_at(edge, faces, 0.5 * (edge.t0 + edge.t1))]))
    size = float(max(sizes[0][0], sizes[1][0]))
    strip = Strip(edge, faces, convex, size, surface, outward, contacts, None, stations.span)
    _refuse_folds(strip, surface)
    return strip


def _off(edge: Edge, faces: tuple[Face, Face], setbacks: Setbacks, made: tuple[_Stations, Contacts]) -> float:
    """How far between the stations the curves are from their faces, and along the edge from their distances,
    as a share of what they may be."""
    stations, contacts = made
    u = 0.5 * (stations.u[1:] + stations.u[:-1])
    from_faces = max(
        float(np.abs(f.surface.distance(c.points(u))).max()) for f, c in zip(faces, contacts, strict=True)
    )
    u = u[(u > 0.0) & (u < edge.t1 - edge.t0)]
    points, ways = edge.curve.points(edge.t0 + u), units(edge.curve.derivatives(edge.t0 + u))
    feet = feet_across(points, ways, faces, setbacks)
    from_feet = max(
        float(np.linalg.norm(c.points(u) - foot, axis=1).max())
        for c, foot in zip(contacts, feet, strict=True)
    )
    return max(from_faces / CLOSE, from_feet / NEAR)


def _closed(edge: Edge, count: int) -> _Stations:
    t, joints = _parameters(edge, count)
    ways = units(edge.curve.derivatives(t))
    return _Stations(edge.curve.points(t), ways, t - t[0], (0.0, edge.t1 - edge.t0), joints)


def _parameters(edge: Edge, count: int) -> tuple[FloatArray, list[int]]:
    """Parameters along an edge, and the numbers of those at its joints and ends."""
    stops = [edge.t0, *joints_of(edge), edge.t1]
    each = max(6, -(-count // (len(stops) - 1)))
    t = np.concatenate([[edge.t0], *(np.linspace(a, b, each)[1:] for a, b in pairwise(stops))])
    return t, list(range(0, len(t), each - 1))


def _open(edge: Edge, faces: tuple[Face, Face], setbacks: Setbacks, count: int) -> _Stations:
    """Points of the edge, and of the curve in which the faces go on beyond it."""
    t, joints = _parameters(edge, count)
    points, ways = edge.curve.points(t), units(edge.curve.derivatives(t))
    size = max(float(s.max()) for s in setbacks(_turns(points, ways, faces)))
    steps = max(STEPS_BEYOND, count - 1)
    step = BEYOND * size / steps
    before = _onward(points[0], -ways[0], faces, (step, steps))
    after = _onward(points[-1], ways[-1], faces, (step, steps))
    speeds = np.linalg.norm(edge.curve.derivatives(t[[0, -1]]), axis=1)
    first, last = len(before[0]), len(before[0]) + len(t) - 1
    ahead, behind = (
        step / v * np.arange(1, len(p[0]) + 1) for v, p in zip(speeds, (before, after), strict=True)
    )
    u = np.concatenate([-ahead[::-1], t - t[0], t[-1] - t[0] + behind])
    joints = [first + k for k in joints]
    joints = ([0] if first else []) + joints + ([len(u) - 1] if last < len(u) - 1 else [])
    every = np.concatenate([before[0][::-1], points, after[0]])
    ways = np.concatenate([-before[1][::-1], ways, after[1]])
    return _Stations(every, ways, u, (0.0, edge.t1 - edge.t0), joints)


def _onward(
    start: FloatArray, way: FloatArray, faces: tuple[Face, Face], steps: tuple[float, int]
) -> tuple[FloatArray, FloatArray]:
    """Points in which both surfaces go on meeting, after steps of a length, as many as told, and the
    directions there; as far as they do without turning much."""
    points, ways, p, first = [], [], start, way
    for _ in range(steps[1]):
        guess = p + steps[0] * way
        found = _onto_both(guess, way, faces)
        if found is None:
            break
        normals = [face.surface.normals(found[None])[0] for face in faces]
        heading = np.cross(*normals)
        size = float(np.linalg.norm(heading))
        if size < 1e-6:
            break
        heading = heading / (size if float(heading @ way) >= 0.0 else -size)
        if float(heading @ first) < np.cos(TURN_BEYOND):
            break
        p, way = found, heading
        points.append(p)
        ways.append(way)
    if len(points) < LEAST:
        points, ways = [], []
    return np.array(points).reshape(-1, 3), np.array(ways).reshape(-1, 3)


def _onto_both(p: FloatArray, way: FloatArray, faces: tuple[Face, Face]) -> FloatArray | None:
    """The point of both surfaces in the plane across a direction; None if Newton's method finds none."""
    q = p
    for _ in range(NEWTON_STEPS):
        gaps = np.array([*(face.surface.distance(q[None])[0] for face in faces), (q - p) @ way])
        if np.abs(gaps).max() <= 1e-13 * (1.0 + np.abs(p).max()):
            return q
        rows = np.array([*(face.surface.normals(q[None])[0] for face in faces), way])
        if abs(np.linalg.det(rows)) < 1e-9:
            return None
        q = q - np.linalg.solve(rows, gaps)
    return None


def _contacts(stations: _Stations, faces: tuple[Face, Face], setbacks: Setbacks, closed: bool) -> Contacts:
    made = []
    for feet in feet_across(stations.points, stations.ways, faces, setbacks):
        if closed and len(stations.joints) == 2:
            made.append(interpolated_fit(stations.u, feet, True))
        else:
            parts = [slice(a, b + 1) for a, b in pairwise(stations.joints)]
            made.append(closing(joined([(stations.u[k], feet[k]) for k in parts]), closed))
    return made[0], made[1]


def feet_across(
    points: FloatArray, ways: FloatArray, faces: tuple[Face, Face], setbacks: Setbacks
) -> list[FloatArray]:
    """The points of both faces straight across from points of the edge."""
    sizes, found = setbacks(_turns(points, ways, faces)), []
    for face, side, size in zip(faces, (1.0, -1.0), sizes, strict=True):
        inward = np.cross(way_out(face) * face.surface.normals(points), side * ways)
        found.append(_set_back((points, ways), face, inward, size))
    return found


def _set_back(
    across: tuple[FloatArray, FloatArray], face: Face, inward: FloatArray, size: FloatArray
) -> FloatArray:
    """The points of a face at distances (N,) from points, in the planes across directions there."""
    p, ways = across
    q = p + size[:, None] * inward
    for _ in range(NEWTON_STEPS):
        off = q - p
        reach = np.linalg.norm(off, axis=1)
        gaps = np.stack([face.surface.distance(q), (off * ways).sum(axis=1), reach - size], axis=1)
        if np.abs(gaps).max() <= 1e-13 * (1.0 + np.abs(p).max()):
            break
        rows = np.stack([face.surface.normals(q), ways, off / reach[:, None]], axis=1)
        if not (np.abs(np.linalg.det(rows)) > 1e-9).all():
            raise TooLargeError("the bevel is larger than the face", face)
        q = q - np.linalg.solve(rows, gaps[:, :, None])[:, :, 0]
    if not (np.abs(gaps).max() <= CLOSE and ((q - p) * inward).sum(axis=1).min() > 0.0):
        raise TooLargeError("the bevel is larger than the face", face)
    return q


def _turns(points: FloatArray, ways: FloatArray, faces: tuple[Face, Face]) -> FloatArray:
    """The angles between the outward normals, positive at an outside corner; shape (N,)."""
    one, two = (way_out(face) * face.surface.normals(points) for face in faces)
    turn = np.cross(one, two)
    size = np.arctan2(np.linalg.norm(turn, axis=1), (one * two).sum(axis=1))
    return np.copysign(size, (turn * ways).sum(axis=1))


def _looks_out(surface: RuledSurface, stations: _Stations, faces: tuple[Face, Face]) -> bool:
    """Whether the normal of a bevel looks out of the body: as those of both faces do together."""
    k = len(stations.u) // 2
    point = stations.points[k : k + 1]
    out = sum(way_out(face) * face.surface.normals(point)[0] for face in faces)
    return bool(surface.areas(np.array([[stations.u[k], 0.5]]))[0][0] @ out > 0.0)


def _refuse_folds(strip: Strip, surface: RuledSurface) -> None:
    """Raise TooLargeError where neighbouring lines would cross, or run against the edge."""
    u = np.linspace(*strip.span, 65)
    uv = np.array([(a, b) for a in u for b in np.linspace(0.0, 1.0, ACROSS)])
    areas = surface.areas(uv)[0].reshape(len(u), ACROSS, 3)
    middle = areas[:, ACROSS // 2]
    if not (np.einsum("nki,ni->nk", areas, middle) > 0.0).all():
        raise TooLargeError("the bevel would fold back on itself", strip.faces[0])
    if not ((middle[1:] * middle[:-1]).sum(axis=1) > 0.0).all():
        raise TooLargeError("the bevel would fold back on itself", strip.faces[0])
    edge = strip.edge
    ways = edge.curve.derivatives(np.linspace(edge.t0, edge.t1, 65))
    for face, contact in zip(strip.faces, strip.contacts, strict=True):
        if not ((contact.derivatives(u) * ways).sum(axis=1) > 0.0).all():
            raise TooLargeError("the bevel would fold back on itself", face)
