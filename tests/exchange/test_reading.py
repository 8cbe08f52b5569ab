"""STEP, OBJ and 3MF files read: our own, in the words of other writers, and damaged; the meshes also by
independent packages."""

from __future__ import annotations

import math
import re

import lib3mf
import meshio
import numpy as np
import pytest
from click.testing import CliRunner

import lathwick as lw
from lathwick.cli.main import cli

from .. import fuzz_reading
from ..csg import random_tree
from ..curved_parts import oval, splined
from ..damage import damaged
from ..dialects import DIALECTS, rows_of, text_of
from .by_hand import HEAD


def holed() -> lw.Body:
    return lw.cut(lw.box(10, 20, 30, step="b"), lw.cylinder(3, 40, step="h"))


def soft() -> lw.Body:
    body = lw.box(10, 20, 30, step="b")
    return lw.turn(lw.fillet(body, body.edges("b/top"), 2, step="rim"), 27, lw.Axis((1, 2, 3), (1, 0.3, -1)))


def die() -> lw.Body:
    """Balls, rings and cylinders meet planes smoothly."""
    body = lw.union(
        lw.box(20, 20, 10, step="b"), lw.cylinder(4, 16, on=lw.Plane((10, 10, 0), lw.Z), step="c")
    )
    return lw.fillet(body, body.edges().where(lambda edge: edge.midpoint[2] > 9), 1.5, step="rim")


def spring() -> lw.Body:
    way = lw.helix(9, 5, turns=2.3)
    wire = lw.Sketch(way.plane_at(0))
    wire.circle((0, 0), 1)
    return lw.sweep(wire, way, step="wire")


def tee() -> lw.Body:
    across = lw.cylinder(2, 20, on=lw.Plane((0, 0, 10), (1, 0, 0)), step="across")
    return lw.turn(lw.union(lw.cylinder(3, 20, step="up"), across), 33, lw.Axis((1, 2, 3), (1, 1, 1)))


PARTS = {
    "holed": holed,
    "soft": soft,
    "die": die,
    "tee": tee,
    "cone": lambda: lw.turn(lw.cut(lw.cone(8, 3, 10, step="k"), lw.cylinder(1.5, 20, step="h")), 27, lw.X),
    "tip": lambda: lw.cone(5, 0, 8, step="k"),
    "ball": lambda: lw.sphere(4, step="s"),
    "ring": lambda: lw.torus(8, 2, step="t"),
    "hollow": lambda: lw.cut(lw.box(10, 20, 30, step="b"), lw.move(lw.sphere(3, step="v"), 5, 10, 15)),
    "apart": lambda: lw.union(lw.box(5, 5, 5, step="a"), lw.move(lw.sphere(4, step="b"), 20, 0, 0)),
    "oval": oval,
    "spring": spring,
    "pebble": lambda: lw.cut(splined(), lw.move(lw.cylinder(0.5, 20, step="h"), 0, 4, -5)),
}


def same(one: lw.Body, two: lw.Body, room: float = 1e-9) -> bool:
    """Equal measures, bounds and counts."""
    size = float(np.ptp(two.bounds, axis=0).max())
    if np.abs(np.subtract(one.bounds, two.bounds)).max() > max(room, 1e-7) * size:
        return False
    close = all(abs(a / b - 1) <= room for a, b in ((one.volume, two.volume), (one.area, two.area)))
    counts = [(len(b.faces()), len(b.edges()), len(b.vertices()), b.lumps) for b in (one, two)]
    return close and counts[0] == counts[1]


@pytest.mark.parametrize("name", PARTS)
def test_what_is_written_is_read(name, tmp_path):
    body = PARTS[name]()
    lw.save(lw.Part(body, name=name, color="#3366cc"), tmp_path / "a.step")
    part = lw.read_step(tmp_path / "a.step")
    assert same(part.body, body)
    assert [f.brep.names for f in part.body.faces()] == [f.brep.names for f in body.faces()]
    assert part.name == name
    assert part.color == pytest.approx((0.2, 0.4, 0.8))
    assert not part.messages
    lw.save(part, tmp_path / "b.step")
    assert same(lw.read_step(tmp_path / "b.step").body, body)


def test_an_assembly_is_called_as_in_the_file(tmp_path):
    pair = lw.Part({"pin": PARTS["holed"](), "ball 1": PARTS["apart"]()}, name="kit")
    lw.save(pair, tmp_path / "a.step")
    read = lw.read_step(tmp_path / "a.step")
    assert (read.name, [*read.bodies]) == ("kit", ["pin", "ball 1"])
    assert read.bodies["ball 1"].body.lumps == 2


SAID = ["holed", "soft", "die", "tee", "cone", "ball", "ring", "hollow", "pebble"]
TOO_ROUGH = ("soft", "5 decimals")


@pytest.mark.parametrize(("name", "dialect"), [(n, d) for n in SAID for d in DIALECTS if (n, d) != TOO_ROUGH])
def test_other_words_for_the_same(name, dialect, tmp_path):
    body = PARTS[name]()
    lw.save(body, tmp_path / "a.step")
    text = DIALECTS[dialect]((tmp_path / "a.step").read_text())
    (tmp_path / "b.step").write_text(text)
    read = lw.read_step(tmp_path / "b.step")
    assert same(read.body, body, 1e-5 if "decimals" in dialect else 1e-9)
    assert [face.kind for face in read.body.faces()] == [face.kind for face in body.faces()]
    told = " ".join(message.text for message in read.messages)
    assert ("inside out" in told) is (dialect == "inside out")
    assert ("did not share" in told) is (dialect == "unshared" and name != "ball")


