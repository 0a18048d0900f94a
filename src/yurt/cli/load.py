"""Loads the records of `yurt generate` into a database."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING, cast

import click

if TYPE_CHECKING:
    from yurt.cli.output_files import Wanted
    from yurt.core.formats.database import Database
    from yurt.core.writing.jobs import Job


def load(job: Job, url: str, workers: int, progress_form: str, wanted: Wanted | None = None) -> None:
    """Fill the tables of the database at a URL, parents first, and report how many rows they got.

    The receipt, if one is wanted, is written when the rows are there.
    """
    from yurt.cli.progress import Progress, shown
    from yurt.cli.talk import plural
    from yurt.core.databases.address import address_of
    from yurt.core.databases.common.loading import Loading
    from yurt.core.databases.connecting import connected
    from yurt.core.engine.blocks import block
    from yurt.core.planning.references import parents_first
    from yurt.core.writing.runs import write_into

    run, slices, forms = job.run, job.slices, job.forms
    started = time.perf_counter()
    address = address_of(url)
    order = parents_first(run.schema, list(slices))
    settings = {name: cast("Database", forms[name]) for name in order}
    total = job.rows
    if wanted is not None:
        from yurt.core.base.files import NewFiles

        NewFiles(force=False).check(wanted.path)
    connection = connected(address)
    try:
        with Loading(connection, run.schema, settings) as loading:
            loading.prepare(lambda name: block(run, name, 0, 0, typed=True, nests=False).schema)
            with shown(Progress(total), progress_form) as progress:
                for name in order:
                    write_into(loading, run, name, slices[name], forms[name], workers, progress)
                loading.close()
    finally:
        connection.close()
    lines = [f"{each}" for each in loading.omitted]
    if wanted is not None:
        lines.append(_receipt(job, wanted, workers))
    seconds = time.perf_counter() - started
    counts = (f"{loading.tables[name]} {slices[name][1] - slices[name][0]:,}" for name in order)
    lines.append(f"{address.shown}: {plural(total, 'row')} in {plural(len(order), 'table')}: {', '.join(counts)}")
    rate = f"{total / max(seconds, 1e-9):,.0f} rows/s"
    click.echo("\n".join(lines) + f" in {seconds:.1f} s ({rate}); {run.words}", err=True)


def _receipt(job: Job, wanted: Wanted, workers: int) -> str:
    """Write the receipt of rows in a database, and return what the summary says of it."""
    from yurt.core.base.files import NewFiles
    from yurt.core.writing.receipt import receipt_of
    from yurt.core.writing.rows_digest import digest_of_rows

    made = [digest_of_rows(job.run, name, rows, workers) for name, rows in job.slices.items()]
    with NewFiles(force=False) as files:
        files.open(wanted.path).write(receipt_of(wanted.schema, wanted.request, "database", made).text.encode())
    return f"{wanted.path}: the receipt, with a digest of the rows of each table"
