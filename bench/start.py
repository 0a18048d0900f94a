"""Measure how long commands take to start on an idle machine: `python bench/start.py [--times 15] [--allow 1]`.

Each command runs in a process of its own, as often as its base: the packages that it cannot do without. The limit is
the base and an allowance, or a multiple of the base. Exit status 1 if the median of a command is over its limit;
`--allow 3` allows three times as much. `--packages` prints what each package costs instead.
"""

from __future__ import annotations

import argparse
import compileall
import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

HERE = Path(__file__).resolve().parent
SOURCE = HERE.parent / "src" / "yurt"
HUTS = str(SOURCE / "examples" / "huts.yaml")
GUESTS = str(HERE / "guests.yaml")
HELP, SCHEMA, RECORDS = "import click", "import yaml, lark", "import numpy, pyarrow.compute"
FIRST = "import yurt; yurt.record(yurt.read({!r}), {!r})"
# What is measured: the program's arguments or Python code, the base, and the seconds that are allowed on top of it
# (above 1: the multiple of the base).
COMMANDS: dict[str, tuple[list[str] | str, str, float]] = {
    "yurt --help": (["--help"], HELP, 1.5),
    "yurt kinds mail": (["kinds", "mail"], HELP, 0.2),
    "yurt functions round": (["functions", "round"], HELP, 0.2),
    "yurt formats": (["formats"], HELP, 0.2),
    "yurt check guests.yaml": (["check", GUESTS], SCHEMA, 0.25),
    # It makes rows, because the demo has conditions.
    "yurt check huts.yaml": (["check", HUTS], RECORDS, 0.35),
    "one row of guests.yaml": (["generate", GUESTS, "--count", "1", "--out", "guest.csv", "--force"], RECORDS, 0.35),
    "one row of hut": (["generate", HUTS, "hut", "--count", "1"], RECORDS, 0.35),
    "one row of hiker": (["generate", HUTS, "hiker", "--count", "1"], RECORDS, 0.35),
    "one row of stay": (["generate", HUTS, "stay", "--rows", "1"], RECORDS, 0.35),
    "yurt preview huts.yaml": (["preview", HUTS], RECORDS, 0.5),
    "first yurt.record() of a hut": (FIRST.format(HUTS, "hut"), RECORDS, 0.35),
    "first yurt.record() of a guest": (FIRST.format(GUESTS, "guest"), RECORDS, 0.35),
}
PACKAGES = (
    "click", "rich.console, rich.table", "yaml", "numpy", "pyarrow", "pyarrow.compute", "scipy.special", "jinja2",
    "duckdb", "sqlalchemy", "babel", "cryptography.hazmat.primitives.ciphers", "starlette.applications",
)  # fmt: skip


def seconds(command: list[str] | str, folder: str) -> float:
    """Return how long a process takes."""
    arguments = ["-c", command] if isinstance(command, str) else ["-m", "yurt", *command]
    environment = {**os.environ, "PYTHONPATH": str(SOURCE.parent)}
    begun = time.perf_counter()
    subprocess.run([sys.executable, *arguments], cwd=folder, env=environment, check=True, capture_output=True)
    return time.perf_counter() - begun


def main() -> None:
    """Print every command beside its limit."""
    parser = argparse.ArgumentParser(description=__doc__.partition("\n")[0] if __doc__ else "")
    parser.add_argument("--times", type=int, default=15)
    parser.add_argument("--allow", type=float, default=1.0, help="multiply what is allowed")
    parser.add_argument("--packages", action="store_true")
    given = parser.parse_args()
    compileall.compile_dir(str(SOURCE), quiet=1)
    with tempfile.TemporaryDirectory() as folder:
        if given.packages:
            empty = statistics.median(seconds("pass", folder) for _ in range(given.times))
            print(f"Python itself: {empty * 1000:.0f} ms; each package beyond that:")
            for each in PACKAGES:
                taken = statistics.median(seconds(f"import {each}", folder) for _ in range(given.times))
                print(f"  {each:<42}{(taken - empty) * 1000:5.0f} ms")
            return
        sys.exit(measured(given.times, given.allow, folder))


def measured(times: int, allow: float, folder: str) -> int:
    """Measure the commands in turns, and print the medians; return 1 if one is over its limit."""
    bases = dict.fromkeys(base for _, base, _ in COMMANDS.values())
    taken: dict[str, list[float]] = {each: [] for each in (*bases, *COMMANDS)}
    for _ in range(times):
        for base in bases:
            taken[base].append(seconds(base, folder))
        for name, (command, _, _) in COMMANDS.items():
            taken[name].append(seconds(command, folder))
    medians = {each: statistics.median(found) for each, found in taken.items()}
    print("  ".join(f"`{each}`: {medians[each]:.3f} s" for each in bases))
    over = 0
    for name, (_, base, allowance) in COMMANDS.items():
        most = medians[base] * allowance * allow if allowance > 1 else medians[base] + allowance * allow
        told = "over" if medians[name] > most else "within"
        over += medians[name] > most
        beyond = medians[name] - medians[base]
        print(f"{name:<32}{medians[name]:7.3f} s  {told:>6} {most:.3f} s  ({beyond:+.3f} s to the base)")
    return int(over > 0)


if __name__ == "__main__":
    main()
