"""`Body`: an immutable, valid solid, and the views of its faces, edges and vertices."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from ..errors import ModellingError, ReferenceLost
from ..gate import shown_value
from ..geometry.placement import FloatArray, Plane
from ..geometry.tolerance import ANGULAR, LARGEST, RESOLUTION, SMOOTH
from ..geometry.vector import Vec3, cross, distance, dot, negated, norm, unit, vec3
from ..hints import Hinting
from .arguments import asked
from .boxes import bounds_of_all, face_bounds, keep_boxes, outer_box
from .brep import Coedge, Edge, Face, Lump, Remembering, Shell, Vertex
from .inside import contains
from .looking import Wall, barred, thinnest
from .mass import MassProperties, edge_center, face_center, mass_properties
from .names import Address, FaceName
from .nearest import nearest_in_face
from .selection import Selection, in_box, in_plane
from .validity import Problem, check_lumps

MOST_PLACES = 1_000_000
SWALLOWED = "swallowed"
"""Under this a body remembers the names that its steps took away, and which step did."""

SHOWN = 6
"""Of several things so many are told."""


@asked
class Body(Hinting, Remembering):
    """A valid solid: one or more lumps of material, exact faces, in the length unit `unit`.

    Bodies come from modelling operations and never change. `Body.made` is the usual door: it
    raises ModellingError if the faces do not bound a solid. Solids that cannot be wrong, as a
    cylinder is, come by `Body.built`.
    """

    beside = (
        "chamfer", "cut", "distance", "draft", "fillet", "hole", "intersect", "mirror", "move", "save",
        "scale", "shell", "split", "turn", "union",
    )  # fmt: skip

    def __init__(self, pieces: tuple[Lump, ...], unit: str) -> None:
        self.pieces = pieces
        self.unit = unit

    @classmethod
    def made(cls, pieces: Iterable[Lump], unit: str) -> Body:
        """Check the lumps and wrap them. Raises ModellingError with the first problem found."""
        body = cls(tuple(pieces), unit)
        problems = body.check()
        if problems:
            raise ModellingError(f"the result is no valid solid: {problems[0]}")
        return body

    @classmethod
    def built(cls, pieces: Iterable[Lump], unit: str) -> Body:
        """Wrap lumps that bound a solid by the way they are built, as images of a body do: of those only
        the place can be wrong. Raises ModellingError for one too far away."""
        body = cls(tuple(pieces), unit)
        if max(float(np.abs(outer_box(face)).max()) for face in body.brep_faces) <= LARGEST:
            return body
        reach = float(np.abs(body._box).max())
        if reach > LARGEST:
            raise ModellingError(f"the body would lie {reach:g} from the origin, more than {LARGEST:g}")
        return body

    def __repr__(self) -> str:
        return (
            f"<Body: {len(self.brep_faces)} faces, {len(self.faces_of_edge)} edges, "
            f"volume {self.volume:.6g} {self.unit}³>"
        )

    # ------------------------------------------------------------------ measures

    @property
    def volume(self) -> float:
        """Volume in cubic units, by quadrature on the exact faces."""
        return self.mass_properties.volume

    @property
    def area(self) -> float:
        """Surface area in square units."""
        return self.mass_properties.area

    @property
    def centroid(self) -> Vec3:
        """Center of the volume."""
        return self.mass_properties.centroid

    @property
    def inertia(self) -> FloatArray:
        """Inertia tensor about the centroid for density one, shape (3, 3), unit to the fifth power."""
        return self.mass_properties.inertia.copy()

    @property
    def bounds(self) -> tuple[Vec3, Vec3]:
        """Lowest and highest corner of the exact bounding box, sides along X, Y and Z."""
        low, high = self._box.tolist()
        return _triple(low), _triple(high)

    @cached_property
    def _box(self) -> FloatArray:
        """As `bounds`, shape (2, 3)."""
        return bounds_of_all(self.brep_faces)

    @property
    def lumps(self) -> int:
        """Number of separate pieces of material."""
        return len(self.pieces)

    @cached_property
    def mass_properties(self) -> MassProperties:
        """All measures at once; see `topology.mass`."""
        return mass_properties(self.brep_faces)

    @cached_property
    def _face_areas(self) -> dict[Face, float]:
        return dict(zip(self.brep_faces, self.mass_properties.face_areas.tolist(), strict=True))

    def face_area(self, face: Face) -> float:
        """Area of one of the body's faces."""
        return self._face_areas[face]

    # ------------------------------------------------------------------ validity

    def check(self) -> tuple[Problem, ...]:
        """Everything that is wrong with the body; an empty tuple means it is valid."""
        return self._problems

    @property
    def is_valid(self) -> bool:
        """Whether `check()` finds nothing."""
        return not self.check()

    @cached_property
    def _problems(self) -> tuple[Problem, ...]:
        return check_lumps(self.pieces, self._measured)

    def _measured(self, faces: Sequence[Face]) -> MassProperties:
        """The measures of some faces; those of the whole body are kept."""
        return self.mass_properties if faces == self.brep_faces else mass_properties(faces)

    # ------------------------------------------------------------------ topology

    @cached_property
    def brep_faces(self) -> tuple[Face, ...]:
        """The faces themselves, in a fixed order."""
        return tuple(f for lump in self.pieces for shell in lump.shells for f in shell.faces)

    @cached_property
    def faces_of_edge(self) -> dict[Edge, list[tuple[Face, Coedge]]]:
        """The two faces (and their coedges) that meet in each edge, edges in a fixed order."""
        table: dict[Edge, list[tuple[Face, Coedge]]] = defaultdict(list)
        for face in self.brep_faces:
            for coedge in face.coedges():
                table[coedge.edge].append((face, coedge))
        return dict(table)

    def faces(self, address: str | None = None) -> Selection[BodyFace]:
        """All faces, or those that answer to `address` ("step", "step/role" or "step/role:item").

        Raises ReferenceLost, telling what there is, if none does.
        """
        if address is None:
            return Selection(BodyFace(self, face) for face in self.brep_faces)
        wanted = Address.parse(address)
        found = [f for f in self.brep_faces if any(wanted.matches(name) for name in f.names)]
        if not found:
            raise ReferenceLost(_lost(address, wanted, self.brep_faces, self.__dict__.get(SWALLOWED, {})))
        return Selection(BodyFace(self, face) for face in found)

    def note_swallowed(self, step: str, inputs: Iterable[Body]) -> None:
        """Remember which names of the bodies that a step was given are not here, for who asks later."""
        here = {name for face in self.brep_faces for name in face.names}
        gone: dict[FaceName, str] = {}
        for body in inputs:
            gone |= body.__dict__.get(SWALLOWED, {})
            gone |= {name: step for face in body.brep_faces for name in face.names}
        self.__dict__[SWALLOWED] = {name: taker for name, taker in gone.items() if name not in here}

    def face(self, address: str) -> BodyFace:
        """The one face that answers to `address`. Raises ReferenceLost for none or several."""
        found = self.faces(address)
        if len(found) > 1:
            told = [f"{face.names[0] if face.names else 'no name'} {_placed(face)}" for face in found[:SHOWN]]
            more = " and more" if len(found) > SHOWN else ""
            raise ReferenceLost(
                f'"{address}" names {len(found)} faces, not one: {", ".join(told)}{more}; choose one with '
                f'body.faces("{address}").nearest(point), or by facing(direction), on(plane), where(fn)'
            )
        return found[0]

    def edges(self, address: str | None = None, other: str | None = None) -> Selection[BodyEdge]:
        """All edges; the edges of the faces at `address`; or those between `address` and `other`.

        Raises ReferenceLost if an address matches no face, or the two share no edge.
        """
        if address is None:
            return Selection(BodyEdge(self, edge) for edge in self.faces_of_edge)
        first = {face.brep for face in self.faces(address)}
        second = first if other is None else {face.brep for face in self.faces(other)}
        found = [edge for edge, uses in self.faces_of_edge.items() if _joins(uses, first, second, other)]
        if not found:
            raise ReferenceLost(f'no edge joins "{address}" and "{other}"')
        return Selection(BodyEdge(self, edge) for edge in found)

    def edge(self, address: str, other: str) -> BodyEdge:
        """The one edge between two addresses. Raises ReferenceLost for none or several."""
        found = self.edges(address, other)
        if len(found) > 1:
            raise ReferenceLost(f'"{address}" and "{other}" share {len(found)} edges, not one')
        return found[0]

    def contains(self, points: Iterable[Iterable[float]] | FloatArray) -> NDArray[np.bool_]:
        """Whether points lie in the body, shape (N, 3); returns shape (N,). Points on its faces, within
        the resolution, count as inside. Exact: by rays against the faces themselves."""
        try:
            places = np.asarray(points if isinstance(points, np.ndarray) else list(points), dtype=float)
        except (TypeError, ValueError):
            raise ModellingError(
                f"contains takes points of shape (N, 3), got {shown_value(points)}"
            ) from None
        if places.ndim != 2 or places.shape[1] != 3 or not np.isfinite(places).all():
            raise ModellingError(f"contains takes points of shape (N, 3), got shape {places.shape}")
        return contains(self.brep_faces, places)

    def thinnest(self, sample: int = 500) -> Wall:
        """The least wall, square to the faces, of about so many places spread over them: elsewhere it may be
        thinner. Raises ModellingError for a sample of no places."""
        return thinnest(self.brep_faces, self._areas, _places(sample))

    def undercuts(self, direction: Iterable[float], sample: int = 500) -> Selection[BodyFace]:
        """The faces that a mould holds which opens along a direction and against it: of about so many places
        spread over all faces, those that are free to neither side tell.

        Raises ModellingError for what is no direction.
        """
        way = _direction(direction)
        held = barred(self.brep_faces, self._areas, way, _places(sample))
        return Selection(BodyFace(self, face) for face in held)

    @property
    def _areas(self) -> list[float]:
        areas: list[float] = self.mass_properties.face_areas.tolist()
        return areas

    def vertices(self) -> Selection[BodyVertex]:
        """All vertices. A full circle has none."""
        ends = (v for edge in self.faces_of_edge for v in (edge.start, edge.end))
        return Selection(BodyVertex(self, v) for v in dict.fromkeys(ends) if v is not None)


