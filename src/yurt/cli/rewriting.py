"""Writes existing files again, for `yurt extend` and `yurt disguise`, and reports what was written."""

from __future__ import annotations

import os
import sys
import time
from collections.abc import Callable
from datetime import date
from pathlib import Path
from typing import IO, TYPE_CHECKING

import click

from yurt.cli.existing import (
    STDIN,
    Reads,
    Setting,
    Source,
    carried,
    copied_tables,
    form_of,
    loaded_table,
    opened_sources,
    record_names,
    record_types,
    schema_over,
    surveyed,
    targets,
    text_of_lines,
)  # fmt: skip
from yurt.core.base.data_classes import dataclass, field, replace
from yurt.core.base.errors import UsageFault
from yurt.core.base.streams import COMPRESSED, decompressing
from yurt.core.base.urls import is_url

if TYPE_CHECKING:
    from yurt.core.base.files import NewFiles
    from yurt.core.engine.run import Run
    from yurt.core.existing.columns import Existing
    from yurt.core.existing.rewriting import Rewriting
    from yurt.core.formats.common.format import Format
    from yurt.core.keyed.secret import Secret
    from yurt.core.model import Schema

# The number of bytes from which the number of lines of a file is estimated.
SAMPLE = 1 << 18


@dataclass(frozen=True)
class Options:
    """The options of a call."""

    data: tuple[str, ...]
    schema: Path | None
    fields: tuple[str, ...]
    out: str | None
    kind: str | None
    withs: tuple[Setting, ...]
    read_kind: str | None
    read_withs: tuple[Setting, ...]
    locale: str | None
    today: date | None
    seed: int | None
    workers: int
    force: bool
    unmatched: str = "drawn"
    count: int = 0
    # The columns by which rows that were there before are left out; all of them if there are none.
    distinct: tuple[str, ...] | None = None


@dataclass
class Result:
    """What became of a file: its new name (None for standard output), rows, bytes, and sentences about it."""

    path: Path | None
    rows: int
    size: int
    notes: list[str] = field(default_factory=list)
    # What it is called in the summary; by default, by its name.
    shown: str = ""
    # Why it was not written after all; empty if it was.
    refused: str = ""


@dataclass(frozen=True)
class Job:
    """A file and what is made of it."""

    source: Source
    target: Path | None
    form: Format


