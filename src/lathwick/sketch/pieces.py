"""Pieces of plane curve, directed: what loops and regions are made of."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import TypeAlias

import numpy as np

from ..errors import SketchError
from ..geometry.placement import FloatArray
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec2
from .entities import Arc, Circle, EllipseEntity, Entity, Line, Span, SplineEntity, TextEntity
from .plane_curves import NODES, WEIGHTS, Box, CurvePiece, PlaneCurve, PlaneSpline


@dataclass(frozen=True, slots=True)
class LinePiece:
    """A straight piece from `start` to `end`; `name` is the sketch item it comes from."""

    start: Vec2
    end: Vec2
    name: str

    @property
    def is_closed(self) -> bool:
        return False

    @property
    def length(self) -> float:
        return math.dist(self.start, self.end)

    @property
    def curvature(self) -> float:
        return 0.0

    @property
    def box(self) -> Box:
        (ax, ay), (bx, by) = self.start, self.end
        return (min(ax, bx), min(ay, by), max(ax, bx), max(ay, by))

    def point(self, s: float) -> Vec2:
        """The point at the share `s` of the length, 0 at the start and 1 at the end."""
        (ax, ay), (bx, by) = self.start, self.end
        return (ax + s * (bx - ax), ay + s * (by - ay))

    def reversed(self) -> LinePiece:
        return LinePiece(self.end, self.start, self.name)

    def moments(self, o: Vec2) -> tuple[float, float, float]:
        """What the piece adds, by Green's theorem, to the integrals of 1, x - ox and y - oy."""
        ax, ay = self.start[0] - o[0], self.start[1] - o[1]
        bx, by = self.end[0] - o[0], self.end[1] - o[1]
        x = (by - ay) * (ax * ax + ax * bx + bx * bx) / 6  # half the integral of x^2 dy
        y = (ax - bx) * (ay * ay + ay * by + by * by) / 6  # minus half the integral of y^2 dx
        return ((ax * by - ay * bx) / 2, x, y)

    def winding(self, p: Vec2) -> float:
        """Angle (radians) that the direction from `p` to the piece turns through, start to end."""
        return _turn(self.start, self.end, p)


@dataclass(frozen=True, slots=True)
class ArcPiece:
    """A piece of circle from angle `angle` through `sweep` radians (negative is clockwise).

    A full circle has a sweep of plus or minus 2 pi and is closed in itself.
    """

    center: Vec2
    radius: float
    angle: float
    sweep: float
    name: str
    ends: tuple[Vec2, Vec2] | None = None

    @property
    def is_closed(self) -> bool:
        return self.ends is None

    @property
    def start(self) -> Vec2:
        return self.point(0.0) if self.ends is None else self.ends[0]

    @property
    def end(self) -> Vec2:
        return self.point(1.0) if self.ends is None else self.ends[1]

    @property
    def length(self) -> float:
        return self.radius * abs(self.sweep)

    @property
    def curvature(self) -> float:
        return 1.0 / self.radius

    @property
    def box(self) -> Box:
        xs, ys = zip(self.start, self.end, strict=True)
        corners = [
            (self.center[0] + self.radius * c, self.center[1] + self.radius * s, t)
            for c, s, t in ((1, 0, 0.0), (0, 1, 0.25), (-1, 0, 0.5), (0, -1, 0.75))
        ]
        reached = [(x, y) for x, y, turn in corners if self.covers(turn * math.tau)]
        x_all = [*xs, *(x for x, _ in reached)]
        y_all = [*ys, *(y for _, y in reached)]
        return (min(x_all), min(y_all), max(x_all), max(y_all))

    def covers(self, angle: float, slack: float = 0.0) -> bool:
        """Whether the direction `angle` (radians) from the center meets the piece."""
        first = self.angle if self.sweep > 0 else self.angle + self.sweep
        turn = (angle - first + slack) % math.tau - slack
        return turn <= abs(self.sweep) + slack

    def point(self, s: float) -> Vec2:
        """The point at the share `s` of the sweep."""
        t = self.angle + s * self.sweep
        return (
            self.center[0] + self.radius * math.cos(t),
            self.center[1] + self.radius * math.sin(t),
        )

    def reversed(self) -> ArcPiece:
        ends = None if self.ends is None else (self.ends[1], self.ends[0])
        angle = self.angle if self.is_closed else self.angle + self.sweep
        return ArcPiece(self.center, self.radius, angle, -self.sweep, self.name, ends)

    def moments(self, o: Vec2) -> tuple[float, float, float]:
        """What the piece adds, by Green's theorem, to the integrals of 1, x - ox and y - oy.

        A part of a circle is integrated by a Gauss rule on steps from its start: in closed form the
        terms of a nearly flat arc of huge radius would cancel each other and their digits.
        """
        if self.is_closed:
            area = 0.5 * self.sweep * self.radius**2
            return (area, area * (self.center[0] - o[0]), area * (self.center[1] - o[1]))
        parts = max(1, math.ceil(abs(self.sweep) / (math.pi / 2)))
        half = 0.5 * self.sweep / parts
        turn = ((2 * np.arange(parts)[:, None] + 1.0 + NODES) * half).ravel()
        w = np.tile(WEIGHTS, parts) * half * self.radius
        chord, lean = 2.0 * self.radius * np.sin(0.5 * turn), self.angle + 0.5 * turn
        x = self.start[0] - o[0] - chord * np.sin(lean)
        y = self.start[1] - o[1] + chord * np.cos(lean)
        dx, dy = -np.sin(self.angle + turn) * w, np.cos(self.angle + turn) * w
        return (
            float(0.5 * (x * dy - y * dx).sum()),
            float(0.5 * (x * x * dy).sum()),
            float(-0.5 * (y * y * dx).sum()),
        )

    def winding(self, p: Vec2) -> float:
        """Angle (radians) that the direction from `p` to the piece turns through, start to end."""
        inside = math.dist(p, self.center) < self.radius
        if self.is_closed:
            return math.copysign(math.tau, self.sweep) if inside else 0.0
        parts = max(1, math.ceil(abs(self.sweep) / (math.pi / 2)))
        total = 0.0
        for k in range(parts):
            a = self.start if k == 0 else self.point(k / parts)
            b = self.end if k == parts - 1 else self.point((k + 1) / parts)
            turn = _turn(a, b, p)
            if inside and turn * self.sweep < 0.0:  # on the arc's side of its chord, or on the chord
                turn += math.copysign(math.tau, self.sweep)
            total += turn
        return total


