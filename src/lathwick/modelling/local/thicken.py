"""Thickening: a solid from faces of a body and their offset."""

from __future__ import annotations

import math
from typing import Any

from ...errors import ModellingError, naming_its_step
from ...topology.body import Body, BodyFace
from ...topology.selection import Selection
from ..primitives import number
from .shell import shell


@naming_its_step
def thicken(
    faces: BodyFace | Selection[BodyFace] | list[BodyFace], thickness: float, *, step: str = ""
) -> Body:
    """The plate between faces of a body and their offset, on its own.

    faces : of one body; together they are one side of the plate. thickness : out of the body; negative into
        it.

    At its rims the plate ends in the faces of the body beside it, so it fits between its neighbours. Its
    other side is called `step/inside`, as that of a shell. Raises ModellingError for faces of different
    bodies, for all faces of one, and for a thickness that does not fit, with the largest that works.
    """
    chosen = _chosen(faces)
    size = number(thickness, "thickness")
    if not math.isfinite(size) or size == 0.0:
        raise ModellingError(f"a thickness is not nought, got {thickness!r}")
    body = chosen[0].body
    picked = {face.brep for face in chosen}
    others = [BodyFace(body, face) for face in body.brep_faces if face not in picked]
    if not others:
        raise ModellingError("all faces of the body are to be thickened; use a shell")
    return shell(body, -size, others, step=step)


def _chosen(faces: Any) -> list[BodyFace]:
    found = [faces] if isinstance(faces, BodyFace) else faces
    found = list(found) if isinstance(found, (Selection, list)) else []
    if not found or not all(isinstance(face, BodyFace) for face in found):
        raise ModellingError(f"faces of a body are thickened, got {faces!r}")
    if any(face.body is not found[0].body for face in found):
        raise ModellingError("the faces to thicken belong to different bodies")
    return found
