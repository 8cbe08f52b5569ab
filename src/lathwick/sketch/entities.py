"""What a sketch is drawn with. Entities are handles: their coordinates live in the sketch's variables."""

from __future__ import annotations

import math
from abc import abstractmethod
from collections.abc import Iterator, Sequence
from math import comb
from typing import ClassVar, TypeAlias, overload

import numpy as np

from ..geometry.spline import interpolated, through_controls
from ..geometry.vector import Vec2
from .lettering import Lettering
from .plane_curves import PlaneEllipse, PlaneSpline


class Variables:
    """The unknown numbers of a sketch, in order of creation; constants are never moved by the solver."""

    def __init__(self) -> None:
        self.values: list[float] = []
        self.constant: list[bool] = []

    def new(self, value: float, constant: bool = False) -> int:
        """A new variable starting at `value`; returns its index."""
        self.values.append(float(value))
        self.constant.append(constant)
        return len(self.values) - 1


class Entity:
    """Base of all entities. `name` is unique in the sketch; `construction` geometry bounds no region.

    `spans` are the parts of a curve that rounding, trimming and splitting have left for profiles;
    None means the whole. The curve itself, and what constrains it, stays as it was drawn.
    `original` is what a mirror image was made from, at last; else the entity itself.
    """

    kind: ClassVar[str] = "entity"

    def __init__(self, variables: Variables, name: str, construction: bool) -> None:
        self._variables = variables
        self.name = name
        self.construction = construction
        self.spans: list[Span] | None = None
        self.original: Entity = self

    def __repr__(self) -> str:
        return f"<{self.kind} {self.name}>"

    def points(self) -> tuple[Point, ...]:
        """The points that define the entity."""
        return ()

    def ends(self) -> tuple[Point, Point] | None:
        """Where the entity starts and ends; None if it has no ends."""
        return None

    def own_variables(self) -> tuple[int, ...]:
        """Every variable the entity depends on."""
        return tuple(i for p in self.points() for i in (p.ix, p.iy))


class Point(Entity):
    """A point, in the coordinates of the sketch plane."""

    kind = "point"

    def __init__(
        self, variables: Variables, name: str, at: Vec2, construction: bool, constant: bool = False
    ) -> None:
        super().__init__(variables, name, construction)
        self.ix = variables.new(at[0], constant)
        self.iy = variables.new(at[1], constant)

    @property
    def x(self) -> float:
        return self._variables.values[self.ix]

    @property
    def y(self) -> float:
        return self._variables.values[self.iy]

    @property
    def position(self) -> Vec2:
        """(x, y) as drawn, or as solved after `solve()`."""
        return (self.x, self.y)

    def points(self) -> tuple[Point, ...]:
        return (self,)


class Line(Entity):
    """A straight line from `start` to `end`."""

    kind = "line"

    def __init__(self, variables: Variables, name: str, start: Point, end: Point, construction: bool) -> None:
        super().__init__(variables, name, construction)
        self.start = start
        self.end = end

    @property
    def length(self) -> float:
        return math.dist(self.start.position, self.end.position)

    @property
    def angle(self) -> float:
        """Direction from start to end, degrees from x in (-180, 180]."""
        return math.degrees(math.atan2(self.end.y - self.start.y, self.end.x - self.start.x))

    def ends(self) -> tuple[Point, Point]:
        return (self.start, self.end)

    def points(self) -> tuple[Point, ...]:
        return (self.start, self.end)


class Round(Entity):
    """What circles and arcs share: a center and a radius."""

    def __init__(
        self, variables: Variables, name: str, center: Point, radius: float, construction: bool
    ) -> None:
        super().__init__(variables, name, construction)
        self.center = center
        self.ir = variables.new(radius)

    @property
    def radius(self) -> float:
        return self._variables.values[self.ir]

    @property
    def diameter(self) -> float:
        return 2.0 * self.radius

    def own_variables(self) -> tuple[int, ...]:
        return (*super().own_variables(), self.ir)


class Circle(Round):
    """A full circle."""

    kind = "circle"

    @property
    def length(self) -> float:
        """Circumference."""
        return math.tau * self.radius

    def points(self) -> tuple[Point, ...]:
        return (self.center,)


class Arc(Round):
    """A circular arc from `start` to `end`, counter-clockwise unless `clockwise`."""

    kind = "arc"

    def __init__(
        self,
        variables: Variables,
        name: str,
        center: Point,
        start: Point,
        end: Point,
        clockwise: bool,
        construction: bool,
    ) -> None:
        radius = math.dist(center.position, start.position)
        super().__init__(variables, name, center, radius, construction)
        self.start = start
        self.end = end
        self.clockwise = clockwise

    @property
    def start_angle(self) -> float:
        """Direction from the center to `start`, radians."""
        return math.atan2(self.start.y - self.center.y, self.start.x - self.center.x)

    @property
    def sweep(self) -> float:
        """Angle travelled from start to end, radians; negative when clockwise."""
        end = math.atan2(self.end.y - self.center.y, self.end.x - self.center.x)
        turn = (end - self.start_angle) % math.tau
        return turn - math.tau if self.clockwise else turn

    @property
    def length(self) -> float:
        return self.radius * abs(self.sweep)

    def ends(self) -> tuple[Point, Point]:
        return (self.start, self.end)

    def points(self) -> tuple[Point, ...]:
        return (self.center, self.start, self.end)


