"""`yurt generate`: write records to files or to standard output."""

from __future__ import annotations

import os
import sys
import time
from collections.abc import Callable
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING

import click

from yurt.cli.data import folder_for, format_of_output, one_file_for_all, stem
from yurt.cli.options import (
    Rate,
    RowRange,
    Whole,
    open_schema,
    output_of,
    prepared,
    run_options,
    schema_or_fields,
    with_option,
)  # fmt: skip
from yurt.core.base.streams import COMPRESSED
from yurt.core.formats import FILE_FORMATS

if TYPE_CHECKING:
    from yurt.core.base.files import NewFiles
    from yurt.core.dirt.dirty import Rates
    from yurt.core.engine.run import Run
    from yurt.core.formats.common.format import Format

# The maximum number of files that the summary names.
MOST_TOLD = 20


@click.command(
    short_help="Generate records as files or on standard output.",
    epilog="""\b
Examples:
  yurt generate huts.yaml --out data/
  yurt generate huts.yaml hiker --count 1000000 --out hikers.csv
  yurt generate huts.yaml stay --rows 500..510 --format json
  yurt generate huts.yaml hiker --errors 2% --errors mail=10% --out dirty.csv
  yurt generate --field 'name: full-name' --field 'age: integer 18..90' --count 5
""",
)
@schema_or_fields
@click.option(
    "--out",
    type=click.Path(),
    help="A file for one record type, a folder for several, or - for standard output.",
)
@click.option(
    "--format",
    "kind",
    type=click.Choice(FILE_FORMATS),
    help="Default: the format named by the suffix of --out, or csv.",
)
@with_option
@click.option("--rows-per-file", "most", type=Whole(1, 10**15), help="Begin a new, numbered file after so many rows.")
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
    most: int | None, rows: tuple[int, int] | None, workers: int | None, force: bool,
    dirt: tuple[tuple[str, float], ...],
    seed: int | None, today: date | None, count: int | None, scale: float, locale: str | None,
) -> None:  # fmt: skip
    """Generate the records of SCHEMA: of one RECORD type, or of every type, each in a file of its own.

    The same schema, seed, and date give the same bytes. Files are written completely or not at all, and existing files
    are never overwritten without --force. Without --out, one record type goes to standard output.
    """
    from yurt.cli.load import load
    from yurt.core.base.errors import UsageFault
    from yurt.core.base.urls import is_url
    from yurt.core.engine.blocks import slice_of
    from yurt.core.writing.nested import below

    read = open_schema(schema, fields, replaced, variants, count=count, record=record, locale=locale)
    names = [record] if record else list(read.records)
    if out is not None and is_url(out):
        asked = {"--format": kind, "--rows-per-file": most, "--errors": dirt or None, "--force": force or None}
        if wrong := [name for name, value in asked.items() if value is not None]:
            raise UsageFault(f"{wrong[0]} is for files, not for a database")
        output = output_of(read, withs)
        forms = {name: output.format("database", name) for name in names}
        run = prepared(output.dressed(dict.fromkeys(names, "database")), record, seed, today, count, scale)
        if len(names) > 1 and rows is not None:
            raise UsageFault(f"--rows needs a record type: {', '.join(names)}")
        slices = {name: slice_of(rows, run.table(name).count, name) for name in names}
        load(run, slices, out, forms, workers or os.cpu_count() or 1)
        return
    to_screen = out is None or out == "-"
    # A separator at the end means a folder; a Path would drop it.
    folder = len(names) > 1 or (out is not None and out.endswith(("/", os.sep)))
    together = out is not None and len(names) > 1 and one_file_for_all(out, kind)
    if out is not None and not to_screen and not together:
        folder_for(out, names)
    into_folder = not together and (folder or (out is not None and Path(out).is_dir()))
    form = kind or "csv" if out is None or to_screen or into_folder else format_of_output(Path(out), kind)
    output = output_of(read, withs)
    forms = {name: output.format(form, name) for name in names}
    inside = below(read, [name for name in names if forms[name].inside])
    dressed = output.dressed(dict.fromkeys([*names, *inside], form))
    run = prepared(dressed, record, seed, today, count, scale, inside)
    names = [name for name in names if record or name not in inside]
    if len(names) > 1:
        if out is None or out == "-":
            raise UsageFault(f"several record types need a folder: --out FOLDER; or name one of {', '.join(names)}")
        if rows is not None:
            raise UsageFault(f"--rows needs a record type: {', '.join(names)}")
    many = workers or os.cpu_count() or 1
    slices = {name: slice_of(rows, run.table(name).count, name) for name in names}
    if dirt and (out is None or out == "-"):
        raise UsageFault("--errors writes an answer file beside the data: it needs --out")
    if most is not None and (to_screen or together or dirt):
        raise UsageFault("--rows-per-file needs --out, one file for each record type, and no --errors")
    if dirt and together:
        raise UsageFault(f"`{form}` cannot hold wrong values; --errors needs a format of texts, such as csv")
    if out is None or out == "-":
        _to_stdout(run, names[0], slices[names[0]], forms[names[0]], many)
    else:
        _to_files(run, slices, Path(out), forms, many, force, into_folder, dict(dirt), most)


