"""Time to check a million stays of the demo against their schema, compared with reading them in pandas.

Stays are the widest records of the demo: 17 columns. pandas reads them with its defaults, which guess types. Yurt reads
them and checks every value, key, and total that it can: once alone, and once with the huts and hikers that they refer
to. Everything runs in one process, and the best of several rounds counts. Run `python bench/verify.py`; `--limit 3`
makes it fail if the ratio exceeds three.
"""

from __future__ import annotations

import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from functools import partial
from importlib import resources
from pathlib import Path

PROGRAM = Path(sys.executable).with_name("yurt")
SCALE, ROUNDS = 134, 5


def best_of(work: Callable[[], object]) -> float:
    """Return the best run time of a function in seconds."""
    best = float("inf")
    for _ in range(ROUNDS):
        started = time.perf_counter()
        work()
        best = min(best, time.perf_counter() - started)
    return best


def main() -> None:
    """Measure and print."""
    import pandas as pd

    from yurt.core.language.reader import read_file
    from yurt.core.verify.summary import summed_up
    from yurt.core.verify.verification import Data, Verification

    limit = float(sys.argv[sys.argv.index("--limit") + 1]) if "--limit" in sys.argv else None
    path = Path(str(resources.files("yurt").joinpath("examples", "huts.yaml")))
    schema, _ = read_file(path)
    assert schema.today is not None
    with tempfile.TemporaryDirectory() as folder:
        command = [PROGRAM, "generate", path, "--scale", str(SCALE), "--out", f"{folder}/"]
        subprocess.run(command, check=True, capture_output=True)

        def verified(*names: str) -> int:
            data = {name: Data(name, partial((Path(folder) / f"{name}.csv").open, "rb"), "csv") for name in names}
            found = summed_up(Verification(schema, data, schema.today), 3, lambda rows: None)  # type: ignore[arg-type]
            assert found.clean
            return found.reports[-1].rows

        rows = verified("stay")
        alone = best_of(lambda: verified("stay"))
        memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000
        together = best_of(lambda: verified("hut", "hiker", "stay"))
        read = best_of(lambda: pd.read_csv(f"{folder}/stay.csv"))
        all_read = read + best_of(lambda: [pd.read_csv(f"{folder}/{name}.csv") for name in ("hut", "hiker")])
    print(f"{rows:,} stays of 17 columns as CSV, pandas {pd.__version__}")
    print(f"  pandas reads the stays       {read:5.2f} s")
    print(f"  verify the stays             {alone:5.2f} s   {alone / read:4.2f} times   {memory:,.0f} MB at most")
    print(f"  verify all three files       {together:5.2f} s   {together / all_read:4.2f} times reading all three")
    if limit is not None and alone / read > limit:
        sys.exit(f"more than {limit:g} times")


if __name__ == "__main__":
    main()
