"""Where the center of a ball runs that rolls along two faces and keeps in touch with both."""

from __future__ import annotations

import math

import numpy as np

from ...geometry.placement import FloatArray
from ...geometry.surface import Foot
from ...geometry.tolerance import NOWHERE, RESOLUTION
from ...geometry.vector import Vec3, along, cross, distance, dot, norm, scaled, sub
from ...topology.brep import Edge, Face
from ..refitting.errors import TooLargeError
from ..refitting.sides import way_out

NEWTON_STEPS = 40
STEPS_ALONG = 24
STEPS_PER_RADIUS = 40
BEYOND = 6.0
"""Beyond the ends of an open edge the ball rolls so many times as far as it is from the edge, if it can."""

AT_END = 1e-9
TURN = 0.3
"""At most this much, in radians, the way of the ball turns from one step to the next."""

TURN_BEYOND = 1.2
"""Beyond the ends it turns by so much, in radians, at most: a canal must not come round to itself."""

HALVINGS = 6
COARSE = 0.25
"""Steps of more than this, as a share of the radius, may miss the ball's way."""

FARTHEST = 20.0
"""The ball has lost its edge where it is so many times as far from it as at its middle."""


Feet = tuple[Foot | None, Foot | None]
"""Where a ball touches two surfaces, in their parameters, as far as that is known."""

NO_FEET: Feet = (None, None)


def centers_across(
    points: FloatArray, ways: FloatArray, faces: tuple[Face, Face], d: float | FloatArray
) -> tuple[FloatArray, tuple[FloatArray, FloatArray]]:
    """Centers of balls at the signed distance d, one or (N,), outside of both faces, in the planes through
    points across ways, all (N, 3); and where they touch the faces. By Newton's method.

    Raises TooLargeError where there is none.
    """
    ways = ways / np.linalg.norm(ways, axis=1)[:, None]
    # the first guess keeps off the edge, where the distance of a narrow corner has no slope
    normals = [way_out(face) * face.surface.normals(points) for face in faces]
    share = np.maximum(1.0 + (normals[0] * normals[1]).sum(axis=1), 0.01)[:, None]
    off = np.full(len(points), d) if np.ndim(d) == 0 else np.asarray(d)
    return corrected(points + off[:, None] * (normals[0] + normals[1]) / share, points, ways, faces, off)


def corrected(
    guesses: FloatArray, points: FloatArray, ways: FloatArray, faces: tuple[Face, Face], d: float | FloatArray
) -> tuple[FloatArray, tuple[FloatArray, FloatArray]]:
    """As `centers_across`, from guesses."""
    c = guesses
    for _ in range(NEWTON_STEPS):
        below = [(way_out(face), face.surface.touches(c)) for face in faces]
        gaps = [side * gap - d for side, (gap, _) in below]
        normals = [side * normal for side, (_, normal) in below]
        rows = np.stack([normals[0], normals[1], ways], axis=1)
        right = -np.stack([gaps[0], gaps[1], ((c - points) * ways).sum(axis=1)], axis=1)
        if not (np.abs(np.linalg.det(rows)) > 1e-9).all():
            raise TooLargeError("no ball of that radius touches both faces", faces[0])
        step = np.linalg.solve(rows, right[:, :, None])[:, :, 0]
        size = np.linalg.norm(step, axis=1)
        c = c + step * np.minimum(1.0, abs(d) / np.maximum(size, NOWHERE))[:, None]
        if size.max() <= 1e-14 * (1.0 + np.abs(c).max()):
            break
    worst = max(float(np.abs(way_out(face) * face.surface.distance(c) - d).max()) for face in faces)
    if not worst <= 1e-3 * RESOLUTION:
        raise TooLargeError("no ball of that radius touches both faces", faces[0])
    feet = [c - np.reshape(d, (-1, 1)) * way_out(face) * face.surface.normals(c) for face in faces]
    return c, (feet[0], feet[1])


def settled(
    guess: Vec3, point: Vec3, way: Vec3, faces: tuple[Face, Face], d: float, feet: Feet
) -> tuple[Vec3, Feet]:
    """As `corrected`, the center of one ball, and its feet; those of a ball close by are known."""
    out_one, out_two = (way_out(face) for face in faces)
    c = guess
    for _ in range(NEWTON_STEPS):
        (f, n), (g, m), feet = _below(c, faces, feet)
        gaps = out_one * f - d, out_two * g - d, dot(sub(c, point), way)
        n, m = scaled(n, out_one), scaled(m, out_two)
        columns = cross(m, way), cross(way, n), cross(n, m)
        size = dot(n, columns[0])
        if not abs(size) > 1e-9:
            raise TooLargeError("no ball of that radius touches both faces", faces[0])
        step = (0.0, 0.0, 0.0)
        for gap, column in zip(gaps, columns, strict=True):
            step = along(step, column, -gap / size)
        length = norm(step)
        c = along(c, step, min(1.0, abs(d) / max(length, NOWHERE)))
        if length <= 1e-14 * (1.0 + max(abs(x) for x in c)):
            break
    (f, _), (g, _), feet = _below(c, faces, feet)
    if not max(abs(out_one * f - d), abs(out_two * g - d)) <= 1e-3 * RESOLUTION:
        raise TooLargeError("no ball of that radius touches both faces", faces[0])
    return c, feet


