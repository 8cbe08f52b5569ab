"""B-spline curves and surfaces of ISO 10303-42."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import numpy as np

from ...geometry.curves import Ellipse
from ...geometry.placement import FloatArray
from ...geometry.spline import SplineCurve
from ...geometry.surfaces import ExtrudedSurface
from ...geometry.vector import Vec3
from .part21 import listed, logical, real

WritePoint = Callable[[Vec3], str]


def _knots(knots: Sequence[float]) -> tuple[str, str]:
    """Multiplicities and distinct knots."""
    distinct = list(dict.fromkeys(knots))
    counts = listed(str(sum(k == d for k in knots)) for d in distinct)
    return counts, listed(real(d) for d in distinct)


def _points(controls: FloatArray, point: WritePoint) -> list[str]:
    return [point((x, y, z)) for x, y, z in controls.tolist()]


def spline_curve(curve: SplineCurve, point: WritePoint) -> str:
    """The text of a B_SPLINE_CURVE_WITH_KNOTS."""
    counts, knots = _knots(curve.knots)
    controls = listed(_points(curve.controls, point))
    closed = logical(curve.is_closed)
    return (
        f"B_SPLINE_CURVE_WITH_KNOTS('',{curve.degree},{controls},.UNSPECIFIED.,{closed},.F.,"
        f"{counts},{knots},.UNSPECIFIED.)"
    )


def extruded_surface(surface: ExtrudedSurface, low: float, high: float, point: WritePoint) -> str:
    """The text of the B-spline surface over a profile from height `low` to `high`."""
    profile = surface.profile
    if isinstance(profile, Ellipse):
        degree, knots, base, weights = _ellipse_controls(profile)
        closed = True
    else:
        degree, knots, base, weights = profile.degree, profile.knots, profile.controls, None
        closed = profile.is_closed
    normal = np.asarray(surface.frame.normal)
    rows = zip(_points(base + low * normal, point), _points(base + high * normal, point), strict=True)
    net = listed(listed(row) for row in rows)
    counts, distinct = _knots(knots)
    shape = f"{degree},1,{net},.UNSPECIFIED.,{logical(closed)},.F.,.F."
    spacing = f"{counts},(2,2),{distinct},({real(low)},{real(high)}),.UNSPECIFIED."
    if weights is None:
        return f"B_SPLINE_SURFACE_WITH_KNOTS('',{shape},{spacing})"
    net_weights = listed(f"({real(w)},{real(w)})" for w in weights)
    return (
        f"(BOUNDED_SURFACE()B_SPLINE_SURFACE({shape})B_SPLINE_SURFACE_WITH_KNOTS({spacing})"
        f"GEOMETRIC_REPRESENTATION_ITEM()RATIONAL_B_SPLINE_SURFACE({net_weights})"
        "REPRESENTATION_ITEM('')SURFACE())"
    )


def _ellipse_controls(e: Ellipse) -> tuple[int, tuple[float, ...], FloatArray, list[float]]:
    """Degree, knots, controls and weights of a whole ellipse, in four quarters (Piegl & Tiller 7.5)."""
    corners = [(1, 0), (1, 1), (0, 1), (-1, 1), (-1, 0), (-1, -1), (0, -1), (1, -1), (1, 0)]
    controls = e.frame.points(np.array([(e.major * u, e.minor * v) for u, v in corners], dtype=float))
    half = math.sqrt(0.5)
    weights = [1.0 if i % 2 == 0 else half for i in range(9)]
    return 2, (0.0, 0.0, 0.0, 0.25, 0.25, 0.5, 0.5, 0.75, 0.75, 1.0, 1.0, 1.0), controls, weights
