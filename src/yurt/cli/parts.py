"""`yurt generate --parts`: shows a run in parts, and says what has become of it."""

from __future__ import annotations

import time
from pathlib import Path
from typing import TYPE_CHECKING

import click

from yurt.cli.progress import Progress, shown
from yurt.cli.talk import plural, size_words
from yurt.core.base.errors import YurtError
from yurt.core.base.unfinished_sets import IN_FOLDER

if TYPE_CHECKING:
    from yurt.core.model import Schema
    from yurt.core.writing.parts_run import PartsRun


def write_parts(run: PartsRun, form: str, cluster: str | None, schema: Schema) -> None:
    """Write the parts that are not there, then the receipt, and print the summary.

    `form` is that of the progress, and `cluster` the address of the one that makes the parts, if there is one.
    """
    started, job = time.perf_counter(), run.job
    journal = run.begin()
    if journal is None:
        words = plural(len(run.parts), "part")
        click.echo(f"{run.place.name}: finished before; all {words} are there, and as they were written", err=True)
        return
    parts, size = len(journal.done), sum(each.size for each in journal.done.values())
    there = sum(part.rows[1] - part.rows[0] for part in run.parts if part.path.name in journal.done)
    try:
        with shown(Progress(job.rows, len(run.parts), there, before=there, bytes=size), form) as progress:
            if cluster is None:
                run.write(journal, progress)
            else:
                from yurt.core.writing.cluster import write_on_cluster

                write_on_cluster(run, schema, journal, progress, cluster, run.workers)
        run.finish(journal)
    except BaseException as fault:
        told = f"{len(journal.done):,} of {plural(len(run.parts), 'part')} are finished in {run.place.name}"
        # A fault of the schema would come again.
        again = isinstance(fault, YurtError) and fault.exit_code == 1
        if journal.done:
            click.echo(told + ("" if again else "; the same command with --resume goes on"), err=True)
        else:
            journal.end()
        raise
    size = sum(each.size for each in journal.done.values())
    seconds = time.perf_counter() - started
    before = f", {parts:,} of them from before" if parts else ""
    lines = [*run.notes, f"{run.place.name}/{IN_FOLDER}: the receipt; `yurt reproduce` proves every byte by it"]
    lines.append(f"{plural(job.rows, 'row')}, {plural(len(run.parts), 'part')}{before}, {size_words(size)}")
    rate = f"{(job.rows - there) / max(seconds, 1e-9):,.0f} rows/s"
    click.echo("\n".join(lines) + f" in {seconds:.1f} s ({rate}); {job.run.words}", err=True)


def dry_run_of(run: PartsRun) -> None:
    """Say what a run in parts would take."""
    from yurt.cli.dry_run import Asked, say

    most = dict(run.request.part_rows)
    asked = [Asked(run.job, name, Path(run.place.name) / each.path, most[name]) for name, each in run.first.items()]
    say([run.job], asked, run.place, run.workers, run.check)
