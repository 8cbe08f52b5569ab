"""Families: shared sizes, presets, messages, questions to a design, comparison."""

from __future__ import annotations

import math
import textwrap

import numpy as np
import pandas as pd
import pytest
from PIL import Image

import lathwick as lw
from lathwick.family.script import load_design

DENSITY = 8.5e-3  # g/mm3

SCRIPT = """
    import lathwick as lw

    @lw.design()
    def tube(
        job: lw.Job,
        od: lw.Length = lw.param(30.0, low=5, high=90),
        wall: lw.Length = lw.param(3.0, low=0.5),
        holes: lw.Count = 4,
        height: lw.Length = 10.0,
        label: lw.Text = "",
    ):
        job.require(wall < od / 2 - 2, "the bore vanishes")
        job.require(2 <= holes <= 9, "too few or too many holes")
        outer = job.cylinder("outer", od / 2, height)
        body = job.cut("tube", outer, job.cylinder("inner", od / 2 - wall, height))
        job.warn(wall > 1, "the wall is thin")
        job.note("bore", od - 2 * wall, at=(0, 0, height), digits=2)
        return lw.Part(body, material=lw.Material("brass", "8.5 g/cm3"))
"""


@pytest.fixture
def script(tmp_path):
    path = tmp_path / "tube.py"
    path.write_text(textwrap.dedent(SCRIPT))
    return path


@pytest.fixture
def tube(script):
    return load_design(str(script))


def mass(od, wall, height=10.0):
    """In kilograms."""
    return math.pi * (od - wall) * wall * height * DENSITY / 1000


# ---------------------------------------------------------------------- tables and shared quantities


def test_a_table_of_sizes(tmp_path):
    """Units in headings and cells, formulas over the other columns, texts."""
    path = tmp_path / "sizes.csv"
    path.write_text(
        "name,bore [in],wall,lean,note,od\n"
        'DN25,1,3/16 in,30 deg,small,=bore+2*wall\nDN40,1 1/2,3.5,45 deg,"large, heavy",=bore + 2*wall\n'
    )
    sizes = lw.Table(path)
    assert sizes.names == ("DN25", "DN40")
    assert dict(sizes["DN40"]) == {"bore": 38.1, "wall": 3.5, "lean": 45, "note": "large, heavy", "od": 45.1}
    assert sizes["DN25"]["od"] == pytest.approx(25.4 + 2 * 4.7625, rel=1e-15)
    assert lw.Table(path, unit="in")["DN25"]["bore"] == 1.0
    assert sizes.get("DN50") is None
    with pytest.raises(lw.ParameterError, match=r'sizes.csv: no "DN50"; there are DN25, DN40'):
        sizes["DN50"]
    with pytest.raises(lw.ParameterError, match=r'"DN25": no "bolts"; there are bore, wall'):
        sizes["DN25"]["bolts"]


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("name,a\nx,=b\n", r'sizes.csv, row 2, column "a": "=b" reads "b", which is not there'),
        ("name,a,b\nx,=b,=a\n", "sizes.csv, row 2: the formulas .* go in a circle"),
        ("name,a\nx,1\nx,2\n", 'row 3, column "name": "x" stands there twice'),
        ("a\n1\n", 'no column "name"; there are a'),
        ("name,a [in],b [deg],c\nx,1,2,=a+b\n", 'column "c": "=a\\+b" adds a length and an angle'),
        ("name,a [kg]\nx,1\n", r'row 2, column "a": "kg" is no unit of length'),
    ],
)
def test_mistakes_in_a_table_of_sizes(tmp_path, text, words):
    path = tmp_path / "sizes.csv"
    path.write_text(text)
    with pytest.raises(lw.ParameterError, match=words):
        lw.Table(path)


def test_one_table_for_several_designs(tube, tmp_path):
    """The columns that the design has are taken, in its unit; the others are told."""
    path = tmp_path / "sizes.csv"
    path.write_text("name,od [in],wall,bolts\nA,1,3,4\nB,2,,6\n")
    run = lw.vary(tube, lw.Table(path), workers=0)
    assert run.left == ("bolts",)
    assert [(v.name, v.values["od"], v.values["wall"]) for v in run.variants] == [
        ("A", 25.4, 3),
        ("B", 50.8, 3),
    ]


