"""The round of any edge: a canal about the way of the ball's center."""

from __future__ import annotations

from functools import partial

import numpy as np

from ...errors import ModellingError
from ...geometry.canal import CanalSurface
from ...geometry.placement import FloatArray
from ...geometry.spline import FittedCurve, interpolated_fit, joined
from ...geometry.vector import dot, sub
from ...topology.brep import Edge, Face
from ..refitting.errors import TooLargeError
from ..refitting.nearness import CLOSE, Curves, distance_off, near_enough, units
from ..refitting.sides import pointed_ends, turn_at, way_out
from ..refitting.smooth_pieces import edge_stops
from .jointed_canals import balls_along, jointed_canal
from .rolling import centers_across, corrected, rolled
from .strips import Strip

NODES = (17, 33, 65, 129, 257, 513, 1025)
MOST_NODES = 2000
NEWTON_STEPS = 20
TURN_KEPT = 1e-3
MANY, HOPELESS = 129, 1e-3
"""With so many points a canal that is off by so much, as a share of the radius, is given up."""

ACROSS = np.linspace(0.0, 1.0, 9)


def canal_strip(edge: Edge, faces: tuple[Face, Face], radius: float) -> Strip:
    """The round of an edge by a ball that rolls along both faces.

    Raises TooLargeError where there is no such ball, or where the canal would fold back on itself, and
    ModellingError for an edge that turns from convex to concave.
    """
    tips = pointed_ends(edge, faces)
    shares = [0.25, 0.5, 0.75, *(share for share, tip in zip((0.0, 1.0), tips, strict=True) if not tip)]
    turns = [turn_at(edge, faces, edge.t0 + s * (edge.t1 - edge.t0)) for s in shares]
    if min(turns) * max(turns) <= 0.0 or min(abs(t) for t in turns) < TURN_KEPT:
        raise ModellingError("an edge that is convex here and concave or smooth there cannot be rounded")
    convex = turns[0] > 0.0
    d = -radius if convex else radius
    joints = edge_stops(
        edge, partial(balls_along, edge, faces, d), [(1, faces[0].surface), (2, faces[1].surface)], tips
    )
    if len(joints) > 2 or any(tips):
        made = jointed_canal(edge, faces, d, joints, tips)
    else:
        made = _closed_canal(edge, faces, d) if edge.is_closed else _open_canal(edge, faces, d)
    (spine, one, two), span = made
    surface = CanalSurface(spine, one, radius)
    strip = Strip(edge, faces, convex, radius, surface, convex, (one, two), spine, span)
    refuse_folds(strip, surface)
    return strip


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
        from scipy.spatial import cKDTree

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
