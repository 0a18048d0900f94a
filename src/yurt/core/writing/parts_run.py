"""A run in parts: files that are finished one after the other, so that it can go on where it was ended."""

from __future__ import annotations

import re
import time
from collections.abc import Callable
from pathlib import Path
from typing import IO, Protocol

from yurt.core.base.data_classes import dataclass, replace
from yurt.core.base.errors import SurroundingsFault, UsageFault
from yurt.core.base.files import NewFiles
from yurt.core.base.unfinished_sets import IN_FOLDER
from yurt.core.base.versions import differing
from yurt.core.model import Schema
from yurt.core.text.words import plural, size_words
from yurt.core.writing.estimate import size_of
from yurt.core.writing.jobs import Job
from yurt.core.writing.parts import MOST_PARTS, Part, made_of, parts_of, rows_a_part
from yurt.core.writing.places import Place
from yurt.core.writing.receipt import Made, Receipt, receipt_of
from yurt.core.writing.request import Request
from yurt.core.writing.runs import write
from yurt.core.writing.unfinished import Begun, Journal, finished, missing_and_changed, named, remove

# The bytes that stay free on a disk, and the seconds between two looks at it.
RESERVE, AGAIN = 1 << 26, 1.0
# The bytes of the units of a size.
BYTES = {"b": 1, "kb": 10**3, "mb": 10**6, "gb": 10**9}
# The options that have another name than what they set.
OPTIONS = {
    "record": "the record type", "fields": "--field", "replaced": "--set", "variants": "--variant",
    "settings": "--with", "part_rows": "--parts",
}  # fmt: skip
# Fewer rows than these are not worth a sample that tells how large they will be.
WORTH_A_SAMPLE = 1_000_000


@dataclass(frozen=True)
class Parts:
    """How a record type is divided: into a number of parts, or into parts of about so many bytes."""

    count: int | None = None
    size: int | None = None


def parts_told(text: str) -> Parts | None:
    """Return what a number of parts or a size says, such as `40` or `200MB`; None for anything else."""
    found = re.fullmatch(r"(\d{1,9}) ?([kmg]?b)?", text.strip().lower())
    if found is None or not int(found[1]) or (not found[2] and int(found[1]) > MOST_PARTS):
        return None
    return Parts(size=int(found[1]) * BYTES[found[2]]) if found[2] else Parts(count=int(found[1]))


