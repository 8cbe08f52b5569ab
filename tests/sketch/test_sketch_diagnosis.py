"""Diagnosis: what is free, what is said twice, what cannot hold together; by name."""

import numpy as np
import pytest

import lathwick as lw
from lathwick.sketch.diagnosis import independent_rows

from ..sketches import exact, rough
from ..textbook import CASES


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


def test_the_cases_above_give_hundreds_of_mistakes():
    """What the two tests before name is more than 100 repeated and more than 100 conflicting constraints."""
    constraints = [c for case, _ in CASES.values() for c in case(*exact(), 1.0)[0].constraints]
    assert len(constraints) > 200
    assert sum(c.value is not None for c in constraints) > 80


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
    with pytest.raises(
        lw.SketchError, match="five = 5 and six = 6 cannot hold together; six was given last, 5 would do"
    ):
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


def test_motions_tell_point_and_direction():
    """A point on a line moves along it, one on a circle along its tangent, a loose one anywhere."""
    sk = lw.Sketch()
    rail = sk.line((0, 0), (10, 10), name="rail")
    sk.fix(rail)
    ring = sk.circle((20, 0), 5, name="ring")
    sk.fix(ring)
    sk.on(sk.point((4, 4), name="slider"), rail)
    sk.on(sk.point((25, 0), name="rider"), ring)
    sk.point((3, 9), name="loose")
    sk.horizontal(sk.point((5, 0), name="level"), sk.origin)
    report = sk.solve()
    motions = {m.point: m.direction for m in report.motions}
    assert report.freedom == 5
    assert motions["slider"] == pytest.approx((0.5**0.5, 0.5**0.5))
    assert motions["rider"] == pytest.approx((0, 1), abs=1e-12)
    assert motions["loose"] is None
    assert motions["level"] == (1, 0)
    assert {str(m) for m in report.motions} >= {"level can move along x", "loose can move anywhere"}


def test_long_trusses_solve_and_follow_a_change():
    """A connected structure of hundreds of lengths: one changed length turns its far end."""
    random = np.random.default_rng(4)
    sk = lw.Sketch()

    def at(x: float, y: float) -> lw.Sketch:
        return sk.point((x + random.uniform(-0.1, 0.1), y + random.uniform(-0.1, 0.1)))

    bays = 150
    low = [at(i, 0) for i in range(bays + 1)]
    high = [at(i + 0.5, 0.8) for i in range(bays + 1)]
    sk.coincident(low[0], sk.origin)
    sk.horizontal(low[0], low[1])
    strut = 0.9
    for i in range(bays):
        sk.distance(low[i], low[i + 1], 1)
        sk.distance(high[i], high[i + 1], 1)
        sk.distance(low[i], high[i], strut)
        sk.distance(high[i], low[i + 1], strut)
    sk.distance(low[-1], high[-1], strut)
    assert sk.solve().is_fully_defined
    assert low[-1].position == pytest.approx((bays, 0), abs=1e-9)
    sk.constraints[3].value = 0.98
    report = sk.solve()
    assert report.is_fully_defined
    assert report.max_residual < 1e-9
    assert abs(low[-1].y) > 1


@pytest.mark.parametrize("seed", range(6))
def test_elimination_agrees_with_dense_rank(seed):
    """Rank, the dependent rows and what can move agree with singular values on random sparse rows."""
    random = np.random.default_rng(seed)
    dense = np.where(random.random((14, 12)) < 0.3, random.normal(size=(14, 12)), 0.0)
    dense[5] = dense[1] - 2 * dense[3]
    dense[9] = 0.5 * dense[0] + dense[4]
    rows = [{int(c): float(row[c]) for c in np.flatnonzero(row)} for row in dense]
    rank = independent_rows(rows, range(12))
    assert rank.rank == np.linalg.matrix_rank(dense)
    for i in range(14):
        before, after = (np.linalg.matrix_rank(dense[:k]) if k else 0 for k in (i, i + 1))
        assert (before == after) == (i in dict(rank.dependent))
    free = np.linalg.svd(dense)[2][rank.rank :]
    fixed = np.abs(free).max(axis=0, initial=0) < 1e-9
    assert set(rank.motion) == set(np.flatnonzero(~fixed).tolist())
    for column, moves in rank.motion.items():
        for motion in free:
            expected = sum(share * motion[f] for f, share in moves.items())
            assert motion[column] == pytest.approx(expected, abs=1e-9)
