"""`Sketch`: drawing, relating, solving, editing, and the regions that come out."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from ..errors import SketchError
from ..gate import gated
from ..geometry.vector import Vec2, vec2
from ..hints import Hinting
from .arrangement import Arrangement
from .entities import Entity, Point
from .gate import RULES, foreign
from .inference import Inference
from .region import Region
from .regions import find_regions
from .wholes import profile_pieces


@gated(RULES, SketchError, check=foreign)
class Sketch(Hinting, Inference):
    """A drawing on a plane with constraints, a solver and the regions its curves enclose.

    Coordinates are those of the plane, in the length unit `unit`. Nothing is related by itself:
    points that happen to lie on each other stay two points until they are shared or constrained.
    """

    def __repr__(self) -> str:
        count = len(self._constraints)
        return f'<Sketch "{self.name}": {len(self.entities)} entities, {count} constraints>'

    def regions(self) -> tuple[Region, ...]:
        """The default profile: outer loops less inner loops, of all curves but construction.

        The sketch is solved first. Raises SketchError, with the place, for a conflict, an open
        end, a duplicate, or curves that cross or touch.
        """
        self.settle()
        return find_regions(profile_pieces(self.entities), self.plane, self.unit)

    def region(self, containing: Iterable[float]) -> Region:
        """The smallest area around a point that the curves enclose, however they overlap.

        The sketch is solved first. Curves may cross and stand out; nothing need be trimmed. Raises
        SketchError if no curves enclose the point.
        """
        point: Vec2 = vec2(containing)
        self.settle()
        arrangement = Arrangement(profile_pieces(self.entities))
        cell = arrangement.containing(point)
        if cell is None:
            raise SketchError(f"no region contains ({point[0]:g}, {point[1]:g})", places=(point,))
        return Region((arrangement.patch_of(cell),), self.plane, self.unit)

    def cells(self) -> tuple[Region, ...]:
        """Every area that the curves enclose, each by itself; together they cover all that is enclosed."""
        self.settle()
        arrangement = Arrangement(profile_pieces(self.entities))
        return tuple(Region((arrangement.patch_of(c),), self.plane, self.unit) for c in arrangement.cells)

    def points(self) -> tuple[Point, ...]:
        """All points of what is drawn, the ends that are trimmed away left out, each once."""
        found = (p for e in self.entities for p in _points_seen(e))
        return tuple(dict.fromkeys(found))

    def curves(self) -> tuple[Entity, ...]:
        """Everything drawn but points, construction geometry included, in order."""
        return tuple(e for e in self.entities if not isinstance(e, Point))


def _points_seen(entity: Entity) -> Iterator[Point]:
    """The points that an entity shows: of a trimmed curve its center and where its pieces end."""
    if isinstance(entity, Point):
        yield entity
    elif entity.spans is None:
        yield from entity.points()
    else:
        own = set(entity.ends() or ())
        yield from (p for p in entity.points() if p not in own)
        yield from (p for span in entity.spans for p in span)
