"""The README's own example runs as it stands."""

import re
import subprocess
import sys

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
