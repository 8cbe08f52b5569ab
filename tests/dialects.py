"""Our own STEP files as other writers would put them: the same solids in other words."""

from __future__ import annotations

import math
import random
import re
from collections.abc import Callable

import numpy as np

Rows = dict[str, str]
EDGE = re.compile(r"EDGE_CURVE\('',#(\d+),#(\d+),#(\d+),\.([TF])\.\)")


def rows_of(text: str) -> tuple[str, Rows, str]:
    """The header, the instances by number, and the end."""
    head, data = text.split("DATA;\n", 1)
    data, tail = data.split("ENDSEC;\nEND-ISO", 1)
    return head, dict(re.findall(r"#(\d+)=(.*?);\n", data, re.DOTALL)), "ENDSEC;\nEND-ISO" + tail


def text_of(head: str, rows: Rows, tail: str) -> str:
    """The file, by another writer."""
    body = "".join(f"#{number}={row};\n" for number, row in rows.items())
    return head.replace("'Lathwick ", "'Another ") + "DATA;\n" + body + tail


def dialect(rule: Callable[[Rows, Callable[[str], str]], None]) -> Callable[[str], str]:
    """A rule on rows as one on files; it may add rows."""

    def changed(text: str) -> str:
        head, rows, tail = rows_of(text)
        last = [max(map(int, rows))]

        def add(row: str) -> str:
            last[0] += 1
            rows[str(last[0])] = row
            return f"#{last[0]}"

        rule(rows, add)
        return text_of(head, rows, tail)

    return changed


def _other(flag: str) -> str:
    return "F" if flag == "T" else "T"


@dialect
def unshared(rows: Rows, add: Callable[[str], str]) -> None:
    """Every face has edges and vertices of its own."""
    for number, row in list(rows.items()):
        used = re.search(r"\*,\*,#(\d+)", row) if row.startswith("ORIENTED_EDGE") else None
        if used:
            a, b, curve, way = EDGE.match(rows[used[1]]).groups()
            start = add(rows[a])
            end = start if a == b else add(rows[b])
            edge = add(f"EDGE_CURVE('',{start},{end},#{curve},.{way}.)")
            rows[number] = row.replace(f"*,*,#{used[1]},", f"*,*,{edge},")


@dialect
def inside_out(rows: Rows, add: Callable[[str], str]) -> None:
    """Shells that look inwards."""
    for number, row in rows.items():
        if row.startswith(("ADVANCED_FACE", "FACE_OUTER_BOUND", "FACE_BOUND")):
            rows[number] = re.sub(r"\.([TF])\.\)$", lambda m: f".{_other(m[1])}.)", row)


@dialect
def outer_unmarked(rows: Rows, add: Callable[[str], str]) -> None:
    """No bound is said to be the outer one."""
    for number, row in rows.items():
        rows[number] = row.replace("FACE_OUTER_BOUND", "FACE_BOUND")


@dialect
def on_surfaces(rows: Rows, add: Callable[[str], str]) -> None:
    """Edges on curves that belong to surfaces."""
    for number, row in list(rows.items()):
        if found := EDGE.match(row):
            a, b, curve, way = found.groups()
            wrapped = add(f"SURFACE_CURVE('',#{curve},(),.CURVE_3D.)")
            rows[number] = f"EDGE_CURVE('',#{a},#{b},{wrapped},.{way}.)"


@dialect
def against_curves(rows: Rows, add: Callable[[str], str]) -> None:
    """Edges that run against their curves."""
    for number, row in rows.items():
        if found := EDGE.match(row):
            a, b, curve, way = found.groups()
            rows[number] = f"EDGE_CURVE('',#{b},#{a},#{curve},.{_other(way)}.)"
        if row.startswith("ORIENTED_EDGE"):
            rows[number] = re.sub(r"\.([TF])\.\)$", lambda m: f".{_other(m[1])}.)", row)


@dialect
def degrees(rows: Rows, add: Callable[[str], str]) -> None:
    """Angles in degrees."""
    radian = next(number for number, row in rows.items() if "PLANE_ANGLE_UNIT" in row)
    plain = add(rows[radian])
    size = add(f"PLANE_ANGLE_MEASURE_WITH_UNIT(PLANE_ANGLE_MEASURE({math.pi / 180!r}),{plain})")
    none = add("DIMENSIONAL_EXPONENTS(0.,0.,0.,0.,0.,0.,0.)")
    rows[radian] = f"(CONVERSION_BASED_UNIT('DEGREE',{size})NAMED_UNIT({none})PLANE_ANGLE_UNIT())"
    for number, row in rows.items():
        if row.startswith("CONICAL_SURFACE"):
            first, _, angle = row.rpartition(",")
            rows[number] = f"{first},{math.degrees(float(angle[:-1]))!r})"


