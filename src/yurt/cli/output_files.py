"""Writes the files of `yurt generate`, and reports what is in them."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from typing import IO, TYPE_CHECKING

import click

from yurt.api.data_files import stem
from yurt.core.base.data_classes import dataclass, field
from yurt.core.base.streams import COMPRESSED

if TYPE_CHECKING:
    from yurt.core.base.files import NewFiles
    from yurt.core.dirt.dirty import Rates
    from yurt.core.model import Schema
    from yurt.core.writing.jobs import Job
    from yurt.core.writing.request import Request

# The maximum number of files that the summary names.
MOST_TOLD = 20


@dataclass(frozen=True)
class Splitting:
    """How the rows of a record type are spread over files: by rows, by bytes, or by the value of a field."""

    rows: int | None = None
    size: int | None = None
    # Rows by record type, where they differ.
    rows_of: dict[str, int] = field(default_factory=dict)
    # The field by record type.
    field: dict[str, str] = field(default_factory=dict)

    @property
    def any(self) -> bool:
        """Whether there is more than one file of a record type."""
        return self.rows is not None or self.size is not None or bool(self.field or self.rows_of)


@dataclass(frozen=True)
class Wanted:
    """The receipt that is to be written: where, and of what."""

    path: Path
    schema: Schema
    request: Request


@dataclass
class Done:
    """What was written: the files with their bytes and what is in them, and further lines for the summary, in front of
    the files and behind them.
    """

    files: list[tuple[Path, int, str]] = field(default_factory=list)
    first: list[str] = field(default_factory=list)
    lines: list[str] = field(default_factory=list)
    # The rows of the files that hold one record type.
    rows: dict[Path, int] = field(default_factory=dict)


class Files:
    """Writes the files of some runs: all of them appear, or none."""

    def __init__(
        self, out: Path, into_folder: bool, splitting: Splitting, dirt: dict[str, float], workers: int, force: bool,
        receipt: Wanted | None = None, progress: str = "auto",
    ) -> None:  # fmt: skip
        self.out, self.into_folder, self.splitting = out, into_folder, splitting
        self.dirt, self.workers, self.force = dirt, workers, force
        self.receipt, self.progress = receipt, progress
        self.done = Done()

    def write(self, jobs: list[Job]) -> None:
        """Write all files, and print the summary."""
        from yurt.cli.talk import plural, size_words

        started = time.perf_counter()
        self.make(jobs)
        total = sum(job.rows for job in jobs)
        seconds = time.perf_counter() - started
        # A compressed file is smaller than what was written into it.
        sizes = [
            path.stat().st_size if path.suffix.lower() in COMPRESSED else size for path, size, _ in self.done.files
        ]
        sized = list(zip(self.done.files, sizes, strict=True))
        told = [f"{path}: {words}, {size_words(size)}" for (path, _, words), size in sized if words]
        if len(told) > MOST_TOLD:
            told = [told[0], f"… {len(told) - 2:,} more …", told[-1]]
        lines = [*self._sheets(jobs), *self.done.first, *told, *self.done.lines]
        rate = f"{total / max(seconds, 1e-9):,.0f} rows/s"
        if len(self.done.files) > 1:
            lines.append(f"{plural(total, 'row')}, {plural(len(self.done.files), 'file')}, {size_words(sum(sizes))}")
        click.echo("\n".join(lines) + f" in {seconds:.1f} s ({rate}); {jobs[0].run.words}", err=True)

    def make(self, jobs: list[Job]) -> None:
        """Write all files."""
        from yurt.cli.progress import Progress, shown
        from yurt.core.base.files import NewFiles

        total = sum(job.rows for job in jobs)
        with NewFiles(self.force) as files, shown(Progress(total), self.progress) as progress:
            progress.size = files.size
            if self.into_folder:
                files.folder(self.out)
            self._check(jobs, files)
            for job in jobs:
                self._job(job, files, progress)
            if self.receipt is not None:
                self._receipt(self.receipt, files)

    def _check(self, jobs: list[Job], files: NewFiles) -> None:
        """Refuse what is there already."""
        if self.receipt is not None:
            files.check(self.receipt.path)
        for job in jobs:
            for name in job.slices:
                if not self.splitting.size and name not in self.splitting.field:
                    for path, _ in self._parts(job, name):
                        files.check(path)

    def _receipt(self, wanted: Wanted, files: NewFiles) -> None:
        """Write the receipt, last of all, of the files that will get their names with it."""
        from yurt.core.writing.receipt import made_of_files, receipt_of

        folder = self.out if self.into_folder else self.out.parent
        made = made_of_files(files.complete(), folder, self.done.rows)
        target, out = ("folder", "") if self.into_folder else ("file", self.out.name)
        receipt = receipt_of(wanted.schema, wanted.request, target, made, out)
        files.open(wanted.path).write(receipt.text.encode())
        self.done.first.append(f"{wanted.path}: the receipt; `yurt reproduce` proves every byte by it")

    def dry_run(self, jobs: list[Job]) -> None:
        """Say what the run would take."""
        from yurt.cli.dry_run import Asked, say
        from yurt.core.base.files import NewFiles
        from yurt.core.writing.folder_place import Folder

        asked = [
            Asked(job, name, self._path(job, name), self.splitting.rows_of.get(name, self.splitting.rows))
            for job in jobs for name in job.slices
        ]  # fmt: skip
        if self.splitting.size or self.splitting.field:
            click.echo("not looked at: whether files of these names are there; their names follow from the rows")
        folder = Folder(self.out if self.into_folder else self.out.parent)
        say(jobs, asked, folder, self.workers, lambda: self._check(jobs, NewFiles(self.force)))

    def _job(self, job: Job, files: NewFiles, progress: Callable[[int], None]) -> None:
        from yurt.cli.talk import plural
        from yurt.core.planning.references import parents_first
        from yurt.core.writing.runs import write, write_into

        if len(job.slices) > 1 and not self.into_folder:
            path = self._path(job, next(iter(job.slices)))
            book = next(iter(job.forms.values())).several(files.open(path))
            for name in parents_first(job.run.schema, list(job.slices)):
                write_into(book, job.run, name, job.slices[name], job.forms[name], self.workers, progress)
            book.close()
            words = ", ".join(plural(stop - start, name) for name, (start, stop) in job.slices.items())
            self.done.files.append((path, book.size, words))
            return
        rates: dict[str, Rates] = {}
        if self.dirt:
            from yurt.core.dirt.dirty import rates_of

            rates = rates_of([job.run.schema.records[name] for name in job.slices], self.dirt)
        for name in job.slices:
            if self.splitting.size or name in self.splitting.field:
                self._split(job, name, files, progress)
                continue
            for path, rows in self._parts(job, name):
                if rates:
                    self._dirty(job, name, rows, rates[name], path, files, progress)
                    continue
                size = write(job.run, name, rows, job.forms[name], files.open(path), self.workers, progress)
                self.done.rows[path] = rows[1] - rows[0]
                self.done.files.append((path, size, plural(rows[1] - rows[0], "row")))

    def _split(self, job: Job, name: str, files: NewFiles, progress: Callable[[int], None]) -> None:
        """Write the files of a record type whose number is known only when they are written."""
        from yurt.cli.talk import plural
        from yurt.core.base.errors import UsageFault
        from yurt.core.writing.nested import children_of
        from yurt.core.writing.parts import labelled
        from yurt.core.writing.splits import write_by_size, write_by_value

        path = self._path(job, name)

        def opened(label: str) -> tuple[Path, IO[bytes]]:
            own = labelled(path, label)
            return own, files.open(own)

        rows, form = job.slices[name], job.forms[name]
        if form.inside and children_of(job.run.schema, name):
            raise UsageFault(f"`{name}` has children inside it, which only --rows-per-file can split")
        if self.splitting.size:
            parts = write_by_size(job.run, name, rows, form, self.splitting.size, opened, self.workers, progress)
        else:
            own = self.splitting.field[name]
            parts = write_by_value(job.run, name, rows, form, own, opened, self.workers, progress)
        self.done.rows |= {each.path: each.rows for each in parts}
        self.done.files += [(each.path, each.size, plural(each.rows, "row")) for each in parts]

    def _dirty(
        self, job: Job, name: str, rows: tuple[int, int], rates: Rates, path: Path, files: NewFiles,
        progress: Callable[[int], None],
    ) -> None:  # fmt: skip
        """Write a file with errors and its answers."""
        from yurt.cli.talk import plural, size_words
        from yurt.core.base.errors import UsageFault
        from yurt.core.dirt.dirty import write_dirty
        from yurt.core.formats.common.format import TextFormat

        form = job.forms[name]
        if not isinstance(form, TextFormat):
            raise UsageFault(f"`{form.name}` cannot hold wrong values; --errors needs a format of texts, such as csv")
        answers = path.with_name(f"{stem(str(path))}-errors.csv")
        out, told = files.open(path), files.open(answers)
        total, size, errors, unfit = write_dirty(job.run, name, rows, form, rates, out, told, self.workers, progress)
        self.done.rows[path] = total
        words = f"{path}: {plural(total, 'row')}, {size_words(size)}; {answers}: {plural(errors, 'error')}"
        words += f"; {plural(unfit, 'error')} left out, because {form.name} cannot hold them" if unfit else ""
        self.done.lines.append(words)
        self.done.files.append((path, size, ""))

    def _path(self, job: Job, name: str) -> Path:
        """Return the file of a record type."""
        path = self.out / f"{name}{job.forms[name].suffix}" if self.into_folder else self.out
        if not job.label:
            return path
        from yurt.core.writing.parts import labelled

        return labelled(path, job.label)

    def _parts(self, job: Job, name: str) -> list[tuple[Path, tuple[int, int]]]:
        """Return the files of some rows: one, or numbered ones with at most so many rows each."""
        from yurt.core.writing.parts import parts_of

        most = self.splitting.rows_of.get(name, self.splitting.rows)
        return [(each.path, each.rows) for each in parts_of(name, self._path(job, name), job.slices[name], most)]

    def _sheets(self, jobs: list[Job]) -> list[str]:
        """Return what the summary says about record types that need several sheets."""
        from yurt.cli.talk import plural

        found: list[str] = []
        for job in jobs:
            for name, (start, stop) in job.slices.items():
                found += reversed(job.forms[name].notes(job.run.schema.records[name]) if not job.label else [])
                limit, rows = job.forms[name].rows_a_sheet, min(stop - start, self.splitting.rows or stop - start)
                if limit and rows > limit and job.forms[name].sheets_of:
                    found.append(f"{name}: a value with more than {limit:,} rows goes on in further sheets")
                elif limit and rows > limit and not self.splitting.field:
                    further = plural(-(-rows // limit) - 1, "further sheet")
                    found.append(f"{name} goes on in {further}, because a sheet has at most {limit:,} rows")
        return list(dict.fromkeys(reversed(found)))
