"""Write the files that are generated from the code: indexes, examples, and the page of kinds.

Run `python tools/catalogue.py` after a change to a kind, a list, a function, or a format. With `--check`, it writes
nothing and exits with status 1 if a file is out of date.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from datetime import date
from pathlib import Path
from typing import Any

from yurt.core.columns.functions import SIGNATURES
from yurt.core.engine.blocks import block
from yurt.core.engine.run import Run, RunOptions
from yurt.core.kinds.catalogue import KINDS, SHARED, Kind, locales
from yurt.core.kinds.lists import facts
from yurt.core.kinds.numbers.companies import COMPANIES
from yurt.core.kinds.numbers.persons import PERSONS
from yurt.core.kinds.own_lists import NEEDED, PLAIN
from yurt.core.language.reader import read_fields
from yurt.core.reports import kind_examples as engine
from yurt.core.reports import kind_pages as pages
from yurt.core.text.forms import text_of

sys.path.insert(0, str(Path(__file__).resolve().parent))
from grammar_tables import TABLES, tables
from setting_examples import formats

HERE = Path(__file__).resolve().parent.parent
KINDS_FOLDER = HERE / "src" / "yurt" / "core" / "kinds"
# The groups in the order in which the catalogue shows them, with their titles.
GROUPS = {
    "persons": "Persons", "households": "Households", "work": "Work", "places": "Places", "contact": "Contact",
    "autofill": "Fields of forms", "net": "Net", "references": "References and pointers", "money": "Money",
    "prices": "Prices", "securities": "Securities and banks", "trade": "Trade",
    "identifiers": "Identifiers that countries give", "text": "Text", "things": "Things", "dates": "Dates and times",
    "technical": "Technical", "records": "Ready records",
}  # fmt: skip
COMMON, OF_LOCALE = 6, 4
FUNCTIONS_INDEX = HERE / "src" / "yurt" / "core" / "model" / "functions.json"
FORMATS_INDEX = HERE / "src" / "yurt" / "core" / "formats" / "index.json"
FUNCTION_GROUPS = ("numbers", "dates", "texts", "clean-up", "lists", "any value", "rows of the same parent")


def main() -> int:
    """Write or check every file; return the exit status."""
    check = "--check" in sys.argv
    KINDS.read_all()
    wrong = []
    for path, text in files().items():
        if check and (not path.is_file() or path.read_text("utf-8") != text):
            wrong.append(path)
        elif not check:
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(text, "utf-8")
    for path in wrong:
        print(f"{path.relative_to(HERE)} is not up to date: run `python tools/catalogue.py`")
    return 1 if wrong else 0


def files() -> dict[Path, str]:
    """Return every generated file with its text."""
    found = {KINDS_FOLDER / "index.json": _json(index())}
    # The engine finds kinds through the index.
    if not (KINDS_FOLDER / "index.json").is_file() or set(KINDS) != set(KINDS.read_all()):
        (KINDS_FOLDER / "index.json").write_text(_json(index()), "utf-8")
        KINDS.forget_index()
    shown = KINDS_FOLDER / "shown"
    plain = [name for name in KINDS if not KINDS[name].about]
    agreeing = [name for name in KINDS if KINDS[name].about]
    common = engine.examples(plain, "en-GB", COMMON)
    found[shown / "common.json"] = _json(common)
    found[shown / "room.json"] = _json({name: engine.room(kind) for name, kind in KINDS.items()})
    by_locale = {locale: engine.examples(agreeing, locale, OF_LOCALE) for locale in locales()}
    for locale, made in by_locale.items():
        found[shown / f"{locale}.json"] = _json(made)
    found[FUNCTIONS_INDEX] = json.dumps(functions(), ensure_ascii=False, indent=2) + "\n"
    found[TABLES] = tables()
    found[FORMATS_INDEX] = json.dumps(formats(), ensure_ascii=False, indent=1) + "\n"
    found[HERE / "docs" / "kinds.md"] = page(common | by_locale["de-AT"])
    return found


def page(made: dict[str, list[str]]) -> str:
    """Return the page of kinds, with sample values of each."""
    text = (HERE / "tools" / "kinds-page.md").read_text("utf-8")
    parts = {
        "kinds": str(len(KINDS)),
        "locales": str(len(locales())),
        "postal-code": _shown("postal-code", "sl-SI"),
        "telephones": "\n".join(_telephone(locale) for locale in locales()),
        "records": _table("records", made),
        "catalogue": "\n\n".join(
            f"### {title}\n\n{_table(group, made)}" for group, title in GROUPS.items() if group != "records"
        ),
        "countries": "\n".join(
            f"| {code} | {_first_line(PERSONS[code])} | {_first_line(COMPANIES[code])} |" for code in sorted(PERSONS)
        ),
        "lists": ", ".join(f"`{name}`" for name in (*NEEDED, *PLAIN)),
    }
    for name, part in parts.items():
        text = text.replace(f"%{name}%", part)
    return text


def _shown(name: str, locale: str) -> str:
    from click.testing import CliRunner

    from yurt.cli.kinds import kinds

    return str(CliRunner().invoke(kinds, [name, "--locale", locale]).output)


def _table(group: str, made: dict[str, list[str]]) -> str:
    lines = ["| kind | what it is | it makes |", "|---|---|---|"]
    for name in (name for name, each in KINDS.index.items() if each == group):
        kind = KINDS[name]
        notes = [kind.meaning]
        notes += ["in parentheses: " + ", ".join(f"`{each}`" for each in _own(kind))] if _own(kind) else []
        notes += [f"*safe*: {kind.safe}"] if kind.safe else []
        notes += [f"*risk*: {kind.risk}"] if kind.risk else []
        notes += [f"{kind.source}"] if kind.source else []
        complete = pages.closed(name, "de-AT")
        notes += [f"*closed*: {complete}"] if complete else []
        notes += [f"*open*: not checked {rest}"] if (rest := pages.allowed(name, "de-AT")[1]) else []
        value = made[name][0].replace("|", "\\|").replace("\n", "⏎ ")
        shown = value if len(value) <= 60 else value[:59] + "…"
        fence = "``" if "`" in shown else "`"
        lines.append(f"| `{name}` | {'; '.join(notes)} | {fence}{shown}{fence} |")
    return "\n".join(lines)


def _own(kind: Kind) -> list[str]:
    """Return the parameters that are specific to a kind, without those that every kind of a person or place has."""
    return [name for name, each in kind.parameters.items() if SHARED.get(name) is not each]


def _telephone(locale: str) -> str:
    plan = facts(locale)["tel"]
    both = dict.fromkeys((plan["safe"], plan["safe-mobile"]))
    numbers = ", ".join("`" + each.replace("|", "\\|") + "`" for each in both)
    return f"| {locale} | {numbers} | {'accept' if plan.get('fiction') else 'reject'} |"


def _first_line(function: Callable[..., Any]) -> str:
    return (function.__doc__ or "").strip().splitlines()[0].rstrip(".")


def index() -> dict[str, dict[str, str]]:
    """Return the kinds of every group with their meanings, as the group files state them."""
    groups: dict[str, dict[str, str]] = {name: {} for name in GROUPS}
    for name, each in KINDS.read_all().items():
        groups[each.group][name] = each.meaning
    return groups


def functions() -> dict[str, dict[str, str | int]]:
    """Return the signature of every function by group; new functions follow those already in the index."""
    known = list(json.loads(FUNCTIONS_INDEX.read_text("utf-8"))) if FUNCTIONS_INDEX.is_file() else []
    known += [name for name in SIGNATURES if name not in known]
    order = sorted(
        SIGNATURES, key=lambda name: (FUNCTION_GROUPS.index(str(SIGNATURES[name]["group"])), known.index(name))
    )
    known_results = results([str(each["example"]) for each in SIGNATURES.values() if each["example"]])
    return {
        name: SIGNATURES[name] | {"result": known_results.get(str(SIGNATURES[name]["example"]), "")} for name in order
    }


def results(examples: list[str]) -> dict[str, str]:
    """Return the results of the examples of functions."""
    lines = [f"f{at}: '= {example.replace(chr(39), chr(39) * 2)}'" for at, example in enumerate(examples)]
    schema, _ = read_fields(lines)
    batch = block(Run(schema, RunOptions(seed=1, today=date(2026, 6, 1))), "record", 0, 1)
    values = [text_of(column)[0].as_py() for column in batch.columns]
    return {example: "missing" if value is None else value for example, value in zip(examples, values, strict=True)}


def _json(data: dict[str, Any]) -> str:
    lines = (
        f" {json.dumps(key, ensure_ascii=False)}: {json.dumps(value, ensure_ascii=False)}"
        for key, value in data.items()
    )
    return "{\n" + ",\n".join(lines) + "\n}\n"


if __name__ == "__main__":
    sys.exit(main())
