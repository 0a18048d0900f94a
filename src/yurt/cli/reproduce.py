"""`yurt reproduce`: make a run again by its receipt, and say whether every byte is the same."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING

import click

from yurt.cli.options import Whole

if TYPE_CHECKING:
    from yurt.core.model import Schema
    from yurt.core.writing.jobs import Job
    from yurt.core.writing.receipt import Made, Receipt


@click.command(
    epilog="""\b
Examples:
  yurt reproduce big/yurt-receipt.json
  yurt reproduce big --compare-only
  yurt reproduce big/yurt-receipt.json --compare-only --folder big
""",
)
@click.argument("receipt", type=click.Path(path_type=Path))
@click.option("--compare-only", is_flag=True, help="Make nothing: only compare the files that are there.")
@click.option(
    "--folder",
    type=click.Path(path_type=Path, exists=True, file_okay=False),
    help="The folder of the files to compare. Default: that of the receipt.",
)
@click.option(
    "--files",
    type=click.Path(path_type=Path, exists=True, file_okay=False),
    help="The folder of large files that the schema names. Default: that of the receipt.",
)
@click.option(
    "--workers", type=Whole(1, 256), help="The number of threads. It never changes the output. Default: one per core."
)  # fmt: skip
def reproduce(receipt: Path, compare_only: bool, folder: Path | None, files: Path | None, workers: int | None) -> None:
    """Make the run of a RECEIPT again, and say whether every byte is the same.

    RECEIPT is a file, or the folder of a run in parts. It contains the schema, the options, and the digest of each
    file. Nothing is kept: each file is made among the temporary files, compared with its digest, and removed. Exits
    with status 1 if anything differs.
    """
    from yurt.cli.talk import plural, size_words
    from yurt.core.base.errors import UsageFault
    from yurt.core.base.unfinished_sets import IN_FOLDER
    from yurt.core.base.versions import differing
    from yurt.core.writing.receipt import differences, read_receipt

    # The folder of a run in parts stands for the receipt in it.
    receipt = receipt / IN_FOLDER if receipt.is_dir() else receipt
    told = read_receipt(receipt)
    database = told.target == "database"
    if folder is not None and not compare_only:
        raise UsageFault("--folder goes with --compare-only: what is made again is not kept")
    click.echo(f"{receipt}: made {told.made} by yurt {told.versions.get('yurt', 'of an unknown version')}", err=True)
    for each in differing(told.versions):
        click.echo(f"another version: {each}", err=True)
    if compare_only:
        if database:
            raise UsageFault("rows of a table have no order; without --compare-only they are made again")
        where = folder or receipt.parent
        wrong = differences(told.files, {each.name: where / each.name for each in told.files})
    else:
        wrong = list(_made_again(told, files or receipt.parent, workers or os.cpu_count() or 1))
    size = size_words(sum(each.size for each in told.files))
    what = plural(len(told.files), "table" if database else "file")
    if wrong:
        for each in wrong:
            click.echo(each)
        click.echo(f"{plural(len(wrong), 'difference')} in {what}, {size}")
        raise click.exceptions.Exit(1)
    click.echo(f"every byte is the same: {what}, {size}")


def _made_again(told: Receipt, folder: Path, workers: int) -> Iterator[str]:
    """Yield in words which files of a receipt become others."""
    from yurt.cli.options import HeldSchema, open_schema
    from yurt.core.writing.jobs import jobs_of
    from yurt.core.writing.receipt import differences
    from yurt.core.writing.rows_digest import digest_of_rows

    request = told.request
    held = None if request.fields else HeldSchema(told.schema, told.contents(folder), folder)

    def read(chosen: tuple[str, ...]) -> Schema:
        return open_schema(
            None, request.fields, request.replaced, chosen,
            count=request.count, record=request.record, locale=request.locale, held=held,
        )  # fmt: skip

    jobs = jobs_of(request, read)
    if told.target == "database":
        job = jobs[0]
        made = {name: digest_of_rows(job.run, name, rows, workers) for name, rows in job.slices.items()}
        yield from (f"{each.name}: other rows" for each in told.files if made.get(each.name) != each)
        yield from _unlisted(told, made)
        return
    with tempfile.TemporaryDirectory(prefix="yurt-again-") as place:
        if request.part_rows:
            yield from _parts_again(told, jobs[0], Path(place), workers)
            return
        _write(told, jobs, Path(place), workers)
        yield from _unlisted(told, (each.name for each in Path(place).iterdir()))
        yield from (
            each.replace(f"{place}{os.sep}", "")
            for each in differences(told.files, {each.name: Path(place) / each.name for each in told.files})
        )


def _unlisted(told: Receipt, made: Iterable[str]) -> Iterator[str]:
    """Yield in words what was made and is not in a receipt."""
    listed = {each.name for each in told.files}
    yield from (f"{name}: not in the receipt" for name in sorted(made) if name not in listed)


def _parts_again(told: Receipt, job: Job, place: Path, workers: int) -> Iterator[str]:
    """Make one part after the other, and keep none."""
    from yurt.cli.progress import Progress, shown
    from yurt.core.base.digests import sha256_of
    from yurt.core.writing.parts import parts_of
    from yurt.core.writing.runs import write

    most, known = dict(told.request.part_rows), {each.name: each for each in told.files}
    with shown(Progress(job.rows), "auto") as progress:
        for name, rows in job.slices.items():
            for part in parts_of(name, place / f"{name}{job.forms[name].suffix}", rows, most.get(name)):
                with part.path.open("wb") as out:
                    write(job.run, name, part.rows, job.forms[name], out, workers, progress)
                then: Made | None = known.pop(part.path.name, None)
                if then is None or sha256_of(part.path) != then.sha256:
                    yield f"{part.path.name}: {'not in the receipt' if then is None else 'other bytes'}"
                part.path.unlink()
    yield from (f"{each}: not made" for each in known)


def _write(told: Receipt, jobs: list[Job], place: Path, workers: int) -> None:
    """Write the files of a run that was not in parts, as `yurt generate` did."""
    from yurt.cli.generate import fields_of
    from yurt.cli.output_files import Files, Splitting

    request, into_folder = told.request, told.target == "folder"
    splitting = Splitting(
        request.rows_per_file, request.size_per_file, field=fields_of(request.file_per, list(jobs[0].slices))
    )
    out = place if into_folder else place / told.out
    Files(out, into_folder, splitting, dict(request.errors), workers, False).make(jobs)