def _numbers(rows: Rows, reference: str) -> np.ndarray:
    return np.array([float(x) for x in re.search(r"\(([^()]*)\)\)$", rows[reference])[1].split(",")])


def _frame(rows: Rows, reference: str) -> tuple[np.ndarray, ...]:
    """Origin, x, y and z of a placement."""
    origin, z, x = (_numbers(rows, n) for n in re.findall(r"#(\d+)", rows[reference]))
    return origin, x, np.cross(z, x), z


@dialect
def turned(rows: Rows, add: Callable[[str], str]) -> None:
    """Cylinders, cones, balls and rings as surfaces of revolution, their profiles either way round."""

    def point(p: np.ndarray) -> str:
        return add(f"CARTESIAN_POINT('',({','.join(repr(float(c)) for c in p)}))")

    def direction(d: np.ndarray) -> str:
        return add(f"DIRECTION('',({','.join(repr(float(c)) for c in d)}))")

    def line(p: np.ndarray, d: np.ndarray) -> str:
        vector = add(f"VECTOR('',{direction(d)},1.)")
        return add(f"LINE('',{point(p)},{vector})")

    def circle(center: np.ndarray, normal: np.ndarray, x: np.ndarray, radius: float) -> str:
        frame = add(f"AXIS2_PLACEMENT_3D('',{point(center)},{direction(normal)},{direction(x)})")
        return add(f"CIRCLE('',{frame},{radius!r})")

    changed = {}
    for number, row in list(rows.items()):
        found = re.match(r"(\w+)_SURFACE\('',#(\d+),([^)]*)\)", row)
        if found is None or found[1] not in ("CYLINDRICAL", "CONICAL", "SPHERICAL", "TOROIDAL"):
            continue
        (o, x, y, z), sizes = _frame(rows, found[2]), [float(v) for v in found[3].split(",")]
        against = len(changed) % 2 == 1
        way = -1.0 if against else 1.0
        if found[1] == "CYLINDRICAL":
            profile = line(o + sizes[0] * x, way * z)
        elif found[1] == "CONICAL":
            up = math.cos(sizes[1]) * z + math.sin(sizes[1]) * x
            profile = line(o + sizes[0] * x + 3.0 * up, way * up)
        else:
            far = sizes[0] if found[1] == "TOROIDAL" else 0.0
            profile = circle(o + far * x, -way * y, x, sizes[-1])
        axis = add(f"AXIS1_PLACEMENT('',{point(o)},{direction(z)})")
        rows[number] = f"SURFACE_OF_REVOLUTION('',{profile},{axis})"
        changed[number] = against
    for number, row in rows.items():
        found = re.match(r"ADVANCED_FACE\(.*,#(\d+),\.([TF])\.\)$", row)
        if found and changed.get(found[1]):
            rows[number] = row[: -len(".T.)")] + f".{_other(found[2])}.)"


@dialect
def rational(rows: Rows, add: Callable[[str], str]) -> None:
    """Circles as rational splines of four quarters, each with its first point where its edge begins."""
    knots = "(3,2,2,2,3),(0.,0.25,0.5,0.75,1.),.UNSPECIFIED."
    for row in list(rows.values()):
        edge = EDGE.match(row)
        found = re.match(r"CIRCLE\('',#(\d+),([^)]*)\)", rows[edge[3]]) if edge else None
        if found is None or edge[1] != edge[2]:
            continue
        o, _, _, z = _frame(rows, found[1])
        x = _numbers(rows, re.search(r"#(\d+)", rows[edge[1]])[1]) - o
        y, controls, weights = np.cross(z, x), [], []
        for k in range(9):
            turn, far = k * math.pi / 4, math.sqrt(2.0) if k % 2 else 1.0
            p = o + far * (math.cos(turn) * x + math.sin(turn) * y)
            controls.append(add(f"CARTESIAN_POINT('',({','.join(repr(float(c)) for c in p)}))"))
            weights.append(repr(1.0 / far))
        rows[edge[3]] = (
            f"(BOUNDED_CURVE()B_SPLINE_CURVE(2,({','.join(controls)}),.UNSPECIFIED.,.T.,.F.)"
            f"B_SPLINE_CURVE_WITH_KNOTS({knots})CURVE()GEOMETRIC_REPRESENTATION_ITEM()"
            f"RATIONAL_B_SPLINE_CURVE(({','.join(weights)}))REPRESENTATION_ITEM(''))"
        )


