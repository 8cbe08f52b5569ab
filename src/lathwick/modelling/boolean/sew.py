"""Sewing chosen cells into bodies: neighbours on one surface become one face, pieces of one curve one
edge, and what hangs together one lump.

A fragment used four times is an edge along which the result touches itself. Its uses are paired about
the edge, each with the next one through the material; the halves then belong to different lumps, or the
result is no manifold and is refused.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from types import MappingProxyType

import numpy as np

from ...errors import ModellingError
from ...geometry.contacts import SAME
from ...geometry.curve import Curve
from ...geometry.curves import Circle, Ellipse, Line
from ...geometry.intersections import PARALLEL, intersection
from ...geometry.surface import Surface
from ...geometry.tolerance import GRAZING, JOIN, RESOLUTION, SMOOTH
from ...geometry.vector import Vec3, cross, distance, dot, negated, norm, sub
from ...topology.boxes import keep_boxes
from ...topology.brep import Coedge, Edge, Face, Loop, Lump, Shell, Vertex
from ...topology.inside import contains
from ...topology.mass import mass_properties
from ...topology.names import FaceName
from ...topology.sets import Sets
from ...topology.trim import INSIDE, region_of
from .aside import Opened
from .cells import Cycle, Half, LooseEnd, head, left_of, outward_normal, reversed_half, tail, traced_cycles
from .fragments import NEAR, Fragment, Nodes
from .grouping import same_cells


@dataclass(eq=False, slots=True)
class Cell:
    """A chosen cycle on a face; `flipped` if its face is turned inside out, `whole` if nothing divides it."""

    face: Face
    cycle: Cycle
    flipped: bool
    whole: bool = False

    @property
    def outward(self) -> bool:
        return self.face.outward is not self.flipped

    @property
    def halves(self) -> tuple[Half, ...]:
        """As the result runs along them."""
        if not self.flipped:
            return self.cycle.halves
        return tuple(reversed_half(h) for h in reversed(self.cycle.halves))


@dataclass(eq=False, slots=True)
class _Patch:
    """A face to be: cycles of uses of links."""

    surface: Surface
    outward: bool
    names: tuple[FaceName, ...]
    origin: Face
    faces: tuple[Face, ...]
    cycles: list[list[_Use]] = field(default_factory=list)


@dataclass(eq=False, slots=True)
class _Link:
    """A fragment as one edge of the result: two uses."""

    fragment: Fragment


@dataclass(frozen=True, slots=True)
class _Use:
    """A link as a cycle runs along it."""

    link: _Link
    forward: bool

    @property
    def half(self) -> Half:
        return (self.link.fragment, self.forward)


def sewn(
    cells: Sequence[Cell],
    nodes: Nodes,
    vertices: Mapping[int, Vertex] | None = None,
    unopened: Sequence[Opened] = (),
) -> list[Lump]:
    """Lumps bounded by the cells; what nothing has changed, faces, edges and vertices, is kept as it is.

    vertices : what the bodies have at nodes. unopened : bodies of which what is aside comes back. Raises
    ModellingError if the cells do not close, or for a result that is no manifold.
    """
    groups, dropped = _merged(cells)
    patches = [_patch(group, dropped, nodes) for group in groups]
    slits = [(dropped.slits[key], patch) for group, patch in zip(groups, patches, strict=True)
             for key in dict.fromkeys(dropped.key(cell, half) for cell in group for half in cell.halves)
             if key in dropped.slits]  # fmt: skip
    paired = _paired(patches, nodes)
    return _Assembly(paired, nodes, slits, vertices or {}, unopened).lumps()


@dataclass(slots=True)
class _Dropped:
    """Fragments between cells of one face: for all that use them, by identity; and of those where another
    lump touches the face, the uses of the face alone."""

    whole: set[int] = field(default_factory=set)
    slits: dict[tuple[int, int], Fragment] = field(default_factory=dict)

    def key(self, cell: Cell, half: Half) -> tuple[int, int]:
        return (id(cell), id(half[0]))

    def has(self, cell: Cell, half: Half) -> bool:
        return id(half[0]) in self.whole or (bool(self.slits) and self.key(cell, half) in self.slits)


# ---------------------------------------------------------------------- faces


def _merged(cells: Sequence[Cell]) -> tuple[list[list[Cell]], _Dropped]:
    """Cells of each face of the result, and the fragments between cells of one face."""
    sets = Sets(len(cells))
    on_face: dict[int, list[int]] = defaultdict(list)
    uses: dict[int, list[tuple[int, Half]]] = defaultdict(list)
    for number, cell in enumerate(cells):
        on_face[id(cell.face)].append(number)
        for half in cell.halves:
            uses[id(half[0])].append((number, half))
    for numbers in on_face.values():
        first = cells[numbers[0]]
        pairs = [(0, k) for k in range(1, len(numbers))]
        if not first.whole:
            pairs = same_cells(first.face, [cells[n].cycle for n in numbers])
        for i, j in pairs:
            sets.join(numbers[i], numbers[j])
    dropped = _Dropped()
    known: dict[tuple[int, int], bool] = {}
    for fragment, found in uses.items():
        if len(found) != 2:
            for i, j in _slits(cells, found):
                sets.join(i, j)
                for k in (i, j):
                    half = next(h for n, h in found if n == k)
                    dropped.slits[dropped.key(cells[k], half)] = half[0]
            continue
        (i, one), (j, two) = found
        a, b = cells[i], cells[j]
        if one[1] is not two[1] and _one_surface(a, b, one[0].middle, known):
            sets.join(i, j)
            dropped.whole.add(fragment)
    groups: dict[int, list[Cell]] = defaultdict(list)
    for number, cell in enumerate(cells):
        groups[sets.find(number)].append(cell)
    return list(groups.values()), dropped


def _slits(cells: Sequence[Cell], uses: Sequence[tuple[int, Half]]) -> list[tuple[int, int]]:
    """Pairs of uses of a fragment from both sides by one face, which an edge of another lump touches."""
    found = []
    for a, (i, one) in enumerate(uses):
        for j, two in uses[:a]:
            if cells[i].face is cells[j].face and one[1] is not two[1]:
                found.append((i, j))
    return found if len(found) == 1 else []


def _one_surface(a: Cell, b: Cell, p: Vec3, known: dict[tuple[int, int], bool]) -> bool:
    """Whether two cells that are neighbours at a place lie on one surface and face the same way."""
    if a.face is b.face:
        return True
    normals = [outward_normal(c.face.surface, c.outward, p) for c in (a, b)]
    if dot(normals[0], normals[1]) < 0.0 or norm(cross(normals[0], normals[1])) > GRAZING:
        return False
    key = (id(a.face), id(b.face))
    if key not in known:
        known[key] = a.face.surface.kind == b.face.surface.kind and (
            a.face.surface is b.face.surface
            or (_may_be_one(a, b) and intersection(a.face.surface, b.face.surface) is SAME)
        )
    return known[key]


def _may_be_one(a: Cell, b: Cell) -> bool:
    """Whether the border of either cell lies on the surface of the other, within what edges are let off."""
    return any(
        all(abs(two.face.surface.gap(half[0].middle)) <= 2.0 * JOIN for half in one.halves)
        for one, two in ((a, b), (b, a))
    )


def _patch(group: Sequence[Cell], dropped: _Dropped, nodes: Nodes) -> _Patch:
    first = group[0]
    names = tuple(dict.fromkeys(name for cell in group for name in cell.face.names))
    cycles = [cell.halves for cell in group]
    if any(dropped.has(cell, h) for cell in group for h in cell.halves):
        left = [h for cell in group for h in cell.halves if not dropped.has(cell, h)]
        try:
            cycles = [c.halves for c in traced_cycles(left, first.face.surface, first.outward, nodes)]
        except LooseEnd as end:
            raise _not_closed(end.place) from None
    faces = tuple(dict.fromkeys(cell.face for cell in group))
    patch = _Patch(first.face.surface, first.outward, names, first.face, faces)
    links: dict[int, _Link] = {}
    for cycle in cycles:
        if cycle:
            patch.cycles.append([_Use(links.setdefault(id(f), _Link(f)), way) for f, way in cycle])
    return patch


def _not_closed(p: Vec3) -> ModellingError:
    return ModellingError(f"the result does not close at ({p[0]:.6g}, {p[1]:.6g}, {p[2]:.6g})")


# ---------------------------------------------------------------------- edges


def _paired(patches: Sequence[_Patch], nodes: Nodes) -> list[_Patch]:
    """Uses of each fragment paired into links of two uses each."""
    uses: dict[int, list[tuple[_Patch, int, int]]] = defaultdict(list)
    for patch in patches:
        for i, cycle in enumerate(patch.cycles):
            for k, use in enumerate(cycle):
                uses[id(use.link.fragment)].append((patch, i, k))
    for found in uses.values():
        fragment = found[0][0].cycles[found[0][1]][found[0][2]].link.fragment
        pairs = [found] if len(found) == 2 else _around(found, fragment)
        for pair in pairs:
            ways = {p.cycles[i][k].forward for p, i, k in pair}
            if len(pair) != 2 or len(ways) != 2:
                raise _not_closed(fragment.middle)
            link = _Link(fragment)
            for patch, i, k in pair:
                patch.cycles[i][k] = _Use(link, patch.cycles[i][k].forward)
    return list(patches)


_Spot = tuple[_Patch, int, int]


def _around(found: Sequence[_Spot], fragment: Fragment) -> list[list[_Spot]]:
    """Each use that runs along the fragment with the next one through the material."""
    if len(found) % 2:
        raise _not_closed(fragment.middle)
    t = 0.5 * (fragment.t0 + fragment.t1)
    p = fragment.curve.point(t)
    along: list[_Spot] = []
    against: list[_Spot] = []
    angles: dict[tuple[int, int, int], float] = {}
    axis = fragment.curve.tangent(t)
    base: Vec3 | None = None
    for spot in found:
        patch, i, k = spot
        half = patch.cycles[i][k].half
        into = left_of(half, patch.surface, patch.outward, p, t)
        base = base or into
        side = cross(axis, base)
        angles[id(patch), i, k] = math.atan2(dot(into, side), dot(into, base))
        (along if half[1] else against).append(spot)
    pairs = []
    for one in along:
        # seen along the axis the face lies to the left and its material clockwise from it
        start = angles[id(one[0]), one[1], one[2]]
        left = sorted(against, key=lambda s: (start - angles[id(s[0]), s[1], s[2]] - 1e-9) % math.tau)
        if not left:
            raise _not_closed(fragment.middle)
        against.remove(left[0])
        pairs.append([one, left[0]])
    return pairs


class _Assembly:
    """Turns patches into faces with edges and vertices, and those into lumps."""

    def __init__(
        self,
        patches: Sequence[_Patch],
        nodes: Nodes,
        slits: Sequence[tuple[Fragment, _Patch]],
        vertices: Mapping[int, Vertex],
        unopened: Sequence[Opened],
    ) -> None:
        self._patches, self._nodes, self._slits = patches, nodes, slits
        self._links = list(dict.fromkeys(u.link for p in patches for c in p.cycles for u in c))
        self._star_of = self._stars()
        self._vertices: dict[int, Vertex] = {}
        self._free, self._used = dict(vertices), set[Edge]()
        self._plugs = {face: plug for body in unopened for face, plug in body.plugs.items()}
        self._aside = [face for body in unopened for face in body.aside]

    def lumps(self) -> list[Lump]:
        edges = self._edges()
        faces = self._with_holes([self._face(patch, edges) for patch in self._patches]) + self._aside
        groups = self._shells(faces)
        self._refuse_touching(groups)
        shells = [Shell(tuple(faces[i] for i in group)) for group in groups]
        lumps = _lumps_of(shells)
        of_shell = {id(shell): group for shell, group in zip(shells, groups, strict=True)}
        with_voids = [lump.shells for lump in lumps if lump.voids]
        self._refuse_touching([[i for shell in lump for i in of_shell[id(shell)]] for lump in with_voids])
        return lumps

    # ------------------------------------------------------------------ vertices

    def _stars(self) -> dict[tuple[int, bool], int]:
        """The vertex at the start (True) and end (False) of every link: its ends joined by corners."""
        number = {link: i for i, link in enumerate(self._links)}
        sets = Sets(2 * len(self._links))

        def end(use: _Use, at_tail: bool) -> int:
            return 2 * number[use.link] + (0 if use.forward is at_tail else 1)

        for patch in self._patches:
            for cycle in patch.cycles:
                if cycle[0].link.fragment.is_ring:
                    continue
                for before, after in zip([cycle[-1], *cycle[:-1]], cycle, strict=True):
                    sets.join(end(before, False), end(after, True))
        stars = {}
        for link, i in number.items():
            if not link.fragment.is_ring:
                stars[id(link), True], stars[id(link), False] = sets.find(2 * i), sets.find(2 * i + 1)
        return stars

    def _vertex(self, star: int, node: int) -> Vertex:
        if star not in self._vertices:
            kept = self._free.pop(node) if node in self._free else None
            self._vertices[star] = kept or Vertex(self._nodes.points[node])
        return self._vertices[star]

    # ------------------------------------------------------------------ edges

    def _edges(self) -> dict[int, tuple[Edge, bool]]:
        """The edge of every link, and whether the link runs its way."""
        at_star: dict[int, list[tuple[_Link, bool]]] = defaultdict(list)
        for link in self._links:
            if not link.fragment.is_ring:
                for at_start in (True, False):
                    at_star[self._star_of[id(link), at_start]].append((link, at_start))
        smooth = {star for star, ends in at_star.items() if len(ends) == 2 and _runs_on(*ends)}
        made: dict[int, tuple[Edge, bool]] = {}
        for link in self._links:
            if id(link) in made:
                continue
            if link.fragment.is_ring:
                f = link.fragment
                made[id(link)] = (self._edge(f, None, None), True)
                continue
            chain = self._chain(link, smooth, at_star)
            self._join(chain, smooth, made)
        return made

    def _chain(
        self, link: _Link, smooth: set[int], at_star: dict[int, list[tuple[_Link, bool]]]
    ) -> list[tuple[_Link, bool]]:
        """Links that run into each other smoothly, in order, with their senses."""
        chain = [(link, True)]
        for _ in range(2):
            while True:
                last, forward = chain[-1]
                star = self._star_of[id(last), not forward]
                if star not in smooth:
                    break
                following, at_start = next(
                    (end for end in at_star[star] if end != (last, not forward)), at_star[star][0]
                )
                if following is chain[0][0]:
                    return chain
                chain.append((following, at_start))
            chain = [(k, not way) for k, way in reversed(chain)]
        return chain

    def _join(
        self, chain: Sequence[tuple[_Link, bool]], smooth: set[int], made: dict[int, tuple[Edge, bool]]
    ) -> None:
        first, forward = chain[0]
        last, last_forward = chain[-1]
        start_star, end_star = self._star_of[id(first), forward], self._star_of[id(last), not last_forward]
        start, end = tail((first.fragment, forward)), head((last.fragment, last_forward))
        whole, way = first.fragment, forward
        if len(chain) > 1:
            t0, t1, way = self._range(chain)
            whole = Fragment(whole.curve, t0, t1, -1, -1)
        if start_star == end_star and start_star in smooth:
            edge = self._edge(whole, None, None)
        else:
            ends = (self._vertex(start_star, start), self._vertex(end_star, end))
            edge = self._edge(whole, *(ends if way else ends[::-1]))
        for link, runs in chain:
            made[id(link)] = (edge, runs is way)

    def _range(self, chain: Sequence[tuple[_Link, bool]]) -> tuple[float, float, bool]:
        """Parameters of a whole chain on the curve of its first link, and whether it runs along it."""
        first, way = chain[0]
        f = first.fragment
        curve, period = f.curve, f.curve.period
        at = f.t1 if way else f.t0
        for link, forward in chain[1:]:
            p = self._nodes.points[head((link.fragment, forward))]
            t = curve.parameter(p)
            if period:
                turn = (t - at) % period if way else (at - t) % period
                turn = period if turn < 1e-9 * period else turn
                t = at + turn if way else at - turn
            elif (t < at) is way and math.isfinite(curve.domain[0]):
                t = curve.domain[1 if way else 0]  # its ends meet at an angle
            at = t
        low, high = (f.t0, at) if way else (at, f.t1)
        if period and abs(high - low - period) < 1e-7 * period:
            high = low + period
        if period:
            shift = math.floor((low - curve.domain[0]) / period + 1e-12) * period
            low, high = low - shift, high - shift
        return low, high, way

    def _edge(self, fragment: Fragment, start: Vertex | None, end: Vertex | None) -> Edge:
        """An edge on a fragment; on the whole of an edge of the bodies that edge itself, once, or that with
        other vertices."""
        curve, t0, t1 = fragment.curve, fragment.t0, fragment.t1
        for edge in fragment.edges:
            if edge.curve is curve and edge.t0 == t0 and edge.t1 == t1:
                if edge.start is start and edge.end is end and edge not in self._used:
                    self._used.add(edge)
                    return edge
                return edge.between(start, end)
        return Edge(curve, t0, t1, start, end)

    # ------------------------------------------------------------------ faces, shells

    def _face(self, patch: _Patch, edges: dict[int, tuple[Edge, bool]]) -> Face:
        loops = []
        for cycle in patch.cycles:
            coedges: list[Coedge] = []
            for use in cycle:
                edge, along = edges[id(use.link)]
                way = use.forward is along
                if not coedges or coedges[-1].edge is not edge or coedges[-1].forward is not way:
                    coedges.append(Coedge(edge, way))
            first, last = coedges[0], coedges[-1]
            if len(coedges) > 1 and first.edge is last.edge and first.forward is last.forward:
                coedges.pop()
            loops.append(Loop(tuple(coedges)))
        if not loops and not np.isfinite(patch.surface.domain).all():
            raise ModellingError("a face is left without a border: two faces meet too closely")
        if _unchanged(patch, loops):
            return patch.origin
        if patch.surface.plane is not None and len(loops) > 1:
            loops.sort(key=lambda loop: -loop.reach)
        return Face(patch.surface, patch.outward, tuple(loops), patch.names)

    def _with_holes(self, faces: list[Face]) -> list[Face]:
        """The faces with the loops that were plugged, each where it lies."""
        homes: dict[Face, list[int]] = defaultdict(list)
        for number, patch in enumerate(self._patches):
            for face in patch.faces:
                if face in self._plugs:
                    homes[face].append(number)
        back: dict[int, list[Loop]] = defaultdict(list)
        for plugged, numbers in homes.items():
            for loop in self._plugs[plugged].loops:
                p = loop.coedges[0].edge.midpoint()
                home = numbers if len(numbers) == 1 else [n for n in numbers if _is_in(faces[n], p)]
                if len(home) != 1:
                    raise _not_closed(p)
                back[home[0]].append(loop)
        for number, loops in back.items():
            face = faces[number]
            plug = self._plugs.get(face)
            if plug is not None and len(plug.loops) == len(loops):
                faces[number] = plug.whole
            else:
                whole = Face(face.surface, face.outward, (*face.loops, *loops), face.names)
                faces[number] = keep_boxes(face, whole)
        return faces

    def _shells(self, faces: Sequence[Face]) -> list[list[int]]:
        sets = Sets(len(faces))
        owner: dict[Edge, int] = {}
        for i, face in enumerate(faces):
            for coedge in face.coedges():
                sets.join(owner.setdefault(coedge.edge, i), i)
        groups: dict[int, list[int]] = defaultdict(list)
        for i in range(len(faces)):
            groups[sets.find(i)].append(i)
        return list(groups.values())

    def _refuse_touching(self, groups: Sequence[Sequence[int]]) -> None:
        """Raise where one group of faces, a shell or a lump, has two edges on one fragment, or two vertices
        on one node."""
        for whole in groups:
            group = [i for i in whole if i < len(self._patches)]
            used = {id(u.link.fragment) for i in group for c in self._patches[i].cycles for u in c}
            for fragment, patch in self._slits:
                if id(fragment) in used and any(self._patches[i] is patch for i in group):
                    raise _touching(fragment.middle, "along an edge")
            stars: dict[int, int] = {}
            links: dict[int, _Link] = {}
            for i in group:
                for cycle in self._patches[i].cycles:
                    for use in cycle:
                        f = use.link.fragment
                        if links.setdefault(id(f), use.link) is not use.link:
                            raise _touching(f.middle, "along an edge")
                        if f.is_ring:
                            continue
                        for at_start, node in ((True, f.a), (False, f.b)):
                            star = self._star_of[id(use.link), at_start]
                            if stars.setdefault(node, star) != star:
                                raise _touching(self._nodes.points[node], "in a point")


def _touching(p: Vec3, how: str) -> ModellingError:
    place = f"({p[0]:.6g}, {p[1]:.6g}, {p[2]:.6g})"
    return ModellingError(f"the result would touch itself {how} at {place}, which no solid can")


def _is_in(face: Face, p: Vec3) -> bool:
    return region_of(face).state(p) == INSIDE


def _unchanged(patch: _Patch, loops: Sequence[Loop]) -> bool:
    """Whether a face comes out as it was: the same way round, with the same names, edges and order."""
    face = patch.origin
    if face.outward is not patch.outward or face.names != patch.names or len(face.loops) != len(loops):
        return False
    return all(
        [(c.edge, c.forward) for c in one.coedges] == [(c.edge, c.forward) for c in two.coedges]
        for one, two in zip(face.loops, loops, strict=True)
    )


def _runs_on(one: tuple[_Link, bool], two: tuple[_Link, bool]) -> bool:
    """Whether two links that end at a vertex are parts of one smooth curve."""
    (a, a_start), (b, b_start) = one, two
    f, g = a.fragment, b.fragment
    u = f.curve.tangent(f.t0) if a_start else negated(f.curve.tangent(f.t1))
    v = g.curve.tangent(g.t0) if b_start else negated(g.curve.tangent(g.t1))
    if dot(u, v) > -1.0 + SMOOTH:
        return False
    return f.curve is g.curve or one_curve(f.curve, g.curve)


def one_curve(a: Curve, b: Curve) -> bool:
    """Whether two lines, circles or ellipses are one, however they are described."""
    rule = _SAME.get(type(a))
    return rule is not None and type(a) is type(b) and rule(a, b)


def _same_lines(a: Line, b: Line) -> bool:
    off = sub(b.origin, a.origin)
    return norm(cross(a.direction, b.direction)) <= PARALLEL and norm(cross(off, a.direction)) <= NEAR


def _same_circles(a: Circle, b: Circle) -> bool:
    same = distance(a.frame.origin, b.frame.origin) <= NEAR and abs(a.radius - b.radius) <= NEAR
    return same and norm(cross(a.frame.normal, b.frame.normal)) <= 2 * RESOLUTION / a.radius


def _same_ellipses(a: Ellipse, b: Ellipse) -> bool:
    t = np.linspace(0.0, math.tau, 9)
    return all(distance(a.point(a.parameter(b.point(s))), b.point(s)) <= NEAR for s in t.tolist())


_SAME: Mapping[type, Callable[..., bool]] = MappingProxyType(
    {Line: _same_lines, Circle: _same_circles, Ellipse: _same_ellipses}
)
"""How two curves of a kind that may have more than one frame are told to be one."""


def _lumps_of(shells: Sequence[Shell]) -> list[Lump]:
    """Outer shells with the voids that lie in them."""
    if len(shells) == 1:
        return [Lump(shells[0])]
    volumes = [mass_properties(shell.faces).volume for shell in shells]
    outers = sorted((i for i, v in enumerate(volumes) if v > 0), key=lambda i: volumes[i])
    voids: dict[int, list[Shell]] = {i: [] for i in outers}
    for i, volume in enumerate(volumes):
        if volume > 0:
            continue
        p = _inner_point(shells[i])
        home = next((k for k in outers if contains(shells[k].faces, p)[0]), None)
        if home is None:
            raise ModellingError("the result has a void outside of its material")
        voids[home].append(shells[i])
    return [Lump(shells[i], tuple(voids[i])) for i in sorted(outers)]


def _inner_point(shell: Shell) -> np.ndarray[tuple[int, int], np.dtype[np.float64]]:
    face = shell.faces[0]
    edge: Iterable[Coedge] = face.coedges()
    for coedge in edge:
        return np.array([coedge.edge.midpoint()])
    return face.surface.points(np.array([[0.3, 0.2]]))
