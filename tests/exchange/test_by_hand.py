"""Balls, rings, cones, domes and cans as writers of all sorts put them, and their texts in every spelling."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from itertools import product

import numpy as np
import pytest
from scipy.integrate import quad

import lathwick as lw

from ..damage import damaged
from .by_hand import BACK, DOWN, HEAD, ORIGIN, TAIL, ByHand, X, Y, Z

BALL, RING = 4 / 3 * math.pi * 3**3, 2 * math.pi**2 * 5 * 2**2
CONE, DOME, CAN = math.pi * 2**2 * 6 / 3, BALL / 2, math.pi * 2**2 * 5
LEFT = (-1.0, 0.0, 0.0)

Draw = Callable[[ByHand], None]
SOLIDS: dict[str, tuple[Draw, float, list[str]]] = {}


def solid(volume: float, *kinds: str) -> Callable[[Draw], Draw]:
    def keep(draw: Draw) -> Draw:
        SOLIDS[draw.__name__.replace("_", " ").strip()] = draw, volume, sorted(kinds)
        return draw

    return keep


@pytest.mark.parametrize("name", SOLIDS)
def test_a_solid_is_read_whole(name, tmp_path):
    draw, volume, kinds = SOLIDS[name]
    file = ByHand()
    draw(file)
    (tmp_path / "a.step").write_text(file.text())
    part = lw.read_step(tmp_path / "a.step")
    assert part.body.volume == pytest.approx(volume, rel=1e-12)
    assert sorted(face.kind for face in part.body.faces()) == kinds
    assert len(part.body.edges()) == len(kinds) - 1  # no seam is left
    assert not part.messages


OURS = {
    "ball": lambda: lw.sphere(3),
    "ring": lambda: lw.torus(5, 2),
    "cone": lambda: lw.cone(2, 0, 6),
    "dome": lambda: lw.intersect(lw.sphere(3), lw.box(8, 8, 8, on=lw.XY.moved_to((-4, -4, 0)))),
    "can": lambda: lw.cylinder(2, 5),
}
"""The same solids, made here."""


def read_by_hand(name, folder) -> lw.Body:
    file = ByHand()
    SOLIDS[name][0](file)
    (folder / "a.step").write_text(file.text())
    return lw.read_step(folder / "a.step").body


@pytest.mark.parametrize("name", SOLIDS)
def test_what_is_read_is_worked_on_as_what_is_made(name, tmp_path):
    """A slanting bar cut out of it, and a mirror image: equal to those of our own solid, in all measures."""
    read, made = read_by_hand(name, tmp_path), OURS[name.split()[0]]()
    bar = lw.box(1, 12, 1.5, on=lw.Plane((2.2, -6, 0.4), (0.1, 0.05, 1)))
    for one, two in ((read, made), (lw.cut(read, bar), lw.cut(made, bar)), (saddled(read), saddled(made))):
        assert one.volume == pytest.approx(two.volume, rel=1e-11)
        assert one.area == pytest.approx(two.area, rel=1e-11)
        assert one.centroid == pytest.approx(two.centroid, abs=1e-10)
        assert np.allclose(one.bounds, two.bounds, rtol=0, atol=1e-9)
        counts = [(len(b.faces()), len(b.edges()), len(b.vertices()), b.lumps) for b in (one, two)]
        assert counts[0] == counts[1]
    where = np.random.default_rng(2).uniform(-7, 7, (200, 3))
    assert (read.contains(where) == made.contains(where)).all()


def saddled(body: lw.Body) -> lw.Body:
    """United with its mirror image, moved a little."""
    return lw.union(body, lw.move(lw.mirror(body, lw.YZ, keep=False), 0.7, 0.4, 0.9))


@pytest.mark.parametrize("name", SOLIDS)
def test_two_solids_of_the_same_faces(name, tmp_path):
    """As some write them who keep what is shared once: two bodies, each valid."""
    draw, volume, kinds = SOLIDS[name]
    file = ByHand()
    draw(file)
    (tmp_path / "a.step").write_text(file.text(solids=2))
    bodies = lw.read_step(tmp_path / "a.step").bodies
    assert list(bodies) == ["solid", "solid 2"]
    for part in bodies.values():
        assert part.body.volume == pytest.approx(volume, rel=1e-12)
        assert sorted(face.kind for face in part.body.faces()) == kinds


@pytest.mark.parametrize("name", SOLIDS)
def test_a_damaged_file_is_refused_or_right(name, tmp_path):
    """In one line, naming the file; or what is read is a valid body."""
    file = ByHand()
    SOLIDS[name][0](file)
    text = file.text()
    for seed in range(8):
        (tmp_path / "b.step").write_text(damaged(text, seed))
        try:
            body = lw.read_step(tmp_path / "b.step").body
        except lw.ExchangeError as error:
            assert str(error).startswith("b.step: ") and "\n" not in str(error)
        else:
            assert body.check() == ()
            assert body.volume > 0


# ---------------------------------------------------------------------- balls of radius 3


def sphere(file: ByHand, z=Z, x=X) -> str:
    return file.add(f"SPHERICAL_SURFACE('',{file.frame(ORIGIN, z, x)},3.)")


def meridian(file: ByHand, back: bool = False) -> str:
    """From the south pole to the north, by way of +x or -x."""
    file.vertex("s", (0, 0, -3))
    file.vertex("n", (0, 0, 3))
    return file.circle(ORIGIN, 3, Y if back else BACK, DOWN)


@solid(BALL, "sphere")
def ball_with_a_seam(file):
    file.edge("m", "s", "n", meridian(file))
    file.face(sphere(file), "m+ m-")


@solid(BALL, "sphere")
def ball_with_edges_at_its_poles(file):
    file.edge("m", "s", "n", meridian(file))
    for name, pole, height in (("S", "s", -3), ("N", "n", 3)):
        file.edge(name, pole, pole, file.circle((0, 0, height), 1e-9))
    file.face(sphere(file), "S+ m+ N- m-")


@solid(BALL, "sphere")
def ball_in_halves_along_its_equator(file):
    file.vertex("a", (3, 0, 0))
    file.edge("e", "a", "a", file.circle(ORIGIN, 3))
    whole = sphere(file)
    file.face(whole, "e+")
    file.face(whole, "e-")


@solid(BALL, "sphere")
def ball_in_halves_along_a_meridian(file):
    file.edge("m", "s", "n", meridian(file))
    file.edge("k", "s", "n", meridian(file, back=True))
    whole = sphere(file)
    file.face(whole, "k+ m-")
    file.face(whole, "m+ k-")


@solid(BALL, "sphere")
def ball_in_halves_with_seams(file):
    curve = meridian(file)
    file.vertex("a", (3, 0, 0))
    file.edge("e", "a", "a", file.circle(ORIGIN, 3))
    file.edge("l", "s", "a", curve)
    file.edge("u", "a", "n", curve)
    whole = sphere(file)
    file.face(whole, "e+ u+ u-")
    file.face(whole, "e- l- l+")


@solid(BALL, "sphere")
def ball_with_a_vertex_loop(file):
    file.vertex("s", (0, 0, -3))
    file.face(sphere(file), "@s")


@solid(BALL, "sphere")
def ball_without_bounds(file):
    file.face(sphere(file))


@solid(BALL, "sphere")
def ball_that_is_turned(file):
    curve = meridian(file)
    file.edge("m", "s", "n", curve)
    file.face(file.turned(curve), "m+ m-", sense="F")


@solid(BALL, "sphere")
def ball_in_octants(file):
    ways = {name: sign * np.eye(3)[k] for k, pair in enumerate(("xX", "yY", "zZ"))
            for name, sign in zip(pair, (1, -1), strict=True)}  # fmt: skip
    for name, way in ways.items():
        file.vertex(name, 3 * way)
    known: set[str] = set()

    def quarter(a: str, b: str) -> str:
        if b + a in known:
            return f"{b}{a}-"
        if a + b not in known:
            file.edge(a + b, a, b, file.circle(ORIGIN, 3, np.cross(ways[a], ways[b]), ways[a]))
            known.add(a + b)
        return f"{a}{b}+"

    whole = sphere(file)
    for a, b, c in product("xX", "yY", "zZ"):
        if np.linalg.det([ways[a], ways[b], ways[c]]) < 0:
            b, c = c, b
        file.face(whole, f"{quarter(a, b)} {quarter(b, c)} {quarter(c, a)}")


# ---------------------------------------------------------------------- rings of radii 5 and 2


def torus(file: ByHand) -> str:
    return file.add(f"TOROIDAL_SURFACE('',{file.frame(ORIGIN)},5.,2.)")


def around(file: ByHand) -> None:
    """The outer and the inner rim."""
    for vertex, edge, radius in (("a", "M", 7), ("b", "N", 3)):
        file.vertex(vertex, (radius, 0, 0))
        file.edge(edge, vertex, vertex, file.circle(ORIGIN, radius))


def across(file: ByHand) -> None:
    """Two sections."""
    for vertex, edge, x, z, ahead in (("a", "p", 5, BACK, X), ("c", "q", -5, Y, LEFT)):
        file.vertex(vertex, (1.4 * x, 0, 0))
        file.edge(edge, vertex, vertex, file.circle((x, 0, 0), 2, z, ahead))


@solid(RING, "torus")
def ring_with_two_seams(file):
    around(file)
    across(file)
    file.edge("M", "a", "a", file.circle(ORIGIN, 7))
    file.face(torus(file), "M+ p+ M- p-")


@solid(RING, "torus")
def ring_cut_open(file):
    across(file)
    file.face(torus(file), "p+", "p-")


@solid(RING, "torus")
def ring_cut_around(file):
    around(file)
    file.face(torus(file), "M+", "M-")


@solid(RING, "torus")
def ring_of_two_bowls(file):
    around(file)
    whole = torus(file)
    file.face(whole, "M+", "N-")
    file.face(whole, "N+", "M-")


@solid(RING, "torus")
def ring_of_two_bowls_with_seams(file):
    around(file)
    section = file.circle((5, 0, 0), 2, BACK, X)
    file.edge("t", "a", "b", section)
    file.edge("u", "b", "a", section)
    whole = torus(file)
    file.face(whole, "M+ t+ N- t-")
    file.face(whole, "N+ u+ M- u-")


@solid(RING, "torus")
def ring_of_two_bends(file):
    across(file)
    whole = torus(file)
    file.face(whole, "q+", "p-")
    file.face(whole, "p+", "q-")


@solid(RING, "torus")
def ring_of_two_bends_with_seams(file):
    across(file)
    rim = file.circle(ORIGIN, 7)
    file.edge("A", "a", "c", rim)
    file.edge("B", "c", "a", rim)
    whole = torus(file)
    file.face(whole, "A+ q+ A- p-")
    file.face(whole, "B+ p+ B- q-")


# ---------------------------------------------------------------------- cones of radius 2, 6 high

HALF_ANGLE = repr(math.atan2(2, 6))
FLANK = (-2.0, 0.0, 6.0)


def conical(file: ByHand) -> str:
    return file.add(f"CONICAL_SURFACE('',{file.frame(ORIGIN, DOWN)},2.,{HALF_ANGLE})")


def foot(file: ByHand) -> None:
    file.vertex("a", (2, 0, 0))
    file.vertex("t", (0, 0, 6))
    file.edge("r", "a", "a", file.circle(ORIGIN, 2))
    file.face(file.plane(ORIGIN, DOWN), "r-")


@solid(CONE, "cone", "plane")
def cone_with_a_seam(file):
    foot(file)
    file.edge("s", "a", "t", file.line((2, 0, 0), FLANK))
    file.face(conical(file), "r+ s+ s-")


@solid(CONE, "cone", "plane")
def cone_that_is_turned(file):
    foot(file)
    flank = file.line((2, 0, 0), FLANK)
    file.edge("s", "a", "t", flank)
    file.face(file.turned(flank), "r+ s+ s-")


@solid(CONE, "cone", "plane")
def cone_with_a_rim_alone(file):
    foot(file)
    file.face(conical(file), "r+")


@solid(CONE, "cone", "plane")
def cone_with_its_apex_as_a_loop(file):
    foot(file)
    file.face(conical(file), "r+", "@t")


@solid(CONE, "cone", "plane")
def cone_with_its_apex_as_the_outer_loop(file):
    foot(file)
    file.face(conical(file), "@t", "r+")


@solid(CONE, "cone", "plane")
def cone_placed_at_its_apex(file):
    foot(file)
    file.face(file.add(f"CONICAL_SURFACE('',{file.frame((0, 0, 6), DOWN)},0.,{HALF_ANGLE})"), "r+")


@solid(CONE, "cone", "plane")
def cone_of_a_negative_angle(file):
    foot(file)
    file.face(file.add(f"CONICAL_SURFACE('',{file.frame(ORIGIN)},2.,-{HALF_ANGLE})"), "r+")


@solid(CONE, "cone", "plane")
def cone_in_halves(file):
    rim = file.circle(ORIGIN, 2)
    for name, place in (("a", (2, 0, 0)), ("b", (-2, 0, 0)), ("t", (0, 0, 6))):
        file.vertex(name, place)
    file.edge("p", "a", "b", rim)
    file.edge("q", "b", "a", rim)
    file.edge("s", "a", "t", file.line((2, 0, 0), FLANK))
    file.edge("u", "b", "t", file.line((-2, 0, 0), (2, 0, 6)))
    whole = conical(file)
    file.face(file.plane(ORIGIN, DOWN), "q- p-")
    file.face(whole, "p+ u+ s-")
    file.face(whole, "q+ s+ u-")


# ---------------------------------------------------------------------- domes of radius 3


def equator(file: ByHand, halved: bool = False) -> str:
    file.vertex("a", (3, 0, 0))
    rim = file.circle(ORIGIN, 3)
    if halved:
        file.vertex("b", (-3, 0, 0))
        file.edge("p", "a", "b", rim)
        file.edge("q", "b", "a", rim)
    else:
        file.edge("e", "a", "a", rim)
    file.face(file.plane(ORIGIN), "q- p-" if halved else "e-", sense="F")
    return rim


@solid(DOME, "sphere", "plane")
def dome_with_a_rim_alone(file):
    equator(file)
    file.face(sphere(file), "e+")


@solid(DOME, "sphere", "plane")
def dome_with_a_seam(file):
    equator(file)
    file.edge("u", "a", "n", meridian(file))
    file.face(sphere(file), "e+ u+ u-")


@solid(DOME, "sphere", "plane")
def dome_with_its_top_as_a_loop(file):
    equator(file)
    file.vertex("n", (0, 0, 3))
    file.face(sphere(file), "e+", "@n")


@solid(DOME, "sphere", "plane")
def dome_with_poles_on_its_rim(file):
    equator(file, halved=True)
    file.face(sphere(file, X, Y), "p+ q+")


@solid(DOME, "sphere", "plane")
def dome_in_quarters_with_poles_on_its_rim(file):
    equator(file, halved=True)
    file.edge("s", "a", "b", file.circle(ORIGIN, 3, BACK, X))
    whole = sphere(file, X, Z)
    file.face(whole, "p+ s-")
    file.face(whole, "q+ s+")


# ---------------------------------------------------------------------- cans of radius 2, 5 high


def wall(file: ByHand) -> str:
    return file.add(f"CYLINDRICAL_SURFACE('',{file.frame(ORIGIN)},2.)")


def rims(file: ByHand) -> None:
    for vertex, edge, height in (("a", "p", 0), ("c", "u", 5)):
        file.vertex(vertex, (2, 0, height))
        file.edge(edge, vertex, vertex, file.circle((0, 0, height), 2))


def top(file: ByHand) -> None:
    file.face(file.plane((0, 0, 5)), "u+")


@solid(CAN, "cylinder", "plane", "plane")
def can_in_default_places(file):
    low, high = (file.add(f"AXIS2_PLACEMENT_3D('',{file.point((0, 0, z))},$,$)") for z in (0, 5))
    for vertex, edge, frame, z in (("a", "p", low, 0), ("c", "u", high, 5)):
        file.vertex(vertex, (2, 0, z))
        file.edge(edge, vertex, vertex, file.add(f"CIRCLE('',{frame},2.)"))
    file.face(file.add(f"CYLINDRICAL_SURFACE('',{low},2.)"), "p+", "u-")
    file.face(file.add(f"PLANE('',{low})"), "p-", sense="F")
    file.face(file.add(f"PLANE('',{high})"), "u+")


@solid(CAN, "cylinder", "plane", "plane")
def can_with_long_and_leaning_directions(file):
    for vertex, edge, z in (("a", "p", 0), ("c", "u", 5)):
        file.vertex(vertex, (2, 0, z))
        file.edge(edge, vertex, vertex, file.circle((0, 0, z), 2, (0, 0, 7), (3, 0, 5)))
    file.face(wall(file), "p+", "u-")
    file.face(file.plane(ORIGIN, (0, 0, 0.1)), "p-", sense="F")
    top(file)


@solid(CAN, "cylinder", "plane", "plane")
def can_with_everything_the_other_way(file):
    file.vertex("a", (2, 0, 0))
    file.vertex("c", (2, 0, 5))
    file.edge("p", "a", "a", file.circle(ORIGIN, 2, DOWN), sense="F")
    file.edge("u", "c", "c", file.circle((0, 0, 5), 2))
    file.face(wall(file), "p+", "u-")
    file.face(file.plane(ORIGIN, DOWN), "p-")
    file.face(file.plane((0, 0, 5), DOWN), "u+", sense="F")


@solid(CAN, "cylinder", "plane", "plane")
def can_in_thirds(file):
    places = [(2 * math.cos(t), 2 * math.sin(t)) for t in (0.3, 2.1, 4.4)]
    low, high, whole = file.circle(ORIGIN, 2), file.circle((0, 0, 5), 2), wall(file)
    for k, (x, y) in enumerate(places):
        file.vertex(f"a{k}", (x, y, 0))
        file.vertex(f"c{k}", (x, y, 5))
        file.edge(f"s{k}", f"a{k}", f"c{k}", file.line((x, y, 0), Z))
    for k in range(3):
        after = (k + 1) % 3
        file.edge(f"p{k}", f"a{k}", f"a{after}", low)
        file.edge(f"u{k}", f"c{k}", f"c{after}", high)
        file.face(whole, f"p{k}+ s{after}+ u{k}- s{k}-")
    file.face(file.plane(ORIGIN), "p2- p1- p0-", sense="F")
    file.face(file.plane((0, 0, 5)), "u0+ u1+ u2+")


@solid(CAN, "cylinder", "plane", "plane")
def can_with_a_foot_in_halves(file):
    rims(file)
    file.vertex("b", (-2, 0, 0))
    low = file.circle(ORIGIN, 2)
    file.edge("p", "a", "b", low)
    file.edge("q", "b", "a", low)
    file.edge("s", "a", "c", file.line((2, 0, 0), Z))
    file.edge("x", "a", "b", file.line((2, 0, 0), LEFT))
    file.face(wall(file), "p+ q+ s+ u- s-")
    flat = file.plane(ORIGIN)
    file.face(flat, "p- x+", sense="F")
    file.face(flat, "q- x-", sense="F")
    top(file)


@solid(CAN, "cylinder", "plane", "plane")
def can_with_a_slit_foot(file):
    rims(file)
    file.vertex("o", ORIGIN)
    file.edge("x", "a", "o", file.line((2, 0, 0), LEFT))
    file.face(wall(file), "p+", "u-")
    file.face(file.plane(ORIGIN), "p- x+ x-", sense="F")
    top(file)


@solid(CAN, "cylinder", "plane", "plane")
def can_of_images(file):
    """All of one circle, one cylinder and one plane of size 1."""
    small, slim = file.circle(ORIGIN, 1), file.add(f"CYLINDRICAL_SURFACE('',{file.frame(ORIGIN)},1.)")
    flat = file.plane(ORIGIN)
    for vertex, edge, z in (("a", "p", 0), ("c", "u", 5)):
        file.vertex(vertex, (2, 0, z))
        file.edge(edge, vertex, vertex, file.image("CURVE", small, (0, 0, z), scale=2))
    file.face(file.image("SURFACE", slim, ORIGIN, scale=2), "p+", "u-")
    file.face(flat, "p-", sense="F")
    file.face(file.image("SURFACE", file.image("SURFACE", flat, (0, 0, 2)), (0, 0, 3)), "u+")


@solid(CAN, "cylinder", "plane", "plane")
def can_of_mirror_images(file):
    """Circles run the other way, and what was outside of a surface is inside."""
    for vertex, edge, z in (("a", "p", 0), ("c", "u", 5)):
        file.vertex(vertex, (2, 0, z))
        file.edge(edge, vertex, vertex, file.image("CURVE", file.circle(ORIGIN, 2), (0, 0, z), BACK))
    file.face(file.image("SURFACE", wall(file), ORIGIN, BACK), "p-", "u+", sense="F")
    file.face(file.image("SURFACE", file.plane(ORIGIN), ORIGIN, BACK), "p+")
    file.face(file.image("SURFACE", file.plane(ORIGIN), (0, 0, 5), BACK), "u-", sense="F")


@solid(CAN, "cylinder", "plane", "plane")
def can_on_pieces_of_an_edge(file):
    rims(file)
    file.vertex("b", (-2, 0, 0))
    file.piece("q", "a", "b", "p")
    file.piece("r", "b", "a", "p")
    file.face(wall(file), "q+ r+", "u-")
    file.face(file.plane(ORIGIN), "r- q-", sense="F")
    top(file)


# ---------------------------------------------------------------------- texts

ROW = "DATA;\n#8000="
OTHER_VALUES = (
    "FOO('x''y',1.,(),((1,2),(3.E+4,-5.E-2)),*,.U.,\"0FF\",TYPED(3.),OTHER((TYPED(2))),"
    "'a\\X\\E9b\\S\\ic\\X2\\03B103B2\\X0\\\\X4\\0001F600\\X0\\\\PA\\\\N\\');\n"
)
NEW_HEADER = (
    "FILE_SCHEMA(('AP242_MANAGED_MODEL_BASED_3D_ENGINEERING_MIM_LF { 1 0 10303 442 1 1 4 }'));\n"
    "FILE_POPULATION('X','Y',$);\nSECTION_LANGUAGE('A','en');\nSECTION_CONTEXT('A',('B'));"
)


def in_sections(text: str) -> str:
    rows = text.removeprefix(HEAD).removesuffix(TAIL).splitlines()
    first, second = ("\n".join(some) for some in (rows[:20], rows[20:]))
    start = HEAD.replace("DATA;", "DATA('A',('CONFIG_CONTROL_DESIGN'));")
    return f"{start}{first}\nENDSEC;\nDATA('B',('CONFIG_CONTROL_DESIGN'));\n{second}\n{TAIL}"


def third_edition(text: str) -> str:
    more = "ANCHOR;\n<a>=#5;\n<x-1>='text';\nENDSEC;\nREFERENCE;\n#9001=<http://x.y/#a>;\n@3=<o.stp#b>;\nENDSEC;\n"
    signed = "ENDSEC;\nSIGNATURE;\nMIIBxyz+/==\nENDSEC;\nEND-ISO-10303-21;\nSIGNATURE;\nabcd\nENDSEC;\n"
    return text.replace("'2;1'", "'4;1'").replace("DATA;", more + "DATA;").replace(TAIL, signed)


def renumbered(rule: Callable[[int], str]) -> Callable[[str], str]:
    return lambda text: re.sub(r"#(\d+)", lambda found: "#" + rule(int(found[1])), text)


TEXTS: dict[str, Callable[[str], str]] = {
    "several sections": in_sections,
    "third edition": third_edition,
    "values of all kinds": lambda t: t.replace("DATA;\n", ROW + OTHER_VALUES),
    "kinds of users": lambda t: t.replace("DATA;\n", ROW + "!SPECIAL_THING('x',1.,(#1,$),*,.U.);\n"),
    "other header": lambda t: t.replace("FILE_SCHEMA(('CONFIG_CONTROL_DESIGN'));", NEW_HEADER),
    "spaces": lambda t: re.sub(r"([(),=])", r" \1 ", t),
    "tabs and lines": lambda t: re.sub(r"([(),=])", "\t\\1\n", t),
    "one line": lambda t: t.replace("\n", " "),
    "carriage returns": lambda t: t.replace("\n", "\r"),
    "comments inside": lambda t: t.replace(",", "/*a;b'#3*/,"),
    "a comment before": lambda t: "/* made ; by 'x */\n" + t,
    "empty lines": lambda t: "\n\n" + t.replace(";\n", ";\n\n\n"),
    "no last line": lambda t: t.replace("END-ISO-10303-21;\n", ""),
    "a note at the end": lambda t: t + "this is a note\n\x1a",
    "large numbers": renumbered(lambda n: str(n * 7919 + 4_000_000_000)),
    "leading zeros": renumbered(lambda n: f"{n:08d}"),
    "whole numbers for reals": lambda t: re.sub(r"(-?\d+)\.0(?=[,)])", r"\1", t),
    "plus signs": lambda t: re.sub(r"(?<=[(,])(\d+\.)", r"+\1", t),
    "no names": lambda t: t.replace("''", "$"),
    "parts of a unit in another order": lambda t: t.replace(
        "(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.MILLI.,.METRE.))",
        "(NAMED_UNIT(*) SI_UNIT(.MILLI.,.METRE.) LENGTH_UNIT())",
    ),
}


@pytest.mark.parametrize("spelling", TEXTS)
def test_a_text_is_read_in_any_spelling(spelling, tmp_path):
    file = ByHand()
    cone_in_halves(file)
    plain = file.text()
    text = TEXTS[spelling](plain)
    assert text != plain
    (tmp_path / "a.step").write_text(text, newline="")
    part = lw.read_step(tmp_path / "a.step")
    assert part.body.volume == pytest.approx(CONE, rel=1e-12)
    assert not part.messages


def test_older_bytes(tmp_path):
    file = ByHand()
    cone_in_halves(file)
    (tmp_path / "a.step").write_bytes(file.text().replace("'t'", "'té'").encode("latin-1"))
    assert lw.read_step(tmp_path / "a.step").body.volume == pytest.approx(CONE, rel=1e-12)


@pytest.mark.parametrize(
    ("row", "words"),
    [
        ("OFFSET_CURVE_3D('',#1,1.,.F.,#1)", "OFFSET_CURVE_3D"),
        ("PCURVE('',#1,#1)", "PCURVE"),
    ],
)
def test_other_kinds_of_curves_are_named(row, words, tmp_path):
    file = ByHand()
    file.vertex("a", (3, 0, 0))
    file.edge("e", "a", "a", file.add(row))
    file.face(sphere(file), "e+")
    file.face(file.plane(ORIGIN), "e-", sense="F")
    (tmp_path / "a.step").write_text(file.text())
    with pytest.raises(lw.ExchangeError, match=rf"a\.step: #\d+: a curve of the kind {words} cannot be read"):
        lw.read_step(tmp_path / "a.step")


@pytest.mark.parametrize(
    ("scale", "words"),
    [(0.0, "a scale is 0, not more than 0"), (-2.0, "a scale is -2"), (1e12, "off its sphere")],
)
def test_images_of_no_size(scale, words, tmp_path):
    file = ByHand()
    file.vertex("a", (3, 0, 0))
    file.edge("e", "a", "a", file.image("CURVE", file.circle(ORIGIN, 2), ORIGIN, scale=scale))
    file.face(sphere(file), "e+")
    file.face(file.plane(ORIGIN), "e-", sense="F")
    (tmp_path / "a.step").write_text(file.text())
    with pytest.raises(lw.ExchangeError, match=words):
        lw.read_step(tmp_path / "a.step")


def test_an_image_of_itself(tmp_path):
    file = ByHand()
    file.vertex("a", (3, 0, 0))
    image = file.image("CURVE", file.circle(ORIGIN, 3), ORIGIN)
    file.edge("e", "a", "a", image)
    file.face(sphere(file), "e+")
    file.face(file.plane(ORIGIN), "e-", sense="F")
    text = file.text()
    row = next(row for row in text.splitlines() if row.startswith(f"{image}="))
    parent = row.split(",")[1]
    (tmp_path / "a.step").write_text(text.replace(row, row.replace(parent, image)))
    with pytest.raises(lw.ExchangeError, match="a curve that is made of itself"):
        lw.read_step(tmp_path / "a.step")


# ---------------------------------------------------------------------- spindles, units, trimmed curves


def spindle(inner: bool, height: float) -> float:
    """The radius of a ring of radii 1 and 2, which meets itself, at a height: of its core or its outside."""
    reach = math.sqrt(4.0 - height * height)
    return reach - 1.0 if inner else reach + 1.0


def spindle_volume(inner: bool) -> float:
    top = math.sqrt(3.0)
    core = quad(lambda z: math.pi * spindle(True, z) ** 2, -top, top)[0]
    if inner:
        return core
    dimples = 2 * quad(lambda z: math.pi * spindle(True, z) ** 2, top, 2.0)[0]
    return quad(lambda z: math.pi * spindle(False, z) ** 2, -2.0, 2.0)[0] - dimples


@pytest.mark.parametrize("way", ["a vertex loop", "no bounds", "a seam"])
@pytest.mark.parametrize("inner", [True, False])
def test_rings_that_meet_themselves(inner, way, tmp_path):
    """A lemon or an apple, as a degenerate torus."""
    file = ByHand()
    flag = "F" if inner else "T"
    whole = file.add(f"DEGENERATE_TOROIDAL_SURFACE('',{file.frame(ORIGIN)},1.,2.,.{flag}.)")
    for name, height in (("s", -math.sqrt(3)), ("n", math.sqrt(3))):
        file.vertex(name, (0, 0, height))
    if way == "a seam":
        file.edge("m", "s", "n", file.circle((-1 if inner else 1, 0, 0), 2, BACK, X))
        file.face(whole, "m+ m-")
    else:
        file.face(whole, *(["@n"] if way == "a vertex loop" else []))
    (tmp_path / "a.step").write_text(file.text())
    body = lw.read_step(tmp_path / "a.step").body
    assert body.volume == pytest.approx(spindle_volume(inner), rel=1e-12)
    assert [face.kind for face in body.faces()] == ["torus"]
    assert body.bounds[1] == pytest.approx((1, 1, math.sqrt(3)) if inner else (3, 3, 2), abs=1e-9)


METRE = "SI_UNIT(.MILLI.,.METRE.)"
INCH = """#9001=LENGTH_MEASURE_WITH_UNIT(LENGTH_MEASURE(25.4),#9003);
#9002=DIMENSIONAL_EXPONENTS(1.,0.,0.,0.,0.,0.,0.);
#9003=(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.MILLI.,.METRE.));
"""


def in_inches(text: str) -> str:
    unit = "(CONVERSION_BASED_UNIT('INCH',#9001)LENGTH_UNIT()NAMED_UNIT(#9002))"
    return text.replace(f"(LENGTH_UNIT()NAMED_UNIT(*){METRE})", unit).replace("DATA;\n", "DATA;\n" + INCH)


UNITS: dict[str, tuple[Callable[[str], str], str, float]] = {
    "millimetres": (lambda t: t, "mm", 1.0),
    "metres": (lambda t: t.replace(METRE, "SI_UNIT($,.METRE.)"), "m", 1.0),
    "centimetres": (lambda t: t.replace(METRE, "SI_UNIT(.CENTI.,.METRE.)"), "cm", 1.0),
    "micrometres": (lambda t: t.replace(METRE, "SI_UNIT(.MICRO.,.METRE.)"), "mm", 1e-3),
    "inches": (in_inches, "in", 1.0),
    "feet": (lambda t: in_inches(t).replace("(25.4)", "(304.8)").replace("INCH", "FOOT"), "mm", 304.8),
}


@pytest.mark.parametrize("unit", UNITS)
def test_a_cone_in_any_unit(unit, tmp_path):
    """Those that have a name here stay, others are converted to millimetres; and any may be asked for."""
    file = ByHand()
    for vertex, place in (("a", (2000, 0, 0)), ("t", (0, 0, 6000))):
        file.vertex(vertex, place)
    file.edge("r", "a", "a", file.circle(ORIGIN, 2000))
    file.face(file.plane(ORIGIN, DOWN), "r-")
    file.face(file.add(f"CONICAL_SURFACE('',{file.frame(ORIGIN, DOWN)},2000.,{HALF_ANGLE})"), "r+")
    rule, name, factor = UNITS[unit]
    (tmp_path / "a.step").write_text(rule(file.text()))
    part = lw.read_step(tmp_path / "a.step")
    assert part.unit == name
    assert part.body.volume == pytest.approx(CONE * (1000 * factor) ** 3, rel=1e-12)
    millimetres = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4}[name] * factor
    metres = lw.read_step(tmp_path / "a.step", unit="m").body
    assert metres.volume == pytest.approx(CONE * millimetres**3, rel=1e-12)


def test_rims_trimmed_in_degrees(tmp_path):
    """Halves of circles by parameters, which are angles in the unit of the file."""
    angle = """#9101=PLANE_ANGLE_MEASURE_WITH_UNIT(PLANE_ANGLE_MEASURE(0.017453292519943295),#9103);
