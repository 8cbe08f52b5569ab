"""`lathwick demo`: a first part, its sizes, and what to try next."""

from __future__ import annotations

import importlib.util
import shutil
import sys
from importlib.resources import files
from pathlib import Path

from ..family.files import save
from ..family.script import load_design
from .show import console, heading, show_measures, show_steps, show_written
from .work import run_variants

SCRIPT, TABLE = "pipe_saddle.py", "pipe_saddle.csv"


def run_demo(out: Path) -> int:
    """Copy, build, vary and draw the demo part in `out`; returns the exit code."""
    out.mkdir(parents=True, exist_ok=True)
    for name in (SCRIPT, TABLE):
        _copy(name, out / name)
    design = load_design(str(out / SCRIPT))
    part = design()
    heading("pipe saddle", "a plate that holds a gauging pipe to the wall of a stilling well")
    show_steps(part.steps)
    show_measures(part)
    written = [out / f"{part.name}.step", out / f"{part.name}.stl"]
    for path in written:
        save(part, path)
    written += _pictures(part, out)
    show_written(written)
    code = run_variants(design, out / TABLE, out / "sizes", ("step", "stl"), {})
    _say_next(out)
    return code


def _copy(name: str, target: Path) -> None:
    """Copy a file of the demo, but never over one that was changed."""
    data = (files("lathwick.demo") / name).read_bytes()
    if target.exists() and target.read_bytes() != data:
        console.print(f"  kept your changed [bold]{target}[/]")
    elif not target.exists():
        target.write_bytes(data)


def _pictures(part: object, out: Path) -> list[Path]:
    if not all(importlib.util.find_spec(name) for name in ("matplotlib", "embreex")):
        console.print('  no pictures: they need  [bold]pip install "lathwick\\[pictures]"[/]')
        return []
    steps = getattr(part, "steps", ())
    sketches = [step.sketch for step in steps if step.sketch is not None]
    save(part, out / "saddle.png")
    save(sketches[0], out / "profile.png")
    return [out / "saddle.png", out / "profile.png"]


def _say_next(out: Path) -> None:
    command = "lathwick" if shutil.which("lathwick") else sys.argv[0]
    script, table = out / SCRIPT, out / TABLE
    what = {
        out / "saddle.png": "the part",
        out / "profile.png": "its sketch, with every dimension",
        out / "sizes": "eight sizes as STEP and STL; variants.csv has their volume and mass",
        script: "the script: sizes and formulas on top, then the sketch, then the plate",
    }
    what = {path: text for path, text in what.items() if path.exists()}
    width = max(len(str(path)) for path in what)
    look = "\n".join(f"  {path!s:{width}}   {text}" for path, text in what.items())
    text = f"""
[bold]Look at[/]
{look}

[bold]Try next[/]
  {command} params {script}
  {command} build {script} --set pipe=76.1 --set "plate=5/8 in" --out {out}
  {command} measure {script} --faces
  {command} picture {script} --sketch profile -o {out / "profile.png"}
  {command} vary {script} {table} --out {out / "sizes"}
"""
    console.print(text, soft_wrap=True)
