"""`Part`: a body, or several, with what a workshop needs to know about it; and `Material`."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from os import PathLike
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING, Any

from ..errors import ExchangeError, ParameterError
from ..gate import shown_value
from ..geometry.placement import FloatArray
from ..geometry.units import MILLIMETRES
from ..geometry.vector import Vec3
from ..hints import Hinting
from ..topology.names import stem_of
from .messages import NOTE, Message
from .parameters import Value
from .steps import Step
from .units import factor, parse_quantity

if TYPE_CHECKING:
    import pandas as pd

    from ..topology.body import Body

Color = tuple[float, float, float]
NOTEBOOK = (640, 400)
"""Pixels of a picture in a notebook."""


@dataclass(frozen=True, slots=True)
class Material:
    """What a part is made of.

    density : a number, in mass per cubic length unit of the design (kg/mm³ in a design in mm), or a
        text with a unit, such as "2.70 g/cm3", which gives masses in kg in any design.
    """

    name: str
    density: float | str

    def __post_init__(self) -> None:
        self.density_in("mm")

    @property
    def mass_unit(self) -> str:
        """ "kg" where the density is a text with a unit; "" where it is a bare number."""
        return "kg" if isinstance(self.density, str) else ""

    def density_in(self, unit: str) -> float:
        """Mass per cubic `unit`. Raises ParameterError if it is not a positive number."""
        density = self.density
        if isinstance(density, str):
            density = _kilograms(density) * MILLIMETRES[unit] ** 3
        try:
            value = float(density)
        except (TypeError, ValueError):
            raise ParameterError(f"density of {self.name}: {density!r} is no number") from None
        if not (math.isfinite(value) and value > 0):
            raise ParameterError(f"density of {self.name} must be more than 0, got {density}")
        return value


def _kilograms(text: str) -> float:
    """ "2.70 g/cm3" in kg per cubic millimetre."""
    amount, _, cube = text.partition("/")
    value, mass = parse_quantity(amount.strip())
    length = cube.strip().rstrip("3³^* ").rstrip("^*")
    known = {"g": 1e-3, "kg": 1.0, "lb": 0.45359237, "t": 1000.0}
    if mass not in known or not length:
        raise ParameterError(f'"{text}" is no density; write "2.70 g/cm3", "7850 kg/m3" or "0.0975 lb/in3"')
    return float(value) * known[mass] / float(factor(length, "mm")) ** 3


@dataclass(frozen=True, eq=False, init=False, repr=False)
class Part(Hinting):
    """A body, or several kept apart, with a material and a color, and how it was made.

    body : a Body; or a mapping of names to bodies (or to parts with a material and a color of their own),
        which are never united, even where they touch. `body` is then all of them side by side.
    color : "#rrggbb" or three numbers from 0 to 1. It and the material also hold for the bodies that have
        none of their own.
    bodies : the parts by name; empty for a part of one body.
    params, steps, messages : the resolved parameters, the steps of the job and what it told; empty for a part
        made by hand.

    Raises ParameterError for bodies in different units, or whose masses cannot be added up.
    """

    body: Body
    bodies: Mapping[str, Part]
    material: Material | None
    name: str
    color: Color | None
    params: Mapping[str, Value]
    steps: tuple[Step, ...]
    messages: tuple[Message, ...]

    def __init__(
        self,
        body: Body | Mapping[str, Body | Part],
        material: Material | None = None,
        name: str = "part",
        color: Color | str | None = None,
        params: Mapping[str, Value] | None = None,
        steps: tuple[Step, ...] = (),
        messages: tuple[Message, ...] = (),
    ) -> None:
        from ..topology.body import Body

        if not (material is None or isinstance(material, Material)):
            wanted = 'lw.Material("steel", "7.85 g/cm3")'
            raise ParameterError(f"a part's material takes {wanted}, got {shown_value(material)}")
        if not isinstance(name, str):
            raise ParameterError(f"a part's name takes a text, got {shown_value(name)}")
        put: Callable[[str, object], None] = partial(object.__setattr__, self)
        put("material", material)
        put("name", name)
        put("color", None if color is None else parse_color(color))
        pieces = self._pieces(body) if isinstance(body, Mapping) else {}
        put("bodies", MappingProxyType(pieces))
        whole = _side_by_side(list(pieces.values())) if isinstance(body, Mapping) else body
        if not isinstance(whole, Body):
            raise ParameterError(f"a part is made of a Body, not of {shown_value(whole)}")
        put("body", whole)
        put("params", MappingProxyType(dict(params or {})))
        put("steps", steps)
        put("messages", messages)

    def _pieces(self, bodies: Mapping[str, Body | Part]) -> dict[str, Part]:
        """The bodies as parts that have their names, and what they inherit from the whole."""
        if not bodies:
            raise ParameterError("a part needs at least one body")
        from ..topology.body import Body

        found: dict[str, Part] = {}
        for name, piece in bodies.items():
            if not isinstance(name, str) or not name.strip() or "/" in name:
                raise ParameterError(f'a body of a part needs a name without "/", got {name!r}')
            if not isinstance(piece, (Body, Part)):
                raise ParameterError(f'"{name}" of a part is a Body or a Part, not {shown_value(piece)}')
            own = piece if isinstance(piece, Part) else Part(piece)
            found[name] = Part(
                own.bodies or own.body,
                own.material or self.material,
                name,
                own.color or self.color,
                own.params,
                own.steps,
                own.messages,
            )
        return found

    def as_made(
        self,
        name: str,
        params: Mapping[str, Value],
        steps: tuple[Step, ...],
        messages: tuple[Message, ...],
    ) -> Part:
        """The same part with a name, parameters, steps and messages."""
        return Part(self.bodies or self.body, self.material, name, self.color, params, steps, messages)

    def called(self, name: str) -> Part:
        """The same part by another name."""
        return self.as_made(name, self.params, self.steps, self.messages)

    def leaves(self) -> Mapping[str, Part]:
        """The parts of one body each, by name ("frame", or "frame/pin" for a part in a part); a part of
        one body by its own name."""
        if not self.bodies:
            return {self.name: self}
        found: dict[str, Part] = {}
        for name, piece in self.bodies.items():
            inner = piece.leaves() if piece.bodies else {"": piece}
            found |= {f"{name}/{k}" if k else name: p for k, p in inner.items()}
        return found

    def __repr__(self) -> str:
        count = f"{len(self.bodies)} bodies, " if self.bodies else ""
        return f'<Part "{self.name}": {count}volume {self.volume:.6g} {self.unit}³>'

    @property
    def unit(self) -> str:
        """Length unit of all measures."""
        return self.body.unit

    @property
    def volume(self) -> float:
        """Volume in cubic units."""
        return self.body.volume

    @property
    def area(self) -> float:
        """Surface area in square units."""
        return self.body.area

    @property
    def centroid(self) -> Vec3:
        """Center of the volume."""
        return self.body.centroid

    @property
    def inertia(self) -> FloatArray:
        """Inertia tensor of the body about its centroid for density one, shape (3, 3)."""
        return self.body.inertia

    @property
    def bounds(self) -> tuple[Vec3, Vec3]:
        """Lowest and highest corner of the bounding box."""
        return self.body.bounds

    @property
    def mass(self) -> float | None:
        """Volume times density, of all bodies together; None where a material is missing."""
        masses = [p.volume * p.material.density_in(p.unit) for p in self.leaves().values() if p.material]
        return math.fsum(masses) if len(masses) == len(self.leaves()) else None

    @property
    def mass_unit(self) -> str:
        """ "kg" where the densities are texts with a unit, else ""."""
        materials = [p.material for p in self.leaves().values()]
        return materials[0].mass_unit if materials[0] else ""

    @property
    def mass_text(self) -> str:
        """The mass to four digits, with its unit where that is known; "" without a material."""
        mass = self.mass
        return "" if mass is None else f"{mass:.4g} {self.mass_unit}".rstrip()

    def parts_list(self) -> pd.DataFrame:
        """A row for every body, or for several of one size whose names differ by a number at the end: name,
        count, material, mass of one and of all (in `mass_unit`; None without a material)."""
        import pandas as pd

        rows: dict[tuple[str, str, float], list[Part]] = {}
        for name, leaf in self.leaves().items():
            material = leaf.material.name if leaf.material else ""
            rows.setdefault((stem_of(name), material, round(leaf.volume, 6)), []).append(leaf)
        lines = []
        for (stem, material, _), leaves in rows.items():
            one = leaves[0].mass
            whole = None if one is None else one * len(leaves)
            name = stem if len(leaves) > 1 else leaves[0].name
            lines.append([name, len(leaves), material, one, whole])
        return pd.DataFrame(lines, columns=["name", "count", "material", "mass", "mass of all"])

    @property
    def warnings(self) -> tuple[str, ...]:
        """The messages that are no notes: of steps with the step's name."""
        return tuple(str(message) for message in self.messages if message.kind != NOTE)

    def save(self, path: str | PathLike[str], **options: Any) -> None:
        """Write the part to a file; the suffix decides the format. See `lathwick.save`."""
        from .files import save

        save(self, path, **options)

    def save_each(self, path: str | PathLike[str], **options: Any) -> tuple[Path, ...]:
        """Write every body to a file of its own, named after it. See `lathwick.save_each`."""
        from .files import save_each

        return save_each(self, path, **options)

    def _repr_png_(self) -> bytes | None:
        """What a notebook shows; nothing where the packages for pictures are missing."""
        from ..view.picture import png

        try:
            return png(self, self.name, size=NOTEBOOK)
        except ExchangeError:
            return None

    def picture(self, path: str | PathLike[str], **options: Any) -> None:
        """Write a shaded picture of the part as a PNG. See `view.body_picture` for the options."""
        self.save(path, **options)


