"""`lathwick demo`: a first part, its sizes, and what to try next."""

from __future__ import annotations

import ast
import importlib.util
import shutil
import sys
from difflib import get_close_matches
from importlib.resources import files
from pathlib import Path

from rich.markup import escape

from ..errors import ParameterError
from ..family.files import save
from ..family.presets import SUFFIX
from ..family.script import load_design
from .show import console, heading, show_measures, show_messages, show_steps, show_written, table_of
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


def list_examples() -> None:
    """The examples of the kit, each with its first sentence."""
    heading("examples", "lathwick demo NAME copies one, and builds it")
    table = table_of("name", "what it shows")
    for name in sorted(examples()):
        table.add_row(f"[bold]{name}[/]", escape(_about(name)))
    console.print(table)


def examples() -> dict[str, Path]:
    """The scripts of the kit by name: those of the installed package, or of the source beside it."""
    kit = _kit()
    return {path.stem: path for path in kit.glob("*.py")} if kit.is_dir() else {}


def _kit() -> Path:
    package = Path(__file__).parents[1]
    installed = package / "demo" / "kit"
    return installed if installed.is_dir() else package.parents[1] / "examples"


def _about(name: str) -> str:
    text = ast.get_docstring(ast.parse(examples()[name].read_text(encoding="utf-8"))) or ""
    return " ".join(text.partition("\n\n")[2].split("\n\n")[0].split())  # what follows the title


def run_example(name: str, out: Path) -> int:
    """Copy an example with what it needs, build and draw it, and its table; returns the exit code."""
    known = examples()
    if name not in known:
        near = get_close_matches(name, known, n=1)
        meant = f'; is "{near[0]}" meant?' if near else ""
        raise ParameterError(f'there is no example "{name}"{meant} lathwick demo --list shows all')
    out.mkdir(parents=True, exist_ok=True)
    for file in sorted(_needed(name)):
        _copy_file((_kit() / file).read_bytes(), out / file)
    script = out / f"{name}.py"
    design = load_design(str(script))
    part = design()
    heading(part.name, _about(name))
    show_steps(part.steps)
    show_messages(part)
    show_measures(part)
    written = [out / f"{part.name}.{suffix}" for suffix in ("step", "stl")]
    if _can_draw():
        written.append(out / f"{part.name}.png")
    for path in written:
        save(part, path)
    show_written([script, *written])
    if design.presets:
        presets = escape(", ".join(design.presets))
        console.print(
            f"  presets {presets}: [bold]lathwick vary {escape(str(script))} --presets[/]", highlight=False
        )
    table = out / f"{name}_sizes.csv"
    return run_variants(design, table, out / "sizes", ("step", "stl"), {}) if table.is_file() else 0


def _needed(name: str) -> set[str]:
    """The files of the kit that an example needs: it, what it imports and names, its table and presets."""
    found: set[str] = set()
    waiting = [name]
    while waiting:
        script = waiting.pop()
        found.add(f"{script}.py")
        tree = ast.parse(examples()[script].read_text(encoding="utf-8"))
        names = {a.name for node in ast.walk(tree) if isinstance(node, ast.Import) for a in node.names}
        texts = {n.value for n in ast.walk(tree) if isinstance(n, ast.Constant) and isinstance(n.value, str)}
        waiting += [n for n in names if n in examples() and f"{n}.py" not in found]
        files = {text for text in texts if text.endswith((".csv", ".step", ".toml"))}
        beside = (f"{script}_sizes.csv", f"{script}{SUFFIX}")
        found |= {file for file in (*files, *beside) if (_kit() / file).is_file()}
    return found


def _copy(name: str, target: Path) -> None:
    """Copy a file of the demo, but never over one that was changed."""
    _copy_file((files("lathwick.demo") / name).read_bytes(), target)


def _copy_file(data: bytes, target: Path) -> None:
    if target.exists() and target.read_bytes() != data:
        console.print(f"  kept your changed [bold]{target}[/]")
    elif not target.exists():
        target.write_bytes(data)


def _pictures(part: object, out: Path) -> list[Path]:
    if not _can_draw():
        console.print('  no pictures: they need  [bold]pip install "lathwick\\[pictures]"[/]')
        return []
    steps = getattr(part, "steps", ())
    sketches = [step.sketch for step in steps if step.sketch is not None]
    save(part, out / "saddle.png")
    save(sketches[0], out / "profile.png")
    return [out / "saddle.png", out / "profile.png"]


def _can_draw() -> bool:
    return all(importlib.util.find_spec(name) for name in ("matplotlib", "embreex"))


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
  {command} page {script}
  {command} demo --list
"""
    console.print(text, soft_wrap=True)
