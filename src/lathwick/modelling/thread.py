"""Threads: a helical groove cut into a round face.

Without a profile it is the basic profile of ISO 68-1: 60 degrees, crests an eighth and roots a quarter of the
pitch wide outside, and the other way round inside.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise
from typing import TypeAlias

import numpy as np

from ..errors import ModellingError, naming_its_step
from ..geometry.placement import Plane
from ..geometry.round_surfaces import ConeSurface
from ..geometry.surfaces import CylinderSurface
from ..geometry.tolerance import RESOLUTION
from ..sketch.pieces import LinePiece, Piece
from ..topology.body import Body, BodyEdge, BodyFace
from ..topology.selection import Selection
from .combine import Warn, cut, silent
from .grooves import Groove, Screw
from .hole import axis_frame
from .paths import MOST_TURNS
from .primitives import number, size
from .profile import Profile, regions_of
from .references import face_of

COS_30 = math.sqrt(0.75)
DEPTH = 0.625 * COS_30
"""Of the basic profile, as a share of the pitch."""

OUTSIDE, INSIDE = 7 / 8, 3 / 4
"""How wide the groove of the basic profile opens, as a share of the pitch."""

ASIDE = 0.05
"""A groove ends this share of the pitch before a shoulder, and leaves as much between its turns."""


ThreadStart: TypeAlias = BodyFace | BodyEdge | Selection[BodyFace] | Selection[BodyEdge] | None
"""What lies at the end of a face where its thread begins."""


@naming_its_step
def thread(
    body: Body,
    face: BodyFace | Selection[BodyFace],
    pitch: float,
    length: float | None = None,
    *,
    left: bool = False,
    profile: Profile | None = None,
    play: float = 0.0,
    run_out: float = 0.5,
    start: ThreadStart = None,
    step: str = "",
    warn: Warn = silent,
) -> Body:
    """Cut a thread into a cylindrical face, of a shaft or of a hole.

    face : its radius is that of the crests: half of the nominal diameter outside, less 0.541 of the pitch
        inside.
    pitch : length unit, from turn to turn. length : how far the thread is of full depth, from its start,
        a bevel included; without it the whole face.
    left : left-handed.
    profile : a sketch or region that is the groove, x along the axis and y into the material from the face
        on, where it opens along y = 0; without it the basic profile of ISO 68-1.
    play : how far flanks and roots of the basic profile are set back, square to them.
    run_out : turns over which the groove ends, its depth falling to nothing; 0 ends it at full depth.
    start : a face or an edge at the end where the thread begins; needed for a length where both ends are
        free, or neither.

    At a free end the groove goes on beyond the face, at a shoulder it ends before it. Threads about one axis
    mesh: outside grooves cross the x of the face's axis frame (see `axis_frame`) a whole number of
    pitches above the foot of the origin, inside ones half a pitch higher.
    Faces: `step/side:root`, `step/side:low`, `step/side:high`, after the items of a profile, `step/end`.
    Raises ModellingError for a face that is not round, and for sizes that do not fit, with the limit.
    """
    chosen = face_of(body, face, "a thread is cut into")
    surface = chosen.brep.surface
    if not isinstance(surface, CylinderSurface):
        raise ModellingError(f"a thread is cut into a cylinder, not into a {chosen.kind}")
    rise, fade = size(pitch, "pitch"), _turns(run_out)
    outside = chosen.brep.outward
    loop, widest = _profile(rise, profile, number(play, "play"), outside)
    low, high = _stretch(loop)
    deep = max(max(piece.start[1], piece.end[1], piece.point(0.5)[1]) for piece in loop)
    if outside and deep > surface.radius - RESOLUTION:
        raise ModellingError(
            f"a groove {deep:.6g} deep does not fit in a radius of {surface.radius:.6g}; with this profile "
            f"the pitch may be at most {rise * surface.radius / deep:.6g}"
        )
    if high - low > widest:
        raise ModellingError(
            f"a groove {high - low:.6g} wide leaves no crest at a pitch of {rise:.6g}; it may be at most "
            f"{widest:.6g} wide"
        )
    frame = axis_frame(chosen)
    screw = Screw(frame, surface.radius, -1.0 if outside else 1.0, rise, -1.0 if left else 1.0, outside)
    ends = _Ends.of(chosen, frame, deep, _height_of(start, frame))
    stops, faded = ends.stations(screw, (low, high), fade, None if length is None else size(length, "length"))
    return cut(body, Body((Groove(screw, loop, stops, faded, step).lump(),), body.unit), warn=warn)


def _turns(run_out: float) -> float:
    turns = number(run_out, "run_out")
    if not 0.0 <= turns <= 1.0:
        raise ModellingError(f"a run-out takes 0 to 1 turns, got {turns:g}")
    return turns


def _profile(rise: float, profile: Profile | None, play: float, outside: bool) -> tuple[list[Piece], float]:
    """The outline of the groove, its mouth first, and how wide it may be."""
    if profile is not None:
        if play:
            raise ModellingError("play is for the profile of ISO 68-1; draw it into a profile of your own")
        return _own_profile(profile), rise * (1.0 - ASIDE)
    mouth = rise * (OUTSIDE if outside else INSIDE)
    most = 0.5 * (rise - mouth) * COS_30
    if not 0.0 <= play < most:
        raise ModellingError(f"play is from 0 to less than {most:.6g} at a pitch of {rise:.6g}, got {play:g}")
    half, deep = 0.5 * mouth + play / COS_30, DEPTH * rise + play
    root = half - deep * math.tan(math.radians(30.0))
    corners = [(-half, 0.0), (half, 0.0), (root, deep), (-root, deep)]
    names = ("mouth", "high", "root", "low")
    sides = zip(pairwise([*corners, corners[0]]), names, strict=True)
    return [LinePiece(a, b, name) for (a, b), name in sides], rise


def _own_profile(profile: Profile) -> list[Piece]:
    patches = [patch for region in regions_of(profile, "cut") for patch in region.patches]
    if len(patches) != 1 or patches[0].holes:
        raise ModellingError("the profile of a thread is one area without holes")
    pieces = list(patches[0].outer.pieces)
    mouths = [k for k, piece in enumerate(pieces) if _opens(piece)]
    if len(mouths) != 1:
        raise ModellingError("the profile of a thread has one side along y = 0, where the groove opens")
    pieces = pieces[mouths[0] :] + pieces[: mouths[0]]
    for piece in pieces[1:]:
        spots = np.array([piece.point(s) for s in np.linspace(0.0, 1.0, 33)])
        if spots[:, 1].min() < -RESOLUTION or np.diff(spots[:, 0]).max() > RESOLUTION:
            raise ModellingError(
                "the profile of a thread lies above y = 0 and gets nowhere wider than its mouth"
            )
    return pieces


def _opens(piece: Piece) -> bool:
    level = max(abs(piece.start[1]), abs(piece.end[1])) <= RESOLUTION
    return isinstance(piece, LinePiece) and level


def _stretch(loop: list[Piece]) -> tuple[float, float]:
    return loop[0].start[0], loop[0].end[0]


def _height_of(start: ThreadStart, frame: Plane) -> float | None:
    """How high along the axis the middle of the things lies at which a thread starts."""
    if start is None:
        return None
    things = list(start) if isinstance(start, Selection) else [start]
    edges: list[BodyEdge] = []
    for thing in things:
        if not isinstance(thing, (BodyFace, BodyEdge)):
            raise ModellingError(f"a thread starts at a face or an edge, got {thing!r}")
        edges += [thing] if isinstance(thing, BodyEdge) else list(thing.edges())
    if not edges:
        raise ModellingError("a thread starts at a face or an edge, got an empty selection")
    reaches = [_reach(edge, frame) for edge in edges]
    return 0.5 * (min(low for low, _ in reaches) + max(high for _, high in reaches))


def _reach(edge: BodyEdge, frame: Plane) -> tuple[float, float]:
    """The least and the largest height of an edge along an axis."""
    brep, way = edge.brep, np.asarray(frame.normal)
    foot = float(way @ np.asarray(frame.origin))
    low, high = brep.curve.reach(brep.t0, brep.t1, way)
    return low - foot, high - foot


@dataclass(frozen=True)
class _Ends:
    """The heights of the ends of a face; how far the groove goes on beyond free ones; at which of them, 0 or
    1, the thread starts, and at what height, if that is known."""

    heights: tuple[float, float]
    beyond: tuple[float | None, float | None]
    start: tuple[int, float] | None

    @classmethod
    def of(cls, face: BodyFace, frame: Plane, deep: float, start: float | None) -> _Ends:
        reaches = {edge: _reach(edge, frame) for edge in face.edges()}
        low, high = min(r[0] for r in reaches.values()), max(r[1] for r in reaches.values())
        rims = {edge: r for edge, r in reaches.items() if r[1] - r[0] <= 2.0 * RESOLUTION} or reaches
        down = [edge for edge, (a, _) in rims.items() if a <= low + RESOLUTION]
        up = [edge for edge, (_, b) in rims.items() if b >= high - RESOLUTION]
        beyond = tuple(cls._beyond(face, edges, frame, deep) for edges in (down, up))
        free = [k for k in (0, 1) if beyond[k] is not None]
        known = None
        if start is not None:
            known = int(abs(start - high) < abs(start - low)), start
        elif len(free) == 1:
            far = beyond[free[0]] or 0.0
            known = free[0], high + far if free[0] else low - far
        return cls((low, high), (beyond[0], beyond[1]), known)

    @staticmethod
    def _beyond(face: BodyFace, edges: list[BodyEdge], frame: Plane, deep: float) -> float | None:
        """How far along the axis the faces beside an end reach, down to the depth of the groove; None for a
        shoulder."""
        if not edges or not all(edge.convex for edge in edges):
            return None
        reach = 0.0
        for edge in edges:
            for other in edge.faces:
                if other.brep is face.brep:
                    continue
                heights = [_reach(one, frame) for one in other.edges()]
                far = max(b for _, b in heights) - min(a for a, _ in heights)
                if isinstance(other.brep.surface, ConeSurface):
                    far = min(far, deep / math.tan(other.brep.surface.half_angle))
                reach = max(reach, far)
        return reach

    def stations(
        self, screw: Screw, mouth: tuple[float, float], fade: float, length: float | None
    ) -> tuple[list[float], tuple[bool, bool]]:
        """The angles between which the walls of the groove are made, and whether its first and its last
        stretch fall to nothing."""
        run = fade * screw.pitch
        limits = [self._limit(k, screw.pitch, mouth) for k in (0, 1)]
        faded = [free is None and fade > 0.0 for free in self.beyond]
        if length is not None:
            k, wish = self._wished(length + run, mouth)
            over = (wish - limits[k]) * (1.0 if k else -1.0)
            if self.beyond[k] is None and over > RESOLUTION:
                raise ModellingError(self._too_long(length, length - over))
            if over < 0.0:
                limits[k], faded[k] = wish, fade > 0.0
        needed = run * sum(faded) + ASIDE * screw.pitch - (limits[1] - limits[0])
        if needed > 0.0:
            raise ModellingError(
                f"the face is {self._size:.6g} long, too short for a groove {mouth[1] - mouth[0]:.6g} wide "
                f"with its run-outs: it must be longer by {needed:.6g}"
            )
        low, high = (screw.angle_at(h) for h in limits)
        inner = (low + faded[0] * fade * math.tau, high - faded[1] * fade * math.tau)
        turns = (inner[1] - inner[0]) / math.tau
        if turns > MOST_TURNS:
            raise ModellingError(f"a thread has at most {MOST_TURNS} turns, this one would have {turns:.0f}")
        stops = np.linspace(*inner, max(1, math.ceil(turns - 1e-9)) + 1).tolist()
        return [low] * faded[0] + stops + [high] * faded[1], (faded[0], faded[1])

    @property
    def _size(self) -> float:
        return self.heights[1] - self.heights[0]

    def _limit(self, k: int, pitch: float, mouth: tuple[float, float]) -> float:
        """The height to which the middle of the groove may go at an end, or where it has left the body."""
        free, sense, aside = self.beyond[k], 1.0 if k else -1.0, ASIDE * pitch
        if free is None:
            return self.heights[k] - sense * aside - (mouth[1] if k else mouth[0])
        return self.heights[k] + sense * (free + aside) - (mouth[0] if k else mouth[1])

    def _wished(self, long: float, mouth: tuple[float, float]) -> tuple[int, float]:
        """The end to which a groove runs that is so long with its run-out, and at what height its middle
        ends."""
        if self.start is None:
            raise ModellingError("tell with start= at which end of the face the thread of a length begins")
        end, height = self.start
        return 1 - end, height - long - mouth[0] if end else height + long - mouth[1]

    def _too_long(self, length: float, most: float) -> str:
        way_out = f"at most {most:.6g}" if most > 0.0 else "use a smaller pitch or run_out"
        return (
            f"a thread {length:.6g} long with its run-out does not fit on a face {self._size:.6g} long: "
            f"{way_out}"
        )
