"""How the guide is built: `make docs`. Nothing is fetched."""

from __future__ import annotations

import re
import sys
from pathlib import Path
from typing import Any

ROOT = Path(__file__).parents[1]
sys.path[:0] = [str(Path(__file__).parent), str(ROOT / "examples")]

from gallery import Drawn  # noqa: E402

project = "Lathwick"
author = "The Lathwick developers"
copyright = author
extensions = ["myst_parser", "sphinx.ext.autodoc", "sphinx_gallery.gen_gallery"]
exclude_patterns = ["_build"]
html_theme = "furo"
html_title = "Lathwick"
myst_heading_anchors = 3
autodoc_member_order = "bysource"
autodoc_typehints = "description"
autodoc_class_signature = "separated"
nitpicky = False
sphinx_gallery_conf = {
    "examples_dirs": str(ROOT / "examples"),
    "gallery_dirs": "examples",
    "filename_pattern": r"\.py$",
    "image_scrapers": (Drawn(),),
    "within_subsection_order": "FileNameSortKey",
    "download_all_examples": False,
    "remove_config_comments": True,
    "show_memory": False,
    "min_reported_time": 1_000_000,
    "plot_gallery": "True",
}
suppress_warnings = ["config.cache"]

ARGUMENTS = re.compile(r"\s*([a-z_][\w]*(?:, [a-z_]\w*)*|\.[a-z0-9 .]+) : (.*)")


def as_list(app: Any, what: str, name: str, obj: object, options: object, lines: list[str]) -> None:
    """Our docstrings say "radius : of the ball."; here each of these becomes an item of a list."""
    made: list[str] = []
    is_item = False
    for line in lines:
        found = ARGUMENTS.match(line)
        if found:
            made += [] if is_item or not made or not made[-1].strip() else [""]
            made.append(f"* **{found[1]}** -- {found[2]}")
        elif is_item and line.strip():
            made.append(f"  {line.strip()}")
        else:
            made.append(line.strip() if is_item else line)
        is_item = bool(found) or (is_item and bool(line.strip()))
    lines[:] = made


def setup(app: Any) -> None:
    app.connect("autodoc-process-docstring", as_list)
