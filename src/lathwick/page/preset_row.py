"""The row in which presets are chosen, saved and removed."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from nicegui import ui

from .pieces import Host

Presets = Mapping[str, Mapping[str, str]]


class PresetRow:
    """The presets of a design; `known` are their values, by name."""

    def __init__(self, host: Host, on_kept: Callable[[Presets], None]) -> None:
        """on_kept : is given the presets when one is saved or removed."""
        self._host, self._on_kept = host, on_kept
        self._row = ui.column().classes("w-full gap-1")
        self._client = ui.context.client
        self.known: Presets = {}

    def fill(self, presets: Presets, chosen: str = "") -> None:
        """Draw the row for some presets."""
        self.known = presets
        self._row.clear()
        with self._row, ui.row().classes("w-full items-center no-wrap gap-1"):
            self._choice = ui.select(["", *presets], label="preset", value=chosen, on_change=self._start_from)
            self._choice.props("dense options-dense").classes("grow")
            reset = ui.button("Reset", on_click=self._reset).props("flat dense no-caps")
            reset.tooltip("the values of the preset again, or the defaults")
            ui.button("Save", on_click=self._ask_name).props("flat dense no-caps")
            ui.button("Remove", on_click=self._remove).props("flat dense no-caps")

    async def _start_from(self, event: Any) -> None:
        if event.value in self.known:
            await self._reset()

    async def _reset(self) -> None:
        """Everything as in the preset that is chosen, or as by default."""
        self._host.put(self.known.get(self._choice.value or "", {}))
        await self._host.ask({"kind": "start from", "values": self._host.values()})
        await self._host.changed()

    async def _ask_name(self) -> None:
        with self._client, ui.dialog() as dialog, ui.card():
            name = ui.input("name of the preset", value=self._choice.value or "").props("autofocus")
            name.on("keydown.enter", lambda: dialog.submit(name.value))
            with ui.row():
                ui.button("Save", on_click=lambda: dialog.submit(name.value)).props("no-caps")
                ui.button("Leave", on_click=lambda: dialog.submit("")).props("flat no-caps")
        chosen = await dialog
        if chosen:
            await self._kept({"kind": "save preset", "name": chosen, "values": self._host.values()}, chosen)

    async def _remove(self) -> None:
        if self._choice.value:
            await self._kept({"kind": "remove preset", "name": self._choice.value}, "")

    async def _kept(self, request: Mapping[str, Any], chosen: str) -> None:
        answer = await self._host.ask(request)
        if answer is None:
            return
        self.fill(answer["presets"], chosen)
        self._on_kept(self.known)
        if chosen:
            await self._host.ask({"kind": "start from", "values": self.known[chosen]})
