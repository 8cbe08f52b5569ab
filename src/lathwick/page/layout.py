"""What the page looks like: set on the left, with what is known and what can be taken; the part on the right.

Only the worker computes. The page holds texts, and what the worker has answered.
"""

from __future__ import annotations

import asyncio
import itertools
import json
import time
from collections.abc import Awaitable, Callable, Mapping
from contextlib import suppress
from typing import Any

from nicegui import app, ui
from starlette.responses import Response

from ..family.script import script_path
from ..view.html_file import static
from .controls import Control, control_of
from .maker import FORMATS, Answer
from .pieces import Working, draw_rows
from .preset_row import PresetRow
from .side_by_side import SideBySide
from .worker import Worker, Workers

LOOKING = 0.5
"""Seconds between looks at whether the script was saved."""
KEPT_MODELS = 3


def page_of(script: str) -> Callable[[], Awaitable[None]]:
    """The page function of a script: each page that is opened has a worker of its own."""
    models, workers = _Models(), Workers(script)
    app.on_startup(workers.begin)

    @app.get("/model/{number}")
    def model(number: int) -> Response:
        content = models.get(number)
        if content is None:
            return Response(status_code=404)
        return Response(content, media_type="application/json")

    async def page() -> None:
        session = Session(script, models, workers.take())
        ui.context.client.on_delete(session.close)
        session.draw()
        await session.reload()

    return page


class _Models:
    """What the viewers fetch, by number; who may ask, the guard decides."""

    def __init__(self) -> None:
        self._kept: dict[int, bytes] = {}
        self._numbers = itertools.count(time.time_ns() % 1_000_000_007)

    def add(self, content: bytes) -> int:
        number = next(self._numbers)
        self._kept[number] = content
        return number

    def get(self, number: int) -> bytes | None:
        return self._kept.get(number)

    def drop(self, numbers: list[int]) -> None:
        for number in numbers:
            self._kept.pop(number, None)


