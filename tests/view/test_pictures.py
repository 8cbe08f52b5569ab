"""Pictures: the right size, the part where it should be, clear words when packages are missing."""

import io
import re
import sys
from types import SimpleNamespace

import matplotlib.image
import numpy as np
import pytest

import lathwick as lw
from lathwick.view.picture import png

from ..parts import ring_plate
from ..sketches import CASES, exact


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


# ---------------------------------------------------------------------- ways of looking


def is_cut(image):
    """Pixels in the color of cut faces, however bright."""
    red, green, blue = (image[:, :, k] for k in range(3))
    found = (red > 1.45 * green) & (red > 1.6 * blue)
    found[:, :60] = False  # the arrows of the axes
    return found


def test_a_section_shows_the_material_that_is_cut():
    """A tube seen from the front and cut along its middle: two strips of wall as wide as they are tall."""
    tube = lw.cut(lw.cylinder(10, 30), lw.cylinder(6, 30))
    options = {"view": "front", "size": (400, 400)}
    whole, opened = pixels(png(tube, "t", **options)), pixels(png(tube, "t", section="y", **options))
    assert not is_cut(whole).any()
    scale = 30 / np.ptp(np.nonzero(np.abs(opened - whole).max(axis=2) > 0.2)[0])
    area = is_cut(opened).sum() * scale**2
    assert area == pytest.approx(2 * 4 * 30, rel=0.12)
    off = pixels(png(tube, "t", section=lw.Plane((0, 9.5, 0), (0, 1, 0)), **options))
    assert 0 < is_cut(off).sum() < is_cut(opened).sum()
    with pytest.raises(lw.ExchangeError, match="leaves nothing to see"):
        png(tube, "t", section="y=50", **options)


def test_one_sees_through_what_is_transparent():
    """A red ball in a box shows only if the box is, and less than if it stood alone."""
    part = lw.Part({"box": lw.Part(lw.box(20, 20, 20, center=True), color="#808080"),
                    "ball": lw.Part(lw.sphere(5), color="#e01010")})  # fmt: skip

    def redness(**options):
        image = pixels(png(part, "p", view="front", size=(300, 300), **options))[100:250, 80:220]
        return (image[:, :, 0] - image[:, :, 1]).max()

    assert redness() < 0.03 < redness(transparent=0.5) < redness(transparent=["box"])
    for wrong in ({"transparent": 2.0}, {"transparent": ["lid"]}, {"view": "upwards"}, {"step": "x"},
                  {"highlight": "x"}, {"section": "w"}, {"background": "no color"}):  # fmt: skip
        with pytest.raises(lw.ExchangeError):
            png(part, "p", size=(300, 300), **wrong)


def test_a_wall_at_a_grazing_angle_is_no_edge():
    """The flank of a drum, seen along it but for two degrees, is shaded, not filled with lines."""
    drum = lw.cone(20, 20.6, 100)
    image = pixels(png(drum, "d", view="0,88", size=(400, 400)))
    dark = image[150:380].max(axis=2) < 0.3
    assert 0 < dark.mean() < 0.02


def test_bodies_are_taken_apart_and_named_together():
    pins = {f"pin {k}": lw.cylinder(1, 10, on=lw.Plane((4 * k, 0, 0), lw.Z)) for k in range(5)}
    part = lw.Part({"rail": lw.box(20, 4, 2, on=lw.Plane((-2, -2, -2), lw.Z)), **pins})
    near, far = (pixels(png(part, "p", view="front", explode=share)) for share in (0.0, 1.0))
    assert np.abs(near - far).max() > 0.2
    from lathwick.view.labels import grouped
    from lathwick.view.picture import colored

    listed = grouped([(name, color) for name, (_, color) in colored(part).items()])
    assert [name for name, _ in listed] == ["rail", "pin (5)"]


def test_views_by_angles_and_by_direction():
    body = lw.box(10, 20, 30)
    same = [png(body, "b", view=view, size=(200, 150)) for view in ("right", "90,0", (1, 0, 0), "1,0,0")]
    assert len(set(same)) == 1


def test_a_mesh_shows_its_edges(tmp_path):
    """An STL of a drum looks as the drum does but for the smoothness of its wall."""
    drum = lw.cylinder(10, 12)
    lw.save(drum, tmp_path / "drum.stl", chord=0.01)
    one = pixels(png(drum, "drum", size=(300, 300)))
    two = pixels(png(lw.read_mesh(tmp_path / "drum.stl"), "drum", size=(300, 300)))
    assert (np.abs(one - two).max(axis=2)[100:] > 0.15).mean() < 0.01