def renamed(body: Body, names: Callable[[Face], tuple[FaceName, ...]]) -> Body:
    """The body whose faces have the names that a rule gives them; faces that keep theirs stay the same."""

    def face_of(face: Face) -> Face:
        new = names(face)
        return face if new == face.names else keep_boxes(face, replace(face, names=new))

    def shell(old: Shell) -> Shell:
        return Shell(tuple(map(face_of, old.faces)))

    pieces = [Lump(shell(lump.outer), tuple(map(shell, lump.voids))) for lump in body.pieces]
    return Body.built(pieces, body.unit)


def _placed(face: BodyFace) -> str:
    return f"at ({', '.join(f'{c:.4g}' for c in face.center)})"


def _places(sample: int) -> int:
    if isinstance(sample, bool) or not isinstance(sample, int) or not 1 <= sample <= MOST_PLACES:
        raise ModellingError(f"sample is a number of places, 1 to {MOST_PLACES}, got {sample!r}")
    return sample


def _direction(values: Iterable[float]) -> Vec3:
    try:
        way = vec3(values)
    except (TypeError, ValueError):
        raise ModellingError(f"a direction is three numbers, got {values!r}") from None
    if norm(way) <= RESOLUTION:
        raise ModellingError("a direction of no length")
    return unit(way)