Piece: TypeAlias = LinePiece | ArcPiece | CurvePiece


def _turn(a: Vec2, b: Vec2, p: Vec2) -> float:
    ax, ay, bx, by = a[0] - p[0], a[1] - p[1], b[0] - p[0], b[1] - p[1]
    return math.atan2(ax * by - ay * bx, ax * bx + ay * by)


def pieces_of(entities: Iterable[Entity]) -> list[Piece]:
    """The curves that bound regions: everything but points and construction geometry."""
    return [piece for entity in entities if not entity.construction for piece in pieces_along(entity)]


def pieces_along(entity: Entity) -> list[Piece]:
    """The pieces of one entity: all of it, or the spans that edits have left; none for a point.

    Raises SketchError where edits at both ends have used a curve up.
    """
    if isinstance(entity, TextEntity):
        return [_stroke(stroke, entity.name) for contour in entity.strokes() for stroke in contour]
    return [piece for _, piece in parts_of(entity)]


def parts_of(entity: Entity) -> list[tuple[Span | None, Piece]]:
    """The spans of a curve that bound a profile, each with its piece; None for the span of a closed curve.

    A span of which edits at both ends have left just nothing has no piece. Raises SketchError where they
    have used up more than there is.
    """
    if entity.spans is None:
        whole = whole_piece(entity)
        return [] if whole is None else [(entity.ends(), whole)]
    lasting = [(a, b) for a, b in entity.spans if math.dist(a.position, b.position) > 2 * RESOLUTION]
    return [((a, b), _piece(entity, a.position, b.position)) for a, b in lasting]


def whole_piece(entity: Entity) -> Piece | None:
    """A curve as it was drawn, whatever edits have left of it; None for what is no curve."""
    if isinstance(entity, Circle):
        return ArcPiece(entity.center.position, entity.radius, 0.0, math.tau, entity.name)
    if isinstance(entity, (EllipseEntity, SplineEntity)):
        return entity_piece(entity)
    ends = entity.ends()
    return None if ends is None else _piece(entity, ends[0].position, ends[1].position)


