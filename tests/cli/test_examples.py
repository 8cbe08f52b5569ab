"""The kit of examples against its closed forms, at its own sizes and at others."""

from __future__ import annotations

import importlib.util
import math
import sys
from pathlib import Path

import pytest

import lathwick as lw
from lathwick.family.script import load_design

from ..conftest import area_outside, sound

EXAMPLES = Path(__file__).parents[2] / "examples"


LONG_OUTSIDE = ("guard_stud", "rain_strainer", "tag_plate", "vane", "logger_cover")
"""Examples that the outside checker takes more than a few seconds for."""


def example(name):
    if str(EXAMPLES) not in sys.path:
        sys.path.insert(0, str(EXAMPLES))  # one imports others
    spec = importlib.util.spec_from_file_location(name, EXAMPLES / f"{name}.py")
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


def areas_agree(part, folder):
    """The area is that of another reader of the file, by a quadrature of its own."""
    part.save(folder / "area.step")
    assert area_outside(folder / "area.step") in (None, pytest.approx(part.area, rel=2e-9))


@pytest.mark.parametrize(
    ("name", "values"),
    [
        ("conduit", {}),
        ("conduit", {"kind": "straight", "bore": 63, "wall": 3.6}),
        ("conduit", {"kind": "coupling", "bore": 25}),
        ("handrail", {}),
        ("handrail", {"width": 50, "bend": 90, "rise": 700}),
        ("guard_spring", {"turns": 2}),
        ("guard_stud", {"length": 24, "thread": 8}),
        ("guard_stud", {"piece": "nut", "size": 16, "pitch": 2}),
        ("pipe_saddle", {}),
        ("pipe_saddle", {"pipe": 110, "wall": 9, "thick": 8}),
        ("bracket", {}),
        ("bracket", {"reach": 90, "thick": 4}),
        ("strap_link", {}),
        ("strap_link", {"waist": 20, "soft": 2}),
        ("toggle", {}),
        ("toggle", {"cross": 60, "soft": 1}),
        ("pawl_cam", {}),
        ("pawl_cam", {"way": "direct"}),
        ("pawl_cam", {"size": 48, "lift": 36}),
        ("pawl_cam", {"piece": "follower"}),
        ("tag_plate", {}),
        ("tag_plate", {"site": "Ä&8"}),
        ("logger_standoff", {}),
        ("logger_standoff", {"thread": "M6", "window": 0}),
        ("logger_standoff", {"window": 9, "tall": 6}),
        ("sounding_weight", {}),
        ("sounding_weight", {"across": 40, "tail": 30}),
        ("well_cap", {}),
        ("well_cap", {"bolts": 4, "depth": 9, "cable": 0}),
        ("rain_funnel", {}),
        ("bell_mouth", {}),
        ("bell_mouth", {"pipe": 110, "wall": 2, "lean": 40}),
        ("spacer_plate", {}),
        ("spacer_plate", {"outer": 120, "inner": 60}),
        ("valve_plug", {}),
        ("valve_plug", {"ball": 30, "bore": 10}),
        ("turned_pins", {}),
        ("turned_pins", {"ball": 20, "shank": 10, "length": 60, "bevel": 1.2}),
        ("clamp_half", {}),
        ("clamp_half", {"wide": 40, "soft": 2}),
        ("float_wheel", {}),
        ("float_wheel", {"height": 36, "holes": 7}),
        ("baffle_stack", {}),
        ("baffle_stack", {"sides": 8, "ratio": 0.4, "count": 3}),
        ("vane", {}),
        ("vane", {"angle": 90, "label": ""}),
        ("sampler_crate", {}),
        ("sampler_crate", {"wall": 6}),
        ("float_housing", {}),
        ("float_housing", {"handle": 20, "boss": 30}),
        ("deck_tile", {}),
        ("deck_tile", {"columns": 7, "rows": 5}),
        ("bearing_housing", {}),
        ("bearing_housing", {"bore": 60, "soft": 2.0}),
        ("logger_cover", {}),
        ("logger_cover", {"label": "", "lean": 3.0, "wall": 1.8, "tall": 36}),
        ("gauge_house", {}),
        ("gauge_house", {"wide": 200, "height": 60, "pins": 5}),
        ("rain_funnel", {"share": 0.6, "mouth": 210, "wall": 1.2}),
        ("well_float", {}),
        ("well_float", {"across": 60, "tall": 110, "wall": 1.2}),
    ],
)
def test_an_example_has_its_volume(name, values, tmp_path, outside_check):
    module = example(name)
    part = getattr(module, name)(**values)
    exact = 1e-7 if name == "bearing_housing" else 1e-9  # circles of its slices are polygons
    assert part.volume == pytest.approx(module.volume(**part.params), rel=exact)
    if not values and name not in LONG_OUTSIDE:
        areas_agree(part, tmp_path)
    if name in ("conduit", "handrail", "bearing_housing", "logger_cover") and not values:
        sound(part.body, tmp_path, outside_check)


@pytest.mark.parametrize("name", LONG_OUTSIDE)
def test_an_example_has_its_area(name, tmp_path):
    areas_agree(getattr(example(name), name)(), tmp_path)


