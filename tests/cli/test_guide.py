"""The guide: every snippet of Python and every command in it runs, in the order of its page."""

from __future__ import annotations

import re
import shlex

import pytest

from ..conftest import ROOT

GUIDE = sorted((ROOT / "docs" / "guide").glob("*.md"))
BLOCK = re.compile(r"(?:Save this as `([\w.]+)`:\n\n)?```(\w+)\n(.*?)```", re.DOTALL)


@pytest.mark.parametrize("page", GUIDE, ids=lambda page: page.stem)
def test_what_stands_in_the_guide_works(page, tmp_path, monkeypatch, lathwick):
    """Files are saved under the names that the text gives; commands end well."""
    monkeypatch.chdir(tmp_path)
    names: dict[str, object] = {"__name__": "guide"}
    text = re.sub(r"Save this as `([\w.]+)`:", r"Save this as `\1`:", page.read_text(encoding="utf-8"))
    for name, kind, code in BLOCK.findall(text):
        if name:
            (tmp_path / name).write_text(code)
        if kind == "python":
            exec(compile(code, str(page), "exec"), names)
        for line in code.splitlines() if kind == "console" else ():
            answer = lathwick(*shlex.split(line.removeprefix("$ lathwick ")))
            assert answer.code == 0, f"{line}: {answer.err}"


def test_the_guide_has_a_page_for_each_entry():
    index = (ROOT / "docs" / "index.md").read_text(encoding="utf-8")
    assert {f"guide/{page.stem}" for page in GUIDE} == set(re.findall(r"^guide/\w+$", index, re.MULTILINE))


def test_links_between_pages_lead_somewhere():
    for page in [*GUIDE, ROOT / "README.md", ROOT / "docs" / "index.md"]:
        for target in re.findall(r"\]\(([^)#]+?)\)", page.read_text(encoding="utf-8")):
            if not target.startswith("http") and "examples/index" not in target:
                assert (page.parent / target).exists(), f"{page.name}: {target}"
