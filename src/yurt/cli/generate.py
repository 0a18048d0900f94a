"""`yurt generate`: write records to files, to standard output, or into a database."""

from __future__ import annotations

import os
import sys
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING

import click

from yurt.api.data_files import folder_for, format_of_output, one_file_for_all
from yurt.cli.options import (
    Bytes,
    PartsOf,
    Rate,
    RowRange,
    Whole,
    open_schema,
    run_options,
    schema_or_fields,
    with_option,
)  # fmt: skip
from yurt.cli.progress import FORMS
from yurt.core.base.data_classes import replace
from yurt.core.formats import FILE_FORMATS

if TYPE_CHECKING:
    from yurt.core.engine.run import Run
    from yurt.core.formats.common.format import Format
    from yurt.core.model import Schema
    from yurt.core.writing.parts_run import Parts


@click.command(
    epilog="""\b
Examples:
  yurt generate huts.yaml --out data/
  yurt generate huts.yaml hiker --count 1000000 --out hikers.csv
  yurt generate huts.yaml stay --rows 500..510 --format json
  yurt generate huts.yaml --scale 10 --parts 8 --out big/ --resume
  yurt generate huts.yaml hiker --errors 2% --errors mail=10% --out dirty.csv
  yurt generate huts.yaml --out sqlite:///huts.db
  yurt generate --field 'name: full-name' --field 'age: integer 18..90' --count 5
""",
)
@schema_or_fields
@click.option(
    "--out",
    type=click.Path(),
    help="A file for one record type, a folder for several, - for standard output, or the URL of a database.",
)
@click.option(
    "--format",
    "kind",
    type=click.Choice(FILE_FORMATS),
    help="Default: the format named by the suffix of --out, or csv.",
)
@with_option
@click.option("--rows-per-file", "most", type=Whole(1, 10**15), help="Begin a new, numbered file after so many rows.")
@click.option("--size-per-file", "largest", type=Bytes(), help="Begin a new, numbered file before it is larger: 100MB.")
@click.option("--file-per", metavar="FIELD", help="One file for each value of a field, such as stay.status.")
@click.option("--each-variant", is_flag=True, help="Files of the schema as it is, and of each of its variants.")
@click.option("--copy", is_flag=True, help="Put the records on the clipboard, as a table for spreadsheets.")
@click.option(
    "--parts",
    type=PartsOf(),
    help="Finish one numbered file after the other: N of the largest record type, or files of this size. "
    "It is --rows-per-file with the rows counted for you, and a run that can go on.",
)
@click.option("--resume", is_flag=True, help="Go on with a run in --parts that was ended. Finished parts stay.")
@click.option(
    "--cluster",
    metavar="ADDRESS",
    help="Let the workers of a Dask cluster write the --parts; `local` starts some on this machine.",
)
@click.option(
    "--receipt",
    type=click.Path(path_type=Path),
    metavar="FILE",
    help="Write a receipt, by which `yurt reproduce` proves every byte. With --parts it is always written.",
)
@click.option("--dry-run", is_flag=True, help="Write nothing: say what the run would take, and what it would refuse.")
@click.option("--progress", type=click.Choice(FORMS), default="auto",
              help="How progress is shown. Default: a bar on a terminal, else a line every half minute.")  # fmt: skip
@click.option("--rows", type=RowRange(), help="Only these rows, such as 500..510.")
@click.option(
    "--workers", type=Whole(1, 256), help="The number of threads. It never changes the output. Default: one per core."
)
@click.option("--force", is_flag=True, help="Overwrite existing files.")
@click.option("--errors", "dirt", multiple=True, type=Rate(), metavar="RATE|FIELD=RATE",
              help="Add realistic errors to this share of values, and an answer file. May be repeated.")  # fmt: skip
