"""What the tests share: the demo design, a command line in this process, and the outside checkers."""

from __future__ import annotations

import importlib
import os
import sys
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pytest

import lathwick as lw
from lathwick.cli.main import main
from lathwick.family.script import load_design

os.environ["COLUMNS"] = "160"  # so that tables are not folded
os.environ.pop("PYTHONDONTWRITEBYTECODE", None)  # else whatever a test starts compiles everything
ROOT = Path(__file__).parents[1]
DEMO = ROOT / "src" / "lathwick" / "demo"
CHECKERS = {
    ".step": ROOT.parent / "shared/tools/stepcheck/stepcheck.py",
    ".stl": ROOT.parent / "shared/tools/meshcheck/meshcheck.py",
}


@pytest.fixture(scope="session")
def saddle() -> lw.Design:
    """The design of the demo."""
    return load_design(str(DEMO / "pipe_saddle.py"))


@pytest.fixture
def outside_check() -> Callable[[Path], None]:
    """Runs the independent checker for a file, where this checkout has it beside it."""

    def check(path: Path) -> None:
        assert not faults(path)

    return check


def faults(path: Path) -> str:
    """What the independent checker for a file finds wrong; "" if nothing, or without the checker."""
    check = _checker(path.suffix)
    if check is None:
        return ""
    if path.suffix == ".stl":
        return "; ".join(check(path)["problems"])
    found = check(path)
    return "; ".join(str(finding) for finding in found.findings) if found.exit_code else ""


def area_outside(path: Path) -> float | None:
    """The area of all in a STEP file by the reader and the quadrature of the checker; None without it."""
    check = _checker(".step")
    return None if check is None else check(path).total["area_mm2"]


def _checker(suffix: str) -> Callable[[Path], Any] | None:
    checker = CHECKERS[suffix]
    if not checker.exists():
        return None
    if str(checker.parent) not in sys.path:
        sys.path.append(str(checker.parent))
    return importlib.import_module(checker.stem).check


def sound(body, folder, outside_check):
    """Valid, and clean for both outside checkers as STEP and as STL."""
    assert body.is_valid
    lw.save(body, folder / "part.step")
    outside_check(folder / "part.step")
    lw.save(body, folder / "part.stl", chord=0.05, angle=12)
    outside_check(folder / "part.stl")


def unsound(body: lw.Body, folder: Path) -> str:
    """What the outside checkers say of a body's files, or why one cannot be written; "" if nothing."""
    for name, options in (("made.step", {}), ("made.stl", {"chord": 0.05, "angle": 12})):
        try:
            lw.save(body, folder / name, **options)
        except lw.ModellingError as error:
            return f"not written as {name}: {error.message}"
        if found := faults(folder / name):
            return f"WRONG {name}: {found}"
    return ""


@dataclass(frozen=True)
class Answer:
    """What a command came back with."""

    code: int
    out: str
    err: str


@pytest.fixture
def lathwick(capsys: pytest.CaptureFixture[str]) -> Callable[..., Answer]:
    """Runs a command line in this process."""

    def run(*arguments: object) -> Answer:
        with pytest.raises(SystemExit) as stop:
            main([str(a) for a in arguments])
        captured = capsys.readouterr()
        return Answer(int(stop.value.code or 0), captured.out, captured.err)

    return run


SLOW_CASES = Path(__file__).with_name("slow_cases.txt")
"""Cases that go on for long, and every second one of long families: others stay in every run."""


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--slow", action="store_true", help="run the cases of tests/slow_cases.txt too")


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Leaves the slow cases to `make fuzz-slow`; those that one worker does alone come first."""
    items.sort(key=lambda item: item.get_closest_marker("xdist_group") is None)
    if config.getoption("--slow"):
        return
    slow = set(SLOW_CASES.read_text(encoding="utf-8").splitlines())
    left = [item for item in items if item.nodeid in slow]
    if left:
        items[:] = [item for item in items if item.nodeid not in slow]
        config.hook.pytest_deselected(items=left)


def pytest_terminal_summary(terminalreporter: Any) -> None:
    """Say in the last lines what was left out for want of a browser."""
    left = [r for r in terminalreporter.stats.get("skipped", []) if "no Chromium" in str(r.longrepr)]
    if left:
        terminalreporter.write_line(f"{len(left)} tests of the page were left out: there is no Chromium")
