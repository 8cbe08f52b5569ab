"""SVG 1.1 (W3C) at true size: lines, arcs and ellipses as such, splines as cubic Bezier curves."""

from __future__ import annotations

import math
from itertools import pairwise
from xml.sax.saxutils import escape

import numpy as np

from ...geometry.units import MILLIMETRES
from ...geometry.vector import Vec2
from ...sketch.pieces import ArcPiece, LinePiece, Piece
from ...sketch.plane_curves import CurvePiece, PlaneEllipse
from .outline import Outline

MARGIN = 0.02
CUT, SHOWN = "#14606b", "#8a979c"


def write_svg(outline: Outline, name: str) -> bytes:
    """The SVG file of an outline. Its user unit is the design's unit; y points up as in the sketch."""
    x0, y0, x1, y1 = outline.box
    pad = MARGIN * max(x1 - x0, y1 - y0)
    x0, y0, width, height = x0 - pad, y0 - pad, x1 - x0 + 2 * pad, y1 - y0 + 2 * pad
    scale = MILLIMETRES[outline.unit]
    hair = _number(0.002 * max(width, height))
    view = " ".join(_number(v) for v in (x0, -(y0 + height), width, height))
    cut = " ".join(_path(loop) for loop in outline.loops)
    shown = " ".join(_path((piece,)) for piece in outline.construction)
    rows = [
        '<?xml version="1.0" encoding="UTF-8"?>',
        f'<svg xmlns="http://www.w3.org/2000/svg" version="1.1" width="{_number(width * scale)}mm" '
        f'height="{_number(height * scale)}mm" viewBox="{view}">',
        f"<title>{escape(name)}</title>",
        f'<g fill="none" stroke-width="{hair}">',
    ]
    if shown:
        dashes = f"{_number(3 * float(hair))} {_number(3 * float(hair))}"
        rows.append(f'<path id="construction" stroke="{SHOWN}" stroke-dasharray="{dashes}" d="{shown}"/>')
    if cut:
        rows.append(f'<path id="cut" stroke="{CUT}" d="{cut}"/>')
    return ("\n".join([*rows, "</g>", "</svg>"]) + "\n").encode("utf-8")


def _number(value: float) -> str:
    text = repr(value + 0.0)
    return text.removesuffix(".0")


def _spot(p: Vec2) -> str:
    return f"{_number(p[0])} {_number(-p[1])}"


def _path(loop: tuple[Piece, ...]) -> str:
    """A subpath; closed where it ends at its start."""
    closed = loop[0].is_closed or math.dist(loop[0].start, loop[-1].end) < 1e-5
    steps = "".join(_step(piece) for piece in loop)
    return f"M{_spot(loop[0].start)}{steps}{'Z' if closed else ''}"


def _step(piece: Piece) -> str:
    if isinstance(piece, LinePiece):
        return f"L{_spot(piece.end)}"
    if isinstance(piece, ArcPiece):
        return _arc(piece, piece.radius, piece.radius, 0.0, abs(piece.sweep), piece.sweep > 0)
    if isinstance(piece.curve, PlaneEllipse):
        tilt = -math.degrees(piece.curve.angle)
        span, left = abs(piece.b - piece.a), piece.b > piece.a
        return _arc(piece, piece.curve.major, piece.curve.minor, tilt, span, left)
    return _beziers(piece)


def _arc(piece: Piece, rx: float, ry: float, tilt: float, sweep: float, left: bool) -> str:
    """Elliptical arc commands, at most half a turn each (a whole turn would vanish)."""
    count = max(1, math.ceil(sweep / (0.9 * math.pi)))
    radii = f"{_number(rx)} {_number(ry)} {_number(tilt)}"
    flag = 0 if left else 1  # y is turned over
    stops = [piece.point(k / count) for k in range(1, count)] + [piece.end]
    return "".join(f"A{radii} 0 {flag} {_spot(stop)}" for stop in stops)


def _beziers(piece: CurvePiece) -> str:
    """Cubic pieces between knots, from the ends and end slopes of each: exact up to degree three."""
    stops = piece.curve.breaks(piece.low, piece.high)
    if piece.b < piece.a:
        stops = stops[::-1]
    steps = []
    for a, b in pairwise(stops):
        inset = 1e-12 * (b - a)  # the slopes belong to the piece between the two knots
        ends = piece.curve.points(np.array([a, b]))
        slopes = piece.curve.derivatives(np.array([a + inset, b - inset])) * (b - a) / 3.0
        one, two = ends[0] + slopes[0], ends[1] - slopes[1]
        spots = [(float(x), float(y)) for x, y in (one, two, ends[1])]
        steps.append("C" + " ".join(_spot(spot) for spot in spots))
    return "".join(steps)
