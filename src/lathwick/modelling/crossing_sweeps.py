"""Does a profile on its way along a path run into where it has been?

Looked for at stations so close that no crossing deeper than a fraction of the profile is passed by.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

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


class _Stations:
    """Where the profile is looked at: places on the path, (N, 3), how far along it and on which leg, (N,)."""

    def __init__(self, carriers: Sequence[Carrier], reach: float) -> None:
        whole = math.fsum(carrier.leg.length for carrier in carriers)
        spacing = max(reach / PER_REACH, whole / MOST_STATIONS)
        self._carriers = carriers
        self._shares = [
            np.linspace(0.0, 1.0, max(2, math.ceil(c.leg.length / spacing) + 1)) for c in carriers
        ]
        legs = [(carrier.leg, shares) for carrier, shares in zip(carriers, self._shares, strict=True)]
        self.origins = np.concatenate([g.curve.points(g.t0 + s * (g.t1 - g.t0)) for g, s in legs])
        begins = np.cumsum([0.0, *(leg.length for leg, _ in legs)])
        self.lengths = np.concatenate([begins[n] + s * g.length for n, (g, s) in enumerate(legs)])
        self.legs = np.repeat(np.arange(len(legs)), [len(s) for _, s in legs])
        self._planes: dict[int, list[Plane]] = {}

    def plane(self, station: int) -> Plane:
        """The profile's plane at a station."""
        leg = int(self.legs[station])
        if leg not in self._planes:
            carrier = self._carriers[leg]
            frames = carrier.frames(self._shares[leg])
            self._planes[leg] = [carried(carrier.plane, carrier.start, frame) for frame in frames]
        return self._planes[leg][station - int(np.searchsorted(self.legs, leg))]


def refuse_crossing(
    carriers: Sequence[Carrier], sections: Sequence[Section], patch: Patch, samples: FloatArray, closed: bool
) -> None:
    """Raise ModellingError with the place where a swept patch would run into itself. samples : points of its
    outline, (N, 2)."""
    from scipy.spatial import cKDTree

    first = carriers[0]
    off = first.plane.points(samples) - np.asarray(first.start.origin)
    reach = max(float(np.linalg.norm(off, axis=1).max()), 1e-9)
    stations = _Stations(carriers, reach)
    pairs = cKDTree(stations.origins).query_pairs(2.0 * reach, output_type="ndarray")
    apart = np.abs(np.diff(stations.lengths[pairs], axis=1)[:, 0])
    if closed:
        apart = np.minimum(apart, stations.lengths[-1] - apart)
    for i, j in pairs[apart > BESIDE * reach].tolist():
        for one, two in ((i, j), (j, i)):
            points = stations.plane(one).points(samples)
            kept = np.ones(len(points), dtype=bool)
            for leg in (stations.legs[one], stations.legs[two]):
                kept &= _between_mitres(points, sections, int(leg))
            _refuse_inside(points[kept], stations.plane(two), patch, reach / PER_REACH)


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