def _piece(entity: Entity, a: Vec2, b: Vec2) -> Piece:
    if isinstance(entity, Line):
        (sx, sy), (ex, ey) = entity.start.position, entity.end.position
        if (b[0] - a[0]) * (ex - sx) + (b[1] - a[1]) * (ey - sy) <= 0:
            raise _used_up(entity, a)
        return LinePiece(a, b, entity.name)
    if isinstance(entity, (EllipseEntity, SplineEntity)):
        whole = entity_piece(entity)
        first, last = whole.share_of(a), whole.share_of(b)
        if whole.is_closed and last <= first:
            last += 1.0
        if last <= first:
            raise _used_up(entity, a)
        return whole.part(first, last, a, b)
    assert isinstance(entity, (Arc, Circle))
    x, y = entity.center.position
    angle = math.atan2(a[1] - y, a[0] - x)
    turn = (math.atan2(b[1] - y, b[0] - x) - angle) % math.tau
    sweep = turn - math.tau if isinstance(entity, Arc) and entity.clockwise else turn
    if isinstance(entity, Arc) and _is_backward(entity, a, b):
        raise _used_up(entity, a)
    return ArcPiece((x, y), entity.radius, angle, sweep, entity.name, (a, b))


def _is_backward(arc: Arc, a: Vec2, b: Vec2) -> bool:
    """Whether two places of an arc, both between its ends, follow each other against its sense."""
    slack = RESOLUTION / arc.radius
    way = math.copysign(1.0, arc.sweep)
    first, last = (
        ((way * (math.atan2(p[1] - arc.center.y, p[0] - arc.center.x) - arc.start_angle) + slack) % math.tau)
        - slack
        for p in (a, b)
    )
    return last < first <= abs(arc.sweep) + slack


def _used_up(entity: Entity, at: Vec2) -> SketchError:
    place = f"({at[0]:.6g}, {at[1]:.6g})"
    return SketchError(
        f"nothing is left of {entity.name} between its rounds or trims at {place}", places=(at,)
    )


def _stroke(controls: tuple[Vec2, ...], name: str) -> Piece:
    """A Bezier curve of a letter, as a spline of one span; a line as a line."""
    if len(controls) == 2:
        return LinePiece(controls[0], controls[1], name)
    degree = len(controls) - 1
    knots = (0.0,) * (degree + 1) + (1.0,) * (degree + 1)
    curve = PlaneSpline(degree, knots, np.array(controls))
    return CurvePiece(curve, 0.0, 1.0, name, (controls[0], controls[-1]))


def entity_piece(entity: EllipseEntity | SplineEntity) -> CurvePiece:
    """The whole of an ellipse or a spline."""
    curve = entity.curve()
    if isinstance(entity, EllipseEntity):
        return CurvePiece(curve, 0.0, math.tau, entity.name)
    ends = entity.ends()
    places = (ends[0].position, ends[1].position) if ends else None
    return CurvePiece(curve, 0.0, 1.0, entity.name, places)


def scaled_piece(piece: Piece, factor: float) -> Piece:
    """A piece grown about the origin."""

    def grown(p: Vec2) -> Vec2:
        return factor * p[0], factor * p[1]

    if isinstance(piece, LinePiece):
        return LinePiece(grown(piece.start), grown(piece.end), piece.name)
    ends = None if piece.ends is None else (grown(piece.ends[0]), grown(piece.ends[1]))
    if isinstance(piece, ArcPiece):
        center, radius = grown(piece.center), factor * piece.radius
        return ArcPiece(center, radius, piece.angle, piece.sweep, piece.name, ends)
    if isinstance(piece.curve, PlaneSpline):
        curve: PlaneCurve = replace(piece.curve, controls=factor * piece.curve.controls)
    else:
        old = piece.curve
        curve = replace(old, center=grown(old.center), major=factor * old.major, minor=factor * old.minor)
    return CurvePiece(curve, piece.a, piece.b, piece.name, ends)


def whole_if_smooth(piece: Piece) -> Piece:
    """A piece that is the whole of a curve which ends where it starts and runs on smoothly there, as a closed
    one; any other as it is."""
    if not isinstance(piece, CurvePiece) or piece.is_closed or not isinstance(piece.curve, PlaneSpline):
        return piece
    whole = (piece.low, piece.high) == (piece.curve.low, piece.curve.high)
    if not (whole and piece.curve.is_smoothly_closed):
        return piece
    return CurvePiece(piece.curve, piece.a, piece.b, piece.name)


