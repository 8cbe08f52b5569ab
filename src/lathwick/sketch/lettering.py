"""Outlines of letters from a font, as exact curves: lines and the Bezier curves of the font itself.

Fonts are read by the `fonttools` package. The packaged default is DejaVu Sans (its licence lies
beside it), so that text is the same everywhere. Letters are placed by their advance widths.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import as_file, files
from typing import Any

import numpy as np

from ..errors import SketchError
from ..geometry.vector import Vec2

DEFAULT_FONT = "DejaVuSans.ttf"
ALIGNMENTS = {"left": 0.0, "center": 0.5, "right": 1.0}
LEVELS = {"base": 0.0, "middle": 0.5, "top": 1.0}
CAPITALS = 0.7

Stroke = tuple[Vec2, ...]
"""Control points of one Bezier curve: two for a line, three or four for a curve."""


@dataclass(frozen=True, slots=True)
class Lettering:
    """Closed contours of `text`, each a chain of strokes; capitals are one unit high, and the base
    line starts, ends or is centered at the origin."""

    contours: tuple[tuple[Stroke, ...], ...]
    width: float


@lru_cache(maxsize=64)
def lettering(text: str, font: str | None, align: str, spacing: float, level: str = "base") -> Lettering:
    """The outlines of one line of text.

    font : path of a TTF or OTF file; None for the packaged one. align : "left", "center", "right".
    spacing : extra space between letters, in heights of a capital. level : what of a capital stands at the
    height of the origin, its "base", "middle" or "top".
    Raises SketchError for an unreadable font, an unknown alignment or a letter the font has not.
    """
    if align not in ALIGNMENTS:
        raise SketchError(f'text aligns {", ".join(ALIGNMENTS)}, not "{align}"')
    if level not in LEVELS:
        raise SketchError(f'text is level with its {", ".join(LEVELS)}, not "{level}"')
    face = _opened(font)
    glyphs, names = face.getGlyphSet(), face.getBestCmap()
    capital = _capital(face)
    x, contours = 0.0, []
    for letter in text:
        if ord(letter) not in names:
            raise SketchError(f'the font has no letter "{letter}"')
        glyph = glyphs[names[ord(letter)]]
        contours += [_shifted(contour, x) for contour in _contours(glyph, glyphs)]
        x += glyph.width + spacing * capital
    width = x - spacing * capital
    shift, drop = ALIGNMENTS[align] * width, LEVELS[level] * capital
    placed = tuple(
        tuple(
            tuple(((px - shift) / capital, (py - drop) / capital) for px, py in stroke) for stroke in contour
        )
        for contour in contours
    )
    return Lettering(placed, width / capital)


def _capital(face: Any) -> float:
    """Height of a capital H in font units; by the font's table where it has no such letter."""
    from fontTools.pens.boundsPen import BoundsPen

    glyphs, names = face.getGlyphSet(), face.getBestCmap()
    if ord("H") in names:
        pen = BoundsPen(glyphs)
        glyphs[names[ord("H")]].draw(pen)
        if pen.bounds is not None:
            return float(pen.bounds[3])
    return float(getattr(face["OS/2"], "sCapHeight", 0) or CAPITALS * face["head"].unitsPerEm)


def _shifted(contour: list[Stroke], x: float) -> list[Stroke]:
    return [tuple((px + x, py) for px, py in stroke) for stroke in contour]


def _opened(font: str | None) -> Any:
    from fontTools.ttLib import TTFont, TTLibError

    try:
        if font is None:
            with as_file(files(__package__) / "fonts" / DEFAULT_FONT) as path:
                return TTFont(path)
        if not font:
            raise SketchError("a font is the path of a file, got an empty text")
        opened = TTFont(font)
        opened.getGlyphSet()  # a font without outlines is refused here
        return opened
    except (OSError, TTLibError) as error:
        raise SketchError(f"the font {font} cannot be read: {error}") from None


def _contours(glyph: Any, glyphs: Any) -> list[list[Stroke]]:
    from fontTools.pens.basePen import decomposeQuadraticSegment
    from fontTools.pens.recordingPen import DecomposingRecordingPen

    pen = DecomposingRecordingPen(glyphs)
    glyph.draw(pen)
    contours: list[list[Stroke]] = []
    at: Vec2 = (0.0, 0.0)
    for verb, points in pen.value:
        if verb == "moveTo":
            contours.append([])
            at = points[0]
        elif verb == "lineTo":
            at = _add(contours[-1], (at, points[0]))
        elif verb == "curveTo":
            at = _add(contours[-1], (at, *points))
        elif verb == "qCurveTo":
            if points[-1] is None:  # a contour of off-curve points only starts between two of them
                first, last = np.array(points[0]), np.array(points[-2])
                start = tuple(((first + last) / 2).tolist())
                contours.append([])
                at, points = start, (*points[:-1], start)
            for middle, end in decomposeQuadraticSegment(points):
                at = _add(contours[-1], (at, middle, end))
        elif verb == "closePath" and contours[-1]:
            at = _add(contours[-1], (at, contours[-1][0][0]))
    return [contour for contour in contours if contour]


def _add(contour: list[Stroke], stroke: Stroke) -> Vec2:
    """Append a stroke unless it has no length; returns its end."""
    if any(point != stroke[0] for point in stroke[1:]):
        contour.append(stroke)
    return stroke[-1]
