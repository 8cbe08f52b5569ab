"""What is said of sizes that do not fit."""

from __future__ import annotations

from collections.abc import Sequence

from ...errors import ModellingError
from ..limits import DIGITS, Largest, told
from ..outcomes import Refused
from ..refitting.errors import FitError
from .culprits import Culprits


class Asked:
    """The sizes asked for, in order, and what they are called. most : what is scaled to find the largest that
    works: the one size, or the share of all."""

    def __init__(self, sizes: Sequence[float], called: str) -> None:
        self._called = called
        self._largest = sizes[-1]
        self._is_one = len(sizes) == 1
        self.most = sizes[0] if self._is_one else 1.0

    def refusal(self, largest: Largest, spoiling: str = "") -> ModellingError:
        """Where a largest size works; spoiling : the edges without which the one asked for does."""
        found = f"{largest.value:.{DIGITS}g}"
        works = f"the largest that works is {found}" if self._is_one else f"all of them times {found} works"
        rest = ""
        if spoiling:
            fits = f"{self._largest:g} fits" if self._is_one else "all fit as asked"
            rest = f"; leave out {spoiling}, then {fits}"
        return self._error(f"{self.too_large(largest.beyond)}{rest}; {works}", largest)

    def no_one_size(self, refused: Refused, unlike: tuple[float, float]) -> ModellingError:
        """Where two sizes work, for the convex and the concave edges."""
        convex, concave = (f"{size:.{DIGITS + 1}g}" for size in unlike)
        if self._is_one:
            sizes = (
                f"{self._called} {convex} at the convex ones of these edges and {concave} at the concave "
                "ones works"
            )
        else:
            sizes = (
                f"all of them times {convex} at the convex edges and times {concave} at the concave ones "
                "works"
            )
        return self._error(f"{self.too_large(refused)}; no one size fits, but {sizes}")

    def no_size(self, refused: Refused, found: Culprits, largest: float | None) -> ModellingError:
        """Where no size works for all edges; but the largest may for those that are left without some."""
        start = f"{self.too_large(refused)}; {found.why}"
        if largest is None:
            return self._error(f"{start}; {found.remedy}")
        value = f"{largest:.{DIGITS}g}"
        works = f"the largest that works is {value}" if self._is_one else f"all others times {value} works"
        return self._error(f"{start}; without {found.out} {works}")

    @property
    def fits_not(self) -> str:
        """What does not fit."""
        return f"{self._called} {self._largest:g}"

    def too_large(self, refused: Refused) -> str:
        """A size, the edge and the face that limits it."""
        error = refused.error
        edge = f" for {error.edge}" if isinstance(error, FitError) and error.edge else ""
        return f"{self._called} {self._largest:g} is too large{edge}: {told(refused)}"

    def _error(self, message: str, largest: Largest | None = None) -> ModellingError:
        return ModellingError(message, value=self.most, limit=None if largest is None else largest.value)
