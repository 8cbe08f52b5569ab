"""Pictures: the right size, the part where it should be, clear words when packages are missing."""

import io
import sys

import matplotlib.image
import numpy as np
import pytest

import lathwick as lw
from lathwick.view.picture import png

from .parts import ring_plate
from .sketches import CASES, exact


def pixels(data: bytes) -> np.ndarray:
    return matplotlib.image.imread(io.BytesIO(data))[:, :, :3]


def test_part_fills_the_view_and_its_hole_is_open():
    """Seen from the top the plate is drawn and one sees through its hole."""
    body, _ = ring_plate(40, 25, 8, 0, 0, 9)
    image = pixels(png(body, "plate", view="top"))
    assert image.shape == (800, 1280, 3)
    center, plate, corner = image[400, 640], image[400, 300], image[790, 1270]
    assert np.abs(center - corner).max() < 0.1  # paper
    assert np.abs(plate - corner).max() > 0.15
    dark = image.max(axis=2) < 0.35
    assert dark.sum() > 1000  # edges are drawn


@pytest.mark.parametrize("view", ["iso", "front", "left", "bottom"])
def test_color_of_the_part_is_used(view):
    """A red part is red from everywhere."""
    body, _ = ring_plate(40, 25, 4, 0, 0, 9)
    image = pixels(png(lw.Part(body, color="#d04030"), "plate", view=view, size=(320, 200)))
    red = (image[:, :, 0] > 1.5 * image[:, :, 2]) & (image[:, :, 0] > 0.3)
    assert red.mean() > 0.1


def test_free_geometry_has_its_own_color():
    """Orange appears as soon as something can move, and only then."""
    orange = np.array([0xD2, 0x69, 0x1E]) / 255

    def has_orange(sketch: lw.Sketch) -> bool:
        image = pixels(png(sketch, "sketch"))[80:]
        return bool((np.abs(image - orange).max(axis=2) < 0.02).any())

    sketch, _ = CASES["cam"][0](*exact(), 1.0)
    assert not has_orange(sketch)
    sketch.constraints[3].remove()
    assert has_orange(sketch)


@pytest.mark.parametrize("name", CASES)
def test_every_sketch_can_be_drawn(name):
    """Dimensions of every kind, and a conflict, are drawn without trouble."""
    sketch, _ = CASES[name][0](*exact(), 1.0)
    assert png(sketch, name)
    dimension = next(c for c in sketch.constraints if c.value is not None)
    getattr(sketch, dimension.kind)(*dimension.entities, dimension.value * 1.5)
    assert png(sketch, name)


def test_missing_packages_are_told(monkeypatch):
    """Without the extra one sentence says what to install."""
    body, _ = ring_plate(4, 4, 1, 0, 0, 1)
    monkeypatch.setitem(sys.modules, "embreex.mesh_construction", None)
    with pytest.raises(lw.ExchangeError, match=r'pip install "lathwick\[pictures\]"'):
        png(body, "plate", size=(200, 200))


@pytest.mark.parametrize(
    ("thing", "options", "words"),
    [
        (3, {}, "int cannot be drawn"),
        (lw.Sketch(name="blank"), {}, 'sketch "blank" is empty'),
        (lw.Sketch(), {"size": (5, 5)}, "100 to 8000 pixels"),
    ],
)
def test_what_cannot_be_drawn(thing, options, words):
    """Anything else is refused in one sentence."""
    with pytest.raises(lw.ExchangeError, match=words):
        png(thing, "x", **options)
