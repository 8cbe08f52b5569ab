"""Editing: rounds, bevels, trims, mirrored and repeated geometry.

An edit never takes a constraint away from what it was given to. A rounded or trimmed line keeps its
ends, and every dimension between them; only the part of it that bounds the profile changes.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Iterable
from typing import overload

from ..errors import SketchError
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec2, vec2
from .constraints import checked_value
from .crossings import common_points
from .drawing import PointLike
from .entities import (
    Arc,
    Circle,
    Curve,
    EllipseEntity,
    Entity,
    Line,
    MirroredText,
    Point,
    Polygon,
    Polyline,
    Rectangle,
    Span,
    SplineEntity,
    TextEntity,
)
from .pieces import ArcPiece, LinePiece, Piece, pieces_along, share_along
from .solving import Solving
from .tangent_arcs import Blend, blend_between

Things = Entity | Polyline | Iterable[Entity | Polyline]
Pair = tuple[Line | Arc, Line | Arc]


class Edits(Solving):
    """A constrained drawing that can be edited. Every edit solves first: it works on true geometry."""

    # ------------------------------------------------------------------ corners

    def rectangle(
        self,
        width: float,
        height: float,
        *,
        center: PointLike | None = None,
        corner: PointLike | None = None,
        rounding: float | str | None = None,
        construction: bool = False,
        name: str | None = None,
    ) -> Rectangle:
        """A rectangle with sides along x and y, given its `center` or its lower left `corner`.

        It is drawn at that size and stays a rectangle; dimension its sides to drive them. A point
        passed as `center` or `corner` is shared. Without either the center is the origin (0, 0).
        rounding : radius of all its corners, a dimension called "... .rounding".
        """
        box = super().rectangle(
            width, height, center=center, corner=corner, construction=construction, name=name
        )
        if rounding is not None:
            self.round(box.corners, rounding, name=f"{box.name}.rounding")
        return box

    def polygon(
        self,
        sides: int,
        radius: float,
        *,
        center: PointLike = (0.0, 0.0),
        angle: float = 0.0,
        across_flats: bool = False,
        rounding: float | str | None = None,
        construction: bool = False,
        name: str | None = None,
    ) -> Polygon:
        """A regular polygon on a circle of `radius` through its corners, the first at `angle` degrees.

        With `across_flats` the circle touches the sides instead, and the first side faces `angle`. The
        construction circle `polygon.circle` is what to dimension. It stays regular when driven.
        rounding : radius of all its corners, a dimension called "... .rounding".
        """
        made = super().polygon(
            sides, radius, center=center, angle=angle, across_flats=across_flats,
            construction=construction, name=name,
        )  # fmt: skip
        if rounding is not None:
            self.round(made.corners, rounding, name=f"{made.name}.rounding")
        return made

    @overload
    def round(
        self, corner: Point, radius: float | str, *, between: Pair | None = None, name: str | None = None
    ) -> Arc: ...
    @overload
    def round(
        self, corner: Iterable[Point] | Polyline, radius: float | str, *, name: str | None = None
    ) -> tuple[Arc, ...]: ...
    def round(
        self,
        corner: Point | Iterable[Point] | Polyline,
        radius: float | str,
        *,
        between: Pair | None = None,
        name: str | None = None,
    ) -> Arc | tuple[Arc, ...]:
        """Round the corner of two lines or arcs that share an end, or several corners alike.

        corner : a point, several, or a polyline, rectangle or polygon, of which all corners are rounded.
        between : which two curves, where more end at the point.

        The sharp corner stays as a point to dimension from. Several corners share one radius
        dimension. Returns the arc, or the arcs. Raises SketchError if the radius does not fit.
        """
        self.settle()
        size = self._number("radius", radius)
        if isinstance(corner, Point):
            arc = self._rounded(corner, size, name, between)
            self._relate("radius", (arc,), radius, arc.name)
            return arc
        arcs = []
        for i, point in enumerate(_corners_of(corner, between), 1):
            arcs.append(self._rounded(point, size, None if name is None else f"{name}.{i}"))
        if arcs:
            self._relate("radius", (arcs[0],), radius, name or arcs[0].name)
            for arc in arcs[1:]:
                self._shape("equal", arcs[0], arc, label=arc.name)
        return tuple(arcs)

    def _number(self, kind: str, value: float | str) -> float:
        """The number that a value of a dimension stands for. Raises SketchError."""
        return checked_value(kind, self.reader(value, kind) if isinstance(value, str) else value)

    def _rounded(self, corner: Point, radius: float, name: str | None, between: Pair | None = None) -> Arc:
        one, two = self._corner(corner, between)
        pieces = [self._piece_at(curve, corner) for curve in (one, two)]
        blend = blend_between(pieces[0], pieces[1], corner.position, radius)
        name = self._named("round", name)
        arc = self._blend_arc(blend, name)
        for curve, point in ((one, arc.start), (two, arc.end)):
            self._shape("on", point, curve, label=name)
            self._shape("tangent", curve, arc, label=name)
            self._cut_back(curve, corner, point)
        return arc

    def _blend_arc(self, blend: Blend, name: str) -> Arc:
        points = [
            Point(self.variables, f"{name}.{what}", at, construction=True)
            for what, at in (("center", blend.center), ("start", blend.start), ("end", blend.end))
        ]
        arc = Arc(self.variables, name, points[0], points[1], points[2], blend.clockwise, construction=False)
        self._shape("shape", arc, label=name)
        self._keep(arc)
        return arc

    @overload
    def bevel(
        self, corner: Point, distance: float | str, *, between: Pair | None = None, name: str | None = None
    ) -> Line: ...
    @overload
    def bevel(
        self, corner: Iterable[Point] | Polyline, distance: float | str, *, name: str | None = None
    ) -> tuple[Line, ...]: ...
    def bevel(
        self,
        corner: Point | Iterable[Point] | Polyline,
        distance: float | str,
        *,
        between: Pair | None = None,
        name: str | None = None,
    ) -> Line | tuple[Line, ...]:
        """Cut the corner of two lines at `distance` from it on both, or several corners alike; see `round`.

        Returns the new line, or the lines. Raises SketchError if the distance does not fit.
        """
        self.settle()
        if isinstance(corner, Point):
            return self._bevelled(corner, distance, name, between)
        corners = _corners_of(corner, between)
        return tuple(self._bevelled(point, distance, None if name is None else f"{name}.{i}")
                     for i, point in enumerate(corners, 1))  # fmt: skip

    def _bevelled(
        self, corner: Point, distance: float | str, name: str | None, between: Pair | None = None
    ) -> Line:
        one, two = self._corner(corner, between)
        if not (isinstance(one, Line) and isinstance(two, Line)):
            raise SketchError(f"bevel takes a corner of two lines, got {one.name} and {two.name}")
        name = self._named("bevel", name)
        size = self._number("distance", distance)
        ends = []
        for curve, which in ((one, "start"), (two, "end")):
            piece = self._piece_at(curve, corner)
            far = piece.end if math.dist(piece.start, corner.position) <= 2 * RESOLUTION else piece.start
            room = math.dist(far, corner.position)
            if not RESOLUTION < size < room:
                raise SketchError(f"bevel {size:g} does not fit on {curve.name}, which has {room:.6g} there")
            share = size / room
            (px, py), (fx, fy) = corner.position, far
            at = (px + share * (fx - px), py + share * (fy - py))
            point = Point(self.variables, f"{name}.{which}", at, construction=False)
            self._shape("on", point, curve, label=name)
            self._cut_back(curve, corner, point)
            ends.append(point)
        line = Line(self.variables, name, ends[0], ends[1], construction=False)
        self._keep(line)
        self._relate("distance", (corner, ends[0]), distance, f"{name}.first")
        self._relate("distance", (corner, ends[1]), distance, f"{name}.second")
        return line

    def _corner(self, corner: Point, between: Pair | None) -> Pair:
        """The two profile curves of which `corner` is a free end. Raises SketchError."""
        found = [
            e
            for e in self.entities
            if isinstance(e, (Line, Arc)) and not e.construction and self._has_end(e, corner)
        ]
        names = ", ".join(e.name for e in found) or "none"
        x, y = corner.position
        if between is not None:
            chosen = [e for e in found if any(e is one for one in between)]
            if len(between) != 2 or len(chosen) != 2:
                raise SketchError(
                    f"between is two curves that end at ({x:.6g}, {y:.6g}), where there end {names}",
                    places=(corner.position,),
                )
            found = chosen
        if len(found) != 2:
            more = "; say which two with between=(a, b)" if len(found) > 2 else ""
            raise SketchError(
                f"a corner joins two curves that share the point; at ({x:.6g}, {y:.6g}) there end "
                f"{names}{more}",
                places=(corner.position,),
            )
        return found[0], found[1]

    def _spans(self, curve: Entity) -> list[Span]:
        if curve.spans is not None:
            return curve.spans
        ends = curve.ends()
        return [ends] if ends else []

    def _has_end(self, curve: Entity, point: Point) -> bool:
        return any(point in span for span in self._spans(curve))

    def _piece_at(self, curve: Entity, point: Point) -> Piece:
        """The piece of a curve that ends at `point`."""
        number = next(i for i, span in enumerate(self._spans(curve)) if point in span)
        return pieces_along(curve)[number]

    def _cut_back(self, curve: Entity, old: Point, new: Point) -> None:
        """Let the profile part of a curve end at `new` where it ended at `old`."""
        curve.spans = [(new if a is old else a, new if b is old else b) for a, b in self._spans(curve)]

    # ------------------------------------------------------------------ trims

    def trim(self, curve: Entity, near: Iterable[float]) -> None:
        """Take away the part of a curve around `near`, up to the nearest crossings on both sides.

        What is cut stays on what it was cut by. Raises SketchError if nothing crosses the curve.
        """
        self.settle()
        spot = spot_of(near)
        number, piece = self._nearest_piece(curve, spot)
        share = share_along(piece, spot)
        cuts = sorted(self._crossings(curve, piece), key=lambda cut: cut[0])
        before = [cut for cut in cuts if cut[0] < share]
        after = [cut for cut in cuts if cut[0] > share]
        if not cuts:
            raise SketchError(f"nothing crosses {curve.name} there, so there is nothing to trim it to")
        _refuse_text(curve, *(other for _, _, other in (*before[-1:], *after[:1])))
        if piece.is_closed:
            if len(cuts) < 2:
                raise SketchError(f"{curve.name} is crossed once only; trimming needs two places")
            first, last = (after or cuts)[0], (before or cuts)[-1]
            curve.spans = [(self._cut_point(curve, *first), self._cut_point(curve, *last))]
            return
        start, end = self._spans(curve)[number]
        kept: list[Span] = []
        if before:
            kept.append((start, self._cut_point(curve, *before[-1])))
        if after:
            kept.append((self._cut_point(curve, *after[0]), end))
        spans = self._spans(curve)
        curve.spans = [*spans[:number], *kept, *spans[number + 1 :]]

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
        cuts = [
            cut for cut in cuts if math.dist(cut[1], (end if at_end else start).position) > 2 * RESOLUTION
        ]
        if not cuts:
            raise SketchError(f"{curve.name} meets nothing when it is extended there")
        point = self._cut_point(curve, *min(cuts, key=lambda cut: cut[0]))
        if at_end:
            curve.spans = [*spans[:-1], (spans[-1][0], point)]
        else:
            curve.spans = [(point, spans[0][1]), *spans[1:]]
        return point

    def split(self, curve: Curve, at: Iterable[float]) -> Point:
        """Divide a curve in two at the place nearest to `at`; returns the point between them.

        The point can still slide along the curve; dimension it to fix it.
        """
        self.settle()
        spot = spot_of(at)
        number, piece = self._nearest_piece(curve, spot)
        share = share_along(piece, spot)
        if piece.is_closed or not 0 < share < 1:
            raise SketchError(f"{curve.name} cannot be divided at ({spot[0]:.6g}, {spot[1]:.6g})")
        _refuse_text(curve)
        name = self._named("split", None)
        point = Point(self.variables, name, piece.point(share), construction=False)
        self._keep(point)
        self._shape("on", point, curve, label=name)
        spans = self._spans(curve)
        start, end = spans[number]
        curve.spans = [*spans[:number], (start, point), (point, end), *spans[number + 1 :]]
        return point

    def _nearest_piece(self, curve: Entity, spot: Vec2) -> tuple[int, Piece]:
        pieces = pieces_along(curve)
        if not pieces:
            raise SketchError(f"{curve.name} is no curve")
        gaps = [math.dist(p.point(min(1.0, max(0.0, share_along(p, spot)))), spot) for p in pieces]
        number = min(range(len(pieces)), key=gaps.__getitem__)
        return number, pieces[number]

    def _crossings(self, curve: Entity, piece: Piece) -> list[tuple[float, Vec2, Entity]]:
        """(share along the piece, place, other curve) of every meeting away from the piece's ends."""
        found = []
        for other in self.entities:
            if other is curve or other.construction:
                continue
            for against in pieces_along(other):
                for place, overlap in common_points(piece, against):
                    ends = () if piece.is_closed else (piece.start, piece.end)
                    if not overlap and all(math.dist(place, end) > 2 * RESOLUTION for end in ends):
                        found.append((share_along(piece, place), place, other))
        return found

    def _cut_point(self, curve: Entity, share: float, place: Vec2, other: Entity) -> Point:
        """A point on both curves; an end of the other curve that lies there is shared."""
        _refuse_text(curve, other)
        for end in other.ends() or ():
            if math.dist(end.position, place) <= 2 * RESOLUTION:
                self._shape("on", end, curve, label=f"{curve.name} trimmed")
                return end
        point = Point(self.variables, self._named("cut", None), place, construction=False)
        self._keep(point)
        self._shape("on", point, curve, label=f"{curve.name} trimmed")
        self._shape("on", point, other, label=f"{curve.name} trimmed")
        return point

    # ------------------------------------------------------------------ copies

    def mirror(self, things: Things, about: Line, *, suffix: str = "mirror") -> list[Entity]:
        """Mirror entities about a line, and keep them mirrored by constraints.

        Points on the line are shared. The copies are called after the originals, with ".mirror".
        """
        self.settle()
        twins: dict[Point, Point] = {}

        def twin(p: Point) -> Point:
            if p not in twins:
                image = _mirrored(p.position, about)
                if math.dist(image, p.position) <= RESOLUTION:
                    self._shape("on", p, about, label=f"{p.name} on the mirror line")
                    twins[p] = p
                else:
                    twins[p] = Point(self.variables, f"{p.name}.{suffix}", image, p.construction)
                    self._shape("symmetric", p, twins[p], about, label=f"{p.name}.{suffix}")
            return twins[p]

        return [self._copied(e, f"{e.name}.{suffix}", twin, about) for e in flattened(things)]

    def copies(
        self,
        things: Things,
        count: int,
        *,
        dx: float = 0.0,
        dy: float = 0.0,
        about: Point | None = None,
        angle: float = 360.0,
    ) -> list[list[Entity]]:
        """Repeat entities `count` times in all, in a row or in a ring, and keep them repeated.

        In a row: each copy is (dx, dy) from the one before. In a ring `about` a point: spread over
        `angle` degrees; over less than 360 the last copy stands at that angle. The copies are
        called after the originals, with the next free of ".2", ".3", ... Returns a list for each copy made.
        """
        if count < 2:
            raise SketchError(f"copies need a count of at least 2, got {count}")
        if about is None and math.hypot(dx, dy) <= RESOLUTION:
            raise SketchError("copies need a distance dx, dy, or a point to go about")
        self.settle()
        turn = 0.0
        if about is not None:
            turn = math.radians(angle) / (count if abs(angle) >= 360.0 else count - 1)
        made = []
        for k in range(1, count):
            place = self._repeated(k, dx, dy, about, k * turn)
            made.append(
                [self._copied(e, self._next(e.name), place, None, k * turn) for e in flattened(things)]
            )
        return made

    def _next(self, name: str) -> str:
        """ "name.2", or the first higher number that is free."""
        return next(f"{name}.{k}" for k in itertools.count(2) if f"{name}.{k}" not in self._names)

    def _repeated(
        self, k: int, dx: float, dy: float, about: Point | None, turn: float
    ) -> Callable[[Point], Point]:
        twins: dict[Point, Point] = {} if about is None else {about: about}

        def twin(p: Point) -> Point:
            if p not in twins:
                name = f"{p.name}.{k + 1}"
                if about is None:
                    at = (p.x + k * dx, p.y + k * dy)
                else:
                    c, s, (x, y) = math.cos(turn), math.sin(turn), about.position
                    at = (x + c * (p.x - x) - s * (p.y - y), y + s * (p.x - x) + c * (p.y - y))
                twins[p] = Point(self.variables, name, at, p.construction)
                between = (p, twins[p]) if about is None else (p, twins[p], about)
                constraint = self._shape("repeated", *between, label=name)
                constraint.shift, constraint.turn = (k * dx, k * dy), turn
            return twins[p]

        return twin

    def _copied(
        self,
        entity: Entity,
        name: str,
        twin: Callable[[Point], Point],
        about: Line | None,
        turn: float = 0.0,
    ) -> Entity:
        """A copy of one entity with its points replaced, mirrored `about` a line or turned (radians)."""
        name = self._named(entity.kind, name)
        copy: Entity
        if isinstance(entity, Point):
            copy = twin(entity)
            copy.name = name
        elif isinstance(entity, Line):
            copy = Line(self.variables, name, twin(entity.start), twin(entity.end), entity.construction)
        elif isinstance(entity, Circle):
            copy = Circle(self.variables, name, twin(entity.center), entity.radius, entity.construction)
            self._shape("equal", entity, copy, label=name)
        elif isinstance(entity, Arc):
            clockwise = entity.clockwise is (about is None)
            points = (twin(entity.center), twin(entity.start), twin(entity.end))
            copy = Arc(self.variables, name, *points, clockwise, entity.construction)
            self._shape("equal", entity, copy, label=name)
        elif isinstance(entity, EllipseEntity):
            points = (twin(entity.center), twin(entity.tip), twin(entity.side))
            copy = EllipseEntity(self.variables, name, *points, entity.construction)
        elif isinstance(entity, SplineEntity):
            through = tuple(twin(p) for p in entity.through)
            kind = (entity.closed, entity.controlled, entity.construction, entity.basis)
            copy = SplineEntity(self.variables, name, through, *kind)
        else:
            assert isinstance(entity, TextEntity)
            copy = self._copied_text(entity, name, twin(entity.at), about, turn)
        if entity.spans is not None:
            copy.spans = [(twin(a), twin(b)) for a, b in entity.spans]
        self._keep(copy)
        return copy

    def _copied_text(
        self, text: TextEntity, name: str, at: Point, about: Line | None, turn: float
    ) -> TextEntity:
        if about is not None:
            return MirroredText(text, name, at, about)
        if isinstance(text, MirroredText):
            raise SketchError(f"{text.name} is mirrored; copy {text.original.name} and mirror the copies")
        angle = text.angle + turn
        return TextEntity(self.variables, name, at, text.letters, text.height, angle, text.construction)


