"""`yurt extend`: write an existing file again, with new columns and cleaned ones."""

from __future__ import annotations

from datetime import date
from pathlib import Path

import click

from yurt.cli.options import Whole, lines_of_files, of_new_files
from yurt.core.existing.choices import UNMATCHED


@click.command(
    epilog="""\b
Examples:
  yurt extend yurt-demo/csv/hiker.csv --suggest
  yurt extend yurt-demo/csv/hiker.csv --field 'username: username' --out hikers.csv
  yurt extend yurt-demo/csv/hut.csv --field 'price: = round(price * 1.05, 2)' --diff
""",
)
@lines_of_files
@click.option("--suggest", is_flag=True, help="Write lines that clean DATA up to standard output, and change nothing.")
@click.option("--unmatched", type=click.Choice(UNMATCHED), default="drawn", show_default=True,
              help="What new values are where the catalogue does not know the city or country of a row.")  # fmt: skip
@click.option("--count", type=Whole(0, 10**12), help="Add this number of rows below those of the file.")
@click.option("--distinct", metavar="COLUMNS", help="Leave out rows with the same new values in these columns as an "
              "earlier row; `all` compares all columns.")  # fmt: skip
@click.option("--seed", type=Whole(0, 10**18 - 1), help="The same seed gives the same new values. Default: a new one.")
@of_new_files
def extend(
    data: tuple[str, ...], schema: Path | None, fields: tuple[str, ...], out: str | None, kind: str | None,
    withs: tuple[tuple[str, str, str], ...], read_kind: str | None, read_withs: tuple[tuple[str, str, str], ...],
    suggest: bool, diff: bool, unmatched: str, count: int | None, distinct: str | None, locale: str | None,
    today: date | None, seed: int | None, workers: int | None,
    force: bool,
) -> None:  # fmt: skip
    """Write DATA again, with the lines of --schema or --field: a line for a column replaces it, any other adds one.

    DATA are files, folders of files, or - for standard input. Lines may read all columns by their names. Columns
    without a line stay as they are, and so do the order and the form of their values.
    """
    import os
    import time

    from yurt.cli.rewriting import Options, Rewriter, columns_of, summary

    started = time.perf_counter()
    options = Options(
        data, schema, fields, out, kind, withs, read_kind, read_withs, locale, today, seed,
        workers or os.cpu_count() or 1, force, unmatched, count or 0, columns_of(distinct),
    )  # fmt: skip
    if suggest:
        from yurt.cli.suggesting import suggest_lines

        suggest_lines(options, disguise=False)
        return
    rewriter = Rewriter(options)
    if diff:
        rewriter.show_first_rows()
        return
    summary(rewriter.run(), started, rewriter.words)
