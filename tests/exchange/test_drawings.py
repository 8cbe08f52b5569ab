"""SVG and DXF at true size, read back by packages that share nothing with the writer."""

import math
import xml.etree.ElementTree as ET

import pyogrio
import pytest
import shapely
from fontTools.pens.areaPen import AreaPen
from fontTools.pens.perimeterPen import PerimeterPen
from fontTools.svgLib.path import parse_path

import lathwick as lw

from ..sketches import CASES, exact


def gasket(unit: str = "mm") -> lw.Sketch:
    """Lines, arcs, circles, a turned ellipse and two splines, and construction geometry."""
    sk = lw.Sketch(unit=unit, name="gasket <1>")
    top = sk.spline([(0, 20), (15, 24), (30, 20)], name="top")
    sides = sk.polyline([top.end, (30, 5)], name="side")
    arc = sk.arc_through(sides.lines[0].end, (27, 1), (22, 0))
    low = sk.spline([arc.end, (15, -3), (8, 3), (0, 0)], control=True)
    sk.line(low.end, top.start)
    sk.circle((7, 10), 3)
    sk.ellipse((20, 11), 6, 3, angle=25)
    sk.slot(4, 2, center=(7, 17), angle=10)
    sk.line((0, 10), (30, 10), construction=True)
    return sk


def svg_measures(path) -> tuple[float, str, list[str], str]:
    root = ET.parse(path).getroot()
    space = "{http://www.w3.org/2000/svg}"
    (cut,) = [p for p in root.iter(f"{space}path") if p.get("id") == "cut"]
    perimeter = PerimeterPen(None, tolerance=1e-7)
    parse_path(cut.get("d"), perimeter)
    return perimeter.value, cut.get("d"), root.get("viewBox").split(), root.get("width")


@pytest.mark.parametrize("unit", ["mm", "in"])
def test_svg_of_a_region_has_true_size(unit, tmp_path):
    """Area and perimeter of the paths, and the size of the page."""
    sk = gasket(unit)
    (region,) = sk.regions()
    lw.save(region, tmp_path / "gasket.svg")
    perimeter, path, view, width = svg_measures(tmp_path / "gasket.svg")
    pen = AreaPen(None)
    parse_path(path, pen)
    assert abs(pen.value) == pytest.approx(region.area, rel=1e-4)  # the reader's arcs are cubics
    assert perimeter == pytest.approx(region.perimeter, rel=1e-4)
    assert width.endswith("mm")
    assert float(width[:-2]) == pytest.approx(float(view[2]) * (25.4 if unit == "in" else 1))


def test_svg_of_a_sketch_shows_construction_apart(tmp_path):
    """A sketch is drawn whole, its construction geometry in a group of its own, its name safe."""
    lw.save(gasket(), tmp_path / "sketch.svg")
    text = (tmp_path / "sketch.svg").read_text()
    assert 'id="construction"' in text
    (region,) = gasket().regions()
    assert svg_measures(tmp_path / "sketch.svg")[0] == pytest.approx(region.perimeter, rel=1e-4)


@pytest.mark.parametrize("case", ["gasket", *CASES])
def test_dxf_is_read_back_by_an_independent_package(case, tmp_path):
    """GDAL reads every curve with its length and layer."""
    sk = gasket() if case == "gasket" else CASES[case][0](*exact(), 1.0)[0]
    lw.save(sk, tmp_path / "part.dxf")
    _, _, geometry, (layers, *_) = pyogrio.raw.read(tmp_path / "part.dxf", columns=["Layer"])
    lines = shapely.from_wkb(geometry)
    cut = sum(line.length for line, layer in zip(lines, layers, strict=True) if layer == "CUT")
    assert cut == pytest.approx(math.fsum(r.perimeter for r in sk.regions()), rel=2e-3)  # it makes chords
    shown = sum(layer == "CONSTRUCTION" for layer in layers)
    assert shown == sum(e.construction and e.kind != "point" for e in sk.entities)


def test_dxf_states_its_unit_and_keeps_its_bytes(tmp_path):
    """Inches are code 1, millimetres 4; the same sketch gives the same file."""
    for unit, code in (("in", "1"), ("mm", "4")):
        for k in range(2):
            lw.save(gasket(unit), tmp_path / f"{unit}{k}.dxf")
        lines = (tmp_path / f"{unit}0.dxf").read_text().split("\n")
        assert lines[lines.index("$INSUNITS") + 2].strip() == code
        assert (tmp_path / f"{unit}0.dxf").read_bytes() == (tmp_path / f"{unit}1.dxf").read_bytes()


@pytest.mark.parametrize("role", ["start", "end"])
def test_planar_face_is_a_region_again(role, tmp_path):
    """Start and end face of an extrusion have the profile's area, seen from outside; they extrude again."""
    sk = gasket()
    (region,) = sk.regions()
    job = lw.Job()
    plan = job.sketch("plan", on=lw.XZ)
    plan.entities, plan.variables = sk.entities, sk.variables
    body = job.extrude("gasket", plan, 2)
    grown = job.extrude("more", body.face(f"gasket/{role}"), 3)
    assert grown.volume == pytest.approx(3 * region.area, rel=1e-12)
    low, high = grown.bounds
    assert (low[1], high[1]) == pytest.approx((0, 3) if role == "start" else (-5, -2))
    lw.save(body.face(f"gasket/{role}"), tmp_path / "face.svg")
    assert svg_measures(tmp_path / "face.svg")[0] == pytest.approx(region.perimeter, rel=1e-4)
    with pytest.raises(lw.ModellingError, match="not flat"):
        job.extrude("side", body.face("gasket/side:circle1"), 1)


def test_what_cannot_be_drawn_flat(tmp_path):
    """A body, and a sketch without curves."""
    body = lw.extrude(gasket().regions(), 1)
    with pytest.raises(lw.ExchangeError, match="Body is not flat"):
        lw.save(body, tmp_path / "x.dxf")
    with pytest.raises(lw.ExchangeError, match="no curve to draw"):
        lw.save(lw.Sketch(), tmp_path / "x.dxf")
    with pytest.raises(lw.ExchangeError, match='no option "chord"'):
        lw.save(gasket(), tmp_path / "x.svg", chord=1)