def _point(add: Callable[[str], str], p: np.ndarray) -> str:
    return add(f"CARTESIAN_POINT('',({','.join(repr(float(c)) for c in p)}))")


def _vertices(rows: Rows, edge: re.Match[str]) -> tuple[np.ndarray, np.ndarray]:
    a, b = (_numbers(rows, re.search(r"#(\d+)", rows[edge[k]])[1]) for k in (1, 2))
    return (a, b) if edge[4] == "T" else (b, a)


@dialect
def polylines(rows: Rows, add: Callable[[str], str]) -> None:
    """Straight edges as polylines by way of their middle, some as splines of degree 1."""
    for number, row in list(rows.items()):
        edge = EDGE.match(row)
        if edge is None or not rows[edge[3]].startswith("LINE"):
            continue
        a, b = _vertices(rows, edge)
        spots = ",".join(_point(add, p) for p in (a, 0.5 * (a + b), b))
        knots = "(2,1,2),(0.,1.,2.),.UNSPECIFIED."
        as_spline = f"B_SPLINE_CURVE_WITH_KNOTS('',1,({spots}),.UNSPECIFIED.,.F.,.F.,{knots})"
        curve = add(as_spline if int(number) % 2 else f"POLYLINE('',({spots}))")
        rows[number] = f"EDGE_CURVE('',#{edge[1]},#{edge[2]},{curve},.{edge[4]}.)"


@dialect
def composites(rows: Rows, add: Callable[[str], str]) -> None:
    """Lines and circles as composite curves of two halves: one trimmed by parameters, the other by points and
    the other way round."""
    for number, row in list(rows.items()):
        edge = EDGE.match(row)
        kind = rows[edge[3]].partition("(")[0] if edge else ""
        if edge is None or kind not in ("LINE", "CIRCLE"):
            continue
        a, b = _vertices(rows, edge)
        if kind == "LINE":
            start = _numbers(rows, re.findall(r"#(\d+)", rows[edge[3]])[0])
            way = _numbers(rows, re.findall(r"#(\d+)", rows[re.findall(r"#(\d+)", rows[edge[3]])[1]])[0])
            t = [float((p - start) @ way) for p in (a, 0.5 * (a + b), b)]
            spots = [start + s * way for s in t]
        else:
            o, x, y, _ = _frame(rows, re.search(r"#(\d+)", rows[edge[3]])[1])
            first, last = (math.atan2((p - o) @ y, (p - o) @ x) for p in (a, b))
            turn = math.tau if edge[1] == edge[2] else (last - first) % math.tau
            t = [first, first + 0.5 * turn, first + turn]
            size = float(np.linalg.norm(a - o))
            spots = [o + size * (math.cos(s) * x + math.sin(s) * y) for s in t]
        by_values = f"(PARAMETER_VALUE({t[0]!r})),(PARAMETER_VALUE({t[1]!r})),.T.,.PARAMETER."
        one = add(f"TRIMMED_CURVE('',#{edge[3]},{by_values})")
        ends = [_point(add, p) for p in spots]
        two = add(f"TRIMMED_CURVE('',#{edge[3]},({ends[2]}),({ends[1]}),.F.,.CARTESIAN.)")
        parts = [add(f"COMPOSITE_CURVE_SEGMENT(.CONTINUOUS.,.T.,{one})"),
                 add(f"COMPOSITE_CURVE_SEGMENT(.CONTINUOUS.,.F.,{two})")]  # fmt: skip
        whole = add(f"COMPOSITE_CURVE('',({','.join(parts)}),.F.)")
        rows[number] = f"EDGE_CURVE('',#{edge[1]},#{edge[2]},{whole},.{edge[4]}.)"


USE = re.compile(r"ORIENTED_EDGE\('',\*,\*,#(\d+),\.([TF])\.\)")
NUMBER = re.compile(r"-?\d+\.\d*(?:E[-+]?\d+)?")


