"""Faces made whole: edges sewn, seams taken out, faces on one surface joined, edges on one curve too.

A kernel of whole faces has no seams and no needless splits: the wall of a hole is one face between two closed
edges, however the file cuts it up.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import replace
from functools import cached_property

import numpy as np

from ....errors import ExchangeError
from ....geometry.curve import Curve
from ....geometry.intersections import intersection
from ....geometry.spline import SplineCurve
from ....geometry.surface import Surface
from ....geometry.vector import Vec3, distance, dot, negated
from ....modelling.boolean.sew import one_curve
from ....topology.brep import Coedge, Edge, Face, Loop, Shell, Vertex
from ....topology.names import FaceName
from ....topology.sets import Sets
from .faces import RawEdge, RawFace, RawUse
from .mending import SURELY_ON, mended_corner, mended_edge, off_surfaces

SMOOTH = 1.0 - 1e-8
"""Two edges go on in each other if their directions agree so well (a cosine)."""

MOST_MENDED = 2e-3
"""An edge or a corner farther from its surfaces, in the unit of the body, is not put onto them."""

Group = list[RawFace]


class WholeShell:
    """A shell of raw faces made whole.

    corners : places by number. gap : what is nearer than this is one; so far are unshared edges sewn.
    are_whole : whether the faces are known to be whole but for seams.
    """

    def __init__(
        self, faces: Sequence[RawFace], corners: dict[int, Vec3], gap: float, label: str, are_whole: bool
    ) -> None:
        self._corners, self._gap, self._label = corners, gap, label
        self.sewn = 0
        faces = self._sewn(self._with_one_corner_each(faces))
        groups = [[face] for face in faces] if are_whole else self._groups(faces)
        self._uses = [self._border(group) for group in groups]
        self._groups_of_faces = groups
        self._join_edges()
        self.mended = self._mend()

    # ------------------------------------------------------------------ sewing

    def _with_one_corner_each(self, faces: Sequence[RawFace]) -> list[RawFace]:
        """With corners at one place made one."""
        from scipy.spatial import cKDTree

        numbers = sorted(
            {c for face in faces for loop in face.loops for use in loop for c in (use.start, use.end)}
        )
        if not numbers:
            return list(faces)
        places = np.array([self._corners[n] for n in numbers])
        sets = Sets(len(numbers))
        for i, j in cKDTree(places).query_pairs(self._gap):
            sets.join(i, j)
        first: dict[int, int] = {}
        one = {n: first.setdefault(sets.find(k), n) for k, n in enumerate(numbers)}
        made: dict[RawEdge, RawEdge] = {}
        for face in faces:
            for loop in face.loops:
                for use in loop:
                    e = use.edge
                    if e not in made:
                        moved = (one[e.start], one[e.end])
                        made[e] = e if moved == (e.start, e.end) else replace(e, start=moved[0], end=moved[1])
        return [self._mapped(face, made) for face in faces]

    def _mapped(self, face: RawFace, made: dict[RawEdge, RawEdge]) -> RawFace:
        loops = tuple(tuple(RawUse(made[u.edge], u.forward) for u in loop) for loop in face.loops)
        return replace(face, loops=loops)

    def _sewn(self, faces: list[RawFace]) -> list[RawFace]:
        """With edges that two faces have for themselves made one."""
        count: dict[RawEdge, int] = defaultdict(int)
        for face in faces:
            for loop in face.loops:
                for use in loop:
                    count[use.edge] += 1
        loose: dict[frozenset[int], list[RawEdge]] = defaultdict(list)
        swap: dict[RawEdge, tuple[RawEdge, bool]] = {}
        for edge, many in count.items():
            if many != 1:
                continue
            ends = frozenset((edge.start, edge.end))
            for other in loose[ends]:
                if self._run_together(edge, other):
                    swap[edge] = other, self._same_way(edge, other)
                    loose[ends].remove(other)
                    self.sewn += 1
                    break
            else:
                loose[ends].append(edge)
        if not swap:
            return faces
        made = []
        for face in faces:
            loops = []
            for loop in face.loops:
                uses = []
                for use in loop:
                    other, same = swap.get(use.edge, (use.edge, True))
                    uses.append(RawUse(other, use.forward is same))
                loops.append(tuple(uses))
            made.append(replace(face, loops=tuple(loops)))
        return made

    def _run_together(self, one: RawEdge, two: RawEdge) -> bool:
        for share in (0.5, 0.2, 0.9):
            p = one.point(share)
            if distance(two.curve.point(two.curve.nearest_between(p, two.t0, two.t1)), p) > self._gap:
                return False
        return True

    def _same_way(self, one: RawEdge, two: RawEdge) -> bool:
        if one.start != one.end:
            return one.start == two.start
        p = one.point(0.5)
        t = two.curve.nearest_between(p, two.t0, two.t1)
        return dot(one.curve.tangent(0.5 * (one.t0 + one.t1)), two.curve.tangent(t)) > 0.0

    # ------------------------------------------------------------------ faces

    def _groups(self, faces: list[RawFace]) -> list[Group]:
        """Faces that are parts of one."""
        owners: dict[RawEdge, list[int]] = defaultdict(list)
        for k, face in enumerate(faces):
            for loop in face.loops:
                for use in loop:
                    owners[use.edge].append(k)
        sets = Sets(len(faces))
        for edge, both in owners.items():
            if len(both) == 2 and both[0] != both[1]:
                one, two = faces[both[0]], faces[both[1]]
                if sets.find(both[0]) != sets.find(both[1]) and _is_one_face(one, two, edge):
                    sets.join(*both)
        groups: dict[int, Group] = defaultdict(list)
        for k, face in enumerate(faces):
            groups[sets.find(k)].append(face)
        return list(groups.values())

    def _border(self, group: Group) -> list[list[RawUse]]:
        """The loops of some faces together: without the edges that lie between them or are seams."""
        uses = [list(loop) for face in group for loop in face.loops]
        inner: dict[RawEdge, set[bool]] = defaultdict(set)
        for loop in uses:
            for use in loop:
                inner[use.edge].add(use.forward)
        kept = [[use for use in loop if len(inner[use.edge]) == 1] for loop in uses]
        if all(len(k) == len(loop) for k, loop in zip(kept, uses, strict=True)):
            return uses
        return self._chained([use for loop in kept for use in loop], uses)

    def _chained(self, left: list[RawUse], before: list[list[RawUse]]) -> list[list[RawUse]]:
        """Uses in loops again; where several go on from a corner, the one that followed in the file."""
        following = {id(use): loop[(k + 1) % len(loop)] for loop in before for k, use in enumerate(loop)}
        starting: dict[int, list[RawUse]] = defaultdict(list)
        for use in left:
            starting[use.start].append(use)
        loops = []
        while any(starting.values()):
            first = next(uses[0] for uses in starting.values() if uses)
            starting[first.start].remove(first)
            loop = [first]
            while loop[-1].end != first.start or self._goes_on(loop[-1], following, starting):
                ways = starting[loop[-1].end]
                if not ways:
                    raise ExchangeError(
                        f"{self._label}: a loop does not close at {_place(self._corners[loop[-1].end])}"
                    )
                after = following[id(loop[-1])]
                chosen = after if after in ways else ways[0]
                ways.remove(chosen)
                loop.append(chosen)
            loops.append(loop)
        return loops

    @staticmethod
    def _goes_on(last: RawUse, following: dict[int, RawUse], starting: dict[int, list[RawUse]]) -> bool:
        """Whether the file's own next use is still to come, at a corner that the loop passes twice."""
        return following[id(last)] in starting[last.end]

    # ------------------------------------------------------------------ edges

    def _join_edges(self) -> None:
        """Join edges that go on in each other at corners where no others end."""
        ends: dict[int, set[RawEdge]] = defaultdict(set)
        for edge in self._edges():
            ends[edge.start].add(edge)
            ends[edge.end].add(edge)
        for corner in list(ends):
            both = list(ends[corner])
            if len(both) != 2 or any(e.start == e.end for e in both):
                continue
            first, second = both
            if first.end != corner or (second.start != corner and first.start == corner):
                first, second = second, first
            whole = _joined(first, second, corner)
            if whole is None:
                continue
            self._replace(first, second, whole)
            for other in (whole.start, whole.end):
                ends[other] = {e for e in ends[other] if e is not first and e is not second} | {whole}
            ends[corner] = set()

    def _mend(self) -> int:
        """Put edges and corners that are beside their surfaces onto them; how many edges."""
        surfaces: dict[RawEdge, list[Surface]] = defaultdict(list)
        meeting: dict[int, dict[Surface, None]] = defaultdict(dict)
        for group, loops in zip(self._groups_of_faces, self._uses, strict=True):
            for use in (use for loop in loops for use in loop):
                surfaces[use.edge].append(group[0].surface)
                for corner in (use.start, use.end):
                    meeting[corner][group[0].surface] = None
        off = {edge: off_surfaces(edge, on) for edge, on in surfaces.items()}
        farthest = max(off, key=lambda edge: off[edge], default=None)
        if farthest is not None and not off[farthest] <= MOST_MENDED:  # before anything is measured there
            kinds = " or its ".join(dict.fromkeys(surface.called for surface in surfaces[farthest]))
            where = f"{kinds} at {_place(farthest.point(0.5))}"
            raise ExchangeError(f"{self._label}: an edge is {off[farthest]:.2g} off its {where}")
        bad = {edge for edge, gap in off.items() if SURELY_ON < gap <= MOST_MENDED}
        if not bad:
            return 0
        moved = {corner for edge in bad for corner in (edge.start, edge.end)}
        places = {c: mended_corner(self._corners[c], meeting[c], MOST_MENDED) for c in moved}
        self._corners = {**self._corners, **places}
        new: dict[RawEdge, tuple[RawEdge, bool]] = {}
        for edge, on in surfaces.items():
            if edge in bad or edge.start in moved or edge.end in moved:
                ends = self._corners[edge.start], self._corners[edge.end]
                made = mended_edge(edge, on, ends, MOST_MENDED)
                if made is not None:
                    new[edge] = made
        for loops in self._uses:
            loops[:] = [[self._mended_use(use, new) for use in loop] for loop in loops]
        return len(new)

    @staticmethod
    def _mended_use(use: RawUse, new: dict[RawEdge, tuple[RawEdge, bool]]) -> RawUse:
        edge, same = new.get(use.edge, (use.edge, True))
        return RawUse(edge, use.forward is same)

    def _edges(self) -> list[RawEdge]:
        return list(dict.fromkeys(u.edge for loops in self._uses for loop in loops for u in loop))

    def _replace(self, first: RawEdge, second: RawEdge, whole: RawEdge) -> None:
        for g, k in self._loops_of.pop(first):
            loop = self._uses[g][k]
            uses = [RawUse(whole, u.forward) if u.edge is first else u for u in loop]
            self._uses[g][k] = [u for u in uses if u.edge is not second]
            self._loops_of[whole].add((g, k))
        self._loops_of.pop(second, None)

    @cached_property
    def _loops_of(self) -> dict[RawEdge, set[tuple[int, int]]]:
        """The loops that use each edge, by the numbers of their faces and their own."""
        found: dict[RawEdge, set[tuple[int, int]]] = defaultdict(set)
        for g, loops in enumerate(self._uses):
            for k, loop in enumerate(loops):
                for use in loop:
                    found[use.edge].add((g, k))
        return found

    # ------------------------------------------------------------------ what comes of it

    def faces(self, step: str) -> Shell:
        """The shell, with names by `step` for the faces that have none."""
        vertices = {c: Vertex(self._corners[c]) for e in self._edges() for c in (e.start, e.end)}
        at: dict[int, int] = defaultdict(int)
        for e in self._edges():
            at[e.start] += 1
            at[e.end] += 1
        edges = {}
        for e in self._edges():
            alone = e.start == e.end and at[e.start] == 2
            ends = (None, None) if alone else (vertices[e.start], vertices[e.end])
            edges[e] = Edge(e.curve, e.t0, e.t1, *ends)
        made = []
        for k, (group, loops) in enumerate(zip(self._groups_of_faces, self._uses, strict=True)):
            face = group[0]
            rings = [Loop(tuple(Coedge(edges[u.edge], u.forward) for u in loop)) for loop in loops]
            names = dict.fromkeys(_named(f.name, step, k) for f in group)
            made.append(Face(face.surface, face.outward, tuple(_outer_first(face, rings)), tuple(names)))
        return Shell(tuple(made))


