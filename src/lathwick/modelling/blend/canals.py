"""The round of any edge: a canal about the way of the ball's center."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from scipy.spatial import cKDTree

from ...errors import ModellingError
from ...geometry.canal import CanalSurface
from ...geometry.placement import FloatArray
from ...geometry.spline import FittedCurve, SplineCurve, Ways, interpolated_fit, joined
from ...geometry.tolerance import RESOLUTION
from ...geometry.vector import dot, sub, vec3
from ...topology.brep import Edge, Face
from .rolling import BEYOND, centers_across, corrected, rolled, rolled_on
from .strips import Strip, TooLargeError, pointed_ends, turn_at, way_out

NODES_OF_PIECE = (9, 17, 33, 65, 129, 257)
NODES = (17, 33, 65, 129, 257, 513, 1025)
FITTED = 2e-8
"""The canal is so near to both faces, as a share of the radius; but never farther than `CLOSE`."""

CLOSE = 0.05 * RESOLUTION
NEVER_NEARER, ROUGHEST = 0.03 * RESOLUTION, 5e-7
"""Nearer than the first a canal need not be, unless that is more than the second as a share of the radius."""

MOST_NODES = 2000
NEWTON_STEPS = 20
TURN_KEPT = 1e-3
MANY, HOPELESS = 129, 1e-3
"""With so many points a canal that is off by so much, as a share of the radius, is given up."""

BEYOND_TIPS, FAR_BEYOND = 0.6, 60.0
"""Where an edge has a tip at one end, the ball rolls on at the other by so much of the edge's length, but at
most so many times as far as it is from the edge."""

ACROSS = np.linspace(0.0, 1.0, 9)


def canal_strip(edge: Edge, faces: tuple[Face, Face], radius: float) -> Strip:
    """The round of an edge by a ball that rolls along both faces.

    Raises TooLargeError where there is no such ball, or where the canal would fold back on itself, and
    ModellingError for an edge that turns from convex to concave.
    """
    tips, joints = pointed_ends(edge, faces), joints_of(edge)
    shares = [0.25, 0.5, 0.75, *(share for share, tip in zip((0.0, 1.0), tips, strict=True) if not tip)]
    turns = [turn_at(edge, faces, edge.t0 + s * (edge.t1 - edge.t0)) for s in shares]
    if min(turns) * max(turns) <= 0.0 or min(abs(t) for t in turns) < TURN_KEPT:
        raise ModellingError("an edge that is convex here and concave or smooth there cannot be rounded")
    convex = turns[0] > 0.0
    d = -radius if convex else radius
    if joints or any(tips):
        made = _jointed_canal(edge, faces, d, joints, tips)
    else:
        made = _closed_canal(edge, faces, d) if edge.is_closed else _open_canal(edge, faces, d)
    (spine, one, two), span = made
    surface = CanalSurface(spine, one, radius)
    strip = Strip(edge, faces, convex, radius, surface, convex, (one, two), spine, span)
    refuse_folds(strip, surface)
    return strip


Curves = tuple[FittedCurve, FittedCurve, FittedCurve]
"""The spine, and where the ball touches the faces."""


def _closed_canal(edge: Edge, faces: tuple[Face, Face], d: float) -> tuple[Curves, tuple[float, float]]:
    """By balls in the planes across points of the edge, with its parameters."""
    for count in NODES:
        t = np.linspace(edge.t0, edge.t1, count)
        centers, feet = centers_across(edge.curve.points(t), edge.curve.derivatives(t), faces, d)
        spine, one, two = (interpolated_fit(t - t[0], table, True) for table in (centers, *feet))
        curves = spine, one, two
        off = distance_off(curves, 0.5 * (t[1:] + t[:-1]) - t[0], faces, d)
        if off <= near_enough(d):
            return curves, (0.0, edge.t1 - edge.t0)
        if count >= MANY and off > HOPELESS * abs(d):
            break
    raise TooLargeError("the round bends too sharply", faces[0])


def _open_canal(edge: Edge, faces: tuple[Face, Face], d: float) -> tuple[Curves, tuple[float, float]]:
    """By the way of the ball itself, at equal steps, halved until the curves are near enough."""
    centers, ends = rolled(edge, faces, d)
    t = np.arange(len(centers), dtype=float)
    feet = tuple(centers - d * way_out(face) * face.surface.normals(centers) for face in faces)
    while len(t) <= MOST_NODES:
        spine, one, two = (joined([(t, table)]) for table in (centers, *feet))
        curves = spine, one, two
        middles = 0.5 * (t[1:] + t[:-1])
        if distance_off(curves, middles, faces, d) <= near_enough(d):
            return curves, (_across(spine, edge, False, ends[0]), _across(spine, edge, True, ends[1]))
        guesses, ways = spine.points(middles), spine.derivatives(middles)
        ways = ways / np.linalg.norm(ways, axis=1)[:, None]
        between, feet_between = corrected(guesses, guesses, ways, faces, d)
        t, centers = np.sort(np.concatenate([t, middles])), _woven(centers, between)
        feet = tuple(_woven(foot, other) for foot, other in zip(feet, feet_between, strict=True))
    raise TooLargeError("the round bends too sharply", faces[0])


def near_enough(d: float) -> float:
    """How far a canal may be from its faces."""
    return max(FITTED * abs(d), min(NEVER_NEARER, ROUGHEST * abs(d)))


def joints_of(edge: Edge) -> list[float]:
    """Inner parameters at which an edge need not bend alike on both sides."""
    curve = edge.curve
    if not isinstance(curve, SplineCurve):
        return []
    return curve.joints if isinstance(curve, FittedCurve) else curve.breaks(edge.t0, edge.t1)[1:-1]


Piece = tuple[FloatArray, FloatArray, FloatArray, FloatArray]
"""Parameters, (N,), centers of the ball and where it touches both faces, each (N, 3)."""


def _jointed_canal(
    edge: Edge, faces: tuple[Face, Face], d: float, joints: list[float], tips: tuple[bool, bool]
) -> tuple[Curves, tuple[float, float]]:
    """In pieces between the joints of the edge, by balls in the planes across; and beyond the ends of an open
    one as the ball rolls on, but not beyond a tip."""
    ends = [t for t, tip in zip((edge.t0, edge.t1), tips, strict=True) if not tip]
    known = {t - edge.t0 for t in (*ends, *joints)}
    for count in NODES_OF_PIECE:
        pieces = []
        for a, b in pairwise([edge.t0, *joints, edge.t1]):
            t = np.linspace(a, b, count)
            at_tips = tips[0] and a == edge.t0, tips[1] and b == edge.t1
            ways = edge.curve.derivatives(_turned_late(t, at_tips))
            balls = _balls_between_tips(edge.curve.points(t), ways, faces, d, at_tips)
            if not ((np.diff(balls[0], axis=0) * (ways[1:] + ways[:-1])).sum(axis=1) > 0.0).all():
                raise TooLargeError("the round would fold back on itself", faces[0])
            pieces.append((t - edge.t0, *balls))
        if not edge.is_closed:
            pieces = _with_ends(edge, pieces, faces, d, (count, tips))
        along = [_ways(piece, faces, known) for piece in pieces]
        tables = [[(piece[0], piece[k]) for piece in pieces] for k in (1, 2, 3)]
        curves = joined(tables[0], ways=along), *map(joined, tables[1:])
        spine, one, two = (closing(curve, edge.is_closed) for curve in curves)
        between = np.concatenate([0.5 * (piece[0][1:] + piece[0][:-1]) for piece in pieces])
        off = distance_off((spine, one, two), between, faces, d)
        if off <= near_enough(d):
            return (spine, one, two), (0.0, edge.t1 - edge.t0)
        if count >= MANY and off > HOPELESS * abs(d):
            break
    raise TooLargeError("the round bends too sharply", faces[0])


def _turned_late(t: FloatArray, tips: tuple[bool, bool]) -> FloatArray:
    """The parameters at which an edge with a tip runs as the ball shall, beside those at `t`: a ball as large
    as the edge's bend would not move at first, where planes across the edge turn as fast as it does."""
    if tips[0] is tips[1]:
        return t
    start, end = (t[-1], t[0]) if tips[0] else (t[0], t[-1])
    share = (t - start) / (end - start)
    return np.asarray(start + (end - start) * share * share)


