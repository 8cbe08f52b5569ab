"""Where the center of a ball runs that rolls along two faces and keeps in touch with both."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from ...geometry.placement import FloatArray
from ...geometry.tolerance import RESOLUTION
from ...topology.brep import Edge, Face
from .strips import TooLargeError, way_out

NEWTON_STEPS = 40
STEPS_ALONG = 24
STEPS_PER_RADIUS = 40
BEYOND = 6.0
"""Beyond the ends of an open edge the ball rolls so many times as far as it is from the edge, if it can."""

TURN = 0.3
"""At most this much, in radians, the way of the ball turns from one step to the next."""

TURN_BEYOND = 1.2
"""Beyond the ends it turns by so much, in radians, at most: a canal must not come round to itself."""

HALVINGS = 6
COARSE = 0.25
"""Steps of more than this, as a share of the radius, may miss the ball's way."""

FARTHEST = 20.0
"""The ball has lost its edge where it is so many times as far from it as at its middle."""


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
        gaps = [way_out(face) * face.surface.distance(c) - d for face in faces]
        normals = [way_out(face) * face.surface.normals(c) for face in faces]
        rows = np.stack([normals[0], normals[1], ways], axis=1)
        right = -np.stack([gaps[0], gaps[1], ((c - points) * ways).sum(axis=1)], axis=1)
        if not (np.abs(np.linalg.det(rows)) > 1e-9).all():
            raise TooLargeError("no ball of that radius touches both faces", faces[0])
        step = np.linalg.solve(rows, right[:, :, None])[:, :, 0]
        size = np.linalg.norm(step, axis=1)
        c = c + step * np.minimum(1.0, abs(d) / np.maximum(size, 1e-300))[:, None]
        if size.max() <= 1e-14 * (1.0 + np.abs(c).max()):
            break
    worst = max(float(np.abs(way_out(face) * face.surface.distance(c) - d).max()) for face in faces)
    if not worst <= 1e-3 * RESOLUTION:
        raise TooLargeError("no ball of that radius touches both faces", faces[0])
    feet = [c - np.reshape(d, (-1, 1)) * way_out(face) * face.surface.normals(c) for face in faces]
    return c, (feet[0], feet[1])


def rolled(edge: Edge, faces: tuple[Face, Face], d: float) -> tuple[FloatArray, FloatArray]:
    """Centers of the ball at equal steps along an open edge and beyond its ends, shape (N, 3), and the
    numbers of the steps, not whole, at which it is across each end, shape (2,).

    The way of the ball is followed from the middle of the edge both ways, however it bends. Raises
    TooLargeError where it does not reach an end.
    """
    t = np.array([0.5 * (edge.t0 + edge.t1)])
    middle = centers_across(edge.curve.points(t), edge.curve.derivatives(t), faces, d)[0][0]
    step = max(edge.length / STEPS_ALONG, abs(d) / STEPS_PER_RADIUS)
    for k in range(HALVINGS):
        coarse = k < HALVINGS - 1 and step > COARSE * abs(d)
        try:
            return _rolled(edge, faces, d, (middle, step), coarse)
        except TooLargeError as error:
            last, step = error, 0.5 * step
    raise last


def _rolled(
    edge: Edge, faces: tuple[Face, Face], d: float, start: tuple[FloatArray, float], coarse: bool
) -> tuple[FloatArray, FloatArray]:
    middle, step = start
    away = float(np.linalg.norm(middle - edge.curve.points(np.array([0.5 * (edge.t0 + edge.t1)]))[0]))
    halves, crossed = [], []
    for at_end in (False, True):
        path, number = _one_way(edge, faces, d, (middle, away), (at_end, step, coarse))
        halves.append(path)
        crossed.append(number)
    before = len(halves[0]) - 1
    centers = np.array([*halves[0][:0:-1], *halves[1]])
    return centers, np.array([before - crossed[0], before + crossed[1]])


def _one_way(
    edge: Edge,
    faces: tuple[Face, Face],
    d: float,
    start: tuple[FloatArray, float],
    way: tuple[bool, float, bool],
) -> tuple[list[FloatArray], float]:
    """The centers from the middle to beyond one end, and the number of the step at which it is passed. way :
    towards which end, in what steps, and whether smaller ones may lead farther."""
    (c, away), (at_end, step, coarse) = start, way
    t = np.array([edge.t1 if at_end else edge.t0])
    side = 1.0 if at_end else -1.0
    corner = edge.curve.points(t)[0]
    out = side * edge.curve.derivatives(t)[0]
    out /= np.linalg.norm(out)
    old = side * edge.curve.derivatives(np.array([0.5 * (edge.t0 + edge.t1)]))[0]
    path, number, limit, leaving = [c], 0.0, None, out
    left = float(out @ (corner - c))
    most = int(4.0 * (edge.length + abs(d)) / step) + 100
    while limit is None or len(path) < limit:
        try:
            heading = _heading(c, faces, old)
            if limit is not None and float(heading @ leaving) < np.cos(TURN_BEYOND):
                break
            if path[1:] and float(heading @ old) < np.cos(TURN) * float(np.linalg.norm(old)):
                raise TooLargeError("the round bends too sharply", faces[0])
            ahead = (c + step * heading)[None]
            c, old = corrected(ahead, ahead, heading[None], faces, d)[0][0], heading
        except TooLargeError:
            if limit is None or coarse:
                raise
            break
        now = float(out @ (corner - c))
        if limit is None and now <= 0.0 < left + RESOLUTION and _near(c, corner, away, d):
            number = len(path) - 1 + left / (left - now)
            leaving = old
            here = float(np.linalg.norm(c - corner))
            limit = 2 + math.ceil(number + BEYOND * max(away, here, abs(d)) / step)
        left = now
        path.append(c)
        if limit is None and len(path) > most:
            raise TooLargeError("the new face does not reach the end of its edge", faces[0])
    return path, number


def rolled_on(
    center: FloatArray, way: FloatArray, faces: tuple[Face, Face], d: float, steps: tuple[float, int]
) -> FloatArray:
    """Centers of the ball on its way on from one, in a direction, after steps of a length, as many as there
    can be; shape (N, 3)."""
    path, c, old = [], center, way
    for _ in range(steps[1]):
        try:
            heading = _heading(c, faces, old)
            ahead = (c + steps[0] * heading)[None]
            c, old = corrected(ahead, ahead, heading[None], faces, d)[0][0], heading
        except TooLargeError:
            break
        if float(old @ way) < np.cos(TURN_BEYOND) * float(np.linalg.norm(way)):
            break
        path.append(c)
    return np.array(path).reshape(-1, 3)


def _near(c: FloatArray, corner: FloatArray, away: float, d: float) -> bool:
    return bool(np.linalg.norm(c - corner) <= FARTHEST * max(away, abs(d)))


def _heading(c: FloatArray, faces: Sequence[Face], old: FloatArray) -> FloatArray:
    """The direction in which the ball rolls on, nearest to an old one."""
    one, two = (face.surface.normals(c[None])[0] for face in faces)
    way = np.cross(one, two)
    size = float(np.linalg.norm(way))
    if size < 1e-9:
        raise TooLargeError("no ball of that radius touches both faces", faces[0])
    return np.asarray(way / (size if float(way @ old) >= 0.0 else -size))
