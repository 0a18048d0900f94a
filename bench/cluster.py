"""Measure a run in parts on a cluster of this machine: `python bench/cluster.py [--scale 200]`.

The same run with one worker and with two, without the start of the workers, and what a part costs that has hardly any
rows: the work of scheduler, client, and disk. One process without a cluster is measured beside them.
"""

from __future__ import annotations

import argparse
import tempfile
import time
from pathlib import Path

from yurt.core.language.reader import read_file
from yurt.core.model import Schema
from yurt.core.writing.cluster import connected, write_on_cluster
from yurt.core.writing.folder_place import Folder
from yurt.core.writing.jobs import job_of, pinned
from yurt.core.writing.parts_run import Parts, PartsRun, Unwatched, divided
from yurt.core.writing.request import Request

HUTS = Path(__file__).parent.parent / "src" / "yurt" / "examples" / "huts.yaml"


def seconds(schema: Schema, scale: float, parts: int, address: str) -> tuple[float, int, int]:
    """Return the time of a run, its rows, and its parts; without an address on one thread of this process."""
    with tempfile.TemporaryDirectory() as place:
        request = pinned(Request("stay", scale=scale), schema)
        job = job_of(request, schema)
        run = PartsRun(schema, divided(request, job, Parts(parts)), job, Folder(Path(place) / "p"), 1)
        journal = run.begin()
        assert journal is not None
        begun = time.perf_counter()
        if address:
            write_on_cluster(run, schema, journal, Unwatched(), address, 1)
        else:
            run.write(journal, Unwatched())
        taken = time.perf_counter() - begun
        run.finish(journal)
        return taken, job.rows, len(run.parts)


def main() -> None:
    """Run the measurements, and print them."""
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--scale", type=float, default=200)
    options.add_argument("--parts", type=int, default=40)
    told = options.parse_args()
    schema = read_file(HUTS)[0]
    alone, rows, parts = seconds(schema, told.scale, told.parts, "")
    print(f"{rows:,} stays in {parts} parts")
    print(f"one thread, no cluster: {alone:.1f} s, {rows / alone:,.0f} rows/s")
    found = {}
    for workers in (1, 2):
        with connected("local", workers) as client:
            address = client.scheduler.address
            # What each worker makes once is there before.
            seconds(schema, 1, 4 * workers, address)
            found[workers] = seconds(schema, told.scale, told.parts, address)[0]
            print(f"{workers} worker{'s' * (workers > 1)}: {found[workers]:.1f} s, {rows / found[workers]:,.0f} rows/s")
            if workers == 2:
                many, few, parts = seconds(schema, 1, 2000, address)
                print(f"a part with hardly any rows: {many / parts * 1000:.1f} ms ({parts:,} parts, {few:,} rows)")
    print(f"efficiency of two workers against one: {found[1] / found[2] / 2:.2f}")


if __name__ == "__main__":
    main()
