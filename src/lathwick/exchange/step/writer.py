"""A whole STEP file: header, product structure, units, solids, colors and validation properties.

Sources: ISO 10303-242 and -214; for the geometric validation properties, ISO 10303-1 integrated
resources as used by the implementor forum's recommended practice (a receiver compares them with
its own measures).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime

from ...errors import ExchangeError
from ...geometry.motion import Motion
from ...geometry.placement import XY
from ...geometry.tolerance import RESOLUTION
from ...geometry.units import MILLIMETRES
from ...modelling.transform import original_lump, original_of
from ...topology.body import Body
from ...topology.brep import Face, Lump
from ...topology.collapse import collapsed
from ...topology.mass import mass_properties
from .part21 import Instances, listed, real, string
from .proof import prove_valid
from .shape import ShapeWriter

Color = tuple[float, float, float]

MANY_COPIES = 8
"""So many lumps of a body that are copies of one are written once, and placed."""

TINY = 1e-5
"""Edges shorter than this are written as points: many programs do not tell their ends apart."""


@dataclass(frozen=True, slots=True)
class Protocol:
    """What an application protocol calls itself."""

    schema: str
    context: str
    name: str
    year: int


PROTOCOLS = {
    "ap242": Protocol(
        "AP242_MANAGED_MODEL_BASED_3D_ENGINEERING_MIM_LF { 1 0 10303 442 1 1 4 }",
        "managed model based 3d engineering",
        "ap242_managed_model_based_3d_engineering",
        2014,
    ),
    "ap214": Protocol(
        "AUTOMOTIVE_DESIGN { 1 0 10303 214 1 1 1 1 }",
        "core data for automotive mechanical design processes",
        "automotive_design",
        2000,
    ),
}


@dataclass(frozen=True, slots=True)
class Solid:
    """A named body with a color (red, green, blue, each 0 to 1) or None."""

    name: str
    body: Body
    color: Color | None = None


def write_step(
    name: str, solids: Sequence[Solid], *, stamp: datetime, schema: str = "ap242", version: str = ""
) -> str:
    """The text of a STEP file: one product `name` that is a solid, or an assembly of several products.

    stamp : time for the header. schema : "ap242" or "ap214". version : of this package.
    All bodies must share one length unit, which the file states. Raises ExchangeError.
    """
    if schema not in PROTOCOLS:
        raise ExchangeError(f'STEP schema "{schema}" is not one of {", ".join(PROTOCOLS)}')
    units = {solid.body.unit for solid in solids}
    if len(units) != 1:
        raise ExchangeError(f"a STEP file needs bodies of one unit, got {sorted(units) or 'no body'}")
    rows = Instances()
    tiny = any(edge.length <= TINY for solid in solids for edge in solid.body.faces_of_edge)
    products = _Products(rows, PROTOCOLS[schema], units.pop(), TINY if tiny else RESOLUTION)
    if len(solids) == 1:
        products.write(name, solids[0])
    else:
        products.write_assembly(name, solids)
    return (
        "ISO-10303-21;\n"
        + _header(name, PROTOCOLS[schema], stamp, version)
        + rows.section()
        + "END-ISO-10303-21;\n"
    )


def _header(name: str, protocol: Protocol, stamp: datetime, version: str) -> str:
    when = stamp.astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%S")
    tool = f"Lathwick {version}".strip()
    return (
        "HEADER;\n"
        "FILE_DESCRIPTION(('exact solids with geometric validation properties'),'2;1');\n"
        f"FILE_NAME({string(name)},'{when}',(''),(''),{string(tool)},{string(tool)},'');\n"
        f"FILE_SCHEMA(({string(protocol.schema)}));\nENDSEC;\n"
    )


def _without_tiny_edges(body: Body) -> tuple[Lump, ...]:
    """The lumps with edges that other programs take for points as such; as they are if they would vanish."""
    made = collapsed(body.pieces, TINY).lumps
    whole = all(loop.coedges for p in made for s in p.shells for face in s.faces for loop in face.loops)
    return made if whole and all(s.faces for p in made for s in p.shells) else body.pieces


@dataclass(frozen=True, slots=True)
class _Product:
    """References of a product: its definition, the shape of that, and the representation of the shape."""

    definition: str
    shape: str
    representation: str


@dataclass(frozen=True, slots=True)
class _Written:
    """References of what stands in the representation of a body, and of the solids, there or placed from
    there."""

    items: list[str]
    solids: list[str]


class _Products:
    """Products, each with everything that belongs to it."""

    def __init__(self, rows: Instances, protocol: Protocol, unit: str, gap: float) -> None:
        """gap : points nearer than this are one."""
        self._rows = rows
        self._gap = gap
        self._protocol = protocol
        self._shape = ShapeWriter(rows)
        self._unit = self._length_unit(unit)
        self._application = self._application_context()
        self._context = self._geometric_context()

    def write(self, name: str, solid: Solid) -> _Product:
        """A product that is one body."""
        definition, shape = self._definition(name)
        written = self._solids(solid)
        brep = self._representation(name, written.items)
        self._rows.add(f"SHAPE_DEFINITION_REPRESENTATION({shape},{brep})")
        if solid.color is not None:
            self._colors([(reference, solid.color) for reference in written.solids])
        self._validation([solid], shape)
        return _Product(definition, shape, brep)

    def _representation(self, name: str, items: Sequence[str]) -> str:
        every = listed([self._shape.placement(XY), *items])
        return self._rows.add(f"ADVANCED_BREP_SHAPE_REPRESENTATION({string(name)},{every},{self._context})")

    def write_assembly(self, name: str, solids: Sequence[Solid]) -> None:
        """A product that is made of others, each where it stands."""
        add = self._rows.add
        definition, shape = self._definition(name)
        place = self._shape.placement(XY)
        pieces = list(self._pieces(solids))
        frames = [self._shape.placement(motion.frame(XY)) for _, _, motion in pieces]
        items = listed(dict.fromkeys([place, *frames]))
        whole = add(f"SHAPE_REPRESENTATION({string(name)},{items},{self._context})")
        add(f"SHAPE_DEFINITION_REPRESENTATION({shape},{whole})")
        for number, ((solid, piece, _), there) in enumerate(zip(pieces, frames, strict=True), start=1):
            use = add(
                f"NEXT_ASSEMBLY_USAGE_OCCURRENCE('{number}',{string(solid.name)},'',"
                f"{definition},{piece.definition},$)"
            )
            used = add(f"PRODUCT_DEFINITION_SHAPE('','',{use})")
            move = add(f"ITEM_DEFINED_TRANSFORMATION('','',{place},{there})")
            relation = add(
                f"(REPRESENTATION_RELATIONSHIP('','',{piece.representation},{whole})"
                f"REPRESENTATION_RELATIONSHIP_WITH_TRANSFORMATION({move})"
                "SHAPE_REPRESENTATION_RELATIONSHIP())"
            )
            add(f"CONTEXT_DEPENDENT_SHAPE_REPRESENTATION({relation},{used})")
        self._validation(solids, shape)

    def _pieces(self, solids: Sequence[Solid]) -> Iterator[tuple[Solid, _Product, Motion]]:
        """The product of each solid, and where it stands: copies of one body in one color are one product."""
        found = [(solid, original_of(solid.body)) for solid in solids]
        keys = [
            (solid.color, *(id(face) for face in (solid.body if first is None else first[0]).brep_faces))
            for solid, first in found
        ]
        times = Counter(keys)
        made: dict[tuple[object, ...], _Product] = {}
        for key, (solid, first) in zip(keys, found, strict=True):
            if times[key] == 1:
                yield solid, self.write(solid.name, solid), Motion()
                continue
            body, motion = (solid.body, Motion()) if first is None else first
            if key not in made:
                made[key] = self.write(solid.name, replace(solid, body=body))
            yield solid, made[key], motion

    def _solids(self, solid: Solid) -> _Written:
        """The lumps of a body; of many copies of one that one, and where it stands."""
        prove_valid(solid.body, f'"{solid.name}"')
        lumps = _without_tiny_edges(solid.body) if self._gap > RESOLUTION else solid.body.pieces
        names = [solid.name] if len(lumps) == 1 else [f"{solid.name} {i}" for i in range(1, len(lumps) + 1)]
        found = [original_lump(lump) for lump in lumps]
        times = Counter(faces for faces, _ in found)
        written, maps = _Written([], []), dict[tuple[Face, ...], tuple[str, Motion]]()
        for lump, name, (faces, motion) in zip(lumps, names, found, strict=True):
            if faces not in maps:
                made = self._shape.solid(lump, name)
                written.solids.append(made)
                if times[faces] < MANY_COPIES:
                    written.items.append(made)
                    continue
                place = self._shape.placement(XY)
                home = self._representation(name, [made])
                maps[faces] = self._rows.add(f"REPRESENTATION_MAP({place},{home})"), motion
            source, first = maps[faces]
            there = self._shape.placement(motion.after(first.back()).frame(XY))
            written.items.append(self._rows.add(f"MAPPED_ITEM({string(name)},{source},{there})"))
        return written

    def _application_context(self) -> str:
        protocol = self._protocol
        application = self._rows.add(f"APPLICATION_CONTEXT({string(protocol.context)})")
        self._rows.add(
            "APPLICATION_PROTOCOL_DEFINITION('international standard',"
            f"{string(protocol.name)},{protocol.year},{application})"
        )
        return application

    def _definition(self, name: str) -> tuple[str, str]:
        """A product's PRODUCT_DEFINITION and its PRODUCT_DEFINITION_SHAPE."""
        add, label = self._rows.add, string(name)
        context = self._rows.share(f"PRODUCT_CONTEXT('',{self._application},'mechanical')")
        product = add(f"PRODUCT({label},{label},'',({context}))")
        add(f"PRODUCT_RELATED_PRODUCT_CATEGORY('part',$,({product}))")
        formation = add(f"PRODUCT_DEFINITION_FORMATION('','',{product})")
        stage = self._rows.share(
            f"PRODUCT_DEFINITION_CONTEXT('part definition',{self._application},'design')"
        )
        definition = add(f"PRODUCT_DEFINITION('design','',{formation},{stage})")
        return definition, add(f"PRODUCT_DEFINITION_SHAPE('','',{definition})")

    def _length_unit(self, unit: str) -> str:
        add = self._rows.add
        if unit == "in":
            millimetre = add("(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.MILLI.,.METRE.))")
            exponents = add("DIMENSIONAL_EXPONENTS(1.,0.,0.,0.,0.,0.,0.)")
            size = real(MILLIMETRES["in"])
            measure = add(f"LENGTH_MEASURE_WITH_UNIT(LENGTH_MEASURE({size}),{millimetre})")
            return add(f"(CONVERSION_BASED_UNIT('INCH',{measure})LENGTH_UNIT()NAMED_UNIT({exponents}))")
        prefix = {"mm": ".MILLI.", "cm": ".CENTI.", "m": "$"}[unit]
        return add(f"(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT({prefix},.METRE.))")

    def _geometric_context(self) -> str:
        add, length = self._rows.add, self._unit
        radian = add("(NAMED_UNIT(*)PLANE_ANGLE_UNIT()SI_UNIT($,.RADIAN.))")
        steradian = add("(NAMED_UNIT(*)SI_UNIT($,.STERADIAN.)SOLID_ANGLE_UNIT())")
        gap = add(
            f"UNCERTAINTY_MEASURE_WITH_UNIT(LENGTH_MEASURE({real(self._gap)}),{length},"
            "'distance_accuracy_value','points nearer than this are one')"
        )
        return add(
            "(GEOMETRIC_REPRESENTATION_CONTEXT(3)"
            f"GLOBAL_UNCERTAINTY_ASSIGNED_CONTEXT(({gap}))"
            f"GLOBAL_UNIT_ASSIGNED_CONTEXT(({length},{radian},{steradian}))"
            "REPRESENTATION_CONTEXT('model','3D'))"
        )

    def _colors(self, colored: Sequence[tuple[str, Color]]) -> None:
        add, share, styled = self._rows.add, self._rows.share, []
        for reference, color in colored:
            red, green, blue = (real(c) for c in color)
            rgb = share(f"COLOUR_RGB('',{red},{green},{blue})")
            fill = share(f"FILL_AREA_STYLE_COLOUR('',{rgb})")
            area = share(f"FILL_AREA_STYLE('',({fill}))")
            side = share(f"SURFACE_STYLE_FILL_AREA({area})")
            both = share(f"SURFACE_SIDE_STYLE('',({side}))")
            usage = share(f"SURFACE_STYLE_USAGE(.BOTH.,{both})")
            style = share(f"PRESENTATION_STYLE_ASSIGNMENT(({usage}))")
            styled.append(add(f"STYLED_ITEM('color',({style}),{reference})"))
        items = listed(styled)
        add(f"MECHANICAL_DESIGN_GEOMETRIC_PRESENTATION_REPRESENTATION('',{items},{self._context})")

    def _validation(self, solids: Sequence[Solid], shape_of: str) -> None:
        """Volume, area and centroid of all that is in a product."""
        whole = solids[0].body.mass_properties if len(solids) == 1 else (
            mass_properties([face for s in solids for face in s.body.brep_faces])
        )  # fmt: skip
        measures = (
            ("volume", "VOLUME_MEASURE", whole.volume, 3),
            ("surface area", "AREA_MEASURE", whole.area, 2),
        )
        for label, measure, value, power in measures:
            element = self._rows.add(f"DERIVED_UNIT_ELEMENT({self._unit},{real(float(power))})")
            unit = self._rows.add(f"DERIVED_UNIT(({element}))")
            item = self._rows.add(
                f"MEASURE_REPRESENTATION_ITEM('{label} measure',{measure}({real(value)}),{unit})"
            )
            self._property(label, item, shape_of)
        center = self._shape.point(whole.centroid, "centre point")
        self._property("centroid", center, shape_of)

    def _property(self, label: str, item: str, shape_of: str) -> None:
        add = self._rows.add
        definition = add(f"PROPERTY_DEFINITION('geometric_validation_property','{label}',{shape_of})")
        representation = add(f"REPRESENTATION('{label}',({item}),{self._context})")
        add(f"PROPERTY_DEFINITION_REPRESENTATION({definition},{representation})")
