"""Random unions of boxes and cylinders, with a random group of their edges and a radius."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from pathlib import Path

import numpy as np

import lathwick as lw
from lathwick.modelling.blend.selecting import EdgeGraph

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


def verdict(seed: int, folder: Path, blend: Callable[..., lw.Body] = lw.fillet) -> str:
    """ "right", "refused with a radius that works", or two, or one without some edges, "refused", or what is
    wrong with one union.

    What a round changes lies beside the chosen edges and those that continue them; both outside checkers
    read its files; and the largest radius that a refusal names works.
    """
    body, edges, radius = random_union(seed)
    if blend is lw.chamfer:
        radius *= 0.5
    try:
        made = blend(body, edges, radius, step="f")
    except lw.ModellingError as error:
        named, left_out = named_radii(error.message), edges_left_out(body, error.message)
        if not named:
            return f"refused: {error.message}"
        if not left_out and len(named) == 1 and error.limit != named[0]:
            return f"WRONG limit: {error.limit} is not that of {error.message}"
        left = [edge for edge in edges if edge not in left_out]
        groups = [left] if len(named) == 1 else [[e for e in left if e.is_convex is k] for k in (True, False)]
        try:
            made = blend(body, *((left, *named) if len(named) == 1 else (groups, named)), step="f")
        except lw.ModellingError as again:
            return f"WRONG limit: {error.message}; {again.message}"
        told = _faults(body, made, left, max(named), seed, folder)
        kind = "two radii that work" if len(named) == 2 else "a radius that works"
        return told or f"refused with {kind}{' without some edges' if left_out else ''}"
    return _faults(body, made, edges, radius, seed, folder) or "right"


def _faults(body: lw.Body, made: lw.Body, edges: list, radius: float, seed: int, folder: Path) -> str:
    return _stray(body, made, edges, radius, seed) or unsound(made, folder)


def named_radii(message: str) -> list[float]:
    """The radius that a refusal says works; or two, for the convex and the concave edges."""
    one = re.search(r"the largest that works is (\S+)$", message)
    found = one or re.search(
        r"(?:radius|size) (\S+) at the convex .* and (\S+) at the concave ones works$", message
    )
    return [float(number) for number in found.groups()] if found else []


def edges_left_out(body: lw.Body, message: str) -> list:
    """The edges without which a refusal says that a radius works, and those that continue them."""
    told = re.search(r"without the edges? (near .*) the largest", message)
    places = re.findall(r"near \((\S+), (\S+), (\S+)\)", told[1]) if told else []
    graph = EdgeGraph(body)
    chains = [graph.chain(body.edges().nearest(tuple(map(float, p)))[0].brep) for p in places]
    return [edge for edge in body.edges() if any(edge.brep in chain for chain in chains)]


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
