"""Shows the first rows of an existing file before and after."""

from __future__ import annotations

import os
import sys
from typing import TYPE_CHECKING

import click

from yurt.cli.talk import console, visible

if TYPE_CHECKING:
    from yurt.core.existing.rewriting import Rewriting

ROWS = 6
# The maximum number of columns side by side.
MOST = 8
WIDEST = 28
Row = dict[str, str | None]


def show(rewriting: Rewriting) -> None:
    """Print the columns that the lines change or add, in the first rows."""
    before, after = rewriting.first_rows(ROWS)
    changed = [each for each in after if before.get(each) != after[each]]
    gone = [each for each in before if each not in after]
    rows = len(next(iter(after.values()), []))
    click.echo(f"{rewriting.file.name}: the first {rows} rows, {len(changed)} columns that change")
    if sys.stdout.isatty() or os.environ.get("FORCE_COLOR"):
        _table(before, after, changed, rows)
    else:
        for row in range(rows):
            for each in changed:
                old = f"{_shown(before[each][row])} → " if each in before else "new: "
                click.echo(f"row {row + 1}  {each}: {old}{_shown(after[each][row])}")
    for each in gone:
        click.echo(f"left out: {each}")
    same = [each for each in after if each not in changed]
    if same:
        click.echo(f"as before: {', '.join(same)}")


def _table(
    before: dict[str, list[str | None]], after: dict[str, list[str | None]], changed: list[str], rows: int
) -> None:
    from rich.table import Table
    from rich.text import Text

    for start in range(0, len(changed), MOST):
        table = Table(box=None, padding=(0, 2, 0, 0), header_style="bold")
        table.add_column("", justify="right", style="dim")
        part = changed[start : start + MOST]
        for each in part:
            table.add_column(each, overflow="ellipsis", no_wrap=True)
        for row in range(rows):
            pairs = [(before[each][row] if each in before else "", after[each][row]) for each in part]
            same = [old == new for old, new in pairs]
            old = [
                Text(_shown(one), style="dim" if equal else "red") for (one, _), equal in zip(pairs, same, strict=True)
            ]
            new = [
                Text("" if equal else _shown(one), style="green") for (_, one), equal in zip(pairs, same, strict=True)
            ]
            table.add_row(str(row + 1), *old)
            table.add_row("", *new)
        console().print(table)


def _shown(value: str | None) -> str:
    if value is None:
        return "–"
    text = visible(value)
    return text if len(text) <= WIDEST else text[: WIDEST - 1] + "…"
