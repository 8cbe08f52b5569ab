"""`lathwick`: the commands. Each imports what it needs when it runs, so that --help is quick."""

from __future__ import annotations

import signal
import sys
from collections.abc import Sequence
from contextlib import suppress
from pathlib import Path
from typing import Any, NoReturn

import click

from ..errors import LathwickError, ParameterError
from .streams import abandon, prepare

DONE, FAILED, WRONG = 0, 1, 2
HELP_SETTINGS = {"help_option_names": ["-h", "--help"], "max_content_width": 100}
FILE = click.Path(dir_okay=False, path_type=Path)


class _Png(click.Path):
    """A file to write a picture to."""

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        path: Any = super().convert(value, param, ctx)
        if path.suffix.lower() != ".png":
            self.fail(f"{path.name}: a picture is a .png file", param, ctx)
        return path


PNG = _Png(dir_okay=False, path_type=Path)
PLATE = click.Path(dir_okay=False, path_type=Path)
OUT = click.Path(file_okay=False, path_type=Path)
SETTINGS = click.option(
    "--set", "settings", metavar="NAME=VALUE", multiple=True, help="Set a parameter; may be repeated."
)


def _keep_steps(_: click.Context, __: click.Parameter, folder: Path | None) -> None:
    if folder is not None:
        from ..family.step_store import cache

        cache(folder)


CACHE = click.option(
    "--cache",
    metavar="FOLDER",
    type=click.Path(file_okay=False, path_type=Path),
    expose_value=False,
    callback=_keep_steps,
    help="Keep steps in this folder, and take those that have not changed from there.",
)


def mesh_options(command: Any) -> Any:
    """Options of STL files."""
    for option in (
        click.option("--stl-unit", help="STL: convert to this unit (mm, cm, m, in)."),
        click.option("--angle", type=float, help="STL: largest angle per chord, degrees."),
        click.option("--chord", type=float, help="STL: largest distance from the surface, design unit."),
    ):
        command = option(command)
    return command


