"""Parts of several bodies kept apart: names, colors, materials; saved together or each alone."""

import math
import re

import pytest

import lathwick as lw

from ..conftest import sound

STEEL = lw.Material("steel", "7.85 g/cm3")
BRASS = lw.Material("brass", "8.5 g/cm3")

SCRIPT = """
import lathwick as lw

@lw.design(unit="mm")
def float_wheel(job: lw.Job, axle: lw.Length = lw.param(8.0, low=2)):
    disc = job.cut("disc", job.cylinder("rim", 30, 6), job.cylinder("eye", axle / 2, 6))
    pin = job.cylinder("pin", axle / 2, 20)
    brass = lw.Material("brass", "8.5 g/cm3")
    return lw.Part({"disc": lw.Part(disc, color="#c04020"), "axle": pin}, material=brass)
"""


def _wheel(**options):
    disc = lw.cut(lw.cylinder(30, 6), lw.cylinder(4, 6))
    axle = lw.Part(lw.cylinder(4, 20), BRASS, color=(0.8, 0.6, 0.2))
    return lw.Part({"disc": disc, "axle": axle}, material=STEEL, name="wheel", **options)


def test_bodies_stay_apart_and_add_up():
    """They touch along a whole wall, and are not united; measures and masses add up."""
    wheel = _wheel(color="#808080")
    disc, axle = wheel.bodies.values()
    assert (wheel.body.lumps, len(wheel.body.faces()), list(wheel.bodies)) == (2, 7, ["disc", "axle"])
    assert wheel.volume == pytest.approx(math.pi * (6 * (900 - 16) + 20 * 16), rel=1e-12)
    assert wheel.mass == pytest.approx(7.85e-6 * disc.volume + 8.5e-6 * axle.volume, rel=1e-12)
    assert (disc.name, disc.material, axle.material) == ("disc", STEEL, BRASS)
    assert (disc.color, axle.color) == (wheel.color, (0.8, 0.6, 0.2))
    assert wheel.bounds == (pytest.approx((-30, -30, 0)), pytest.approx((30, 30, 20)))


def test_a_mass_needs_every_material():
    """One body without a material, and the whole has no mass."""
    bare = lw.Part({"a": lw.Part(lw.box(1, 1, 1), STEEL), "b": lw.box(1, 1, 1, on=lw.XY.offset(5))})
    assert (bare.mass, bare.mass_text, bare.bodies["a"].mass_text) == (None, "", "7.85e-06 kg")


def test_parts_in_parts_are_named_by_their_path():
    """A part of parts of parts lists its single bodies."""
    rig = lw.Part({"wheel": _wheel(), "foot": lw.box(5, 5, 5, on=lw.XY.offset(-9))})
    assert list(rig.leaves()) == ["wheel/disc", "wheel/axle", "foot"]


@pytest.mark.parametrize("schema", ["ap242", "ap214"])
def test_step_is_an_assembly_of_named_solids(schema, tmp_path, outside_check):
    """One product each, and one that is made of them; the colors and the measures are in the file."""
    path = tmp_path / "wheel.step"
    _wheel().save(path, schema=schema)
    outside_check(path)
    text = path.read_text()
    assert re.findall(r"PRODUCT\('(\w+)'", text) == ["wheel", "disc", "axle"]
    assert len(re.findall("NEXT_ASSEMBLY_USAGE_OCCURRENCE", text)) == 2
    assert len(re.findall("COLOUR_RGB", text)) == 1
    assert re.findall(r"MANIFOLD_SOLID_BREP\('(\w+)'", text) == ["disc", "axle"]


def test_each_body_to_its_own_file(tmp_path, outside_check):
    """Named after the part and the body; two bodies of one file name are refused before anything is
    written."""
    paths = _wheel().save_each(tmp_path / "wheel.stl", chord=0.02)
    assert [p.name for p in paths] == ["wheel-disc.stl", "wheel-axle.stl"]
    for path in paths:
        outside_check(path)
    twins = lw.Part({"a b": lw.box(1, 1, 1), "a_b": lw.box(1, 1, 1)})
    with pytest.raises(lw.ExchangeError, match="one file name"):
        twins.save_each(tmp_path / "twins.stl")
    with pytest.raises(lw.ExchangeError, match="is one body"):
        lw.Part(lw.box(1, 1, 1)).save_each(tmp_path / "one.stl")
    assert len(list(tmp_path.iterdir())) == 2


