"""`yurt preview`: show a few records on the screen."""

from __future__ import annotations

import sys
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING

import click

from yurt.cli.options import RowRange, open_schema, run_options, schema_or_fields

if TYPE_CHECKING:
    import pyarrow as pa
    from rich.console import Console

    from yurt.core.engine.run import Run

FIRST_ROWS = (1, 10)
MOST_ROWS = 1000
WIDEST = 40
GAP = 3
PICTURES = {**{code: 0x2400 + code for code in range(0x20)}, 0x7F: 0x2421}


@click.command(
    epilog="""\b
Examples:
  yurt preview huts.yaml
  yurt preview huts.yaml stay --rows 500..505
  yurt preview huts.yaml --compare
""",
)
@schema_or_fields
@click.option("--rows", type=RowRange(), default=None, help="The rows to show, such as 500..505. Default: 1..10.")
@click.option(
    "--compare", "shares", is_flag=True, help="Compare requested and generated shares and distributions instead."
)
@run_options
def preview(
    schema: Path | None, record: str | None, fields: tuple[str, ...], replaced: tuple[str, ...],
    variants: tuple[str, ...], rows: tuple[int, int] | None, shares: bool, seed: int | None, today: date | None,
    count: int | None, scale: float, locale: str | None,
) -> None:  # fmt: skip
    """Show a few records of SCHEMA: of one RECORD type, or of every type.

    Records that are too wide for the terminal are shown one field per line. If the output is not a terminal, the
    records are written as CSV. They are the same records that `yurt generate` makes with the same seed and date.
    """
    from yurt.core.base.errors import UsageFault

    if rows is not None and rows[1] - rows[0] >= MOST_ROWS:
        raise UsageFault(f"a preview has at most {MOST_ROWS:,} rows; `yurt generate --rows` has no limit")
    read = open_schema(schema, fields, replaced, variants, count=count, record=record, locale=locale)
    from yurt.core.engine.run import RunOptions, prepared

    run = prepared(read, record, RunOptions(seed, today, count, scale))
    from yurt.core.engine.blocks import slice_of

    names = [record] if record else list(run.schema.records)
    if rows is not None and record is None and len(names) > 1:
        raise UsageFault(f"--rows needs a record type: {', '.join(names)}")
    if shares and rows is not None:
        raise UsageFault("--compare looks at the first rows of all; it does not take --rows")
    if shares:
        from yurt.cli.shares import show_shares

        for name in names:
            show_shares(run, name)
        click.echo(run.words, err=True)
        return
    told = []
    for name in names:
        total = run.table(name).count
        start, stop = slice_of(rows, total, name) if rows else (0, min(FIRST_ROWS[1], total))
        if sys.stdout.isatty():
            _show(run, name, start, stop)
        else:
            told.append(_as_csv(run, name, start, stop, titled=len(names) > 1))
    sys.stdout.flush()
    sys.stdout.buffer.write(b"\r\n".join(told))
    sys.stdout.buffer.flush()
    click.echo(run.words, err=True)


def _as_csv(run: Run, name: str, start: int, stop: int, *, titled: bool) -> bytes:
    """Return rows as CSV; if there are several tables, each has its name above it."""
    from io import BytesIO

    from yurt.core.formats import FORMATS
    from yurt.core.writing.runs import write

    out = BytesIO(f"{name}:\r\n".encode() if titled else b"")
    out.seek(0, 2)
    write(run, name, (start, stop), FORMATS["csv"], out, workers=1)
    return out.getvalue()


def _show(run: Run, name: str, start: int, stop: int) -> None:
    """Show rows as a table: one record per line if they fit, else one record per column."""
    from yurt.cli.talk import console as console_of
    from yurt.core.engine.blocks import block
    from yurt.core.text.forms import text_of

    console = console_of()
    batch = block(run, name, start, stop, typed=False, nests=False)
    columns = {
        field: text_of(column).to_pylist() for field, column in zip(batch.schema.names, batch.columns, strict=True)
    }
    total = run.table(name).count
    shown = f"rows {start + 1:,} to {stop:,} of {total:,}" if total else "no rows"
    console.print(f"[bold]{name}[/bold] [dim]{shown}[/dim]")
    widths = {field: _width(field, values) for field, values in columns.items()}
    if sum(widths.values()) + GAP * len(widths) <= console.width:
        _wide(console, columns, batch)
    else:
        _tall(console, columns, start, stop)


def _width(field: str, values: list[str | None]) -> int:
    return max(len(field), *(min(len(_cell(value)), WIDEST) for value in values)) if values else len(field)


def _cell(value: str | None) -> str:
    """Return a value on one line. A missing value is a dot, so that it differs from an empty text.

    Control characters are shown as symbols, because a terminal would act on them.
    """
    if value is None:
        return "·"
    return '""' if value == "" else value.translate(PICTURES)


def _wide(console: Console, columns: dict[str, list[str | None]], batch: pa.RecordBatch) -> None:
    import pyarrow as pa
    from rich import box
    from rich.table import Table
    from rich.text import Text

    table = Table(box=box.SIMPLE_HEAD, padding=(0, 1), show_edge=False)
    for field, kind in zip(batch.schema.names, batch.schema.types, strict=True):
        number = pa.types.is_integer(kind) or pa.types.is_decimal(kind) or pa.types.is_floating(kind)
        table.add_column(
            Text(_cell(field)),
            justify="right" if number else "left",
            no_wrap=True,
            max_width=WIDEST,
            overflow="ellipsis",
        )
    for values in zip(*columns.values(), strict=True):
        table.add_row(*(Text(_cell(value), style="dim" if value is None else "") for value in values))
    console.print(table)
    console.print()


def _tall(console: Console, columns: dict[str, list[str | None]], start: int, stop: int) -> None:
    """Show one record per column, as many side by side as fit."""
    from rich import box
    from rich.table import Table
    from rich.text import Text

    widest = [max(min(len(_cell(values[at])), WIDEST) for values in columns.values()) for at in range(stop - start)]
    names = max(len(field) for field in columns) + GAP
    at = 0
    while at < len(widest):
        end, room = at, console.width - names
        while end < len(widest) and (end == at or room >= widest[end] + GAP):
            room -= widest[end] + GAP
            end += 1
        table = Table(box=box.SIMPLE_HEAD, padding=(0, 1), show_edge=False)
        table.add_column("row", style="cyan", no_wrap=True)
        for row in range(at, end):
            table.add_column(f"{start + row + 1:,}", no_wrap=True, max_width=WIDEST, overflow="ellipsis")
        for field, values in columns.items():
            cells = (Text(_cell(value), style="dim" if value is None else "") for value in values[at:end])
            table.add_row(Text(_cell(field)), *cells)
        console.print(table)
        console.print()
        at = end