class _Commands(click.Group):
    """Shows commands in the order in which a user meets them."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(self.commands)


@click.group(cls=_Commands, context_settings=HELP_SETTINGS)
@click.version_option(package_name="lathwick", prog_name="lathwick")
@click.option("--traceback", is_flag=True, help="Show where in the code an error came from.")
def cli(traceback: bool) -> None:
    """Parametric parts from scripts: build them, make every size in a table, look and measure.

    SCRIPT is a Python file with a design in it; where it has several, write FILE.py:DESIGN.
    Exit codes: 0 done, 1 the work failed, 2 the call or its data was wrong.
    """


@cli.command(short_help="Copy an example into a folder, build it and its sizes.")
@click.argument("name", required=False)
@click.option("--list", "is_list", is_flag=True, help="List the examples.")
@click.option("--out", default="lathwick-demo", show_default=True, type=OUT, help="Folder to work in.")
def demo(name: str | None, is_list: bool, out: Path) -> None:
    """Copy an example script and what it needs into a folder, build it, and run its table: the first one, or
    the one of this name."""
    from .demo import list_examples, run_demo, run_example

    if is_list:
        list_examples()
        return
    raise SystemExit(run_demo(out) if name is None else run_example(name, out))


@cli.command(short_help="List the parameters of a design.")
@click.argument("script")
def params(script: str) -> None:
    """List the parameters of a design: defaults, formulas, limits, notes."""
    from ..family.script import load_design
    from .show import show_parameters

    show_parameters(load_design(script))


@cli.command()
@click.argument("script")
@SETTINGS
@click.option("--out", default=".", show_default=True, type=OUT, help="Folder for the files.")
@CACHE
@click.option("--as", "formats", default="step,stl", show_default=True, help="Formats, with commas.")
@mesh_options
@click.option("--each", is_flag=True, help="A file for every body of a part that has several.")
@click.option("--zip", "as_zip", is_flag=True, help="All files in one, NAME.zip.")
@click.option("--name", help="Name of the files; by default that of the part, or of the preset.")
@click.option("--preset", help="Values of this preset; --set goes over them.")
@click.option("--until", metavar="STEP", help="Only as far as this step.")
def build(
    script: str,
    settings: Sequence[str],
    out: Path,
    formats: str,
    each: bool,
    as_zip: bool,
    name: str | None,
    preset: str | None,
    until: str | None,
    **mesh: Any,
) -> None:
    """Build a design and write it as STEP and STL."""
    from .work import build_part

    raise SystemExit(
        build_part(
            script, _pairs(settings), out, formats.split(","), _mesh(mesh), each, name, preset, until, as_zip
        )
    )


def _mesh(given: dict[str, Any]) -> dict[str, Any]:
    """The options of STL files that were given."""
    options = {"chord": given["chord"], "angle": given["angle"], "unit": given["stl_unit"]}
    return {key: value for key, value in options.items() if value is not None}


@cli.command(short_help="Build every row of a table.")
@click.argument("script")
@click.argument("table", type=click.Path(path_type=Path), required=False)
@click.option("--presets", is_flag=True, help="Build every preset instead of the rows of a table.")
@click.option("--out", default="variants", show_default=True, type=OUT, help="Folder for the files.")
@click.option("--workers", type=int, help="Number of processes; by default one per processor.")
@click.option("--as", "formats", default="step,stl", show_default=True, help="Formats, with commas.")
@click.option("--fresh", is_flag=True, help="Build variants again that an earlier run left unchanged.")
@click.option("--sheet", type=PNG, help="PNG with a picture of every variant, all at one scale.")
@click.option("--timeout", type=float, metavar="SECONDS", help="The longest that a row may take.")
@click.option("--cluster", metavar="ADDRESS", help="Build on the workers of this Dask scheduler.")
@click.option("--plate", type=PLATE, help="STL or 3MF with all variants side by side.")
@CACHE
@mesh_options
def vary(
    script: str,
    table: Path | None,
    presets: bool,
    out: Path,
    workers: int | None,
    formats: str,
    fresh: bool,
    timeout: float | None,
    cluster: str | None,
    plate: Path | None,
    sheet: Path | None,
    **mesh: Any,
) -> None:
    """Build every row of a table (CSV or XLSX), or every preset, and write the files and variants.csv."""
    from ..family.script import load_design
    from .work import Drawn, run_variants

    if (table is None) is not presets:
        raise ParameterError("vary takes a table or --presets, and only one of them")

    options = {"workers": workers, "resume": not fresh, "timeout": timeout, **_mesh(mesh)}
    design = load_design(script)
    rows = design.presets if table is None else table
    drawn = Drawn(sheet, plate)
    if cluster is None:
        raise SystemExit(run_variants(design, rows, out, formats.split(","), options, drawn))
    if workers is not None:
        raise ParameterError("vary takes --workers or --cluster, and only one of them")
    from ..family.executors import cluster as cluster_at

    with cluster_at(cluster) as executor:
        options["executor"] = executor
        raise SystemExit(run_variants(design, rows, out, formats.split(","), options, drawn))


@cli.command(short_help="List, save or remove presets.")
@click.argument("script")
@click.option("--save", metavar="NAME", help="Save the values that are --set under this name.")
@click.option("--remove", metavar="NAME", help="Remove the preset of this name.")
@SETTINGS
def presets(script: str, save: str | None, remove: str | None, settings: Sequence[str]) -> None:
    """List the presets of a design with what no longer fits, or save or remove one."""
    from .families import remove_preset, save_preset, show_presets

    if save is not None and remove is not None:
        raise ParameterError("presets takes --save or --remove, not both")
    if save is not None:
        save_preset(script, save, _pairs(settings))
    elif remove is not None:
        remove_preset(script, remove)
    else:
        raise SystemExit(show_presets(script))


@cli.command(short_help="Over which range does a parameter work?")
@click.argument("script")
@click.argument("parameter")
@SETTINGS
def limits(script: str, parameter: str, settings: Sequence[str]) -> None:
    """The range over which a parameter works, the others as they are, and what stops it at each end."""
    from .families import show_limits

    show_limits(script, parameter, _pairs(settings))


@cli.command(short_help="Which value of a parameter gives a measure?")
@click.argument("script")
@click.argument("parameter")
@click.option("--so-that", required=True, metavar="MEASURE=VALUE", help='As in "mass=0.25 kg".')
@SETTINGS
def solve(script: str, parameter: str, so_that: str, settings: Sequence[str]) -> None:
    """The value of a parameter at which volume, area, mass, width, depth, height or a note has a value."""
    from .families import show_solution

    show_solution(script, parameter, so_that, _pairs(settings))


@cli.command(short_help="How does the part come about?")
@click.argument("script")
@SETTINGS
@CACHE
@click.option("-o", "--output", type=PNG, help="PNG with a picture of every step.")
def steps(script: str, settings: Sequence[str], output: Path | None) -> None:
    """The steps of a design, each with its time, faces and volume, and on request in pictures."""
    from .families import list_steps

    list_steps(script, _pairs(settings), output)


@cli.command(short_help="What differs between two parts?")
@click.argument("before", metavar="SCRIPT[@PRESET]|FILE")
@click.argument("after", metavar="SCRIPT[@PRESET]|FILE")
@click.option(
    "--set", "settings", metavar="NAME=VALUE", multiple=True, help="Set a parameter of the second one."
)
@click.option("-o", "--output", type=PNG, help="PNG with both over each other.")
def compare(before: str, after: str, settings: Sequence[str], output: Path | None) -> None:
    """What differs between two scripts, presets or files: parameters, steps, measures, faces by name. Of a
    mesh the measures tell."""
    from .families import show_comparison

    raise SystemExit(show_comparison(before, after, _pairs(settings), output))


@cli.command(short_help="Draw the part or one of its sketches.")
@click.argument("script", metavar="SCRIPT|FILE")
@click.option("-o", "--output", required=True, type=FILE, help="File to write, .png.")
@SETTINGS
@click.option("--sketch", metavar="NAME", help="Draw this sketch instead of the part.")
@click.option("--preset", help="Values of this preset; --set goes over them.")
@click.option("--step", metavar="NAME", help="Draw the part as it was after this step.")
@click.option("--highlight", metavar="NAME", help="Show what this step made, and the rest transparent.")
@click.option(
    "--view",
    default="iso",
    show_default=True,
    help="iso front back right left top bottom; degrees around and up, as 30,20; a direction 1,-2,0.5; "
    "or three, for a sheet with three views and their sizes (PNG, SVG, PDF).",
)
@click.option("--section", metavar="x|y=12", help="Cut open across an axis: in the middle, or at a place.")
@click.option("--transparent", metavar="0.5|BODY,BODY", help="The opacity of all, or bodies to see through.")
@click.option("--explode", type=float, metavar="SHARE", help="Move bodies apart by this share.")
@click.option("--background", metavar="COLOR", help="Color behind the part.")
@click.option("--no-notes", is_flag=True, help="Leave out what the design notes.")
@click.option("--size", help="Width x height in pixels, 1280x800 by default.")
def picture(
    script: str,
    output: Path,
    settings: Sequence[str],
    sketch: str | None,
    preset: str | None,
    size: str | None,
    transparent: str | None,
    no_notes: bool,
    **looks: Any,
) -> None:
    """Draw a part, shaded with its edges, or one of its sketches with dimensions; or what is in a file (STEP,
    STL, OBJ, 3MF)."""
    from .work import draw

    options = {name: value for name, value in looks.items() if value is not None}
    if transparent is not None:
        options["transparent"] = _opacity(transparent)
    if no_notes:
        options["notes"] = False
    if size is not None:
        options["size"] = _pixels(size)
    draw(script, _pairs(settings), output, sketch, preset, options)


def _opacity(text: str) -> float | list[str]:
    try:
        return float(text)
    except ValueError:
        return [name.strip() for name in text.split(",")]


@cli.command(short_help="Measure a design, a STEP file or a mesh.")
@click.argument("target", metavar="FILE|SCRIPT")
@SETTINGS
@click.option("--faces", is_flag=True, help="List every face with its name, kind and area.")
@click.option("--edges", is_flag=True, help="List every edge with its kind, length and faces.")
@click.option("--parts", is_flag=True, help="List the bodies of an assembly: count, material, mass.")
def measure(target: str, settings: Sequence[str], faces: bool, edges: bool, parts: bool) -> None:
    """Measure a design, the part in a STEP file, or the mesh in an STL, OBJ or 3MF file."""
    from .work import measure_target

    measure_target(target, _pairs(settings), faces, edges, parts)


@cli.command(short_help="Is it a valid solid, a watertight mesh?")
@click.argument("target", metavar="FILE|SCRIPT")
@SETTINGS
def check(target: str, settings: Sequence[str]) -> None:
    """Check that a design or a STEP file gives valid solids, or that a mesh (STL, OBJ, 3MF) is watertight."""
    from .work import check_target

    raise SystemExit(check_target(target, _pairs(settings)))


@cli.command(short_help="Open a page to set, see and take the part.")
@click.argument("script")
@click.option("--port", type=int, default=0, help="Port to listen on; a free one by default.")
@click.option("--no-browser", is_flag=True, help="Do not open the browser; print the address only.")
def page(script: str, port: int, no_browser: bool) -> None:
    """Serve a page on this machine on which the parameters of a design are set, the part is looked at, and
    its files are taken. It follows the script when that is saved."""
    from ..page.server import serve_page

    serve_page(script, show=not no_browser, port=port, ready=lambda address: click.echo(f"  {address}"))


def _pairs(settings: Sequence[str]) -> dict[str, Any]:
    pairs: dict[str, Any] = {}
    for setting in settings:
        name, equals, value = setting.partition("=")
        name = name.strip()
        if not equals or not name:
            raise ParameterError(f'--set "{setting}": write NAME=VALUE')
        if name in pairs:
            raise ParameterError(f"--set gives {name} twice", parameter=name)
        pairs[name] = value
    return pairs


def _pixels(text: str) -> tuple[int, int]:
    width, _, height = text.lower().partition("x")
    if not (width.isdigit() and height.isdigit()):
        raise ParameterError(f'--size "{text}": write 1280x800')
    return int(width), int(height)


def _exit_code(error: LathwickError) -> int:
    return WRONG if isinstance(error, ParameterError) else FAILED


def main(arguments: Sequence[str] | None = None) -> NoReturn:
    """Run the command line; a mistake in data is one line on standard error and an exit code."""
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(143))  # so that drafts of files are removed
    given = list(sys.argv[1:] if arguments is None else arguments)
    prepare()
    try:
        cli.main(given, prog_name="lathwick", standalone_mode=False)
        sys.stdout.flush()
    except LathwickError as error:
        from ..family.row_work import in_script

        code = _exit_code(error)
        _refuse(str(error) if code == WRONG else f"{error}{in_script(error)}", code, given)
    except click.exceptions.Abort:
        _refuse("stopped", 130, [])
    except click.ClickException as error:
        error.show()
        sys.exit(error.exit_code)
    except KeyboardInterrupt:
        _refuse("stopped", 130, [])
    except BrokenPipeError:  # who reads has seen enough
        abandon()
        sys.exit(FAILED)
    except Exception as error:  # a mistake in the user's script is told in one line, too
        from ..family.row_work import script_line

        where = script_line(error)
        if not where and isinstance(error, OSError):
            _refuse(f"the output cannot be written: {error.strerror or error}", FAILED, given)
        if not where:
            raise
        _refuse(f"{type(error).__name__} in the script{where}: {error}", FAILED, given)
    sys.exit(DONE)


def _refuse(message: str, code: int, given: Sequence[str]) -> NoReturn:
    if "--traceback" in given and sys.exc_info()[1] is not None:
        import traceback

        traceback.print_exc()
    with suppress(OSError):
        click.secho("lathwick: ", fg="red", bold=True, nl=False, err=True)
        click.echo(" ".join(message.split("\n")), err=True)
    abandon()
    sys.exit(code)


if __name__ == "__main__":
    main()
