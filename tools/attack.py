"""Run the program on hostile inputs: `python tools/attack.py --count 10000`.

Every input runs in a process of its own, which is forked from one that has imported the program, and is limited to ten
seconds of processor time and one gigabyte of memory. A finding is a traceback, a hang, too much memory, a message of
more than 20,000 characters, an undocumented exit status, a file that nobody asked for, an answer without a reason, a
torn file, or a file from `generate` that `verify` rejects. The tool keeps the inputs of findings as files and exits
with status 1 if there are any. The same seed makes the same inputs; when a run is killed depends on the machine.

    python tools/attack.py [--count N] [--seed N] [--only SERIES,SERIES] [--from N] [--workers N] [--keep FOLDER]
"""

from __future__ import annotations

import argparse
import importlib
import os
import random
import shutil
import sys
import tempfile
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

HERE = Path(__file__).parent
ROOT = HERE.parent
sys.path.insert(0, str(HERE))

from attacks.data import data_input, samples  # noqa: E402 - the package lies beside this file
from attacks.endings import cut_input  # noqa: E402
from attacks.process import Input  # noqa: E402
from attacks.receipts import receipt_input  # noqa: E402
from attacks.requests import request_input  # noqa: E402
from attacks.schemas import FIELDS, expression_input, pattern_input, round_input, schema_input  # noqa: E402
from attacks.structures import documents, structure_input  # noqa: E402
from attacks.templates import template_input  # noqa: E402

SERIES: dict[str, Callable[[random.Random], Input]] = {
    "schema": schema_input, "pattern": pattern_input, "expression": expression_input, "round": round_input,
    "data": data_input, "structure": structure_input, "template": template_input, "request": request_input,
    "receipt": receipt_input, "ending": cut_input,
}  # fmt: skip


def made(series: str, seed: int, number: int) -> Input:
    """Return an input: the same one for the same numbers."""
    return SERIES[series](random.Random(f"{seed} {number}"))  # noqa: S311 - not for secrets


def load() -> None:
    """Import everything the program may need once, before the forks; nothing imported here starts a thread."""
    for path in sorted((ROOT / "src" / "yurt").rglob("*.py")):
        name = ".".join(path.relative_to(ROOT / "src").with_suffix("").parts).removesuffix(".__init__")
        if not name.endswith("__main__"):
            importlib.import_module(name)
    from yurt.core.language.reader import read
    from yurt.core.source.diagnostics import Source

    read(Source("s.yaml", FIELDS))


def one(given: Input, keep: Path | None, name: str) -> str:
    """Run an input in a new folder; keep the folder if there is a finding."""
    outer = Path(tempfile.mkdtemp(prefix="attack-"))
    folder = outer / "in"
    folder.mkdir()
    try:
        wrong = given.run(folder)
        if wrong and keep:
            shutil.copytree(folder, keep / name, dirs_exist_ok=True)
        return wrong
    finally:
        shutil.rmtree(outer, ignore_errors=True)


def main() -> None:
    """Run the inputs, and print the findings and their number."""
    parser = argparse.ArgumentParser(description=__doc__.partition("\n")[0] if __doc__ else "")
    parser.add_argument("--count", type=int, default=10_000)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--only", default=",".join(SERIES))
    parser.add_argument("--from", dest="first", type=int, default=0, help="the number of the first input")
    parser.add_argument("--workers", type=int, default=os.cpu_count() or 2)
    parser.add_argument("--keep", type=Path, help="a folder for the inputs of findings")
    given = parser.parse_args()
    load()
    series = str(given.only).split(",")
    if "data" in series or "ending" in series:
        samples()
    if "structure" in series:
        documents()

    def each(number: int) -> str:
        name = series[number % len(series)]
        asked = made(name, given.seed, number)
        wrong = one(asked, given.keep, f"{name}-{number}")
        return f"{name} {number}: {asked.words}: {wrong}" if wrong else ""

    findings = 0
    with ThreadPoolExecutor(given.workers) as pool:
        for wrong in pool.map(each, range(given.first, given.first + given.count)):
            if wrong:
                findings += 1
                print(wrong, flush=True)
    print(f"{given.count} inputs of {len(series)} series, seed {given.seed}: {findings} findings")
    sys.exit(int(findings > 0))


if __name__ == "__main__":
    main()