# ---------------------------------------------------------------------- three views


def ends(lines, seen):
    points = lines.segments[lines.seen == seen].reshape(-1, 2)
    return points.min(axis=0), points.max(axis=0)


def test_the_lines_of_a_turned_part_are_its_outline():
    """A drum from the front: its flanks are seen, where they are, and nothing stands out."""
    from lathwick.view.line_drawing import lines_of
    from lathwick.view.scene import shown_body

    drum = lw.cylinder(10, 30)
    lines = lines_of(shown_body(drum, (0.5, 0.5, 0.5)), "front")
    low, high = ends(lines, True)
    assert np.allclose(low, (-10, 0), atol=1e-6) and np.allclose(high, (10, 30), atol=1e-6)
    upright = np.abs(np.diff(lines.segments[:, :, 0], axis=1)[:, 0]) < 1e-9
    flanks = lines.segments[upright & lines.seen]
    assert np.allclose(np.unique(np.round(flanks[:, :, 0], 6)), (-10, 10))


def test_what_is_behind_is_hidden():
    """The bore of a block is hidden from the side, and seen from above."""
    from lathwick.view.line_drawing import lines_of
    from lathwick.view.scene import shown_body

    block = lw.cut(lw.box(40, 30, 20), lw.cylinder(5, 20, on=lw.Plane((20, 15, 0), lw.Z)))
    shown = shown_body(block, (0.5, 0.5, 0.5))
    front = lines_of(shown, "front")
    upright = np.abs(np.diff(front.segments[:, :, 0], axis=1)[:, 0]) < 1e-9
    inside = (front.segments[:, 0, 0] > 1) & (front.segments[:, 0, 0] < 39)
    walls = front.segments[upright & inside & ~front.seen]
    assert np.allclose(np.unique(np.round(walls[:, :, 0], 6)), (15, 25), atol=1e-3)
    assert not (upright & inside & front.seen).any()
    above = lines_of(shown, "top")
    rim = above.segments[above.seen].reshape(-1, 2)
    inner = np.linalg.norm(rim - (20, 15), axis=1) < 5.01
    assert inner.sum() > 40


@pytest.mark.parametrize("suffix", ["svg", "pdf", "png"])
def test_a_sheet_with_three_views(suffix, tmp_path):
    """Written the same twice; the sizes stand in the drawing."""
    part = lw.Part(lw.box(40, 30, 20), material=lw.Material("steel", "7.85 g/cm3"), name="block")
    options = {"view": "three"} if suffix == "png" else {}
    for name in ("a", "b"):
        part.save(tmp_path / f"{name}.{suffix}", **options)
    data = (tmp_path / f"a.{suffix}").read_bytes()
    assert data == (tmp_path / f"b.{suffix}").read_bytes() and len(data) > 5000
    if suffix == "svg":
        assert b"<!-- 40 -->" in data and b"<!-- 30 -->" in data and b"<!-- steel -->" in data
    with pytest.raises(lw.ExchangeError):
        lw.save(lw.Sketch(lw.XY), tmp_path / "x.pdf")


def test_a_sheet_tells_what_is_round_and_where(tmp_path):
    """Two sizes of holes seen from above, four rounded corners, a pin seen from the front, in two bodies."""
    plate = lw.fillet(box := lw.box(80, 50, 6), box.edges().parallel(lw.Z), 4)
    holes = [lw.cylinder(3.1, 6, on=lw.Plane((x, y, 0), (0, 0, 1))) for x in (10, 70) for y in (10, 40)]
    bore = lw.cylinder(8, 6, on=lw.Plane((33.5, 25, 0), (0, 0, 1)))
    pin = lw.cylinder(1.5, 50, on=lw.Plane((60, 0, 9), (0, 1, 0)))
    lw.save(lw.Part({"plate": lw.cut(plate, *holes, bore), "pin": pin}), tmp_path / "a.svg")
    text = (tmp_path / "a.svg").read_text()
    told = re.findall("<!-- (.*?) -->", text)
    for callout in ("4× ⌀6.2", "⌀16", "4× R4", "⌀3"):
        assert told.count(callout) == 1
    for place in ("33.5", "60", "9"):  # the bore from above, the pin from the front
        assert place in told


