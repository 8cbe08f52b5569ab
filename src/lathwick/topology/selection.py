"""Ordered, immutable selections of faces, edges or vertices, and the filters on them."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any, Generic, TypeVar, overload

from ..errors import ModellingError
from ..gate import shown_value
from ..geometry.placement import Plane, as_direction
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import dot, is_parallel, sub, vec3
from ..hints import Hinting
from .arguments import Planar, asked

T = TypeVar("T")
"""BodyFace, BodyEdge or BodyVertex."""

DIRECTION_TOLERANCE = 1e-7


@asked
class Selection(Hinting, Sequence[T], Generic[T]):
    """Faces, edges or vertices of a body, each once, in a fixed order.

    Combine with `|` (either), `&` (both) and `-` (without); the order of the left side is kept.
    A filter returns a new selection and raises ModellingError where it makes no sense, such as
    `convex()` of faces.
    """

    __slots__ = ("_items",)

    def __init__(self, items: Iterable[T] = ()) -> None:
        self._items: tuple[T, ...] = tuple(dict.fromkeys(items))

    def __len__(self) -> int:
        return len(self._items)

    def __iter__(self) -> Iterator[T]:
        return iter(self._items)

    @overload
    def __getitem__(self, index: int) -> T: ...
    @overload
    def __getitem__(self, index: slice) -> Selection[T]: ...
    def __getitem__(self, index: int | slice) -> T | Selection[T]:
        if isinstance(index, slice):
            return Selection(self._items[index])
        try:
            return self._items[index]
        except IndexError:
            held = f"{len(self)} item{'s' if len(self) != 1 else ''}"
            raise IndexError(f"the selection holds {held}; there is no [{index}]") from None

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Selection) and self._items == other._items

    def __hash__(self) -> int:
        return hash(self._items)

    def __or__(self, other: Iterable[T]) -> Selection[T]:
        return Selection([*self._items, *_items(other)])

    def __and__(self, other: Iterable[T]) -> Selection[T]:
        keep = set(_items(other))
        return Selection(item for item in self._items if item in keep)

    def __sub__(self, other: Iterable[T]) -> Selection[T]:
        drop = set(_items(other))
        return Selection(item for item in self._items if item not in drop)

    def __repr__(self) -> str:
        shown = ", ".join(str(item) for item in self._items[:6])
        more = f", and {len(self) - 6} more" if len(self) > 6 else ""
        return f"Selection({shown}{more})"

    def where(self, test: Callable[[Any], bool]) -> Selection[T]:
        """Those for which `test` is true."""
        return Selection(item for item in self._items if test(item))

    def convex(self) -> Selection[T]:
        """Edges where the material makes an outside corner."""
        self._need("convex", "edge")
        return self.where(lambda edge: edge.is_convex is True)

    def concave(self) -> Selection[T]:
        """Edges where the material makes an inside corner."""
        self._need("concave", "edge")
        return self.where(lambda edge: edge.is_convex is False)

    def straight(self) -> Selection[T]:
        """Edges that are straight."""
        self._need("straight", "edge")
        return self.where(lambda edge: edge.kind == "line")

    def circular(self, radius: float | None = None) -> Selection[T]:
        """Edges that are circles or arcs, of the given radius (within the resolution)."""
        self._need("circular", "edge")
        return self.where(
            lambda edge: edge.kind == "circle" and (radius is None or abs(edge.radius - radius) <= RESOLUTION)
        )

    def planar(self) -> Selection[T]:
        """Faces on planes."""
        self._need("planar", "face")
        return self.where(lambda face: face.kind == "plane")

    def cylindrical(self) -> Selection[T]:
        """Faces on cylinders."""
        self._need("cylindrical", "face")
        return self.where(lambda face: face.kind == "cylinder")

    def parallel(self, direction: Any) -> Selection[T]:
        """Straight edges along `direction`, either way: an Axis, a Plane (its normal) or three numbers."""
        self._need("parallel", "edge")
        d = as_direction(direction)
        return self.straight().where(lambda edge: is_parallel(edge.direction, d, DIRECTION_TOLERANCE))

    def facing(self, direction: Any) -> Selection[T]:
        """Planar faces whose outward normal is `direction`: an Axis, a Plane or three numbers."""
        self._need("facing", "face")
        d = as_direction(direction)
        return self.planar().where(
            lambda face: dot(face.normal, d) > 0 and is_parallel(face.normal, d, DIRECTION_TOLERANCE)
        )

    def on(self, plane: Plane | Planar) -> Selection[T]:
        """Those that lie wholly in a plane, or in that of a planar face, within the resolution."""
        there = plane if isinstance(plane, Plane) else Plane(plane.center, plane.normal)
        return self.where(lambda item: item.lies_in(there))

    def within(self, low: Iterable[float], high: Iterable[float]) -> Selection[T]:
        """Those that lie wholly in the box from `low` to `high` (three numbers each), its sides included."""
        a, b = vec3(low), vec3(high)
        return self.where(lambda item: item.lies_within(a, b))

    def nearest(self, point: Iterable[float]) -> Selection[T]:
        """The one face, edge or vertex nearest to `point` (the first of equals)."""
        p = vec3(point)
        items: tuple[Any, ...] = self._items
        return Selection([min(items, key=lambda item: item.distance_to(p))] if items else [])

    def longest(self, n: int = 1) -> Selection[T]:
        """The `n` longest edges, longest first; equals keep their order."""
        self._need("longest", "edge")
        if n < 0:
            raise ModellingError(f"longest: n takes a whole number of 0 or more, got {n}")
        edges: tuple[Any, ...] = self._items
        return Selection(sorted(edges, key=lambda edge: -edge.length)[:n])

    def _need(self, verb: str, *kinds: str) -> None:
        items: tuple[Any, ...] = self._items
        for item in items:
            if item.sort not in kinds:
                wanted = " or ".join("vertices" if k == "vertex" else k + "s" for k in kinds)
                raise ModellingError(f"{verb}() is for {wanted}; this selection holds a {item.sort}")


def _items(other: Iterable[T]) -> list[T]:
    """What a selection is combined with. Raises ModellingError for what holds no faces, edges or vertices."""
    found = list(other) if isinstance(other, Iterable) else None
    if found is None or not all(hasattr(type(item), "sort") for item in found):
        raise ModellingError(f"a selection is combined with another, got {shown_value(other)}")
    return found


def in_box(bounds: Any, low: tuple[float, float, float], high: tuple[float, float, float]) -> bool:
    """Whether a box, shape (2, 3), lies in another within the resolution."""
    return bool((bounds[0] >= [c - RESOLUTION for c in low]).all()) and bool(
        (bounds[1] <= [c + RESOLUTION for c in high]).all()
    )


def in_plane(points: Iterable[tuple[float, float, float]], plane: Plane) -> bool:
    """Whether every point lies in `plane` within the resolution."""
    return all(math.fabs(dot(sub(p, plane.origin), plane.normal)) <= RESOLUTION for p in points)


def single(thing: Any) -> Any:
    """The one item of a selection of one; anything else as it is."""
    return thing[0] if isinstance(thing, Selection) and len(thing) == 1 else thing
