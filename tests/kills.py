"""Runs of real parts, killed at random moments: nothing is left behind, and the same command goes on."""

from __future__ import annotations

import os
import random
import signal
import subprocess
import sys
import time
from pathlib import Path

SCRIPT = Path(__file__).parents[1] / "src" / "lathwick" / "demo" / "pipe_saddle.py"
ROWS = 14
COMMAND = [sys.executable, "-m", "lathwick", "vary", "pipe_saddle.py", "table.csv", "--workers", "2"]
ENVIRONMENT = {**os.environ, "SOURCE_DATE_EPOCH": "1700000000", "NO_COLOR": "1"}
LONGEST_END = 1.0
"""Seconds after which nothing may run any more."""


def prepare(folder: Path) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    (folder / "pipe_saddle.py").write_bytes(SCRIPT.read_bytes())
    rows = "".join(f"s{i:02d},{30 + 5 * i}\n" for i in range(ROWS))
    (folder / "table.csv").write_text("name,pipe\n" + rows)


def start(folder: Path) -> subprocess.Popen[bytes]:
    return subprocess.Popen(
        COMMAND, cwd=folder, env=ENVIRONMENT, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE,
        start_new_session=True,
    )  # fmt: skip


def files(folder: Path) -> dict[str, bytes]:
    """The parts that were written, with their contents."""
    out = folder / "variants"
    return {p.name: p.read_bytes() for p in sorted(out.iterdir()) if p.suffix in (".step", ".stl")}


def reference(folder: Path) -> tuple[dict[str, bytes], float]:
    """The files of a run that nobody disturbs, and how long it takes."""
    prepare(folder)
    began = time.monotonic()
    run = start(folder)
    _, told = run.communicate()
    assert run.returncode == 0, told
    return files(folder), time.monotonic() - began


def members(group: int) -> list[int]:
    """The processes of a process group that still run."""
    found = []
    for entry in Path("/proc").iterdir():
        if entry.name.isdigit():
            try:
                fields = (entry / "stat").read_text().rpartition(")")[2].split()
            except OSError:
                continue
            if int(fields[2]) == group and fields[0] != "Z":
                found.append(int(entry.name))
    return found


def disturb(folder: Path, chance: random.Random, whole: float, longest: float = LONGEST_END) -> str:
    """Starts a run and sends a signal to it, a worker or all of it; returns what was wrong, or nothing."""
    with start(folder) as run:
        return _hit(run, chance, whole, longest)


def _hit(run: subprocess.Popen[bytes], chance: random.Random, whole: float, longest: float) -> str:
    time.sleep(chance.uniform(0.0, 1.1 * whole))
    what, sent = chance.choice(("parent", "worker", "group")), chance.choice(("TERM", "KILL", "INT"))
    number = getattr(signal, f"SIG{sent}")
    workers = [pid for pid in members(run.pid) if pid != run.pid]
    try:
        if what == "group":
            os.killpg(run.pid, number)
        elif what == "worker" and workers:
            os.kill(chance.choice(workers), number)
        elif what == "parent":
            os.kill(run.pid, number)
    except ProcessLookupError:
        pass  # it had finished
    if what != "worker":
        try:
            run.wait(timeout=longest)
        except subprocess.TimeoutExpired:
            run.kill()
            return f"{what} {sent}: still running after {longest:g} s"
        time.sleep(longest / 2)
        if left := members(run.pid):
            return f"{what} {sent}: {len(left)} processes left behind"
    _, told = run.communicate()
    return f"{what} {sent}: a traceback" if b"Traceback" in told else ""


def differs(folder: Path, wanted: dict[str, bytes]) -> str:
    """Runs the same command once more; what is missing or different then."""
    run = start(folder)
    _, told = run.communicate()
    if run.returncode != 0:
        return f"the next run ends with {run.returncode}: {told.decode()[-300:]}"
    left = [p.name for p in (folder / "variants").iterdir() if p.name.endswith(".part")]
    found = files(folder)
    wrong = sorted(name for name in wanted.keys() | found.keys() if wanted.get(name) != found.get(name))
    return ", ".join(wrong + left)


def main(count: int, seed: int) -> int:
    import tempfile

    bad = 0
    with tempfile.TemporaryDirectory() as place:
        wanted, whole = reference(Path(place, "reference"))
        for k in range(seed, seed + count):
            folder = Path(place, str(k))
            prepare(folder)
            told = disturb(folder, random.Random(k), whole) or differs(folder, wanted)
            if told:
                bad += 1
                print(k, told)
    print(f"{count} runs disturbed, {bad} not put right")
    return bad


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1]), int(sys.argv[2])) > 0)
