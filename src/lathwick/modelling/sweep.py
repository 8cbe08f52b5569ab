"""Sweeping: a profile carried along a path.

Along straight legs walls are planes, cylinders and extrusions, along arcs surfaces of revolution. Along other
curves the walls over arcs are canals where the profile stays across the path, all others B-splines through
rigid positions of the profile. Frames of least twist are found by integration of their equation (Wang,
Jüttler, Zheng & Liu, "Computation of rotation minimizing frames", ACM TOG 27, 2008).
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any

import numpy as np

from ..errors import ModellingError, naming_its_step
from ..geometry.curves import Circle, Line
from ..geometry.motion import turned
from ..geometry.placement import Axis, FloatArray, Plane, as_direction, rotated
from ..geometry.surfaces import PlaneSurface
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import Vec3, cross, distance, dot, norm, scaled, sub, unit
from ..sketch.loops import Patch
from ..sketch.pieces import Piece, halves, places_along
from ..sketch.region import Region
from ..topology.body import Body
from ..topology.brep import Coedge, Edge, Face, Loop, Lump, Shell
from ..topology.names import FaceName, side_names
from .carrying import Carrier, Frame, carried, carrier_along
from .combine import cut, union
from .crossing_sweeps import refuse_crossing
from .paths import STRAIGHT, Leg, Path, PathLike
from .paths import path as as_path
from .primitives import number
from .profile import Profile, regions_of
from .revolve import revolve
from .round_corners import turned_outside
from .sections import Section

CORNERS = ("mitre", "round")
PER_PIECE = np.linspace(0.0, 1.0, 17)
SMOOTH_CORNER = 1e-7
"""Legs whose directions differ by less (radians) go on in each other."""

TWIST_OFF = 1e-6
"""A twisted wall is not laid if the volume is off by more than this share."""

SLOWEST = 1e-6
"""No point of the profile may move on more slowly than this share of the speed along the path."""


@naming_its_step
def sweep(
    profile: Profile | Iterable[Region],
    path: PathLike,
    *,
    corner: str = "mitre",
    up: Any = None,
    twist: float = 0.0,
    step: str = "",
) -> Body:
    """The solid that a profile sweeps along a path.

    profile : a sketch (its default profile), regions of one plane, or a planar face, where the path starts,
        across it or at any angle; it keeps its place to the path.
    path : a route, a helix, a sketch with one chain of curves, connected edges, or a list of these.
    corner : "mitre" or "round", what is made of a corner of the path.
    up : a direction to which the profile is held; without it turns about the path as little as it can (on a
        helix it is held to the axis).
    twist : degrees by which the profile turns about the path from its start to its end.
    step : name that the faces get: `step/start`, `step/end`, `step/side:item`.

    Raises ModellingError where the path bends more tightly than the profile allows, with the place and the
    least bend that works, and where legs are too short for their mitres.
    """
    chosen, along_it = regions_of(profile, "sweep"), as_path(path)
    if corner not in CORNERS:
        raise ModellingError(f'corner is "mitre" or "round", got {corner!r}')
    turn = number(twist, "twist")
    plane = chosen[0].plane
    if any(region.plane != plane for region in chosen):
        raise ModellingError("the regions to sweep lie in different planes")
    if _is_circle(along_it) and up is None and not turn:
        return revolve(chosen, _axis_of_circle(along_it), 360.0, step=step)
    held = along_it.up if up is None else as_direction(up, "up")
    rate = math.radians(turn) / along_it.length
    if corner == "round":
        chains = _smooth_chains(along_it)
        if len(chains) > 1 or _has_corner(along_it.legs[-1], along_it.legs[0], along_it.is_closed):
            return _rounded_hollow(chosen, chains, (held, rate), step)
    body = _swept(chosen, _Run(along_it, held, rate), step)
    if turn and len(along_it.legs) == 1 and isinstance(along_it.legs[0].curve, Line):
        _prove_twist(body, chosen, along_it, turn)
    return body


def _prove_twist(body: Body, regions: Sequence[Region], path: Path, turn: float) -> None:
    """A twist along a straight leg keeps the area of every section. Raises ModellingError where the walls,
    laid through samples of so steep a twist, do not."""
    leg = path.legs[0]
    along = abs(dot(leg.tangent(leg.t0), regions[0].plane.normal))
    expected = sum(region.area for region in regions) * leg.length * along
    off = abs(body.volume / expected - 1.0)
    if off > TWIST_OFF:
        raise ModellingError(
            f"a twist of {turn:g} degrees over {leg.length:.6g} is too steep for this profile: its walls "
            f"would be off by {off:.1g} of the volume; twist by less, or over a longer leg"
        )


def path_frames(path: PathLike, shares: FloatArray) -> list[Frame]:
    """The frames of least twist, or held as the path tells, at shares of its length, (N,), in order from 0 to
    1."""
    way = as_path(path)
    start = way.legs[0]
    first = start.tangent(start.t0)
    run = _Run(way, way.up, 0.0)
    carriers = run.carriers(Plane(start.start, first))
    ends = np.cumsum([0.0, *(leg.length for leg in way.legs)])
    found = []
    for length in (shares * ends[-1]).tolist():
        k = min(int(np.searchsorted(ends, length, side="right")) - 1, len(carriers) - 1)
        leg = way.legs[k]
        t = leg.at_length(min(length - ends[k], leg.length))
        found.append(carriers[k].frames(np.array([0.0, (t - leg.t0) / (leg.t1 - leg.t0)]))[1])
    return found


def _swept(regions: Sequence[Region], run: _Run, step: str) -> Body:
    patches = [(patch, region.plane) for region in regions for patch in region.patches]
    return Body.made([run.lump(patch, plane, step) for patch, plane in patches], regions[0].unit)


def _has_corner(before: Leg, after: Leg, joined: bool = True) -> bool:
    return joined and _angle(before.tangent(before.t1), after.tangent(after.t0)) > SMOOTH_CORNER


def _smooth_chains(path: Path) -> list[tuple[Leg, ...]]:
    """The legs between the corners of a path."""
    chains = [[path.legs[0]]]
    for before, after in pairwise(path.legs):
        if _has_corner(before, after):
            chains.append([])
        chains[-1].append(after)
    return [tuple(chain) for chain in chains]


def _rounded_hollow(
    regions: Sequence[Region], chains: Sequence[tuple[Leg, ...]], hold: tuple[Vec3 | None, float], step: str
) -> Body:
    """What the outlines sweep less what the holes sweep: a hole goes on through a leg that is in its way."""
    patches = [(patch, region) for region in regions for patch in region.patches]
    outlines = [replace(region, patches=(Patch(patch.outer, ()),)) for patch, region in patches]
    holes = [replace(region, patches=(Patch(hole.reversed(), ()),))
             for patch, region in patches for hole in patch.holes]  # fmt: skip
    body = _rounded(outlines, chains, hold, step)
    return cut(body, _rounded(holes, chains, hold, step)) if holes else body


def _rounded(
    regions: Sequence[Region], chains: Sequence[tuple[Leg, ...]], hold: tuple[Vec3 | None, float], step: str
) -> Body:
    """What is swept along each chain, and turned at the corners between."""
    bodies: list[Body] = []
    here = list(regions)
    closed = distance(chains[0][0].start, chains[-1][-1].end) <= RESOLUTION
    for place, chain in enumerate(chains):
        run = _Run(Path(chain), *hold)
        bodies.append(_swept(here, run, step))
        here = [replace(region, plane=run.plane_at_end(region)) for region in here]
        last = place == len(chains) - 1
        if last and not closed:
            break
        after = chains[0 if last else place + 1][0]
        corner, ways = chain[-1].end, (chain[-1].tangent(chain[-1].t1), after.tangent(after.t0))
        run.refuse_corner(corner, _angle(*ways))
        bodies += turned_outside(here, corner, ways, step)
        about = turned(Axis(corner, cross(*ways)), math.degrees(_angle(*ways)))
        here = [replace(region, plane=about.frame(region.plane)) for region in here]
    return union(*bodies)


def _is_circle(path: Path) -> bool:
    return len(path.legs) == 1 and isinstance(path.legs[0].curve, Circle) and path.is_closed


def _axis_of_circle(path: Path) -> Axis:
    leg = path.legs[0]
    assert isinstance(leg.curve, Circle)
    return Axis(leg.curve.frame.origin, scaled(leg.curve.frame.normal, leg.side))


@dataclass(frozen=True)
class _Run:
    """A path, and how the profile is carried along it."""

    path: Path
    up: Vec3 | None
    twist: float

    def plane_at_end(self, region: Region) -> Plane:
        """The plane of a region at the end of the path."""
        loops = [list(loop.pieces) for loop in region.loops]
        return self._carried(region.plane, _samples(loops))[0][-1].plane_at_end

    def lump(self, patch: Patch, plane: Plane, step: str) -> Lump:
        leg = self.path.legs[0]
        way = leg.tangent(leg.t0)
        lean = dot(way, plane.normal)
        if abs(lean) < 1e-6:
            raise ModellingError("the path starts in the plane of the profile, which it must leave")
        loops = [list(loop.pieces) for loop in patch.loops]
        if lean < 0.0:
            loops = [[piece.reversed() for piece in reversed(loop)] for loop in loops]
        if self._is_general:
            loops = [list(halves(loop[0])) if loop[0].is_closed else loop for loop in loops]
        samples = _samples(loops)
        carriers, sections = self._carried(plane, samples)
        refuse_crossing(carriers, sections, patch, samples, self.path.is_closed)
        return _Walls(loops, carriers, sections, self.path.is_closed, step).lump()

    @property
    def _is_general(self) -> bool:
        """Whether some walls are canals or B-splines, which are made of halves of closed curves."""
        curved = (Line,) if self.up is not None else (Line, Circle)
        return bool(self.twist) or any(not isinstance(leg.curve, curved) for leg in self.path.legs)

    def carriers(self, plane: Plane) -> list[Carrier]:
        """What carries a plane along each leg."""
        return list(self._legs(plane, 1.0, []))

    def _legs(self, plane: Plane, reach: float, sections: list[Section]) -> Iterator[Carrier]:
        """A carrier for every leg in turn; the sections before, between and after them are added to a
        list."""
        first = self.path.legs[0]
        way = first.tangent(first.t0)
        frame = Frame(first.start, way, _across(way, plane.x))
        sections.append(Section(plane, way))
        before: Carrier | None = None
        for leg in self.path.legs:
            if before is not None:
                frame, plane = self._turn_corner(before, leg.tangent(leg.t0), sections)
            before = carrier_along(leg, frame, plane, (self.up, self.twist), reach)
            sections.append(Section(before.plane_at_end, before.end.way))
            yield before

    def _carried(self, plane: Plane, samples: FloatArray) -> tuple[list[Carrier], list[Section]]:
        """A carrier for every leg, and the sections before, between and after them."""
        reach = float(np.linalg.norm(plane.points(samples) - np.asarray(self.path.start), axis=1).max())
        carriers: list[Carrier] = []
        sections: list[Section] = []
        for carrier in self._legs(plane, reach, sections):
            _refuse_tight(carrier, samples)
            carriers.append(carrier)
        if self.path.is_closed:
            self._close(carriers, sections)
        _refuse_short(carriers, sections, samples)
        return carriers, sections

    def _turn_corner(self, before: Carrier, way: Vec3, sections: list[Section]) -> tuple[Frame, Plane]:
        """The frame and the profile's plane after a corner; the section before becomes that of a mitre."""
        frame, plane = before.end, before.plane_at_end
        angle = _angle(frame.way, way)
        if angle <= SMOOTH_CORNER:
            ahead = Frame(frame.origin, way, _across(way, frame.side))
            return ahead, plane
        self.refuse_corner(frame.origin, angle)
        axis = unit(cross(frame.way, way))
        ahead = Frame(frame.origin, way, rotated(frame.side, axis, angle))
        sections[-1] = Section(plane, frame.way, _bisector(frame.origin, frame.way, way))
        return ahead, carried(plane, frame, ahead)

    def refuse_corner(self, place: Vec3, angle: float) -> None:
        x, y, z = place
        if self.twist:
            raise ModellingError(f"a twisted profile cannot turn the corner at ({x:.6g}, {y:.6g}, {z:.6g})")
        if angle > math.pi - 1e-3:
            raise ModellingError(f"the path turns back on itself at ({x:.6g}, {y:.6g}, {z:.6g})")

    def _close(self, carriers: list[Carrier], sections: list[Section]) -> None:
        """The last section becomes the first, where the profile comes back to its place."""
        first, last = carriers[0], carriers[-1]
        angle = _angle(last.end.way, first.start.way)
        if angle > SMOOTH_CORNER:
            self.refuse_corner(first.start.origin, angle)
            mitre = _bisector(first.start.origin, last.end.way, first.start.way)
            sections[0] = Section(first.plane, first.start.way, mitre)
            axis = unit(cross(last.end.way, first.start.way))
            side = rotated(last.end.side, axis, angle)
        else:
            side = last.end.side
        off = math.degrees(
            math.atan2(dot(cross(side, first.start.side), first.start.way), dot(side, first.start.side))
        )
        if abs(off) > 1e-6:
            raise ModellingError(
                f"round the closed path the profile comes back turned by {-off:.6g} degrees: hold it with "
                f"up=, "
                f"or add twist={off:.6g}"
            )
        sections[-1] = sections[0]


