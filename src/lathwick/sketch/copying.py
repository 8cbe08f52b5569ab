"""Mirrored and repeated geometry, kept so by constraints."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable

from ..errors import SketchError
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec2
from .entities import (
    Arc,
    Circle,
    EllipseEntity,
    Entity,
    Line,
    MirroredText,
    Point,
    Polyline,
    SplineEntity,
    TextEntity,
)
from .trimming import Trimming

MOST = 10_000
"""Copies of one thing."""

Things = Entity | Polyline | Iterable[Entity | Polyline]


class Copying(Trimming):
    """A constrained drawing whose parts can be mirrored and repeated."""

    def mirror(self, things: Things, about: Line | Point, *, suffix: str = "mirror") -> list[Entity]:
        """Mirror entities about a line or a point, and keep them mirrored by constraints.

        Points on the line, or at the point, are shared. A line or arc and its image that run on in each other
        there are one side of the profile. The copies are called after the originals, with ".mirror".
        """
        self.settle()
        twins: dict[Point, Point] = {}

        def twin(p: Point) -> Point:
            if p not in twins:
                image = _mirrored(p.position, about)
                if math.dist(image, p.position) <= RESOLUTION:
                    self._hold_in_mirror(p, about)
                    twins[p] = p
                else:
                    label = f"{p.name}.{suffix}"
                    twins[p] = Point(self.variables, label, image, p.construction)
                    if isinstance(about, Point):
                        self._shape("between", about, p, twins[p], label=label)
                    else:
                        self._shape("symmetric", p, twins[p], about, label=label)
            return twins[p]

        line, turn = (about, 0.0) if isinstance(about, Line) else (None, math.pi)
        made = []
        for e in flattened(things):
            made.append(self._copied(e, f"{e.name}.{suffix}", twin, line, turn))
            made[-1].original = e.original
        return made

    def _hold_in_mirror(self, point: Point, about: Line | Point) -> None:
        """Keep a point that is its own image on the mirror."""
        if isinstance(about, Line):
            self._shape("on", point, about, label=f"{point.name} on the mirror line")
        elif point is not about:
            self._shape("coincident", point, about, label=f"{point.name} at the mirror point")

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
        if not 2 <= count <= MOST:
            raise SketchError(f"copies need a count of 2 to {MOST}, got {count:g}")
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
            turns = about is not None and isinstance(
                entity, (Circle, EllipseEntity)
            )  # these keep their sense
            spans = [(b, a) if turns else (a, b) for a, b in entity.spans]
            copy.spans = [(twin(a), twin(b)) for a, b in spans]
        self._keep(copy)
        return copy

    def _copied_text(
        self, text: TextEntity, name: str, at: Point, about: Line | None, turn: float
    ) -> TextEntity:
        if about is not None:
            return MirroredText(text, name, at, about)
        if isinstance(text, MirroredText):
            raise SketchError(f"{text.name} is mirrored; copy {text.image_of.name} and mirror the copies")
        angle = text.angle + turn
        return TextEntity(self.variables, name, at, text.letters, text.height, angle, text.construction)


def flattened(things: Things) -> list[Entity]:
    """Every single entity among some things, in order."""
    if isinstance(things, Entity):
        return [things]
    flat: list[Entity] = []
    for thing in things:
        flat += flattened(thing)
    return flat


def _mirrored(p: Vec2, about: Line | Point) -> Vec2:
    if isinstance(about, Point):
        return (2 * about.x - p[0], 2 * about.y - p[1])
    (sx, sy), (ex, ey) = about.start.position, about.end.position
    length = math.hypot(ex - sx, ey - sy)
    nx, ny = -(ey - sy) / length, (ex - sx) / length
    height = (p[0] - sx) * nx + (p[1] - sy) * ny
    return (p[0] - 2 * height * nx, p[1] - 2 * height * ny)