def _dirty(
    run: Run, name: str, rows: tuple[int, int], form: Format, rates: Rates, path: Path, files: NewFiles,
    workers: int, progress: Callable[[int], None],
) -> tuple[str, int]:  # fmt: skip
    """Write a file with errors and its answers; return the summary and the size."""
    from yurt.cli.talk import plural, size_words
    from yurt.core.base.errors import UsageFault
    from yurt.core.dirt.dirty import write_dirty
    from yurt.core.formats.common.format import TextFormat

    if not isinstance(form, TextFormat):
        raise UsageFault(f"`{form.name}` cannot hold wrong values; --errors needs a format of texts, such as csv")
    answers = path.with_name(f"{stem(str(path))}-errors.csv")
    out, told = files.open(path), files.open(answers)
    total, size, errors = write_dirty(run, name, rows, form, rates, out, told, workers, progress)
    return f"{path}: {plural(total, 'row')}, {size_words(size)}; {answers}: {plural(errors, 'error')}", size


def _to_stdout(run: Run, name: str, rows: tuple[int, int], form: Format, workers: int) -> None:
    from yurt.cli.talk import plural
    from yurt.core.base.errors import UsageFault
    from yurt.core.writing.runs import write

    if sys.stdout.isatty() and form.binary:
        raise UsageFault(f"`{form.name}` is not for a terminal; name a file: --out {name}{form.suffix}")
    write(run, name, rows, form, sys.stdout.buffer, workers)
    sys.stdout.buffer.flush()
    click.echo(f"{name}: {plural(rows[1] - rows[0], 'row')}; {run.words}", err=True)


def _parts(path: Path, rows: tuple[int, int], most: int | None) -> list[tuple[Path, tuple[int, int]]]:
    """Return the files of some rows: one, or numbered ones with at most so many rows each."""
    start, stop = rows
    if most is None or stop - start <= most:
        return [(path, rows)]
    begins = range(start, stop, most)
    width = len(str(len(begins)))
    suffixes = "".join(path.suffixes[-2:]) if path.suffix.lower() in COMPRESSED else path.suffix
    base = path.name.removesuffix(suffixes)
    return [
        (path.with_name(f"{base}-{number:0{width}}{suffixes}"), (begin, min(begin + most, stop)))
        for number, begin in enumerate(begins, 1)
    ]


def _to_files(
    run: Run,
    slices: dict[str, tuple[int, int]],
    out: Path,
    forms: dict[str, Format],
    workers: int,
    force: bool,
    into_folder: bool,
    dirt: dict[str, float],
    most: int | None,
) -> None:
    from yurt.cli.talk import plural, progress_bar, size_words
    from yurt.core.base.files import NewFiles
    from yurt.core.dirt.dirty import rates_of
    from yurt.core.writing.runs import parents_first, write, write_into

    started = time.perf_counter()
    paths = {name: out / f"{name}{forms[name].suffix}" if into_folder else out for name in slices}
    parts = {name: _parts(paths[name], rows, most) for name, rows in slices.items()}
    rates = rates_of([run.schema.records[name] for name in slices], dirt) if dirt else {}
    total = sum(stop - start for start, stop in slices.values())
    lines: list[str] = []
    written: list[tuple[Path, int, str]] = []
    with NewFiles(force) as files, progress_bar(total) as progress:
        if into_folder:
            files.folder(out)
        for path in (path for each in parts.values() for path, _ in each):
            files.check(path)
        if len(slices) > 1 and not into_folder:
            book = next(iter(forms.values())).book(files.open(out))
            for name in parents_first(run.schema, list(slices)):
                write_into(book, run, name, slices[name], forms[name], workers, progress)
            book.close()
            words = ", ".join(plural(stop - start, name) for name, (start, stop) in slices.items())
            written.append((out, book.size, words))
            parts = {}
        for name, some in parts.items():
            for path, rows in some:
                if dirt:
                    told, size = _dirty(run, name, rows, forms[name], rates[name], path, files, workers, progress)
                    lines.append(told)
                    written.append((path, size, ""))
                    continue
                size = write(run, name, rows, forms[name], files.open(path), workers, progress)
                written.append((path, size, plural(rows[1] - rows[0], "row")))
    seconds = time.perf_counter() - started
    # A compressed file is smaller than what was written into it.
    sizes = [path.stat().st_size if path.suffix.lower() in COMPRESSED else size for path, size, _ in written]
    shown = list(zip(written, sizes, strict=True))
    told_of = [f"{path}: {words}, {size_words(size)}" for (path, _, words), size in shown if words]
    if len(told_of) > MOST_TOLD:
        told_of = [told_of[0], f"… {len(told_of) - 2:,} more …", told_of[-1]]
    for name, (start, stop) in slices.items():
        limit, rows_a_file = forms[name].rows_a_sheet, min(stop - start, most or total)
        if limit and rows_a_file > limit:
            further = plural(-(-rows_a_file // limit) - 1, "further sheet")
            told_of.insert(0, f"{name} goes on in {further}, because a sheet has at most {limit:,} rows")
    lines = [*told_of, *lines]
    rate = f"{total / max(seconds, 1e-9):,.0f} rows/s"
    if len(written) > 1:
        lines.append(f"{plural(total, 'row')}, {plural(len(written), 'file')}, {size_words(sum(sizes))}")
    click.echo("\n".join(lines) + f" in {seconds:.1f} s ({rate}); {run.words}", err=True)