def test_headings_with_units_in_a_table_of_variants(tube, tmp_path):
    path = tmp_path / "t.csv"
    path.write_text("od [in],wall [in],label [mm]\n1,3/32,7\n2,=od/8,x\n1,3 mm,\n")
    rows = lw.vary(tube, path, workers=0).variants
    assert [v.values["od"] for v in rows] == pytest.approx([25.4, 50.8, 25.4])
    assert [v.values["wall"] for v in rows] == pytest.approx([25.4 * 3 / 32, 50.8 / 8, 3])


def test_shared_quantities(tmp_path):
    path = tmp_path / "common.toml"
    path.write_text('diameter = 24\nwall = "3/16 in"\nhalf = "=diameter/2 + wall"  # a comment\n')
    common = lw.shared(path)
    assert dict(common) == {"diameter": 24, "wall": 4.7625, "half": 16.7625}
    for text, words in (
        ("a = [1]", "a is no number, quantity or formula"),
        ("a = ", "is no TOML"),
        ('a = "=b"', '"=b" reads "b", which is not there'),
        ('a = "wide"', 'a = "wide" is no number'),
        ("a = true", "a is no number"),
    ):
        path.write_text(text)
        with pytest.raises(lw.ParameterError, match=words):
            lw.shared(path)


def test_a_changed_table_is_built_anew(tmp_path):
    """What a script reads counts for what is kept of an earlier run."""
    (tmp_path / "sizes.csv").write_text("name,a\nx,5\n")
    (tmp_path / "cube.py").write_text(
        textwrap.dedent("""
            import lathwick as lw
            sizes = lw.Table("sizes.csv")
            @lw.design()
            def cube(job: lw.Job, n: lw.Count = 1):
                return lw.Part(job.box("box", sizes["x"]["a"], 1, 1))
        """)
    )
    volumes = []
    for a in (5, 5, 6):
        (tmp_path / "sizes.csv").write_text(f"name,a\nx,{a}\n")
        design = load_design(str(tmp_path / "cube.py"))
        (v,) = lw.vary(design, pd.DataFrame({"n": [1]}), tmp_path / "out", ("stl",), workers=0).variants
        volumes.append((v.volume, v.kept))
    assert volumes == [(pytest.approx(5), False), (pytest.approx(5), True), (pytest.approx(6), False)]


# ---------------------------------------------------------------------- messages


def test_what_a_design_tells(tube):
    part = tube(wall=0.8)
    assert [str(m) for m in part.messages] == ["the wall is thin", "bore 28.40"]
    (note,) = [m for m in part.messages if m.kind == "note"]
    assert (note.value, note.at, note.digits) == (28.4, (0, 0, 10), 2)
    assert part.warnings == ("the wall is thin",)
    assert "the wall is thin" in lw.vary(tube, pd.DataFrame({"wall": [0.8]}), workers=0).table["message"][0]


def test_a_value_within_limits():
    job = lw.Job()
    assert job.limit("window", 9, high=3) == 3
    assert job.limit("window", 1, low=2) == 2
    assert job.limit("window", 2.5, 2, 3) == 2.5
    assert [str(m) for m in job.messages] == [
        "window = 9 is brought to 3, the most that goes",
        "window = 1 is brought to 2, the least that goes",
    ]
    with pytest.raises(lw.ParameterError, match="low 3 of x is above high 2"):
        job.limit("x", 1, 3, 2)


def test_loose_pieces_are_told_where_they_come_about():
    job = lw.Job()
    bar = job.box("bar", 30, 10, 2)
    job.cut("halves", bar, job.box("saw", 2, 10, 2, on=lw.Plane((14, 0, 0), lw.Z)))
    job.union("pair", bar, job.move("other", bar, dy=20))
    told = [(m.step, m.text) for m in job.messages]
    assert told == [
        ("halves", "2 loose pieces, where one was meant, with centers at (7, 5, 1); (23, 5, 1)"),
        ("pair", "2 loose pieces, where one was meant, with centers at (15, 5, 1); (15, 25, 1)"),
    ]


