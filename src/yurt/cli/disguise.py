"""`yurt disguise`: write existing files again, with substitutes in place of real people."""

from __future__ import annotations

from datetime import date
from pathlib import Path

import click

from yurt.cli.options import lines_of_files, of_new_files


@click.command(
    epilog="""\b
Examples:
  yurt disguise yurt-demo/csv/hiker.csv --suggest
  yurt disguise yurt-demo/csv/hiker.csv --field 'family: substitute family-name' --diff
  yurt disguise yurt-demo/csv/stay.csv --field 'hiker: encrypt' --secret key.txt --out stays.csv --report proof.html
""",
)
@lines_of_files
@click.option("--secret", type=click.Path(path_type=Path),
              help="A file with the secret; a new one is written if there is none. Default: the variable YURT_SECRET, "
              "or a secret for this run alone.")  # fmt: skip
@click.option(
    "--suggest", is_flag=True, help="Write lines for the columns of DATA to standard output, and treat nothing."
)
@click.option("--report", type=click.Path(path_type=Path), help="Write the proof as a page (.html) or as JSON (.json).")
@click.option("--no-proof", is_flag=True, help="Do not look for originals in the new files.")
@click.option("--group-by", metavar="COLUMNS", help="Columns that could single out a person, such as born,city: the "
              "proof counts the rows that share their values.")  # fmt: skip
@of_new_files
def disguise(
    data: tuple[str, ...], schema: Path | None, fields: tuple[str, ...], secret: Path | None, suggest: bool,
    out: str | None, kind: str | None, withs: tuple[tuple[str, str, str], ...], read_kind: str | None,
    read_withs: tuple[tuple[str, str, str], ...], report: Path | None, no_proof: bool, group_by: str | None,
    diff: bool, locale: str | None,
    today: date | None, workers: int | None, force: bool,
) -> None:  # fmt: skip
    """Write DATA again, with the treatments that the lines of --schema or --field ask for.

    The same secret gives equal values equal substitutes, in all rows, files, and runs. Columns without a line stay as
    they are. A proof looks for every original in the new files before they get their names: if one is there, nothing
    is written, and the exit status is 1.
    """
    import os
    import sys
    import time

    from yurt.cli.rewriting import Options, columns_of, summary

    started = time.perf_counter()
    options = Options(
        data, schema, fields, out, kind, withs, read_kind, read_withs, locale, today, None,
        workers or os.cpu_count() or 1, force,
    )  # fmt: skip
    if suggest:
        from yurt.cli.suggesting import suggest_lines

        suggest_lines(options, disguise=True)
        return
    from yurt.cli.proving import Disguiser

    if no_proof and (report is not None or group_by):
        raise click.UsageError("--report and --group-by are about the proof; leave --no-proof out")
    disguiser = Disguiser(options, secret, report, list(columns_of(group_by) or ()), not no_proof)
    if diff:
        disguiser.show_first_rows()
        return
    summary(disguiser.run(), started, disguiser.words)
    if not disguiser.told():
        sys.exit(1)
