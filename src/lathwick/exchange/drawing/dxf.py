"""DXF (release 2010) by the `ezdxf` package: lines, arcs, circles, ellipses and splines as such."""

from __future__ import annotations

import io
import math
from typing import Any

from ...errors import ExchangeError
from ...geometry.vector import Vec2
from ...sketch.pieces import ArcPiece, LinePiece, Piece
from ...sketch.plane_curves import CurvePiece, PlaneEllipse
from .outline import Outline

INSERT_UNITS = {"in": 1, "mm": 4, "cm": 5, "m": 6}
"""Codes of the header variable $INSUNITS."""


def write_dxf(outline: Outline, name: str) -> bytes:
    """The DXF file of an outline: curves to cut on the layer CUT, construction on CONSTRUCTION.

    Raises ExchangeError for an empty outline.
    """
    import ezdxf

    if not outline.pieces and not outline.construction:
        raise ExchangeError("there is no curve to draw")
    before = ezdxf.options.write_fixed_meta_data_for_testing
    ezdxf.options.write_fixed_meta_data_for_testing = True  # no time, no random identifiers
    try:
        return _encoded(_drawing(outline))
    finally:
        ezdxf.options.write_fixed_meta_data_for_testing = before


def _drawing(outline: Outline) -> Any:
    import ezdxf

    drawing = ezdxf.new("R2010", setup=["linetypes"])
    drawing.header["$INSUNITS"] = INSERT_UNITS[outline.unit]
    drawing.header["$MEASUREMENT"] = 0 if outline.unit == "in" else 1
    drawing.layers.add("CUT", color=7)
    drawing.layers.add("CONSTRUCTION", color=8, linetype="DASHED")
    space = drawing.modelspace()
    for piece in outline.pieces:
        _add(space, piece, {"layer": "CUT"})
    for piece in outline.construction:
        _add(space, piece, {"layer": "CONSTRUCTION"})
    return drawing


def _encoded(drawing: Any) -> bytes:
    out = io.StringIO()
    drawing.write(out)
    return out.getvalue().encode("utf-8")


def _add(space: Any, piece: Piece, style: dict[str, str]) -> None:
    if isinstance(piece, LinePiece):
        space.add_line(piece.start, piece.end, style)
    elif isinstance(piece, ArcPiece):
        _add_arc(space, piece, style)
    elif isinstance(piece.curve, PlaneEllipse):
        _add_ellipse(space, piece.curve, piece.low, piece.high, style)
    else:
        _add_spline(space, piece, style)


def _add_arc(space: Any, piece: ArcPiece, style: dict[str, str]) -> None:
    if piece.is_closed:
        space.add_circle(piece.center, piece.radius, style)
        return
    first = piece.angle if piece.sweep > 0 else piece.angle + piece.sweep
    ends = (math.degrees(first), math.degrees(first + abs(piece.sweep)))
    space.add_arc(piece.center, piece.radius, *ends, dxfattribs=style)


def _add_ellipse(space: Any, e: PlaneEllipse, low: float, high: float, style: dict[str, str]) -> None:
    """The format wants the longer axis first."""
    major, minor, turn = e.major, e.minor, e.angle
    if minor > major:
        major, minor, turn = minor, major, turn + math.pi / 2
        low, high = low - math.pi / 2, high - math.pi / 2
    axis: Vec2 = (major * math.cos(turn), major * math.sin(turn))
    space.add_ellipse(e.center, axis, minor / major, low, high, style)


def _add_spline(space: Any, piece: CurvePiece, style: dict[str, str]) -> None:
    part = piece.as_spline()
    spline = space.add_spline(degree=part.degree, dxfattribs=style)
    spline.control_points = [(x, y, 0.0) for x, y in part.controls.tolist()]
    spline.knots = list(part.knots)
