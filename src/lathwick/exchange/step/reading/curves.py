"""Curves of ISO 10303-42 as curves of the kernel."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any, ClassVar, Self

import numpy as np

from ....errors import ExchangeError
from ....geometry.conics import Hyperbola, Parabola
from ....geometry.curve import Curve
from ....geometry.curves import Circle, Ellipse, Line, circle_through
from ....geometry.fitting import curve_as_spline
from ....geometry.motion import Motion
from ....geometry.placement import FloatArray, Plane
from ....geometry.spline import BSpline, SplineCurve
from ....geometry.vector import Vec3, unit, vec3
from .replicas import original
from .source import Source
from .text import Record

MOST_CONTROLS = 200_000
BESIDE, CORNER = 1e-9, 1e-5
"""A spline turns a corner where, so near to both sides of a knot (share of its range), its directions differ
by more (radians)."""

ROUND, FLAT = 1e-9, 1e-12
"""How far, as a share of its size, a rational spline may be from a circle, and controls from a line."""


def read_curve(source: Source, number: int) -> Curve:
    """The curve of an instance. Raises ExchangeError, with its number and name, for what cannot be read."""
    return source.once("curve", number, lambda: source.by_kind(number, PASSED, _KINDS, "curve"))


def _line(source: Source, number: int) -> Curve:
    _, point, vector, *_ = source.values(number, "LINE", 3)
    ahead = source.values(source.ref(vector, number, "a vector"), "VECTOR", 2)[1]
    return Line(
        source.point(source.ref(point, number, "a point")),
        source.direction(source.ref(ahead, number, "a way")),
    )


def _placed(source: Source, number: int, name: str, sizes: int) -> tuple[Plane, list[float]]:
    _, frame, *values = source.values(number, name, 2 + sizes)
    plane = source.placement(source.ref(frame, number, "a position"))
    return plane, [source.size(value, number, "a size") for value in values[:sizes]]


def _circle(source: Source, number: int) -> Curve:
    frame, (radius,) = _placed(source, number, "CIRCLE", 1)
    return Circle(frame, radius)


def _ellipse(source: Source, number: int) -> Curve:
    frame, (major, minor) = _placed(source, number, "ELLIPSE", 2)
    return Circle(frame, major) if major == minor else Ellipse(frame, major, minor)


def _hyperbola(source: Source, number: int) -> Curve:
    frame, (major, minor) = _placed(source, number, "HYPERBOLA", 2)
    return Hyperbola(frame, major, minor)


def _parabola(source: Source, number: int) -> Curve:
    frame, (focal,) = _placed(source, number, "PARABOLA", 1)
    return Parabola(frame, focal)


def _polyline(source: Source, number: int) -> Curve:
    points = np.array(
        [source.point(p) for p in source.refs(source.values(number, "POLYLINE", 2)[1], number, "points")]
    )
    return _straight_or_spline(BSpline(1, _uniform(1, len(points)), points), number)


def _replica(source: Source, number: int) -> Curve:
    parent, motion = original(source, number, "CURVE_REPLICA")
    return read_curve(source, parent).moved(motion)


PASSED = {"TRIMMED_CURVE", "SURFACE_CURVE", "SEAM_CURVE", "INTERSECTION_CURVE", "BOUNDED_SURFACE_CURVE"}
"""Their second value is the curve itself."""

# ---------------------------------------------------------------------- splines


def spline_values(
    source: Source, number: int, what: str, shape_values: int
) -> tuple[list[Any], list[Any] | None, str, list[Any] | None]:
    """Of a B-spline `what` (CURVE or SURFACE), simple or complex: the values of its shape, those of its knots
    or None, the kind of its knots, and the values of its weights or None."""
    base, knots_name = f"B_SPLINE_{what}", f"B_SPLINE_{what}_WITH_KNOTS"
    records = source.text.records(number)
    if len(records) == 1:
        name, values = records[0]
        shape = values[1 : 1 + shape_values]
        rest = values[1 + shape_values :]
        return shape, rest if name == knots_name else None, name, None
    parts = {record.name: record for record in records}
    shape_record: Record | None = parts.get(base)
    if shape_record is None:
        raise ExchangeError(f"#{number}: a spline without {base}")
    weights = parts.get(f"RATIONAL_B_SPLINE_{what}")
    kind = next((n for n in parts if n in EVEN[what]), knots_name)
    knots = parts[knots_name].values if knots_name in parts else None
    return shape_record.values, knots, kind, None if weights is None else weights.values


EVEN = {
    "CURVE": ("BEZIER_CURVE", "UNIFORM_CURVE", "QUASI_UNIFORM_CURVE"),
    "SURFACE": ("BEZIER_SURFACE", "UNIFORM_SURFACE", "QUASI_UNIFORM_SURFACE"),
}


def knot_row(
    source: Source, number: int, kind: str, degree: int, count: int, given: tuple[Any, Any] | None
) -> tuple[float, ...]:
    """All knots, each as often as it counts; `given` are counts and distinct knots, else the kind tells."""
    if given is None:
        if kind.startswith("BEZIER"):
            return _bezier(degree, count, number)
        if kind.startswith("UNIFORM"):
            return tuple(float(k - degree) for k in range(count + degree + 1))
        return _uniform(degree, count)
    counts, knots = given
    if not isinstance(counts, list) or not isinstance(knots, list) or len(counts) != len(knots):
        raise ExchangeError(f"#{number}: as many knots as counts are wanted")
    row: list[float] = []
    for many, knot in zip(counts, knots, strict=True):
        times = int(source.number(many, number, "a count of knots"))
        if not 1 <= times <= degree + 1 or (row and source.number(knot, number, "a knot") <= row[-1]):
            raise ExchangeError(f"#{number}: its knots do not grow, or one counts {times} times")
        row += [source.number(knot, number, "a knot")] * times
    if len(row) != count + degree + 1:
        raise ExchangeError(f"#{number}: {len(row)} knots for {count} controls of degree {degree}")
    return tuple(row)


def _uniform(degree: int, count: int) -> tuple[float, ...]:
    inner = range(count - degree + 1)
    return (0.0,) * degree + tuple(float(k) for k in inner) + (float(count - degree),) * degree


def _bezier(degree: int, count: int, number: int) -> tuple[float, ...]:
    pieces, rest = divmod(count - 1, degree)
    if rest:
        raise ExchangeError(f"#{number}: {count} controls make no pieces of degree {degree}")
    return (0.0, *(float(k) for k in range(pieces + 1) for _ in range(degree)), float(pieces))


def clamped(
    degree: int, knots: Sequence[float], controls: FloatArray
) -> tuple[tuple[float, ...], FloatArray]:
    """The same spline over its range with as many knots at its ends as clamp it (Boehm's knot insertion).
    controls : (n, d)."""
    row = np.array(knots)
    low, high = row[degree], row[-degree - 1]
    if row[0] == low and row[-1] == high:
        return tuple(row.tolist()), controls
    from scipy.interpolate import insert

    for t in (low, high):
        need = degree - int((row == t).sum())
        if need > 0:
            padded = np.vstack([controls, np.zeros((degree + 1, controls.shape[1]))])
            row, columns, _ = insert(t, (row, list(padded.T), degree), m=need)
            controls = np.array(columns).T[: len(row) - degree - 1]
    begin = int(np.searchsorted(row, low, side="right")) - 1 - degree
    inner = row[(row > low) & (row < high)]
    count = len(inner) + degree + 1
    ends = (low,) * (degree + 1), (high,) * (degree + 1)
    return (*ends[0], *inner.tolist(), *ends[1]), controls[begin : begin + count]


def _written(source: Source, number: int) -> BSpline | _RationalSpline:
    """A spline as it stands in the file."""
    return source.once("spline", number, lambda: _read_spline(source, number))


def _read_spline(source: Source, number: int) -> BSpline | _RationalSpline:
    shape, knots, kind, weights = spline_values(source, number, "CURVE", 5)
    if len(shape) < 2:
        raise ExchangeError(f"#{number}: a spline without controls")
    degree = int(source.number(shape[0], number, "a degree"))
    points = np.array([source.point(p) for p in source.refs(shape[1], number, "controls")])
    if not 1 <= degree <= 25 or not degree < len(points) <= MOST_CONTROLS:
        raise ExchangeError(f"#{number}: {len(points)} controls of degree {degree}")
    given = None if knots is None else (knots[0], knots[1])
    row = knot_row(source, number, kind, degree, len(points), given)
    if weights is None:
        row, points = clamped(degree, row, points)
        return BSpline(degree, row, points)
    sizes = np.array([source.number(w, number, "a weight") for w in weights[0]])
    if len(sizes) != len(points) or not (sizes > 0.0).all():
        raise ExchangeError(f"#{number}: weights must be more than 0, one for each control")
    lifted = np.column_stack([points * sizes[:, None], sizes])
    row, lifted = clamped(degree, row, lifted)
    if np.ptp(lifted[:, 3]) <= FLAT * lifted[:, 3].max():
        return BSpline(degree, row, lifted[:, :3] / lifted[:, 3:])
    return _RationalSpline(BSpline(degree, row, lifted))


def _spline(source: Source, number: int) -> Curve:
    made = _written(source, number)
    if isinstance(made, BSpline):
        return _straight_or_spline(made, number)
    found = _as_circle(made)
    return found if found is not None else curve_as_spline(made, *made.domain)


def spline_points(source: Source, number: int) -> list[Vec3] | None:
    """The corners of a spline of degree 1; None for any other."""
    made = _written(source, number)
    base = made if isinstance(made, BSpline) else made.lifted
    if base.degree > 1:
        return None
    return [
        vec3(p) for p in base.controls[:, :3] / (base.controls[:, 3:] if base.controls.shape[1] > 3 else 1.0)
    ]


def corners_of(source: Source, number: int) -> list[float]:
    """The ends of a spline and the knots at which it turns a corner."""
    made = _written(source, number)
    base = made if isinstance(made, BSpline) else made.lifted
    knots, counts = np.unique(np.array(base.knots), return_counts=True)
    low, high = float(knots[0]), float(knots[-1])
    least = BESIDE * (high - low)
    inner = (knots > low + least) & (knots < high - least) & (counts >= base.degree)
    found = [t for t in knots[inner].tolist() if _turns(made, t, least)]
    return [low, *found, high]


def _turns(curve: BSpline | _RationalSpline, t: float, beside: float) -> bool:
    before, after = curve.derivatives(np.array([t - beside, t + beside]))
    sizes = float(np.linalg.norm(before) * np.linalg.norm(after))
    return float(np.linalg.norm(np.cross(before, after))) > CORNER * sizes or float(before @ after) < 0.0


def spline_part(source: Source, number: int, low: float, high: float) -> Curve:
    """A curve with the points and the parameters of a spline of the file from `low` to `high`, between which
    it has no corner."""
    made = _written(source, number)
    if isinstance(made, BSpline):
        return SplineCurve(made.degree, made.knots, made.controls)
    return curve_as_spline(made, low, high)


def _straight_or_spline(made: BSpline, number: int) -> Curve:
    """A line, where the controls lie in a row and follow each other; else the spline."""
    points = made.controls
    way = points[-1] - points[0]
    size = float(np.linalg.norm(way))
    if size > 0.0:
        off = np.linalg.norm(np.cross(points - points[0], way / size), axis=1).max()
        if off <= FLAT * size and (np.diff(points @ way) >= 0.0).all():
            return Line(vec3(points[0]), unit(vec3(way)))
    if made.degree == 1:
        raise ExchangeError(f"#{number}: a curve with corners (a polyline) bounds no smooth face")
    return SplineCurve(made.degree, made.knots, points)


@dataclass(frozen=True, eq=False)
class _RationalSpline(Curve):
    """A rational B-spline curve, by its lifted polynomial one."""

    lifted: BSpline
    kind: ClassVar[str] = "rational"

    @property
    def domain(self) -> tuple[float, float]:
        return self.lifted.low, self.lifted.high

    def breaks(self, t0: float, t1: float) -> list[float]:
        return self.lifted.spans(t0, t1)

    def smooth_breaks(self, t0: float, t1: float) -> list[float]:
        return self.lifted.smooth_breaks(t0, t1)

    def points(self, t: FloatArray) -> FloatArray:
        table = self.lifted.points(t)
        return np.asarray(table[:, :3] / table[:, 3:])

    def derivatives(self, t: FloatArray) -> FloatArray:
        d = self.lifted.derivatives(t)
        w = self.lifted.points(t)[:, 3:]
        return np.asarray((d[:, :3] - self.points(t) * d[:, 3:]) / w)

    def second(self, t: FloatArray) -> FloatArray:
        dd, d, w = self.lifted.second(t), self.lifted.derivatives(t), self.lifted.points(t)[:, 3:]
        return np.asarray((dd[:, :3] - 2 * d[:, 3:] * self.derivatives(t) - dd[:, 3:] * self.points(t)) / w)

    def moved(self, motion: Motion) -> Self:
        w = self.lifted.controls[:, 3:]
        controls = np.column_stack([motion.points(self.lifted.controls[:, :3] / w) * w, w])
        return replace(self, lifted=replace(self.lifted, controls=controls))


def _as_circle(curve: _RationalSpline) -> Circle | None:
    """The circle on which the whole of a curve lies; None if it lies on none."""
    t = np.linspace(*curve.domain, 24)
    points = curve.points(t)
    size = float(np.ptp(points, axis=0).max())
    circle = circle_through(*(vec3(points[k]) for k in (0, 8, 15)))
    if circle is None:
        return None
    feet = circle.points(np.array([circle.parameter(vec3(p)) for p in points]))
    return circle if np.linalg.norm(feet - points, axis=1).max() <= ROUND * size else None


SPLINES = ("B_SPLINE_CURVE", "B_SPLINE_CURVE_WITH_KNOTS", "RATIONAL_B_SPLINE_CURVE", *EVEN["CURVE"])

_KINDS: dict[str, Callable[[Source, int], Curve]] = {
    "LINE": _line,
    "CIRCLE": _circle,
    "ELLIPSE": _ellipse,
    "HYPERBOLA": _hyperbola,
    "PARABOLA": _parabola,
    "POLYLINE": _polyline,
    "CURVE_REPLICA": _replica,
    **dict.fromkeys(SPLINES, _spline),
}
