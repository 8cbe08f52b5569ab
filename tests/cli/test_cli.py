"""The command line: what it prints, writes, and returns."""

import importlib.metadata
import importlib.util
import os
import subprocess
import sys

import pytest

import lathwick as lw

from ..conftest import DEMO, ROOT

SCRIPT = DEMO / "pipe_saddle.py"


def test_help_names_every_command_and_imports_little():
    """--help answers without NumPy, SciPy, pandas, plotting or rendering."""
    code = (
        "import sys\nfrom lathwick.cli.main import main\n"
        "try: main(['--help'])\nexcept SystemExit: pass\n"
        "heavy = {'numpy', 'scipy', 'pandas', 'matplotlib', 'embreex', 'rich', 'pint', 'shapely'}\n"
        "print(sorted(heavy & set(sys.modules)))"
    )
    run = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert run.stdout.splitlines()[-1] == "[]"
    for command in ("demo", "params", "build", "vary", "picture", "measure", "check"):
        assert f"  {command} " in run.stdout


def test_demo_runs_in_an_empty_folder(lathwick, tmp_path, outside_check):
    """The demo copies, builds, draws, varies, and says what to try."""
    answer = lathwick("demo", "--out", tmp_path / "demo")
    assert answer.code == 0, answer.err
    for name in ("pipe_saddle.py", "pipe_saddle.csv", "saddle.png", "profile.png", "sizes/DN40.step"):
        assert (tmp_path / "demo" / name).exists()
    assert "fully defined" in answer.out
    assert "Try next" in answer.out
    outside_check(tmp_path / "demo" / "pipe_saddle.step")
    outside_check(tmp_path / "demo" / "pipe_saddle.stl")


def test_demo_without_the_extra_for_pictures(lathwick, tmp_path, monkeypatch):
    """It says what pictures need, does all the rest, and points at no file that is not there."""
    find = importlib.util.find_spec
    monkeypatch.setattr(importlib.util, "find_spec", lambda n, p=None: None if n == "embreex" else find(n, p))
    answer = lathwick("demo", "--out", tmp_path)
    assert answer.code == 0
    assert 'pip install "lathwick[pictures]"' in answer.out
    assert "saddle.png" not in answer.out
    assert (tmp_path / "sizes" / "DN100.stl").exists()


def test_demo_keeps_a_changed_script(lathwick, tmp_path):
    """A script the user changed is not written over."""
    lathwick("demo", "--out", tmp_path)
    script = tmp_path / "pipe_saddle.py"
    script.write_text(script.read_text().replace("48.3", "50.0"))
    answer = lathwick("demo", "--out", tmp_path)
    assert "kept your changed" in answer.out
    assert "50.0" in script.read_text()


def test_params_lists_formulas_and_limits(lathwick):
    """Defaults, resolved values, limits and notes."""
    out = lathwick("params", SCRIPT).out
    for words in ("pipe", "48.3 mm", "15 … 170", "=2.4*bolt", "5.5, 6.6, 9, 11, 13.5", "1/2 in"):
        assert words in out


def test_build_writes_what_was_asked(lathwick, tmp_path):
    """Parameters by --set, formats by --as, the mesh in another unit; each file is named."""
    answer = lathwick("build", SCRIPT, "--set", "pipe=2 in", "--set", "plate==pipe/8", "--out", tmp_path,
                      "--as", "stl", "--chord", "0.2", "--stl-unit", "in")  # fmt: skip
    assert answer.code == 0, answer.err
    assert [p.name for p in tmp_path.iterdir()] == ["pipe_saddle.stl"]
    assert "50.8 mm" in answer.out
    assert "6.35 mm" in answer.out
    mesh = lw.read_mesh(tmp_path / "pipe_saddle.stl")
    assert mesh.unit == "in"
    assert mesh.bounds[1][1] == pytest.approx(0.125)


def test_measure_and_check(lathwick, tmp_path):
    """A script and a mesh can be measured and checked; a broken mesh is a failure."""
    assert "64507.04 mm³" in lathwick("measure", SCRIPT, "--faces", "--edges").out
    assert lathwick("check", SCRIPT).code == 0
    lathwick("build", SCRIPT, "--out", tmp_path)
    mesh = tmp_path / "pipe_saddle.stl"
    assert "watertight   yes" in lathwick("measure", mesh).out
    assert lathwick("check", mesh).code == 0
    data = bytearray(mesh.read_bytes())
    data[84 + 12 : 84 + 16] = b"\0\0\x80\x41"  # move one corner of the first triangle
    mesh.write_bytes(data)
    answer = lathwick("check", mesh)
    assert answer.code == 1
    assert "not sound" in answer.out


def test_pictures(lathwick, tmp_path):
    """A part and a sketch, in the size asked for."""
    part, sketch = tmp_path / "part.png", tmp_path / "sub" / "sketch.png"
    assert lathwick("picture", SCRIPT, "-o", part, "--view", "front", "--size", "320x200").code == 0
    assert lathwick("picture", SCRIPT, "-o", sketch, "--sketch", "profile").code == 0
    for path, size in ((part, (320, 200)), (sketch, (1280, 800))):
        header = path.read_bytes()[:24]
        assert header.startswith(b"\x89PNG")
        assert (int.from_bytes(header[16:20]), int.from_bytes(header[20:24])) == size


