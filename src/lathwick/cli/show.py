"""What the commands print: tables a person enjoys reading."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from rich import box
from rich.console import Console
from rich.markup import escape
from rich.table import Table

from ..errors import ModellingError
from ..family.parameters import REQUIRED, Parameter, Value

if TYPE_CHECKING:
    from ..family.design import Design
    from ..family.part import Part
    from ..family.steps import Step
    from ..family.variants import Variant, VariantRun
    from ..mesh.mesh import Mesh
    from ..topology.body import Body, BodyEdge, BodyFace

MOST_ROWS = 40
TINY = 1e-4
"""Edges and faces smaller than this share of the body are told of."""

console = Console(highlight=False)


def heading(text: str, detail: str = "") -> None:
    console.print(f"\n[bold]{escape(text)}[/]  [dim]{escape(detail)}[/]")


def table_of(*columns: str, right: Iterable[str] = ()) -> Table:
    table = Table(box=box.SIMPLE_HEAD, show_edge=False, pad_edge=True, header_style="bold")
    for column in columns:
        justify: Any = "right" if column in right else "left"
        table.add_column(column, justify=justify, overflow="fold")
    return table


def number(value: float | None, unit: str = "") -> str:
    """Seven digits at most, with the unit; a dash for nothing."""
    if value is None:
        return "–"
    return f"{value:.7g}{' ' + unit if unit else ''}"


def shown(value: Any, unit: str = "") -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, (int, float)):
        return number(value, unit)
    return escape(str(value))


# ---------------------------------------------------------------------- parameters


def show_parameters(design: Design) -> None:
    """One line a parameter; the value is what the defaults give."""
    heading(design.name, f"{len(design.parameters)} parameters, unit {design.unit}")
    if design.__doc__:
        console.print(f"[dim]{escape(design.__doc__.strip().splitlines()[0])}[/]")
    required = [p for p in design.parameters if p.is_required]
    values = {} if required else design.check()
    table = table_of("parameter", "kind", "default", "value", "allowed", "note", right=("value",))
    for p in design.parameters:
        default = "required" if p.default is REQUIRED else shown(p.default, _entry(p))
        value = shown(values[p.name], p.unit) if p.name in values else "–"
        table.add_row(f"[bold]{p.name}[/]", p.kind, default, value, allowed(p), escape(p.note))
    console.print(table)


def _entry(p: Parameter) -> str:
    return p.entry_unit if isinstance(p.default, (int, float)) and not isinstance(p.default, bool) else ""


def allowed(p: Parameter) -> str:
    """The limits or choices of a parameter in words."""
    if p.choices:
        return ", ".join(shown(choice) for choice in p.choices)
    if p.low is not None and p.high is not None:
        return f"{number(p.low)} … {number(p.high)}"
    if p.low is not None:
        return f"≥ {number(p.low)}"
    return "" if p.high is None else f"≤ {number(p.high)}"


# ---------------------------------------------------------------------- a part


def show_values(design: Design, values: Mapping[str, Value], given: Mapping[str, Any]) -> None:
    """The parameters of a part and where each value came from."""
    table = table_of("parameter", "value", "from", right=("value",))
    for p in design.parameters:
        raw = given.get(p.name)
        if raw is not None:
            source = "[magenta]set[/]" + (f" {escape(str(raw))}" if _is_formula(raw) else "")
        else:
            source = escape(str(p.default)) if _is_formula(p.default) else "[dim]default[/]"
        table.add_row(f"[bold]{p.name}[/]", shown(values[p.name], p.unit), source)
    console.print(table)


def _is_formula(raw: Any) -> bool:
    return isinstance(raw, str) and raw.lstrip().startswith("=")


def show_steps(steps: Sequence[Step]) -> None:
    if not steps:  # of a file
        return
    console.print()
    table = table_of("step", "what", "result", "time", right=("time",))
    for step in steps:
        table.add_row(
            f"[bold]{escape(step.name)}[/]", f"{step.verb} {escape(step.detail)}", _result(step), _time(step)
        )
        for warning in step.warnings:
            table.add_row("", "", f"[yellow]warning: {escape(warning)}[/]", "")
    console.print(table)


def show_messages(part: Part) -> None:
    """What the design told that is of no step, notes last."""
    told = [message for message in part.messages if not message.step]
    for message in sorted(told, key=lambda m: m.kind == "note"):
        color = "dim" if message.kind == "note" else "yellow"
        console.print(f"  [{color}]{message.kind}[/] {escape(str(message))}")


def _result(step: Step) -> str:
    if step.sketch is not None:
        report = step.sketch.solve()
        if not step.sketch.constraints:
            return "drawn, no constraints"
        color = "green" if report.is_fully_defined else "yellow" if report.is_solved else "red"
        return f"[{color}]{escape(str(report))}[/]"
    if step.body is not None:
        return f"{len(step.body.brep_faces)} faces, {number(step.body.volume)} {step.body.unit}³"
    return ""


def _time(step: Step) -> str:
    return f"{1000 * step.seconds:.1f} ms" if step.seconds else ""


def show_measures(part: Part) -> None:
    """Volume, area, mass, size and center of a part."""
    low, high = part.bounds
    table = table_of("measure", "value")
    table.show_header = False
    console.print()
    unit = part.unit
    table.add_row("volume", number(part.volume, unit + "³"))
    table.add_row("area", number(part.area, unit + "²"))
    if part.mass_text:
        materials = dict.fromkeys(p.material.name for p in part.leaves().values() if p.material)
        table.add_row("mass", f"{part.mass_text}  [dim]{escape(', '.join(materials))}[/]")
    spans = " × ".join(number(b - a) for a, b in zip(low, high, strict=True))
    table.add_row("size", f"{spans} {unit}")
    table.add_row("center", ", ".join(number(_tidy(c, part.body)) for c in part.centroid) + f" {unit}")
    body = part.body
    count = f"{len(body.brep_faces)} faces, {len(body.edges())} edges, {len(body.vertices())} vertices"
    table.add_row("made of", count if body.lumps == 1 else f"{count}, {body.lumps} lumps")
    console.print(table)
    if part.bodies:
        _show_bodies(part)


def _show_bodies(part: Part) -> None:
    """One line a body of a part of several."""
    numbers = (f"volume {part.unit}³", f"mass {part.mass_unit}".rstrip(), "faces")
    table = table_of("body", "material", *numbers, right=numbers)
    for name, leaf in part.leaves().items():
        material = escape(leaf.material.name) if leaf.material else "–"
        mass = "–" if leaf.mass is None else f"{leaf.mass:.4g}"
        table.add_row(
            f"[bold]{escape(name)}[/]", material, number(leaf.volume), mass, str(len(leaf.body.brep_faces))
        )
    console.print(table)


def _tidy(value: float, body: Body) -> float:
    """Zero for what is only rounding, so that a centered part shows 0."""
    low, high = body.bounds
    size = max(b - a for a, b in zip(low, high, strict=True))
    return 0.0 if abs(value) < 1e-12 * size else value


def _kind_of(item: BodyFace | BodyEdge) -> str:
    """The kind, and the radius of what has one."""
    try:
        return f"{item.kind} R {number(item.radius)}"
    except ModellingError:
        return item.kind


def show_faces(body: Body) -> None:
    table = table_of("face", "kind", f"area {body.unit}²", "edges", right=(f"area {body.unit}²", "edges"))
    for face in body.faces():
        kind = _kind_of(face)
        table.add_row(escape(", ".join(face.names)), kind, number(face.area), str(len(face.edges())))
    console.print(table)


def show_edges(body: Body) -> None:
    table = table_of("between", "kind", f"length {body.unit}", "corner", right=(f"length {body.unit}",))
    for edge in body.edges():
        names = " – ".join(face.names[0] if face.names else "?" for face in edge.faces)
        kind = _kind_of(edge)
        corner = {True: "convex", False: "concave", None: "smooth"}[edge.is_convex]
        table.add_row(escape(names), kind, number(edge.length), corner)
    console.print(table)


def show_mesh(mesh: Mesh, name: str) -> None:
    unit = mesh.unit or "units"
    heading(name, f"mesh, unit {mesh.unit or 'not stated'}")
    low, high = mesh.bounds
    table = table_of("measure", "value")
    table.show_header = False
    table.add_row("triangles", f"{len(mesh.triangles):,}")
    table.add_row("volume", number(mesh.volume, unit + "³"))
    table.add_row("area", number(mesh.area, unit + "²"))
    spans = " × ".join(number(b - a) for a, b in zip(low, high, strict=True))
    table.add_row("size", f"{spans} {unit}")
    closed = "[green]yes[/]" if mesh.is_watertight else f"[red]no, {mesh.open_edges} open edges[/]"
    table.add_row("watertight", closed)
    console.print(table)


def show_written(paths: Iterable[Path]) -> None:
    console.print()
    for path in paths:
        console.print(f"  wrote [bold]{escape(str(path))}[/]  [dim]{size_text(path.stat().st_size)}[/]")


def size_text(size: int) -> str:
    return (
        f"{size} bytes" if size < 1000 else f"{size / 1000:.1f} kB" if size < 1e6 else f"{size / 1e6:.1f} MB"
    )


# ---------------------------------------------------------------------- variants


def show_run(run: VariantRun, unit: str) -> None:
    """One line a variant (the first ones of a long table), then what failed and why."""
    mass_unit = next((v.mass_unit for v in run.variants if v.mass_unit), "")
    numbers = (f"volume {unit}³", f"mass {mass_unit}".rstrip(), "time")
    table = table_of("variant", *numbers, "status", right=numbers)
    for v in run.variants[:MOST_ROWS]:
        table.add_row(
            f"[bold]{escape(v.name)}[/]", number(v.volume), _mass(v), f"{v.seconds:.2f} s", _status(v)
        )
    console.print(table)
    if len(run.variants) > MOST_ROWS:
        console.print(f"  [dim]and {len(run.variants) - MOST_ROWS} more, all in variants.csv[/]")
    if run.failed:
        console.print()
    for v in run.failed[:MOST_ROWS]:
        console.print(f"  [red]failed[/] [bold]{escape(v.name)}[/]: {escape(v.message)}")
    if len(run.failed) > MOST_ROWS:
        console.print(f"  [dim]and {len(run.failed) - MOST_ROWS} more failed, all in variants.csv[/]")


def _mass(v: Variant) -> str:
    return "–" if v.mass is None else f"{v.mass:.4g}"


def _status(v: Variant) -> str:
    if v.status == "failed":
        return "[red]failed[/]"
    if v.status != "done":
        return f"[yellow]{v.status}[/]"
    done = "[green]kept[/]" if v.kept else "[green]done[/]"
    return f"{done} [yellow]{escape(v.message)}[/]" if v.message else done


def show_parts_list(part: Part) -> None:
    """One line for every body, or for several alike."""
    table = table_of("part", "count", "material", "mass", "of all", right=("count", "mass", "of all"))
    for name, count, material, one, whole in part.parts_list().itertuples(index=False):
        masses = [number(None if x is None or x != x else x, part.mass_unit) for x in (one, whole)]
        table.add_row(f"[bold]{escape(name)}[/]", str(count), escape(material), *masses)
    console.print(table)


def show_small(body: Body) -> None:
    """Edges and faces so small that another program may lose them, with where the first of each lies."""
    reach = math.dist(*body.bounds)
    for what, how, found in (
        ("edge", "shorter", [edge for edge in body.edges() if edge.length < TINY * reach]),
        ("face", "narrower", [face for face in body.faces() if face.area < TINY * reach * _rim(face)]),
    ):
        if found:
            place = ", ".join(f"{c:.4g}" for c in found[0].center)
            size = f"{TINY * reach:.2g} {body.unit}"
            many = what if len(found) == 1 else f"{what}s"
            console.print(f"  [yellow]{len(found)} {many} {how} than {size}[/], the first near ({place})")


def _rim(face: BodyFace) -> float:
    return sum(edge.length for edge in face.edges()) / 2.0
