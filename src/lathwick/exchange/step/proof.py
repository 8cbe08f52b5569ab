"""What is written is what is meant: a written surface is held against the face before the file is made."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ...errors import ExchangeError
from ...geometry.placement import FloatArray
from ...geometry.spline_surface import SplineSurface
from ...geometry.surface import Surface
from ...geometry.tolerance import JOIN
from ...topology.body import Body
from ...topology.brep import Face
from ...topology.mass import face_integrals
from ...topology.trim import OUTSIDE, region_of
from .ranges import SPOTS

SAME_VOLUME = 1e-6
"""The volume may differ by this share, at most, from the one that is stated."""

CLOSE = 4
"""The edges are held against it at so many times the places by which its range was found."""

FEW = 12
"""A written surface is held against the face at about so many places along each parameter."""


def prove(face: Face, made: SplineSurface) -> None:
    """Raises ExchangeError, naming the face, unless its edges lie on the B-spline that is written under it,
    and that is the surface of the face."""
    edges = [coedge.edge for coedge in face.coedges()]
    if edges:
        along = [edge.curve.points(np.linspace(edge.t0, edge.t1, CLOSE * SPOTS)) for edge in edges]
        points = np.concatenate(along)
        gaps = _gaps(made, points, face.surface)
        worst = int(gaps.argmax())
        if not gaps[worst] <= JOIN:
            x, y, z = points[worst].tolist()
            raise ExchangeError(
                f"the face {name_of(face)} cannot be written to STEP: an edge lies {gaps[worst]:.2g} off "
                f"its surface at ({x:.6g}, {y:.6g}, {z:.6g})"
            )
    grid = [_between(knots) for knots in made.knots]
    spots = made.points(np.stack(np.meshgrid(*grid), axis=-1).reshape(-1, 2))
    gaps = np.abs(face.surface.distance(spots))
    far = ~(gaps <= JOIN)
    if far.any():  # what lies beyond the edges is cut away
        feet = face.surface.points(face.surface.parameters(spots[far]))
        gaps[far] = np.where(region_of(face).states(feet) == OUTSIDE, 0.0, gaps[far])
    if not gaps.max() <= JOIN:
        raise ExchangeError(
            f"the face {name_of(face)} cannot be written to STEP: the B-spline would lie {gaps.max():.2g} off"
        )


def _gaps(made: SplineSurface, points: FloatArray, surface: Surface) -> FloatArray:
    """Distances of points from what is written for a surface. Most often that has about the same parameters;
    what is far from its feet near those is looked for from samples, which may lead to another part where it
    comes near itself."""
    gaps = _off(made, made.feet_from(points, surface.parameters(points)), points)
    far = np.flatnonzero(gaps > JOIN)
    if len(far):
        gaps[far] = np.minimum(gaps[far], _off(made, made.parameters(points[far]), points[far]))
    return gaps


def _off(made: SplineSurface, feet: FloatArray, points: FloatArray) -> FloatArray:
    """Distances of points from their feet on a surface, which for others ends at its borders."""
    (low_u, high_u), (low_v, high_v) = ((knots[0], knots[-1]) for knots in made.knots)
    u, v = feet.T
    within = np.column_stack(
        [
            u if made.periods[0] else np.clip(u, low_u, high_u),
            v if made.periods[1] else np.clip(v, low_v, high_v),
        ]
    )
    return np.asarray(np.linalg.norm(made.points(within) - points, axis=1))


def _between(knots: Sequence[float]) -> FloatArray:
    """Parameters in every span of some knots, few where there are many."""
    stops = np.unique(knots)
    each = max(1, FEW // (len(stops) - 1))
    shares = (np.arange(each) + 0.4) / each
    return np.asarray((stops[:-1, None] + np.diff(stops)[:, None] * shares).ravel())


def prove_valid(body: Body, name: str) -> None:
    """Raises ExchangeError with the first problem of a body that is not valid, or whose faces do not close:
    then the volume that they bound depends on where it is measured from."""
    problems = body.check()
    if problems:
        raise ExchangeError(f"{name} is no valid solid and is not written: {problems[0]}")
    faces = body.brep_faces
    volume = float(face_integrals(faces, np.array(body.bounds[1]))[:, 1].sum())
    if not abs(volume - body.volume) <= SAME_VOLUME * body.volume:
        raise ExchangeError(
            f"{name} is not written: its faces do not close, for they bound {volume:.9g} or {body.volume:.9g}"
        )


def name_of(face: Face) -> str:
    """What a message calls a face."""
    return f'"{face.names[0]}"' if face.names else f"on a {face.surface.called}"