def test_lumps_that_only_touch_are_told_at_their_step():
    job = lw.Job()
    low = job.box("low", 10, 10, 10)
    job.union("corner", low, job.box("high", 5, 5, 5, on=lw.Plane((10, 10, 10), lw.Z)))
    job.union("line", job.cylinder("a", 5, 10), job.cylinder("b", 3, 10, on=lw.Plane((8, 0, 0), lw.Z)))
    job.union("apart", low, job.box("far", 1, 1, 1, on=lw.Plane((20, 0, 0), lw.Z)))
    turned = lw.Plane((0, 0, 0), (1, 2, 3))
    plate = job.box("plate", 10, 10, 3, on=lw.Plane(turned.point(-5, -5, 5), turned.normal, turned.x))
    job.union("amid", job.sphere("ball", 5, on=turned), plate)
    job.union("beside", job.sphere("small", 4.999, on=turned), plate)
    told = {m.step: m.text for m in job.messages if "touch" in m.text}
    assert told["amid"].startswith("two of 2 lumps only touch, at (1.33")
    assert "beside" not in told
    assert told["corner"].startswith("two of 2 lumps only touch, at (10, 10, 10)")
    assert told["line"].startswith("two of 2 lumps only touch, at (5, 0, ")
    assert "apart" not in told


@lw.design()
def lid(job: lw.Job, bore: lw.Length = 0.0, gap: lw.Length = 1.0):
    plan = job.sketch("plan")
    plan.rectangle(40, 30, center=(0, 0))
    if bore:
        plan.circle((0, 0), bore / 2)
    plate = job.extrude("plate", plan, 6)
    soft = job.fillet("soft", plate, plate.edges("plate/end").convex(), 1)
    pin = job.move("pin", job.cylinder("rod", 2, 10), dz=6 + gap)
    return lw.Part({"plate": soft, "pin": pin})


def test_a_selection_that_is_not_what_it_is_by_default_is_told():
    """The late bore adds its rim to the edges that are rounded: 4 edges by default."""
    assert lid().messages == () and lid(gap=0.5).messages == ()
    assert [str(m) for m in lid(bore=8).messages] == [
        "soft: 5 edges are chosen, where the default part has 4"
    ]


def test_bodies_in_each_other_are_told():
    """A pin of radius 2 that stands 1.5 deep in a plate, or just on it."""
    (message,) = lid(gap=-1.5).messages
    assert str(message) == f'"plate" and "pin" share {math.pi * 4 * 1.5:.6g} mm³'
    assert lid(gap=0.0).messages == ()


def test_variants_on_one_plate(tube, tmp_path):
    """All in one file, by name, none over another, the gap as asked for."""
    run = lw.vary(tube, pd.DataFrame({"name": ["a", "b", "c"], "od": [20, 50, 30]}), workers=0)
    run.plate(tmp_path / "plate.step", gap=4.0)
    run.plate(tmp_path / "plate.stl")
    bodies = lw.read_step(tmp_path / "plate.step").bodies
    assert set(bodies) == {"a", "b", "c"}
    boxes = [np.array(part.bounds) for part in bodies.values()]
    for k, one in enumerate(boxes):
        assert one[0][2] == pytest.approx(0, abs=1e-9)
        for two in boxes[:k]:
            apart = np.maximum(one[0] - two[1], two[0] - one[1]).max()
            assert apart >= 4.0 - 1e-9
    volume = sum(v.volume for v in run.variants)
    assert lw.read_mesh(tmp_path / "plate.stl").volume == pytest.approx(volume, rel=0.02)
    with pytest.raises(lw.ExchangeError, match="gap is a length"):
        run.plate(tmp_path / "plate.stl", gap=-1)


# ---------------------------------------------------------------------- questions


def test_limits_of_a_parameter(tube):
    """Each end works, and a little beyond it does not, for the reason that is told."""
    found = tube.limits("wall")
    assert (found.low, found.below) == (0.5, "wall must be at least 0.5")
    assert found.high == pytest.approx(13, rel=1e-11)
    assert found.above == "the bore vanishes"
    tube(wall=found.high)
    with pytest.raises(lw.ParameterError, match="the bore vanishes"):
        tube(wall=found.high * (1 + 1e-11))
    assert tube.limits("holes") == lw.Limits(2, 9, "too few or too many holes", "too few or too many holes")
    assert tube.limits("height").high == math.inf
    with pytest.raises(lw.ParameterError, match="wall = 14 does not work itself: the bore vanishes"):
        tube.limits("wall", wall=14)
    with pytest.raises(lw.ParameterError, match="label is a text, which has no range"):
        tube.limits("label")


