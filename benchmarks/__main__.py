"""Run all benchmarks and print one table."""

from __future__ import annotations

import os

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # what is compared runs on one thread each

from rich.console import Console
from rich.table import Table

from . import booleans, rounds, sketch_solving, stl_writing, variants


def main() -> None:
    table = Table("benchmark", "measured", "aim", "")
    for module in (sketch_solving, booleans, rounds, variants, stl_writing):
        for result in module.run():
            mark = "[green]met[/]" if result.met else "[red]not met[/]"
            table.add_row(result.what, result.figures, result.aim, mark)
    Console().print(table)


main()