def test_vary_reports_rows_and_fails_with_one(lathwick, tmp_path):
    """A failed row is listed with its reason and turns the exit code to 1; the others are written."""
    table = tmp_path / "t.csv"
    table.write_text("name,pipe\ngood,40\nbad,400\n")
    answer = lathwick("vary", SCRIPT, table, "--out", tmp_path / "out", "--workers", "1")
    assert answer.code == 1
    assert "row 3, column" in answer.out
    assert "1 of 2 variants failed" in answer.out
    assert (tmp_path / "out" / "good.step").exists()


@pytest.mark.parametrize(
    ("arguments", "code", "message"),
    [
        (["build", SCRIPT, "--set", "pipe=500"], 2, "pipe = 500 mm: must be at most 170 mm"),
        (["build", SCRIPT, "--set", "pip=5"], 2, 'there is no parameter "pip"'),
        (["build", SCRIPT, "--set", "pipe"], 2, "write NAME=VALUE"),
        (["build", SCRIPT, "--set", "pipe=20", "--set", "pipe=21"], 2, "gives pipe twice"),
        (["build", SCRIPT, "--as", "dwg"], 2, '"dwg" is no format'),
        (["build", SCRIPT, "--set", "rise=25"], 2, "the bore cuts through the foot"),
        (["build", "nowhere.py"], 2, "nowhere.py: no such script"),
        (["build", f"{SCRIPT}:other"], 2, 'no design "other"; there are pipe_saddle'),
        (["vary", SCRIPT, "nowhere.csv"], 2, "nowhere.csv: cannot be read"),
        (["check", "nowhere.stl"], 2, "nowhere.stl: no such file"),
        (["check", "part.step"], 2, "part.step: no such file"),
        (["picture", SCRIPT, "-o", "x.jpg"], 2, "a picture is a .png file"),
        (["picture", SCRIPT, "-o", "x.png", "--sketch", "q"], 2, 'no sketch "q"; there are profile'),
        (["picture", SCRIPT, "-o", "x.png", "--size", "big"], 2, "write 1280x800"),
        (["build"], 2, "Missing argument"),
        (["frobnicate"], 2, "No such command"),
    ],
)
def test_mistakes_are_one_line_and_an_exit_code(lathwick, tmp_path, monkeypatch, arguments, code, message):
    """No traceback; the code tells a wrong call from failed work; nothing is written."""
    monkeypatch.chdir(tmp_path)
    answer = lathwick(*arguments)
    assert answer.code == code
    assert message in answer.err
    assert "Traceback" not in answer.err + answer.out
    assert [p for p in tmp_path.rglob("*") if p.is_file()] == []


@pytest.mark.parametrize(
    ("body", "code", "message"),
    [
        ("import lathwick as lw\nx = 1/0\n", 2, "s.py, line 2: ZeroDivisionError: division by zero"),
        ("import lathwick as lw\ndef f(:\n", 2, "s.py, line 2: SyntaxError"),
        ("import lathwick as lw\n", 2, "no design; decorate a function"),
        (
            "import lathwick as lw\n@lw.design()\ndef f(job):\n    return undefined\n",
            1,
            "NameError in the script, s.py line 4",
        ),
        (
            "import lathwick as lw\n@lw.design()\ndef f(job):\n    sk = job.sketch('a')\n"
            "    sk.line((0, 0), (1, 0))\n    return job.extrude('b', sk, 1)\n",
            1,
            'step "b": the profile is open: line1 ends free at (0, 0)',
        ),
        (
            "import lathwick as lw\n@lw.design()\ndef f(job):\n\n    b = job.box('b', 1, 2, 3)\n"
            "    b.face('tip')\n",
            1,
            "(s.py line 6)",
        ),
        (
            "import lathwick as lw\n@lw.design()\ndef f(job):\n    job.sketch('a').rect(3, 4)\n",
            1,
            "no attribute 'rect'; there is rectangle",
        ),
    ],
)
def test_mistakes_in_a_script_are_told_with_their_line(lathwick, tmp_path, body, code, message):
    """Python mistakes and modelling mistakes alike are one line."""
    script = tmp_path / "s.py"
    script.write_text(body)
    answer = lathwick("build", script, "--out", tmp_path)
    assert (answer.code, message in answer.err) == (code, True), answer.err
    assert "Traceback" not in answer.err


