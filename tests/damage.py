"""STEP files as they come out of accidents: rows lost or doubled, numbers and references changed, cut off."""

from __future__ import annotations

import random
import re
from collections.abc import Callable

SIGNS = "()#,.;'$*7-eE\\"
WILD = (0.0, -1.0, 1e300, 1e-300, 7.5)
KINDS = ("PLANE", "CIRCLE", "LINE", "EDGE_LOOP", "CARTESIAN_POINT")


def damaged(text: str, seed: int) -> str:
    """The file after one to three accidents in its data."""
    rng = random.Random(seed)
    for _ in range(rng.randint(1, 3)):
        text = rng.choice(ACCIDENTS)(text, rng)
    return text


def _at(text: str, rng: random.Random) -> int:
    return rng.randrange(text.index("DATA"), len(text))


def _lost(text: str, rng: random.Random) -> str:
    at = _at(text, rng)
    return text[:at] + text[at + rng.randint(1, 40) :]


def _other_sign(text: str, rng: random.Random) -> str:
    at = _at(text, rng)
    return text[:at] + rng.choice(SIGNS) + text[at + 1 :]


def _doubled_or_cut_off(text: str, rng: random.Random) -> str:
    at = _at(text, rng)
    return text[:at] if rng.random() < 0.3 else text[:at] + text[at : at + 60] + text[at:]


def _other_numbers(text: str, rng: random.Random) -> str:
    return re.sub(r"\d+\.\d*", lambda m: m[0] if rng.random() < 0.999 else repr(rng.choice(WILD)), text)


def _other_reference(text: str, rng: random.Random) -> str:
    found = list(re.finditer(r"#\d+(?!\d*=)", text))
    one, two = rng.choice(found), rng.choice(found)
    return text[: one.start()] + two[0] + text[one.end() :]


def _other_sense(text: str, rng: random.Random) -> str:
    at = _at(text, rng)
    return text[:at] + text[at:].replace(".T.", ".F.", 1)


def _other_kind(text: str, rng: random.Random) -> str:
    return re.sub(r"=\w+\(", lambda m: m[0] if rng.random() < 0.998 else f"={rng.choice(KINDS)}(", text)


ACCIDENTS: tuple[Callable[[str, random.Random], str], ...] = (
    _lost,
    _other_sign,
    _doubled_or_cut_off,
    _other_numbers,
    _other_reference,
    _other_sense,
    _other_kind,
)
