"""Lathwick: parametric parts from constrained sketches, as exact solids.

    import lathwick as lw

Lengths are in the design's unit, angles in degrees. The names below are the public interface;
each is imported when it is first used, so that `import lathwick` costs next to nothing.
"""

from __future__ import annotations

import sys
from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    __version__: str
    from .errors import ExchangeError as ExchangeError
    from .errors import LathwickError as LathwickError
    from .errors import ModellingError as ModellingError
    from .errors import ParameterError as ParameterError
    from .errors import ReferenceLost as ReferenceLost
    from .errors import SketchError as SketchError
    from .family.comparison import Comparison as Comparison
    from .family.comparison import compare as compare
    from .family.design import Design as Design
    from .family.design import design as design
    from .family.files import read_mesh as read_mesh
    from .family.files import read_step as read_step
    from .family.files import save as save
    from .family.files import save_each as save_each
    from .family.job import Job as Job
    from .family.measuring import angle as angle
    from .family.measuring import distance as distance
    from .family.measuring import interference as interference
    from .family.measuring import section as section
    from .family.messages import Message as Message
    from .family.parameters import Angle as Angle
    from .family.parameters import Count as Count
    from .family.parameters import Flag as Flag
    from .family.parameters import Length as Length
    from .family.parameters import Number as Number
    from .family.parameters import Text as Text
    from .family.parameters import param as param
    from .family.part import Material as Material
    from .family.part import Part as Part
    from .family.questions import Limits as Limits
    from .family.shared import Table as Table
    from .family.shared import shared as shared
    from .family.step_store import cache as cache
    from .family.variants import VariantRun as VariantRun
    from .family.variants import vary as vary
    from .geometry.placement import XY as XY
    from .geometry.placement import XZ as XZ
    from .geometry.placement import YZ as YZ
    from .geometry.placement import Axis as Axis
    from .geometry.placement import Plane as Plane
    from .geometry.placement import X as X
    from .geometry.placement import Y as Y
    from .geometry.placement import Z as Z
    from .mesh.mesh import Mesh as Mesh
    from .mesh.tessellate import tessellate as tessellate
    from .modelling.blend.chamfer import chamfer as chamfer
    from .modelling.blend.fillet import fillet as fillet
    from .modelling.combine import cut as cut
    from .modelling.combine import intersect as intersect
    from .modelling.combine import separate as separate
    from .modelling.combine import split as split
    from .modelling.combine import union as union
    from .modelling.extrude import extrude as extrude
    from .modelling.hole import hole as hole
    from .modelling.local.draft import draft as draft
    from .modelling.local.shell import shell as shell
    from .modelling.local.thicken import thicken as thicken
    from .modelling.loft import loft as loft
    from .modelling.paths import Path as Path
    from .modelling.paths import helix as helix
    from .modelling.paths import path as path
    from .modelling.paths import route as route
    from .modelling.patterns import circular_pattern as circular_pattern
    from .modelling.patterns import linear_pattern as linear_pattern
    from .modelling.patterns import mirror as mirror
    from .modelling.patterns import path_pattern as path_pattern
    from .modelling.perforate import perforate as perforate
    from .modelling.primitives import box as box
    from .modelling.primitives import cone as cone
    from .modelling.primitives import cylinder as cylinder
    from .modelling.primitives import sphere as sphere
    from .modelling.primitives import torus as torus
    from .modelling.primitives import wedge as wedge
    from .modelling.revolve import revolve as revolve
    from .modelling.rib import rib as rib
    from .modelling.sweep import sweep as sweep
    from .modelling.thread import thread as thread
    from .modelling.through import THROUGH as THROUGH
    from .modelling.transform import move as move
    from .modelling.transform import place as place
    from .modelling.transform import scale as scale
    from .modelling.transform import turn as turn
    from .sketch.diagnosis import SketchReport as SketchReport
    from .sketch.region import Region as Region
    from .sketch.sketch import Sketch as Sketch
    from .topology.body import Body as Body
    from .topology.selection import Selection as Selection

_HOMES = {
    "family.comparison": ("Comparison", "compare"),
    "family.design": ("Design", "design"),
    "family.files": ("read_mesh", "read_step", "save", "save_each"),
    "family.job": ("Job",),
    "family.measuring": ("angle", "distance", "interference", "section"),
    "family.messages": ("Message",),
    "family.parameters": ("Angle", "Count", "Flag", "Length", "Number", "Text", "param"),
    "family.part": ("Material", "Part"),
    "family.questions": ("Limits",),
    "family.shared": ("Table", "shared"),
    "family.step_store": ("cache",),
    "family.variants": ("VariantRun", "vary"),
    "errors": (
        "ExchangeError",
        "LathwickError",
        "ModellingError",
        "ParameterError",
        "ReferenceLost",
        "SketchError",
    ),
    "geometry.placement": ("XY", "XZ", "YZ", "Axis", "Plane", "X", "Y", "Z"),
    "mesh.mesh": ("Mesh",),
    "mesh.tessellate": ("tessellate",),
    "modelling.extrude": ("extrude",),
    "modelling.combine": (
        "cut",
        "intersect",
        "separate",
        "split",
        "union",
    ),
    "modelling.blend.chamfer": ("chamfer",),
    "modelling.blend.fillet": ("fillet",),
    "modelling.hole": ("hole",),
    "modelling.local.draft": ("draft",),
    "modelling.local.shell": ("shell",),
    "modelling.local.thicken": ("thicken",),
    "modelling.patterns": (
        "circular_pattern",
        "linear_pattern",
        "mirror",
        "path_pattern",
    ),
    "modelling.primitives": (
        "box",
        "cone",
        "cylinder",
        "sphere",
        "torus",
        "wedge",
    ),
    "modelling.loft": ("loft",),
    "modelling.perforate": ("perforate",),
    "modelling.paths": ("Path", "helix", "path", "route"),
    "modelling.revolve": ("revolve",),
    "modelling.rib": ("rib",),
    "modelling.sweep": ("sweep",),
    "modelling.thread": ("thread",),
    "modelling.through": ("THROUGH",),
    "modelling.transform": (
        "move",
        "place",
        "scale",
        "turn",
    ),
    "sketch.diagnosis": ("SketchReport",),
    "sketch.region": ("Region",),
    "sketch.sketch": ("Sketch",),
    "topology.body": ("Body",),
    "topology.selection": ("Selection",),
}
_HOME_OF = {name: module for module, names in _HOMES.items() for name in names}

__all__ = sorted(_HOME_OF)


def __getattr__(name: str) -> Any:
    if name == "__version__":
        return import_module("importlib.metadata").version("lathwick")
    if name not in _HOME_OF:
        raise AttributeError(f"module 'lathwick' has no attribute {name!r}")
    home = _HOME_OF[name]
    value = getattr(import_module(f"{__name__}.{home}"), name)
    if home.startswith(("modelling.", "mesh.")):
        value = import_module(f"{__name__}.rules").guarded(value)
    globals()[name] = value
    return value


def __dir__() -> list[str]:
    return [*globals(), *__all__]


if "IPython" in sys.modules:
    import_module(f"{__name__}.notebook").show_in_notebooks()
