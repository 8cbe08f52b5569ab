"""What the commands do: one call of the library each, then print what came of it."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from rich.markup import escape

from ..errors import ParameterError
from ..family.design import Design
from ..family.files import MESH_SUFFIXES, STEP_SUFFIXES, read_mesh, read_step, save, save_each
from ..family.part import Part
from ..family.presets import Presets
from ..family.script import load_design
from ..family.tables import name_problem
from ..family.telling import meetings, touches
from ..family.variants import (
    TABLE_FILE,
    RunNotWritten,
    RunStopped,
    Variant,
    VariantRun,
    checked_formats,
    made_folder,
    vary,
)
from .show import (
    console,
    heading,
    show_edges,
    show_faces,
    show_measures,
    show_mesh,
    show_messages,
    show_parts_list,
    show_run,
    show_small,
    show_steps,
    show_values,
    show_written,
)
from .watching import Watch


def build_part(
    script: str,
    settings: Mapping[str, Any],
    out: Path,
    formats: Sequence[str],
    mesh_options: Mapping[str, Any],
    each: bool = False,
    name: str | None = None,
    preset: str | None = None,
    until: str | None = None,
    as_zip: bool = False,
) -> int:
    """Build, show and save one part, its bodies together or each apart; returns the exit code."""
    suffixes = checked_formats(formats)
    design = load_design(script)
    if name is not None and (problem := name_problem(name)):
        raise ParameterError(f"--name: {problem}")
    settings = with_preset(design, preset, settings)
    part = design.built(design.check(settings), Watch(), until)
    name = preset if name is None else name
    if name is not None and (problem := name_problem(name)):
        raise ParameterError(f"the preset's name is no file's: {problem}; give another with --name")
    if problem := name_problem(part.name):
        raise ParameterError(f"the part's name: {problem}; give another with --name")
    part = part if name is None else part.called(name)
    heading(part.name, f"unit {part.unit}")
    show_values(design, part.params, settings)
    show_steps(part.steps)
    show_messages(part)
    show_measures(part)
    if as_zip:
        archive = made_folder(out) / f"{part.name}.zip"
        save(part, archive, formats=suffixes, each=each, **mesh_options)
        show_written([archive])
    else:
        show_written(_saved(part, out, suffixes, mesh_options, each))
    if "stl" in suffixes and part.bodies and not each:
        _show_shells(part)
    return 0


def _show_shells(part: Part) -> None:
    """What a receiver of one STL of several bodies needs to know: of those that touch, as information."""
    met = touches(part)
    if met:
        more = f" (and {len(met) - 1} more pairs; lathwick check lists them)" if len(met) > 1 else ""
        text = f"in the STL each body is a shell of its own: {met[0]}{more}; --each parts them"
        console.print(f"  [dim]{escape(text)}[/]", soft_wrap=True)


def with_preset(design: Design, preset: str | None, settings: Mapping[str, Any]) -> dict[str, Any]:
    """The values of a preset, and over them those that were set."""
    return {**({} if preset is None else design.presets[preset]), **settings}


def built(design: Design, settings: Mapping[str, Any]) -> Part:
    """The part, while what takes long is told."""
    return design.built(design.check(settings), Watch())


def _saved(
    part: Part, out: Path, suffixes: Sequence[str], mesh_options: Mapping[str, Any], each: bool
) -> list[Path]:
    made_folder(out)
    paths: list[Path] = []
    for suffix in suffixes:
        path = out / f"{part.name}.{suffix}"
        options = mesh_options if f".{suffix}" in MESH_SUFFIXES else {}
        if each and part.bodies:
            paths += save_each(part, path, **options)
        else:
            save(part, path, **options)
            paths.append(path)
    return paths


@dataclass(frozen=True, slots=True)
class Drawn:
    """Files that show all variants of a run: a sheet of pictures, a plate of meshes."""

    sheet: Path | None = None
    plate: Path | None = None


def run_variants(
    design: Design,
    table: Path | Presets,
    out: Path,
    formats: Sequence[str],
    options: Mapping[str, Any],
    drawn: Drawn = Drawn(),
) -> int:
    """Build every row of `table`, with a progress bar, and show what came of it; returns the exit code.

    options : further arguments of `vary`.
    """
    suffixes = checked_formats(formats)
    try:
        with _progress() as (expected, tick):
            run = vary(design, table, out, suffixes, progress=tick, expected=expected, **options)
    except RunStopped as stopped:
        _show_result(design, table, out, stopped.run)
        done = sum(v.status == "done" for v in stopped.run.variants)
        console.print(f"  [yellow]stopped[/] with {done} of {len(stopped.run.variants)} variants done; "
                      "the same command goes on from here")  # fmt: skip
        return 130
    except RunNotWritten as error:
        show_run(error.run, design.unit)
        raise
    _show_result(design, table, out, run)
    for path, write in ((drawn.sheet, run.sheet), (drawn.plate, run.plate)):
        if path is not None:
            made_folder(path.parent)
            write(path)
            show_written([path])
    return 1 if run.failed else 0


def _show_result(design: Design, table: Path | Presets, out: Path, run: VariantRun) -> None:
    heading(design.name, f"{len(run.variants)} variants from {_name_of(table)}, unit {design.unit}")
    show_run(run, design.unit)
    files = sum(len(v.files) for v in run.variants if not v.kept)
    kept = sum(v.kept for v in run.variants)
    console.print(f"\n  wrote {files} files and [bold]{TABLE_FILE}[/] to [bold]{escape(str(out))}[/]")
    if kept:
        console.print(f"  kept {kept} variants of an earlier run, unchanged (--fresh builds them again)")
    if run.failed:
        console.print(f"  [red]{len(run.failed)} of {len(run.variants)} variants failed[/]")


def _name_of(table: Path | Presets) -> str:
    return table.path.name if isinstance(table, Presets) else table.name


Ticks = tuple[Callable[[int], None], Callable[[Variant], None]]


@contextmanager
def _progress() -> Iterator[Ticks]:
    """A progress bar that is drawn again after variants, ten times a second at most: what tells it how many
    there are, and what tells it of each. What a script printed stands above it.

    It has no thread of its own, so that worker processes can be forked."""
    from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

    columns = (
        TextColumn("building"),
        BarColumn(),
        MofNCompleteColumn(),
        TimeRemainingColumn(),
        TextColumn("{task.description}", markup=False),
    )
    with Progress(*columns, console=console, auto_refresh=False, transient=True) as bar:
        task = bar.add_task("", total=None)
        drawn = [0.0]

        def tick(variant: Variant) -> None:
            for line in variant.printed.splitlines():
                bar.console.print(f"{variant.name}: {line}", markup=False)
            now = time.monotonic()
            bar.update(task, advance=1, description=variant.name, refresh=now - drawn[0] > 0.1)
            drawn[0] = now if now - drawn[0] > 0.1 else drawn[0]

        yield lambda total: bar.update(task, total=total), tick


def draw(
    target: str,
    settings: Mapping[str, Any],
    output: Path,
    sketch: str | None,
    preset: str | None,
    options: Mapping[str, Any],
) -> None:
    """Write a picture of a part, of one of its sketches, or of what is in a file."""
    if output.suffix.lower() in (".svg", ".pdf") and options["view"] == "three":
        options = {name: value for name, value in options.items() if name != "view"}
    elif output.suffix.lower() != ".png":
        raise ParameterError(f"{output.name}: a picture is a .png file, three views a .svg or .pdf too")
    made_folder(output.parent)
    if _is_file(target, settings, MESH_SUFFIXES):
        save(read_mesh(target), output, **options)
        show_written([output])
        return
    part = part_of(target, settings, preset)
    if sketch is None:
        save(part, output, **options)
    else:
        sketches = {step.name: step.sketch for step in part.steps if step.sketch is not None}
        if sketch not in sketches:
            raise ParameterError(f'there is no sketch "{sketch}"; there are {", ".join(sketches) or "none"}')
        save(sketches[sketch], output, **{k: v for k, v in options.items() if k == "size"})
    show_written([output])


def measure_target(
    target: str, settings: Mapping[str, Any], faces: bool, edges: bool, parts: bool = False
) -> None:
    """Measure the mesh in a file, or the part in a STEP file or of a script."""
    if _is_file(target, settings, MESH_SUFFIXES):
        show_mesh(read_mesh(target), Path(target).name)
        return
    part = part_of(target, settings)
    heading(part.name, f"unit {part.unit}")
    show_messages(part)
    show_measures(part)
    if faces:
        show_faces(part.body)
    if edges:
        show_edges(part.body)
    if parts:
        show_parts_list(part)


def check_target(target: str, settings: Mapping[str, Any]) -> int:
    """Check a mesh or a part; returns the exit code."""
    if _is_file(target, settings, MESH_SUFFIXES):
        mesh = read_mesh(target)
        show_mesh(mesh, Path(target).name)
        sound = mesh.is_watertight and mesh.volume > 0
        console.print("  [green]sound[/]" if sound else "  [red]not sound[/]: it does not bound a solid")
        return 0 if sound else 1
    part = part_of(target, settings)
    heading(part.name, f"unit {part.unit}")
    show_messages(part)
    show_steps(part.steps)
    problems = part.body.check()
    for problem in problems:
        console.print(f"  [red]{problem.code}[/] {problem}")
    if not problems:
        console.print("  [green]valid[/]: closed, the right way round, every edge shared by two faces")
    show_small(part.body)
    for text in meetings(part) if part.bodies else ():
        console.print(f"  [dim]{escape(text)}[/]", soft_wrap=True)
    return 1 if problems else 0


def part_of(target: str, settings: Mapping[str, Any], preset: str | None = None) -> Part:
    """The part in a STEP file, or of a script."""
    if _is_file(target, settings, STEP_SUFFIXES):
        return read_step(target)
    design = load_design(target)
    return built(design, with_preset(design, preset, settings))


def _is_file(target: str, settings: Mapping[str, Any], suffixes: Sequence[str]) -> bool:
    """Whether the target is a file of these kinds rather than a script."""
    if Path(target).suffix.lower() not in suffixes:
        return False
    if settings:
        raise ParameterError(f"{target}: --set goes with a script, not with a file")
    if not Path(target).is_file():
        raise ParameterError(f"{target}: no such file")
    return True
