"""What a STEP file says about its solids: units, names, colors, and where assemblies place them."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from ....errors import ExchangeError
from ....geometry.placement import FloatArray, Plane
from ....geometry.units import MILLIMETRES
from .replicas import similarity
from .source import Source
from .text import Enum, Ref, StepText, Typed

SOLIDS = ("MANIFOLD_SOLID_BREP", "BREP_WITH_VOIDS", "FACETED_BREP", "FACETED_BREP_AND_BREP_WITH_VOIDS")
SURFACES = ("SHELL_BASED_SURFACE_MODEL", "FACE_BASED_SURFACE_MODEL")
PREFIXES = {
    "EXA": 1e18, "PETA": 1e15, "TERA": 1e12, "GIGA": 1e9, "MEGA": 1e6, "KILO": 1e3, "HECTO": 1e2, "DECA": 1e1,
    "DECI": 1e-1, "CENTI": 1e-2, "MILLI": 1e-3, "MICRO": 1e-6, "NANO": 1e-9, "PICO": 1e-12,
}  # fmt: skip
MOST_PLACED = 20_000
DEEPEST = 50

Color = tuple[float, float, float]


@dataclass(frozen=True)
class Placed:
    """A solid of the file, by number, under a name, and where it is: a matrix (4, 4) in the file's unit.
    group : the same for what stands in one representation, itself or mapped into it, each where it is."""

    number: int
    name: str
    matrix: FloatArray
    group: int = 0


@dataclass(frozen=True)
class Units:
    """Millimetres for each unit of length of the file, radians for each of angle, and its gap in its unit."""

    length: float
    angle: float
    gap: float


def units_of(text: StepText) -> Units:
    """The units of the first geometric context that states some."""
    length, angle, gap = 1.0, 1.0, 0.0
    found: set[float] = set()
    for number in text.named("GLOBAL_UNIT_ASSIGNED_CONTEXT"):
        values = text.part(number, "GLOBAL_UNIT_ASSIGNED_CONTEXT") or [[]]
        for unit in values[0] if isinstance(values[0], list) else []:
            if not isinstance(unit, Ref):
                continue
            if text.part(unit, "LENGTH_UNIT") is not None:
                length = 1000.0 * _factor(text, unit, "METRE", 0)
                found.add(length)
            elif text.part(unit, "PLANE_ANGLE_UNIT") is not None:
                angle = _factor(text, unit, "RADIAN", 0)
        gap = max(gap, _uncertainty(text, number))
    if len(found) > 1:
        raise ExchangeError(
            "the file mixes units of length: " + ", ".join(f"{f:g} mm" for f in sorted(found))
        )
    return Units(length, angle, gap)


def _uncertainty(text: StepText, context: int) -> float:
    values = text.part(context, "GLOBAL_UNCERTAINTY_ASSIGNED_CONTEXT")
    best = 0.0
    for measure in values[0] if values and isinstance(values[0], list) else []:
        parts = text.part(measure, "UNCERTAINTY_MEASURE_WITH_UNIT") if isinstance(measure, Ref) else None
        if parts and isinstance(parts[0], Typed) and parts[0].values:
            value = parts[0].values[0]
            best = max(best, float(value)) if isinstance(value, (int, float)) else best
    return best


def _factor(text: StepText, number: int, base: str, depth: int) -> float:
    """A unit in terms of an SI one."""
    if depth > 10:
        raise ExchangeError(f"#{number}: a unit of units without end")
    si = text.part(number, "SI_UNIT")
    if si is not None:
        prefix, name = si[-2], si[-1]
        if name != base:
            raise ExchangeError(f"#{number}: expected {base.lower()}s, got {name}")
        return PREFIXES.get(str(prefix), 1.0) if isinstance(prefix, Enum) else 1.0
    based = text.part(number, "CONVERSION_BASED_UNIT")
    if based is None or not isinstance(based[1], Ref):
        raise ExchangeError(f"#{number}: a unit of the kind {text.kind(number)} cannot be read")
    for record in text.records(based[1]):
        if record.name.endswith("MEASURE_WITH_UNIT") and len(record.values) >= 2:
            size, unit = record.values[:2]
            value = size.values[0] if isinstance(size, Typed) else size
            if isinstance(value, (int, float)) and isinstance(unit, Ref) and value > 0:
                return float(value) * _factor(text, unit, base, depth + 1)
    raise ExchangeError(f"#{number}: a unit whose size is not given")


def unit_named(millimetres: float) -> str:
    """The name of a unit of that size; "" if it has none here."""
    return next((n for n, s in MILLIMETRES.items() if abs(s / millimetres - 1.0) < 1e-9), "")


def placed_solids(source: Source) -> list[Placed]:
    """Every solid where the assemblies of the file place it; once where they do not."""
    text = source.text
    assembly = _Assembly(source)
    found = list(assembly.solids())
    seen = {p.number for p in found}
    found += [
        Placed(n, text_name(source, n), np.eye(4)) for n in text.named(*SOLIDS, *SURFACES) if n not in seen
    ]
    return found


def text_name(source: Source, number: int) -> str:
    """The label of an instance, in whichever of its parts."""
    for record in source.text.records(number):
        if record.values and isinstance(record.values[0], str) and not isinstance(record.values[0], Enum):
            return record.values[0].strip()
    return ""


def _representations(text: StepText) -> dict[int, list[int]]:
    """The items of all representations of shapes."""
    homes = {}
    for name in (
        "SHAPE_REPRESENTATION", "ADVANCED_BREP_SHAPE_REPRESENTATION", "FACETED_BREP_SHAPE_REPRESENTATION",
        "MANIFOLD_SURFACE_SHAPE_REPRESENTATION", "GEOMETRICALLY_BOUNDED_SURFACE_SHAPE_REPRESENTATION",
    ):  # fmt: skip
        for number in text.named(name):
            values = text.part(number, name) or []
            if not values:  # a complex instance: its items stand in another part
                values = text.part(number, "REPRESENTATION") or []
            items = values[1] if len(values) > 1 and isinstance(values[1], list) else []
            homes[number] = [int(item) for item in items if isinstance(item, Ref)]
    return homes


class _Assembly:
    """Which representations of shapes stand in which others, where and under what name."""

    def __init__(self, source: Source) -> None:
        self._source = source
        self._homes = _representations(source.text)
        self._children: dict[int, list[tuple[int, FloatArray, str]]] = defaultdict(list)
        self._inside: set[int] = set()
        self._visits = 0
        uses = _occurrences(source.text)
        every = source.text.named("REPRESENTATION_RELATIONSHIP", "SHAPE_REPRESENTATION_RELATIONSHIP")
        for number in dict.fromkeys(every):  # a complex one has both names
            self._relate(number, uses.get(number, _Use()))
        for number in source.text.named("REPRESENTATION_MAP"):  # what is mapped stands where it is used
            values = source.values(number, "REPRESENTATION_MAP", 2)
            self._inside.add(source.ref(values[1], number, "a representation"))

    def _relate(self, number: int, use: _Use) -> None:
        """Put one of two related representations into the other."""
        text, source = self._source.text, self._source
        values = text.part(number, "REPRESENTATION_RELATIONSHIP") or text.part(
            number, "SHAPE_REPRESENTATION_RELATIONSHIP"
        )
        if not values or len(values) < 4 or not all(isinstance(v, Ref) for v in values[2:4]):
            return
        one, two = int(values[2]), int(values[3])
        moved = text.part(number, "REPRESENTATION_RELATIONSHIP_WITH_TRANSFORMATION")
        if moved is None:  # two for one shape: the solids stand in the one that has none of its own
            parent, child = (two, one) if self._has_solids(one) and not self._has_solids(two) else (one, two)
            if one != two and all(c != child for c, _, _ in self._children[parent]):
                self._children[parent].append((child, np.eye(4), ""))
                self._inside.add(child)
            return
        matrix = _transformation(source, source.ref(moved[0], number, "a transformation"))
        if use.is_turned(one, two):  # some put the assembly first
            one, two, matrix = two, one, _back(matrix)
        self._children[two].append((one, matrix, use.name))
        self._inside.add(one)

    def _has_solids(self, home: int) -> bool:
        return any(self._is_solid(item) for item in self._homes.get(home, ()))

    def _is_solid(self, item: int) -> bool:
        return any(self._source.text.part(item, name) is not None for name in (*SOLIDS, *SURFACES))

    def solids(self) -> Iterator[Placed]:
        """The solids of all representations that stand in no other."""
        for root in self._homes:
            if root not in self._inside:
                yield from self._within(root, np.eye(4), 0, "")

    def _within(
        self, home: int, matrix: FloatArray, depth: int, name: str, group: int | None = None
    ) -> Iterator[Placed]:
        """The solids in a representation and in those that stand in it. What is mapped into a representation
        is of its group."""
        source = self._source
        self._visits += 1
        if depth > DEEPEST or self._visits > MOST_PLACED:
            raise ExchangeError(
                f"#{home}: assemblies in assemblies, more than {DEEPEST} deep or {MOST_PLACED} together"
            )
        group = self._visits if group is None else group
        for item in self._homes.get(home, ()):
            if self._is_solid(item):
                yield Placed(item, name or text_name(source, item), matrix, group)
            elif source.text.record(item).name == "MAPPED_ITEM":
                _, mapping, target = source.values(item, "MAPPED_ITEM", 3)[:3]
                origin, inner = source.values(source.ref(mapping, item, "a map"), "REPRESENTATION_MAP", 2)[:2]
                place = _target(source, source.ref(target, item, "a target"))
                start = _target(source, source.ref(origin, item, "an origin"))
                moved = matrix @ place @ _back(start)
                called = text_name(source, item) or name
                yield from self._within(int(inner), moved, depth + 1, called, group)
        for child, step, label in self._children.get(home, ()):
            yield from self._within(child, matrix @ step, depth + 1, label or name)


@dataclass(frozen=True)
class _Use:
    """How a product uses another: its name, and the representations of the two, as far as the file tells."""

    name: str = ""
    whole: frozenset[int] = frozenset()
    piece: frozenset[int] = frozenset()

    def is_turned(self, piece: int, whole: int) -> bool:
        """Whether what stands for the piece is the whole's, and the other way round."""
        return piece in self.whole and whole in self.piece


