"""`yurt verify`: validate existing files against a schema."""

from __future__ import annotations

from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING

import click

from yurt.cli.options import Day, Whole, variant_option, with_option
from yurt.core.base.labels import CASE
from yurt.core.formats import FILE_FORMATS

if TYPE_CHECKING:
    from yurt.core.verify.summary import Summary


@click.command(
    epilog="""\b
Examples:
  yurt verify huts.yaml yurt-demo/csv/
  yurt verify huts.yaml yurt-demo/json/hut.json yurt-demo/json/hiker.json
  yurt verify huts.yaml hiker=yurt-demo/xml/hiker.xml --json
  yurt verify huts.yaml yurt-demo/csv/ --safe
""",
)
@click.argument("schema", type=click.Path(path_type=Path))
@click.argument("data", nargs=-1, required=True)
@variant_option
@click.option(
    "--format",
    "kind",
    type=click.Choice(FILE_FORMATS),
    help="Default: the format named by the suffix of the file, or csv.",
)
@with_option
@click.option("--today", type=Day(), help="The value of `today`. Default: the date in the schema, or the current date.")
@click.option("--partial", "part", is_flag=True, help="The files are incomplete: rows may be missing from them.")
@click.option("--safe", is_flag=True, help="Also require values from the safe ranges, which never reach real people.")
@click.option(
    "--label-record", metavar="NAME", default=CASE, help="The name of the record that holds the labels. Default: case."
)
@click.option(
    "--limit", type=Whole(0, 10**9), default=3, help="The number of examples of each kind of violation. Default: 3."
)
@click.option("--json", "as_json", is_flag=True, help="Write the report as JSON, with the violations up to --limit.")
def verify(
    schema: Path, data: tuple[str, ...], variants: tuple[str, ...], kind: str | None,
    withs: tuple[tuple[str, str, str], ...], today: date | None, part: bool,
    safe: bool, label_record: str, limit: int, as_json: bool,
) -> None:  # fmt: skip
    """Validate DATA against SCHEMA. DATA are files, folders of files, or - for standard input.

    The file name determines the record type; write RECORD=FILE for other names. The validator checks data types,
    ranges, patterns, lists, missing values, uniqueness, references across files, conditions, and check digits. It
    lists everything that it cannot check. The exit status is 1 if there are violations, if a file has no rows although
    the schema requires some, and if a folder or a database lacks a record type; --partial allows both.
    """
    from yurt.api.data_files import as_a_whole, data_files, forms_of
    from yurt.cli.options import open_schema, output_of
    from yurt.cli.talk import progress_bar, stop_talking
    from yurt.core.verify.summary import summed_up
    from yurt.core.verify.verification import Verification

    output = output_of(open_schema(schema, variants=variants), withs)
    files = data_files(data, output, kind)
    read = output.dressed(forms_of({name: [each] for name, each in files.items()}))
    verification = Verification(
        read, files, today or read.today or date.today(), not part, safe=safe, case=label_record
    )
    with progress_bar(0) as progress:
        summary = summed_up(verification, limit, progress, as_a_whole(data))
    try:
        if as_json:
            import json

            click.echo(json.dumps(summary.as_data(), indent=2, ensure_ascii=False))
        else:
            show(summary)
    except BrokenPipeError:
        # A reader that closes the pipe early must still get the exit status of invalid data.
        stop_talking()
    if not summary.clean:
        raise click.exceptions.Exit(1)


TONES: dict[str, dict[str, str | bool]] = {
    "": {}, "good": {"fg": "green"}, "bad": {"fg": "red"}, "strong": {"bold": True}, "faint": {"dim": True},
}  # fmt: skip


def show(summary: Summary) -> None:
    """Print the result: one line per file, then each kind of violation with examples."""
    from yurt.cli.talk import tinted
    from yurt.core.reports.verification import lines

    for line in lines(summary):
        click.echo("".join(tinted(text, **TONES[tone]) if tone else text for text, tone in line))
