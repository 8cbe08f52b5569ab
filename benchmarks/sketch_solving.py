"""Solving and diagnosing a sketch of 60 constraints beside `scipy.optimize.least_squares`."""

from __future__ import annotations

import numpy as np
from scipy.optimize import least_squares

import lathwick as lw
from lathwick.sketch.constraints import Context
from lathwick.sketch.system import System

from .timing import Result, best_of


def link_chain(links: int, off: float) -> lw.Sketch:
    """Strap links side by side, each held to the one before; 12 constraints a link."""
    random = np.random.default_rng(5)
    sk = lw.Sketch()

    def at(x: float, y: float) -> tuple[float, float]:
        dx, dy = off * random.uniform(-1, 1, 2)
        return (x + dx, y + dy)

    before = sk.origin
    for i in range(links):
        x = 100.0 * i
        upper = sk.line(at(x + 60, 12), at(x, 12))
        lower = sk.line(at(x, -12), at(x + 60, -12))
        left = sk.arc(at(x, 0), upper.end, lower.start)
        right = sk.arc(at(x + 60, 0), lower.end, upper.start)
        for line in (upper, lower):
            sk.tangent(line, left)
            sk.tangent(line, right)
        sk.equal(left, right)
        sk.radius(left, 12)
        sk.horizontal(left.center, right.center)
        sk.distance(left.center, right.center, 60)
        sk.distance_x(before, left.center, 100 if i else 0)
        sk.distance_y(before, left.center, 0)
        hole = sk.circle(left.center, 5 + off * random.uniform(-1, 1))
        sk.diameter(hole, 10)
        sk.concentric(sk.circle(at(x + 60, 0), 4), right)
        before = left.center
    return sk


def run() -> list[Result]:
    sk = link_chain(5, 2.0)
    drawn = np.array(sk.variables.values)
    active = [*sk._shapes, *sk.constraints]
    context = Context(active, sk.extent)
    system = System([e for c in active for e in c.equations(context)], len(drawn))
    free = np.flatnonzero(~np.array(sk.variables.constant))

    def full(x: np.ndarray) -> np.ndarray:
        values = drawn.copy()
        values[free] = x
        return values

    def ours() -> None:
        sk.variables.values[:] = drawn.tolist()
        report = sk.solve()
        assert not report.conflicting

    def residuals(x: np.ndarray) -> np.ndarray:
        return system.residuals(full(x))

    def derivatives(x: np.ndarray) -> np.ndarray:
        return system.evaluate(full(x))[1][:, free]

    def theirs() -> None:
        least_squares(residuals, drawn[free], jac=derivatives, xtol=1e-14, ftol=1e-14, gtol=1e-14)

    one, two = best_of(ours), best_of(theirs)
    figures = f"{len(sk.constraints)} constraints: {1e3 * one:.1f} ms with diagnosis, "
    figures += f"least_squares {1e3 * two:.1f} ms"
    return [Result("sketch solving", f"{figures}, {two / one:.1f} x faster", "no slower", one <= two)]
