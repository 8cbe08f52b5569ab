"""Faces offset along their outward normals."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from ...errors import ModellingError
from ...geometry.canal import CanalSurface
from ...geometry.placement import Plane
from ...geometry.round_surfaces import ConeSurface, SphereSurface, TorusSurface
from ...geometry.spline import FittedCurve
from ...geometry.surfaces import CylinderSurface, PlaneSurface, Surface
from ...geometry.tolerance import RESOLUTION
from ...geometry.varying_canal import VaryingCanal
from ...geometry.vector import along
from ...topology.brep import Face


def offset_surface(face: Face, distance: float) -> tuple[Surface, bool] | None:
    """The surface at a distance outside of a face (negative: inside), and whether its normal looks out of
    the body; None where the offset swallows the face: a round of no radius is left.

    Raises ModellingError for surfaces whose offset is not one of their kind.
    """
    surface, outward = face.surface, face.outward
    d = distance if outward else -distance
    if isinstance(surface, PlaneSurface):
        frame = surface.frame
        return PlaneSurface(Plane(along(frame.origin, frame.normal, d), frame.normal, frame.x)), outward
    if isinstance(surface, ConeSurface):
        apex = along(surface.frame.origin, surface.frame.normal, -d / math.sin(surface.half_angle))
        return ConeSurface(surface.frame.moved_to(apex), surface.half_angle), outward
    if isinstance(surface, VaryingCanal):
        raise ModellingError("a round whose radius varies cannot be offset yet")
    if isinstance(surface, CylinderSurface | SphereSurface | CanalSurface):
        radius = surface.radius + d
        if radius <= RESOLUTION:
            return None
        if isinstance(surface, CanalSurface):
            return _canal(surface, radius), outward
        return replace(surface, radius=radius), outward
    if isinstance(surface, TorusSurface):
        minor = surface.minor + d
        is_left = min(minor, surface.major + minor) > RESOLUTION
        return (TorusSurface(surface.frame, surface.major, minor), outward) if is_left else None
    raise ModellingError(f"a {surface.kind} face cannot be offset yet")


def _canal(surface: CanalSurface, radius: float) -> CanalSurface:
    zero, spine = surface.zero, surface.spine
    share = radius / surface.radius
    if zero.knots == spine.knots and zero.degree == spine.degree:
        controls = spine.controls + share * (zero.controls - spine.controls)
        return CanalSurface(spine, FittedCurve(zero.degree, zero.knots, np.asarray(controls)), radius)
    raise ModellingError("a canal whose curves have unlike knots cannot be offset")