def _named(name: str, step: str, k: int) -> FaceName:
    """A face's name, where it is one of this package; else a number in the step."""
    first, _, rest = name.partition("/")
    role, _, item = rest.partition(":")
    if rest and role:
        return FaceName(first, role, item)
    return FaceName(step, "face", name.replace("/", " ") or str(k + 1))


def _is_one_face(one: RawFace, two: RawFace, edge: RawEdge) -> bool:
    """Whether two faces beside an edge are parts of one, on one surface."""
    if not _same_surface(one.surface, two.surface):
        return False
    normals = []
    for face in (one, two):
        n = face.surface.normal(edge.point(0.5))
        normals.append(n if face.outward else negated(n))
    return dot(*normals) > 0.0


def _same_surface(one: Surface, two: Surface) -> bool:
    if one is two:
        return True
    if type(one) is not type(two) or (one.meridian is None and one.plane is None):
        return False
    found = intersection(one, two)
    return found is not None and found.same


def _joined(first: RawEdge, second: RawEdge, corner: int) -> RawEdge | None:
    """Two edges that meet at a corner as one, along the first; None where they do not go on in each other."""
    if first.end != corner:
        return None
    forward = second.start == corner
    out, into = first.curve.tangent(first.t1), second.curve.tangent(second.t0 if forward else second.t1)
    if dot(out, into if forward else negated(into)) < SMOOTH:
        return None
    far = second.end if forward else second.start
    if one_curve(first.curve, second.curve) or first.curve is second.curve:
        span = _span_on(first.curve, second, forward)
        if first.curve.period and first.t1 + span - first.t0 > first.curve.period * (1.0 + 1e-9):
            return None
        t1 = first.t1 + span
        if far == first.start and first.curve.period:
            t1 = first.t0 + first.curve.period
        return RawEdge(first.curve, first.t0, t1, first.start, far)
    if isinstance(first.curve, SplineCurve) and isinstance(second.curve, SplineCurve) and forward:
        return _joined_splines(first, second, far)
    return None