def test_faces_that_should_meet_smoothly_and_miss_each_other_are_refused(tmp_path):
    """The rounds of a turned rim and what they touch, five decimals apart: no edge lies on both."""
    lw.save(soft(), tmp_path / "a.step")
    (tmp_path / "b.step").write_text(DIALECTS["5 decimals"]((tmp_path / "a.step").read_text()))
    with pytest.raises(lw.ExchangeError, match=r"b\.step: #\d+ .* off its"):
        lw.read_step(tmp_path / "b.step")


@pytest.mark.parametrize("seed", [700, 701, 702, 704, 705, 706, 707, 708, 709, 710])
def test_random_bodies_are_read_as_they_were(seed, tmp_path):
    body = random_tree(seed).body
    if body is not None:
        lw.save(body, tmp_path / "a.step")
        assert same(lw.read_step(tmp_path / "a.step").body, body)


@pytest.mark.parametrize("seed", [13508, 13541])
def test_edges_that_run_on_past_the_ends_of_closed_curves(seed, tmp_path):
    """One of which the file is cut beside a knot, and one that a mere quarter of its pieces would measure."""
    assert fuzz_reading.trial(seed, tmp_path) == "equal"
    written = (tmp_path / "a.step").read_text()
    rows = re.findall(r"B_SPLINE_CURVE_WITH_KNOTS\(.*?\),\(([^()]*)\),\.UNSPECIFIED", written)
    knots = [np.array(row.split(","), dtype=float) for row in rows]
    assert knots and all(np.diff(k).min() > 1e-9 * np.ptp(k) for k in knots)


HALVES = f"""{HEAD}#1=(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT($,.METRE.));
#2=CARTESIAN_POINT('',(0.,0.,0.));
#3=CARTESIAN_POINT('',(0.,0.,4.));
#4=DIRECTION('',(0.,0.,1.));
#5=DIRECTION('',(1.,0.,0.));
#6=AXIS2_PLACEMENT_3D('',#2,#4,#5);
#7=AXIS2_PLACEMENT_3D('',#3,#4,#5);
#8=VERTEX_POINT('',#9);
#9=CARTESIAN_POINT('',(2.,0.,0.));
#10=VERTEX_POINT('',#11);
#11=CARTESIAN_POINT('',(-2.,0.,0.));
#12=VERTEX_POINT('',#13);
#13=CARTESIAN_POINT('',(2.,0.,4.));
#14=VERTEX_POINT('',#15);
#15=CARTESIAN_POINT('',(-2.,0.,4.));
#16=CIRCLE('',#6,2.);
#17=CIRCLE('',#7,2.);
#18=EDGE_CURVE('',#8,#10,#16,.T.);
#19=EDGE_CURVE('',#10,#8,#16,.T.);
#20=EDGE_CURVE('',#12,#14,#17,.T.);
#21=EDGE_CURVE('',#14,#12,#17,.T.);
#22=VECTOR('',#4,1.);
#23=LINE('',#9,#22);
#24=LINE('',#11,#22);
#25=EDGE_CURVE('',#8,#12,#23,.T.);
#26=EDGE_CURVE('',#10,#14,#24,.T.);
#30=ORIENTED_EDGE('',*,*,#18,.T.);
#31=ORIENTED_EDGE('',*,*,#26,.T.);
#32=ORIENTED_EDGE('',*,*,#20,.F.);
#33=ORIENTED_EDGE('',*,*,#25,.F.);
#34=EDGE_LOOP('',(#30,#31,#32,#33));
#35=ORIENTED_EDGE('',*,*,#19,.T.);
#36=ORIENTED_EDGE('',*,*,#25,.T.);
#37=ORIENTED_EDGE('',*,*,#21,.F.);
#38=ORIENTED_EDGE('',*,*,#26,.F.);
#39=EDGE_LOOP('',(#35,#36,#37,#38));
#40=ORIENTED_EDGE('',*,*,#18,.F.);
#41=ORIENTED_EDGE('',*,*,#19,.F.);
#42=EDGE_LOOP('',(#41,#40));
#43=ORIENTED_EDGE('',*,*,#20,.T.);
#44=ORIENTED_EDGE('',*,*,#21,.T.);
#45=EDGE_LOOP('',(#43,#44));
#50=FACE_OUTER_BOUND('',#34,.T.);
#51=FACE_OUTER_BOUND('',#39,.T.);
#52=FACE_OUTER_BOUND('',#42,.T.);
#53=FACE_OUTER_BOUND('',#45,.T.);
#54=SURFACE;
#55=ADVANCED_FACE('',(#50),#54,.T.);
#56=ADVANCED_FACE('',(#51),#54,.T.);
#57=PLANE('',#6);
#58=PLANE('',#7);
#59=ADVANCED_FACE('',(#52),#57,.F.);
#60=ADVANCED_FACE('',(#53),#58,.T.);
#61=CLOSED_SHELL('',(#55,#56,#59,#60));
#62=MANIFOLD_SOLID_BREP('can \\X2\\00E9\\X0\\',#61);
#63=(GEOMETRIC_REPRESENTATION_CONTEXT(3)GLOBAL_UNIT_ASSIGNED_CONTEXT((#1))REPRESENTATION_CONTEXT('',''));
#64=ADVANCED_BREP_SHAPE_REPRESENTATION('',(#6,#62),#63);
ENDSEC;
END-ISO-10303-21;
"""
WALLS = {
    "cylinder": "CYLINDRICAL_SURFACE('',#6,2.)",
    "extruded": "SURFACE_OF_LINEAR_EXTRUSION('',#16,#22)",
    "revolved": "SURFACE_OF_REVOLUTION('',#23,#70);\n#70=AXIS1_PLACEMENT('',#2,#4)",
    "trimmed": "RECTANGULAR_TRIMMED_SURFACE('',#70,0.,1.,0.,1.,.T.,.T.);\n#70=CYLINDRICAL_SURFACE('',#6,2.)",
    "offset": "OFFSET_SURFACE('',#70,0.5,.F.);\n#70=CYLINDRICAL_SURFACE('',#6,1.5)",
}


