"""What to write instead of a name that is not there: the nearest one, or the one that another word means."""

from __future__ import annotations

import difflib
from typing import TYPE_CHECKING, Any, ClassVar, NoReturn

NEAREST = 0.7
"""Names at least so alike (0 to 1) are told."""

WORDS = {
    "add": ("union",),
    "array": ("linear_pattern", "circular_pattern"),
    "bevel": ("chamfer",),
    "bounding_box": ("bounds",),
    "center_of_mass": ("centroid",),
    "chamfer": ("bevel",),
    "counterbore": ("hole",),
    "countersink": ("hole",),
    "difference": ("cut",),
    "dimension": ("distance", "length", "radius", "angle"),
    "drill": ("hole",),
    "emboss": ("union",),
    "engrave": ("cut",),
    "export": ("save",),
    "fillet": ("round",),
    "hollow": ("shell",),
    "join": ("union",),
    "merge": ("union",),
    "offset": ("thicken",),
    "pattern": ("linear_pattern", "circular_pattern", "path_pattern"),
    "pipe": ("sweep",),
    "pocket": ("cut",),
    "polar_pattern": ("circular_pattern",),
    "rect": ("rectangle",),
    "rotate": ("turn",),
    "round": ("fillet",),
    "shift": ("move",),
    "slice": ("split",),
    "subtract": ("cut",),
    "translate": ("move",),
    "weight": ("mass",),
    "write": ("save",),
}
"""What the trade also says, and what it is called here."""


class Hinting:
    """Says what there is in place of an attribute that is not there."""

    __slots__ = ()

    beside: ClassVar[tuple[str, ...]] = ()
    """Names of functions of the library that do what a method might be expected to do."""

    if not TYPE_CHECKING:

        def __getattr__(self, name: str) -> NoReturn:
            if hasattr(type(self), name):  # a property that failed inside tells of that
                object.__getattribute__(self, name)
            raise AttributeError(
                f"{type(self).__name__!r} object has no attribute {name!r}{hint(self, name)}",
                name=name,
                obj=self,
            )


def hint(thing: Any, name: str) -> str:
    """ "; there is round": public names of a thing that may have been meant; "" for none."""
    if name.startswith("_"):
        return ""
    known = [one for one in dir(type(thing)) if not one.startswith("_") and one != "beside"]
    found = [one for one in WORDS.get(name, ()) if one in known]
    found = found or difflib.get_close_matches(name, known, 3, NEAREST)
    found = found or [
        f"lw.{one}()" for one in (name, *WORDS.get(name, ())) if one in getattr(thing, "beside", ())
    ]
    return f"; there is {' or '.join(found)}" if found else ""