def divided(request: Request, job: Job, parts: Parts) -> Request:
    """Return the request with the rows of a part of each record type. Raises UsageFault."""
    if parts.count is not None:
        most = rows_a_part(job.slices, parts.count)
        found = dict.fromkeys(job.slices, most)
    else:
        found, limit = {}, parts.size or 1
        for name, rows in job.slices.items():
            size = size_of(job.run, name, rows, job.forms[name], Path(name))
            found[name] = max(limit * max(rows[1] - rows[0], 1) // max(size, 1), 1)
    many = sum(-(-(rows[1] - rows[0]) // found[name]) for name, rows in job.slices.items())
    if many > MOST_PARTS:
        raise UsageFault(f"{many:,} parts are more than {MOST_PARTS:,}; make them larger")
    return replace(request, part_rows=tuple(found.items()))


class Watcher(Protocol):
    """Sees how far a run is."""

    def begin(self, number: int) -> None:
        """See a part begin; the first is 1."""

    def __call__(self, rows: int) -> None:
        """See rows that are written."""

    def finish(self, size: int) -> None:
        """See a part end that has so many bytes."""


class Unwatched:
    """Sees nothing."""

    def begin(self, number: int) -> None:
        """Do nothing."""

    def __call__(self, rows: int) -> None:
        """Do nothing."""

    def finish(self, size: int) -> None:
        """Do nothing."""


class PartsRun:
    """Writes the parts of a job into a folder."""

    def __init__(
        self, schema: Schema, request: Request, job: Job, place: Place, workers: int, *, resume: bool = False,
        force: bool = False, receipt: Path | None = None,
    ) -> None:  # fmt: skip
        """`request` has the seed and the day, and the rows of a part; `receipt` is where else the receipt goes."""
        self.request, self.job, self.place = request, job, place
        self.workers, self.resume, self.force = workers, resume, force
        most = dict(request.part_rows)
        self.parts = [
            part for name, rows in job.slices.items()
            for part in parts_of(name, Path(f"{name}{job.forms[name].suffix}"), rows, most[name])
        ]  # fmt: skip
        self.copy_of_receipt = receipt
        # As it is now: the files of the schema may change while the run goes on.
        self.receipt = receipt_of(schema, request, "folder", ())
        # The parts that were there and have to be made again, and what the summary says of them.
        self.again: set[str] = set()
        self.resumed = False
        self.notes: list[str] = []

    @property
    def first(self) -> dict[str, Part]:
        """The first part of each record type."""
        found: dict[str, Part] = {}
        for each in self.parts:
            found.setdefault(each.record, each)
        return found

    # ---- what is there already ------------------------------------------------------------------------------------

    def check(self) -> tuple[Journal | None, Receipt | None]:
        """Return the journal and the receipt in the folder. Raises UsageFault for what is not to be touched."""
        journal, receipt = Journal.found(self.place), finished(self.place)
        if receipt is not None and self.resume:
            self._same(receipt.request, receipt.schema_digest)
        elif journal is not None and self.resume:
            self._same(journal.begun.request, journal.begun.schema)
        elif receipt is not None and not self.force:
            told = f"{self.place.name} holds a finished run of {plural(len(receipt.files), 'part')}"
            raise UsageFault(f"{told}; --force replaces it, and --resume looks whether it is complete")
        elif journal is not None and not self.force:
            told = f"{self.place.name} holds an unfinished run: {plural(len(journal.done), 'part')} are there"
            raise UsageFault(f"{told}; --resume goes on with it, and --force begins anew")
        elif journal is None and receipt is None:
            self._refuse_existing()
        return journal, receipt

    def begin(self) -> Journal | None:
        """Return the journal to go on with, whose parts are there as they were; None if the run is finished.

        Raises SurroundingsFault if the disk has no room, and UsageFault for what is not to be touched.
        """
        self._check_space()
        journal, receipt = self.check()
        if self.resume and receipt is not None:
            return self._complete(receipt, journal)
        if self.resume and journal is not None:
            self._look(journal.done)
            self._refuse_versions(journal.begun.versions)
            self.resumed = True
            return journal
        if journal is not None:
            remove(self.place, journal.done.values())
        if receipt is not None:
            remove(self.place, receipt.files)
        return Journal.begin(self.place, self._begun)

    def _complete(self, receipt: Receipt, journal: Journal | None) -> Journal | None:
        """Return None if a finished run is complete; otherwise a journal with the parts that are there."""
        done = {each.name: each for each in receipt.files}
        self._look(done)
        if journal is not None:
            # The process was ended in its last step.
            journal.end()
        if not self.again:
            return None
        self._refuse_versions(receipt.versions)
        journal = Journal.begin(self.place, self._begun)
        journal.note(*done.values())
        self.place.remove(IN_FOLDER)
        return journal

    @property
    def _begun(self) -> Begun:
        return Begun(self.receipt.schema_digest, self.request, self.force, self.receipt.versions)

    def _same(self, request: Request, schema: str) -> None:
        """Raise UsageFault if this is not the run that began."""
        differing = [OPTIONS.get(each, f"--{each}") for each in self.request.differing(request)]
        if schema != self.receipt.schema_digest:
            differing.append("the schema, or a file that it names")
        if differing:
            told = f"{self.place.name} holds another run; not the same: {', '.join(dict.fromkeys(differing))}"
            raise UsageFault(f"{told}; --force without --resume begins anew")

    def _refuse_versions(self, then: dict[str, str]) -> None:
        """Raise UsageFault if the parts that are to be made might not fit those that are there."""
        if (changed := differing(then)) and not self.force:
            told = f"{self.place.name} was begun with other versions: {', '.join(changed)}"
            raise UsageFault(f"{told}; --force goes on all the same")

    def _look(self, done: dict[str, Made]) -> None:
        """Leave out what is missing, so that it is made again; refuse what has changed."""
        missing, changed = missing_and_changed(self.place, done.values(), self.workers)
        if changed and not self.force:
            told = f"{self.place.name}: changed since they were written: {named(changed)}"
            raise UsageFault(f"{told}; --force makes them again")
        self.again = {*missing, *changed}
        for each in self.again:
            del done[each]
        if self.again:
            self.notes.append(f"made again, because they were missing or changed: {named([*missing, *changed])}")

    def _refuse_existing(self) -> None:
        if self.copy_of_receipt is not None and self.copy_of_receipt.exists() and not self.force:
            raise UsageFault(f"{self.copy_of_receipt} exists already; --force overwrites it")
        there = self.place.names()
        found = [part.path.name for part in self.parts if part.path.name in there]
        if found and not self.force:
            raise UsageFault(f"{self.place.name}: {named(found)} exist already; --force overwrites them")

    # ---- writing --------------------------------------------------------------------------------------------------

    def _check_space(self) -> None:
        """Refuse a run that the disk has no room for, before anything is marked or removed."""
        if self.job.rows < WORTH_A_SAMPLE:
            return
        slices, forms = self.job.slices, self.job.forms
        total = sum(
            size_of(self.job.run, name, slices[name], forms[name], Path(f"{name}{forms[name].suffix}"))
            for name in slices
        )
        journal, _ = self.check()
        there = sum(each.size for each in journal.done.values()) if journal is not None and self.resume else 0
        free = self.place.free()
        if free is not None and total - there > free - RESERVE:
            wanted, room = size_words(total - there), size_words(max(free - RESERVE, 0))
            told = f"{self.place.name}: about {wanted} are still to be written, and {room} are free"
            raise SurroundingsFault(f"{told}; make room, or write elsewhere")

    def write(self, journal: Journal, watcher: Watcher) -> None:
        """Write the parts that are not there."""
        looked = time.monotonic()

        def counted(rows: int) -> None:
            nonlocal looked
            if time.monotonic() - looked >= AGAIN:
                looked = time.monotonic()
                self.check_free()
            watcher(rows)

        for number, part in enumerate(self.parts, 1):
            if part.path.name not in journal.done:
                watcher.begin(number)
                watcher.finish(self._part(part, journal, counted).size)

    def check_free(self) -> None:
        """Raise SurroundingsFault if the disk is nearly full."""
        free = self.place.free()
        if free is not None and free < RESERVE:
            raise SurroundingsFault(f"{self.place.name}: less than {RESERVE >> 20} MB are free; make room")

    def _part(self, part: Part, journal: Journal, counted: Callable[[int], None]) -> Made:
        name, form = part.path.name, self.job.forms[part.record]

        def fill(out: IO[bytes]) -> None:
            write(self.job.run, part.record, part.rows, form, out, self.workers, counted)

        def ready(path: Path) -> None:
            journal.note(made_of(part, path))

        self.place.put(name, fill, ready, force=self.may_replace(name, journal))
        return journal.done[name]

    def may_replace(self, name: str, journal: Journal) -> bool:
        """Return whether a file that is there may be replaced: without a word in the journal it is somebody else's, or
        has come from a worker whose client was ended.
        """
        return journal.begun.force or self.force or name in self.again or (self.resumed and not self.place.stages)

    def finish(self, journal: Journal) -> None:
        """Write the receipt, and remove the mark of an unfinished run."""
        files = tuple(journal.done[part.path.name] for part in self.parts)
        text = replace(self.receipt, files=files).text.encode()
        if self.copy_of_receipt is not None:
            with NewFiles(force=True) as new:
                new.open(self.copy_of_receipt).write(text)
        # Clients that were ended by force leave what their workers had begun.
        self.place.discard()
        self.place.write(IN_FOLDER, text)
        journal.end()
