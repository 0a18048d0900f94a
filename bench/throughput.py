"""Time to make a million records, memory used by five million, and response time of `--help`.

Everything is measured in one run on one machine, because only the ratios are meaningful. Run `python
bench/throughput.py`; it needs the `test` extra (pandas) and a minute or two.
"""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import pyarrow.csv

import yurt
from yurt.core.engine.run import Run, RunOptions
from yurt.core.formats import FORMATS
from yurt.core.writing.runs import write

HERE = Path(__file__).parent
SCHEMA = HERE / "guests.yaml"
PROGRAM = Path(sys.executable).with_name("yurt")
ROWS = 1_000_000
ROUNDS = 3
WATCH = """
import resource, subprocess, sys, time
started = time.perf_counter()
subprocess.run(sys.argv[1:], check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
print(time.perf_counter() - started, resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)
"""


def seconds(work: Callable[[], object]) -> float:
    """Return the run time of a function in seconds."""
    started = time.perf_counter()
    work()
    return time.perf_counter() - started


def peak_memory(*command: object) -> tuple[float, float]:
    """Run a command; return its wall time in seconds and its peak memory in MB.

    A process inherits the peak of the process that forks it, so a small process starts the command.
    """
    done = subprocess.run([sys.executable, "-c", WATCH, *map(str, command)], capture_output=True, text=True, check=True)
    took, peak = done.stdout.split()[-2:]
    return float(took), float(peak) / 1024


def main() -> None:
    """Measure and print."""
    with tempfile.TemporaryDirectory() as folder:
        out = Path(folder) / "out.csv"
        table = yurt.table(yurt.read(SCHEMA), "guest", rows=(1, ROWS))

        def engine(workers: int) -> None:
            run = Run(yurt.read(SCHEMA), RunOptions(count=ROWS))
            with out.open("wb") as stream:
                write(run, "guest", (0, ROWS), FORMATS["csv"], stream, workers)

        def program(count: int, workers: int = 2) -> tuple[float, float]:
            options = ("--count", count, "--workers", workers, "--out", out, "--force")
            return peak_memory(PROGRAM, "generate", SCHEMA, "guest", *options)

        # The programs take turns, so that other work on the machine affects them equally; the best round of each
        # counts.
        found: dict[str, list[float]] = {}
        for _ in range(ROUNDS):
            for name, work in (
                ("pyarrow.csv.write_csv of the finished table", lambda: pyarrow.csv.write_csv(table, out)),
                ("yurt, engine and writer, 1 worker", lambda: engine(1)),
                ("yurt, engine and writer, 2 workers", lambda: engine(2)),
            ):
                found.setdefault(name, []).append(seconds(work))
            found.setdefault("yurt generate, the whole program, 2 workers", []).append(program(ROWS)[0])
        for name in ("pandas_script", "plain_script"):
            found[name] = [peak_memory(sys.executable, HERE / f"{name}.py", ROWS, out)[0]]
        bare = min(found["pyarrow.csv.write_csv of the finished table"])
        print(f"{ROWS:,} records of 12 fields as CSV, {os.cpu_count()} cores, best of {ROUNDS}")
        for name, times in found.items():
            print(f"  {name:46} {min(times):6.2f} s   {min(times) / bare:5.2f} x the bare writer")
        one, five = program(ROWS)[1], program(5 * ROWS)[1]
        print(f"peak memory: {one:.0f} MB for 1 million, {five:.0f} MB for 5 million: {five / one:.3f} x")
        click = statistics.median(peak_memory(sys.executable, "-c", "import click")[0] for _ in range(15))
        answer = statistics.median(peak_memory(PROGRAM, "--help")[0] for _ in range(15))
        print(f"yurt --help: {answer:.3f} s; python -c 'import click': {click:.3f} s: {answer / click:.2f} x")


if __name__ == "__main__":
    main()
