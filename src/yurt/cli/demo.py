"""`yurt demo`: a complete example, from schema to files."""

from __future__ import annotations

from pathlib import Path

import click

SHOWN = ("csv", "json", "xml")


@click.command(
    epilog="""\b
Examples:
  yurt demo
  yurt demo try/ --force
""",
)
@click.argument("folder", type=click.Path(path_type=Path), default="yurt-demo")
@click.option("--force", is_flag=True, help="Overwrite existing files.")
def demo(folder: Path, force: bool) -> None:
    """Write the schema of a chain of mountain huts into FOLDER, with its records as CSV, JSON and XML."""
    import os
    from importlib import resources

    from yurt.cli.talk import plural, size_words
    from yurt.core.base.files import NewFiles
    from yurt.core.engine.run import Run
    from yurt.core.formats import FORMATS
    from yurt.core.language.reader import read
    from yurt.core.source.diagnostics import Source
    from yurt.core.writing.runs import write

    text = resources.files("yurt").joinpath("examples", "huts.yaml").read_text("utf-8")
    schema, _ = read(Source("huts.yaml", text))
    run = Run(schema)
    files_written = 0
    with NewFiles(force) as files:
        files.folder(folder)
        path = folder / "huts.yaml"
        files.open(path).write(text.encode())
        click.echo(f"{path}: {schema.title.lower()}")
        for form in (FORMATS[name] for name in SHOWN):
            files.folder(folder / form.name)
            size = 0
            for name in schema.records:
                out = files.open(folder / form.name / f"{name}{form.suffix}")
                size += write(run, name, (0, run.table(name).count), form, out, os.cpu_count() or 1)
                files_written += 1
            click.echo(
                f"{folder / form.name}{os.sep}: {', '.join(schema.records)} as {form.name.upper()}, {size_words(size)}"
            )
    rows = ", ".join(plural(run.table(name).count, name) for name in schema.records)
    click.echo(f"\n{rows}: {plural(files_written, 'file')} of records, {run.words}. Try next:\n")
    click.echo(f"  yurt check {path}                     what the schema describes, and its mistakes")
    click.echo(f"  yurt preview {path} stay              a few records on screen")
    click.echo(f"  yurt preview {path} --compare         requested and generated side by side")
    click.echo(f"  yurt cases {path} hut                 test cases with the expected outcome")
    click.echo(f"  yurt verify {path} {folder / 'csv'}{os.sep}     files checked against the schema")
    click.echo(f"  yurt generate {path} hiker --count 1000000 --out {folder / 'hikers.csv'}")
    click.echo("  yurt kinds mail                                    the value kinds with that word")
