"""Writes suggested lines as a schema, with the reason for each."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from yurt.cli.existing import Reads, opened_sources, record_names
from yurt.cli.rewriting import Options
from yurt.cli.talk import visible
from yurt.core.base.errors import UsageFault

if TYPE_CHECKING:
    from yurt.core.existing.suggesting import Suggestions

# The least width of the lines, and the longest line that makes all of them wider.
WIDTH, WIDEST = 34, 50
# The maximum number of characters of an example.
LONGEST = 40


def suggest_lines(options: Options, disguise: bool) -> None:
    """Print a schema with a line for each column that one is suggested for."""
    from yurt.core.existing.suggesting import cleaning, sample_of, treatments, with_examples, with_references

    if options.schema is not None or options.fields or options.out is not None:
        raise UsageFault("--suggest reads DATA and writes lines to standard output; it takes no lines and no --out")
    files = record_names(options.data, [])
    with opened_sources(files, Reads(options.read_kind, options.read_withs)) as sources:
        samples = [sample_of(each.file) for each in sources]
        found = [treatments(each) if disguise else cleaning(each) for each in samples]
        if disguise:
            with_references(found, samples)
        else:
            for each, sample in zip(found, samples, strict=True):
                with_examples(each, sample)
    locales = {each.locale: each.sure_of_locale for each in found if each.locale}
    click.echo("yurt: 1")
    for locale, share in list(locales.items())[:1]:
        click.echo(f"{f'locale: {locale}':{WIDTH + 6}}  # its lists have {share:.0%} of the values")
    click.echo("records:")
    for each in found:
        _told(each)
    lines = sum(bool(one.line) for each in found for one in each.lines)
    total = sum(len(each.lines) for each in found)
    click.echo(f"{lines} of {total} columns have a suggestion; read each before you use it", err=True)


def _told(found: Suggestions) -> None:
    """Print the lines for one file."""
    rows = f"all {found.rows:,} rows" if found.whole else f"the first {found.rows:,} rows"
    click.echo(f"  {found.record}:\n    # {found.name}, {rows}")
    lines = [each for each in found.lines if each.line]
    click.echo("    fields:" if lines else "    fields: {}")
    width = max([WIDTH, *(len(f"{each.name}: {each.line}") for each in lines if len(each.line) < WIDEST)])
    for each in lines:
        text = f"{each.name}: {each.line}"
        # A colon or a mark of YAML inside a line needs quotes around it.
        if any(mark in each.line for mark in (": ", " #")):
            text = f"{each.name}: '{each.line}'"
        click.echo(f"      {text:{width}}  # {each.reason}")
        for before, after in each.examples:
            click.echo(f"      #   {visible(before)[:LONGEST]} → {visible(after)[:LONGEST]}")
    for line in found.more:
        click.echo(f"      {line}")
    for each in found.lines:
        if not each.line:
            click.echo(f"      # as it is: {each.name} ({each.reason})")
