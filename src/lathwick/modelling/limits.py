"""The largest size that works, where one that was asked for does not."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass

from ..errors import ModellingError
from ..topology.body import Body
from ..topology.brep import Face
from .foreseeing import Shrinking
from .outcomes import Made, Outcome, Refused, outcome_of

TRIES = 24
SMALL = (0.05, 1e-3)
"""Shares of a size, of which one works if any at all does."""

NOT_SO_SMALL = SMALL[:1]
"""As many as are tried where each takes long."""

DIGITS = 4
CLOSE = 5e-4
BESIDE = 1.0 + 0.4 * CLOSE
"""What lies so much above a size that works, or below one that does not, tells whether that is the limit."""

NOTHING = 1e-4
"""What works only at smaller shares than this is no size."""

FARTHER = 1.1
"""Ways that do not work for so much more than one does go no farther than that."""

MOST_FORESIGHTS = 10
"""So often what is foreseen is tried."""


Build = Callable[[float], Outcome[Body]]

_SEEKS_SIZES = ContextVar("_SEEKS_SIZES", default=True)


@contextmanager
def without_sizes() -> Iterator[None]:
    """Inside, what does not fit is refused at once: which size would do is not looked for."""
    before = _SEEKS_SIZES.set(False)
    try:
        yield
    finally:
        _SEEKS_SIZES.reset(before)


def seeks_sizes() -> bool:
    """Whether a refusal is to name a size that works."""
    return _SEEKS_SIZES.get()


class SizeError(ModellingError):
    """A size that does not fit; `face` limits it, if it is known."""

    face: Face | None = None


def told(refused: Refused) -> str:
    """What a refusal says, with the name of a face that it names."""
    face = refused.error.face if isinstance(refused.error, SizeError) else None
    at = f' at the face "{face.names[0]}"' if face is not None and face.names else ""
    return f"{refused.reason}{at}"


@dataclass(frozen=True)
class Largest:
    """The largest size that works, and what is said of the next larger one that was tried."""

    value: float
    beyond: Refused

    def refusal(self, called: str, asked: float) -> ModellingError:
        """The error for a size that was asked for, as it is called."""
        message = (
            f"{called} is too large: {told(self.beyond)}; the largest that works is {self.value:.{DIGITS}g}"
        )
        return ModellingError(message, value=asked, limit=self.value)


@dataclass(frozen=True)
class Bracket:
    """Shares of a size of which one works and the other, the higher, does not, with what is said of it."""

    low: float
    high: float
    beyond: Refused


def never(refused: Refused) -> bool:
    """Nothing that is refused is elsewhere."""
    return False


class Ways:
    """Ways to build, one of which must work; each refuses a size that does not. The first is tried, and the
    others where it has come to its end. most : of what shares are tried; may be negative."""

    def __init__(self, builds: Sequence[Build], most: float, known: Ways | None = None) -> None:
        """known : the same ways, with another `most`."""
        self.builds = list(builds)
        self._most = most
        self._works: set[float] = set()
        self._shrinking: Shrinking = Shrinking() if known is None else known._shrinking

    @classmethod
    def that_work(cls, builds: Sequence[Build], most: float, small: Sequence[float] = SMALL) -> Ways | None:
        """With one first that works for the first of some small shares for which any does; None if none
        does."""
        for share in small:
            ways = cls(builds, most)
            if ways.by_another(share, builds):
                return ways
        return None

    def refusal(self, share: float) -> Refused | None:
        """Why a share does not work by the first way; None if it does."""
        if share in self._works:
            return None
        found = self.builds[0](share * self._most)
        if isinstance(found, Made):
            self._note(share, found.value)
            return None
        if isinstance(found.error, SizeError):
            self._shrinking.blame(found.error.face)
        return found

    def by_another(self, share: float, builds: Sequence[Build]) -> bool:
        """Whether a share works by one of some ways, which then is the first."""
        for build in builds:
            found = build(share * self._most)
            if isinstance(found, Made):
                self.builds.remove(build)
                self.builds.insert(0, build)
                self._note(share, found.value)
                return True
        return False

    def _note(self, share: float, body: Body) -> None:
        self._works.add(share)
        self._shrinking.see(abs(share * self._most), body)

    def halved(self, refused: Refused, high: float = 1.0) -> Bracket | None:
        """The first share that works, by halves and then tenths of one that does not; None if none does."""
        beyond = refused
        for k in range(TRIES):
            low = high * (0.5 if k < 4 else 0.1)
            error = self.refusal(low)
            if error is None:
                return Bracket(low, high, beyond)
            high, beyond = low, error
            if high < NOTHING:
                break
        return None

    def bisected(self, bracket: Bracket) -> Bracket:
        """A bracket as narrow as can be told, by the way that goes farthest."""
        found = self._bisected(bracket)
        others = self.builds[1:]
        while others:
            more = FARTHER * found.high
            if more < bracket.high and self.by_another(more, others[:1]):
                found = self._bisected(Bracket(more, bracket.high, bracket.beyond))
            others = others[1:]
        return found

    def _bisected(self, bracket: Bracket) -> Bracket:
        """By the first way. What is foreseen is tried first. Limits are round more often than not: sizes of
        two digits come next, and then what lies just above the largest of them that works and just below the
        next."""
        low, high, beyond = bracket.low, bracket.high, bracket.beyond
        beside = [
            lambda: BESIDE * low,
            lambda: high / BESIDE,
            lambda: high / BESIDE**5,
            lambda: BESIDE**5 * low,
        ]
        foresight = _Foresight(self._shrinking, abs(self._most))
        for _ in range(2 * TRIES):
            if high - low < CLOSE * low:
                break
            middle = foresight.between(low, high) or self._round_between(low, high)
            if middle is None:
                middle = beside.pop(0)() if beside else 0.5 * (low + high)
            error = self.refusal(middle)
            if error is None:
                low = middle
            else:
                high, beyond = middle, error
        return Bracket(low, high, beyond)

    def _round_between(self, low: float, high: float) -> float | None:
        """The share of a size of two digits near the middle of two shares; None if there is none between."""
        size = float(f"{0.5 * (low + high) * abs(self._most):.2g}") / abs(self._most)
        return size if BESIDE * low < size < high / BESIDE else None

    def told(self, bracket: Bracket, is_elsewhere: Callable[[Refused], bool] = never) -> Largest | Refused:
        """A size of few digits near the lower share that works; or why none does. is_elsewhere : whether a
        refusal tells that smaller sizes do not help."""
        refused = bracket.beyond
        for value in _shown(bracket.low * abs(self._most)):
            size = math.copysign(value, self._most)
            found = self.refusal(size / self._most)
            if found is None:
                return Largest(size, bracket.beyond)
            refused = found
            if value <= bracket.low * abs(self._most) and is_elsewhere(found):
                break
        return refused


class _Foresight:
    """Shares of a size beside the one at which something will be gone; again when a larger one has worked.
    most : the size."""

    def __init__(self, shrinking: Shrinking, most: float) -> None:
        self._shrinking = shrinking
        self._most = most
        self._low = 0.0
        self._left = MOST_FORESIGHTS

    def between(self, low: float, high: float) -> float | None:
        """A share between two; None where nothing is foreseen."""
        if self._left == 0 or low <= self._low:
            return None
        self._left -= 1
        self._low = low
        gone = self._shrinking.gone_between(low * self._most, high / BESIDE * self._most)
        if gone is None:
            return None
        share = gone / self._most
        below = share / BESIDE
        return below if low * (1.0 + 0.1 * CLOSE) < below else share * BESIDE


def largest_that_works(
    builds: Sequence[Build], most: float, refused: Refused, small: Sequence[float] = SMALL
) -> Largest | None:
    """The largest size up to one that does not work, by bisection, with at most four digits; it has been
    tried. None if none works.

    builds : ways to build, one of which must work; each refuses a size that does not. Those that do not work
    for a small size are not tried for larger ones. most : may be negative; "largest" is then that farthest
    from nothing. refused : what was said of it. small : shares of it that are tried to see whether any size
    works.
    """
    ways = Ways.that_work(builds, most, small)
    bracket = None if ways is None else ways.halved(refused)
    found = None if ways is None or bracket is None else ways.told(ways.bisected(bracket))
    return found if isinstance(found, Largest) else None


def made_or_limited(make: Callable[[float], Body], size: float, called: str) -> Body:
    """What is made with a size. Raises ModellingError for one that does not fit, as it is called, with the
    largest that works if there is one; without sizes, as it is refused."""

    def build(value: float) -> Outcome[Body]:
        return outcome_of(lambda: make(value))

    found = build(size)
    if isinstance(found, Made):
        return found.value
    largest = largest_that_works([build], size, found) if seeks_sizes() else None
    raise found.error if largest is None else largest.refusal(called, size)


def _shown(value: float) -> list[float]:
    """Values of few digits near one that works, the largest first: the limit itself is often round."""
    found = []
    for digits, step in ((2, 0), (3, 0), (DIGITS, 0), (DIGITS, 1), (DIGITS, 2)):
        unit = 10.0 ** (math.floor(math.log10(value)) + 1 - digits)
        near = float(f"{(round(value / unit) - step) * unit:.{DIGITS}g}")
        if near <= value * (1.0 + 2.0 * CLOSE):
            found.append(near)
    return sorted(set(found), reverse=True)
