"""Trims, extensions and splits: what a profile has of a curve changes, the curve itself does not.

Curves that end at one place share one point there, a *joint*, which stays on the curves that made it. Where
they touch, it is held by the common direction instead: two curves that touch say the place of the point only
to second order.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator

import numpy as np

from ..errors import SketchError
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec2, vec2
from .corners import Corners
from .crossings import common_points
from .entities import Arc, Curve, Entity, Line, Point, Round, Span, TextEntity
from .pieces import ArcPiece, LinePiece, Piece, parts_of, pieces_along, share_along, slopes_along, whole_piece

NEAR = 2 * RESOLUTION
TOUCHING = (1e-7, 1e-4)
"""Curves whose directions differ by less (radians) where they meet touch there: lines and circles, others."""

Cut = tuple[float, Vec2, Entity]
"""Share along a piece, place, and the curve that is met."""


class Trimming(Corners):
    """A constrained drawing whose curves can be cut where others meet them."""

    def trim(self, curve: Entity, near: Iterable[float]) -> tuple[Point, ...]:
        """Take away the part of a curve around `near`, up to the nearest crossings on both sides; a whole
        piece of a divided curve if nothing crosses it.

        Returns the points where what is left of the curve is joined to what cut it; curves that end there
        share them, and they stay on both. Raises SketchError if nothing crosses the curve, or if it is
        trimmed away there already.
        """
        self.settle()
        spot = spot_of(near)
        span, piece = self._nearest_piece(curve, spot)
        cuts = sorted(self._crossings(curve, piece), key=lambda cut: cut[0])
        if span is None:
            return self._open(curve, piece, spot, cuts)
        spans = self._spans(curve)
        if not cuts and len(spans) < 2:
            raise SketchError(
                f"nothing crosses {curve.name} there, so there is nothing to trim it to; "
                f"remove({curve.name}) takes it away whole"
            )
        share = share_along(piece, spot)
        before = [cut for cut in cuts if cut[0] < share][-1:]
        after = [cut for cut in cuts if cut[0] > share][:1]
        _refuse_text(curve, *(other for _, _, other in (*before, *after)))
        joints = [self._joint(curve, piece, *cut) for cut in (*before, *after)]
        kept: list[Span] = []
        if before:
            kept.append((span[0], joints[0]))
        if after:
            kept.append((joints[-1], span[1]))
        number = spans.index(span)
        curve.spans = [*spans[:number], *kept, *spans[number + 1 :]]
        self._forget_joints(span)
        return tuple(joints)

    def _open(self, curve: Entity, piece: Piece, spot: Vec2, cuts: list[Cut]) -> tuple[Point, ...]:
        """Trim a closed curve for the first time."""
        if len(cuts) < 2:
            how = "crossed once only" if cuts else "not crossed"
            raise SketchError(f"{curve.name} is {how}; trimming a closed curve needs two places")
        share = share_along(piece, spot) % 1.0
        first = next((cut for cut in cuts if cut[0] > share), cuts[0])
        last = next((cut for cut in reversed(cuts) if cut[0] < share), cuts[-1])
        _refuse_text(curve, first[2], last[2])
        one, two = (self._joint(curve, piece, *cut) for cut in (first, last))
        curve.spans = [(one, two)]
        return (two, one)

    def extend(self, curve: Line | Arc, near: Iterable[float]) -> Point:
        """Lengthen the end of a curve that is nearest to `near` to the first curve it meets.

        Returns the new end. Raises SketchError if it meets nothing.
        """
        self.settle()
        spot = spot_of(near)
        spans = self._spans(curve)
        start, end = spans[0][0], spans[-1][1]
        at_end = math.dist(end.position, spot) <= math.dist(start.position, spot)
        piece = _beyond(curve, at_end, 10 * self.extent)
        cuts = self._crossings(curve, piece)
        if not cuts:
            raise SketchError(f"{curve.name} meets nothing when it is extended there")
        point = self._joint(curve, piece, *min(cuts, key=lambda cut: cut[0]))
        if at_end:
            curve.spans = [*spans[:-1], (spans[-1][0], point)]
        else:
            curve.spans = [(point, spans[0][1]), *spans[1:]]
        return point

    def split(self, curve: Curve, at: Iterable[float]) -> Point:
        """Divide a curve in two at the place nearest to `at`; returns the point between them.

        Where another curve crosses or ends just there, it is the point they share. Else it can still slide
        along the curve; dimension it to fix it.
        """
        self.settle()
        spot = spot_of(at)
        _refuse_text(curve)
        span, piece = self._nearest_piece(curve, spot)
        share = share_along(piece, spot)
        if span is None or piece.is_closed or not 0 < share < 1:
            raise SketchError(f"{curve.name} cannot be divided at ({spot[0]:.6g}, {spot[1]:.6g})")
        place = piece.point(share)
        met = [cut for cut in self._crossings(curve, piece) if math.dist(cut[1], place) <= NEAR]
        if met and not isinstance(met[0][2], TextEntity):
            point = self._joint(curve, piece, *met[0])
        else:
            point = self._new_joint(f"{curve.name}.split", place)
            self._shape("on", point, curve, label=point.name)
        spans = self._spans(curve)
        number = spans.index(span)
        curve.spans = [*spans[:number], (span[0], point), (point, span[1]), *spans[number + 1 :]]
        return point

    def _nearest_piece(self, curve: Entity, spot: Vec2) -> tuple[Span | None, Piece]:
        """The piece of a curve nearest to a place. Raises SketchError if it is trimmed away there."""
        if isinstance(curve, TextEntity):
            _refuse_text(curve)
        parts = parts_of(curve)
        if not parts:
            raise SketchError(f"{curve.name} is no curve, or nothing is left of it")
        nearest = [_nearest_place(piece, spot) for _, piece in parts]
        number = min(range(len(parts)), key=lambda i: math.dist(nearest[i], spot))
        whole = whole_piece(curve) if curve.spans is not None else None
        if whole is not None:
            here = _nearest_place(whole, spot)
            if math.dist(here, spot) < math.dist(nearest[number], spot) - NEAR:
                raise SketchError(
                    f"{curve.name} is trimmed away already at ({here[0]:.6g}, {here[1]:.6g})", places=(here,)
                )
        return parts[number]

    def _crossings(self, curve: Entity, piece: Piece) -> list[Cut]:
        """Every meeting with other curves away from the piece's ends."""
        found = []
        for other in self.entities:
            if other is curve or other.construction:
                continue
            for against in pieces_along(other):
                for place, overlap in common_points(piece, against):
                    ends = () if piece.is_closed else (piece.start, piece.end)
                    if not overlap and all(math.dist(place, end) > NEAR for end in ends):
                        found.append((share_along(piece, place), place, other))
        return found

    # ------------------------------------------------------------------ joints

    def _joint(self, curve: Entity, piece: Piece, share: float, place: Vec2, other: Entity) -> Point:
        """The point that two curves share at a place: one that is known there, or a new one, held on both."""
        _refuse_text(curve, other)
        ours, theirs = list(self._points_on(curve)), list(self._points_on(other))
        here = [p for p in (*theirs, *ours) if math.dist(p.position, place) <= NEAR]
        here.sort(key=lambda p: not (p in ours and p in theirs))
        point = here[0] if here else self._new_joint(f"{curve.name} & {other.name}", place)
        loose = [e for e, known in ((curve, ours), (other, theirs)) if point not in known]
        self._tie(point, loose, curve, other, _do_touch(piece, share, other, place))
        return point

    def _forget_joints(self, points: Iterable[Point]) -> None:
        """Take joints out of the sketch at which no curve ends any more, and of which nothing is asked."""
        asked = {id(e) for c in self._constraints for e in c.entities}
        asked |= {id(p) for e in self.entities for p in self._points_of(e) if e is not p}
        unused = [p for p in points if p in self._own_joints and id(p) not in asked]
        if unused:
            gone = set(map(id, unused))
            self._drop_constraints(gone)
            self.entities[:] = [e for e in self.entities if id(e) not in gone]
            self._hold(unused, self.entities)

    def _new_joint(self, name: str, place: Vec2) -> Point:
        if name in self._names:
            name = self._next(name)
        point = Point(self.variables, name, place, construction=False)
        self._keep(point)
        self._own_joints[point] = point
        return point

    def _points_on(self, curve: Entity) -> Iterator[Point]:
        """The points that lie on a curve by how the curve or the points were made."""
        yield from curve.ends() or ()
        yield from (p for span in curve.spans or () for p in span)
        for shape in self._shapes:
            if shape.kind in ("on", "cut", "touch") and any(e is curve for e in shape.entities[1:]):
                point = shape.entities[0]
                assert isinstance(point, Point)
                yield point

    def _tie(self, point: Point, loose: list[Entity], curve: Entity, other: Entity, touching: bool) -> None:
        """Hold a point on two curves, of which it is not yet known to lie on the loose ones."""
        if touching and all(isinstance(e, (Line, Round)) for e in (curve, other)):
            if len(loose) == 2:
                self._shape("cut", point, curve, label=point.name)
            if loose:
                self._shape("touch", point, curve, other, label=point.name)
            return
        kind = "on" if touching else "cut"
        for each in loose:
            self._shape(kind, point, each, label=point.name)