@pytest.mark.parametrize(
    ("bodies", "words"),
    [
        ({}, "at least one body"),
        ({"a/b": lw.box(1, 1, 1)}, 'name without "/"'),
        ({"a": lw.box(1, 1, 1), "b": lw.box(1, 1, 1, unit="in")}, "different units: in, mm"),
        (
            {
                "a": lw.Part(lw.box(1, 1, 1), lw.Material("x", 1.0)),
                "b": lw.Part(lw.box(1, 1, 1), STEEL),
            },
            "cannot be added up",
        ),
    ],
)
def test_mistakes_are_one_sentence(bodies, words):
    """No bodies, bad names, mixed units."""
    with pytest.raises(lw.ParameterError, match=words):
        lw.Part(bodies)


def test_commands_know_bodies(lathwick, tmp_path):
    """Build writes one file or one each, measure lists them."""
    script = tmp_path / "wheel.py"
    script.write_text(SCRIPT)
    assert lathwick("build", script, "--out", tmp_path, "--as", "step").code == 0
    each = lathwick("build", script, "--out", tmp_path, "--as", "step", "--each", "--set", "axle=10")
    assert each.code == 0
    assert {p.name for p in tmp_path.glob("*.step")} == {
        "float_wheel.step", "float_wheel-disc.step", "float_wheel-axle.step",
    }  # fmt: skip
    shown = lathwick("measure", script).out
    assert re.search(r"disc +brass +16663", shown)
    assert re.search(r"axle +brass +1005\.31", shown)


def test_a_pin_in_a_sleeve_of_its_own_diameter(tmp_path):
    """Snug bodies are drawn and saved, a shell each."""
    pin = lw.cylinder(5, 30, step="pin")
    sleeve = lw.cut(lw.cylinder(9, 20, step="tube"), lw.cylinder(5, 20, step="bore"))
    part = lw.Part({"sleeve": sleeve, "pin": pin})
    for suffix in ("stl", "png", "step"):
        part.save(tmp_path / f"clamp.{suffix}")
    mesh = lw.read_mesh(tmp_path / "clamp.stl")
    apart = sum(lw.tessellate(body, None).volume for body in (sleeve, pin))
    assert mesh.volume == pytest.approx(apart, rel=2e-3)
    assert mesh.volume == pytest.approx(part.volume, rel=5e-3)


def _rounded_block(x: float, upright: float, top: float) -> lw.Body:
    block = lw.box(30, 20, 20, on=lw.Plane((x, 0, 0), (0, 0, 1)))
    block = lw.fillet(block, [e for e in block.edges() if abs(e.end[2] - e.start[2]) > 1], upright)
    return lw.fillet(block, [e for e in block.edges() if abs(e.midpoint[2] - 20) < 1e-9], top)


@pytest.mark.parametrize(("upright", "top"), [(2.3, 2.5), (2.2, 3.1), (3, 2)])
def test_rounded_blocks_of_unlike_radii_set_flush(upright, top, tmp_path, outside_check):
    """A round leaves the wall of the other block without an angle: no triangle lies on that, at any chord."""
    both = lw.union(_rounded_block(0, upright, top), _rounded_block(30, 2.07, 1.0))
    assert both.lumps == 1
    assert both.is_valid
    for chord in (None, 0.1, 0.004):
        path = tmp_path / "both.stl"
        lw.save(both, path, chord=chord)
        assert lw.read_mesh(path).is_watertight
    sound(both, tmp_path, outside_check)


def test_an_stl_of_bodies_that_touch_is_told_of(lathwick, tmp_path):
    """Where they are in one file; not with a file for each. The design needs no parentheses."""
    script = tmp_path / "wheel.py"
    script.write_text(SCRIPT.replace('@lw.design(unit="mm")', "@lw.design"))
    run = lathwick("build", script, "--out", tmp_path)
    assert run.code == 0
    assert 'in the STL each body is a shell of its own: "disc" and "axle" touch, at (' in run.out
    assert "a shell of its own" not in lathwick("build", script, "--each", "--out", tmp_path).out
