"""Our own STEP files as other writers would put them: the same solids in other words."""

from __future__ import annotations

import math
import random
import re
from collections.abc import Callable

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
    "strewn": strewn,
    "7 decimals": rounded(7),
    "5 decimals": rounded(5),
}
