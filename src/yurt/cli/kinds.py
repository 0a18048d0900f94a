"""`yurt kinds`: search the catalogue, or show one kind with examples."""

from __future__ import annotations

import json
import shutil
import sys
import textwrap
from typing import TYPE_CHECKING

import click

from yurt.cli.talk import plural, tinted
from yurt.core.base.json_object import JsonObject
from yurt.core.kinds.overview import meanings, shown

if TYPE_CHECKING:
    from yurt.core.kinds.catalogue import Kind

WIDTH = 78
# Longer rules are cut.
LONGEST_RULE = 200
# The locales that examples are shown in by default.
SHOWN = ("de-AT", "en-GB", "it-IT", "sl-SI", "ja-JP")


@click.command(
    epilog="""\b
Examples:
  yurt kinds
  yurt kinds mail
  yurt kinds given-name --locale it-IT
""",
)
@click.argument("word", required=False)
@click.option("--locale", help="Show examples in this locale.")
@click.option("--json", "as_json", is_flag=True, help="Write the catalogue as JSON, one object per kind.")
def kinds(word: str | None, locale: str | None, as_json: bool) -> None:
    """List the kinds of values, search them for WORD, or show the kind with that name in detail.

    In a schema, use a kind as a type: `mail: email, unique`.
    """
    if word is None and not as_json and (made := shown(locale or SHOWN[0])):
        lines = [(group, name, text) for group, names in meanings().items() for name, text in names.items()]
        _table(lines, made, grouped=True)
        return
    from yurt.core.base.errors import UsageFault
    from yurt.core.base.nearest import did_you_mean
    from yurt.core.kinds.catalogue import KINDS, locales, nearest_word, search

    if locale is not None and locale not in locales():
        hint = did_you_mean(locale, locales()) or "one of " + ", ".join(locales())
        raise UsageFault(f"there is no locale `{locale}`; {hint}")
    if word is not None and word in KINDS and not as_json:
        _one(KINDS[word], (locale,) if locale else SHOWN)
        return
    known = word is not None and word in KINDS
    found = [KINDS[word or ""]] if known else search(word) if word else list(KINDS.values())
    if word and not found and (near := nearest_word(word)):
        click.echo(f"no kind has `{word}` in it; these have `{near}`:", err=True)
        found = search(near)
    if not found:
        raise UsageFault(f"no kind has `{word}` in it; `yurt kinds` lists all {len(KINDS)}")
    if as_json:
        _as_json(found, locale or SHOWN[0])
    else:
        from yurt.core.reports.kind_pages import examples

        made = {each.name: examples(each.name, locale or SHOWN[0]) for each in found}
        _table([(each.group, each.name, each.meaning) for each in found], made, grouped=not word)


def _table(lines: list[tuple[str, str, str]], made: dict[str, list[str]], grouped: bool) -> None:
    """Write one line per kind (group, name, meaning) with its first example, and a title for each group."""
    groups = {group if grouped else "": None for group, _, _ in lines}
    widths = {each: max(len(name) for group, name, _ in lines if each in ("", group)) for each in groups}
    width = max(shutil.get_terminal_size((WIDTH, 24)).columns - 2, 60) if sys.stdout.isatty() else WIDTH
    before = ""
    for number, (group, name, meaning) in enumerate(lines):
        if grouped and group != before:
            before = group
            click.echo(("\n" if number else "") + tinted(group, bold=True))
        name_width = widths[group if grouped else ""]
        meaning_width = (width - name_width - 6) * 2 // 3
        told = _cut(meaning, meaning_width)
        example = _cut(made[name][0].replace("\n", "⏎ "), width - name_width - meaning_width - 6)
        click.echo(f"  {tinted(f'{name:{name_width}}', fg='cyan')}  {told:{meaning_width}}  {example}")
    if sys.stdout.isatty():
        click.echo(f"\n{plural(len(lines), 'kind')}; `yurt kinds NAME` shows one in detail", err=True)


def _cut(text: str, width: int) -> str:
    """Return a text cut to a number of columns; East Asian characters take two."""
    from rich.cells import cell_len, set_cell_size

    return text if cell_len(text) <= width else set_cell_size(text, width - 1).rstrip() + "…"


def _one(kind: Kind, locales: tuple[str, ...]) -> None:
    """Show everything about one kind."""
    from yurt.core.reports.kind_pages import allowed, closed, examples, room

    click.echo(tinted(kind.name, fg="cyan", bold=True))
    rows = [("meaning", kind.meaning), ("group", kind.group), ("type", "record" if kind.record else kind.type.name)]
    rows += [("source", kind.source)] if kind.source else []
    rule, rest = allowed(kind.name, locales[0])
    rows += [("allowed", _cut(rule, LONGEST_RULE))] if rule else []
    complete = closed(kind.name, locales[0])
    rows += [("closed", f"no other value: {complete}")] if complete else []
    rows += [("open", f"not checked: {rest}")] if rest else []
    rows += [("check", kind.check)] if kind.check else []
    rows += [("safe", kind.safe)] if kind.safe else []
    rows += [("risk", kind.risk)] if kind.risk else []
    rows += [("live", "the clause `live` lifts the safe range")] if kind.live else []
    count = room(kind.name)
    rows.append(("unique", f"up to {count:,} different values" if count else "no: it repeats, as in reality"))
    rows.append(("write", f"{kind.name.replace('-', '_')}: {kind.name}"))
    for label, value in rows:
        _lines(label, value)
    for title, whole in (("in parentheses", False), ("in parentheses, for the whole record", True)):
        given = {name: each for name, each in kind.parameters.items() if each.shared is whole}
        click.echo(f"\n  {title}" if given else "", nl=bool(given))
        for name, each in given.items():
            words = f": {' | '.join(each.choices)}" if each.choices else ""
            default = f" (else {each.default})" if each.default != "null" else ""
            _lines(f"{name:9}", f"{each.meaning}{words}{default}", 9)
    click.echo("\n  examples")
    shown = locales if kind.about else locales[:1]
    for locale in shown:
        values = " | ".join(each.replace("\n", "⏎ ") for each in examples(kind.name, locale))
        click.echo(f"  {locale if kind.about else '':7}  {_cut(values, WIDTH - 11)}")


def _lines(label: str, value: str, width: int = 7) -> None:
    wrapped = textwrap.wrap(value, WIDTH - width - 4)
    click.echo(f"  {label:{width}}  " + f"\n{' ' * (width + 4)}".join(wrapped))


def _as_json(found: list[Kind], locale: str) -> None:
    """Write one object for each kind."""
    from yurt.core.reports.kind_pages import allowed, examples, room

    objects: list[JsonObject] = [
        {
            "name": each.name, "group": each.group, "meaning": each.meaning,
            "type": "record" if each.record else each.type.name,
            "about": each.about or None, "source": each.source or None,
            "allowed": allowed(each.name, locale)[0] or None,
            "not checked": allowed(each.name, locale)[1] or None,
            "check": each.check or None,
            "safe": each.safe or None, "risk": each.risk or None, "live": bool(each.live),
            "unique": room(each.name) or None,
            "phrase": each.phrase or None,
            "parameters": {
                name: {"meaning": one.meaning, "default": one.default, "choices": list(one.choices)}
                for name, one in each.parameters.items()
            },
            "examples": examples(each.name, locale)[:3],
        }
        for each in found
    ]  # fmt: skip
    click.echo(json.dumps(objects, ensure_ascii=False, indent=1))