@pytest.mark.parametrize("wall", WALLS)
def test_a_wall_in_halves_is_one_face(wall, tmp_path):
    """A can of two half walls between half circles, in metres, its wall described in five ways."""
    (tmp_path / "can.step").write_text(HALVES.replace("SURFACE;", WALLS[wall] + ";"))
    part = lw.read_step(tmp_path / "can.step")
    assert (part.name, part.unit) == ("can é", "m")
    assert sorted(face.kind for face in part.body.faces()) == ["cylinder", "plane", "plane"]
    assert len(part.body.edges()) == 2
    assert part.body.volume == pytest.approx(16 * math.pi, rel=1e-12)
    assert lw.read_step(tmp_path / "can.step", unit="mm").body.volume == pytest.approx(
        16e9 * math.pi, rel=1e-12
    )


def test_a_skew_line_turned_makes_a_hyperboloid(tmp_path):
    """Lines a quarter turn askew span a wall between circles of radius 2: r^2 = 4 (1 - 2s + 2s^2)."""
    wall = "SURFACE_OF_REVOLUTION('',#23,#70);\n#70=AXIS1_PLACEMENT('',#2,#4);"
    text = HALVES.replace("SURFACE;", wall)
    text = text.replace("#13=CARTESIAN_POINT('',(2.,0.,4.))", "#13=CARTESIAN_POINT('',(0.,2.,4.))")
    text = text.replace("#15=CARTESIAN_POINT('',(-2.,0.,4.))", "#15=CARTESIAN_POINT('',(0.,-2.,4.))")
    ways = "#22=VECTOR('',#71,1.);\n#71=DIRECTION('',(-2.,2.,4.));\n#72=VECTOR('',#73,1.);\n"
    text = text.replace("#22=VECTOR('',#4,1.);\n", ways + "#73=DIRECTION('',(2.,-2.,4.));\n")
    (tmp_path / "waist.step").write_text(text.replace("#24=LINE('',#11,#22)", "#24=LINE('',#11,#72)"))
    body = lw.read_step(tmp_path / "waist.step").body
    assert body.volume == pytest.approx(32 * math.pi / 3, rel=1e-10)
    assert len(body.faces()) == 3
    large = lw.read_step(tmp_path / "waist.step", unit="mm").body
    drilled = lw.cut(large, lw.cylinder(1000, 6000, on=lw.Plane((0, 0, -1000), (0, 0, 1))))
    assert drilled.volume == pytest.approx((32 * math.pi / 3 - 4 * math.pi) * 1e9, rel=1e-10)
    lw.save(body, tmp_path / "again.step")
    assert same(lw.read_step(tmp_path / "again.step").body, body)


PARABOLA = "PARABOLA('',#{},1.)"
HYPERBOLA = f"HYPERBOLA('',#{{}},1.,{2 / math.sqrt(3)!r})"


@pytest.mark.parametrize(
    ("conic", "vertex", "volume"), [(PARABOLA, 1.0, 112 * math.pi / 15), (HYPERBOLA, 0.0, 8 * math.pi)]
)
def test_conics_turned_make_waists(conic, vertex, volume, tmp_path):
    """The meridian bends from radius 2 at both ends to radius 1 in the middle."""
    rows = ["#70=AXIS1_PLACEMENT('',#2,#4);\n#76=DIRECTION('',(-1.,0.,0.))"]
    for k, side in ((71, 1.0), (81, -1.0)):
        rows += [f"#{k}=AXIS2_PLACEMENT_3D('',#{k + 1},#{k + 2},#{5 if side > 0 else 76})",
                 f"#{k + 1}=CARTESIAN_POINT('',({side * vertex},0.,2.))",
                 f"#{k + 2}=DIRECTION('',(0.,{-side},0.))"]  # fmt: skip
    text = HALVES.replace("SURFACE;", "SURFACE_OF_REVOLUTION('',#23,#70);\n" + ";\n".join(rows) + ";")
    text = text.replace("LINE('',#9,#22)", conic.format(71)).replace("LINE('',#11,#22)", conic.format(81))
    (tmp_path / "waist.step").write_text(text)
    body = lw.read_step(tmp_path / "waist.step").body
    assert body.volume == pytest.approx(volume, rel=1e-9)
    assert len(body.faces()) == 3


