"""A headless Chromium for tests of views and of the page; where there is none, they are left out."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from contextlib import contextmanager

import pytest

CHROMIUM = shutil.which("chromium") or shutil.which("chromium-browser")
NEEDED = bool(os.environ.get("LATHWICK_NEEDS_BROWSER"))
OPTIONS = (
    "--disable-gpu-compositing",  # without a graphics card that takes most of the time
    "--no-sandbox",
    "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--no-first-run",
)

with_browser = pytest.mark.skipif(CHROMIUM is None and not NEEDED, reason="there is no Chromium")


@contextmanager
def launched():
    """A browser that has no network, or only this machine's."""
    from playwright.sync_api import sync_playwright

    assert CHROMIUM is not None, "the tests of the page need Chromium"
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=list(OPTIONS))
        try:
            yield browser
        finally:
            browser.close()


@contextmanager
def opened(browser, **context):
    """A page that shares nothing with others of the browser."""
    fresh = browser.new_context(**{"viewport": {"width": 1280, "height": 800}, **context})
    try:
        yield fresh.new_page()
    finally:
        fresh.close()


@contextmanager
def served(script):
    """The address of the page of a script, while it is served."""
    command = [sys.executable, "-m", "lathwick", "page", str(script), "--no-browser"]
    plain = {name: value for name, value in os.environ.items() if not name.startswith("PYTEST")}
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, env=plain)
    try:
        yield process.stdout.readline().strip()
    finally:
        process.terminate()
        process.wait(timeout=20)
        process.stdout.close()