class Rewriter:
    """Writes the files of a call again: all new files appear, or none."""

    # Whether new columns may be about the person of a row.
    new_persons = True

    def __init__(self, options: Options) -> None:
        self.options = options
        self.reads = Reads(options.read_kind, options.read_withs)
        self.words = ""
        # Whether nothing is written at all.
        self.looking = False
        self.secret: Secret | None = None

    @property
    def beside(self) -> Path | None:
        """What a folder for existing values lies beside; None if no new file is written."""
        out = self.options.out
        return None if out is None or out == STDIN or is_url(out) else Path(out)

    def show_first_rows(self) -> None:
        """Print the first rows of each file before and after, and write nothing."""
        from yurt.cli.differences import show

        self.looking = True
        self.options = replace(self.options, out=None, kind="csv", withs=())

        def shown(schema: Schema, jobs: list[Job]) -> list[Result]:
            self.prepare()
            for job in jobs:
                show(self.rewriting(schema, job))
            return []

        self._with_jobs(shown)

    def prepare(self) -> None:
        """Get what a run needs besides its options, once its lines have been read; by default, nothing."""

    def run(self) -> list[Result]:
        """Write the new files, and return what became of each."""

        def written(schema: Schema, jobs: list[Job]) -> list[Result]:
            self.prepare()
            return self._written(schema, jobs)

        return self._with_jobs(written)

    def _with_jobs(self, use: Callable[[Schema, list[Job]], list[Result]]) -> list[Result]:
        options = self.options
        if (options.schema is None) == (not options.fields):
            raise UsageFault(
                "the lines are in a schema, --schema FILE, or on the command line: --field 'region: region'"
            )
        text = text_of_lines(options.schema, options.fields)
        files = record_names(options.data, record_types(options.schema, text))
        if options.fields and len(files) > 1:
            raise UsageFault("--field is about one file; lines about several are in a schema: --schema FILE")
        with opened_sources(files, self.reads, self.beside) as sources:
            places = [None] * len(sources) if self.looking else targets(sources, options.out, options.kind)
            names = [form_of(each, place, options.kind) for each, place in zip(sources, places, strict=True)]
            schema = self._schema(text, sources, names)
            jobs = [Job(source, place, self._form(schema, source, name))
                    for source, place, name in zip(sources, places, names, strict=True)]  # fmt: skip
            return use(schema, jobs)

    def _schema(self, text: str, sources: list[Source], names: list[str]) -> Schema:
        from yurt.core.formats import FORMATS

        for source, name in zip(sources, names, strict=True):
            counted = bool(self.options.count) or "unique" in text
            source.survey = surveyed(source, text, FORMATS[name], self.options.workers, counted, self.new_persons)
        return schema_over(self.options.schema, self.options.fields, sources, self.options.locale)

    def _form(self, schema: Schema, source: Source, name: str) -> Format:
        from yurt.cli.options import output_of

        own = carried(source, name, self.reads, self.options.withs)
        return output_of(schema, own).format(name, source.file.record)

    def _written(self, schema: Schema, jobs: list[Job]) -> list[Result]:
        from yurt.cli.talk import progress_bar
        from yurt.core.base.files import NewFiles

        self.checked(schema, jobs)
        if self.options.out is not None and is_url(self.options.out):
            return self._loaded(schema, jobs, self.options.out)
        to_file = jobs[0].target is not None
        with NewFiles(self.options.force) as files:
            with progress_bar(expected_rows(jobs)) as progress:
                for job in jobs:
                    if job.target is not None:
                        files.folder(job.target.parent)
                        files.check(job.target)
                results = [self._one(schema, job, files if to_file else None, progress) for job in jobs]
            if to_file and (why := self._refusal(schema, jobs, results, files.complete())):
                files.drop()
                results = [replace(each, refused=why) for each in results]
        return results

    def _refusal(self, schema: Schema, jobs: list[Job], results: list[Result], places: dict[Path, Path]) -> str:
        """Return why the new files, which lie at other `places` until now, must not have their names."""

        def new(job: Job) -> Existing:
            from yurt.core.existing.columns import existing_file

            assert job.target is not None
            target, form = job.target, job.form
            place = places[Path(os.path.realpath(target)) if target.is_symlink() else target]
            opener = form.encoding.decoding(decompressing(target, lambda: place.open("rb")))
            return existing_file(str(target), opener, form, job.source.file.record, empty=True)

        return self.refusal(schema, jobs, [each.rows for each in results], new)

    def checked(self, schema: Schema, jobs: list[Job]) -> None:
        """Refuse what only the schema and the files together show."""
        for job in jobs:
            if not schema.records[job.source.file.record].shown:
                raise UsageFault(f"{job.source.file.name}: no column is left")
        for each in self.options.distinct or ():
            for job in jobs:
                self.known_column(each, schema, job, "--distinct")

    def _loaded(self, schema: Schema, jobs: list[Job], url: str) -> list[Result]:
        """Fill the tables of a database."""
        from typing import cast

        from yurt.cli.talk import progress_bar
        from yurt.core.databases.address import address_of
        from yurt.core.databases.common.loading import Loading
        from yurt.core.databases.connecting import connected
        from yurt.core.formats.database import Database

        address = address_of(url)
        settings = {job.source.file.record: cast("Database", job.form) for job in jobs}
        for job in jobs:
            name = job.source.file.record
            table = settings[name].table or name
            if not is_url(job.source.path) or (own := address_of(job.source.path)).url != address.url:
                continue
            if table == name:
                raise UsageFault(f"table `{name}` is the one that is read; write another with --with {name}.table=NAME")
            if own.database == "duckdb":
                raise UsageFault(f"{own.shown}: DuckDB cannot read a file that it writes; name another file with --out")
        rewritings = {job.source.file.record: self.rewriting(schema, job) for job in jobs}
        copied = copied_tables(schema, [job.source for job in jobs], bool(self.options.count))
        connection = connected(address)
        try:
            with Loading(connection, schema, settings, copied) as loading:
                with progress_bar(0) as progress:
                    loading.prepare(lambda name: rewritings[name].empty().schema)
                    rows = {
                        name: each.write(loading, self.options.workers, progress) for name, each in rewritings.items()
                    }

                def new(job: Job) -> Existing:
                    return loaded_table(loading, job.source.file.record, address.shown)

                why = self.refusal(schema, jobs, list(rows.values()), new)
                if why:
                    loading.undo()
                else:
                    loading.close()
        finally:
            connection.close()
        self.words = next(iter(rewritings.values())).run.words
        results = []
        for job in jobs:
            name = job.source.file.record
            shown = f"{address.shown}, table {settings[name].table or name}"
            notes = [*rewritings[name].notes(), *(copied[name].omitted if name in copied else ())]
            results.append(Result(None, rows[name], -1, notes, shown, why))
        return results

    def refusal(self, schema: Schema, jobs: list[Job], rows: list[int], new: Callable[[Job], Existing]) -> str:
        """Return why the new files or tables must not be there; empty if they may. `new` reads that of a job."""
        return ""

    def known_column(self, name: str, schema: Schema, job: Job, option: str) -> None:
        """Raise UsageFault for a column that a new file does not have."""
        from yurt.core.base.nearest import did_you_mean
        from yurt.core.engine.structs import titles

        known = titles(schema.records[job.source.file.record], nests=job.form.nests)
        if name not in known:
            hint = did_you_mean(name, known) or ", ".join(known[:12])
            raise UsageFault(f"{option}: the new file has no column `{name}`; {hint}")

    def _one(self, schema: Schema, job: Job, files: NewFiles | None, progress: Callable[[int], None]) -> Result:
        rewriting = self.rewriting(schema, job)
        self.words = rewriting.run.words
        if sys.stdout.isatty() and job.target is None and job.form.binary:
            raise UsageFault(f"`{job.form.name}` is not for a terminal; name a file: --out result{job.form.suffix}")
        out: IO[bytes] = sys.stdout.buffer if files is None or job.target is None else files.open(job.target)
        book = job.form.book(out)
        rows = rewriting.write(book, self.options.workers, progress, self.beside and job.target)
        book.close()
        if job.target is None:
            sys.stdout.buffer.flush()
        return Result(job.target, rows, book.size, [*rewriting.notes(), *self._other_sheets(schema, job)])

    def _other_sheets(self, schema: Schema, job: Job) -> list[str]:
        """Return a sentence about the sheets that are passed on, if there are any."""
        name = job.source.file.record
        carried_on = carried(job.source, job.form.name, self.reads, self.options.withs)
        book = next(
            (value for record, setting, value in carried_on if setting == "workbook" and record in ("", name)), ""
        )
        if not book or job.form.name != "xlsx":
            return []
        return [f"the other sheets of {book} are in it as they were; nothing in them is treated or looked at"]

    def rewriting(self, schema: Schema, job: Job) -> Rewriting:
        """Return what writes one file."""
        from yurt.core.existing.distinct import Distinct
        from yurt.core.existing.more_rows import MoreRows
        from yurt.core.existing.rewriting import Rewriting
        from yurt.core.existing.rows import FileRows

        survey = job.source.survey
        assert survey is not None
        rows = FileRows()
        options, file = self.options, job.source.file
        known = survey.rows + options.count if survey.rows >= 0 else -1
        found = Rewriting(
            self.made_run(schema, job, rows, known), file, rows, job.form, survey.types, options.unmatched
        )
        if options.count:
            found.count, found.more = options.count, MoreRows((*file.titles, *file.nested), found.run.seed)
        if options.distinct is not None:
            found.distinct = Distinct(options.distinct)
        return found

    def made_run(self, schema: Schema, job: Job, rows: object, count: int) -> Run:
        """Return the run of the lines about one file; `count` is negative if the number of rows is not known."""
        from yurt.core.engine.run import Run, RunOptions
        from yurt.core.existing.rows import FileRows

        assert isinstance(rows, FileRows)
        name = job.source.file.record
        # New columns of a disguised file follow from the secret as well.
        seed = self.options.seed if self.secret is None else self.secret.seed()
        options = RunOptions(seed, self.options.today, count if count >= 0 else 10**12)
        return Run(schema, options, only=name, unmeasured=name, existing={name: rows}, secret=self.secret)