class Session:
    """One page: the values that are set, the part that is shown, and the worker behind it."""

    def __init__(self, script: str, models: _Models, worker: Worker) -> None:
        self._script, self._models = script, models
        self._path = script_path(script)
        self._worker = worker
        self._controls: dict[str, Control] = {}
        self._numbers: list[int] = []
        self._saved = self._stamp()
        self._is_building = self._is_stale = self._is_closed = False
        self._reloading = asyncio.Lock()
        self._unit = self._shown = ""
        self._fits = False

    # ---- what is drawn once

    def draw(self) -> None:
        """The frame of the page; what depends on the script is filled in when it is loaded."""
        ui.add_head_html(static("page.html"))
        ui.colors(primary="#14606b")
        ui.query(".nicegui-content").classes("p-0 gap-0")
        self._client = ui.context.client
        with ui.element("div").classes("lw-page"):
            with ui.element("div").classes("lw-side"):
                self._draw_side()
            with ui.element("div").classes("lw-part"):
                with ui.row().classes("lw-state items-center gap-2 no-wrap"):
                    self._busy = ui.spinner(size="1.4em").classes("hidden")
                    self._stop = ui.button("Stop", on_click=self.stop).props("dense outline no-caps size=sm")
                    self._stop.classes("hidden bg-white")
                    self._error = ui.label().classes("hidden rounded px-3 py-1 bg-red-1 text-red-10")
                    self._error.props('role="alert"')
                ui.html('<iframe src="/frame" title="the part"></iframe>', sanitize=False).classes(
                    "w-full h-full"
                )
        ui.on("picks", self._picked)
        ui.on("frame_ready", lambda _: self._show_last())
        ui.timer(LOOKING, self._watch)

    def _draw_side(self) -> None:
        with ui.column().classes("gap-0 px-4 pt-3 pb-1"):
            self._title = ui.label().classes("text-lg font-bold leading-tight")
            self._about = ui.label().classes("text-sm text-grey-8")
        with ui.tabs().props("dense no-caps align=left active-color=teal-10").classes("px-2") as tabs:
            for name in ("Set", "Know", "Compare", "Steps", "Take"):
                ui.tab(name)
        with (
            ui.tab_panels(tabs, value="Set", animated=False)
            .classes("lw-scroll bg-transparent w-full")
            .props("keep-alive")
        ):
            with ui.tab_panel("Set").classes("p-0 gap-1"):
                self._presets = PresetRow(self, lambda presets: self._compared.fill(presets))
                self._fields = ui.column().classes("w-full gap-0")
            with ui.tab_panel("Know").classes("p-0 pt-2 gap-3"):
                self._know = ui.column().classes("w-full gap-3")
            with ui.tab_panel("Compare").classes("p-0 pt-2 gap-2"):
                self._compared = SideBySide(self)
            with ui.tab_panel("Steps").classes("p-0 pt-2"):
                self._steps = ui.column().classes("w-full gap-0")
            with ui.tab_panel("Take").classes("p-0 pt-2"):
                self._draw_take()

    def _draw_take(self) -> None:
        ui.label("This part").classes("font-bold")
        with ui.row().classes("gap-1"):
            for suffix in FORMATS:
                ui.button(suffix.upper(), on_click=self._taker("take", suffix)).props(
                    "outline dense no-caps"
                ).classes("px-2")
        ui.label("All presets, in one archive").classes("font-bold mt-3")
        with ui.row().classes("gap-1"):
            for suffix in FORMATS:
                button = ui.button(suffix.upper(), on_click=self._taker("take all", suffix))
                button.props(f'outline dense no-caps aria-label="all presets as {suffix.upper()}"').classes(
                    "px-2"
                )

    # ---- the script

    async def reload(self) -> None:
        """Run the script again, keep what was set as far as it is still asked for, and build."""
        async with self._reloading:
            await self._reload()

    async def _reload(self) -> None:
        values = self.values()
        loaded = await self.ask({"kind": "load"})
        if loaded is None:
            return
        self._title.text = loaded["name"]
        self._about.text = loaded["about"]
        self._unit = loaded["unit"]
        self._fields.clear()
        self._controls = {}
        with self._fields:
            for parameter in loaded["parameters"]:
                control = control_of(parameter, self.changed)
                self._controls[parameter["name"]] = control
                if parameter["name"] in values:
                    control.put(values[parameter["name"]])
        self._presets.fill(loaded["presets"])
        self._compared.fill(loaded["presets"])
        await self.changed()

    def _stamp(self) -> tuple[float, int]:
        with suppress(OSError):
            found = self._path.stat()
            return found.st_mtime, found.st_size
        return (0.0, 0)

    async def _watch(self) -> None:
        stamp = self._stamp()
        if stamp != self._saved and stamp[1]:
            self._saved = stamp
            await self.reload()

    # ---- building

    def values(self) -> dict[str, str]:
        """What is set, as it was typed."""
        return {name: control.text for name, control in self._controls.items() if control.text.strip()}

    def put(self, values: Mapping[str, str]) -> None:
        """Set all parameters, to their defaults where they have no value here."""
        for name, control in self._controls.items():
            control.put(values.get(name, control.default))

    async def changed(self) -> None:
        """Build with what is set now; while that goes on, only the last change is kept waiting."""
        if self._is_building:
            self._is_stale = True
            return
        self._is_building = True
        try:
            while True:
                self._is_stale = False
                values = self.values()
                with self._working():
                    answer = await self._worker.ask({"kind": "build", "values": values})
                if not self._is_stale or self._is_closed:
                    break
            self._take_in(answer)
        finally:
            self._is_building = False

    def _take_in(self, answer: Answer) -> None:
        for control in self._controls.values():
            control.blame("")
        if self._told(answer):
            return
        for name, control in self._controls.items():
            control.resolved(answer["values"].get(name, ""))
        self.show(answer["model"])
        self._draw_know(answer)
        self._draw_steps(answer["steps"])

    def stop(self) -> None:
        """End what the worker is doing."""
        self._worker.stop()

    def close(self) -> None:
        """The page is gone."""
        self._is_closed = True
        self._worker.stop()
        self._models.drop(self._numbers)

    def _working(self) -> Working:
        return Working(self._busy, self._stop)

    async def ask(self, request: Mapping[str, Any]) -> Answer | None:
        """The worker's answer; None for an error, which has been shown."""
        with self._working():
            answer = await self._worker.ask(request)
        return None if self._told(answer) else answer

    def _told(self, answer: Answer) -> bool:
        """Whether an answer is an error, which is shown at its parameter, or above the part."""
        error = answer.get("error")
        control = self._controls.get(answer.get("parameter") or "")
        if error and control is not None:
            control.blame(error, answer.get("limit"))
        self._error.text = error or ""
        self._error.classes(remove="hidden" if error else "", add="" if error else "hidden")
        return bool(error)

    # ---- what came of it

    def show(self, content: bytes, shown: str = "") -> None:
        """Show a model; the view is fitted to it where it is not `shown` what was before."""
        self._fits, self._shown = shown != self._shown, shown
        self._numbers.append(self._models.add(content))
        self._models.drop(self._numbers[:-KEPT_MODELS])
        self._numbers = self._numbers[-KEPT_MODELS:]
        self._show_last()

    def _show_last(self) -> None:
        if self._numbers:
            told = {"model": f"/model/{self._numbers[-1]}", "fit": self._fits}
            self._client.run_javascript(f"tellPart({json.dumps(told)})")

    def _draw_know(self, answer: Answer) -> None:
        self._know.clear()
        with self._know:
            draw_rows(answer["measures"])
            if answer["messages"]:
                ui.label("Told by the design").classes("font-bold")
            for message in answer["messages"]:
                color = "" if message["kind"] == "note" else " text-orange-10"
                ui.label(message["text"]).classes(f"text-sm{color}")
            self._changes = ui.column().classes("w-full gap-1")
        self._draw_changes(answer["changes"])

    def _draw_changes(self, changes: list[list[str]]) -> None:
        self._changes.clear()
        if not changes:
            return
        with self._changes:
            ui.label("Changed against where one started").classes("font-bold")
            draw_rows([[name, f"{before} → {after}"] for name, before, after in changes])

    def _draw_steps(self, steps: list[dict[str, Any]]) -> None:
        self._steps.clear()
        with self._steps:
            ui.label("A step shows the part as it was then; the last is the whole.").classes(
                "text-sm text-grey-8"
            )
            for number, step in enumerate(steps, 1):
                text = f"{number}  {step['name']} · {step['verb']} {step['detail']}"
                button = ui.button(text, on_click=self._stepper(step["name"])).props(
                    "flat dense no-caps align=left"
                )
                button.classes("w-full text-left")
                button.tooltip(f"{step['seconds']:.2f} s, {step['faces']} faces")

    def _stepper(self, name: str) -> Callable[[], Awaitable[None]]:
        async def show() -> None:
            answer = await self.ask({"kind": "step", "name": name})
            if answer is not None:
                self.show(answer["model"])

        return show

    async def _picked(self, event: Any) -> None:
        picks = event.args if isinstance(event.args, list) else []
        if len(picks) != 2:
            return
        faces = [(pick["body"], pick["face"]) for pick in picks]
        answer = await self._worker.ask({"kind": "measure", "faces": faces})
        if "error" in answer:
            return
        text = "\n".join(pick["name"] for pick in picks)
        text += f"\n{answer['distance']} {self._unit} apart at least"
        text += f", at {answer['angle']} degrees" if "angle" in answer else ""
        self._client.run_javascript(f"tellPart({{note: {json.dumps(text)}}})")

    # ---- files

    def _taker(self, kind: str, suffix: str) -> Callable[[], Awaitable[None]]:
        async def take() -> None:
            answer = await self.ask({"kind": kind, "format": suffix})
            if answer is None:
                return
            for failed in answer.get("failed", []):
                ui.notify(failed, type="negative", timeout=0, close_button="close")
            ui.download.content(answer["data"], answer["name"])

        return take