@run_options
def generate(
    schema: Path | None, record: str | None, fields: tuple[str, ...], replaced: tuple[str, ...],
    variants: tuple[str, ...], out: str | None, kind: str | None, withs: tuple[tuple[str, str, str], ...],
    most: int | None, largest: int | None, file_per: str | None, each_variant: bool, copy: bool,
    parts: Parts | None, resume: bool, cluster: str | None, receipt: Path | None, dry_run: bool, progress: str,
    rows: tuple[int, int] | None, workers: int | None, force: bool,
    dirt: tuple[tuple[str, float], ...],
    seed: int | None, today: date | None, count: int | None, scale: float, locale: str | None,
) -> None:  # fmt: skip
    """Generate the records of SCHEMA: of one RECORD type, or of every type, each in a file of its own.

    The same schema, seed, and date give the same bytes. Files are written completely or not at all, and existing files
    are never overwritten without --force. Without --out, one record type goes to standard output.
    """
    from yurt.cli.output_files import Files, Splitting, Wanted
    from yurt.cli.remember import remember
    from yurt.core.base.errors import UsageFault
    from yurt.core.base.urls import is_url
    from yurt.core.writing.request import Request

    many = workers or os.cpu_count() or 1
    request = Request(
        record, fields, replaced, variants, locale, seed, today, count, scale, rows, "csv", withs, most, largest,
        file_per, each_variant, errors=dirt,
    )  # fmt: skip

    def read(chosen: tuple[str, ...]) -> Schema:
        return open_schema(schema, fields, replaced, chosen, count=count, record=record, locale=locale)

    whole = read(variants)
    # After the schema: a mistake in it needs no numerics.
    from yurt.core.writing.jobs import jobs_of, pinned

    names = [record] if record else list(whole.records)
    splitting = Splitting(most, largest, field=fields_of(file_per, names))
    if sum(each is not None for each in (most, largest, file_per, parts)) > 1:
        raise UsageFault("--rows-per-file, --size-per-file, --file-per, and --parts exclude one another")
    if each_variant and (variants or not whole.variants):
        raise UsageFault("--each-variant needs a schema with variants, and no --variant")
    if resume and parts is None:
        raise UsageFault("--resume goes on with a run in --parts; other files appear all at once, or not at all")
    if cluster and parts is None:
        raise UsageFault("--cluster writes --parts: say how many, or how large they are")
    if out is not None and is_url(out) and parts is None:
        asked = {
            "--format": kind, "--rows-per-file": most, "--size-per-file": largest, "--file-per": file_per,
            "--each-variant": each_variant or None, "--copy": copy or None, "--errors": dirt or None,
            "--force": force or None, "--dry-run": dry_run or None,
        }  # fmt: skip
        if wrong := [name for name, value in asked.items() if value is not None]:
            raise UsageFault(f"{wrong[0]} is for files, not for a database")
        request = replace(pinned(request, whole) if receipt else request, format="database")
        (loaded,) = jobs_of(request, read)
        from yurt.cli.load import load

        load(loaded, out, many, progress, Wanted(receipt, whole, request) if receipt else None)
        remember(loaded.run, loaded.rows, out)
        return
    to_screen = out is None or out == "-"
    if copy and (not to_screen or kind is not None or len(names) > 1):
        raise UsageFault("--copy takes one record type, and no --out and no --format")
    # A separator at the end means a folder; a Path would drop it.
    folder = len(names) > 1 or parts is not None or (out is not None and out.endswith(("/", os.sep)))
    together = out is not None and len(names) > 1 and parts is None and one_file_for_all(out, kind)
    place = None
    if parts is not None and out is not None and not to_screen:
        from yurt.core.writing.objects_place import place_of

        place = place_of(out)
    if out is not None and not to_screen and not together and not is_url(out):
        folder_for(out, names)
    into_folder = not together and (folder or (out is not None and Path(out).is_dir()))
    form = kind or ("tsv" if copy else "csv")
    if out is not None and not to_screen and not into_folder:
        form = format_of_output(Path(out), kind)
    request = replace(request, format=form)
    if dirt and to_screen:
        raise UsageFault("--errors writes an answer file beside the data: it needs --out")
    if (splitting.any or each_variant or parts) and to_screen:
        raise UsageFault("several files need --out")
    if (receipt or dry_run) and to_screen:
        raise UsageFault(f"{'--receipt' if receipt else '--dry-run'} is for files: it needs --out")
    if (splitting.any or parts) and (together or dirt):
        raise UsageFault("several files of a record type need one file for each record type, and no --errors")
    if parts and each_variant:
        raise UsageFault("--parts is for one variant at a time")
    if dirt and together:
        raise UsageFault(f"`{form}` cannot hold wrong values; --errors needs a format of texts, such as csv")
    if place is not None and resume:
        from yurt.core.writing.unfinished import continued

        request = continued(place, request)
    if receipt or parts:
        request = pinned(request, whole)
    jobs = jobs_of(request, read)
    if len(jobs[0].slices) > 1 and to_screen:
        listed = ", ".join(jobs[0].slices)
        raise UsageFault(f"several record types need a folder: --out FOLDER; or name one of {listed}")
    (name, *_) = jobs[0].slices
    if copy:
        from yurt.cli.clipboard import put

        put(jobs[0].run, name, jobs[0].slices[name], jobs[0].forms[name], many)
    elif out is None or out == "-":
        _to_stdout(jobs[0].run, name, jobs[0].slices[name], jobs[0].forms[name], many)
    elif parts is not None and place is not None:
        from yurt.cli.parts import dry_run_of, write_parts
        from yurt.core.writing.parts_run import PartsRun, divided

        request = divided(request, jobs[0], parts)
        run = PartsRun(whole, request, jobs[0], place, many, resume=resume, force=force, receipt=receipt)
        if dry_run:
            dry_run_of(run)
            return
        write_parts(run, progress, cluster, whole)
    else:
        wanted = Wanted(receipt, whole, request) if receipt else None
        files = Files(Path(out), into_folder, splitting, dict(dirt), many, force, wanted, progress)
        if dry_run:
            files.dry_run(jobs)
            return
        files.write(jobs)
    remember(jobs[0].run, sum(each.rows for each in jobs), "the clipboard" if copy else out or "standard output")


def fields_of(told: str | None, names: list[str]) -> dict[str, str]:
    """Return the field whose values have files of their own, by record type. Raises UsageFault."""
    from yurt.core.base.errors import UsageFault

    if told is None:
        return {}
    record, _, field = told.partition(".")
    if field and record in names:
        return {record: field}
    if len(names) > 1:
        raise UsageFault(f"--file-per {told} needs a record type: {names[-1]}.{told}")
    return {names[0]: told}


def _to_stdout(run: Run, name: str, rows: tuple[int, int], form: Format, workers: int) -> None:
    from yurt.cli.talk import plural
    from yurt.core.base.errors import UsageFault
    from yurt.core.writing.runs import write

    if sys.stdout.isatty() and form.binary:
        raise UsageFault(f"`{form.name}` is not for a terminal; name a file: --out {name}{form.suffix}")
    write(run, name, rows, form, sys.stdout.buffer, workers)
    sys.stdout.buffer.flush()
    click.echo(f"{name}: {plural(rows[1] - rows[0], 'row')}; {run.words}", err=True)