@dialect
def halved(rows: Rows, add: Callable[[str], str]) -> None:
    """Whole circles and ellipses as two halves."""
    second = {}
    for number, row in list(rows.items()):
        edge = EDGE.match(row)
        conic = re.match(r"(?:CIRCLE|ELLIPSE)\('',#(\d+),", rows[edge[3]]) if edge else None
        if edge is None or conic is None or edge[1] != edge[2]:
            continue
        center, start = _frame(rows, conic[1])[0], _vertices(rows, edge)[0]
        far = add(f"VERTEX_POINT('',{_point(add, 2.0 * center - start)})")
        rows[number] = f"EDGE_CURVE('',#{edge[1]},{far},#{edge[3]},.{edge[4]}.)"
        second[number] = add(f"EDGE_CURVE('',{far},#{edge[1]},#{edge[3]},.{edge[4]}.)")
    for number, row in list(rows.items()):
        if not row.startswith("EDGE_LOOP"):
            continue
        found = []
        for use in re.findall(r"#(\d+)", row):
            edge, way = USE.match(rows[use]).groups()
            both = [f"#{use}"]
            if edge in second:
                both.insert(way == "T", add(f"ORIENTED_EDGE('',*,*,{second[edge]},.{way}.)"))
            found += both
        rows[number] = f"EDGE_LOOP('',({','.join(found)}))"


def _rim(rows: Rows, bound: str) -> tuple[str, str] | None:
    """The use of the only edge of a bound, a closed one, and its vertex."""
    loop = re.match(r"FACE_(?:OUTER_)?BOUND\('',#(\d+),\.T\.\)", rows[bound])
    uses = re.findall(r"#(\d+)", rows[loop[1]]) if loop else []
    edge = EDGE.match(rows[USE.match(rows[uses[0]])[1]]) if len(uses) == 1 else None
    return (uses[0], edge[1]) if edge and edge[1] == edge[2] else None


@dialect
def seamed(rows: Rows, add: Callable[[str], str]) -> None:
    """Walls of cylinders and cones between two rims with a seam, in one bound."""
    for number, row in list(rows.items()):
        face = re.match(r"ADVANCED_FACE\(('.*'),\(#(\d+),#(\d+)\),#(\d+),\.([TF])\.\)", row)
        wall = face and re.match(r"(?:CYLINDRICAL|CONICAL)_SURFACE\('',#(\d+)", rows[face[4]])
        rims = [_rim(rows, face[k]) for k in (2, 3)] if wall else [None]
        if None in rims:
            continue
        (one, a), (two, b) = rims
        p, q = (_numbers(rows, re.search(r"#(\d+)", rows[v])[1]) for v in (a, b))
        origin, _, _, axis = _frame(rows, wall[1])
        out = [np.cross(axis, s - origin) for s in (p, q)]
        if np.linalg.norm(np.cross(*out)) > 1e-9 or out[0] @ out[1] < 0.0:
            continue
        way = (q - p) / np.linalg.norm(q - p)
        ahead = add(f"DIRECTION('',({','.join(repr(float(c)) for c in way)}))")
        vector = add(f"VECTOR('',{ahead},1.)")
        line = add(f"LINE('',{_point(add, p)},{vector})")
        seam = add(f"EDGE_CURVE('',#{a},#{b},{line},.T.)")
        there, back = (add(f"ORIENTED_EDGE('',*,*,{seam},.{way}.)") for way in "TF")
        loop = add(f"EDGE_LOOP('',(#{one},{there},#{two},{back}))")
        bound = add(f"FACE_OUTER_BOUND('',{loop},.T.)")
        rows[number] = f"ADVANCED_FACE({face[1]},({bound}),#{face[4]},.{face[5]}.)"