class EllipseEntity(Entity):
    """An ellipse by its center and the ends of its two half axes: `tip` and `side`.

    All three are points, so an axis is dimensioned by a distance and turned by an angle.
    """

    kind = "ellipse"

    def __init__(
        self, variables: Variables, name: str, center: Point, tip: Point, side: Point, construction: bool
    ) -> None:
        super().__init__(variables, name, construction)
        self.center = center
        self.tip = tip
        self.side = side

    @property
    def major(self) -> float:
        """Half axis from the center to the tip."""
        return math.dist(self.center.position, self.tip.position)

    @property
    def minor(self) -> float:
        """Half axis from the center to the side."""
        return math.dist(self.center.position, self.side.position)

    @property
    def length(self) -> float:
        """Circumference."""
        return self.curve().length(0.0, math.tau)

    def points(self) -> tuple[Point, ...]:
        return (self.center, self.tip, self.side)

    def curve(self) -> PlaneEllipse:
        """The curve as it is now."""
        angle = math.atan2(self.tip.y - self.center.y, self.tip.x - self.center.x)
        return PlaneEllipse(self.center.position, self.major, self.minor, angle)


class SplineEntity(Entity):
    """A cubic spline through its points, or over them as control points.

    `basis`, degree and knots from 0 to 1, is that of a projected edge; None for the usual one.
    """

    kind = "spline"

    def __init__(
        self,
        variables: Variables,
        name: str,
        through: tuple[Point, ...],
        closed: bool,
        controlled: bool,
        construction: bool,
        basis: tuple[int, tuple[float, ...]] | None = None,
    ) -> None:
        super().__init__(variables, name, construction)
        self.through = through
        self.closed = closed
        self.controlled = controlled
        self.basis = basis

    @property
    def start(self) -> Point:
        return self.through[0]

    @property
    def end(self) -> Point:
        return self.through[-1]

    @property
    def length(self) -> float:
        """Length along the curve."""
        return self.curve().length(0.0, 1.0)

    def points(self) -> tuple[Point, ...]:
        return self.through

    def ends(self) -> tuple[Point, Point] | None:
        return None if self.closed else (self.start, self.end)

    def curve(self) -> PlaneSpline:
        """The curve as it is now."""
        places = np.array([p.position for p in self.through])
        if self.basis is not None:
            return PlaneSpline(*self.basis, places)
        made = through_controls(places) if self.controlled else interpolated(places, self.closed)
        return PlaneSpline(made.degree, made.knots, made.controls)


class TextEntity(Entity):
    """A line of text; its place is the point `at`, on the base line."""

    kind = "text"

    def __init__(
        self,
        variables: Variables,
        name: str,
        at: Point,
        letters: Lettering,
        height: float,
        angle: float,
        construction: bool,
    ) -> None:
        super().__init__(variables, name, construction)
        self.at = at
        self.letters = letters
        self.height = height
        self.angle = angle

    @property
    def width(self) -> float:
        """Length of the base line."""
        return self.letters.width * self.height

    @property
    def extent(self) -> tuple[Vec2, Vec2]:
        """Lower left and upper right corner of the box around the outlines, where they stand now."""
        spots = [_bezier_box(stroke) for contour in self.strokes() for stroke in contour]
        lows, highs = zip(*spots, strict=True)
        (x0, y0), (x1, y1) = np.min(lows, axis=0).tolist(), np.max(highs, axis=0).tolist()
        return (x0, y0), (x1, y1)

    def points(self) -> tuple[Point, ...]:
        return (self.at,)

    def strokes(self) -> list[list[tuple[Vec2, ...]]]:
        """Control points of every stroke of every contour, where the text stands now."""
        c, s = self.height * math.cos(self.angle), self.height * math.sin(self.angle)
        x, y = self.at.position
        return [
            [tuple((x + c * u - s * v, y + s * u + c * v) for u, v in stroke) for stroke in contour]
            for contour in self.letters.contours
        ]


class MirroredText(TextEntity):
    """The mirror image of a text about a line, wherever the two are."""

    def __init__(self, original: TextEntity, name: str, at: Point, about: Line) -> None:
        super().__init__(
            original._variables, name, at, original.letters, original.height, original.angle,
            original.construction,
        )  # fmt: skip
        self.image_of = original
        self.about = about

    def strokes(self) -> list[list[tuple[Vec2, ...]]]:
        (sx, sy), (ex, ey) = self.about.start.position, self.about.end.position
        size = math.hypot(ex - sx, ey - sy)
        nx, ny = -(ey - sy) / size, (ex - sx) / size

        def image(p: Vec2) -> Vec2:
            h = 2.0 * ((p[0] - sx) * nx + (p[1] - sy) * ny)
            return (p[0] - h * nx, p[1] - h * ny)

        contours = self.image_of.strokes()
        return [[tuple(map(image, stroke)) for stroke in contour] for contour in contours]


