"""What a newcomer gets wrong in a first script: each is one line that tells what there is instead, and where
in the script, and ends with the right exit code; the script without it works."""

from __future__ import annotations

import textwrap

import pytest

import lathwick as lw

SCRIPT = """
import lathwick as lw


@lw.design(unit="mm")
def probe_bracket(
    job: lw.Job,
    length: lw.Length = lw.param(80, low=40, high=200),
    width: lw.Length = lw.param(50, low=20),
    thickness: lw.Length = lw.param(8.0),
    bolt: lw.Length = lw.param(6.6, note="for M6"),
    boss: lw.Length = lw.param("=2.5*bolt"),
):
    plan = job.sketch("plan")
    plan.rectangle(length, width, center=(0, 0), rounding=6)
    plan.slot(20, 6, center=(0, 15))
    base = job.extrude("base plate", plan, thickness)
    post = job.cylinder("post", boss / 2, 25, on=base.face("base plate/end"))
    body = job.union("joined", base, post)
    body = job.fillet("foot", body, body.edges("post/side", "base plate/end"), 3)
    body = job.chamfer("rim", body, body.edges("post/top"), 1)
    body = job.hole("bore", body, body.face("post/top"), [(0, 0)], bolt)
    corners = [(x * (length / 2 - 8), y * (width / 2 - 8)) for x in (-1, 1) for y in (-1, 1)]
    body = job.hole("bolts", body, body.face("base plate/end"), corners, bolt, counterbore=(11, 3))
    return lw.Part(body, color="steelblue", material=lw.Material("steel", "7.85 g/cm3"))
"""

MISTAKES = {
    "places for a slot": (
        "plan.slot(20, 6, center=(0, 15))",
        "plan.slot((-10, 15), (10, 15), 6)",
        "slot: too many positional arguments; it is slot(length, width, *, center=, angle=, overall=",
    ),
    "an address for a plane": (
        'body.edges("post/side", "base plate/end"), 3',
        'body.edges("post/side").on("base plate/end"), 3',
        "on: plane takes a plane or a planar face, got 'base plate/end'",
    ),
    "an end of a cylinder": (
        'body.edges("post/top")',
        'body.edges("post/end")',
        'no face answers to "post/end"; step "post" made post/side, post/top',
    ),
    "a word for a depth": (
        "[(0, 0)], bolt)",
        '[(0, 0)], bolt, depth="through")',
        'step "bore": a depth is a number, THROUGH, "first inner face"',
    ),
    "a verb of the trade": (
        'job.chamfer("rim"',
        'job.engrave("rim"',
        "'Job' object has no attribute 'engrave'; there is cut",
    ),
    "another word for a verb": (
        'job.hole("bore"',
        'job.drill("bore"',
        "'Job' object has no attribute 'drill'; there is hole",
    ),
    "a color of no name": ('"steelblue"', '"steel"', "'steel' is no color; write \"steelblue\""),
    "a metal by name": (
        'lw.Material("steel", "7.85 g/cm3")',
        "lw.steel",
        "module 'lathwick' has no attribute 'steel'",
    ),
    "a name used twice": (
        'job.chamfer("rim"',
        'job.chamfer("foot"',
        'there is a step "foot" already; every step needs its own name',
    ),
    "a size that does not fit": (
        'body.edges("post/top"), 1)',
        'body.edges("post/top"), 30)',
        "the largest that works is",
    ),
    "an empty selection": (
        'body.edges("post/top"), 1',
        'body.edges("post/top").straight(), 1',
        'step "rim": no edge is selected',
    ),
    "one of nothing": (
        'body.edges("post/top"), 1',
        'body.edges("post/top").straight()[0], 1',
        "the selection holds 0 items; there is no [0]",
    ),
    "a part forgotten": (
        "    return lw.Part(",
        "    lw.Part(",
        'must return a Part or a Body, not None; it ends with "return lw.Part(body)"',
    ),
    "a body of another design": (
        'job.union("joined", base, post)',
        'job.union("joined", base, 3)',
        'step "joined": union: bodies takes a body, got 3',
    ),
    "a limit the wrong way round": (
        "low=40, high=200",
        "low=200, high=40",
        "low 200 is above high 40",
    ),
    "a formula with a name that is not there": ('"=2.5*bolt"', '"=2.5*bolts"', "bolts"),
    "a unit that is none": ("lw.param(6.6, ", 'lw.param("6.6 mn", ', '"mn" is no unit that is known'),
    "a text for a material": (
        'lw.Material("steel", "7.85 g/cm3")',
        '"steel"',
        'a part\'s material takes lw.Material("steel", "7.85 g/cm3"), got \'steel\'',
    ),
    "a number for a name": ('color="steelblue"', "name=3", "a part's name takes a text, got 3"),
    "nothing for a body": ("lw.Part(body, ", "lw.Part(None, ", "a part is made of a Body, not of None"),
    "a text for a body": (
        "lw.Part(body, ",
        'lw.Part({"a": "b"}, ',
        "\"a\" of a part is a Body or a Part, not 'b'",
    ),
    "an error of two lines": (
        "    body = job.union(",
        '    raise ValueError("one\\ntwo")\n    body = job.union(',
        "ValueError in the script, probe.py line 19: one two",
    ),
    "a module that is not there": (
        "import lathwick as lw\n",
        "import lathwick as lw\nimport nowhere\n",
        "probe.py, line 3: ModuleNotFoundError: No module named 'nowhere'",
    ),
    "a slip of the pen": ("boss / 2", "bos / 2", "NameError in the script"),
    "a bracket forgotten": ("[(0, 0)], bolt)", "[(0, 0)], bolt", "SyntaxError"),
}


