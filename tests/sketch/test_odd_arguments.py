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
        "minor": 2, "tolerance": 0.5, "infer": 0.5, "entities": circle, "proposals": [],
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
                given = getattr(sk, verb)(*plain, **named)
                if hasattr(given, "__enter__"):
                    with given:
                        pass
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


@pytest.mark.parametrize(
    ("call", "words"),
    [
        (lambda job, body: job.box("b", True, 2, 3), 'step "b": box: dx takes a finite number, got True'),
        (lambda job, body: job.box("b", 1, None, 3), 'step "b": box: dy takes a finite number, got None'),
        (lambda job, body: job.union("u", body, 3), 'step "u": union: bodies takes a body, got 3'),
        (lambda job, body: job.mirror("m", 3, lw.XZ), 'step "m": mirror: body takes a body, got 3'),
        (
            lambda job, body: job.thread("t", body, 3, 1.5),
            'step "t": thread: face takes a face or a selection',
        ),
        (lambda job, body: job.sphere("s"), "sphere: missing a required argument: 'radius'"),
    ],
)
def test_the_verbs_of_a_job_have_the_same_gate(call, words):
    job = lw.Job()
    body = job.box("block", fractions.Fraction(7, 2), decimal.Decimal(2), np.int64(3))
    assert body.volume == pytest.approx(21)
    with pytest.raises(lw.ModellingError) as refusal:
        call(job, body)
    assert words in str(refusal.value)
