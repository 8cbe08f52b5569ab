"""Random unions of boxes and cylinders, with a random group of their edges and a radius."""

from __future__ import annotations

import math
import re
from pathlib import Path

import numpy as np

import lathwick as lw

from .conftest import unsound

RADII = (0.5, 1.0, 1.5, 2.0, 3.0, 5.0)


def random_union(seed: int) -> tuple[lw.Body, list, float]:
    """Two or three solids on a lattice, mostly along the axes. The group: all edges, the convex or the
    concave ones, those of a face or of a step, or a few."""
    rng = np.random.default_rng(seed)
    bodies = [_solid(rng, k) for k in range(rng.integers(2, 4))]
    try:
        body = lw.union(*bodies)
    except lw.ModellingError:  # one that touches itself
        body = bodies[0]
    return body, _group(rng, body), float(rng.choice(RADII))


def _solid(rng: np.random.Generator, number: int) -> lw.Body:
    origin = rng.integers(-2, 3, 3) * 5.0
    axis = np.eye(3)[rng.integers(3)] * (1 if rng.random() < 0.7 else -1)
    if rng.random() < 0.15:
        axis = rng.normal(size=3)
    plane = lw.Plane(tuple(origin.tolist()), tuple(axis.tolist()))
    if rng.random() < 0.55:
        return lw.box(*(rng.integers(2, 6, 3) * 5.0).tolist(), on=plane, step=f"s{number}")
    return lw.cylinder(rng.integers(2, 8) * 2.0, rng.integers(1, 6) * 5.0, on=plane, step=f"s{number}")


def _group(rng: np.random.Generator, body: lw.Body) -> list:
    edges, kind = body.edges(), int(rng.integers(6))
    steps = sorted({face.step for face in body.faces()})
    groups = {
        0: lambda: edges,
        1: edges.convex,
        2: lambda: edges.concave() or edges,
        3: lambda: body.faces()[int(rng.integers(len(body.faces())))].edges(),
        4: lambda: body.edges(steps[int(rng.integers(len(steps)))]),
        5: lambda: [edges[int(i)] for i in rng.choice(len(edges), min(len(edges), 3), replace=False)],
    }
    chosen = [edge for edge in groups[kind]() if edge.is_convex is not None]
    return chosen or [edge for edge in edges if edge.is_convex is not None]


def verdict(seed: int, folder: Path) -> str:
    """ "right", "refused with a radius that works" or two, "refused", or what is wrong with one union.

    What a round changes lies beside the chosen edges and those that continue them; both outside checkers
    read its files; and the largest radius that a refusal names works.
    """
    body, edges, radius = random_union(seed)
    try:
        made = lw.fillet(body, edges, radius, step="f")
    except lw.ModellingError as error:
        named = named_radii(error.message)
        groups = (
            [edges] if len(named) == 1 else [[e for e in edges if e.is_convex is k] for k in (True, False)]
        )
        if not named:
            return f"refused: {error.message}"
        try:
            lw.fillet(body, groups, named)
        except lw.ModellingError as again:
            return f"WRONG limit: {error.message}; {again.message}"
        return "refused with a radius that works" if len(named) == 1 else "refused with two radii that work"
    return _stray(body, made, edges, radius, seed) or unsound(made, folder) or "right"


def named_radii(message: str) -> list[float]:
    """The radius that a refusal says works; or two, for the convex and the concave edges."""
    one = re.search(r"the largest that works is (\S+)$", message)
    found = one or re.search(r"radius (\S+) at the convex .* and (\S+) at the concave ones works$", message)
    return [float(number) for number in found.groups()] if found else []


def _stray(body: lw.Body, made: lw.Body, edges: list, radius: float, seed: int) -> str:
    if made.check():
        return f"WRONG: {made.check()[0]}"
    low, high = (np.array(p) for p in body.bounds)
    points = low + np.random.default_rng(seed).random((2000, 3)) * (high - low)
    changed = points[body.contains(points) != made.contains(points)]
    reach = max(1.5, *(math.tan(math.radians(min(abs(e.angle), 177)) / 2) for e in edges)) * radius
    sharp = [e for e in body.edges() if abs(e.angle) > 1e-6]
    for p in changed.tolist():
        if min(e.distance_to(tuple(p)) for e in sharp) > 1.3 * reach:
            return f"WRONG: changed at {tuple(p)}, far from any edge"
    return ""