@lw.design
def soft_block(job, wide: lw.Length = 48.0, soft: lw.Length = lw.param(3.0, low=1)):
    block = job.box("block", wide, 30 * wide / 48, 5)
    return job.fillet("soft", block, block.edges().parallel(lw.Z), soft)


def test_limits_that_are_round_are_told_so():
    """What a ball needs, to the last digit; the reason still names the size that works."""
    found = soft_block.limits("soft")
    assert (found.low, found.high) == (1, 15)
    assert found.above.endswith("the largest that works is 15")
    assert soft_block.limits("wide", soft=7).low == pytest.approx(14 * 48 / 30, rel=1e-7)


def test_a_parameter_for_a_measure(tube):
    wall = tube.solve("wall", so_that={"mass": "20 g"})
    assert mass(30, wall) == pytest.approx(0.02, rel=1e-12)
    assert tube.solve("wall", so_that={"bore": 20}) == pytest.approx(5, rel=1e-12)
    assert tube.solve("od", {"volume": 3000}, wall=2) == pytest.approx(3000 / (20 * math.pi) + 2, rel=1e-12)
    for measure, wanted, words in (
        ("mass", "9 kg", r"no wall from 0.5 to 13 gives mass = 9; it reaches 0.00"),
        ("colour", 3, 'no measure "colour"; there are volume, area, mass, width, depth, height, bore'),
        ("mass", "9 mm", '"9 mm" is no mass'),
    ):
        with pytest.raises(lw.ParameterError, match=words):
            tube.solve("wall", so_that={measure: wanted})


def test_sensitivity(tube):
    """Of the closed form: mass goes with (od - wall) wall height."""
    found = tube.sensitivity("mass")
    assert found == pytest.approx({"od": 30 / 27, "wall": 24 / 27, "height": 1}, rel=1e-9)


def test_only_as_far_as_a_step(tube):
    part = tube.build(until="outer", od=20)
    assert part.volume == pytest.approx(1000 * math.pi)
    assert [step.name for step in part.steps] == ["outer"]
    with pytest.raises(lw.ParameterError, match=r'no step "rim"; there are outer, inner, tube'):
        tube.build(until="rim")


def test_what_differs_between_two_parts(tube):
    found = lw.compare(tube(), tube(wall=4))
    assert found.parameters == {"wall": (3, 4)}
    assert found.steps == {"inner": ("cylinder 12 x 10", "cylinder 11 x 10")}
    assert found.measures["mass"] == pytest.approx((mass(30, 3), mass(30, 4)))
    assert found.faces["inner/side"] == pytest.approx((240 * math.pi, 220 * math.pi))
    assert (found.gone, found.new) == ((), ())
    assert lw.compare(tube(), tube()).is_same
    assert set(lw.compare(tube.build(until="outer"), tube()).new) == {"inner/side"}
    with pytest.raises(lw.ParameterError, match="compare takes two parts"):
        lw.compare(tube(), 3)


# ---------------------------------------------------------------------- presets


def test_presets_are_saved_read_and_removed(tube, script):
    """Comments in the file stay; what no longer fits says why."""
    file = script.with_suffix(".presets.toml")
    file.write_text("# sizes of the upper site\n[upper]\nod = 40  # as measured\n")
    assert dict(tube.presets["upper"]) == {"od": 40}
    tube.presets.save("lower", {"od": "1 in", "wall": "=od/10"})
    assert tube.preset("lower")["wall"] == pytest.approx(2.54)
    assert list(tube.presets) == ["upper", "lower"]
    run = lw.vary(tube, tube.presets, workers=0)
    assert [v.values["od"] for v in run.variants] == [40, 25.4]
    tube.presets.remove("lower")
    assert file.read_text() == "# sizes of the upper site\n[upper]\nod = 40  # as measured\n"
    with pytest.raises(lw.ParameterError, match=r"od = 400 mm: must be at most 90"):
        tube.presets.save("huge", {"od": 400})
    with pytest.raises(lw.ParameterError, match='there is no preset "lower"; there are upper'):
        tube.preset("lower")
    file.write_text("[upper]\nod = 400\n")
    with pytest.raises(lw.ParameterError, match=r'tube.presets.toml, "upper": od = 400 mm: must be at most'):
        tube.preset("upper")
    for text, words in (
        ("od = 3", '"od" stands outside'),
        ("[", "is no TOML"),
        ("[a]\nod = [1]", "od is no"),
    ):
        file.write_text(text)
        with pytest.raises(lw.ParameterError, match=words):
            tube.preset("a")