def rolled(edge: Edge, faces: tuple[Face, Face], d: float) -> tuple[FloatArray, FloatArray]:
    """Centers of the ball at equal steps along an open edge and beyond its ends, shape (N, 3), and the
    numbers of the steps, not whole, at which it is across each end, shape (2,).

    The way of the ball is followed from the middle of the edge both ways, however it bends. Raises
    TooLargeError where it does not reach an end.
    """
    t = np.array([0.5 * (edge.t0 + edge.t1)])
    x, y, z = centers_across(edge.curve.points(t), edge.curve.derivatives(t), faces, d)[0][0].tolist()
    step = max(edge.length / STEPS_ALONG, abs(d) / STEPS_PER_RADIUS)
    for k in range(HALVINGS):
        coarse = k < HALVINGS - 1 and step > COARSE * abs(d)
        try:
            return _rolled(edge, faces, d, ((x, y, z), step), coarse)
        except TooLargeError as error:
            last, step = error, 0.5 * step
    raise last


def _rolled(
    edge: Edge, faces: tuple[Face, Face], d: float, start: tuple[Vec3, float], coarse: bool
) -> tuple[FloatArray, FloatArray]:
    middle, step = start
    away = distance(middle, edge.curve.point(0.5 * (edge.t0 + edge.t1)))
    halves, crossed = [], []
    for at_end in (False, True):
        path, number = _one_way(edge, faces, d, (middle, away), (at_end, step, coarse))
        halves.append(path)
        crossed.append(number)
    before = len(halves[0]) - 1
    centers = np.array([*halves[0][:0:-1], *halves[1]])
    return centers, np.array([before - crossed[0], before + crossed[1]])


def _one_way(
    edge: Edge, faces: tuple[Face, Face], d: float, start: tuple[Vec3, float], way: tuple[bool, float, bool]
) -> tuple[list[Vec3], float]:
    """The centers from the middle to beyond one end, and the number of the step at which it is passed. way :
    towards which end, in what steps, and whether smaller ones may lead farther."""
    (c, away), (at_end, step, coarse) = start, way
    t, side = (edge.t1, 1.0) if at_end else (edge.t0, -1.0)
    corner, out = edge.curve.point(t), scaled(edge.curve.tangent(t), side)
    old = scaled(edge.curve.tangent(0.5 * (edge.t0 + edge.t1)), side)
    path, number, limit, leaving, feet = [c], 0.0, None, out, NO_FEET
    left = dot(out, sub(corner, c))
    most = int(4.0 * (edge.length + abs(d)) / step) + 100
    while limit is None or len(path) < limit:
        try:
            heading, feet = _heading(c, faces, old, feet)
            if limit is not None and dot(heading, leaving) < math.cos(TURN_BEYOND):
                break
            if path[1:] and dot(heading, old) < math.cos(TURN):
                raise TooLargeError("the round bends too sharply", faces[0])
            ahead = along(c, heading, step)
            c, feet = settled(ahead, ahead, heading, faces, d, feet)
            old = heading
        except TooLargeError:
            if limit is None or coarse:
                raise
            break
        if limit is not None and _is_beyond(faces, feet):
            break
        now = dot(out, sub(corner, c))
        near = FARTHEST * max(away, abs(d)) + step
        if limit is None and now <= 0.0 < left + RESOLUTION and distance(c, corner) <= near:
            number = len(path) - 1 + left / (left - now)
            leaving = old
            limit = 2 + math.ceil(number + BEYOND * max(away, distance(c, corner), abs(d)) / step)
        left = now
        path.append(c)
        if limit is None and len(path) > most:
            raise TooLargeError("the new face does not reach the end of its edge", faces[0])
    return path, number


def rolled_on(
    center: Vec3, way: Vec3, faces: tuple[Face, Face], d: float, steps: tuple[float, int]
) -> list[Vec3]:
    """Centers of the ball on its way on from one, in a direction, after steps of a length, as many as there
    can be."""
    path, c, old, feet = [], center, way, NO_FEET
    for _ in range(steps[1]):
        try:
            heading, feet = _heading(c, faces, old, feet)
            ahead = along(c, heading, steps[0])
            c, feet = settled(ahead, ahead, heading, faces, d, feet)
            old = heading
        except TooLargeError:
            break
        if dot(old, way) < math.cos(TURN_BEYOND) * norm(way):
            break
        path.append(c)
    return path


def _is_beyond(faces: tuple[Face, Face], feet: Feet) -> bool:
    """Whether a ball touches a surface where it is not known any more how that goes on."""
    for face, foot in zip(faces, feet, strict=True):
        for at, (low, high) in zip(foot, face.surface.reachable, strict=True) if foot is not None else ():
            room = AT_END * (high - low)
            if math.isfinite(room) and not low + room < at < high - room:
                return True
    return False


def _heading(c: Vec3, faces: tuple[Face, Face], old: Vec3, feet: Feet) -> tuple[Vec3, Feet]:
    """The direction in which the ball rolls on, nearest to an old one, and its feet."""
    (_, n), (_, m), feet = _below(c, faces, feet)
    way = cross(n, m)
    size = norm(way)
    if size < 1e-9:
        raise TooLargeError("no ball of that radius touches both faces", faces[0])
    return scaled(way, 1.0 / (size if dot(way, old) >= 0.0 else -size)), feet


def _below(
    c: Vec3, faces: tuple[Face, Face], feet: Feet
) -> tuple[tuple[float, Vec3], tuple[float, Vec3], Feet]:
    """The distances of the center of a ball from both surfaces, the normals at its feet, and these."""
    try:
        f, n, one = faces[0].surface.touch_from(c, feet[0])
        g, m, two = faces[1].surface.touch_from(c, feet[1])
        return (f, n), (g, m), (one, two)
    except ValueError:  # it lies where all normals of one meet
        raise TooLargeError("no ball of that radius touches both faces", faces[0]) from None
