"""What the gallery shows of an example: the part that its design makes by default."""

from __future__ import annotations

from typing import Any

from sphinx_gallery.scrapers import figure_rst

import lathwick as lw
from lathwick.family.design import Design


class Drawn:
    """Builds the design that an example defines, and draws it once."""

    def __repr__(self) -> str:
        return "Drawn"

    def __call__(self, block: Any, block_vars: dict[str, Any], gallery_conf: dict[str, Any]) -> str:
        module = block_vars["example_globals"].get("__name__")
        found = [
            value
            for value in block_vars["example_globals"].values()
            if isinstance(value, Design) and value.build_function.__module__ == module
        ]
        if not found or block[0] != "code":
            return ""
        path = next(block_vars["image_path_iterator"])
        lw.save(found[-1](), path, size=(960, 600))
        return figure_rst([path], gallery_conf["src_dir"])