def test_a_parabola_extruded(tmp_path):
    """A loaf 3 long under y = 1 - x^2 / 4: an area of 8/3."""
    places = {
        1: (-2, 0, 0),
        2: (2, 0, 0),
        3: (-2, 0, 3),
        4: (2, 0, 3),
        5: (0, 1, 0),
        6: (0, 1, 3),
        7: (0, 0, 0),
    }
    ways = {11: (0, 0, 1), 12: (1, 0, 0), 13: (0, -1, 0)}
    rows = {n: f"CARTESIAN_POINT('',({','.join(f'{float(c)}' for c in p)}))" for n, p in places.items()}
    rows |= {n: f"DIRECTION('',({','.join(f'{float(c)}' for c in p)}))" for n, p in ways.items()}
    rows |= {20 + n: f"VERTEX_POINT('',#{n})" for n in range(1, 5)}
    rows |= {31: "VECTOR('',#11,1.)", 32: "VECTOR('',#12,1.)"}
    rows |= {41: "AXIS2_PLACEMENT_3D('',#5,#11,#13)", 42: "AXIS2_PLACEMENT_3D('',#6,#11,#13)",
             43: "AXIS2_PLACEMENT_3D('',#7,#13,#12)", 44: "AXIS2_PLACEMENT_3D('',#7,#11,#12)",
             45: "AXIS2_PLACEMENT_3D('',#6,#11,#12)"}  # fmt: skip
    curves = {51: "LINE('',#1,#32)", 52: "LINE('',#3,#32)", 53: "LINE('',#1,#31)", 54: "LINE('',#2,#31)",
              55: "PARABOLA('',#41,1.)", 56: "PARABOLA('',#42,1.)"}  # fmt: skip
    ends = {51: (21, 22), 52: (23, 24), 53: (21, 23), 54: (22, 24), 55: (21, 22), 56: (23, 24)}
    rows |= curves | {n + 10: f"EDGE_CURVE('',#{a},#{b},#{n},.T.)" for n, (a, b) in ends.items()}
    loops = {1: "51- 55+", 2: "52+ 56-", 3: "51+ 54+ 52- 53-", 4: "55- 53+ 56+ 54-"}
    surfaces = {1: "PLANE('',#44)", 2: "PLANE('',#45)", 3: "PLANE('',#43)",
                4: "SURFACE_OF_LINEAR_EXTRUSION('',#55,#31)"}  # fmt: skip
    senses = {1: "F", 2: "T", 3: "T", 4: "F"}
    for face, loop in loops.items():
        uses = []
        for use in loop.split():
            uses.append(f"#{len(rows) + 200}")
            flag = "T" if use[-1] == "+" else "F"
            rows[len(rows) + 200] = f"ORIENTED_EDGE('',*,*,#{int(use[:-1]) + 10},.{flag}.)"
        rows[300 + face] = f"EDGE_LOOP('',({','.join(uses)}))"
        rows[310 + face] = f"FACE_OUTER_BOUND('',#{300 + face},.T.)"
        rows[320 + face] = surfaces[face]
        rows[330 + face] = f"ADVANCED_FACE('',(#{310 + face}),#{320 + face},.{senses[face]}.)"
    rows[400] = "CLOSED_SHELL('',(#331,#332,#333,#334))"
    rows[401] = "MANIFOLD_SOLID_BREP('loaf',#400)"
    rows[402] = "(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.MILLI.,.METRE.))"
    head, tail = HALVES.split("#1=", 1)[0], HALVES[HALVES.index("#63=") :]
    tail = (
        tail.replace("#1)", "#402)")
        .replace("#6,#62", "#44,#401")
        .replace("#63", "#463")
        .replace("#64=", "#464=")
    )
    (tmp_path / "loaf.step").write_text(head + "".join(f"#{n}={row};\n" for n, row in rows.items()) + tail)
    body = lw.read_step(tmp_path / "loaf.step").body
    assert body.volume == pytest.approx(8.0, rel=1e-9)


BOW = 0.1