def _span_on(curve: Curve, edge: RawEdge, forward: bool) -> float:
    """How far an edge reaches in the parameter of another frame of its curve: an angle or a length."""
    if curve is edge.curve or curve.kind in ("line", "circle"):
        return edge.t1 - edge.t0
    a, b = (edge.point(s) for s in ((0.0, 1.0) if forward else (1.0, 0.0)))
    t0, t1 = curve.parameter(a), curve.parameter(b)
    return (t1 - t0) % curve.period if curve.period else t1 - t0


def _joined_splines(first: RawEdge, second: RawEdge, far: int) -> RawEdge | None:
    """Splines of one degree end to end, with parameters that go on as fast."""
    one, two = first.curve, second.curve
    assert isinstance(one, SplineCurve) and isinstance(two, SplineCurve)
    if one.degree != two.degree or far == first.start:
        return None
    a, b = one.between(first.t0, first.t1), two.between(second.t0, second.t1)
    speeds = [float(np.linalg.norm(c.derivatives(np.array([t]))[0])) for c, t in ((a, a.high), (b, b.low))]
    if min(speeds) <= 0.0:
        return None
    pace = speeds[1] / speeds[0]
    knots = tuple(a.high + pace * (k - b.low) for k in b.knots)
    whole = a.followed_by(replace(b, knots=knots))
    return RawEdge(whole, whole.low, whole.high, first.start, far)


def _outer_first(face: RawFace, rings: list[Loop]) -> list[Loop]:
    """The loops of a plane face with the outer one at the front."""
    plane = face.surface.plane
    if plane is None or len(rings) < 2:
        return rings

    def extent(ring: Loop) -> float:
        places = np.concatenate(
            [c.edge.curve.points(np.linspace(c.edge.t0, c.edge.t1, 9)) for c in ring.coedges]
        )
        flat = plane.locals(places)[:, :2]
        return float(np.prod(np.ptp(flat, axis=0)))

    return sorted(rings, key=extent, reverse=True)


def _place(p: Vec3) -> str:
    return f"({p[0]:.6g}, {p[1]:.6g}, {p[2]:.6g})"
