"""Presets and what is set, side by side: the parts in a row, and what differs in a table."""

from __future__ import annotations

from collections.abc import Mapping

from nicegui import ui

from .pieces import Host, draw_table

NOW = "as set now"


class SideBySide:
    """What is compared is chosen from a list; the parts are shown in place of the one that is set, until that
    changes."""

    def __init__(self, host: Host) -> None:
        self._host = host
        self._presets: Mapping[str, Mapping[str, str]] = {}
        ui.label("Parts in a row, and what differs. A change to what is set shows its part again.").classes(
            "text-sm text-grey-8"
        )
        self._choice = ui.select([NOW], label="compare", value=[NOW], multiple=True)
        self._choice.props("dense options-dense use-chips").classes("w-full")
        ui.button("Show side by side", on_click=self._compare).props("outline dense no-caps").classes("px-2")
        self._found = ui.column().classes("w-full gap-1")

    def fill(self, presets: Mapping[str, Mapping[str, str]]) -> None:
        """Offer some presets; what was chosen stays chosen as far as it is there."""
        self._presets = presets
        kept = [name for name in self._choice.value if name == NOW or name in presets]
        self._choice.set_options([NOW, *presets], value=kept)

    async def _compare(self) -> None:
        chosen = {name: self._host.values() if name == NOW else dict(self._presets[name])
                  for name in self._choice.value}  # fmt: skip
        self._found.clear()
        answer = await self._host.ask({"kind": "side by side", "parts": chosen})
        if answer is None:
            return
        self._host.show(answer["model"], ", ".join(answer["names"]))
        with self._found:
            for text in answer["failed"]:
                ui.label(text).classes("text-sm text-red-10")
            draw_table(["", *answer["names"]], answer["rows"])
            if not answer["rows"]:
                ui.label("Nothing differs.").classes("text-sm")
