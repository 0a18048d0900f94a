"""`yurt check`: read a schema, report its mistakes, and describe what it generates."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import TYPE_CHECKING

import click

import yurt
from yurt.cli.options import variant_option
from yurt.core.base.json_object import JsonObject

if TYPE_CHECKING:
    from yurt.core.model import Schema
    from yurt.core.source.diagnostics import Diagnostic

# A condition that fewer draws meet makes generation slow, because each record is drawn several times.
RARE = 0.2
# From this number of values on, the number itself is of no interest.
ENDLESS = 10**12
MOST_ROWS = 10_000_000
# Rows that are generated to find ranges without a value.
TRIED = 500


@click.command(
    epilog="""\b
Examples:
  yurt check huts.yaml
  yurt check huts.yaml --json
""",
)
@click.argument("schema", type=click.Path(path_type=Path), required=False)
@variant_option
@click.option("--json", "as_json", is_flag=True, help="Write the report as JSON.")
@click.option("--json-schema", is_flag=True, help="Print the JSON Schema for schema files, for use in editors.")
def check(schema: Path | None, variants: tuple[str, ...], as_json: bool, json_schema: bool) -> None:
    """Report every mistake in SCHEMA: where it is, what was expected, and the nearest correct word.

    No records are written. If there are no mistakes, the command describes each field: its data type, the allowed
    values, the usual values, and the number of different values where it can be counted. It also warns about anything
    that is probably unintended.
    """
    if json_schema:
        click.echo(Path(yurt.__file__).with_name("schema-file.json").read_text("utf-8"), nl=False)
        return
    if schema is None:
        raise click.UsageError("a schema is missing")
    from yurt.core.language.reader import read_file
    from yurt.core.reports.schema_summary import described
    from yurt.core.source.diagnostics import MOST, SchemaFault

    try:
        found, warnings = read_file(schema, None, variants)
    except SchemaFault as fault:
        if not as_json:
            raise
        mistakes = [each.as_data(fault.source) for each in fault.diagnostics[:MOST]]
        more = {"more mistakes": fault.more} if fault.more else {}
        click.echo(json.dumps({"schema": str(schema), "mistakes": mistakes} | more, indent=2, ensure_ascii=False))
        sys.exit(1)
    warnings = warnings + _tried(found)
    data = described(found, warnings) | {"mistakes": []}
    if as_json:
        click.echo(json.dumps(data, indent=2, ensure_ascii=False))
        return
    for each in warnings:
        click.echo(each.render(found.source), err=True)
    _say(str(schema), data)


def _tried(schema: Schema) -> list[Diagnostic]:
    """Generate some rows where conditions or ranges depend on them; return warnings about conditions that few draws
    meet.

    Raises YurtError if a row has an empty range.
    """
    from yurt.core.planning.bounds import may_be_empty
    from yurt.core.planning.restrictions import of_usual_kinds
    from yurt.core.source.diagnostics import Diagnostic

    ranges = {
        name: [each.name for each in record.fields if any(may_be_empty(phrase.head) for phrase in each.phrases)]
        for name, record in schema.records.items()
    }
    usual = {
        name: [
            (field, each)
            for field in record.fields
            for each in field.phrases
            if each.allowed is not None and record.list_around(field.name) is None
        ]
        for name, record in schema.records.items()
    }
    if not any(record.always or ranges[name] or usual[name] for name, record in schema.records.items()):
        return []
    if max(record.count.high for record in schema.records.values()) > MOST_ROWS:
        # The children of more parents than this take too long to count.
        message = f"ranges and conditions were not tested: more than {MOST_ROWS:,} rows"
        return [Diagnostic(message, next(iter(schema.records.values())).span, None, None, "warning")]
    import numpy as np

    from yurt.core.engine.heads.kind import share_allowed
    from yurt.core.engine.resolved import Resolved, shares_met
    from yurt.core.engine.run import Run, RunOptions

    run = Run(schema, RunOptions(seed=schema.seed or 1))
    found: list[Diagnostic] = []
    for name, record in schema.records.items():
        for condition, share in zip(record.always, shares_met(run.table(name)), strict=False):
            if share < RARE and condition.span not in of_usual_kinds(record):
                message = f"only {share:.1%} of the draws meet this condition"
                advice = "use a bound in the field instead, such as `1..OTHER_FIELD`: then no row is drawn twice"
                found.append(Diagnostic(message, condition.span, None, advice, "warning"))
        table = run.table(name)
        probe = table.batch(np.arange(min(table.count, TRIED), dtype=np.uint64))
        for drawn, phrase in usual[name] if table.count else ():
            if (share := share_allowed(drawn, phrase, probe)) < RARE:
                message = f"only {share:.1%} of the usual texts are allowed; the others are shortened or replaced"
                found.append(Diagnostic(message, drawn.span, None, None, "warning"))
        if ranges[name]:
            rows = Resolved(run.table(name), np.arange(min(run.table(name).count, TRIED), dtype=np.uint64))
            for field in ranges[name]:
                rows.field(field)
    return found


def _say(name: str, data: JsonObject) -> None:
    """Print what a schema generates, one line per field."""
    from yurt.cli.talk import plural, tinted

    records = data["records"]
    fields = sum(len(each["fields"]) for each in records)
    click.echo(f"{name}: {plural(len(records), 'record type')}, {plural(fields, 'field')}, no mistakes")
    for record in records:
        rules = f", {plural(len(record['always']), 'condition')}" if record["always"] else ""
        key = f", key {record['key']}" if record["key"] else ""
        click.echo(f"\n{tinted(record['name'], bold=True)}  {_count(record['count'])}{key}{rules}")
        lines = [
            (each["name"], each["type"], _allowed(each), each["usual"]) for each in record["fields"]
        ]  # fmt: skip
        widths = [max(len(line[at]) for line in lines) for at in range(3)]
        for field, kind, allowed, usual in lines:
            spread = f"  {allowed:{min(widths[2], 52)}}  {usual}" if usual else f"  {allowed}"
            click.echo(f"  {tinted(f'{field:{widths[0]}}', fg='cyan')}  {kind:{widths[1]}}{spread}")
        written = [each["name"] for each in record["fields"]]
        if record["order"] != written:
            click.echo(f"  made in the order {', '.join(record['order'])}")


def _count(count: JsonObject) -> str:
    if count["every combination of"]:
        return "every combination of " + ", ".join(count["every combination of"])
    much = f"{count['low']:,}" if count["low"] == count["high"] else f"{count['low']:,}..{count['high']:,}"
    return f"{much} per {count['per']}" if count["per"] else f"{much} rows"


def _allowed(field: JsonObject) -> str:
    parts = [field["allowed"]]
    if field["unique"]:
        counted = field["values"] is not None and field["values"] < ENDLESS
        parts.append(f"unique ({field['values']:,} values)" if counted else "unique")
    parts += ["helper"] if field["helper"] else []
    rejected = [each["value"] for each in field["told"] if not each["accept"]]
    parts += [f"rejects {' | '.join(rejected)}"] if rejected else []
    parts += [f"present if {field['present if']}"] if field["present if"] else []
    return ", ".join(parts)
