"""`yurt kinds`: search the catalogue, or show one kind with an example of its output."""

from __future__ import annotations

import shutil
import sys
import textwrap
from typing import TYPE_CHECKING

import click

from yurt.cli.talk import plural, tinted

if TYPE_CHECKING:
    from yurt.core.kinds.catalogue import Kind

EXAMPLE_SEED = 7
WIDTH = 78


@click.command(
    short_help="Search the value kinds, or show one.",
    epilog="""\b
Examples:
  yurt kinds
  yurt kinds address
  yurt kinds given-name
""",
)
@click.argument("word", required=False)
def kinds(word: str | None) -> None:
    """List the value kinds, those with WORD in them, or the one of that name with what it makes.

    A kind stands in a schema in the place of a type: `mail: email, unique`.
    """
    from yurt.core.errors import UsageFault
    from yurt.core.kinds.catalogue import KINDS, nearest_word, search

    if word in KINDS:
        _one(KINDS[word])
        return
    found = search(word) if word else list(KINDS.values())
    if word and not found and (near := nearest_word(word)):
        click.echo(f"no kind has `{word}` in it; these have `{near}`:", err=True)
        found = search(near)
    if not found:
        raise UsageFault(f"no kind has `{word}` in it; `yurt kinds` lists all {len(KINDS)}")
    examples = _examples([each.name for each in found], "de-AT", 1)
    name_width = max(len(each.name) for each in found)
    width = max(shutil.get_terminal_size((WIDTH, 24)).columns - 2, 60) if sys.stdout.isatty() else WIDTH
    meaning_width = min((width - name_width - 6) * 3 // 5, max(len(each.meaning) for each in found))
    group = ""
    for each in found:
        if not word and each.group != group:
            group = each.group
            click.echo(("\n" if each is not found[0] else "") + tinted(group, bold=True))
        meaning = _cut(each.meaning, meaning_width)
        example = _cut(examples[each.name][0], width - name_width - meaning_width - 6)
        click.echo(f"  {tinted(f'{each.name:{name_width}}', fg='cyan')}  {meaning:{meaning_width}}  {example}")
    if sys.stdout.isatty():
        click.echo(f"\n{plural(len(found), 'kind')}; `yurt kinds NAME` shows one in full", err=True)


def _cut(text: str, width: int) -> str:
    return text if len(text) <= width else text[: width - 1].rstrip() + "…"


def _one(kind: Kind) -> None:
    """Show everything about one kind."""
    from yurt.core.kinds.catalogue import LOCALES

    click.echo(tinted(kind.name, fg="cyan", bold=True))
    rows = [("meaning", kind.meaning), ("group", kind.group), ("type", kind.type.name)]
    rows += [("source", kind.source)] if kind.source else []
    rows += [("safe", kind.safe)] if kind.safe else []
    rows.append(("unique", f"up to {kind.unique:,} different values" if kind.unique else "no: it repeats, as in life"))
    rows.append(("write", f"{kind.name.replace('-', '_')}: {kind.name}"))
    for label, value in rows:
        wrapped = textwrap.wrap(value, WIDTH - 11)
        click.echo(f"  {label:7}  " + f"\n{' ' * 11}".join(wrapped))
    click.echo("\n  examples")
    for locale in LOCALES:
        values = " | ".join(_examples([kind.name], locale, 6)[kind.name])
        click.echo(f"  {locale:7}  {textwrap.shorten(values, WIDTH - 11, placeholder=' …')}")


def _examples(names: list[str], locale: str, rows: int) -> dict[str, list[str]]:
    """Make some values of kinds, with the engine itself."""
    from datetime import date

    from yurt.core.engine.blocks import block
    from yurt.core.engine.run import Run
    from yurt.core.lexical import text_of
    from yurt.core.model import Count, Field, KindOf, Phrase, Record, Schema

    fields = tuple(Field(name, Phrase(KindOf(name))) for name in names)
    record = Record("example", Count(rows, rows), fields)
    schema = Schema("", {"example": record}, {}, ((locale, 1.0),), EXAMPLE_SEED, date(2026, 6, 1))
    batch = block(Run(schema), "example", 0, rows)
    return {name: text_of(batch.column(name)).to_pylist() for name in names}
