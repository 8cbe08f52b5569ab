"""What does not fit, and where."""

from __future__ import annotations

from ...topology.brep import Edge, Face, Vertex
from ..limits import SizeError


class FitError(SizeError):
    """A face that cannot be made; at some corners, if they are known. `face` limits its size, at an edge
    that is told as `edge`, and is `at`, if that is known."""

    corners: frozenset[Vertex] = frozenset()
    edge: str = ""
    at: Edge | None = None


class TooLargeError(FitError):
    """A size that does not fit, though a smaller one may."""

    def __init__(self, message: str, face: Face | None = None) -> None:
        super().__init__(message)
        self.face = face
