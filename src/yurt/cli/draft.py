"""`yurt draft`: a first schema, from a ready record."""

from __future__ import annotations

from pathlib import Path

import click

from yurt.core.reports.drafts import LAYOUTS


@click.command(
    short_help="Write a schema to start from.",
    epilog="""\b
Examples:
  yurt draft person
  yurt draft order --count 5000 --layout related --out orders.yaml
  yurt draft booking --out -
""",
)
@click.argument("name", required=False)
@click.option(
    "--out", type=click.Path(path_type=Path), help="The file to write, or - for standard output. Default: NAME.yaml."
)
@click.option(
    "--count", type=click.IntRange(min=0), default=100, show_default=True, help="The number of records in the schema."
)
@click.option("--locale", help="The locale of the schema.")
@click.option("--force", is_flag=True, help="Overwrite an existing file.")
@click.option("--layout", type=click.Choice(LAYOUTS), default="nested",
              help="Lists of records inside: nested, related record types, or flat. Default: nested.")  # fmt: skip
def draft(
    name: str | None, out: Path | None, count: int, locale: str | None, force: bool, layout: str
) -> None:  # fmt: skip
    """Write the ready record NAME as a schema: one field per line, ready to edit.

    Without NAME, list the ready records.
    """
    from yurt.core.base.errors import UsageFault
    from yurt.core.base.files import NewFiles
    from yurt.core.base.nearest import did_you_mean
    from yurt.core.kinds.catalogue import KINDS, RECORDS, locales
    from yurt.core.reports.drafts import Draft

    ready = {each: KINDS[each] for each, group in KINDS.index.items() if group == RECORDS}
    if name is None and out is not None:
        raise UsageFault(f"name a ready record to write: {', '.join(ready)}")
    if name is None:
        width = max(len(each) for each in ready)
        for each, kind in ready.items():
            click.echo(f"  {each:{width}}  {kind.meaning}")
        return
    if name not in ready:
        raise UsageFault(f"there is no ready record `{name}`; " + (did_you_mean(name, ready) or ", ".join(ready)))
    if locale is not None and locale not in locales():
        raise UsageFault(f"there is no locale `{locale}`; " + (did_you_mean(locale, locales()) or ", ".join(locales())))
    drafted = Draft(name, ready[name].meaning, ready[name].record, count, locale)
    if layout == "related" and not drafted.has_lines:
        raise UsageFault(f"`{name}` has no list of records that could be a record type of its own")
    text = drafted.text(layout)
    path = out or Path(f"{name}.yaml")
    if str(path) == "-":
        click.echo(text, nl=False)
        return
    with NewFiles(force) as files:
        files.open(path).write(text.encode())
    click.echo(f"{path}: {ready[name].meaning}. Try next: yurt preview {path}", err=True)