def _triple(values: Iterable[float]) -> Vec3:
    x, y, z = values
    return (x, y, z)


def _joins(
    uses: Sequence[tuple[Face, Coedge]], first: set[Face], second: set[Face], other: str | None
) -> bool:
    faces = [face for face, _ in uses]
    if other is None:
        return any(face in first for face in faces)
    a, b = faces
    return (a in first and b in second) or (b in first and a in second)


def _lost(address: str, wanted: Address, faces: Sequence[Face], swallowed: Mapping[FaceName, str]) -> str:
    takers = dict.fromkeys(step for name, step in swallowed.items() if wanted.matches(name))
    if takers:
        return f'no face answers to "{address}" any more: step {" and ".join(map(repr, takers))} took it away'
    names = sorted({name for face in faces for name in face.names})
    mine = [name for name in names if name.step == wanted.step]
    if mine:
        return f'no face answers to "{address}"; step "{wanted.step}" made {_listed(mine)}'
    steps = dict.fromkeys(name.step for name in names)
    return f'no face answers to "{address}"; the steps in this body are {", ".join(map(repr, steps))}'


def _listed(names: Sequence[FaceName], most: int = 12) -> str:
    shown = ", ".join(str(name) for name in names[:most])
    return shown + (f" and {len(names) - most} more" if len(names) > most else "")


