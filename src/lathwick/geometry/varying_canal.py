"""The canal that a ball leaves whose radius changes as it rolls along a curve.

It touches each ball along a circle, which lies before or behind the ball's center where the radius grows or
shrinks. The nearest ball, not the nearest center, gives distance and normal.

Source: Peternell & Pottmann, "Computing rational parametrizations of canal surfaces", Journal of Symbolic
Computation 23 (1997), for the circles; the distance from a family of balls by the envelope theorem.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Self

import numpy as np

from ..errors import ModellingError
from .canal import CanalSurface
from .motion import Motion
from .placement import FloatArray
from .roots import monotone_zeros, sign_changes
from .spline import FittedCurve
from .surface import Foot, Surface
from .tolerance import NOWHERE
from .vector import Vec3

NEWTON_ROUNDS = 20
CLOSE = 1e-9
"""The search ends with a step so small, as a share of the spine; its square is what is left."""

SAMPLES = 65
TOGETHER = 4096
MOST = 0.05
"""The longest step of the search for the nearest ball, as a share of the spine."""


@dataclass(frozen=True, eq=False)
class VaryingCanal(CanalSurface):
    """The envelope of balls about `spine`.

    law : the radius is a polynomial of the spine's parameter; its coefficients, from the constant one.
    radius : the largest of them. The radius must change more slowly than the center moves.
    """

    law: tuple[float, ...]

    @classmethod
    def of(cls, spine: FittedCurve, zero: FittedCurve, law: tuple[float, ...]) -> Self:
        """The canal, with its largest radius found."""
        radii = np.polynomial.polynomial.polyval(np.linspace(spine.low, spine.high, 257), law)
        return cls(spine, zero, float(radii.max()), law)

    @property
    def fastest(self) -> float:
        return super().fastest + float(np.abs(self.radii(self._samples, 1)).max())

    def thickness(self) -> float:
        return float(self.radii(self._samples).min())

    def _level_balls(self, way: FloatArray) -> FloatArray:
        spine, rule = self.spine, self.radii
        stops = np.array(spine.spans(spine.low, spine.high))

        def slope(u: FloatArray, order: int = 1) -> FloatArray:
            rise = spine.derivatives(u) if order == 1 else spine.second(u)
            return np.asarray(rise @ way + rule(u, order))

        return np.union1d(monotone_zeros(slope, lambda u: slope(u, 2), stops), stops[1:-1])

    def local_feet(self, point: Vec3) -> FloatArray:
        """By the balls that are nearer to the point than those beside them."""
        target, stops = np.array(point), self.spine.samples(self.spine.low, self.spine.high)

        def rise(u: FloatArray) -> FloatArray:
            off, d1 = self.spine.points(u) - target, self.spine.derivatives(u)
            size = np.maximum(np.linalg.norm(off, axis=1), NOWHERE)
            return np.asarray((off * d1).sum(axis=1) / size - self.radii(u, 1))

        feet = np.concatenate([sign_changes(rise, stops), [self.spine.low, self.spine.high]])
        return self._towards(target, feet)

    def moved(self, motion: Motion) -> tuple[Surface, bool]:
        law = tuple(motion.factor * c for c in self.law)
        return VaryingCanal.of(self.spine.moved(motion), self.zero.moved(motion), law), True

    def exact_offset(self, distance: float) -> CanalSurface | None:
        raise ModellingError("a round whose radius varies cannot be offset yet")

    def radii(self, u: FloatArray, order: int = 0) -> FloatArray:
        law = np.polynomial.polynomial.polyder(self.law, order) if order else np.asarray(self.law)
        return np.asarray(np.polynomial.polynomial.polyval(u, law)) + np.zeros(len(u))

    def middles(self, u: FloatArray) -> FloatArray:
        back = self.radii(u) * self._growth(u)
        return self.spine.points(u) - back[:, None] * self.tangents(u)

    def arms(self, u: FloatArray) -> FloatArray:
        return np.asarray(self.radii(u) * np.sqrt(1.0 - self._growth(u) ** 2))

    def _radius_at(self, u: float) -> float:
        return float(self.radii(np.array([u]))[0])

    def stretch(self, u: FloatArray, normals: FloatArray) -> FloatArray:
        d1, d2 = self.spine.derivatives(u), self.spine.second(u)
        speed, k = np.linalg.norm(d1, axis=1), self._growth(u)
        gain = (d1 * d2).sum(axis=1) / speed
        turn = self.radii(u, 2) / speed - self.radii(u, 1) * gain / speed**2  # of the growth, per unit of u
        q = np.sqrt(1.0 - k * k)
        shape = (-1,) + (1,) * (normals.ndim - 2)
        bend = np.einsum("n...k,nk->n...", normals, d2) + (k * gain).reshape(shape)
        across = self.radii(u).reshape(shape) * (turn.reshape(shape) + bend / speed.reshape(shape))
        return np.asarray(speed.reshape(shape) * q.reshape(shape) - across / q.reshape(shape))

    def ways(self, u: FloatArray, normals: FloatArray) -> FloatArray:
        k = self._growth(u)[:, None]
        return np.asarray((self.tangents(u) + k * normals) / np.sqrt(1.0 - k * k))

    def _growth(self, u: FloatArray) -> FloatArray:
        """How fast the radius grows per length of the spine."""
        return np.asarray(self.radii(u, 1) / np.linalg.norm(self.spine.derivatives(u), axis=1))

    def _nearest(self, points: FloatArray) -> FloatArray:
        u = self._guessed(points)
        reach = MOST * (self.spine.high - self.spine.low)
        for _ in range(NEWTON_ROUNDS):
            off, d1, d2 = points - self.spine.points(u), self.spine.derivatives(u), self.spine.second(u)
            size = np.maximum(np.linalg.norm(off, axis=1), NOWHERE)
            ahead, swift = (off * d1).sum(axis=1) / size, (d1 * d1).sum(axis=1) / size
            bend = swift - (off * d2).sum(axis=1) / size - ahead**2 / size - self.radii(u, 2)
            step = (ahead + self.radii(u, 1)) / np.where(bend > 1e-9 * swift, bend, swift)
            moved = np.clip(u + np.clip(step, -reach, reach), self.spine.low, self.spine.high)
            done = np.abs(moved - u).max(initial=0.0) <= CLOSE * (self.spine.high - self.spine.low)
            u = moved
            if done:
                break
        return u

    def _nearest_one(self, point: Vec3, near: Foot | None) -> float:
        return float(self._nearest(np.array([point]))[0])

    def _guessed(self, points: FloatArray) -> FloatArray:
        """Of sampled balls the nearest to each point, by the spine's parameter."""
        t = np.linspace(self.spine.low, self.spine.high, SAMPLES)
        centers, radii = self.spine.points(t), self.radii(t)
        best = [
            np.argmin(np.linalg.norm(some[:, None] - centers, axis=2) - radii, axis=1)
            for some in np.array_split(points, max(1, len(points) // TOGETHER))
        ]
        return np.asarray(t[np.concatenate(best)])
