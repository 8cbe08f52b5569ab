"""STEP of faces on B-splines: over the whole boundary, with seams; and what is damaged is not written."""

from __future__ import annotations

import math
import re
from dataclasses import replace

import numpy as np
import pytest

import lathwick as lw
from lathwick.geometry.round_surfaces import ConeSurface
from lathwick.geometry.surfaces import CylinderSurface, ExtrudedSurface, PlaneSurface
from lathwick.topology.body import Body
from lathwick.topology.brep import Coedge, Edge, Loop, Lump, Shell, Vertex

from ..conftest import CHECKERS, faults
from ..curved_parts import below, leaning, oblique_rod, oval, splined
from ..fuzz_prisms import trial


def crossing(one, two):
    """Two bars through the origin at a right angle, united."""
    turned = lw.turn(lw.move(two, 0, 0, -15), 90, lw.X)
    return lw.union(lw.move(one, 0, 0, -15), turned)


PARTS = {
    "oval tube cut off": lambda: below(oval(bore=0.7), leaning(12, 12)),
    "spline rod cut off": lambda: below(splined(height=20), leaning(25, 10, 40)),
    "spline rod cut off and drilled": lambda: lw.cut(
        below(splined(height=20), leaning(35, 14, 110)), lw.sphere(2, on=lw.Plane((4, 0, 0), (0, 0, 1)))
    ),
    "oval less a ball": lambda: lw.cut(oval(), lw.sphere(5, on=lw.Plane((9, 0, 10), (0, 0, 1)))),
    "crossing splines": lambda: crossing(splined(height=30, scale=1.2), splined(height=30, scale=0.8)),
    "spline bar less a ball": lambda: lw.cut(
        splined(height=20), lw.sphere(4, on=lw.Plane((4, 0, 10), (0, 0, 1)))
    ),
    "rounded oval": lambda: (lambda b: lw.fillet(b, b.edges().where(
        lambda edge: edge.midpoint[2] > 1), 0.8))(below(oval(), leaning(12, 12))),
    "what a ball holds of a spline bar beside its start": lambda: lw.intersect(
        splined(height=20), lw.sphere(2, on=lw.Plane((0.6, -3.7, 10), (0, 0, 1)))
    ),
    "bevelled rod": lambda: oblique_rod(2, 28, 0.4, verb=lw.chamfer),
}  # fmt: skip


@pytest.mark.parametrize("part", PARTS)
def test_faces_on_b_splines(part, tmp_path):
    """The outside checker finds nothing wrong, and the volume that we state."""
    body = PARTS[part]()
    path = tmp_path / "part.step"
    lw.save(body, path)
    assert not faults(path)
    if CHECKERS[".step"].exists():
        from stepcheck import check

        assert check(path).total["volume_mm3"] == pytest.approx(body.volume, rel=1e-7)


def _tube():
    return lw.cut(lw.cylinder(5, 10), lw.cylinder(3, 10))


def _wedge():
    return lw.wedge(6, 5, 4, 3)


def with_faces(body, change):
    """The body with some faces changed, unchecked; `change` gives None for a face that is to go."""
    faces = [change(i, face) for i, face in enumerate(body.brep_faces)]
    return Body((Lump(Shell(tuple(f for f in faces if f is not None))),), body.unit)


def with_edges(body, change):
    """The body with some edges changed, in all faces alike."""
    made = {edge: change(i, edge) for i, edge in enumerate(body.faces_of_edge)}

    def loops(face):
        return tuple(Loop(tuple(Coedge(made[c.edge], c.forward) for c in lo.coedges)) for lo in face.loops)

    return with_faces(body, lambda i, face: replace(face, loops=loops(face)))


def nth(kind, change):
    """A change of the first face of a kind of surface."""
    seen = []

    def apply(i, face):
        if isinstance(face.surface, kind) and not seen:
            seen.append(i)
            return change(face)
        return face

    return apply


def moved_vertex(by):
    def change(i, edge):
        if i or edge.start is None:
            return edge
        x, y, z = edge.start.point
        return Edge(edge.curve, edge.t0, edge.t1, Vertex((x + by, y, z)), edge.end)

    return change


def grown(surface, by):
    return replace(surface, radius=surface.radius + by)


