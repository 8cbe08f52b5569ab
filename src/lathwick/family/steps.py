"""What a job remembers of each step."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from ..sketch.sketch import Sketch
    from ..topology.body import Body


@dataclass(frozen=True, slots=True)
class Step:
    """One step of a job: its name, the verb, what was asked, how long it took, and the result.

    seconds : wall time. warnings : sentences; empty when there is nothing to say.
    chosen : how many edges or faces it was given to work on; None where it works on none.
    body : the result of a modelling step. sketch : the sketch of a sketch step.
    """

    name: str
    verb: str
    detail: str
    seconds: float = 0.0
    warnings: tuple[str, ...] = ()
    body: Body | None = None
    sketch: Sketch | None = None
    chosen: int | None = None