def _balls_between_tips(
    points: FloatArray, ways: FloatArray, faces: tuple[Face, Face], d: float, tips: tuple[bool, bool]
) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Centers of balls in the planes through points of an edge across ways, and where they touch both faces.
    At a tip that is one place, below which the ball lies."""
    inner = slice(int(tips[0]), len(points) - int(tips[1]))
    centers, one, two = points.copy(), points.copy(), points.copy()
    found, feet = centers_across(points[inner], ways[inner], faces, d)
    centers[inner], one[inner], two[inner] = found, *feet
    for k in (k for k, tip in ((0, tips[0]), (-1, tips[1])) if tip):
        x, y, z = points[k].tolist()
        centers[k] += d * np.array(faces[0].outward_normal((x, y, z)))
    return centers, one, two


def _with_ends(
    edge: Edge, pieces: list[Piece], faces: tuple[Face, Face], d: float, kept: tuple[int, tuple[bool, bool]]
) -> list[Piece]:
    """The pieces, with others before and after on which the ball rolls on, where it can. kept : how many
    steps it takes, and at which ends it stays."""
    count, tips = kept
    made = list(pieces)
    for at_end in (k for k in (False, True) if not tips[k]):
        t, centers = pieces[-1 if at_end else 0][:2]
        t0, c, way = (t[-1], centers[-1], centers[-1] - centers[-2]) if at_end else (
            t[0], centers[0], centers[0] - centers[1]
        )  # fmt: skip
        corner = edge.curve.points(np.array([edge.t1 if at_end else edge.t0]))[0]
        step = _beyond(edge, max(abs(d), float(np.linalg.norm(c - corner))), any(tips)) / (count - 1)
        x, y, z = c.tolist()
        path = np.array([(x, y, z), *rolled_on((x, y, z), vec3(way), faces, d, (step, count - 1))])
        if len(path) < 6:
            continue
        speed = float(np.linalg.norm(np.diff(centers, axis=0), axis=1).sum() / (t[-1] - t[0]))
        u = np.arange(len(path)) * (step / speed)
        feet = tuple(path - d * way_out(face) * face.surface.normals(path) for face in faces)
        if at_end:
            made.append((t0 + u, path, *feet))
        else:
            made.insert(0, (t0 - u[::-1], path[::-1], feet[0][::-1], feet[1][::-1]))
    return made


def _beyond(edge: Edge, off: float, ends_in_tip: bool) -> float:
    """How far the ball rolls on, where it is so far off the end of an edge. Faces that come to touch in a tip
    meet at a small angle at the other end too, and the ball comes to the next face late."""
    far = min(FAR_BEYOND * off, BEYOND_TIPS * edge.length) if ends_in_tip else 0.0
    return max(BEYOND * off, far)


def _ways(piece: Piece, faces: tuple[Face, Face], places: set[float]) -> Ways:
    """Which way the ball rolls at the ends of a piece, at those of these parameters: along both faces."""
    ways: list[FloatArray | None] = []
    for k in (0, -1):
        if float(piece[0][k]) not in places:
            ways.append(None)
            continue
        one, two = (face.surface.normals(piece[1][k][None])[0] for face in faces)
        way = np.cross(one, two)
        ways.append(way / np.linalg.norm(way))
    return ways[0], ways[1]


def closing(curve: FittedCurve, closed: bool) -> FittedCurve:
    """A closed curve with its ends made one point."""
    if not closed:
        return curve
    controls = curve.controls.copy()
    controls[-1] = controls[0]
    return FittedCurve(curve.degree, curve.knots, controls)


def _woven(table: FloatArray, between: FloatArray) -> FloatArray:
    """The rows of one table, those of another between them."""
    made = np.empty((2 * len(table) - 1, 3))
    made[::2], made[1::2] = table, between
    return made


def _across(spine: FittedCurve, edge: Edge, at_end: bool, near: float) -> float:
    """The parameter at which the ball is in the plane across an end of the edge."""
    corner, out = (
        edge.curve.point(edge.t1 if at_end else edge.t0),
        edge.curve.tangent(edge.t1 if at_end else edge.t0),
    )
    t = near
    for _ in range(NEWTON_STEPS):
        gap = dot(sub(spine.point(t), corner), out)
        slope = float(spine.derivatives(np.array([t]))[0] @ np.array(out))
        if abs(slope) < 1e-9:
            break
        t = min(max(t - gap / slope, near - 1.0), near + 1.0)
    return min(max(t, spine.low), spine.high)


def units(ways: FloatArray) -> FloatArray:
    """Vectors, shape (N, 3), brought to length one."""
    return np.asarray(ways / np.linalg.norm(ways, axis=1)[:, None])


def distance_off(curves: Curves, t: FloatArray, faces: tuple[Face, Face], d: float | FloatArray) -> float:
    """How far the ball about the spine is from touching both faces, and where the contacts are not on both
    the ball and the face, at most."""
    center = curves[0].points(t)
    worst = 0.0
    for face, contact in zip(faces, curves[1:], strict=True):
        foot, sign = contact.points(t), 1.0 if face.outward else -1.0
        gaps = (
            sign * face.surface.distance(center) - d,
            face.surface.distance(foot),
            np.linalg.norm(foot - center, axis=1) - np.abs(d),
        )
        worst = max(worst, *(float(np.abs(gap).max()) for gap in gaps))
    return worst


def refuse_folds(strip: Strip, surface: CanalSurface) -> None:
    """Raise TooLargeError where the canal is folded, or lies on the wrong side of the edge."""
    t = np.linspace(*strip.span, 65)
    centers = surface.spine.points(t)
    one, two = (units(contact.points(t) - centers) for contact in strip.contacts)
    for share in ACROSS:  # points of the shorter arc between both contacts
        across = units((1.0 - share) * one + share * two)
        if not (surface.stretch(t, across) > 0.0).all():
            raise TooLargeError("the round would fold back on itself", strip.faces[0 if share < 0.5 else 1])
    for face, contact in zip(strip.faces, strip.contacts, strict=True):
        feet = contact.points(t)
        s = np.linspace(strip.edge.t0, strip.edge.t1, 4 * len(t))
        s = s[cKDTree(strip.edge.curve.points(s)).query(feet)[1]]
        edge_points, ways = strip.edge.curve.points(s), strip.edge.curve.derivatives(s)
        s = s + ((feet - edge_points) * ways).sum(axis=1) / (ways * ways).sum(axis=1)
        s = np.clip(s, strip.edge.t0, strip.edge.t1)
        edge_points, ways = strip.edge.curve.points(s), strip.edge.curve.derivatives(s)
        sign = 1.0 if face.outward else -1.0
        along = ways if face is strip.faces[0] else -ways
        inward = np.cross(sign * face.surface.normals(edge_points), along)
        if not (((feet - edge_points) * inward).sum(axis=1) > -CLOSE).all():  # at a tip it is nothing
            raise TooLargeError("no ball of that radius touches both faces", face)
