"""The scalar equations: every form's derivatives agree with differences, at random places."""

import numpy as np
import pytest

from lathwick.sketch.equations import FORMS

COLUMNS = {
    "difference": (2, 1), "value": (1, 1), "mean": (3, 0), "turned": (5, 2), "distance": (4, 1),
    "on_circle": (5, 0), "on_ellipse": (8, 0), "equal_length": (8, 0),
    "direction": (8, 2), "off_line": (6, 1),
    "arc_length": (7, 2), "line_circle": (7, 2), "circle_circle": (6, 3),
    "middle_on_line": (8, 0), "across_line": (8, 0), "share": (3, 1), "sum": (3, 1),
    "arc_share": (9, 2), "curve_place": (12, 3), "curve_slope": (13, 3), "curve_share": (11, 3),
    "chain_share": (9, 2),
}  # fmt: skip


def test_every_form_is_tried():
    """A new form must be added to the table above."""
    assert set(COLUMNS) == set(FORMS)


@pytest.mark.parametrize("form", FORMS)
def test_derivatives_agree_with_differences(form):
    """Central differences of 200 rows at once."""
    columns, parameters = COLUMNS[form]
    random = np.random.default_rng(7)
    v, p = random.normal(size=(200, columns)) * 3, random.normal(size=(200, parameters))
    if form in ("arc_length", "arc_share"):
        p[:, 0] = np.sign(p[:, 0])
    if form.startswith("curve"):  # which coordinate, or a share; the sort of curve; a length
        p[:, 0], p[:, 1], p[:, 2] = random.integers(0, 2, 200), 7.0, random.integers(1, 4, 200)
        v[:, {"curve_place": 1, "curve_slope": 2, "curve_share": 0}[form]] = random.uniform(0.2, 6.8, 200)
    if form == "chain_share":
        p[:, 0], p[:, 1] = random.integers(0, 2, 200), random.uniform(0.1, 0.9, 200)
    _, slope = FORMS[form](v, p)
    assert slope.shape == v.shape
    h = 1e-6
    for k in range(columns):
        step = np.zeros(columns)
        step[k] = h
        difference = (FORMS[form](v + step, p)[0] - FORMS[form](v - step, p)[0]) / (2 * h)
        steady = np.abs(difference) < 1e3  # not across the cut of an angle
        assert steady.mean() > 0.98
        assert np.abs(difference - slope[:, k])[steady].max() < 1e-5 * (1 + np.abs(slope).max())
