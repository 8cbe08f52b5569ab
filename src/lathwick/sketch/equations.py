"""The scalar equations that constraints are made of, each evaluated for many rows at once.

A form takes the values of its variables, shape (N, k), and its parameters, shape (N, p), and
returns residuals, shape (N,), in the length unit, and derivatives, shape (N, k). Directions are
compared as angles (radians) times a length, so that every residual is a length.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .freeform import Array, by_complex_step, length_share, place_and_slope

FloatArray = NDArray[np.float64]
Result = tuple[FloatArray, FloatArray]

TINY = 1e-30


@dataclass(frozen=True, slots=True)
class Equation:
    """One row of the system: a form, the indices of its variables, and its parameters."""

    form: str
    variables: tuple[int, ...]
    parameters: tuple[float, ...] = ()


def _difference(v: FloatArray, p: FloatArray) -> Result:
    """a - b = d"""
    return v[:, 0] - v[:, 1] - p[:, 0], np.tile([1.0, -1.0], (len(v), 1))


def _value(v: FloatArray, p: FloatArray) -> Result:
    """a = d"""
    return v[:, 0] - p[:, 0], np.ones((len(v), 1))


def _mean(v: FloatArray, p: FloatArray) -> Result:
    """(a + b) / 2 = m"""
    return 0.5 * (v[:, 0] + v[:, 1]) - v[:, 2], np.tile([0.5, 0.5, -1.0], (len(v), 1))


def _turned(v: FloatArray, p: FloatArray) -> Result:
    """a = c + p0 (b - c) + p1 (b' - c'): a coordinate turned about a center; variables a b b' c c'"""
    cos, sin = p[:, 0], p[:, 1]
    off = v[:, 0] - v[:, 3] - cos * (v[:, 1] - v[:, 3]) - sin * (v[:, 2] - v[:, 4])
    return off, np.column_stack([np.ones(len(v)), -cos, -sin, cos - 1.0, sin])


def _mirrored_columns(g: FloatArray) -> FloatArray:
    """Derivatives by the start and the end of a difference from those by the difference, (N, 2) -> (N, 4)."""
    out = np.empty((len(g), 4))
    np.negative(g, out=out[:, :2])
    out[:, 2:] = g
    return out


def _apart(v: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Length of (x1 - x0, y1 - y0), shape (N,), and its derivatives by x0 y0 x1 y1, shape (N, 4)."""
    d = v[:, 2:4] - v[:, 0:2]
    length = np.hypot(d[:, 0], d[:, 1])
    return length, _mirrored_columns(d / np.maximum(length, TINY)[:, None])


def _distance(v: FloatArray, p: FloatArray) -> Result:
    """|PQ| = d"""
    length, slope = _apart(v)
    return length - p[:, 0], slope


def _on_circle(v: FloatArray, p: FloatArray) -> Result:
    """|PC| = r"""
    length, slope = _apart(v)
    out = np.empty((len(v), 5))
    out[:, :4], out[:, 4] = slope, -1.0
    return length - v[:, 4], out


def _on_ellipse(v: FloatArray, p: FloatArray) -> Result:
    """P lies on an ellipse: hypot(w.a / |a|^2, w.b / |b|^2) = 1 times a length, with w = P - C and a, b the
    half axes; variables p c tip side"""
    w, a, b = v[:, 0:2] - v[:, 2:4], v[:, 4:6] - v[:, 2:4], v[:, 6:8] - v[:, 2:4]
    aa, bb = (np.maximum((d * d).sum(axis=1), TINY)[:, None] for d in (a, b))
    s, t = (w * a).sum(axis=1)[:, None] / aa, (w * b).sum(axis=1)[:, None] / bb
    h = np.maximum(np.hypot(s, t), TINY)
    size = np.sqrt(np.sqrt(aa * bb))
    by_w = (s * a / aa + t * b / bb) / h
    by_a = s / h * (w - 2.0 * s * a) / aa
    by_b = t / h * (w - 2.0 * t * b) / bb
    scale_a, scale_b = (h - 1.0) * size * 0.5 * a / aa, (h - 1.0) * size * 0.5 * b / bb
    slope_w, slope_a, slope_b = size * by_w, size * by_a + scale_a, size * by_b + scale_b
    slope = np.hstack([slope_w, -slope_w - slope_a - slope_b, slope_a, slope_b])
    return ((h - 1.0) * size)[:, 0], slope


