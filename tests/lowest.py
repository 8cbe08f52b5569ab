"""The lowest versions of what the project needs, as constraints for pip: `make test-lowest`."""

from __future__ import annotations

import re
import tomllib
from pathlib import Path

EXTRAS = ("pictures", "page", "cluster")


def main() -> None:
    project = tomllib.loads((Path(__file__).parents[1] / "pyproject.toml").read_text())["project"]
    extras = [need for name in EXTRAS for need in project["optional-dependencies"][name]]
    for need in (*project["dependencies"], *extras):
        found = re.fullmatch(r"([A-Za-z0-9_.-]+)>=([0-9.]+)", need)
        if found:
            print(f"{found[1]}=={found[2]}")


main()