@dialect
def pictured(rows: Rows, add: Callable[[str], str]) -> None:
    """Edges with their pictures on both surfaces (which are wrong here: the curve in space counts)."""
    flat = add("(GEOMETRIC_REPRESENTATION_CONTEXT(2)PARAMETRIC_REPRESENTATION_CONTEXT()"
               "REPRESENTATION_CONTEXT('2D SPACE',''))")  # fmt: skip
    start, way = add("CARTESIAN_POINT('',(0.,0.))"), add("DIRECTION('',(1.,0.))")
    vector = add(f"VECTOR('',{way},1.)")
    line = add(f"LINE('',{start},{vector})")
    surfaces: dict[str, list[str]] = {}
    for row in list(rows.values()):
        face = re.match(r"ADVANCED_FACE\('.*',\(([#\d,]+)\),#(\d+)", row)
        for bound in re.findall(r"#(\d+)", face[1]) if face else ():
            for use in re.findall(r"#(\d+)", rows[re.search(r"#(\d+)", rows[bound])[1]]):
                if edge := USE.match(rows[use]):
                    surfaces.setdefault(edge[1], []).append(face[2])
    for number, row in list(rows.items()):
        if edge := EDGE.match(row):
            beside = surfaces[number]
            drawn = [add(f"DEFINITIONAL_REPRESENTATION('',({line}),{flat})") for _ in beside]
            both = [add(f"PCURVE('',#{s},{d})") for s, d in zip(beside, drawn, strict=True)]
            kind = "SEAM_CURVE" if beside[0] == beside[1] else "SURFACE_CURVE"
            wrapped = add(f"{kind}('',#{edge[3]},({','.join(both)}),.PCURVE_S1.)")
            rows[number] = f"EDGE_CURVE('',#{edge[1]},#{edge[2]},{wrapped},.{edge[4]}.)"


@dialect
def related(rows: Rows, add: Callable[[str], str]) -> None:
    """The shape of the product is empty, and related to that which has the solids."""
    for number, row in list(rows.items()):
        found = re.match(r"SHAPE_DEFINITION_REPRESENTATION\((#\d+),#(\d+)\)", row)
        if found and rows[found[2]].startswith("ADVANCED_BREP"):
            context = re.search(r",(#\d+)\)$", rows[found[2]])[1]
            shape = add(f"SHAPE_REPRESENTATION('',(),{context})")
            add(f"SHAPE_REPRESENTATION_RELATIONSHIP('','',{shape},#{found[2]})")
            rows[number] = f"SHAPE_DEFINITION_REPRESENTATION({found[1]},{shape})"


CIRCLE = [(math.cos(k * math.pi / 4), math.sin(k * math.pi / 4), math.sqrt(0.5) if k % 2 else 1.0)
          for k in range(9)]  # fmt: skip
"""Points of a circle and corners of the square about it, with their weights in a rational spline."""

HALF_CIRCLE = [CIRCLE[k] for k in (6, 7, 0, 1, 2)]
QUARTERS = {2: "(2,2)|(0.,1.)", 5: "(3,2,3)|(0.,0.5,1.)", 9: "(3,2,2,2,3)|(0.,0.25,0.5,0.75,1.)"}


def _turned_net(
    frame: tuple[np.ndarray, ...], profile: list[tuple[float, float, float]]
) -> tuple[list[list[np.ndarray]], list[list[float]]]:
    """Controls and weights of a profile of (radius, height, weight) that turns about an axis."""
    o, x, y, z = frame
    net, weights = [], []
    for c, s, w in CIRCLE:
        out = (c * x + s * y) / w
        net.append([o + r * out + h * z for r, h, _ in profile])
        weights.append([w * v for _, _, v in profile])
    return net, weights


@dialect
def all_splines(rows: Rows, add: Callable[[str], str]) -> None:
    """Planes, cylinders, cones, balls and rings as rational splines; the last three go against the others."""
    for number, row in list(rows.items()):
        found = re.match(r"(PLANE|(?:CYLINDR|CON|SPHER|TOROID)I?C?AL_SURFACE)\('',#(\d+),?([^)]*)\)$", row)
        if found is None:
            continue
        frame, sizes = _frame(rows, found[2]), [float(v) for v in found[3].split(",") if v]
        o, x, y, _ = frame
        if found[1] == "PLANE":
            net = [[o + 100 * (a * x + b * y) for b in (-1, 1)] for a in (-1, 1)]
            weights = [[1.0, 1.0]] * 2
        elif found[1] == "CYLINDRICAL_SURFACE":
            net, weights = _turned_net(frame, [(sizes[0], -100.0, 1.0), (sizes[0], 100.0, 1.0)])
        elif found[1] == "CONICAL_SURFACE":
            steep = math.tan(sizes[1])
            ends = [(0.0, -sizes[0] / steep, 1.0), (sizes[0] + 100.0 * steep, 100.0, 1.0)]
            net, weights = _turned_net(frame, ends)
        else:
            far, circle = (sizes[0], CIRCLE) if found[1][0] == "T" else (0.0, HALF_CIRCLE)
            corners = [(far + sizes[-1] * c / w, sizes[-1] * s / w, w) for c, s, w in circle]
            net, weights = _turned_net(frame, corners)
        degrees = [1 if len(side) == 2 else 2 for side in (net, net[0])]
        mults, knots = zip(*(QUARTERS[len(side)].split("|") for side in (net, net[0])), strict=True)
        controls = ",".join(f"({','.join(_point(add, p) for p in line)})" for line in net)
        sizes_of_all = ",".join(f"({','.join(map(repr, line))})" for line in weights)
        rows[number] = (
            f"(BOUNDED_SURFACE()B_SPLINE_SURFACE({degrees[0]},{degrees[1]},({controls}),.UNSPECIFIED.,.F.,.F.,"
            f".F.)B_SPLINE_SURFACE_WITH_KNOTS({','.join(mults)},{','.join(knots)},.UNSPECIFIED.)"
            f"GEOMETRIC_REPRESENTATION_ITEM()RATIONAL_B_SPLINE_SURFACE(({sizes_of_all}))"
            "REPRESENTATION_ITEM('')SURFACE())"
        )