def _do_touch(piece: Piece, share: float, other: Entity, place: Vec2) -> bool:
    """Whether two curves have one direction where they meet."""
    against = min(pieces_along(other), key=lambda p: math.dist(_nearest_place(p, place), place))
    one, two = (_way(p, s) for p, s in ((piece, share), (against, share_along(against, place))))
    simple = all(isinstance(p, (LinePiece, ArcPiece)) for p in (piece, against))
    return abs(one[0] * two[1] - one[1] * two[0]) <= TOUCHING[0 if simple else 1]


def _way(piece: Piece, share: float) -> Vec2:
    dx, dy = slopes_along(piece, np.array([share]))[0].tolist()
    size = math.hypot(dx, dy)
    return (dx / size, dy / size)


def _nearest_place(piece: Piece, spot: Vec2) -> Vec2:
    return piece.point(min(1.0, max(0.0, share_along(piece, spot))))


def _refuse_text(*curves: Entity) -> None:
    """Letters are many curves in one: nothing is cut there."""
    for curve in curves:
        if isinstance(curve, TextEntity):
            raise SketchError(
                f"{curve.name} is a text, at which nothing can be cut; "
                "pick the part you want with region(containing=(x, y))"
            )


def _beyond(curve: Line | Arc, at_end: bool, reach: float) -> Piece:
    """What lies beyond one end of a curve, directed away from it."""
    piece = pieces_along(curve)[-1 if at_end else 0]
    if not at_end:
        piece = piece.reversed()
    if isinstance(piece, LinePiece):
        (ax, ay), (bx, by) = piece.start, piece.end
        k = reach / piece.length
        return LinePiece(piece.end, (bx + k * (bx - ax), by + k * (by - ay)), piece.name)
    if not isinstance(piece, ArcPiece):
        raise SketchError(f"{curve.name} cannot be extended: only lines and arcs can")
    rest = math.copysign(math.tau, piece.sweep) - piece.sweep
    return ArcPiece(
        piece.center, piece.radius, piece.angle + piece.sweep, rest, piece.name, (piece.end, piece.start)
    )


def spot_of(near: Iterable[float]) -> Vec2:
    try:
        return vec2(near)
    except (TypeError, ValueError) as error:
        raise SketchError(f"a place is two finite numbers (x, y), got {near!r}") from error
