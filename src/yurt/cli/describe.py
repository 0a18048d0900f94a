"""`yurt describe`: what a schema allows, as a document of an open standard."""

from __future__ import annotations

from pathlib import Path

import click

from yurt.cli.options import variant_option, with_option
from yurt.core.standards import DOCUMENTS

SHOWN = 12


@click.command(
    epilog="""\b
Examples:
  yurt describe huts.yaml hut --as json-schema
  yurt describe huts.yaml --as xml-schema --out schemas/
  yurt describe huts.yaml --as sql --with dialect=postgresql --out huts.sql
  yurt describe huts.yaml --as dictionary --out huts.md
""",
)
@click.argument("schema", type=click.Path(path_type=Path))
@click.argument("record", required=False)
@click.option("--as", "name", type=click.Choice(DOCUMENTS.names), required=True, help="The kind of document.")
@click.option(
    "--out", type=click.Path(), help="A file, or a folder for a file per record type. Default: standard output."
)
@with_option
@variant_option
@click.option("--force", is_flag=True, help="Overwrite existing files.")
def describe(
    schema: Path, record: str | None, name: str, out: str | None, withs: tuple[tuple[str, str, str], ...],
    variants: tuple[str, ...], force: bool,
) -> None:  # fmt: skip
    """Write what SCHEMA allows as a document that other programs enforce or people read.

    JSON Schema, OpenAPI, XML Schema, the metadata of CSV files (W3C), SQL tables, or a data dictionary. The document
    follows the settings of the format of the data. A rule that the standard cannot state is listed, here and in the
    document.
    """
    from yurt.cli.options import open_schema, output_of
    from yurt.cli.talk import plural
    from yurt.core.base.errors import UsageFault
    from yurt.core.base.files import NewFiles
    from yurt.core.base.nearest import no_record_type
    from yurt.core.standards.common.document import Asked

    read = open_schema(schema, variants=variants)
    if record is not None and record not in read.records:
        raise UsageFault(no_record_type(record, read.records))
    names = (record,) if record else tuple(read.records)
    document = DOCUMENTS[name]
    output = output_of(read, withs)
    shown = output.dressed(dict.fromkeys(read.records, document.form)) if document.form else read
    groups = [(each,) for each in names] if document.apart else [names]
    written = {group: document.write(Asked(shown, output, group)) for group in groups}
    to_screen = out is None or out == "-"
    if to_screen and len(groups) > 1:
        raise UsageFault(f"`{name}` has a document per record type: --out FOLDER; or name one of {', '.join(names)}")
    if out is None or out == "-":
        click.echo(next(iter(written.values())).text, nl=False)
    else:
        folder = len(groups) > 1 or Path(out).is_dir() or out.endswith("/")
        with NewFiles(force) as files:
            if folder:
                files.folder(Path(out))
            for group, each in written.items():
                base = group[0] if document.apart else Path(read.source.name).stem
                path = Path(out) / f"{base}{document.suffix}" if folder else Path(out)
                files.open(path).write(each.text.encode())
                click.echo(f"{path}: {', '.join(group)}", err=True)
    unsaid = list(dict.fromkeys(one for each in written.values() for one in each.unsaid))
    if unsaid:
        them = "them" if len(unsaid) > 1 else "it"
        click.echo(f"{plural(len(unsaid), 'rule')} not stated, because {name} has no words for {them}:", err=True)
        for one in unsaid[:SHOWN]:
            click.echo(f"  {one}", err=True)
        if len(unsaid) > SHOWN:
            click.echo(f"  … and {len(unsaid) - SHOWN:,} more, all in the document", err=True)
