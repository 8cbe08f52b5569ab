"""The bevel of any edge: straight lines between curves on both faces, at given distances from the edge."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from itertools import pairwise

import numpy as np

from ...geometry.placement import FloatArray
from ...geometry.ruled import RuledSurface
from ...geometry.spline import FittedCurve, interpolated_fit, joined
from ...geometry.tolerance import RESOLUTION
from ...geometry.vector import vec3
from ...topology.brep import Edge, Face
from ..refitting.errors import TooLargeError
from ..refitting.nearness import closing, units
from ..refitting.sides import turn_at, way_out
from ..refitting.smooth_pieces import crossings
from .canals import NODES
from .strips import Strip

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
"""With so many points on each piece, curves that are off by so much more than they may be are given up."""

BEYOND = 3.0
"""The curves go on so many sizes beyond the ends of an open edge, if the faces do."""

STEPS_BEYOND = 24
TURN_BEYOND = 0.8
ACROSS = 9
LEAST = 5
"""The fewest points beyond an end through which a curve is laid."""

LEAST_ANGLE = 1e-9
"""Surfaces at a smaller angle (its sine) have no curve in common that could be followed."""


Ways = tuple[FloatArray, FloatArray]
"""Points, and unit directions there, (N, 3) each."""


@dataclass(frozen=True)
class _Stretch:
    """Points and directions by parameters, and the stops between which all is smooth."""

    along: Callable[[FloatArray], Ways]
    stops: list[float]


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
    stretches = _stretches(edge, faces, setbacks)
    for count in NODES:
        stations = _stations(edge, stretches, count)
        contacts = _contacts(stations, faces, setbacks, edge.is_closed)
        off = _off(edge, faces, setbacks, (stations, contacts))
        if off <= 1.0:
            break
        if count >= MANY * (len(stations.joints) - 1) and off > HOPELESS:
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


def _stretches(edge: Edge, faces: tuple[Face, Face], setbacks: Setbacks) -> list[_Stretch]:
    """The edge, and before and after an open one the curve in which the faces go on beyond it."""

    def on_edge(t: FloatArray) -> Ways:
        return edge.curve.points(t), units(edge.curve.derivatives(t))

    def stops(along: Callable[[FloatArray], Ways], known: Sequence[float]) -> list[float]:
        def track(t: FloatArray) -> tuple[FloatArray, ...]:
            points, ways = along(t)
            return points, *feet_across(points, ways, faces, setbacks)

        places = [(number, face.surface) for k, face in enumerate(faces) for number in (0, k + 1)]
        return crossings(track, known, places)

    own = stops(on_edge, [edge.t0, *edge.curve.smooth_breaks(edge.t0, edge.t1), edge.t1])
    made = [_Stretch(on_edge, own)]
    if edge.is_closed:
        return made
    points, ways = on_edge(np.array(own))
    size = max(float(s.max()) for s in setbacks(_turns(points, ways, faces)))
    for at_end in (False, True):
        guess = _onward(edge, at_end, faces, BEYOND * size)
        if guess is None:
            continue
        on = partial(_between_both, guess, faces)
        stretch = _Stretch(on, stops(on, [guess.low, guess.high]))
        made = [*made, stretch] if at_end else [stretch, *made]
    return made


def _stations(edge: Edge, stretches: Sequence[_Stretch], count: int) -> _Stations:
    """So many places on each piece of each stretch, those on two pieces once."""
    t: list[FloatArray] = []
    points: list[FloatArray] = []
    ways: list[FloatArray] = []
    joints = [0]
    for stretch in stretches:
        each = max(6, -(-count // (len(stretch.stops) - 1)))
        for a, b in pairwise(stretch.stops):
            places = np.linspace(a, b, each)
            found = stretch.along(places)
            first = 1 if t else 0
            t.append(places[first:])
            points.append(found[0][first:])
            ways.append(found[1][first:])
            joints.append(joints[-1] + each - 1)
    span = (0.0, edge.t1 - edge.t0)
    return _Stations(np.concatenate(points), np.concatenate(ways), np.concatenate(t) - edge.t0, span, joints)


def _onward(edge: Edge, at_end: bool, faces: tuple[Face, Face], reach: float) -> FittedCurve | None:
    """About where both surfaces go on meeting beyond an end, by parameters of the edge, as far as they do
    without turning much; None where they do not."""
    t, side = (edge.t1, 1.0) if at_end else (edge.t0, -1.0)
    speed = side * edge.curve.derivatives(np.array([t]))[0]
    p: FloatArray = edge.curve.points(np.array([t]))[0]
    way: FloatArray = speed / np.linalg.norm(speed)
    first = way
    points: list[FloatArray] = [p]
    step = reach / STEPS_BEYOND
    for _ in range(STEPS_BEYOND):
        guess = p + step * way
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
    if len(points) <= LEAST:
        return None
    u = t + side * float(step / np.linalg.norm(speed)) * np.arange(len(points), dtype=np.float64)
    order = slice(None) if at_end else slice(None, None, -1)
    return joined([(u[order], np.array(points)[order])], 3)


def _between_both(guess: FittedCurve, faces: tuple[Face, Face], t: FloatArray) -> Ways:
    """The points of both surfaces in the planes across a curve near them, and the directions there."""
    start, across = guess.points(t), units(guess.derivatives(t))
    p = start
    for _ in range(NEWTON_STEPS):
        gaps = np.stack(
            [*(face.surface.distance(p) for face in faces), ((p - start) * across).sum(axis=1)], axis=1
        )
        if np.abs(gaps).max() <= 1e-13 * (1.0 + np.abs(start).max()):
            break
        rows = np.stack([*(face.surface.normals(p) for face in faces), across], axis=1)
        if not (np.abs(np.linalg.det(rows)) > 1e-9).all():
            raise TooLargeError("the faces do not go on meeting beyond the edge", faces[0])
        p = p - np.linalg.solve(rows, gaps[:, :, None])[:, :, 0]
    headings = np.cross(faces[0].surface.normals(p), faces[1].surface.normals(p))
    if not (np.linalg.norm(headings, axis=1) > LEAST_ANGLE).all():
        raise TooLargeError("the faces come to meet smoothly beyond the edge", faces[0])
    sides = np.sign((headings * across).sum(axis=1))[:, None]
    return p, sides * units(headings)


def _onto_both(p: FloatArray, way: FloatArray, faces: tuple[Face, Face]) -> FloatArray | None:
    """The point of both surfaces in the plane across a direction; None if Newton's method finds none."""
    q = p
    for _ in range(NEWTON_STEPS):
        below = [face.surface.touch(vec3(q)) for face in faces]
        gaps = np.array([*(gap for gap, _ in below), (q - p) @ way])
        if np.abs(gaps).max() <= 1e-13 * (1.0 + np.abs(p).max()):
            return q
        rows = np.array([*(normal for _, normal in below), way])
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