def _occurrences(text: StepText) -> dict[int, _Use]:
    """The uses of products, by the relationships that place them."""
    shapes: dict[int, set[int]] = defaultdict(set)
    for number in text.named("SHAPE_DEFINITION_REPRESENTATION"):
        values = text.part(number, "SHAPE_DEFINITION_REPRESENTATION") or []
        shape = text.part(values[0], "PRODUCT_DEFINITION_SHAPE") if _are_refs(values[:2], 2) else None
        if shape and len(shape) > 2 and isinstance(shape[2], Ref):
            shapes[int(shape[2])].add(int(values[1]))
    found = {}
    for number in text.named("CONTEXT_DEPENDENT_SHAPE_REPRESENTATION"):
        values = text.part(number, "CONTEXT_DEPENDENT_SHAPE_REPRESENTATION") or []
        shape = text.part(values[1], "PRODUCT_DEFINITION_SHAPE") if _are_refs(values[:2], 2) else None
        use = shape[2] if shape and len(shape) > 2 and isinstance(shape[2], Ref) else None
        usage = text.part(use, "NEXT_ASSEMBLY_USAGE_OCCURRENCE") if use is not None else None
        if usage and len(usage) > 4 and isinstance(usage[1], str) and _are_refs(usage[3:5], 2):
            whole, piece = (frozenset(shapes[int(v)]) for v in usage[3:5])
            found[int(values[0])] = _Use(usage[1].strip() or str(usage[0]), whole, piece)
    return found