def write(folder, text=SCRIPT):
    path = folder / "probe.py"
    path.write_text(textwrap.dedent(text))
    return path


def test_the_script_works(tmp_path, lathwick):
    found = lathwick("build", write(tmp_path), "--out", tmp_path / "made")
    assert found.code == 0
    part = lw.read_step(tmp_path / "made" / "probe_bracket.step")
    assert part.color == pytest.approx((70 / 255, 130 / 255, 180 / 255), abs=1e-6)
    assert part.body.lumps == 1


@pytest.mark.parametrize("mistake", MISTAKES)
def test_a_mistake_is_one_line(mistake, tmp_path, lathwick):
    right, wrong, words = MISTAKES[mistake]
    assert SCRIPT.count(right) == 1
    path = write(tmp_path, SCRIPT.replace(right, wrong))
    found = lathwick("build", path, "--out", tmp_path / "made")
    assert found.code in (1, 2)
    told = [line for line in found.err.splitlines() if line.strip()]
    assert len(told) == 1, found.err
    assert told[0].startswith("lathwick: ")
    assert words in told[0]
    assert "Traceback" not in found.out + found.err
    assert not (tmp_path / "made").exists() or not any((tmp_path / "made").iterdir())


@pytest.mark.parametrize(
    "mistake", ["places for a slot", "an address for a plane", "a slip of the pen", "one of nothing"]
)
def test_a_mistake_tells_its_line(mistake, tmp_path, lathwick):
    right, wrong, _ = MISTAKES[mistake]
    text = SCRIPT.replace(right, wrong)
    number = 1 + next(k for k, line in enumerate(text.splitlines()) if wrong in line)
    found = lathwick("build", write(tmp_path, text), "--out", tmp_path / "made")
    assert f"probe.py line {number}" in found.err


@pytest.mark.parametrize("command", [("steps",), ("compare", "probe.py"), ("vary", "t.csv", "--out", "o")])
def test_a_picture_is_no_text(command, tmp_path, lathwick, monkeypatch):
    monkeypatch.chdir(tmp_path)
    write(tmp_path)
    (tmp_path / "t.csv").write_text("name,bolt\na,5\n")
    option = "--sheet" if command[0] == "vary" else "-o"
    found = lathwick(command[0], "probe.py", *command[1:], option, "x.txt")
    assert found.code == 2
    assert "x.txt: a picture is a .png file" in found.err
    assert not (tmp_path / "x.txt").exists()


def test_pictures_come_into_new_folders_and_where_nothing_differs(tmp_path, lathwick, monkeypatch):
    monkeypatch.chdir(tmp_path)
    write(tmp_path)
    for command in (("steps", "probe.py"), ("compare", "probe.py", "probe.py"), ("picture", "probe.py")):
        path = tmp_path / command[0] / "new" / "x.png"
        found = lathwick(*command, "-o", path)
        assert (found.code, found.err) == (0, "")
        assert path.read_bytes().startswith(b"\x89PNG")
        assert "x.png" in found.out
    assert "nothing differs" in lathwick("compare", "probe.py", "probe.py").out


def test_a_script_that_ends_itself_ends_the_command(tmp_path, lathwick):
    """With the code of its own, and nothing written."""
    path = write(
        tmp_path, SCRIPT.replace("    plan = job.sketch", "    raise SystemExit(3)\n    plan = job.sketch")
    )
    found = lathwick("build", path, "--out", tmp_path / "made")
    assert found.code in (1, 3)
    assert not list(tmp_path.glob("made/*"))