def test_a_notebook_shows_parts_and_runs():
    from lathwick.family.variants import Variant, VariantRun

    part = lw.Part(lw.box(3, 2, 1), name="block")
    assert part._repr_png_().startswith(b"\x89PNG")
    run = VariantRun([Variant("row 2", "<b>a", {"size": 2.0}, "done", 8.0)], ["size"])
    assert "&lt;b&gt;a" in run._repr_html_()


def test_axes_and_notes_lie_over_the_part():
    """Blue of the arrow along Z in the corner, and the frame of a note on the middle of a face."""
    note = lw.Message("note", "middle", value=1.0, at=(0.0, -10.0, 0.0))
    part = lw.Part(lw.box(20, 20, 20, center=True), messages=(note,))
    image = pixels(png(part, "p", view="front"))
    corner = image[620:, :160]
    assert ((corner[:, :, 2] > 1.5 * corner[:, :, 0]) & (corner[:, :, 2] > 0.4)).sum() > 50
    plain = pixels(png(part, "p", view="front", notes=False))
    assert (np.abs(image - plain).max(axis=2) > 0.1).sum() > 500


def test_options_that_a_drawing_has_no_use_for_are_refused(tmp_path):
    lw.save(lw.box(4, 3, 2), tmp_path / "box.stl")
    with pytest.raises(lw.ExchangeError, match="a mesh is drawn as it is"):
        png(lw.read_mesh(tmp_path / "box.stl"), "box", section="x")
    with pytest.raises(lw.ExchangeError, match="three views show the whole part"):
        lw.save(lw.box(4, 3, 2), tmp_path / "x.png", view="three", section="x")


def plate_with_selections():
    body = lw.box(60, 40, 20, step="b")
    return lw.cut(body, lw.cylinder(8, 40, on=lw.Plane((30, 20, -5), (0, 0, 1)), step="h"))


@pytest.mark.parametrize("select", ["faces", "edges", "vertices"])
def test_selections_are_seen_on_their_body(select, tmp_path):
    """What is chosen is in a color that nothing else has; the rest is seen through."""
    body = plate_with_selections()
    chosen = {"faces": body.faces("h/side"), "edges": body.edges("b/top"), "vertices": body.vertices()}[
        select
    ]
    lw.save(chosen, tmp_path / "chosen.png", size=(600, 400))
    seen = pixels((tmp_path / "chosen.png").read_bytes())
    accent = (seen[..., 0] - seen[..., 2]) > 0.24
    assert 250 < accent.sum() < 0.4 * accent.size
    lw.save(body, tmp_path / "plain.png", size=(600, 400))
    plain = pixels((tmp_path / "plain.png").read_bytes())
    assert ((plain[..., 0] - plain[..., 2]) > 0.24).sum() < 100  # the arrow of the axis alone
    with pytest.raises(lw.ExchangeError, match="view and size"):
        lw.save(chosen, tmp_path / "chosen.png", section="x")
    with pytest.raises(lw.ExchangeError, match="the selection is empty"):
        lw.save(chosen - chosen, tmp_path / "chosen.png")


def test_notebooks_show_pictures():
    """IPython is told by the names of the kinds; what has nothing to show is left to its text."""
    from lathwick import notebook

    told = {}

    class Formatter:
        def for_type_by_name(self, module, name, function):
            told[module, name] = function

    formatters = {"image/png": Formatter()}
    notebook.load_ipython_extension(SimpleNamespace(display_formatter=SimpleNamespace(formatters=formatters)))
    body = plate_with_selections()
    sk = lw.Sketch()
    sk.circle((0, 0), 5)
    for thing in (body, sk, body.edges("b/top")):
        kind = type(thing)
        assert told[kind.__module__, kind.__name__](thing).startswith(b"\x89PNG")
    assert told["lathwick.topology.selection", "Selection"](body.faces() - body.faces()) is None


def test_a_view_may_be_an_array(tmp_path):
    """A direction is three numbers of any kind."""
    body = lw.box(30, 20, 10)
    made = []
    for view in (np.array([1.0, -2.0, 0.5]), (1, -2, 0.5)):
        lw.save(body, tmp_path / "box.png", view=view, size=(320, 240))
        made.append((tmp_path / "box.png").read_bytes())
    assert made[0] == made[1]
