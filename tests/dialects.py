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
    "strewn": strewn,
    "7 decimals": rounded(7),
    "5 decimals": rounded(5),
}
