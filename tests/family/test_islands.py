"""Rows are islands: what one row does to its process costs no other row, and nothing that is done is lost."""

from __future__ import annotations

import json
import os
import random
import textwrap

import numpy as np
import openpyxl
import pandas as pd
import pytest

import lathwick as lw
from lathwick.family.script import load_design
from lathwick.family.variants import RunStopped

from ..hostile import ATTACKS, attack
from ..kills import differs, disturb, prepare, reference

MISDEEDS = """
    import os, signal, sys, time
    import lathwick as lw

    class Odd(Exception):
        def __str__(self):
            raise RuntimeError("no")

    @lw.design()
    def islands(job: lw.Job, size: lw.Length = lw.param(5.0, low=1), do: lw.Text = ""):
        print("building", size)
        if do == "exit":
            os._exit(3)
        if do == "kill":
            os.kill(os.getpid(), signal.SIGKILL)
        if do == "leave":
            sys.exit("bye")
        if do == "interrupt":
            raise KeyboardInterrupt
        if do == "odd":
            raise Odd
        if do == "wander":
            os.chdir("/")
            os.environ.clear()
            sys.path.clear()
        if do == "close":
            sys.stdout.close()
            os.close(1)
        if do == "loop":
            while True:
                pass
        return lw.Part(job.box("box", size, size, size))
"""


@pytest.fixture
def islands(tmp_path):
    script = tmp_path / "islands.py"
    script.write_text(textwrap.dedent(MISDEEDS))
    return load_design(str(script))


def test_rows_that_misbehave_fail_alone(islands, tmp_path):
    """Seven kinds of misbehaviour; all other rows are done, and failed rows keep their inputs."""
    deeds = ["", "exit", "kill", "leave", "interrupt", "odd", "loop", "wander", "close", "", "", ""]
    rows = pd.DataFrame({"size": np.arange(len(deeds)) + 2.0, "do": deeds})
    run = lw.vary(islands, rows, tmp_path / "out", ("stl",), workers=2, timeout=2.0)
    told = {v.values["do"]: v.message.partition(": ")[2] for v in run.failed}
    assert told == {
        "exit": "its process ended by itself, with exit code 3",
        "kill": "its process was ended by SIGKILL (out of memory?)",
        "leave": "SystemExit in the script, islands.py line 17: bye",
        "interrupt": "KeyboardInterrupt in the script, islands.py line 19: no message",
        "odd": "Odd in the script, islands.py line 21: an error that cannot be shown",
        "loop": "took longer than 2 s",
    }
    done = [v for v in run.variants if v.status == "done"]
    assert [v.volume for v in done] == pytest.approx([v.values["size"] ** 3 for v in done])
    assert {p.name for p in (tmp_path / "out").iterdir() if p.suffix == ".stl"} == {v.files[0] for v in done}
    table = pd.read_csv(tmp_path / "out" / "variants.csv")
    assert list(table["size"]) == list(rows["size"])
    assert list(table["status"]) == [v.status for v in run.variants]
    assert next(v for v in done if v.values["do"] == "wander").printed == "building 9.0\n"


def test_an_interruption_keeps_what_is_done(islands, tmp_path):
    """The run stops, its table says what was not built, and the same call goes on from there."""

    def stop(variant):
        if variant.name == "islands-002":
            raise KeyboardInterrupt

    rows = pd.DataFrame({"size": [2.0, 3.0, 4.0, 5.0]})
    with pytest.raises(RunStopped) as stopped:
        lw.vary(islands, rows, tmp_path, ("stl",), workers=1, progress=stop)
    assert [v.status for v in stopped.value.run.variants] == ["done", "done", "not built", "not built"]
    assert list(pd.read_csv(tmp_path / "variants.csv")["status"])[2:] == ["not built"] * 2
    again = lw.vary(islands, rows, tmp_path, ("stl",), workers=1)
    assert [v.kept for v in again.variants] == [True, True, False, False]
    assert not again.failed


@pytest.mark.parametrize("timeout", [0, -1, float("nan"), True, "3"])
def test_a_timeout_is_a_number_of_seconds(islands, timeout):
    with pytest.raises(lw.ParameterError, match="timeout is a number of seconds above 0"):
        lw.vary(islands, pd.DataFrame({"size": [2.0]}), timeout=timeout)