def halves(piece: Piece) -> tuple[Piece, Piece]:
    """The halves of a piece, as curves of their own: a loop that meets itself at an angle has two edges."""
    middle = piece.point(0.5)
    one, two = (
        subpiece(piece, (0.0, piece.start), (0.5, middle)),
        subpiece(piece, (0.5, middle), (1.0, piece.start)),
    )
    return _own_curve(one), _own_curve(two)


def _own_curve(piece: Piece) -> Piece:
    if not isinstance(piece, CurvePiece) or not isinstance(piece.curve, PlaneSpline):
        return piece
    return CurvePiece(piece.as_spline(), piece.a, piece.b, piece.name, piece.ends)


def second_moments(piece: Piece, o: Vec2) -> tuple[float, float, float]:
    """What a piece adds, by Green's theorem, to the integrals of (y - oy)^2, (x - ox)^2 and their product.

    By a Gauss rule of 20 nodes on steps of at most an eighth of a turn, exact for lines and splines.
    """
    if isinstance(piece, LinePiece):
        stops = np.array([0.0, 1.0])
    elif isinstance(piece, ArcPiece):
        stops = np.linspace(0.0, 1.0, 1 + max(1, math.ceil(abs(piece.sweep) / (math.pi / 4) - 1e-9)))
    else:
        stops = (np.array(piece.curve.breaks(piece.low, piece.high)) - piece.a) / (piece.b - piece.a)
        stops = np.sort(stops)
    half = 0.5 * np.diff(stops)[:, None]
    s = (stops[:-1, None] + half * (NODES + 1)).ravel()
    w = (half * WEIGHTS).ravel()
    (x, y), (dx, dy) = (places_along(piece, s) - np.array(o)).T, slopes_along(piece, s).T
    return (
        float(-(y**3 * dx * w).sum() / 3),
        float((x**3 * dy * w).sum() / 3),
        float((x * x * y * dy * w).sum() / 2),
    )


def places_along(piece: Piece, s: FloatArray) -> FloatArray:
    """Points at shares `s`, shape (N,); returns shape (N, 2)."""
    if isinstance(piece, CurvePiece):
        return piece.points(s)
    if isinstance(piece, LinePiece):
        a, b = np.array(piece.start), np.array(piece.end)
        return a + s[:, None] * (b - a)
    t = piece.angle + s * piece.sweep
    return np.array(piece.center) + piece.radius * np.column_stack([np.cos(t), np.sin(t)])


def slopes_along(piece: Piece, s: FloatArray) -> FloatArray:
    """Derivatives by the share at `s`, shape (N, 2)."""
    if isinstance(piece, CurvePiece):
        return piece.slopes(s)
    if isinstance(piece, LinePiece):
        return np.tile(np.array(piece.end) - np.array(piece.start), (len(s), 1))
    t = piece.angle + s * piece.sweep
    return piece.radius * piece.sweep * np.column_stack([-np.sin(t), np.cos(t)])


def share_along(piece: Piece, spot: Vec2) -> float:
    """Where along the piece (0 at its start, 1 at its end) the place nearest to `spot` is."""
    if isinstance(piece, LinePiece):
        (ax, ay), (bx, by) = piece.start, piece.end
        return ((spot[0] - ax) * (bx - ax) + (spot[1] - ay) * (by - ay)) / piece.length**2
    if isinstance(piece, CurvePiece):
        return piece.share_of(spot)
    angle = math.atan2(spot[1] - piece.center[1], spot[0] - piece.center[0])
    turn = (angle - piece.angle) if piece.sweep > 0 else (piece.angle - angle)
    turn %= math.tau
    sweep = abs(piece.sweep)
    if turn > sweep and turn - sweep > math.tau - turn:
        turn -= math.tau  # nearer to the start than to the end
    return turn / sweep


def subpiece(piece: Piece, first: tuple[float, Vec2], last: tuple[float, Vec2]) -> Piece:
    """The part of a piece between two shares of its length, 0 to 1 (past 1 on a closed piece), each
    given with the place where the part is to end."""
    (a, start), (b, end) = first, last
    if isinstance(piece, LinePiece):
        return LinePiece(start, end, piece.name)
    if isinstance(piece, CurvePiece):
        return piece.part(a, b, start, end)
    angle = piece.angle + a * piece.sweep
    return ArcPiece(piece.center, piece.radius, angle, (b - a) * piece.sweep, piece.name, (start, end))