@pytest.mark.parametrize(
    ("constrain", "words"),
    [
        ("pass", "drawn, no constraints"),
        ("sk.radius(ring, 5)", "2 degrees of freedom left in ring"),
        (
            "sk.radius(ring, 5, name='a'); sk.radius(ring, 6, name='b')",
            "a = 5 and b = 6 cannot hold together; b was given last, 5 would do",
        ),
    ],
)
def test_build_tells_the_state_of_every_sketch(lathwick, tmp_path, constrain, words):
    """Also of one that nothing is built on."""
    script = tmp_path / "s.py"
    script.write_text(
        "import lathwick as lw\n@lw.design()\ndef pin(job):\n    sk = job.sketch('aside')\n"
        f"    ring = sk.circle((1, 1), 5, name='ring')\n    {constrain}\n"
        "    plan = job.sketch('plan')\n    plan.circle((0, 0), 3)\n    return job.extrude('pin', plan, 2)\n"
    )
    answer = lathwick("build", script, "--out", tmp_path, "--as", "stl")
    assert answer.code == 0, answer.err
    assert words in answer.out


def test_every_public_name_is_there_and_typed():
    """The lazy names, the typed names and `__all__` agree, whatever is imported first."""
    source = (ROOT / "src" / "lathwick" / "__init__.py").read_text()
    for name in lw.__all__:
        assert f"import {name} as {name}" in source
        assert getattr(lw, name) is not None
    order = "import lathwick as lw; lw.vary; lw.Sketch; print(callable(lw.design), callable(lw.extrude))"
    run = subprocess.run([sys.executable, "-c", order], capture_output=True, text=True, check=True)
    assert run.stdout.strip() == "True True"
    assert lw.__version__ == importlib.metadata.version("lathwick")
    with pytest.raises(AttributeError, match="no attribute 'nothing'"):
        lw.nothing  # noqa: B018


def test_no_module_reaches_itself():
    """By whatever imports, at the top or inside a function, of geometry, topology and sketch."""
    import ast

    package, needs = ROOT / "src" / "lathwick", {}
    for path in (p for folder in ("geometry", "topology", "sketch") for p in (package / folder).glob("*.py")):
        name, found = f"{path.parent.name}.{path.stem}", set()
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.ImportFrom) and node.level == 1 and node.module:
                found.add(f"{path.parent.name}.{node.module}")
        needs[name] = found
    while needs:
        free = {name for name, found in needs.items() if not found & needs.keys()}
        assert free, f"a ring among {sorted(needs)}"
        needs = {name: found for name, found in needs.items() if name not in free}


def test_layers_import_downwards_only():
    """Each folder imports only from those above it in the list of layers."""
    import ast

    layers = [
        "geometry",
        "topology",
        "sketch",
        "modelling",
        "mesh",
        "exchange",
        "view",
        "family",
        "page",
        "cli",
    ]
    package = ROOT / "src" / "lathwick"
    for path in package.rglob("*.py"):
        parts = path.relative_to(package).parts
        if parts[0] not in layers:
            continue
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.ImportFrom) and node.level:
                base = [*parts[:-1]][: len(parts) - node.level]
                target = [*base, *(node.module or "").split(".")][0]
                if target in layers:
                    assert layers.index(target) <= layers.index(parts[0]), (path, target)


def test_check_tells_of_edges_and_faces_that_are_very_small(lathwick, tmp_path):
    """A step of 0.002 in a block of 40: two narrow faces and short edges, with their place."""
    block = lw.union(lw.box(40, 30, 20), lw.box(20, 30, 20.002))
    lw.save(block, tmp_path / "step.step")
    lw.save(lw.box(4, 3, 2), tmp_path / "plain.step")
    told = lathwick("check", tmp_path / "step.step").out
    assert "2 edges shorter than 0.0054 mm" in told and "1 face narrower" in told
    assert "shorter" not in lathwick("check", tmp_path / "plain.step").out


def test_check_tells_which_bodies_touch_or_are_in_each_other(lathwick, tmp_path):
    """A pin in a sleeve of its own diameter touches it; a washer that is too small is cut into by the pin."""
    pin = lw.cylinder(5, 40)
    sleeve = lw.cut(lw.cylinder(8, 20), lw.cylinder(5, 20))
    washer = lw.move(lw.cut(lw.cylinder(9, 2), lw.cylinder(4, 2)), dz=30)
    far = lw.move(lw.box(1, 1, 1), dx=50)
    part = lw.Part({"pin": pin, "sleeve": sleeve, "washer": washer, "far": far})
    part.save(tmp_path / "set.step")
    told = lathwick("check", tmp_path / "set.step").out
    assert '"pin" and "sleeve" touch, at (' in told
    assert f'"pin" and "washer" share {3.141592653589793 * (25 - 16) * 2:.6g} mm' in told
    assert "far" not in told.partition("valid")[2]


def test_a_script_is_run_as_it_stands(lathwick, tmp_path, monkeypatch):
    """Also where it was saved twice in a second, at the same length, and bytecode is kept."""
    monkeypatch.setattr(sys, "dont_write_bytecode", False)
    script = tmp_path / "block.py"
    text = "import lathwick as lw\n@lw.design\ndef block(job):\n    return job.box('b', 2, 3, 4)\n"
    for number, volume in (("2", 24), ("5", 60)):
        script.write_text(text.replace("'b', 2", f"'b', {number}"))
        os.utime(script, (1.7e9, 1.7e9))
        assert f"{volume} mm³" in lathwick("measure", script).out
