"""Rows on a Dask cluster on this machine, and on executors of `concurrent.futures`."""

from __future__ import annotations

import csv
import os
import socket
import subprocess
import sys
import textwrap
import time
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor
from contextlib import contextmanager

import pytest

import lathwick as lw
from lathwick.family.script import load_design

SCRIPT = """
    import os, time
    import lathwick as lw

    @lw.design()
    def block(job: lw.Job, a: lw.Length = lw.param(20.0), do: lw.Text = ""):
        time.sleep(0.2)
        if do == "loop":
            while True:
                pass
        if do == "exit":
            os._exit(3)
        return job.cut("bore", job.box("box", a, a, a), job.cylinder("pin", 2, a))
"""
ROWS = 24


@pytest.fixture
def script(tmp_path):
    path = tmp_path / "block.py"
    path.write_text(textwrap.dedent(SCRIPT))
    return path


def table(tmp_path, rows):
    path = tmp_path / "table.csv"
    path.write_text("name,a,do\n" + "".join(f"v{k},{20 + k},{do}\n" for k, do in enumerate(rows)))
    return path


def free_port():
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


@contextmanager
def dask(workers):
    """A scheduler's address and the processes of its workers, each in a group of its own."""
    address = f"tcp://127.0.0.1:{free_port()}"
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL, "start_new_session": True}
    host, port = address[6:].split(":")
    scheduler = [sys.executable, "-m", "distributed.cli.dask_scheduler", "--host", host, "--port", port]
    worker = [sys.executable, "-m", "distributed.cli.dask_worker", address, "--nthreads", "1"]
    running = [subprocess.Popen([*scheduler, "--no-dashboard"], **quiet)]
    try:
        running += [subprocess.Popen([*worker, "--no-dashboard"], **quiet) for _ in range(workers)]
        yield address, running[1:]
    finally:
        for process in running:
            kill(process)


def kill(process):
    if process.poll() is None:
        os.killpg(process.pid, 9)
    process.wait()


def vary(script, rows, out, *options):
    command = [sys.executable, "-m", "lathwick", "vary", script, rows, "--out", out, "--as", "stl", *options]
    return subprocess.Popen(
        list(map(str, command)), stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True
    )


def statuses(out):
    with (out / "variants.csv").open(newline="") as file:
        return [line["status"] for line in csv.DictReader(file)]


def connected(script, rows, out, *options):
    """The output of a run, tried again while the scheduler or its first worker is still starting."""
    for _ in range(30):
        run = vary(script, rows, out, *options)
        text = run.communicate(timeout=200)[0]
        if run.returncode != 2:
            break
        time.sleep(0.5)
    return run.returncode, text


def test_a_killed_worker_costs_no_row_and_a_run_goes_on(script, tmp_path):
    rows, out = table(tmp_path, [""] * ROWS), tmp_path / "out"
    first = table(tmp_path, [""])
    with dask(2) as (address, workers):
        assert connected(script, first, tmp_path / "first", "--cluster", address)[0] == 0
        rows = table(tmp_path, [""] * ROWS)
        run = vary(script, rows, out, "--cluster", address)
        until = time.monotonic() + 120
        while not list(out.glob("*.stl")) and time.monotonic() < until:
            time.sleep(0.05)
        kill(workers[0])
        text = run.communicate(timeout=200)[0]
        assert run.returncode == 0, text
        assert statuses(out) == ["done"] * ROWS and len(list(out.glob("*.stl"))) == ROWS
        assert f"kept {ROWS} variants" in connected(script, rows, out, "--cluster", address)[1]


def test_rows_that_hang_or_end_their_worker_cost_only_themselves(script, tmp_path):
    rows, out = table(tmp_path, ["", "loop", "", "exit", ""]), tmp_path / "out"
    with dask(2) as (address, _):
        code, text = connected(script, rows, out, "--cluster", address, "--timeout", "3")
    assert code == 1, text
    assert statuses(out) == ["done", "failed", "done", "failed", "done"]
    assert "took longer than 3 s" in (out / "variants.csv").read_text()


def test_no_scheduler_is_one_line(script, tmp_path):
    address = f"tcp://127.0.0.1:{free_port()}"
    run = vary(script, table(tmp_path, [""]), tmp_path / "out", "--cluster", address)
    text = run.communicate(timeout=100)[0]
    assert run.returncode == 2 and "no scheduler answers" in text and "Traceback" not in text


@pytest.mark.parametrize("kind", [ThreadPoolExecutor, ProcessPoolExecutor])
def test_any_executor_with_a_timeout(kind, script, tmp_path):
    design = load_design(str(script))
    with kind(2) as executor:
        rows = table(tmp_path, ["", "loop", ""])
        run = lw.vary(design, rows, tmp_path / "out", ["stl"], executor=executor, timeout=3.0)
    assert [v.status for v in run.variants] == ["done", "failed", "done"]
    assert "took longer than 3 s" in run.variants[1].message
