"""How each dimension of a sketch is drawn: its lines, its text, and the places it may take.

Everything is in pixels of the picture. A dimension offers several places; the first that keeps
its text clear of texts already placed and of the curves is taken.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field

import numpy as np

from ..geometry.placement import FloatArray
from ..geometry.vector import Vec2
from ..sketch.constraints import Constraint
from ..sketch.entities import Arc, Entity, Line, Point, Round
from ..sketch.pieces import pieces_along, slopes_along

Segment = tuple[Vec2, Vec2]
CHARACTER_WIDTH, TEXT_HEIGHT = 7.4, 15.0
STEP = 24.0
GAP = 5.0


@dataclass(frozen=True, slots=True)
class Mark:
    """A dimension in one place: thin `lines`, `arrows` (tail, head), a text centered at `at`."""

    lines: tuple[Segment, ...]
    arrows: tuple[Segment, ...]
    text: str
    at: Vec2
    arc: tuple[Vec2, float, float, float] | None = None  # center, radius, from, to (radians)
    upright: bool = False  # the text reads upwards

    @property
    def box(self) -> tuple[float, float, float, float]:
        """Pixels that the text covers: left, bottom, right, top."""
        w, h = len(self.text) * CHARACTER_WIDTH / 2 + 3, TEXT_HEIGHT / 2 + 1
        if self.upright:
            w, h = h, w
        return (self.at[0] - w, self.at[1] - h, self.at[0] + w, self.at[1] + h)


@dataclass(slots=True)
class Layout:
    """Places marks one after another. `to_pixels` maps sketch coordinates; `curves` are points along each
    thing that is drawn, shapes (N, 2), and the two frames those of the drawing and of the picture."""

    to_pixels: Callable[[Vec2], Vec2]
    curves: Sequence[FloatArray]
    drawing: tuple[float, float, float, float]
    picture: tuple[float, float, float, float]
    placed: list[Mark] = field(default_factory=list)
    _points: FloatArray = field(init=False)
    _steps: FloatArray = field(init=False)

    def __post_init__(self) -> None:
        self._points = np.concatenate(self.curves)
        steps = [np.hstack([c[:-1], c[1:]]) for c in self.curves if len(c) > 1]
        self._steps = np.concatenate(steps) if steps else np.empty((0, 4))

    def place(self, constraint: Constraint) -> Mark | None:
        """The mark of a dimension where it disturbs least; None for a pure relation."""
        best, least = None, math.inf
        for rank, mark in enumerate(_places(constraint, self)):
            cost = self._cost(mark) + 0.4 * rank
            if cost < least:
                best, least = mark, cost
        if best is not None:
            self.placed.append(best)
        return best

    def _cost(self, mark: Mark) -> float:
        left, bottom, right, top = mark.box
        texts = sum(
            left < m.box[2] and right > m.box[0] and bottom < m.box[3] and top > m.box[1] for m in self.placed
        )
        lines = sum(_passes(mark.box, *line) for m in self.placed for line in (*m.arrows, *m.lines)) + sum(
            _passes(m.box, *line) for m in self.placed for line in (*mark.arrows, *mark.lines)
        )
        x, y = self._points.T
        on_curve = int(((left < x) & (x < right) & (bottom < y) & (y < top)).sum())
        crossed = sum(self._crossed(line) for line in mark.arrows) if not mark.lines else 0
        doubled = sum(_overlap(a, b) for a in mark.arrows for m in self.placed for b in m.arrows)
        outside = left < self.picture[0] or bottom < self.picture[1]
        outside = outside or right > self.picture[2] or top > self.picture[3]
        reach = sum(math.dist(a, b) for a, b in mark.lines) / 150.0
        amid = bool(mark.lines) and self._is_amid(mark.at)
        cost = 100.0 * texts + 12.0 * lines + min(60.0, 8.0 * on_curve) + reach
        cost += 5.0 * crossed + 60.0 * doubled
        return cost + (200.0 if outside else 0.0) + (8.0 if amid else 0.0)

    def _crossed(self, line: Segment) -> int:
        """How many drawn curves a leader crosses, its own at its tip not counted."""
        a, tip = np.array(line[0]), np.array(line[1])
        b = tip - (tip - a) * min(0.5, 4.0 / max(math.dist(*line), 1.0))
        p, q = self._steps[:, :2], self._steps[:, 2:]

        def side(o: FloatArray, d: FloatArray, x: FloatArray) -> FloatArray:
            found: FloatArray = d[..., 0] * (x - o)[..., 1] - d[..., 1] * (x - o)[..., 0]
            return found

        parts = (side(a, b - a, p) * side(a, b - a, q) < 0) & (side(p, q - p, a) * side(p, q - p, b) < 0)
        return int(parts.sum())

    def _is_amid(self, spot: Vec2) -> bool:
        """Whether a text would stand inside the drawing's box."""
        left, bottom, right, top = self.drawing
        return left < spot[0] < right and bottom < spot[1] < top