def _side_by_side(parts: Sequence[Part]) -> Body:
    """One body of all lumps of the parts."""
    from ..topology.body import Body

    units = sorted({part.unit for part in parts})
    if len(units) > 1:
        raise ParameterError(f"the bodies of a part are in different units: {', '.join(units)}")
    materials = [leaf.material for part in parts for leaf in part.leaves().values()]
    if len({m.mass_unit for m in materials if m}) > 1:
        raise ParameterError(
            "the masses of the bodies cannot be added up: some densities have a unit, some have none"
        )
    return Body(tuple(lump for part in parts for lump in part.body.pieces), units[0])


def parse_color(color: Color | str) -> Color:
    """Three numbers from 0 to 1, from such, from "#rrggbb" or a name of CSS ("steelblue"). Raises
    ParameterError."""
    try:
        if isinstance(color, str):
            red, green, blue = (part / 255.0 for part in _from_text(color))
        else:
            red, green, blue = (float(c) for c in color)
        if not all(0.0 <= c <= 1.0 for c in (red, green, blue)):
            raise ValueError
    except (TypeError, ValueError):
        wanted = 'write "steelblue", "#4682b4" or three numbers from 0 to 1'
        raise ParameterError(f"{color!r} is no color; {wanted}") from None
    return (red, green, blue)


def _from_text(color: str) -> tuple[int, int, int]:
    import webcolors

    if color.startswith("#"):
        return tuple(webcolors.hex_to_rgb(color))
    return tuple(webcolors.name_to_rgb(color.replace(" ", "")))
