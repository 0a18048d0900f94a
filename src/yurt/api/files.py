"""Generates files and fills databases."""

from __future__ import annotations

import os
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING, cast

from yurt.api.arguments import check_record_type, check_schema, check_whole, run_options
from yurt.api.data_files import folder_for, format_of_output, one_file_for_all
from yurt.api.in_parts import Wanted, parts_asked, write_in_parts
from yurt.core.base.data_classes import replace
from yurt.core.base.errors import UsageFault
from yurt.core.base.files import NewFiles
from yurt.core.base.nearest import did_you_mean
from yurt.core.base.urls import is_url
from yurt.core.databases.address import address_of
from yurt.core.databases.common.loading import Loading
from yurt.core.databases.connecting import connected
from yurt.core.engine.blocks import block, slice_of
from yurt.core.engine.run import Run, RunOptions
from yurt.core.formats import FILE_FORMATS
from yurt.core.formats.common.format import Format
from yurt.core.model import Schema
from yurt.core.planning.references import parents_first
from yurt.core.writing.jobs import pinned, request_of
from yurt.core.writing.nested import below
from yurt.core.writing.objects_place import place_of
from yurt.core.writing.output import Given, Output
from yurt.core.writing.receipt import made_of_files
from yurt.core.writing.rows_digest import digest_of_rows
from yurt.core.writing.runs import write, write_into

if TYPE_CHECKING:
    from yurt.core.formats.database import Database


@dataclass(frozen=True)
class Generated:
    """What `generate` has written: the files (none for a database), the rows of each record type, and the seed."""

    files: list[Path]
    rows: dict[str, int]
    seed: int


def generate(
    schema: Schema,
    out: str | Path,
    record_type: str | None = None,
    *,
    format: str | None = None,  # noqa: A002
    settings: Mapping[str, str] | None = None,
    rows: tuple[int, int] | None = None,
    seed: int | None = None,
    today: date | None = None,
    count: int | None = None,
    scale: float = 1.0,
    workers: int | None = None,
    force: bool = False,
    parts: int | str | None = None,
    resume: bool = False,
    receipt: str | Path | None = None,
    cluster: str | None = None,
) -> Generated:
    """Write records as `yurt generate` does: into a file, a folder, or the tables of a database by its URL.

    The format is named by the suffix of `out`, or by `format`; `settings` are those of the format, such as
    `{"delimiter": "semicolon"}`. Files appear whole or not at all, and an existing one is overwritten only by `force`.
    `parts` (a number, or a size such as `"200MB"`), `resume`, `receipt`, and `cluster` are the options of these names.
    Raises YurtError with the message of the command line.
    """
    check_schema(schema)
    if record_type is not None:
        check_record_type(schema, record_type)
    check_whole("workers", workers, 1, 256)
    if format is not None and format not in FILE_FORMATS:
        hint = did_you_mean(str(format), FILE_FORMATS) or ", ".join(FILE_FORMATS)
        raise UsageFault(f"there is no format `{format}`; {hint}")
    if not isinstance(out, str | Path):
        raise UsageFault(f"`out` is a file, a folder, or the URL of a database, not {type(out).__name__}")
    options = run_options(seed, today, count, scale)
    given = tuple(_setting(name, value) for name, value in (settings or {}).items())
    many, wanted = workers or os.cpu_count() or 1, None
    request = replace(request_of(schema, record_type, options, format or "csv"), settings=given, rows=rows)
    if parts is not None:
        own = Path(receipt) if receipt is not None else None
        job, files = write_in_parts(
            schema, request, place_of(str(out)), parts_asked(parts), many, resume=resume, force=force, receipt=own,
            cluster=cluster,
        )  # fmt: skip
        return Generated(files, {name: stop - start for name, (start, stop) in job.slices.items()}, job.run.seed)
    if resume or cluster:
        raise UsageFault(f"`{'resume' if resume else 'cluster'}` needs `parts`")
    if receipt is not None:
        request = pinned(request, schema)
        options = RunOptions(request.seed, request.today, count, scale)
    target, names = str(out), [record_type] if record_type is not None else list(schema.records)
    database = is_url(target)
    together = not database and len(names) > 1 and one_file_for_all(target, format)
    if not together and not database:
        folder_for(target, names)
    into_folder = not together and (len(names) > 1 or target.endswith(("/", os.sep)) or Path(target).is_dir())
    kind = "database" if database else format or ("csv" if into_folder else format_of_output(Path(target), format))
    output = Output(schema, tuple(Given(*each) for each in given))
    forms = {name: output.format(kind, name) for name in names}
    inside = below(schema, [name for name in names if forms[name].inside])
    run = Run(output.dressed(dict.fromkeys([*names, *inside], kind)), options, only=record_type, inside=inside)
    names = [name for name in names if record_type is not None or name not in inside]
    if rows is not None and len(names) > 1:
        raise UsageFault(f"`rows` needs a record type: {', '.join(names)}")
    slices = {name: slice_of(rows, run.table(name).count, name) for name in names}
    if receipt is not None:
        wanted = Wanted(Path(receipt), schema, replace(request, format=kind))
        NewFiles(force).check(wanted.path)
    if not database:
        files = _write(run, slices, Path(target), forms, many, into_folder, force, wanted)
    else:
        files = []
        _load(run, slices, target, forms, many)
        if wanted is not None:
            made = [digest_of_rows(run, name, each, many) for name, each in slices.items()]
            with NewFiles(force) as new:
                new.open(wanted.path).write(wanted.content("database", made))
    return Generated(files, {name: stop - start for name, (start, stop) in slices.items()}, run.seed)


def _setting(told: str, value: str) -> tuple[str, str, str]:
    record, _, name = told.rpartition(".")
    return record, name, str(value)


def _write(
    run: Run, slices: dict[str, tuple[int, int]], out: Path, forms: dict[str, Format], workers: int,
    into_folder: bool, force: bool, wanted: Wanted | None,
) -> list[Path]:  # fmt: skip
    written: dict[Path, int] = {}
    with NewFiles(force) as files:
        if into_folder:
            files.folder(out)
        if len(slices) > 1 and not into_folder:
            book = next(iter(forms.values())).several(files.open(out))
            for name in parents_first(run.schema, list(slices)):
                write_into(book, run, name, slices[name], forms[name], workers)
            book.close()
            paths = [out]
        else:
            for name, rows in slices.items():
                path = out / f"{name}{forms[name].suffix}" if into_folder else out
                write(run, name, rows, forms[name], files.open(path), workers)
                written[path] = rows[1] - rows[0]
            paths = list(written)
        if wanted is not None:
            made = made_of_files(files.complete(), out if into_folder else out.parent, written)
            target, own = ("folder", "") if into_folder else ("file", out.name)
            files.open(wanted.path).write(wanted.content(target, made, own))
    return paths


def _load(run: Run, slices: dict[str, tuple[int, int]], url: str, forms: dict[str, Format], workers: int) -> None:
    """Fill the tables of a database, parents first, in one transaction."""
    connection = connected(address_of(url))
    try:
        settings = {name: cast("Database", forms[name]) for name in slices}
        with Loading(connection, run.schema, settings) as loading:
            loading.prepare(lambda name: block(run, name, 0, 0, typed=True, nests=False).schema)
            for name in parents_first(run.schema, list(slices)):
                write_into(loading, run, name, slices[name], forms[name], workers)
            loading.close()
    finally:
        connection.close()
