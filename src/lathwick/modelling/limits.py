"""The largest size that works, where one that was asked for does not."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

from ..errors import ModellingError

TRIES = 24
SMALL = (0.05, 1e-3)
"""Shares of a size, of which one works if any at all does."""

NOT_SO_SMALL = SMALL[:1]
"""As many as are tried where each takes long."""

DIGITS = 4
CLOSE = 5e-4
COARSE = 0.1
"""While the largest size is not known to this share of it, all ways are tried."""


Build = Callable[[float], object]


def largest_that_works(builds: Sequence[Build], most: float, small: Sequence[float] = SMALL) -> float | None:
    """The largest size up to one that does not work, by bisection, with at most four digits; it has been
    tried. None if none works.

    builds : ways to build, one of which must work; each raises ModellingError for a size that does not. Those
    that do not work for a small size are not tried for larger ones. most : may be negative; "largest" is then
    that farthest from nothing. small : shares of it that are tried to see whether any size works.
    """
    for share in small:
        ways = [build for build in builds if _works(build, share * most)]
        if ways:
            break
    else:
        return None

    def works(share: float, several: bool = True) -> bool:
        tried = ways if several else ways[:1]
        found = next((build for build in tried if _works(build, share * most)), None)
        if found is not None:  # what worked last is likely to work again
            ways.remove(found)
            ways.insert(0, found)
        return found is not None

    low, high = 0.0, 1.0
    for k in range(TRIES):
        middle = 0.5 * (low + high) if low else high * (0.5 if k < 4 else 0.1)
        if works(middle, several=high - low > COARSE * low):
            low = middle
        else:
            high = middle
        if low and high - low < CLOSE * low:
            break
    shown = (math.copysign(value, most) for value in (_shown(low * abs(most)) if low else ()))
    return next((value for value in shown if works(value / most, several=False)), None)


def _works(build: Build, size: float) -> bool:
    try:
        build(size)
    except ModellingError:
        return False
    return True


def _shown(value: float) -> list[float]:
    """Values of few digits near one that works, the largest first: the limit itself is often round."""
    found = []
    for digits, step in ((2, 0), (3, 0), (DIGITS, 0), (DIGITS, 1), (DIGITS, 2)):
        unit = 10.0 ** (math.floor(math.log10(value)) + 1 - digits)
        near = (round(value / unit) - step) * unit
        if near <= value * (1.0 + 2.0 * CLOSE):
            found.append(near)
    return sorted(set(found), reverse=True)
