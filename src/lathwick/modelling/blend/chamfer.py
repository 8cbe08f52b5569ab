"""Bevels of edges."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import numpy as np

from ...errors import ModellingError, naming_its_step
from ...geometry.placement import FloatArray
from ...topology.body import Body
from ...topology.brep import Edge, Face
from ...topology.names import FaceName
from ..combine import Warn, silent
from ..refitting.sides import turn_at
from .attempts import Wishes, blended
from .bevels import ruled_strip
from .fillet import Edges, checked_size, sizes_of_edges
from .passes import Blend
from .prisms import prism_bevel
from .strips import Strip, bevel_strip


@naming_its_step
def chamfer(
    body: Body,
    edges: Edges | Sequence[Edges],
    size: float | Sequence[float],
    size2: float | None = None,
    angle: float | None = None,
    *,
    facet: bool = False,
    follow: bool = True,
    skip: bool = False,
    step: str = "",
    warn: Warn = silent,
) -> Body:
    """The body with edges bevelled: a straight cut from `size` away on one face to `size` away on the other.

    edges : a selection; or several selections, with a size for each.
    size2 : the distance on the second face, if another. angle : instead of it, the angle in degrees between
        the bevel and the first face. The first face is that which was made earlier (comes first in
        `body.faces()`).

    facet : where three flat bevels meet they end in a point, as a cutter leaves it that goes along one edge
        after the other; with a facet the corner is cut off besides, through the ends of the bevels. Bevels
        of which one is curved always get one.
    follow, skip : as `fillet` has them.

    Edges that continue others smoothly are bevelled with them. Faces: `step/bevel`, and `step/corner` the
    facets. Raises ModellingError as `fillet` does.
    """
    sizes = sizes_of_edges(body, edges, size, ("the size of a chamfer", "sizes"))
    if isinstance(size, Sequence) and size2 is not None:
        raise ModellingError("a second size goes with one size, not with several")
    most = max(sizes.values())
    ratio = 1.0 if size2 is None else checked_size(size2, "the second size of a chamfer") / most
    if size2 is not None and angle is not None:
        raise ModellingError("a chamfer has a second size or an angle, not both")
    if angle is not None and not 0.0 < angle < 180.0:
        raise ModellingError(f"the angle of a chamfer must be between 0 and 180 degrees, got {angle!r}")
    order = {face: k for k, face in enumerate(body.brep_faces)}
    make = _maker(order, ratio, angle)
    blend = Blend(
        make, "bevelled", "size", FaceName(step, "bevel"), FaceName(step, "corner"), rolls=False, facets=facet
    )
    return blended(body, sizes, blend, Wishes(follow, skip, warn))


def _maker(
    order: dict[Face, int], ratio: float, angle: float | None
) -> Callable[[Edge, tuple[Face, Face], float], Strip | None]:
    names = {face.names: k for face, k in reversed(order.items())}

    def rank(face: Face) -> int:
        return order.get(face, names.get(face.names, len(order)))

    def make(edge: Edge, faces: tuple[Face, Face], size: float) -> Strip | None:
        first = 0 if rank(faces[0]) <= rank(faces[1]) else 1

        def setbacks(turns: FloatArray) -> tuple[FloatArray, FloatArray]:
            sizes = np.full(len(turns), size)
            second = ratio * sizes if angle is None else _second(turns, size, angle)
            return (sizes, second) if first == 0 else (second, sizes)

        one, two = setbacks(np.array([turn_at(edge, faces, 0.5 * (edge.t0 + edge.t1))]))
        exact = bevel_strip(edge, faces, (float(one[0]), float(two[0])))
        exact = exact or prism_bevel(edge, faces, setbacks)
        return exact or ruled_strip(edge, faces, setbacks)

    return make


def _second(turns: FloatArray, size: float, angle: float) -> FloatArray:
    """The distances on the second face, flat there, for an angle on the first: by the law of sines."""
    corners, lean = math.pi - np.abs(turns), math.radians(angle)
    largest = float(corners.max())
    if not lean + largest < math.pi:
        raise ModellingError(
            f"a bevel at {angle:g} degrees does not reach the second face, which stands at "
            f"{math.degrees(largest):g} degrees"
        )
    return np.asarray(size * math.sin(lean) / np.sin(lean + corners))
