"""Hostile cells, tables, workbooks and meshes: one clear line each, in bounded time, nothing outside."""

from __future__ import annotations

import io
import random
import sys
import tempfile
import time
import warnings
import zipfile
from collections.abc import Callable
from pathlib import Path

import openpyxl

import lathwick as lw

SLOW = 5.0
PIECES = [
    "=", "a", "b", "lean", "n", "5", "0.5", "1e308", "-", "+", "*", "/", "//", "%", "**", "(", ")", ",", " ",
    "round(", "max(", "sqrt(", "sin(", "min(", "hypot(", "if", "else", "<", "and", "not ", "in", "mm", "deg",
    "1/2", "\\x00", "\\u0661", "½", "'", '"', "[", "]", "{", "}", ":", "lambda", "__import__('os')", ".real",
    "9" * 60, "e999", "nan", "inf", "_", "\\n", "0x", "1_0", "(" * 40, "-" * 60, "=" * 3, "#REF!", "kg",
    "parsec", "\\ud800", "🙂", "ａ", "\\u202e", "True", "None", "a" * 300,
]  # fmt: skip
NAMES = ["../x", "/etc/x", "a/b", "con", "ＣＯＮ", "nul.step", ".", "..", "", " ", "-x", "=x", "x" * 300, "é",
         "e\\u0301", "X", "x", "a:b", "a\\x00b", "🙂", "\\u202ex", "%s", "[red]x",
         "$(x)", "`x`", "~", "x.step"]  # fmt: skip


@lw.design(unit="mm")
def plate(
    job: lw.Job,
    a: lw.Length = lw.param(20.0, low=1, high=1000),
    b: lw.Length = lw.param("=a/2", low=1),
    lean: lw.Angle = 0.0,
    n: lw.Count = 1,
    words: lw.Text = "",
    open: lw.Flag = False,
) -> lw.Part:
    return lw.Part(job.box("plate", a, b, 3))


def odd_cell(chance: random.Random) -> str:
    text = "".join(chance.choices(PIECES, k=chance.randrange(1, 9)))
    return ("=" if chance.random() < 0.5 else "") + text.encode().decode("unicode_escape", "ignore")


def cell(chance: random.Random, place: Path) -> None:
    plate.check({chance.choice(("a", "b", "lean", "n", "words", "open")): odd_cell(chance)})


def table(chance: random.Random, place: Path) -> None:
    """A table with odd headings, names and cells; files only in its own folder."""
    headings = chance.sample(["name", "a", "b", "lean", "n", "words", "open", "", "A", "a ", "volume"], 3)
    lines = [",".join(headings)]
    for _ in range(chance.randrange(4)):
        values = [chance.choice(NAMES) if h == "name" else odd_cell(chance) for h in headings]
        lines.append(",".join(f'"{v}"' if chance.random() < 0.7 else v for v in values))
    text = "\n".join(lines).encode("utf-8", "surrogatepass")
    if chance.random() < 0.3:
        text = damaged(text, chance)
    path = place / "table.csv"
    path.write_bytes(text)
    lw.vary(plate, path, place / "out", ("stl",), workers=0)


def workbook(chance: random.Random, place: Path) -> None:
    """A workbook of a few rows, with some of its bytes changed, packed or unpacked."""
    book = openpyxl.Workbook()
    sheet = book.active
    for row in (("name", "a", "b"), ("x", 5, 6), ("y", None, "=a/3"), ("z", 7, None)):
        sheet.append(row)
    sheet.merge_cells("B2:B3")
    file = io.BytesIO()
    book.save(file)
    data = file.getvalue()
    if chance.random() < 0.5:
        data = damaged(data, chance)
    else:
        packed = io.BytesIO()
        with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(packed, "w") as new:
            hit = chance.choice(old.namelist())
            for name in old.namelist():
                part = old.read(name)
                new.writestr(name, damaged(part, chance) if name == hit else part)
        data = packed.getvalue()
    path = place / "table.xlsx"
    path.write_bytes(data)
    lw.vary(plate, path, workers=0)


def mesh(chance: random.Random, place: Path) -> None:
    """An STL file, binary or text, with some of its bytes changed."""
    path = place / "mesh.stl"
    lw.save(lw.box(10, 8, 6), path, ascii=chance.random() < 0.5)
    path.write_bytes(damaged(path.read_bytes(), chance))
    found = lw.read_mesh(path)
    _ = found.volume, found.area, found.is_watertight


def damaged(data: bytes, chance: random.Random) -> bytes:
    found = bytearray(data)
    for _ in range(chance.choice((1, 1, 3, 10, 100))):
        i, how = chance.randrange(len(found) + 1), chance.randrange(4)
        if how == 0 and i < len(found):
            found[i] = chance.randrange(256)
        elif how == 1:
            del found[i : i + chance.randrange(200)]
        elif how == 2:
            found[i:i] = bytes(
                chance.choices(b'\x00\xff\x7f 0129eE.-+nif\nvertex<>"=', k=chance.randrange(60))
            )
        elif chance.random() < 0.2:
            del found[i:]
    return bytes(found)


ATTACKS: dict[str, Callable[[random.Random, Path], None]] = {
    "cell": cell,
    "table": table,
    "workbook": workbook,
    "mesh": mesh,
}


def attack(kind: str, seed: int) -> str:
    """What was wrong about one hostile thing; nothing if it worked or was refused in one line."""
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder, "inner")
        place.mkdir()
        began = time.monotonic()
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("error")
                ATTACKS[kind](random.Random(seed), place)
            told = ""
        except lw.LathwickError as error:
            told = "more than a line" if "\n" in str(error) else ""
        except Exception as error:
            told = f"{type(error).__name__}: {error}"
        if time.monotonic() - began > SLOW:
            told = f"{time.monotonic() - began:.0f} s"
        outside = [p.name for p in Path(folder).iterdir() if p.name != "inner"]
        strange = [
            p.name for p in place.iterdir() if p.name not in ("out", "table.csv", "table.xlsx", "mesh.stl")
        ]
        return told or (f"files outside: {outside + strange}" if outside or strange else "")


def main(count: int, seed: int) -> int:
    bad = 0
    for kind, share in (("cell", 1.0), ("table", 0.2), ("workbook", 0.05), ("mesh", 0.4)):
        for k in range(seed, seed + round(count * share)):
            told = attack(kind, k)
            if told:
                bad += 1
                print(kind, k, told[:200])
    print(f"{count} cells and the like, {bad} wrong")
    return bad


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1]), int(sys.argv[2])) > 0)