def _equal_length(v: FloatArray, p: FloatArray) -> Result:
    """|AB| = |CD|"""
    one, slope1 = _apart(v[:, 0:4])
    two, slope2 = _apart(v[:, 4:8])
    return one - two, np.hstack([slope1, -slope2])


def _turn(v: FloatArray) -> FloatArray:
    """Derivatives of the direction angle of AB by ax ay bx by, shape (N, 4)."""
    d = v[:, 2:4] - v[:, 0:2]
    return _mirrored_columns(_turning(d))


def _turning(d: FloatArray) -> FloatArray:
    """Derivatives of the direction angle of vectors, shape (N, 2), by their components."""
    x, y = d[:, 0], d[:, 1]
    square = np.maximum(x * x + y * y, TINY)
    g = np.empty_like(d)
    g[:, 0], g[:, 1] = -y / square, x / square
    return g


def _direction(v: FloatArray, p: FloatArray) -> Result:
    """(angle from AB to CD) = p0 radians, times the length p1; the difference is taken in (-pi, pi]."""
    a, b = v[:, 2:4] - v[:, 0:2], v[:, 6:8] - v[:, 4:6]
    cross = a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]
    dot = a[:, 0] * b[:, 0] + a[:, 1] * b[:, 1]
    c, s = np.cos(p[:, 0]), np.sin(p[:, 0])
    off = np.arctan2(cross * c - dot * s, dot * c + cross * s)
    scale = p[:, 1:2]
    by_a, by_b = scale * _turning(a), scale * _turning(b)
    slope = np.empty((len(v), 8))
    slope[:, 0:2], slope[:, 6:8] = by_a, by_b
    np.negative(by_a, out=slope[:, 2:4])
    np.negative(by_b, out=slope[:, 4:6])
    return off * p[:, 1], slope


