"""The README's own example runs as it stands."""

import re
import shlex
import shutil
import subprocess
import sys

import lathwick as lw

from ..conftest import ROOT


def test_first_script_of_the_readme(tmp_path, outside_check):
    """The script builds, prints its measures and writes its three files."""
    text = (ROOT / "README.md").read_text(encoding="utf-8")
    script = tmp_path / "spacer.py"
    script.write_text(re.search(r"```python\n(import lathwick.*?)```", text, re.DOTALL)[1])
    run = subprocess.run([sys.executable, script], cwd=tmp_path, capture_output=True, text=True)
    assert run.returncode == 0, run.stderr
    volume, _, wall = map(float, run.stdout.split())
    assert abs(volume - (48 * 48 * 6 - 3.141592653589793 * 64 * 6)) < 1e-8
    assert abs(wall - 3.141592653589793 * 16 * 6) < 1e-9
    outside_check(tmp_path / "spacer.step")
    outside_check(tmp_path / "spacer.stl")
    assert (tmp_path / "spacer.png").stat().st_size > 10_000


def test_every_screenshot_is_linked():
    """No picture lies about that the README does not show."""
    text = (ROOT / "README.md").read_text(encoding="utf-8")
    pictures = sorted((ROOT / "docs" / "screenshots").glob("*.png"))
    assert 0 < len(pictures) < 20
    for picture in pictures:
        assert f"docs/screenshots/{picture.name}" in text


def test_the_other_snippets_of_the_readme_run():
    """On a sketch of the reader's."""
    text = (ROOT / "README.md").read_text(encoding="utf-8")
    _, *others = re.findall(r"```python\n(.*?)```", text, re.DOTALL)
    assert others
    plan = lw.Sketch()
    plan.rectangle(3, 4)
    for code in others:
        exec(compile(code, "README.md", "exec"), {"plan": plan})


def test_every_command_of_the_readme_runs(lathwick, tmp_path, monkeypatch):
    """Those of its table, on the demo; the page, which does not end, has tests of its own."""
    monkeypatch.chdir(tmp_path)
    assert lathwick("demo", "--out", ".").code == 0
    shutil.copy("pipe_saddle.py", "other.py")
    text = (ROOT / "README.md").read_text(encoding="utf-8")
    rows = re.findall(r"^\| (`lathwick .*?) \|", text, re.MULTILINE)
    commands = [c for row in rows for c in re.findall(r"`((?:lathwick|demo|build) .*?)`", row)]
    assert len(commands) > 12
    wanted = {
        "SCRIPT": "pipe_saddle.py",
        "TABLE": "pipe_saddle.csv",
        "DIR": "sizes",
        "FILE": "pipe_saddle.step",
        "A.py": "pipe_saddle.py",
        "B.py@PRESET": "other.py",
        "STEP": "saddle",
        "wall": "plate",
    }
    for command in commands:
        words = [wanted.get(word, word) for word in shlex.split(command.removeprefix("lathwick "))]
        if words[0] != "page":
            answer = lathwick(*(word.replace("wall=", "plate=") for word in words))
            assert answer.code == 0, f"{command}: {answer.err}"
