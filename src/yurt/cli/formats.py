"""`yurt formats`: list the formats, or show one with its settings and what each of them makes."""

from __future__ import annotations

from shlex import quote
from textwrap import wrap
from typing import TYPE_CHECKING

import click

from yurt.cli.talk import plural, tinted

if TYPE_CHECKING:
    from yurt.core.formats.common.format import Format
    from yurt.core.formats.common.settings import Setting

# What the examples write.
FIELDS = ("code: one of RG-217", "hut: one of \"Ridge; the \\\"upper\\\"\"", "beds: integer 1240..1240",
          "price: decimal 1234.50..1234.50", "opens: date 2026-06-15..2026-06-15", "heated: boolean 100%",
          "note: one of x, missing 100%")  # fmt: skip
WIDEST = 110


@click.command(
    short_help="List the formats and their settings.",
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
    from yurt.core.formats import by_name

    every = by_name()
    if word is None:
        for form in every.values():
            suffixes = _suffixes(form)
            told = "" if form.read is not None or form.name == "database" else "; only written"
            told += f"; reads {' '.join(form.only_read)} as well" if form.only_read else ""
            click.echo(f"  {tinted(f'{form.name:<10}', fg='cyan')} {suffixes:<16} {form.meaning}{told}")
        click.echo(f"\n{plural(len(every), 'format')}; `yurt formats csv` shows the settings of one", err=True)
        return
    folded = word.casefold().strip()
    if folded in every:
        _show(every[folded], every[folded].settings)
        return
    found = {
        name: [each for each in form.settings if folded in each.name or folded in each.meaning.casefold()]
        for name, form in every.items()
    }
    if not any(found.values()):
        names = [*every, *dict.fromkeys(each.name for form in every.values() for each in form.settings)]
        hint = did_you_mean(word, names)
        raise UsageFault(f"no format and no setting has `{word}` in it; " + (hint or "`yurt formats` lists them"))
    for name, settings in found.items():
        if settings:
            _show(every[name], tuple(settings))


def _suffixes(form: Format) -> str:
    """Return the suffixes of a format's files; other words for one without."""
    return " ".join(form.suffixes) or ("a URL" if form.name == "database" else "any")


def _show(form: Format, settings: tuple[Setting, ...]) -> None:
    """Print settings with their meanings, and what their examples make."""
    click.echo(f"{tinted(form.name, bold=True)}  {_suffixes(form)}  {form.meaning}")
    if not settings:
        click.echo("  it has no settings")
    for each in settings:
        usual = f"usual: {each.default}" if each.default else "usual: none"
        click.echo()
        for at, line in enumerate(wrap(f"{each.name}  {each.meaning}", WIDEST, subsequent_indent=" " * 4)):
            click.echo("  " + (line.replace(each.name, tinted(each.name, fg="cyan"), 1) if not at else line))
        words = " | ".join(each.words) + "; " if each.words else ""
        for line in wrap(words + usual, WIDEST):
            click.echo(f"      {line}")
        shown = _example(form, each)
        if shown:
            click.echo(f"      --with {quote(f'{each.name}={each.example}')}")
            for line in shown:
                click.echo("          " + (line if len(line) <= WIDEST else line[: WIDEST - 1] + "…"))
    click.echo()


def _example(form: Format, setting: Setting) -> list[str]:
    """Return the lines of an example with a setting; none for a format that is not text."""
    import io
    from datetime import date

    from yurt.core.engine.run import Run, RunOptions
    from yurt.core.formats.common.format import TextFormat
    from yurt.core.language.reader import read_fields
    from yurt.core.writing.output import Given, Output
    from yurt.core.writing.runs import write

    if not isinstance(form, TextFormat):
        return []
    given = [Given("", setting.name, setting.example)]
    given += [Given("", name, value) for name, value in form.needed.items() if name != setting.name]
    given += [Given("", "namespace", "urn:example:huts")] if setting.name == "prefix" else []
    schema, _ = read_fields((*FIELDS, 'formula: one of "=1+2"') if setting.name == "formulas" else FIELDS)
    output = Output(schema, tuple(given))
    out = io.BytesIO()
    run = Run(output.dressed({"record": form.name}), RunOptions(seed=1, today=date(2026, 6, 1)))
    made = output.format(form.name, "record")
    write(run, "record", (0, 1), made, out, 1)
    text = out.getvalue().decode("utf-8" if made.encoding.name.startswith("utf-8") else "cp1252", "replace")
    return text.replace("\ufeff", "⟨mark⟩").replace("\r\n", "\n").replace("\t", "⇥").strip("\n").split("\n")