def _samples(loops: Sequence[Sequence[Piece]]) -> FloatArray:
    return np.concatenate([places_along(piece, PER_PIECE) for loop in loops for piece in loop])


def _across(way: Vec3, x: Vec3) -> Vec3:
    """A unit direction across a way: near to another one, if that is not along it."""
    for d in (x, (0.0, 0.0, 1.0), (1.0, 0.0, 0.0)):
        flat = sub(d, scaled(way, dot(d, way)))
        if norm(flat) > 1e-3:
            return unit(flat)
    raise AssertionError


def _angle(one: Vec3, two: Vec3) -> float:
    angle = math.atan2(norm(cross(one, two)), dot(one, two))
    return 0.0 if angle <= STRAIGHT else angle


def _bisector(corner: Vec3, before: Vec3, after: Vec3) -> Plane:
    return Plane(corner, (before[0] + after[0], before[1] + after[1], before[2] + after[2]))


def _refuse_tight(carrier: Carrier, samples: FloatArray) -> None:
    share, (x, y, z), radius = carrier.least_advance(samples)
    if share <= SLOWEST:
        raise ModellingError(
            f"the path bends too tightly for the profile near ({x:.6g}, {y:.6g}, {z:.6g}): a bend there "
            f"needs "
            f"a radius of more than {radius:.6g}"
        )


