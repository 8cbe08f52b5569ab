"""Small pieces that the parts of the page share."""

from __future__ import annotations

import asyncio
from collections.abc import Mapping, Sequence
from typing import Any, Protocol

from nicegui import ui

from .maker import Answer


class Host(Protocol):
    """What the parts of the page may ask of it."""

    def values(self) -> dict[str, str]:
        """What is set, as it was typed."""

    def put(self, values: Mapping[str, str]) -> None:
        """Set all parameters, to their defaults where they have no value here."""

    def show(self, content: bytes, shown: str = "") -> None:
        """Show a model; the view is fitted to it where it is not `shown` what was before."""

    async def ask(self, request: Mapping[str, Any]) -> Answer | None:
        """The worker's answer; None for an error, which has been shown."""

    async def changed(self) -> None:
        """Build with what is set now."""


class Working:
    """Shows that something goes on, and a button to stop it, if it takes longer than a moment."""

    def __init__(self, busy: Any, stop: Any) -> None:
        self._things = (busy, stop)
        self._task: asyncio.TimerHandle | None = None

    def __enter__(self) -> None:
        self._task = asyncio.get_running_loop().call_later(0.3, self._show)

    def _show(self) -> None:
        for thing in self._things:
            thing.classes(remove="hidden")

    def __exit__(self, *_: object) -> None:
        if self._task is not None:
            self._task.cancel()
        for thing in self._things:
            thing.classes(add="hidden")


def draw_rows(rows: Sequence[Sequence[str]]) -> None:
    """Names, each with its value."""
    with ui.element("div").classes("lw-rows"):
        for name, value in rows:
            ui.label(name)
            ui.label(value)


def draw_table(head: Sequence[str], rows: Sequence[Sequence[str]]) -> None:
    """Rows under a head; the first column names them."""
    with ui.element("div").classes("lw-scroll-x"), ui.element("table").classes("lw-table"):
        with ui.element("thead"), ui.element("tr"):
            for name in head:
                with ui.element("th").props('scope="col"'):
                    ui.label(name)
        with ui.element("tbody"):
            for name, *values in rows:
                with ui.element("tr"):
                    with ui.element("th").props('scope="row"'):
                        ui.label(name)
                    for value in values:
                        with ui.element("td"):
                            ui.label(value)
