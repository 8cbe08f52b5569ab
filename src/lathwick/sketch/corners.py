"""Rounds and bevels: the profile loses a corner, the drawing keeps it.

An edit never takes a constraint away from what it was given to. A rounded line keeps its ends, and every
dimension between them; only the part of it that bounds the profile changes.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import overload

from ..errors import SketchError
from ..geometry.tolerance import RESOLUTION
from .constraints import checked_value
from .drawing import PointLike
from .entities import Arc, Circle, Entity, Line, Point, Polygon, Polyline, Rectangle, Round, Span
from .pieces import Piece, parts_of
from .solving import Solving
from .tangent_arcs import Blend, blend_between, refuse_smooth

Pair = tuple[Line | Round, Line | Round]


class Corners(Solving):
    """A constrained drawing whose corners can be taken off."""

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
        box = self._rectangle(width, height, center, corner, construction, name)
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
        made = self._polygon(sides, radius, center, angle, across_flats, construction, name)
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
        size = self._number("distance", distance)
        pieces = [self._piece_at(curve, corner) for curve in (one, two)]
        refuse_smooth(pieces[0], pieces[1], corner.position)
        name = self._named("bevel", name)
        ends = []
        for curve, piece, which in zip((one, two), pieces, ("start", "end"), strict=True):
            far = piece.end if math.dist(piece.start, corner.position) <= 2 * RESOLUTION else piece.start
            room = math.dist(far, corner.position)
            if not RESOLUTION < size <= room + RESOLUTION:
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
            if isinstance(e, (Line, Arc, Circle)) and not e.construction and self._has_end(e, corner)
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
        return any(self._is(end, point) for span in self._spans(curve) for end in span)

    def _is(self, one: Point, two: Point) -> bool:
        """Whether two points are one, or made one by coincidence."""
        if one is two:
            return True
        ties = self._context(self._active(self._constraints))
        return ties.same(one) is ties.same(two)

    def _piece_at(self, curve: Entity, point: Point) -> Piece:
        """The piece of a curve that ends at `point`. Raises SketchError if nothing is left of it there."""
        for span, piece in parts_of(curve):
            if span is not None and any(self._is(end, point) for end in span):
                return piece
        x, y = point.position
        raise SketchError(f"nothing is left of {curve.name} at ({x:.6g}, {y:.6g})", places=(point.position,))

    def _cut_back(self, curve: Entity, old: Point, new: Point) -> None:
        """Let the profile part of a curve end at `new` where it ended at `old`."""
        ends = [[new if self._is(end, old) else end for end in span] for span in self._spans(curve)]
        curve.spans = [(a, b) for a, b in ends]


def _corners_of(corners: Iterable[Point] | Polyline, between: Pair | None) -> list[Point]:
    """The points to round: those of a list, or where the lines of a polyline follow each other."""
    if between is not None:
        raise SketchError("between is for one corner")
    if isinstance(corners, Polyline):
        lines = list(corners)
        joints = [(one, two) for one, two in zip(lines, [*lines[1:], lines[0]], strict=True)]
        return [one.end for one, two in joints if one is not two and one.end is two.start]
    found = list(corners) if isinstance(corners, Iterable) else [corners]
    if not found or not all(isinstance(point, Point) for point in found):
        raise SketchError(f"corners are points or a polyline, got {corners!r}")
    return found