def _refuse_short(carriers: Sequence[Carrier], sections: Sequence[Section], samples: FloatArray) -> None:
    """Raise ModellingError where mitres meet within a leg, or stand beside one that is not straight."""
    for place, carrier in enumerate(carriers):
        ends = sections[place], sections[place + 1]
        if all(section.mitre is None for section in ends):
            continue
        if not carrier.is_straight:
            x, y, z = (carrier.start if ends[0].mitre is not None else carrier.end).origin
            raise ModellingError(
                f"the corner of the path at ({x:.6g}, {y:.6g}, {z:.6g}) lies beside a curve, where there "
                f"is no "
                'mitre: make it a bend, or use corner="round"'
            )
        long = (ends[1].points(samples) - ends[0].points(samples)) @ np.asarray(carrier.start.way)
        if long.min() <= RESOLUTION:
            length = carrier.leg.length
            raise ModellingError(
                f"leg {place + 1} of the path is {length:.6g} long, too short for the mitres of this "
                f"profile at "
                f"its ends: it needs more than {length - float(long.min()):.6g}"
            )


class _Walls:
    """The faces of a swept patch."""

    def __init__(
        self,
        loops: Sequence[Sequence[Piece]],
        carriers: Sequence[Carrier],
        sections: Sequence[Section],
        closed: bool,
        step: str,
    ) -> None:
        self._loops, self._carriers, self._sections = loops, carriers, sections
        self._closed, self._step = closed, step
        self._rungs: dict[tuple[int, int], tuple[Edge, bool]] = {}
        self._rails: dict[tuple[int, float, float], Edge] = {}

    def lump(self) -> Lump:
        groups = [
            [self._face(k, piece) for k in range(len(self._carriers)) for piece in loop]
            for loop in self._loops
        ]
        if self._closed:
            return Lump(Shell(tuple(groups[0])), tuple(Shell(tuple(group)) for group in groups[1:]))
        caps = [self._cap(0, "start"), self._cap(len(self._carriers), "end")]
        return Lump(Shell((*caps, *(face for group in groups for face in group))))

    def _rung(self, k: int, piece: Piece) -> tuple[Edge, bool]:
        """The edge of a piece in a section."""
        k = 0 if self._closed and k == len(self._carriers) else k
        if (k, id(piece)) not in self._rungs:
            self._rungs[k, id(piece)] = self._sections[k].edge(piece)
        return self._rungs[k, id(piece)]

    def _rail(self, k: int, corner: tuple[float, float]) -> Edge:
        """The edge of a corner along a leg."""
        key = k, round(corner[0], 9), round(corner[1], 9)
        if key not in self._rails:
            a, b = self._sections[k].vertex(corner), self._sections[k + 1].vertex(corner)
            self._rails[key] = self._carriers[k].rail(corner, a, b)
        return self._rails[key]

    def _face(self, k: int, piece: Piece) -> Face:
        surface = self._carriers[k].wall(piece)
        (below, forward), (above, same) = self._rung(k, piece), self._rung(k + 1, piece)
        name = side_names(self._step, piece.name)
        if piece.is_closed:
            loops: tuple[Loop, ...] = Loop((Coedge(below, forward),)), Loop((Coedge(above, not same),))
        else:
            after, before = self._rail(k, piece.end), self._rail(k, piece.start)
            ring = Coedge(below, forward), Coedge(after, True), Coedge(above, not same), Coedge(before, False)
            loops = (Loop(ring),)
        t = 0.5 * (below.t0 + below.t1)
        point = below.curve.point(t)
        tangent = below.curve.tangent(t) if forward else scaled(below.curve.tangent(t), -1.0)
        out = cross(tangent, self._carriers[k].start.way)
        return Face(surface, dot(surface.normal(point), out) > 0.0, loops, name)

    def _cap(self, k: int, role: str) -> Face:
        plane = self._sections[k].plane
        at_end = role == "end"
        loops = []
        for loop in self._loops:
            ring = [self._rung(k, piece) for piece in loop]
            loops.append(Loop(tuple(Coedge(edge, way) for edge, way in ring) if at_end
                              else tuple(Coedge(edge, not way) for edge, way in reversed(ring))))  # fmt: skip
        ahead = dot(plane.normal, self._sections[k].way) > 0.0
        return Face(PlaneSurface(plane), ahead is at_end, tuple(loops), (FaceName(self._step, role),))
