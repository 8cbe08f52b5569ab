"""Relations proposed from a rough drawing, and applied only when accepted."""

import math

import pytest

import lathwick as lw


def rough_plate() -> lw.Sketch:
    """A plate with a round end, drawn by hand: nothing meets, nothing is level."""
    sk = lw.Sketch()
    sk.line((0.1, -0.2), (40.2, 0.3), name="low")
    sk.line((40.0, 20.1), (-0.1, 19.8), name="high")
    sk.line((0.2, 20.0), (-0.2, 0.1), name="left")
    sk.arc((40.1, 10.2), (40.0, 0.1), (40.2, 20.2), name="nose")
    sk.circle((38, 10), 4.1, name="hole")
    sk.circle((8, 10), 3.9, name="other")
    return sk


def test_proposals_are_listed_and_change_nothing():
    """What is nearly so is proposed with how far it is off; the drawing stays."""
    sk = rough_plate()
    before = list(sk.variables.values)
    proposals = sk.infer(0.6)
    kinds = [p.kind for p in proposals]
    assert {k: kinds.count(k) for k in kinds} == {
        "coincident": 6, "horizontal": 2, "vertical": 1, "tangent": 2, "equal": 2,
    }  # fmt: skip
    assert sk.constraints == ()
    assert sk.variables.values == before
    assert any(str(p).startswith("horizontal(low), off by") for p in proposals)


def test_accepted_proposals_make_the_drawing_close():
    """Accepting all closes the profile; what would contradict or repeat is left out."""
    sk = rough_plate()
    made = sk.accept(sk.infer(0.6))
    report = sk.solve()
    assert not report.conflicting
    assert not report.redundant
    assert len(made) >= 9
    (region,) = sk.regions()
    assert len(region.holes) == 2
    length, radius = sk["low"].length, sk["nose"].radius
    assert region.area == pytest.approx(
        length * 2 * radius + math.pi * radius**2 / 2 - 2 * math.pi * sk["hole"].radius ** 2
    )
    assert sk.infer(0.6, 1e-6) == () or all(p.kind != "coincident" for p in sk.infer(0.6))


def test_some_can_be_accepted():
    """Only what is passed on is applied."""
    sk = rough_plate()
    level = [p for p in sk.infer(0.6) if p.kind == "horizontal"]
    (one, two) = sk.accept(level)
    assert {one.kind, two.kind} == {"horizontal"}
    assert sk["low"].start.y == sk["low"].end.y


@pytest.mark.parametrize("arguments", [(0,), (-1,), (float("nan"),), (1, 60), (1, 0)])
def test_wrong_tolerances(arguments):
    """A tolerance is a positive length, an angle at most 45 degrees."""
    with pytest.raises(lw.SketchError, match=r"tolerance above 0|tolerance takes a finite number"):
        lw.Sketch().infer(*arguments)