def _refuse_text(*curves: Entity) -> None:
    """Letters are many curves in one: nothing is cut there."""
    for curve in curves:
        if isinstance(curve, TextEntity):
            raise SketchError(
                f"{curve.name} is a text, at which nothing can be cut; "
                "pick the part you want with region(containing=(x, y))"
            )


def flattened(things: Things) -> list[Entity]:
    """Every single entity among some things, in order."""
    if isinstance(things, Entity):
        return [things]
    flat: list[Entity] = []
    for thing in things:
        flat += flattened(thing)
    return flat


def spot_of(near: Iterable[float]) -> Vec2:
    try:
        return vec2(near)
    except (TypeError, ValueError) as error:
        raise SketchError(f"a place is two finite numbers (x, y), got {near!r}") from error


def _mirrored(p: Vec2, about: Line) -> Vec2:
    (sx, sy), (ex, ey) = about.start.position, about.end.position
    length = math.hypot(ex - sx, ey - sy)
    nx, ny = -(ey - sy) / length, (ex - sx) / length
    height = (p[0] - sx) * nx + (p[1] - sy) * ny
    return (p[0] - 2 * height * nx, p[1] - 2 * height * ny)


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


def _corners_of(corners: Iterable[Point] | Polyline, between: Pair | None) -> list[Point]:
    """The points to round: those of a list, or where the lines of a polyline follow each other."""
    if between is not None:
        raise SketchError("between is for one corner")
    if isinstance(corners, Polyline):
        lines = list(corners)
        joints = [(one, two) for one, two in zip(lines, [*lines[1:], lines[0]], strict=True)]
        return [one.end for one, two in joints if one is not two and one.end is two.start]
    found = list(corners) if isinstance(corners, Iterable) else [corners]
    if not all(isinstance(point, Point) for point in found):
        raise SketchError(f"corners are points or a polyline, got {corners!r}")
    return found
