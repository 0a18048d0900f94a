"""Drafts from files, databases, pages, and other schemas: reads the sources, and shows the result."""

from __future__ import annotations

import os
import re
import sys
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING

import click

from yurt.cli.existing import Reads, opened_sources, record_names
from yurt.cli.talk import busy, progress_bar, tinted
from yurt.cli.verify import TONES
from yurt.core.base.data_classes import dataclass
from yurt.core.base.errors import UsageFault, YurtError
from yurt.core.base.files import NewFiles, fault_of
from yurt.core.base.urls import is_url

if TYPE_CHECKING:
    from yurt.core.drafting.draft import Draft
    from yurt.core.drafting.making import Made
    from yurt.core.drafting.samples.reading import Sample
    from yurt.core.drafting.sources.source import Asked, Opener
    from yurt.core.drafting.told import Part

CLASS = re.compile(r"[^\W\d][\w.]*:[^\W\d][\w.]*")
STDIN = "-"


@dataclass(frozen=True)
class Options:
    """The options of a call."""

    sources: tuple[str, ...]
    out: Path | None
    report: bool
    least: int
    rows: int
    without_rows: bool
    partly: bool
    follow: bool
    kind: str | None
    withs: tuple[str, ...]
    count: int | None
    locale: str
    force: bool

    @property
    def reads(self) -> Reads:
        """How files with records are read."""
        parts = [each.partition("=") for each in self.withs]
        if wrong := [each for each, (_, sign, _) in zip(self.withs, parts, strict=True) if not sign]:
            raise UsageFault(f"--with `{wrong[0]}` is not a setting; write it like delimiter=semicolon")
        return Reads(self.kind, tuple(("", name.strip(), value) for name, _, value in parts))


def draft_sources(options: Options) -> None:
    """Draft a schema, write it, and show what was found and withheld."""
    from yurt.core.drafting.fidelity import fidelity
    from yurt.core.drafting.making import made_of
    from yurt.core.drafting.settings import Settings
    from yurt.core.drafting.told import report, summary

    if options.out is not None and str(options.out) != STDIN:
        NewFiles(options.force).check(options.out)
    settings = Settings(options.least, options.count, options.locale)
    structures, data, found, unread = read_structures(options)
    samples = [*found, *read_samples(data, options)]
    if options.report and not samples:
        raise UsageFault("--report compares drawn rows with those of a file or table; there are none here")
    today = date.today()
    with busy("looking for types, references, and distributions"):
        made = made_of(samples, settings, today, structures)
    _write(made, options)
    lines = list(summary(made.draft, made.fit if samples else None, samples, options.least, unread))
    if options.report:
        with busy("drawing rows to compare"):
            lines = [*lines, [], *report(fidelity(made.draft, made.fit, samples, today))]
    _show(lines)
    if options.out is not None and str(options.out) != STDIN:
        click.echo(f"{options.out}: try next: yurt preview {options.out}", err=True)


def _write(made: Made, options: Options) -> None:
    if options.out is None or str(options.out) == STDIN:
        click.echo(made.text, nl=False)
        return
    with NewFiles(options.force) as files:
        files.open(options.out).write(made.text.encode())


def _show(lines: list[list[Part]]) -> None:
    if sys.stdout.isatty():
        # Below the schema on the same screen.
        click.echo(err=True)
    for line in lines:
        text = "".join(tinted(part, **TONES[tone]) if tone else part for part, tone in line)
        click.echo(text.rstrip(), err=True)


# ---- sources ---------------------------------------------------------------------------------------------------------


