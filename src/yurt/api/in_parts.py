"""Generates files in parts, and receipts."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from yurt.core.base.data_classes import dataclass
from yurt.core.base.errors import UsageFault
from yurt.core.model import Schema
from yurt.core.writing.cluster import write_on_cluster
from yurt.core.writing.jobs import Job, job_of, pinned
from yurt.core.writing.parts import MOST_PARTS
from yurt.core.writing.parts_run import Parts, PartsRun, Unwatched, divided, parts_told
from yurt.core.writing.places import Place
from yurt.core.writing.receipt import Made, receipt_of
from yurt.core.writing.request import Request
from yurt.core.writing.unfinished import continued


@dataclass(frozen=True)
class Wanted:
    """A receipt that is to be written: where, and of what."""

    path: Path
    schema: Schema
    request: Request

    def content(self, target: str, made: Iterable[Made], out: str = "") -> bytes:
        """Return the bytes of the receipt."""
        return receipt_of(self.schema, self.request, target, made, out).text.encode()


def parts_asked(told: int | str) -> Parts:
    """Return what `parts` says. Raises UsageFault."""
    found = parts_told(str(told)) if isinstance(told, int | str) and not isinstance(told, bool) else None
    if found is None:
        raise UsageFault(f"`parts` is {told!r}, not a number from 1 to {MOST_PARTS:,} or a size such as '200MB'")
    return found


def write_in_parts(
    schema: Schema, request: Request, place: Place, parts: Parts, workers: int, *, resume: bool, force: bool,
    receipt: Path | None, cluster: str | None,
) -> tuple[Job, list[Path]]:  # fmt: skip
    """Write a run in parts, or go on with one; return it, and its files."""
    request = pinned(continued(place, request) if resume else request, schema)
    job = job_of(request, schema)
    request = divided(request, job, parts)
    run = PartsRun(schema, request, job, place, workers, resume=resume, force=force, receipt=receipt)
    journal = run.begin()
    if journal is not None:
        try:
            if cluster is None:
                run.write(journal, Unwatched())
            else:
                write_on_cluster(run, schema, journal, Unwatched(), cluster, workers)
            run.finish(journal)
        except BaseException:
            if not journal.done:
                journal.end()
            raise
    return job, [Path(place.name) / part.path for part in run.parts]