@asked
@dataclass(frozen=True, slots=True, eq=False)
class BodyFace:
    """A face of a body, as a user sees it."""

    body: Body
    brep: Face
    sort: ClassVar[str] = "face"

    def __eq__(self, other: object) -> bool:
        return isinstance(other, BodyFace) and self.brep is other.brep

    def __hash__(self) -> int:
        return hash(self.brep)

    def __repr__(self) -> str:
        name = f' "{self.brep.names[0]}"' if self.brep.names else ""
        return f"<{self.kind} face{name}>"

    @property
    def kind(self) -> str:
        """The kind of surface: "plane", "cylinder", "cone", "sphere", "torus", "canal", "ruled" or
        "spline"."""
        return self.brep.surface.called

    @property
    def area(self) -> float:
        """Area in square units."""
        return self.body.face_area(self.brep)

    @property
    def normal(self) -> Vec3:
        """Outward unit normal of a planar face. Raises ModellingError on a curved one."""
        plane = self.brep.surface.plane
        if plane is None:
            raise ModellingError(f"a {self.kind} face has no single normal; use normal_at(point)")
        return plane.normal if self.brep.outward else negated(plane.normal)

    @property
    def center(self) -> Vec3:
        """The center of its area; of a curved face it need not lie on it."""
        x, y, z = face_center(self.brep).tolist()
        return (x, y, z)

    def normal_at(self, point: Vec3) -> Vec3:
        """Outward unit normal at the foot of `point` on the surface."""
        return self.brep.outward_normal(point)

    @property
    def radius(self) -> float:
        """Radius of a cylindrical face. Raises ModellingError on a plane."""
        radius = getattr(self.brep.surface, "radius", None)
        if radius is None:
            raise ModellingError(f"a {self.kind} face has no radius")
        return float(radius)

    @property
    def step(self) -> str:
        """Name of the step that made the face ("" if it was made outside a job)."""
        return self.brep.names[0].step if self.brep.names else ""

    @property
    def names(self) -> tuple[str, ...]:
        """All addresses the face answers to in full."""
        return tuple(str(name) for name in self.brep.names)

    def edges(self) -> Selection[BodyEdge]:
        """The edges around the face."""
        return Selection(BodyEdge(self.body, c.edge) for c in self.brep.coedges())

    def distance_to(self, point: Vec3) -> float:
        """Distance from `point` to the nearest point of the face."""
        return distance(self.nearest(point), point)

    def nearest(self, point: Vec3) -> Vec3:
        """The point of the face that is nearest to `point`."""
        return nearest_in_face(self.brep, point)

    def lies_within(self, low: Vec3, high: Vec3) -> bool:
        """Whether the whole face lies in a box."""
        return in_box(face_bounds(self.brep), low, high)

    def lies_in(self, plane: Plane) -> bool:
        """Whether the whole face lies in `plane`."""
        return (
            self.kind == "plane"
            and norm(cross(self.normal, plane.normal)) <= SMOOTH
            and all(edge.lies_in(plane) for edge in self.edges())
        )


