"""Make the pictures in docs/screenshots from the demo data.

Needs Xvfb, xterm and ImageMagick's `import` for the views of the terminal, and Chromium for the page.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from PIL import Image

HERE = Path(__file__).parent / "screenshots"
LATHWICK = Path(sys.executable).with_name("lathwick")
DISPLAY = ":97"
SCRIPT = "pipe_saddle.py"

TERMINAL = {
    "demo": "lathwick demo --out .",
    "params": f"lathwick params {SCRIPT}",
    "build": f'lathwick build {SCRIPT} --set pipe=76.1 --set "plate=5/8 in" --out built',
    "vary": f"lathwick vary {SCRIPT} with_mistakes.csv --out checked",
    "measure": f"lathwick measure {SCRIPT} --faces",
    "check": f"lathwick check {SCRIPT}; lathwick check pipe_saddle.stl",
}
PICTURES = {
    "part": ["--view", "iso"],
    "sketch": ["--sketch", "profile"],
    "bodies": ["--view", "iso"],
    "details": ["--view", "iso"],
    "three_views": ["--view", "three"],
}
EXAMPLES = sorted(path.stem for path in Path(__file__).parents[1].glob("examples/*.py"))
ACROSS = 4
DRAWN = {
    "steps": ["steps", SCRIPT, "-o"],
    "compare": ["compare", SCRIPT, SCRIPT, "--set", "pipe=76.1", "-o"],
    "sheet": ["vary", SCRIPT, "pipe_saddle.csv", "--out", "sheet", "--as", "stl", "--sheet"],
}
CLAMP = '''
import lathwick as lw

@lw.design(unit="mm")
def mast_clamp(job: lw.Job, mast: lw.Length = lw.param(42.0), wall: lw.Length = lw.param(4.0)):
    """A sleeve for a mast, a cross pin and two washers, kept apart."""
    out = mast / 2 + wall
    tube = job.cylinder("tube", out, 60)
    sleeve = job.cut("sleeve", tube, job.cylinder("bore", mast / 2, 60))
    sleeve = job.hole("cross hole", sleeve, sleeve.face("tube/side"), [(30, 0)], 10)
    pin = job.cylinder("pin", 5, 2 * out + 20, on=lw.Plane((-out - 10, 0, 30), (1, 0, 0)))
    disc = job.cylinder("disc", 12, 3, on=lw.Plane((out + 2, 0, 30), (1, 0, 0)))
    eye = job.cylinder("eye", 5, 3, on=lw.Plane((out + 2, 0, 30), (1, 0, 0)))
    washers = job.mirror("washers", job.cut("washer", disc, eye), lw.YZ)
    steel = lw.Material("steel", "7.85 g/cm3")
    aluminium = lw.Material("aluminium", "2.70 g/cm3")
    parts = {"sleeve": lw.Part(sleeve, aluminium), "pin": pin, "washers": washers}
    return lw.Part(parts, material=steel)
'''

CASE = """
import lathwick as lw


@lw.design(unit="mm")
def logger_case(
    job: lw.Job,
    length: lw.Length = lw.param(90.0, low=50, note="of the logger's housing"),
    width: lw.Length = lw.param("=0.6*length"),
    wall: lw.Length = lw.param(2.0, low=1),
) -> lw.Part:
    block = job.box("case", length, width, 32)
    walls = block.faces("case/side")
    block = job.draft("lean", block, walls, 4, lw.XY)
    corners = block.edges("case/side") - block.edges("case/top") - block.edges("case/bottom")
    block = job.fillet("corners", block, corners, 9)
    block = job.fillet("rim", block, block.edges("case/top"), 4)
    case = job.shell("hollow", block, wall, block.faces("case/bottom"))
    gland = job.cylinder("gland", 11, 16, on=lw.Plane((length / 2, width / 2, 24), (0, 0, 1)))
    bore = job.cylinder("bore", 7, 60, on=lw.Plane((length / 2, width / 2, 0), (0, 0, 1)))
    case = job.cut("open", job.union("joined", case, gland), bore)
    case = job.fillet("foot", case, case.edges("case/top", "gland/side"), 3)
    case = job.chamfer("lip", case, case.edges("gland/top"), 1)
    return lw.Part(case, material=lw.Material("aluminium", "2.70 g/cm3"))
"""


PRESETS = """
["Weir 3"]
pipe = 48.3
length = 60.0

