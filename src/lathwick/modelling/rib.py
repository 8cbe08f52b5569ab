"""Ribs: a plate that grows from a drawn line, in its plane, to the next walls of a body."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from typing import Literal

import numpy as np

from ..errors import ModellingError, naming_its_step
from ..geometry.placement import FloatArray, Plane
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec2
from ..sketch.chains import joined_in_order
from ..sketch.loops import Patch, PlaneLoop
from ..sketch.pieces import LinePiece, Piece, pieces_of, slopes_along
from ..sketch.region import Region
from ..sketch.sketch import Sketch
from ..topology.body import Body, renamed
from ..topology.names import FaceName
from ..topology.sets import Sets
from .boolean.operations import combined
from .combine import union
from .extrude import extrude

Side = Literal["left", "right"]

FAR = 4.0
"""A rib that does not end reaches so many sizes of the body and the line together."""

STEEPEST = 45.0
BESIDE = 1e-4
"""So near beside the line, as a share of the size, the rib begins."""

LOOKS = (0.1, 0.3, 0.5, 0.7, 0.9)
FLANKS = ":flanks"
"""The step that makes the wedge between leaning flanks."""


@naming_its_step
def rib(
    body: Body,
    sketch: Sketch,
    thickness: float,
    *,
    draft: float = 0.0,
    side: Side | None = None,
    step: str = "",
) -> Body:
    """The body with ribs: plates about the plane of a sketch that grow from its open chains of curves to the
    next walls. Chains go on straight beyond their ends.

    thickness : length unit, across the plane, at the line. draft : degrees by which the flanks lean, wider
    away from the line; the thickness is that half way between the chain's ends. side : "left" or "right" of
    the chain, as it is drawn; without it that on which the rib ends.

    Faces: `step/side:item` of the curves, `step/start` and `step/end` the flanks behind and in front of the
    plane. Raises ModellingError for a closed chain, and where the walls do not bound a rib, or do on both
    sides.
    """
    if not isinstance(sketch, Sketch):
        raise ModellingError(f"a rib takes a sketch with open curves, got {sketch!r}")
    if not thickness > RESOLUTION:
        raise ModellingError(f"thickness must be more than {RESOLUTION:g}, got {thickness:g}")
    if not 0.0 <= draft < STEEPEST:
        raise ModellingError(f"draft must be 0 to {STEEPEST:g} degrees, less than that, got {draft:g}")
    if side is not None and not (isinstance(side, str) and side in ("left", "right")):
        raise ModellingError(f'side is "left" or "right", got {side!r}')
    if sketch.unit != body.unit:
        raise ModellingError(f"a rib in {sketch.unit} does not go with a body in {body.unit}")
    sketch.settle()
    pieces = pieces_of(e for e in sketch.curves() if not e.construction)
    if not pieces:
        raise ModellingError("the sketch of a rib has no curves")
    grown = [_grown(body, sketch.plane, chain, (thickness, draft), side, step) for chain in _chains(pieces)]
    return union(body, *grown)


def _chains(pieces: Sequence[Piece]) -> list[list[Piece]]:
    """Pieces that join end to end, in order. Raises ModellingError for a chain that closes or branches."""
    sets = Sets(len(pieces))
    for i, one in enumerate(pieces):
        for j, two in enumerate(pieces[:i]):
            ends = [(a, b) for a in (one.start, one.end) for b in (two.start, two.end)]
            if any(math.dist(a, b) <= RESOLUTION for a, b in ends):
                sets.join(i, j)
    groups: dict[int, list[Piece]] = {}
    for i, piece in enumerate(pieces):
        groups.setdefault(sets.find(i), []).append(piece)
    chains = []
    for group in groups.values():
        order = joined_in_order(group, "a rib")
        chain = [group[k].reversed() if backwards else group[k] for k, backwards in order]
        if chain[0].is_closed or math.dist(chain[0].start, chain[-1].end) <= RESOLUTION:
            raise ModellingError("a rib grows from an open chain of curves; this one closes")
        chains.append(chain)
    return chains


def _grown(
    body: Body, plane: Plane, chain: list[Piece], size: tuple[float, float], side: Side | None, step: str
) -> Body:
    """The plate between a chain and the walls."""
    found = [
        made
        for way, name in ((1.0, "left"), (-1.0, "right"))
        if side in (None, name) and (made := _plate(body, plane, chain, size, way, step)) is not None
    ]
    x, y, z = plane.point(*chain[0].point(0.5))
    place = f"({x:.6g}, {y:.6g}, {z:.6g})"
    if not found:
        where = "on either side" if side is None else f"on its {side}"
        raise ModellingError(f"no walls end the rib of the curve at {place} {where}")
    if len(found) > 1:
        raise ModellingError(
            f'the rib of the curve at {place} may grow to its side="left" or "right"; say which'
        )
    return found[0]


def _plate(
    body: Body, plane: Plane, chain: list[Piece], size: tuple[float, float], way: float, step: str
) -> Body | None:
    """What grows to one side of a chain, 1.0 for its left; None if walls do not end it."""
    thickness, draft = size
    low, high = (np.array(p) for p in body.bounds)
    reach = float(np.linalg.norm(high - low)) + sum(piece.length for piece in chain) + thickness
    a, b = np.array(chain[0].start), np.array(chain[-1].end)
    along = (b - a) / np.linalg.norm(b - a)
    pull = way * np.array([-along[1], along[0]])
    region = _beyond(plane, body.unit, chain, pull, FAR * reach)
    if region is None:
        return None
    lean = math.tan(math.radians(draft))
    whole = extrude(region, thickness + 2.0 * FAR * reach * lean, both=True, step=step)
    if draft:
        wedge = _wedge(plane, 0.5 * (a + b), (along, pull), (thickness, lean, FAR * reach), body.unit, step)
        whole = _needed(combined(whole, wedge, "intersect"))
    left = combined(whole, body, "cut")
    spots = np.array([
        plane.point(*(np.array(piece.point(s)) + BESIDE * reach * pull)) for piece in chain for s in LOOKS
    ])  # fmt: skip
    lumps = []
    for lump in left.pieces if left is not None else ():
        alone = Body((lump,), body.unit)
        (x0, y0, z0), (x1, y1, z1) = alone.bounds
        if math.dist((x0, y0, z0), (x1, y1, z1)) <= reach * (1.0 + lean) and alone.contains(spots).any():
            lumps.append(lump)
    return Body(tuple(lumps), body.unit) if lumps else None


def _beyond(plane: Plane, unit: str, chain: list[Piece], pull: FloatArray, far: float) -> Region | None:
    """The area from a chain, which goes on straight, as far as `far` to one side; None if it has none."""
    first, last = chain[0], chain[-1]
    a, b = np.array(first.start), np.array(last.end)
    out = -_unit(slopes_along(first, np.array([0.0]))[0]), _unit(slopes_along(last, np.array([1.0]))[0])
    ends = [a + far * out[0], b + far * out[1]]
    corners = [
        _vec2(p) for p in (a, ends[0], ends[0] + 2.0 * far * pull, ends[1] + 2.0 * far * pull, ends[1], b)
    ]
    if min(float(w @ pull) for w in out) < -1.0 + BESIDE:
        return None  # it goes straight away from that side
    before = LinePiece(corners[1], corners[0], first.name)
    after = LinePiece(corners[5], corners[4], last.name)
    frame = [LinePiece(p, q, "frame") for p, q in ((corners[4], corners[3]), (corners[3], corners[2]),
                                                   (corners[2], corners[1]))]  # fmt: skip
    loop = PlaneLoop((before, *chain, after, *frame))
    if loop.signed_area < 0.0:
        loop = loop.reversed()
    return Region((Patch(loop, ()),), plane, unit)


def _wedge(
    plane: Plane,
    middle: FloatArray,
    ways: tuple[FloatArray, FloatArray],
    size: tuple[float, float, float],
    unit: str,
    step: str,
) -> Body:
    """What lies between flanks that lean about the line through the middle of a chain."""
    (along, pull), (thickness, lean, far) = ways, size
    origin = plane.point(*_vec2(middle))
    x, y = (np.array(plane.x) * w[0] + np.array(plane.y) * w[1] for w in (pull, along))
    across = Plane(origin, tuple(y.tolist()), tuple(x.tolist()))
    flip = 1.0 if np.dot(across.y, plane.normal) > 0.0 else -1.0
    top = -0.5 * thickness / lean
    outline = Sketch(across, unit=unit)
    tip, far_half = (max(top, -far), far), 0.5 * thickness + 3.0 * far * lean
    near_half = max(0.5 * thickness + tip[0] * lean, 0.0)
    corners = [(tip[0], -near_half), (3.0 * far, -far_half), (3.0 * far, far_half), (tip[0], near_half)]
    names = ["start" if flip > 0 else "end", "frame", "end" if flip > 0 else "start", "tip"]
    if near_half <= RESOLUTION:
        corners, names = [(top, 0.0), *corners[1:3]], names[:3]
    for k, name in enumerate(names):
        outline.line(corners[k], corners[(k + 1) % len(corners)], name=name)
    made = extrude(outline, 8.0 * far, both=True, step=FLANKS)
    return renamed(made, lambda face: tuple(FaceName(step, n.item or FLANKS) for n in face.names))


def _needed(body: Body | None) -> Body:
    if body is None:
        raise ModellingError("the draft leaves nothing of the rib")
    return body


def _unit(v: FloatArray) -> FloatArray:
    return np.asarray(v / np.linalg.norm(v))


def _vec2(p: Iterable[float]) -> Vec2:
    x, y = p
    return (float(x), float(y))
