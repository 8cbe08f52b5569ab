"""What a drawing holds: pieces of curve, some to cut and some only to show."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ...errors import ExchangeError
from ...sketch.pieces import Piece
from ...sketch.plane_curves import Box


@dataclass(frozen=True, slots=True)
class Outline:
    """Chains of pieces in one length unit; `loops` are to be cut, `construction` is not."""

    loops: tuple[tuple[Piece, ...], ...]
    construction: tuple[Piece, ...]
    unit: str

    @property
    def pieces(self) -> tuple[Piece, ...]:
        """All pieces to cut."""
        return tuple(piece for loop in self.loops for piece in loop)

    @property
    def box(self) -> Box:
        """The box around everything. Raises ExchangeError for an empty outline."""
        boxes: Sequence[Box] = [piece.box for piece in (*self.pieces, *self.construction)]
        if not boxes:
            raise ExchangeError("there is no curve to draw")
        x0, y0, x1, y1 = zip(*boxes, strict=True)
        return (min(x0), min(y0), max(x1), max(y1))
