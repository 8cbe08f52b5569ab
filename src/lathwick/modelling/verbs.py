"""The operations that a job calls, each imported when it is first used: a design that only tells of its
parameters loads none of them."""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from .blend.chamfer import chamfer as chamfer
    from .blend.fillet import fillet as fillet
    from .combine import cut as cut
    from .combine import intersect as intersect
    from .combine import reach_along as reach_along
    from .combine import separate as separate
    from .combine import split as split
    from .combine import union as union
    from .extrude import extrude as extrude
    from .extrude import extrude_to as extrude_to
    from .hole import hole as hole
    from .local.draft import draft as draft
    from .local.shell import shell as shell
    from .local.thicken import thicken as thicken
    from .loft import loft as loft
    from .outlines import is_point as is_point
    from .paths import path as path
    from .patterns import circular_pattern as circular_pattern
    from .patterns import linear_pattern as linear_pattern
    from .patterns import mirror as mirror
    from .patterns import path_pattern as path_pattern
    from .perforate import perforate as perforate
    from .primitives import box as box
    from .primitives import cone as cone
    from .primitives import cylinder as cylinder
    from .primitives import size as size
    from .primitives import sphere as sphere
    from .primitives import torus as torus
    from .primitives import wedge as wedge
    from .profile import regions_of as regions_of
    from .references import axis_of as axis_of
    from .references import backdrop_of as backdrop_of
    from .references import plane_of as plane_of
    from .revolve import revolve as revolve
    from .rib import rib as rib
    from .sweep import sweep as sweep
    from .thread import thread as thread
    from .transform import move as move
    from .transform import place as place
    from .transform import scale as scale
    from .transform import turn as turn

_HOMES = {
    "blend.chamfer": ("chamfer",),
    "blend.fillet": ("fillet",),
    "combine": ("cut", "intersect", "reach_along", "separate", "split", "union"),
    "extrude": ("extrude", "extrude_to"),
    "hole": ("hole",),
    "local.draft": ("draft",),
    "local.shell": ("shell",),
    "local.thicken": ("thicken",),
    "loft": ("loft",),
    "outlines": ("is_point",),
    "paths": ("path",),
    "patterns": ("circular_pattern", "linear_pattern", "mirror", "path_pattern"),
    "perforate": ("perforate",),
    "primitives": ("box", "cone", "cylinder", "size", "sphere", "torus", "wedge"),
    "profile": ("regions_of",),
    "references": ("axis_of", "backdrop_of", "plane_of"),
    "revolve": ("revolve",),
    "rib": ("rib",),
    "sweep": ("sweep",),
    "thread": ("thread",),
    "transform": ("move", "place", "scale", "turn"),
}
_HOME_OF = {name: module for module, names in _HOMES.items() for name in names}


def __getattr__(name: str) -> Any:
    if name not in _HOME_OF:
        raise AttributeError(f"there is no operation {name!r}")
    return getattr(import_module(f"{__package__}.{_HOME_OF[name]}"), name)
