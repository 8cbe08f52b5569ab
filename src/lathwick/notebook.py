"""What a notebook shows of bodies, sketches and selections: pictures.

IPython is told the kinds by name, so that nothing is imported before such a thing is shown.
"""

from __future__ import annotations

import sys
from typing import Any

SIZE = (640, 420)
KINDS = (
    ("lathwick.topology.body", "Body"),
    ("lathwick.sketch.sketch", "Sketch"),
    ("lathwick.topology.selection", "Selection"),
)


def show_in_notebooks() -> None:
    """Tell IPython, where it runs, how to show things. Nothing happens elsewhere."""
    shell = getattr(sys.modules.get("IPython"), "get_ipython", lambda: None)()
    if shell is not None:
        load_ipython_extension(shell)


def load_ipython_extension(shell: Any) -> None:
    """For `%load_ext lathwick.notebook`, where Lathwick was imported before IPython was there."""
    formatter = shell.display_formatter.formatters["image/png"]
    for module, name in KINDS:
        formatter.for_type_by_name(module, name, picture)


def picture(thing: Any) -> bytes | None:
    """A PNG of what a notebook shows; None, and so its text alone, where there is nothing to draw."""
    from .errors import LathwickError
    from .view.picture import png

    try:
        return png(thing, "", size=SIZE)
    except LathwickError:
        return None
