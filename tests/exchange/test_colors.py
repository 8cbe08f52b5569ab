"""Colors by name, through every file that holds them and is read back, and in assemblies."""

from __future__ import annotations

import pytest

import lathwick as lw

STEEL, GOLD = (70 / 255, 130 / 255, 180 / 255), (218 / 255, 165 / 255, 32 / 255)


def pair(whole=None) -> lw.Part:
    """A sleeve in the color of the whole, if it has one, and a pin in its own."""
    sleeve = lw.cut(lw.cylinder(6, 10, step="sleeve"), lw.cylinder(3, 10, step="bore"))
    pin = lw.Part(lw.cylinder(3, 14, step="pin"), color="goldenrod")
    return lw.Part({"sleeve": sleeve, "pin": pin}, name="pair", color=whole)


@pytest.mark.parametrize("color", ["steelblue", "SteelBlue", "#4682b4", STEEL])
def test_one_body(color, tmp_path):
    lw.save(lw.Part(lw.box(3, 4, 5), color=color), tmp_path / "a.step")
    assert lw.read_step(tmp_path / "a.step").color == pytest.approx(STEEL, abs=1e-9)


@pytest.mark.parametrize("whole", [None, "steelblue"])
@pytest.mark.parametrize("schema", ["ap242", "ap214"])
def test_bodies_have_their_own_or_that_of_the_whole(whole, schema, tmp_path):
    pair(whole).save(tmp_path / "a.step", schema=schema)
    read = lw.read_step(tmp_path / "a.step")
    assert read.bodies["pin"].color == pytest.approx(GOLD, abs=1e-9)
    sleeve = read.bodies["sleeve"].color
    assert sleeve is None if whole is None else sleeve == pytest.approx(STEEL, abs=1e-9)


def test_the_same_color_by_any_name_gives_the_same_bytes(tmp_path, monkeypatch):
    monkeypatch.setenv("SOURCE_DATE_EPOCH", "1780000000")
    texts = set()
    for k, color in enumerate(("red", "#ff0000", "#f00", (1, 0, 0), (1.0, 0.0, 0.0))):
        lw.save(lw.Part(lw.sphere(2), color=color, name="ball"), tmp_path / f"{k}.step")
        texts.add((tmp_path / f"{k}.step").read_bytes())
    assert len(texts) == 1


def test_a_part_keeps_its_color_when_it_is_called_otherwise():
    part = lw.Part(lw.box(1, 2, 3), color="teal").called("block")
    assert (part.name, part.color) == ("block", (0.0, 128 / 255, 128 / 255))
    assert pair("teal").leaves()["sleeve"].color == part.color


def test_pictures_take_named_colors(tmp_path):
    """The part in red on a ground in white: hardly anything else."""
    from matplotlib.image import imread

    lw.save(lw.Part(lw.box(3, 3, 3), color="red"), tmp_path / "a.png", view="front", background="white")
    picture = imread(tmp_path / "a.png")[..., :3]
    middle = picture[picture.shape[0] // 2, picture.shape[1] // 2]
    assert middle[0] > 0.5 and middle[1:].max() < 0.5 * middle[0]
