"""Variants: every row by itself, mistakes told with row and column, the others finished."""

import os
import textwrap
import threading
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pandas as pd
import pytest

import lathwick as lw
from lathwick.family.script import load_design

from ..conftest import DEMO


@pytest.fixture
def table(tmp_path):
    """Writes a table and returns its path."""

    def write(text: str, name: str = "sizes.csv") -> Path:
        path = tmp_path / name
        path.write_text(textwrap.dedent(text).lstrip(), encoding="utf-8")
        return path

    return write


def test_demo_table_makes_eight_sizes(saddle, tmp_path, outside_check):
    """Each row has its STEP and STL, and the table their volume and mass."""
    run = lw.vary(saddle, DEMO / "pipe_saddle.csv", tmp_path / "out", workers=2)
    assert len(run.variants) == 8
    assert not run.failed
    assert sorted(os.listdir(tmp_path / "out")) == sorted(
        [f"{v.name}.{s}" for v in run.variants for s in ("step", "stl")] + [".variants.jsonl", "variants.csv"]
    )
    back = pd.read_csv(tmp_path / "out" / "variants.csv")
    assert list(back.columns[:2]) == ["name", "pipe"]
    assert list(back.columns[-8:]) == [
        "status",
        "volume",
        "area",
        "mass",
        "lumps",
        "files",
        "seconds",
        "message",
    ]
    for v, volume in zip(run.variants, back["volume"], strict=True):
        assert v.volume == saddle(**v.values).volume
        assert volume == pytest.approx(v.volume, rel=1e-15)  # as pandas reads it
        outside_check(tmp_path / "out" / f"{v.name}.step")
        outside_check(tmp_path / "out" / f"{v.name}.stl")


def test_any_number_of_workers_gives_the_same_files(saddle, tmp_path, monkeypatch):
    """In this process, in two forked ones, in spawned ones and in threads: the same bytes."""
    monkeypatch.setenv("SOURCE_DATE_EPOCH", "1700000000")
    rows = pd.DataFrame({"name": ["a", "b", "c"], "pipe": [30, 40, 50.5]})
    results = {}

    def run(kind, **options):
        lw.vary(saddle, rows, tmp_path / kind, **options)
        results[kind] = {p.name: p.read_bytes() for p in (tmp_path / kind).glob("?.*")}

    run("here", workers=0)
    run("forked", workers=2)
    with ThreadPoolExecutor(2) as pool:
        run("threads", executor=pool)
    spawning = threading.Thread(target=run, args=("spawned",), kwargs={"workers": 2})
    spawning.start()
    spawning.join()
    assert len(results["here"]) == 6
    assert all(files == results["here"] for files in results.values())


def test_changing_one_value_changes_what_it_should(saddle):
    """The plate's thickness scales volume and mass, and no other parameter."""
    rows = pd.DataFrame({"plate": [10.0, 20.0]})
    one, two = lw.vary(saddle, rows, workers=0).variants
    assert two.volume == pytest.approx(2 * one.volume, rel=1e-14)
    assert {k for k in one.values if one.values[k] != two.values[k]} == {"plate"}
    assert (one.name, two.name, one.files) == ("pipe_saddle-001", "pipe_saddle-002", ())


def test_cells_are_values_formulas_or_empty(saddle, table):
    """An empty cell means the default, a formula reads the row's other values, units are known."""
    run = lw.vary(saddle, table("""
        name , pipe  , wall      , plate
        first, 40    , =pipe/5   , 1/4 in
        last ,       ,           , 0.5
    """.replace("0.5", "5.5")), workers=0)  # fmt: skip
    first, last = run.variants
    assert (first.values["wall"], first.values["plate"]) == (8.0, 6.35)
    assert (last.values["pipe"], last.values["plate"]) == (48.3, 5.5)


@pytest.mark.parametrize("separator", [";", "\t"])
def test_other_separators(saddle, table, separator):
    """Tables from other countries and programs are read as they are."""
    text = "name,pipe\na,40\n".replace(",", separator)
    assert lw.vary(saddle, table(text), workers=0).variants[0].values["pipe"] == 40


