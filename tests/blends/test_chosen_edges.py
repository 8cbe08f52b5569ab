"""Blends that keep to what is chosen, that leave out what spoils them, and that tell what does."""

import math

import pytest
from scipy.integrate import quad

import lathwick as lw

CORNER = 1.0 - math.pi / 4.0
"""What a round of radius one takes off a square edge, across it."""


def plate() -> lw.Body:
    sk = lw.Sketch(lw.XY)
    sk.rectangle(60, 40, center=(0, 0), rounding=8)
    return lw.extrude(sk, 20, step="p")


def _of_arc(radius: float, size: float) -> float:
    """What a round takes off along a quarter of a convex arc."""
    return quad(
        lambda s: (size - math.sqrt(size**2 - (size - s) ** 2)) * (radius - s) * math.pi / 2, 0, size
    )[0]


@pytest.mark.parametrize(("chosen", "straight", "arcs"), [("line", 44, 0), ("arc", 0, 1), ("both", 44, 1)])
def test_a_round_keeps_to_the_chosen_edges(chosen, straight, arcs):
    """Where others continue them it ends in a step, square to the edge; all else is as it was."""
    body = plate()
    top = body.edges("p/end")
    line = [e for e in top if e.kind == "line" and e.midpoint[1] < -19]
    arc = [e for e in top if e.kind == "circle" and e.midpoint[1] < 0 < e.midpoint[0]]
    edges = {"line": line, "arc": arc, "both": line + arc}[chosen]
    made = lw.fillet(body, edges, 3, follow=False, step="r")
    assert made.is_valid
    assert len(made.faces("r/end")) == 2
    assert len(made.faces("r/round")) == len(edges)
    assert body.volume - made.volume == pytest.approx(straight * 9 * CORNER + arcs * _of_arc(8, 3), rel=1e-9)
    assert len(made.faces()) == len(body.faces()) + len(edges) + 2


def test_a_bevel_keeps_to_the_chosen_edges_of_a_job():
    job = lw.Job()
    body = job.cylinder("c", 10, 10)
    flat = job.cut("flat", body, job.box("b", 30, 30, 30, on=lw.Plane((6, -15, -5), (0, 0, 1))))
    rounded = job.fillet("soft", flat, flat.edges("c/side", "b/side:left"), 1)
    line = [e for e in rounded.edges("c/top") if e.kind == "line"]
    made = job.chamfer("bevel", rounded, line, 0.5, follow=False)
    assert rounded.volume - made.volume == pytest.approx(line[0].length * 0.5**2 / 2, rel=1e-9)
    assert made.faces("bevel/end")


def test_all_of_a_chain_needs_no_steps():
    body = plate()
    top = body.edges("p/end")
    assert lw.fillet(body, top, 3, follow=False).volume == lw.fillet(body, top, 3).volume


def walled() -> tuple[lw.Body, list]:
    """A block with a thin wall along it: the edges of the wall's top take no large round."""
    body = lw.union(
        lw.box(60, 40, 20, step="p"), lw.box(60, 1.5, 10, on=lw.Plane((0, 0, 20), (0, 0, 1)), step="w")
    )
    return body, [e for e in body.edges() if abs(e.end[0] - e.start[0]) > 50]


def test_edges_that_spoil_a_radius_are_told_and_can_be_skipped():
    body, edges = walled()
    with pytest.raises(
        lw.ModellingError, match=r"leave out the edges near .*, then 2 fits; the largest"
    ) as refused:
        lw.fillet(body, edges, 2)
    assert refused.value.limit == pytest.approx(0.75)
    told: list[str] = []
    made = lw.fillet(body, edges, 2, skip=True, warn=told.append)
    thin = [e for e in edges if e.midpoint[2] > 29]
    assert made.volume == lw.fillet(body, [e for e in edges if e not in thin], 2).volume
    assert len(told) == 1
    assert "left as they are: the edges near (30, 0, 30), near (30, 1.5, 30)" in told[0]


def test_a_job_warns_of_what_it_skips():
    job = lw.Job()
    body = job.union(
        "all", job.box("p", 60, 40, 20), job.box("w", 60, 1.5, 10, on=lw.Plane((0, 0, 20), (0, 0, 1)))
    )
    edges = [e for e in body.edges() if abs(e.end[0] - e.start[0]) > 50]
    job.fillet("r", body, edges, 2, skip=True)
    assert any("left as they are" in warning for warning in job.steps[-1].warnings)


def test_nothing_fits_is_refused_with_skip_too():
    body, edges = walled()
    thin = [e for e in edges if e.midpoint[2] > 29]
    with pytest.raises(lw.ModellingError, match="largest that works is"):
        lw.fillet(body, thin, 40, skip=True)