def test_killed_runs_go_on_byte_equal(tmp_path):
    """A few of the runs of `make fuzz-kills`."""
    wanted, whole = reference(tmp_path / "reference")
    for seed in (3, 4):
        folder = tmp_path / str(seed)
        prepare(folder)
        assert disturb(folder, random.Random(seed), whole, longest=8.0) == ""  # other tests run beside it
        assert differs(folder, wanted) == ""


@pytest.mark.parametrize("line", [
    [], 3, {"name": 3}, {"files": []}, {"files": {"../secret": "0"}}, {"files": {"/dev/zero": "0"}},
    {"volume": "x"}, {"message": ["x"]}, {"mass_unit": None},
])  # fmt: skip
def test_a_ledger_that_others_wrote_is_no_danger(islands, tmp_path, line):
    """Wrong types, names outside, devices: the row is built again, and nothing else is read."""
    rows = pd.DataFrame({"size": [2.0]})
    first = lw.vary(islands, rows, tmp_path, ("stl",), workers=0)
    ledger = tmp_path / ".variants.jsonl"
    good = json.loads(ledger.read_text())
    ledger.write_text(json.dumps({**good, **line} if isinstance(line, dict) else line) + "\n[[[[\nnonsense\n")
    again = lw.vary(islands, rows, tmp_path, ("stl",), workers=0)
    assert not again.failed
    assert not again.variants[0].kept
    assert again.variants[0].volume == first.variants[0].volume


def test_a_file_that_became_a_link_is_written_anew(islands, tmp_path):
    rows = pd.DataFrame({"size": [2.0]})
    lw.vary(islands, rows, tmp_path, ("stl",), workers=0)
    made = tmp_path / "islands-001.stl"
    os.replace(made, tmp_path / "elsewhere")
    made.symlink_to(tmp_path / "elsewhere")
    (again,) = lw.vary(islands, rows, tmp_path, ("stl",), workers=0).variants
    assert not again.kept
    assert not made.is_symlink()


def test_a_folder_that_goes_away(islands, tmp_path):
    """The rows fail with their reason; the run is told as an error that holds them."""
    out = tmp_path / "out"

    def remove(variant):
        for path in [*out.iterdir()]:
            path.unlink()
        out.rmdir()

    rows = pd.DataFrame({"size": [2.0, 3.0]})
    with pytest.raises(lw.ExchangeError, match=r"variants.csv cannot be written: No such file") as refusal:
        lw.vary(islands, rows, out, ("stl",), workers=0, progress=lambda v: v.name[-1] == "1" and remove(v))
    assert [v.status for v in refusal.value.run.variants] == ["done", "failed"]
    with pytest.raises(lw.ParameterError, match="cannot be made a folder"):
        lw.vary(islands, rows, tmp_path / "islands.py")


def test_cells_that_a_spreadsheet_would_run_are_marked(islands, tmp_path):
    rows = pd.DataFrame({"name": ["=x", "y"], "do": ["@SUM(A1)", "+1"], "size": ["-2", "3"]})
    lw.vary(islands, rows, tmp_path, ("stl",), workers=0)
    lines = (tmp_path / "variants.csv").read_text().splitlines()
    assert lines[1].startswith("'=x,-2,'@SUM(A1),failed")
    assert lines[2].startswith("y,3.0,+1,done")


@pytest.mark.parametrize(
    ("name", "words"),
    [
        ("../x", "it holds '/'"),
        ("ＣＯＮ", "keep for devices"),
        ("LPT1.a", "keep for devices"),
        ("x" * 201, "201 bytes, at most 200"),
        ("é" * 101, "202 bytes, at most 200"),
        (".x", 'starts or ends with "."'),
        ("a\u202eb", "it holds"),
    ],
)
def test_names_that_lead_elsewhere(islands, name, words):
    (bad,) = lw.vary(islands, pd.DataFrame({"name": [name], "size": [2.0]}), workers=0).failed
    assert words in bad.message


