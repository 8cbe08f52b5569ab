"""The page's server: loopback only, a free port, a token in the address, nothing from outside."""

from __future__ import annotations

import asyncio
import secrets
import socket
import webbrowser
from collections.abc import Callable
from typing import Any

from ..errors import ParameterError
from ..family.script import script_path
from ..view.html_file import library, static
from .guard import Guard

HOST = "127.0.0.1"
LAST_PORT = 65535
LOOK_AGAIN = 0.02
"""Seconds until it is looked again whether the server listens."""

_FRAME = """<!doctype html>
<html lang="en">
<head><meta charset="utf-8"><title>part</title><link rel="stylesheet" href="/static/viewer.css"></head>
<body>
{frame}
<script type="module">
import * as library from "/static/library.js";
import {{ PartView }} from "/static/viewer.js";
import {{ frame }} from "/static/frame.js";
const tell = (picks) => window.parent.postMessage({{ picks }}, location.origin);
const part = frame(PartView, library, null, {{ pick: tell }});
window.part = part;
let newest = 0;
window.addEventListener("message", async (event) => {{
  if (event.origin !== location.origin) return;
  if (event.data.note !== undefined) part.note(event.data.note);
  if (event.data.model === undefined) return;
  const mine = ++newest, model = await (await fetch(event.data.model)).json();
  if (mine !== newest) return;
  part.show(model);
  if (event.data.fit) part.view.fit();
}});
window.parent.postMessage({{ ready: true }}, location.origin);
</script>
</body>
</html>
"""


def serve_page(
    script: str, *, show: bool = True, port: int = 0, ready: Callable[[str], None] = print
) -> None:
    """Serve the page of a script until it is interrupted.

    show : open it in the browser. port : 0 for a free one. ready : called with the address. Raises
    ParameterError where there is no such script, the extra is missing or the port is not to be had.
    """
    if not script_path(script).is_file():
        raise ParameterError(f"{script_path(script)}: no such script")
    try:
        from nicegui import app, background_tasks, ui
    except ModuleNotFoundError as error:
        raise ParameterError(
            f'the page needs the package "{error.name}"; install it with: pip install "lathwick[page]"'
        ) from None
    from .layout import page_of

    port = _port_for(port)
    token = secrets.token_urlsafe(24)
    hosts = (f"{HOST}:{port}", f"localhost:{port}")
    address = f"http://{HOST}:{port}/?token={token}"
    app.add_middleware(Guard, token=token, hosts=hosts)
    _serve_files(app)
    ui.page("/", title=f"{script_path(script).stem} · Lathwick")(page_of(script))

    async def begin() -> None:
        await _listening(port)
        ready(address)
        if show:
            webbrowser.open(address)

    app.on_startup(lambda: background_tasks.create(begin()))
    ui.run(
        host=HOST, port=port, show=False, reload=False, show_welcome_message=False, favicon="📐",
        uvicorn_logging_level="error", access_log=False,
    )  # fmt: skip


def _serve_files(app: Any) -> None:
    from fastapi import Response

    kinds = {"js": "text/javascript", "css": "text/css"}
    texts: dict[str, Callable[[], str]] = {
        "library.js": library,
        **{n: _reader(n) for n in ("viewer.js", "frame.js", "viewer.css")},
    }

    def text_of(name: str) -> Response:
        if name not in texts:
            return Response(status_code=404)
        return Response(texts[name](), media_type=kinds[name.rpartition(".")[2]])

    def frame() -> Response:
        return Response(_FRAME.format(frame=static("frame.html")), media_type="text/html")

    app.add_api_route("/static/{name}", text_of)
    app.add_api_route("/frame", frame)


def _reader(name: str) -> Callable[[], str]:
    return lambda: static(name)


async def _listening(port: int) -> None:
    """Wait until the server takes connections: that comes after what is done at its start."""
    while True:
        try:
            _, writer = await asyncio.open_connection(HOST, port)
        except OSError:
            await asyncio.sleep(LOOK_AGAIN)
        else:
            writer.close()
            return


def _port_for(wanted: int) -> int:
    """A port that can be listened on: the one that is wanted, or for 0 a free one. Raises ParameterError."""
    if not 0 <= wanted <= LAST_PORT:
        raise ParameterError(f"a port is a number from 1 to {LAST_PORT}, got {wanted}")
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)  # one that was left a moment ago is free
        try:
            probe.bind((HOST, wanted))
        except OSError as error:
            raise ParameterError(f"port {wanted} is not to be had: {error.strerror}") from None
        port: int = probe.getsockname()[1]
        return port