@asked
@dataclass(frozen=True, slots=True, eq=False)
class BodyEdge:
    """An edge of a body, as a user sees it."""

    body: Body
    brep: Edge
    sort: ClassVar[str] = "edge"

    def __eq__(self, other: object) -> bool:
        return isinstance(other, BodyEdge) and self.brep is other.brep

    def __hash__(self) -> int:
        return hash(self.brep)

    def __repr__(self) -> str:
        return f"<{self.kind} edge, length {self.length:.6g}>"

    @property
    def kind(self) -> str:
        """The kind of curve: "line" or "circle" (arcs are pieces of circles)."""
        return self.brep.curve.kind

    @property
    def length(self) -> float:
        """Length along the curve."""
        return self.brep.length

    @property
    def radius(self) -> float:
        """Radius of a circular edge. Raises ModellingError on a straight one."""
        radius = getattr(self.brep.curve, "radius", None)
        if radius is None:
            raise ModellingError(f"a {self.kind} edge has no radius")
        return float(radius)

    @property
    def direction(self) -> Vec3:
        """Unit direction of a straight edge. Raises ModellingError on a curved one."""
        if self.kind != "line":
            raise ModellingError(f"a {self.kind} edge has no single direction")
        return self.brep.curve.tangent(0.0)

    @property
    def is_closed(self) -> bool:
        """Whether the edge is a full circle, without ends."""
        return self.brep.is_closed

    @property
    def start(self) -> Vec3:
        """Where the edge starts; on a closed edge, the point at parameter zero."""
        return self.brep.end_points()[0]

    @property
    def end(self) -> Vec3:
        """Where the edge ends."""
        return self.brep.end_points()[1]

    @property
    def center(self) -> Vec3:
        """The center of its length; of a curved edge it need not lie on it."""
        if self.brep.curve.kind == "line":
            return self.brep.midpoint()
        x, y, z = edge_center(self.brep).tolist()
        return (x, y, z)

    @property
    def midpoint(self) -> Vec3:
        """The point halfway along."""
        return self.brep.midpoint()

    @property
    def faces(self) -> Selection[BodyFace]:
        """The two faces that meet here."""
        return Selection(BodyFace(self.body, face) for face, _ in self.body.faces_of_edge[self.brep])

    @property
    def angle(self) -> float:
        """Degrees between the outward normals of the two faces: positive on a convex edge,
        negative on a concave one, 0 where they meet smoothly."""
        (one, coedge), (two, _) = self.body.faces_of_edge[self.brep]
        t = 0.5 * (self.brep.t0 + self.brep.t1)
        point = self.brep.curve.point(t)
        n1, n2 = one.outward_normal(point), two.outward_normal(point)
        turn = cross(n1, n2)
        size = math.atan2(norm(turn), dot(n1, n2))
        if size <= max(SMOOTH, ANGULAR):
            return 0.0
        return math.degrees(math.copysign(size, dot(turn, coedge.direction_at(t))))

    @property
    def is_convex(self) -> bool | None:
        """True on an outside corner, False on an inside one, None where the faces meet smoothly."""
        angle = self.angle
        return None if angle == 0.0 else angle > 0.0

    @property
    def convex(self) -> bool:
        """Whether the edge is an outside corner."""
        return self.is_convex is True

    def lies_in(self, plane: Plane) -> bool:
        """Whether the whole edge lies in `plane`."""
        edge, normal = self.brep, np.asarray(plane.normal)
        low, high = edge.curve.reach(edge.t0, edge.t1, normal)
        height = float(normal @ np.asarray(plane.origin))
        return max(high - height, height - low) <= RESOLUTION

    def lies_within(self, low: Vec3, high: Vec3) -> bool:
        """Whether the whole edge lies in a box."""
        return in_box(self.brep.bounds, low, high)

    def distance_to(self, point: Vec3) -> float:
        """Distance from `point` to the nearest point of the edge."""
        return distance(self.brep.nearest(point), point)

    def nearest(self, point: Vec3) -> Vec3:
        """The point of the edge that is nearest to `point`."""
        return self.brep.nearest(point)


@asked
@dataclass(frozen=True, slots=True, eq=False)
class BodyVertex:
    """A vertex of a body, as a user sees it."""

    body: Body
    brep: Vertex
    sort: ClassVar[str] = "vertex"

    def __eq__(self, other: object) -> bool:
        return isinstance(other, BodyVertex) and self.brep is other.brep

    def __hash__(self) -> int:
        return hash(self.brep)

    def __repr__(self) -> str:
        return f"<vertex ({', '.join(f'{c:.6g}' for c in self.point)})>"

    @property
    def point(self) -> Vec3:
        """Where it is."""
        return self.brep.point

    def lies_in(self, plane: Plane) -> bool:
        """Whether the vertex lies in `plane`."""
        return in_plane([self.point], plane)

    def lies_within(self, low: Vec3, high: Vec3) -> bool:
        """Whether the vertex lies in a box."""
        return in_box(np.array([self.point, self.point]), low, high)

    def distance_to(self, point: Vec3) -> float:
        """Distance from `point`."""
        return distance(self.point, point)

    def nearest(self, point: Vec3) -> Vec3:
        """The vertex itself."""
        return self.point