def test_names_that_some_systems_take_for_one(islands):
    for one, two in (("Pin", "pin"), ("e\u0301", "é"), ("Ａ", "a")):
        with pytest.raises(lw.ParameterError, match=r'column "name": .* stands in row 0 already'):
            lw.vary(islands, pd.DataFrame({"name": [one, two]}), workers=0)


def book(path, *rows, merged=()):
    made = openpyxl.Workbook()
    for row in rows:
        made.active.append(row)
    for cells in merged:
        made.active.merge_cells(cells)
    made.save(path)
    return path


def test_merged_cells_have_the_value_of_the_first(islands, tmp_path):
    rows = (("name", "size", "do"), ("a", 4, "x"), ("b", None, "y"), ("c", 7, "z"))
    path = book(tmp_path / "t.xlsx", *rows, merged=("B2:B3", "C2:C4"))
    values = [v.values for v in lw.vary(islands, path, workers=0).variants]
    assert [v["size"] for v in values] == [4, 4, 7]
    assert [v["do"] for v in values] == ["x", "x", "x"]


def test_workbooks_that_are_too_large_or_damaged(islands, tmp_path):
    path = book(tmp_path / "far.xlsx", ("size",), (3,))
    made = openpyxl.load_workbook(path)
    made.active.cell(900_000, 1, 4)
    made.save(path)
    with pytest.raises(lw.ParameterError, match=r"a cell stands in row 900000, column 1; .* 200000 rows"):
        lw.vary(islands, path)
    path.write_bytes(path.read_bytes()[:-300])
    with pytest.raises(lw.ParameterError, match=r"far.xlsx: is no workbook, or damaged"):
        lw.vary(islands, path)


@pytest.mark.parametrize("kind", sorted(ATTACKS))
def test_hostile_data(kind):
    """A sample of `make fuzz-inputs`."""
    for seed in range(60 if kind in ("cell", "mesh") else 12):
        assert attack(kind, seed) == ""


@lw.design()
def formulas(
    job: lw.Job,
    a: lw.Length = lw.param(20.0),
    b: lw.Length = lw.param("=a*4"),
    c: lw.Length = lw.param("=a-b", low=-1000),
    lean: lw.Angle = 30.0,
    n: lw.Count = 2,
):
    return lw.Part(job.box("b", a, a, a))


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"c": "=a*b"}, 'c: "=a*b" is an area, not a length'),
        ({"c": "=1/a"}, 'c: "=1/a" is one over a length, not a length'),
        ({"c": "=a+lean"}, 'c: "=a+lean" adds a length and an angle'),
        ({"c": "=sin(a)*b"}, "c: \"=sin(a)*b\": what sin() is given is a length"),
        ({"lean": "=a"}, 'lean: "=a" is a length, not an angle'),
        ({"c": "=1 in * 2 in"}, 'c: "=1 in * 2 in" is an area, not a length'),
        ({"c": "=round(7, -9999999)"}, "round() takes a whole number of decimals up to 15"),
        ({"c": "2*a"}, 'c: "2*a" is no number; write 12.5, 3/16 or "3/16 in"; as a formula it is "=2*a"'),
        ({"c": "1½"}, 'c: "1½" is no number'),
        ({"c": "1 - 1/2"}, 'c: "1 - 1/2" is no number'),
        ({"c": "\u0661"}, "is no number"),
        ({"a": 400}, "c = a-b = -1200 mm with a = 400 mm, b = 1600 mm: must be at least -1000 mm"),
        ({"n": "1e30"}, "n: 1e+30 is too large a count"),
    ],
)  # fmt: skip
def test_formulas_carry_their_units(values, words):
    with pytest.raises(lw.ParameterError) as refusal:
        formulas.check(values)
    assert words in str(refusal.value)


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("=sqrt(a*b)", 40.0),
        ("=a**2/b", 5.0),
        ("=pi*a*lean/180", np.pi * 20 / 6),
        ("=2*a + 1 in - 0.4", 65.0),
        ("=hypot(a, b)*sin(lean)", np.hypot(20, 80) / 2),
        ("=a if n > 1 else b", 20.0),
        ("=5*n", 10.0),
    ],
)
def test_what_goes_together(text, value):
    assert formulas.check({"c": text})["c"] == pytest.approx(value, rel=1e-14)