DAMAGES = {
    "a face is missing": lambda: with_faces(_wedge(), lambda i, f: None if i == 2 else f),
    "a face is there twice": lambda: Body(
        (Lump(Shell((*_wedge().brep_faces, _wedge().brep_faces[0]))),), "mm"),
    "a plane looks in": lambda: with_faces(
        _wedge(), nth(PlaneSurface, lambda f: replace(f, outward=not f.outward))),
    "a cylinder looks in": lambda: with_faces(
        _tube(), nth(CylinderSurface, lambda f: replace(f, outward=not f.outward))),
    "a plane is moved": lambda: with_faces(
        _wedge(), nth(PlaneSurface, lambda f: replace(
            f, surface=PlaneSurface(f.surface.frame.offset(1e-3))))),
    "a plane is tilted": lambda: with_faces(
        _wedge(), nth(PlaneSurface, lambda f: replace(
            f, surface=PlaneSurface(f.surface.frame.tilted(0.1, "x"))))),
    "a cylinder is too large": lambda: with_faces(
        _tube(), nth(CylinderSurface, lambda f: replace(f, surface=grown(f.surface, 1e-4)))),
    "a cylinder is too small": lambda: with_faces(
        _tube(), nth(CylinderSurface, lambda f: replace(f, surface=grown(f.surface, -0.5)))),
    "a cone is too steep": lambda: with_faces(
        lw.cone(3, 1, 4), nth(ConeSurface, lambda f: replace(
            f, surface=replace(f.surface, half_angle=f.surface.half_angle * 1.001)))),
    "a loop is missing": lambda: with_faces(
        _tube(), nth(PlaneSurface, lambda f: replace(f, loops=f.loops[:1]))),
    "a loop is reversed": lambda: with_faces(
        _wedge(), nth(PlaneSurface, lambda f: replace(f, loops=tuple(
            Loop(tuple(Coedge(c.edge, not c.forward) for c in reversed(lo.coedges))) for lo in f.loops)))),
    "an edge is left out of a loop": lambda: with_faces(
        _wedge(), nth(PlaneSurface, lambda f: replace(f, loops=(Loop(f.loops[0].coedges[1:]),)))),
    "a vertex is moved": lambda: with_edges(_wedge(), moved_vertex(1e-3)),
    "a vertex is far away": lambda: with_edges(_wedge(), moved_vertex(5.0)),
    "an edge is too long": lambda: with_edges(
        _wedge(), lambda i, e: Edge(e.curve, e.t0, e.t1 + 0.1, e.start, e.end) if i == 3 else e),
    "an edge has no length": lambda: with_edges(
        _wedge(), lambda i, e: Edge(e.curve, e.t0, e.t0, e.start, e.end) if i == 3 else e),
    "a circle is too large": lambda: with_edges(
        _tube(), lambda i, e: Edge(grown(e.curve, 1e-3), e.t0, e.t1, None, None) if i == 0 else e),
    "an oval wall stands beside itself": lambda: with_faces(
        oval(), nth(ExtrudedSurface, lambda f: replace(f, surface=replace(
            f.surface, profile=replace(f.surface.profile, minor=5.99))))),
    "two faces have changed places": lambda: with_faces(
        _wedge(), lambda i, f: replace(f, surface=_wedge().brep_faces[1 - i].surface) if i < 2 else f),
    "the body is inside out": lambda: with_faces(_wedge(), lambda i, f: replace(f, outward=not f.outward)),
    "there is nothing": lambda: Body((), "mm"),
}  # fmt: skip


@pytest.mark.parametrize("damage", DAMAGES)
def test_damaged_bodies_are_refused(damage, tmp_path):
    """With one line, and no file is left."""
    path = tmp_path / "part.step"
    with pytest.raises(lw.LathwickError) as refused:
        lw.save(DAMAGES[damage](), path)
    assert "\n" not in refused.value.message
    assert not list(tmp_path.iterdir())


def test_the_proof_names_the_face(tmp_path):
    """A wall that no edge leaves, but that bulges between them, is told by its name."""
    tube = splined(height=20)
    wall = tube.brep_faces[-1]
    curve = wall.surface.profile
    controls = curve.controls.copy()
    controls[len(controls) // 2] += (0.01, 0.0, 0.0)
    bad = replace(wall, surface=replace(wall.surface, profile=replace(curve, controls=controls)))
    body = with_faces(tube, lambda i, face: bad if face is wall else face)
    with pytest.raises(lw.LathwickError, match=r"off its extruded|no valid solid"):
        lw.save(body, tmp_path / "part.step")
    assert np.isfinite(tube.volume)


@pytest.mark.parametrize("seed", [8, 28, 81122])
def test_what_is_written_reaches_as_far_as_its_edges(seed, tmp_path):
    """A curve that begins a rounding error before a corner of its spline; one that is highest between two
    places that are lower than others; a loop that turns back just beyond the seam of its wall."""
    assert trial(seed, tmp_path) == "right"


@pytest.mark.parametrize("seed", [1, 4, 21])
def test_a_seam_where_two_pieces_of_a_swept_oval_meet(seed, tmp_path, outside_check):
    """Rounding puts the start of the ring between them before the seam or behind it: it lies on that."""
    random = np.random.default_rng(seed)
    way = lw.route(np.cumsum(random.uniform(-80, 80, (4, 3)), axis=0).tolist(), bend=8)
    oval = lw.Sketch(way.plane_at(0))
    oval.ellipse((0, 0), 3, 1.5, angle=float(random.uniform(0, 90)))
    lw.save(lw.sweep(oval, way), tmp_path / "pipe.step")
    outside_check(tmp_path / "pipe.step")
    assert lw.read_step(tmp_path / "pipe.step").body.is_valid


def test_curves_have_few_poles(tmp_path):
    """Twelve radial holes through a rounded rim: their crossings are round loops, written with some dozens of
    poles each, and the volume is that of the body."""
    wheel = lw.cylinder(60, 24, step="w")
    drills = [
        lw.cylinder(1.5, 80, on=lw.Plane((0, 0, 12), (math.cos(a), math.sin(a), 0)))
        for a in np.arange(12) * math.tau / 12
    ]
    body = lw.cut(wheel, lw.cylinder(30, 30), *drills)
    lw.save(body, tmp_path / "wheel.step")
    text = (tmp_path / "wheel.step").read_text()
    curves = re.findall(r"B_SPLINE_CURVE_WITH_KNOTS\('',\d+,\(([^)]*)\)", text)
    assert curves
    assert max(curve.count("#") for curve in curves) < 120
    assert len(text) < 250_000
    assert lw.read_step(tmp_path / "wheel.step").body.volume == pytest.approx(body.volume, rel=1e-11)
