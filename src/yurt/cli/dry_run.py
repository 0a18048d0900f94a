"""`yurt generate --dry-run`: what a run would take, from a sample, and what it would refuse."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import click

from yurt.cli.progress import duration
from yurt.cli.talk import plural, size_words
from yurt.core.base.data_classes import dataclass
from yurt.core.base.errors import SurroundingsFault
from yurt.core.writing.estimate import estimate
from yurt.core.writing.parts_run import RESERVE

if TYPE_CHECKING:
    from yurt.core.writing.jobs import Job
    from yurt.core.writing.places import Place


@dataclass(frozen=True)
class Asked:
    """The rows of a record type that a run would write: into a file, or into numbered ones with `most` rows each."""

    job: Job
    name: str
    path: Path
    most: int | None


def say(jobs: list[Job], asked: list[Asked], place: Place, workers: int, check: Callable[[], object]) -> None:
    """Print what the run would take. Raises what the run would raise before it writes."""
    size, alone, together, memory = 0, 0.0, 0.0, 0
    for each in asked:
        rows, form = each.job.slices[each.name], each.job.forms[each.name]
        found = estimate(each.job.run, each.name, rows, form, each.path, workers)
        parts = -(-found.rows // each.most) if each.most else 1
        told = f", {plural(parts, 'part')} of up to {plural(each.most, 'row')}" if each.most and parts > 1 else ""
        click.echo(f"{each.path}: {plural(found.rows, 'row')}, about {size_words(found.size)}{told}")
        size, alone, together = size + found.size, alone + found.seconds, together + found.together
        memory = max(memory, found.memory)
    free = place.free()
    several = f", {_about(together)} with {workers}" if workers > 1 else ""
    click.echo(f"total: {plural(sum(job.rows for job in jobs), 'row')}, about {size_words(size)}")
    click.echo(f"time on this machine: {_about(alone)} with 1 worker{several}, after a start of about a second")
    click.echo(f"memory for blocks of rows: up to {size_words(memory)}")
    click.echo(f"free in {place.name}: {'unknown' if free is None else size_words(free)}")
    check()
    if free is not None and size > free - RESERVE:
        raise SurroundingsFault(f"{place.name}: there is no room for about {size_words(size)}")
    click.echo("nothing would be refused; nothing was written")


def _about(seconds: float) -> str:
    return duration(seconds) if seconds < 1 else f"about {duration(seconds)}"