def _overlap(a: Segment, b: Segment) -> bool:
    """Whether two level or upright dimension lines lie on each other over some length."""
    for axis in (0, 1):
        across = 1 - axis
        levels = [p[across] for p in (*a, *b)]
        if max(levels) - min(levels) < 10.0:
            (a0, a1), (b0, b1) = (sorted(p[axis] for p in line) for line in (a, b))
            return min(a1, b1) - max(a0, b0) > 1.0
    return False


def _passes(box: tuple[float, float, float, float], a: Vec2, b: Vec2) -> bool:
    """Whether a line passes through a box (sampled; good enough to place a text)."""
    for k in range(1, 16):
        x, y = a[0] + k / 16 * (b[0] - a[0]), a[1] + k / 16 * (b[1] - a[1])
        if box[0] < x < box[2] and box[1] < y < box[3]:
            return True
    return False


def _places(c: Constraint, layout: Layout) -> Iterator[Mark]:
    if c.value is None:
        return
    text = dimension_text(c)
    first = c.entities[0]
    if isinstance(first, Round) and c.kind in ("radius", "diameter"):
        yield from _round_places(first, c.kind == "diameter", text, layout)
    elif c.kind == "angle":
        yield from _angle_places(c.entities, text, layout)
    else:
        a, b = (layout.to_pixels(p) for p in _measured(c))
        if c.kind in ("distance_x", "distance_y"):
            yield from _level_places(a, b, c.kind == "distance_x", text, layout)
        else:
            yield from _aligned_places(a, b, text, layout)


def dimension_text(c: Constraint) -> str:
    """The name, where one was given, and the value; in brackets where it is only measured."""
    sign = {"radius": "R ", "diameter": "⌀ "}.get(c.kind, "")
    degrees = "°" if c.kind == "angle" else ""
    label = "" if "(" in c.name else f"{c.name} "
    text = f"{sign}{c.value:.6g}{degrees}"
    return f"{label}({text})" if c.is_reference else f"{label}{text}"


def _measured(c: Constraint) -> tuple[Vec2, Vec2]:
    """The two points a linear dimension runs between."""
    if c.kind == "offset":
        return _offset_places(c)
    if len(c.entities) == 1:
        ends = c.entities[0].ends()
        assert ends is not None
        return ends[0].position, ends[1].position
    if any(isinstance(e, Round) for e in c.entities):
        return _nearest_places(*c.entities)
    one, two = c.entities
    if isinstance(one, Point) and isinstance(two, Point):
        return one.position, two.position
    other, line = (one, two) if isinstance(two, Line) else (two, one)
    point: Entity = other.start if isinstance(other, Line) else other
    assert isinstance(point, Point) and isinstance(line, Line)
    return point.position, _foot(point.position, line)


def _offset_places(c: Constraint) -> tuple[Vec2, Vec2]:
    """From the middle of the first curve of an offset straight back by the distance."""
    piece = pieces_along(c.entities[1])[0]
    (x, y), (ux, uy) = piece.point(0.5), slopes_along(piece, np.array([0.5]))[0].tolist()
    size = math.hypot(ux, uy)
    places = [(x - k * uy / size, y + k * ux / size) for k in ((c.value or 0.0), -(c.value or 0.0))]
    anchor = c.entities[0].points()[0].position
    return (x, y), min(places, key=lambda p: math.dist(p, anchor))


def _nearest_places(one: Entity, two: Entity) -> tuple[Vec2, Vec2]:
    """Where a circle and another entity are nearest to each other."""
    circle, other = (one, two) if isinstance(one, Round) else (two, one)
    assert isinstance(circle, Round)
    if isinstance(other, Line):
        target = _foot(circle.center.position, other)
    elif isinstance(other, Point):
        target = other.position
    else:
        assert isinstance(other, Round)
        target = _on_rim(other, circle.center.position)
    return _on_rim(circle, target), target