def whole_name(text: StepText) -> str:
    """The name of the product that is no part of another; "" if there is not one alone."""
    parts = set()
    for number in text.named("NEXT_ASSEMBLY_USAGE_OCCURRENCE"):
        values = text.part(number, "NEXT_ASSEMBLY_USAGE_OCCURRENCE") or []
        parts.add(_product_of(text, values[4]) if len(values) > 4 else None)
    roots = [number for number in text.named("PRODUCT") if number not in parts]
    values = text.part(roots[0], "PRODUCT") or [] if len(roots) == 1 else []
    names = [value.strip() for value in values[1::-1] if isinstance(value, str)]
    return next((name for name in names if name), "")


def _product_of(text: StepText, definition: Any) -> int | None:
    """The product of a definition, by way of its formation."""
    here = definition
    for names in (("PRODUCT_DEFINITION", 2), ("PRODUCT_DEFINITION_FORMATION", 2)):
        values = _part_like(text, here, names[0])
        here = values[names[1]] if len(values) > names[1] else None
    return int(here) if isinstance(here, Ref) else None


def _part_like(text: StepText, reference: Any, name: str) -> list[Any]:
    """The values of an instance of a kind, or of one with more at its end."""
    if not isinstance(reference, Ref):
        return []
    return next((r.values for r in text.records(reference) if r.name.startswith(name)), [])


