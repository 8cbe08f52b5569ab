"""Rounds along the rims of lofts whose walls come there smoothly, and part below."""

from __future__ import annotations

import math

import numpy as np
import pytest

import lathwick as lw

from ..conftest import sound


def funnel(corners: int, lean: float, ruled: bool) -> lw.Body:
    """From a polygon to a circle above it, in a plane that leans."""
    below, above = lw.Sketch(lw.XY), lw.Sketch(lw.Plane((1.0, 0.5, 20.0), (lean, -0.5 * lean, 1.0)))
    below.polygon(corners, 11.0)
    above.circle((0, 0), 8.0)
    return lw.loft([below, above], ruled=ruled, step="funnel")


@pytest.mark.parametrize(
    ("corners", "lean", "ruled", "radius"),
    [(3, 0.1, True, 0.2), (5, 0.1, True, 0.6), (4, -0.15, False, 0.2)],
)
def test_a_ball_under_the_round_touches_the_end_and_a_wall(
    corners, lean, ruled, radius, tmp_path, outside_check
):
    body = funnel(corners, lean, ruled)
    rounded = lw.fillet(body, body.edges("funnel/end"), radius, step="soft")
    end, walls = body.face("funnel/end"), [f for f in body.faces() if f.names[0].startswith("funnel/side")]
    rounds = [face for face in rounded.faces() if face.step == "soft"]
    assert len(rounds) == len(walls) == corners
    for face in rounds:
        for edge in face.edges():
            ball = tuple(np.array(edge.midpoint) - radius * np.array(face.normal_at(edge.midpoint)))
            assert end.distance_to(ball) == pytest.approx(radius, abs=1e-7)
            assert min(abs(wall.distance_to(ball) - radius) for wall in walls) < 1e-7
    halves = [(edge.length, math.radians(edge.angle) / 2) for edge in body.edges("funnel/end")]
    off = sum(length * radius**2 * (math.tan(half) - half) for length, half in halves)
    assert body.volume - rounded.volume == pytest.approx(off, rel=0.25)
    sound(rounded, tmp_path, outside_check)