#9102=DIMENSIONAL_EXPONENTS(0.,0.,0.,0.,0.,0.,0.);
#9103=(NAMED_UNIT(*)PLANE_ANGLE_UNIT()SI_UNIT($,.RADIAN.));
#9104=(CONVERSION_BASED_UNIT('DEGREE',#9101)NAMED_UNIT(#9102)PLANE_ANGLE_UNIT());
"""
    file = ByHand()
    corners = {"a": (2, 0, 0), "b": (-2, 0, 0), "c": (2, 0, 5), "d": (-2, 0, 5)}
    for name, place in corners.items():
        file.vertex(name, place)

    def half(z: float, first: str, last: str) -> str:
        ends = f"(PARAMETER_VALUE({first})),(PARAMETER_VALUE({last}))"
        return file.add(f"TRIMMED_CURVE('',{file.circle((0, 0, z), 2)},{ends},.T.,.PARAMETER.)")

    for edge, start, end, z, first, last in (
        ("p", "a", "b", 0, "0.", "180."),
        ("q", "b", "a", 0, "180.", "360."),
        ("u", "c", "d", 5, "0.", "180."),
        ("w", "d", "c", 5, "180.", "0."),
    ):
        file.edge(edge, start, end, half(z, first, last))
    file.edge("s", "a", "c", file.line(corners["a"], Z))
    file.edge("t", "b", "d", file.line(corners["b"], Z))
    whole = wall(file)
    file.face(whole, "p+ t+ u- s-")
    file.face(whole, "q+ s+ w- t-")
    file.face(file.plane(ORIGIN), "q- p-", sense="F")
    file.face(file.plane((0, 0, 5)), "u+ w+")
    text = file.text().replace("DATA;\n", "DATA;\n" + angle)
    text = re.sub(r"UNIT_ASSIGNED_CONTEXT\(\((#\d+)\)\)", r"UNIT_ASSIGNED_CONTEXT((\1,#9104))", text)
    (tmp_path / "a.step").write_text(text)
    body = lw.read_step(tmp_path / "a.step").body
    assert body.volume == pytest.approx(CAN, rel=1e-12)
    assert len(body.edges()) == 2
