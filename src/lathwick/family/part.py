"""`Part`: a body with what a workshop needs to know about it; and `Material`."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from os import PathLike
from types import MappingProxyType
from typing import Any

from ..errors import ParameterError
from ..geometry.placement import FloatArray
from ..geometry.units import MILLIMETRES
from ..geometry.vector import Vec3
from ..topology.body import Body
from .parameters import Value
from .steps import Step
from .units import factor, parse_quantity

Color = tuple[float, float, float]
STEEL_BLUE: Color = (0.55, 0.65, 0.74)


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


@dataclass(frozen=True, eq=False)
class Part:
    """A body with a name, a material and a color, and how it was made.

    `params` are the resolved parameters, `steps` the steps of the job; both are empty for a part
    made by hand. `color` is "#rrggbb" or three numbers from 0 to 1.
    """

    body: Body
    material: Material | None = None
    name: str = "part"
    color: Color | str | None = None
    params: Mapping[str, Value] = field(default_factory=dict)
    steps: tuple[Step, ...] = ()

    def __post_init__(self) -> None:
        if not isinstance(self.body, Body):
            raise TypeError(f"a part is made of a Body, not of {type(self.body).__name__}")
        object.__setattr__(self, "params", MappingProxyType(dict(self.params)))
        object.__setattr__(self, "color", None if self.color is None else parse_color(self.color))

    def __repr__(self) -> str:
        return f'<Part "{self.name}": volume {self.volume:.6g} {self.unit}³>'

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
        """Volume times density; None without a material."""
        return None if self.material is None else self.volume * self.material.density_in(self.unit)

    @property
    def mass_text(self) -> str:
        """The mass to four digits, with its unit where that is known; "" without a material."""
        if self.material is None or self.mass is None:
            return ""
        return f"{self.mass:.4g} {self.material.mass_unit}".rstrip()

    @property
    def warnings(self) -> tuple[str, ...]:
        """What the steps had to say, each with the step's name."""
        return tuple(f"{step.name}: {warning}" for step in self.steps for warning in step.warnings)

    def save(self, path: str | PathLike[str], **options: Any) -> None:
        """Write the part to a file; the suffix decides the format. See `lathwick.save`."""
        from .files import save

        save(self, path, **options)

    def picture(self, path: str | PathLike[str], **options: Any) -> None:
        """Write a shaded picture of the part as a PNG. See `view.body_picture` for the options."""
        self.save(path, **options)


def parse_color(color: Color | str) -> Color:
    """Three numbers from 0 to 1, from such, or from "#rrggbb". Raises ParameterError."""
    try:
        if isinstance(color, str):
            if len(color) != 7 or color[0] != "#":
                raise ValueError
            red, green, blue = (int(color[i : i + 2], 16) / 255.0 for i in (1, 3, 5))
        else:
            red, green, blue = (float(c) for c in color)
        if not all(0.0 <= c <= 1.0 for c in (red, green, blue)):
            raise ValueError
    except (TypeError, ValueError):
        raise ParameterError(f'{color!r} is no color; write "#8094a8" or three numbers from 0 to 1') from None
    return (red, green, blue)
