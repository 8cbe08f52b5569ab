"""Faces offset along their outward normals."""

from __future__ import annotations

from ...geometry.fitting import offset
from ...geometry.surface import Surface
from ...topology.brep import Face


def offset_surface(face: Face, distance: float) -> tuple[Surface, bool] | None:
    """The surface at a distance outside of a face (negative: inside), and whether its normal looks out of
    the body; None where the offset swallows the face: a round of no radius is left.

    Raises ModellingError where the surface would fold back on itself.
    """
    moved = offset(face.surface, distance if face.outward else -distance)
    return None if moved is None else (moved, face.outward)
