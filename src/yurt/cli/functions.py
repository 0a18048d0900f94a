"""`yurt functions`: search the functions of expressions, or show one with its result."""

from __future__ import annotations

import click

from yurt.cli.talk import plural, tinted


@click.command(
    epilog="""\b
Examples:
  yurt functions
  yurt functions month
  yurt functions round
""",
)
@click.argument("word", required=False)
def functions(word: str | None) -> None:
    """List the functions for expressions, or search them for WORD. Each has an example and its result.

    Use functions in `= expression`, in conditions, in bounds, and in the braces of a text.
    """
    from yurt.core.base.errors import UsageFault
    from yurt.core.base.nearest import did_you_mean
    from yurt.core.model.functions import FUNCTIONS, search

    found = search(word) if word else list(FUNCTIONS.values())
    if not found:
        hint = did_you_mean(word or "", FUNCTIONS)
        listed = hint or f"`yurt functions` lists all {len(FUNCTIONS)}"
        raise UsageFault(f"no function has `{word}` in it; {listed}")
    group = ""
    for each in found:
        if each.group != group and not word:
            group = each.group
            click.echo(("\n" if each is not found[0] else "") + tinted(group, bold=True))
        click.echo(f"  {tinted(each.shape, fg='cyan')}  {each.meaning}")
        if each.example:
            click.echo(f"      {each.example}  →  {each.result}")
    if word:
        click.echo(f"\n{plural(len(found), 'function')}", err=True)
