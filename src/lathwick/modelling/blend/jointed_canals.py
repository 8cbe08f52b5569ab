"""Rounds in pieces, between the places where an edge or a face is not smooth to any order."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from itertools import pairwise

import numpy as np

from ...geometry.placement import FloatArray
from ...geometry.spline import FittedCurve, Ways, joined
from ...geometry.vector import Vec3, vec3
from ...topology.brep import Edge, Face
from ..refitting.errors import TooLargeError
from ..refitting.nearness import Curves, closing, distance_off, near_enough, units
from ..refitting.smooth_pieces import Track, crossings
from .rolling import BEYOND, centers_across, corrected, rolled_on

NODES_OF_PIECE = (9, 17, 33, 65, 129, 257)
MANY, HOPELESS = 129, 1e-3
"""With so many points a canal that is off by so much, as a share of the radius, is given up."""

STEPS_BEYOND, TRIES_BEYOND, FEWEST_BEYOND = 24, 4, 8
"""In so many steps the ball rolls on beyond an end, and in shorter ones where it comes less far; with fewer
points there is no curve through them."""

BEYOND_TIPS, FAR_BEYOND = 0.6, 60.0
"""Where an edge has a tip at one end, the ball rolls on at the other by so much of the edge's length, but at
most so many times as far as it is from the edge."""


@dataclass(frozen=True)
class _Stretch:
    """Balls, by center and feet on both faces, over an interval of parameters, between all of its stops
    smooth. ends : whether it is known which way the ball rolls at its start and its end."""

    balls: Track
    stops: list[float]
    ends: tuple[bool, bool]


def jointed_canal(
    edge: Edge, faces: tuple[Face, Face], d: float, stops: list[float], tips: tuple[bool, bool]
) -> tuple[Curves, tuple[float, float]]:
    """The way of the ball and of its contacts in pieces between the stops of an edge, by balls in the planes
    across; and beyond the ends of an open one as the ball rolls on, but not beyond a tip. With the parameters
    at the ends of the edge.

    Raises TooLargeError where there is no such ball.
    """
    own = _Stretch(partial(balls_along, edge, faces, d, tips=tips), stops, (not tips[0], not tips[1]))
    stretches = [own] if edge.is_closed else _with_ends(edge, own, faces, d, tips)
    for count in NODES_OF_PIECE:
        pieces, along = [], []
        for stretch in stretches:
            for a, b in pairwise(stretch.stops):
                t = np.linspace(a, b, count)
                tables = stretch.balls(t)
                if stretch is own and _runs_back(edge, t, tables[0], tips):
                    raise TooLargeError("the round would fold back on itself", faces[0])
                known = a > stretch.stops[0] or stretch.ends[0], b < stretch.stops[-1] or stretch.ends[1]
                pieces.append((t - edge.t0, *tables))
                along.append(_ways(tables[0], faces, known))
        columns = [[(piece[0], piece[k]) for piece in pieces] for k in (1, 2, 3)]
        curves = joined(columns[0], ways=along), *map(joined, columns[1:])
        spine, one, two = (closing(curve, edge.is_closed) for curve in curves)
        between = np.concatenate([0.5 * (piece[0][1:] + piece[0][:-1]) for piece in pieces])
        off = distance_off((spine, one, two), between, faces, d)
        if off <= near_enough(d):
            return (spine, one, two), (0.0, edge.t1 - edge.t0)
        if count >= MANY and off > HOPELESS * abs(d):
            break
    raise TooLargeError("the round bends too sharply", faces[0])


def balls_along(
    edge: Edge, faces: tuple[Face, Face], d: float, t: FloatArray, tips: tuple[bool, bool] = (False, False)
) -> tuple[FloatArray, ...]:
    """Centers of balls in the planes across an edge at its parameters (N,), and where they touch both faces.
    At a tip that is one place, below which the ball lies."""
    at_tips = tips[0] and t[0] == edge.t0, tips[1] and t[-1] == edge.t1
    points, ways = edge.curve.points(t), edge.curve.derivatives(_turned_late(t, at_tips))
    inner = slice(int(at_tips[0]), len(points) - int(at_tips[1]))
    centers, one, two = points.copy(), points.copy(), points.copy()
    found, feet = centers_across(points[inner], ways[inner], faces, d)
    centers[inner], one[inner], two[inner] = found, *feet
    for k in (k for k, tip in ((0, at_tips[0]), (-1, at_tips[1])) if tip):
        centers[k] += d * np.array(faces[0].outward_normal(vec3(points[k])))
    return centers, one, two


def _turned_late(t: FloatArray, tips: tuple[bool, bool]) -> FloatArray:
    """The parameters at which an edge with a tip runs as the ball shall, beside those at `t`: a ball as large
    as the edge's bend would not move at first, where planes across the edge turn as fast as it does."""
    if tips[0] is tips[1]:
        return t
    start, end = (t[-1], t[0]) if tips[0] else (t[0], t[-1])
    share = (t - start) / (end - start)
    return np.asarray(start + (end - start) * share * share)