def _on_rim(circle: Round, towards: Vec2) -> Vec2:
    (x, y), r = circle.center.position, circle.radius
    away = math.dist((x, y), towards)
    if away < 1e-9 * r:  # from its very center: any direction will do
        return (x + 0.8 * r, y + 0.6 * r)
    return (x + (towards[0] - x) / away * r, y + (towards[1] - y) / away * r)


def _foot(p: Vec2, line: Line) -> Vec2:
    (ax, ay), (bx, by) = line.start.position, line.end.position
    ex, ey = bx - ax, by - ay
    t = ((p[0] - ax) * ex + (p[1] - ay) * ey) / (ex * ex + ey * ey)
    return (ax + t * ex, ay + t * ey)


def _level_places(a: Vec2, b: Vec2, along_x: bool, text: str, layout: Layout) -> Iterator[Mark]:
    """Outside the drawing, on both sides, further and further out; then between the points."""
    left, bottom, right, top = layout.drawing
    low, high = (bottom, top) if along_x else (left, right)
    for k in range(1, 6):
        for level in (low - k * STEP, high + k * STEP):
            yield _linear(a, b, along_x, level, text)
    yield _linear(a, b, along_x, 0.5 * (a[1] + b[1]) if along_x else 0.5 * (a[0] + b[0]), text)


def _linear(a: Vec2, b: Vec2, along_x: bool, level: float, text: str) -> Mark:
    """A dimension line at a height (or, along y, at a distance from the left)."""
    p, q = ((a[0], level), (b[0], level)) if along_x else ((level, a[1]), (level, b[1]))
    middle = (0.5 * (p[0] + q[0]), 0.5 * (p[1] + q[1]))
    size = math.dist(p, q)
    half = len(text) * CHARACTER_WIDTH / 2 + 5
    if size >= 2 * half + 24:
        at = middle
        arrows = tuple((_towards(middle, end, half), end) for end in (p, q))
    else:
        beyond = half + 22
        at = (max(p[0], q[0]) + beyond, level) if along_x else (level, max(p[1], q[1]) + beyond)
        arrows = _from_outside(p, q)
    lines = ((_towards(a, p, GAP), p), (_towards(b, q, GAP), q))
    return Mark(lines, arrows, text, at, upright=not along_x)


def _from_outside(p: Vec2, q: Vec2) -> tuple[Segment, ...]:
    """Two arrows that point at each other from outside a narrow space."""
    return ((_towards(p, q, -22.0), p), (_towards(q, p, -22.0), q))


def _towards(a: Vec2, b: Vec2, distance: float) -> Vec2:
    size = math.dist(a, b) or 1.0
    return (a[0] + (b[0] - a[0]) / size * distance, a[1] + (b[1] - a[1]) / size * distance)


def _aligned_places(a: Vec2, b: Vec2, text: str, layout: Layout) -> Iterator[Mark]:
    """Beside the two points, on either side; level ones go outside the drawing."""
    size = math.dist(a, b) or 1.0
    nx, ny = -(b[1] - a[1]) / size, (b[0] - a[0]) / size
    if abs(nx) < 1e-3 or abs(ny) < 1e-3:
        along_x = abs(nx) < 1e-3
        for k in (1, 2):
            near = a[1] if along_x else a[0]
            for level in (near - k * STEP, near + k * STEP):
                yield _linear(a, b, along_x, level, text)
        yield from _level_places(a, b, along_x, text, layout)
        return
    for k in range(1, 6):
        for side in (1, -1):
            off = side * k * STEP
            p, q = (a[0] + off * nx, a[1] + off * ny), (b[0] + off * nx, b[1] + off * ny)
            middle = (0.5 * (p[0] + q[0]), 0.5 * (p[1] + q[1]))
            reach = abs(nx) * TEXT_HEIGHT / 2 + abs(ny) * len(text) * CHARACTER_WIDTH / 2 + 6
            if size > 2 * reach + 30:
                arrows = tuple((_towards(middle, end, reach), end) for end in (p, q))
            else:
                arrows = _from_outside(p, q)
                middle = (middle[0] + off * nx * 0.9, middle[1] + off * ny * 0.9)
            yield Mark(((_towards(a, p, GAP), p), (_towards(b, q, GAP), q)), arrows, text, middle)


