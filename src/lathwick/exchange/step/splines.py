"""B-spline curves and surfaces of ISO 10303-42."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from ...geometry.placement import FloatArray
from ...geometry.spline import BSpline
from ...geometry.spline_surface import SplineSurface
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


def spline_curve(curve: BSpline, point: WritePoint) -> str:
    """The text of a B_SPLINE_CURVE_WITH_KNOTS."""
    counts, knots = _knots(curve.knots)
    controls = listed(_points(curve.controls, point))
    closed = logical(curve.is_closed)
    return (
        f"B_SPLINE_CURVE_WITH_KNOTS('',{curve.degree},{controls},.UNSPECIFIED.,{closed},.F.,"
        f"{counts},{knots},.UNSPECIFIED.)"
    )


def rational_curve(curve: BSpline, weights: FloatArray, point: WritePoint) -> str:
    """The text of a rational B-spline curve; `weights`, (n,), of the controls of the curve."""
    counts, knots = _knots(curve.knots)
    shape = f"{curve.degree},{listed(_points(curve.controls, point))},.UNSPECIFIED.,.F.,.F."
    return (
        f"(BOUNDED_CURVE()B_SPLINE_CURVE({shape})B_SPLINE_CURVE_WITH_KNOTS({counts},{knots},.UNSPECIFIED.)"
        "CURVE()GEOMETRIC_REPRESENTATION_ITEM()"
        f"RATIONAL_B_SPLINE_CURVE({listed(real(w) for w in weights.tolist())})REPRESENTATION_ITEM(''))"
    )


def spline_surface(surface: SplineSurface, point: WritePoint) -> str:
    """The text of a B_SPLINE_SURFACE_WITH_KNOTS, rational where it has weights."""
    net = listed(listed(_points(row, point)) for row in surface.controls)
    (counts_u, knots_u), (counts_v, knots_v) = (_knots(knots) for knots in surface.knots)
    degrees = f"{surface.degrees[0]},{surface.degrees[1]}"
    closed = ",".join(logical(c) for c in surface.is_closed)
    shape = f"{degrees},{net},.UNSPECIFIED.,{closed},.F."
    spacing = f"{counts_u},{counts_v},{knots_u},{knots_v},.UNSPECIFIED."
    if surface.weights is None:
        return f"B_SPLINE_SURFACE_WITH_KNOTS('',{shape},{spacing})"
    weights = listed(listed(real(w) for w in row) for row in surface.weights.tolist())
    return (
        f"(BOUNDED_SURFACE()B_SPLINE_SURFACE({shape})B_SPLINE_SURFACE_WITH_KNOTS({spacing})"
        f"GEOMETRIC_REPRESENTATION_ITEM()RATIONAL_B_SPLINE_SURFACE({weights})"
        "REPRESENTATION_ITEM('')SURFACE())"
    )