class Polyline(Sequence[Line]):
    """Lines that share their end points, in order."""

    def __init__(self, name: str, lines: tuple[Line, ...]) -> None:
        self.name = name
        self.lines = lines

    def __repr__(self) -> str:
        return f"<polyline {self.name}, {len(self.lines)} lines>"

    def __len__(self) -> int:
        return len(self.lines)

    @overload
    def __getitem__(self, index: int) -> Line: ...
    @overload
    def __getitem__(self, index: slice) -> tuple[Line, ...]: ...
    def __getitem__(self, index: int | slice) -> Line | tuple[Line, ...]:
        return self.lines[index]

    def __iter__(self) -> Iterator[Line]:
        return iter(self.lines)

    @property
    def length(self) -> float:
        """Length of all lines together."""
        return math.fsum(line.length for line in self.lines)

    @property
    def vertices(self) -> tuple[Point, ...]:
        """The points along the polyline; the first is not repeated at the end of a closed one."""
        ends = [self.lines[0].start, *(line.end for line in self.lines)]
        return tuple(dict.fromkeys(ends))


class Rectangle(Polyline):
    """Four lines that stay a rectangle with sides along x and y; width and height can be driven."""

    def __init__(self, name: str, lines: tuple[Line, ...], center: Point) -> None:
        super().__init__(name, lines)
        self.bottom, self.right, self.top, self.left = lines
        self.center = center

    def __repr__(self) -> str:
        return f"<rectangle {self.name}>"

    @property
    def corners(self) -> tuple[Point, Point, Point, Point]:
        """Bottom left, bottom right, top right, top left."""
        return (self.bottom.start, self.right.start, self.top.start, self.left.start)


class Polygon(Polyline):
    """A regular polygon; `circle` is the construction circle that gives its size."""

    def __init__(self, name: str, lines: tuple[Line, ...], center: Point, circle: Circle) -> None:
        super().__init__(name, lines)
        self.center = center
        self.circle = circle

    def __repr__(self) -> str:
        return f"<polygon {self.name}, {len(self.lines)} sides>"

    @property
    def corners(self) -> tuple[Point, ...]:
        """Counter-clockwise."""
        return tuple(line.start for line in self.lines)


class Group(Sequence[Entity]):
    """Entities that belong together, in order."""

    name: str

    @property
    @abstractmethod
    def parts(self) -> tuple[Entity, ...]:
        """What it is drawn with."""

    def __len__(self) -> int:
        return len(self.parts)

    @overload
    def __getitem__(self, index: int) -> Entity: ...
    @overload
    def __getitem__(self, index: slice) -> tuple[Entity, ...]: ...
    def __getitem__(self, index: int | slice) -> Entity | tuple[Entity, ...]:
        return self.parts[index]


class Slot(Group):
    """Two lines and two arcs that stay a slot; `axis` joins the centers of its ends."""

    def __init__(
        self, name: str, upper: Line, lower: Line, left: Arc, right: Arc, axis: Line, center: Point
    ) -> None:
        self.name = name
        self.upper, self.lower, self.left, self.right = upper, lower, left, right
        self.axis = axis
        self.center = center

    def __repr__(self) -> str:
        return f"<slot {self.name}>"

    @property
    def parts(self) -> tuple[Entity, ...]:
        """What it is drawn with."""
        return (self.upper, self.left, self.lower, self.right, self.axis)


def _bezier_box(controls: tuple[Vec2, ...]) -> tuple[Vec2, Vec2]:
    """Corners of the box around a Bezier curve: its ends, and where its derivative is nought."""
    points = np.array(controls)
    degree = len(points) - 1
    # power form, by forward differences: c_k = C(degree, k) * (k-th difference of the control points)
    powers = [comb(degree, k) * np.diff(points, n=k, axis=0)[0] for k in range(degree + 1)]
    spots = [points[0], points[-1]]
    for axis in (0, 1):
        slope = [k * float(powers[k][axis]) for k in range(degree, 0, -1)]
        for root in np.roots(slope):
            if abs(root.imag) < 1e-9 and 0.0 < root.real < 1.0:
                spots += [sum(c * root.real**k for k, c in enumerate(powers))]
    (x0, y0), (x1, y1) = np.min(spots, axis=0).tolist(), np.max(spots, axis=0).tolist()
    return (x0, y0), (x1, y1)


Curve: TypeAlias = Line | Circle | Arc | EllipseEntity | SplineEntity
Span: TypeAlias = tuple[Point, Point]
"""From one point of a curve to another, in the direction of the curve."""
