"""`yurt check`: read a schema and say what is wrong with it."""

from __future__ import annotations

from pathlib import Path

import click

from yurt.cli.options import open_schema, schema_argument


@click.command(
    short_help="Read a schema and say every mistake in it.",
    epilog="""\b
Examples:
  yurt check huts.yaml
""",
)
@schema_argument
def check(schema: Path) -> None:
    """Read SCHEMA and say every mistake in it: where it is, what was expected, the nearest right word.

    Nothing is generated. Without mistakes it says what the schema describes.
    """
    from yurt.cli.talk import plural

    found = open_schema(schema)
    fields = sum(len(each.fields) for each in found.records.values())
    click.echo(f"{schema}: {plural(len(found.records), 'record type')}, {plural(fields, 'field')}, no mistakes")
    width = max(len(name) for name in found.records)
    for record in found.records.values():
        count = record.count
        much = f"{count.low:,}" if count.low == count.high else f"{count.low:,}..{count.high:,}"
        much += f" per {count.per}" if count.per else ""
        key = f", key {record.key.name}" if record.key else ""
        rules = f", {plural(len(record.always), 'condition')}" if record.always else ""
        click.echo(f"  {record.name:{width}}  {much:>16}  {plural(len(record.fields), 'field')}{key}{rules}")
