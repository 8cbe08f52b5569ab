"""Drawing: the verbs that add entities to a sketch."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from itertools import count, pairwise
from numbers import Integral
from typing import TypeAlias, TypeVar

from ..errors import SketchError
from ..geometry.placement import XY, Plane
from ..geometry.tolerance import LARGEST, RESOLUTION
from ..geometry.vector import Vec2, vec2
from .constraints import Constraint, Reader
from .contacts import contacts_of
from .entities import (
    Arc,
    Circle,
    EllipseEntity,
    Entity,
    Line,
    Point,
    Polygon,
    Polyline,
    Rectangle,
    Slot,
    SplineEntity,
    TextEntity,
    Variables,
)
from .lettering import lettering
from .measuring import no_reader
from .pieces import Piece

PointLike: TypeAlias = Point | Iterable[float]
Chain = TypeVar("Chain", bound=Polyline)


class Drawing:
    """A plane with entities on it. Every verb takes points as (x, y) or as points drawn before;
    a point passed twice is shared. `name=` must be new in the sketch."""

    def __init__(
        self,
        plane: Plane = XY,
        *,
        name: str = "sketch",
        unit: str = "mm",
        reader: Reader = no_reader,
        backdrop: Callable[[], tuple[Piece, ...]] = tuple,
    ) -> None:
        """backdrop : gives the outline of the face that carries the sketch; it is only shown."""
        self.backdrop = backdrop
        self.plane = plane
        self.reader = reader
        self.name = name
        self.unit = unit
        self.variables = Variables()
        self.entities: list[Entity] = []
        self._constraints: list[Constraint] = []
        self._shapes: list[Constraint] = []
        self._own_joints: dict[Entity, Point] = {}
        self._serial = count()
        self._names: dict[str, object] = {}
        self._numbers: dict[str, int] = {}
        self.origin = self._reference_point("origin", (0.0, 0.0))
        self.x_axis = self._reference_line("x_axis", (1.0, 0.0))
        self.y_axis = self._reference_line("y_axis", (0.0, 1.0))

    # ------------------------------------------------------------------ names

    def _named(self, kind: str, name: str | None) -> str:
        """A checked name, or the next free number of its kind."""
        if name is None:
            while True:
                self._numbers[kind] = self._numbers.get(kind, 0) + 1
                name = f"{kind}{self._numbers[kind]}"
                if name not in self._names:
                    break
        elif not name or any(c in name for c in "/:") or name != name.strip():
            raise SketchError(f'"{name}" is no name for an entity: no "/", ":" or outer spaces')
        if name in self._names:
            raise SketchError(f'the sketch has "{name}" already')
        return name

    def _next(self, name: str) -> str:
        """ "name.2", or the first higher number that is free."""
        return next(f"{name}.{k}" for k in count(2) if f"{name}.{k}" not in self._names)

    def _reference_point(self, name: str, at: Vec2) -> Point:
        point = Point(self.variables, name, at, construction=True, constant=True)
        self._names[name] = point
        return point

    def _reference_line(self, name: str, end: Vec2) -> Line:
        tip = Point(self.variables, f"{name}.end", end, construction=True, constant=True)
        line = Line(self.variables, name, self.origin, tip, construction=True)
        self._names[name] = line
        return line

    def _keep(self, entity: Entity) -> None:
        self._names[entity.name] = entity
        self.entities.append(entity)

    def __getitem__(self, name: str) -> object:
        """The entity with a given name. Raises SketchError telling the names there are."""
        if name not in self._names:
            raise SketchError(f'no entity "{name}"; there are {", ".join(self._names)}')
        return self._names[name]

    def _point(self, at: PointLike, name: str, construction: bool) -> Point:
        if isinstance(at, Point):
            self._must_own(at)
            return at
        return Point(self.variables, name, _position(at, name), construction)

    def _must_own(self, entity: Entity) -> None:
        if entity._variables is not self.variables:
            raise SketchError(f"{entity.name} belongs to another sketch")

    # ------------------------------------------------------------------ entities

    def point(self, at: PointLike, *, construction: bool = False, name: str | None = None) -> Point:
        """A point at (x, y)."""
        name = self._named("point", name)
        point = Point(self.variables, name, _position(at, name), construction)
        self._keep(point)
        return point

    def line(
        self,
        start: PointLike,
        end: PointLike,
        *,
        construction: bool = False,
        name: str | None = None,
    ) -> Line:
        """A straight line between two points. Raises SketchError if it has no length."""
        name = self._named("line", name)
        line = self._line(start, end, name, construction)
        self._keep(line)
        return line

    def _line(self, start: PointLike, end: PointLike, name: str, construction: bool) -> Line:
        a = self._point(start, f"{name}.start", construction)
        b = self._point(end, f"{name}.end", construction)
        _apart(a, b, name)
        return Line(self.variables, name, a, b, construction)

    def polyline(
        self,
        points: Sequence[PointLike],
        *,
        close: bool = False,
        construction: bool = False,
        name: str | None = None,
    ) -> Polyline:
        """Lines through `points` that share their ends; `close=True` goes back to the first."""
        name = self._named("polyline", name)
        given = list(points)
        if len(given) < (3 if close else 2):
            raise SketchError(f"{name} needs at least {3 if close else 2} points, got {len(given)}")
        ends = [self._point(p, f"{name}.point{i}", construction) for i, p in enumerate(given, 1)]
        pairs = list(pairwise(ends)) + ([(ends[-1], ends[0])] if close else [])
        lines = tuple(self._line(a, b, f"{name}.{i}", construction) for i, (a, b) in enumerate(pairs, 1))
        return self._kept_lines(Polyline(name, lines))

    def _rectangle(
        self,
        width: float,
        height: float,
        center: PointLike | None,
        corner: PointLike | None,
        construction: bool,
        name: str | None,
    ) -> Rectangle:
        """A rectangle with sharp corners; what is public also rounds them."""
        name = self._named("rectangle", name)
        if center is not None and corner is not None:
            raise SketchError(f"{name} takes a center or a corner, not both")
        w, h = (_size(value, f"{name} {what}") for value, what in ((width, "width"), (height, "height")))
        at = corner if corner is not None else (center if center is not None else (0.0, 0.0))
        x, y = at.position if isinstance(at, Point) else _position(at, name)
        if corner is None:
            x, y = x - 0.5 * w, y - 0.5 * h
        spots: list[PointLike] = [(x, y), (x + w, y), (x + w, y + h), (x, y + h)]
        if isinstance(corner, Point):
            spots[0] = corner
        labels = ("bottom_left", "bottom_right", "top_right", "top_left")
        ends = [
            self._point(p, f"{name}.{label}", construction) for p, label in zip(spots, labels, strict=True)
        ]
        sides = ("bottom", "right", "top", "left")
        lines = tuple(
            Line(self.variables, f"{name}.{side}", ends[i], ends[(i + 1) % 4], construction)
            for i, side in enumerate(sides)
        )
        middle = self._point(
            center if center is not None else (x + 0.5 * w, y + 0.5 * h), f"{name}.center", True
        )
        box = Rectangle(name, lines, middle)
        for line, kind in zip(lines, ("horizontal", "vertical") * 2, strict=True):
            self._shape(kind, line, label=name)
        self._shape("between", middle, ends[0], ends[2], label=name)
        self._kept_lines(box)
        return box

    def circle(
        self,
        center: PointLike,
        radius: float | None = None,
        *,
        diameter: float | None = None,
        construction: bool = False,
        name: str | None = None,
    ) -> Circle:
        """A full circle, drawn with a `radius` or a `diameter`."""
        name = self._named("circle", name)
        if (radius is None) == (diameter is None):
            raise SketchError(f"{name} takes a radius or a diameter, and only one of them")
        size = _size(diameter, f"{name} diameter") / 2 if radius is None else _size(radius, f"{name} radius")
        point = self._point(center, f"{name}.center", construction)
        circle = Circle(self.variables, name, point, size, construction)
        self._keep(circle)
        return circle

    def arc(
        self,
        center: PointLike,
        start: PointLike,
        end: PointLike,
        *,
        clockwise: bool = False,
        construction: bool = False,
        name: str | None = None,
    ) -> Arc:
        """An arc about `center` from `start` to `end`, counter-clockwise unless `clockwise`.

        Where the two ends are not equally far from the center, solving makes them so.
        """
        name = self._named("arc", name)
        middle = self._point(center, f"{name}.center", construction)
        return self._arc(middle, start, end, clockwise, construction, name)

    def arc_through(
        self,
        start: PointLike,
        through: Iterable[float],
        end: PointLike,
        *,
        construction: bool = False,
        name: str | None = None,
    ) -> Arc:
        """An arc from `start` to `end` drawn through a third position between them.

        Raises SketchError if the three lie on a line.
        """
        name = self._named("arc", name)
        a = start.position if isinstance(start, Point) else _position(start, name)
        m = through.position if isinstance(through, Point) else _position(through, name)
        b = end.position if isinstance(end, Point) else _position(end, name)
        center, clockwise = _circle_through(a, m, b, name)
        middle = Point(self.variables, f"{name}.center", center, construction)
        return self._arc(middle, start, end, clockwise, construction, name)

    def _arc(
        self,
        center: Point,
        start: PointLike,
        end: PointLike,
        clockwise: bool,
        construction: bool,
        name: str,
    ) -> Arc:
        a = self._point(start, f"{name}.start", construction)
        b = self._point(end, f"{name}.end", construction)
        _apart(a, b, name)
        _apart(center, a, name)
        _apart(center, b, name)
        arc = Arc(self.variables, name, center, a, b, clockwise, construction)
        self._shape("shape", arc, label=name)
        self._keep(arc)
        return arc

    def ellipse(
        self,
        center: PointLike,
        major: float,
        minor: float,
        *,
        angle: float = 0.0,
        construction: bool = False,
        name: str | None = None,
    ) -> EllipseEntity:
        """An ellipse drawn with its half axes; `major` lies at `angle` degrees from the x axis.

        `center`, `tip` and `side` are points: `distance(center, tip, v)` and `distance(center, side, v)`
        drive its half axes.
        """
        name = self._named("ellipse", name)
        a, b = _size(major, f"{name} major"), _size(minor, f"{name} minor")
        middle = self._point(center, f"{name}.center", construction)
        c, s = math.cos(math.radians(angle)), math.sin(math.radians(angle))
        tip = Point(self.variables, f"{name}.tip", (middle.x + a * c, middle.y + a * s), True)
        side = Point(self.variables, f"{name}.side", (middle.x - b * s, middle.y + b * c), True)
        ellipse = EllipseEntity(self.variables, name, middle, tip, side, construction)
        self._shape("square", middle, tip, side, label=name)
        self._keep(ellipse)
        return ellipse

    def spline(
        self,
        points: Sequence[PointLike],
        *,
        close: bool = False,
        control: bool = False,
        construction: bool = False,
        name: str | None = None,
    ) -> SplineEntity:
        """A cubic spline through `points`, or with `control=True` over them as control points.

        `close=True` leads smoothly back to the first point (not with `control`). Ends are natural:
        without curvature.
        """
        name = self._named("spline", name)
        given = list(points)
        least = 3 if close else 2
        if len(given) < least:
            raise SketchError(f"{name} needs at least {least} points, got {len(given)}")
        if close and control:
            raise SketchError(
                f"{name}: a spline over control points cannot be closed; end it where it starts"
            )
        through = [self._point(p, f"{name}.point{i}", construction) for i, p in enumerate(given, 1)]
        for a, b in pairwise([*through, through[0]] if close else through):
            _apart(a, b, name)
        spline = SplineEntity(self.variables, name, tuple(through), close, control, construction)
        self._keep(spline)
        return spline

    def text(
        self,
        words: str,
        height: float,
        *,
        at: PointLike = (0.0, 0.0),
        align: str = "left",
        level: str = "base",
        fit: float | None = None,
        angle: float = 0.0,
        spacing: float = 0.0,
        font: str | None = None,
        construction: bool = False,
        name: str | None = None,
    ) -> TextEntity:
        """One line of text as outlines; capitals are `height` high. `extent` tells the box around it.

        at : start, middle or end of the base line, as `align` is "left", "center" or "right"; a point
            that can be constrained. level : what stands at its height, the "base", "middle" or "top" of a
            capital. angle : of the base line, degrees.
        fit : the longest that the base line may be; a text that is longer is made smaller to fit.
        spacing : extra space between letters, in heights. font : path of a TTF or OTF file; without
            one, a packaged font that is the same everywhere.
        """
        name = self._named("text", name)
        if not isinstance(words, str) or not words.strip() or "\n" in words:
            raise SketchError(f"{name} needs one line of text that is not empty, got {words!r}")
        size = _size(height, f"{name} height")
        letters = lettering(words, font, align, float(spacing), level)
        if fit is not None:
            size = min(size, _size(fit, f"{name} fit") / letters.width)
        place = self._point(at, f"{name}.at", True)
        entity = TextEntity(self.variables, name, place, letters, size, math.radians(angle), construction)
        self._keep(entity)
        return entity

    def _polygon(
        self,
        sides: int,
        radius: float,
        center: PointLike,
        angle: float,
        across_flats: bool,
        construction: bool,
        name: str | None,
    ) -> Polygon:
        """A regular polygon with sharp corners; what is public also rounds them."""
        name = self._named("polygon", name)
        if not isinstance(sides, Integral) or not 3 <= sides <= 1000:
            raise SketchError(f"{name} has 3 to 1000 sides, got {sides}")
        size = _size(radius, f"{name} radius")
        middle = self._point(center, f"{name}.center", True)
        reach = size / math.cos(math.pi / sides) if across_flats else size
        first = math.radians(angle) - (math.pi / sides if across_flats else 0.0)
        turns = [first + math.tau * k / sides for k in range(sides)]
        spots = [(middle.x + reach * math.cos(t), middle.y + reach * math.sin(t)) for t in turns]
        corners = [
            Point(self.variables, f"{name}.corner{k}", spot, construction) for k, spot in enumerate(spots, 1)
        ]
        ring = Circle(self.variables, f"{name}.circle", middle, size, True)
        lines = tuple(
            Line(self.variables, f"{name}.{k}", a, b, construction)
            for k, (a, b) in enumerate(pairwise([*corners, corners[0]]), 1)
        )
        self._keep(ring)
        chain = self._kept_lines(Polygon(name, lines, middle, ring))
        if across_flats:
            self._shape("tangent", lines[0], ring, label=name)
        else:
            self._shape("on", corners[0], ring, label=name)
        for k in range(1, sides):
            turned = self._shape("repeated", corners[0], corners[k], middle, label=name)
            turned.turn = math.tau * k / sides
        return chain

    def slot(
        self,
        length: float,
        width: float,
        *,
        center: PointLike = (0.0, 0.0),
        angle: float = 0.0,
        overall: bool = False,
        construction: bool = False,
        name: str | None = None,
    ) -> Slot:
        """A slot with round ends: `length` between the centers of its ends, or over all.

        Its long axis lies at `angle` degrees from x. It stays a slot when driven: dimension
        `slot.axis` for its length and the arc `slot.left` or `slot.right` for its width.
        """
        name = self._named("slot", name)
        wide = _size(width, f"{name} width")
        long = _size(length, f"{name} length") - (wide if overall else 0.0)
        if not long > RESOLUTION:
            raise SketchError(f"{name}: a length over all of {length:g} is no more than the width {wide:g}")
        middle = self._point(center, f"{name}.center", True)
        c, s = math.cos(math.radians(angle)), math.sin(math.radians(angle))

        def at(u: float, v: float, label: str, hidden: bool = construction) -> Point:
            place = (middle.x + u * c - v * s, middle.y + u * s + v * c)
            return Point(self.variables, f"{name}.{label}", place, hidden)

        half, r = 0.5 * long, 0.5 * wide
        west, east = at(-half, 0, "west", True), at(half, 0, "east", True)
        spots = [at(half, r, "upper.start"), at(-half, r, "upper.end"), at(-half, -r, "lower.start"),
                 at(half, -r, "lower.end")]  # fmt: skip
        upper = Line(self.variables, f"{name}.upper", spots[0], spots[1], construction)
        lower = Line(self.variables, f"{name}.lower", spots[2], spots[3], construction)
        left = Arc(self.variables, f"{name}.left", west, spots[1], spots[2], False, construction)
        right = Arc(self.variables, f"{name}.right", east, spots[3], spots[0], False, construction)
        axis = Line(self.variables, f"{name}.axis", west, east, True)
        made = Slot(name, upper, lower, left, right, axis, middle)
        self._names[name] = made
        for part in made.parts:
            self._keep(part)
        for arc in (left, right):
            self._shape("shape", arc, label=name)
            for line in (upper, lower):
                self._shape("tangent", line, arc, label=name)
        self._shape("equal", left, right, label=name)
        self._shape("between", middle, west, east, label=name)
        return made

    # ------------------------------------------------------------------ helpers

    def _shape(self, kind: str, *entities: Entity, label: str) -> Constraint:
        """A constraint that belongs to an entity; it cannot be removed."""
        name = f"{label} (its shape)"
        constraint = Constraint(kind, entities, None, name, self._shapes, internal=True)
        constraint.contacts = contacts_of(kind, entities, None, self.variables)
        constraint.serial = next(self._serial)
        self._shapes.append(constraint)
        return constraint

    def _kept_lines(self, chain: Chain) -> Chain:
        self._names[chain.name] = chain
        for line in chain.lines:
            self._keep(line)
        return chain


def _position(at: PointLike, what: str) -> Vec2:
    if isinstance(at, Point):
        return at.position
    try:
        x, y = vec2(at)
    except (TypeError, ValueError) as error:
        raise SketchError(f"{what} needs a point (x, y) with finite numbers, got {at!r}") from error
    if max(abs(x), abs(y)) > LARGEST:
        raise SketchError(f"{what} lies at ({x:g}, {y:g}), beyond the limit of {LARGEST:g}")
    return (x, y)


def _size(value: float | None, what: str) -> float:
    try:
        number = float("nan") if value is None else float(value)
    except (TypeError, ValueError) as error:
        raise SketchError(f"{what} needs a number, got {value!r}") from error
    if not (math.isfinite(number) and number > RESOLUTION):
        raise SketchError(f"{what} must be more than {RESOLUTION:g}, got {number:g}")
    return number


def _apart(a: Point, b: Point, name: str) -> None:
    if not math.dist(a.position, b.position) > RESOLUTION:
        x, y = a.position
        raise SketchError(f"{name} has no length at ({x:.6g}, {y:.6g})", places=((x, y),))


def _circle_through(a: Vec2, m: Vec2, b: Vec2, name: str) -> tuple[Vec2, bool]:
    """Center of the circle through three points, and whether they run clockwise."""
    ux, uy, vx, vy = m[0] - a[0], m[1] - a[1], b[0] - a[0], b[1] - a[1]
    cross = ux * vy - uy * vx
    reach = max(math.hypot(ux, uy), math.hypot(vx, vy))
    if not abs(cross) > 1e-9 * reach * reach:
        raise SketchError(f"{name}: the three points of an arc lie on a line", places=(a, m, b))
    uu, vv = ux * ux + uy * uy, vx * vx + vy * vy
    center = (a[0] + (vy * uu - uy * vv) / (2 * cross), a[1] + (ux * vv - vx * uu) / (2 * cross))
    return center, cross < 0