def test_the_commands_about_families(lathwick, script, tmp_path):
    told = []
    for arguments in (
        ("presets", script, "--save", "wide", "--set", "od=60", "--set", "wall==od/20"),
        ("presets", script),
        ("build", script, "--preset", "wide", "--set", "height=5", "--out", tmp_path, "--as", "stl"),
        ("build", script, "--until", "outer", "--out", tmp_path, "--as", "stl", "--name", "rod"),
        ("vary", script, "--presets", "--out", tmp_path / "all", "--as", "stl", "--workers", "0"),
        ("limits", script, "wall"),
        ("solve", script, "wall", "--so-that", "mass=20 g"),
        ("compare", script, f"{script}@wide"),
        ("steps", script, "-o", tmp_path / "strip.png"),
    ):
        answer = lathwick(*arguments)
        assert answer.code == 0
        told.append(answer.out)
    assert lw.read_mesh(tmp_path / "wide.stl").volume == pytest.approx(math.pi * 57 * 3 * 5, rel=1e-2)
    assert lw.read_mesh(tmp_path / "rod.stl").volume == pytest.approx(2250 * math.pi, rel=1e-2)
    assert (tmp_path / "all" / "wide.stl").exists()
    assert (tmp_path / "strip.png").stat().st_size > 5000
    for words in (
        "saved wide",
        "fits",
        "the bore vanishes",
        "so that mass=20 g",
        "inner/side",
        "note bore 54",
    ):
        assert words in "".join(told)
    assert "a table or --presets" in lathwick("vary", script).err


def test_a_sheet_and_a_plot_of_a_run(tube, tmp_path):
    """All variants at one scale: of two that differ by three, the shares of what is drawn differ by nine."""
    run = lw.vary(
        tube, pd.DataFrame({"od": [80.0, 80 / 3], "height": [30.0, 10.0], "wall": [9.0, 3.0]}), workers=0
    )
    run.sheet(tmp_path / "sheet.png")
    with Image.open(tmp_path / "sheet.png") as picture:
        assert picture.size == (852, 266)
        shades = np.asarray(picture.convert("L"), dtype=float)[60:205]
    dark = [(tile < 200).sum() for tile in (shades[:, 60:426], shades[:, 486:])]
    assert 6.5 < dark[0] / dark[1] < 12
    run.plot("mass", against="wall", path=tmp_path / "plot.png")
    assert (tmp_path / "plot.png").stat().st_size > 8000
    with pytest.raises(lw.ExchangeError, match='there is no column "weight"'):
        run.plot("weight", against="wall", path=tmp_path / "x.png")
    with pytest.raises(lw.ExchangeError, match="label and mass are not numbers"):
        lw.vary(tube, pd.DataFrame({"label": ["x"]}), workers=0).plot("mass", "label", tmp_path / "x.png")


def test_a_default_that_cannot_be_built_costs_no_other_part():
    """Whatever the script does by default, a part with other values is made, and nothing told of it."""

    @lw.design()
    def odd(job: lw.Job, do: lw.Text = "raise"):
        if do == "raise":
            raise ZeroDivisionError
        if do == "leave":
            raise SystemExit(3)
        block = job.box("block", 10, 10, 10)
        return job.fillet("soft", block, block.edges("block/top"), 1)

    assert odd(do="build").messages == ()


def test_lumps_that_touch_are_told_once_and_not_of_a_split():
    job = lw.Job()
    halves = job.split("saw", job.box("block", 10, 10, 10), lw.XY.offset(4))
    job.move("aside", halves, dx=5)
    pair = job.union("pair", job.box("low", 5, 5, 5), job.box("high", 5, 5, 5, on=lw.Plane((5, 5, 5), lw.Z)))
    job.move("moved", pair, dx=50)
    assert [m.step for m in job.messages if "touch" in m.text] == ["pair"]
