"""Does a profile on its way along a path run into where it has been?

Looked for at stations so close that no crossing deeper than a fraction of the profile is passed by.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..errors import ModellingError
from ..geometry.placement import FloatArray, Plane
from ..sketch.loops import Patch
from .carrying import Carrier, carried
from .sections import Section

PER_REACH = 4
MOST_STATIONS = 20_000
BESIDE = math.pi
"""Stations nearer along the path than the profile's reach times this are one place, where only the bend of
the path counts."""


@dataclass(frozen=True)
class _Station:
    """Where the profile is, how far along the path, on which leg."""

    plane: Plane
    length: float
    leg: int


def refuse_crossing(
    carriers: Sequence[Carrier], sections: Sequence[Section], patch: Patch, samples: FloatArray, closed: bool
) -> None:
    """Raise ModellingError with the place where a swept patch would run into itself. samples : points of its
    outline, (N, 2)."""
    first = carriers[0]
    off = first.plane.points(samples) - np.asarray(first.start.origin)
    reach = max(float(np.linalg.norm(off, axis=1).max()), 1e-9)
    origins, stations = _stations(carriers, reach)
    total = stations[-1].length
    from scipy.spatial import cKDTree

    for i, j in cKDTree(origins).query_pairs(2.0 * reach):
        apart = abs(stations[i].length - stations[j].length)
        apart = min(apart, total - apart) if closed else apart
        if apart <= BESIDE * reach:
            continue
        for one, two in ((stations[i], stations[j]), (stations[j], stations[i])):
            points = one.plane.points(samples)
            kept = _between_mitres(points, sections, one.leg) & _between_mitres(points, sections, two.leg)
            _refuse_inside(points[kept], two.plane, patch, reach / PER_REACH)


def _stations(carriers: Sequence[Carrier], reach: float) -> tuple[FloatArray, list[_Station]]:
    whole = math.fsum(carrier.leg.length for carrier in carriers)
    spacing = max(reach / PER_REACH, whole / MOST_STATIONS)
    origins, stations, before = [], [], 0.0
    for number, carrier in enumerate(carriers):
        shares = np.linspace(0.0, 1.0, max(2, math.ceil(carrier.leg.length / spacing) + 1))
        for share, frame in zip(shares.tolist(), carrier.frames(shares), strict=True):
            origins.append(frame.origin)
            plane = carried(carrier.plane, carrier.start, frame)
            stations.append(_Station(plane, before + share * carrier.leg.length, number))
        before += carrier.leg.length
    return np.array(origins), stations


def _between_mitres(points: FloatArray, sections: Sequence[Section], leg: int) -> NDArray[np.bool_]:
    """Which points lie where a leg is, between the mitres at its ends."""
    kept = np.ones(len(points), dtype=bool)
    for section, side in ((sections[leg], 1.0), (sections[leg + 1], -1.0)):
        if section.mitre is not None:
            normal = np.asarray(section.mitre.normal)
            ahead = side if normal @ np.asarray(section.way) > 0.0 else -side
            kept &= ahead * ((points - np.asarray(section.mitre.origin)) @ normal) > 0.0
    return kept


def _refuse_inside(points: FloatArray, plane: Plane, patch: Patch, room: float) -> None:
    local = plane.locals(points)
    for k in np.flatnonzero(np.abs(local[:, 2]) <= 0.5 * room).tolist():
        u, v, _ = local[k].tolist()
        if patch.contains((u, v)):
            x, y, z = points[k].tolist()
            raise ModellingError(
                f"the profile would run into itself near ({x:.6g}, {y:.6g}, {z:.6g}): keep the path farther "
                "from itself there, or make the profile smaller"
            )
