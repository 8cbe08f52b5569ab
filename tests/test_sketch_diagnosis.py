"""Diagnosis: what is free, what is said twice, what cannot hold together; by name."""

import pytest

import lathwick as lw

from .sketches import CASES, exact, rough


@pytest.mark.parametrize("name", CASES)
def test_each_constraint_is_needed(name):
    """Without any one constraint, something is free and is named."""
    case, extent = CASES[name]
    count = len(case(*exact(), 1.0)[0].constraints)
    for i in range(count):
        sketch, _ = case(*rough(i, 0.05, extent), 1.0)
        sketch.constraints[i].remove()
        report = sketch.solve()
        assert report.freedom >= 1
        assert report.free
        assert "freedom left" in str(report)


@pytest.mark.parametrize("name", CASES)
def test_each_constraint_given_twice_is_named(name):
    """The second of two equal constraints is redundant, and no other is."""
    case, _ = CASES[name]
    count = len(case(*exact(), 1.0)[0].constraints)
    for i in range(count):
        sketch, _ = case(*exact(), 1.0)
        sketch.solve()
        original = sketch.constraints[i]
        verb = getattr(sketch, original.kind)
        value = () if original.value is None else (original.value,)
        verb(*original.entities, *value, name="said twice")
        report = sketch.solve()
        assert report.redundant == ("said twice",), original
        assert report.freedom == 0


@pytest.mark.parametrize("name", CASES)
def test_each_contradicting_dimension_is_named(name):
    """A second, different value is in conflict; the drawing stays, and dropping any one named helps."""
    case, _ = CASES[name]
    sketch, _ = case(*exact(), 1.0)
    sketch.solve()
    for original in [c for c in sketch.constraints if c.value is not None]:
        before = list(sketch.variables.values)
        verb = getattr(sketch, original.kind)
        extra = verb(*original.entities, original.value * 1.1, name="contradiction")
        report = sketch.solve()
        assert "contradiction" in report.conflicting, original
        assert original.name in report.conflicting
        assert sketch.variables.values == before
        extra.remove()
        assert sketch.solve().is_fully_defined


def test_conflict_is_smallest():
    """Leaving out any one of the conflicting constraints makes the others hold."""

    def triangle(leave_out: str | None = None) -> lw.Sketch:
        sk = lw.Sketch()
        sides = sk.polyline([(0, 0), (10, 0), (5, 6)], close=True)
        other = sk.circle((30, 0), 4, name="other")
        sk.radius(other, 5, name="unrelated")
        for side, length in zip(sides, (3, 4, 9), strict=True):
            if f"side {length}" != leave_out:
                sk.length(side, length, name=f"side {length}")
        return sk

    conflict = triangle().solve().conflicting
    assert conflict == ("side 3", "side 4", "side 9")
    for name in conflict:
        assert not triangle(leave_out=name).solve().conflicting


def test_redundant_tells_what_it_repeats():
    """A perpendicular in a rectangle follows from horizontal and vertical, and says so."""
    sk = lw.Sketch()
    bottom, right, _, _ = sk.polyline([(0, 0), (4, 0), (4, 3), (0, 3)], close=True)
    sk.horizontal(bottom, name="level")
    sk.vertical(right, name="upright")
    sk.perpendicular(bottom, right, name="square")
    report = sk.solve()
    assert report.repeats == (("square", ("level", "upright")),)
    assert "square repeats level, upright" in str(report)


def test_partly_implied_symmetry_is_not_redundant():
    """A symmetry of two points that are level anyway still centers them."""
    sk = lw.Sketch()
    line = sk.line((-4, 2), (5, 2))
    sk.horizontal(line)
    sk.symmetric(line.start, line.end, sk.y_axis)
    assert sk.solve().redundant == ()


def test_free_entities_are_told_apart():
    """Only what can move is listed as free."""
    sk = lw.Sketch()
    sk.fix(sk.circle((0, 0), 3, name="still"))
    sk.circle((9, 0), 3, name="loose")
    report = sk.solve()
    assert report.free == ("loose",)
    assert report.freedom == 3


def test_reports_speak_by_kind_and_entities():
    """An unnamed constraint is called by its kind and entities."""
    sk = lw.Sketch()
    line = sk.line((0, 0), (5, 0), name="keel")
    sk.length(line, 5)
    sk.length(line, 6)
    assert sk.solve().conflicting == ("length(keel)", "length(keel)")


def test_strict_job_refuses_a_loose_sketch():
    """A strict job tells what can still move, with the step."""
    job = lw.Job(strict=True)
    sk = job.sketch("plan")
    sk.circle((0, 0), 5, name="disc")
    with pytest.raises(lw.SketchError, match=r'step "disc": sketch "plan" is not fully defined'):
        job.extrude("disc", sk, 3)


def test_conflict_stops_the_extrusion_by_name():
    """A sketch in conflict builds nothing and names the constraints."""
    job = lw.Job()
    sk = job.sketch("plan")
    disc = sk.circle((0, 0), 5)
    sk.radius(disc, 5, name="five")
    sk.radius(disc, 6, name="six")
    with pytest.raises(lw.SketchError, match="cannot hold together: five, six"):
        job.extrude("disc", sk, 3)


def test_redundancy_is_a_warning_on_the_step():
    """A dimension given twice does not stop the work, but every output can show it."""
    job = lw.Job()
    sk = job.sketch("plan")
    disc = sk.circle((0, 0), 5)
    sk.radius(disc, 5, name="five")
    sk.diameter(disc, 10, name="ten")
    job.extrude("disc", sk, 3)
    (warning,) = job.steps[-1].warnings
    assert "ten repeats five" in warning


@pytest.mark.parametrize("entity", ["line", "circle"])
def test_shrinking_to_nothing_is_a_conflict(entity):
    """Constraints that only a point could fulfil do not hold together."""
    sk = lw.Sketch()
    if entity == "line":
        line = sk.line((0, 0), (10, 3))
        sk.horizontal(line, name="level")
        sk.vertical(line, name="upright")
        expected = ("level", "upright")
    else:
        ring = sk.circle((0, 4), 3)
        sk.fix(ring.center, name="still")
        sk.on(sk.point((1, 1), name="p"), ring, name="rim")
        sk.coincident(sk["p"], ring.center, name="middle")
        expected = ("rim", "middle")
    assert sk.solve().conflicting == expected
