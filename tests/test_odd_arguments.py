"""Every verb of a sketch given odd values for each of its arguments: one clear sentence, or it works."""

from __future__ import annotations

import decimal
import fractions
import inspect

import numpy as np
import pytest

import lathwick as lw

ODD = [
    None, True, float("nan"), float("inf"), -1, 0, 1e300, 1e-300, "x", "", "3 in", b"q", [], (), {}, (1,),
    (1, 2, 3), ("a", "b"), object(), np.array([1.0, 2.0]), np.nan, 1j, len, range(3),
    fractions.Fraction(1, 3), decimal.Decimal(1), [None], [(0, 0)], lw.XY, 10**30, -3.5, "ab/cd", set(),
    slice(1), ...,
]  # fmt: skip
VERBS = [name for name in dir(lw.Sketch) if not name.startswith("_") and callable(getattr(lw.Sketch, name))]


def drawn():
    """A sketch of a few things, and good values for arguments by their names."""
    sk = lw.Sketch(lw.XY)
    line, chain = sk.line((0, 0), (5, 1)), sk.polyline([(60, 0), (70, 0), (70, 9)])
    circle, point = sk.circle((8, 8), 2), sk.point((1, 2))
    return sk, {
        "start": (0, 0), "end": (3, 4), "through": (1, 3),
        "points": [(0, 0), (1, 0), (2, 2)],
        "center": (0, 0), "radius": 2.0, "width": 4, "height": 3, "corner": chain[0].end, "distance": 1.0,
        "curve": line, "near": (1, 0), "at": (1, 0), "things": line, "about": chain[0], "count": 3,
        "sides": 6,
        "words": "A", "a": point, "b": line, "thing": line, "point": point, "first": line,
        "others": chain[0], "value": 3.0, "chain": chain, "containing": (8, 8), "length": 5, "major": 5,
        "minor": 2, "tolerance": 0.5, "entities": circle, "proposals": [],
    }  # fmt: skip


@pytest.mark.parametrize("verb", VERBS)
def test_no_odd_argument_is_a_bare_error(verb):
    parameters = list(inspect.signature(getattr(lw.Sketch, verb)).parameters.values())[1:]
    for odd in parameters:
        for value in ODD:
            sk, good = drawn()
            plain, named = [], {}
            for p in parameters:
                if p is not odd and p.default is not p.empty:
                    continue
                given = value if p is odd else good[p.name]
                if p.kind in (p.POSITIONAL_ONLY, p.POSITIONAL_OR_KEYWORD):
                    named[p.name] = given
                elif p.kind is p.VAR_POSITIONAL:
                    plain = [named.pop(name) for name in list(named)] + [given]
                else:
                    named[p.name] = given
            try:
                getattr(sk, verb)(*plain, **named)
            except lw.LathwickError as error:
                assert str(error)


def test_the_sentence_names_verb_argument_and_value():
    sk = lw.Sketch(lw.XY)
    with pytest.raises(lw.SketchError, match="circle: radius takes a finite number, got True"):
        sk.circle((0, 0), True)
    with pytest.raises(lw.SketchError, match="line: construction takes True or False, got 'no'"):
        sk.line((0, 0), (1, 1), construction="no")
    with pytest.raises(lw.SketchError, match="arc: missing a required argument: 'end'"):
        sk.arc((0, 0), (1, 0))
    half = sk.circle((0, 0), fractions.Fraction(1, 2))
    assert half.radius == 0.5
    assert sk.circle((0, 0), np.float32(2)).radius == 2.0