def exponents(text: str) -> str:
    """Every number with an exponent, as some languages print them."""
    head, rows, tail = rows_of(text)
    for number, row in rows.items():
        if row.startswith(("CARTESIAN_POINT", "DIRECTION")):
            rows[number] = NUMBER.sub(lambda m: f"{float(m[0]):.16E}", row)
    return text_of(head, rows, tail)


def narrow(text: str) -> str:
    """Lines of at most 60 characters, broken even in the middle of words in quotes."""
    head, rows, tail = rows_of(text)
    broken = {}
    for number, row in rows.items():
        lines = []
        while len(row) > 60:
            cut = max(row.rfind(sign, 1, 60) for sign in ",(") + 1 or 60
            lines.append(row[:cut])
            row = row[cut:]
        broken[number] = "\n".join([*lines, row])
    return text_of(head, broken, tail)


def from_windows(text: str) -> str:
    """A mark of the order of bytes, other ends of lines, and small letters in exponents."""
    return "\ufeff" + re.sub(r"(?<=[\d.])E(?=[-+]?\d)", "e", text).replace("\n", "\r\n")


def strewn(text: str) -> str:
    """Instances in no order, with other numbers, over several lines, with comments."""
    head, rows, tail = rows_of(text)
    numbers = list(rows)
    new = [str(7 * int(n) + 3) for n in numbers]
    random.Random(1).shuffle(new)
    names = dict(zip(numbers, new, strict=True))
    rows = {names[n]: re.sub(r"#(\d+)", lambda m: "#" + names[m[1]], row) for n, row in rows.items()}
    items = list(rows.items())
    random.Random(2).shuffle(items)
    made = text_of(head, dict(items), tail).replace(",", " ,\n ")
    return made.replace("DATA;", "DATA ; /* a comment; with #1=('it' in it */")


def rounded(digits: int) -> Callable[[str], str]:
    """Points with so many decimals."""

    def changed(text: str) -> str:
        head, rows, tail = rows_of(text)
        for number, row in rows.items():
            if row.startswith("CARTESIAN_POINT"):
                rows[number] = re.sub(r"-?\d+\.\d*(?:E-?\d+)?", lambda m: f"{float(m[0]):.{digits}f}", row)
        return text_of(head, rows, tail)

    return changed


DIALECTS = {
    "unshared": unshared,
    "inside out": inside_out,
    "outer unmarked": outer_unmarked,
    "on surfaces": on_surfaces,
    "against curves": against_curves,
    "degrees": degrees,
    "turned": turned,
    "rational": rational,
    "polylines": polylines,
    "composites": composites,
    "halved": halved,
    "seamed": seamed,
    "seamed halves": lambda text: halved(seamed(text)),
    "pictured": pictured,
    "seamed and pictured": lambda text: pictured(seamed(text)),
    "related": related,
    "all splines": all_splines,
    "seamed splines": lambda text: rational(all_splines(seamed(text))),
    "exponents": exponents,
    "narrow": narrow,
    "from Windows": from_windows,
    "strewn": strewn,
    "7 decimals": rounded(7),
    "5 decimals": rounded(5),
}