def _height(v: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Signed distance of P to the left of AB, shape (N,); derivatives by px py ax ay bx by, (N, 6)."""
    d = v[:, 4:6] - v[:, 2:4]
    length = np.maximum(np.hypot(d[:, 0], d[:, 1]), TINY)
    e = d / length[:, None]
    n = np.column_stack([-e[:, 1], e[:, 0]])
    w = v[:, 0:2] - v[:, 2:4]
    height = (w * n).sum(axis=1)
    share = ((w * e).sum(axis=1) / length)[:, None]
    return height, np.hstack([n, n * (share - 1.0), -n * share])


def _off_line(v: FloatArray, p: FloatArray) -> Result:
    """(signed distance of P from AB) = d"""
    height, slope = _height(v)
    return height - p[:, 0], slope


def _line_circle(v: FloatArray, p: FloatArray) -> Result:
    """(signed distance of C from AB) = s r + d; variables cx cy ax ay bx by r"""
    height, slope = _height(v[:, 0:6])
    return height - p[:, 0] * v[:, 6] - p[:, 1], np.column_stack([slope, -p[:, 0]])


def _circle_circle(v: FloatArray, p: FloatArray) -> Result:
    """|C1 C2| = s1 r1 + s2 r2 + d; variables c1 c2 r1 r2"""
    length, slope = _apart(v[:, 0:4])
    gap = length - p[:, 0] * v[:, 4] - p[:, 1] * v[:, 5] - p[:, 2]
    return gap, np.column_stack([slope, -p[:, 0], -p[:, 1]])


def _arc_length(v: FloatArray, p: FloatArray) -> Result:
    """r (angle from CS to CE) = d, the angle taken counter-clockwise in [0, 2 pi); variables s e c r;
    p0 = -1 for a clockwise arc"""
    start, end = v[:, 0:2] - v[:, 4:6], v[:, 2:4] - v[:, 4:6]
    angles = [np.arctan2(d[:, 1], d[:, 0]) for d in (start, end)]
    turn = np.mod(p[:, 0] * (angles[1] - angles[0]), 2 * np.pi)
    k = (p[:, 0] * v[:, 6])[:, None]
    by_start = -k * _turn(np.hstack([v[:, 4:6], v[:, 0:2]]))
    by_end = k * _turn(np.hstack([v[:, 4:6], v[:, 2:4]]))
    slope = np.hstack([by_start[:, 2:], by_end[:, 2:], by_start[:, :2] + by_end[:, :2], turn[:, None]])
    return v[:, 6] * turn - p[:, 1], slope


def _middle_on_line(v: FloatArray, p: FloatArray) -> Result:
    """The middle of P and Q lies on AB; variables p q a b"""
    middle = 0.5 * (v[:, 0:2] + v[:, 2:4])
    height, slope = _height(np.hstack([middle, v[:, 4:8]]))
    return height, np.hstack([0.5 * slope[:, 0:2], 0.5 * slope[:, 0:2], slope[:, 2:6]])


def _across_line(v: FloatArray, p: FloatArray) -> Result:
    """PQ is perpendicular to AB: the component of PQ along AB is zero; variables p q a b"""
    d = v[:, 6:8] - v[:, 4:6]
    length = np.maximum(np.hypot(d[:, 0], d[:, 1]), TINY)[:, None]
    e = d / length
    n = np.column_stack([-e[:, 1], e[:, 0]])
    w = v[:, 2:4] - v[:, 0:2]
    turn = n * (w * n).sum(axis=1)[:, None] / length
    return (w * e).sum(axis=1), np.hstack([-e, e, -turn, turn])


def _share(v: FloatArray, p: FloatArray) -> Result:
    """m = a + p0 (b - a)"""
    s = p[:, 0]
    return v[:, 2] - (1.0 - s) * v[:, 0] - s * v[:, 1], np.column_stack([s - 1.0, -s, np.ones(len(v))])


def _sum(v: FloatArray, p: FloatArray) -> Result:
    """a = b + p0 c"""
    return v[:, 0] - v[:, 1] - p[:, 0] * v[:, 2], np.column_stack(
        [np.ones(len(v)), -np.ones(len(v)), -p[:, 0]]
    )


def _arc_share(v: FloatArray, p: FloatArray) -> Result:
    """(arc from S to P) = p1 (arc from S to E); variables p s e c r; p0 = -1 for a clockwise arc"""
    nothing = np.zeros((len(v), 1))
    way = np.hstack([p[:, 0:1], nothing])
    part, by_part = _arc_length(v[:, [2, 3, 0, 1, 6, 7, 8]], way)
    whole, by_whole = _arc_length(v[:, [2, 3, 4, 5, 6, 7, 8]], way)
    k = p[:, 1:2]
    slope = np.hstack([
        by_part[:, 2:4], by_part[:, 0:2] - k * by_whole[:, 0:2], -k * by_whole[:, 2:4],
        by_part[:, 4:7] - k * by_whole[:, 4:7],
    ])  # fmt: skip
    wrapped = (part - p[:, 1] * whole) > np.pi * v[:, 8]  # a point just before the start
    turn = np.where(wrapped, 2.0 * np.pi, 0.0)
    slope[:, 8] -= turn
    return part - p[:, 1] * whole - turn * v[:, 8], slope


def _curve_place(v: FloatArray, p: FloatArray) -> Result:
    """A coordinate of P is that of the curve at t; variables p t and the curve's points x y x y ...;
    parameters: which coordinate, length that stands for one unit of t, sort of curve"""
    return _row_by_row(_place_off, v, p)


def _place_off(row: Array, p: list[float]) -> Array:
    place, _ = place_and_slope(tuple(p[2:]), row[:, 2:].reshape(len(row), -1, 2), row[:, 1] / p[1])
    return row[:, 0] - place[:, int(p[0])]


def _curve_slope(v: FloatArray, p: FloatArray) -> Result:
    """A coordinate of D - K is that of the curve's derivative at t; variables d k t and the curve's points;
    parameters as for _curve_place"""
    return _row_by_row(_slope_off, v, p)


def _slope_off(row: Array, p: list[float]) -> Array:
    _, slope = place_and_slope(tuple(p[2:]), row[:, 3:].reshape(len(row), -1, 2), row[:, 2] / p[1])
    return row[:, 0] - row[:, 1] - slope[:, int(p[0])]


def _curve_share(v: FloatArray, p: FloatArray) -> Result:
    """The length of the curve up to t is the share p0 of the whole; variables t and the curve's points;
    parameters: share, length that stands for one unit of t, sort of curve"""
    return _row_by_row(_share_off, v, p)


def _share_off(row: Array, p: list[float]) -> Array:
    before, whole = length_share(tuple(p[2:]), row[:, 1:].reshape(len(row), -1, 2), row[:, 0] / p[1])
    return before - p[0] * whole


def _chain_share(v: FloatArray, p: FloatArray) -> Result:
    """A coordinate of the place at a share of the length of a chain of lines; variables: the coordinate,
    and the vertices; parameters: axis, share"""
    return _row_by_row(_chain_off, v, p)


def _chain_off(row: Array, p: list[float]) -> Array:
    vertices = row[:, 1:].reshape(len(row), -1, 2)
    steps = np.diff(vertices, axis=1)
    lengths = np.sqrt((steps**2).sum(axis=2))
    reached = np.concatenate([np.zeros((len(row), 1)), np.cumsum(lengths, axis=1)], axis=1)
    wanted = p[1] * reached[:, -1]
    k = np.clip((reached.real <= wanted.real[:, None]).sum(axis=1) - 1, 0, lengths.shape[1] - 1)
    rows = np.arange(len(row))
    along = (wanted - reached[rows, k]) / lengths[rows, k]
    axis = int(p[0])
    return row[:, 0] - vertices[rows, k, axis] - along * steps[rows, k, axis]


def _row_by_row(function: Callable[[Array, list[float]], Array], v: FloatArray, p: FloatArray) -> Result:
    values, slopes = np.empty(len(v)), np.empty(v.shape)
    for k, parameters in enumerate(p.tolist()):

        def one(row: Array, given: list[float] = parameters) -> Array:
            return function(row, given)

        values[k : k + 1], slopes[k : k + 1] = by_complex_step(one, v[k : k + 1])
    return values, slopes


Form = Callable[[FloatArray, FloatArray], Result]

FORMS: dict[str, Form] = {
    "difference": _difference,
    "value": _value,
    "mean": _mean,
    "turned": _turned,
    "distance": _distance,
    "on_circle": _on_circle,
    "on_ellipse": _on_ellipse,
    "equal_length": _equal_length,
    "direction": _direction,
    "off_line": _off_line,
    "line_circle": _line_circle,
    "circle_circle": _circle_circle,
    "arc_length": _arc_length,
    "middle_on_line": _middle_on_line,
    "across_line": _across_line,
    "share": _share,
    "sum": _sum,
    "arc_share": _arc_share,
    "curve_place": _curve_place,
    "curve_slope": _curve_slope,
    "curve_share": _curve_share,
    "chain_share": _chain_share,
}
"""Every form by name."""

LINEAR = ("difference", "value")
"""Forms that fix one variable from another; they are eliminated before solving."""
