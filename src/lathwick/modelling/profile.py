"""What may be extruded, revolved or cut along: a sketch, regions, or a planar face."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TypeAlias

from ..errors import ModellingError
from ..gate import is_list
from ..sketch.region import Region
from ..sketch.sketch import Sketch
from ..topology.body import BodyFace
from ..topology.selection import Selection, single
from .flat_faces import region_of_face

Profile: TypeAlias = Sketch | Region | BodyFace | Selection[BodyFace]
"""A sketch stands for its default profile, a face, or a selection of one, for its area."""


def regions_of(profile: Profile | Iterable[Region], verb: str) -> tuple[Region, ...]:
    """The regions of a profile; a sketch is solved. verb : what is to be done with them.

    Raises ModellingError for none, and for what is no profile; SketchError for a sketch without one.
    """
    if isinstance(profile, Region):
        return (profile,)
    profile = single(profile)
    if isinstance(profile, BodyFace):
        return (region_of_face(profile.brep, profile.body.unit),)
    if isinstance(profile, Sketch):
        profile.settle()
        return profile.regions()
    given = tuple(profile) if is_list(profile) and isinstance(profile, Iterable) else (profile,)
    found = tuple(region for region in given if isinstance(region, Region))
    if len(found) < len(given):
        raise ModellingError(f"a profile is a sketch, regions or a planar face, got {profile!r}")
    if not found:
        raise ModellingError(f"there is no region to {verb}")
    return found