def _runs_back(edge: Edge, t: FloatArray, centers: FloatArray, tips: tuple[bool, bool]) -> bool:
    """Whether balls at parameters of an edge run against it."""
    ways = edge.curve.derivatives(
        _turned_late(t, (tips[0] and t[0] == edge.t0, tips[1] and t[-1] == edge.t1))
    )
    return not bool(((np.diff(centers, axis=0) * (ways[1:] + ways[:-1])).sum(axis=1) > 0.0).all())


def _with_ends(
    edge: Edge, own: _Stretch, faces: tuple[Face, Face], d: float, tips: tuple[bool, bool]
) -> list[_Stretch]:
    """With stretches before and after on which the ball rolls on, where it can."""
    made = [own]
    for at_end in (k for k in (False, True) if not tips[k]):
        a, b = (own.stops[-2], own.stops[-1]) if at_end else (own.stops[1], own.stops[0])
        t = np.linspace(a, b, NODES_OF_PIECE[0])
        centers = own.balls(np.sort(t))[0]
        centers = centers if at_end else centers[::-1]
        corner = edge.curve.points(t[-1:])[0]
        reach = _beyond(edge, max(abs(d), float(np.linalg.norm(centers[-1] - corner))), any(tips))
        speed = float(np.linalg.norm(np.diff(centers, axis=0), axis=1).sum() / (t[-1] - t[0]))
        start = vec3(centers[-1]), vec3(centers[-1] - centers[-2])
        path, step = _path(start, faces, d, reach)
        if len(path) < FEWEST_BEYOND:
            continue
        u = t[-1] + np.arange(len(path)) * (step / speed)
        order = slice(None) if at_end else slice(None, None, -1)
        guess = joined([(u[order], path[order])])
        balls = partial(_balls_near, guess, faces, d)
        stops = crossings(balls, [guess.low, guess.high], [(1, faces[0].surface), (2, faces[1].surface)])
        stretch = _Stretch(balls, stops, (at_end, not at_end))
        made = [*made, stretch] if at_end else [stretch, *made]
    return made


def _path(
    start: tuple[Vec3, Vec3], faces: tuple[Face, Face], d: float, reach: float
) -> tuple[FloatArray, float]:
    """The center of a ball and those after it, at equal steps as far as it can roll on in its direction, and
    the step: the less it rolls the smaller."""
    step = reach / STEPS_BEYOND
    for _ in range(TRIES_BEYOND):
        path = [start[0], *rolled_on(*start, faces, d, (step, STEPS_BEYOND))]
        if len(path) > STEPS_BEYOND // 2:
            break
        step *= len(path) / STEPS_BEYOND
    return np.array(path), step


def _balls_near(
    guess: FittedCurve, faces: tuple[Face, Face], d: float, t: FloatArray
) -> tuple[FloatArray, ...]:
    """The balls in the planes across a curve near their way, and where they touch both faces."""
    points = guess.points(t)
    centers, feet = corrected(points, points, units(guess.derivatives(t)), faces, d)
    return centers, *feet


def _beyond(edge: Edge, off: float, ends_in_tip: bool) -> float:
    """How far the ball rolls on, where it is so far off the end of an edge. Faces that come to touch in a tip
    meet at a small angle at the other end too, and the ball comes to the next face late."""
    far = min(FAR_BEYOND * off, BEYOND_TIPS * edge.length) if ends_in_tip else 0.0
    return max(BEYOND * off, far)


def _ways(centers: FloatArray, faces: tuple[Face, Face], known: tuple[bool, bool]) -> Ways:
    """Which way the ball rolls at the ends of a piece, where that is known: along both faces."""
    ways: list[FloatArray | None] = []
    for k, wanted in zip((0, -1), known, strict=True):
        if not wanted:
            ways.append(None)
            continue
        one, two = (face.surface.normals(centers[k][None])[0] for face in faces)
        way = np.cross(one, two)
        ways.append(way / np.linalg.norm(way))
    return ways[0], ways[1]
