"""`yurt formats`: list the formats, or show one with its settings and what each of them makes."""

from __future__ import annotations

from shlex import quote
from textwrap import wrap

import click

from yurt.cli.talk import plural, tinted
from yurt.core.base.json_object import JsonObject

WIDEST = 110


@click.command(
    epilog="""\b
Examples:
  yurt formats
  yurt formats csv
  yurt formats delimiter
""",
)
@click.argument("word", required=False)
def formats(word: str | None) -> None:
    """List the formats, or those whose name, suffix, or settings have WORD in them, with an example of each setting.

    A setting stands in the block `output:` of a schema, or on the command line: --with delimiter=semicolon.
    """
    from yurt.core.base.errors import UsageFault
    from yurt.core.base.nearest import did_you_mean
    from yurt.core.formats import index

    every = index()
    if word is None:
        for name, each in every.items():
            told = "" if each["is read"] or name == "database" else "; only written"
            told += f"; reads {' '.join(each['only read'])} as well" if each["only read"] else ""
            click.echo(f"  {tinted(f'{name:<10}', fg='cyan')} {_suffixes(name, each):<16} {each['meaning']}{told}")
        click.echo(f"\n{plural(len(every), 'format')}; `yurt formats csv` shows the settings of one", err=True)
        return
    folded = word.casefold().strip()
    if folded in every:
        _show(folded, every[folded], every[folded]["settings"])
        return
    found = {
        name: [one for one in each["settings"] if folded in one["name"] or folded in one["meaning"].casefold()]
        for name, each in every.items()
    }
    if not any(found.values()):
        names = [*every, *dict.fromkeys(one["name"] for each in every.values() for one in each["settings"])]
        hint = did_you_mean(word, names)
        raise UsageFault(f"no format and no setting has `{word}` in it; " + (hint or "`yurt formats` lists them"))
    for name, settings in found.items():
        if settings:
            _show(name, every[name], settings)


def _suffixes(name: str, form: JsonObject) -> str:
    """Return the suffixes of a format's files; other words for one without."""
    return " ".join(form["suffixes"]) or ("a URL" if name == "database" else "any")


def _show(name: str, form: JsonObject, settings: list[JsonObject]) -> None:
    """Print settings with their meanings, and what their examples make."""
    click.echo(f"{tinted(name, bold=True)}  {_suffixes(name, form)}  {form['meaning']}")
    if not settings:
        click.echo("  it has no settings")
    for each in settings:
        usual = f"usual: {each['default']}" if each["default"] else "usual: none"
        click.echo()
        for at, line in enumerate(wrap(f"{each['name']}  {each['meaning']}", WIDEST, subsequent_indent=" " * 4)):
            click.echo("  " + (line.replace(each["name"], tinted(each["name"], fg="cyan"), 1) if not at else line))
        words = " | ".join(each["words"]) + "; " if each["words"] else ""
        for line in wrap(words + usual, WIDEST):
            click.echo(f"      {line}")
        if each["writes"]:
            given = f"{each['name']}={each['example']}"
            click.echo(f"      --with {quote(given)}")
            for line in each["writes"]:
                click.echo("          " + (line if len(line) <= WIDEST else line[: WIDEST - 1] + "…"))
    click.echo()