def expected_rows(jobs: list[Job]) -> int:
    """Return the number of rows for a progress bar: estimated from the first lines of a text; 0 if nobody can tell."""
    total = 0
    for job in jobs:
        rows = job.source.survey.rows if job.source.survey is not None else -1
        path = Path(job.source.path)
        if rows < 0 and job.source.file.form.holds_anything and path.is_file() and path.suffix not in COMPRESSED:
            with path.open("rb") as stream:
                start = stream.read(SAMPLE)
            rows = path.stat().st_size * start.count(b"\n") // max(len(start), 1) // 1000 * 1000
        if rows < 0:
            return 0
        total += rows
    return total


def columns_of(told: str | None) -> tuple[str, ...] | None:
    """Return the columns of an option such as `name, born`; none of them for `all`, None without the option."""
    if told is None:
        return None
    return () if told.strip() == "all" else tuple(each.strip() for each in told.split(",") if each.strip())


def summary(results: list[Result], started: float, words: str) -> None:
    """Print what was written."""
    from yurt.cli.talk import plural, size_words

    seconds = time.perf_counter() - started
    total = sum(each.rows for each in results if not each.refused)
    for each in results:
        where = each.shown or (str(each.path) if each.path is not None else "standard output")
        if each.refused:
            click.echo(f"{where}: not written; {each.refused}", err=True)
            continue
        size = each.path.stat().st_size if each.path is not None else each.size
        told = f", {size_words(size)}" if size >= 0 else ""
        click.echo(f"{where}: {plural(each.rows, 'row')}{told}", err=True)
        for note in each.notes:
            click.echo(f"  {note}", err=True)
    rate = f"{total / max(seconds, 1e-9):,.0f} rows/s"
    click.echo(f"{plural(total, 'row')} in {seconds:.1f} s ({rate}); {words}", err=True)