def read_structures(options: Options) -> tuple[list[Draft], list[str], list[Sample], list[str]]:
    """Return drafts of structures, files with records, tables of pages and databases, and what nothing is read of."""
    from yurt.core.drafting.sources.registry import HEAD, source_of
    from yurt.core.drafting.sources.source import MOST_BYTES, Asked

    drafts: list[Draft] = []
    data: list[str] = []
    samples: list[Sample] = []
    words, unread = _expanded(options.sources)
    for word in words:
        told, path = _told(word)
        asked = Asked(path, told or _record(path), _opener(path, options), options.partly, rows=options.rows)
        if _is_database(path):
            draft, own = _database(told, path, options, asked)
            drafts.append(draft)
            samples += [each for each in own if each.total]
            unread += [f"{each.name}: it has no rows; only its structure is known" for each in own if not each.total]
            continue
        if CLASS.fullmatch(path) and not Path(path).exists():
            from yurt.core.drafting.sources.classes import draft_of_class

            drafts.append(draft_of_class(path, asked))
            continue
        page = is_url(path)
        content = _fetched(path, asked) if page else _head(path, HEAD)
        suffix = ".html" if page and b"<" in content[:200] else Path(path).suffix
        source = source_of(suffix, content) if options.kind is None else None
        if source is None:
            data.append(word)
            continue
        if not page:
            content = _head(path, MOST_BYTES + 1)
        if len(content) > MOST_BYTES:
            raise YurtError(f"{path}: {source.name} of more than {MOST_BYTES // 1_000_000} MB is not read")
        drafts.append(source.read(content, asked))
        samples += asked.samples
    return drafts, data, samples, unread


def _expanded(words: tuple[str, ...]) -> tuple[list[str], list[str]]:
    """Return the sources with the files of folders in their place, and what is not read of the folders."""
    from yurt.api.data_files import format_named_by
    from yurt.core.drafting.sources.registry import HEAD, source_of

    found: list[str] = []
    unread: list[str] = []
    for word in words:
        if is_url(word) or not Path(word).is_dir():
            found.append(word)
            continue
        inside = [each for each in sorted(Path(word).iterdir()) if not each.name.startswith(".")]
        good = [
            str(each) for each in inside
            if each.is_file() and (format_named_by(each) or source_of(each.suffix, _head(str(each), HEAD)) is not None)
        ]  # fmt: skip
        if not good:
            raise UsageFault(f"{word}: none of its files can be read")
        found += good
        unread += [
            f"{each}: {'a folder' if each.is_dir() else 'no format is known for it'}"
            for each in inside
            if str(each) not in good
        ]
    return found, unread


def _told(word: str) -> tuple[str, str]:
    """Return the record type in front of a source, and the source."""
    if Path(word).exists() or CLASS.fullmatch(word):
        return "", word
    named = re.fullmatch(r"([^\W\d]\w*)=(.+)", word, re.DOTALL)
    return (named[1], named[2]) if named else ("", word)


def _record(path: str) -> str:
    name = re.split(r"[?#]", path)[0].rstrip("/").rpartition("/")[2] if is_url(path) else Path(path).name
    while Path(name).suffix and Path(name).stem:
        name = Path(name).stem
    own = re.sub(r"\W+", "_", name).strip("_")
    return own if re.fullmatch(r"[^\W\d]\w*", own) else "record"


def _head(path: str, size: int) -> bytes:
    if path == STDIN:
        return b""
    try:
        with Path(path).open("rb") as stream:
            return stream.read(size)
    except OSError as fault:
        raise fault_of(fault, path) from None


def _is_database(path: str) -> bool:
    from yurt.core.databases.address import DRIVERS, scheme_of

    return is_url(path) and scheme_of(path) in DRIVERS


def _database(told: str, url: str, options: Options, asked: Asked) -> tuple[Draft, list[Sample]]:
    from yurt.cli.existing import table_of
    from yurt.core.databases.address import address_of
    from yurt.core.drafting.samples.reading import sample_of
    from yurt.core.drafting.sources.database import draft_of_database

    asked.tables = (told,) if told else ()
    draft = draft_of_database(address_of(url), asked)
    if options.without_rows:
        return draft, []
    samples = []
    for record in draft.records:
        file = table_of(record.name, url)
        with progress_bar(0) as progress:
            samples.append(sample_of(file, options.rows, os.cpu_count() or 1, progress))
    return draft, samples


def _opener(path: str, options: Options) -> Opener:
    from yurt.core.drafting.sources.opening import opener

    return opener(path, options.follow)


def _fetched(url: str, asked: Asked) -> bytes:
    from yurt.core.drafting.sources.opening import fetched

    with busy(f"reading {asked.name}"):
        return fetched(url)


def read_samples(data: list[str], options: Options) -> list[Sample]:
    """Return a sample of each file with records."""
    from yurt.core.drafting.samples.reading import sample_of

    if not data:
        return []
    found = []
    with opened_sources(record_names(tuple(data), []), options.reads) as sources:
        for each in sources:
            with progress_bar(0) as progress:
                found.append(sample_of(each.file, options.rows, os.cpu_count() or 1, progress))
    return found
