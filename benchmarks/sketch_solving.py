"""Solving and diagnosing a sketch of 60 constraints beside `scipy.optimize.least_squares`."""

from __future__ import annotations

import math

import numpy as np
from scipy.optimize import least_squares

import lathwick as lw
from lathwick.sketch.system import System
from lathwick.sketch.writing import Context

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
    context = Context(active)
    system = System([e for c in active for e in context.equations(c, sk.variables.values)], len(drawn))
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
    beside = Result("sketch solving", f"{figures}, {two / one:.1f} x faster", "at least 5 x", two >= 5 * one)
    return [beside, size(17, 0.050), size(167, 2.0), growth(), again()]


def seconds(links: int) -> float:
    """Shortest time to solve and diagnose a rough chain, from a fresh drawing each time."""
    drawings = [link_chain(links, 2.0) for _ in range(3)]
    return min(best_of(sk.solve, 1) for sk in drawings)


def size(links: int, limit: float) -> Result:
    took = seconds(links)
    count = 12 * links
    return Result(f"{count} constraints", f"{1e3 * took:.0f} ms", f"under {1e3 * limit:.0f} ms", took < limit)


def growth() -> Result:
    few, many = seconds(40), seconds(320)
    power = math.log(many / few) / math.log(8)
    figures = f"480: {few:.2f} s, 3,840: {many:.2f} s: grows as N^{power:.2f}"
    return Result("constraints, growth", figures, "near linear", power <= 1.2)


def again() -> Result:
    """Solving again after one changed dimension, beside a fresh solve."""
    sk = link_chain(17, 2.0)
    fresh = seconds(17)
    sk.solve()
    (first, *_) = [c for c in sk.constraints if c.kind == "radius"]

    def change() -> None:
        first.value = 12.5 if first.value == 12.0 else 12.0
        sk.solve()

    changed = best_of(change)
    figures = (
        f"fresh {1e3 * fresh:.1f} ms, after a change {1e3 * changed:.1f} ms, {changed / fresh:.2f} of it"
    )
    return Result("solving again", figures, "under 0.33", changed < fresh / 3)