def _are_refs(values: Sequence[Any], count: int) -> bool:
    return len(values) == count and all(isinstance(value, Ref) for value in values)


def _transformation(source: Source, number: int) -> FloatArray:
    text = source.text
    defined = text.part(number, "ITEM_DEFINED_TRANSFORMATION")
    if defined is None:
        return _operator(source, number)
    one, two = (source.placement(source.ref(v, number, "a placement")) for v in defined[2:4])
    return _matrix(two) @ _back(_matrix(one))


def _operator(source: Source, number: int) -> FloatArray:
    motion = similarity(source, number)
    if abs(motion.factor - 1.0) > 1e-12:
        raise ExchangeError(f"#{number}: an assembly that scales by {motion.factor:g} cannot be read")
    made = np.eye(4)
    made[:3, 0], made[:3, 1], made[:3, 2], made[:3, 3] = motion.x, motion.y, motion.z, motion.shift
    return made


def _matrix(frame: Plane) -> FloatArray:
    made = np.eye(4)
    made[:3, 0], made[:3, 1], made[:3, 2], made[:3, 3] = frame.x, frame.y, frame.normal, frame.origin
    return made


def _back(matrix: FloatArray) -> FloatArray:
    """The reverse of a motion."""
    return np.asarray(np.linalg.inv(matrix), dtype=float)


def _target(source: Source, number: int) -> FloatArray:
    if source.text.part(number, "AXIS2_PLACEMENT_3D") is not None:
        return _matrix(source.placement(number))
    return _operator(source, number)


# ---------------------------------------------------------------------- colors


def colors_of(text: StepText) -> dict[int, Color]:
    """The colors of solids, by number."""
    found: dict[int, Color] = {}
    for number in text.named("STYLED_ITEM", "OVER_RIDING_STYLED_ITEM"):
        for record in text.records(number):
            if record.name not in ("STYLED_ITEM", "OVER_RIDING_STYLED_ITEM") or len(record.values) < 3:
                continue
            item = record.values[2]
            color = _color_in(text, record.values[1], 0)
            if isinstance(item, Ref) and color is not None:
                found[int(item)] = color
    return found


NAMED = {
    "red": (1.0, 0.0, 0.0), "green": (0.0, 1.0, 0.0), "blue": (0.0, 0.0, 1.0), "yellow": (1.0, 1.0, 0.0),
    "magenta": (1.0, 0.0, 1.0), "cyan": (0.0, 1.0, 1.0), "black": (0.0, 0.0, 0.0), "white": (1.0, 1.0, 1.0),
}  # fmt: skip


def _color_in(text: StepText, value: Any, depth: int) -> Color | None:
    """The first color that a style leads to."""
    if depth > 40:
        return None
    if isinstance(value, list):
        return next((c for c in (_color_in(text, v, depth + 1) for v in value) if c is not None), None)
    if isinstance(value, Typed):
        return _color_in(text, value.values, depth + 1)
    if not isinstance(value, Ref) or value not in text.rows:
        return None
    for record in text.records(value):
        if record.name == "COLOUR_RGB" and len(record.values) >= 4:
            red, green, blue = (float(v) for v in record.values[1:4])
            if all(math.isfinite(c) and 0.0 <= c <= 1.0 for c in (red, green, blue)):
                return (red, green, blue)
        if record.name == "DRAUGHTING_PRE_DEFINED_COLOUR":
            return NAMED.get(str(record.values[0]).lower())
        color = _color_in(text, record.values, depth + 1)
        if color is not None:
            return color
    return None
