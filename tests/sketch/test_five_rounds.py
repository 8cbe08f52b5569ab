"""A cam of five touching circles, every size a fraction of one diameter."""

import math

import pytest

import lathwick as lw

SHARES = (1.0, 0.4, 0.5, 0.5, 0.4)
"""Diameters of the five circles as shares of the base diameter; the first touches all the others."""


def centers() -> list[tuple[float, float]]:
    """Where the centers are for a base diameter of one: by the law of cosines."""
    radii = [0.5 * s for s in SHARES]

    def turn(i: int, j: int) -> float:
        a, b, c = radii[0] + radii[i], radii[0] + radii[j], radii[i] + radii[j]
        return math.acos((a * a + b * b - c * c) / (2 * a * b))

    angles = [
        -0.5 * turn(2, 3) - turn(1, 2),
        -0.5 * turn(2, 3),
        0.5 * turn(2, 3),
        0.5 * turn(2, 3) + turn(3, 4),
    ]
    reach = [radii[0] + r for r in radii[1:]]
    return [(0.0, 0.0)] + [(d * math.cos(t), d * math.sin(t)) for d, t in zip(reach, angles, strict=True)]


def normals() -> list[float]:
    """Outward direction (radians) of the outline's line from each circle to the next."""
    spots, radii = centers(), [0.5 * s for s in SHARES]
    found = []
    for i in range(5):
        (ax, ay), (bx, by) = spots[i], spots[(i + 1) % 5]
        lean = math.acos((radii[i] - radii[(i + 1) % 5]) / math.hypot(bx - ax, by - ay))
        found.append(math.atan2(by - ay, bx - ax) - lean)
    return found


def enclosed() -> float:
    """Area within the outline for a base diameter of one, by Green's theorem along arcs and lines."""
    spots, radii, ways = centers(), [0.5 * s for s in SHARES], normals()
    total = 0.0
    for i in range(5):
        (x, y), r, first = spots[i], radii[i], ways[i - 1]
        last = first + (ways[i] - first) % math.tau
        total += r * r * (last - first)
        total += r * (x * (math.sin(last) - math.sin(first)) - y * (math.cos(last) - math.cos(first)))
        (u, v), q = spots[(i + 1) % 5], radii[(i + 1) % 5]
        p0 = (x + r * math.cos(ways[i]), y + r * math.sin(ways[i]))
        p1 = (u + q * math.cos(ways[i]), v + q * math.sin(ways[i]))
        total += p0[0] * p1[1] - p0[1] * p1[0]
    return 0.5 * total


@lw.design(unit="mm", strict=True)
def cam(job: lw.Job, base: lw.Length = lw.param(10.0, low=10, high=1000), drawn: lw.Length = lw.param(10.0)):
    """The outline is drawn for `drawn` and dimensioned for `base`."""
    sk = job.sketch("outline")
    spots, ways = centers(), normals()

    def rim(i: int, way: float) -> tuple[float, float]:
        r = 0.5 * SHARES[i] * drawn
        return (spots[i][0] * drawn + r * math.cos(way), spots[i][1] * drawn + r * math.sin(way))

    lines = [sk.line(rim(i, ways[i]), rim((i + 1) % 5, ways[i]), name=f"line{i}") for i in range(5)]
    arcs = []
    for i, (x, y) in enumerate(spots):
        arcs.append(sk.arc((x * drawn, y * drawn), lines[i - 1].end, lines[i].start, name=f"arc{i}"))
        sk.tangent(lines[i - 1], arcs[i])
        sk.tangent(arcs[i], lines[i])
        sk.diameter(arcs[i], f"={SHARES[i]}*base", name=f"share{i}")
    for i, j in ((0, 1), (0, 2), (0, 3), (0, 4), (1, 2), (2, 3), (3, 4)):
        sk.tangent(arcs[i], arcs[j])
    sk.coincident(arcs[0].center, sk.origin)
    sk.symmetric(arcs[2].center, arcs[3].center, sk.x_axis)
    return job.extrude("cam", sk, base / 10)


@pytest.mark.parametrize("base", [10, 31.7, 100, 480, 1000])
@pytest.mark.parametrize("drawn", [10, 100, 1000])
def test_cam_keeps_its_tangencies_at_every_size(base, drawn):
    """Fully defined, circles touch, lines run into arcs smoothly, and the area goes with the square."""
    part = cam(base=base, drawn=drawn)
    sketch = part.steps[0].sketch
    report = sketch.solve()
    assert (report.freedom, report.redundant, report.conflicting) == (0, (), ())
    arcs = [sketch[f"arc{i}"] for i in range(5)]
    for i, j in ((0, 1), (0, 2), (0, 3), (0, 4), (1, 2), (2, 3), (3, 4)):
        apart = math.dist(arcs[i].center.position, arcs[j].center.position)
        assert apart == pytest.approx(arcs[i].radius + arcs[j].radius, rel=1e-12)
    assert all(e.is_convex is None for e in part.body.edges().parallel(lw.Z))
    assert part.volume == pytest.approx(enclosed() * base**3 / 10, rel=1e-11)
    assert len(part.body.faces()) == 12
