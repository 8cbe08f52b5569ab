"""A control for each parameter: by its kind, with its limits, choices, note and unit."""

from __future__ import annotations

import asyncio
import itertools
from collections.abc import Awaitable, Callable
from typing import Any

from nicegui import ui

Changed = Callable[[], Awaitable[None]]
TYPING = 0.15
"""Seconds after the last key until a value counts."""
SLIDES = 200


class Control:
    """What is set for one parameter, as text; empty for its default."""

    def __init__(self, field: Any, slider: Any = None, note: str = "") -> None:
        self._field, self._slider, self._note = field, slider, note
        self.default = self.text
        self._is_put = False

    @property
    def text(self) -> str:
        """What was typed or chosen."""
        value = self._field.value
        if isinstance(value, bool):
            return "yes" if value else "no"
        return "" if value is None else str(value)

    def put(self, text: str) -> None:
        """Set a value without asking for a new part."""
        self._is_put = True
        try:
            self._field.set_value(
                text in ("yes", "True", "true") if isinstance(self._field.value, bool) else text
            )
        finally:
            self._is_put = False

    @property
    def is_quiet(self) -> bool:
        """Whether a value is being put by the page itself."""
        return self._is_put

    def resolved(self, value: str) -> None:
        """Show what a formula or a default came to."""
        if isinstance(self._field, ui.input):
            typed = self.text.strip()
            came_to = f"= {value}" if typed and value != typed else ""
            hint = _plain(" · ".join(filter(None, (came_to, self._note))))
            self._field.props(f'hint="{hint}" placeholder="{_plain(value)}"')
        if self._slider is not None:
            try:
                self._is_put = True
                self._slider.set_value(float(value))
            except ValueError:
                pass
            finally:
                self._is_put = False

    def blame(self, error: str, limit: object = None) -> None:
        """Show what is wrong with the value, and what would do; nothing for ""."""
        text = f"{error} (try {limit:g})" if error and isinstance(limit, (int, float)) else error
        if text:
            self._field.props(f'error error-message="{_plain(text)}"')
        else:
            self._field.props(remove="error error-message")


def control_of(parameter: dict[str, Any], changed: Changed) -> Control:
    """The control of a parameter; `changed` is awaited when the user sets it."""
    label = parameter["name"] + (f" [{parameter['unit']}]" if parameter["unit"] else "")
    held: list[Control] = []

    keys = itertools.count()
    last = [-1]

    async def typed() -> None:
        """Ask for a new part once nothing is typed for a moment."""
        mine = last[0] = next(keys)
        await asyncio.sleep(TYPING)
        if mine == last[0]:
            await changed()

    def told() -> Awaitable[None] | None:
        return None if held and held[0].is_quiet else typed()

    if parameter["kind"] == "flag":
        field: Any = ui.switch(label, value=parameter["default"] == "yes", on_change=told).props("dense")
        held.append(Control(field))
    elif parameter["choices"]:
        field = ui.select(
            parameter["choices"], label=label, value=parameter["default"] or None, on_change=told
        )
        field.props("dense options-dense").classes("w-full")
        held.append(Control(field))
    else:
        field = ui.input(label, value=parameter["default"], on_change=told)
        field.props("dense").classes("w-full")
        held.append(Control(field, _slider(parameter, field), _with_limits(parameter)))
    if parameter["note"] and not isinstance(field, ui.input):
        field.tooltip(parameter["note"])
    return held[0]


def _slider(parameter: dict[str, Any], field: Any) -> Any:
    """A slider between two limits; None where there are none."""
    low, high = parameter["low"], parameter["high"]
    if low is None or high is None or high <= low:
        return None
    step = parameter["step"] or (1 if parameter["kind"] == "count" else (high - low) / SLIDES)
    slider = ui.slider(min=low, max=high, step=step, value=low).props(
        f'dense aria-label="{parameter["name"]}"'
    )
    slider.classes("w-full px-1")

    def moved(event: Any) -> None:
        field.set_value(f"{event.args:.6g}")

    slider.on("update:model-value", moved, throttle=0.1)
    return slider


def _with_limits(parameter: dict[str, Any]) -> str:
    low, high = parameter["low"], parameter["high"]
    ends = [f"at least {low:g}" if low is not None else "", f"at most {high:g}" if high is not None else ""]
    return "; ".join(filter(None, [parameter["note"], *ends]))


def _plain(text: str) -> str:
    return text.replace('"', "'").replace("\\", "/")
