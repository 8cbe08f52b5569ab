"""A part in one HTML file that opens anywhere, with nothing installed and nothing asked for.

The 3-D library (three.js, MIT) is taken from the installed package NiceGUI, which ships it.
"""

from __future__ import annotations

import html
import json
from functools import lru_cache
from importlib.util import find_spec
from pathlib import Path
from typing import Any

from ..errors import ExchangeError
from ..topology.body import Body
from .model import model_of
from .picture import Drawable

STATIC = Path(__file__).with_name("static")
POLICY = (
    "default-src 'none'; script-src 'unsafe-inline' blob:; style-src 'unsafe-inline'; img-src data: blob:"
)

_PAGE = """<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta http-equiv="Content-Security-Policy" content="{policy}">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>{title}</title>
<style>{style}</style>
</head>
<body>
{frame}
<script type="text/plain" id="library">{library}</script>
<script type="text/plain" id="viewer">{viewer}</script>
<script type="text/plain" id="controls">{controls}</script>
<script type="application/json" id="model">{model}</script>
<script type="module">
const text = (id) => document.getElementById(id).textContent.replaceAll("<\\\\/", "</");
const load = (id) => import(URL.createObjectURL(new Blob([text(id)], {{ type: "text/javascript" }})));
const [library, viewer, controls] = await Promise.all(["library", "viewer", "controls"].map(load));
const model = JSON.parse(text("model"));
window.part = controls.frame(viewer.PartView, library, model);
</script>
</body>
</html>
"""


def write_html(obj: Any, name: str) -> bytes:
    """The file of a part or a body. Raises ExchangeError for anything else, or if the extra is missing."""
    if isinstance(obj, Body):
        obj = _Plain(obj)
    if not isinstance(obj, Drawable):
        raise ExchangeError(f"{type(obj).__name__} cannot be saved as a view; save a Part or a Body")
    model = json.dumps(model_of(obj, name), ensure_ascii=True).replace("<", "\\u003c")
    page = _PAGE.format(
        policy=POLICY, title=html.escape(name), style=static("viewer.css"), frame=static("frame.html"),
        library=_quiet(library()), viewer=_quiet(static("viewer.js")), controls=_quiet(static("frame.js")),
        model=model,
    )  # fmt: skip
    return page.encode("utf-8")


class _Plain:
    """A body as a part."""

    color = None

    def __init__(self, body: Body) -> None:
        self.body = body
        self.bodies: dict[str, Any] = {}
        self.mass_text = ""
        self.steps: tuple[Any, ...] = ()
        self.messages: tuple[Any, ...] = ()

    def leaves(self) -> dict[str, Any]:
        return {"body": self}


def static(name: str) -> str:
    """A file of ours for the browser."""
    return (STATIC / name).read_text(encoding="utf-8")


@lru_cache(maxsize=1)
def library() -> str:
    """The 3-D library as the text of a module. Raises ExchangeError where it is not installed."""
    found = find_spec("nicegui")
    folders = found.submodule_search_locations if found is not None else None
    path = Path(next(iter(folders)), "elements", "scene", "dist", "index.js") if folders else None
    if path is None or not path.is_file():
        raise ExchangeError('views need the package "nicegui"; install it with: pip install "lathwick[page]"')
    return path.read_text(encoding="utf-8")


def _quiet(script: str) -> str:
    """A script as text in a page: nothing in it ends the element that holds it."""
    return script.replace("</", "<\\/")