def test_a_spring_has_the_area_of_its_wire():
    """A pipe has the girth of its section times the length of its middle line, and two ends."""
    wire, coil, pitch, turns = 2.0, 16.0, 5.0, 2
    part = example("guard_spring").guard_spring(wire=wire, coil=coil, pitch=pitch, turns=turns)
    length = turns * math.hypot(math.pi * coil, pitch)
    assert part.area == pytest.approx(math.pi * wire * length + math.pi * wire**2 / 2, rel=1e-9)


def test_the_presets_of_the_stud():
    """Each is built, and has the volume of its closed form."""
    module = example("guard_stud")
    design = load_design(str(EXAMPLES / "guard_stud.py"))
    assert set(design.presets) == {"M6", "M8", "M8 nut", "M12 loose"}
    for name in ("M8 nut", "M12 loose"):
        part = design(**design.preset(name) | {"thread": 6})
        assert part.volume == pytest.approx(module.volume(**part.params), rel=1e-9)


def test_all_sizes_of_the_table(tmp_path):
    """Every row of the table of conduits is built; names and volumes as the closed form says."""
    module = example("conduit")
    run = lw.vary(module.conduit, EXAMPLES / "conduit_sizes.csv", out=tmp_path, formats=("step",), workers=0)
    assert not len(run.failed)
    assert len(run.table) == 6
    assert (tmp_path / "DN40-elbow.step").exists()


def test_an_example_tells_what_it_changed_and_measured():
    """An opening that shrinks says so; notes have the decimals that were asked for."""
    part = example("logger_standoff").logger_standoff(window=9, tall=6)
    told = ["window = 9 is brought to 3.5, the most that goes", "window 3.50"]
    assert [str(m) for m in part.messages] == told
    module = example("sounding_weight")
    part = module.sounding_weight(digits=3)
    notes = {m.text: m.value_text for m in part.messages}
    assert notes["volume in cm³:"] == f"{module.volume(**part.params) / 1000:.3f}"
    assert notes["surface in cm²:"] == f"{module.area(**part.params) / 100:.3f}"
    across = module.sounding_weight.solve("across", so_that={"mass": "5 kg"})
    assert module.sounding_weight(across=across).mass == pytest.approx(5, rel=1e-12)


def test_an_example_says_what_cannot_be():
    with pytest.raises(lw.LathwickError, match="turns of the spring would touch"):
        example("guard_spring").guard_spring(pitch=2.0)


@pytest.mark.parametrize("values", [{}, {"cell": "slot", "rows": 3, "openness": 0.6}])
def test_a_strainer_is_open_as_asked(values):
    module = example("rain_strainer")
    part = module.rain_strainer(**values)
    names = ("rim", "foot", "height", "openness", "border")
    left = module.outer_area(**{name: part.params[name] for name in names})
    assert sum(face.area for face in part.body.faces("outside/side")) == pytest.approx(left, rel=1e-8)


def test_a_late_opening_is_told_where_it_changes_a_later_step():
    """The handle adds its rim to the edges that are rounded."""
    part = example("float_housing").float_housing(handle=20)
    assert [str(m) for m in part.messages] == ["soft: 9 edges are chosen, where the default part has 8"]


def test_a_vane_whose_bar_is_too_far_out_tells_that_pieces_do_not_connect():
    part = example("vane").vane(bar=75)
    assert any(str(m) == "the pieces do not connect" for m in part.messages)


@pytest.mark.parametrize("name", ["gauge_house", "well_float"])
def test_files_of_several_bodies_are_sound(name, tmp_path, outside_check):
    part = getattr(example(name), name)()
    for suffix in ("step", "stl"):
        part.save(tmp_path / f"part.{suffix}")
        outside_check(tmp_path / f"part.{suffix}")
    assert lw.read_mesh(tmp_path / "part.stl").is_watertight


def test_the_parts_list_of_the_gauge_house():
    """Counts, materials and masses; all bodies apart, none in another."""
    part = example("gauge_house").gauge_house()
    assert part.messages == ()
    listed = part.parts_list().set_index("name")
    assert listed["count"].to_dict() == {"back plate": 1, "standoff": 4, "pin": 3, "shelf": 1, "crate": 1}
    assert listed["mass of all"].sum() == pytest.approx(part.mass)
    assert listed.loc["back plate", "mass"] == pytest.approx(6 * 160**2 * 7.85e-6)


def test_every_example_is_listed_and_can_be_taken_from_the_package(lathwick, tmp_path):
    """The list names all; one that needs others brings them."""
    listed = lathwick("demo", "--list").out
    assert all(path.stem in listed for path in EXAMPLES.glob("*.py"))
    assert lathwick("demo", "gauge_house", "--out", tmp_path).code == 0
    assert {"gauge_house.py", "turned_pins.py", "standoff_sizes.csv", "gauge_house.step"} <= {
        path.name for path in tmp_path.iterdir()
    }
    wrong = lathwick("demo", "gauge_hous")
    assert wrong.code == 2 and 'is "gauge_house" meant?' in wrong.err
