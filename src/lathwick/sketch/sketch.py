"""`Sketch`: drawing, relating, solving, editing, and the regions that come out."""

from __future__ import annotations

from collections.abc import Iterable

from ..errors import SketchError
from ..geometry.vector import Vec2, vec2
from .edits import Edits
from .entities import Entity
from .pieces import pieces_of
from .region import Region
from .regions import find_regions


class Sketch(Edits):
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
        return find_regions(pieces_of(self.entities), self.plane, self.unit)

    def region(self, containing: Iterable[float]) -> Region:
        """The region of the default profile that contains a point. Raises SketchError if none does."""
        point: Vec2 = vec2(containing)
        for region in self.regions():
            if region.contains(point):
                return region
        raise SketchError(f"no region contains ({point[0]:g}, {point[1]:g})", places=(point,))

    def curves(self) -> tuple[Entity, ...]:
        """Everything drawn, construction geometry included, in order."""
        return tuple(self.entities)
