"""
Tag plate
=========

The tag of a gauging site: a rounded plate with two holes and its name, engraved, fitted and centered.
"""

import math

from fontTools.pens.areaPen import AreaPen
from fontTools.pens.boundsPen import BoundsPen

import lathwick as lw


@lw.design(unit="mm", strict=True)
def tag_plate(
    job: lw.Job,
    site: lw.Text = lw.param("SG-07", note="what is engraved"),
    width: lw.Length = lw.param(60.0, low=20, high=300),
    height: lw.Length = lw.param("=0.4*width"),
    thick: lw.Length = lw.param(3.0, low=0.5),
    deep: lw.Length = lw.param("=0.2*thick", note="of the engraving"),
    letter: lw.Length = lw.param("=0.45*height", note="height of a capital, where the name is short enough"),
    bolt: lw.Length = lw.param("=0.12*height"),
):
    sk = job.sketch("outline")
    box = sk.rectangle(width, height, center=sk.origin, rounding="=height/2", name="plate")
    sk.length(box.bottom, "=width")
    sk.length(box.left, "=height")
    hole = sk.circle((-(width - height) / 2 - height / 6, 0), bolt / 2, name="bolt")
    sk.diameter(hole, "=bolt")
    sk.on(hole.center, sk.x_axis)
    sk.distance_x(sk.origin, hole.center, "=width/2 - height/3")
    sk.mirror(hole, sk.y_axis)
    plate = job.extrude("plate", sk, thick)

    face = job.sketch("name", on=plate.face("plate/end"))
    words = face.text(
        site, letter, at=face.origin, align="center", level="middle", fit=room(width, height, bolt)
    )
    job.require(words.height > letter / 3, f"{site} is too long a name for the plate")
    body = job.cut("engraving", plate, face, depth=deep)
    return lw.Part(body, name=site, material=lw.Material("brass", density=8.5e-6))


def room(width, height, bolt):
    """Between the holes, with the width of one to spare beside each."""
    return width - 2 * height / 3 - 3 * bolt


def volume(site, width, height, thick, deep, letter, bolt):
    plate = width * height - (4 - math.pi) * height**2 / 4 - 2 * math.pi * bolt**2 / 4
    return plate * thick - letters_area(site, letter, room(width, height, bolt)) * deep


def letters_area(words, letter, fit):
    """By the areas that the font states for its outlines."""
    from importlib.resources import files

    from fontTools.ttLib import TTFont

    font = TTFont(files("lathwick.sketch") / "fonts" / "DejaVuSans.ttf")
    glyphs, names = font.getGlyphSet(), font.getBestCmap()
    high = BoundsPen(glyphs)
    glyphs["H"].draw(high)
    capital = high.bounds[3]
    area, length = 0.0, 0.0
    for character in words:
        glyph = glyphs[names[ord(character)]]
        pen = AreaPen(glyphs)
        glyph.draw(pen)
        area, length = area + abs(pen.value), length + glyph.width
    size = min(letter, fit * capital / length) / capital
    return area * size**2