["Weir 7"]
pipe = 33.7
foot = 90.0
"""


def main() -> None:
    HERE.mkdir(exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        server = subprocess.Popen(["Xvfb", DISPLAY, "-screen", "0", "1280x800x24"], stderr=subprocess.DEVNULL)
        try:
            time.sleep(1.0)
            for name, command in TERMINAL.items():
                capture(command, HERE / f"{name}.png", folder)
                if name == "demo":
                    prepare(Path(folder))
            for name, command in DRAWN.items():
                subprocess.run([LATHWICK, *command, HERE / f"{name}.png"], cwd=folder, check=True)
            page(Path(folder, SCRIPT))
            examples(Path(folder))
        finally:
            server.terminate()
    shutil.rmtree(HERE / "__pycache__", ignore_errors=True)


def prepare(folder: Path) -> None:
    """A table with mistakes in it, and the two pictures."""
    table = (folder / "pipe_saddle.csv").read_text()
    (folder / "clamp.py").write_text(CLAMP)
    (folder / "case.py").write_text(CASE)
    (folder / "with_mistakes.csv").write_text(table.replace("42.4", "424").replace("60.3", "wide"))
    for name, options in PICTURES.items():
        output = HERE / f"{name}.png"
        script = {"bodies": "clamp.py", "details": "case.py"}.get(name, SCRIPT)
        subprocess.run([LATHWICK, "picture", script, "-o", output, *options], cwd=folder, check=True)


def page(script: Path) -> None:
    """The page of a script, in a browser: a part, and presets side by side."""
    sys.path.insert(0, str(HERE.parents[1]))
    from tests.browser import opened, served

    script.with_suffix(".presets.toml").write_text(PRESETS)
    with served(script) as address, opened() as window:
        window.goto(address)
        window.frame_locator("iframe").locator("#told h1").filter(has_text="_").wait_for()
        window.wait_for_timeout(1000)
        window.screenshot(path=HERE / "page.png")
        window.get_by_role("tab", name="Compare").click()
        window.get_by_label("compare").click()
        for name in ("Weir 3", "Weir 7"):
            window.get_by_role("option", name=name).click()
        window.keyboard.press("Escape")
        window.get_by_role("button", name="Show side by side").click()
        window.frame_locator("iframe").locator("#told h1").filter(has_text="Weir 7").wait_for()
        window.wait_for_timeout(1000)
        window.screenshot(path=HERE / "side_by_side.png")


def examples(folder: Path) -> None:
    """The kit of examples, some to a row."""
    wide, tall = 320, 200
    sheet = Image.new("RGB", (ACROSS * wide, tall * -(-len(EXAMPLES) // ACROSS)), "#fbfaf7")
    for k, name in enumerate(EXAMPLES):
        script = HERE.parents[1] / "examples" / f"{name}.py"
        output = folder / f"{name}.png"
        command = [LATHWICK, "picture", script, "-o", output, "--size", "640x400", "--no-notes"]
        subprocess.run(command, cwd=folder, check=True)
        with Image.open(output) as picture:
            small = picture.convert("RGB").resize((wide, tall))
            sheet.paste(small, (wide * (k % ACROSS), tall * (k // ACROSS)))
    sheet.save(HERE / "examples.png")


def capture(command: str, output: Path, folder: str) -> None:
    """Run a command in a terminal window and take a picture of it when it has finished."""
    done = Path(folder, "done")
    done.unlink(missing_ok=True)
    shown = command.replace('"', '\\"')
    script = f'printf "$ {shown}\\n"; {command}; touch {done}; sleep 9'
    environment = {**os.environ, "DISPLAY": DISPLAY, "PATH": f"{LATHWICK.parent}:{os.environ['PATH']}"}
    window = subprocess.Popen(
        ["xterm", "-geometry", "178x52+0+0", "-fa", "DejaVu Sans Mono", "-fs", "9", "-bg", "#fbfaf7",
         "-fg", "#233238", "-b", "12", "-e", "bash", "-c", script],
        cwd=folder, env=environment,
    )  # fmt: skip
    try:
        for _ in range(300):
            if done.exists():
                break
            time.sleep(0.1)
        time.sleep(0.6)
        subprocess.run(["import", "-display", DISPLAY, "-window", "root", output], check=True)
    finally:
        window.terminate()
        window.wait()


if __name__ == "__main__":
    main()