def test_workbooks(saddle, tmp_path):
    """XLSX holds numbers as numbers; a numeric name keeps its look."""
    path = tmp_path / "sizes.xlsx"
    pd.DataFrame({"name": [15, 20], "pipe": [21.3, None], "plate": ["1/4 in", "=pipe/4"]}).to_excel(
        path, index=False
    )
    one, two = lw.vary(saddle, path, workers=0).variants
    assert (one.name, two.name) == ("15", "20")
    assert (one.values["plate"], two.values["plate"]) == (6.35, 48.3 / 4)
    path.write_bytes(b"PK not really")
    with pytest.raises(lw.ParameterError, match=r"sizes.xlsx: (is no workbook|cannot be read)"):
        lw.vary(saddle, path)


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("", "sizes.csv: the table is empty"),
        ("name,pipe\n", "the table has no rows"),
        ("name,pipe\n,\n  ,\n", "the table has no rows"),
        ("name,pip\na,40\n", 'row 1, column "pip": no such parameter; there may be name, pipe, gap,'),
        ("name,pipe,pipe\na,40,41\n", 'row 1, column "pipe": stands there twice'),
        ("name,,pipe\na,1,40\n", "row 1, column 2: the column has no heading"),
        ("name,pipe\na,40\nb,41,7\n", "sizes.csv: cannot be read as a table:.*line 3"),
        ("name,pipe\na,40\nb,41\nA,42\n", 'row 4, column "name": "A" stands in row 2 already'),
    ],
)
def test_wrong_tables_are_refused_as_a_whole(saddle, table, tmp_path, text, message):
    """Nothing is built from a table whose heading or names are wrong."""
    with pytest.raises(lw.ParameterError, match=message):
        lw.vary(saddle, table(text), tmp_path / "out")
    assert not (tmp_path / "out" / "variants.csv").exists()


def test_missing_required_column(table):
    """A parameter without a default needs its column."""

    @lw.design()
    def pin(job: lw.Job, radius: lw.Length, height: lw.Length = 5.0) -> lw.Body:
        raise AssertionError("must not be built")

    with pytest.raises(lw.ParameterError, match='row 1: the column "radius" is missing; it has no default'):
        lw.vary(pin, table("name,height\na,4\n"))
    (bad,) = lw.vary(pin, table("name,radius,height\na,,4\n"), workers=0).variants
    assert "radius has no default and must be given" in bad.message


@pytest.mark.parametrize(
    ("cell", "column", "message"),
    [
        ("wide", "pipe", 'row 3, column "pipe": pipe: "wide" is no number'),
        ("NaN", "pipe", 'row 3, column "pipe": pipe: "NaN" is not finite'),
        ("inf", "pipe", 'row 3, column "pipe": pipe: "inf" is not finite'),
        ("900", "pipe", 'row 3, column "pipe": pipe = 900 mm: must be at most 170 mm'),
        (
            "7",
            "bolt",
            'row 3, column "bolt": bolt = 7 mm: must be one of 5.5 mm, 6.6 mm, 9 mm, 11 mm, 13.5 mm',
        ),
        ("=pipe*", "wall", 'row 3, column "wall": wall: "=pipe*" is no formula'),
        ("=wall", "wall", 'row 3, column "wall": the formulas of wall -> wall go in a circle'),
        ("3 kg", "wall", 'row 3, column "wall": wall: "kg" is no unit of length'),
        ("6", "spacing", 'row 3: step "saddle": no default profile: right_bolt and left_bolt cross or touch'),
        ("170", "spacing", "row 3: the bolt holes are too near the ends of the foot"),
        ("../up", "name", 'row 3, column "name": "../up" cannot name a file'),
        ("/etc/x", "name", 'row 3, column "name": "/etc/x" cannot name a file'),
        ("a\\b", "name", 'row 3, column "name":'),
        (".hidden", "name", 'row 3, column "name": ".hidden" cannot name a file'),
        ("con", "name", "keep for devices"),
        ("x" * 201, "name", "201 bytes"),
    ],
)
def test_one_bad_row_spoils_no_other(saddle, tmp_path, cell, column, message):
    """The bad row is reported with row and column; its neighbours are built."""
    columns = {"name": ["good", "bad", "fine"], "pipe": ["40", "41", "42"]}
    columns.setdefault(column, ["", "", ""])[1] = cell
    path = tmp_path / "sizes.csv"
    pd.DataFrame(columns).to_csv(path, index=False)
    run = lw.vary(saddle, path, tmp_path / "out", ("step",), workers=0)
    assert [v.status for v in run.variants][::2] == ["done", "done"]
    (bad,) = run.failed
    assert message in bad.message
    assert "\n" not in bad.message
    assert sorted(os.listdir(tmp_path / "out")) == [
        ".variants.jsonl",
        "fine.step",
        "good.step",
        "variants.csv",
    ]
    assert sorted(p.name for p in tmp_path.iterdir()) == ["out", "sizes.csv"]


def test_mistakes_of_the_script_are_told_with_their_line(tmp_path):
    """A Python mistake in one row's path names the script's line; other rows go on."""
    script = tmp_path / "odd.py"
    script.write_text(
        textwrap.dedent("""
        import lathwick as lw
        @lw.design()
        def odd(job: lw.Job, n: lw.Count = 3) -> lw.Part:
            sk = job.sketch("plan")
            sk.circle((0, 0), 10 / (n - 2))
            return lw.Part(job.extrude("disc", sk, 1))
    """).lstrip()
    )
    run = lw.vary(load_design(str(script)), pd.DataFrame({"n": [1, 2, 3]}), workers=2)
    assert [v.status for v in run.variants] == ["failed", "failed", "done"]
    assert "circle1 radius must be more than" in run.variants[0].message
    assert "ZeroDivisionError in the script, odd.py line 5: float division by zero" in run.variants[
        1
    ].message or ("ZeroDivisionError in the script, odd.py line 5" in run.variants[1].message)


