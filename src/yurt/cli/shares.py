"""`yurt preview --compare`: requested and generated shares side by side, with a bar or histogram per field."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from yurt.cli.talk import tinted

if TYPE_CHECKING:
    from yurt.core.engine.run import Run
    from yurt.core.reports.shares import Shape, Share

BLOCKS = " ▁▂▃▄▅▆▇█"
WIDTH = 24


def show_shares(run: Run, name: str) -> None:
    """Print the shares of one record type."""
    from yurt.core.reports.shares import ROWS, shares_of

    table = run.table(name)
    rows = min(table.count, ROWS)
    click.echo(f"{tinted(name, bold=True)} {tinted(f'the first {rows:,} of {table.count:,} rows', dim=True)}")
    found = list(shares_of(table))
    if not found:
        click.echo("  nothing to compare: no weights, missing rates or ranges")
    field_width = max((len(each.name) for each in found), default=0)
    value_width = max((len(share.value) for each in found for share in each.shares), default=0)
    for each in found:
        label = each.name
        for share in each.shares:
            click.echo(f"  {tinted(f'{label:{field_width}}', fg='cyan')}  {share.value:{value_width}}  {_bar(share)}")
            label = ""
        if each.shape is not None:
            lines = _histogram(each.shape)
            for line in lines:
                click.echo(f"  {tinted(f'{label:{field_width}}', fg='cyan')}  {line}")
                label = ""
    click.echo()


def _bar(share: Share) -> str:
    """Return the requested and the generated share with a bar; a mark shows where the requested share ends."""
    asked = "      —" if share.asked is None else f"{share.asked:7.2%}"
    cells = ["█" if at < round(share.drawn * WIDTH) else "·" for at in range(WIDTH)]
    if share.asked is not None:
        cells[min(max(round(share.asked * WIDTH) - 1, 0), WIDTH - 1)] = "┃"
    return f"requested {asked}  generated {share.drawn:7.2%}  {''.join(cells)}"


def _histogram(shape: Shape) -> list[str]:
    """Return one line for the generated values and one for the requested ones, on the same scale."""
    top = max([*shape.drawn, *(shape.asked or ())]) or 1.0

    def blocks(shares: tuple[float, ...]) -> str:
        # A value that occurs at all is visible.
        return "".join(BLOCKS[max(round(each / top * 8), 1 if each else 0)] for each in shares)

    lines = [f"generated  {blocks(shape.drawn)}  {shape.low} … {shape.high}"]
    return [*lines, f"requested  {blocks(shape.asked)}"] if shape.asked is not None else lines
