"""Text: the font's own curves, holes in letters, placing, and clear refusals."""

import math

import pytest
import shapely
from fontTools.pens.areaPen import AreaPen
from fontTools.pens.boundsPen import BoundsPen
from fontTools.ttLib import TTFont

import lathwick as lw

from ..conftest import ROOT

FONT = ROOT / "src" / "lathwick" / "sketch" / "fonts" / "DejaVuSans.ttf"


def font_area(words: str, height: float) -> float:
    """Area of the letters by the font package's own pen; capitals `height` high."""
    font = TTFont(FONT)
    glyphs, names = font.getGlyphSet(), font.getBestCmap()
    total = 0.0
    for letter in words:
        pen = AreaPen(glyphs)
        glyphs[names[ord(letter)]].draw(pen)
        total += abs(pen.value)
    capital = BoundsPen(glyphs)
    glyphs["H"].draw(capital)
    return total * (height / capital.bounds[3]) ** 2


@pytest.mark.parametrize("words", ["SEDGEMERE", "Gauge 08/B", "no. 4 & 6"])
def test_letters_have_the_area_of_the_font(words, tmp_path, outside_check):
    """Each string makes a valid solid of the exact area, its holes open, its files sound."""
    sk = lw.Sketch()
    sk.text(words, 6, name="words")
    regions = sk.regions()
    area = math.fsum(region.area for region in regions)
    assert area == pytest.approx(font_area(words, 6), rel=1e-9)
    body = lw.extrude(regions, 2, step="tag")
    assert body.volume == pytest.approx(2 * area, rel=1e-12)
    assert body.check() == ()
    assert len(body.faces("tag/side:words")) == len(body.faces("tag/side"))
    lw.save(body, tmp_path / "words.step")
    lw.save(body, tmp_path / "words.stl", chord=0.02)
    outside_check(tmp_path / "words.step")
    outside_check(tmp_path / "words.stl")


def test_letters_cut_into_a_plate():
    """Text in a plate: the plate less the letters, and the islands inside letters as lumps."""
    sk = lw.Sketch()
    sk.rectangle(40, 12)
    sk.text("8 oB", 6, align="center", at=(0, -3))
    plate, *islands = sk.regions()
    assert len(islands) == 5  # two in 8, one in o, two in B
    total = plate.area + math.fsum(i.area for i in islands)
    assert total == pytest.approx(480 - font_area("8 oB", 6), rel=1e-9)


@pytest.mark.parametrize(("align", "share"), [("left", 0.0), ("center", 0.5), ("right", 1.0)])
def test_alignment_height_spacing_and_angle(align, share):
    """Capitals are as high as asked; the base line starts, is centered or ends at the point."""
    sk = lw.Sketch()
    text = sk.text("HI", 10, at=(3, 4), align=align)
    wide = sk.text("HI", 10, align=align, spacing=0.5)
    assert wide.width == pytest.approx(text.width + 5)
    points = [p for contour in text.strokes() for stroke in contour for p in stroke]
    assert max(y for _, y in points) - min(y for _, y in points) == pytest.approx(10)
    assert min(y for _, y in points) == pytest.approx(4)
    assert min(x for x, _ in points) > 3 - share * text.width - 1e-9
    assert max(x for x, _ in points) < 3 + (1 - share) * text.width + 1e-9
    turned = sk.text("HI", 10, at=(3, 4), align=align, angle=90)
    box = shapely.MultiPoint([p for c in turned.strokes() for s in c for p in s]).bounds
    assert box[2] == pytest.approx(3)
    assert box[0] == pytest.approx(-7)


def test_text_is_placed_by_its_point():
    """The point of a text is constrained like any other; a font may be given as a file."""
    sk = lw.Sketch()
    text = sk.text("A", 5, font=str(FONT), at=(1, 1))
    assert sk.solve().freedom == 2
    sk.distance_x(sk.origin, text.at, 7)
    sk.on(text.at, sk.x_axis)
    assert sk.solve().is_fully_defined
    (region,) = sk.regions()
    assert region.centroid[0] == pytest.approx(7 + text.width / 2, abs=0.05)


@pytest.mark.parametrize(
    ("arguments", "options", "words"),
    [
        (("", 5), {}, "not empty"),
        (("a\nb", 5), {}, "one line"),
        (("a", 0), {}, "more than"),
        (("a", 5), {"align": "middle"}, 'not "middle"'),
        (("a", 5), {"font": "nowhere.ttf"}, "cannot be read"),
        (("\u4e2d", 5), {}, "no letter"),
    ],
)
def test_impossible_text_is_refused(arguments, options, words):
    """One sentence each."""
    with pytest.raises(lw.SketchError, match=words):
        lw.Sketch().text(*arguments, **options)


def test_two_texts_make_one_valid_solid(tmp_path, outside_check):
    """Two lines of text with holes in the letters: exact B-spline faces, in measures, mesh and files."""
    sk = lw.Sketch(name="tag")
    words = ("A8", "No. 4B")
    for k, line in enumerate(words):
        sk.text(line, 5, at=(0, -8 * k), align="center", name=f"line{k}")
    regions = sk.regions()
    area = math.fsum(r.area for r in regions)
    assert area == pytest.approx(sum(font_area(line, 5) for line in words), rel=1e-9)
    assert sum(len(r.holes) for r in regions) == 7
    body = lw.extrude(regions, 1.5, step="words")
    assert body.check() == ()
    assert body.volume == pytest.approx(1.5 * area, rel=1e-12)
    assert any(face.kind == "spline" for face in body.faces("words/side:line1"))
    lw.save(body, tmp_path / "words.step")
    lw.save(body, tmp_path / "words.stl", chord=0.02)
    outside_check(tmp_path / "words.step")
    outside_check(tmp_path / "words.stl")


def test_copies_of_text():
    """A row keeps the letters, a ring turns them, a mirror line mirrors them; all follow the first."""
    sk = lw.Sketch()
    text = sk.text("R5", 4, at=(10, 2), name="mark")
    area = math.fsum(r.area for r in sk.regions())
    ((row,),) = sk.copies(text, 2, dy=-9)
    ((turned,),) = sk.copies(text, 2, about=sk.origin, angle=90)
    (image,) = sk.mirror(text, sk.y_axis)
    assert math.fsum(r.area for r in sk.regions()) == pytest.approx(4 * area, rel=1e-9)
    sk.distance_x(sk.origin, text.at, 12)
    sk.solve()
    first = text.strokes()[0][0][0]
    assert row.strokes()[0][0][0] == pytest.approx((first[0], first[1] - 9))
    assert turned.strokes()[0][0][0] == pytest.approx((-first[1], first[0]))
    assert image.strokes()[0][0][0] == pytest.approx((-first[0], first[1]))
