"""Loads the records of `yurt generate` into a database."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING, cast

import click

if TYPE_CHECKING:
    from yurt.core.engine.run import Run
    from yurt.core.formats.common.format import Format
    from yurt.core.formats.database import Database


def load(run: Run, slices: dict[str, tuple[int, int]], url: str, forms: dict[str, Format], workers: int) -> None:
    """Fill the tables of the database at a URL, parents first, and report how many rows they got."""
    from yurt.cli.talk import plural, progress_bar
    from yurt.core.databases.address import address_of
    from yurt.core.databases.common.loading import Loading
    from yurt.core.databases.connecting import connected
    from yurt.core.engine.blocks import block
    from yurt.core.planning.references import parents_first
    from yurt.core.writing.runs import write_into

    started = time.perf_counter()
    address = address_of(url)
    order = parents_first(run.schema, list(slices))
    settings = {name: cast("Database", forms[name]) for name in order}
    total = sum(stop - start for start, stop in slices.values())
    connection = connected(address)
    try:
        with Loading(connection, run.schema, settings) as loading:
            loading.prepare(lambda name: block(run, name, 0, 0, typed=True, nests=False).schema)
            with progress_bar(total) as progress:
                for name in order:
                    write_into(loading, run, name, slices[name], forms[name], workers, progress)
                loading.close()
    finally:
        connection.close()
    seconds = time.perf_counter() - started
    lines = [f"{each}" for each in loading.omitted]
    counts = (f"{loading.tables[name]} {slices[name][1] - slices[name][0]:,}" for name in order)
    lines.append(f"{address.shown}: {plural(total, 'row')} in {plural(len(order), 'table')}: {', '.join(counts)}")
    rate = f"{total / max(seconds, 1e-9):,.0f} rows/s"
    click.echo("\n".join(lines) + f" in {seconds:.1f} s ({rate}); {run.words}", err=True)