def test_dead_worker_is_a_failed_row(tmp_path):
    """A process that dies takes no more with it than the rows it leaves unbuilt."""
    script = tmp_path / "deadly.py"
    script.write_text(
        textwrap.dedent("""
        import os
        import lathwick as lw
        @lw.design()
        def deadly(job: lw.Job, n: lw.Count = 3) -> lw.Part:
            if n == 2:
                os._exit(9)
            sk = job.sketch("plan")
            sk.circle((0, 0), n)
            return lw.Part(job.extrude("disc", sk, 1))
    """)
    )
    run = lw.vary(load_design(str(script)), pd.DataFrame({"n": [1, 2]}), workers=2)
    assert run.variants[1].message == "row 1: its process ended by itself, with exit code 9"


def test_wrong_calls(saddle, tmp_path):
    """A wrong format, number of workers, table or design is refused before anything is done."""
    rows = pd.DataFrame({"pipe": [40]})
    with pytest.raises(lw.ParameterError, match='"dwg" is no format'):
        lw.vary(saddle, rows, tmp_path, formats=("dwg",))
    with pytest.raises(lw.ParameterError, match="workers is a whole number, 0 or more, got -1"):
        lw.vary(saddle, rows, workers=-1)
    with pytest.raises(lw.ParameterError, match="vary needs a design"):
        lw.vary(print, rows)
    with pytest.raises(lw.ParameterError, match="a table is a file name or a DataFrame"):
        lw.vary(saddle, [1])
    with pytest.raises(lw.ParameterError, match="cannot be read: No such file"):
        lw.vary(saddle, tmp_path / "none.csv")


def test_a_stopped_run_goes_on(saddle, tmp_path):
    """Unchanged variants are kept; changed values, formats, files or a cut record are built again."""
    out = tmp_path / "out"

    def kept(pipes=(30, 40, 50), formats=("step",), **options):
        rows = pd.DataFrame({"name": list("abc"), "pipe": pipes})
        run = lw.vary(saddle, rows, out, formats, workers=0, **options)
        assert not run.failed
        assert [v.volume for v in run.variants] == [saddle(pipe=p).volume for p in pipes]
        return [v.kept for v in run.variants]

    assert kept() == [False] * 3
    assert kept() == [True] * 3
    assert kept(pipes=(30, 41, 50)) == [True, False, True]
    (out / "a.step").write_text("touched")
    (out / "c.step").unlink()
    assert kept(pipes=(30, 41, 50)) == [False, True, False]
    assert kept(formats=("stl",), pipes=(30, 41, 50)) == [False] * 3
    record = out / ".variants.jsonl"
    record.write_text(record.read_text()[:-40] + "\n[]\nnonsense\n")
    assert kept(formats=("stl",), pipes=(30, 41, 50)) == [True, True, False]
    assert kept(formats=("stl",), pipes=(30, 41, 50), resume=False) == [False] * 3


def test_a_changed_script_builds_all_again(tmp_path):
    """A change in the script, or in a module it loads, is noticed."""
    script, helper, rows = tmp_path / "disc_made.py", tmp_path / "disc_sizes.py", pd.DataFrame({"r": [2.0]})
    helper.write_text("THICK = 3\n")
    script.write_text(
        "import lathwick as lw\nimport importlib, disc_sizes\nimportlib.reload(disc_sizes)\n"
        "@lw.design()\ndef disc(job: lw.Job, r: lw.Length = 1.0) -> lw.Part:\n"
        "    sk = job.sketch('plan')\n    sk.circle((0, 0), r)\n"
        "    return lw.Part(job.extrude('disc', sk, disc_sizes.THICK))\n"
    )

    def build():
        (variant,) = lw.vary(load_design(str(script)), rows, tmp_path / "out", workers=0).variants
        return variant.kept, round(variant.volume / 3.141592653589793 / 4, 9)

    assert build() == (False, 3)
    assert build() == (True, 3)
    helper.write_text("THICK = 55\n")
    assert build() == (False, 55)
    script.write_text(script.read_text() + "# a remark\n")
    assert build()[0] is False


def test_files_of_an_earlier_run_are_told_of(saddle, tmp_path):
    """A row that fails now, but was built before, says that its old files are still there."""
    rows = pd.DataFrame({"name": ["a"], "pipe": [40]})
    lw.vary(saddle, rows, tmp_path, ("step",), workers=0)
    (bad,) = lw.vary(saddle, rows.assign(pipe=400), tmp_path, ("step", "stl"), workers=0).variants
    assert bad.status == "failed"
    assert bad.message.endswith("; a.step of an earlier run still there")
