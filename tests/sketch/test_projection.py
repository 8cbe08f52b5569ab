"""Sketches on faces, and edges of bodies as reference geometry."""

import math

import pytest

import lathwick as lw


def plate(job: lw.Job, width: float = 40, on: lw.Plane = lw.XY) -> lw.Body:
    sk = job.sketch("plan", on=on)
    sk.rectangle(width, 20, center=sk.origin, rounding=3, name="edge")
    sk.circle((8, 0), 4, name="bore")
    return job.extrude("plate", sk, 6)


def test_planes_of_faces_agree_with_the_main_planes():
    """Normals out, x level, y up; the origin is the foot of the design's origin."""
    body = plate(lw.Job())
    job = lw.Job()
    expected = {
        "plate/end": lw.XY.offset(6),
        "plate/start": lw.Plane((0, 0, 0), (0, 0, -1), (1, 0, 0)),
        "plate/side:edge.bottom": lw.XZ.offset(10),
        "plate/side:edge.right": lw.YZ.offset(20),
        "plate/side:edge.top": lw.Plane((0, 10, 0), (0, 1, 0), (-1, 0, 0)),
    }
    for address, plane in expected.items():
        sketch = job.sketch(address.replace("/", " ").replace(":", " "), on=body.face(address))
        for got, wanted in ((sketch.plane.origin, plane.origin), (sketch.plane.x, plane.x),
                            (sketch.plane.normal, plane.normal)):  # fmt: skip
            assert got == pytest.approx(wanted, abs=1e-12)
    with pytest.raises(lw.ModellingError, match="cylinder face is not flat"):
        job.sketch("round", on=body.face("plate/side:bore"))


@pytest.mark.parametrize("width", [40, 64])
def test_a_boss_follows_the_edges_it_refers_to(width):
    """A profile placed from projected edges stays placed when the plate grows."""
    job = lw.Job(strict=True)
    free = lw.Job()
    body = plate(free, width)
    sk = job.sketch("mark", on=body.face("plate/end"))
    edges = sk.project(body.edges("plate/end"), name="rim")
    assert all(e.construction for e in edges)
    assert sk.solve().freedom == 0
    bore = next(e for e in edges if e.kind == "circle")
    right = max((e for e in edges if e.kind == "line"), key=lambda e: e.start.x)
    boss = sk.circle((width / 2 - 8, 5), 2, name="boss")
    sk.distance(boss, right, 3, name="from the edge")
    sk.horizontal(boss.center, bore.center)
    sk.radius(boss, 2)
    made = job.extrude("boss", sk, 4)
    assert made.centroid == pytest.approx((width / 2 - 5, 0, 8))


def test_circles_seen_from_the_side_and_at_a_slant():
    """Edge on: a line as long as the diameter; tilted: an ellipse; along the axis: a circle."""
    body = plate(lw.Job())
    bore = body.edges("plate/end").circular(4)
    front = lw.Sketch(lw.XZ)
    (line,) = front.project(bore)
    assert (line.kind, line.length) == ("line", pytest.approx(8))
    tilted = lw.Sketch(lw.Plane((0, 0, 0), (0, -1, 1)))
    (oval,) = tilted.project(bore, construction=False)
    assert (oval.major, oval.minor) == pytest.approx((4, 4 * math.cos(math.pi / 4)))
    assert tilted.regions()[0].area == pytest.approx(math.pi * 16 / math.sqrt(2), rel=1e-12)
    top = lw.Sketch(lw.XY.offset(3))
    (circle,) = top.project(bore)
    assert (circle.kind, circle.radius, circle.center.position) == ("circle", 4, pytest.approx((8, 0)))
    (corner,) = front.project(body.edges("plate/end").parallel(lw.Y)[0])
    assert corner.kind == "point"


@pytest.mark.parametrize("tilt", [0, 35])
def test_projected_face_bounds_the_area_of_its_shadow(tilt):
    """All edges of a face, arcs and splines too, as a profile: its area goes with the cosine."""
    sk = lw.Sketch()
    wave = sk.spline([(0, 0), (10, 4), (25, -3), (40, 5)], name="wave")
    sk.polyline([wave.end, (40, 20), (0, 20), wave.start], name="walls")
    sk.round(sk["walls"][1].start, 5)
    region = sk.regions()[0]
    body = lw.extrude(region, 5, step="block")
    plane = lw.XY.tilted(tilt, "x")
    shadow = lw.Sketch(plane)
    shadow.project(body.face("block/end"), construction=False)
    (seen,) = shadow.regions()
    assert seen.area == pytest.approx(region.area * math.cos(math.radians(tilt)), rel=1e-9)
    assert shadow.solve().freedom == 0
    curve = next(e for e in shadow.entities if e.kind == "spline")
    point = shadow.point_on(curve, ratio=0.4)
    assert shadow.solve().is_fully_defined
    at = curve.curve().at(point.position)
    assert curve.curve().length(0, at) == pytest.approx(0.4 * curve.length, rel=1e-9)


def test_projecting_something_else_is_refused():
    """One sentence."""
    sk = lw.Sketch()
    with pytest.raises(lw.SketchError, match="project: things takes edges, vertices or faces of a body"):
        sk.project([sk.origin])
    (point,) = sk.project(plate(lw.Job()).vertices()[0])
    assert point.kind == "point"
