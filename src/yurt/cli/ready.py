"""Ready records as schemas."""

from __future__ import annotations

import re
from pathlib import Path

import click

from yurt.core.base.errors import UsageFault
from yurt.core.base.files import NewFiles
from yurt.core.base.nearest import did_you_mean
from yurt.core.kinds.catalogue import KINDS, RECORDS, Kind
from yurt.core.reports.drafts import Draft


def ready() -> dict[str, Kind]:
    """Return the ready records by name."""
    return {each: KINDS[each] for each, group in KINDS.index.items() if group == RECORDS}


def ready_name(word: str) -> bool:
    """Return whether a word is meant as the name of a ready record: a plain word that is no file.

    Raises UsageFault for one that there is no record of.
    """
    if word in ready() and not Path(word).exists():
        return True
    if not re.fullmatch(r"[\w-]+", word) or Path(word).exists():
        return False
    hint = did_you_mean(word, ready()) or ", ".join(ready())
    raise UsageFault(f"there is no file and no ready record `{word}`; {hint}")


def list_ready(out: Path | None) -> None:
    """Print the ready records."""
    if out is not None:
        raise UsageFault(f"name a source, or a ready record to write: {', '.join(ready())}")
    width = max(len(each) for each in ready())
    for name, kind in ready().items():
        click.echo(f"  {name:{width}}  {kind.meaning}")


def draft_ready(name: str, out: Path | None, count: int, locale: str | None, layout: str, force: bool) -> None:
    """Write a ready record as a schema."""
    kind = ready()[name]
    drafted = Draft(name, kind.meaning, kind.record, count, locale)
    if layout == "related" and not drafted.has_lines:
        raise UsageFault(f"`{name}` has no list of records that could be a record type of its own")
    text = drafted.text(layout)
    path = out or Path(f"{name}.yaml")
    if str(path) == "-":
        click.echo(text, nl=False)
        return
    with NewFiles(force) as files:
        files.open(path).write(text.encode())
    click.echo(f"{path}: {kind.meaning}. Try next: yurt preview {path}", err=True)
