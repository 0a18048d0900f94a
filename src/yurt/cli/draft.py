"""`yurt draft`: a first schema, from a ready record or from what is already there."""

from __future__ import annotations

from pathlib import Path

import click

from yurt.cli.options import Whole
from yurt.core.formats import FILE_FORMATS
from yurt.core.reports.drafts import LAYOUTS


@click.command(
    epilog="""\b
Examples:
  yurt draft yurt-demo/csv/ --out drafted.yaml
  yurt draft yurt-demo/csv/stay.csv --report
  yurt draft person
  yurt draft order --count 5000 --layout related --out orders.yaml
""",
)
@click.argument("sources", nargs=-1, metavar="[SOURCE]...")
@click.option("--out", type=click.Path(path_type=Path), help="The file to write, or - for standard output. Default: "
              "NAME.yaml for a ready record, else standard output.")  # fmt: skip
@click.option("--report", is_flag=True, help="Say for each field what was found, and compare as many drawn rows.")
@click.option("--seen-in", type=Whole(1, 10**9), default=10, help="Only values of at least N rows enter the schema. "
              "Default: 10.")  # fmt: skip
@click.option("--rows", type=Whole(100, 5_000_000), default=100_000, help="The number of rows to look at, from all of "
              "a file. Default: 100,000.")  # fmt: skip
@click.option("--without-rows", is_flag=True, help="Look only at the structure of a database, not at its rows.")
@click.option("--partly", is_flag=True, help="Leave out what a schema cannot say, and list it, instead of refusing.")
@click.option("--follow", is_flag=True, help="Also read the files and URLs that a source refers to.")
@click.option("--format", "kind", type=click.Choice(FILE_FORMATS), help="The format of files with records. Default: "
              "the one that the suffix names, or csv.")  # fmt: skip
@click.option("--with", "withs", multiple=True, metavar="NAME=VALUE", help="A setting of the format, such as "
              "delimiter=semicolon. May be repeated.")  # fmt: skip
@click.option("--count", type=Whole(0, 10**15), help="The number of records in the schema. Default: that of the "
              "source, or 100.")  # fmt: skip
@click.option("--locale", help="The locale of the schema. Default: the one that the names in it speak for.")
@click.option("--layout", type=click.Choice(LAYOUTS), default="nested",
              help="Of a ready record, lists of records inside: nested, related record types, or flat. "
              "Default: nested.")  # fmt: skip
@click.option("--force", is_flag=True, help="Overwrite an existing file.")
def draft(
    sources: tuple[str, ...], out: Path | None, report: bool, seen_in: int, rows: int, without_rows: bool,
    partly: bool, follow: bool, kind: str | None, withs: tuple[str, ...], count: int | None, locale: str | None,
    layout: str, force: bool,
) -> None:  # fmt: skip
    """Write a schema for SOURCE, one field per line, ready to edit.

    SOURCE is a file of records in any format that can be read, a folder of them, the URL of a database, SQL table
    definitions (.sql), a JSON Schema, an OpenAPI document, an XML Schema (.xsd), metadata of tables (CSVW), an HTML
    page (a file or URL), a Python class (module:Class), or the name of a ready record. Of several sources, those that
    state what is allowed and those that show what is usual are taken together. Without SOURCE, the ready records are
    listed.
    """
    from yurt.cli.drafting import Options, draft_sources
    from yurt.cli.options import known_locale
    from yurt.cli.ready import draft_ready, list_ready, ready_name

    known_locale(locale)
    if not sources:
        list_ready(out)
    elif len(sources) == 1 and ready_name(sources[0]):
        if report or without_rows or partly or follow or kind or withs:
            raise click.UsageError(f"`{sources[0]}` is a ready record; the other options are for files and databases")
        draft_ready(sources[0], out, 100 if count is None else count, locale, layout, force)
    else:
        draft_sources(
            Options(
                sources,
                out,
                report,
                seen_in,
                rows,
                without_rows,
                partly,
                follow,
                kind,
                withs,
                count,
                locale or "",
                force,
            )
        )
