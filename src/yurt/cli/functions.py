"""`yurt functions`: search the functions of expressions, or show one with its result."""

from __future__ import annotations

import click

from yurt.cli.talk import plural, tinted


@click.command(
    short_help="Search the functions of expressions.",
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
    results = _results([each.example for each in found if each.example])
    group = ""
    for each in found:
        if each.group != group and not word:
            group = each.group
            click.echo(("\n" if each is not found[0] else "") + tinted(group, bold=True))
        click.echo(f"  {tinted(each.shape, fg='cyan')}  {each.meaning}")
        if each.example:
            click.echo(f"      {each.example}  →  {results[each.example]}")
    if word:
        click.echo(f"\n{plural(len(found), 'function')}", err=True)


def _results(examples: list[str]) -> dict[str, str]:
    """Compute the results of the examples with the engine."""
    from datetime import date

    from yurt.core.engine.blocks import block
    from yurt.core.engine.run import Run, RunOptions
    from yurt.core.language.reader import read_fields
    from yurt.core.text.forms import text_of

    lines = [f"f{at}: '= {example.replace(chr(39), chr(39) * 2)}'" for at, example in enumerate(examples)]
    schema, _ = read_fields(lines)
    batch = block(Run(schema, RunOptions(seed=1, today=date(2026, 6, 1))), "record", 0, 1)
    return {
        example: _shown(text_of(column)[0].as_py()) for example, column in zip(examples, batch.columns, strict=True)
    }  # fmt: skip


def _shown(value: str | None) -> str:
    return "missing" if value is None else value