def _round_places(circle: Round, whole: bool, text: str, layout: Layout) -> Iterator[Mark]:
    """A leader at an angle; the text outside the circle, or inside where there is room."""
    center = layout.to_pixels(circle.center.position)
    edge = layout.to_pixels((circle.center.x + circle.radius, circle.center.y))
    radius = math.dist(center, edge)
    for t in _leader_angles(circle):
        c, s = math.cos(t), math.sin(t)
        rim = (center[0] + radius * c, center[1] + radius * s)
        back = (center[0] - radius * c, center[1] - radius * s)
        width = len(text) * CHARACTER_WIDTH / 2
        if radius > width + 30:
            yield Mark((), _across(rim, back, center, whole), text, _beside(center, c, s, whole, radius))
        out = 34.0
        tail = (center[0] + (radius + out) * c, center[1] + (radius + out) * s)
        at = (tail[0] + math.copysign(width + 5, c), tail[1])
        yield Mark((), ((tail, rim),), text, at)


def _leader_angles(circle: Round) -> list[float]:
    """Directions (radians) in which a leader can meet the curve, the pleasantest first."""
    if isinstance(circle, Arc):
        return [circle.start_angle + share * circle.sweep for share in (0.5, 0.35, 0.65, 0.2, 0.8)]
    return [math.radians(d) for d in (35, 145, 55, 125, 20, 160, 75, 105, -35, -145, -60, -120)]


def _across(rim: Vec2, back: Vec2, center: Vec2, whole: bool) -> tuple[Segment, ...]:
    return ((center, rim), (center, back)) if whole else ((center, rim),)


def _beside(center: Vec2, c: float, s: float, whole: bool, radius: float) -> Vec2:
    """A text place just above a line through the center."""
    t = 0.0 if whole else 0.55 * radius
    return (center[0] + t * c - math.copysign(16, c) * s, center[1] + t * s + 16 * abs(c) + 2)


def _angle_places(lines: Sequence[Entity], text: str, layout: Layout) -> Iterator[Mark]:
    one, two = lines
    assert isinstance(one, Line) and isinstance(two, Line)
    vertex = _crossing(one, two)
    if vertex is None:
        return
    center = layout.to_pixels(vertex)
    a, b = _ray(one, vertex), _ray(two, vertex)
    for radius in (44.0, 62.0, 84.0, 30.0):
        for flip in (0.0,) if _share_an_end(one, two) else (0.0, math.pi):
            start = math.atan2(a[1], a[0]) + flip
            turn = math.remainder(math.atan2(b[1], b[0]) + flip - start, math.tau)
            middle = start + 0.5 * turn
            reach = radius + 10 + abs(math.cos(middle)) * len(text) * CHARACTER_WIDTH / 2
            at = (center[0] + reach * math.cos(middle), center[1] + reach * math.sin(middle))
            ends = tuple(
                (center, (center[0] + (radius + 8) * math.cos(t), center[1] + (radius + 8) * math.sin(t)))
                for t in (start, start + turn)
            )
            low, high = sorted((start, start + turn))
            yield Mark(ends, (), text, at, (center, radius, low, high))


def _share_an_end(one: Line, two: Line) -> bool:
    """Whether two lines make a corner, in which their angle is shown."""
    reach = 1e-6 * (one.length + two.length)
    return any(math.dist(p.position, q.position) <= reach for p in one.points() for q in two.points())


def _ray(line: Line, vertex: Vec2) -> Vec2:
    """Direction of a line away from the vertex, or along it if it passes through."""
    (sx, sy), (ex, ey) = line.start.position, line.end.position
    if math.dist(vertex, (ex, ey)) < 1e-6 * line.length:
        return (sx - ex, sy - ey)
    return (ex - sx, ey - sy)


def _crossing(one: Line, two: Line) -> Vec2 | None:
    (ax, ay), (bx, by) = one.start.position, one.end.position
    (cx, cy), (dx, dy) = two.start.position, two.end.position
    ux, uy, vx, vy = bx - ax, by - ay, dx - cx, dy - cy
    cross = ux * vy - uy * vx
    if abs(cross) < 1e-9 * (abs(ux) + abs(uy)) * (abs(vx) + abs(vy)):
        return None
    s = ((cx - ax) * vy - (cy - ay) * vx) / cross
    return (ax + s * ux, ay + s * uy)