def _sheet(kind: str, degree: int, reach: float, more: str = "", bowed: tuple[float, ...] = ()) -> str:
    """The top of the can as a B-spline of 3 by 3 controls: flat, or the bowl z = 4 + BOW (x^2 + y^2 - 4), if
    those of x^2 are given."""
    steps = (-reach, 0.0, reach)
    points = [f"#{100 + 3 * i + j}" for i in range(3) for j in range(3)]
    net = ",".join(f"({','.join(points[3 * i : 3 * i + 3])})" for i in range(3))
    shape = f"{degree},{degree},({net}),.UNSPECIFIED.,.F.,.F.,.F."
    heights = [4.0 + BOW * (bowed[k // 3] + bowed[k % 3] - 4.0) if bowed else 4.0 for k in range(9)]
    rows = [
        f"{p}=CARTESIAN_POINT('',({steps[k // 3]},{steps[k % 3]},{heights[k]}));"
        for k, p in enumerate(points)
    ]
    if kind == "rational":
        weights = "(1.,0.8,1.),(0.8,0.6,0.8),(1.,0.8,1.)"
        made = (
            f"(BOUNDED_SURFACE()B_SPLINE_SURFACE({shape})B_SPLINE_SURFACE_WITH_KNOTS({more})"
            f"GEOMETRIC_REPRESENTATION_ITEM()RATIONAL_B_SPLINE_SURFACE(({weights}))"
            "REPRESENTATION_ITEM('')SURFACE())"
        )
    else:
        made = f"{kind}('',{shape}{',' + more if more else ''})"
    return f"#58={made};\n" + "\n".join(rows)


CLAMPED = "(3,3),(3,3),(0.,1.),(0.,1.),.UNSPECIFIED."
FLOATING = "(1,1,1,1,1,1),(1,1,1,1,1,1)," + "(0.,1.,2.,3.,4.,5.)," * 2 + ".UNSPECIFIED."
CLOSE, FAR = (9.0, -9.0, 9.0), (60.75, -20.25, 60.75)
SHEETS = {
    "bezier": _sheet("BEZIER_SURFACE", 2, 3.0, bowed=CLOSE),
    "quasi uniform": _sheet("QUASI_UNIFORM_SURFACE", 1, 3.0),
    "uniform": _sheet("UNIFORM_SURFACE", 2, 9.0, bowed=FAR),
    "clamped": _sheet("B_SPLINE_SURFACE_WITH_KNOTS", 2, 3.0, CLAMPED, CLOSE),
    "floating": _sheet("B_SPLINE_SURFACE_WITH_KNOTS", 2, 9.0, FLOATING, FAR),
    "rational": _sheet("rational", 2, 3.0, CLAMPED),
    "rational floating": _sheet("rational", 2, 9.0, FLOATING),
}


@pytest.mark.parametrize("sheet", SHEETS)
def test_splines_of_every_form(sheet, tmp_path):
    """The lid of the can as a B-spline, clamped and not, with and without weights; a flat one is a plane."""
    text = HALVES.replace("SURFACE;", WALLS["cylinder"] + ";").replace("#58=PLANE('',#7);", SHEETS[sheet])
    (tmp_path / "a.step").write_text(text)
    body = lw.read_step(tmp_path / "a.step").body
    is_flat = sheet in ("quasi uniform", "rational", "rational floating")
    assert sorted(face.kind for face in body.faces()) == [
        "cylinder",
        "plane",
        "plane" if is_flat else "spline",
    ]
    assert body.volume == pytest.approx((16 - (0 if is_flat else 8 * BOW)) * math.pi, rel=1e-9)


def test_assemblies_keep_names_colors_and_places(tmp_path):
    """Pins of one product placed twice, and our own file of a part of several bodies."""
    pins = {"left": lw.cylinder(1, 5, step="p"), "right": lw.move(lw.cylinder(1, 5, step="p"), 10, 0, 0)}
    part = lw.Part({name: lw.Part(body, color="#ff0000") for name, body in pins.items()}, name="pair")
    lw.save(part, tmp_path / "a.step")
    read = lw.read_step(tmp_path / "a.step")
    assert list(read.bodies) == ["left", "right"]
    assert {piece.color for piece in read.bodies.values()} == {(1.0, 0.0, 0.0)}
    head, rows, tail = rows_of((tmp_path / "a.step").read_text())
    moves = [n for n, row in rows.items() if row.startswith("ITEM_DEFINED_TRANSFORMATION")]
    rows |= {
        "90001": "CARTESIAN_POINT('',(0.,20.,0.))",
        "90002": "DIRECTION('',(1.,0.,0.))",
        "90003": "DIRECTION('',(0.,1.,0.))",
        "90004": "AXIS2_PLACEMENT_3D('',#90001,#90002,#90003)",
    }
    rows[moves[0]] = re.sub(r"#\d+\)$", "#90004)", rows[moves[0]])
    (tmp_path / "b.step").write_text(text_of(head, rows, tail))
    low, high = lw.read_step(tmp_path / "b.step").bodies["left"].body.bounds
    assert np.allclose((low, high), ((0, 19, -1), (5, 21, 1)))


def test_copies_are_one_product_in_many_places(tmp_path, outside_check):
    """Copies of a link, moved and turned in steps; one in another color, one mirrored: 3 solids."""
    link = lw.cut(lw.box(20, 6, 3, step="link"), lw.move(lw.cylinder(1, 9, step="eye"), 3, 3, -1))
    links = {
        f"link {k}": lw.turn(lw.move(link, 25 * k, 0, 0), 40 * k, lw.Axis((1, 2, 3), (1, 1, 0)))
        for k in range(9)
    }
    parts = {name: lw.Part(body, color="#888888") for name, body in links.items()}
    parts["last"] = lw.Part(lw.move(link, 0, 50, 0), color="#ff0000")
    parts["mirrored"] = lw.Part(lw.mirror(link, lw.Plane((0, -9, 0), (0, 1, 0)), keep=False), color="#888888")
    chain = lw.Part(parts, name="chain")
    chain.save(tmp_path / "a.step")
    outside_check(tmp_path / "a.step")
    assert (tmp_path / "a.step").read_text().count("MANIFOLD_SOLID_BREP(") == 3
    read = lw.read_step(tmp_path / "a.step")
    assert list(read.bodies) == list(parts)
    for name, part in parts.items():
        assert same(read.bodies[name].body, part.body)
        assert np.allclose(read.bodies[name].body.bounds, part.body.bounds)
        assert read.bodies[name].color == pytest.approx(part.color)


MAPPED = """#65=REPRESENTATION_MAP(#6,#64);
#66=MAPPED_ITEM('near',#65,#6);
#67=CARTESIAN_POINT('',(10.,0.,0.));
#68=AXIS2_PLACEMENT_3D('',#67,#5,#4);
#69=MAPPED_ITEM('far',#65,#68);
#71=DIRECTION('',(0.,-1.,0.));
#72=CARTESIAN_TRANSFORMATION_OPERATOR_3D('','',#5,#71,#67,1.,#4);
#73=MAPPED_ITEM('mirrored',#65,#72);
#74=SHAPE_REPRESENTATION('all',(#6,#66,#69,#73),#63);
ENDSEC;
END-ISO"""


@pytest.mark.parametrize("turned", [False, True])
def test_lumps_that_a_pattern_copies_are_written_once(turned, tmp_path, outside_check):
    """A body of 40 pieces takes the room of four, and is read, written and read again as it was."""
    job = lw.Job()
    link = job.cut(
        "link", job.box("bar", 10, 4, 2), job.cylinder("hole", 1, 5, on=lw.XY.moved_to((5, 2, -1)))
    )
    if turned:
        row = job.circular_pattern("row", job.move("out", link, 90, 0, 3), 40, lw.Axis((1, 2, 3), (1, 2, 5)))
    else:
        row = job.linear_pattern("row", link, 8, 12, lw.X, count2=5, spacing2=6, along2=(0, 1, 0.5))
    lw.save(lw.Part(link), tmp_path / "one.step")
    lw.save(lw.Part(row, name="row", color="red"), tmp_path / "a.step")
    sizes = [(tmp_path / name).stat().st_size for name in ("a.step", "one.step")]
    assert sizes[0] < 4 * sizes[1]
    outside_check(tmp_path / "a.step")
    read = lw.read_step(tmp_path / "a.step")
    assert same(read.body, row)
    assert (read.name, read.color, read.messages) == ("row", (1, 0, 0), ())
    assert read.body.centroid == pytest.approx(row.centroid, abs=1e-9)
    assert sorted(f.names[0] for f in read.body.faces()) == sorted(f.names[0] for f in row.faces())
    lw.save(read, tmp_path / "b.step")
    assert (tmp_path / "b.step").stat().st_size == pytest.approx(sizes[0], rel=0.05)
    assert same(lw.read_step(tmp_path / "b.step").body, row)


def test_few_copies_are_solids_of_their_own(tmp_path):
    """Which every reader takes; a mirror image is no copy."""
    row = lw.linear_pattern(lw.box(4, 3, 2), 3, 10, lw.X)
    lw.save(row, tmp_path / "a.step")
    text = (tmp_path / "a.step").read_text()
    assert (text.count("MANIFOLD_SOLID_BREP("), text.count("MAPPED_ITEM(")) == (3, 0)
    twice = lw.union(row, lw.mirror(row, lw.XZ.offset(5), keep=False))
    grid = lw.linear_pattern(twice, 10, 20, lw.Y)
    lw.save(grid, tmp_path / "a.step")
    text = (tmp_path / "a.step").read_text()
    assert (text.count("MANIFOLD_SOLID_BREP("), text.count("MAPPED_ITEM(")) == (1 + 3, 30 + 30)
    assert same(lw.read_step(tmp_path / "a.step").body, grid)


def test_mapped_items_stand_where_they_are_mapped(tmp_path):
    text = HALVES.replace("SURFACE;", WALLS["cylinder"] + ";").replace("ENDSEC;\nEND-ISO", MAPPED)
    (tmp_path / "a.step").write_text(text)
    read = lw.read_step(tmp_path / "a.step")
    assert list(read.bodies) == ["near", "far", "mirrored"]
    boxes = [np.array(piece.body.bounds) for piece in read.bodies.values()]
    assert np.allclose(boxes[0], [[-2, -2, 0], [2, 2, 4]])
    assert np.allclose(boxes[1], [[10, -2, -2], [14, 2, 2]])  # its axis along X
    assert np.allclose(boxes[2], [[8, -2, 0], [12, 2, 4]])
    assert all(piece.volume == pytest.approx(16 * math.pi) for piece in read.bodies.values())


@pytest.mark.parametrize("order", ["assembly first", "shape first"])
def test_relations_the_other_way_round(order, tmp_path):
    """Some put the assembly before its piece, or the solids' representation before that of the product."""
    pin = lw.cylinder(1, 5, step="p")
    pins = {"left": lw.turn(lw.move(pin, 0, 3, 0), 90, lw.X), "right": lw.move(pin, 10, 0, 0)}
    lw.save(lw.Part(pins), tmp_path / "a.step")
    head, rows, tail = rows_of((tmp_path / "a.step").read_text())
    for number, row in list(rows.items()):
        if order == "assembly first":
            row = re.sub(r"(REPRESENTATION_RELATIONSHIP\('','',)(#\d+),(#\d+)\)", r"\1\3,\2)", row)
            rows[number] = re.sub(r"(ITEM_DEFINED_TRANSFORMATION\('','',)(#\d+),(#\d+)\)", r"\1\3,\2)", row)
        elif row.startswith("ADVANCED_BREP_SHAPE_REPRESENTATION"):
            plain, place = f"9{number}", re.search(r"\((#\d+),", row)[1]
            context = row[row.rindex("#") : -1]
            rows[plain] = f"SHAPE_REPRESENTATION('',({place}),{context})"
            for other in [n for n in rows if f"#{number}" in re.findall(r"#\d+", rows[n])]:
                rows[other] = re.sub(rf"#{number}\b", f"#{plain}", rows[other])
            rows[f"8{number}"] = f"SHAPE_REPRESENTATION_RELATIONSHIP('','',#{number},#{plain})"
    (tmp_path / "b.step").write_text(text_of(head, rows, tail))
    read = lw.read_step(tmp_path / "b.step")
    assert list(read.bodies) == ["left", "right"]
    for name, body in pins.items():
        assert np.allclose(read.bodies[name].body.bounds, body.bounds)


def test_assemblies_that_hold_themselves_are_refused(tmp_path):
    text = HALVES.replace("SURFACE;", WALLS["cylinder"] + ";").replace("ENDSEC;\nEND-ISO", MAPPED)
    text = text.replace(
        "#64=ADVANCED_BREP_SHAPE_REPRESENTATION('',(#6,#62)", "#64=SHAPE_REPRESENTATION('',(#66,#69)"
    )
    (tmp_path / "a.step").write_text(text)
    with pytest.raises(lw.ExchangeError, match="assemblies in assemblies"):
        lw.read_step(tmp_path / "a.step")


@pytest.mark.parametrize("as_surfaces", [False, True])
def test_solids_of_polygons(as_surfaces, tmp_path):
    """A box of six polygons over shared points; as a faceted solid, and as a model of surfaces."""
    corners = [(x, y, z) for x in (0.0, 2.0) for y in (0.0, 3.0) for z in (0.0, 4.0)]
    sides = [(0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3)]
    rows = [f"#{k}=CARTESIAN_POINT('',({x},{y},{z}));" for k, (x, y, z) in enumerate(corners, 101)]
    faces = []
    for k, side in enumerate(sides):
        a, b, c = (np.array(corners[i]) for i in side[:3])
        n, x = np.cross(b - a, c - a), b - a
        base = 200 + 10 * k
        loop = ",".join(f"#{101 + i}" for i in side)
        rows += [
            f"#{base}=DIRECTION('',({n[0]},{n[1]},{n[2]}));",
            f"#{base + 1}=DIRECTION('',({x[0]},{x[1]},{x[2]}));",
            f"#{base + 2}=AXIS2_PLACEMENT_3D('',#{101 + side[0]},#{base},#{base + 1});",
            f"#{base + 3}=PLANE('',#{base + 2});",
            f"#{base + 4}=POLY_LOOP('',({loop}));",
            f"#{base + 5}=FACE_OUTER_BOUND('',#{base + 4},.T.);",
            f"#{base + 6}=FACE_SURFACE('',(#{base + 5}),#{base + 3},.T.);",
        ]
        faces.append(f"#{base + 6}")
    solid = "SHELL_BASED_SURFACE_MODEL('box',(#300))" if as_surfaces else "FACETED_BREP('box',#300)"
    rows += [f"#300=CLOSED_SHELL('',({','.join(faces)}));", f"#301={solid};"]
    head, tail = HALVES.split("#2=")[0], "ENDSEC;\nEND-ISO-10303-21;\n"
    (tmp_path / "a.step").write_text(head + "\n".join(rows) + "\n" + tail)
    read = lw.read_step(tmp_path / "a.step")
    assert read.body.volume == pytest.approx(24)
    assert (len(read.body.faces()), len(read.body.edges())) == (6, 12)
    assert any("surface model" in m.text for m in read.messages) is as_surfaces


def test_what_is_read_is_worked_on(tmp_path):
    """A file of another writer is drilled, rounded, hollowed and written again."""
    lw.save(soft(), tmp_path / "a.step")
    (tmp_path / "a.step").write_text(DIALECTS["unshared"]((tmp_path / "a.step").read_text()))
    body = lw.read_step(tmp_path / "a.step").body
    ball = lw.move(lw.sphere(3, step="tool"), *body.centroid)
    assert lw.cut(body, ball).volume == pytest.approx(body.volume - 36 * math.pi, rel=1e-9)
    straight = body.edges().straight().longest(1)
    assert lw.fillet(body, straight, 0.5).is_valid
    assert lw.shell(body, 1).volume < body.volume


@pytest.fixture(scope="module")
def texts(tmp_path_factory):
    """Our files of all parts, each as it is and in the words of others, and their volumes."""
    path, found = tmp_path_factory.mktemp("texts") / "a.step", {}
    for name in PARTS:
        body = PARTS[name]()
        lw.save(body, path)
        found[name] = path.read_text(), body.volume
    return found


@pytest.mark.filterwarnings("ignore::RuntimeWarning")
@pytest.mark.parametrize("seed", range(120))
def test_damaged_files_are_refused_or_right(seed, texts, tmp_path):
    """A clear refusal in one line, a body that is as it was, or a valid one and a word about it."""
    text, volume = texts[list(PARTS)[seed % len(PARTS)]]
    words = list(DIALECTS)[seed % len(DIALECTS)]
    path = tmp_path / "b.step"
    path.write_text(damaged(DIALECTS[words](text) if seed % 2 else text, seed), newline="")
    try:
        read = lw.read_step(path)
    except lw.ExchangeError as error:
        assert str(error).startswith("b.step")
        assert "\n" not in str(error)
    else:
        assert all(one.body.is_valid for one in read.leaves().values())
        assert read.messages or read.volume == pytest.approx(volume, rel=1e-4)


def test_texts_that_do_not_end_and_rows_that_are_there_twice_are_refused(texts, tmp_path):
    """They would take other rows with them, and a solid could be missed."""
    text, path = texts["apart"][0], tmp_path / "b.step"
    for old, new, words in (
        ("#129=", "#3000=A('", "runs over"),
        ("#120=", "#15=CARTESIAN_POINT('',(9.,9.,9.));\n#120=", "#15 is in the file twice"),
        ("#120=", "#3000=Mside',(#1);\n#120=", "#3000 is no entity"),
    ):
        path.write_text(text.replace(old, new, 1))
        with pytest.raises(lw.ExchangeError, match=words):
            lw.read_step(path)


def pair() -> lw.Part:
    block = lw.Part(holed(), color="#ff8000")
    pin = lw.Part(lw.move(lw.cylinder(3, 10, step="pin"), 20, 0, 0), color="#0080ff")
    return lw.Part({"block & <more>": block, "pin é": pin}, name="pair")


def test_3mf_for_an_independent_reader(tmp_path):
    part = pair()
    part.save(tmp_path / "a.3mf", chord=0.05)
    model = lib3mf.get_wrapper().CreateModel()
    reader = model.QueryReader("3mf")
    reader.ReadFromFile(str(tmp_path / "a.3mf"))
    assert reader.GetWarningCount() == 0
    assert model.GetUnit() == lib3mf.ModelUnit.MilliMeter
    objects, found = model.GetMeshObjects(), {}
    while objects.MoveNext():
        item = objects.GetCurrentMeshObject()
        assert item.IsManifoldAndOriented()
        found[item.GetName()] = item.GetTriangleCount()
    assert list(found) == ["block & <more>", "pin é"]
    mesh = lw.read_mesh(tmp_path / "a.3mf")
    assert (mesh.unit, mesh.is_watertight, len(mesh.triangles)) == ("mm", True, sum(found.values()))
    assert mesh.volume == pytest.approx(part.body.volume, rel=5e-3)


def test_obj_for_an_independent_reader(tmp_path, outside_check):
    part = pair()
    part.save(tmp_path / "a.obj", chord=0.05, unit="cm")
    read = meshio.read(tmp_path / "a.obj")
    mesh = lw.read_mesh(tmp_path / "a.obj")
    assert mesh.unit == "cm"
    assert np.array_equal(read.points, mesh.vertices)
    assert np.array_equal(read.cells_dict["triangle"], mesh.triangles)
    assert mesh.volume == pytest.approx(part.body.volume / 1000, rel=5e-3)


@pytest.mark.parametrize(
    ("name", "data", "words"),
    [
        ("a.obj", b"v 0 0 x\n", "line 1"),
        ("a.obj", b"v 0 0 0\nf 1 2 3\n", "line 2"),
        ("a.obj", b"", "no face"),
        ("a.3mf", b"PK", "no 3MF"),
        ("a.step", b"solid", "no STEP"),
        ("a.step", b"ISO-10303-21;HEADER;ENDSEC;DATA;#1=", "no complete DATA"),
        ("a.xyz", b"", "are read from"),
    ],
)
def test_other_data_gets_one_line(name, data, words, tmp_path):
    (tmp_path / name).write_bytes(data)
    read = lw.read_step if name.endswith("step") else lw.read_mesh
    with pytest.raises(lw.ExchangeError, match=words) as caught:
        read(tmp_path / name)
    assert "\n" not in str(caught.value)


def test_commands_take_files(tmp_path):
    lw.save(lw.Part(holed(), name="block"), tmp_path / "a.step")
    lw.save(holed(), tmp_path / "a.obj")
    run = CliRunner()
    shown = run.invoke(cli, ["measure", str(tmp_path / "a.step"), "--faces"], catch_exceptions=False)
    assert shown.exit_code == 0
    assert "h/side" in shown.output
    for name in ("a.step", "a.obj"):
        assert run.invoke(cli, ["check", str(tmp_path / name)], catch_exceptions=False).exit_code == 0
    compared = run.invoke(cli, ["compare", str(tmp_path / "a.step"), str(tmp_path / "a.step")])
    assert "nothing differs" in compared.output
    against = run.invoke(cli, ["compare", str(tmp_path / "a.step"), str(tmp_path / "a.obj")])
    assert against.exit_code == 0
    assert "volume" in against.output  # by a little, of the hole's chords
    assert "depth" not in against.output
    assert lw.compare(lw.read_mesh(tmp_path / "a.obj"), lw.read_mesh(tmp_path / "a.obj")).is_same


@pytest.mark.parametrize("path", [5, None, b"a.step", ["a"], "x\0y.step", ""])
@pytest.mark.parametrize("read", [lw.read_step, lw.read_mesh])
def test_what_is_no_path_gets_one_line(read, path):
    with pytest.raises(lw.ExchangeError, match=r"path|STEP files end in|are read from"):
        read(path)


@pytest.mark.parametrize("unit", ["km", 5, "", []])
def test_what_is_no_unit_gets_one_line(unit, tmp_path):
    lw.save(holed(), tmp_path / "a.step")
    with pytest.raises(lw.ExchangeError, match="is no unit of length; use mm, cm, m, in"):
        lw.read_step(tmp_path / "a.step", unit=unit)


def test_layers_are_told(tmp_path):
    """Of a solid that is on one, or all of whose faces are."""
    lw.save(lw.Part({"frame": lw.box(9, 9, 2), "pin": lw.cylinder(2, 9)}, name="foot"), tmp_path / "a.step")
    text = (tmp_path / "a.step").read_text()
    solids = re.findall(r"#(\d+)=MANIFOLD_SOLID_BREP", text)
    rows = f"#90001=PRESENTATION_LAYER_ASSIGNMENT('cast','',(#{solids[0]}));\n"
    head, tail = text.split("ENDSEC;\nEND-ISO")
    (tmp_path / "a.step").write_text(head + rows + "ENDSEC;\nEND-ISO" + tail)
    assert 'layer "cast": frame' in [m.text for m in lw.read_step(tmp_path / "a.step").messages]
