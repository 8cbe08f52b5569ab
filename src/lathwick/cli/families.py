"""What the commands about families of parts do: presets, limits, solving, steps, comparing."""

from __future__ import annotations

import math
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from rich.markup import escape
from rich.table import Table

from ..errors import ParameterError
from ..family.comparison import Comparison, compare
from ..family.files import MESH_SUFFIXES, STEP_SUFFIXES, read_mesh, read_step
from ..family.part import Part
from ..family.script import load_design
from ..family.variants import made_folder
from ..mesh.mesh import Mesh
from .show import console, heading, number, show_steps, show_written, table_of
from .work import built, with_preset


def show_presets(script: str) -> int:
    """List the presets of a script, each with its values, and what no longer fits; returns the exit code."""
    design = load_design(script)
    presets = design.presets
    heading(design.name, f"{len(presets)} presets in {presets.path.name}, unit {design.unit}")
    table = table_of("preset", "values", "state")
    bad = 0
    for name in presets:
        state = "[green]fits[/]"
        try:
            presets.values_of(name)
        except ParameterError as error:
            bad += 1
            state = f"[red]does not fit[/] {escape(error.message.partition(': ')[2])}"
        values = ", ".join(f"{key} = {value}" for key, value in presets[name].items())
        table.add_row(f"[bold]{escape(name)}[/]", escape(values), state)
    if len(presets):
        console.print(table)
    return 1 if bad else 0


def save_preset(script: str, name: str, settings: Mapping[str, Any]) -> None:
    presets = load_design(script).presets
    presets.save(name, {key: _plain(value) for key, value in settings.items()})
    console.print(f"  saved [bold]{escape(name)}[/] in [bold]{escape(str(presets.path))}[/]")


def _plain(text: str) -> str | float:
    """A number as such, so that the file reads well; any other text as it is."""
    try:
        value = float(text)
    except ValueError:
        return text
    return int(value) if value.is_integer() and abs(value) < 1e15 else value


def remove_preset(script: str, name: str) -> None:
    presets = load_design(script).presets
    presets.remove(name)
    console.print(f"  removed [bold]{escape(name)}[/] from [bold]{escape(str(presets.path))}[/]")


def show_limits(script: str, parameter: str, settings: Mapping[str, Any]) -> None:
    design = load_design(script)
    found = design.limits(parameter, **settings)
    unit = next(p.unit for p in design.parameters if p.name == parameter)
    heading(parameter, f"of {design.name}, the other parameters as they are")
    table = table_of("", "value", "what stops it there")
    for word, end, reason in (("from", found.low, found.below), ("to", found.high, found.above)):
        value = number(end, unit) if math.isfinite(end) else "any"
        table.add_row(word, value, escape(reason) or "[dim]nothing that was met[/]")
    console.print(table)


def show_solution(script: str, parameter: str, so_that: str, settings: Mapping[str, Any]) -> None:
    design = load_design(script)
    measure, equals, wanted = so_that.partition("=")
    if not equals or not measure.strip() or not wanted.strip():
        raise ParameterError(f'--so-that "{so_that}": write "mass=0.25 kg"')
    value = design.solve(parameter, {measure.strip(): wanted.strip()}, **settings)
    unit = next(p.unit for p in design.parameters if p.name == parameter)
    console.print(f"\n  [bold]{parameter}[/] = {value:.12g} {unit}  [dim]so that {escape(so_that)}[/]")


def list_steps(script: str, settings: Mapping[str, Any], output: Path | None) -> None:
    """The steps of a part with what each changed, and on request a strip of pictures."""
    part = built(load_design(script), settings)
    heading(part.name, f"{len(part.steps)} steps, unit {part.unit}")
    if output is None:
        show_steps(part.steps)
        return
    from ..family.sheets import draw_strip

    show_steps(part.steps)
    made_folder(output.parent)
    draw_strip(part, output)
    show_written([output])


def show_comparison(one: str, two: str, settings: Mapping[str, Any], output: Path | None = None) -> int:
    """What differs between two scripts, presets ("SCRIPT@PRESET") or both; returns the exit code."""
    a, b = _side(one, {}), _side(two, settings)
    found = compare(a, b)
    heading(f"{one} and {two}", "what differs, before and after")
    if found.is_same:
        console.print("  nothing differs")
    else:
        console.print(_differences(found))
    if output is not None:
        made_folder(output.parent)
        found.picture(output)
        show_written([output])
    return 0


def _differences(found: Comparison) -> Table:
    table = table_of("", "name", "before", "after", "change", right=("before", "after", "change"))
    groups = (("parameter", found.parameters), ("step", found.steps), ("measure", found.measures),
              ("face", found.faces))  # fmt: skip
    for kind, changes in groups:
        for name, (before, after) in changes.items():
            cells = [escape(_shown(x)) for x in (before, after)]
            table.add_row(f"[dim]{kind}[/]", f"[bold]{escape(name)}[/]", *cells, _change(before, after))
    return table


def _side(text: str, settings: Mapping[str, Any]) -> Part | Mesh:
    suffix = Path(text).suffix.lower()
    if suffix in STEP_SUFFIXES:
        return read_step(text)
    if suffix in MESH_SUFFIXES:
        return read_mesh(text)
    script, _, preset = text.partition("@")
    design = load_design(script)
    return built(design, with_preset(design, preset or None, settings))


def _shown(value: Any) -> str:
    return "–" if value is None else number(value) if isinstance(value, float) else str(value)


def _change(before: Any, after: Any) -> str:
    numbers = [isinstance(x, (int, float)) and not isinstance(x, bool) for x in (before, after)]
    if not all(numbers) or not before:
        return "[yellow]new[/]" if before is None else "[red]gone[/]" if after is None else ""
    return f"{100 * (after / before - 1):+.3g} %"
